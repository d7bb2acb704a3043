"""Keys: rows told apart by the values of one or several columns."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tinquire.cells.column import Codes, Column
from tinquire.cells.display import general
from tinquire.cells.values import Value

__all__ = ["dense", "key_groups", "key_text"]

#: Group numbers that reach no further than so many times their count are numbered anew without sorting.
_SPARSE = 16


def dense(numbers: Codes) -> tuple[Codes, int]:
    """Whole numbers from nought on numbered anew in their order without gaps, and how many different ones there are."""
    if not len(numbers):
        return numbers.astype(np.int32), 0
    highest = int(numbers.max())
    if highest > _SPARSE * len(numbers) + 1000:
        known, places = np.unique(numbers, return_inverse=True)
        return places.astype(np.int32), len(known)
    met = np.zeros(highest + 1, np.int32)
    met[numbers] = 1
    places = np.cumsum(met, dtype=np.int32)
    return places[numbers] - np.int32(1), int(places[-1])


def key_groups(columns: Sequence[Column]) -> tuple[Codes, int]:
    """A group number for each row, equal where all columns are, in the order of the values; and how many there are.

    Texts are equal to the letter; a blank is a value of its own.
    """
    groups, _ = columns[0].groups()
    for column in columns[1:]:
        more, distinct = column.groups()
        groups, _ = dense(groups.astype(np.int64) * max(len(distinct), 1) + more)
    return groups.astype(np.int32), int(groups.max()) + 1 if len(groups) else 0


def key_text(columns: Sequence[Column], row: int) -> str:
    """A row's key as a message writes it."""
    return " with ".join(_quoted(column[row]) for column in columns)


def _quoted(value: Value) -> str:
    if value is None:
        return "a blank"
    return general(value) if isinstance(value, float) else f"'{value}'"
