"""The protocol through which a formula meets the world, and the frame in which it runs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Booleans, Codes, Column, Floats
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.indexes import AreaIndexes
from tinquire.formula.engine.operands import Areas, Closure, LanePath, Lanes, Operand, Scalar, Span
from tinquire.formula.language.tree import Node, TableReference

__all__ = ["CellSource", "Frame", "NameSource", "NoCells", "Scope"]


class NameSource(Protocol):
    """What names and table references mean, and what a formula knows beside its cells."""

    @property
    def date_system(self) -> DateSystem: ...

    @property
    def indexes(self) -> AreaIndexes:
        """What was worked out of areas; the scope forgets it where values change."""
        ...

    @property
    def moment(self) -> float | None:
        """The serial of the moment that counts as now; None where no result may depend on it."""
        ...

    def random(self, count: int) -> Floats:
        """Random numbers from zero up to, not with, one; the same each time from the same seed."""
        ...

    def name(self, name: str, sheet: str | None, frame: Frame) -> Node | Operand | None:
        """What a name stands for: a tree, a value, or nothing."""
        ...

    def table(self, reference: TableReference, frame: Frame) -> Operand | None:
        """What a table reference stands for in a frame, or nothing."""
        ...

    def named_pivot(self, name: str, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        """What a pivot of a name shows of a data field for items of its fields; None when there is no such pivot."""
        ...


class CellSource(Protocol):
    """What references to cells mean."""

    def extent(self, sheet: str) -> tuple[int, int] | None:
        """Last used row and column of a sheet (at least 1, 1); None when there is no such sheet."""
        ...

    def column(self, sheet: str, column: int, top: int, bottom: int) -> Column:
        """Values of the cells of one column, from row `top` to row `bottom`."""
        ...

    def gather(self, sheet: str, rows: Codes, columns: Codes) -> Column:
        """Values of cells anywhere on a sheet, by their rows and columns."""
        ...

    def passed_over(self, sheet: str, area: Area, hidden: bool) -> Booleans | None:
        """Cells (column after column) that SUBTOTAL leaves out: other subtotals, filtered rows, with `hidden`
        also rows hidden by hand. None when there are none."""
        ...

    def sheets_between(self, first: str, last: str) -> list[str]:
        """The sheets from one to another, both with them; none when either is not there. All, when both
        names are empty."""
        ...

    def formula_text(self, sheet: str, row: int, column: int) -> str | None:
        """The formula of a cell as a person writes it, without `=`; None when it holds none."""
        ...

    def cell_facts(self, sheet: str, row: int, column: int) -> Mapping[str, Value]:
        """What is known of a cell's look, by the words that `CELL` knows; nothing where cells have no look."""
        ...

    def reading_of(self, sheet: str, row: int, column: int) -> str | None:
        """How a cell's text is read, if that is stored beside it."""
        ...

    def filled_from(self, sheet: str, row: int, column: int) -> Area | None:
        """The area that the array formula of a cell fills; None when it holds none."""
        ...

    def pivot_value(self, sheet: str, row: int, column: int, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        """What the pivot that covers a cell shows of a data field for items of its fields; an error value when there is
        no such pivot, or no such cell in it."""
        ...


class Scope(NameSource, CellSource, Protocol):
    """What names and references mean. Sheets of a workbook and tables of a docket each implement it."""


class NoCells:
    """The cells of a scope without sheets."""

    def extent(self, sheet: str) -> tuple[int, int] | None:
        return None

    def column(self, sheet: str, column: int, top: int, bottom: int) -> Column:
        return Column.blank(bottom - top + 1)

    def gather(self, sheet: str, rows: Codes, columns: Codes) -> Column:
        return Column.blank(len(rows))

    def passed_over(self, sheet: str, area: Area, hidden: bool) -> Booleans | None:
        return None

    def sheets_between(self, first: str, last: str) -> list[str]:
        return []

    def formula_text(self, sheet: str, row: int, column: int) -> str | None:
        return None

    def cell_facts(self, sheet: str, row: int, column: int) -> Mapping[str, Value]:
        return {}

    def reading_of(self, sheet: str, row: int, column: int) -> str | None:
        return None

    def filled_from(self, sheet: str, row: int, column: int) -> Area | None:
        return None

    def pivot_value(self, sheet: str, row: int, column: int, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        return CellError.REF


@dataclass(frozen=True, slots=True)
class Frame:
    """Where a program runs: `count` cells from (row, column) of a sheet on, below each other or where `path` says.

    With `arrays`, ranges where one value is wanted become arrays (an array formula, or a docket's formula);
    without, the value of the lane's own row or column is taken (implicit intersection).
    """

    scope: Scope
    sheet: str = ""
    row: int = 1
    column: int = 1
    count: int = 1
    arrays: bool = False
    #: Names that the formula itself gives (`LET`, `LAMBDA`), casefolded.
    names: Mapping[str, Operand] = field(default_factory=dict)
    #: How many function values are being calculated one within the other.
    depth: int = 0
    #: Where the cells of the lanes lie, unless they are below each other.
    path: LanePath | None = None

    def lane(self, lane: int) -> Frame:
        names = {name: _in_lane(operand, lane) for name, operand in self.names.items()}
        if self.path is None:
            return replace(self, row=self.row + lane, count=1, names=names)
        row, column = self.row + int(self.path.rows[lane]), self.column + int(self.path.columns[lane])
        return replace(self, row=row, column=column, count=1, names=names, path=None)

    def rows(self) -> Codes:
        """The row of each lane's cell."""
        return self.row + (np.arange(self.count, dtype=np.int32) if self.path is None else self.path.rows)

    def columns(self) -> Codes:
        """The column of each lane's cell."""
        return self.column + (np.zeros(self.count, np.int32) if self.path is None else self.path.columns)

    def as_arrays(self) -> Frame:
        """The same place, ranges being arrays where one value is wanted."""
        return replace(self, arrays=True)

    def naming(self, names: Mapping[str, Operand]) -> Frame:
        """The same place, with more names known."""
        return replace(self, names={**self.names, **names})


def _in_lane(operand: Operand, lane: int) -> Operand:
    if isinstance(operand, Lanes):
        return Scalar(operand.column[lane])
    if isinstance(operand, Span) and operand.moves:
        return Span(operand.sheet, operand.at(lane))
    if isinstance(operand, Closure):
        return replace(operand, names={name: _in_lane(known, lane) for name, known in operand.names.items()})
    if isinstance(operand, Areas):
        return Areas(tuple(_in_lane(part, lane) for part in operand.parts))
    return operand
