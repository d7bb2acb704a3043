"""What a sheet holds, told without reading its cells: used area, counts, and the first rows."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from tinquire.base.parallel import map_in_order
from tinquire.cells.address import Area, cell_name, column_number
from tinquire.cells.column import Booleans, Codes, Kind
from tinquire.packages.raw_xml import Unusual, has_formula, sheet_data
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.inspect.contents import BookDetails, SheetDetails
from tinquire.workbook.parts.shared_strings import items_of, text_of
from tinquire.workbook.sheet_xml.reader import read_sheet
from tinquire.workbook.workbook import Workbook

__all__ = ["Overview", "SheetSummary", "overview", "summarise"]

#: What a cell's content ends with: a value, a formula without one, an inline text.
_CONTENT_ENDS = frozenset({b"</v>", b"</f>", b"/is>"})
#: A row's and its first cell's tag are within this many bytes, and so is the last cell with its value.
_WINDOW = 64
_ROW = re.compile(rb"<row\b[^<>]*?\sr=\"([0-9]+)\"")
_SHARED = re.compile(rb"t=\"s\"[^<>]*><v>([0-9]+)</v>")
_CELL = re.compile(rb"<c\b[^<>]*?\sr=\"([A-Z]+[0-9]+)\"")
#: So many cells in error are named.
MOST_ERRORS = 12
_LETTERS = re.compile(rb"[A-Z]+")


@dataclass(frozen=True, slots=True)
class Overview:
    """A sheet's used area, how many formulas and errors it has, its first rows as a sheet of their own, and the first
    cells in error."""

    used: Area | None
    formulas: int
    errors: int
    first: Sheet
    in_error: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class SheetSummary:
    """What is told of one sheet: its cells in short, and what lies beside them (None for a sheet in no part yet)."""

    name: str
    cells: Overview
    beside: SheetDetails | None


def summarise(book: Workbook, names: Iterable[str], rows: int) -> Iterator[SheetSummary]:
    """Tell what sheets hold, each with its first `rows` used rows, two at a time; a part is unpacked once.

    Raises: DataError and AccessError as `Workbook.sheet` does.
    """
    details = BookDetails(book)

    def look(name: str) -> SheetSummary:
        data = _part(book, name)
        cells = overview(book, name, rows, data)
        return SheetSummary(name, cells, None if data is None else details.sheet(name, data))

    yield from map_in_order(look, names)


def _part(book: Workbook, name: str) -> bytes | None:
    entry = book.entry(name)
    known = entry is not None and entry.part is not None and book.package.has(entry.part)
    return book.package.read(entry.part) if known and entry is not None and entry.part is not None else None


def overview(book: Workbook, name: str, rows: int, data: bytes | None = None) -> Overview:
    """Tell what a sheet holds, with its first `rows` used rows; `data` are its part's bytes, if already loaded.

    Raises: DataError and AccessError as `Workbook.sheet` does.

    A sheet of plain spelling is only looked through, its cells taken to be in order within a row (as
    18.3.1.73 asks); any other is read.
    """
    entry = book.entry(name)
    if entry is not None and entry.loaded is None and (data := data or _part(book, name)) is not None:
        try:
            return _SummaryReader(book, entry.name, data).overview(rows)
        except (Unusual, ValueError):
            pass
    sheet = book.sheet(name)
    errors = sorted(
        (row, number)
        for number, cells in sheet.columns.items()
        for row in cells.rows[cells.kinds == Kind.ERROR].tolist()
    )
    named = tuple(cell_name(*cell) for cell in errors[:MOST_ERRORS])
    return Overview(sheet.used, sheet.formula_count(), len(errors), sheet, named)


class _SummaryReader:
    def __init__(self, book: Workbook, name: str, data: bytes) -> None:
        """Raises Unusual for a part that is not of the plain spelling."""
        self.book = book
        self.name = name
        self.data = data
        prefix, cells = sheet_data(data)
        self.start, self.end = cells.inside or (cells.start, cells.start)
        self.array = np.frombuffer(data, np.uint8)
        if prefix or data.find(b'tr"/>', self.start, self.end) >= 0:  # an empty text is a text
            raise Unusual

    def overview(self, rows: int) -> Overview:
        opens, closes = self._row_tags()
        first, last, plain = self._plain_rows(opens, closes)
        odd = [self._odd_row(int(opens[row]), int(closes[row])) for row in np.flatnonzero(~plain).tolist()]
        filled = plain.copy()
        filled[~plain] = [columns is not None for columns in odd]
        at = np.flatnonzero(filled)
        if not len(at):
            return Overview(None, 0, 0, Sheet(self.name))
        ends = [columns for columns in odd if columns is not None]
        left = min([_column(item) for item in _distinct(first[plain])] + [columns[0] for columns in ends])
        right = max([_column(item) for item in _distinct(last[plain])] + [columns[1] for columns in ends])
        numbers = [self._number(int(opens[row])) for row in (0, at[0], at[-1], -1)]
        if numbers != sorted(numbers):
            raise Unusual
        used = Area(numbers[1], left, numbers[2], right)
        chunks = [(int(opens[row]), int(closes[row])) for row in range(at[0], min(at[0] + rows, len(opens)))]
        shown = [self.data[start:stop] for start, stop in chunks if self._number(start) < used.top + rows]
        errors = self._count(b't="e"')
        named = tuple(self._in_error()) if errors else ()
        return Overview(used, self._formulas(), errors, self._read(shown), named)

    def _in_error(self) -> Iterator[str]:
        """The first cells in error."""
        position = self.start
        for _ in range(MOST_ERRORS):
            position = self.data.find(b't="e"', position, self.end)
            if position < 0:
                return
            match = _CELL.match(self.data, self.data.rfind(b"<c", self.start, position))
            if match is None:
                raise Unusual
            yield match[1].decode()
            position += 1

    def _row_tags(self) -> tuple[Codes, Codes]:
        """Where rows begin, and where the tags that close them do: the letter w stands in no other tag."""
        array = self.array
        letters = np.flatnonzero(array[self.start : self.end] == ord("w")) + self.start
        letters = letters[(array[letters - 1] == ord("o")) & (array[letters - 2] == ord("r"))]
        closes = letters[(array[letters - 3] == ord("/")) & (array[letters - 4] == ord("<"))] - 4
        opens = letters[array[letters - 3] == ord("<")] - 3
        if b"<c" in self.data[closes[-1] if len(closes) else self.start : self.end]:
            raise Unusual  # cells after the last row, or none of the rows is closed
        return opens[np.searchsorted(opens, closes) - 1] if len(opens) else opens[:0], closes[
            : len(closes) * bool(len(opens))
        ]

    def _plain_rows(self, opens: Codes, closes: Codes) -> tuple[Codes, Codes, Booleans]:
        """The first nine bytes of the first and the last cell of every row, and which rows are so plain that these are
        the first and last with content: a value after the first tag, and one before the last."""
        array, shift = self.array, 0
        if not len(opens) or closes[0] < _WINDOW or opens[-1] + _WINDOW > len(array):
            padding = np.zeros(_WINDOW, np.uint8)
            array, shift = np.concatenate([padding, array, padding]), _WINDOW
        windows = sliding_window_view(array, _WINDOW)
        head = windows[opens + shift]
        is_end = head == ord(">")
        row_end = is_end.argmax(axis=1)
        is_end[np.arange(len(opens)), row_end] = False
        cell_end = is_end.argmax(axis=1)
        behind = np.minimum(cell_end[:, None] + np.arange(-1, 5), _WINDOW - 1)
        after = np.take_along_axis(head, behind, axis=1)
        plain = (row_end > 0) & (cell_end > 0) & (cell_end < _WINDOW - 5) & (opens + cell_end < closes)
        plain &= (after[:, 0] != ord("/")) & (after[:, 2:5] == _bytes(b"<v>")).all(axis=1) & (after[:, 5] != ord("<"))
        starts = np.minimum(row_end[:, None] + 1 + np.arange(9), _WINDOW - 1)
        first = np.take_along_axis(head, starts, axis=1)
        tail = windows[closes + shift - _WINDOW]
        plain &= (tail[:, -8:] == _bytes(b"</v></c>")).all(axis=1) & (tail[:, -9] != ord(">"))
        begins = (tail[:, :-9] == ord("<")) & (tail[:, 1:-8] == ord("c"))
        position = begins.shape[1] - 1 - begins[:, ::-1].argmax(axis=1)
        plain &= begins.any(axis=1)
        last = np.take_along_axis(tail, position[:, None] + np.arange(9), axis=1)
        return first, last, plain

    def _odd_row(self, start: int, stop: int) -> tuple[int, int] | None:
        """The first and last column with content of one row; None when there is none."""
        chunk = self.data[start:stop]
        end = chunk.rfind(b"</c>")
        if end < 0:
            return None
        begin = chunk.find(b"</c>")
        for ending in (chunk[begin - 5 : begin], chunk[end - 5 : end]):
            if ending[:1] == b">" or ending[1:] not in _CONTENT_ENDS:
                raise Unusual  # a cell that is closed and yet blank
        first, last = chunk.rfind(b"<c", 0, begin), chunk.rfind(b"<c", 0, end)
        return _column(chunk[first : first + 9]), _column(chunk[last : last + 9])

    def _number(self, start: int) -> int:
        match = _ROW.match(self.data, start)
        if match is None:
            raise Unusual
        return int(match[1])

    def _formulas(self) -> int:
        if not has_formula(self.data):
            return 0
        return sum(map(self._count, (b"<f>", b"<f ", b"<f/>")))

    def _count(self, text: bytes) -> int:
        return self.data.count(text, self.start, self.end)

    def _read(self, chunks: list[bytes]) -> Sheet:
        """The first rows, with those of the shared texts that they show."""
        body = b"".join(chunk + b"</row>" for chunk in chunks)
        codes = set(map(int, _SHARED.findall(body)))
        texts: list[str] = []
        if codes:
            items = items_of(self.book.shared_part())
            texts = [""] * len(items)
            for code in codes:
                if code >= len(items):
                    raise Unusual
                texts[code] = text_of(items[code])
        data = self.data[: self.start] + body + self.data[self.end :]
        return read_sheet(self.name, lambda: (data,), texts, self.book.date_system, self.book.name)


def _bytes(text: bytes) -> NDArray[np.uint8]:
    return np.frombuffer(text, np.uint8)


def _distinct(names: Codes) -> list[bytes]:
    """The distinct rows of a matrix of bytes; digits after letters make them many, so they are left out."""
    letters = np.where((names >= ord("0")) & (names <= ord("9")), 0, names).astype(np.uint8)
    return np.unique(np.ascontiguousarray(letters).view("S9")).tolist()


def _column(letters: bytes) -> int:
    found = _LETTERS.match(letters, 6) if letters.startswith(b'<c r="') else None
    if found is None:
        raise Unusual
    return column_number(found[0].decode())
