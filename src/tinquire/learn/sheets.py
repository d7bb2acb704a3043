"""Sheets that are new: a summary of the rows of another one, found by matching its numbers; or single cells."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from tinquire.amend.summary_schema import SummaryChange
from tinquire.amend.summing import summary_lines, typed_table
from tinquire.base.faults import TinQuireError
from tinquire.base.wording import listed
from tinquire.cells.address import cell_name
from tinquire.cells.column import Column
from tinquire.cells.total_words import begins_total
from tinquire.cells.values import Value
from tinquire.formula.language.mentions import offset_text
from tinquire.learn.find_list import ListFinder
from tinquire.learn.lists import SheetList, seen_list
from tinquire.learn.session import Session
from tinquire.learn.terms import Terms
from tinquire.sources.readers.headings import RowsBelow
from tinquire.tables import Field, Table
from tinquire.workbook import Sheet
from tinquire.workbook.grid.cell_formulas import text_at

__all__ = ["new_sheet"]

#: How the values of a group became one, the likeliest first.
_WAYS = ("sum", "count", "average", "smallest", "largest", "distinct", "numbers", "median", "first", "last")
#: Lines and columns of a summary that are looked into.
_LINES, _COLUMNS = 2000, 60
_CLOSE = 1e-9


def new_sheet(session: Session, name: str) -> None:
    """Steps for a sheet that was not there before."""
    for home in session.work.sheet_names():
        source = seen_list(session.work, home)
        asked = None if source is None else _summary(session, source, name)
        if asked is None or source is None:
            continue
        keys, says, cells = asked
        where = {} if session.home in (None, home) and len(session.work.sheet_names()) == 1 else {"sheet": home}
        session.home = session.learned.home = session.home or (None if where else home)
        if session.do({**where, "summary": keys}, says, cells):
            _rest(session, name)
            return
    if session.do({"add_sheet": name}, f"a new sheet '{name}'", 1):
        _rest(session, name)


def _rest(session: Session, name: str) -> None:
    """What a new sheet has beyond what was put there: titles, looks, set-up."""
    finder = ListFinder(session, name, {"sheet": name})
    finder.find()
    finder.finish()


def _summary(session: Session, source: SheetList, name: str) -> tuple[dict[str, Any], str, int] | None:
    """A summary of a list's rows on a sheet: what an amendment says of it, in words, and how many cells it has."""
    found = _block(session.after.sheet(name), source)
    if found is None:
        return None
    below, values = found
    table = _table(source)
    for count in (1, 2, 3):
        keys = _by(session, source, table, name, below, values, count)
        if keys is not None:
            fields = listed([f"'{one}'" for one in keys["rows"]])
            across = f" and across by '{keys['columns'][0]}'" if keys.get("columns") else ""
            says = f"a summary on '{name}': the rows of '{source.sheet}' by {fields}{across}"
            return keys, says, (len(below.rows) + 1) * len(below.headings)
    return None


def _table(source: SheetList) -> Table:
    columns = tuple(Column.from_values(source.values[name]) for name in source.headings)
    return typed_table(Table(source.sheet, tuple(map(Field, source.headings)), columns))


def _block(sheet: Sheet, source: SheetList) -> tuple[RowsBelow, list[list[Value]]] | None:
    """Headings and lines of the block whose first heading is one of the source's: down to the first blank label."""
    used = sheet.used
    if used is None or used.bottom - used.top > _LINES:
        return None
    known = set(source.headings)
    for row in range(used.top, min(used.bottom, used.top + 20) + 1):
        left = next((at for at in range(used.left, used.right + 1) if sheet.value(row, at) in known), None)
        if left is None:
            continue
        columns: list[int] = []
        while len(columns) < _COLUMNS and sheet.value(row, left + len(columns)) is not None:
            columns.append(left + len(columns))
        rows: list[int] = []
        while sheet.value(row + 1 + len(rows), left) is not None:
            rows.append(row + 1 + len(rows))
        if rows and len(columns) > 1:
            headings = tuple(str(sheet.value(row, column)) for column in columns)
            lines = [[sheet.value(line, column) for column in columns] for line in rows]
            return RowsBelow(headings, tuple(columns), tuple(rows)), lines
    return None


