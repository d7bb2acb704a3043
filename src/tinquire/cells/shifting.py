"""Where rows, columns and areas go when rows or columns are inserted or deleted. Pure arithmetic, counted from one."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area

__all__ = ["Shift"]


@dataclass(frozen=True, slots=True)
class Shift:
    """Lines put in before line `at` (`count` above zero), or that many taken out from `at` on (below zero).

    `rows` tells whether the lines are rows or columns.
    """

    at: int
    count: int
    rows: bool = True

    @property
    def last(self) -> int:
        """The grid's last line."""
        return MAX_ROW if self.rows else MAX_COLUMN

    @property
    def gone(self) -> range:
        """The lines that are taken out."""
        return range(self.at, self.at - min(self.count, 0))

    def line(self, number: int) -> int | None:
        """Where one line goes; None when it is taken out or pushed off the grid."""
        if number < self.at:
            return number
        if number in self.gone:
            return None
        moved = number + self.count
        return moved if moved <= self.last else None

    def span(self, first: int, last: int) -> tuple[int, int] | None:
        """Where a run of lines goes: it grows around what is put in, and shrinks by what is taken out.

        A run over the whole grid stays one.
        """
        if first == 1 and last == self.last:
            return first, last
        if self.count > 0:
            start = first + self.count if first >= self.at else first
            end = last + self.count if last >= self.at else last
            return (start, min(end, self.last)) if start <= self.last else None
        start = self.at if first in self.gone else first if first < self.at else first + self.count
        end = self.at - 1 if last in self.gone else last if last < self.at else last + self.count
        return (start, end) if start <= end else None

    def area(self, area: Area) -> Area | None:
        """Where an area goes; None when nothing of it is left."""
        if self.rows:
            span = self.span(area.top, area.bottom)
            return span and Area(span[0], area.left, span[1], area.right)
        span = self.span(area.left, area.right)
        return span and Area(area.top, span[0], area.bottom, span[1])

    def cuts(self, area: Area) -> bool:
        """Whether an area would be torn: lines come into it, or some of its lines go and others stay."""
        first, last = (area.top, area.bottom) if self.rows else (area.left, area.right)
        if self.count > 0:
            return first < self.at <= last
        gone = self.gone
        return any(line in gone for line in (first, last)) != all(line in gone for line in (first, last)) or (
            first < self.at and last >= gone.stop
        )

    def survivor(self, first: int, last: int) -> int | None:
        """The first line of a run that is not taken out, by its old number."""
        if first not in self.gone:
            return first
        return self.gone.stop if self.gone.stop <= last else None
