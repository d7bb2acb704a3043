"""Sheets, tables and named ranges of workbooks as blocks of cells."""

from __future__ import annotations

import re
from fnmatch import fnmatchcase
from pathlib import Path

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import known_names
from tinquire.cells.address import Area, parse_area
from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.dates import SYSTEMS_APART, DateSystem
from tinquire.formula.language.mentions import Mention, mentions
from tinquire.sources.raw_table import FOOT_ROWS, MOMENTS, Block
from tinquire.sources.readers.detect import open_sheets
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.room import require_filled

__all__ = ["block_of", "read_blocks"]


def read_blocks(
    path: Path, shown: str, *, sheet: str | None = None, table: str | None = None, area: str | None = None
) -> list[tuple[Block, bool]]:
    """A sheet's used cells, a table's with its heading row, or those of an area, which is written like `B4:H90` or is a
    name of the workbook; and whether the first row is known to be the heading. A sheet's name with `*` or `?` in it
    stands for all visible sheets that have such a name and hold something.

    Without a sheet's name there must be one visible sheet. Raises AccessError and DataError.
    """
    book, _ = open_sheets(path, shown)
    if sheet is None or table is not None or not _is_pattern(book, sheet):
        return [_block(book, shown, sheet, table, area)]
    return [_block(book, shown, name, None, area) for name in sheets_named(book, sheet, shown)]


def sheets_named(book: Workbook, sheet: str, shown: str) -> list[str]:
    """The sheet of a name; or all visible sheets of such names that hold something. Raises DataError."""
    if not _is_pattern(book, sheet):
        return [book.sheet(sheet).name]
    visible = _visible(book)
    names = [name for name in visible if fnmatchcase(name.casefold(), sheet.casefold())]
    names = [name for name in names if book.sheet(name).used is not None]
    if not names:
        why = f"it has no visible sheet '{sheet}' with anything in it: {known_names(sheet, visible)}"
        raise DataError(Fault("opening sheets", why, shown, "fix the pattern"))
    return names


def _is_pattern(book: Workbook, sheet: str) -> bool:
    """Whether a name stands for several sheets: a `?` may well be a part of one's name."""
    return any(mark in sheet for mark in "*?") and all(entry.name != sheet for entry in book.entries)


def _block(book: Workbook, shown: str, sheet: str | None, table: str | None, area: str | None) -> tuple[Block, bool]:
    if area is not None:
        named, cells = _area(book, sheet, area, shown)
        return block_of(book, book.sheet(named), cells.cropped(*book.sheet(named).extent()), shown), False
    if table is not None:
        known = book.tables()
        if table.casefold() not in known:
            names = [item.name for _, item in known.values()]
            why = f"it has no table '{table}': {known_names(table, names)}"
            raise DataError(Fault("opening a table", why, shown, "check the table's name"))
        owner, found = known[table.casefold()]
        whole = Area(found.area.top, found.area.left, found.data.bottom, found.area.right)
        return block_of(book, book.sheet(owner), whole, shown), found.headings
    opened = book.sheet(sheet if sheet is not None else _only_sheet(book, shown))
    used = opened.used
    if used is None:
        raise DataError(Fault("opening a sheet", f"sheet '{opened.name}' is empty", shown, "check the export"))
    return block_of(book, opened, used, shown), False


#: Formulas that sum a column up.
_SUMS = re.compile(r"(?:SUM|SUBTOTAL)\(", re.IGNORECASE)


def _area(book: Workbook, sheet: str | None, text: str, shown: str) -> tuple[str, Area]:
    """The sheet and cells of a range, or of a defined name."""
    names = {name.name.casefold(): name.formula for name in book.names}
    spelled = names.get(text.casefold(), text)
    mention = next(iter(mentions(spelled)), None)
    try:
        found = parse_area(mention.spelled if mention is not None else spelled)
    except ValueError:
        known = known_names(text, [name.name for name in book.names])
        why = f"'{text}' is neither a range nor a name of the workbook: {known}"
        raise DataError(Fault("opening a range", why, shown, 'write it like "B4:H90"')) from None
    owner = mention.sheets[0] if mention is not None and mention.sheets else sheet
    return book.sheet(owner if owner is not None else _only_sheet(book, shown)).name, found


def _only_sheet(book: Workbook, shown: str) -> str:
    visible = _visible(book)
    if len(visible) != 1:
        why = f"it has {len(visible)} visible sheets: " + ", ".join(f"'{name}'" for name in visible)
        raise DataError(
            Fault("opening a sheet", why, shown, 'say which one: sheet = "..."', option='say which: --sheet "..."')
        )
    return visible[0]


def _visible(book: Workbook) -> list[str]:
    return [entry.name for entry in book.entries if entry.kind == "worksheet" and entry.state == "visible"]


def block_of(book: Workbook, sheet: Sheet, area: Area, shown: str) -> Block:
    """An area of a sheet as columns of cells, days counted in the 1900 system. Raises DataError where nearly all of it
    is empty."""
    require_filled(sheet, area, "opening a sheet", shown)
    columns, moments = [], []
    for number in range(area.left, area.right + 1):
        column = sheet.column(number, area.top, area.bottom)
        used, picks = np.unique(sheet.styles(number, area.top, area.bottom), return_inverse=True)
        shown_as = np.array([MOMENTS.index(book.styles.moment(style)) for style in used.tolist()], np.uint8)[picks]
        shown_as[column.kinds != Kind.NUMBER] = 0
        is_day = shown_as == MOMENTS.index("date")
        columns.append(_as_1900(column, is_day) if book.date_system is DateSystem.FROM_1904 else column)
        moments.append(shown_as)
    sums = _sums(sheet, area)
    return Block(shown, sheet.name, area.top, area.left, tuple(columns), moments=tuple(moments), sums=sums)


def _sums(sheet: Sheet, area: Area) -> frozenset[int]:
    """Rows near an area's foot that sum up those above: totals rows of tables, and formulas that add up the column
    above them."""
    found = {table.area.bottom for table in sheet.tables if table.totals}
    for column, first, last, formula in sheet.formula_runs():
        if first == last and area.bottom - FOOT_ROWS < first <= area.bottom and area.left <= column <= area.right:
            text = text_at(formula, first, column)
            if _SUMS.match(text) and any(_adds_up(mention, first, column) for mention in mentions(text)):
                found.add(first)
    return frozenset(found)


def _adds_up(mention: Mention, row: int, column: int) -> bool:
    """Whether a formula's reference is a run of cells that ends right above it, or a table's column."""
    if mention.inside:
        return True
    try:
        area = parse_area(mention.spelled)
    except ValueError:
        return False
    return area.left == area.right == column and area.height > 1 and row - 2 <= area.bottom < row


def _as_1900(column: Column, is_day: Booleans) -> Column:
    """Days of a 1904 workbook as serials of the 1900 system."""
    numbers = np.where(is_day, column.numbers + SYSTEMS_APART, column.numbers)
    return Column(column.kinds, numbers, column.codes, column.texts)
