"""Links and notes on the cells of a table's column, made from its rows."""

from __future__ import annotations

import re
from collections.abc import Iterator

from tinquire.base.faults import DataError, Fault
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import text_of
from tinquire.layout.plans import BlockPlan, ColumnDress
from tinquire.tables import Table
from tinquire.tables.scope import TableScope, read_formula, table_values
from tinquire.workbook import Sheet
from tinquire.workbook.grid.frames import CellLink, CellNote

__all__ = ["attach", "link_to"]

#: More links than this a sheet does not hold well, in any program.
_MOST_LINKS = 65_530
#: What a link may begin with: text from a source must not become a program that runs.
_SCHEMES = frozenset({"http", "https", "mailto", "ftp", "ftps", "sftp", "file", "tel"})
_SCHEME = re.compile(r"([A-Za-z][A-Za-z0-9+.-]+):")
_LISTED = 5


def attach(sheet: Sheet, cells: list[tuple[int, int]], table: Table, dress: ColumnDress, plan: BlockPlan) -> None:
    """Give cells (row, column), one for each row of a table, the links and notes that formulas over its headings make;
    empty ones give none. Raises DataError for links that are no addresses, with the rows that have them."""
    for row, text in _texts(dress.note, table, plan):
        sheet.notes.append(CellNote(*cells[row], text))
    faults = []
    for row, text in _texts(dress.link, table, plan):
        try:
            sheet.links.append(link_to(*cells[row], text))
        except ValueError as error:
            faults.append(Fault(plan.stopped, str(error), table.where(row), "correct it, or the formula of the link"))
    if faults:
        raise DataError(*faults[:_LISTED])
    if len(sheet.links) > _MOST_LINKS:
        why = f"it would have {len(sheet.links):,} links, and a sheet holds {_MOST_LINKS:,}"
        raise DataError(Fault(plan.stopped, why, plan.where, "link fewer rows"))


def link_to(row: int, column: int, text: str) -> CellLink:
    """A cell's link to an address, a file, or a place in the workbook. Raises ValueError for anything else."""
    scheme = _SCHEME.match(text)  # of one letter it is a drive
    if text.startswith("#"):
        return CellLink(row, column, text[1:])
    if text.isprintable() and (scheme is None or scheme[1].casefold() in _SCHEMES):
        return CellLink(row, column, text.replace(" ", "%20"), outside=True)
    raise ValueError(f"'{text}' is not an address to link to: http, https, mailto, ftp, tel, a file or #Sheet!A1")


def _texts(formula: str | None, table: Table, plan: BlockPlan) -> Iterator[tuple[int, str]]:
    """What a formula makes of each row, where that is not empty."""
    if formula is None or not table.height:
        return
    scope = TableScope({}, {}, table)
    values = table_values(read_formula(formula, scope, plan.stopped, plan.where), scope, table)
    for row, value in enumerate(values):
        if isinstance(value, CellError):
            why = f"{formula} gives {value.text}"
            raise DataError(Fault(plan.stopped, why, table.where(row), "guard it with IFERROR"))
        text = "" if value is None else str(text_of(value)).strip()
        if text:
            yield row, text
