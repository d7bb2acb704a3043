"""A sheet's part into columns by scanning its bytes as arrays: the fast reader, exact or absent.

Programs write cells in one plain form nearly always: `<c r="B2" s="3" t="s"><v>17</v></c>`. Here the few kinds of tags
are found by comparing bytes, many at a time, and it is proved that they account for every `<` and every `>`, that they
follow each other as they may, and that each cell's address has its row's number. The text of a cell's further
attributes is one of a handful, and is understood once for each. Whatever fails a proof (texts with runs of letters, odd
markup, missing addresses) raises `Unusual`, and the careful reader takes the whole sheet.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.address import MAX_COLUMN, MAX_ROW
from tinquire.cells.column import Codes, Kind
from tinquire.formula.mentions import DownPattern, down_pattern
from tinquire.workbook.elements import Unusual
from tinquire.workbook.sheet import NO_FORMULA, Cells, Sheet
from tinquire.workbook.tags import (
    CELL,
    CELL_EMPTY,
    FORMULA,
    FORMULA_EMPTY,
    INLINE,
    INLINE_END,
    ROW,
    ROW_EMPTY,
    VALUE,
    kinds_of,
)

__all__ = ["CellReading", "scan_cells", "unescaped"]

#: Bytes scanned at a time: small enough to stay in the processor's cache with the arrays made from them.
PIECE = 1 << 20
#: Attributes behind a cell's or a row's address are at most this long in the plain form.
_TAIL = 96
#: Digits of a number that fit a double's 53 bits whatever they are, so that one division rounds as the standard asks.
_EXACT_DIGITS = 15
_PADDING = 128

_ATTRIBUTES = re.compile(rb'(?: [A-Za-z][A-Za-z0-9]*(?::[A-Za-z][A-Za-z0-9]*)?="[^"<&]*")*')
_ATTRIBUTE = re.compile(rb' ([A-Za-z0-9:]+)="([^"<&]*)"')
#: Masks for the first so many bytes of a word.
_LOW_BYTES = np.array([(1 << (8 * count)) - 1 for count in range(9)], np.uint64)
#: More distinct texts of attributes than this are sorted instead of being looked for one after the other.
_FEW = 48
_FORMS = {b"n": 0, b"s": 1, b"b": 2, b"e": 2, b"str": 2, b"d": 2, b"inlineStr": 2}
_NUMBER, _SHARED, _OTHER = 0, 1, 2
_ENTITY = re.compile(r"&(#x[0-9A-Fa-f]+|#[0-9]+|lt|gt|amp|quot|apos);")
_ENTITIES = {"lt": "<", "gt": ">", "amp": "&", "quot": '"', "apos": "'"}


_ONE_NUMBER = rb"[-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][-+]?[0-9]+)?"
_NUMBERS = re.compile(rb"%s(?: %s)*" % (_ONE_NUMBER, _ONE_NUMBER))
#: How many formulas below each other are compared with their pattern at once: few at first, more while they agree.
_FIRST_RUN, _LONGEST_RUN = 16, 1 << 14


@dataclass(frozen=True)
class CellReading:
    """What the scanner asks of its caller, which the careful reader does too.

    `formula(form, text, shared, area, row, column)` keeps a formula and gives its number; `value(form, text, place)`
    gives kind, number and text code of a stored value.
    """

    formula: Callable[[str, str, str, str | None, int, int], int]
    value: Callable[[str, str, str], tuple[int, float, int]]
    #: Height (if set by hand) and whether it is hidden, for rows that have either.
    row: Callable[[int, float | None, bool], None]


@dataclass
class _Found:
    """Arrays of the cells of one piece."""

    rows: Codes
    columns: Codes
    kinds: NDArray[np.uint8]
    numbers: NDArray[np.float64]
    codes: Codes
    styles: Codes
    formulas: Codes


@dataclass
class _Scanner:
    """The bytes of a part, of which the cells stand from `start` to `stop`; nothing of them is copied."""

    body: bytes
    start: int
    stop: int
    reading: CellReading
    shared: int
    array: NDArray[np.uint8] = field(init=False)
    #: At every byte the eight bytes from it on, first byte lowest: one look instead of eight.
    words: NDArray[np.uint64] = field(init=False)
    tails: dict[bytes, tuple[int, int, str]] = field(default_factory=dict)
    formula_tags: dict[bytes, dict[str, str]] = field(default_factory=dict)
    #: For each column the formula read last that can be filled down, and its number.
    patterns: dict[int, tuple[DownPattern, int]] = field(default_factory=dict)
    inline_texts: dict[bytes, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not self.body.isascii():
            try:
                self.body[self.start : self.stop].decode()
            except UnicodeDecodeError:
                raise Unusual from None
        if len(self.body) - self.stop < _PADDING:
            self.body += bytes(_PADDING)
        self.array = np.frombuffer(self.body, np.uint8)
        self.words = np.ndarray((len(self.array) - 8,), np.dtype("<u8"), self.array.data, strides=(1,))

    def pieces(self) -> list[_Found]:
        found = []
        place, end = self.start, self.stop
        while place < end:
            cut = self.body.rfind(b"</row>", place, min(place + PIECE, end))
            if cut < 0:
                cut = self.body.find(b"</row>", place, end)
            stop = end if cut < 0 else cut + 6
            found.append(self.piece(place, stop))
            place = stop
        return found

    def piece(self, start: int, stop: int) -> _Found:
        bytes_ = self.array
        low = bytes_[start:stop] < 32
        if low.any() and not np.isin(bytes_[start:stop][low], (9, 10)).all():
            raise Unusual  # control characters, which XML forbids, or carriage returns, which it changes
        tags = np.flatnonzero(bytes_[start:stop] == 60) + start
        if not len(tags) or tags[0] != start:
            raise Unusual
        if np.count_nonzero(bytes_[start:stop] == 62) != len(tags):
            raise Unusual
        nexts = np.append(tags[1:], stop)
        kinds = kinds_of(self.array, self.words, tags, nexts)
        rows = self.row_numbers(tags, nexts, kinds)
        at = np.flatnonzero((kinds == CELL) | (kinds == CELL_EMPTY))
        columns, styles, forms, others = self.addresses(tags[at], nexts[at], kinds[at], rows[at])
        return self.with_values(tags, kinds, at, rows[at], columns, styles, forms, others)

    # -- rows ------------------------------------------------------------------------------------------

    def row_numbers(self, tags: Codes, nexts: Codes, kinds: NDArray[np.uint8]) -> Codes:
        """For every tag the number of its row, as `<row r="7"` states it."""
        is_row = (kinds == ROW) | (kinds == ROW_EMPTY)
        starts = tags[is_row]
        for offset, byte in ((5, 114), (6, 61), (7, 34)):
            if (self.array[starts + offset] != byte).any():
                raise Unusual
        numbers, ends = self.digits(starts + 8, 7)
        if (self.array[ends] != 34).any() or (numbers < 1).any() or (numbers > MAX_ROW).any():
            raise Unusual
        tail_ends = nexts[is_row] - 1 - (kinds[is_row] == ROW_EMPTY)
        for members, tail in self.interned(ends + 1, tail_ends):
            given = attributes(tail, b"r")
            height = float(given[b"ht"]) if given.get(b"customHeight") in (b"1", b"true") and b"ht" in given else None
            hidden = given.get(b"hidden") in (b"1", b"true")
            if height is not None or hidden:
                for number in numbers[members].tolist():
                    self.reading.row(number, height, hidden)
        return numbers[np.cumsum(is_row) - 1]

    def digits(self, starts: Codes, most: int) -> tuple[Codes, Codes]:
        """Whole numbers that begin at places, and the places behind them; no digit at all is Unusual."""
        numbers = np.zeros(len(starts), np.int64)
        going = np.ones(len(starts), bool)
        ends = starts.astype(np.int64)
        for _ in range(most):
            digit = self.array[ends] - np.uint8(48)
            going = going & (digit < 10)
            if not going.any():
                break
            numbers = np.where(going, numbers * 10 + digit, numbers)
            ends = ends + going
        if (ends == starts).any():
            raise Unusual
        return numbers, ends

    # -- cells -----------------------------------------------------------------------------------------

    def addresses(
        self, starts: Codes, nexts: Codes, kinds: NDArray[np.uint8], rows: Codes
    ) -> tuple[Codes, Codes, Codes, list[str]]:
        """Columns, styles and forms of cells; forms other than numbers and shared texts by name."""
        b = self.array
        for offset, byte in ((3, 114), (4, 61), (5, 34)):
            if (b[starts + offset] != byte).any():
                raise Unusual
        letters = [b[starts + offset].astype(np.int64) - 64 for offset in (6, 7, 8)]
        is_letter = [(letter >= 1) & (letter <= 26) for letter in letters]
        second = is_letter[0] & is_letter[1]
        third = second & is_letter[2]
        columns = letters[0].copy()
        columns = np.where(second, columns * 26 + letters[1], columns)
        columns = np.where(third, columns * 26 + letters[2], columns)
        counts = 1 + second + third
        numbers, ends = self.digits(starts + 6 + counts, 7)
        plain = is_letter[0] & (numbers == rows) & (b[ends] == 34) & (columns <= MAX_COLUMN)
        plain &= b[starts + 6 + counts] != 48  # an address has no leading zero
        if not plain.all():
            raise Unusual
        tail_ends = nexts - 1 - (kinds == CELL_EMPTY)
        styles, forms, names = self.tails_of(ends + 1, tail_ends)
        return columns.astype(np.int32), styles, forms, names

    def tails_of(self, starts: Codes, ends: Codes) -> tuple[Codes, Codes, list[str]]:
        """Style and form of each cell from the text behind its address, each distinct one read once."""
        count = len(starts)
        styles, forms = np.zeros(count, np.int32), np.zeros(count, np.int8)
        names: list[str] = []
        for members, text in self.interned(starts, ends):
            style, form, name = self.tail(text)
            styles[members], forms[members] = style, form
            if form == _OTHER:
                names = names or [""] * count
                for member in members.tolist():
                    names[member] = name
        return styles, forms, names

    def interned(self, starts: Codes, ends: Codes) -> list[tuple[Codes, bytes]]:
        """The distinct texts between places, each with the members that have it."""
        lengths = ends - starts
        longest = int(lengths.max(initial=0))
        if longest > _TAIL or (lengths < 0).any():
            raise Unusual
        width = max(8, -(-longest // 8) * 8)
        words = np.empty((len(starts), width // 8), np.uint64)
        for place in range(width // 8):
            left = np.clip(lengths - place * 8, 0, 8)
            words[:, place] = self.words[starts + place * 8] & _LOW_BYTES[left]
        texts = words.view(np.uint8).reshape(len(starts), width)
        waiting = np.arange(len(starts))
        found: list[tuple[Codes, bytes]] = []
        while len(waiting) and len(found) < _FEW:
            same = (words[waiting] == words[waiting[0]]).all(axis=1)
            found.append((waiting[same], texts[waiting[0], : lengths[waiting[0]]].tobytes()))
            waiting = waiting[~same]
        if len(waiting):
            _, first, groups = np.unique(texts[waiting].view(f"S{width}"), return_index=True, return_inverse=True)
            for group, one in enumerate(waiting[first].tolist()):
                found.append((waiting[groups.ravel() == group], texts[one, : lengths[one]].tobytes()))
        return found

    def tail(self, text: bytes) -> tuple[int, int, str]:
        """Style, form and form's name of one text of attributes."""
        known = self.tails.get(text)
        if known is None:
            given = attributes(text, b"r")
            style, form = given.get(b"s", b"0"), given.get(b"t", b"n")
            if not style.isdigit() or len(style) > 9 or form not in _FORMS:
                raise Unusual
            known = self.tails[text] = (int(style), _FORMS[form], form.decode())
        return known

    # -- values ----------------------------------------------------------------------------------------

    def with_values(
        self, tags: Codes, kinds: NDArray[np.uint8], at: Codes, rows: Codes, columns: Codes, styles: Codes,
        forms: Codes, names: list[str],
    ) -> _Found:  # fmt: skip
        """The cells of a piece with their values and formulas."""
        count = len(at)
        found = _Found(
            rows.astype(np.int32), columns, np.zeros(count, np.uint8), np.zeros(count), np.zeros(count, np.int32),
            styles, np.full(count, NO_FORMULA, np.int32),
        )  # fmt: skip
        # Behind a cell's tag come its formula, if any, and its value, if any: at most three tags further on.
        padded = np.concatenate([kinds, np.zeros(4, np.uint8)])
        after = padded[at + 1]
        skip = np.where(after == FORMULA, 2, np.where(after == FORMULA_EMPTY, 1, 0))
        value_at = at + 1 + skip
        has_value = (kinds[at] == CELL) & (padded[value_at] == VALUE)
        value_at = np.where(has_value, value_at, 0)
        starts, ends = tags[value_at] + 3, tags[np.minimum(value_at + 1, len(tags) - 1)]
        self.numbers(found, np.flatnonzero(has_value & (forms == _NUMBER)), starts, ends)
        self.texts(found, np.flatnonzero(has_value & (forms == _SHARED)), starts, ends)
        self.formulas(found, np.flatnonzero(skip > 0), tags, at)
        inline = padded[at + 1] == INLINE
        for place in np.flatnonzero(inline).tolist():
            self.inline(found, place, tags, kinds, int(at[place]) + 2)
        for place in np.flatnonzero((forms == _OTHER) & ~inline).tolist():
            text = self.text(int(starts[place]), int(ends[place])) if has_value[place] else None
            self.other(found, place, names[place], text)
        return found

    def numbers(self, found: _Found, places: Codes, starts: Codes, ends: Codes) -> None:
        """Numbers: digits, at most one point, a minus in front; all others one by one."""
        starts, ends = starts[places], ends[places]
        values, plain = self.decimals(starts, ends)
        found.kinds[places] = Kind.NUMBER
        found.numbers[places] = values
        rest = np.flatnonzero(~plain)
        if len(rest):
            rest = rest[~self.long_numbers(found, places[rest], starts[rest], ends[rest])]
        for place in rest.tolist():
            text = self.text(int(starts[place]), int(ends[place]))
            self.other(found, int(places[place]), "n", text)

    def long_numbers(self, found: _Found, places: Codes, starts: Codes, ends: Codes) -> NDArray[np.bool_]:
        """Numbers with more digits than are exact, or with an exponent; which of them were read."""
        texts = [self.body[start:end] for start, end in zip(starts.tolist(), ends.tolist(), strict=True)]
        if not _NUMBERS.fullmatch(b" ".join(texts)):
            texts = [text if _NUMBERS.fullmatch(text) else b"nan" for text in texts]
        values = np.array(list(map(float, texts)))
        read = np.isfinite(values)
        found.numbers[places[read]] = values[read]
        return read

    def decimals(self, starts: Codes, ends: Codes) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        """Numbers between places, and which of them were plain enough to be exact."""
        count = len(starts)
        whole = np.zeros(count, np.int64)
        decimals = np.zeros(count, np.int64)
        digits = np.zeros(count, np.int64)
        pointed = np.zeros(count, bool)
        minus = self.array[starts] == 45
        place = starts + minus
        plain = place < ends
        for _ in range(_EXACT_DIGITS + 1):
            going = plain & (place < ends)
            if not going.any():
                break
            byte = self.array[place]
            digit = byte - np.uint8(48)
            is_digit = going & (digit < 10)
            is_point = going & (byte == 46) & ~pointed
            plain &= ~going | is_digit | is_point
            whole = np.where(is_digit, whole * 10 + digit, whole)
            decimals += is_digit & pointed
            digits += is_digit
            pointed |= is_point
            place = place + going
        plain &= (place >= ends) & (digits > 0) & (digits <= _EXACT_DIGITS)
        values = whole / np.power(10.0, decimals)
        return np.where(minus, -values, values) + 0.0, plain

    def texts(self, found: _Found, places: Codes, starts: Codes, ends: Codes) -> None:
        """Places among the shared texts."""
        if not len(places):
            return
        codes, behind = self.digits(starts[places], 9)
        if (behind != ends[places]).any() or (codes >= self.shared).any():
            raise Unusual
        found.kinds[places] = Kind.TEXT
        found.codes[places] = codes

    def formulas(self, found: _Found, places: Codes, tags: Codes, at: Codes) -> None:
        """Plain formulas column by column, so that those that were filled down are read once; others, which may hang
        on each other, in the order of the cells."""
        if not len(places):
            return
        starts, ends = tags[at[places] + 1].tolist(), tags[at[places] + 2].tolist()
        texts = [self.body[start:end] for start, end in zip(starts, ends, strict=True)]
        is_plain = np.array([text.startswith(b"<f>") for text in texts])
        for place in np.flatnonzero(~is_plain).tolist():
            cell = places[place]
            found.formulas[cell], _ = self.own_formula(int(found.rows[cell]), int(found.columns[cell]), texts[place])
        columns = np.where(is_plain, found.columns[places], 0)
        for column in np.unique(columns[is_plain]).tolist():
            mine = np.flatnonzero(columns == column)
            cells = places[mine]
            wanted = [texts[place] for place in mine.tolist()]
            found.formulas[cells] = self.column_formulas(int(column), found.rows[cells], wanted)

    def column_formulas(self, column: int, rows: Codes, texts: list[bytes]) -> Codes:
        """The formula numbers of one column's cells, by their markup without the closing tag."""
        numbers = np.full(len(rows), NO_FORMULA, np.int32)
        place = 0
        while place < len(texts):
            known = self.patterns.get(column)
            run = 0 if known is None else _run(known[0], rows, texts, place)
            if known is not None and run:
                numbers[place : place + run] = known[1]
                place += run
                continue
            row = int(rows[place])
            numbers[place], pattern = self.own_formula(row, column, texts[place])
            if pattern is not None:
                self.patterns[column] = (pattern, int(numbers[place]))
            place += 1
        return numbers

    def own_formula(self, row: int, column: int, whole: bytes) -> tuple[int, DownPattern | None]:
        """The number of one cell's formula, and its pattern if it is a plain one."""
        head, _, text = whole.partition(b">")
        known = self.formula_tags.get(head)
        if known is None:
            given = attributes(head.removeprefix(b"<f").removesuffix(b"/"))
            known = self.formula_tags[head] = {name.decode(): value.decode() for name, value in given.items()}
        raw = text.decode()
        content = unescaped(raw)
        form, shared, area = known.get("t", "normal"), known.get("si", ""), known.get("ref")
        number = self.reading.formula(form, content, shared, area, row, column)
        plain = (
            head == b"<f" and content == raw.strip() and "_x" not in raw and "\n" not in raw and number != NO_FORMULA
        )
        return number, down_pattern(raw, row) if plain else None

    def inline(self, found: _Found, place: int, tags: Codes, kinds: NDArray[np.uint8], at: int) -> None:
        """A text in its cell; `at` is the tag behind `<is>`."""
        raw = b""
        if kinds[at] != INLINE_END:
            whole = self.body[int(tags[at]) : int(tags[at + 1])]
            head, _, raw = whole.partition(b">")
            attributes(head.removeprefix(b"<t").removesuffix(b"/"))
        code = self.inline_texts.get(raw)
        if code is None:
            code = self.inline_texts[raw] = self.reading.value("str", unescaped(raw.decode()), "")[2]
        found.kinds[place], found.codes[place] = Kind.TEXT, code

    def other(self, found: _Found, place: int, form: str, text: str | None) -> None:
        """A value that is read as the careful reader reads it."""
        if text is None and form != "str":
            return
        where = f"column {found.columns[place]}, row {found.rows[place]}"
        kind, number, code = self.reading.value(form, text or "", where)
        found.kinds[place], found.numbers[place], found.codes[place] = kind, number, code

    def text(self, start: int, end: int) -> str:
        return unescaped(self.body[start:end].decode())


