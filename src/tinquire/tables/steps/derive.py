"""derive: a column calculated from others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field as Key

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import counted
from tinquire.cells.column import Column, Kind
from tinquire.formula.language.tree import Node, TableReference, walk
from tinquire.tables.scope import read_formula, table_values
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Field, RowFormula, Table
from tinquire.tables.types import ColumnType


@step
@dataclass(frozen=True)
class Derive(Step):
    """Add a column calculated for every row by a formula over the headings."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    derive: str
    as_: Annotated[str, Key(alias="as")]
    type: ColumnType | None = None

    @property
    def formulas(self) -> Sequence[str]:
        return (self.as_,)

    def apply(self, table: Table, context: StepContext) -> Table:
        scope = context.scope(table)
        tree = read_formula(self.as_, scope, context.stopped, context.where)
        values = table_values(tree, scope, table)
        wrong = np.flatnonzero(values.kinds == Kind.ERROR)
        if len(wrong):
            raise DataError(self._fault(table, values, int(wrong[0]), len(wrong), context))
        kind = self.type or _type_of(tree, values, table)
        return table.with_column(Field(self.derive, kind), values, _row_formula(self.as_, tree, table, context.stopped))

    def _fault(self, table: Table, values: Column, row: int, many: int, context: StepContext) -> Fault:
        why = f"{self.as_} gives {values[row]}" + (f", in {counted(many, 'row')}" if many > 1 else "")
        return Fault(context.stopped, why, table.where(row), "fix the row, or guard the formula with IFERROR")

    def says(self) -> str:
        return f"derive {self.derive}"


def _row_formula(text: str, tree: Node, table: Table, step: str) -> RowFormula:
    """The formula, with the columns that it reads in each row."""
    headings = [
        heading
        for node in walk(tree)
        if isinstance(node, TableReference) and node.table is None
        for heading in (node.first, node.last)
        if heading is not None
    ]
    positions = {heading.casefold(): table.index_of(heading) for heading in headings}
    read = {name: table.fields[index].identity for name, index in positions.items() if index is not None}
    return RowFormula(text, read, step=step)


def _type_of(tree: Node, values: Column, table: Table) -> str:
    """The type of a derived column that states none: that of the column it copies, or of its values' kind."""
    if isinstance(tree, TableReference) and tree.first is not None and tree.bare:
        index = table.index_of(tree.first)
        if index is not None:
            return table.fields[index].type
    kinds = set(np.unique(values.kinds).tolist()) - {int(Kind.BLANK)}
    if kinds == {int(Kind.NUMBER)}:
        return "number"
    return "yes/no" if kinds == {int(Kind.BOOL)} else "text"
