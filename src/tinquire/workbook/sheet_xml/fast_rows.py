"""One piece of a sheet's cells as arrays: whole rows, distinguished by comparing bytes, many at a time.

Programs write cells in one plain form nearly always: `<c r="B2" s="3" t="s"><v>17</v></c>`. Here the few kinds of tags
are found, and it is proved that they account for every `<` and every `>`, that they follow each other as they may, and
that each cell's address has its row's number. The text of a cell's further attributes is one of a handful, and is
understood once for each. What fails a proof raises `Unusual`. Pieces know nothing of each other, so that they can be
looked at side by side.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.address import MAX_COLUMN, MAX_ROW
from tinquire.cells.column import Booleans, Codes, Floats, Kind, Kinds
from tinquire.cells.number_reader import decimals, whole_numbers
from tinquire.cells.words import Words, words_of
from tinquire.packages.raw_xml import Unusual
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.sheet_xml.fast_tags import (
    CELL,
    CELL_EMPTY,
    FORMULA,
    FORMULA_EMPTY,
    INLINE,
    INLINE_END,
    ROW,
    ROW_EMPTY,
    ROW_END,
    VALUE,
    kinds_of,
)

__all__ = [
    "CellPlaces",
    "Formulas",
    "OwnTexts",
    "Pending",
    "Piece",
    "RowFormat",
    "attributes",
    "cell_places",
    "scan_piece",
]

#: Behind the piece's last byte: the bracket of a tag that might follow, and room for looks at eight bytes.
_PADDING = b"<" * 128
#: Attributes after a cell's or a row's address are at most this long in the plain form.
_TAIL = 96
_ATTRIBUTES = re.compile(rb'(?: [A-Za-z][A-Za-z0-9]*(?::[A-Za-z][A-Za-z0-9]*)?="[^"<&]*")*')
_ATTRIBUTE = re.compile(rb' ([A-Za-z0-9:]+)="([^"<&]*)"')
#: Masks for the first n bytes of a word.
_LOW_BYTES = np.array([(1 << (8 * count)) - 1 for count in range(9)], np.uint64)
#: More distinct texts of attributes than this are sorted instead of being looked for one after the other.
_FEW = 48
_NUMBER, _SHARED, _OWN_TEXT, _OTHER = range(4)
_FORMS = {
    b"n": _NUMBER, b"s": _SHARED, b"str": _OWN_TEXT, b"b": _OTHER, b"e": _OTHER, b"d": _OTHER, b"inlineStr": _OTHER,
}  # fmt: skip
_ADDRESS = np.uint64(int.from_bytes(b'r="', "little"))
_FORMULA = np.uint64(int.from_bytes(b"<f>", "little"))
_TEXT = np.uint64(int.from_bytes(b"<t>", "little"))
_THREE_BYTES = np.uint64(0xFFFFFF)
_ONE_NUMBER = rb"[-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][-+]?[0-9]+)?"
_NUMBERS = re.compile(rb"%s(?: %s)*" % (_ONE_NUMBER, _ONE_NUMBER))


@dataclass(frozen=True, slots=True)
class Pending:
    """A cell's place in its piece, and its text that is not understood here: a value of a form other than numbers and
    texts (None when it has none), or the tag and text of an inline one whose tag has attributes."""

    cell: int
    form: str
    text: bytes | None


@dataclass(frozen=True, slots=True)
class OwnTexts:
    """Cells that hold their text themselves, and the markup of each text, as it stands."""

    cells: Codes
    texts: list[bytes]


@dataclass(frozen=True, slots=True)
class RowFormat:
    """A row that has a height set by hand, or is hidden."""

    row: int
    height: float | None
    hidden: bool


@dataclass(frozen=True, slots=True)
class Formulas:
    """Cells of one column, and the formula of each: its text if it is plain, else the markup with its tag, but without
    the closing one."""

    column: int
    cells: Codes
    texts: list[bytes]


@dataclass(slots=True)
class Piece:
    """The cells of whole rows, in their order; `formulas` are numbers that whoever reads the texts has to give."""

    rows: Codes
    columns: Codes
    kinds: Kinds
    numbers: Floats
    codes: Codes
    styles: Codes
    formulas: Codes
    marked: list[RowFormat] = field(default_factory=list)
    pending: list[Pending] = field(default_factory=list)
    own_texts: list[OwnTexts] = field(default_factory=list)
    #: Runs of cells with plain formulas, column by column, and the other cells with formulas one by one.
    plain_formulas: list[Formulas] = field(default_factory=list)
    other_formulas: list[Formulas] = field(default_factory=list)
    #: Cells with metadata (18.3.1.4).
    noted: set[int] = field(default_factory=set)


def scan_piece(rows: bytes, shared: int) -> Piece:
    """The cells of whole rows, of which `shared` texts may be pointed to. Raises Unusual."""
    return _Scanner(rows, shared).piece()


@dataclass(frozen=True, slots=True)
class CellPlaces:
    """Where the cells of whole rows lie in their bytes, and what is in them; a formula that is not there is empty. Of
    cells in columns that were not asked for only what stands above `ends` is known."""

    rows: Codes
    columns: Codes
    #: Where a cell begins, where its address ends, and where the cell ends.
    starts: Codes
    tails: Codes
    ends: Codes
    formula_starts: Codes
    formula_ends: Codes
    #: Which of the distinct texts of attributes after addresses each cell has.
    tail_numbers: Codes
    tail_texts: list[bytes]
    row_numbers: Codes
    row_starts: Codes
    #: Where the last cell of a row ends, for rows that do not close themselves.
    row_ends: Codes
    row_open: Booleans


def cell_places(rows: bytes, columns: Sequence[int]) -> CellPlaces:
    """Where the cells of whole rows lie, and what is in those of some columns. Raises Unusual."""
    return _Scanner(rows, 0).places(columns)


class _Scanner:
    def __init__(self, rows: bytes, shared: int) -> None:
        if not rows.isascii():
            try:
                rows.decode()
            except UnicodeDecodeError:
                raise Unusual from None
        self.stop = len(rows)
        self.shared = shared
        self.body = rows + _PADDING
        self.array = np.frombuffer(self.body, np.uint8)
        self.words: Words = words_of(self.array)
        self.marked: list[RowFormat] = []

    def tags(self) -> tuple[Codes, Codes, NDArray[np.uint8]]:
        """Where each tag begins, where the next one does, and its kind. Raises Unusual."""
        own = self.array[: self.stop]
        low = own < 32
        if low.any() and not np.isin(own[low], (9, 10)).all():
            raise Unusual  # control characters, which XML forbids, or carriage returns, which it changes
        tags = np.flatnonzero(own == 60)
        if not len(tags) or tags[0] != 0 or np.count_nonzero(own == 62) != len(tags):
            raise Unusual
        nexts = np.append(tags[1:], self.stop)
        return tags, nexts, kinds_of(self.words, tags, nexts)

    def places(self, wanted: Sequence[int]) -> CellPlaces:
        tags, nexts, kinds = self.tags()
        at = np.flatnonzero((kinds == CELL) | (kinds == CELL_EMPTY))
        in_rows, numbers = self.row_numbers(tags, nexts, kinds, at)
        rows, columns, tails = self.addresses(tags[at], in_rows, *numbers)
        row_tags = np.flatnonzero((kinds == ROW) | (kinds == ROW_EMPTY))
        row_ends = tags[np.minimum(np.append(row_tags[1:], len(tags)) - 1, len(tags) - 1)]
        zeros = partial(np.zeros, len(at), np.int64)
        found = CellPlaces(
            rows, columns, tags[at], tails, zeros(), zeros(), zeros(), zeros(), [],
            numbers[0], tags[row_tags], row_ends, kinds[row_tags] == ROW,
        )  # fmt: skip
        asked = np.zeros(MAX_COLUMN + 1, bool)
        asked[list(wanted)] = True
        mine = np.flatnonzero(asked[columns])
        if len(mine):
            self.contents(found, tags, nexts, kinds, at, mine)
        return found

    def contents(
        self, found: CellPlaces, tags: Codes, nexts: Codes, kinds: NDArray[np.uint8], every: Codes, mine: Codes
    ) -> None:
        """Say of some of all cells where they end, and what attributes and formulas they have."""
        at = every[mine]
        closed = kinds[at] == CELL_EMPTY
        # A cell's own end tag is the last before the next cell or the end of its row.
        ends_at = np.append(every[1:], len(tags))[mine] - 1
        last_of_row = np.isin(kinds[ends_at], (ROW, ROW_EMPTY, ROW_END))
        while last_of_row.any():
            ends_at = ends_at - last_of_row
            last_of_row = np.isin(kinds[ends_at], (ROW, ROW_EMPTY, ROW_END))
        after = np.append(kinds, np.uint8(0))[at + 1]
        steps = np.where(closed, 0, (after == FORMULA) * 2 + (after == FORMULA_EMPTY))
        formula_at = np.minimum(at + 1, len(tags) - 1)
        found.formula_starts[mine] = np.where(steps > 0, tags[formula_at], 0)
        found.formula_ends[mine] = np.where(steps > 0, nexts[np.minimum(at + np.maximum(steps, 1), len(tags) - 1)], 0)
        found.ends[mine] = nexts[ends_at]
        for members, text in self.interned(found.tails[mine], nexts[at] - 1 - closed):
            found.tail_numbers[mine[members]] = len(found.tail_texts)
            found.tail_texts.append(text)

    def piece(self) -> Piece:
        tags, nexts, kinds = self.tags()
        at = np.flatnonzero((kinds == CELL) | (kinds == CELL_EMPTY))
        in_rows, numbers = self.row_numbers(tags, nexts, kinds, at)
        rows, columns, ends = self.addresses(tags[at], in_rows, *numbers)
        found = Piece(
            rows, columns, np.zeros(len(at), np.uint8), np.zeros(len(at)), np.zeros(len(at), np.int32),
            np.zeros(len(at), np.int32), np.full(len(at), NO_FORMULA, np.int32), self.marked,
        )  # fmt: skip
        forms, names = self.forms(found, ends, nexts[at] - 1 - (kinds[at] == CELL_EMPTY))
        self.values(found, tags, kinds, at, forms, names)
        return found

    # -- rows and addresses ----------------------------------------------------------------------------

    def row_numbers(
        self, tags: Codes, nexts: Codes, kinds: NDArray[np.uint8], at: Codes
    ) -> tuple[Codes, tuple[Codes, Codes, Words]]:
        """How many cells stand in each row; and of each row, as `<row r="7"` states it, its number, how many digits
        this has, and the word that begins with them."""
        is_row = (kinds == ROW) | (kinds == ROW_EMPTY)
        row_tags = np.flatnonzero(is_row)
        starts = tags[row_tags]
        if ((self.words[starts + 5] & np.uint64(0xFFFFFF)) != _ADDRESS).any():
            raise Unusual
        digits = self.words[starts + 8]
        whole = whole_numbers(digits)
        ends = starts + 8 + whole.lengths
        if whole.wrong.any() or (whole.numbers < 1).any() or (whole.numbers > MAX_ROW).any():
            raise Unusual
        if (self.array[starts + 8] == ord("0")).any() or (self.array[ends] != ord('"')).any():
            raise Unusual
        tail_ends = nexts[row_tags] - 1 - (kinds[row_tags] == ROW_EMPTY)
        for members, tail in self.interned(ends + 1, tail_ends):
            given = attributes(tail, b"r")
            height = float(given[b"ht"]) if given.get(b"customHeight") in (b"1", b"true") and b"ht" in given else None
            hidden = given.get(b"hidden") in (b"1", b"true")
            if height is not None or hidden:
                self.marked += [RowFormat(number, height, hidden) for number in whole.numbers[members].tolist()]
        firsts = np.append(np.searchsorted(at, row_tags), len(at))
        return np.diff(firsts), (whole.numbers, whole.lengths, digits)

    def addresses(
        self, starts: Codes, in_rows: Codes, numbers: Codes, lengths: Codes, digits: Words
    ) -> tuple[Codes, Codes, Codes]:
        """Row and column of each cell, and the position after its address, whose digits must be those of its row."""
        words = self.words[starts + 3]
        if ((words & np.uint64(0xFFFFFF)) != _ADDRESS).any():
            raise Unusual
        letters = (words >> np.uint64(24)).astype(np.uint32)
        columns = (letters & np.uint32(0xFF)).astype(np.int32) - 64
        wrong = (columns < 1) | (columns > 26)
        begins = starts + 7
        for shift in (8, 16):
            more = ((letters >> np.uint32(shift)) & np.uint32(0xFF)).astype(np.int32) - 64
            longer = (more >= 1) & (more <= 26)
            if shift == 16:
                longer &= begins > starts + 7  # a third letter counts after a second one
            if not longer.any():
                break
            columns = np.where(longer, columns * 26 + more, columns)
            begins += longer
        masks = _LOW_BYTES.take(lengths + 1)  # the digits, and the quotation mark after them
        same = (self.words[begins] & np.repeat(masks, in_rows)) == np.repeat(digits & masks, in_rows)
        if (wrong | ~same | (columns > MAX_COLUMN)).any():
            raise Unusual
        rows = np.repeat(numbers.astype(np.int32), in_rows)
        return rows, columns.astype(np.uint16), begins + np.repeat(lengths + 1, in_rows)

    # -- attributes ------------------------------------------------------------------------------------

    def forms(self, found: Piece, starts: Codes, ends: Codes) -> tuple[Codes, list[str]]:
        """Form of each cell, and the names of other forms, from the text after its address, each distinct one read
        once; its style goes into the piece."""
        forms = np.zeros(len(starts), np.int8)
        names: list[str] = []
        for members, text in self.interned(starts, ends):
            given = attributes(text, b"r")
            style, name = given.get(b"s", b"0"), given.get(b"t", b"n")
            if not style.isdigit() or len(style) > 9 or name not in _FORMS:
                raise Unusual
            found.styles[members], forms[members] = int(style), _FORMS[name]
            if given.get(b"cm", b"0") != b"0":
                found.noted.update(members.tolist())
            if _FORMS[name] == _OTHER:
                names = names or [""] * len(starts)
                for member in members.tolist():
                    names[member] = name.decode()
        return forms, names

    def interned(self, starts: Codes, ends: Codes) -> list[tuple[Codes, bytes]]:
        """The distinct texts between places, each with the members that have it."""
        lengths = ends - starts
        longest = int(lengths.max(initial=0))
        if longest > _TAIL or (lengths < 0).any():
            raise Unusual
        width = max(8, -(-longest // 8) * 8)
        words = np.empty((width // 8, len(starts)), np.uint64)
        for index in range(width // 8):
            left = np.clip(lengths - index * 8, 0, 8) if width > 8 else lengths
            words[index] = self.words[starts + index * 8] & _LOW_BYTES.take(left)
        waiting = np.arange(len(starts))
        found: list[tuple[Codes, bytes]] = []
        while len(waiting) and len(found) < _FEW:
            same = words[0] == words[0, 0]
            for word in words[1:]:
                same &= word == word[0]
            one = int(waiting[0])
            found.append((waiting[same], self.body[int(starts[one]) : int(ends[one])]))
            waiting, words = waiting[~same], words[:, ~same]
        if len(waiting):
            texts = np.ascontiguousarray(words.T).view(f"S{width}").ravel()
            _, first, groups = np.unique(texts, return_index=True, return_inverse=True)
            for group, one in enumerate(waiting[first].tolist()):
                found.append((waiting[groups == group], self.body[int(starts[one]) : int(ends[one])]))
        return found

    # -- values ----------------------------------------------------------------------------------------

    def values(
        self, found: Piece, tags: Codes, kinds: NDArray[np.uint8], at: Codes, forms: Codes, names: list[str]
    ) -> None:
        """Put the values into a piece, and what is to be read one by one."""
        # Behind a cell's tag come its formula, if any, and its value, if any: at most three tags further on.
        padded = np.concatenate([kinds, np.zeros(4, np.uint8)])
        after = padded[at + 1]
        skip = (after == FORMULA) * np.uint8(2) + (after == FORMULA_EMPTY)
        value_at = at + 1 + skip
        has_value = (kinds[at] == CELL) & (padded[value_at] == VALUE)
        value_at = np.where(has_value, value_at, 0)
        starts, ends = tags[value_at] + 3, tags[np.minimum(value_at + 1, len(tags) - 1)]
        self.numbers(found, np.flatnonzero(has_value & (forms == _NUMBER)), starts, ends)
        self.texts(found, np.flatnonzero(has_value & (forms == _SHARED)), starts, ends)
        self.formulas(found, np.flatnonzero(skip > 0), tags, at)
        inline = after == INLINE
        own = np.flatnonzero(has_value & (forms == _OWN_TEXT))
        self.own_texts(found, own, starts[own], ends[own])
        self.inline(found, np.flatnonzero(inline), tags, kinds, at)
        for cell in np.flatnonzero((forms == _OTHER) & ~inline).tolist():
            text = self.body[int(starts[cell]) : int(ends[cell])] if has_value[cell] else None
            found.pending.append(Pending(cell, names[cell], text))
        for cell in np.flatnonzero((forms == _OWN_TEXT) & ~inline & ~has_value).tolist():
            found.pending.append(Pending(cell, "str", None))

    def own_texts(self, found: Piece, cells: Codes, starts: Codes, ends: Codes) -> None:
        if len(cells):
            pairs = zip(starts.tolist(), ends.tolist(), strict=True)
            found.own_texts.append(OwnTexts(cells, [self.body[start:end] for start, end in pairs]))

    def inline(self, found: Piece, cells: Codes, tags: Codes, kinds: NDArray[np.uint8], at: Codes) -> None:
        """Inline texts; those with anything in their tag are left pending."""
        places = at[cells] + 2
        starts = tags[places]
        plain = (self.words[starts] & _THREE_BYTES) == _TEXT
        self.own_texts(found, cells[plain], starts[plain] + 3, tags[places[plain] + 1])
        for cell, index in zip(cells[~plain].tolist(), places[~plain].tolist(), strict=True):
            whole = b"" if kinds[index] == INLINE_END else self.body[int(tags[index]) : int(tags[index + 1])]
            found.pending.append(Pending(cell, "inlineStr", whole))

    def numbers(self, found: Piece, cells: Codes, starts: Codes, ends: Codes) -> None:
        starts, ends = starts[cells], ends[cells]
        values, plain = decimals(self.words, starts, ends)
        found.kinds[cells] = Kind.NUMBER
        found.numbers[cells] = values
        rest = np.flatnonzero(~plain)
        if len(rest):
            self.long_numbers(found, cells[rest], starts[rest], ends[rest])

    def long_numbers(self, found: Piece, cells: Codes, starts: Codes, ends: Codes) -> None:
        """Numbers with more digits than are exact, or with an exponent; other texts are left pending."""
        texts = [self.body[start:end] for start, end in zip(starts.tolist(), ends.tolist(), strict=True)]
        if _NUMBERS.fullmatch(b" ".join(texts)):
            values = np.array(list(map(float, texts)))
        else:
            values = np.array([float(text) if _NUMBERS.fullmatch(text) else np.nan for text in texts])
        found.numbers[cells] = values
        for item in np.flatnonzero(~np.isfinite(values)).tolist():
            found.numbers[cells[item]] = 0.0
            found.pending.append(Pending(int(cells[item]), "n", texts[item]))

    def texts(self, found: Piece, cells: Codes, starts: Codes, ends: Codes) -> None:
        """Places among the shared texts."""
        starts = starts[cells]
        whole = whole_numbers(self.words[starts])
        wrong = whole.wrong | (starts + whole.lengths != ends[cells]) | (whole.numbers >= self.shared)
        if wrong.any():
            raise Unusual
        found.kinds[cells] = Kind.TEXT
        found.codes[cells] = whole.numbers

    def formulas(self, found: Piece, cells: Codes, tags: Codes, at: Codes) -> None:
        """Plain formulas column by column, so that those that were filled down can be read together."""
        if not len(cells):
            return
        starts, ends = tags[at[cells] + 1], tags[at[cells] + 2]
        columns = found.columns[cells].astype(np.int32)
        is_plain = (self.words[starts] & np.uint64(0xFFFFFF)) == _FORMULA
        for item in np.flatnonzero(~is_plain).tolist():
            whole = self.body[int(starts[item]) : int(ends[item])]
            found.other_formulas.append(Formulas(int(columns[item]), cells[item : item + 1], [whole]))
        for column in np.flatnonzero(np.bincount(columns[is_plain])).tolist():
            mine = np.flatnonzero(is_plain & (columns == column))
            pairs = zip((starts[mine] + 3).tolist(), ends[mine].tolist(), strict=True)
            found.plain_formulas.append(Formulas(column, cells[mine], [self.body[start:end] for start, end in pairs]))


def attributes(text: bytes, *taken: bytes) -> dict[bytes, bytes]:
    """Attributes by name. Raises Unusual for anything else, and for a name that comes twice or is `taken`."""
    if not _ATTRIBUTES.fullmatch(text.rstrip(b" ")):
        raise Unusual
    pairs = _ATTRIBUTE.findall(text)
    given = dict(pairs)
    if len(given) != len(pairs) or any(name in given for name in taken):
        raise Unusual
    return given
