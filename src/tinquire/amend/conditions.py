"""Rows below headings for which a condition over these is true."""

from __future__ import annotations

from collections.abc import Iterable

from tinquire.amend.addresses import mentioned_headings
from tinquire.amend.changes import NotThereError
from tinquire.base.faults import TinQuireError
from tinquire.base.wording import known_names
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.sources.readers.headings import RowsBelow
from tinquire.tables import Field, Table
from tinquire.tables.scope import TableScope, read_formula, table_values
from tinquire.workbook import Sheet, Workbook

__all__ = ["column_below", "rows_where", "table_below", "values_below"]


def table_below(book: Workbook, name: str, below: RowsBelow, wanted: Iterable[str] | None = None) -> Table:
    """The rows below headings as a table, with the values that their cells show; of the columns those that are wanted,
    all without."""
    sheet = book.sheet(name)
    asked = None if wanted is None else {heading.strip().casefold() for heading in wanted}
    pairs = [
        (heading, column)
        for heading, column in zip(below.headings, below.columns, strict=True)
        if asked is None or heading.casefold() in asked
    ]
    fields = tuple(Field(heading) for heading, _ in pairs)
    return Table(name, fields, tuple(column_below(sheet, column, below) for _, column in pairs))


def column_below(sheet: Sheet, column: int, below: RowsBelow) -> Column:
    """A column's values in the rows below headings."""
    rows = below.rows
    if rows and rows[-1] - rows[0] + 1 == len(rows):
        return sheet.column(column, rows[0], rows[-1])
    return Column.from_values([sheet.value(row, column) for row in rows])


def values_below(book: Workbook, name: str, below: RowsBelow, formula: str, key: str = "becomes") -> list[Value]:
    """The values of a formula over headings, in each row; `key` is what it is called in messages. Raises
    NotThereError."""
    wanted = mentioned_headings(formula)
    if gone := [heading for heading in wanted if below.column(heading) is None]:
        raise NotThereError(f"there is no heading '{gone[0]}' for {key}: {known_names(gone[0], below.headings)}")
    table = table_below(book, name, below, wanted if wanted else below.headings[:1])
    scope = TableScope({}, {}, table, book.date_system)
    try:
        return table_values(read_formula(formula, scope, f"the formula of {key}"), scope, table).to_list()
    except TinQuireError as error:
        raise NotThereError(error.faults[0].why) from None


def rows_where(book: Workbook, name: str, below: RowsBelow, condition: str, key: str) -> list[int]:
    """The rows of a sheet for which a condition is true. Raises NotThereError."""
    answers = values_below(book, name, below, condition, key)
    if strange := [one for one in answers if not isinstance(one, bool)]:
        raise NotThereError(f"the condition {condition} gives {strange[0]!r}, neither true nor false")
    return [row for row, answer in zip(below.rows, answers, strict=True) if answer]
