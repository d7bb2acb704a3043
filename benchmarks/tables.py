"""Tables: pivots, matching, delimited text and steps, beside the same work by hand."""

from __future__ import annotations

import csv
import shutil
import subprocess
import zipfile
from collections.abc import Iterator
from pathlib import Path
from xml.parsers import expat

import numpy as np
from tests.postgres import PASSWORD, programs, served

from benchmarks.measure import Measure
from tinquire.cells import Column
from tinquire.docket.schema.tables import TableModel
from tinquire.sources import RemoteRows, SourceSpec, gather
from tinquire.sources.spec import Password
from tinquire.tables import Field, Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.matching import match_rows
from tinquire.tables.pivots.compute import PivotField, PivotValue, Subtotals, make_pivot, pivot_of_groups
from tinquire.tables.steps import StepContext, apply_steps
from tinquire.workbook import Sheet, Workbook

__all__ = ["measures"]

ROWS = 1_000_000
KEYS = 20_000
BOOKS = 100
STAYING_ROWS = 10_000_000
BOOK_ROWS = 10_000
TEXT_ROWS = 1_000_000


def measures(folder: Path) -> Iterator[Measure]:
    """The lines of the table for tables; `folder` is for the files they need."""
    rng = np.random.default_rng(11)
    yield from _pivot(rng)
    yield _match(rng)
    yield from _delimited(folder, rng)
    yield _steps(rng)
    yield _stacked(folder, rng)
    yield from _pushed(folder)


def _pivot(rng: np.random.Generator) -> Iterator[Measure]:
    depots, months = rng.integers(0, 50, ROWS).astype(np.int32), rng.integers(0, 12, ROWS).astype(np.int32)
    charges = rng.integers(0, 10_000, ROWS) / 100
    table = Table(
        "rows", (Field("Depot"), Field("Month"), Field("Charge", "money")),
        (
            Column.of_codes(depots, [f"Depot {number}" for number in range(50)]),
            Column.of_codes(months, [f"Month {number}" for number in range(12)]),
            Column.of_numbers(charges),
        ),
    )  # fmt: skip
    hows = ("SUM", "AVERAGE", "COUNT", "SMALLEST", "LARGEST", "NUMBERS")
    values = [PivotValue("Charge", Aggregation[how], how) for how in hows]
    different = [*values[:-1], PivotValue("Charge", Aggregation.DISTINCT, "DISTINCT")]

    def by_hand() -> object:
        groups = depots * 12 + months
        sums = [np.bincount(groups, weights=charges, minlength=600) for _ in range(2)]
        counts = [np.bincount(groups, minlength=600) for _ in range(2)]
        low, high = np.full(600, np.inf), np.full(600, -np.inf)
        np.minimum.at(low, groups, charges)
        np.maximum.at(high, groups, charges)
        return sums, counts, low, high

    yield Measure(
        "pivot of 1M rows, 50 x 12 groups, six aggregations, subtotals and totals", "the same sums alone by hand", 3,
        lambda: make_pivot(table, ["Depot", "Month"], [], values, subtotals=Subtotals(), totals="All"), by_hand,
    )  # fmt: skip
    yield Measure(
        "the same, different charges among the six", "the same sums alone by hand", None,
        lambda: make_pivot(table, ["Depot", "Month"], [], different, subtotals=Subtotals(), totals="All"), by_hand,
    )  # fmt: skip


def _match(rng: np.random.Generator) -> Measure:
    known = rng.permutation(KEYS * 5)[:KEYS].astype(np.float64)
    wanted = rng.choice(known, ROWS)
    brought = [rng.random(KEYS) for _ in range(3)]
    left, right = Column.of_numbers(wanted), Column.of_numbers(known)
    columns = [Column.of_numbers(values) for values in brought]

    def ours() -> object:
        found = match_rows([left], [right])
        return [column.take(found.rows) for column in columns]

    def by_hand() -> object:
        order = np.argsort(known)
        places = order[np.searchsorted(known, wanted, sorter=order)]
        return [values[places] for values in brought]

    return Measure(
        "1M rows matched with 20k keys, three columns brought", "sort and searchsorted by hand", 1.5, ours, by_hand
    )


