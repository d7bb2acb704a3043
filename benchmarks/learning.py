"""Learning from a pair of sheets, beside comparing them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.measure import Measure, command
from tinquire.amend.change import apply_amendments
from tinquire.amend.schema import Amendment
from tinquire.cells import Column
from tinquire.workbook import Sheet, Workbook

__all__ = ["measures"]

ROWS, COLUMNS = 100_000, 20
#: What was done by hand between the two states.
_DONE = (
    {"drop_rows": "[Pieces] = 0"}, {"add": "Charge", "formula": "=[Pieces]*[Rate]"},
    {"heading": "Depot", "matching": "Uplands", "value": "Upper"}, {"headings": True, "look": {"bold": True}},
    {"heading": "Rate", "format": "0.00"}, {"heading": "Charge", "total": "sum"},
)  # fmt: skip


def measures(folder: Path) -> Iterator[Measure]:
    """The line of the table for `learn`: 100k rows, twenty columns, six changes."""
    rng = np.random.default_rng(11)
    book, sheet = Workbook.new(), Sheet("Pickups")
    depots = ["Harbour", "Uplands", "Millrace", "Northgate"]
    items = [f"item {number}" for number in range(30)]
    tickets = [f"T{number}" for number in range(ROWS)]
    columns = {
        "Depot": Column.of_codes(rng.integers(0, 4, ROWS).astype(np.int32), depots),
        "Ticket": Column.of_codes(np.arange(ROWS, dtype=np.int32), tickets),
        "Pieces": Column.of_numbers(rng.integers(0, 60, ROWS).astype(float)),
        "Rate": Column.of_numbers(rng.integers(10, 900, ROWS) / 100),
    }
    for number in range(len(columns), COLUMNS):
        texts = Column.of_codes(rng.integers(0, 30, ROWS).astype(np.int32), items)
        columns[f"Field {number}"] = texts if number % 2 else Column.of_numbers(rng.integers(0, 99_999, ROWS) / 100)
    sheet.set(1, 1, "Pickups of a year")
    for place, (heading, values) in enumerate(columns.items(), start=1):
        sheet.set(3, place, heading)
        sheet.put(4, place, values, 0)
    book.add_sheet(sheet)
    before, after = folder / "before.xlsx", folder / "after.xlsx"
    before.write_bytes(book.to_bytes())
    changed = Workbook.open(before)
    apply_amendments(changed, [Amendment.model_validate(step) for step in _DONE])
    after.write_bytes(changed.to_bytes())
    yield Measure(
        "`learn` from a pair of 100k rows x 20 columns, six changes", "`compare` of the pair", 3,
        command("learn", str(before), str(after)), command("compare", str(before), str(after)),
    )  # fmt: skip
