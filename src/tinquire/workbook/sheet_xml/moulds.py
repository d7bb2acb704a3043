"""Moulds: the bytes of a small part with a slot for each value of some of its cells.

A part that is filled in the same cells again and again differs in their values alone: all else is put together once.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from operator import itemgetter
from typing import NamedTuple, TypeAlias

import numpy as np

from tinquire.cells.address import MAX_COLUMN, area_name, column_name, column_number
from tinquire.cells.column import Column, Kind, texts_at
from tinquire.packages.raw_xml import ATTRIBUTE, Unusual, sheet_data
from tinquire.packages.xml import escape_formula, escape_text
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.grid.sheet import Formula, Sheet
from tinquire.workbook.sheet_xml.cell_values import stored_value
from tinquire.workbook.sheet_xml.row_writer import PlacesOf, number_texts

__all__ = ["PARTS", "Marked", "Mould", "make_mould", "value_texts"]

#: An attribute; a row's tag, and a cell with its formula, if it has one.
_ATTRIBUTES = rb'(?: [A-Za-z:]+="[^"<>]*")*'
_ROW = re.compile(rb'<row r="([1-9][0-9]{0,6})"(%s)(/?)>' % _ATTRIBUTES)
_CELL = re.compile(
    rb'<c r="([A-Z]{1,3})([1-9][0-9]{0,6})"(%s)(?:/>|>((?:<f%s(?:/>|>[^<]*</f>))?)'
    rb"(?:<v>[^<]*</v>|<is><t(?: [^<>]*)?>[^<]*</t></is>)?</c>)" % (_ATTRIBUTES, _ATTRIBUTES)
)
_ONLY_LOOK = re.compile(rb'(?: s="[0-9]+")?(?: t="[A-Za-z]+")?')
#: Parts that are kept in mind: a file's sheets, of the file that is filled most.
PARTS = 16


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


@lru_cache(PARTS)
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


#: What stands for a value where it goes: no part holds it.
_SLOT = b"\0"
#: What a cell becomes: its look and form as attributes, its formula's markup (None to keep what stands there), and its
#: value's, with a slot.
_New: TypeAlias = tuple[bytes, bytes | None, bytes]


class Marked(NamedTuple):
    """The changed cells of one column, all but their values: rows, styles, kinds, formula numbers and whether the
    formulas were set, as the bytes of arrays; and the formulas of these numbers, rising. Where but results change,
    all cells with formulas are looked at, and those that are as they were keep what they have."""

    column: int
    rows: bytes
    styles: bytes
    kinds: bytes
    numbers: bytes
    formulas_set: bytes
    formulas: tuple[Formula, ...]
    widened: bool

    @classmethod
    def of(
        cls, sheet: Sheet, column: int, rows: bytes, formulas_set: bytes, cells: Cells, *, widened: bool = False
    ) -> Marked:
        numbers = cells.formulas.tobytes()
        used = () if _has_none(numbers) else sorted(set(cells.formulas.tolist()) - {NO_FORMULA})
        return cls(
            column, rows, cells.styles.tobytes(), cells.kinds.tobytes(), numbers, formulas_set,
            tuple([sheet.formulas[number] for number in used]), widened,
        )  # fmt: skip

    def cells(self) -> Iterator[tuple[int, _New]]:
        """What becomes of each cell, by its row."""
        numbers = np.frombuffer(self.numbers, np.int32).tolist()
        formula_of = dict(zip(sorted(set(numbers) - {NO_FORMULA}), self.formulas, strict=True))
        styles = np.frombuffer(self.styles, np.int32).tolist()
        lists = (np.frombuffer(self.rows, np.int32).tolist(), styles, self.kinds, numbers, self.formulas_set)
        for row, style, kind, number, is_set in zip(*lists, strict=True):
            formula = formula_of.get(number)
            form = _FORMULA_FORMS[kind] if formula is not None else _FORMS[kind]
            look = b' s="%d"' % style if style else b""
            markup = b"" if is_set else None
            if formula is not None and is_set:
                area = b' t="array" ref="%s"' % area_name(formula.array).encode() if formula.array else b""
                markup = b"<f%s>%s</f>" % (area, escape_formula(text_at(formula, row, self.column)).encode())
            yield row, (look + form, markup, b"" if kind == Kind.BLANK else b"<v>%s</v>" % _SLOT)


def _has_none(numbers: bytes) -> bool:
    """Whether all numbers of formulas, as the bytes of an array, say that there is none."""
    return numbers == _NONE * (len(numbers) // len(_NONE))


_NONE = np.array([NO_FORMULA], np.int32).tobytes()

#: By kind the attribute of a value's form (18.18.11), and that of a formula's result.
_FORMS = (b"", b"", b' t="s"', b' t="b"', b' t="e"')
_FORMULA_FORMS = (b"", b"", b' t="str"', b' t="b"', b' t="e"')


@dataclass(frozen=True, slots=True)
class Mould:
    """A part with slots for values, as the form of a text, and what takes the values of all slots from those of the
    columns.

    Of columns that were widened, by their places, what stands in the part in place of each value; None where it is
    something else or spelled in another way. `fits` says whether their cells without a value are as they stand in it.
    """

    form: str
    in_order: Callable[[list[str]], tuple[str, ...]]
    standing: dict[int, list[str | None]]
    fits: bool

    @classmethod
    def of(cls, data: bytes, order: list[int], standing: dict[int, list[str | None]], fits: bool) -> Mould:
        """A mould of bytes with slots, and the place among the columns' values of that which goes into each slot.
        Raises Unusual for bytes that are no UTF-8."""
        try:
            form = data.decode().replace("%", "%%").replace(_SLOT.decode(), "%s")
        except UnicodeDecodeError:
            raise Unusual from None
        # Of one place a getter gives the value itself, and of none there is no getter.
        return cls(form, itemgetter(*order) if len(order) > 1 else tuple, standing, fits)

    def kept(self, place: int, fresh: list[str], is_changed: list[bool]) -> list[str] | None:
        """The values of the widened column at a place: of cells that changed the fresh ones, of others those that stand
        in the part, as they are spelled there. None where one cannot be left as it stands."""
        kept = [text if new else old for new, text, old in zip(is_changed, fresh, self.standing[place], strict=True)]
        return None if None in kept else kept  # type: ignore[return-value]

    def filled(self, texts: list[str]) -> bytes:
        """The bytes with the values of the columns."""
        return (self.form % self.in_order(texts)).encode()


def make_mould(data: bytes, marked: tuple[Marked, ...]) -> Mould:
    """The mould of a part in which some cells are set, column by column. Raises Unusual."""
    if _SLOT in data:
        raise Unusual
    rows = _rows_of(data)
    wanted: dict[int, dict[int, _New]] = defaultdict(dict)
    slots: dict[tuple[int, int], int] = {}
    standing: dict[int, list[str | None]] = defaultdict(list)
    fits = True
    for place, column in enumerate(marked):
        for number, new in column.cells():
            wanted[number][column.column] = new
            if new[2]:
                slots[number, column.column] = len(slots)
            if column.widened:
                text = _standing(rows.known.get(number), column.column, new)
                fits &= bool(new[2]) or text is not None
                if new[2]:
                    standing[place].append(text)
    pieces: list[bytes] = []
    at = 0
    for number in sorted(wanted):
        row = rows.known.get(number)
        if row is None:
            start = rows.place_before(number)
            pieces += (data[at:start], b'<row r="%d">' % number, *_fresh(wanted[number], number), b"</row>")
            at = start
        else:
            pieces += (data[at : row.start], *_changed_row(row, wanted[number]))
            at = row.end
    pieces.append(data[at:])
    return Mould.of(b"".join(pieces), [slots[cell] for cell in sorted(slots)], standing, fits)


def _standing(row: _Row | None, column: int, new: _New) -> str | None:
    """What a cell of a part has in the slot of its new markup, or an empty text if that has none; None where it is
    spelled in another way. Raises Unusual."""
    cell = None if row is None else row.cells.get(column)
    if row is None or cell is None:
        return None
    before, slot, after = _markup(column, row.number, new, cell.kept, cell.formula).partition(_SLOT)
    own = row.data[cell.start : cell.end]
    inner = own[len(before) : len(own) - len(after)]
    if own != before + inner + after or b"<" in inner or not inner.isascii() or (inner and not slot):
        return None
    return inner.decode()


def value_texts(values: Column, kinds: bytes, formulas: bytes, places_of: PlacesOf) -> list[str]:
    """The values of cells as they are written, without those of blank ones. `kinds` are theirs, `formulas` the numbers
    of their formulas as the bytes of an array, or nothing where no cell has one."""
    if kinds.count(Kind.NUMBER) == len(kinds):  # as most columns are
        return number_texts(values.numbers)
    if kinds.count(Kind.TEXT) == len(kinds) and _has_none(formulas):
        return list(map(str, places_of(texts_at(values.texts, values.codes))))
    texts = []
    numbers = np.frombuffer(formulas, np.int32).tolist() or [NO_FORMULA] * len(kinds)
    for value, number in zip(values, numbers, strict=True):
        form, stored = stored_value(value, lambda text: places_of([text])[0], formula=number != NO_FORMULA)
        if stored is not None:  # numbers and places have nothing to be escaped
            texts.append(escape_text(stored) if form == "str" else stored)
    return texts


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
