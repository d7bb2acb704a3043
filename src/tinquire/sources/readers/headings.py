"""The cells under a heading of a workbook's sheet, wherever it stands, down to the last row of data."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import known_names
from tinquire.cells.address import column_name
from tinquire.cells.column import Column, Kind
from tinquire.cells.display import show
from tinquire.cells.total_words import is_total_label
from tinquire.cells.values import Value
from tinquire.sources.raw_table import table_below_heading
from tinquire.sources.readers.workbooks import block_of
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.sheet import SheetTable

__all__ = ["Groups", "RowsBelow", "rows_by_value", "under_heading"]

_BLANK = "(blank)"
#: So many columns further on, a column is still one of the rows: one blank column may be there for the eye.
_SPACER = 2
_ADDS_UP = re.compile(r"\b(?:SUM|SUBTOTAL|SUMIFS?)\(", re.IGNORECASE)
#: Sums that were stored may differ from the rows in the last digits.
_CLOSE = 1e-9


@dataclass(frozen=True, slots=True)
class RowsBelow:
    """The rows below a sheet's headings, and the sheet column of each heading; `table` is the table part, if it is
    one."""

    headings: tuple[str, ...]
    columns: tuple[int, ...]
    rows: tuple[int, ...]
    table: SheetTable | None = None

    def column(self, heading: str) -> int | None:
        """A heading's sheet column, without regard to case."""
        wanted = heading.strip().casefold()
        pairs = zip(self.headings, self.columns, strict=True)
        return next((column for known, column in pairs if known.casefold() == wanted), None)


def under_heading(book: Workbook, sheet: Sheet, heading: str) -> RowsBelow | None:
    """The rows to which a heading belongs: a table's, or those below a row of headings; None when no headings can be
    told. The result need not have the heading: it is there for the message then."""
    for table in sheet.tables:
        if table.headings and table.index_of(heading) is not None:
            columns = tuple(range(table.area.left, table.area.left + len(table.columns)))
            last = min(table.data.bottom, sheet.extent()[0])  # a table may claim the whole grid
            rows = tuple(range(table.data.top, last + 1))
            return RowsBelow(tuple(column.name for column in table.columns), columns, rows, table)
    if sheet.used is None:
        return None
    block = block_of(book, sheet, sheet.used, book.name)
    try:
        raw = table_below_heading(block, "find", "drop", frozenset({heading.casefold()}))
    except DataError:
        return None
    if not len(raw.rows):
        return None
    below = RowsBelow(tuple(raw.headings), tuple(raw.letters), tuple(map(int, raw.rows)))
    return _without_blocks_beside(sheet, below, heading)


def _without_blocks_beside(sheet: Sheet, below: RowsBelow, heading: str) -> RowsBelow:
    """Without what stands beside the rows: columns behind several blank ones, seen from the heading's column (or from
    most of the columns), and last rows that hold something only behind a gap."""
    columns = below.columns
    gaps = [place for place in range(1, len(columns)) if columns[place] != columns[place - 1] + 1]
    if not gaps:
        return below
    wide = [place for place in gaps if columns[place] - columns[place - 1] > _SPACER]
    at = below.column(heading) if heading.strip() else None
    first, last = _run(columns, wide, at)
    below = replace(below, headings=below.headings[first:last], columns=columns[first:last])
    first, last = _run(below.columns, [place - first for place in gaps if first < place < last], at)
    filled = _filled_rows(sheet, below.rows, below.columns[first:last])
    count = next((place for place in range(len(filled), 0, -1) if filled[place - 1]), 0)
    return replace(below, rows=below.rows[:count]) if count else below


def _run(columns: Sequence[int], breaks: Sequence[int], at: int | None) -> tuple[int, int]:
    """The run of columns between breaks that a column is in; the longest one without."""
    runs = list(pairwise([0, *breaks, len(columns)]))
    if at is not None:
        return next((run for run in runs if at in columns[run[0] : run[1]]), runs[0])
    return max(runs, key=lambda run: run[1] - run[0])


