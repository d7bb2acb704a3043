"""Rows and columns below a sheet's headings changed: found by what the headings say, wherever they stand."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from tinquire.amend.addresses import mentioned_headings
from tinquire.amend.below import put_below
from tinquire.amend.changes import Change, NotThereError
from tinquire.amend.conditions import column_below, rows_where
from tinquire.amend.schema import Amendment
from tinquire.amend.targets import matching_sheets
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import column_name
from tinquire.cells.values import Value
from tinquire.sources.readers.headings import RowsBelow, under_heading
from tinquire.tables.types import read_column
from tinquire.workbook import Workbook, edit

__all__ = ["added_column", "heading_row", "listed"]


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
        if amendment.move is not None:
            yield from _moved(book, name, below, amendment)
        if amendment.below:
            yield from put_below(book, name, below, amendment)
        if amendment.type is not None and amendment.heading is not None:
            yield from _typed(book, name, below, amendment, amendment.heading)


def heading_row(below: RowsBelow) -> int:
    """The row of headings that rows lie below."""
    return below.table.area.top if below.table is not None else below.rows[0] - 1


def added_column(
    book: Workbook, name: str, heading: str, after: str | None, ahead: str | None = None
) -> tuple[RowsBelow, int]:
    """Add a column with a heading after another one, `ahead` of one, or as the last; the rows as they are then, and the
    column that it is dressed as. Raises NotThereError."""
    beside = after if after is not None else ahead
    below = _below(book, name, [beside] if beside is not None else [""])
    if below is None:
        raise NotThereError(
            f"sheet '{name}' has no heading '{beside}'" if beside else f"sheet '{name}' has no headings"
        )
    if below.column(heading) is not None:
        raise NotThereError(f"sheet '{name}' has a heading '{heading}' already")
    last = max(below.columns)
    before = last if after is None else below.column(after)
    if ahead is not None:
        at = below.column(ahead)
        assert at is not None
        before = at - 1
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
    model = before if before in below.columns else before + 2
    sheet.set(row, before + 1, heading, sheet.style(row, model))
    found = under_heading(book, book.sheet(name), heading)
    if found is None or found.column(heading) is None:
        raise NotThereError(f"sheet '{name}': the new heading '{heading}' is not seen as one")
    return found, model


def _mentioned(amendment: Amendment) -> list[str]:
    found = [*amendment.rename, *amendment.drop, *amendment.unique, *(one for line in amendment.below for one in line)]
    found += [one for one in (amendment.move, amendment.after, amendment.before) if one is not None]
    found += [amendment.heading] if amendment.type is not None and amendment.heading is not None else []
    found += mentioned_headings(amendment.drop_rows or "")
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
    gone: set[int] = set()
    if amendment.drop_rows is not None:
        gone.update(rows_where(book, name, below, amendment.drop_rows, "drop_rows"))
    if amendment.unique:
        sheet = book.sheet(name)
        columns = [below.column(heading) for heading in amendment.unique]
        keys = [column_below(sheet, column, below).to_list() for column in columns if column is not None]
        seen: set[tuple[tuple[type, Value], ...]] = set()
        for row, values in zip(below.rows, zip(*keys, strict=True), strict=True):
            key = tuple((type(value), value) for value in values)
            if key in seen:
                gone.add(row)
            seen.add(key)
    if gone:
        edit.remove_rows(book, name, sorted(gone))
        yield Change(name, "", counted(len(gone), "row"), "without these rows")


def _moved(book: Workbook, name: str, below: RowsBelow, amendment: Amendment) -> Iterator[Change]:
    assert amendment.move is not None
    beside = amendment.after if amendment.after is not None else amendment.before
    column, other = below.column(amendment.move), below.column(beside or "")
    assert column is not None and other is not None
    if below.table is not None:
        raise NotThereError(
            f"'{amendment.move}' is a column of table '{below.table.name}', whose columns stay in order"
        )
    target = other + 1 if amendment.after is not None else other
    if target not in (column, column + 1):
        edit.move_column(book, name, column, target)
        yield Change(name, "", f"'{amendment.move}'", f"{'after' if amendment.after else 'before'} '{beside}'")


def _typed(book: Workbook, name: str, below: RowsBelow, amendment: Amendment, heading: str) -> Iterator[Change]:
    """The cells under a heading read as a type. Raises NotThereError for what cannot be read as it, or two ways."""
    column, sheet, kind = below.column(heading), book.sheet(name), amendment.type or "text"
    assert column is not None
    values = column_below(sheet, column, below)
    reading = read_column(values, kind, decimal=None)
    if reading.problems:
        first = reading.problems[0]
        place = f"sheet '{name}', cell {column_name(column)}{below.rows[first.place]}"
        raise NotThereError(f"{place} holds '{first.value}', which is not of the type {kind}: {first.why}")
    change = amendment.look.variation(amendment.format)
    changed = 0
    for row, old, new in zip(below.rows, values.to_list(), reading.column.to_list(), strict=True):
        if (type(old), old) != (type(new), new) and sheet.formula(row, column) is None:
            sheet.set(row, column, new, book.styles.vary(sheet.style(row, column), change))
            changed += 1
        elif change.given():
            sheet.dress(row, column, book.styles.vary(sheet.style(row, column), change))
    if changed:
        yield Change(name, "", f"'{heading}'", f"{counted(changed, 'cell')} read as {kind}")
