"""What an expression can be while a formula runs.

A program runs for a whole run of cells at once, one lane per cell. An expression's value is one of

    Scalar   the same for every lane
    Lanes    one value per lane
    Grid     an array of rows and columns, the same for every lane
    Span     a reference to an area of a sheet, whose rows and columns may move with the lane
    Areas    several references as one argument
    Closure  a function, with the names that are known where it was written
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Codes, Column
from tinquire.cells.values import Value
from tinquire.formula.language.tree import Node

__all__ = ["Areas", "Closure", "Grid", "LanePath", "Lanes", "Operand", "Scalar", "Span"]


@dataclass(frozen=True, slots=True, eq=False)
class LanePath:
    """How far each lane's cell lies from the first lane's, in rows and in columns."""

    rows: Codes
    columns: Codes


@dataclass(frozen=True, slots=True)
class Scalar:
    value: Value


@dataclass(frozen=True, slots=True)
class Lanes:
    column: Column


@dataclass(frozen=True, slots=True)
class Grid:
    """Columns of equal length `height`; at least one column."""

    columns: tuple[Column, ...]
    height: int

    @property
    def width(self) -> int:
        return len(self.columns)

    def flat(self) -> Column:
        """All values, column after column."""
        return Column.concat(self.columns)

    def value(self, row: int, column: int) -> Value:
        """The value at a row and a column, both from zero."""
        return self.columns[column][row]


@dataclass(frozen=True, slots=True)
class Span:
    """An area as lane 0 sees it, whose edges move with the lanes where said so.

    Lanes lie below each other, one row apart, or where their `path` says.
    """

    sheet: str
    area: Area
    top_moves: bool = False
    bottom_moves: bool = False
    left_moves: bool = False
    right_moves: bool = False
    path: LanePath | None = None

    @property
    def moves(self) -> bool:
        return self.top_moves or self.bottom_moves or self.left_moves or self.right_moves

    @property
    def is_rigid(self) -> bool:
        """Whether the area keeps its size in every lane."""
        return self.top_moves == self.bottom_moves and self.left_moves == self.right_moves

    @property
    def is_cell(self) -> bool:
        """One cell for every lane."""
        return self.area.height == 1 and self.area.width == 1 and self.is_rigid

    def at(self, lane: int) -> Area:
        down, right = (lane, 0) if self.path is None else (int(self.path.rows[lane]), int(self.path.columns[lane]))
        area = self.area
        rows = sorted((area.top + down * self.top_moves, area.bottom + down * self.bottom_moves))
        columns = sorted((area.left + right * self.left_moves, area.right + right * self.right_moves))
        return Area(rows[0], columns[0], rows[1], columns[1])

    def edges(self) -> tuple[Codes, Codes, Codes, Codes]:
        """Top, left, bottom and right of the area of each lane of its path; only top and left of one that is rigid
        need be in order."""
        assert self.path is not None
        area, rows, columns = self.area, self.path.rows, self.path.columns
        top, bottom = area.top + rows * self.top_moves, area.bottom + rows * self.bottom_moves
        left, right = area.left + columns * self.left_moves, area.right + columns * self.right_moves
        return np.minimum(top, bottom), np.minimum(left, right), np.maximum(top, bottom), np.maximum(left, right)


@dataclass(frozen=True, slots=True)
class Areas:
    """References in brackets, or one through a run of sheets: functions that take ranges take all of them."""

    parts: tuple[Operand, ...]


@dataclass(frozen=True, slots=True)
class Closure:
    """A function value (`LAMBDA`): its parameters, casefolded, and its body."""

    parameters: tuple[str, ...]
    body: Node
    names: Mapping[str, Operand]


Operand: TypeAlias = Scalar | Lanes | Grid | Span | Areas | Closure
