"""The fields of plainly written delimited text, found with arrays.

Text without quotes whose lines all have as many fields as they should is cut at its separators many lines at a time.
Fields that repeat themselves are told apart by their bytes, so that each different one is read once; of columns in
which nearly all differ, numbers are read from the bytes, and texts only when somebody asks for them. What is not plain
is left to the careful reader: this way gives the same, or nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import overload

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Booleans, Codes, Column, Floats, Kind
from tinquire.workbook.abreast import abreast
from tinquire.workbook.digits import Words, decimals, words_of

__all__ = ["BEHIND", "FieldTexts", "plain_columns"]

_Bytes = NDArray[np.uint8]
#: Bytes cut into fields at a time.
_PIECE = 1 << 19
#: So many bytes tell whether the fields of a column mostly differ.
_JUDGED = 1 << 21
#: Bytes behind the text, so that eight can be looked at from any of its places.
BEHIND = 16
#: A column of whose fields more than this share differ is not told apart.
_DIFFERENT = 0.25
#: So few are told apart, whatever their share.
_FEW = 100
#: Fields of more bytes are not told apart by words.
_LONGEST = 64
_SLOT_BITS = 17
_ROUNDS = (0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9)
_MASKS = np.array([(1 << 8 * count) - 1 for count in range(9)], np.uint64)
#: Numbers read at a time.
_BLOCK = 1 << 15
_PLAIN = re.compile(r"-?(?=.?[0-9])[0-9]{0,15}(?:\.[0-9]{0,15})?")
_LF, _CR = 10, 13
#: Places in files up to this size need half the room.
_NARROW = 1 << 31
_SPACE, _DELETE = 32, 127


class FieldTexts(Sequence[str]):
    """Texts that lie in the bytes of a file: some first ones as they are, then one for each place."""

    def __init__(self, first: Sequence[str], data: bytes, array: _Bytes, starts: Codes, ends: Codes) -> None:
        self.first, self._data, self._array = list(first), data, array
        self._starts, self._ends = starts, ends

    def __len__(self) -> int:
        return len(self.first) + len(self._starts)

    @overload
    def __getitem__(self, place: int) -> str: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[str]: ...
    def __getitem__(self, place: int | slice) -> str | Sequence[str]:
        if isinstance(place, slice):
            return [self[one] for one in range(*place.indices(len(self)))]
        row = place - len(self.first)
        if row < 0:
            return self.first[place]
        return self._data[self._starts[row] : self._ends[row]].decode()

    def __iter__(self) -> Iterator[str]:
        yield from self.first
        for start, end in zip(self._starts.tolist(), self._ends.tolist(), strict=True):
            yield self._data[start:end].decode()

    def sample(self, count: int) -> list[str]:
        """So many texts from all over."""
        step = max(len(self._starts) // count, 1)
        return [self[place] for place in range(len(self.first), len(self), step)]

    def trimmed(self) -> bool:
        """Whether no text has anything but letters, digits and signs of ASCII at its ends."""
        filled = self._starts < self._ends
        ends = np.concatenate([self._array[self._starts[filled]], self._array[self._ends[filled] - 1]])
        inside = bool(((ends > _SPACE) & (ends < _DELETE)).all()) if len(ends) else True
        return inside and all(text == text.strip() and text for text in self.first)

    def plain_numbers(self, codes: Codes) -> Floats | None:
        """The numbers that texts spell with digits and at most one point; None when one does otherwise."""
        words = words_of(self._array)
        values = np.empty(len(codes))

        def read(start: int) -> bool:
            rows = codes[start : start + _BLOCK] - np.int32(len(self.first))
            apart = np.flatnonzero(rows < 0)
            rows[apart] = 0
            first, count = int(rows[0]), len(rows)
            follow = not len(apart) and rows[-1] - first == count - 1 and (rows[1:] > rows[:-1]).all()
            own = slice(first, first + count) if follow else rows
            starts, ends = self._starts[own].astype(np.int64), self._ends[own].astype(np.int64)
            found, plain = decimals(self._array, words, starts, ends, alike=True)
            for place in apart.tolist():
                text = self.first[codes[start + place]]
                plain[place] = _PLAIN.fullmatch(text) is not None
                found[place] = float(text) if plain[place] else 0.0
            values[start : start + _BLOCK] = found
            return bool(plain.all())

        return values if all(abreast(read, range(0, len(codes), _BLOCK))) else None


def plain_columns(
    data: bytes, start: int, stop: int, separator: str, heads: Sequence[Sequence[str]], tails: Sequence[Sequence[str]]
) -> list[Column] | None:
    """The fields of the lines between two places as columns, each with the texts of `heads` above and of `tails` below;
    None when the lines do not all have as many fields as there are columns.

    Every line ends with a line feed; there are no quotes in it, and no byte is nought. Behind `stop` there are at least
    `BEHIND` bytes more.
    """
    array = np.frombuffer(data, np.uint8)
    words = words_of(array)
    mark, width = ord(separator), len(heads)
    first = _cut(array, next(_pieces(data, start, stop, _JUDGED)), mark, width)
    if first is None:
        return None
    building = [_Building(data, words, _rather_lies(words, starts, ends)) for starts, ends in first]
    for piece in _pieces(data, start, stop, _PIECE):
        found = _cut(array, piece, mark, width)
        if found is None:
            return None
        for column, (starts, ends) in zip(building, found, strict=True):
            column.add(starts, ends)
    return [one.column(array, head, tail) for one, head, tail in zip(building, heads, tails, strict=True)]


def _rather_lies(words: Words, starts: Codes, ends: Codes) -> bool:
    """Whether fields are better left where they lie than told apart, by those of a first piece."""
    lengths = ends - starts
    if int(lengths.max(initial=0)) > _LONGEST:
        return True
    _, new = _Met().codes(_keys(words, starts, lengths), 0)
    return len(new) > _DIFFERENT * len(starts) + _FEW


def _pieces(data: bytes, start: int, stop: int, size: int) -> Iterator[tuple[int, int]]:
    """Places between which whole lines lie."""
    while start < stop:
        end = data.find(b"\n", min(start + size, stop) - 1, stop) + 1 or stop
        yield start, end
        start = end


def _cut(array: _Bytes, piece: tuple[int, int], separator: int, width: int) -> list[tuple[Codes, Codes]] | None:
    """Where the fields of a piece begin and end, column by column; None when its lines are of another width."""
    start, stop = piece
    part = array[start:stop]
    is_end = part == _LF
    lines = np.count_nonzero(is_end)
    is_end |= part == separator
    ends: Codes = np.flatnonzero(is_end).astype(np.int32 if stop < _NARROW else np.int64)
    if len(ends) != lines * width or not (part[ends[width - 1 :: width]] == _LF).all():
        return None
    ends += start
    table = np.ascontiguousarray(ends.reshape(lines, width).T)
    after = table + 1
    first = np.empty_like(after[-1])
    first[0], first[1:] = start, after[-1][:-1]
    starts = [first, *after[:-1]]
    returns = array[table[-1] - 1] == _CR
    if returns.any():
        table[-1] -= returns
    return list(zip(starts, table, strict=True))


class _Building:
    """A column on its way: the different fields met so far and each row's, or only the places of its fields."""

    def __init__(self, data: bytes, words: Words, lies: bool) -> None:
        self.data, self.words, self.lies = data, words, lies
        self.starts: list[Codes] = []
        self.ends: list[Codes] = []
        self.codes: list[Codes] = []
        self.texts: list[str] = []
        self.met = _Met()
        self.long: dict[bytes, int] = {}

    def add(self, starts: Codes, ends: Codes) -> None:
        """Take in the fields of one more piece."""
        if not self.lies:
            self.codes.append(self._told_apart(starts, ends))
        else:
            self.starts.append(starts)
            self.ends.append(ends)

    def _told_apart(self, starts: Codes, ends: Codes) -> Codes:
        """The number of each field's text in the pool, to which new ones are added."""
        lengths = ends - starts
        if int(lengths.max(initial=0)) > _LONGEST:
            return self._one_by_one(starts, ends, range(len(starts)))
        codes, new = self.met.codes(_keys(self.words, starts, lengths), len(self.texts))
        self.texts += self._written(starts[new], ends[new])
        rest = np.flatnonzero(codes < 0)
        if len(rest):
            codes[rest] = self._one_by_one(starts, ends, rest.tolist())
        return codes

    def _written(self, starts: Codes, ends: Codes) -> Iterator[str]:
        for start, end in zip(starts.tolist(), ends.tolist(), strict=True):
            yield self.data[start:end].decode()

    def _one_by_one(self, starts: Codes, ends: Codes, rows: Sequence[int]) -> Codes:
        """Fields that are long, or share their slots with others."""
        codes = np.empty(len(rows), np.int32)
        for place, row in enumerate(rows):
            written = self.data[starts[row] : ends[row]]
            code = self.long.get(written)
            if code is None:
                code = self.long[written] = len(self.texts)
                self.texts.append(written.decode())
            codes[place] = code
        return codes

    def column(self, array: _Bytes, head: Sequence[str], tail: Sequence[str]) -> Column:
        """The column with texts above and below its fields."""
        first, above = [*head, *tail], len(head)
        outer = np.arange(len(first), dtype=np.int32)
        if self.lies:
            starts, ends = np.concatenate(self.starts), np.concatenate(self.ends)
            inner = np.arange(len(first), len(first) + len(starts), dtype=np.int32)
            texts: Sequence[str] = FieldTexts(first, self.data, array, starts, ends)
            filled = starts < ends
        else:
            inner = np.concatenate(self.codes) + np.int32(len(first))
            texts = [*first, *self.texts]
            filled = np.array([text != "" for text in texts], bool)[inner]
        written = np.array([text != "" for text in first], bool)
        filled = np.concatenate([written[:above], filled, written[above:]])
        kinds = np.where(filled, np.uint8(Kind.TEXT), np.uint8(Kind.BLANK))
        return Column(kinds, np.zeros(len(kinds)), np.concatenate([outer[:above], inner, outer[above:]]), texts)


