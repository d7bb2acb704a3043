"""join: several columns' texts in one."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.cells.column import Column
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import text_of
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Field, Table, require


@step
@dataclass(frozen=True)
class Join(Step):
    """Join the texts of columns into one column, with a mark between them; blanks are passed over."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    join: list[str]
    into: str
    mark: str = " "
    keep: bool = False

    def apply(self, table: Table, context: StepContext) -> Table:
        positions = require(table, self.join, context.stopped)
        lines = zip(*(table.columns[index] for index in positions), strict=True)
        joined = Column.from_values(self._join(line) for line in lines) if positions else Column.blank(table.height)
        made = table.with_column(Field(self.into, "text"), joined)
        if self.keep:
            return made
        gone = {index for index in positions if table.fields[index].name.casefold() != self.into.casefold()}
        return made.select([n for n in range(len(made.fields)) if n not in gone])

    def _join(self, line: tuple[Value, ...]) -> Value:
        texts = [text_of(value) for value in line if value is not None]
        wrong = next((text for text in texts if isinstance(text, CellError)), None)
        return wrong or self.mark.join(str(text) for text in texts if text) or None

    def says(self) -> str:
        return f"join {', '.join(self.join)}"
