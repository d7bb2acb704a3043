"""Tables below each other, columns by heading."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from tinquire.cells.column import Column
from tinquire.tables.origin import Origin
from tinquire.tables.table import Field, RowFormula, Table

__all__ = ["stack_tables"]


def stack_tables(name: str, tables: Sequence[Table]) -> Table:
    """All rows of the tables, in order. Headings come in the order they are first met; what a table lacks is blank.

    A column keeps its type where all tables agree on it, and is text otherwise, but times with durations are durations.
    What derived it holds for the rows of those tables that derived it so, from columns that are stacked with it.
    """
    fields: dict[str, Field] = {}
    for table in tables:
        for field in table.fields:
            known = fields.setdefault(field.name.strip().casefold(), Field(field.name, field.type))
            if known.type != field.type:
                both = {known.type, field.type}
                kind = "duration" if both == {"time", "duration"} else "text"
                fields[field.name.strip().casefold()] = Field(known.name, kind)
    columns = []
    for field in fields.values():
        positions = [table.index_of(field.name) for table in tables]
        parts = [
            Column.blank(table.height) if index is None else table.columns[index]
            for table, index in zip(tables, positions, strict=True)
        ]
        columns.append(Column.concat(parts))
    origins = [table.origin or _own(table) for table in tables]
    made = tuple(fields.values())
    return Table(name, made, tuple(columns), Origin.concat(origins), _formulas(tables, fields))


def _formulas(tables: Sequence[Table], fields: Mapping[str, Field]) -> dict[object, RowFormula]:
    """What derived the stacked columns: for each the first formula among the tables, and the rows of all that have the
    same."""
    starts = np.cumsum([0, *(table.height for table in tables)]).tolist()
    found: dict[object, RowFormula] = {}
    for number, table in enumerate(tables):
        stacked_as = {field.identity: fields[field.name.strip().casefold()].identity for field in table.fields}
        for index, field in enumerate(table.fields):
            derived = table.row_formula(index)
            if derived is None:
                continue
            formula = derived[0]
            identity = stacked_as[field.identity]
            inputs = {written: stacked_as.get(read, read) for written, read in formula.inputs.items()}
            fresh = replace(formula, inputs=inputs, rows=np.zeros(starts[-1], bool))
            known = found.setdefault(identity, fresh)
            assert known.rows is not None
            if known.text == formula.text and known.inputs == inputs:
                known.rows[starts[number] : starts[number + 1]] = formula.holds(table.height)
    return {
        identity: replace(item, rows=None) if item.rows is not None and item.rows.all() else item
        for identity, item in found.items()
    }


def _own(table: Table) -> Origin:
    """The origin of rows that came from no file: the table itself."""
    zeros = np.zeros(table.height, np.int32)
    return Origin((f"table '{table.name}'",), ("",), zeros, zeros, np.arange(1, table.height + 1, dtype=np.int32))
