"""Lines around cells: of two neighbours that ask for a line between them, the heavier wins; equal ones become one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import lru_cache

from tinquire.cells.address import Area
from tinquire.looks import Edge, Edges
from tinquire.looks.appearance import EDGE_STYLES
from tinquire.pages.geometry import Grid
from tinquire.pages.primitives import Lines, Pen

__all__ = ["EdgeBook", "pens_of"]

_ORDER = {name: place for place, name in enumerate(EDGE_STYLES)}
#: Width in points and dashes of each line style (18.18.3).
_PENS: dict[str, tuple[float, tuple[float, ...]]] = {
    "hair": (0.3, (0.6, 1.2)), "dotted": (0.6, (0.9, 1.2)), "dashed": (0.6, (2.7, 1.8)),
    "dashDot": (0.6, (4.5, 1.8, 1.2, 1.8)), "dashDotDot": (0.6, (4.5, 1.8, 1.2, 1.8, 1.2, 1.8)), "thin": (0.6, ()),
    "mediumDashed": (1.3, (5.4, 2.2)), "mediumDashDot": (1.3, (6.0, 2.2, 1.8, 2.2)),
    "mediumDashDotDot": (1.3, (6.0, 2.2, 1.8, 2.2, 1.8, 2.2)), "slantDashDot": (1.3, (6.0, 1.4, 2.4, 1.4)),
    "medium": (1.3, ()), "double": (0.5, ()), "thick": (2.0, ()),
}  # fmt: skip
#: How far the two lines of a double one lie from its middle.
_APART = 0.75


def pens_of(edge: Edge) -> tuple[Pen, tuple[float, ...]]:
    """The pen of a line, and how far from its middle it is drawn: twice for a double one."""
    width, dashes = _PENS.get(edge.style, _PENS["thin"])
    return Pen(width, edge.colour, dashes), (-_APART, _APART) if edge.style == "double" else (0.0,)


class EdgeBook:
    """The lines between the cells of a page: `below[r, c]` is that between rows r and r + 1 at column c, `beside[c, r]`
    that between columns c and c + 1 at row r."""

    def __init__(self) -> None:
        self.below: dict[tuple[int, int], Edge] = {}
        self.beside: dict[tuple[int, int], Edge] = {}
        self.across: list[tuple[int, int, int, int, Edge, bool]] = []

    def add(self, row: int, column: int, edges: Edges) -> None:
        """The lines that one cell asks for."""
        below, beside = self.below, self.beside
        for known, place, edge in (
            (below, (row - 1, column), edges.top), (below, (row, column), edges.bottom),
            (beside, (column - 1, row), edges.left), (beside, (column, row), edges.right),
        ):  # fmt: skip
            if edge is not None:
                other = known.setdefault(place, edge)
                # Most neighbours ask for the same: two that are one object need not be looked at.
                if other is not edge and other != edge and _weight(edge) > _weight(other):
                    known[place] = edge

    def lines(self, grid: Grid) -> list[Lines]:
        """All lines, those that go on in the next cell as one, by pen; the lightest first."""
        found: dict[Pen, list[tuple[float, float, float, float]]] = defaultdict(list)
        for row, first, last, edge in _runs(self.below):
            y = -grid.top(row + 1)
            pen, moves = pens_of(edge)
            x, right = grid.left(first, last), grid.left(first, last) + grid.width(first, last)
            found[pen] += [(x, y + move, right, y + move) for move in moves]
        for column, first, last, edge in _runs(self.beside):
            x = grid.edge(column)
            pen, moves = pens_of(edge)
            found[pen] += [(x + move, -grid.top(first), x + move, -grid.top(last + 1)) for move in moves]
        for top, left, bottom, right, edge, rises in self.across:
            pen, _ = pens_of(edge)
            box = grid.box(Area(top, left, bottom, right))
            low, high = (box.y, box.top) if rises else (box.top, box.y)
            found[pen].append((box.x, low, box.right, high))
        return [Lines(pen, found[pen]) for pen in sorted(found, key=lambda pen: (pen.width, pen.colour, pen.dashes))]


@lru_cache(maxsize=4096)
def _weight(edge: Edge) -> tuple[int, int]:
    """Heavier styles win, of equal ones the darker."""
    colour = int(edge.colour, 16)
    return _ORDER.get(edge.style, 0), -((colour >> 16) + (colour >> 8 & 255) + (colour & 255))


def _runs(edges: dict[tuple[int, int], Edge]) -> Iterator[tuple[int, int, int, Edge]]:
    """Lines of equal look that follow each other: their fixed line, the first and last along them, and the look."""
    line = first = last = -1
    look: Edge | None = None
    for (fixed, place), edge in sorted(edges.items()):
        if look is not None:
            if fixed == line and place == last + 1 and (edge is look or edge == look):
                last = place
                continue
            yield line, first, last, look
        line, first, last, look = fixed, place, place, edge
    if look is not None:
        yield line, first, last, look
