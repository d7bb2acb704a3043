"""Cells of a sheet that were set since it was read, kept as rows by column: what is written when the sheet is saved."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from tinquire.cells.column import Booleans, Codes

__all__ = ["ChangedCells"]

#: Rows are gathered by their places while there are at most so many places for each of them.
_DENSE = 16
#: Of so few rows it is kept in mind whether they rise.
_FEW = 64


class ChangedCells:
    """Which cells of a sheet were set, and which of them got or lost a formula."""

    def __init__(self) -> None:
        #: By column: rows, and whether the formulas of all of them were set.
        self._marks: dict[int, list[tuple[Codes, bool]]] = {}
        #: What is known of the columns since they were marked last.
        self._known: dict[int, tuple[Codes, Booleans]] = {}
        #: The columns in order, of which all is known.
        self._columns: dict[int, tuple[Codes, Booleans]] | None = None

    def add(self, column: int, rows: Codes, *, formulas: bool) -> None:
        """Mark rows of a column; with `formulas`, their formulas were set or removed too."""
        if not len(rows):
            return
        rows, marks = np.asarray(rows, np.int32), self._marks.setdefault(column, [])
        if formulas or not marks or not np.array_equal(marks[-1][0], rows):  # else it is said already
            marks.append((rows, formulas))
            self._known.pop(column, None)
            self._columns = None

    def copy(self) -> ChangedCells:
        """The same marks, to be added to by themselves."""
        fresh = ChangedCells()
        fresh._marks = {column: list(marks) for column, marks in self._marks.items()}
        fresh._known = dict(self._known)
        return fresh

    def clear(self) -> None:
        self._marks.clear()
        self._known.clear()
        self._columns = None

    def __bool__(self) -> bool:
        return bool(self._marks)

    def __len__(self) -> int:
        return sum(len(rows) for rows, _ in self.by_column().values())

    def by_column(self) -> dict[int, tuple[Codes, Booleans]]:
        """For each column in order its rows, rising, and for which of them the formula was set. Columns beside each
        other that have the same rows share them."""
        if self._columns is None:
            self._columns = {}
            before: Codes | None = None
            for column in sorted(self._marks):
                rows, formulas = self._column(column)
                if before is not None and rows is not before and np.array_equal(rows, before):
                    rows = before
                self._columns[column], before = (rows, formulas), rows
        return self._columns

    def _column(self, column: int) -> tuple[Codes, Booleans]:
        if column not in self._known:
            self._known[column] = self._distinguished(self._marks[column])
        return self._known[column]

    @staticmethod
    def _distinguished(marks: list[tuple[Codes, bool]]) -> tuple[Codes, Booleans]:
        """Each row once, and whether its formula was set; the marks are put together likewise."""
        if len(marks) == 1:
            rows, formulas = _distinct(marks[0][0]), marks[0][1]
            marks[:] = [(rows, formulas)]
            return rows, _all_alike(len(rows), formulas)
        low, high = min(int(rows.min()) for rows, _ in marks), max(int(rows.max()) for rows, _ in marks)
        if high - low < _DENSE * sum(len(rows) for rows, _ in marks):
            there, fresh = np.zeros(high - low + 1, bool), np.zeros(high - low + 1, bool)
            for rows, formulas in marks:
                at = slice(int(rows[0]) - low, int(rows[-1]) - low + 1) if _is_run(rows) else rows - low
                there[at] = True
                if formulas:
                    fresh[at] = True
            rows = np.flatnonzero(there).astype(np.int32) + np.int32(low)
            mask = fresh if len(rows) == len(fresh) else fresh[there]
        else:
            rows = _distinct(np.concatenate([rows for rows, _ in marks]))
            mask = np.isin(rows, np.concatenate([rows[:0], *(rows for rows, formulas in marks if formulas)]))
        marks[:] = [(part, formulas) for part, formulas in ((rows[mask], True), (rows[~mask], False)) if len(part)]
        return rows, mask

    def with_formulas(self, column: int, top: int, bottom: int) -> list[int]:
        """The rows of a column, between two, whose formula was set."""
        if column not in self._marks:
            return []
        rows, formulas = self._column(column)
        return [int(row) for row in rows[formulas & (rows >= top) & (rows <= bottom)]]

    def __iter__(self) -> Iterator[tuple[int, int, bool]]:
        """Row, column, and whether the formula was set, of every cell, row by row."""
        cells = [
            (row, column, formula)
            for column, (rows, formulas) in self.by_column().items()
            for row, formula in zip(rows.tolist(), formulas.tolist(), strict=True)
        ]
        return iter(sorted(cells))


@lru_cache
def _all_alike(count: int, value: bool) -> Booleans:
    flags = np.full(count, value)
    flags.flags.writeable = False
    return flags


def _is_run(rows: Codes) -> bool:
    """Whether rows stand one below the other."""
    return int(rows[-1]) - int(rows[0]) == len(rows) - 1 and bool((rows[1:] > rows[:-1]).all())


@lru_cache
def _few_rise(rows: bytes) -> bool:
    """Whether few rows rise, told by their bytes: files of one list have the same."""
    found = np.frombuffer(rows, np.int32)
    return bool((found[1:] > found[:-1]).all())


def _distinct(rows: Codes) -> Codes:
    """Rows in rising order, each once."""
    if _few_rise(rows.tobytes()) if len(rows) <= _FEW else (rows[1:] > rows[:-1]).all():
        return rows
    rows = np.sort(rows, kind="stable")  # they come in runs
    return rows[np.concatenate([[True], np.diff(rows) > 0])]
