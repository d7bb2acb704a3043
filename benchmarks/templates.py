"""Templates and living pivots: rows put into a designed workbook, caches of pivots, many small files from one."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Iterator
from datetime import UTC, datetime

import numpy as np

from benchmarks.measure import Measure
from tinquire.cells import Column
from tinquire.charts import Chart, Series
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.layout.dresser import Dresser
from tinquire.layout.living_pivots import lay_living_pivot
from tinquire.layout.pivot_tables import AskedPivot, new_pivot, rows_of_table
from tinquire.layout.plans import BlockPlan, SheetPlan
from tinquire.layout.sheets import Canvas, table_sheet
from tinquire.looks import House
from tinquire.packages.package import Package
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.filled_files import filled_file
from tinquire.tables import Field, Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import make_pivot
from tinquire.tables.pivots.fields import PivotField
from tinquire.tables.pivots.groups import PivotValue
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.edit.templates import Template
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.pivots import making as pivots
from tinquire.workbook.pivots.store import Rows
from tinquire.workbook.pivots.store_writing import records_part

__all__ = ["measures"]

ROWS, RECORDS, FILES = 100_000, 1_000_000, 200
NOW = datetime(2026, 11, 3, 9, tzinfo=UTC)
#: Row fields and column fields of the template's pivots.
_PIVOTS: tuple[tuple[list[str], list[str]], ...] = ((["Depot"], ["Band"]), (["Customer"], []), (["Day"], ["Depot"]))


def measures() -> Iterator[Measure]:
    """The lines of the table for templates and pivots."""
    yield _filled()
    yield _records()
    yield _small()


def _table(count: int, seed: int) -> Table:
    rng = np.random.default_rng(seed)

    def texts(word: str, different: int) -> Column:
        codes = rng.integers(0, different, count).astype(np.int32)
        return Column.of_codes(codes, [f"{word} {n:03}" for n in range(different)])

    fields = (
        Field("Depot"), Field("Customer"), Field("Band"), Field("Day", "date"), Field("Pieces", "whole"),
        Field("Rate", "money"), Field("Item"), Field("Weight", "number"),
    )  # fmt: skip
    columns = (
        texts("Depot", 12), texts("Customer", 600), texts("Band", 6),
        Column.of_numbers(46296.0 + rng.integers(0, 31, count)),
        Column.of_numbers(rng.integers(1, 400, count).astype(float)),
        Column.of_numbers(np.rint(rng.random(count) * 1e5) / 100), texts("Item", 40),
        Column.of_numbers(np.rint(rng.random(count) * 5e3) / 100),
    )  # fmt: skip
    return Table("charges", fields, columns)


def _asked(down: list[str], across: list[str]) -> AskedPivot:
    fields = [[PivotField(name) for name in names] for names in (down, across)]
    return AskedPivot(fields[0], fields[1], total="All", total_across="All" if across else None)


VALUES = [PivotValue("Pieces", Aggregation.SUM, "Pieces charged")]


def _template(sample: Table, others: int) -> bytes:
    """A workbook with a data sheet, a pivot sheet for each pivot with a chart over it, and sheets with formulas."""
    house, book = House(), Workbook.new()
    shown = table_sheet(SheetPlan(name="Data"), BlockPlan(sheet="Data"), sample, house, book.styles, "Data")
    book.add_sheet(shown.sheet)
    parts = []
    axes = {name.casefold() for down, across in _PIVOTS for name in (*down, *across)}
    store = pivots.make_store("Data", rows_of_table(sample, sample.headings), axes)
    for number, (down, across) in enumerate(_PIVOTS if others > 1 else (), start=1):
        asked, name = _asked(down, across), f"Pivot {number}"
        pivot = make_pivot(sample, asked.down, asked.across, VALUES, totals="All", totals_across=asked.total_across)
        canvas = Canvas(SheetPlan(name=name), house, book.styles)
        dresser = Dresser(house, book.styles, canvas.plan)
        made = pivots.make_pivot(new_pivot(asked, pivot, name, store, dresser), store, canvas.spot(), book.styles)
        canvas.add(name, lay_living_pivot(canvas.sheet, made, pivot, asked, dresser), "")
        sheet = canvas.finished()
        last = made.area.bottom - 1
        at = {"labels_at": f"'{name}'!$A$3:$A${last}", "values_at": f"'{name}'!$B$3:$B${last}"}
        series = Series("charged", (), (), **at)  # type: ignore[arg-type]
        sheet.frames += [Frame(2, 20, 400.0, 240.0, Chart((series,)), name)] * (2 if number == 1 else 1)
        book.add_sheet(sheet)
        parts.append((name, made))
    for number in range(others):
        sheet = Sheet(f"Board {number + 1}")
        for row in range(1, 40):
            sheet.set(row, 1, f"Depot {row % 12:03}")
            sheet.set(row, 2, None, formula=f"SUMIFS(Data[Pieces],Data[Depot],A{row})")
        book.add_sheet(sheet)
    pivots.put_pivots(book, parts)
    return book.to_bytes()


def _opened(template: bytes) -> Template:
    return Template(lambda: Workbook.from_bytes(template, "t.xlsx"))


_ASKED = {"Data": TemplateRowsModel(table="Data")}
_SCOPE = SlotScope(House(), {}, tables={})


def _run(template: Template, table: Table) -> bytes:
    return filled_file(template, _ASKED, {"Data": table}, _SCOPE, "t.xlsx", NOW).content


def _filled() -> Measure:
    table = _table(ROWS, 3)
    template = _template(table.take(np.arange(3)), 8)

    def plain() -> None:
        house, book = House(), Workbook.new()
        shown = table_sheet(SheetPlan(name="Data"), BlockPlan(sheet="Data"), table, house, book.styles, "Data")
        book.add_sheet(shown.sheet)
        book.to_bytes()
        for down, across in _PIVOTS:
            asked = _asked(down, across)
            make_pivot(table, asked.down, asked.across, VALUES, totals="All", totals_across=asked.total_across)

    return Measure(
        "template of 12 sheets, 3 pivots and 4 charts filled with 100k rows",
        "writing these rows plain, and our pivots of them", 1.5, lambda: _run(_opened(template), table), plain,
    )  # fmt: skip


def _records() -> Measure:
    table = _table(RECORDS, 4)
    headings = tuple(table.headings)
    rows = Rows(headings, table.columns, tuple(field.type == "date" for field in table.fields))
    store = pivots.make_store("Data", rows, {"depot", "customer", "band", "day", "item"}).store
    ready = b"".join(records_part(store))

    def packed() -> None:
        package = Package()
        package.start()
        package.put_pieces("xl/pivotCache/pivotCacheRecords1.xml", records_part(store), fast=True)

    return Measure(
        "cache records of a pivot, 1M rows x 8 fields, packed",
        "zlib level 6 of the ready bytes", 0.32, packed, lambda: zlib.compress(ready, 6),
    )  # fmt: skip


def _small() -> Measure:
    tables = [_table(30, seed) for seed in range(FILES)]
    template = _template(tables[0].take(np.arange(3)), 1)
    padding = np.random.default_rng(6).bytes(max(0, 50_000 - len(template)))
    book = Workbook.from_bytes(template, "t.xlsx")
    book.package.put("customXml/item1.bin", padding)
    template = book.package.to_bytes()

    def rewritten() -> None:
        for _ in range(FILES):
            with zipfile.ZipFile(io.BytesIO(template)) as archive:
                members = [(info, archive.read(info)) for info in archive.infolist()]
            with zipfile.ZipFile(io.BytesIO(), "w", zipfile.ZIP_DEFLATED) as archive:
                for info, data in members:
                    archive.writestr(info, data)

    def filled() -> None:
        opened = _opened(template)
        for table in tables:
            _run(opened, table)

    return Measure(
        "200 files from a template of 50 kB, 30 rows each", "zipfile reads all and writes all", 1, filled, rewritten,
    )  # fmt: skip
