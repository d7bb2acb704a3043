"""The changed cells of a small part put into its bytes.

What `cell_patch` does, for parts of the plainest spelling, straight from the sheet's columns; of a part that is filled
again and again, with what was found in it before.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TypeAlias

from tinquire.cells.address import MAX_COLUMN, area_name, column_name, column_number
from tinquire.cells.column import Booleans, Codes, Column, Kind
from tinquire.packages.raw_xml import ATTRIBUTE, Unusual, sheet_data
from tinquire.packages.xml import escape_formula, escape_text
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import NO_FORMULA, Cells, Sheet
from tinquire.workbook.sheet_xml.cell_values import stored_value
from tinquire.workbook.sheet_xml.row_writer import number_text

__all__ = ["splice_changed"]

#: An attribute; a row's tag, and a cell with its formula, if it has one.
_ATTRIBUTES = rb'(?: [A-Za-z:]+="[^"<>]*")*'
_ROW = re.compile(rb'<row r="([1-9][0-9]{0,6})"(%s)(/?)>' % _ATTRIBUTES)
_CELL = re.compile(
    rb'<c r="([A-Z]{1,3})([1-9][0-9]{0,6})"(%s)(?:/>|>((?:<f%s(?:/>|>[^<]*</f>))?)'
    rb"(?:<v>[^<]*</v>|<is><t(?: [^<>]*)?>[^<]*</t></is>)?</c>)" % (_ATTRIBUTES, _ATTRIBUTES)
)
_ONLY_LOOK = re.compile(rb'(?: s="[0-9]+")?(?: t="[A-Za-z]+")?')
#: Parts whose rows are kept in mind: a file's sheets, of the file that is filled most.
_PARTS = 16


@dataclass(frozen=True, slots=True)
class _Cell:
    """A cell in the bytes: where it starts and ends, what is kept of its attributes, and its formula's markup."""

    start: int
    end: int
    kept: bytes
    formula: bytes


@dataclass(frozen=True)
class _Row:
    """A row in the bytes: its number, where it starts, what its tag has beside that, whether it closes itself, where
    its cells start and end, and where it ends."""

    data: bytes
    number: int
    start: int
    attributes: bytes
    closed: bool
    inside: int
    inside_end: int
    end: int

    @cached_property
    def cells(self) -> dict[int, _Cell]:
        """The row's cells by their columns. Raises Unusual."""
        found: dict[int, _Cell] = {}
        number, at, last = b"%d" % self.number, self.inside, 0
        for match in _CELL.finditer(self.data, self.inside, self.inside_end):
            letters, row, attributes, formula = match.groups()
            column = column_number(letters.decode())
            if match.start() != at or row != number or column <= last:
                raise Unusual
            kept = b"" if _ONLY_LOOK.fullmatch(attributes) else _kept(attributes, (b"s", b"t"))
            found[column] = _Cell(at, match.end(), kept, formula or b"")
            at, last = match.end(), column
        if at != self.inside_end:
            raise Unusual
        return found

    def opening(self) -> bytes:
        """The row's tag, open and without the hint which columns it spans."""
        return b'<row r="%d"%s>' % (self.number, _kept(self.attributes, (b"spans",)))


def _kept(attributes: bytes, gone: tuple[bytes, ...]) -> bytes:
    return b"".join([b" %s=%s" % pair for pair in ATTRIBUTE.findall(attributes) if pair[0] not in gone])


@dataclass(frozen=True, slots=True)
class _Rows:
    """Where a part's rows lie: their numbers, rising, and they by these; where the last one ends."""

    numbers: list[int]
    known: dict[int, _Row]
    end: int

    def place_before(self, number: int) -> int:
        """Where a row that is not there has to start."""
        after = bisect_right(self.numbers, number)
        return self.known[self.numbers[after]].start if after < len(self.numbers) else self.end


@lru_cache(_PARTS)
def _rows_of(data: bytes) -> _Rows:
    """The rows of a part. Raises Unusual."""
    prefix, element = sheet_data(data)
    if prefix or element.inside is None:
        raise Unusual
    at, end = element.inside
    known: dict[int, _Row] = {}
    last = 0
    while at < end:
        match = _ROW.match(data, at, end)
        if match is None or (number := int(match[1])) <= last:
            raise Unusual
        inside, closed = match.end(), bool(match[3])
        inside_end = inside if closed else data.find(b"</row>", inside, end)
        if inside_end < 0:
            raise Unusual
        stop = inside_end if closed else inside_end + len(b"</row>")
        known[number] = _Row(data, number, at, match[2], closed, inside, inside_end, stop)
        at, last = stop, number
    return _Rows(list(known), known, end)


#: What a cell becomes: its look and form as attributes, its formula's markup (None to keep what stands there), and its
#: value's.
_New: TypeAlias = tuple[bytes, bytes | None, bytes]


