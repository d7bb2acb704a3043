"""Pivots: rows of a table summed up by the values of its columns, with totals that aggregate rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.cells.column import Codes, Column, Kind
from tinquire.cells.display import show
from tinquire.cells.values import Value
from tinquire.tables.aggregation import Aggregation, aggregated
from tinquire.tables.keys import key_groups
from tinquire.tables.table import Field, Table, require

__all__ = ["Pivot", "PivotValue", "pivoted"]

#: The heading between a column label and a value's name: `Bed, Charge`.
LABEL_JOINT = ", "


@dataclass(frozen=True, slots=True)
class PivotValue:
    """One value of a pivot: the column it works on, how, and the name it goes by."""

    column: str
    how: Aggregation
    name: str


@dataclass(frozen=True)
class Pivot:
    """A pivot worked out.

    `labels` are the row fields' values, one column each, a row per group; `across` the column fields' values the
    same way (one group, without fields, when there are none). `cells[v]` holds value v for every (row, column) group,
    row by row; `row_totals[v]`, `column_totals[v]` and `grand[v]` are worked out from the rows of the table, so an
    average over all is the average of all rows.
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

    @property
    def height(self) -> int:
        return len(self.labels[0]) if self.labels else 1

    @property
    def width(self) -> int:
        """How many column groups there are."""
        return len(self.across[0]) if self.across else 1

    def column_label(self, group: int) -> str:
        return LABEL_JOINT.join(_spelled(column[group]) for column in self.across)

    def value_column(self, value: int, group: int) -> Column:
        """One value of one column group, for every row group."""
        return self.cells[value].take(np.arange(self.height) * self.width + group)

    def as_table(self) -> Table:
        """The pivot as plain columns, the totals row at the foot when it is named."""
        fields = list(self.row_fields)
        columns = list(self.labels)
        totals: list[Value] = [self.totals, *([None] * (len(self.row_fields) - 1))]
        for group in range(self.width):
            for place, value in enumerate(self.values):
                fields.append(Field(self._heading(self.column_label(group), value), self.value_types[place]))
                columns.append(self.value_column(place, group))
                totals.append(self.column_totals[place][group])
        if self.totals_across is not None:
            for place, value in enumerate(self.values):
                fields.append(Field(self._heading(self.totals_across, value), self.value_types[place]))
                columns.append(self.row_totals[place])
                totals.append(self.grand[place][0])
        if self.totals is not None:
            columns = [
                Column.concat([column, Column.from_values([total])])
                for column, total in zip(columns, totals, strict=True)
            ]
        return Table(self.name, tuple(fields), tuple(columns))

    def _heading(self, label: str, value: PivotValue) -> str:
        if not self.column_fields:
            return value.name
        return label if len(self.values) == 1 else f"{label}{LABEL_JOINT}{value.name}"


def pivoted(
    table: Table,
    rows: Sequence[str],
    columns: Sequence[str],
    values: Sequence[PivotValue],
    *,
    empty: Value = None,
    totals: str | None = None,
    totals_across: str | None = None,
) -> Pivot:
    """Sum up a table by row and column fields; every row group meets every column group.

    `empty` stands where a combination has no rows. Raises DataError for columns that are missing.
    """
    stopped = f"pivot '{table.name}'"
    row_places, column_places = require(table, rows, stopped), require(table, columns, stopped)
    down, labels = _grouped(table, row_places)
    side, across = _grouped(table, column_places)
    height, width = len(labels[0]) if labels else 1, len(across[0]) if across else 1
    crossed = (down.astype(np.int64) * width + side).astype(np.int32)
    zero = np.zeros(table.height, np.int32)
    taken = [table.columns[place] for place in require(table, [value.column for value in values], stopped)]

    def worked(groups: Codes, count: int) -> tuple[Column, ...]:
        return tuple(aggregated(value.how, column, groups, count) for value, column in zip(values, taken, strict=True))

    return Pivot(
        name=table.name,
        row_fields=tuple(table.fields[place] for place in row_places),
        column_fields=tuple(table.fields[place] for place in column_places),
        values=tuple(values),
        value_types=tuple(_type(value, table) for value in values),
        labels=labels,
        across=across,
        cells=tuple(_filled(cell, empty, crossed) for cell in worked(crossed, height * width)),
        row_totals=worked(down, height),
        column_totals=worked(side, width),
        grand=worked(zero, 1),
        totals=totals,
        totals_across=totals_across,
    )


def _grouped(table: Table, places: Sequence[int]) -> tuple[Codes, tuple[Column, ...]]:
    """Each row's group, and the fields' values of every group, in their order."""
    if not places:
        return np.zeros(table.height, np.int32), ()
    columns = [table.columns[place] for place in places]
    groups, _ = key_groups(columns)
    _, first = np.unique(groups, return_index=True)
    return groups, tuple(column.take(first) for column in columns)


def _filled(cells: Column, empty: Value, groups: Codes) -> Column:
    """Cells with `empty` where no row fell; a combination that has rows but no numbers is left as it is."""
    if empty is None:
        return cells
    met = np.zeros(len(cells), bool)
    met[groups] = True
    return Column.where(~met & (cells.kinds == Kind.BLANK), Column.full(empty, 1), cells)


def _type(value: PivotValue, table: Table) -> str:
    if value.how in (Aggregation.COUNT, Aggregation.NUMBERS, Aggregation.DISTINCT):
        return "whole"
    kind = table.field(value.column).type
    return "number" if kind == "whole" and value.how is Aggregation.AVERAGE else kind


def _spelled(value: Value) -> str:
    return "(blank)" if value is None else show(value).text
