"""The fields of plainly written delimited text, found with arrays.

Text whose rows all have as many fields is cut at its separators many rows at a time. Fields that repeat are compared by
their bytes, so that each different one is read once. In columns whose fields nearly all differ, numbers are read from
the bytes, and texts only when they are needed. Anything unusual is left to the careful reader: this module gives the
same result, or nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import zip_longest
from typing import TypeAlias, overload

import numpy as np

from tinquire.base.parallel import map_in_order
from tinquire.cells.column import Booleans, Codes, Column, Floats, Kind, Kinds
from tinquire.cells.number_reader import decimals
from tinquire.cells.words import LONGEST_KEY, Words, keys_of, words_of
from tinquire.sources.delimited.distinct import Distinct
from tinquire.sources.delimited.field_bounds import BEHIND, Bytes, Cut, cut, pieces

__all__ = ["FieldTexts", "PlainRows", "plain_rows"]

#: Bytes cut into fields at a time: few enough to stay near the processor, enough that steps between them cost little.
_SMALLEST_PIECE = 1 << 20
_PIECE = 1 << 22
#: Pieces that may be ready before they are taken in.
_READY = 4
#: So many bytes tell whether the fields of a column mostly differ.
_JUDGED = 1 << 21
#: A column of whose fields more than this share differ is not distinguished.
_DIFFERENT = 0.25
#: So few are distinguished, whatever their share.
_FEW = 100
#: Of large pieces so many rows are drawn first, by a stride that falls in with no order that rows may have: where more
#: than this share of them differ, more than a quarter of the piece do.
_DRAWN, _STRIDE, _ALL_BUT = 2000, 0x9E3779B1, 0.95
#: Fields are treated as numbers when at least this share of those that are filled can be read as such.
_NUMBERS = 0.5
#: Places in texts up to this size need half the room.
_NARROW = 1 << 31
_SPACE, _DELETE = 32, 127
_ZERO, _NINE = 48, 57
_NOUGHT = re.compile(r"0[0-9]")
_PLAIN = {mark: re.compile(rf"-?(?=.?[0-9])[0-9]{{0,15}}(?:{re.escape(mark)}[0-9]{{0,15}})?") for mark in ".,"}

#: What is detected of a piece's fields: where the piece begins, where in it they lie, and their keys; or their numbers
#: and which of them are plain.
_Lying: TypeAlias = tuple[int, Codes, Codes, "list[Words] | None"]
_Read: TypeAlias = tuple[Floats, Booleans]


@dataclass(frozen=True, slots=True)
class PlainRows:
    """Columns of texts, and on which line each row between heads and tails begins; `after` is the line after them."""

    columns: list[Column]
    lines: Codes
    after: int


@dataclass(frozen=True, slots=True)
class _Text:
    """A text that is read, with `BEHIND` bytes more after what is looked at, and whether there are quotes in it."""

    data: bytes
    array: Bytes
    quoted: bool
    #: Whether there are carriage returns in it.
    returns: bool

    def at(self, start: int, end: int) -> str:
        """The field between two places; within quotes a doubled one is one."""
        text = self.data[start:end].decode()
        return text.replace('""', '"') if self.quoted else text

    def words(self, one: Cut) -> Words:
        return words_of(self.array[one.start : one.start + int(one.ends[-1, -1]) + BEHIND])

    def numbers(self, one: Cut, place: int, point: str) -> _Read:
        """The numbers of a column's fields, and which fields are spelled so plainly that they are exact."""
        return decimals(self.words(one), *one.column(self.array, place), ord(point))


