"""unique: one row for each key."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import counted, listed
from tinquire.tables.keys import key_groups
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require


@step
@dataclass(frozen=True)
class Unique(Step):
    """Keep one row of those that agree in all the columns named: the first, the last; or stop at the second."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    unique: list[str]
    keep: Literal["first", "last", "stop"] = "first"

    def apply(self, table: Table, context: StepContext) -> Table:
        columns = [table.columns[index] for index in require(table, self.unique, context.stopped)]
        groups, count = key_groups(columns)
        order = np.arange(table.height) if self.keep == "last" else np.arange(table.height)[::-1]
        row_of = np.zeros(count, np.int64)
        row_of[groups[order]] = order  # the last writer stays
        kept = np.zeros(table.height, np.bool_)
        kept[row_of] = True
        gone = np.flatnonzero(~kept)
        if len(gone):
            where = listed([table.where(int(row)) for row in gone])
            if self.keep == "stop":
                why = f"{counted(len(gone), 'row')} with a repeated {' and '.join(self.unique)}"
                raise DataError(Fault(context.stopped, why, where, 'fix the source, or write keep = "first"'))
            context.notes.append(f"left out as repeated: {where}")
        return table.take(np.flatnonzero(kept))

    def says(self) -> str:
        return f"unique by {', '.join(self.unique)}"
