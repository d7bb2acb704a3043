"""Keys: rows distinguished by the values of one or several columns."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tinquire.cells.column import Codes, Column
from tinquire.cells.display import general
from tinquire.cells.ranks import dense
from tinquire.cells.values import Value

__all__ = ["key_groups", "key_text"]


def key_groups(columns: Sequence[Column]) -> tuple[Codes, int]:
    """A group number for each row, equal where all columns are, in the order of the values; and how many there are.

    Texts are equal to the letter; a blank is a value of its own.
    """
    groups, distinct = columns[0].groups()
    count = len(distinct)
    for column in columns[1:]:
        more, distinct = column.groups()
        width = max(len(distinct), 1)
        narrow = (count + 1) * width < np.iinfo(np.int32).max
        groups, count = dense(groups.astype(np.int32 if narrow else np.int64, copy=False) * width + more)
    return groups.astype(np.int32, copy=False), count


def key_text(columns: Sequence[Column], row: int) -> str:
    """A row's key as a message writes it."""
    return " with ".join(_quote(column[row]) for column in columns)


def _quote(value: Value) -> str:
    if value is None:
        return "a blank"
    return general(value) if isinstance(value, float) else f"'{value}'"
