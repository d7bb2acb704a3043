"""A sheet's part into columns by scanning its bytes as arrays: the fast reader, exact or absent.

The part comes in chunks as it is unpacked. Each is cut after a row's end, and what can be told of whole rows by
looking at bytes is told side by side on two processors, while the next chunk is unpacked (`pieces`). What depends on
what came before (formulas that follow a pattern, texts that are numbered) is then read here, piece after piece in the
order of the file. Whatever is not in the plain form raises `Unusual`, and the careful reader takes the whole sheet.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from tinquire.base.parallel import map_in_order
from tinquire.cells.column import Codes, Kind
from tinquire.formula.language.mentions import DownPattern, can_mislead, down_pattern, relative_form
from tinquire.packages.raw_xml import Unusual, unescape_entities
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.sheet_xml.fast_rows import Pending, Piece, attributes, scan_piece
from tinquire.workbook.sheet_xml.small_rows import scan_few

__all__ = ["CellReading", "Rows", "scan_cells"]

_ROW_END = b"</row>"
_CELLS, _CELLS_END = b"<sheetData>", b"</sheetData>"
#: No row of the plain form is longer, with all its cells.
_LONGEST_ROW = 1 << 25
#: Of so few bytes, cells are read one after the other.
_FEW = 1 << 13
#: How many formulas below each other are compared with their pattern at once: few at first, more while they agree.
_FIRST_RUN, _LONGEST_RUN = 16, 1 << 14
_SHARED = b'<f t="shared"'


@dataclass(frozen=True)
class CellReading:
    """What the scanner asks of its caller, which the careful reader does too.

    `formula(form, text, shared, area, row, column)` keeps a formula and gives its number; `value(form, text, place)`
    gives kind, number and text code of a stored value.
    """

    formula: Callable[[str, str, str, str | None, int, int, bool], int]
    value: Callable[[str, str, str], tuple[int, float, int]]
    #: Height (if set by hand) and whether it is hidden, for rows that have either.
    row: Callable[[int, float | None, bool], None]


class Rows:
    """A sheet's part cut into what stands before its cells, whole rows, and what stands after them."""

    def __init__(self, chunks: Iterable[bytes]) -> None:
        """Raises Unusual when the first chunk does not reach the cells."""
        self._chunks = iter(chunks)
        first = next(self._chunks, b"")
        start = first.find(_CELLS)
        if start < 0:
            raise Unusual
        start += len(_CELLS)
        self.head = first[:start]
        self._rest = first[start:]
        #: Known when all rows have been taken.
        self.tail = b""

    def __iter__(self) -> Iterator[bytes]:
        """Whole rows. Raises Unusual when the cells do not end."""
        rest: bytes | None = self._rest
        self._rest = b""
        held = b""
        while rest is not None:
            held += rest
            if len(held) > _LONGEST_ROW + len(rest):
                raise Unusual
            end = held.find(_CELLS_END, max(len(held) - len(rest) - len(_CELLS_END), 0))
            if end >= 0:
                if end:
                    yield held[:end]
                self.tail = held[end:] + b"".join(self._chunks)
                return
            if cut := held.rfind(_ROW_END) + 1:
                cut += len(_ROW_END) - 1
                yield held[:cut]
                held = held[cut:]
            rest = next(self._chunks, None)
        raise Unusual


