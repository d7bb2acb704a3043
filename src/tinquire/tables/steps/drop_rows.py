"""drop_rows: without the rows for which a formula holds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tinquire.tables.steps.keep_rows import rows_that_hold
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class DropRows(Step):
    """Drop the rows for which a formula over the headings holds."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    drop_rows: str

    @property
    def formulas(self) -> Sequence[str]:
        return (self.drop_rows,)

    def apply(self, table: Table, context: StepContext) -> Table:
        return table.take(~rows_that_hold(self.drop_rows, table, context))

    def says(self) -> str:
        return f"drop rows where {self.drop_rows}"