def _delimited(folder: Path, rng: np.random.Generator) -> Iterator[Measure]:
    """Text as programs write it, and as some others do: in quotes, with decimal commas, in an encoding of old."""
    plain, other = folder / "rows.csv", folder / "others.csv"
    with plain.open("w", encoding="utf-8", newline="") as one, other.open("w", encoding="cp1252", newline="") as two:
        heads = [f"Column {number}" for number in range(10)]
        one.write(",".join(heads) + "\n")
        two.write(";".join(heads) + "\n")
        for row in range(TEXT_ROWS):
            numbers = ",".join(f"{value:.2f}" for value in rng.random(5) * 1000)
            texts, rest = (f"Customer {row % 5000}", f"Depot {row % 4}"), f"2026-10-{row % 28 + 1:02d},{row},{row % 7}"
            one.write(f"{texts[0]},{texts[1]},{rest},{numbers}\n")
            commas = numbers.replace(",", ";").replace(".", ",")
            two.write(f'"{texts[0]}; Köln";"{texts[1]}";{rest.replace(",", ";")};{commas}\n')
    types = {"Column 2": "date", "Column 3": "whole", "Column 4": "whole"}
    types |= {f"Column {number}": "number" for number in range(5, 10)}

    def measure(path: Path, encoding: str, separator: str, work: str, at_most: float | None) -> Measure:
        spec = SourceSpec("rows", folder, file=path.name, types=types, totals_row="none")

        def read() -> object:
            with path.open(encoding=encoding, newline="") as stream:
                return sum(1 for _ in csv.reader(stream, delimiter=separator))

        return Measure(work, "the standard library's reader alone", at_most, lambda: gather(spec), read)

    yield measure(plain, "utf-8", ",", "delimited text, 1M rows x 10, typed and checked", 0.4)
    yield measure(other, "cp1252", ";", "the same in quotes, with decimal commas, not in Unicode", None)


def _steps(rng: np.random.Generator) -> Measure:
    """Ten steps as a docket has them, and the same on arrays by hand."""
    depots = [f"Depot {number}" for number in range(50)]
    depot = rng.integers(0, 50, ROWS).astype(np.int32)
    ticket = np.arange(ROWS, dtype=np.float64)
    pieces, weight = rng.integers(0, 200, ROWS).astype(np.float64), rng.integers(0, 9_000, ROWS) / 10
    item = rng.integers(0, 500, ROWS).astype(np.float64)
    rates = rng.integers(10, 500, 500) / 100
    fields = (
        Field("Ticket", "whole"),
        Field("Depot"),
        Field("Item", "whole"),
        Field("Pieces", "whole"),
        Field("Weight", "number"),
    )
    columns = (
        Column.of_numbers(ticket),
        Column.of_codes(depot, depots),
        *map(Column.of_numbers, (item, pieces, weight)),
    )
    table = Table("rows", fields, columns)
    known = Table(
        "rates",
        (Field("Item", "whole"), Field("Rate", "money")),
        (Column.of_numbers(np.arange(500.0)), Column.of_numbers(rates)),
    )
    raw: list[dict[str, object]] = [
        {"rename": {"Weight": "Weight kg"}},
        {"drop_rows": "[Pieces] = 0"},
        {"match": "rates", "on": {"Item": "Item"}, "bring": ["Rate"]},
        {"derive": "Charge", "as": "ROUND([Pieces] * [Rate], 2)", "type": "money"},
        {"derive": "Heavy", "as": "[Weight kg] > 450"},
        {"replace": "Depot", "values": {"Depot 7": "Depot seven"}},
        {"keep_rows": "[Charge] > 1"},
        {"drop": ["Weight kg"]},
        {"sort": ["Depot", "-Charge"]},
        {"limit": 500_000},
    ]
    steps = TableModel.model_validate({"from": "rows", "steps": raw}).steps

    def by_hand() -> object:
        kept = pieces != 0
        d, i, p, w, t = depot[kept], item[kept], pieces[kept], weight[kept], ticket[kept]
        order = np.argsort(np.arange(500.0))
        rate = rates[order[np.searchsorted(np.arange(500.0), i, sorter=order)]]
        charge = np.round(p * rate, 2)
        heavy = w > 450
        ranks = np.argsort(np.argsort(depots))
        kept = charge > 1
        d, i, p, t, rate, charge, heavy = (one[kept] for one in (d, i, p, t, rate, charge, heavy))
        order = np.lexsort((-charge, ranks[d]))[:500_000]
        return [one[order] for one in (d, i, p, t, rate, charge, heavy)]

    return Measure(
        "ten steps over 1M rows", "the same in NumPy by hand", 2,
        lambda: apply_steps(table, steps, StepContext({"rates": known}, {})), by_hand,
    )  # fmt: skip


