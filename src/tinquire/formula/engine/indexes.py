"""What was worked out of areas of cells, to be used again until one of their cells changes: indexes of keys, groups of
rows."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TypeVar, cast

from tinquire.cells.address import Area
from tinquire.formula.engine.operands import Span

__all__ = ["AreaIndexes"]

_Made = TypeVar("_Made")

#: So many things are kept, of so many cells together: with one more, all are made anew.
_MOST, _MOST_CELLS = 32, 1 << 22


class AreaIndexes:
    """Things made of the cells of areas, by what they are and of which areas."""

    def __init__(self) -> None:
        self._held: dict[tuple[Hashable, ...], tuple[tuple[Span, ...], int, object]] = {}
        #: Of each sheet (casefolded) an area that holds all those that something was made of.
        self._around: dict[str, Area] = {}
        self._cells = 0

    def made(self, what: Hashable, spans: tuple[Span, ...], cells: int, make: Callable[[], _Made]) -> _Made:
        """The thing of a kind made of some areas, which hold so many cells; made when it is not there yet."""
        key = (what, *((span.sheet.casefold(), span.area) for span in spans))
        held = self._held.get(key)
        if held is not None:
            return cast(_Made, held[2])
        thing = make()
        if len(self._held) == _MOST or self._cells + cells > _MOST_CELLS:
            self.clear()
        self._held[key] = spans, cells, thing
        self._cells += cells
        for span in spans:
            folded, area = span.sheet.casefold(), span.area
            around = self._around.get(folded, area)
            corner = min(around.top, area.top), min(around.left, area.left)
            self._around[folded] = Area(*corner, max(around.bottom, area.bottom), max(around.right, area.right))
        return thing

    def holds(self, sheet: str) -> bool:
        """Whether anything was made of cells of a sheet."""
        return bool(self._around) and sheet.casefold() in self._around

    def forget(self, sheet: str, area: Area) -> None:
        """Cells of an area are others now."""
        folded = sheet.casefold()
        around = self._around.get(folded)
        if around is None or not around.overlaps(area):
            return
        for key, (spans, cells, _) in list(self._held.items()):
            if any(span.area.overlaps(area) and span.sheet.casefold() == folded for span in spans):
                del self._held[key]
                self._cells -= cells

    def clear(self) -> None:
        """All cells are others now."""
        self._held.clear()
        self._around.clear()
        self._cells = 0
