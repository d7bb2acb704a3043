"""stack: the rows of other tables below these."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tinquire.tables.stacking import stack_tables
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Stack(Step):
    """Put the rows of other tables below these, columns by heading; what a table lacks is blank."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    stack: list[str]

    @property
    def other_tables(self) -> Sequence[str]:
        return tuple(self.stack)

    def apply(self, table: Table, context: StepContext) -> Table:
        others = [context.table(name) for name in self.stack]
        return stack_tables(table.name, [table, *others])

    def says(self) -> str:
        return f"stack with {', '.join(self.stack)}"
