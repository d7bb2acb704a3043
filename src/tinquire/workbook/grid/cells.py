"""The used cells of one column of a sheet."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Codes, Floats, Kinds

__all__ = ["NO_FORMULA", "Cells"]

#: The formula number of a cell that has none.
NO_FORMULA = -1


@dataclass(slots=True)
class Cells:
    """The used cells of one column, by ascending row: kinds, numbers and text codes as in `Column`, style numbers,
    and formula numbers (`NO_FORMULA` for none)."""

    rows: Codes
    kinds: Kinds
    numbers: Floats
    codes: Codes
    styles: Codes
    formulas: Codes
    #: First row, last row and number of every run of cells that share a formula, once they were asked for.
    _runs: list[tuple[int, int, int]] | None = field(default=None, init=False, compare=False, repr=False)
    #: The first row if the rows have no gaps, else zero; once it was asked for.
    _first: int | None = field(default=None, init=False, compare=False, repr=False)

    @classmethod
    def empty(cls, rows: Codes) -> Cells:
        count = len(rows)
        return cls(
            rows,
            np.zeros(count, np.uint8),
            np.zeros(count),
            np.zeros(count, np.int32),
            np.zeros(count, np.int32),
            np.full(count, NO_FORMULA, np.int32),
        )

    def copy(self) -> Cells:
        """The same cells, to be changed by themselves; rows are never changed."""
        fresh = Cells(self.rows, *[part.copy() for part in self.arrays()])
        fresh._runs = self._runs  # a list of its own is made when they are others
        fresh._first = self._first
        return fresh

    def formula_runs(self) -> list[tuple[int, int, int]]:
        if self._runs is None:
            at = np.flatnonzero(self.formulas != NO_FORMULA)
            rows, ids = self.rows[at], self.formulas[at]
            breaks = np.flatnonzero((np.diff(rows) != 1) | (np.diff(ids) != 0)) + 1
            starts = [0, *breaks.tolist()] if len(at) else []
            self._runs = [
                (int(rows[first]), int(rows[last - 1]), int(ids[first]))
                for first, last in zip(starts, [*breaks.tolist(), len(at)], strict=bool(starts))
            ]
        return self._runs

    def set_formulas(self, at: slice, number: int | Codes) -> None:
        """Give cells a formula, or none."""
        if self._runs == [] and isinstance(number, int) and number == NO_FORMULA:
            return
        self.formulas[at] = number
        self._runs = None

    def arrays(self) -> tuple[NDArray[Any], ...]:
        return self.kinds, self.numbers, self.codes, self.styles, self.formulas

    def places(self, top: int, bottom: int) -> slice:
        """Where the cells of rows `top` to `bottom` lie in the arrays."""
        rows, start = self.rows, self._first
        count = len(rows)
        if start is None:
            has_gaps = not count or int(rows[-1]) - int(rows[0]) != count - 1
            start = self._first = 0 if has_gaps else int(rows[0])
        if start and start <= top <= bottom < start + count:
            return slice(top - start, bottom + 1 - start)
        if start:
            return slice(min(max(top - start, 0), count), min(max(bottom + 1 - start, 0), count))
        first, last = rows.searchsorted(np.array((top, bottom + 1), rows.dtype))
        return slice(int(first), int(last))
