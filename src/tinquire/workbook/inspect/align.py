"""Which rows and columns of one sheet are which of another, so that a row put in is one difference and not a thousand.

Columns are paired first, by how much of their content they share; then rows, by their content over the paired
columns; what is left between paired rows is paired by likeness. All places count from one.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Codes, Column, Kind
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.inspect.keyed_tables import Keyed

__all__ = ["Alignment", "align"]

#: Columns that share less than this part of their cells are not the same column.
_COLUMN_LIKENESS = 0.3
#: Rows that share less than this part of their cells are one row gone and another put in.
_ROW_LIKENESS = 0.4
#: Between paired rows, at most this many rows on either side are compared each with each.
_CLOSE_LOOK = 120
#: Between paired rows, blank ones are told of while there are not more than this.
_FEW_BLANK = 1_000
_MIX = np.uint64(0x9E3779B97F4A7C15)


@dataclass(frozen=True, slots=True)
class Alignment:
    """Pairs of rows and of columns (old, new), ascending, and those without a partner."""

    rows: tuple[tuple[int, int], ...]
    columns: tuple[tuple[int, int], ...]
    old_rows: tuple[int, ...]
    new_rows: tuple[int, ...]
    old_columns: tuple[int, ...]
    new_columns: tuple[int, ...]


def align(old: Sheet, new: Sheet, table: Keyed | None = None) -> Alignment:
    """Pair the rows and columns of two sheets. Only those that hold something are paired; blank ones lie between.

    Of sheets that are one table, columns are paired by their headings and the rows below these by their keys, whatever
    else is in them.
    """
    codes = _Codes()
    old_rows, old_columns, before = _contents(old, codes)
    new_rows, new_columns, after = _contents(new, codes)
    columns = _pair_columns(before, after)
    if table is not None:
        places_a, places_b = ({column: n for n, column in enumerate(known)} for known in (old_columns, new_columns))
        known = [(places_a[a], places_b[b]) for a, b in table.columns if a in places_a and b in places_b]
        taken_a, taken_b = {a for a, _ in known}, {b for _, b in known}
        columns = sorted([*known, *(pair for pair in columns if pair[0] not in taken_a and pair[1] not in taken_b)])
    left = _hashes([before[a] for a, _ in columns], len(old_rows))
    right = _hashes([after[b] for _, b in columns], len(new_rows))
    pairs: list[tuple[int, int]] = []
    if table is None:
        runs = _match_lines(left, right)
    else:
        pairs = _by_key(table, (old_rows, old_columns, before), (new_rows, new_columns, after))
        end_a = int(np.searchsorted(old_rows, table.old_heading + 1))
        end_b = int(np.searchsorted(new_rows, table.new_heading + 1))
        pairs += list(_of_one_content(left, right, (end_a, end_b), pairs))
        done_a, done_b = {a for a, _ in pairs}, {b for _, b in pairs}
        rest_a = [n for n in range(end_a, len(left)) if n not in done_a]
        rest_b = [n for n in range(end_b, len(right)) if n not in done_b]
        if 0 < max(len(rest_a), len(rest_b)) <= _CLOSE_LOOK:
            grid_a = np.array([before[a][rest_a] for a, _ in columns]).T
            grid_b = np.array([after[b][rest_b] for _, b in columns]).T
            pairs += [(rest_a[a], rest_b[b]) for a, b in _alike(grid_a, grid_b)]
        runs = _match_lines(left[:end_a], right[:end_b])
    for tag, a1, a2, b1, b2 in runs:
        if tag == "equal":
            pairs += [(a1 + n, b1 + n) for n in range(a2 - a1)]
        elif tag == "replace":
            grids = _grid([before[a] for a, _ in columns], a1, a2), _grid([after[b] for _, b in columns], b1, b2)
            pairs += [(a1 + a, b1 + b) for a, b in _alike(*grids)]
    row_pairs = sorted((int(old_rows[a]), int(new_rows[b])) for a, b in pairs)
    column_pairs = [(old_columns[a], new_columns[b]) for a, b in columns]
    gone, fresh = _without({a for a, _ in pairs}, old_rows), _without({b for _, b in pairs}, new_rows)
    blank_gone, blank_fresh = _blank_lines(list(_ascending(row_pairs)), gone, fresh)
    return Alignment(
        tuple(row_pairs),
        tuple(column_pairs),
        tuple(sorted((*gone, *blank_gone))),
        tuple(sorted((*fresh, *blank_fresh))),
        _without({a for a, _ in columns}, np.array(old_columns)),
        _without({b for _, b in columns}, np.array(new_columns)),
    )


_Side: TypeAlias = "tuple[Codes, list[int], list[NDArray[np.uint64]]]"


def _grid(columns: Sequence[NDArray[np.uint64]], first: int, last: int) -> NDArray[np.uint64]:
    """What columns hold in some rows, a line for each row."""
    return np.array([column[first:last] for column in columns]).T


def _by_key(table: Keyed, old: _Side, new: _Side) -> list[tuple[int, int]]:
    """The pairs of rows below the headings that have one key, by their places."""
    keys = []
    for (rows, columns, contents), side, heading in ((old, 0, table.old_heading), (new, 1, table.new_heading)):
        own = [contents[columns.index(pair[side])] for pair in table.key if pair[side] in columns]
        hashes = _hashes(own, len(rows))
        filled = np.any([column != 0 for column in own], axis=0) if own else np.zeros(len(rows), bool)
        indexes = np.flatnonzero((rows > heading) & filled)
        once = Counter(hashes[indexes].tolist())
        keys.append({key: index for index in indexes.tolist() if once[key := int(hashes[index])] == 1})
    return [(index, keys[1][key]) for key, index in keys[0].items() if key in keys[1]]


def _of_one_content(
    left: NDArray[np.uint64], right: NDArray[np.uint64], begin: tuple[int, int], paired: Sequence[tuple[int, int]]
) -> Iterator[tuple[int, int]]:
    """Of the rows below the headings that no key paired, those with the same content, in their order."""
    done_a, done_b = {a for a, _ in paired}, {b for _, b in paired}
    waiting: dict[int, list[int]] = {}
    for index in range(len(right) - 1, begin[1] - 1, -1):
        if index not in done_b:
            waiting.setdefault(int(right[index]), []).append(index)
    for index in range(begin[0], len(left)):
        if index not in done_a and (same := waiting.get(int(left[index]))):
            yield index, same.pop()


def _ascending(pairs: Sequence[tuple[int, int]]) -> Iterator[tuple[int, int]]:
    """The pairs without those that cross others."""
    last = 0
    for a, b in pairs:
        if b > last:
            yield a, b
            last = b


def _contents(sheet: Sheet, codes: _Codes) -> tuple[Codes, list[int], list[NDArray[np.uint64]]]:
    """The rows and columns of a sheet that hold something, and each column's values as codes over those rows."""
    filled = {
        number: cells.rows[(cells.kinds != Kind.BLANK) | (cells.formulas != NO_FORMULA)]
        for number, cells in sorted(sheet.columns.items())
    }
    columns = [number for number, rows in filled.items() if len(rows)]
    rows = np.unique(np.concatenate([filled[number] for number in columns])) if columns else np.zeros(0, np.int32)
    made = []
    for number in columns:
        cells = sheet.columns[number]
        column = np.zeros(len(rows), np.uint64)
        known = np.isin(cells.rows, rows)
        values = Column(cells.kinds[known], cells.numbers[known], cells.codes[known], sheet.texts)
        column[np.searchsorted(rows, cells.rows[known])] = codes.of(values)
        made.append(column)
    return rows, columns, made


