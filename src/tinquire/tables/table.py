"""`Table`: named, typed columns of equal length, and for each row where it came from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.column import Booleans, Column
from tinquire.tables.origin import Origin

__all__ = ["Field", "RowFormula", "Table"]


@dataclass(frozen=True, slots=True)
class Field:
    """A column's heading and type (see `tinquire.tables.types`).

    `identity` stands for the column's values: it survives other headings, other orders and fewer rows, and is a new one
    as soon as the values are others.
    """

    name: str
    type: str = "text"
    identity: object = field(default_factory=object, compare=False, repr=False)


@dataclass(frozen=True, slots=True)
class RowFormula:
    """The formula that derived a column, and where it still holds.

    `inputs` are the identities of the columns that it reads, by the casefolded heading that it calls them by. `rows`
    are the rows for which it is true (None: all). `step` says which step derived the column, `broken` which one made
    the formula untrue for the other rows.
    """

    text: str
    inputs: Mapping[str, object]
    rows: Booleans | None = None
    step: str = ""
    broken: str = ""

    def holds(self, height: int) -> Booleans:
        """For each of a table's rows whether the formula is true in it."""
        return np.ones(height, bool) if self.rows is None else self.rows

    def taken(self, places: NDArray[Any]) -> RowFormula:
        return self if self.rows is None else replace(self, rows=self.rows[places])

    def without(self, rows: Booleans) -> RowFormula:
        """The formula where it holds, but not in these rows."""
        return replace(self, rows=~rows if self.rows is None else self.rows & ~rows)


@dataclass(frozen=True)
class Table:
    """Columns of equal length under distinct headings. Tables are never changed; steps make new ones."""

    name: str
    fields: tuple[Field, ...]
    columns: tuple[Column, ...]
    origin: Origin | None = None
    #: What derived a column, by the column's identity.
    formulas: Mapping[object, RowFormula] = field(default_factory=dict)

    @property
    def height(self) -> int:
        return len(self.columns[0]) if self.columns else 0

    @property
    def headings(self) -> list[str]:
        return [field.name for field in self.fields]

    def index_of(self, heading: str) -> int | None:
        """A column's place from zero: by its heading as written, or else without regard to case and outer spaces."""
        names = self.headings
        if heading in names:
            return names.index(heading)
        folded = heading.strip().casefold()
        return next((n for n, name in enumerate(names) if name.strip().casefold() == folded), None)

    def find(self, heading: str, stopped: str) -> int:
        """A column's place. Raises DataError, with the nearest heading, when it does not exist."""
        position = self.index_of(heading)
        if position is None:
            raise DataError(missing_column(self, heading, stopped))
        return position

    def column(self, heading: str, stopped: str = "reading a table") -> Column:
        return self.columns[self.find(heading, stopped)]

    def field(self, heading: str, stopped: str = "reading a table") -> Field:
        return self.fields[self.find(heading, stopped)]

    def take(self, places: NDArray[Any]) -> Table:
        """The rows at the given places (indexes or a mask), in that order."""
        columns = tuple(column.take(places) for column in self.columns)
        formulas = {identity: formula.taken(places) for identity, formula in self.formulas.items()}
        return replace(
            self, columns=columns, origin=self.origin.take(places) if self.origin else None, formulas=formulas
        )

    def select(self, places: Sequence[int]) -> Table:
        """The columns at the given places, in that order."""
        fields = tuple(self.fields[index] for index in places)
        return replace(self, fields=fields, columns=tuple(self.columns[index] for index in places))

    def with_column(self, new: Field, column: Column, formula: RowFormula | None = None) -> Table:
        """The table with a column added at the end, or in place of the one with its heading.

        Its values are new, derived by `formula` if any; what was derived from the old ones no longer holds.
        """
        index = self.index_of(new.name)
        if index is not None and self.columns[index] is column and formula is None:
            return self._put(index, replace(new, identity=self.fields[index].identity), column, self.formulas)
        new = replace(new, identity=object())
        formulas = dict(self.formulas)
        before = None if index is None else formulas.pop(self.fields[index].identity, None)
        if formula is not None:
            formulas[new.identity] = formula
        elif before is not None:
            formulas[new.identity] = before.without(np.ones(self.height, bool))
        return self._put(index, new, column, formulas)

    def with_values(self, place: int, column: Column, rows: Booleans) -> Table:
        """The table with other values in some rows of a column: there, nothing holds that derived them or was derived
        from them."""
        if not rows.any():
            return self
        changed = self.fields[place].identity
        formulas = {
            identity: formula.without(rows) if identity is changed or changed in formula.inputs.values() else formula
            for identity, formula in self.formulas.items()
        }
        return self._put(place, self.fields[place], column, formulas)

    def _put(self, place: int | None, new: Field, column: Column, formulas: Mapping[object, RowFormula]) -> Table:
        if place is None:
            return replace(self, fields=(*self.fields, new), columns=(*self.columns, column), formulas=formulas)
        fields, columns = list(self.fields), list(self.columns)
        fields[place], columns[place] = new, column
        return replace(self, fields=tuple(fields), columns=tuple(columns), formulas=formulas)

    def row_formula(self, place: int) -> tuple[RowFormula, Mapping[str, str]] | None:
        """What derived a column, and the headings of today by those that its formula writes; None for a column that
        nothing derived. Where a column that the formula read is gone, it holds in no row."""
        formula = self.formulas.get(self.fields[place].identity)
        if formula is None:
            return None
        known = {item.identity: item.name for item in self.fields}
        if not all(identity in known for identity in formula.inputs.values()):
            return formula.without(np.ones(self.height, bool)), {}
        return formula, {written: known[identity] for written, identity in formula.inputs.items()}

    def where(self, row: int) -> str:
        """Where a row (from zero) came from, as a message says it."""
        return self.origin.describe(row) if self.origin else f"table '{self.name}', row {row + 1}"


def missing_column(table: Table, heading: str, stopped: str) -> Fault:
    why = f"table '{table.name}' has no column '{heading}': {known_names(heading, table.headings)}"
    return Fault(stopped, why, do="write the heading as it stands in the table")


def require_distinct(headings: Sequence[str], stopped: str, where: str) -> None:
    """Raises UseError when two columns would have one heading, case apart."""
    seen: set[str] = set()
    for heading in headings:
        if heading.casefold() in seen:
            why = f"two columns would be headed '{heading}'"
            raise UseError(Fault(stopped, why, where, "choose another heading"))
        seen.add(heading.casefold())


def require(table: Table, headings: Sequence[str], stopped: str) -> list[int]:
    """Places of several columns. Raises one DataError for all that are missing."""
    positions = [table.index_of(heading) for heading in headings]
    faults = [
        missing_column(table, heading, stopped)
        for heading, position in zip(headings, positions, strict=True)
        if position is None
    ]
    if faults:
        raise DataError(*faults)
    return [position for position in positions if position is not None]