def _run(pattern: DownPattern, rows: Codes, texts: list[bytes], place: int) -> int:
    """How many formulas from a place on stand in rows below each other and follow the pattern."""
    run, window = 0, _FIRST_RUN
    while place + run < len(texts):
        here = place + run
        count = min(window, len(texts) - here)
        first = int(rows[here])
        gaps = np.flatnonzero(rows[here : here + count] != np.arange(first, first + count))
        count = int(gaps[0]) if len(gaps) else count
        expected = pattern.texts(first, count).split(b"\n")
        agree = [b"<f>" + text for text in expected[:-1]] == texts[here : here + count]
        if not agree:
            pairs = zip(expected, texts[here : here + count], strict=False)
            return run + next(n for n, (text, found) in enumerate(pairs) if b"<f>" + text != found)
        run += count
        window = min(window * 4, _LONGEST_RUN)
    return run


def attributes(text: bytes, *taken: bytes) -> dict[bytes, bytes]:
    """Attributes by name. Raises Unusual for anything else, and for a name that comes twice or is `taken`."""
    if not _ATTRIBUTES.fullmatch(text.rstrip(b" ")):
        raise Unusual
    pairs = _ATTRIBUTE.findall(text)
    given = dict(pairs)
    if len(given) != len(pairs) or any(name in given for name in taken):
        raise Unusual
    return given


