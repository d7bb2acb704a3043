"""Tables and pivots laid out on sheets and dressed: titles, headings, rows, totals, widths, borders."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted
from tinquire.cells.address import Area
from tinquire.cells.column import Booleans, Codes, Column, Kind
from tinquire.cells.display import show_column
from tinquire.cells.values import Value
from tinquire.formula.language.writing import escaped_column
from tinquire.layout.cell_formulas import living_formula
from tinquire.looks import Appearance, House
from tinquire.looks.widths import deciding, fitting_width, wrapped_lines
from tinquire.tables import Field, RowFormula, Table
from tinquire.tables.addable import require_numbers
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.pivot import Pivot
from tinquire.tables.totals import TOTALS, total_of
from tinquire.tables.types import AMOUNTS, added_type
from tinquire.workbook import Formula, Sheet, SheetTable
from tinquire.workbook.grid.sheet import TableColumn
from tinquire.workbook.parts.styles import StyleBook

__all__ = [
    "Dresser",
    "SheetPlan",
    "TableOnSheet",
    "align_of",
    "fit_width",
    "pivot_sheet",
    "put_title",
    "safe_table_name",
    "table_sheet",
]

#: A line of text is this many times as high as its letters.
_LINE_HEIGHT = 1.45
_TITLE_ROOM = 8.0
#: A column that changes between formulas and values more often than this holds values only: each change begins a run of
#: cells of its own, which is written and recalculated on its own.
_MOST_PARTS = 1_000


@dataclass(frozen=True)
class SheetPlan:
    """What a sheet shall be, slots filled; `where` is its place in the docket, for messages."""

    name: str
    title: str | None = None
    columns: Sequence[str] = ()
    totals: Mapping[str, str] = field(default_factory=dict)
    total_label: str = "Total"
    living: bool = False
    #: A derived column that cannot be a formula in every row stops the run.
    living_only: bool = False
    freeze: bool = True
    filter: bool = True
    landscape: bool = False
    looks: Mapping[str, str] = field(default_factory=dict)
    where: str = ""

    def look(self, part: str) -> str:
        return self.looks.get(part, part)


class Dresser:
    """Style numbers of a house's looks in one workbook."""

    def __init__(self, house: House, styles: StyleBook, plan: SheetPlan) -> None:
        self.house = house
        self.styles = styles
        self.plan = plan
        #: Appearances and styles that were asked for before: a sheet has thousands of cells and a few looks.
        self._plain: dict[tuple[str, str | None], Appearance] = {}
        self._numbers: dict[tuple[object, ...], int] = {}

    def plain(self, part: str, kind: str | None = None) -> Appearance:
        if (part, kind) not in self._plain:
            self._plain[part, kind] = self.house.appearance(self.plan.look(part), kind)
        return self._plain[part, kind]

    def number(
        self, part: str, kind: str | None, *, first: bool, last: bool, top: bool = True, bottom: bool = True,
        align: str | None = None,
    ) -> int:  # fmt: skip
        """The style of a cell in a block: `first` and `last` column, `top` and `bottom` row."""
        key = (part, kind, first, last, top, bottom, align)
        if key not in self._numbers:
            look = self.plain(part, kind)
            rule = self.house.borders(self.plan.look(part))
            edges = rule.edges(first_row=top, last_row=bottom, first_column=first, last_column=last)
            self._numbers[key] = self.styles.number(replace(look.bordered(edges), align=look.align or align))
        return self._numbers[key]

    def run(self, part: str, kind: str | None, height: int, *, first: bool, last: bool, align: str | None) -> Codes:
        """The styles of a column of a block, downwards: its first and last row carry the outside lines."""
        styles = np.full(height, self.number(part, kind, first=first, last=last, top=False, bottom=False, align=align))
        if height == 1:
            styles[0] = self.number(part, kind, first=first, last=last, align=align)
        elif height:
            styles[0] = self.number(part, kind, first=first, last=last, bottom=False, align=align)
            styles[-1] = self.number(part, kind, first=first, last=last, top=False, align=align)
        return styles.astype(np.int32)

    @property
    def scale(self) -> float:
        """The size of the rows' letters over that of the workbook's plain font."""
        return self.plain("rows").size / self.styles.plain_font[1]


