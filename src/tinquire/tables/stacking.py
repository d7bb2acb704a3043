"""Tables below each other, columns by heading."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tinquire.cells.column import Column
from tinquire.tables.table import Field, Origin, Table

__all__ = ["stacked"]


def stacked(name: str, tables: Sequence[Table]) -> Table:
    """All rows of the tables, in order. Headings come in the order they are first met; what a table lacks is blank.

    A column keeps its type where all tables agree on it, and is text otherwise.
    """
    fields: dict[str, Field] = {}
    for table in tables:
        for field in table.fields:
            known = fields.setdefault(field.name.strip().casefold(), field)
            if known.type != field.type:
                fields[field.name.strip().casefold()] = Field(known.name, "text")
    columns = []
    for field in fields.values():
        places = [table.place(field.name) for table in tables]
        parts = [
            Column.blank(table.height) if place is None else table.columns[place]
            for table, place in zip(tables, places, strict=True)
        ]
        columns.append(Column.concat(parts))
    origins = [table.origin or _own(table) for table in tables]
    return Table(name, tuple(fields.values()), tuple(columns), Origin.concat(origins))


def _own(table: Table) -> Origin:
    """The origin of rows that came from no file: the table itself."""
    zeros = np.zeros(table.height, np.int32)
    return Origin((f"table '{table.name}'",), ("",), zeros, zeros, np.arange(1, table.height + 1, dtype=np.int32))
