"""Tables laid out on sheets: headings, rows, living formulas where they are true, totals."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import Area, column_name
from tinquire.cells.column import Booleans, Column, Kind
from tinquire.formula.language.mentions import offset_text
from tinquire.formula.language.writing import escaped_column
from tinquire.layout.attachments import attach
from tinquire.layout.cell_formulas import living_formula
from tinquire.layout.dresser import Dresser, align_of, fit_width, heading_height
from tinquire.layout.entry_rules import entry_rules_over
from tinquire.layout.marks import marks_over
from tinquire.layout.outlines import Outline, group_rows, outlined
from tinquire.layout.pages import break_rows
from tinquire.layout.plans import BlockPlan, ColumnDress, Laid
from tinquire.layout.row_block import RowBlock
from tinquire.tables import RowFormula, Table
from tinquire.tables.addable import require_numbers
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.totals import TOTALS, total_of
from tinquire.tables.types import sum_type
from tinquire.workbook import Formula, Sheet, SheetTable
from tinquire.workbook.grid.sheet import TableColumn

__all__ = ["TableOnSheet", "lay_table"]

#: A column that changes between formulas and values more often than this holds values only: each change begins a run of
#: cells of its own, which is written and recalculated on its own.
_MOST_PARTS = 1_000
#: What SUBTOTAL's choices differ by that count rows hidden by hand, and those that do not (18.17.7.308).
_HIDDEN_TOO = 100


@dataclass(frozen=True, slots=True)
class TableOnSheet:
    """A table on a sheet: where it lies, its rows as shown (with rows of totals where it is an outline), its table
    part, kinds of totals by heading, and remarks on derived columns that hold values because their formula no longer
    says what they are."""

    sheet: Sheet
    laid: Laid
    table: Table
    part: SheetTable | None
    totals: Mapping[str, str]
    outline: Outline | None = None
    as_values: tuple[str, ...] = ()


def lay_table(
    sheet: Sheet, spot: tuple[int, int], plan: BlockPlan, table: Table, dresser: Dresser, table_name: str
) -> TableOnSheet:
    """Lay a table on a sheet, its first heading at `spot` (row, column), as a table part named `table_name`, with
    totals below it.

    Raises UseError when a living formula reads columns that are not shown, or only formulas are asked for and some no
    longer hold; DataError for missing columns.
    """
    stopped = plan.stopped
    positions = [table.find(name, stopped) for name in plan.columns] or list(range(len(table.fields)))
    shown = table.select(positions)
    totals = {shown.fields[shown.find(name, stopped)].name: kind for name, kind in plan.totals.items()}
    for name, kind in totals.items():
        require_numbers(shown, name, Aggregation(kind), stopped)
    outline = None
    if plan.outline is not None and table.height:
        outline = outlined(table, plan.outline, totals, dresser.house, stopped, plan.where)
        table = outline.table
        shown = table.select(positions)
    return _TableLayout(sheet, spot, plan, shown, totals, table_name, dresser, table, positions, outline).laid()


@dataclass(frozen=True)
class _TableLayout:
    """A table on its way to a sheet: `totals` are kinds of totals by heading."""

    sheet: Sheet
    spot: tuple[int, int]
    plan: BlockPlan
    table: Table
    totals: Mapping[str, str]
    name: str
    dresser: Dresser
    #: The whole table, of which the columns at `positions` are shown.
    whole: Table
    places: Sequence[int]
    outline: Outline | None
    as_values: list[str] = field(default_factory=list)

    @property
    def top(self) -> int:
        """The first row of data."""
        return self.spot[0] + 1

    @property
    def height(self) -> int:
        """Rows of the block; a table part has at least one, blank when there is no data."""
        return max(self.table.height, 1)

    def laid(self) -> TableOnSheet:
        sheet, plan, fields = self.sheet, self.plan, self.table.fields
        self.require_dressed()
        top, left = self.spot
        parts = tuple(self.column(index) for index in range(len(fields)))
        heading_height(sheet, top, left, self.table.headings, self.dresser)
        if (height := self.dresser.height("rows")) is not None:
            sheet.heights.update(dict.fromkeys(range(self.top, self.top + self.height), height))
        area = Area(top, left, top + self.height + bool(self.totals), left + len(fields) - 1)
        part = None
        if self.outline is None:
            part = SheetTable(self.name, area, parts, totals=bool(self.totals), filter=plan.filter)
            sheet.tables.append(part)
        elif plan.filter and sheet.filter is None:
            sheet.filter = area._replace(bottom=area.bottom - bool(self.totals))
        body = area._replace(top=top + 1, bottom=top + self.height)
        self.add_rules(body)
        if self.outline is not None and plan.outline is not None:
            group_rows(sheet, self.outline, self.top, plan.outline)
        breaks = break_rows(self.table, self.top, plan)
        if self.outline is not None:
            breaks = [row for row in breaks if not self.outline.is_total[row + 1 - self.top]]
        laid = Laid(area, (top, top), body, row_breaks=tuple(breaks))
        return TableOnSheet(sheet, laid, self.table, part, self.totals, self.outline, tuple(self.as_values))

    def require_dressed(self) -> None:
        """Raises UseError for dress of columns that are not there."""
        headings = self.table.headings
        gone = [name for name in self.plan.dress if self.table.index_of(name) is None]
        if gone:
            whys = [f"there is no column '{name}' to dress: {known_names(name, headings)}" for name in gone]
            do = "name a column that the sheet shows"
            raise UseError(*(Fault(self.plan.stopped, why, self.plan.where, do) for why in whys))

    def dress(self, heading: str) -> ColumnDress | None:
        return next((one for name, one in self.plan.dress.items() if name.casefold() == heading.casefold()), None)

    def add_rules(self, body: Area) -> None:
        """Marks and entry rules over the rows, but for rows of totals between them. Raises UseError."""
        plan, headings, dresser = self.plan, self.table.headings, self.dresser
        rows = [body]
        if self.outline is not None:
            rows = [body._replace(top=self.top + first, bottom=self.top + last) for first, last in self.outline.runs()]
        self.sheet.marks += marks_over(
            plan.marks, headings, rows, dresser.house, dresser.styles, plan.stopped, len(self.sheet.marks)
        )
        self.sheet.entry_rules += entry_rules_over(plan.entries, headings, rows, plan.stopped)

    def column(self, index: int) -> TableColumn:
        """Write one column, heading to total, and return what the table part says of it."""
        sheet, top, number = self.sheet, self.spot[0], self.spot[1] + index
        one, values = self.table.fields[index], self.table.columns[index]
        first, last = index == 0, index == len(self.table.fields) - 1
        align = align_of(one.type)
        heading = self.dresser.number("heading", None, first=first, last=last, align=align)
        sheet.put(top, number, Column.from_values([one.name]), heading)
        formula, rows = self.living(index)
        dress = self.dress(one.name)
        styles = self.dresser.run("rows", one.type, self.height, first=first, last=last, align=align)
        styles = self.dresser.dressed(styles, dress, look=True)
        if self.outline is not None:
            total = self.dresser.number("subtotal", self.total_type(index), first=first, last=last, align=align)
            styles[self.outline.is_total] = self.dresser.dressed(total, dress, look=False)
        sheet.put(self.top, number, values if self.table.height else Column.blank(1), styles)
        if formula is not None and rows.any():
            sheet.put_formula(Formula(formula, self.top, number), rows)
        if self.outline is not None and self.plan.living and one.name in self.totals:
            self.put_group_totals(self.outline, index)
        formula = formula if rows.all() else None
        if dress is not None and dress.width is not None:
            sheet.widths[number] = dress.width
        else:
            fit_width(sheet, number, one, values, self.dresser, button=self.plan.filter)
        if dress is not None and (dress.hidden or dress.fold == "closed"):
            sheet.hidden_columns.add(number)
        if dress is not None and dress.fold is not None:
            sheet.outline_columns[number] = 1
        if dress is not None and (dress.link or dress.note):
            places = np.arange(self.table.height) if self.outline is None else np.flatnonzero(~self.outline.is_total)
            rows_of = self.whole if self.outline is None else self.outline.data
            attach(sheet, [(self.top + int(place), number) for place in places], rows_of, dress, self.plan)
        if not self.totals:
            return TableColumn(one.name, formula)
        return self.total(self.top + self.height, index, formula)

    def put_group_totals(self, outline: Outline, index: int) -> None:
        """The totals of groups in a column as formulas; those of inner groups are left out of the outer ones."""
        number = self.spot[1] + index
        letter = column_name(number)
        choice = TOTALS[self.totals[self.table.fields[index].name]].subtotal - _HIDDEN_TOO
        for total in outline.totals:
            row = self.top + total.place
            value = self.table.columns[index].slice(total.place, total.place + 1)
            if value.kinds[0] != Kind.BLANK:
                cells = f"{letter}{self.top + total.first}:{letter}{self.top + total.last}"
                self.sheet.put(row, number, value, None, Formula(f"SUBTOTAL({choice},{cells})", row, number))

    def total_type(self, index: int) -> str | None:
        """The type of a column's total; None for a column without one."""
        one = self.table.fields[index]
        kind = self.totals.get(one.name)
        return (
            None if kind is None else "whole" if kind == "count" else sum_type(one.type) if kind == "sum" else one.type
        )

    def living(self, index: int) -> tuple[str | None, Booleans]:
        """A derived column's formula as its cells write it, and the rows that it stands in; None for values."""
        nowhere = np.zeros(self.table.height, bool)
        derived = self.whole.row_formula(self.places[index]) if self.plan.living else None
        if derived is None:
            return None, nowhere
        formula, called = derived
        # A formula's cell never shows a blank: where the column has one, it stays one.
        rows = formula.holds(self.table.height) & (self.table.columns[index].kinds != Kind.BLANK)
        data = np.ones(self.table.height, bool) if self.outline is None else ~self.outline.is_total
        parts = int(np.count_nonzero(np.diff(rows[data]))) + 1
        if not formula.holds(self.table.height)[data].all() or parts > _MOST_PARTS:
            self.note(index, formula, (rows if parts <= _MOST_PARTS else nowhere)[data])
        if not rows.any() or parts > _MOST_PARTS:
            return None, nowhere
        shown = self.table.headings
        if self.outline is not None:
            first = next(iter(self.outline.runs()))[0]
            body = Area(self.top + first, self.spot[1], self.top + first, self.spot[1] + len(shown) - 1)
            text = living_formula(formula.text, None, called, shown, self.plan.stopped, self.plan.where)
            cells = RowBlock(shown, [body], self.plan.stopped, self.plan.where).formula(text)
            return offset_text(cells, -first, 0), rows
        return living_formula(formula.text, self.name, called, shown, self.plan.stopped, self.plan.where), rows

    def note(self, index: int, formula: RowFormula, rows: Booleans) -> None:
        """Remark that a derived column holds values. Raises UseError where only formulas are asked for."""
        values = int((~rows).sum())
        name, why = self.table.fields[index].name, "they change from row to row too often"
        if formula.broken:
            why = f"{formula.broken} made them something else than {formula.text} gives"
        if self.plan.living_only:
            why = f"column '{name}' cannot be a formula in {values:,} of its rows: {why}"
            do = 'derive it after that step, or write formulas = "living" to have values there'
            raise UseError(Fault(self.plan.stopped, why, self.plan.where, do))
        self.as_values.append(f"column '{name}' holds values in {values:,} of its {counted(len(rows), 'row')}: {why}")

    def total(self, row: int, index: int, formula: str | None) -> TableColumn:
        """Write one cell of the totals row, and return the column with its total or label."""
        sheet, number = self.sheet, self.spot[1] + index
        one = self.table.fields[index]
        first, last = index == 0, index == len(self.table.fields) - 1
        kind = self.totals.get(one.name)
        if kind is None:
            label = self.plan.total_label if first else None
            style = self.dresser.number("total", None, first=first, last=last)
            sheet.put(row, number, Column.from_values([label]), style)
            return TableColumn(one.name, formula, total_label=label)
        shown_as = self.total_type(index)
        style = self.dresser.number("total", shown_as, first=first, last=last, align=align_of(shown_as or ""))
        style = self.dresser.dressed(style, self.dress(one.name), look=False)
        total = TOTALS[kind]
        # Over no numbers some totals would be errors, or a zero that no row has.
        worked = total_of(kind, self.data(index))
        living = self.plan.living and self.table.height > 0 and worked is not None
        text = f"SUBTOTAL({total.subtotal},{self.name}[{escaped_column(one.name)}])"
        if self.outline is not None:  # rows that are folded away count all the same
            letter = column_name(number)
            text = f"SUBTOTAL({total.subtotal - _HIDDEN_TOO},{letter}{self.top}:{letter}{row - 1})"
        written = Formula(text, row, number) if living else None
        sheet.put(row, number, Column.from_values([worked]), style, written)
        return TableColumn(one.name, formula, total=total.table_word if living else None)

    def data(self, index: int) -> Column:
        """The values of a column without those of rows of totals."""
        return self.table.columns[index] if self.outline is None else self.outline.data.columns[self.places[index]]
