"""Marks over large sheets: evaluated, and written with their rows."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from benchmarks.measure import Measure
from tinquire.cells import Area, Column
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.marked import marked_sheet
from tinquire.workbook.grid.marks import Bars, Mark, Scale, Threshold

__all__ = ["measures"]

ROWS, WIDTH = 100_000, 10


def measures() -> Iterator[Measure]:
    """The lines of the table for marks."""
    rng = np.random.default_rng(4)
    columns = [np.rint(rng.random(ROWS) * 1e6) / 100 for _ in range(WIDTH)]
    book, sheet = Workbook.new(), Sheet("S")
    for number, values in enumerate(columns, start=1):
        sheet.put(1, number, Column.of_numbers(values))
    book.add_sheet(sheet)
    everywhere = (Area(1, 1, ROWS, WIDTH),)
    ends = (Threshold("min"), Threshold("max"))
    marks = [
        Mark(everywhere, "expression", ("$A1>B1*2",), 1, 0),
        Mark(everywhere, "top10", (), 2, 0, settings={"rank": "10", "percent": "1"}),
        Mark(everywhere, "duplicateValues", (), 3, 0),
        Mark(everywhere, "colorScale", (), 4, scale=Scale(ends, ("F4EFE6", "A6402F"))),
    ]

    def by_hand() -> object:
        first = columns[0]
        above = [first > values * 2 for values in [*columns[1:], np.zeros(ROWS)]]
        every = np.concatenate(columns)
        largest = every >= np.partition(every, len(every) - len(every) // 10)[len(every) - len(every) // 10]
        _, place, count = np.unique(every, return_inverse=True, return_counts=True)
        repeated = count[place] > 1
        low, high = every.min(), every.max()
        between = ((244, 166), (239, 64), (230, 47))
        rgb = [np.rint(np.interp(every, (low, high), colours)).astype(np.int64) for colours in between]
        return above, largest, repeated, rgb[0] << 16 | rgb[1] << 8 | rgb[2]

    yield Measure(
        "marks of 100k rows x 10 columns evaluated: formula, largest 10 %, repeated, scale", "NumPy by hand", 2.5,
        lambda: marked_sheet(book, sheet, marks), by_hand,
    )  # fmt: skip

    def written(own: list[Mark]) -> bytes:
        made, copy = Workbook.new(), Sheet("S", columns=dict(sheet.columns), texts=sheet.texts)
        copy.marks = own
        made.add_sheet(copy)
        return made.to_bytes()

    bars = Mark(everywhere, "dataBar", (), 5, bars=Bars(*ends, "C5D5E2"))
    yield Measure(
        "100k rows x 10 columns with five marks, written", "the same rows written plain", 1.25,
        lambda: written([*marks, bars]), lambda: written([]),
    )  # fmt: skip
