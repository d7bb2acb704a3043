"""Cells of a sheet that were set since it was read, kept as rows by column: what is written when the sheet is saved."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tinquire.cells.column import Booleans, Codes

__all__ = ["ChangedCells"]


class ChangedCells:
    """Which cells of a sheet were set, and which of them got or lost a formula."""

    def __init__(self) -> None:
        #: By column: rows, and whether the formulas of all of them were set.
        self._marks: dict[int, list[tuple[Codes, bool]]] = {}
        #: What is known of the columns since they were marked last.
        self._known: dict[int, tuple[Codes, Booleans]] = {}

    def add(self, column: int, rows: Codes, *, formulas: bool) -> None:
        """Mark rows of a column; with `formulas`, their formulas were set or removed too."""
        if len(rows):
            self._marks.setdefault(column, []).append((np.asarray(rows, np.int32), formulas))
            self._known.pop(column, None)

    def clear(self) -> None:
        self._marks.clear()
        self._known.clear()

    def __bool__(self) -> bool:
        return bool(self._marks)

    def __len__(self) -> int:
        return sum(len(rows) for rows, _ in self.by_column().values())

    def by_column(self) -> dict[int, tuple[Codes, Booleans]]:
        """For each column in order its rows, rising, and for which of them the formula was set."""
        return {column: self._column(column) for column in sorted(self._marks)}

    def _column(self, column: int) -> tuple[Codes, Booleans]:
        if column not in self._known:
            self._known[column] = self._distinguished(self._marks[column])
        return self._known[column]

    @staticmethod
    def _distinguished(marks: list[tuple[Codes, bool]]) -> tuple[Codes, Booleans]:
        """Each row once, and whether its formula was set; the marks are put together likewise."""
        rows = _distinct(np.concatenate([rows for rows, _ in marks]) if len(marks) > 1 else marks[0][0])
        if all(formulas == marks[0][1] for _, formulas in marks):
            marks[:] = [(rows, marks[0][1])]
            return rows, np.full(len(rows), marks[0][1])
        mask = np.isin(rows, np.concatenate([rows for rows, formulas in marks if formulas]))
        marks[:] = [(rows[mask], True), (rows[~mask], False)]
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


def _distinct(rows: Codes) -> Codes:
    """Rows in rising order, each once."""
    if (np.diff(rows) > 0).all():
        return rows
    rows = np.sort(rows, kind="stable")  # they come in runs
    return rows[np.concatenate([[True], np.diff(rows) > 0])]
