"""Rows that a pack may have been made of: sources, and tables that were explained by them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.learn.lists import keyed
from tinquire.tables import Field, Table

__all__ = ["Known"]


@dataclass(frozen=True)
class Known:
    """A source or a table of a docket: its rows by heading, and for each row the part of its file's name that differs
    from file to file."""

    name: str
    values: Mapping[str, Sequence[Value]]
    types: Mapping[str, str] = field(default_factory=dict)
    stems: Sequence[str] = ()
    #: How a stamp says what differs in the names of files: `[:file.stem after 'pickups-':]`.
    stem_slot: str = ""

    @property
    def height(self) -> int:
        return len(next(iter(self.values.values()), ()))

    @cached_property
    def table(self) -> Table:
        columns = {name: Column.from_values(values) for name, values in self.values.items()}
        fields = tuple(Field(name, self.types.get(name, "text").partition(" ")[0]) for name in columns)
        return Table(self.name, fields, tuple(columns.values()))

    @cached_property
    def keys(self) -> Mapping[str, Mapping[tuple[type, Value], int]]:
        """Columns in which no value comes twice and none is blank, each with the row of each value."""
        found = {}
        for name, values in self.values.items():
            rows = {key: row for row, key in enumerate(keyed(values))}
            if len(rows) == len(values) and None not in values:
                found[name] = rows
        return found
