"""Results that are errors: kept as runs of cells, and told one by one when they are asked for, since a formula that
fills a column may be in error a million times."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import accumulate
from typing import overload

import numpy as np

from tinquire.cells.address import column_name
from tinquire.cells.column import Booleans, Codes, Floats, Kind
from tinquire.workbook.calc.column_formulas import CellNote
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Formula
from tinquire.workbook.workbook import Workbook

__all__ = ["ErrorRun", "Errors", "standing"]


@dataclass(frozen=True, slots=True)
class ErrorRun:
    """Cells of one column that are in error: their rows, the numbers of their formulas among `formulas`, the codes of
    the errors and what each of these says; and by row what is in the way of a formula that spills."""

    sheet: str
    column: int
    rows: Codes
    numbers: Codes
    formulas: Sequence[Formula]
    codes: Floats
    says: Mapping[float, str]
    hindered: Mapping[int, str]

    def __len__(self) -> int:
        return len(self.rows)

    def only(self, cells: Booleans) -> ErrorRun:
        return replace(self, rows=self.rows[cells], numbers=self.numbers[cells], codes=self.codes[cells])

    def note(self, place: int) -> CellNote:
        """What is to be said of one of the cells."""
        row, number = int(self.rows[place]), int(self.numbers[place])
        own = None if number == NO_FORMULA else self.formulas[number]
        text = "" if own is None else own.text if own.array else partial(text_at, own, row, self.column)
        says = self.says[float(self.codes[place])] + self.hindered.get(row, "")
        return CellNote(self.sheet, f"{column_name(self.column)}{row}", text, says)


class Errors(Sequence[CellNote]):
    """The cells of runs, each with what is to be said of it."""

    def __init__(self, runs: Iterable[ErrorRun] = ()) -> None:
        self.runs = list(runs)
        self._ends = list(accumulate(map(len, self.runs)))

    def __len__(self) -> int:
        return self._ends[-1] if self._ends else 0

    def __iter__(self) -> Iterator[CellNote]:
        return (run.note(place) for run in self.runs for place in range(len(run)))

    @overload
    def __getitem__(self, index: int) -> CellNote: ...
    @overload
    def __getitem__(self, index: slice) -> list[CellNote]: ...
    def __getitem__(self, index: int | slice) -> CellNote | list[CellNote]:
        if isinstance(index, slice):
            return [self[place] for place in range(len(self))[index]]
        place = range(len(self))[index]
        number = bisect_right(self._ends, place)
        return self.runs[number].note(place - (self._ends[number - 1] if number else 0))


def standing(runs: Sequence[ErrorRun], book: Workbook) -> Errors:
    """The errors that are there in the end, each once: a cell that was run several times may have had others before."""
    found = []
    for run, is_last in zip(runs, _last(runs), strict=True):
        kinds = book.sheet(run.sheet).gather(run.rows, np.full(len(run), run.column, np.int32)).kinds
        stays = is_last & (kinds == Kind.ERROR)
        if stays.any():
            found.append(run if stays.all() else run.only(stays))
    return Errors(found)


def _last(runs: Sequence[ErrorRun]) -> list[Booleans]:
    """For each run which of its cells no later run has."""
    masks = [np.ones(len(run), bool) for run in runs]
    places: dict[tuple[str, int], list[int]] = defaultdict(list)
    for place, run in enumerate(runs):
        places[run.sheet, run.column].append(place)
    for several in places.values():
        if len(several) == 1:
            continue
        rows = np.concatenate([runs[place].rows for place in several])
        is_last = np.zeros(len(rows), bool)
        is_last[len(rows) - 1 - np.unique(rows[::-1], return_index=True)[1]] = True
        starts = accumulate((len(runs[place]) for place in several), initial=0)
        for place, start in zip(several, starts, strict=False):
            masks[place] = is_last[start : start + len(runs[place])]
    return masks