def splice_changed(data: bytes, sheet: Sheet, place_of: Callable[[str], int]) -> bytes:
    """The part's bytes with the changed cells of its sheet; `place_of` gives a text's place among the shared ones.

    What comes of it is byte for byte what `patch_cells` gives. Raises Unusual, before it asks for any place, for parts
    that are not in the plain form.
    """
    rows = _rows_of(data)
    changed = sheet.changed.by_column()
    touched = sorted({row for numbers, _ in changed.values() for row in numbers.tolist()})
    for number in touched:
        if (row := rows.known.get(number)) is not None:
            row.cells  # noqa: B018 - what is unusual in it is to be known by now
    wanted: dict[int, dict[int, _New]] = {number: {} for number in touched}
    for column, marks in changed.items():
        for number, new in _new_cells(sheet, column, *marks, place_of):
            wanted[number][column] = new
    pieces: list[bytes] = []
    at = 0
    for number in touched:
        row = rows.known.get(number)
        if row is None:
            start = rows.place_before(number)
            pieces += (data[at:start], b'<row r="%d">' % number, *_fresh(wanted[number], number), b"</row>")
            at = start
        else:
            pieces += (data[at : row.start], *_changed_row(row, wanted[number]))
            at = row.end
    pieces.append(data[at:])
    return b"".join(pieces)


def _new_cells(
    sheet: Sheet, column: int, rows: Codes, formulas_set: Booleans, place_of: Callable[[str], int]
) -> Iterator[tuple[int, _New]]:
    """The changed cells of one column, by their rows."""
    cells = sheet.rows_of(column, rows)
    looks = {style: b' s="%d"' % style if style else b"" for style in set(cells.styles.tolist())}
    dressed = [looks[style] for style in cells.styles.tolist()]
    numbers, fresh = rows.tolist(), formulas_set.tolist()
    has_formulas = bool((cells.formulas != NO_FORMULA).any())
    gone = (b"" if one else None for one in fresh)
    if (cells.kinds == Kind.NUMBER).all() and not (has_formulas and any(fresh)):  # as most columns are
        contents = (b"<v>%s</v>" % number_text(number).encode() for number in cells.numbers.tolist())
        yield from zip(numbers, zip(dressed, gone, contents, strict=True), strict=True)
    elif (cells.kinds == Kind.TEXT).all() and not has_formulas:
        codes = cells.codes.tolist()
        shared = {code: b"<v>%d</v>" % place_of(sheet.texts[code]) for code in dict.fromkeys(codes)}
        texts = (shared[code] for code in codes)
        yield from zip(numbers, zip((look + b' t="s"' for look in dressed), gone, texts, strict=True), strict=True)
    else:
        yield from zip(numbers, _each_cell(sheet, column, numbers, cells, fresh, dressed, place_of), strict=True)


def _each_cell(
    sheet: Sheet, column: int, rows: list[int], cells: Cells, formulas_set: list[bool], dressed: list[bytes],
    place_of: Callable[[str], int],
) -> Iterator[_New]:  # fmt: skip
    """The changed cells of a column in which anything may stand."""
    values = Column(cells.kinds, cells.numbers, cells.codes, sheet.texts)
    for row, value, look, number, fresh in zip(
        rows, values, dressed, cells.formulas.tolist(), formulas_set, strict=True
    ):
        formula = None if number == NO_FORMULA else sheet.formulas[number]
        form, stored = stored_value(value, place_of, formula=formula is not None)
        attributes = look + b' t="%s"' % form.encode() if form else look
        # Numbers and places have nothing to be escaped.
        text = escape_text(stored) if stored is not None and form == "str" else stored
        content = b"" if text is None else b"<v>%s</v>" % text.encode()
        markup = b"" if fresh else None
        if formula is not None and fresh:
            area = b' t="array" ref="%s"' % area_name(formula.array).encode() if formula.array else b""
            markup = b"<f%s>%s</f>" % (area, escape_formula(text_at(formula, row, column)).encode())
        yield attributes, markup, content


def _fresh(cells: Mapping[int, _New], row: int) -> Iterator[bytes]:
    for column, cell in cells.items():
        yield _markup(column, row, cell, b"", b"")


def _markup(column: int, row: int, cell: _New, kept: bytes, formula: bytes) -> bytes:
    """A cell's bytes, with what is kept of one that was there."""
    attributes, fresh, value = cell
    content = (formula if fresh is None else fresh) + value
    if content:
        return b'<c r="%s%d"%s%s>%s</c>' % (_letters(column), row, attributes, kept, content)
    return b'<c r="%s%d"%s%s/>' % (_letters(column), row, attributes, kept)


@lru_cache(1 << 10)
def _letters(column: int) -> bytes:
    return column_name(column).encode()


def _changed_row(row: _Row, cells: Mapping[int, _New]) -> Iterator[bytes]:
    """A row's bytes with some cells set."""
    data, known = row.data, row.cells
    opened = row.closed or (b" spans=" in row.attributes and any(column not in known for column in cells))
    # A row that gets cells needs an open tag, and its hint on which columns it spans may be wrong now.
    yield row.opening() if opened else data[row.start : row.inside]
    at, waiting = row.inside, iter([*known.items(), (MAX_COLUMN + 1, None)])
    column, cell = next(waiting)
    for wanted, new in cells.items():
        while column < wanted:
            column, cell = next(waiting)
        start = row.inside_end if cell is None else cell.start
        yield data[at:start]
        if column == wanted and cell is not None:
            yield _markup(wanted, row.number, new, cell.kept, cell.formula)
            at = cell.end
        else:
            yield _markup(wanted, row.number, new, b"", b"")
            at = start
    yield data[at : row.inside_end]
    yield b"</row>"
