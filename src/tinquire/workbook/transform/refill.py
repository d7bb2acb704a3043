"""A workbook filled again in the same cells: what is the same in every file is worked out with the first.

The plain way sets the cells of a copy, recalculates it and writes what has changed, and looks for all else that might
hang on the values: slots, charts, pivots, queries. Where nothing does, the parts of two files differ in values alone,
and a file is its values in the moulds of its parts. What comes of it is byte for byte what comes of the plain way;
whatever cannot be told to come out so is left to that.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from tinquire.cells.column import Codes, Column, Kind, texts_at
from tinquire.packages.raw_xml import Unusual
from tinquire.workbook.calc.again import SteadyFormulas
from tinquire.workbook.calc.stored_values import has_charts, refresh_chart_parts
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.parts.shared_strings import SharedStrings
from tinquire.workbook.pivots.caches import caches_of
from tinquire.workbook.sheet_xml.changed_part import LARGE_PART, MANY_CELLS
from tinquire.workbook.sheet_xml.moulds import Marked, Mould, make_mould, value_texts
from tinquire.workbook.transform.fill_texts import may_have_slots
from tinquire.workbook.workbook import Workbook

__all__ = ["Refill", "Run"]

_OPENED = "[:"
#: Parts of half the size at which others are written in other ways stay below that while they are filled.
_PART = LARGE_PART // 2
#: So many moulds of a part are kept, one for each way in which its values are numbers and texts.
_MOULDS = 16


class Run(NamedTuple):
    """Cells below each other that get values in every file: so many of a sheet's column, from a row on. They have no
    formulas, and keep their looks."""

    sheet: str
    column: int
    top: int
    height: int


@dataclass(frozen=True, slots=True)
class _Segment:
    """Cells of one column that a file sets: a run, by its number, or (None) all results of the column's formulas."""

    column: int
    rows: Codes
    run: int | None
    #: The rows as the bytes of an array, and as many times no.
    spelled: tuple[bytes, bytes]

    @classmethod
    def of(cls, column: int, rows: Codes, run: int | None) -> _Segment:
        rows = np.asarray(rows, np.int32)
        return cls(column, rows, run, (rows.tobytes(), bytes(len(rows))))


@dataclass
class _Part:
    """The part of a sheet in which cells are set, and its moulds by the kinds of all of them."""

    name: str
    data: bytes
    sheet: Sheet
    segments: list[_Segment]
    moulds: dict[bytes, Mould] = field(default_factory=dict)

    def filled(self, kinds: Sequence[bytes], texts: Sequence[list[str]], strings: SharedStrings) -> bytes | None:
        """The part with the values of runs, and with the results that its sheet has now; its own bytes where nothing
        changes. None where a result that stays is spelled as we would not. Raises Unusual."""
        changed = self.sheet.changed.by_column()
        if not changed and all(segment.run is None for segment in self.segments):
            return self.data
        found = [
            None if segment.run is not None else self.sheet.rows_of(segment.column, segment.rows)
            for segment in self.segments
        ]
        own = [
            kinds[segment.run] if cells is None else cells.kinds.tobytes()  # type: ignore[index]
            for segment, cells in zip(self.segments, found, strict=True)
        ]
        mould = self._mould(own)
        if not mould.fits:
            return None
        values: list[str] = []
        for place, (segment, cells) in enumerate(zip(self.segments, found, strict=True)):
            if cells is None:
                values += texts[segment.run]  # type: ignore[index]
                continue
            results = Column(cells.kinds, cells.numbers, cells.codes, self.sheet.texts)
            fresh: list[str] | None = value_texts(results, own[place], cells.formulas.tobytes(), strings.places_of)
            rows = changed[segment.column][0] if segment.column in changed else ()
            if len(rows) < len(segment.rows):
                is_changed = np.isin(segment.rows, rows)[cells.kinds != Kind.BLANK].tolist()
                fresh = mould.kept(place, fresh or [], is_changed)
            if fresh is None:
                return None
            values += fresh
        return mould.filled(values)

    def _mould(self, kinds: Sequence[bytes]) -> Mould:
        known = self.moulds.get(key := b"".join(kinds))
        if known is None:
            marked = []
            for segment, own in zip(self.segments, kinds, strict=True):
                cells = self.sheet.rows_of(segment.column, segment.rows)
                cells.kinds = np.frombuffer(own, np.uint8)
                is_widened = segment.run is None
                marked.append(Marked.of(self.sheet, segment.column, *segment.spelled, cells, widened=is_widened))
            while len(self.moulds) >= _MOULDS:
                del self.moulds[next(iter(self.moulds))]
            known = self.moulds[key] = make_mould(self.data, tuple(marked))
        return known


