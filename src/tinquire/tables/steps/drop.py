"""drop: all columns but these."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require


@step
@dataclass(frozen=True)
class Drop(Step):
    """Drop these columns."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    drop: list[str]

    def apply(self, table: Table, context: StepContext) -> Table:
        gone = set(require(table, self.drop, context.stopped))
        return table.select([index for index in range(len(table.fields)) if index not in gone])

    def says(self) -> str:
        return f"drop {', '.join(self.drop)}"