@dataclass
class _PieceReader:
    """What is read of pieces in their order, because it depends on those before."""

    asked: CellReading
    formula_tags: dict[bytes, dict[str, str]] = field(default_factory=dict)
    #: For each column the formula that was filled down last, and its number; None for one that was met once.
    patterns: dict[int, tuple[DownPattern | None, int]] = field(default_factory=dict)
    #: The numbers of plain formulas by their relative form, and of members of shared ones by their whole tag.
    forms: dict[tuple[object, ...], int] = field(default_factory=dict)
    members: dict[bytes, int] = field(default_factory=dict)
    #: The numbers of texts in their cells by their markup.
    texts: dict[bytes, int] = field(default_factory=dict)

    def finish(self, piece: Piece) -> Piece:
        for marked in piece.marked:
            self.asked.row(marked.row, marked.height, marked.hidden)
        self.formulas(piece)
        for own in piece.own_texts:
            piece.kinds[own.cells], piece.codes[own.cells] = Kind.TEXT, self.text_numbers(own.texts)
        for pending in piece.pending:
            if pending.form == "inlineStr" and pending.text is not None:
                piece.kinds[pending.cell], piece.codes[pending.cell] = Kind.TEXT, self.inline(pending.text)
            else:
                self.other(piece, pending)
        piece.pending, piece.plain_formulas, piece.own_texts = [], [], []
        return piece

    def formulas(self, piece: Piece) -> None:
        """The numbers of a piece's formulas; those that are not plain may hang on each other, in the cells' order."""
        for other_formula in piece.other_formulas:
            cell, whole = int(other_formula.cells[0]), other_formula.texts[0]
            number = self.members.get(whole)
            if number is None:
                row, noted = int(piece.rows[cell]), cell in piece.noted
                number = self.own_formula(row, other_formula.column, whole, noted=noted)
                if whole.startswith(_SHARED) and whole.endswith(b">") and number != NO_FORMULA:
                    self.members[whole] = number
                elif whole.startswith(_SHARED):  # a group begins, perhaps under a number that was used before
                    self.members.clear()
            piece.formulas[cell] = number
        for run in piece.plain_formulas:
            piece.formulas[run.cells] = self.column_formulas(run.column, piece.rows[run.cells], run.texts)

    def column_formulas(self, column: int, rows: Codes, texts: list[bytes]) -> Codes:
        """The formula numbers of one column's cells, by their texts.

        A formula that is met again in the next cell makes a pattern, by which a whole run is compared at once.
        """
        numbers = np.full(len(rows), NO_FORMULA, np.int32)
        index = 0
        while index < len(texts):
            pattern, last = self.patterns.get(column, (None, NO_FORMULA))
            run = 0 if pattern is None else _run(pattern, rows, texts, index)
            if run:
                numbers[index : index + run] = last
                index += run
                continue
            row, text = int(rows[index]), texts[index].decode()
            numbers[index] = number = self.plain_formula(row, column, text)
            again = number == last != NO_FORMULA and not can_mislead(text)
            self.patterns[column] = (down_pattern(text, row) if again else None, number)
            index += 1
        return numbers

    def plain_formula(self, row: int, column: int, raw: str) -> int:
        """The number of a formula without attributes; cells of one form have one."""
        if can_mislead(raw) or raw != raw.strip():
            return self.own_formula(row, column, b"<f>" + raw.encode())
        form = relative_form(unescape_entities(raw), row, column)
        number = self.forms.get(form)
        if number is None:
            number = self.forms[form] = self.own_formula(row, column, b"<f>" + raw.encode())
        return number

    def own_formula(self, row: int, column: int, whole: bytes, *, noted: bool = False) -> int:
        """The number of one cell's formula; `noted` cells have metadata."""
        head, _, text = whole.partition(b">")
        known = self.formula_tags.get(head)
        if known is None:
            given = attributes(head.removeprefix(b"<f").removesuffix(b"/"))
            known = self.formula_tags[head] = {name.decode(): value.decode() for name, value in given.items()}
        content = unescape_entities(text.decode())
        form, shared, area = known.get("t", "normal"), known.get("si", ""), known.get("ref")
        return self.asked.formula(form, content, shared, area, row, column, noted)

    def text_numbers(self, raw: list[bytes]) -> list[int]:
        """The numbers of texts by their markup, each distinct one understood once."""
        numbers = self.texts
        for text in dict.fromkeys(raw):
            if text not in numbers:
                numbers[text] = self.asked.value("str", unescape_entities(text.decode()), "")[2]
        return [numbers[text] for text in raw]

    def inline(self, whole: bytes) -> int:
        """The number of a text in its cell, given with the tag before it; nothing when there is none."""
        head, _, raw = whole.partition(b">")
        attributes(head.removeprefix(b"<t").removesuffix(b"/"))
        return self.text_numbers([raw])[0]

    def other(self, piece: Piece, pending: Pending) -> None:
        """A value that is read as the careful reader reads it."""
        if pending.text is None and pending.form != "str":
            return
        cell = pending.cell
        where = f"column {piece.columns[cell]}, row {piece.rows[cell]}"
        text = unescape_entities((pending.text or b"").decode())
        piece.kinds[cell], piece.numbers[cell], piece.codes[cell] = self.asked.value(pending.form, text, where)


def _run(pattern: DownPattern, rows: Codes, texts: list[bytes], place: int) -> int:
    """How many formulas from a position on stand in rows below each other and follow the pattern."""
    run, window = 0, _FIRST_RUN
    while place + run < len(texts):
        here = place + run
        count = min(window, len(texts) - here)
        first = int(rows[here])
        gaps = np.flatnonzero(rows[here : here + count] != np.arange(first, first + count))
        count = int(gaps[0]) if len(gaps) else count
        expected = pattern.texts(first, count)
        if expected[:-1] != b"\n".join(texts[here : here + count]):
            pairs = zip(expected.split(b"\n"), texts[here : here + count], strict=False)
            return run + next(n for n, (text, found) in enumerate(pairs) if text != found)
        run += count
        window = min(window * 4, _LONGEST_RUN)
    return run


def scan_cells(sheet: Sheet, rows: Iterable[bytes], reading: CellReading, shared: int) -> None:
    """Put rows into a sheet. Raises Unusual, the sheet unchanged but for texts and formulas that nobody points to."""
    words = _PieceReader(reading)
    pieces = [words.finish(piece) for piece in map_in_order(partial(_scan, shared=shared), rows)]
    if pieces:
        sheet.columns = _by_column(pieces)


def _scan(rows: bytes, shared: int) -> Piece:
    if len(rows) < _FEW:
        with suppress(Unusual):
            return scan_few(rows, shared)
    return scan_piece(rows, shared)


def _by_column(pieces: list[Piece]) -> dict[int, Cells]:
    """The cells of all pieces by column; the pieces are emptied on the way, so that nothing lies in memory twice."""
    columns = np.concatenate([piece.columns for piece in pieces])
    order = np.argsort(columns, kind="stable")
    columns = columns[order]
    bounds = np.flatnonzero(np.diff(columns)) + 1
    parts = []
    for name in ("rows", "kinds", "numbers", "codes", "styles", "formulas"):
        parts.append(np.concatenate([getattr(piece, name) for piece in pieces])[order])
        for piece in pieces:
            setattr(piece, name, None)
    made: dict[int, Cells] = {}
    for first, last in zip([0, *bounds.tolist()], [*bounds.tolist(), len(columns)], strict=True):
        if last == first:
            continue
        cells = Cells(*(part[first:last] for part in parts))
        if (np.diff(cells.rows) <= 0).any():
            raise Unusual
        made[int(columns[first])] = cells
    return made
