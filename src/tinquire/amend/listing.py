"""Rows and columns below a sheet's headings changed: found by what the headings say, wherever they stand."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from tinquire.amend.changes import Change
from tinquire.amend.schema import Amendment
from tinquire.amend.targets import NotThereError, matching_sheets
from tinquire.base.faults import TinQuireError
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import column_name
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.sources.readers.headings import RowsBelow, under_heading
from tinquire.tables import Field, Table
from tinquire.tables.scope import TableScope, read_formula, table_values
from tinquire.workbook import Workbook, edit

__all__ = ["added_column", "heading_row", "listed", "table_below"]

_HEADING = re.compile(r"(?<![\w\]])\[([^\[\]@#]+)\]")


def listed(book: Workbook, amendment: Amendment) -> Iterator[Change]:
    """Change the rows and columns of sheets. Raises NotThereError for headings that are not there."""
    for name in matching_sheets(book, amendment.sheet):
        wanted = _mentioned(amendment)
        below = _below(book, name, wanted)
        if below is None:
            if amendment.sheet is None:
                continue  # a sheet without such a list
            raise NotThereError(f"sheet '{name}' has no heading '{wanted[0]}'")
        if amendment.rename:
            yield from _renamed(book, name, amendment)
        if amendment.drop:
            yield from _dropped(book, name, amendment.drop)
        if amendment.drop_rows is not None or amendment.unique:
            yield from _without_rows(book, name, below, amendment)


def heading_row(below: RowsBelow) -> int:
    """The row of headings that rows lie below."""
    return below.table.area.top if below.table is not None else below.rows[0] - 1


def added_column(book: Workbook, name: str, heading: str, after: str | None) -> RowsBelow:
    """Add a column with a heading, dressed as the one before it; the rows as they are then. Raises NotThereError."""
    below = _below(book, name, [after] if after is not None else [""])
    if below is None:
        raise NotThereError(f"sheet '{name}' has no heading '{after}'" if after else f"sheet '{name}' has no headings")
    if below.column(heading) is not None:
        raise NotThereError(f"sheet '{name}' has a heading '{heading}' already")
    last = max(below.columns)
    before = last if after is None else below.column(after)
    assert before is not None
    row, sheet = heading_row(below), book.sheet(name)
    if before != last:
        edit.insert_columns(book, name, before + 1)
        sheet = book.sheet(name)
    elif any(sheet.value(line, before + 1) is not None for line in (row, *below.rows)):
        why = f"column {column_name(before + 1)} is taken: there is no room beside the rows"
        raise NotThereError(f"sheet '{name}', {why}")
    if below.table is not None and before == last:
        raise NotThereError(f"table '{below.table.name}' ends there: add the column after another heading")
    if below.table is not None:
        table = next(one for one in sheet.tables if one.name == below.table.name)
        edit.rename_column(book, table.name, table.columns[before + 1 - table.area.left].name, heading)
        sheet = book.sheet(name)
    sheet.set(row, before + 1, heading, sheet.style(row, before))
    found = under_heading(book, book.sheet(name), heading)
    if found is None or found.column(heading) is None:
        raise NotThereError(f"sheet '{name}': the new heading '{heading}' is not seen as one")
    return found


def table_below(book: Workbook, name: str, below: RowsBelow) -> Table:
    """The rows below headings as a table, with the values that their cells show."""
    sheet = book.sheet(name)
    columns = [Column.from_values([sheet.value(row, column) for row in below.rows]) for column in below.columns]
    return Table(name, tuple(map(Field, below.headings)), tuple(columns))


def _mentioned(amendment: Amendment) -> list[str]:
    found = [*amendment.rename, *amendment.drop, *amendment.unique]
    found += _HEADING.findall(amendment.drop_rows or "")
    return found or [""]


def _below(book: Workbook, name: str, wanted: Sequence[str]) -> RowsBelow | None:
    below = under_heading(book, book.sheet(name), wanted[0])
    if below is None or not below.rows or any(below.column(one) is None for one in wanted if one):
        return None
    return below


def _renamed(book: Workbook, name: str, amendment: Amendment) -> Iterator[Change]:
    for old, new in amendment.rename.items():
        below = _below(book, name, [old])
        assert below is not None
        column, row = below.column(old), heading_row(below)
        assert column is not None
        if below.column(new) is not None and old.casefold() != new.casefold():
            raise NotThereError(f"sheet '{name}' has a heading '{new}' already")
        if below.table is not None:
            edit.rename_column(book, below.table.name, old, new)
        sheet = book.sheet(name)
        sheet.set(row, column, new, sheet.style(row, column))
        yield Change(name, "", f"'{old}'", f"the heading '{new}'")


def _dropped(book: Workbook, name: str, headings: Sequence[str]) -> Iterator[Change]:
    for heading in headings:
        below = _below(book, name, [heading])
        column = None if below is None else below.column(heading)
        if column is None:
            known = [] if below is None else list(below.headings)
            raise NotThereError(f"sheet '{name}' has no heading '{heading}': {known_names(heading, known)}")
        edit.delete_columns(book, name, column)
        yield Change(name, "", f"'{heading}'", "without this column")


def _without_rows(book: Workbook, name: str, below: RowsBelow, amendment: Amendment) -> Iterator[Change]:
    table = table_below(book, name, below)
    gone: set[int] = set()
    if amendment.drop_rows is not None:
        scope = TableScope({}, {}, table)
        try:
            tree = read_formula(amendment.drop_rows, scope, "the condition of drop_rows")
            answers = table_values(tree, scope, table).to_list()
        except TinQuireError as error:
            raise NotThereError(error.faults[0].why) from None
        if strange := [one for one in answers if not isinstance(one, bool)]:
            raise NotThereError(f"the condition {amendment.drop_rows} gives {strange[0]!r}, neither true nor false")
        gone |= {row for row, answer in zip(below.rows, answers, strict=True) if answer}
    if amendment.unique:
        keys = [table.column(heading).to_list() for heading in amendment.unique]
        seen: set[tuple[tuple[type, Value], ...]] = set()
        for row, values in zip(below.rows, zip(*keys, strict=True), strict=True):
            key = tuple((type(value), value) for value in values)
            if key in seen:
                gone.add(row)
            seen.add(key)
    if gone:
        edit.remove_rows(book, name, sorted(gone))
        yield Change(name, "", counted(len(gone), "row"), "without these rows")
