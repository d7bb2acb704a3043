"""Variants of a workbook: some cells set, what depends on them recalculated, the rest laid out and written.

Each variant begins with the workbook as it is, so none sees another's values; the workbook itself is not changed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import NamedTuple

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.address import Area, cell_name, parse_cell, quoted_sheet
from tinquire.cells.column import Kind
from tinquire.cells.dates import serial_from_date
from tinquire.cells.values import CellError, Value
from tinquire.formula import Frame, evaluate
from tinquire.formula.engine.operands import Span
from tinquire.formula.language.grammar import parse_name
from tinquire.formula.language.problems import CycleError, FormulaError
from tinquire.pages.document import About, Part, lay_out
from tinquire.pages.primitives import Pages
from tinquire.pages.sheet_layout import Asked
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.entries import broken_rules
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.calc.stored_values import refresh_chart_parts
from tinquire.workbook.inspect.contents import BookDetails
from tinquire.workbook.inspect.printed import printed_sheet
from tinquire.workbook.pivots.caches import caches_of
from tinquire.workbook.pivots.refresh import moved_stores, refresh_pivots
from tinquire.workbook.pivots.store import Rows

__all__ = ["PrintPlan", "Setting", "Variant", "faults_of", "find_setting", "variant_book", "variant_pages"]

#: Pivots that read what pivots say are worked out again, so many times.
_TURNS = 4
#: Cells in error are told one by one up to this many.
_LISTED = 5


class Setting(NamedTuple):
    """A cell that variants set, and how the docket or the list names it."""

    written: str
    sheet: str
    row: int
    column: int

    @property
    def cell(self) -> str:
        return f"{quoted_sheet(self.sheet)}!{cell_name(self.row, self.column)}"


@dataclass(frozen=True)
class Variant:
    """One variant: where its row stands, the cells that it sets, and their values."""

    place: str
    values: tuple[tuple[Setting, Value], ...]


@dataclass(frozen=True)
class PrintPlan:
    """What is printed of each variant, and as what."""

    sheets: tuple[str, ...]
    asked: Asked = field(default_factory=Asked)
    about: About = field(default_factory=About)
    allow_empty: bool = False


# -- the cells that are set ------------------------------------------------------------------------------


def find_setting(book: Workbook, written: str, usual: str | None = None) -> Setting:
    """The cell that a text names: `Sheet!J4`, a cell of the `usual` sheet, a name of the workbook, or a heading, which
    stands for the cell beside it. Raises UseError for what is none of these, or more than one cell."""
    text = written.strip()
    sheet, mark, cell = text.rpartition("!")
    try:
        row, column = parse_cell(cell.replace("$", "").upper())
    except ValueError:
        row = column = 0
    if row and (mark or usual is not None):
        name = sheet.strip("'").replace("''", "'") if mark else usual or ""
        return Setting(written, book.sheet(name).name, row, column)
    named = _named(book, text)
    if named is not None:
        return named._replace(written=written)
    return _beside(book, text, usual)._replace(written=written)


def _named(book: Workbook, text: str) -> Setting | None:
    """The first cell of what a name of the workbook stands for."""
    for known in book.names:
        if known.name.casefold() != text.casefold():
            continue
        try:
            found = evaluate(parse_name(known.formula), Frame(BookScope(book), known.sheet or book.first_sheet()))
        except FormulaError:
            return None
        if isinstance(found, Span):
            return Setting(text, book.sheet(found.sheet).name, found.area.top, found.area.left)
    return None


def _beside(book: Workbook, text: str, usual: str | None) -> Setting:
    """The cell beside the only one that holds a text."""
    found: list[Setting] = []
    names = [usual] if usual is not None else book.sheet_names()
    wanted = text.casefold().rstrip(": ")
    texts: list[str] = []
    for sheet in map(book.sheet, names):
        merged = {(area.top, area.left): area.right for area in sheet.merged}
        for column, cells in sheet.columns.items():
            for row, kind, code in zip(cells.rows.tolist(), cells.kinds.tolist(), cells.codes.tolist(), strict=True):
                if kind != Kind.TEXT:
                    continue
                held = sheet.texts[code]
                texts.append(held)
                if held.casefold().rstrip(": ") == wanted:
                    found.append(Setting(text, sheet.name, row, merged.get((row, column), column) + 1))
    stopped = f"finding the cell '{text}'"
    if not found:
        known = known_names(text, [name.name for name in book.names if not name.name.startswith("_xlnm")] + texts)
        do = "write a cell like 'Report!J4', a name, or the text beside which the cell stands"
        raise UseError(Fault(stopped, f"it is no cell, name or heading: {known}", book.name, do))
    if len(found) > 1:
        where = ", ".join(one.cell for one in found[:_LISTED])
        raise UseError(
            Fault(stopped, f"it stands beside {len(found)} cells: {where}", book.name, "name one by its address")
        )
    return found[0]


def faults_of(book: Workbook, variants: Sequence[Variant], now: float) -> Iterator[Fault]:
    """What is wrong with the values of a list before anything is made: days that are texts, and values that the entry
    rules of their cells would not let in."""
    details = BookDetails(book)
    rules = {name: details.sheet(name).validations for name in {one.sheet for v in variants for one, _ in v.values}}
    for variant in variants:
        for setting, value in variant.values:
            stopped = f"setting {setting.cell} to {_told(value)}"
            settled = _typed(book, setting, value)
            if settled is None:
                do = "give the list's column a type, such as 'date dmy', or write it like 2026-10-31"
                yield Fault(stopped, "the cell holds a day, and the value is a text", variant.place, do)
                continue
            own = [
                rule
                for rule in rules[setting.sheet]
                if any(area.holds(setting.row, setting.column) for area in rule.areas)
            ]
            if not own or settled == "":
                continue
            sheet = book.sheet(setting.sheet)
            before = sheet.value(setting.row, setting.column)
            sheet.set(setting.row, setting.column, settled)
            for broken in broken_rules(book, sheet, own, now):
                if broken.why or (setting.row, setting.column) in broken.cells:
                    why = broken.why or f"the cell takes only {broken.rule.words}"
                    yield Fault(stopped, why, variant.place, "fix the list, or the cell's entry rule")
            sheet.set(setting.row, setting.column, before)


def _told(value: Value) -> str:
    return f"'{value}'" if isinstance(value, str) else "nothing" if value is None else f"{value}"


def _typed(book: Workbook, setting: Setting, value: Value) -> Value:
    """A value as its cell takes it: an ISO day as text is a day where the cell shows days, a blank is an empty text.
    None for a text in a cell of days that is no ISO day."""
    if value is None:
        return ""
    if not isinstance(value, str) or not value:
        return value
    sheet = book.sheet(setting.sheet)
    if book.styles.moment(sheet.style(setting.row, setting.column)) != "date" or not isinstance(
        sheet.value(setting.row, setting.column), float
    ):
        return value
    try:
        return serial_from_date(date.fromisoformat(value), book.date_system)
    except ValueError:
        return None


# -- one variant -----------------------------------------------------------------------------------------


def variant_pages(
    data: bytes, name: str, variant: Variant, plan: PrintPlan, moment: datetime,
    tell: Callable[[str], None] = lambda _: None,
) -> Pages:  # fmt: skip
    """The pages of one variant of a workbook, given as its file's bytes. Raises DataError for cells in error in what is
    printed, for rings, and for a report in which nothing stands, unless that is allowed."""
    book = variant_book(data, name, variant, plan, moment)
    return lay_out([Part(book, plan.sheets, plan.asked)], moment, plan.about, tell)


def variant_book(data: bytes, name: str, variant: Variant, plan: PrintPlan, moment: datetime) -> Workbook:
    """One variant of a workbook, worked out and checked. Raises as `variant_pages`."""
    book = Workbook.from_bytes(data, name)
    places: list[tuple[str, Area]] = []
    for setting, value in variant.values:
        settled = _typed(book, setting, value)
        book.sheet(setting.sheet).set(setting.row, setting.column, None if settled == "" else settled)
        places.append((setting.sheet, Area(setting.row, setting.column, setting.row, setting.column)))
    _work_out(book, places, variant, moment)
    _check(book, variant, plan)
    return book


def _work_out(book: Workbook, places: Sequence[tuple[str, Area]], variant: Variant, moment: datetime) -> None:
    """Recalculate what depends on the cells, and refresh pivots and charts."""
    now = serial_from_date(moment.replace(tzinfo=None), book.date_system)
    try:
        recalculate(book, now=now, changed=places)
        if caches_of(book):
            rows: dict[str, Rows] = {}
            wanted = None
            for _ in range(_TURNS):
                done = refresh_pivots(book, wanted, today=now)
                if not done.changed:
                    break
                recalculate(book, now=now)
                rows |= done.rows
                if not (wanted := moved_stores(book, rows)):
                    break
    except CycleError as error:
        raise DataError(Fault("recalculating", f"circular reference: {error}", variant.place, "remove it")) from None
    book.settle()
    refresh_chart_parts(book)


def _check(book: Workbook, variant: Variant, plan: PrintPlan) -> None:
    """Stop at errors in what is printed, and at a report in which nothing stands."""
    faults: list[Fault] = []
    any_number, any_other, any_formula = False, False, False
    for name in plan.sheets or tuple(book.sheet_names()):
        sheet = book.sheet(name)
        rows, columns = sheet.extent()
        areas = plan.asked.areas or printed_sheet(book, name).areas or (Area(1, 1, rows, columns),)
        for area in areas:
            for column in range(area.left, min(area.right, columns) + 1):
                bottom = min(area.bottom, rows)
                if bottom < area.top or column in sheet.hidden_columns:
                    continue
                values = sheet.column(column, area.top, bottom)
                for place in (values.kinds == Kind.ERROR).nonzero()[0].tolist():
                    if len(faults) < _LISTED and area.top + place not in sheet.hidden_rows:
                        faults.append(_error_at(sheet, area.top + place, column, values[place], variant))
                numbers = values.numbers[values.kinds == Kind.NUMBER]
                any_number |= len(numbers) > 0
                any_other |= bool((numbers != 0).any())
            any_formula |= _holds_formula(sheet, area)
    if faults:
        raise DataError(*faults)
    if any_formula and any_number and not any_other and not plan.allow_empty:
        why = "the report is empty: none of its numbers is other than zero"
        raise DataError(Fault("printing a variant", why, variant.place, "fix the row, or write allow_empty = true"))


def _error_at(sheet: Sheet, row: int, column: int, value: Value, variant: Variant) -> Fault:
    shown = value.text if isinstance(value, CellError) else str(value)
    formula = sheet.formula(row, column)
    where = f"{quoted_sheet(sheet.name)}!{cell_name(row, column)}"
    why = f"{where} shows {shown}" + (f" (={formula.text})" if formula is not None else "")
    return Fault("printing a variant", why, variant.place, "fix the formula, or guard it with IFERROR")


def _holds_formula(sheet: Sheet, area: Area) -> bool:
    return any(
        area.left <= column <= area.right and first <= area.bottom and last >= area.top
        for column, first, last, _ in sheet.formula_runs()
    )