def _keys(words: Words, starts: Codes, lengths: Codes) -> list[Words]:
    """The bytes of each field, eight to a word, with zeros behind its end: no byte of a field is nought."""
    keys = []
    longest, shortest = int(lengths.max(initial=0)), int(lengths.min(initial=_LONGEST))
    for first in range(0, max(longest, 1), 8):
        places = starts if first == 0 else np.minimum(starts + first, len(words) - 1)
        found = words[places]
        if longest != shortest:
            found &= _MASKS[np.clip(lengths - first, 0, 8)]
        elif longest - first < 8:  # all fields are as long: days, codes
            found &= _MASKS[longest - first]
        keys.append(found)
    return keys


class _Met:
    """The keys met so far, each in a slot of its own in one of several tables."""

    def __init__(self) -> None:
        self.tables = [np.full(1 << _SLOT_BITS, -1, np.int32) for _ in _ROUNDS]
        self.known: list[Words] = []
        self.room = 0

    def codes(self, keys: list[Words], count: int) -> tuple[Codes, Codes]:
        """The code of each key, with `count` and on for new ones; -1 for the few that find no slot. And a row of each
        new one, in the order of their codes."""
        self._widened(len(keys), count + len(keys[0]))
        keys = keys + [np.zeros(len(keys[0]), np.uint64)] * (len(self.known) - len(keys))
        codes = np.full(len(keys[0]), -1, np.int32)
        new: list[Codes] = []
        left = None
        for table, factor in zip(self.tables, _ROUNDS, strict=True):
            own = keys if left is None else [key[left] for key in keys]
            slots = _slots(own, np.uint64(factor))
            found, free = self._held(table, slots, own)
            if free.any():
                rows = np.flatnonzero(free)
                table[slots[rows]] = np.arange(len(rows))  # the last one to come holds the slot
                rows = rows[table[slots[rows]] == np.arange(len(rows))]
                table[slots[rows]] = np.arange(count, count + len(rows))
                for known, key in zip(self.known, own, strict=True):
                    known[count : count + len(rows)] = key[rows]
                new.append(rows if left is None else left[rows])
                count += len(rows)
                found, _ = self._held(table, slots, own)
            if left is None:
                codes = found
            else:
                codes[left] = found
            left = np.flatnonzero(codes < 0)
            if not len(left):
                break
        return codes, np.concatenate(new) if new else np.zeros(0, np.int64)

    def _held(self, table: Codes, slots: Codes, keys: Sequence[Words]) -> tuple[Codes, Booleans]:
        """The code of each key where its slot holds it, else -1; and which slots are free."""
        holder = table[slots]
        same = holder >= 0
        free = ~same
        for known, key in zip(self.known, keys, strict=True):
            same &= known[holder] == key
        return np.where(same, holder, np.int32(-1)), free

    def _widened(self, width: int, room: int) -> None:
        """Make room for keys of so many words, and for so many keys."""
        if room > self.room:
            room = max(room, 2 * self.room)
            self.known = [np.concatenate([known, np.zeros(room - self.room, np.uint64)]) for known in self.known]
            self.room = room
        while len(self.known) < width:
            self.known.append(np.zeros(self.room, np.uint64))


def _slots(keys: Sequence[Words], factor: np.uint64) -> Codes:
    """A slot for each key; words of zeros behind a key do not change it."""
    mixed = np.zeros(len(keys[0]), np.uint64)
    turn = factor
    for key in keys:
        mixed ^= key * turn
        turn = np.uint64((int(turn) * 0x2545F4914F6CDD1D | 1) & 0xFFFFFFFFFFFFFFFF)
    mixed ^= mixed >> np.uint64(31)
    return (mixed * factor >> np.uint64(64 - _SLOT_BITS)).view(np.int64)
