"""Where the fields of delimited text begin and end (RFC 4180, section 2), found for many rows at once.

A quote opens a field only at the field's beginning, closes it only at its end, and stands for itself when it is doubled
in between; what is written otherwise is not cut here but left to a reader that takes it character by character.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Booleans, Codes

__all__ = ["BEHIND", "Bytes", "Cut", "cut", "pieces"]

Bytes = NDArray[np.uint8]
#: Bytes after the text, so that eight can be looked at from any of its places.
BEHIND = 16
#: A piece whose quotes do not close within this many times its size is no piece.
_STRETCH = 4
#: Rows of more bytes are left to the careful reader, which says what is wrong with them.
_LONGEST_ROW = 1 << 20
_LF, _CR, _QUOTE = 10, 13, 34
_LAST = np.uint64(63)


@dataclass(frozen=True, slots=True)
class Cut:
    """Whole rows from a position of a text on.

    `ends` holds, column by column, the position of the separator or line feed after each field, counted from `start`;
    `feeds` the positions of line feeds inside quotes.
    """

    start: int
    ends: Codes
    quoted: bool
    #: Whether carriage returns may stand in front of line feeds.
    returns: bool
    feeds: Codes

    def __len__(self) -> int:
        return self.ends.shape[1]

    @property
    def row_starts(self) -> Codes:
        """Where each row begins, seen from `start`."""
        starts = np.zeros(len(self), self.ends.dtype)
        np.add(self.ends[-1, :-1], 1, out=starts[1:])
        return starts

    def column(self, array: Bytes, place: int) -> tuple[Codes, Codes]:
        """Where the fields of a column begin and end in the text, seen from `start`, without their quotes."""
        starts, ends = self.ends[place - 1] + 1 if place else self.row_starts, self.ends[place]
        part = array[self.start :]
        if self.returns and place == len(self.ends) - 1:
            ends = ends - ((part[ends - 1] == _CR) & (ends > starts))
        if self.quoted:
            inside = part[starts] == _QUOTE
            starts, ends = starts + inside, ends - inside
        return starts, ends


def pieces(array: Bytes, data: bytes, start: int, stop: int, size: int, *, quoted: bool) -> Iterator[tuple[int, int]]:
    """Bounds of pieces of whole rows, each about this many bytes long.

    A piece whose quotes do not close is the last: it is too short or too long to be cut.
    """
    while start < stop:
        end = data.find(b"\n", min(start + size, stop) - 1, stop) + 1 or stop
        odd = quoted and np.count_nonzero(array[start:end] == _QUOTE) % 2
        while odd and end < min(stop, start + _STRETCH * size):
            last, end = end, data.find(b"\n", end, stop) + 1 or stop
            odd = (odd + data.count(b'"', last, end)) % 2
        yield start, end
        start = end


def cut(
    array: Bytes, piece: tuple[int, int], mark: int, width: int | None, *, quoted: bool, returns: bool
) -> Cut | None:
    """The rows of a piece; None when they do not all have as many fields (as the first, if no width is given), or are
    not plain. In front of the piece a line feed is expected, or the beginning of the text. `quoted` and `returns` say
    whether the text has any quotes and carriage returns."""
    start, stop = piece
    part = array[start:stop]
    marks = part == _LF
    inner = np.zeros(0, np.int64)
    rows = np.count_nonzero(marks)
    separates = part == mark
    if quoted:
        inside = _inside(array, part == _QUOTE, start, mark)
        if inside is None:
            return None
        inner = np.flatnonzero(marks & inside)
        rows -= len(inner)
        separates &= ~inside
        marks &= ~inside
    marks |= separates
    ends = np.flatnonzero(marks).astype(np.int32)  # a piece is small
    if not rows or part[-1] != _LF:
        return None
    width = width or int(np.argmax(part[ends] == _LF)) + 1
    last = ends[width - 1 :: width]
    if (
        len(ends) != rows * width
        or not (part[last] == _LF).all()
        or int(np.diff(last, prepend=-1).max()) > _LONGEST_ROW
    ):
        return None
    if returns and (array[np.flatnonzero(part == _CR) + (start + 1)] != _LF).any():
        return None  # outside of quotes it would end a row, inside it would count as a line
    return Cut(start, np.ascontiguousarray(ends.reshape(rows, width).T), quoted, returns, inner)


def _inside(array: Bytes, quotes: Booleans, start: int, mark: int) -> Booleans | None:
    """Which bytes of a piece stand after a quote that is open; None when a quote stands where none may."""
    at = np.flatnonzero(quotes) + start
    if len(at) % 2:
        return None
    before = array[at[0::2] - 1]
    if start == 0 and at[0] == 0:
        before[0] = _LF
    after = array[at[1::2] + 1]
    opens = (before == mark) | (before == _LF) | (before == _QUOTE)
    closes = (after == mark) | (after == _LF) | (after == _CR) | (after == _QUOTE)
    if not (opens.all() and closes.all()):
        return None
    return _parity(quotes)


def _parity(flags: Booleans) -> Booleans:
    """Whether the number of flags up to and with each place is odd: sixty-four places to a word."""
    count = len(flags)
    packed = np.packbits(flags, bitorder="little")
    words = np.zeros(-(-len(packed) // 8), np.uint64)
    words.view(np.uint8)[: len(packed)] = packed
    for shift in (1, 2, 4, 8, 16, 32):
        words ^= words << np.uint64(shift)
    odd = np.bitwise_xor.accumulate((words >> _LAST).astype(np.uint8))
    words[1:] ^= np.uint64(0) - odd[:-1]  # all bits of a word turn when those before it are odd
    return np.unpackbits(words.view(np.uint8), count=count, bitorder="little").view(np.bool_)
