"""Totals of columns: their words, and the functions that work them out in a workbook."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, TypeAlias

from tinquire.cells.column import Column, Kind
from tinquire.cells.values import Value

__all__ = ["TOTALS", "Total", "TotalKind", "total_of"]

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
    numbers = column.numbers[column.kinds == Kind.NUMBER]
    if kind == "count":
        return float((column.kinds != Kind.BLANK).sum())
    if not len(numbers):
        return 0.0 if kind == "sum" else None
    if kind in ("sum", "average"):
        added = float(numbers.sum())
        return added if kind == "sum" else added / len(numbers)
    return float(numbers.min() if kind == "smallest" else numbers.max())