def _stacked(folder: Path, rng: np.random.Generator) -> Measure:
    """Exports of one shape, a hundred of them, as one table."""
    exports = folder / "exports"
    exports.mkdir(exist_ok=True)
    items = [f"Item {number}" for number in range(40)]
    for number in range(BOOKS):
        sheet = Sheet("Pickups")
        columns = {
            "Ticket": Column.of_texts([f"T{number:03d}-{row:05d}" for row in range(BOOK_ROWS)]),
            "Collected": Column.of_numbers(rng.integers(46_296, 46_326, BOOK_ROWS).astype(np.float64)),
            "Customer no": Column.of_numbers(rng.integers(1_000, 1_050, BOOK_ROWS).astype(np.float64)),
            "Item": Column.of_codes(rng.integers(0, 40, BOOK_ROWS).astype(np.int32), items),
            "Pieces": Column.of_numbers(rng.integers(0, 300, BOOK_ROWS).astype(np.float64)),
            "Weight kg": Column.of_numbers(rng.integers(0, 9_000, BOOK_ROWS) / 10),
        }
        for place, (heading, column) in enumerate(columns.items(), start=1):
            sheet.put(1, place, Column.concat([Column.from_values([heading]), column]))
        book = Workbook.new()
        book.add_sheet(sheet)
        book.save(exports / f"pickups-{number:03d}.xlsx")
    spec = SourceSpec("pickups", folder, files="exports/*.xlsx", types={"Customer no": "whole", "Pieces": "whole"})

    def bare() -> None:
        for path in sorted(exports.iterdir()):
            with zipfile.ZipFile(path) as archive:
                for name in archive.namelist():
                    if "sheet" in name or "Strings" in name:
                        expat.ParserCreate().Parse(archive.read(name), True)

    return Measure(
        f"{BOOKS} workbooks of 10k rows stacked", "bare inflate and expat of the same parts", 0.8,
        lambda: gather(spec), bare,
    )  # fmt: skip


def _pushed(folder: Path) -> Iterator[Measure]:
    """A pivot worked out by a database of 10M rows, where there is one to be had."""
    home = folder / "postgres"
    home.mkdir(exist_ok=True)
    with served(home) as url:
        if url is None:
            return
        plain = url.replace("+psycopg", "").replace("till@", f"till:{PASSWORD}@")
        client = shutil.which("psql") or str((programs() or home) / "psql")

        def psql(*words: str) -> None:
            subprocess.run([client, plain, "-q", *words], check=True, capture_output=True)

        rows = "SELECT 'Depot ' || n % 50 AS depot, n % 12 AS month, (n::bigint * 7919 % 10000) / 100.0 AS charge"
        rows += f" FROM generate_series(1, {STAYING_ROWS}) n"
        psql("-c", f"CREATE TABLE sales AS {rows}", "-c", "VACUUM ANALYZE sales")
        staying = RemoteRows("sales", url, "SELECT * FROM sales", {}, folder, Password("TILL_PASSWORD", PASSWORD))
        fields, values = (
            [PivotField("depot"), PivotField("month")],
            [PivotValue("charge", Aggregation.SUM, "Charge"), PivotValue("charge", Aggregation.LARGEST, "most")],
        )

        def ours() -> object:
            groups = staying.grouped(
                {"depot": False, "month": False}, [("charge", value.how) for value in values], "a pivot"
            )
            return pivot_of_groups(groups, fields, [], values, subtotals=Subtotals(), totals="All")

        asked = "SELECT depot, month, sum(charge), max(charge) FROM sales GROUP BY depot, month"
        yield Measure(
            "pivot of 10M rows that stay in PostgreSQL", "the bare SQL in its own client", 1.1,
            ours, lambda: psql("-c", asked),
        )  # fmt: skip