@dataclass(frozen=True, slots=True)
class Groups:
    """A sheet's rows by the values of a column, as displayed, in the order that they are first met.

    `columns` are the sheet columns of its headings. `sums` are rows among these that sum others up, each with the rows
    that it sums up: those above it, as far as the one before.
    """

    sheet: str
    heading: str
    rows: dict[str, tuple[int, ...]]
    columns: tuple[int, ...] = ()
    sums: dict[int, tuple[int, ...]] = field(default_factory=dict)

    @property
    def every(self) -> tuple[int, ...]:
        """All rows of data."""
        return tuple(sorted(row for rows in self.rows.values() for row in rows))


def _sums_up(sheet: Sheet, under: RowsBelow, row: int, block: Sequence[int]) -> bool:
    """Whether a row among the data sums up those above it: it says so in words, and one of its numbers is their sum, or
    a formula that adds up. A product may be called `Total eclipse`."""
    values = {column: sheet.value(row, column) for column in under.columns}
    if not any(map(is_total_label, values.values())):
        return False
    for column, value in values.items():
        formula = sheet.formula(row, column)
        if formula is not None and _ADDS_UP.search(formula.text):
            return True
        above = [sheet.value(other, column) for other in block]
        numbers = [item for item in above if isinstance(item, float) and not isinstance(item, bool)]
        if isinstance(value, float) and numbers and abs(sum(numbers) - value) <= _CLOSE * max(1.0, abs(value)):
            return True
    return False


def _filled_rows(sheet: Sheet, rows: Sequence[int], columns: Sequence[int]) -> list[bool]:
    """Which of some rows hold anything in some columns."""
    wanted = np.array(rows, np.int32)
    found = np.zeros(len(wanted), bool)
    for column in columns:
        found |= sheet.rows_of(column, wanted).kinds != Kind.BLANK
    return [bool(one) for one in found]


def _spelled(book: Workbook, sheet: Sheet, rows: Sequence[int], column: int) -> Callable[[int], str]:
    """The cells of a column as they are displayed, by row; each value in each format is spelled once."""
    cells = sheet.rows_of(column, np.array(rows, np.int32))
    values = Column(cells.kinds, cells.numbers, cells.codes, sheet.texts).to_list()
    known: dict[tuple[type, Value, int], str] = {}
    texts: dict[int, str] = {}
    for row, value, style in zip(rows, values, cells.styles.tolist(), strict=True):
        key = (type(value), value, style)
        if key not in known:
            code = book.styles.number_format(style)
            known[key] = show(value, code, book.date_system).text.strip() or _BLANK
        texts[row] = known[key]
    return texts.__getitem__


def rows_by_value(book: Workbook, heading: str, sheet: str | None = None) -> Groups:
    """The rows below a heading, by value. Texts that differ in case or outer blanks only are one value.

    Without a sheet, the first that has the heading is taken. Raises DataError when it does not exist.
    """
    seen: list[str] = []
    for name in [sheet] if sheet is not None else book.sheet_names():
        opened = book.sheet(name)
        under = under_heading(book, opened, heading)
        column = None if under is None else under.column(heading)
        if under is None or column is None:
            seen += under.headings if under else ()
            continue
        pairs = zip(under.headings, under.columns, strict=False)  # a damaged table may claim more columns
        headed = tuple(number for name, number in pairs if name != f"Column {column_name(number)}")
        labels: dict[str, str] = {}
        rows: dict[str, list[int]] = {}
        sums: dict[int, tuple[int, ...]] = {}
        block: list[int] = []
        filled = _filled_rows(opened, under.rows, headed)
        spelled = _spelled(book, opened, under.rows, column)
        for row, is_filled in zip(under.rows, filled, strict=True):
            if not is_filled:
                continue  # something beside the table
            if _sums_up(opened, under, row, block):
                sums[row], block = tuple(block), []
                continue
            block.append(row)
            text = spelled(row)
            rows.setdefault(labels.setdefault(text.casefold(), text), []).append(row)
        found = {label: tuple(own) for label, own in rows.items()}
        return Groups(opened.name, heading, found, headed, sums)
    why = f"no sheet has a heading '{heading}': {known_names(heading, list(dict.fromkeys(seen)))}"
    raise DataError(Fault("splitting by a column", why, book.name, "check the heading"))
