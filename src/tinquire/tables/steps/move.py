"""move: columns to another place."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.base.faults import Fault, UseError
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require


@step
@dataclass(frozen=True)
class Move(Step):
    """Move columns to the front, to the end, or before or after another column."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    move: list[str]
    before: str | None = None
    after: str | None = None
    to: str | None = None

    def apply(self, table: Table, context: StepContext) -> Table:
        moved = require(table, self.move, context.stopped)
        rest = [index for index in range(len(table.fields)) if index not in set(moved)]
        stated = [item for item in (self.before, self.after, self.to) if item is not None]
        if len(stated) != 1 or self.to not in (None, "front", "end"):
            why = 'give exactly one place: before, after, or to = "front" or "end"'
            raise UseError(Fault(context.stopped, why, context.where, 'write after = "Depot", or to = "front"'))
        if self.to is not None:
            at = 0 if self.to == "front" else len(rest)
        else:
            (beside,) = require(table, stated, context.stopped)
            if beside in moved:
                why = f"'{stated[0]}' is itself among the columns that move"
                raise UseError(Fault(context.stopped, why, context.where, "name a column that stays"))
            at = rest.index(beside) + (self.after is not None)
        return table.select([*rest[:at], *moved, *rest[at:]])

    def says(self) -> str:
        return f"move {', '.join(self.move)}"
