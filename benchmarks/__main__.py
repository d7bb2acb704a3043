"""Measure, print the table, and write it to docs/speed.md. With words as arguments, only the lines that have one of
them are measured, and nothing is written; with `--into-page` before them these lines take the place of the old ones."""

from __future__ import annotations

import platform
import sys
import tempfile
import xml.parsers.expat
import zipfile
from collections.abc import Iterator
from itertools import chain
from pathlib import Path

import numpy as np

from benchmarks import (
    charts,
    formulas,
    learning,
    letters,
    marks,
    models,
    pages,
    proofs,
    runs,
    tables,
    templates,
    workbooks,
)  # fmt: skip
from benchmarks.measure import Measure, command, python
from tinquire.cells import Column
from tinquire.docket import load_docket, parse_period
from tinquire.formula import Frame, evaluate_column, parse
from tinquire.larkfold.make import job_files
from tinquire.press.make import make
from tinquire.tables import Field, Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import PivotValue, make_pivot
from tinquire.tables.scope import TableScope

ROWS = 100_000
_PAGE = Path(__file__).parent.parent / "docs/speed.md"


def measures(folder: Path) -> list[Measure]:
    rng = np.random.default_rng(5)
    pieces, rates = rng.integers(1, 99, ROWS).astype(float), rng.integers(10, 200, ROWS) / 100
    depots = rng.integers(0, 50, ROWS)
    texts = [f"depot {number}" for number in range(50)]
    table = Table(
        "t",
        (Field("Pieces", "whole"), Field("Rate", "money"), Field("Depot")),
        (Column.of_numbers(pieces), Column.of_numbers(rates), Column.of_codes(depots.astype(np.int32), texts)),
    )
    tree = parse("[Pieces]*[Rate]-1")
    frame = Frame(TableScope({}, rows=table), count=ROWS, arrays=True)
    values = [PivotValue("Pieces", how, how.value) for how in (Aggregation.SUM, Aggregation.AVERAGE, Aggregation.COUNT)]

    for name, content in job_files():
        target = folder / "job" / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content)
    shipped = Path(__file__).parent.parent / "src/tinquire/larkfold/job"
    for name in ("docket.toml", "house.toml"):
        (folder / "job" / name).write_bytes((shipped / name).read_bytes())
    docket = load_docket(folder / "job/docket.toml")
    period = parse_period("2026-10")

    def read_zip() -> object:
        found = 0
        for path in sorted((folder / "job/sources/2026-10").glob("*.xlsx")):
            with zipfile.ZipFile(path) as archive:
                for member in archive.namelist():
                    data = archive.read(member)
                    xml.parsers.expat.ParserCreate().Parse(data, True)
                    found += len(data)
        return found

    return [
        Measure(
            "`tinquire --help`", "`python -c 'import argparse'`", 1.5,
            command("--help"), python("-c", "import argparse"),
        ),
        Measure(
            "`[Pieces]*[Rate]-1` over 100k rows", "NumPy by hand", None,
            lambda: evaluate_column(tree, frame), lambda: pieces * rates - 1,
        ),
        Measure(
            "pivot of 100k rows, 50 groups, 3 values, totals", "the same sums alone with bincount", None,
            lambda: make_pivot(table, ["Depot"], [], values, totals="all"),
            lambda: [np.bincount(depots, weights=pieces), np.bincount(depots, weights=pieces), np.bincount(depots)],
        ),
        Measure("the demo's pack made in memory", "inflate and bare expat parse of its sources", None,
                lambda: make(docket, period), read_zip),
    ]  # fmt: skip


def _runs(place: Path, words: list[str]) -> Iterator[Measure]:
    if not words or any(word in "the proof page, the demo's pack of files, a run of the demo" for word in words):
        yield from runs.measures(place / "job")


def _learning(place: Path, words: list[str]) -> Iterator[Measure]:
    if not words or any(word in "learn from a pair" for word in words):
        yield from learning.measures(place)


def _put_in(rows: list[str]) -> None:
    """Put lines in the place of those of the same work, or at the end."""
    lines = _PAGE.read_text("utf-8").splitlines()
    for row in rows:
        work = row.split(" | ")[0]
        place = next((n for n, line in enumerate(lines) if line.split(" | ")[0] == work), len(lines))
        lines[place : place + 1] = [row]
    _PAGE.write_text("\n".join(lines) + "\n", "utf-8")


def main(words: list[str]) -> int:
    rows, failed = [], []
    into_page = words[:1] == ["--into-page"]
    words = words[into_page:]
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        for measure in chain(
            measures(place),
            formulas.measures(place),
            models.measures(place),
            workbooks.measures(place),
            tables.measures(place),
            proofs.measures(),
            marks.measures(),
            charts.measures(),
            templates.measures(),
            pages.measures(),
            letters.measures(),
            _runs(place, words),
            _learning(place, words),
        ):
            if words and not any(word in measure.work for word in words):
                continue
            ratio, seconds = measure.ratio()
            most = "" if measure.at_most is None else f"{measure.at_most:g}"
            rows.append(
                f"| {measure.work} | {measure.limit} | {ratio:.2f} | {most} | {seconds * 1000:,.0f} {measure.unit} |"
            )
            print(rows[-1], flush=True)
            if measure.at_most is not None and ratio > measure.at_most:
                failed.append(measure.work)
    if words:
        if into_page:
            _put_in(rows)
        return 1 if failed else 0
    head = (
        "# Speed\n\nEach figure is the median of five ratios, work and limit run in turn in one process or as whole\n"
        f"processes, on {platform.machine()} with Python {platform.python_version()} and NumPy {np.__version__}. "
        "`make bench` writes this page again.\nWhere no bound is set, none has been promised yet; a bound that "
        "is not kept is one to work towards.\n\n"
        "| work | limit measured beside it | ratio | at most | time |\n| --- | --- | ---: | ---: | ---: |\n"
    )
    _PAGE.write_text(head + "\n".join(rows) + "\n", "utf-8")
    if failed:
        print(f"over its bound: {', '.join(failed)}")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
