"""Rows of two tables brought together by key: equal keys, keys cleaned first, or the nearest key below."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.cells.column import Booleans, Codes, Column, Kind
from tinquire.cells.display import general
from tinquire.cells.values import Value
from tinquire.tables.keys import key_groups

__all__ = ["CLEANINGS", "Matching", "clean_keys", "match_rows"]

_SPACES = re.compile(r"\s+")
_NOUGHTS = re.compile(r"\A0+(?=\d)")


def _without_noughts(text: str) -> str:
    return _NOUGHTS.sub("", text) if text.isdecimal() else text


#: What may be cleaned in keys that are texts; `kind` makes numbers the texts that they are written as.
CLEANINGS: dict[str, Callable[[str], str]] = {
    "spaces": lambda text: _SPACES.sub(" ", text).strip(),
    "case": str.casefold,
    "zeros": _without_noughts,
    "kind": lambda text: text,
}


def clean_keys(column: Column, ways: Sequence[str]) -> Column:
    """Keys cleaned in some of the ways of `CLEANINGS`; each distinct one is cleaned once."""
    if not ways:
        return column
    groups, distinct = column.groups()
    return Column.from_values(_clean(value, ways) for value in distinct).take(groups)


def _clean(value: Value, ways: Sequence[str]) -> Value:
    if isinstance(value, float) and not isinstance(value, bool) and "kind" in ways:
        value = general(value)
    if isinstance(value, str):
        for way, work in CLEANINGS.items():  # in their own order: spaces before zeros
            value = work(value) if way in ways else value
    return value


@dataclass(frozen=True, slots=True)
class Matching:
    """For each left row the right row that it is matched with, or -1; and keys as groups: those of left and right rows,
    and how many there are."""

    rows: Codes
    left: Codes
    right: Codes
    count: int

    @property
    def repeated(self) -> Booleans:
        """Which keys stand in several right rows."""
        return np.bincount(self.right, minlength=self.count) > 1

    @property
    def only_right(self) -> Codes:
        """The first right row of every key that no left row is matched with."""
        met = np.zeros(self.count, bool)
        met[self.right[self.rows[self.rows >= 0]]] = True
        keys, first = np.unique(self.right, return_index=True)
        return np.sort(first[~met[keys]])


def match_rows(
    left: Sequence[Column], right: Sequence[Column], *, last: bool = False, nearest: bool = False
) -> Matching:
    """Match rows by their keys, one column each: with the first row of equal keys, or the last one.

    With `nearest` the last key column holds numbers, and a row is matched with the largest that is not above its own,
    the other keys being equal.
    """
    both = [Column.concat([a, b]) for a, b in zip(left, right, strict=True)]
    groups, count = key_groups(both)
    ours, theirs = groups[: len(left[0])], groups[len(left[0]) :]
    rows = np.arange(len(theirs))
    row_of = np.full(max(count, 1), -1, np.int64)
    if last:
        row_of[theirs] = rows
    else:
        row_of[theirs[::-1]] = rows[::-1]
    found = _nearest(both, row_of, ours, theirs) if nearest else row_of[ours]
    return Matching(found, ours, theirs, count)


def _nearest(both: Sequence[Column], row_of: Codes, ours: Codes, theirs: Codes) -> Codes:
    """Keys are numbered in the order of their values, the last one within the others: the nearest key below is the
    nearest number below that has the same other keys."""
    split = len(ours)
    others, _ = key_groups(both[:-1]) if len(both) > 1 else (np.zeros(len(ours) + len(theirs), np.int32), 1)
    usable = both[-1].kinds == Kind.NUMBER
    known = np.unique(theirs[usable[split:]])
    if not len(known):
        return np.full(split, -1, np.int64)
    family = np.full(len(row_of), -1, np.int64)
    family[theirs] = others[split:]
    index = known.searchsorted(ours, side="right") - 1
    key = known[np.maximum(index, 0)]
    fits = (index >= 0) & (family[key] == others[:split]) & usable[:split]
    return np.where(fits, row_of[key], -1)
