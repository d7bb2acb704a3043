"""Where an amendment applies: the cells of a workbook that it speaks of."""

from __future__ import annotations

import datetime
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase

import numpy as np

from tinquire.amend.addresses import mentioned_headings
from tinquire.amend.changes import NotThereError
from tinquire.amend.conditions import rows_where
from tinquire.amend.schema import Amendment, AnyValue
from tinquire.base.wording import known_names
from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.dates import DateSystem, serial_from_date
from tinquire.cells.values import Value
from tinquire.formula.engine.criteria import criterion
from tinquire.formula.language.mentions import mentions
from tinquire.sources.readers.headings import RowsBelow, under_heading
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.cells import NO_FORMULA

__all__ = ["Cells", "cell_value", "matching_sheets", "places"]


@dataclass(frozen=True, slots=True)
class Cells:
    """Cells of one column of a sheet, by ascending row; `under` are the headings that they belong to."""

    sheet: Sheet
    column: int
    rows: tuple[int, ...]
    under: RowsBelow | None = None


def cell_value(value: AnyValue, system: DateSystem) -> Value:
    """A TOML value as a cell's; days become serials, and empty text a blank cell."""
    if isinstance(value, datetime.date):
        return serial_from_date(value, system)
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        return value
    return value or None if isinstance(value, str) else float(value)


def matching_sheets(book: Workbook, pattern: str | None) -> list[str]:
    """The worksheets of a name or pattern, all without one. Raises NotThereError."""
    names = book.sheet_names()
    if pattern is None:
        return names
    found = [name for name in names if fnmatchcase(name.casefold(), pattern.casefold())]
    if not found:
        raise NotThereError(f"it has no sheet '{pattern}': {known_names(pattern, names)}")
    return found


def places(book: Workbook, amendment: Amendment) -> list[Cells]:
    """The cells that an amendment speaks of, before any guard. Raises NotThereError."""
    if amendment.at is not None:
        found = list(_at(book, amendment, amendment.at))
    elif amendment.name is not None:
        found = list(_named_cells(book, amendment.name))
    elif amendment.table is not None and amendment.column is not None:
        found = [_of_table(book, amendment.table, amendment.column)]
    elif amendment.headings:
        found = list(_headings(book, amendment))
    elif amendment.heading is not None:
        found = list(_under_heading(book, amendment))
    elif amendment.where is not None:
        found = list(_whole_rows(book, amendment, amendment.where))
    else:
        found = [cells for name in matching_sheets(book, amendment.sheet) for cells in _all_cells(book.sheet(name))]
    if amendment.where is not None and (amendment.heading is not None or amendment.table is not None):
        found = list(_only_where(book, found, amendment.where))
    if amendment.matching is not None:
        found = [kept for cells in found if (kept := _matching(book, cells, amendment.matching)).rows]
    return found


def _at(book: Workbook, amendment: Amendment, text: str) -> Iterator[Cells]:
    mention = next(iter(mentions(text)), None)
    area = None if mention is None else mention.area
    if mention is None or area is None or mention.outside or (mention.start, mention.end) != (0, len(text)):
        raise NotThereError(f"'{text}' is not a cell or range: write B4, B4:B9 or Rates!B4")
    names = [*mention.sheets] or matching_sheets(book, amendment.sheet)
    if amendment.sheet is None and not mention.sheets and len(names) > 1:
        raise NotThereError(f"it has {len(names)} sheets, and the amendment does not say which: sheet = '{names[0]}'")
    for name in names:
        entry = book.entry(name)
        if entry is None or entry.kind != "worksheet":
            raise NotThereError(f"it has no sheet '{name}': {known_names(name, book.sheet_names())}")
        yield from _area(book.sheet(name), area)


def _area(sheet: Sheet, area: Area) -> Iterator[Cells]:
    rows, columns = sheet.extent()
    whole = area.cropped(max(rows, area.top), max(columns, area.left)) if area.height * area.width > 100_000 else area
    for column in range(whole.left, whole.right + 1):
        yield Cells(sheet, column, tuple(range(whole.top, whole.bottom + 1)))


def _named_cells(book: Workbook, name: str) -> Iterator[Cells]:
    defined = [item for item in book.names if item.name.casefold() == name.casefold()]
    if not defined:
        raise NotThereError(f"it has no name '{name}': {known_names(name, [item.name for item in book.names])}")
    for item in defined:
        mention = next(iter(mentions(item.formula)), None)
        area = None if mention is None else mention.area
        whole = mention is not None and (mention.start, mention.end) == (0, len(item.formula))
        if mention is None or area is None or not whole or len(mention.sheets) != 1:
            raise NotThereError(f"the name '{name}' does not refer to cells of one sheet, but to {item.formula}")
        yield from _area(book.sheet(mention.sheets[0]), area)


