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
        groups, _ = key_groups(columns)
        order = np.arange(table.height)
        _, first = np.unique(groups, return_index=True)
        kept = first if self.keep != "last" else order[::-1][np.unique(groups[::-1], return_index=True)[1]]
        gone = np.setdiff1d(order, kept)
        if len(gone):
            where = listed([table.where(int(row)) for row in gone])
            if self.keep == "stop":
                why = f"{counted(len(gone), 'row')} with a repeated {' and '.join(self.unique)}"
                raise DataError(Fault(context.stopped, why, where, 'fix the source, or write keep = "first"'))
            context.notes.append(f"left out as repeated: {where}")
        return table.take(np.sort(kept))

    def says(self) -> str:
        return f"unique by {', '.join(self.unique)}"
