"""What a sheet holds, told without reading its cells: used area, counts, and the first rows."""

from __future__ import annotations

import re
from dataclasses import dataclass

from tinquire.cells.address import Area, column_number
from tinquire.cells.column import Kind
from tinquire.workbook.book import Workbook
from tinquire.workbook.elements import Unusual, has_formula, sheet_data
from tinquire.workbook.reading import read_sheet
from tinquire.workbook.sheet import Sheet
from tinquire.workbook.strings import items_of, text_of

__all__ = ["Overview", "overview"]

#: What a cell's content ends with: a value, a formula without one, an inline text.
_CONTENT_ENDS = frozenset({b"</v>", b"</f>", b"/is>"})
_ROW = re.compile(rb"<row\b[^<>]*?\sr=\"([0-9]+)\"")
_SHARED = re.compile(rb"t=\"s\"[^<>]*><v>([0-9]+)</v>")
_LETTERS = re.compile(rb"[A-Z]+")


@dataclass(frozen=True, slots=True)
class Overview:
    """A sheet's used area, how many formulas and errors it has, and its first rows as a sheet of their own."""

    used: Area | None
    formulas: int
    errors: int
    first: Sheet


def overview(book: Workbook, name: str, rows: int) -> Overview:
    """Tell what a sheet holds, with its first `rows` used rows; its details may be asked for next.

    Raises: DataError and AccessError as `sheet` does.

    A sheet of plain spelling is only looked through, its cells taken to stand in their order within a row (as
    18.3.1.73 asks); any other is read.
    """
    entry = book.entry(name)
    if entry is not None and entry.loaded is None and entry.part is not None and book.package.has(entry.part):
        try:
            return _Looking(book, entry.name, book.package.read(entry.part, again=True)).overview(rows)
        except (Unusual, ValueError):
            pass
    sheet = book.sheet(name)
    errors = sum(int((cells.kinds == Kind.ERROR).sum()) for cells in sheet.columns.values())
    return Overview(sheet.used, sheet.formula_count(), errors, sheet)


class _Looking:
    def __init__(self, book: Workbook, name: str, data: bytes) -> None:
        """Raises Unusual for a part that is not of the plain spelling."""
        self.book = book
        self.name = name
        self.data = data
        prefix, cells = sheet_data(data)
        self.start, self.end = cells.inside or (cells.start, cells.start)
        self.body = data[self.start : self.end]
        if prefix or b'tr"/>' in self.body:  # an empty text is a text
            raise Unusual

    def overview(self, rows: int) -> Overview:
        chunks = self.body.split(b"</row>")
        if b"<c" in chunks.pop():
            raise Unusual
        firsts, lasts, endings = set(), set(), set()
        filled = []
        for place, chunk in enumerate(chunks):
            end = chunk.rfind(b"</c>")
            if end < 0:
                continue
            filled.append(place)
            start = chunk.find(b"</c>")
            # Between its start and its end a cell holds no other: then these are the row's first and last with content.
            first, last = chunk.rfind(b"<c", 0, start), chunk.rfind(b"<c", 0, end)
            firsts.add(chunk[first : first + 9])
            lasts.add(chunk[last : last + 9])
            endings.add(chunk[start - 5 : start] + chunk[end - 5 : end])
        if not filled:
            return Overview(None, 0, 0, Sheet(self.name))
        ends = {ending[:5] for ending in endings} | {ending[5:] for ending in endings}
        if any(ending[:1] == b">" or ending[1:] not in _CONTENT_ENDS for ending in ends):
            raise Unusual  # a cell that is closed and yet blank
        numbers = [_number(chunks[place]) for place in (0, filled[0], filled[-1], -1)]
        if numbers != sorted(numbers):
            raise Unusual
        used = Area(numbers[1], min(map(_column, firsts)), numbers[2], max(map(_column, lasts)))
        shown = [chunk for chunk in chunks[filled[0] : filled[0] + rows] if _number(chunk) < used.top + rows]
        return Overview(used, self._formulas(), self.body.count(b't="e"'), self._read(shown))

    def _formulas(self) -> int:
        return sum(map(self.body.count, (b"<f>", b"<f ", b"<f/>"))) if has_formula(self.body) else 0

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
        return read_sheet(self.name, data, texts, self.book.date_system, self.book.name)


def _number(chunk: bytes) -> int:
    found = _ROW.match(chunk, max(chunk.rfind(b"<row"), 0))
    if found is None:
        raise Unusual
    return int(found[1])


def _column(letters: bytes) -> int:
    found = _LETTERS.match(letters, 6) if letters.startswith(b'<c r="') else None
    if found is None:
        raise Unusual
    return column_number(found[0].decode())
