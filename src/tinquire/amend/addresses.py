"""Headings in the formulas of amendments, as addresses of a sheet.

`[Pieces]` is that column's cell in the same row, `rows[Pieces]` the cells of all rows below it, `Rates!rows[Code:Rate]`
those of several columns of another sheet.
"""

from __future__ import annotations

import re

from tinquire.amend.changes import NotThereError
from tinquire.base.wording import known_names
from tinquire.cells.address import cell_name, column_name
from tinquire.formula.language.mentions import prefix_of
from tinquire.formula.language.writing import escaped_column
from tinquire.sources.readers.headings import RowsBelow, under_heading
from tinquire.workbook import Workbook

__all__ = ["mentioned_headings", "with_addresses"]

#: A heading in brackets; a number in brackets before a sheet's name is another workbook (18.17.2.3).
_OWN = re.compile(r"(?<![\w\]'])\[([^\[\]@#]+)\](?![\w.]*!)")
#: All rows of a column, or of columns from one to another, of this sheet or of another one.
_ALL = re.compile(
    r"(?:(?<![\w'])(?P<sheet>[A-Za-z_]\w*|'(?:[^']|'')+')!|(?<![\w!]))"
    r"rows\[(?P<first>[^\[\]@#:]+)(?::(?P<last>[^\[\]@#:]+))?\]"
)


def mentioned_headings(formula: str) -> list[str]:
    """The headings of its own sheet that a formula names."""
    found = [heading for mention in _ALL.finditer(formula) if not mention["sheet"] for heading in _ends(mention)]
    return [*_OWN.findall(_ALL.sub("", formula)), *found]


def with_addresses(
    book: Workbook, name: str, under: RowsBelow | None, formula: str, row: int | None, source: str | None = None
) -> str:
    """A formula with addresses in place of headings, as a cell of a row of a sheet reads it; without a row, only
    `rows[...]` can be read. `under` are the sheet's rows, if they are known already; `source` is a sheet whose rows
    are meant instead where none is named. Raises NotThereError."""

    def every(found: re.Match[str]) -> str:
        home = found["sheet"] or (None if source is None else prefix_of((source,))[:-1])
        where = name if home is None else home[1:-1].replace("''", "'") if home.startswith("'") else home
        below = under if home is None and under is not None else _below(book, where, found["first"])
        first, last = (_column(below, heading, found[0]) for heading in _ends(found))
        if below.table is not None:
            table = below.table
            columns = [escaped_column(table.columns[one - table.area.left].name) for one in (first, last)]
            return f"{table.name}[{columns[0]}]" if first == last else f"{table.name}[[{columns[0]}]:[{columns[1]}]]"
        area = f"${column_name(first)}${below.rows[0]}:${column_name(last)}${below.rows[-1]}"
        return area if home is None else f"{home}!{area}"

    def own(found: re.Match[str]) -> str:
        if under is None or row is None:
            raise NotThereError(f"[{found[1]}] can be read only below headings: say where by heading or table")
        column, table = _column(under, found[1], found[0]), under.table
        if table is None or row not in range(table.data.top, table.data.bottom + 1):
            return cell_name(row, column)
        return f"{table.name}[[#This Row],[{escaped_column(table.columns[column - table.area.left].name)}]]"

    # What stands for all rows may become a table's own words, which have brackets too.
    pieces, end = [], 0
    for found in _ALL.finditer(formula):
        pieces += [_OWN.sub(own, formula[end : found.start()]), every(found)]
        end = found.end()
    return "".join([*pieces, _OWN.sub(own, formula[end:])])


def _ends(found: re.Match[str]) -> tuple[str, str]:
    return found["first"], found["last"] or found["first"]


def _below(book: Workbook, name: str, heading: str) -> RowsBelow:
    if name.casefold() not in map(str.casefold, book.sheet_names()):
        raise NotThereError(f"it has no sheet '{name}': {known_names(name, book.sheet_names())}")
    below = under_heading(book, book.sheet(name), heading)
    if below is None or not below.rows:
        raise NotThereError(f"sheet '{name}' has no rows below headings, and a formula reads those of '{heading}'")
    return below


def _column(below: RowsBelow, heading: str, mention: str) -> int:
    column = below.column(heading)
    if column is None:
        raise NotThereError(f"there is no heading '{heading}' for {mention}: {known_names(heading, below.headings)}")
    return column