class Refill:
    """A workbook of which only the values of some cells, and the results that read them, are others in each file."""

    def __init__(self, book: Workbook, runs: Sequence[Run], formulas: SteadyFormulas, strings: SharedStrings) -> None:
        self.book = book
        self._runs, self._formulas, self._strings, self._package = runs, formulas, strings, book.package
        self._has_charts = has_charts(book)
        self._parts = list(_parts_of(book, runs))
        self._pools = [(sheet, len(sheet.texts)) for sheet in book.sheets()]
        #: The runs that formulas read, or charts may read.
        self._read = [
            number for number, run in enumerate(runs) if self._has_charts or formulas.read(run.sheet, run.column)
        ]
        #: Whether a value may be a slot's text that the shared texts hold already.
        self._has_slots = any(_OPENED in text for text in strings.texts)
        #: The runs as they are written, which gives new texts their places.
        self._in_order = [segment.run for part in self._parts for segment in part.segments if segment.run is not None]
        self._kinds: list[bytes] = []
        self._texts: list[list[str]] = [[]] * len(runs)
        self._own = strings

    @classmethod
    def of(cls, book: Workbook, runs: Sequence[Run]) -> Refill | None:
        """The workbook, to be filled in some runs of cells, and changed by nobody else; None where more than results
        may hang on them. Raises ValueError and AccessError for damage."""
        if book.connections_part or book.strings_part is None or any(True for _ in caches_of(book)):
            return None
        if may_have_slots(book) or not all(_is_there(book, run) for run in runs):
            return None
        formulas = SteadyFormulas.of(book)
        if formulas is None:
            return None
        book.settle()
        book.write_shared()
        strings = book.strings.copy()
        with suppress(Unusual):
            made = cls(book, runs, formulas, strings)
            if all(made._is_small(part) for part in made._parts):
                return made
        return None

    def _is_small(self, part: _Part) -> bool:
        """Whether a part is plain, and small enough to be written cell by cell. Raises Unusual."""
        make_mould(part.data, ())
        return len(part.data) < _PART and sum(len(segment.rows) for segment in part.segments) < MANY_CELLS

    def set(self, values: Sequence[Column], now: float) -> bool:
        """Set the values of all runs, and work out the results; `now` is the serial of the moment. False where one is
        in error, or a value has a slot."""
        strings = self._own = self._strings.copy()
        known = len(strings.texts)
        self._kinds = [column.kinds.tobytes() for column in values]
        for number in self._in_order:
            self._texts[number] = value_texts(values[number], self._kinds[number], b"", strings.places_of)
        fresh = strings.texts[known:]
        if self._has_slots:
            fresh += [text for column in values if len(column.texts) for text in texts_at(column.texts, column.codes)]
        if _OPENED in "\0".join(fresh):
            return False
        for sheet, count in self._pools:
            sheet.forget_texts(count)
        for number in self._read:
            run = self._runs[number]
            self.book.sheet(run.sheet).store_beside(run.top, {run.column: values[number]})
        for sheet, _ in self._pools:
            sheet.changed.clear()
        return self._formulas.run(now) is not None

    def to_bytes(self) -> bytes | None:
        """The file with the values that were set; None where the plain way has to write it."""
        package = self.book.package = self._package.copy()
        for part in self._parts:
            try:
                data = part.filled(self._kinds, self._texts, self._own)
            except Unusual:
                return None
            if data is None or len(data) >= _PART:
                return None
            if data is not part.data:
                package.put(part.name, data)
        if self._own.changed:
            assert self.book.strings_part is not None
            package.put(self.book.strings_part, self._own.to_bytes())
        if self._has_charts:
            refresh_chart_parts(self.book)
        return package.to_bytes()


def _is_there(book: Workbook, run: Run) -> bool:
    """Whether a run's cells are there, without formulas."""
    cells = book.sheet(run.sheet).columns.get(run.column)
    if cells is None:
        return False
    at = cells.places(run.top, run.top + run.height - 1)
    return at.stop - at.start == run.height and bool((cells.formulas[at] == NO_FORMULA).all())


def _parts_of(book: Workbook, runs: Sequence[Run]) -> list[_Part]:
    segments: dict[str, list[_Segment]] = defaultdict(list)
    for number, run in enumerate(runs):
        rows = np.arange(run.top, run.top + run.height)
        segments[run.sheet].append(_Segment.of(run.column, rows, number))
    for sheet in book.sheets():
        for column, cells in sheet.columns.items():
            rows = cells.rows[cells.formulas != NO_FORMULA]
            if len(rows):
                segments[sheet.name].append(_Segment.of(column, rows, None))
    found = []
    for entry in book.entries:
        if entry.name in segments and entry.part is not None:
            ordered = sorted(segments[entry.name], key=lambda segment: (segment.column, int(segment.rows[0])))
            found.append(_Part(entry.part, book.package.read(entry.part), book.sheet(entry.name), ordered))
    return found
