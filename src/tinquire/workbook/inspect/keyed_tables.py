"""Sheets that are tables: their headings, and the column that tells their rows apart, so that two months of one table
are compared row by row and column by column whatever their numbers are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.cells.column import Column, Kind
from tinquire.cells.values import Value
from tinquire.workbook.grid.sheet import Sheet

__all__ = ["Keyed", "match_keyed"]

#: A heading row is looked for among this many rows from the top, over this many columns.
_SEARCHED = 60
_WIDEST = 500
#: Two sheets with a smaller part of their headings in common are not one table.
_SHARED = 0.5
#: So many of the rows below the headings have a key; notes and totals may have none.
_MOSTLY = 0.6


@dataclass(frozen=True, slots=True)
class Keyed:
    """Two versions of a table: the last heading row of each, the pairs of columns (old, new) that have one heading, the
    headings by the new column, and the pairs of columns that make the key."""

    old_heading: int
    new_heading: int
    columns: tuple[tuple[int, int], ...]
    headings: dict[int, str]
    key: tuple[tuple[int, int], ...]


def match_keyed(old: Sheet, new: Sheet, wanted: Sequence[str] = ()) -> Keyed | None:
    """How two versions of a sheet are one table; None when they are not. Without `wanted` headings the key is the first
    column, or the first two together, whose values are filled and all different in both."""
    one, two = _headings(old), _headings(new)
    if one is None or two is None:
        return None
    row_a, before = one
    row_b, after = two
    named = {heading.casefold(): column for column, heading in before.items()}
    pairs = tuple(sorted(
        (named[heading.casefold()], column) for column, heading in after.items() if heading.casefold() in named
    ))  # fmt: skip
    if not pairs or len(pairs) < _SHARED * max(len(before), len(after)):
        return None
    if wanted:
        folded = {heading.casefold() for heading in wanted}
        key = tuple(pair for pair in pairs if after[pair[1]].casefold() in folded)
        return Keyed(row_a, row_b, pairs, after, key) if len(key) == len(folded) else None
    first = _first_column(old, row_a), _first_column(new, row_b)
    if first[0] == first[1] and first[1] not in after:  # labels without a heading
        pairs = (first, *pairs)
    for count in (1, 2):
        key = pairs[:count]
        if _tells_apart(old, row_a, [a for a, _ in key]) and _tells_apart(new, row_b, [b for _, b in key]):
            return Keyed(row_a, row_b, pairs, after, key)
    return None


def _headings(sheet: Sheet) -> tuple[int, dict[int, str]] | None:
    """The last heading row and the headings by column: texts over most columns, all different; where two rows head the
    columns, those of the upper one are said of all up to the next."""
    used = sheet.used
    if used is None or used.width > _WIDEST:
        return None
    last = min(used.bottom, used.top + _SEARCHED)
    grid = {column: sheet.column(column, used.top, last) for column in range(used.left, used.right + 1)}
    rows = range(last - used.top + 1)
    filled = [sum(int(column.kinds[row] != Kind.BLANK) for column in grid.values()) for row in rows]
    for row in rows:
        texts = {number: column[row] for number, column in grid.items() if column.kinds[row] != Kind.BLANK}
        if len(texts) < 2 or not all(isinstance(text, str) for text in texts.values()):
            continue
        below = {
            number: column[row + 1]
            for number, column in grid.items()
            if row + 1 in rows and column[row + 1] is not None
        }
        if below and all(isinstance(text, str) for text in below.values()) and len(below) > len(texts) / 2:
            if (joined := _join_headings(grid, texts, below)) is not None and len(set(joined.values())) == len(joined):
                return used.top + row + 1, joined
        elif len({str(text).casefold() for text in texts.values()}) == len(texts) >= 0.6 * max(filled[row:]):
            return used.top + row, {number: str(text) for number, text in texts.items()}
    return None


def _first_column(sheet: Sheet, heading: int) -> int:
    """The first column that holds anything below a heading."""
    return min((number for number, cells in sheet.columns.items() if (cells.rows > heading).any()), default=0)


def _join_headings(grid: dict[int, Column], upper: dict[int, Value], lower: dict[int, Value]) -> dict[int, str] | None:
    """Headings of two rows: the upper one's text holds for the columns up to its next."""
    said, joined = "", {}
    for number in sorted(grid):
        said = str(upper.get(number, said) or "")
        if number in upper or number in lower:
            joined[number] = " ".join(filter(None, (said, str(lower.get(number) or ""))))
    return joined or None


def _tells_apart(sheet: Sheet, heading: int, columns: Sequence[int]) -> bool:
    """Whether the values of columns below a heading are filled and all different."""
    bottom = sheet.extent()[0]
    if bottom <= heading:
        return False
    parts = [sheet.column(column, heading + 1, bottom) for column in columns]
    if not all(np.array_equal(np.rint(part.numbers), part.numbers) for part in parts):
        return False  # amounts tell no rows apart
    filled = np.all([part.kinds != Kind.BLANK for part in parts], axis=0)
    rows = np.flatnonzero(filled)
    keys = {tuple((type(part[row]).__name__, part[row]) for part in parts) for row in rows.tolist()}
    return len(keys) == len(rows) >= _MOSTLY * (bottom - heading) - 1
