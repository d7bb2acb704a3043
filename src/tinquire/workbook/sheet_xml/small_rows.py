"""A few rows of cells read one after the other: what `fast_rows` gives for them, sooner than arrays are set up.

Each cell of the plain form is found by one look; what does not follow the one before without a gap, or is of another
form, raises `Unusual`, and the rows are looked at as arrays.
"""

from __future__ import annotations

import re
from collections import defaultdict
from functools import lru_cache

import numpy as np

from tinquire.cells.address import MAX_ROW, column_number
from tinquire.cells.column import Kind
from tinquire.packages.raw_xml import Unusual
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.sheet_xml.fast_rows import Formulas, OwnTexts, Pending, Piece, RowFormat, attributes

__all__ = ["scan_few"]

_ATTRIBUTES = rb'(?: [A-Za-z][A-Za-z0-9:]*="[^"<>&]*")*'
#: A row's beginning with its number and further attributes, a cell (columns, row, attributes, the formula's tag and
#: text, the value), or a row's end.
_ITEM = re.compile(
    rb'<row r="([1-9][0-9]{0,6})"(%s)(/?)>'
    rb'|<c r="([A-Z]{1,3})([1-9][0-9]{0,6})"(%s)(?:/>|>(?:(<f%s(?:/>|>))(?:([^<>]*)</f>)?)?(?:<v>([^<>]*)</v>)?</c>)'
    rb"|(</row>)" % (_ATTRIBUTES, _ATTRIBUTES, _ATTRIBUTES)
)
#: A number that is as exact as it is spelled, and a place among the shared texts.
_NUMBER = re.compile(rb"[-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][-+]?[0-9]+)?")
_PLACE = re.compile(rb"[0-9]{1,7}")
#: What XML forbids, or changes.
_CONTROL = re.compile(rb"[\x00-\x08\x0b-\x1f]")


@lru_cache(1 << 10)
def _column(letters: bytes) -> int:
    return column_number(letters.decode())


@lru_cache(1 << 10)
def _look(text: bytes) -> tuple[int, str, bool]:
    """Style, form and whether there is metadata, from a cell's attributes after its address. Raises Unusual."""
    given = attributes(text, b"r")
    style, form = given.get(b"s", b"0"), given.get(b"t", b"n")
    if not style.isdigit() or len(style) > 9 or form not in (b"n", b"s", b"str", b"b", b"e", b"d"):
        raise Unusual
    return int(style), form.decode(), given.get(b"cm", b"0") != b"0"


def scan_few(rows: bytes, shared: int) -> Piece:
    """The cells of whole rows, of which `shared` texts may be pointed to, as `scan_piece` gives them. Raises Unusual
    also where that does not."""
    if _CONTROL.search(rows):
        raise Unusual
    try:
        rows.decode()
    except UnicodeDecodeError:
        raise Unusual from None
    return _Few(rows, shared).piece()


class _Few:
    """Cells as they are met, in lists."""

    def __init__(self, body: bytes, shared: int) -> None:
        self.body, self.shared = body, shared
        self.rows: list[int] = []
        self.columns: list[int] = []
        self.kinds: list[int] = []
        self.numbers: list[float] = []
        self.codes: list[int] = []
        self.styles: list[int] = []
        self.marked: list[RowFormat] = []
        self.pending: list[Pending] = []
        self.noted: set[int] = set()
        self.own: list[tuple[int, bytes]] = []
        self.plain: dict[int, list[tuple[int, bytes]]] = defaultdict(list)
        self.others: list[Formulas] = []

    def piece(self) -> Piece:
        at, row = 0, b""
        for match in _ITEM.finditer(self.body):
            start, end = match.span()
            if start != at:
                raise Unusual
            at = end
            number, tail, closed, letters, own_row, look, tag, text, value, row_end = match.groups()
            if letters is not None:
                if own_row != row:
                    raise Unusual
                self.cell(int(row), letters, look, value)
                if tag is not None:
                    self.formula(tag, text)
            elif row_end is not None:
                if not row:
                    raise Unusual
                row = b""
            else:
                if row or int(number) > MAX_ROW:
                    raise Unusual
                self.row(int(number), tail)
                row = b"" if closed else number
        if at != len(self.body) or row:
            raise Unusual
        return self.made()

    def made(self) -> Piece:
        own = [OwnTexts(np.array([cell for cell, _ in self.own]), [text for _, text in self.own])] if self.own else []
        plain = [
            Formulas(column, np.array([cell for cell, _ in cells]), [text for _, text in cells])
            for column, cells in sorted(self.plain.items())
        ]
        return Piece(
            np.array(self.rows, np.int32), np.array(self.columns, np.uint16), np.array(self.kinds, np.uint8),
            np.array(self.numbers, np.float64), np.array(self.codes, np.int32), np.array(self.styles, np.int32),
            np.full(len(self.rows), NO_FORMULA, np.int32), self.marked, self.pending, own, plain, self.others,
            self.noted,
        )  # fmt: skip

    def row(self, number: int, tail: bytes) -> None:
        if not tail:
            return
        given = attributes(tail, b"r")
        height = float(given[b"ht"]) if given.get(b"customHeight") in (b"1", b"true") and b"ht" in given else None
        hidden = given.get(b"hidden") in (b"1", b"true")
        if height is not None or hidden:
            self.marked.append(RowFormat(number, height, hidden))

    def cell(self, row: int, letters: bytes, look: bytes, value: bytes | None) -> None:
        style, form, noted = _look(look)
        cell, kind, number, code = len(self.rows), int(Kind.BLANK), 0.0, 0
        if form == "n" and value is not None:
            kind = int(Kind.NUMBER)
            known = float(value) if _NUMBER.fullmatch(value) else np.inf
            if np.isfinite(known):
                number = known
            else:
                self.pending.append(Pending(cell, "n", value))
        elif form == "s" and value is not None:
            code, kind = int(value) if _PLACE.fullmatch(value) else self.shared, int(Kind.TEXT)
            if code >= self.shared:
                raise Unusual
        elif form == "str" and value is not None:
            self.own.append((cell, value))
        elif form not in ("n", "s"):
            self.pending.append(Pending(cell, form, value))
        if noted:
            self.noted.add(cell)
        self.rows.append(row)
        self.columns.append(_column(letters))
        self.kinds.append(kind)
        self.numbers.append(number)
        self.codes.append(code)
        self.styles.append(style)

    def formula(self, tag: bytes, text: bytes | None) -> None:
        """The formula of the cell met last: by its tag, and its text if it does not close itself."""
        cell = len(self.rows) - 1
        if tag.endswith(b"/>") != (text is None):
            raise Unusual
        if tag == b"<f>":
            self.plain[self.columns[cell]].append((cell, text or b""))
        else:
            self.others.append(Formulas(self.columns[cell], np.array([cell]), [tag + (text or b"")]))