def _without(known: set[int], lines: Codes) -> tuple[int, ...]:
    return tuple(int(line) for index, line in enumerate(lines.tolist()) if index not in known)


def _blank_lines(
    pairs: Sequence[tuple[int, int]], gone: Sequence[int], fresh: Sequence[int]
) -> tuple[list[int], list[int]]:
    """Blank rows that came or went between paired ones: those right before the second of the pair."""
    lost: list[int] = []
    added: list[int] = []
    last_a = last_b = 0
    for a, b in pairs:
        old = [row for row in range(last_a + 1, a) if row not in gone] if a - last_a <= _FEW_BLANK else []
        new = [row for row in range(last_b + 1, b) if row not in fresh] if b - last_b <= _FEW_BLANK else []
        if len(old) > len(new):
            lost += old[len(new) - len(old) :]
        elif len(new) > len(old):
            added += new[len(old) - len(new) :]
        last_a, last_b = a, b
    return lost, added


class _Codes:
    """One whole number for each value, the same for equal values of both sheets; 0 is blank."""

    def __init__(self) -> None:
        self._texts: dict[str, int] = {}

    def of(self, column: Column) -> NDArray[np.uint64]:
        codes = (column.numbers + 0.0).view(np.uint64) * _MIX + column.kinds.astype(np.uint64)
        is_text = column.kinds == Kind.TEXT
        if is_text.any():
            used, inverse = np.unique(column.codes[is_text], return_inverse=True)
            numbers = [self._texts.setdefault(column.texts[code], len(self._texts) + 1) for code in used.tolist()]
            codes[is_text] = (np.array(numbers, np.uint64) * _MIX + np.uint64(Kind.TEXT))[inverse]
        codes[column.kinds == Kind.BLANK] = 0
        return codes


# -- columns ---------------------------------------------------------------------------------------------


def _pair_columns(before: Sequence[NDArray[np.uint64]], after: Sequence[NDArray[np.uint64]]) -> list[tuple[int, int]]:
    """Pairs of columns in ascending order with the most content in common."""
    bags_a, bags_b = [_bag(item) for item in before], [_bag(item) for item in after]
    if len(before) == len(after) and all(
        _likeness(a, b) >= _COLUMN_LIKENESS for a, b in zip(bags_a, bags_b, strict=True)
    ):
        return [(n, n) for n in range(len(before))]
    likeness = np.array([[_likeness(a, b) for b in bags_b] for a in bags_a]).reshape(len(before), len(after))
    return [(a, b) for a, b in _best_path(np.where(likeness >= _COLUMN_LIKENESS, likeness, 0.0))]


