"""replace: values of a column by a list."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.cells.column import Column
from tinquire.formula.coerce import text_of
from tinquire.tables.steps.step import StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Replace:
    """Replace whole values of a column: old = new. Texts are compared to the letter."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    replace: str
    values: dict[str, bool | float | str]

    def apply(self, table: Table, context: StepContext) -> Table:
        place = table.find(self.replace, context.stopped)
        groups, distinct = table.columns[place].groups()
        fresh = [self.values.get(str(text_of(value)), value) for value in distinct]
        changed = sum(str(text_of(value)) in self.values for value in distinct)
        context.notes.append(f"{changed} of {len(distinct)} distinct values replaced")
        return table.with_column(table.fields[place], Column.from_values(fresh).take(groups))

    def says(self) -> str:
        return f"replace in {self.replace}"
