"""Totals of columns: their words, and the functions that work them out in a workbook."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal, TypeAlias

import numpy as np

from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.values import Value

__all__ = ["TOTALS", "Total", "TotalKind", "total_of", "totals_of"]

TotalKind: TypeAlias = Literal["sum", "average", "count", "smallest", "largest"]


@dataclass(frozen=True, slots=True)
class Total:
    """A total in a workbook: its function, SUBTOTAL's choice for it (100 and more leaves rows hidden by hand out), and
    the word of a table part for it (18.18.89)."""

    function: str
    subtotal: int
    table_word: str


TOTALS: Mapping[str, Total] = {
    "sum": Total("SUM", 109, "sum"), "average": Total("AVERAGE", 101, "average"),
    "count": Total("COUNTA", 103, "count"), "smallest": Total("MIN", 105, "min"),
    "largest": Total("MAX", 104, "max"),
}  # fmt: skip


def total_of(kind: str, column: Column) -> Value:
    """A total over a column's values, added up one by one; None over no numbers, where there is none."""
    return totals_of(kind, column, [(0, len(column) - 1)])[0]


def totals_of(kind: str, column: Column, runs: Iterable[tuple[int, int]]) -> list[Value]:
    """The totals over runs of a column's values, each from a first to a last one."""
    if kind == "count":
        filled = column.kinds != Kind.BLANK
        return [float(np.count_nonzero(filled[first : last + 1])) for first, last in runs]
    numeric = column.kinds == Kind.NUMBER
    behind = np.append(0, np.cumsum(numeric))  # how many numbers stand before each place
    numbers = column.numbers[numeric]
    return [_total(kind, numbers[behind[first] : behind[last + 1]]) for first, last in runs]


def _total(kind: str, numbers: Floats) -> Value:
    if not len(numbers):
        return 0.0 if kind == "sum" else None
    if kind in ("sum", "average"):
        added = float(numbers.sum())
        return added if kind == "sum" else added / len(numbers)
    return float(numbers.min() if kind == "smallest" else numbers.max())
