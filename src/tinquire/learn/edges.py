"""The lines that are seen around cells: a line between two cells may be held by either of them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from tinquire.looks import Appearance
from tinquire.looks.appearance import EDGE_STYLES, Edge
from tinquire.workbook import Sheet, Workbook

__all__ = ["Seen", "without_edges"]

_Lines = NDArray[np.int64]
_SIDES = ("top", "bottom", "left", "right")


def without_edges(look: Appearance) -> tuple[object, ...]:
    """All of a look but its lines."""
    return tuple(getattr(look, part) for part in Appearance.__slots__ if part != "edges")


class Seen:
    """The lines of sheets of one or more workbooks as numbers that can be compared; the stronger of two is seen."""

    def __init__(self) -> None:
        self._known: dict[Edge, int] = {}
        self._sides: dict[tuple[int, int], tuple[int, int, int, int]] = {}

    def around(self, book: Workbook, sheet: Sheet, column: int, top: int, bottom: int) -> _Lines:
        """Four lines of numbers (top, bottom, left, right), one for each row from `top` to `bottom`, above which there
        is no cell."""
        own = self._stated(book, sheet, column, top, bottom + 1)
        seen = own[:, :-1].copy()
        # The row below the last one, and those before and after.
        seen[0, 1:] = np.maximum(seen[0, 1:], own[1, :-2])
        seen[1] = np.maximum(seen[1], own[0, 1:])
        if column > 1:
            seen[2] = np.maximum(seen[2], self._stated(book, sheet, column - 1, top, bottom)[3])
        seen[3] = np.maximum(seen[3], self._stated(book, sheet, column + 1, top, bottom)[2])
        return seen

    def _stated(self, book: Workbook, sheet: Sheet, column: int, top: int, bottom: int) -> _Lines:
        kinds, places = np.unique(sheet.styles(column, top, bottom), return_inverse=True)
        table = np.array([self._of_style(book, int(style)) for style in kinds], np.int64).reshape(-1, 4)
        found: _Lines = table[places.reshape(-1)].T
        return found

    def _of_style(self, book: Workbook, style: int) -> tuple[int, int, int, int]:
        key = (id(book), style)
        if key not in self._sides:
            edges = book.styles.appearance(style).edges
            top, bottom, left, right = (self._number(getattr(edges, side)) for side in _SIDES)
            self._sides[key] = top, bottom, left, right
        return self._sides[key]

    def _number(self, edge: Edge | None) -> int:
        """Nothing is 0; of lines, thicker ones have higher numbers."""
        if edge is None:
            return 0
        known: Mapping[Edge, int] = self._known
        if edge not in known:
            # A damaged file may have styles that are none.
            weight = EDGE_STYLES.index(edge.style) if edge.style in EDGE_STYLES else 0
            self._known[edge] = weight * 10_000 + len(known) + 1
        return self._known[edge]