def align_of(kind: str) -> str | None:
    return "right" if kind in AMOUNTS else "left" if kind in ("date", "time") else None


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
    places = [table.find(name, stopped) for name in plan.columns] or list(range(len(table.fields)))
    shown = table.select(places)
    totals = {shown.fields[shown.find(name, stopped)].name: kind for name, kind in plan.totals.items()}
    for name, kind in totals.items():
        require_numbers(shown, name, Aggregation(kind), stopped)
    layout = _TableLayout(plan, shown, totals, table_name, Dresser(house, styles, plan), table, places)
    return TableOnSheet(layout.sheet(), layout.top, shown, totals, tuple(layout.as_values))


@dataclass(frozen=True)
class _TableLayout:
    """A table on its way to a sheet: `totals` are kinds of totals by heading."""

    plan: SheetPlan
    table: Table
    totals: Mapping[str, str]
    name: str
    dresser: Dresser
    #: The whole table, of which the columns at `places` are shown.
    whole: Table
    places: Sequence[int]
    as_values: list[str] = field(default_factory=list)

    @property
    def top(self) -> int:
        """The first row of data."""
        return _heading_row(self.plan) + 1

    @property
    def height(self) -> int:
        """Rows of the block; a table part has at least one, blank when there is no data."""
        return max(self.table.height, 1)

    def sheet(self) -> Sheet:
        plan, fields = self.plan, self.table.fields
        sheet = Sheet(plan.name, landscape=plan.landscape, gridlines=False)
        top = put_title(sheet, plan, self.dresser)
        parts = tuple(self.column(sheet, top, number) for number in range(1, len(fields) + 1))
        _heading_height(sheet, top, self.table.headings, self.dresser)
        area = Area(top, 1, top + self.height + bool(self.totals), len(fields))
        sheet.tables.append(SheetTable(self.name, area, parts, totals=bool(self.totals), filter=plan.filter))
        sheet.frozen = (top, 0) if plan.freeze else (0, 0)
        sheet.repeat_rows = (top, top)
        return sheet

    def column(self, sheet: Sheet, top: int, number: int) -> TableColumn:
        """Write one column, heading to total, and return what the table part says of it."""
        one, values = self.table.fields[number - 1], self.table.columns[number - 1]
        first, last = number == 1, number == len(self.table.fields)
        align = align_of(one.type)
        heading = self.dresser.number("heading", None, first=first, last=last, align=align)
        sheet.put(top, number, Column.from_values([one.name]), heading)
        formula, rows = self.living(number)
        styles = self.dresser.run("rows", one.type, self.height, first=first, last=last, align=align)
        sheet.put(top + 1, number, values if self.table.height else Column.blank(1), styles)
        if formula is not None and rows.any():
            sheet.put_formula(Formula(formula, top + 1, number), rows)
        formula = formula if rows.all() else None
        fit_width(sheet, number, one, values, self.dresser, button=self.plan.filter)
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
        shown_as = "whole" if kind == "count" else added_type(one.type) if kind == "sum" else one.type
        style = self.dresser.number("total", shown_as, first=first, last=last, align=align_of(shown_as))
        total = TOTALS[kind]
        # Over no numbers some totals would be errors, or a zero that no row has.
        worked = total_of(kind, values)
        living = self.plan.living and len(values) > 0 and worked is not None
        text = f"SUBTOTAL({total.subtotal},{self.name}[{escaped_column(one.name)}])"
        written = Formula(text, row, number) if living else None
        sheet.put(row, number, Column.from_values([worked]), style, written)
        return TableColumn(one.name, formula, total=total.table_word if living else None)


def put_title(sheet: Sheet, plan: SheetPlan, dresser: Dresser) -> int:
    """Write the title, if there is one, and return the heading's row."""
    if plan.title is not None:
        look = dresser.plain("title")
        sheet.put(1, 1, Column.from_values([plan.title]), dresser.styles.number(look))
        sheet.heights[1] = round(look.size * _LINE_HEIGHT + _TITLE_ROOM, 1)
    return _heading_row(plan)


def _heading_row(plan: SheetPlan) -> int:
    return 1 if plan.title is None else 3


def fit_width(sheet: Sheet, number: int, one: Field, column: Column, dresser: Dresser, *, button: bool) -> None:
    """Set a column's width from what it shows, heading and total included."""
    code = dresser.plain("rows", one.type).format
    texts = set(show_column(deciding(column), code))
    numbers = column.numbers[column.kinds == Kind.NUMBER]
    if one.type in ("whole", "number", "money") and len(numbers):
        texts.update(show_column(Column.of_numbers([float(numbers.sum())]), code))
    sheet.widths[number] = fitting_width(
        texts, heading=one.name, bold=bool(dresser.plain("total").bold), button=button, scale=dresser.scale
    )


