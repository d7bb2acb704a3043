"""Pivots: rows of a table summed up by the values of its columns, with totals that aggregate rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from tinquire.cells.column import Codes, Column
from tinquire.cells.display import show
from tinquire.cells.languages import ENGLISH, Language
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import text_of
from tinquire.tables.origin import Members, Origin
from tinquire.tables.pivots.fields import Span
from tinquire.tables.pivots.groups import GroupSource, PivotValue
from tinquire.tables.table import Field, Table

__all__ = ["Pivot", "PivotRows", "PivotTable", "spelled"]

#: The heading between a column label and a value's name: `Bed, Charge`.
LABEL_JOINT = ", "


@dataclass(frozen=True, slots=True)
class PivotRows:
    """Which rows a pivot's numbers are of: for each line, and for each column group, the groups of rows in it; and
    where the rows of each group came from, once it is asked."""

    lines: Members
    across: Members
    groups: GroupSource

    def origin(self) -> Origin | None:
        return self.groups.origin()

    def with_total(self) -> Members:
        """The groups of rows in each line, and those of the totals row after them."""
        return Members.concat([self.lines, Members.of_lists([np.unique(self.lines.places)])])

    def at(self, line: int | None, group: int | None) -> Codes:
        """The groups of rows in a cell; in a total of a line, of a column or of all, where one or both are None."""
        down = np.unique(self.lines.places) if line is None else self.lines.of(line)
        return down if group is None else np.intersect1d(down, self.across.of(group))


@dataclass(frozen=True)
class Pivot:
    """A pivot calculated, line by line: groups of all row fields, and subtotals among them.

    `labels` are the row fields' values, one column each, and `depths` how many of them each line tells apart: all for a
    group, fewer for a subtotal. `across` holds the column fields' values of each column group (one group, without
    fields, when there are none). `cells[v]` holds value v for every line and column group, line after line;
    `row_totals[v]`, `column_totals[v]` and `grand[v]` are calculated from the rows of the table, so an average over
    all is the average of all rows.
    """

    name: str
    row_fields: tuple[Field, ...]
    column_fields: tuple[Field, ...]
    values: tuple[PivotValue, ...]
    value_types: tuple[str, ...]
    labels: tuple[Column, ...]
    across: tuple[Column, ...]
    cells: tuple[Column, ...]
    row_totals: tuple[Column, ...]
    column_totals: tuple[Column, ...]
    grand: tuple[Column, ...]
    totals: str | None = None
    totals_across: str | None = None
    depths: Codes = field(default_factory=lambda: np.zeros(0, np.int32))
    rows: PivotRows | None = None
    language: Language = ENGLISH
    #: What labels stand for that bring several values together, field by field: those of the rows, then the columns.
    spans: tuple[Mapping[str, Span], ...] = ()

    @property
    def height(self) -> int:
        return len(self.labels[0]) if self.labels else 1

    @property
    def width(self) -> int:
        """How many column groups there are."""
        return len(self.across[0]) if self.across else 1

    @property
    def subtotal_lines(self) -> Codes:
        """The lines that are subtotals."""
        return np.flatnonzero(self.depths < len(self.row_fields))

    def column_label(self, group: int) -> str:
        return LABEL_JOINT.join(
            spelled(column[group], self.language, item.type)
            for item, column in zip(self.column_fields, self.across, strict=True)
        )

    def value_column(self, value: int, group: int) -> Column:
        """One value of one column group, for every line."""
        return self.cells[value].take(np.arange(self.height) * self.width + group)

    def as_table(self) -> PivotTable:
        """The pivot as plain columns, the totals row at the foot when it is named."""
        fields = list(self.row_fields)
        columns = list(self.labels)
        totals: list[Value] = [self.totals, *([None] * (len(self.row_fields) - 1))]
        for group in range(self.width):
            for index, value in enumerate(self.values):
                fields.append(Field(self._heading(self.column_label(group), value), self.value_types[index]))
                columns.append(self.value_column(index, group))
                totals.append(self.column_totals[index][group])
        if self.totals_across is not None:
            for index, value in enumerate(self.values):
                fields.append(Field(self._heading(self.totals_across, value), self.value_types[index]))
                columns.append(self.row_totals[index])
                totals.append(self.grand[index][0])
        if self.totals is not None:
            columns = [
                Column.concat([column, Column.from_values([total])])
                for column, total in zip(columns, totals, strict=True)
            ]
        return PivotTable(self.name, tuple(fields), tuple(columns), pivot=self)

    def shown(self, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        """A value by its name and by items of fields: a cell, where all fields are given; the total of a line or a
        column, a subtotal, or the grand total, where fewer are. The error value `#REF!` when there is no such cell; a
        combination without rows is what `empty` says."""
        found = self.position(data, items)
        if found is None:
            return CellError.REF
        value, line, group = found
        if line is None:
            return self.grand[value][0] if group is None else self.column_totals[value][group]
        return self.row_totals[value][line] if group is None else self.cells[value][line * self.width + group]

    def position(self, data: str, items: Sequence[tuple[str, Value]]) -> tuple[int, int | None, int | None] | None:
        """Value, line and column group of what `shown` gives, without a line or a group for totals."""
        position = next((n for n, value in enumerate(self.values) if value.name.casefold() == data.casefold()), None)
        wanted = {name.casefold(): _key(item) for name, item in items}
        known = {one.name.casefold() for one in (*self.row_fields, *self.column_fields)}
        down = [wanted.get(row_field.name.casefold()) for row_field in self.row_fields]
        side = [wanted.get(column_field.name.casefold()) for column_field in self.column_fields]
        depth = len(down) - down.count(None)
        by_column = bool(side) and None not in side
        if (
            position is None
            or not set(wanted) <= known
            or None in down[:depth]
            or side.count(None) not in (0, len(side))
        ):
            return None
        line = self._line(down[:depth]) if depth else None
        group = _found(self.across, side) if by_column else None
        if (depth and line is None) or (by_column and group is None):
            return None
        return position, line, group

    def _line(self, keys: Sequence[str | None]) -> int | None:
        """The line of a group or, where there are subtotals, of a group of groups."""
        depth = len(keys)
        if depth == len(self.row_fields):
            rows = np.flatnonzero(self.depths == depth)
            found = _found([column.take(rows) for column in self.labels], keys)
            return None if found is None else int(rows[found])
        groups = np.flatnonzero(self.depths == len(self.row_fields))
        inner = _found([column.take(groups) for column in self.labels[:depth]], keys)
        if inner is None:
            return None
        lines = np.flatnonzero(self.depths == depth)
        # A subtotal stands right before the first of its groups, or after the last one.
        if len(lines) and lines[0] < groups[0]:
            return int(lines[np.searchsorted(lines, groups[inner]) - 1])
        return int(lines[np.searchsorted(lines, groups[inner])]) if len(lines) else None

    def _heading(self, label: str, value: PivotValue) -> str:
        if not self.column_fields:
            return value.name
        return label if len(self.values) == 1 else f"{label}{LABEL_JOINT}{value.name}"


@dataclass(frozen=True)
class PivotTable(Table):
    """A pivot as plain columns, of which formulas may also ask by labels."""

    pivot: Pivot | None = None

    def shown(self, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        return CellError.REF if self.pivot is None else self.pivot.shown(data, items)


def _found(columns: Sequence[Column], keys: Sequence[str | None]) -> int | None:
    """The first place at which all columns have the labels."""
    for index in range(len(columns[0]) if columns else 0):
        if all(_key(column[index]) == key for column, key in zip(columns, keys, strict=True)):
            return index
    return None


def _key(value: Value) -> str:
    """A label as formulas may write it: numbers by their text, texts without regard to case."""
    return "" if value is None else str(text_of(value)).casefold()


#: How labels show values of types whose numbers say nothing as they are; days as the language has them in figures.
_LABELS = {"time": "hh:mm", "duration": "[h]:mm"}


def spelled(value: Value, language: Language, kind: str) -> str:
    """A label of a column's type as text."""
    code = language.date_format if kind == "date" else _LABELS.get(kind, "General")
    return language.words.blank if value is None else show(value, code, language=language).text
