"""A run's guard: a living sheet held against its table, beside the making and recalculating of that sheet."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from benchmarks.measure import Measure
from tinquire.cells import Column
from tinquire.layout.plans import BlockPlan, SheetPlan
from tinquire.layout.sheets import table_sheet
from tinquire.layout.tables import TableOnSheet
from tinquire.looks import House
from tinquire.press.outputs.verify import claims_of_table, differences
from tinquire.tables import Field, Table
from tinquire.tables.steps import StepContext, apply_steps
from tinquire.tables.steps.derive import Derive
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate

__all__ = ["measures"]

ROWS = 100_000
_DERIVED = {
    "Net": "[Pieces]*[Rate]", "Off": "ROUND([Net]*[Share],2)", "Gross": "[Net]-[Off]+1",
    "Band": 'IF([Gross]>50,"high","low")',
}  # fmt: skip


def measures() -> Iterator[Measure]:
    """The line of the table for the guard: 100k rows, eight columns and four derived ones."""
    rng = np.random.default_rng(3)
    texts = [f"depot {number}" for number in range(50)]
    numbers = {
        "Pieces": rng.integers(1, 99, ROWS), "Rate": rng.integers(10, 900, ROWS) / 100,
        "Share": rng.integers(0, 30, ROWS) / 100, "Ticket": np.arange(ROWS), "Day": rng.integers(46_000, 46_030, ROWS),
    }  # fmt: skip
    columns = [Column.of_numbers(values.astype(np.float64)) for values in numbers.values()]
    columns += [Column.of_codes(rng.integers(0, 50, ROWS).astype(np.int32), texts) for _ in range(3)]
    fields = [Field(name, "number") for name in numbers] + [Field(name) for name in ("Depot", "Item", "Note")]
    start = Table("charges", tuple(fields), tuple(columns))
    steps = [Derive(name, formula) for name, formula in _DERIVED.items()]
    table, _ = apply_steps(start, steps, StepContext({}, {}))
    house = House()

    def made() -> tuple[Workbook, TableOnSheet]:
        book = Workbook.new()
        block = BlockPlan(sheet="Charges", totals={"Gross": "sum"}, living=True)
        shown = table_sheet(SheetPlan(name="Charges"), block, table, house, book.styles, "T")
        book.add_sheet(shown.sheet)
        recalculate(book)
        return book, shown

    book, shown = made()

    def guard() -> None:
        assert not list(differences(book, list(claims_of_table(shown))))

    what = "making and recalculating that sheet"
    yield Measure("a run's guard, 100k rows x 12 columns, four of them living", what, 0.1, guard, made)
