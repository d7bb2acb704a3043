"""keep_rows: only the rows for which a formula holds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.cells.column import Booleans, Kind
from tinquire.formula.engine.conversions import logicals
from tinquire.tables.scope import read_formula, table_values
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class KeepRows(Step):
    """Keep the rows for which a formula over the headings holds."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    keep_rows: str

    @property
    def formulas(self) -> Sequence[str]:
        return (self.keep_rows,)

    def apply(self, table: Table, context: StepContext) -> Table:
        return table.take(rows_that_hold(self.keep_rows, table, context))

    def says(self) -> str:
        return f"keep rows where {self.keep_rows}"


def rows_that_hold(text: str, table: Table, context: StepContext) -> Booleans:
    """For which rows a formula holds. Raises DataError where it gives an error or neither yes nor no."""
    scope = context.scope(table)
    values = table_values(read_formula(text, scope, context.stopped, context.where), scope, table)
    flags, faults = logicals(values)
    if faults is not None:
        row = int(np.flatnonzero(faults)[0])
        shown = values[row] if values.kinds[row] != Kind.TEXT else f"'{values[row]}'"
        why = f"{text} gives {shown}, which is neither yes nor no"
        raise DataError(Fault(context.stopped, why, table.where(row), "fix the formula, or the row"))
    return flags