def _of_table(book: Workbook, table: str, column: str) -> Cells:
    known = book.tables()
    if table.casefold() not in known:
        raise NotThereError(
            f"it has no table '{table}': {known_names(table, [item.name for _, item in known.values()])}"
        )
    sheet, found = known[table.casefold()]
    index = found.index_of(column)
    if index is None:
        names = [item.name for item in found.columns]
        raise NotThereError(f"table '{found.name}' has no column '{column}': {known_names(column, names)}")
    under = under_heading(book, book.sheet(sheet), found.columns[index].name)
    rows = under.rows if under is not None else ()
    return Cells(book.sheet(sheet), found.area.left + index, rows, under)


def _under_heading(book: Workbook, amendment: Amendment) -> Iterator[Cells]:
    """The cells below a heading, down to the last row of data: a totals row does not count."""
    heading = amendment.heading or ""
    found = False
    seen: list[str] = []
    for name in matching_sheets(book, amendment.sheet):
        sheet = book.sheet(name)
        under = under_heading(book, sheet, heading)
        column = None if under is None else under.column(heading)
        if under is None or column is None:
            seen += under.headings if under else ()
            continue
        found = True
        yield Cells(sheet, column, under.rows, under)
    if not found:
        raise NotThereError(f"no sheet has a heading '{heading}': {known_names(heading, list(dict.fromkeys(seen)))}")


def _headings(book: Workbook, amendment: Amendment) -> Iterator[Cells]:
    """The headings of the sheets that have some."""
    found = False
    for name in matching_sheets(book, amendment.sheet):
        sheet = book.sheet(name)
        first = sheet.tables[0].columns[0].name if sheet.tables else ""
        under = under_heading(book, sheet, amendment.heading or first)
        if under is None or not under.rows or (amendment.heading and under.column(amendment.heading) is None):
            continue
        found = True
        row = under.table.area.top if under.table is not None else under.rows[0] - 1
        for column in under.columns if amendment.heading is None else (under.column(amendment.heading),):
            assert column is not None
            yield Cells(sheet, column, (row,), under)
    if not found:
        raise NotThereError(
            f"no sheet has a heading '{amendment.heading}'" if amendment.heading else "no sheet has headings over rows"
        )


def _whole_rows(book: Workbook, amendment: Amendment, condition: str) -> Iterator[Cells]:
    """The cells under all headings in the rows for which a condition is true."""
    wanted = next(iter(mentioned_headings(condition)), "")
    found = False
    for name in matching_sheets(book, amendment.sheet):
        sheet = book.sheet(name)
        under = under_heading(book, sheet, wanted)
        if under is None or under.column(wanted) is None:
            continue
        found = True
        rows = tuple(rows_where(book, name, under, condition, "where"))
        for column in under.columns:
            yield Cells(sheet, column, rows, under)
    if not found:
        raise NotThereError(f"no sheet has the heading '{wanted}' of its condition")


def _only_where(book: Workbook, found: Sequence[Cells], condition: str) -> Iterator[Cells]:
    for cells in found:
        if cells.under is None:
            raise NotThereError("where can be read only below headings")
        kept = set(rows_where(book, cells.sheet.name, cells.under, condition, "where"))
        yield Cells(cells.sheet, cells.column, tuple(row for row in cells.rows if row in kept), cells.under)


def _all_cells(sheet: Sheet) -> Iterator[Cells]:
    for number in sorted(sheet.columns):
        cells = sheet.columns[number]
        filled = cells.rows[(cells.kinds != 0) | (cells.formulas != NO_FORMULA)]
        yield Cells(sheet, number, tuple(filled.tolist()))


def _matching(book: Workbook, cells: Cells, wanted: AnyValue) -> Cells:
    if len(cells.rows) > 1 and cells.rows[-1] - cells.rows[0] == len(cells.rows) - 1:
        values = cells.sheet.column(cells.column, cells.rows[0], cells.rows[-1])
    else:
        values = Column.from_values(cells.sheet.value(row, cells.column) for row in cells.rows)
    value = "=" if wanted == "" else cell_value(wanted, book.date_system)
    mask = criterion(value).mask(values)
    rows = tuple(np.array(cells.rows, np.int64)[mask].tolist())
    return Cells(cells.sheet, cells.column, rows, cells.under)
