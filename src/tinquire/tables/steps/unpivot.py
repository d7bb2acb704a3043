"""unpivot: columns into rows."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.cells.column import Column, Kind
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Field, Table, require, require_distinct


@step
@dataclass(frozen=True)
class Unpivot(Step):
    """Make of each row one for each of these columns (or of all but those of `keep`): the column's heading goes into
    `names`, its value into `values`. Blanks make no row, unless `blanks` says so."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    unpivot: list[str]
    names: str
    values: str
    keep: list[str] | None = None
    blanks: bool = False

    def apply(self, table: Table, context: StepContext) -> Table:
        if bool(self.unpivot) == (self.keep is not None):
            why = "give exactly one side: the columns that become rows, or with keep those that stay"
            raise UseError(Fault(context.stopped, why, context.where, "write unpivot = [] with keep = [...]"))
        if self.keep is not None:
            kept = require(table, self.keep, context.stopped)
            turned = [index for index in range(len(table.fields)) if index not in set(kept)]
        else:
            turned = require(table, self.unpivot, context.stopped)
            kept = [index for index in range(len(table.fields)) if index not in set(turned)]
        count, width = table.height, len(turned)
        rows = np.repeat(np.arange(count), width)
        headings = [table.fields[index].name for index in turned]
        if width:
            every = Column.concat([table.columns[index] for index in turned])
            values = every.take((np.arange(width)[None, :] * count + np.arange(count)[:, None]).ravel())
        else:
            values = Column.blank(0)
        types = {table.fields[index].type for index in turned}
        names = Column.of_codes(np.tile(np.arange(width, dtype=np.int32), count), headings)
        made = table.select(kept).take(rows)
        require_distinct([*made.headings, self.names, self.values], context.stopped, context.where)
        fields = (*made.fields, Field(self.names), Field(self.values, types.pop() if len(types) == 1 else "text"))
        made = replace(made, fields=fields, columns=(*made.columns, names, values))
        return made if self.blanks else made.take(values.kinds != Kind.BLANK)

    def says(self) -> str:
        return f"unpivot into {self.names} and {self.values}"