class FieldTexts(Sequence[str]):
    """Texts that lie in the bytes of a file, one for each row, below some first ones and above some last ones."""

    def __init__(
        self, text: _Text, place: int, cuts: Sequence[Cut], head: Sequence[str] = (), tail: Sequence[str] = ()
    ) -> None:
        self._text, self._place, self._cuts = text, place, cuts
        self._head, self._tail = list(head), list(tail)
        self._rows = sum(map(len, cuts))
        self._read: dict[str, _Read] = {}

    @cached_property
    def _places(self) -> tuple[Codes, Codes]:
        """Where each row's field begins and ends."""
        narrow = np.int32 if len(self._text.data) < _NARROW else np.int64
        found = [item.column(self._text.array, self._place) for item in self._cuts]
        starts, ends = (
            np.concatenate([positions + narrow(item.start) for item, positions in zip(self._cuts, side, strict=True)])
            for side in zip(*found, strict=True)
        )
        return starts, ends

    def __len__(self) -> int:
        return len(self._head) + self._rows + len(self._tail)

    @overload
    def __getitem__(self, place: int) -> str: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[str]: ...
    def __getitem__(self, place: int | slice) -> str | Sequence[str]:
        if isinstance(place, slice):
            return [self[item] for item in range(*place.indices(len(self)))]
        row = (place if place >= 0 else place + len(self)) - len(self._head)
        if 0 <= row < self._rows:
            starts, ends = self._places
            return self._text.at(starts[row], ends[row])
        return self._head[row] if row < 0 else self._tail[row - self._rows]

    def __iter__(self) -> Iterator[str]:
        # Many at once are had four times faster than one by one.
        starts, ends = self._places
        yield from self._head
        yield from map(self._text.at, starts.tolist(), ends.tolist())
        yield from self._tail

    def sample(self, count: int) -> list[str]:
        """The first and the last texts, and this many from all over in between."""
        first = len(self._head)
        between = range(first, first + self._rows, max(self._rows // count, 1))
        return [*self._head, *(self[index] for index in between), *self._tail]

    def trimmed(self) -> bool:
        """Whether no text has spaces or control characters at its ends."""
        starts, ends = self._places
        filled = starts < ends
        return (
            self._no_spaces(starts[filled], 0)
            and self._no_spaces(ends[filled] - 1, -1)
            and all(text == text.strip() and text for text in (*self._head, *self._tail))
        )

    def _no_spaces(self, places: Codes, side: int) -> bool:
        """Whether no character begins (side 0) or ends (-1) at these places that is a space, of whatever script."""
        found = self._text.array[places]
        if (found <= _SPACE).any():
            return False
        # No space outside of ASCII takes more than three bytes; a text's ends are of few kinds.
        threes = words_of(self._text.array)[places[found >= _DELETE] + 2 * side] & np.uint64(0xFFFFFF)
        ends = [int(item).to_bytes(3, "little").decode(errors="ignore") for item in np.unique(threes)]
        return not any(end[side].isspace() for end in ends if end)

    def with_leading_zeros(self) -> Iterator[str]:
        """The texts that begin with a zero and another digit."""
        yield from (text for text in (*self._head, *self._tail) if _NOUGHT.match(text))
        starts, ends = self._places
        begins = self._text.array[starts] == _ZERO
        second = self._text.array[starts + 1]
        begins &= (ends - starts > 1) & (second >= _ZERO) & (second <= _NINE)
        yield from (self[len(self._head) + row] for row in np.flatnonzero(begins).tolist())

    def remember(self, point: str, read: Sequence[_Read]) -> None:
        """The numbers of all rows, read beforehand, piece by piece."""
        parts = [_of_texts(self._head, point), *read, _of_texts(self._tail, point)]
        self._read[point] = (
            np.concatenate([values for values, _ in parts]),
            np.concatenate([plain for _, plain in parts]),
        )

    def plain_numbers(self, codes: Codes, point: str) -> tuple[Floats, Booleans]:
        """The numbers of the texts at some places, and which of them are spelled with digits, at most one point and a
        minus before it; the others are to be read by other means."""
        if point not in self._read:
            self.remember(
                point, list(map_in_order(lambda item: self._text.numbers(item, self._place, point), self._cuts))
            )
        values, plain = self._read[point]
        if len(codes) and codes[-1] - codes[0] == len(codes) - 1 and (codes[1:] > codes[:-1]).all():
            own = slice(int(codes[0]), int(codes[-1]) + 1)
            return values[own], plain[own]
        return values[codes], plain[codes]


def _of_texts(texts: Sequence[str], point: str) -> _Read:
    plain = [_PLAIN[point].fullmatch(text) is not None for text in texts]
    values = [float(text.replace(point, ".")) if fits else 0.0 for text, fits in zip(texts, plain, strict=True)]
    return np.array(values, np.float64), np.array(plain, np.bool_)


def plain_rows(
    data: bytes, start: int, stop: int, separator: str, heads: Sequence[Sequence[str]], tails: Sequence[Sequence[str]]
) -> PlainRows | None:
    """The rows between two places as columns, with the rows `heads` above and `tails` below; None when not all have as
    many fields as the first, or one is not written plainly.

    A line feed or nothing stands before `start`, and one is the last byte before `stop`, after which there
    are at least `BEHIND` bytes more; no byte is zero.
    """
    text = _Text(data, np.frombuffer(data, np.uint8), b'"' in data, b"\r" in data)
    mark = ord(separator)
    first = next(pieces(text.array, data, start, stop, _JUDGED, quoted=text.quoted))
    judged = cut(text.array, first, mark, None, quoted=text.quoted, returns=text.returns)
    if judged is None:
        return None
    width = len(judged.ends)
    if any(len(row) > width for row in (*heads, *tails)):
        return None
    edges = [list(zip_longest(*rows, [""] * width, fillvalue="")) for rows in (heads, tails)]
    above, below = ([column[:-1] for column in edge] for edge in edges)  # less the row that made it wide enough
    building = list(map_in_order(lambda place: _building(text, judged, place, above[place]), range(width)))
    keeps = any(isinstance(item, _MostlyDistinct) for item in building)

    def looked(piece: tuple[int, int]) -> tuple[Cut, list[_Lying | _Read | None]] | None:
        found = cut(text.array, piece, mark, width, quoted=text.quoted, returns=text.returns)
        return None if found is None else (found, [item.looked(found) for item in building])

    cuts: list[Cut] = []
    lines: list[Codes] = []
    line = 1
    size = min(_PIECE, max(_SMALLEST_PIECE, (stop - start) // _READY))
    for looks in map_in_order(looked, pieces(text.array, data, start, stop, size, quoted=text.quoted), _READY):
        if looks is None:
            return None
        found, of_columns = looks
        for column, look in zip(building, of_columns, strict=True):
            column.add(look)  # type: ignore[arg-type]  # what it made itself
        lines.append(np.arange(line, line + len(found), dtype=np.int32))
        if len(found.feeds):
            lines[-1] += np.searchsorted(found.feeds, found.row_starts).astype(np.int32)
        line += len(found) + len(found.feeds)
        if keeps:
            cuts.append(found)
    rows = np.arange(len(heads) + sum(map(len, lines)) + len(tails), dtype=np.int32)
    columns = map_in_order(lambda place: building[place].column(above[place], below[place], cuts, rows), range(width))
    return PlainRows(list(columns), np.concatenate(lines), line)


def _building(text: _Text, judged: Cut, place: int, head: Sequence[str]) -> _Repeating | _MostlyDistinct:
    """How a column is best made, by the fields of a first piece."""
    starts, ends = judged.column(text.array, place)
    lengths = ends - starts
    different = len(starts)
    if int(lengths.max()) <= LONGEST_KEY and not _nearly_all_differ(text, judged, starts, lengths):
        _, new = Distinct(len(starts)).codes(keys_of(text.words(judged), starts, lengths), 0)
        different = len(new)
        if different <= _DIFFERENT * len(starts) + _FEW:
            return _Repeating(text, place, different, head)
    for point in ".,":
        _, plain = text.numbers(judged, place, point)
        if plain.sum() > _NUMBERS * max(int((lengths > 0).sum()), 1):
            return _MostlyDistinct(text, place, point)
    return _MostlyDistinct(text, place, None)


def _nearly_all_differ(text: _Text, judged: Cut, starts: Codes, lengths: Codes) -> bool:
    """Whether rows drawn from all over a piece show more different fields than so many would if a quarter of the piece
    differed: that is found at a tenth of the time."""
    if len(starts) < 4 * _DRAWN:
        return False
    rows = (np.arange(_DRAWN) * _STRIDE) % len(starts)
    drawn = keys_of(text.words(judged), starts[rows], lengths[rows])
    _, new = Distinct(_DRAWN).codes(drawn, 0)
    return len(new) > _ALL_BUT * _DRAWN


class _Repeating:
    """A column on its way whose fields repeat themselves: the different ones met so far, and each row's."""

    def __init__(self, text: _Text, place: int, expected: int, head: Sequence[str]) -> None:
        self.text, self.place = text, place
        self.codes: list[Codes] = []
        self.texts = list(head)
        self.met = Distinct(expected)
        self.long: dict[bytes, int] = {}

    def looked(self, found: Cut) -> _Lying:
        starts, ends = found.column(self.text.array, self.place)
        lengths = ends - starts
        keys = None
        if int(lengths.max()) <= LONGEST_KEY:
            keys = keys_of(self.text.words(found), starts, lengths)
        return found.start, starts, ends, keys

    def add(self, look: _Lying) -> None:
        """Take in the fields of one more piece."""
        begin, starts, ends, keys = look
        if keys is None:
            self.codes.append(self._one_by_one(look, range(len(starts))))
            return
        codes, new = self.met.codes(keys, len(self.texts))
        places = ((begin + side[new].astype(np.int64)).tolist() for side in (starts, ends))
        self.texts += map(self.text.at, *places)
        rest = np.flatnonzero(codes < 0)
        if len(rest):
            codes[rest] = self._one_by_one(look, rest.tolist())
        self.codes.append(codes)

    def _one_by_one(self, look: _Lying, rows: Sequence[int]) -> Codes:
        """Fields that are long, or share their slots with others."""
        begin, starts, ends, _ = look
        codes = np.empty(len(rows), np.int32)
        for index, row in enumerate(rows):
            start, end = begin + int(starts[row]), begin + int(ends[row])
            written = self.text.data[start:end]
            code = self.long.get(written)
            if code is None:
                code = self.long[written] = len(self.texts)
                self.texts.append(self.text.at(start, end))
            codes[index] = code
        return codes

    def column(self, head: Sequence[str], tail: Sequence[str], cuts: Sequence[Cut], rows: Codes) -> Column:
        """The column with texts above and below its fields; `rows` are the positions of them all."""
        texts = [*self.texts, *tail]
        below = np.arange(len(self.texts), len(texts), dtype=np.int32)
        codes = np.concatenate([rows[: len(head)], *self.codes, below])
        filled = None
        if "" in self.texts:
            filled = np.array([text != "" for text in texts], bool)[codes[len(head) : len(codes) - len(tail)]]
        return Column(_kinds(head, tail, filled, len(rows)), np.zeros(len(rows)), codes, texts)


class _MostlyDistinct:
    """A column on its way whose fields mostly differ: left where they lie, but for numbers, which are read at once."""

    def __init__(self, text: _Text, place: int, point: str | None) -> None:
        self.text, self.place, self.point = text, place, point
        self.read: list[_Read] = []

    def looked(self, found: Cut) -> _Read | None:
        return None if self.point is None else self.text.numbers(found, self.place, self.point)

    def add(self, look: _Read | None) -> None:
        if look is not None:
            self.read.append(look)

    def column(self, head: Sequence[str], tail: Sequence[str], cuts: Sequence[Cut], rows: Codes) -> Column:
        """The same of fields that lie where they are."""
        texts = FieldTexts(self.text, self.place, cuts, head, tail)
        filled = None
        if self.point is not None:
            texts.remember(self.point, self.read)
        if self.point is None or not all(plain.all() for _, plain in self.read):
            filled = np.concatenate([np.less(*item.column(self.text.array, self.place)) for item in cuts])
        return Column(_kinds(head, tail, filled, len(rows)), np.zeros(len(rows)), rows, texts)


def _kinds(head: Sequence[str], tail: Sequence[str], filled: Booleans | None, rows: int) -> Kinds:
    """Kinds of texts, `head` above and `tail` below, and others in between, all `filled` when nothing else is said."""
    kinds = np.full(rows, Kind.TEXT, np.uint8)
    above, below = len(head), rows - len(tail)
    kinds[:above][[text == "" for text in head]] = Kind.BLANK
    kinds[below:][[text == "" for text in tail]] = Kind.BLANK
    if filled is not None:
        kinds[above:below][~filled] = Kind.BLANK
    return kinds
