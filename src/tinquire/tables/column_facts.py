"""What is in the columns of a table: how much of it, how many different values, and from where to where they go."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from tinquire.cells.column import Kind
from tinquire.cells.values import Value
from tinquire.tables.table import Table

__all__ = ["ColumnFacts", "column_facts"]


@dataclass(frozen=True, slots=True)
class ColumnFacts:
    """A column's heading and type, its values counted, and the first of them; `smallest` and `largest` are in the order
    of numbers, then texts, then yes/no."""

    heading: str
    type: str
    filled: int
    blank: int
    different: int
    smallest: Value
    largest: Value
    first: Value


def column_facts(table: Table) -> Iterator[ColumnFacts]:
    for field, column in zip(table.fields, table.columns, strict=True):
        filled = column.take(column.kinds != Kind.BLANK)
        _, distinct = filled.groups()
        ends = (distinct[0], distinct[len(distinct) - 1], filled[0]) if len(filled) else (None, None, None)
        yield ColumnFacts(field.name, field.type, len(filled), len(column) - len(filled), len(distinct), *ends)
