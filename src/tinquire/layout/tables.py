"""Tables laid out on sheets: headings, rows, living formulas where they are true, totals."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import Area
from tinquire.cells.column import Booleans, Column, Kind
from tinquire.formula.language.writing import escaped_column
from tinquire.layout.cell_formulas import living_formula
from tinquire.layout.dresser import (
    ColumnDress,
    Dresser,
    SheetPlan,
    align_of,
    fit_width,
    heading_height,
    heading_row,
    put_title,
)  # fmt: skip
from tinquire.layout.entry_rules import entry_rules_over
from tinquire.layout.marks import marks_over
from tinquire.layout.pages import break_rows, set_pages
from tinquire.looks import House
from tinquire.tables import RowFormula, Table
from tinquire.tables.addable import require_numbers
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.totals import TOTALS, total_of
from tinquire.tables.types import sum_type
from tinquire.workbook import Formula, Sheet, SheetTable
from tinquire.workbook.grid.sheet import TableColumn
from tinquire.workbook.parts.styles import StyleBook

__all__ = ["TableOnSheet", "table_sheet"]

#: A column that changes between formulas and values more often than this holds values only: each change begins a run of
#: cells of its own, which is written and recalculated on its own.
_MOST_PARTS = 1_000


@dataclass(frozen=True, slots=True)
class TableOnSheet:
    """A sheet of a table: its first row of data, the columns as shown, kinds of totals by heading, and remarks on
    derived columns that hold values because their formula no longer says what they are."""

    sheet: Sheet
    top: int
    table: Table
    totals: Mapping[str, str]
    as_values: tuple[str, ...] = ()


def table_sheet(plan: SheetPlan, table: Table, house: House, styles: StyleBook, table_name: str) -> TableOnSheet:
    """A table on a sheet, as a table part named `table_name`, with totals below it.

    Raises UseError when a living formula reads columns that are not shown, or only formulas are asked for and some no
    longer hold; DataError for missing columns.
    """
    stopped = f"sheet '{plan.name}'"
    positions = [table.find(name, stopped) for name in plan.columns] or list(range(len(table.fields)))
    shown = table.select(positions)
    totals = {shown.fields[shown.find(name, stopped)].name: kind for name, kind in plan.totals.items()}
    for name, kind in totals.items():
        require_numbers(shown, name, Aggregation(kind), stopped)
    layout = _TableLayout(plan, shown, totals, table_name, Dresser(house, styles, plan), table, positions)
    return TableOnSheet(layout.sheet(), layout.top, shown, totals, tuple(layout.as_values))


@dataclass(frozen=True)
class _TableLayout:
    """A table on its way to a sheet: `totals` are kinds of totals by heading."""

    plan: SheetPlan
    table: Table
    totals: Mapping[str, str]
    name: str
    dresser: Dresser
    #: The whole table, of which the columns at `positions` are shown.
    whole: Table
    places: Sequence[int]
    as_values: list[str] = field(default_factory=list)

    @property
    def top(self) -> int:
        """The first row of data."""
        return heading_row(self.plan) + 1

    @property
    def height(self) -> int:
        """Rows of the block; a table part has at least one, blank when there is no data."""
        return max(self.table.height, 1)

    def sheet(self) -> Sheet:
        plan, fields = self.plan, self.table.fields
        self.require_dressed()
        sheet = Sheet(plan.name, landscape=plan.landscape, gridlines=False)
        top = put_title(sheet, plan, self.dresser)
        parts = tuple(self.column(sheet, top, number) for number in range(1, len(fields) + 1))
        heading_height(sheet, top, self.table.headings, self.dresser)
        area = Area(top, 1, top + self.height + bool(self.totals), len(fields))
        sheet.tables.append(SheetTable(self.name, area, parts, totals=bool(self.totals), filter=plan.filter))
        self.add_rules(sheet, Area(top + 1, 1, top + self.height, len(fields)))
        sheet.frozen = (top, plan.freeze_columns or 0) if plan.freeze else (0, plan.freeze_columns or 0)
        sheet.repeat_rows = (top, top)
        set_pages(sheet, plan, break_rows(self.table, top + 1, plan))
        return sheet

    def require_dressed(self) -> None:
        """Raises UseError for dress of columns that are not there."""
        headings = self.table.headings
        gone = [name for name in self.plan.dress if self.table.index_of(name) is None]
        if gone:
            whys = [f"there is no column '{name}' to dress: {known_names(name, headings)}" for name in gone]
            do = "name a column that the sheet shows"
            raise UseError(*(Fault(f"sheet '{self.plan.name}'", why, self.plan.where, do) for why in whys))

    def dress(self, heading: str) -> ColumnDress | None:
        return next((one for name, one in self.plan.dress.items() if name.casefold() == heading.casefold()), None)

    def add_rules(self, sheet: Sheet, rows: Area) -> None:
        """Marks and entry rules over the rows. Raises UseError."""
        plan, headings, stopped = self.plan, self.table.headings, f"sheet '{self.plan.name}'"
        sheet.marks = marks_over(plan.marks, headings, rows, self.dresser.house, self.dresser.styles, stopped)
        sheet.entry_rules = entry_rules_over(plan.entries, headings, rows, stopped)

    def column(self, sheet: Sheet, top: int, number: int) -> TableColumn:
        """Write one column, heading to total, and return what the table part says of it."""
        one, values = self.table.fields[number - 1], self.table.columns[number - 1]
        first, last = number == 1, number == len(self.table.fields)
        align = align_of(one.type)
        heading = self.dresser.number("heading", None, first=first, last=last, align=align)
        sheet.put(top, number, Column.from_values([one.name]), heading)
        formula, rows = self.living(number)
        dress = self.dress(one.name)
        styles = self.dresser.run("rows", one.type, self.height, first=first, last=last, align=align)
        styles = self.dresser.dressed(styles, dress, look=True)
        sheet.put(top + 1, number, values if self.table.height else Column.blank(1), styles)
        if formula is not None and rows.any():
            sheet.put_formula(Formula(formula, top + 1, number), rows)
        formula = formula if rows.all() else None
        fit_width(sheet, number, one, values, self.dresser, button=self.plan.filter)
        if dress is not None and dress.width is not None:
            sheet.widths[number] = dress.width
        if dress is not None and dress.hidden:
            sheet.hidden_columns.add(number)
        if not self.totals:
            return TableColumn(one.name, formula)
        return self.total(sheet, top + 1 + self.height, number, formula)

    def living(self, number: int) -> tuple[str | None, Booleans]:
        """A derived column's formula as its cells write it, and the rows that it stands in; None for values."""
        nowhere = np.zeros(self.table.height, bool)
        derived = self.whole.row_formula(self.places[number - 1]) if self.plan.living else None
        if derived is None:
            return None, nowhere
        formula, called = derived
        stopped = f"sheet '{self.plan.name}'"
        # A formula's cell never shows a blank: where the column has one, it stays one.
        rows = formula.holds(self.table.height) & (self.table.columns[number - 1].kinds != Kind.BLANK)
        parts = int(np.count_nonzero(np.diff(rows))) + 1
        if not formula.holds(self.table.height).all() or parts > _MOST_PARTS:
            self.note(number, formula, rows if parts <= _MOST_PARTS else nowhere)
        if not rows.any() or parts > _MOST_PARTS:
            return None, nowhere
        shown = self.table.headings
        return living_formula(formula.text, self.name, called, shown, stopped, self.plan.where), rows

    def note(self, number: int, formula: RowFormula, rows: Booleans) -> None:
        """Remark that a derived column holds values. Raises UseError where only formulas are asked for."""
        values = int((~rows).sum())
        name, why = self.table.fields[number - 1].name, "they change from row to row too often"
        if formula.broken:
            why = f"{formula.broken} made them something else than {formula.text} gives"
        if self.plan.living_only:
            why = f"column '{name}' cannot be a formula in {values:,} of its rows: {why}"
            do = 'derive it after that step, or write formulas = "living" to have values there'
            raise UseError(Fault(f"sheet '{self.plan.name}'", why, self.plan.where, do))
        self.as_values.append(f"column '{name}' holds values in {values:,} of its {counted(len(rows), 'row')}: {why}")

    def total(self, sheet: Sheet, row: int, number: int, formula: str | None) -> TableColumn:
        """Write one cell of the totals row, and return the column with its total or label."""
        one, values = self.table.fields[number - 1], self.table.columns[number - 1]
        first, last = number == 1, number == len(self.table.fields)
        kind = self.totals.get(one.name)
        if kind is None:
            label = self.plan.total_label if first else None
            style = self.dresser.number("total", None, first=first, last=last)
            sheet.put(row, number, Column.from_values([label]), style)
            return TableColumn(one.name, formula, total_label=label)
        shown_as = "whole" if kind == "count" else sum_type(one.type) if kind == "sum" else one.type
        style = self.dresser.number("total", shown_as, first=first, last=last, align=align_of(shown_as))
        style = self.dresser.dressed(style, self.dress(one.name), look=False)
        total = TOTALS[kind]
        # Over no numbers some totals would be errors, or a zero that no row has.
        worked = total_of(kind, values)
        living = self.plan.living and len(values) > 0 and worked is not None
        text = f"SUBTOTAL({total.subtotal},{self.name}[{escaped_column(one.name)}])"
        written = Formula(text, row, number) if living else None
        sheet.put(row, number, Column.from_values([worked]), style, written)
        return TableColumn(one.name, formula, total=total.table_word if living else None)
