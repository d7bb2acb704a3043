"""What an expression can be while a formula runs.

A program runs for a whole run of cells at once, one lane per cell. An expression's value is one of

    Scalar   the same for every lane
    Lanes    one value per lane
    Grid     an array of rows and columns, the same for every lane
    Span     a reference to an area of a sheet, whose rows may move with the lane
    Areas    several references as one argument
    Closure  a function, with the names that are known where it was written
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypeAlias

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.formula.language.tree import Node

__all__ = ["Areas", "Closure", "Grid", "Lanes", "Operand", "Scalar", "Span"]


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
    """An area as lane 0 sees it; the top or bottom row moves down by one with each lane where said so."""

    sheet: str
    area: Area
    top_moves: bool = False
    bottom_moves: bool = False

    @property
    def moves(self) -> bool:
        return self.top_moves or self.bottom_moves

    @property
    def is_cell(self) -> bool:
        """One cell for every lane."""
        return self.area.height == 1 and self.area.width == 1 and self.top_moves == self.bottom_moves

    def at(self, lane: int) -> Area:
        top = self.area.top + lane * self.top_moves
        bottom = self.area.bottom + lane * self.bottom_moves
        return Area(min(top, bottom), self.area.left, max(top, bottom), self.area.right)


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
