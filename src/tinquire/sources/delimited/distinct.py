"""Fields distinguished by their bytes: equal ones get the same number, whatever there is of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tinquire.cells.column import Codes
from tinquire.cells.words import Words

__all__ = ["Distinct"]

#: Slots at first, and at most, as powers of two.
_FEWEST_BITS, _MOST_BITS = 10, 20
#: There are this many slots for each key expected; when half of them are taken, more are made.
_SPARSE = 8
_ROUNDS = (0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9)
_NONE = np.zeros(0, np.int64)


class Distinct:
    """The keys met so far, each in a slot of its own in one of several tables."""

    def __init__(self, expected: int = 0) -> None:
        self._known: list[Words] = []
        self._room = 0
        self._placed: list[Codes] = []
        self._laid_out(min(max(_FEWEST_BITS, (_SPARSE * expected).bit_length()), _MOST_BITS))

    def _laid_out(self, bits: int) -> None:
        """Have this many slots, with the keys that are known in theirs."""
        self._bits = bits
        self._tables = [np.full(1 << bits, -1, np.int32) for _ in _ROUNDS]
        left = np.concatenate([_NONE, *self._placed])
        for table, factor in zip(self._tables, _ROUNDS, strict=True):
            slots = self._slots([known[left] for known in self._known], factor, len(left))
            table[slots] = left
            left = left[table[slots] != left]  # one that finds no slot will be met as if it were new

    def codes(self, keys: list[Words], count: int) -> tuple[Codes, Codes]:
        """The code of each key, with `count` and on for new ones; -1 for the few that find no slot. And a row of each
        new one, in the order of their codes."""
        self._widened(len(keys), count + len(keys[0]))
        keys = keys + [np.zeros(len(keys[0]), np.uint64)] * (len(self._known) - len(keys))
        new: list[Codes] = []
        first = count
        codes, left = self._held(self._tables[0], self._slots(keys, _ROUNDS[0], len(keys[0])), keys)
        for table, factor in zip(self._tables, _ROUNDS, strict=True):
            if not len(left):
                break
            own = [key[left] for key in keys]
            slots = self._slots(own, factor, len(left))
            rows = np.flatnonzero(table[slots] < 0)
            if len(rows):
                table[slots[rows]] = np.arange(len(rows))  # the last one to come holds the slot
                rows = rows[table[slots[rows]] == np.arange(len(rows))]
                table[slots[rows]] = np.arange(count, count + len(rows))
                for known, key in zip(self._known, own, strict=True):
                    known[count : count + len(rows)] = key[rows]
                new.append(left[rows])
                count += len(rows)
            codes[left], others = self._held(table, slots, own)
            left = left[others]
        if new:
            self._placed.append(np.arange(first, count))
            if 2 * sum(map(len, self._placed)) > 1 << self._bits and self._bits < _MOST_BITS:
                self._laid_out(self._bits + 2)
        return codes, np.concatenate(new) if new else _NONE

    def _held(self, table: Codes, slots: Codes, keys: Sequence[Words]) -> tuple[Codes, Codes]:
        """The code of each key where its slot holds it, else -1; and the positions of the others."""
        holder = table[slots]
        same = self._known[0][holder] == keys[0]  # of a free slot it is any key, and told from others below
        for known, key in zip(self._known[1:], keys[1:], strict=True):
            same &= known[holder] == key
        same &= holder >= 0
        if same.all():
            return holder, _NONE
        others = np.flatnonzero(~same)
        holder[others] = -1
        return holder, others

    def _widened(self, width: int, room: int) -> None:
        """Make room for keys of this many words, and for this many keys."""
        if room > self._room:
            room = max(room, 2 * self._room)
            self._known = [np.concatenate([known, np.zeros(room - self._room, np.uint64)]) for known in self._known]
            self._room = room
        while len(self._known) < width:
            self._known.append(np.zeros(self._room, np.uint64))

    def _slots(self, keys: Sequence[Words], factor: int, count: int) -> Codes:
        """A slot for each key; words of zeros after a key do not change it."""
        if not keys:
            return np.zeros(count, np.int64)
        mixed = keys[0] * np.uint64(factor)
        turn = factor
        for key in keys[1:]:
            turn = (turn * 0x2545F4914F6CDD1D | 1) & 0xFFFFFFFFFFFFFFFF
            mixed += key * np.uint64(turn)
        mixed >>= np.uint64(64 - self._bits)  # the upper bits of products with odd factors depend on all bits
        return mixed.view(np.int64)
