"""subtract: without the rows that another table has."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from tinquire.tables.matching import clean_keys, match_rows
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require


@step
@dataclass(frozen=True)
class Subtract(Step):
    """Drop the rows whose key is in another table; with `both`, keep only those."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    subtract: str
    on: dict[str, str]
    keep: Literal["others", "both"] = "others"
    clean: list[Literal["spaces", "case", "zeros", "kind"]] = field(default_factory=list)

    @property
    def other_tables(self) -> Sequence[str]:
        return (self.subtract,)

    def apply(self, table: Table, context: StepContext) -> Table:
        right = context.table(self.subtract)
        ours = [table.columns[index] for index in require(table, list(self.on), context.stopped)]
        theirs = [right.columns[index] for index in require(right, list(self.on.values()), context.stopped)]
        found = match_rows(
            [clean_keys(our, self.clean) for our in ours], [clean_keys(their, self.clean) for their in theirs]
        )
        return table.take((found.rows >= 0) if self.keep == "both" else (found.rows < 0))

    def says(self) -> str:
        return f"subtract '{self.subtract}'"
