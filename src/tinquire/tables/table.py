"""`Table`: named, typed columns of equal length, and for each row where it came from."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Codes, Column
from tinquire.faults import DataError, Fault, known_names

__all__ = ["Field", "Origin", "Table"]


@dataclass(frozen=True, slots=True)
class Field:
    """A column's heading and type (see `tinquire.tables.types`); `formula` is what derived it, if anything did."""

    name: str
    type: str = "text"
    formula: str | None = None


@dataclass(frozen=True, slots=True)
class Origin:
    """Where each row came from: places into the lists of files and sheets, and the row's number in its sheet."""

    files: tuple[str, ...]
    sheets: tuple[str, ...]
    file: Codes
    sheet: Codes
    row: Codes

    def take(self, places: NDArray[Any]) -> Origin:
        return replace(self, file=self.file[places], sheet=self.sheet[places], row=self.row[places])

    def place(self, row: int) -> str:
        """The origin of a row (from zero) as a message says it."""
        file, sheet = self.files[self.file[row]], self.sheets[self.sheet[row]]
        inside = f", sheet '{sheet}'" if sheet else ""
        return f"{file}{inside}, row {self.row[row]}"

    def runs(self) -> Iterator[tuple[int, int, str, str, int]]:
        """Rows that follow each other here as they do where they came from: first row (from zero), how many, file,
        sheet, and the first row's number there."""
        if not len(self.row):
            return
        breaks = (np.diff(self.row) != 1) | (np.diff(self.file) != 0) | (np.diff(self.sheet) != 0)
        starts = [0, *(np.flatnonzero(breaks) + 1).tolist()]
        for start, stop in zip(starts, [*starts[1:], len(self.row)], strict=True):
            yield (
                start,
                stop - start,
                self.files[self.file[start]],
                self.sheets[self.sheet[start]],
                int(self.row[start]),
            )

    @classmethod
    def concat(cls, origins: Sequence[Origin]) -> Origin:
        if len(origins) == 1:
            return origins[0]
        files = list(dict.fromkeys(file for origin in origins for file in origin.files))
        sheets = list(dict.fromkeys(sheet for origin in origins for sheet in origin.sheets))
        file_parts, sheet_parts = [], []
        for origin in origins:
            file_map = np.array([files.index(file) for file in origin.files], np.int32)
            sheet_map = np.array([sheets.index(sheet) for sheet in origin.sheets], np.int32)
            file_parts.append(file_map[origin.file] if len(origin.file) else origin.file)
            sheet_parts.append(sheet_map[origin.sheet] if len(origin.sheet) else origin.sheet)
        return cls(
            tuple(files),
            tuple(sheets),
            np.concatenate(file_parts),
            np.concatenate(sheet_parts),
            np.concatenate([origin.row for origin in origins]),
        )


@dataclass(frozen=True)
class Table:
    """Columns of equal length under distinct headings. Tables are never changed; steps make new ones."""

    name: str
    fields: tuple[Field, ...]
    columns: tuple[Column, ...]
    origin: Origin | None = None

    @property
    def height(self) -> int:
        return len(self.columns[0]) if self.columns else 0

    @property
    def headings(self) -> list[str]:
        return [field.name for field in self.fields]

    def place(self, heading: str) -> int | None:
        """A column's place from zero: by its heading as written, or else without regard to case and outer spaces."""
        names = self.headings
        if heading in names:
            return names.index(heading)
        folded = heading.strip().casefold()
        return next((n for n, name in enumerate(names) if name.strip().casefold() == folded), None)

    def find(self, heading: str, stopped: str) -> int:
        """A column's place. Raises DataError, with the nearest heading, when there is none such."""
        place = self.place(heading)
        if place is None:
            raise DataError(missing_column(self, heading, stopped))
        return place

    def column(self, heading: str, stopped: str = "reading a table") -> Column:
        return self.columns[self.find(heading, stopped)]

    def field(self, heading: str, stopped: str = "reading a table") -> Field:
        return self.fields[self.find(heading, stopped)]

    def take(self, places: NDArray[Any]) -> Table:
        """The rows at the given places (indexes or a mask), in that order."""
        columns = tuple(column.take(places) for column in self.columns)
        return replace(self, columns=columns, origin=self.origin.take(places) if self.origin else None)

    def select(self, places: Sequence[int]) -> Table:
        """The columns at the given places, in that order."""
        fields = tuple(self.fields[place] for place in places)
        return replace(self, fields=fields, columns=tuple(self.columns[place] for place in places))

    def with_column(self, field: Field, column: Column) -> Table:
        """The table with a column added at the end, or put in the place of the one with its heading."""
        place = self.place(field.name)
        if place is None:
            return replace(self, fields=(*self.fields, field), columns=(*self.columns, column))
        fields, columns = list(self.fields), list(self.columns)
        fields[place], columns[place] = field, column
        return replace(self, fields=tuple(fields), columns=tuple(columns))

    def where(self, row: int) -> str:
        """Where a row (from zero) came from, as a message says it."""
        return self.origin.place(row) if self.origin else f"table '{self.name}', row {row + 1}"


def missing_column(table: Table, heading: str, stopped: str) -> Fault:
    why = f"table '{table.name}' has no column '{heading}': {known_names(heading, table.headings)}"
    return Fault(stopped, why, do="write the heading as it stands in the table")


def require(table: Table, headings: Sequence[str], stopped: str) -> list[int]:
    """Places of several columns. Raises one DataError for all that are missing."""
    places = [table.place(heading) for heading in headings]
    faults = [
        missing_column(table, heading, stopped)
        for heading, place in zip(headings, places, strict=True)
        if place is None
    ]
    if faults:
        raise DataError(*faults)
    return [place for place in places if place is not None]
