"""Rows in place of a template's sample rows, and everything that hangs on them."""

from __future__ import annotations

import io

import pytest
from PIL import Image

from pivotbook import cache_xml, pivot_xml, put_pivot
from richbook import rich_file
from templatebook import DOCKET, ROWS, template
from tinquire.base.faults import TinQuireError
from tinquire.cells.address import Area, parse_cell
from tinquire.cells.column import Column
from tinquire.charts import Chart, Series
from tinquire.docket import load_docket, parse_period
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.packages.package import Package
from tinquire.packages.xml import parse_xml
from tinquire.press.make import make
from tinquire.press.outputs.template_rows import fill_rows
from tinquire.tables import Field, Table
from tinquire.workbook import Sheet, SheetTable, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.frames import CellLink, CellNote, Frame, PictureFile
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.grid.sheet import TableColumn
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails
from tinquire.workbook.pivots.caches import caches_of
from tinquire.workbook.pivots.refresh import refresh_pivots
from tinquire.workbook.pivots.stale import touches
from tinquire.workbook.transform.fill_texts import _fill_runs


def made(folder, rows, **shape):
    (folder / "bags.csv").write_text(ROWS, "utf-8")
    (folder / "docket.toml").write_text(DOCKET.format(rows=rows), "utf-8")
    template(folder / "t.xlsx", **shape)
    before = (folder / "t.xlsx").read_bytes()
    pack = make(load_docket(folder / "docket.toml"), parse_period("2026-10"))
    assert (folder / "t.xlsx").read_bytes() == before, "the template is never touched"
    path = folder / "out.xlsx"
    path.write_bytes(pack.outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    assert recalculate(Workbook.open(path)).changes == []
    return Workbook.open(path), pack


TARGETS = {
    "a table": ('Bags = { table = "bags" }', {"table": True}),
    "a sheet": ('Data = { table = "bags", at = "A4" }', {"table": False}),
    "a name": ('whole = { table = "bags", by_position = true }', {"table": False}),
    "a table of one sample row": ('Bags = { table = "bags" }', {"table": True, "sample": 1}),
    "a sheet of one sample row": ('Data = { table = "bags", at = "A4" }', {"table": False, "sample": 1}),
}


@pytest.mark.parametrize("target", [name for name in TARGETS if name != "a name"])
@pytest.mark.parametrize(("source", "count"), [("bags", 5), ("few", 1)])
def test_all_that_hangs_on_the_rows_follows(tmp_path, target, source, count):
    rows, shape = TARGETS[target]
    book, _ = made(tmp_path, rows.replace('"bags"', f'"{source}"'), **shape)
    data, board, last = book.sheet("Data"), book.sheet("Board"), 3 + count
    pieces = [float(n) for n in range(2, 2 + count)]
    assert data.column(1, 3, last)[1] == "Harbour" and data.column(3, 4, last).to_list() == pieces
    charges = [n * n / 4 for n in pieces]
    assert data.column(5, 4, last).to_list() == charges
    assert data.column(7, 4, last).to_list() == [f"no {n}" for n in range(1, count + 1)]
    below = last + (2 if shape["table"] else 1)
    assert (data.value(below, 1), data.value(below, 5)) == ("Sum", sum(charges))
    assert [board.value(row, 2) for row in (1, 2, 3, 4)] == [sum(pieces), sum(charges), float(count), 2.0]
    assert board.value(6, 1) == "from 2026-10"
    assert {book.styles.appearance(data.style(row, 3)).fill for row in range(4, last + 1)} == {"EEEEEE"}
    assert [data.heights.get(row) for row in range(4, last + 1)] == [21.0] * count
    details = BookDetails(book)
    assert details.sheet("Data").marks[0].areas == (Area(4, 3, last, 3),)
    if shape["table"]:
        assert data.tables[0].area == Area(3, 1, last, 5) and data.tables[0].filter
    (chart,) = details.sheet("Board").charts
    assert chart.chart.series[0].values == tuple(pieces)
    assert chart.chart.series[0].labels[0] == "Harbour"
    assert chart.cells[0].values == (f"Data!$C$4:$C${last}" if count > 1 else chart.cells[0].values)


def test_the_same_rows_again_change_nothing(tmp_path):
    """Filling with the sample rows themselves changes no value; filling twice equals filling once."""
    book, pack = made(tmp_path, 'Bags = { table = "bags" }', table=True)
    (tmp_path / "again").mkdir()
    again = tmp_path / "again"
    (again / "bags.csv").write_text(ROWS, "utf-8")
    (again / "docket.toml").write_text(DOCKET.format(rows='Bags = { table = "bags" }'), "utf-8")
    (again / "t.xlsx").write_bytes(pack.outputs[0].data)
    second = make(load_docket(again / "docket.toml"), parse_period("2026-10"))
    twice = Workbook.from_bytes(second.outputs[0].data, "twice")
    for sheet in book.sheets():
        rows, columns = sheet.extent()
        for column in range(1, columns + 1):
            assert sheet.column(column, 1, rows).to_list() == twice.sheet(sheet.name).column(column, 1, rows).to_list()
    same = [name for name in book.package.names() if book.package.read(name) == twice.package.read(name)]
    assert "xl/charts/chart1.xml" in same and "xl/styles.xml" in same


def test_pivots_that_cannot_be_worked_out_are_refreshed_on_opening(tmp_path):
    """The file says so, and so do we."""
    rich_file(tmp_path / "t.xlsx")
    book = Workbook.open(tmp_path / "t.xlsx")
    table = Table("rows", (Field("Item"), Field("Pieces")), (Column.from_values(["Towel"]), Column.from_values([7.0])))
    asked = {"Data": TemplateRowsModel(table="rows", at="A2")}
    filled = fill_rows(book, asked, {"rows": table}, "w", {"Data": "line 1"})
    (cache,) = caches_of(book)
    assert touches(book, cache, filled.areas)
    assert refresh_pivots(book).left == [("pivot 'P' of sheet 'Pivot'", "its fields are not those of its cache")]
    assert b'refreshOnLoad="1"' in book.package.read("xl/pivotCache/pivotCacheDefinition1.xml")


def put_queries(path):
    """Two queries to elsewhere: one that fills table Bags, and one that is asked on opening and fills sheet Board."""
    package = Package.open(path)
    main, space = (
        "http://schemas.openxmlformats.org/spreadsheetml/2006/main",
        "http://schemas.openxmlformats.org/officeDocument/2006/relationships",
    )
    xml = f'<connections xmlns="{main}"><connection id="1" name="Bags of the depots" type="5" refreshedVersion="6" refreshOnLoad="1"/><connection id="2" name="Rates" type="5" refreshedVersion="6"/></connections>'
    package.put("xl/connections.xml", xml.encode())
    package.set_type(
        "xl/connections.xml", "application/vnd.openxmlformats-officedocument.spreadsheetml.connections+xml"
    )
    package.relate("xl/workbook.xml", f"{space}/connections", "xl/connections.xml")
    for number, home in ((1, "xl/tables/table1.xml"), (2, "xl/worksheets/sheet2.xml")):
        part = f"xl/queryTables/queryTable{number}.xml"
        package.put(
            part,
            f'<queryTable xmlns="{main}" name="q{number}" connectionId="{number}" refreshOnLoad="{2 - number}"/>'.encode(),
        )
        package.set_type(part, "application/vnd.openxmlformats-officedocument.spreadsheetml.queryTable+xml")
        package.relate(home, f"{space}/queryTable", part)
    path.write_bytes(package.to_bytes())


def test_queries_are_asked_on_opening_unless_they_would_replace_the_rows(tmp_path):
    (tmp_path / "bags.csv").write_text(ROWS, "utf-8")
    (tmp_path / "docket.toml").write_text(DOCKET.format(rows='Bags = { table = "bags" }'), "utf-8")
    template(tmp_path / "t.xlsx", table=True)
    put_queries(tmp_path / "t.xlsx")
    pack = make(load_docket(tmp_path / "docket.toml"), parse_period("2026-10"))
    package = Package.from_bytes(pack.outputs[0].data, "out.xlsx")
    connections = package.root("xl/connections.xml")
    assert [one.get("refreshOnLoad") for one in connections] == ["0", "1"]
    assert [package.root(f"xl/queryTables/queryTable{n}.xml").get("refreshOnLoad") for n in (1, 2)] == ["0", "0"]
    said = [fault.why for fault in pack.warnings if "connection" in fault.why]
    assert said == [
        "connection 'Bags of the depots' would replace the rows put into sheet Data; it is no longer asked on opening",
        "connection 'Rates' (sheet Board) is asked on opening: it cannot be asked here",
    ]


def test_no_rows_leave_one_blank_row(tmp_path):
    book, _ = made(tmp_path, 'Bags = { table = "none" }', table=True)
    data = book.sheet("Data")
    assert data.tables[0].area == Area(3, 1, 4, 5) and data.column(1, 4, 4)[0] is None
    assert book.sheet("Board").value(1, 2) == 0.0


def test_rows_may_stay_above_what_stands_below(tmp_path):
    book, _ = made(tmp_path, 'Data = { table = "few", at = "A4", below = "stay" }', table=False)
    data = book.sheet("Data")
    assert (data.value(7, 1), data.value(7, 5), data.value(5, 1), data.formula(7, 5).text) == (
        "Sum",
        1.0,
        None,
        "SUM(E4:E4)",
    )


SLOTTED = {
    "A1": "[:only if 1 > 2:]", "A2": "[:only if 2 > 1:]Report for [:period.long:]", "A3": "[:only if 2 > 1:]kept",
    "A4": "[:only if 1 > 2:]two rows that go", "A7": "[:bags.Item:]", "B7": "[:bags.Pieces as 0.0:]", "C7": "in [:bags.Depot:] since [:period:]",
    "D7": "=B7*2", "E7": "each", "A8": "Sum", "B8": "=SUM(B7:B7)",
}  # fmt: skip


def slotted_template(path):
    book = Workbook.new()
    for name in ("Gone", "Kept"):
        sheet = Sheet(name)
        for cell, text in SLOTTED.items():
            row, column = parse_cell(cell)
            if name == "Gone" or cell != "A1":
                sheet.set(row, column, None if text[0] == "=" else text, None, text[1:] if text[0] == "=" else None)
        sheet.merged = [Area(4, 1, 5, 1)]
        sheet.page = PageSetup(margins=(0.5,) * 6, header="&L[:period:]&R&P", footer="&C[:pieces:] & more")
        sheet.notes = [CellNote(2, 1, "made for [:period:]")]
        chart = Chart((Series("n", (1.0,), ("x",)),), title="Chart of [:period:]")
        sheet.frames = [Frame(12, 1, 200, 120, chart, "Chart 1")]
        sheet.links = [CellLink(3, 1, "Kept!A1", tip="to [:period:]")]
        book.add_sheet(sheet)
    book.save(path)


def test_slots_stand_anywhere_repeat_rows_and_keep_them(tmp_path):
    (tmp_path / "bags.csv").write_text(ROWS, "utf-8")
    docket = DOCKET.format(rows="").replace("rows = {  }", "") + '[figures]\npieces = "SUM(bags[Pieces])"\n'
    (tmp_path / "docket.toml").write_text(docket, "utf-8")
    slotted_template(tmp_path / "t.xlsx")
    pack = make(load_docket(tmp_path / "docket.toml"), parse_period("2026-10"))
    path = tmp_path / "out.xlsx"
    path.write_bytes(pack.outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    book = Workbook.open(path)
    assert book.sheet_names() == ["Kept"]
    sheet, details = book.sheet("Kept"), BookDetails(book).sheet("Kept")
    assert sheet.column(1, 1, 11).to_list() == [
        None, "Report for October 2026", "kept", None, "Sheet", "Towel", "Apron", "Napkin", "Sheet", "Sum", None,
    ]  # fmt: skip
    assert sheet.column(2, 5, 9).to_list() == [2.0, 3.0, 4.0, 5.0, 6.0] and sheet.value(10, 2) == 20.0
    assert (
        sheet.value(5, 3) == "in Harbour since 2026-10"
        and sheet.column(4, 5, 9)[4] == 12.0
        and sheet.value(9, 5) == "each"
    )
    assert book.styles.number_format(sheet.style(6, 2)) == "0.0"
    assert (details.page.header, details.page.footer) == ("&L2026-10&R&P", "&C20 & more")
    assert details.comments[0].text == "made for 2026-10" and details.charts[0].title == "Chart of 2026-10"
    assert b"to 2026-10" in book.package.read(book.entry("Kept").part)


def test_a_slot_may_be_split_over_runs():
    root = parse_xml(
        b'<d xmlns:a="u"><a:p><a:r><a:t>For [:per</a:t></a:r><a:r><a:t>iod:] and </a:t></a:r><a:r><a:t>on</a:t></a:r></a:p></d>'
    )
    _fill_runs(root, "a shape", lambda text, place: text.replace("[:period:]", "2026-10"))
    assert [run.text for run in root.iter("{*}t")] == ["For 2026-10", " and ", "on"]


def test_fill_without_a_docket(tmp_path, tinquire):
    (tmp_path / "bags.csv").write_text(ROWS, "utf-8")
    template(tmp_path / "t.xlsx", table=True)
    words = ("fill", tmp_path / "t.xlsx", "--rows", f"Bags={tmp_path / 'bags.csv'}", "--set", "period=2026-10")
    done = tinquire(*words, "--out", tmp_path / "a.xlsx")
    assert done.code == 0, done.err
    assert Workbook.open(tmp_path / "a.xlsx").sheet("Board").value(1, 2) == 20.0
    assert tinquire(*words, "--out", tmp_path / "a.xlsx").code == 2, "nothing is written over"
    (tmp_path / "list.csv").write_text("Depot,Who\nHarbour,Ann\nUplands,Bryn\n", "utf-8")
    each = ("--each", tmp_path / "list.csv", "--own", "Depot", "--name", "[:Depot:] for [:Who:].xlsx")
    done = tinquire(*words, *each, "--out", tmp_path / "packs")
    assert done.code == 0 and "2 files in" in done.out, done.err
    sums = {path.name: Workbook.open(path).sheet("Board").value(1, 2) for path in (tmp_path / "packs").iterdir()}
    assert sums == {"Harbour for Ann.xlsx": 7.0, "Uplands for Bryn.xlsx": 10.0}
    for wrong, why in (
        (("--rows", "Bags"), "'Bags' gives no file"), (("--name", "x.xlsx"), "--name goes with --each"), (("--to", "pdf"), "--to is for letters"),
        (("--set", "period"), "'period' gives no value"), (("--rows", f"Bagz={tmp_path / 'bags.csv'}"), "no table, name or sheet 'Bagz'"),
        ((), "no value for [:period:]"),
    ):  # fmt: skip
        done = tinquire("fill", tmp_path / "t.xlsx", *wrong, "--out", tmp_path / "b.xlsx")
        assert done.code and why in done.err, done.err
        assert not (tmp_path / "b.xlsx").exists()


WRONG = [
    ('Bag = { table = "bags" }', "the template has no table, name or sheet 'Bag': the nearest is 'Bags'"),
    ('Data = { table = "bags" }', "it is not said where its sample rows begin"),
    ('Data = { table = "bags", at = "J4" }', "has no heading above it"),
    ('Data = { table = "bagz", at = "A4" }', "are of 'bagz': the nearest is 'bags'"),
    ('Bags = { table = "bags", columns = { Depo = "Item" } }', "the template has no heading 'Depo': the nearest is 'Depot'"),
    ('Bags = { table = "bags", columns = { Depot = "Depo" } }', "the template's heading 'Depot' has no column in table 'bags': the nearest is 'Depot'"),
    ('Data = { table = "bags", at = "A4", below = "stay" }', "is in the way of 5 rows"),
]  # fmt: skip


@pytest.mark.parametrize(("rows", "why"), WRONG, ids=[why[:40] for _, why in WRONG])
def test_what_is_wrong_is_said(tmp_path, rows, why):
    with pytest.raises(TinQuireError) as caught:
        made(tmp_path, rows, table='"A4"' not in rows or "bagz" in rows)
    assert any(why in fault.why for fault in caught.value.faults), [fault.why for fault in caught.value.faults]


REPEATED = """
title = "T"
period = "month"
sources.bags.file = "bags.csv"
sources.bags.types = {{ Pieces = "whole", Rate = "money" }}
[workbooks.w]
template = "t.xlsx"
name = "out.xlsx"
[workbooks.w.repeat.Data]
each = "bags"
{how}
rows = {{ Bags = {{ table = "bags" }} }}
"""


def repeated_template(path):
    """A sheet with a table of sample rows, a chart and a pivot over it, a print area, and slots in a cell and a header."""
    book = Workbook.new()
    sheet = Sheet("Data", page=PageSetup(margins=(0.5,) * 6, header="&L[:Depot:] in [:period:]"))
    for column, heading in enumerate(("Depot", "Item", "Pieces", "Rate"), start=1):
        sheet.set(3, column, heading)
        sheet.set(4, column, ("x", "a", 1.0, 2.0)[column - 1])
    sheet.set(1, 1, "Bags of [:Depot:]")
    sheet.set(1, 4, None, formula="SUM(Bags[Pieces])")
    sheet.tables.append(SheetTable("Bags", Area(3, 1, 4, 4), tuple(TableColumn(name) for name in ("Depot", "Item", "Pieces", "Rate"))))  # fmt: skip
    series = Series("Pieces", (1.0,), ("a",), values_at="Data!$C$4:$C$4", labels_at="Data!$B$4:$B$4")
    sheet.frames.append(Frame(2, 12, 300, 200, Chart((series,), title="[:Depot:]"), "Chart 1"))
    book.add_sheet(sheet)
    board = Sheet("Board")
    board.set(1, 1, "kept")
    book.add_sheet(board)
    headings = ["Depot", "Item", "Pieces", "Rate"]
    pivot = pivot_xml(headings, down=["Item"], values=[("P", 'fld="2"')]).replace('ref="A3"', 'ref="H1"')
    cache = cache_xml(headings).replace('ref="A1:Z1000" sheet="Data"', 'name="Bags"')
    put_pivot(book, "Data", cache, [pivot])
    refresh_pivots(book)
    set_name(book, "_xlnm.Print_Area", "Data!$A$1:$D$9", "Data")
    book.save(path)


def repeated(folder, how):
    (folder / "bags.csv").write_text(ROWS, "utf-8")
    (folder / "docket.toml").write_text(REPEATED.format(how=how), "utf-8")
    repeated_template(folder / "t.xlsx")
    path = folder / "out.xlsx"
    path.write_bytes(make(load_docket(folder / "docket.toml"), parse_period("2026-10")).outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    return Workbook.open(path)


def test_sheets_are_repeated_with_all_that_is_on_them(tmp_path):
    book = repeated(tmp_path, 'by = "Depot"\nname = "[:Depot:]"')
    assert book.sheet_names() == ["Harbour", "Millrace", "Uplands", "Board"]
    for name, pieces, items in (("Harbour", 7.0, ["Napkin", "Sheet"]), ("Uplands", 10.0, ["Apron", "Sheet"])):
        sheet, details = book.sheet(name), BookDetails(book).sheet(name)
        assert (sheet.value(1, 1), sheet.value(1, 4), sheet.tables[0].area) == (
            f"Bags of {name}",
            pieces,
            Area(3, 1, 5, 4),
        )
        (chart,), (pivot,) = details.charts, details.pivots
        assert chart.title == name and chart.cells[0].values == f"{name}!$C$4:$C$5" and sorted(chart.chart.series[0].labels) == items  # fmt: skip
        assert pivot.source == sheet.tables[0].name and sorted(sheet.column(8, 2, 3).to_list()) == items
        assert sheet.column(9, 4, 4).to_list() == [pieces]
        assert details.page.header == f"&L{name} in 2026-10"
        area = next(one.formula for one in book.names if one.name == "_xlnm.Print_Area" and one.sheet == name)
        assert area == f"{name}!$A$1:$D$10"
    assert len({table.name for sheet in book.sheets() for table in sheet.tables}) == 3


def test_a_sheet_for_each_row(tmp_path):
    book = repeated(tmp_path, 'own = "Depot"\nname = "[:Depot:] [:Item:]"')
    assert book.sheet_names() == ["Harbour Sheet", "Millrace Towel", "Uplands Apron", "Harbour Napkin", "Uplands Sheet", "Board"]  # fmt: skip
    assert [book.sheet(name).value(1, 4) for name in book.sheet_names()[:3]] == [7.0, 3.0, 10.0]


def dots(colour, size):
    stream = io.BytesIO()
    Image.new("RGB", size, colour).save(stream, "PNG")
    return stream.getvalue()


PICTURES = (
    "\n[workbooks.w.pictures]\nlogo = 'logo-[:period:].png'\n"
    'trend = { kind = "columns", of = "bags", labels = "Item", series = ["Pieces"], alt = "Pieces by item" }\n'
)


def pictured(folder, docket):
    book = Workbook.new()
    sheet = Sheet("Board")
    for place, alt in enumerate(("[:logo:]", "[:trend:]", "a plain one")):
        frame = Frame(2 + place * 20, 2, 300, 150, PictureFile(dots("white", (20, 10)), "png"), f"P{place}", alt)
        sheet.frames.append(frame)
    book.add_sheet(sheet)
    book.save(folder / "t.xlsx")
    (folder / "bags.csv").write_text(ROWS, "utf-8")
    (folder / "logo-2026-10.png").write_bytes(dots("red", (30, 30)))
    (folder / "docket.toml").write_text(docket, "utf-8")
    return make(load_docket(folder / "docket.toml"), parse_period("2026-10"))


def test_pictures_by_slots_keep_frame_and_proportions(tmp_path):
    docket = DOCKET.format(rows="").replace("rows = {  }\n", "") + PICTURES
    data = pictured(tmp_path, docket).outputs[0].data
    package = Package.from_bytes(data, "out.xlsx")
    assert conformance_findings(package) == []
    found = {picture.says: picture for picture in BookDetails(Workbook.from_bytes(data, "o")).sheet("Board").pictures}
    assert set(found) == {"logo", "Pieces by item", "a plain one"}
    sizes = {says: Image.open(io.BytesIO(package.read(one.part))).size for says, one in found.items()}
    assert sizes["logo"] == (30, 30) and sizes["a plain one"] == (20, 10)
    assert round(sizes["Pieces by item"][0] / sizes["Pieces by item"][1], 2) == 2.0  # drawn for its frame
    drawing = package.read("xl/drawings/drawing1.xml").decode()
    assert '<a:fillRect l="25000" r="25000"/>' in drawing  # a square in the middle of a frame twice as wide


def test_pictures_that_nothing_fills_are_all_told(tmp_path):
    docket = DOCKET.format(rows="").replace("rows = {  }\n", "") + "\n[workbooks.w.pictures]\nlogo = 'gone.png'\n"
    with pytest.raises(TinQuireError) as caught:
        pictured(tmp_path, docket)
    told = [fault.why for fault in caught.value.faults]
    assert told == ["there is no picture 'gone.png'", "a picture of sheet 'Board' asks for 'trend': there is 'logo'"]