def unescaped(text: str) -> str:
    """Text with XML's own entities and numbered characters read. Raises Unusual for others."""
    if "&" not in text:
        return text
    if text.count("&") != len(_ENTITY.findall(text)):
        raise Unusual
    return _ENTITY.sub(lambda found: _entity(found[1]), text)


def _entity(name: str) -> str:
    if name.startswith("#"):
        number = int(name[2:], 16) if name[1] == "x" else int(name[1:])
        if number not in (9, 10, 13) and not 32 <= number <= 0x10FFFF:
            raise Unusual
        return chr(number)
    return _ENTITIES[name]


def scan_cells(sheet: Sheet, data: bytes, span: tuple[int, int], reading: CellReading, shared: int) -> None:
    """Put the cells between two places of a part into a sheet. Raises Unusual, the sheet unchanged but for
    texts and formulas that nobody points to."""
    pieces = _Scanner(data, *span, reading, shared).pieces()
    if not pieces:
        return
    together = {name: np.concatenate([getattr(piece, name) for piece in pieces]) for name in _Found.__annotations__}
    order = np.argsort(together["columns"].astype(np.uint16), kind="stable")
    columns = together["columns"][order]
    bounds = np.flatnonzero(np.diff(columns)) + 1
    parts = [together[name][order] for name in ("rows", "kinds", "numbers", "codes", "styles", "formulas")]
    made: dict[int, Cells] = {}
    for first, last in zip([0, *bounds.tolist()], [*bounds.tolist(), len(columns)], strict=True):
        if last == first:
            continue
        cells = Cells(*(part[first:last] for part in parts))
        if (np.diff(cells.rows) <= 0).any():
            raise Unusual
        made[int(columns[first])] = cells
    sheet.columns = made
