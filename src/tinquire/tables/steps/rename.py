"""rename: other headings."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require, require_distinct


@step
@dataclass(frozen=True)
class Rename(Step):
    """Give columns other headings: old = new."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    rename: dict[str, str]

    def apply(self, table: Table, context: StepContext) -> Table:
        positions = require(table, list(self.rename), context.stopped)
        fresh = dict(zip(positions, self.rename.values(), strict=True))
        fields = tuple(replace(field, name=fresh.get(n, field.name)) for n, field in enumerate(table.fields))
        require_distinct([field.name for field in fields], context.stopped, context.where)
        return replace(table, fields=fields)

    def says(self) -> str:
        return "rename " + ", ".join(f"{old} to {new}" for old, new in self.rename.items())
