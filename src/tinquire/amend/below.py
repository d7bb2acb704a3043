"""Cells put below the last row of a list: totals, averages, and what stands beside them."""

from __future__ import annotations

from collections.abc import Iterator

from tinquire.amend.addresses import with_addresses
from tinquire.amend.changes import Change, NotThereError
from tinquire.amend.list_schema import BelowCell
from tinquire.amend.schema import Amendment
from tinquire.cells.address import cell_name
from tinquire.cells.values import Value
from tinquire.formula import parse
from tinquire.formula.language.problems import FormulaError
from tinquire.sources.readers.headings import RowsBelow
from tinquire.workbook import Workbook
from tinquire.workbook.grid.cell_formulas import text_at

__all__ = ["put_below"]


def put_below(book: Workbook, name: str, below: RowsBelow, amendment: Amendment) -> Iterator[Change]:
    """Fill rows below the last one, each cell dressed as the one above the block. Raises NotThereError for cells that
    hold something else."""
    if below.table is not None and below.table.totals:
        raise NotThereError(f"table '{below.table.name}' has a totals row already")
    sheet, shared = book.sheet(name), amendment.look.variation(amendment.format)
    for number, line in enumerate(amendment.below, start=1):
        row = below.rows[-1] + number
        for heading, said in line.items():
            given, own = (said.value, said.look.variation(said.format)) if isinstance(said, BelowCell) else (said, None)
            change = shared if own is None else own.over(shared)
            column = below.column(heading)
            assert column is not None
            look = sheet.style(below.rows[-1], column)
            if given is None:
                fresh = book.styles.vary(look, change) if change.given() else look
                if fresh != sheet.style(row, column):
                    sheet.dress(row, column, fresh)
                    more = ", and set off" if change.given() else ""
                    yield Change(name, cell_name(row, column), "", f"dressed as the row above{more}")
                continue
            value, formula = _content(book, name, below, given, row)
            known, held = sheet.formula(row, column), sheet.value(row, column)
            had = None if known is None else text_at(known, row, column)
            if had == formula and (formula is not None or held == value):
                continue
            if had is not None or held is not None:
                found = f"={had}" if had is not None else repr(held)
                raise NotThereError(f"sheet '{name}', cell {cell_name(row, column)} below the rows holds {found}")
            sheet.set(row, column, value, book.styles.vary(look, change) if change.given() else look, formula)
            yield Change(name, cell_name(row, column), "nothing", f"={formula}" if formula is not None else str(given))


def _content(
    book: Workbook, name: str, below: RowsBelow, given: str | float, row: int
) -> tuple[Value, str | None]:  # fmt: skip
    if not isinstance(given, str) or not given.startswith("="):
        return given, None
    text = with_addresses(book, name, below, given[1:], row)
    try:
        parse(text, 1, 1)
    except FormulaError as error:
        raise NotThereError(f"the formula {given} cannot be read: {error.faults[0].why}") from None
    return None, text
