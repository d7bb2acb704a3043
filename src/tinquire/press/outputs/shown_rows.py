"""Rows that a workbook shows: what formulas and charts of the same workbook may read, and where."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from tinquire.base.faults import Fault, UseError
from tinquire.cells.address import column_name, quoted_sheet
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.layout.blocks import FigureShown
from tinquire.layout.plans import BlockPlan, Laid
from tinquire.layout.tables import TableOnSheet
from tinquire.tables import Table
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import SheetTable
from tinquire.workbook.grid.sheet_names import safe_defined_name
from tinquire.workbook.pivots.making import NewStore

__all__ = [
    "Cut", "Heading", "ShownRows", "WorkbookRows", "heading_of_figures", "headings_of_pivot",
    "headings_of_table", "runs_of",
]  # fmt: skip

#: A column and the value that rows are cut to.
Cut = tuple[str, Value]


@dataclass(frozen=True, slots=True)
class Heading:
    """A column that is shown: the words that mean it, its values, its type, and the cell (row, column) that names
    it."""

    names: tuple[str, ...]
    values: Column
    type: str
    cell: tuple[int, int] | None
    #: What a legend calls it.
    title: str
    #: Whether it holds a total across others.
    is_total: bool = False


@dataclass(frozen=True)
class ShownRows:
    """A table, pivot, statement or panel of figures on a sheet: its columns, of which the first stands in column
    `left`, its first row, and runs of rows (from zero, last one included) that are no totals of others."""

    name: str
    sheet: str
    cuts: Sequence[Cut]
    top: int
    left: int
    headings: Sequence[Heading]
    runs: Sequence[tuple[int, int]]
    labels: int = 1

    def find(self, name: str) -> list[int]:
        """The columns that a name means, without regard to case."""
        folded = name.strip().casefold()
        exact = [n for n, one in enumerate(self.headings) if one.names and one.names[0].casefold() == folded]
        every = (n for n, one in enumerate(self.headings) if folded in (other.casefold() for other in one.names))
        return exact or [n for n in every if not self.headings[n].is_total]

    def cells(self, index: int, most: int | None) -> tuple[str, list[int]]:
        """The formula of a column's cells, and their rows from zero; at most the first so many."""
        rows = [row for first, last in self.runs for row in range(first, last + 1)][:most]
        letter, sheet = column_name(self.left + index), quoted_sheet(self.sheet)
        areas: list[list[int]] = []
        for row in rows:
            if areas and areas[-1][1] == row - 1:
                areas[-1][1] = row
            else:
                areas.append([row, row])
        texts = [f"{sheet}!${letter}${self.top + first}:${letter}${self.top + last}" for first, last in areas]
        return (texts[0] if len(texts) == 1 else f"({','.join(texts)})" if texts else ""), rows


@dataclass
class WorkbookRows:
    """All rows that a workbook shows so far."""

    #: Table parts that show all rows of a table of the docket, by its name.
    whole: dict[str, SheetTable] = field(default_factory=dict)
    shown: list[ShownRows] = field(default_factory=list)
    #: Names of the workbook that are taken, casefolded.
    names: set[str] = field(default_factory=set)
    #: Stores of pivots by the table of the docket, and names of pivots that are taken, casefolded.
    stores: dict[str, NewStore] = field(default_factory=dict)
    pivot_names: set[str] = field(default_factory=set)

    def take_name(self, name: str, plan: BlockPlan) -> str:
        """A name of the workbook for a figure. Raises UseError for one that is taken."""
        safe = safe_defined_name(name)
        if safe.casefold() in self.names:
            why = f"the workbook has the name '{safe}' already"
            raise UseError(Fault(plan.stopped, why, plan.where, "give figures their names in one block only"))
        self.names.add(safe.casefold())
        return safe

    def table(self, name: str, plan: BlockPlan) -> SheetTable:
        """The table part that formulas read; it must come before them. Raises UseError."""
        found = self.whole.get(name)
        if found is None:
            why = f"its formulas are living, and no sheet before it shows the table '{name}' whole, without an outline"
            do = 'put a sheet of it first, or write formulas = "values"'
            raise UseError(Fault(plan.stopped, why, plan.where, do))
        return found

    def rows(self, name: str, sheet: str, cuts: Sequence[Cut]) -> ShownRows | None:
        """Where rows of a name are shown that are cut alike: on the same sheet, or on one before it."""
        alike = [item for item in self.shown if item.name.casefold() == name.casefold() and set(item.cuts) == set(cuts)]
        own = [item for item in alike if item.sheet == sheet]
        return next(iter(reversed(own or alike)), None)


# -- headings --------------------------------------------------------------------------------------------


def headings_of_table(table: Table, spot: tuple[int, int]) -> list[Heading]:
    """The columns of a table or statement whose first heading stands at a spot."""
    return [
        Heading((item.name,), column, item.type, (spot[0], spot[1] + index), item.name)
        for index, (item, column) in enumerate(zip(table.fields, table.columns, strict=True))
    ]


def headings_of_pivot(pivot: Pivot, laid: Laid) -> list[Heading]:
    """The columns of a pivot: labels by their field, values by their heading, by the value's name for all its columns,
    or by their label across."""
    assert laid.head is not None
    table, labels, values = pivot.as_table(), len(pivot.row_fields), len(pivot.values)
    found = []
    for index, (item, column) in enumerate(zip(table.fields, table.columns, strict=True)):
        body = column.slice(0, pivot.height)
        cell = (laid.head[0], laid.area.left + index)
        if index < labels:
            found.append(Heading((item.name,), body, item.type, cell, item.name))
            continue
        group, value = divmod(index - labels, values)
        is_total = bool(pivot.column_fields) and group >= pivot.width
        across = pivot.column_label(group) if group < pivot.width else pivot.totals_across or ""
        name = pivot.values[value].name
        if not pivot.column_fields:
            found.append(Heading((item.name, name), body, item.type, cell, name))
            continue
        named = (laid.head[0], laid.area.left + labels + group * values)
        names = (item.name, name, across) if values == 1 else (item.name, name)
        found.append(Heading(names, body, item.type, named, across, is_total))
    return found


def heading_of_figures(
    figures: Sequence[FigureShown], sheet: str, cuts: Sequence[Cut], spot: tuple[int, int]
) -> ShownRows:
    """Figures as rows: their labels, and their values."""
    labels = Column.from_values([figure.label for figure in figures])
    values = Column.from_values([figure.value for figure in figures])
    headings = [
        Heading(("Figure",), labels, "text", None, "Figure"), Heading(("Value",), values, "number", None, "Value"),
    ]  # fmt: skip
    return ShownRows("figures", sheet, cuts, *spot, headings, [(0, len(figures) - 1)])


def runs_of(shown: TableOnSheet) -> list[tuple[int, int]]:
    """The rows of a table on a sheet that are no totals of others."""
    if shown.outline is not None:
        return shown.outline.runs()
    return [(0, shown.table.height - 1)] if shown.table.height else []