def _bag(codes: NDArray[np.uint64]) -> dict[int, int]:
    values, counts = np.unique(codes[codes != 0], return_counts=True)
    return dict(zip(values.tolist(), counts.tolist(), strict=True))


def _likeness(one: dict[int, int], other: dict[int, int]) -> float:
    """The part of the cells of the fuller column that the other has too; blank columns are alike."""
    most = max(sum(one.values()), sum(other.values()))
    if not most:
        return 1.0
    small, large = sorted((one, other), key=len)
    return sum(min(count, large.get(value, 0)) for value, count in small.items()) / most


def _best_path(likeness: NDArray[np.float64]) -> list[tuple[int, int]]:
    """Ascending pairs with the largest sum of likenesses (Needleman and Wunsch, without a price for gaps)."""
    height, width = likeness.shape
    best = np.zeros((height + 1, width + 1))
    for a in range(height - 1, -1, -1):
        for b in range(width - 1, -1, -1):
            with_pair = best[a + 1, b + 1] + likeness[a, b] if likeness[a, b] > 0 else -1.0
            best[a, b] = max(with_pair, best[a + 1, b], best[a, b + 1])
    pairs, a, b = [], 0, 0
    while a < height and b < width:
        if likeness[a, b] > 0 and best[a, b] == best[a + 1, b + 1] + likeness[a, b]:
            pairs.append((a, b))
            a, b = a + 1, b + 1
        elif best[a + 1, b] >= best[a, b + 1]:
            a += 1
        else:
            b += 1
    return pairs


# -- rows ------------------------------------------------------------------------------------------------


def _hashes(columns: Sequence[NDArray[np.uint64]], height: int) -> NDArray[np.uint64]:
    """One number for each row's content."""
    total = np.zeros(height, np.uint64)
    for index, column in enumerate(columns, start=1):
        mixed = (column ^ (column >> np.uint64(31))) * (_MIX + np.uint64(2 * index))
        total = (total ^ mixed) * _MIX + np.uint64(index)
    return total


def _match_lines(left: Codes, right: Codes) -> list[tuple[str, int, int, int, int]]:
    """Runs of equal and differing rows. What both begin and end with is set aside first: most sheets differ little."""
    most = min(len(left), len(right))
    start = int(np.argmin(np.append(left[:most] == right[:most], False)))
    rest = most - start
    end = 0
    if rest:
        tails = left[len(left) - rest :][::-1] == right[len(right) - rest :][::-1]
        end = int(np.argmin(np.append(tails, False)))
    blocks = [("equal", 0, start, 0, start)] if start else []
    middle = SequenceMatcher(
        None, left[start : len(left) - end].tolist(), right[start : len(right) - end].tolist(), autojunk=False
    )
    blocks += [(tag, a1 + start, a2 + start, b1 + start, b2 + start) for tag, a1, a2, b1, b2 in middle.get_opcodes()]
    if end:
        blocks.append(("equal", len(left) - end, len(left), len(right) - end, len(right)))
    return blocks


def _alike(left: NDArray[np.uint64], right: NDArray[np.uint64]) -> list[tuple[int, int]]:
    """Pairs of rows within a run that differs: those most alike; in order where there are too many to compare."""
    if left.size == 0 or right.size == 0:
        return []
    if len(left) > _CLOSE_LOOK or len(right) > _CLOSE_LOOK:
        if len(left) != len(right):
            return []
        return [(n, n) for n in range(len(left)) if _shared_part(left[n], right[n : n + 1])[0] >= _ROW_LIKENESS]
    likeness = np.array([_shared_part(row, right) for row in left])
    return _with_gaps(_best_path(np.where(likeness >= _ROW_LIKENESS, likeness, 0.0)), len(left), len(right))


def _with_gaps(pairs: list[tuple[int, int]], height: int, width: int) -> list[tuple[int, int]]:
    """Pairs, and in order those between two of them where as many rows are left on both sides: they changed all
    over."""
    result: list[tuple[int, int]] = []
    last_a = last_b = -1
    for a, b in [*pairs, (height, width)]:
        if a - last_a == b - last_b:
            result += [(last_a + n, last_b + n) for n in range(1, a - last_a)]
        result.append((a, b))
        last_a, last_b = a, b
    return result[:-1]


def _shared_part(row: NDArray[np.uint64], others: NDArray[np.uint64]) -> NDArray[np.float64]:
    """The part of a row's filled cells that each other row has in the same columns."""
    filled = ((row != 0) | (others != 0)).sum(axis=1)
    equal = ((row == others) & (row != 0)).sum(axis=1)
    return np.where(filled > 0, equal / np.maximum(filled, 1), 1.0)
