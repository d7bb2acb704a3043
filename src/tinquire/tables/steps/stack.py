"""stack: the rows of other tables below these."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.faults import Fault, UseError, known_names
from tinquire.tables.stacking import stacked
from tinquire.tables.steps.step import StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Stack:
    """Put the rows of other tables below these, columns by heading; what a table lacks is blank."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    stack: list[str]

    def apply(self, table: Table, context: StepContext) -> Table:
        others = []
        for name in self.stack:
            other = context.scope().find_table(name)
            if other is None:
                why = f"there is no table '{name}': {known_names(name, list(context.tables))}"
                raise UseError(Fault(context.stopped, why, context.where, "name a table of the docket"))
            others.append(other)
        return stacked(table.name, [table, *others])

    def says(self) -> str:
        return f"stack with {', '.join(self.stack)}"
