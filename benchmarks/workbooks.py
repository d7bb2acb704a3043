"""Reading, writing and changing workbook files, beside what the machine allows."""

from __future__ import annotations

import io
import tempfile
import time
import xml.parsers.expat
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.measure import Measure
from tinquire.amend import Amendment, Outcome, amend_file
from tinquire.cells import Column
from tinquire.looks import Appearance
from tinquire.workbook import Formula, Sheet, Workbook
from tinquire.workbook.grid.cells import Cells
from tinquire.workbook.inspect.summary import summarise
from tinquire.workbook.parts.shared_strings import SharedStrings

__all__ = ["measures"]

ROWS = 100_000
FILES = 200
BIG_ROWS = 40_000
_SHEET = "xl/worksheets/sheet1.xml"


def measures(folder: Path) -> Iterator[Measure]:
    """The lines of the table for workbook files; `folder` is for the files they need."""
    rng = np.random.default_rng(5)
    yield from _one_sheet(folder, rng)
    memory = Path("/dev/shm")  # where there is one: the disk's own time is not ours to measure
    with tempfile.TemporaryDirectory(dir=memory if memory.is_dir() else folder) as many:
        yield from _many_files(Path(many) / "many", rng)
    yield from _large_file(folder, rng)


def _typical(rng: np.random.Generator, rows: int, *, formula: bool) -> Workbook:
    """A sheet of ten columns: names, days, whole numbers, money, and one of formulas."""
    book, sheet = Workbook.new(), Sheet("S")
    names = [f"Customer {number}" for number in range(5_000)]
    day = book.styles.number(Appearance(format="yyyy-mm-dd"))
    money = book.styles.number(Appearance(format="0.00"))
    for column in (1, 2, 3):
        sheet.put(1, column, Column.of_codes(rng.integers(0, len(names), rows).astype(np.int32), names))
    sheet.put(1, 4, Column.of_numbers(46_000 + rng.integers(0, 365, rows)), day)
    sheet.put(1, 5, Column.of_numbers(rng.integers(0, 365, rows)))
    for column in range(6, 11):
        written = Formula("F1*2", 1, 10) if formula and column == 10 else None
        sheet.put(1, column, Column.of_numbers(rng.integers(0, 1_000_000, rows) / 100), money, written)
    book.add_sheet(sheet)
    return book


def _expat(path: Path, part: str) -> object:
    with zipfile.ZipFile(path) as archive:
        return xml.parsers.expat.ParserCreate().Parse(archive.read(part), True)


def _one_sheet(folder: Path, rng: np.random.Generator) -> Iterator[Measure]:
    path = folder / "million.xlsx"
    _typical(rng, ROWS, formula=True).save(path)
    yield Measure(
        "1M-cell sheet into typed columns", "inflate and bare expat parse of the same part", 0.7,
        lambda: Workbook.open(path).sheet("S"), lambda: _expat(path, _SHEET),
    )  # fmt: skip
    texts = "".join(f"<si><t>Customer {number}, Street {number % 977}</t></si>" for number in range(500_000))
    shared = f'<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">{texts}</sst>'.encode()
    yield Measure(
        "500k shared texts", "bare expat parse", 1.5,
        lambda: SharedStrings(shared), lambda: xml.parsers.expat.ParserCreate().Parse(shared, True),
    )  # fmt: skip
    plain = _typical(rng, ROWS, formula=False)
    columns = plain.sheet("S").columns
    with zipfile.ZipFile(io.BytesIO(_written(columns, plain))) as archive:
        part = archive.read(_SHEET)
    yield Measure(
        "1M cells written, whole file", "zlib level 6 deflate of the ready bytes alone", 0.4,
        lambda: _written(columns, plain), lambda: zlib.compress(part, 6),
    )  # fmt: skip
    with_results = Workbook.open(path)
    sheet = with_results.sheet("S")
    results = Column.of_numbers(rng.integers(0, 1_000_000, ROWS) / 50)

    def changed() -> bytes:
        sheet.store(1, 10, results)
        return with_results.to_bytes()

    yield Measure(
        "100k changed results written into a 1M-cell sheet", "the same sheet written afresh", 2,
        changed, lambda: _written(dict(sheet.columns), with_results),
    )  # fmt: skip


def _written(columns: dict[int, Cells], plain: Workbook) -> bytes:
    book = Workbook.new()
    own = plain.sheet("S")
    book.add_sheet(Sheet("S", columns=dict(columns), texts=own.texts, formulas=own.formulas))
    return book.to_bytes()


def _many_files(folder: Path, rng: np.random.Generator) -> Iterator[Measure]:
    book = Workbook.new()
    for number in range(3):
        sheet = Sheet(f"S{number}")
        sheet.put(1, 1, Column.of_texts([f"text {number} {row}" for row in range(60)]))
        sheet.put(1, 2, Column.of_numbers(rng.random(60)))
        sheet.put(1, 3, Column.of_numbers(np.arange(60.0)))
        book.add_sheet(sheet)
    folder.mkdir()
    data = book.to_bytes()
    for number in range(FILES):
        (folder / f"{number}.xlsx").write_bytes(data)
    wanted = [Amendment(at="S1!C3", expect=2, value=7)]

    def amend() -> None:
        for number in range(FILES):
            report = amend_file(folder / f"{number}.xlsx", wanted, folder / f"{number}.out")
            assert report.outcome is Outcome.CHANGED

    def rewrite() -> None:
        for number in range(FILES):
            with (
                zipfile.ZipFile(folder / f"{number}.xlsx") as source,
                zipfile.ZipFile(folder / f"{number}.copy", "w", zipfile.ZIP_DEFLATED) as target,
            ):
                for member in source.infolist():
                    target.writestr(member.filename, source.read(member))

    # All other parts are unpacked to be checked, though they are copied as they lie: a fifth of this.
    yield Measure(
        f"one cell amended in each of {FILES} workbooks of 10 kB, processor time, memory disk",
        "zipfile read-all, write-all", 0.25, amend, rewrite, time.process_time,
    )  # fmt: skip


def _large_file(folder: Path, rng: np.random.Generator) -> Iterator[Measure]:
    book = Workbook.new()
    names = [f"Customer {number}" for number in range(5_000)]
    for number in range(10):
        sheet = Sheet(f"Sheet {number}")
        sheet.put(1, 1, Column.of_codes(rng.integers(0, len(names), BIG_ROWS).astype(np.int32), names))
        for column in range(2, 11):
            sheet.put(1, column, Column.of_numbers(rng.random(BIG_ROWS)))
        book.add_sheet(sheet)
    path, out = folder / "large.xlsx", folder / "amended.xlsx"
    book.save(path)
    size = path.stat().st_size / 1e6
    wanted = [Amendment(at="'Sheet 2'!B5000", value=3)]

    def one_sheet() -> None:
        (folder / "copy.xlsx").write_bytes(path.read_bytes())
        with zipfile.ZipFile(path) as archive:
            zlib.compress(archive.read("xl/worksheets/sheet3.xml"), 6)

    def show() -> None:
        opened = Workbook.open(path)
        list(summarise(opened, opened.sheet_names(), 5))

    def inflate() -> None:
        with zipfile.ZipFile(path) as archive:
            for member in archive.namelist():
                archive.read(member)

    yield Measure(
        f"one cell amended in a workbook of {size:.0f} MB and ten sheets",
        "copying it, inflating and deflating that sheet", 1.5, lambda: amend_file(path, wanted, out), one_sheet,
    )  # fmt: skip
    yield Measure("what `show` does on that workbook", "inflating it", 1.5, show, inflate)
