"""split: one column's texts into several columns."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.cells.column import Column
from tinquire.formula.engine.conversions import text_of
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Field, Table, require


@step
@dataclass(frozen=True)
class Split(Step):
    """Split a column's texts at a mark, or after every n characters, into columns named `into`. The last one takes
    what is left; parts that are not there are blank."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    split: str
    into: list[str]
    at: str | None = None
    lengths: list[int] | None = None
    keep: bool = False

    def apply(self, table: Table, context: StepContext) -> Table:
        (index,) = require(table, [self.split], context.stopped)
        column = table.columns[index]
        groups, distinct = column.groups()
        cut = self._cutter(context)
        parts: list[list[str]] = []
        for number, value in enumerate(distinct):
            text = text_of(value)
            if not isinstance(text, str):
                row = int(np.flatnonzero(groups == number)[0])
                raise DataError(Fault(context.stopped, f"{text} cannot be split", table.where(row), "fix the value"))
            pieces = [piece.strip() for piece in cut(text)]
            parts.append([*pieces, *([""] * (len(self.into) - len(pieces)))])
        for number, name in enumerate(self.into):
            values = Column.from_values(part[number] or None for part in parts).take(groups)
            if not len(distinct):
                values = Column.blank(table.height)
            table = table.with_column(Field(name, "text"), values)
        if self.keep or self.split.casefold() in {name.casefold() for name in self.into}:
            return table
        return table.select([n for n in range(len(table.fields)) if n != index])

    def _cutter(self, context: StepContext) -> Callable[[str], list[str]]:
        if (self.at is None) == (self.lengths is None) or not self.into or self.at == "":
            why = "give exactly one way: at a mark, or by lengths"
            raise UseError(Fault(context.stopped, why, context.where, 'write at = " - ", or lengths = [2, 4]'))
        most = len(self.into) - 1
        if self.at is not None:
            mark = self.at
            return lambda text: text.split(mark, most)
        lengths = (self.lengths or [])[:most]

        def by_lengths(text: str) -> list[str]:
            pieces = []
            for length in lengths:
                pieces.append(text[:length])
                text = text[length:]
            return [*pieces, text]

        return by_lengths

    def says(self) -> str:
        return f"split {self.split}"