def _heading_height(sheet: Sheet, row: int, headings: Sequence[str], dresser: Dresser) -> None:
    """Make the heading row high enough for headings that break into lines."""
    look = dresser.plain("heading")
    lines = [
        wrapped_lines(heading, sheet.widths[number] / dresser.scale, bold=True)
        for number, heading in enumerate(headings, start=1)
        if number in sheet.widths
    ]
    if look.wrap:
        sheet.heights[row] = round(max(lines, default=1) * look.size * _LINE_HEIGHT + 6, 1)


# -- pivots ----------------------------------------------------------------------------------------------


def pivot_sheet(plan: SheetPlan, pivot: Pivot, house: House, styles: StyleBook) -> Sheet:
    """A pivot on a sheet: column labels over value names, row groups, totals below and at the right. Its heading rows
    are those that are repeated."""
    dresser = Dresser(house, styles, plan)
    sheet = Sheet(plan.name, landscape=plan.landscape, gridlines=False)
    top = put_title(sheet, plan, dresser)
    table = pivot.as_table()
    levels = 2 if pivot.column_fields and len(pivot.values) > 1 else 1
    _pivot_headings(sheet, pivot, dresser, top, levels)
    height = pivot.height
    for number, column in enumerate(table.columns, start=1):
        one = table.fields[number - 1]
        first, last = number == 1, number == len(table.fields)
        align = align_of(one.type) if number > len(pivot.row_fields) else None
        body = top + levels
        style = dresser.run("rows", one.type, height, first=first, last=last, align=align)
        style[pivot.subtotal_lines] = dresser.number("subtotal", one.type, first=first, last=last, align=align)
        sheet.put(body, number, column.slice(0, height), style)
        if pivot.totals is not None:
            total = dresser.number("total", one.type, first=first, last=last, align=align)
            sheet.put(body + height, number, column.slice(height, height + 1), total)
        name = (
            one.name if levels == 1 or number <= len(pivot.row_fields) else pivot.values[_value_of(pivot, number)].name
        )
        fit_width(sheet, number, replace(one, name=name), column, dresser, button=False)
    sheet.frozen = (top + levels - 1, len(pivot.row_fields)) if plan.freeze else (0, 0)
    sheet.repeat_rows = (top, top + levels - 1)
    return sheet


def _value_of(pivot: Pivot, number: int) -> int:
    return (number - len(pivot.row_fields) - 1) % len(pivot.values)


def _pivot_headings(sheet: Sheet, pivot: Pivot, dresser: Dresser, top: int, levels: int) -> None:
    """One row of headings, or two: labels over their values, row fields over both."""
    table = pivot.as_table()
    width = len(table.fields)
    for number, one in enumerate(table.fields, start=1):
        first, last = number == 1, number == width
        is_label = number <= len(pivot.row_fields)
        align = None if is_label else "right"
        if levels == 1:
            style = dresser.number("heading", None, first=first, last=last, align=align)
            sheet.put(top, number, Column.from_values([one.name]), style)
            continue
        upper = dresser.number(
            "heading", None, first=first, last=last, bottom=False, align=None if is_label else "center"
        )
        lower = dresser.number("heading", None, first=first, last=last, top=False, align=align)
        place = _value_of(pivot, number) if not is_label else 0
        group = (number - len(pivot.row_fields) - 1) // len(pivot.values)
        over: Value = one.name
        if not is_label:
            over = None
            if place == 0:
                over = pivot.column_label(group) if group < pivot.width else pivot.totals_across
        sheet.put(top, number, Column.from_values([over]), upper)
        sheet.put(top + 1, number, Column.from_values([None if is_label else pivot.values[place].name]), lower)
        if is_label:
            sheet.merged.append(Area(top, number, top + 1, number))
        elif place == 0 and len(pivot.values) > 1:
            sheet.merged.append(Area(top, number, top, number + len(pivot.values) - 1))


# -- names -----------------------------------------------------------------------------------------------


def safe_table_name(name: str, taken: set[str]) -> str:
    """A name for a table part: letters, digits and underscores, no cell address, unlike all others (18.5.1.2)."""
    base = re.sub(r"\W+", "_", name).strip("_") or "Table"
    if base[0].isdigit() or re.fullmatch(r"[A-Za-z]{1,3}\d+|[RrCc]|[Rr]\d*[Cc]\d*", base):
        base = f"_{base}"
    candidate, number = base, 2
    while candidate.casefold() in taken:
        candidate, number = f"{base}_{number}", number + 1
    return candidate