def _by(
    session: Session, source: SheetList, table: Table, name: str, below: RowsBelow, lines: Sequence[Sequence[Value]],
    count: int,
) -> dict[str, Any] | None:  # fmt: skip
    """What a block is as a summary whose first columns are its row fields."""
    names = list(below.headings[:count])
    if len(below.headings) <= count or any(one not in source.headings for one in names):
        return None
    total = lines[-1][0] if isinstance(lines[-1][0], str) and begins_total(lines[-1][0]) else None
    labels = [tuple(line[:count]) for line in (lines[:-1] if total is not None else lines)]
    there = list(dict.fromkeys(zip(*(source.values[one] for one in names), strict=True)))
    if len(labels) != len(set(labels)) or set(labels) != set(there):
        return None
    base: dict[str, Any] = {"to": name, "at": cell_name(below.rows[0] - 1, below.columns[0]), "rows": names}
    if total is not None:
        base["totals"] = total
    if count == 1 and labels == there and labels != sorted(there, key=_order):
        base["first_met"] = True
    for keys in (
        _by_formulas(session, source, name, below, count, total is not None),
        _by_values(table, base, below, lines, count),
        _across(table, base, below, lines, count),
    ):
        if keys is not None:
            return {**base, **keys}
    return None


def _order(label: tuple[Value, ...]) -> tuple[tuple[int, Any], ...]:
    return tuple((0, value) if isinstance(value, float) else (1, str(value)) for value in label)


def _by_values(
    table: Table, base: Mapping[str, Any], below: RowsBelow, lines: Sequence[Sequence[Value]], count: int
) -> dict[str, Any] | None:
    """The way and the column of each value: its name first, then any that gives the same numbers."""
    values = []
    for place in range(count, len(below.headings)):
        wanted = [line[place] for line in lines]
        heading = below.headings[place]
        found = next(
            (
                {way: column, **({} if column == heading else {"as": heading})}
                for way, column in _ways(table, heading)
                if _matches(table, base, {"values": [{way: column, "as": "\0"}]}, wanted, count)
            ),
            None,
        )
        if found is None:
            return None
        values.append(found)
    return {"values": values}


def _ways(table: Table, heading: str) -> Iterator[tuple[str, str]]:
    """Ways and columns to try, those that the heading speaks of first."""
    said = heading.casefold()
    columns = sorted(table.headings, key=lambda name: (name.casefold() != said, name.casefold() not in said))
    for column in columns:
        for way in _WAYS:
            yield way, column


def _matches(
    table: Table, base: Mapping[str, Any], keys: Mapping[str, Any], wanted: Sequence[Value], count: int
) -> bool:
    try:
        _, lines = summary_lines(table, SummaryChange.model_validate({**base, **keys}))
    except (TinQuireError, ValueError):
        return False
    return len(lines) == len(wanted) and all(_is(line[count], value) for line, value in zip(lines, wanted, strict=True))


def _is(one: Value, other: Value) -> bool:
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= _CLOSE * max(1.0, abs(other))
    return (one or None) == (other or None) if not isinstance(one, float) and not isinstance(other, float) else False


def _across(
    table: Table, base: Mapping[str, Any], below: RowsBelow, lines: Sequence[Sequence[Value]], count: int
) -> dict[str, Any] | None:
    """A column for each value of another heading."""
    heads = set(below.headings[count:])
    for column, values in zip(table.headings, table.columns, strict=True):
        there = {str(int(one) if isinstance(one, float) and one.is_integer() else one) for one in values.to_list()}
        if column in base["rows"] or there != heads:
            continue
        for measure, way in ((measure, way) for measure in table.headings for way in _WAYS[:5]):
            keys = {"columns": [column], "values": [{way: measure}]}
            try:
                headings, made = summary_lines(table, SummaryChange.model_validate({**base, **keys}))
            except (TinQuireError, ValueError):
                continue
            if [str(one) for one in headings] != list(below.headings) or len(made) != len(lines):
                continue
            pairs = (pair for one, other in zip(made, lines, strict=True) for pair in zip(one, other, strict=True))
            if all(_is(a, b) for a, b in pairs):
                return keys
    return None


def _by_formulas(
    session: Session, source: SheetList, name: str, below: RowsBelow, count: int, totals: bool
) -> dict[str, Any] | None:
    """The formulas of the columns behind the labels, the same in every line."""
    sheet, terms = session.after.sheet(name), Terms(session.work)
    rows = below.rows[:-1] if totals else below.rows
    own = SheetList(name, RowsBelow(below.headings, below.columns, rows), {})
    terms.know(source)
    found: dict[str, str] = {}
    for heading, column in zip(below.headings[count:], below.columns[count:], strict=True):
        formulas = [sheet.formula(row, column) for row in rows]
        if any(formula is None for formula in formulas):
            return None
        texts = [text_at(formula, row, column) for formula, row in zip(formulas, rows, strict=True) if formula]
        if any(offset_text(texts[0], row - rows[0], 0) != text for row, text in zip(rows, texts, strict=True)):
            return None
        text, whole = terms.general(texts[0], name, rows[0], own, unnamed=source.sheet)
        if not whole:
            return None
        found[heading] = f"={text}"
    return {"formulas": found}
