"""A source as it lies in its file: columns of cells before headings, types and clutter are distinguished."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import counted, listed
from tinquire.cells.address import MAX_COLUMN, cell_name
from tinquire.cells.column import Booleans, Codes, Column, Kind, Kinds
from tinquire.cells.display import general
from tinquire.cells.numberformat import Moment
from tinquire.cells.room import mostly_empty
from tinquire.cells.total_words import begins_total
from tinquire.cells.values import Value
from tinquire.sources.digest import Digest
from tinquire.sources.spec import RowNote
from tinquire.tables.types import duration_in, number_in

__all__ = ["HEADING_SEARCH_ROWS", "MOMENTS", "Block", "RawTable", "table_below_heading"]

#: A heading row is looked for among this many rows from the top.
HEADING_SEARCH_ROWS = 60
#: Below the last row of data, at most this many rows of totals and notes are distinguished.
FOOT_ROWS = 12
#: What a workbook can show a number as, by the number that `Block.moments` has for it.
MOMENTS: tuple[Moment, ...] = ("", "date", "time", "duration")


@dataclass(frozen=True, slots=True)
class Block:
    """A rectangle of cells as read: columns of equal length, whose first cell is (top, left)."""

    file: str
    sheet: str
    top: int
    left: int
    columns: tuple[Column, ...]
    #: The line on which each row begins, for text files, where a quoted field may run over several lines.
    lines: Codes | None = None
    #: For each column, as what of `MOMENTS` a workbook shows each cell's number; none for text files.
    moments: tuple[Kinds, ...] = ()
    #: Rows of the sheet that sum up those above: a table's totals row, or formulas that say so.
    sums: frozenset[int] = frozenset()

    @property
    def height(self) -> int:
        return len(self.columns[0]) if self.columns else 0


@dataclass
class RawTable:
    """Rows under headings, with the sheet row of each and the sheet column of each heading.

    `totals` holds the values of a totals row that was left out, by heading; `notes` says what was left out.
    """

    file: str
    sheet: str
    headings: list[str]
    columns: list[Column]
    rows: Codes
    letters: list[int]
    totals: dict[str, Value] = field(default_factory=dict)
    totals_row: int | None = None
    notes: list[str | RowNote] = field(default_factory=list)
    #: The decimal mark of numbers written as text; None where nothing shows it.
    decimal: str | None = None
    #: Text files are spoken of by line, not by cell.
    by_line: bool = False
    #: For each column what its numbers are, by what the workbook shows.
    moments: list[Moment] = field(default_factory=list)
    #: Of the file's bytes, or of what a database gave.
    digest: Digest = field(default_factory=lambda: Digest.known(""))

    def cells(self, rows: Sequence[int], column: int) -> str:
        """The positions of values of a column, as a message says them."""
        many = "s" if len(rows) > 1 else ""
        if self.by_line:
            lines = listed([str(self.rows[row]) for row in rows])
            return f"{self.file}, column '{self.headings[column]}', line{many} {lines}"
        names = listed([cell_name(int(self.rows[row]), self.letters[column]) for row in rows])
        return f"{self.file}, sheet '{self.sheet}', cell{many} {names}"


def require_room(rows: int, columns: int, filled: int, stopped: str, where: str) -> None:
    """Stop before a table is built that no sheet could hold, or that is nearly all blank. Raises DataError."""
    if columns > MAX_COLUMN:
        why = f"it has {columns:,} columns; a sheet holds {MAX_COLUMN:,}"
        raise DataError(Fault(stopped, why, where, "leave columns out where the file is made"))
    if mostly_empty(rows * columns, filled):
        why = f"{rows:,} rows of {columns:,} columns make {rows * columns:,} values, only {filled:,} of them there"
        raise DataError(Fault(stopped, why, where, "make a file of each kind of row"))


def table_below_heading(
    block: Block, heading: str | int | Sequence[int], totals: str, expected: frozenset[str]
) -> RawTable:
    """Tell headings, rows and clutter apart.

    `heading` is 'find', the heading's row number in the sheet, or the first and last of several rows that are joined;
    `totals` is 'none' when the last rows are data whatever they look like; `expected` are casefolded headings that the
    docket speaks of. Raises DataError when no heading row can be found.
    """
    if isinstance(heading, Sequence) and not isinstance(heading, str):
        block, heading = _join_headings(block, heading[0], heading[-1]), heading[-1]
    filled = np.array([column.kinds != Kind.BLANK for column in block.columns]) if block.columns else np.zeros((0, 0))
    at = _heading_place(block, filled, expected) if heading == "find" else int(heading) - block.top
    if at is None or not 0 <= at < block.height:
        inside = f"sheet '{block.sheet}'" if block.sheet else ""
        why = "no heading row was found: none of its first rows holds texts alone, in two columns or more"
        if heading != "find":
            why = f"row {heading} lies outside the used rows"
        do = "say which row it is: header = 5"
        where = ", ".join(filter(None, (block.file, inside)))
        raise DataError(Fault("looking for headings", why, where, do, option="say which row it is: --header 5"))
    raw = _under(block, at, filled)
    if totals != "none":
        _leave_out_foot(raw, block.sums)
    return raw


def _join_headings(block: Block, first: int, last: int) -> Block:
    """The block with the texts of several heading rows joined in the last; what is in an upper row is said of all
    columns to its right up to the next one, as merged cells show it. Raises DataError."""
    top, bottom = first - block.top, last - block.top
    if not 0 <= top <= bottom < block.height:
        why = f"rows {first} to {last} lie outside the used rows"
        raise DataError(Fault("looking for headings", why, block.file, "say which rows they are: header = [4, 5]"))
    said = [""] * (bottom - top)
    columns = []
    for column in block.columns:
        for row in range(top, bottom):
            value = column[row]
            if value is not None:
                said[row - top] = general(value) if isinstance(value, float) else str(value).strip()
        own = column[bottom]
        parts = [*said, "" if own is None else general(own) if isinstance(own, float) else str(own).strip()]
        whole = " ".join(part for part in parts if part)
        head = Column.from_values([*([None] * bottom), whole or None])
        columns.append(Column.concat([head, column.slice(bottom + 1, block.height)]))
    return replace(block, columns=tuple(columns))


def _heading_place(block: Block, filled: np.ndarray, expected: frozenset[str]) -> int | None:
    """The row (from zero) that heads the table: texts alone, all different, over most of the columns in use."""
    rows = min(block.height, HEADING_SEARCH_ROWS)
    counts = filled[:, :rows].sum(axis=0)
    best: tuple[int, int] | None = None
    for row in range(rows):
        if counts[row] < min(2, len(block.columns)):
            continue
        texts = [column[row] for column, here in zip(block.columns, filled[:, row], strict=True) if here]
        if not all(isinstance(text, str) for text in texts):
            continue
        names = [str(text).strip().casefold() for text in texts]
        known = sum(name in expected for name in names)
        wide_enough = counts[row] >= 0.6 * counts[row:rows].max(initial=0)
        repeats = len(set(names)) < len(names)
        if repeats and not known and (best is not None or not _heads_values(block, row)):
            continue  # names over groups of columns, or data
        if (known or wide_enough) and (best is None or known > best[0]):
            best = (known, row)
    return None if best is None else best[1]


def _heads_values(block: Block, row: int) -> bool:
    """Whether a row in which a text stands twice is one of headings: it has no number, and one is in the next."""
    own, below = ([column[index] for column in block.columns] for index in (row, min(row + 1, block.height - 1)))
    spells = [[value for value in values if not isinstance(value, str) or _is_number(value)] for values in (own, below)]
    filled = [[value for value in values if value is not None] for values in spells]
    return not filled[0] and bool(filled[1])


def _under(block: Block, at: int, filled: np.ndarray) -> RawTable:
    """The rows below the heading that hold anything, under headings made distinct."""
    below = filled[:, at + 1 :]
    notes = []
    if at:
        above = int(filled[:, :at].any(axis=0).sum())
        if above:
            notes.append(f"{above} title {'row' if above == 1 else 'rows'} above the headings left out")
    used = [n for n in range(len(block.columns)) if below[n].any() or filled[n, at]]
    here: Booleans = np.asarray(below.any(axis=0))
    rows = np.arange(at + 1, block.height, dtype=np.int32)
    columns = [block.columns[n].slice(at + 1, block.height) for n in used]
    if not here.all():
        rows = rows[here]
        columns = [column.take(here) for column in columns]
        blank = int(rows[-1]) - at - len(rows) if len(rows) else 0
        if blank:
            notes.append(f"{blank} blank {'row' if blank == 1 else 'rows'} left out")
    headings, renamed = _distinct([block.columns[n][at] for n in used], [block.left + n for n in used])
    return RawTable(
        file=block.file,
        sheet=block.sheet,
        headings=headings,
        columns=columns,
        rows=rows + np.int32(block.top) if block.lines is None else block.lines[rows],
        letters=[block.left + n for n in used],
        notes=[*notes, *renamed],
        by_line=block.lines is not None,
        moments=[_moment(block, n, rows) for n in used],
    )


def _moment(block: Block, column: int, rows: Codes) -> Moment:
    """As what all numbers of a column are shown, of times and durations together as durations."""
    if not block.moments:
        return ""
    met = np.unique(block.moments[column][rows][block.columns[column].kinds[rows] == Kind.NUMBER])
    found = {MOMENTS[number] for number in met.tolist()}
    if found == {"time", "duration"}:
        return "duration"
    return found.pop() if len(found) == 1 else ""


def _distinct(values: list[Value], letters: list[int]) -> tuple[list[str], list[str]]:
    """Headings as texts, each different; a blank one is named after its column."""
    headings: list[str] = []
    notes: list[str] = []
    seen: Counter[str] = Counter()
    for value, letter in zip(values, letters, strict=True):
        text = general(value) if isinstance(value, float) else "" if value is None else str(value)
        name = " ".join(text.split()) or f"Column {cell_name(1, letter)[:-1]}"
        if not text.strip():
            notes.append(f"a column without a heading is called '{name}'")
        seen[name.casefold()] += 1
        if seen[name.casefold()] > 1:
            name = f"{name} ({seen[name.casefold()]})"
            notes.append(f"a repeated heading is called '{name}'")
        headings.append(name)
    return headings, notes


def _is_number(text: str) -> bool:
    """Whether a text spells a number, with either decimal mark, or hours and minutes."""
    return any(number_in(text, mark) is not None for mark in ".,") or duration_in(text) is not None


def _leave_out_foot(raw: RawTable, sums: frozenset[int]) -> None:
    """Cut the totals row and the notes below it off, keeping the totals for comparison: a row that says so in words, or
    one of those known to sum up."""
    height = len(raw.rows)
    for row in range(height - 1, max(height - 1 - FOOT_ROWS, -1), -1):
        values = [column[row] for column in raw.columns]
        label = next((value for value in values if isinstance(value, str) and value.strip()), None)
        numbers = any(isinstance(value, float) or (isinstance(value, str) and _is_number(value)) for value in values)
        named = label is not None and begins_total(label)
        if numbers and (named or int(raw.rows[row]) in sums):
            raw.totals = dict(zip(raw.headings, values, strict=True))
            raw.totals_row = int(raw.rows[row])
            raw.notes.append(RowNote("totals row {} left out", raw.totals_row))
            if height - 1 - row:
                raw.notes.append(f"{counted(height - 1 - row, 'row')} below the totals left out")
            raw.columns = [column.slice(0, row) for column in raw.columns]
            raw.rows = raw.rows[:row]
            return
        if sum(value is not None for value in values) > max(1, len(values) // 3):
            return
