"""Rows of other tables that belong to a row, by keys: grouped once, however many rows ask for theirs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError
from tinquire.base.wording import known_names
from tinquire.cells.column import Codes
from tinquire.cells.values import Value
from tinquire.docket.schema.own import OwnModel
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.tables import Table

__all__ = ["OwnRows", "OwnTables", "error_of_row", "require_key"]


def require_key(key: str | None, table: Table, stopped: str, where: str) -> None:
    """Raises UseError for a key that is no column of the table that repeats an output."""
    if key is not None and table.index_of(key) is None:
        why = f"'{table.name}' has no column '{key}': {known_names(key, table.headings)}"
        raise UseError(Fault(stopped, why, where, "name one of these in key"))


def error_of_row(error: TinQuireError, place: str) -> TinQuireError:
    """The error with the row that it came up for: that is as much part of the place as where in the file it is."""
    faults = [replace(fault, where=f"{fault.where}; for {place}".removeprefix("; ")) for fault in error.faults]
    return type(error)(*faults)


class OwnRows:
    """The rows of a table by the values of its key columns, grouped once."""

    def __init__(self, table: Table, keys: Mapping[str, str], stopped: str, where: str) -> None:
        """`keys` are columns of the table and the columns of the row that they belong to. Raises UseError."""
        self._table, self._columns = table, list(keys.values())
        for name in keys:
            if table.index_of(name) is None:
                why = f"'{table.name}' has no column '{name}': {known_names(name, table.headings)}"
                raise UseError(Fault(stopped, why, where, "name one of these"))
        self._rows: dict[tuple[tuple[type, Value], ...], list[int]] = {}
        for row, values in enumerate(zip(*(table.column(name).to_list() for name in keys), strict=True)):
            self._rows.setdefault(tuple((type(value), value) for value in values), []).append(row)

    def of(self, scope: SlotScope) -> Table:
        """The rows that belong to the row at hand, which has all the columns."""
        assert scope.row is not None
        values = [(type(value), value) for name in self._columns for value in scope.row.column(name)]
        rows: Codes = np.array(self._rows.get(tuple(values), []), np.int64)
        return self._table.take(rows)

    def any_of(self, rows: Table) -> bool:
        """Whether a row of a table has any rows of this one."""
        keys = zip(*(rows.column(name).to_list() for name in self._columns), strict=True)
        return any(tuple((type(value), value) for value in one) in self._rows for one in keys)


class OwnTables:
    """The tables of an output's own rows, by the names that its slots use for them."""

    def __init__(
        self, results: Results, table: Table, asked: Mapping[str, OwnModel], stopped: str, where: str
    ) -> None:  # fmt: skip
        """Raises UseError for tables and columns that are not there, DataError when no row has any."""
        self._own = {key: _own_rows(results, table, one, stopped, where) for key, one in asked.items()}

    def over(self, scope: SlotScope) -> SlotScope:
        """The scope of a row, with its own rows in these tables."""
        if not self._own:
            return scope
        return replace(scope, tables={**scope.tables, **{key: rows.of(scope) for key, rows in self._own.items()}})


def _own_rows(results: Results, table: Table, model: OwnModel, stopped: str, where: str) -> OwnRows:
    """Rows by their keys. Raises UseError for a table that is not there, and DataError when no row has any."""
    known = results.tables.get(model.from_)
    if known is None:
        why = f"there is no table '{model.from_}': {known_names(model.from_, list(results.tables))}"
        raise UseError(Fault(stopped, why, where, "name one of these"))
    own = OwnRows(known, model.keys(), stopped, where)
    for name in model.keys().values():
        if table.index_of(name) is None:
            why = f"'{table.name}' has no column '{name}': {known_names(name, table.headings)}"
            raise UseError(Fault(stopped, why, where, "name one of these"))
    if known.height and table.height and not own.any_of(table):
        pairs = ", ".join(f"'{one}' and '{other}'" for one, other in model.keys().items())
        why = f"no row of '{model.from_}' belongs to any of '{table.name}': {pairs} have no value in common"
        raise DataError(Fault(stopped, why, where, "compare the columns; a number and a text are never the same"))
    return own
