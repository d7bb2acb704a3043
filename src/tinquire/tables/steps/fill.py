"""fill: blanks from above, or with a value."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tinquire.base.wording import counted
from tinquire.cells.column import Column, Kind
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require


@step
@dataclass(frozen=True)
class Fill(Step):
    """Fill the blanks of columns with the value above, or with one value."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    fill: list[str]
    value: bool | float | str | None = None

    def apply(self, table: Table, context: StepContext) -> Table:
        for index in require(table, self.fill, context.stopped):
            column = table.columns[index]
            blank = column.kinds == Kind.BLANK
            if self.value is not None:
                filled = Column.where(blank, Column.full(self.value, 1), column)
            else:
                # The position of the last value at or above each row; before the first there is nothing to take.
                last = np.maximum.accumulate(np.where(blank, -1, np.arange(len(column))))
                filled = column.take(np.where(last < 0, np.arange(len(column)), last))
            table = table.with_values(index, filled, blank & (filled.kinds != Kind.BLANK))
            context.notes.append(f"{counted(int(blank.sum()), 'blank')} in '{table.fields[index].name}'")
        return table

    def says(self) -> str:
        return f"fill {', '.join(self.fill)}"
