"""Which cells a workbook's programs and scattered cells read of each other, without expanding long runs to cells."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Codes
from tinquire.formula.engine.operands import Span
from tinquire.workbook.calc.column_formulas import Program, Read
from tinquire.workbook.calc.forms import Scatter

__all__ = ["Filled", "TooManyError"]

#: Areas of up to this many cells that move with scattered cells are looked up cell by cell.
_SMALL_AREA = 64
#: More edges than this between single cells are not made.
_MOST_EDGES = 20_000_000

Edges = tuple[Codes, Codes]


class TooManyError(Exception):
    """More edges between cells than memory should hold."""


class Filled:
    """What fills a cell: each program has one number, a scatter has one for each of its cells."""

    def __init__(self, members: Sequence[Program | Scatter]) -> None:
        counts = [len(member) if isinstance(member, Scatter) else 1 for member in members]
        #: The first number of each member, and the end.
        self.bases = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        #: Which member a number belongs to.
        self.member = np.repeat(np.arange(len(members), dtype=np.int32), counts)
        pieces: dict[tuple[str, int], list[tuple[Codes, Codes, Codes]]] = defaultdict(list)
        for base, member in zip(self.bases.tolist(), members, strict=False):
            sheet = member.sheet.casefold()
            if isinstance(member, Scatter):
                numbers = np.arange(base, base + len(member), dtype=np.int32)
                for at in _column_slices(member.columns):
                    rows = member.rows[at]
                    pieces[sheet, int(member.columns[at.start])].append((rows, rows, numbers[at]))
            else:
                area, number = member.area, np.array([base], np.int32)
                edge = np.array([area.top], np.int32), np.array([area.bottom], np.int32), number
                for column in range(area.left, area.right + 1):
                    pieces[sheet, column].append(edge)
        self._columns: dict[tuple[str, int], tuple[Codes, Codes, Codes]] = {}
        self._known: dict[str, list[int]] = defaultdict(list)
        for (sheet, column), parts in pieces.items():
            tops, bottoms, numbers = (np.concatenate(part) for part in zip(*parts, strict=True))
            order = np.argsort(tops, kind="stable")
            self._columns[sheet, column] = tops[order], bottoms[order], numbers[order]
            self._known[sheet].append(column)

    def within(self, sheet: str, area: Area) -> Codes:
        """The numbers of all that fills any cell of an area; some may come twice."""
        sheet = sheet.casefold()
        columns: Iterable[int] = range(area.left, area.right + 1)
        if area.width > len(self._known.get(sheet, ())):
            columns = [column for column in self._known.get(sheet, ()) if area.left <= column <= area.right]
        found = []
        for column in columns:
            held = self._columns.get((sheet, column))
            if held is not None:
                tops, bottoms, numbers = held
                first, last = bottoms.searchsorted(area.top), tops.searchsorted(area.bottom, "right")
                if first < last:
                    found.append(numbers[first:last])
        return np.concatenate(found) if found else np.zeros(0, np.int32)

    def at(self, sheet: str, rows: Codes, columns: Codes) -> Codes:
        """The number of what fills each of some cells, -1 where nothing does."""
        sheet = sheet.casefold()
        result = np.full(len(rows), -1, np.int32)
        low, high = int(columns.min()), int(columns.max())
        if low == high:
            held = self._columns.get((sheet, low))
            return result if held is None else _filled_by(held, rows)
        order = np.argsort(columns, kind="stable")
        ordered = columns[order]
        for at in _column_slices(ordered):
            held = self._columns.get((sheet, int(ordered[at.start])))
            if held is not None:
                lanes = order[at]
                result[lanes] = _filled_by(held, rows[lanes])
        return result

    # -- what is read ----------------------------------------------------------------------------------

    def read_by(self, known: Iterable[Read]) -> Codes:
        """The numbers of what a program or a scatter reads, all of its cells together.

        Where large areas move with scattered cells, some more may be among them.
        """
        found: list[Codes] = []
        for (sheet, whole), span in known:
            moving = self._moving(span) if span.path is not None else [self.within(sheet, whole)]
            found += [numbers[numbers >= 0] for numbers in moving]
        return np.concatenate(found) if found else np.zeros(0, np.int32)

    def _moving(self, span: Span) -> Iterable[Codes]:
        area = span.area
        top, left, bottom, right = span.edges()
        if not span.is_rigid or area.height * area.width > _SMALL_AREA:
            yield self.within(span.sheet, Area(int(top.min()), int(left.min()), int(bottom.max()), int(right.max())))
            return
        for down in range(area.height):
            for across in range(area.width):
                yield self.at(span.sheet, top + down, left + across)

    def edges(self, known: Iterable[Read]) -> Iterable[Edges]:
        """The number of what is read, and the lane of the scatter that reads it; the lane is -1 where all lanes do.

        Raises TooManyError.
        """
        total = 0
        for (sheet, whole), span in known:
            for sources, readers in self._pairs(sheet, whole, span):
                total += len(sources)
                if total > _MOST_EDGES:
                    raise TooManyError
                yield sources, readers

    def _pairs(self, sheet: str, whole: Area, span: Span) -> Iterable[Edges]:
        if span.path is None:
            sources = self.within(sheet, whole)
            yield sources, np.full(len(sources), -1, np.int64)
            return
        lanes = np.arange(len(span.path.rows), dtype=np.int64)
        area = span.area
        top, left, bottom, right = span.edges()
        if span.is_rigid and area.height * area.width <= _SMALL_AREA:
            for down in range(area.height):
                for across in range(area.width):
                    sources = self.at(sheet, top + down, left + across)
                    there = sources >= 0
                    yield sources[there], lanes[there]
            return
        bounds = zip(top.tolist(), left.tolist(), bottom.tolist(), right.tolist(), strict=True)
        for lane, edge in enumerate(bounds):
            sources = self.within(sheet, Area(*edge))
            yield sources, np.full(len(sources), lane, np.int64)


def _column_slices(columns: Codes) -> list[slice]:
    """The runs of equal columns in a sorted list."""
    if columns[0] == columns[-1]:
        return [slice(0, len(columns))]
    bounds = np.flatnonzero(np.concatenate([[True], np.diff(columns) != 0, [True]])).tolist()
    return [slice(first, last) for first, last in pairwise(bounds)]


def _filled_by(held: tuple[Codes, Codes, Codes], rows: Codes) -> Codes:
    tops, bottoms, numbers = held
    at = np.maximum(tops.searchsorted(rows, "right") - 1, 0)
    found: Codes = numbers[at]
    found[(tops[at] > rows) | (bottoms[at] < rows)] = -1
    return found
