"""Rows below headings summed up on a sheet, as an amendment asks for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from tinquire.amend.addresses import with_addresses
from tinquire.amend.changes import Change, NotThereError
from tinquire.amend.conditions import table_below
from tinquire.amend.schema import Amendment
from tinquire.amend.summary_schema import SummaryChange
from tinquire.amend.targets import matching_sheets
from tinquire.base.faults import TinQuireError
from tinquire.base.wording import counted
from tinquire.cells.address import cell_name, parse_cell
from tinquire.cells.column import Kind
from tinquire.cells.values import Value
from tinquire.formula import parse
from tinquire.formula.language.mentions import offset_text
from tinquire.formula.language.problems import FormulaError
from tinquire.sources.readers.headings import RowsBelow, under_heading
from tinquire.tables import Field, Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import PivotField, PivotValue, make_pivot
from tinquire.workbook import Sheet, Workbook

__all__ = ["summary_lines", "summed_up", "typed_table"]


def summed_up(book: Workbook, amendment: Amendment, asked: SummaryChange) -> Iterator[Change]:
    """Put a summary of a sheet's rows on its own sheet or another. Raises NotThereError."""
    for name in matching_sheets(book, amendment.sheet):
        below = under_heading(book, book.sheet(name), asked.rows[0])
        if below is None or not below.rows or below.column(asked.rows[0]) is None:
            if amendment.sheet is None:
                continue
            raise NotThereError(f"sheet '{name}' has no heading '{asked.rows[0]}'")
        rows = table_below(book, name, below)
        if amendment.where is not None:
            raise NotThereError("a summary is of all rows")
        try:
            headings, lines = summary_lines(typed_table(rows), asked)
        except TinQuireError as error:
            raise NotThereError("; ".join(fault.why for fault in error.faults)) from None
        if asked.to.casefold() not in map(str.casefold, book.sheet_names()):
            book.add_sheet(Sheet(asked.to))
        sheet, (top, left) = book.sheet(asked.to), parse_cell(asked.at)
        _require_room(sheet, top, left, len(lines) + 1, len(headings) + len(asked.formulas))
        for row, line in enumerate([headings, *lines], top):
            for column, value in enumerate(line, left):
                sheet.set(row, column, value)
        if asked.formulas:
            _fill(book, sheet, asked, headings, range(top + 1, top + 1 + len(lines)), left, name)
        yield Change(asked.to, asked.at, "", f"a summary of {counted(rows.height, 'row')} of '{name}'")
        return
    raise NotThereError(f"no sheet has a heading '{asked.rows[0]}'")


def summary_lines(table: Table, asked: SummaryChange) -> tuple[list[Value], list[list[Value]]]:
    """Headings and lines of a summary; of one by formulas its labels alone. Raises TinQuireError for columns that are
    missing or cannot be added up."""
    values = [model.value() for model in asked.values] or [PivotValue(asked.rows[0], Aggregation.COUNT, "\0")]
    order: tuple[Value, ...] = ()
    if asked.first_met:
        order = tuple(dict.fromkeys(table.column(asked.rows[0]).to_list()))
    down = [PivotField(heading, order=order if len(asked.rows) == 1 else ()) for heading in asked.rows]
    made = make_pivot(
        table, down, [PivotField(heading) for heading in asked.columns], values, totals=asked.totals
    ).as_table()  # fmt: skip
    columns = [column.to_list() for column in made.columns]
    if not asked.values:
        columns = columns[: len(asked.rows)]
    return list(made.headings[: len(columns)]), [list(line) for line in zip(*columns, strict=True)]


def typed_table(table: Table) -> Table:
    """A table whose columns of numbers are known to be such."""
    fields = tuple(
        Field(field.name, "number")
        if (column.kinds == Kind.NUMBER).any() and not (column.kinds == Kind.TEXT).any()
        else field
        for field, column in zip(table.fields, table.columns, strict=True)
    )
    return Table(table.name, fields, table.columns)


def _require_room(sheet: Sheet, top: int, left: int, height: int, width: int) -> None:
    for column in range(left, left + width):
        found = sheet.column(column, top, top + height - 1)
        if (found.kinds != Kind.BLANK).any():
            raise NotThereError(f"sheet '{sheet.name}' holds something already where the summary is to stand")


def _fill(
    book: Workbook, sheet: Sheet, asked: SummaryChange, headings: Sequence[Value], rows: range, left: int, source: str
) -> None:  # fmt: skip
    names = [*map(str, headings), *asked.formulas]
    under = RowsBelow(tuple(names), tuple(range(left, left + len(names))), tuple(rows))
    for column, (heading, formula) in enumerate(asked.formulas.items(), left + len(headings)):
        sheet.set(rows[0] - 1, column, heading)
        text = with_addresses(book, sheet.name, under, formula.lstrip("="), rows[0], source)
        try:
            parse(text, 1, 1)
        except FormulaError as error:
            raise NotThereError(f"the formula of '{heading}' cannot be read: {error.faults[0].why}") from None
        for row in rows:
            if asked.totals is not None and row == rows[-1]:
                letters = cell_name(1, column)[:-1]
                sheet.set(row, column, None, None, f"SUM({letters}{rows[0]}:{letters}{rows[-1] - 1})")
                continue
            sheet.set(row, column, None, None, offset_text(text, row - rows[0], 0))
