"""Where rows, columns and areas go when rows or columns are inserted or deleted. Pure arithmetic, counted from one."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from typing import Protocol

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area

__all__ = ["Moves", "Removal", "Shift"]


class Moves(Protocol):
    """Lines (rows, or columns) of a sheet that move."""

    @property
    def rows(self) -> bool:
        """Whether the lines are rows."""
        ...

    @property
    def last(self) -> int:
        """The grid's last line."""
        ...

    @property
    def fresh(self) -> range:
        """Lines that are new afterwards."""
        ...

    def line(self, number: int) -> int | None:
        """Where one line goes; None when it is taken out or pushed beyond the grid."""
        ...

    def position(self, number: int) -> int:
        """Where a line goes, or where it would stand if it is taken out."""
        ...

    def span(self, first: int, last: int) -> tuple[int, int] | None:
        """Where a run of lines goes: it grows around what is put in, and shrinks by what is taken out.

        A run over the whole grid stays one.
        """
        ...

    def area(self, area: Area) -> Area | None:
        """Where an area goes; None when nothing of it is left."""
        ...

    def cuts(self, area: Area) -> bool:
        """Whether an area would be torn: lines come into it, or some of its lines go and others stay."""
        ...

    def survivor(self, first: int, last: int) -> int | None:
        """The first line of a run that is not taken out, by its old number."""
        ...


def _shift_area(moves: Moves, area: Area) -> Area | None:
    if moves.rows:
        span = moves.span(area.top, area.bottom)
        return span and Area(span[0], area.left, span[1], area.right)
    span = moves.span(area.left, area.right)
    return span and Area(area.top, span[0], area.bottom, span[1])


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
        return MAX_ROW if self.rows else MAX_COLUMN

    @property
    def fresh(self) -> range:
        return range(self.at, self.at + max(self.count, 0))

    @property
    def gone(self) -> range:
        """The lines that are taken out."""
        return range(self.at, self.at - min(self.count, 0))

    def line(self, number: int) -> int | None:
        if number < self.at:
            return number
        if number in self.gone:
            return None
        moved = number + self.count
        return moved if moved <= self.last else None

    def position(self, number: int) -> int:
        moved = self.line(number)
        return self.at if moved is None else moved

    def span(self, first: int, last: int) -> tuple[int, int] | None:
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
        return _shift_area(self, area)

    def cuts(self, area: Area) -> bool:
        first, last = (area.top, area.bottom) if self.rows else (area.left, area.right)
        if self.count > 0:
            return first < self.at <= last
        gone = self.gone
        return any(line in gone for line in (first, last)) != all(line in gone for line in (first, last)) or (
            first < self.at and last >= gone.stop
        )

    def survivor(self, first: int, last: int) -> int | None:
        if first not in self.gone:
            return first
        return self.gone.stop if self.gone.stop <= last else None


@dataclass(frozen=True, slots=True)
class Removal:
    """Any lines taken out at once: their numbers, ascending, each once."""

    lines: tuple[int, ...]
    rows: bool = True

    @property
    def last(self) -> int:
        return MAX_ROW if self.rows else MAX_COLUMN

    @property
    def fresh(self) -> range:
        return range(0)

    def _gone_before(self, number: int) -> int:
        return bisect_left(self.lines, number)

    def _is_gone(self, number: int) -> bool:
        index = self._gone_before(number)
        return index < len(self.lines) and self.lines[index] == number

    def line(self, number: int) -> int | None:
        return None if self._is_gone(number) else number - self._gone_before(number)

    def position(self, number: int) -> int:
        return number - self._gone_before(number)

    def span(self, first: int, last: int) -> tuple[int, int] | None:
        if first == 1 and last == self.last:
            return first, last
        left = last - first + 1 - (self._gone_before(last + 1) - self._gone_before(first))
        start = first - self._gone_before(first)
        return (start, start + left - 1) if left else None

    def area(self, area: Area) -> Area | None:
        return _shift_area(self, area)

    def cuts(self, area: Area) -> bool:
        first, last = (area.top, area.bottom) if self.rows else (area.left, area.right)
        gone = self._gone_before(last + 1) - self._gone_before(first)
        return 0 < gone < last - first + 1

    def survivor(self, first: int, last: int) -> int | None:
        while first <= last and self._is_gone(first):
            first += 1
        return first if first <= last else None
