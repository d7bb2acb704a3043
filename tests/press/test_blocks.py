"""Sheets made of blocks: where they stand, repeated per value, outlined, with figures, charts, links and notes."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from tinquire.base.faults import TinQuireError
from tinquire.cells.address import Area, cell_name
from tinquire.cells.column import Column
from tinquire.docket import load_docket, parse_period
from tinquire.layout.outlines import outlined
from tinquire.layout.plans import OutlinePlan
from tinquire.looks import House
from tinquire.packages.package import Package
from tinquire.press.make import make
from tinquire.tables import Field, Table
from tinquire.tables.totals import total_of
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails

ROWS = """Depot,Band,Item,Pieces,Charge,Site
Harbour,Bed,Sheet,3,1.5,https://larkfold.example/sheet
Millrace,Bath,Towel,12,2.25,
Harbour,Bath,Towel,4,0.75,mailto:ann@larkfold.example
Harbour,Bed,Cover,5,10,#Data!A1
Uplands,Bed,Sheet,7,20,towels/big towel.html
"""
START = """
title = "Bags"
period = "month"
style = "house.toml"
sources.bags.file = "bags.csv"
sources.bags.types = { Pieces = "whole", Charge = "money" }
[tables.net]
from = "bags"
steps = [{ derive = "Each", as = "[Charge] / [Pieces]", type = "money" }]
[pivots.by_depot]
from = "bags"
rows = ["Depot"]
columns = ["Band"]
values = [{ sum = "Charge", as = "Charged" }]
totals = "All"
totals_across = "All bands"
[figures]
charged = { is = "SUM(bags[Charge])", type = "money" }
pieces = "SUM(bags[Pieces])"
[workbooks.w]
name = "bags.xlsx"
"""
HOUSE = """
gaps = [2, 1]
[looks.loud]
bold = true
[looks.slant]
on = "heading"
turned = 60
[looks.banded]
on = "rows"
band = "#EEEEEE"
height = 22
[looks.free]
locked = false
shrink = true
"""


def made(folder, sheets, rows=ROWS, more=""):
    """The workbook of a job, recalculated to the same results, and conforming."""
    (folder / "bags.csv").write_text(rows, "utf-8")
    (folder / "house.toml").write_text(HOUSE, "utf-8")
    (folder / "docket.toml").write_text(START + more + f"sheets = [{' '.join(sheets.split())}]\n", "utf-8")
    Image.new("RGB", (96, 48), "#2F5D7C").save(folder / "logo.png", dpi=(96, 96))
    pack = make(load_docket(folder / "docket.toml"), parse_period("2026-10"))
    path = folder / "check.xlsx"
    path.write_bytes(pack.outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    book = Workbook.open(path)
    assert recalculate(Workbook.open(path)).changes == []
    return book


def cells(sheet):
    """All filled cells of a sheet by their address."""
    rows, columns = sheet.extent()
    return {
        cell_name(row, column): value
        for column in range(1, columns + 1)
        for row, value in enumerate(sheet.column(column, 1, rows), start=1)
        if value is not None
    }


def test_blocks_stand_where_they_are_asked_to(tmp_path):
    book = made(tmp_path, """{ name = "S", title = "Bags", blocks = [
        { figures = { "Charged" = "charged", "In all [:period:]" = "pieces as whole" }, names = true, title = "Panel" },
        { table = "bags", columns = ["Depot", "Pieces"], totals = { Pieces = "sum" } },
        { pivot = "by_depot", beside = true, gap = 3 },
        { text = "One line\\n[:charged:] in all", columns_wide = 2 },
        { picture = "logo.png", alt = "The sign", at = "K2", size = [20] },
        { contents = true, at = "K20" } ] },
        { name = "Other", title = "The other", table = "bags" }""")  # fmt: skip
    sheet = book.sheet("S")
    found = cells(sheet)
    assert (found["A1"], found["A3"], found["A4"], found["B4"], found["B5"]) == ("Bags", "Panel", "Charged", 34.5, 31.0)
    assert found["A5"] == "In all 2026-10"
    assert (found["A8"], found["A14"], found["B14"]) == ("Depot", "Total", 31.0)
    assert (found["F8"], found["F9"], found["I12"]) == ("Depot", "Harbour", 34.5)
    assert (found["A17"], found["A18"]) == ("One line", "34.50 in all")
    assert {(one.name, one.formula) for one in book.names if one.sheet is None} == {
        ("charged", "S!$B$4"),
        ("pieces", "S!$B$5"),
    }
    details = BookDetails(book).sheet("S")
    assert [(link.area, link.target) for link in details.links] == [(Area(20, 11, 20, 11), "Other!A1")]
    assert found["K20"] == "The other"
    (picture,) = details.pictures
    assert (picture.says, picture.area, [round(side) for side in picture.size]) == (
        "The sign",
        Area(2, 11, 2, 11),
        [57, 28],
    )
    assert sheet.frozen == (0, 0) and sheet.merged == [Area(17, 1, 17, 2), Area(18, 1, 18, 2)]


@pytest.mark.parametrize(
    ("arrange", "tops", "breaks"),
    [("below", ["A1", "A9", "A15"], ()), ("beside", ["A1", "D1", "G1"], ()), ("pages", ["A1", "A7", "A11"], (6, 10))],
)
def test_a_group_of_blocks_is_repeated_per_value(tmp_path, arrange, tops, breaks):
    each = f'per = "Depot", arrange = "{arrange}"'
    book = made(tmp_path, f"""{{ name = "S", blocks = [
        {{ text = "[:Depot:]", columns_wide = 1, {each} }},
        {{ table = "bags", columns = ["Item", "Charge"], totals = {{ Charge = "sum" }}, gap = 0, {each} }} ] }}""")  # fmt: skip
    sheet = book.sheet("S")
    found = cells(sheet)
    assert [found[top] for top in tops] == ["Harbour", "Millrace", "Uplands"]
    totals = [value for cell, value in found.items() if value in (12.25, 2.25, 20.0) and sheet.tables]
    assert sorted(totals)[-1] == 20.0 and len(sheet.tables) == 3
    assert BookDetails(book).sheet("S").page.row_breaks == breaks


def test_sheets_and_workbooks_per_value(tmp_path):
    book = made(tmp_path, """{ name = "[:Depot:]", title = "[:Depot:]", blocks = [
        { table = "bags", per = "Depot", arrange = "sheets", columns = ["Item", "Charge"] },
        { pivot = "by_depot", per = "Depot", arrange = "sheets" },
        { chart = { of = "bags", kind = "bars", series = ["Charge"] }, per = "Depot", arrange = "sheets" } ] }""")  # fmt: skip
    assert book.sheet_names() == ["Harbour", "Millrace", "Uplands"]
    assert cells(book.sheet("Millrace"))["A4"] == "Towel"
    chart = BookDetails(book).sheet("Harbour").charts[0].chart
    assert [series.values for series in chart.series] == [(1.5, 0.75, 10.0)]
    (tmp_path / "b").mkdir()
    sheets = '{ name = "S", blocks = [{ table = "bags", per = "Depot", arrange = "workbooks" }] }'
    folder = tmp_path / "b"
    (folder / "bags.csv").write_text(ROWS, "utf-8")
    (folder / "house.toml").write_text(HOUSE, "utf-8")
    (folder / "docket.toml").write_text(
        START.replace("bags.xlsx", "bags [:Depot:].xlsx") + f"sheets = [{sheets}]", "utf-8"
    )
    pack = make(load_docket(folder / "docket.toml"), parse_period("2026-10"))
    assert [made.path.name for made in pack.outputs] == [
        f"bags {name}.xlsx" for name in ("Harbour", "Millrace", "Uplands")
    ]


def test_charts_show_the_cells_of_their_blocks(tmp_path):
    book = made(tmp_path, """
        { name = "P", blocks = [ { pivot = "by_depot", formulas = "living" },
          { chart = { of = "by_depot", series = ["Charged"], stack = "stacked", title = "[:period:]", pick = "Uplands" } },
          { chart = { of = "by_depot", series = [{ column = "All bands", as = "All", kind = "lines", second = true }, "Bed"], target = "charged / 3", target_label = "A third" }, beside = true } ] },
        { name = "F", blocks = [ { figures = ["charged", "pieces"] }, { chart = { of = "figures", kind = "pie" } } ] }
        """.replace('{ name = "P"', '{ name = "Data", table = "bags", hidden = "deep" }, { name = "P"'))  # fmt: skip
    details = BookDetails(book)
    first, second = (one.chart for one in details.sheet("P").charts)
    assert [(one.name, one.values, one.name_at, one.values_at) for one in first.series] == [
        ("Bath", (0.75, 2.25, None), "P!$B$1", "P!$B$2:$B$4"), ("Bed", (11.5, None, 20.0), "P!$C$1", "P!$C$2:$C$4"),
    ]  # fmt: skip
    assert [dict(one.marks).keys() == {2} for one in first.series] == [True, True]
    assert (first.title, first.stack, first.legend) == ("2026-10", "stacked", "bottom")
    assert [(one.name, one.kind, one.second) for one in second.series] == [
        ("All", "lines", True),
        ("Bed", "columns", False),
    ]
    assert second.target == pytest.approx(11.5) and second.target_label == "A third"
    pie = details.sheet("F").charts[0]
    assert (pie.chart.series[0].labels, pie.chart.series[0].values, pie.alt) == (
        ("Charged", "Pieces"), (34.5, 31.0), "Value: Charged 34.50, Pieces 31.00",
    )  # fmt: skip
    assert book.entry("Data").state == "veryHidden"
    for name in ("P", "F"):  # what is stored is what the cells show
        for one in details.sheet(name).charts:
            for series in one.chart.series:
                sheet, area = re.match(r"(\w+)!\$(\w)\$(\d+):\$\w\$(\d+)", series.values_at).group(1), series.values_at
                column, top, bottom = re.match(r"\w+!\$(\w)\$(\d+):\$\w\$(\d+)", area).groups()
                shown = book.sheet(sheet).column(ord(column) - 64, int(top), int(bottom)).to_list()
                assert [value if isinstance(value, float) else None for value in shown] == list(series.values)


def test_rows_are_grouped_with_living_totals(tmp_path):
    book = made(tmp_path, """{ name = "S", table = "net", columns = ["Depot", "Item", "Pieces", "Charge", "Each"],
        formulas = "living", totals = { Pieces = "sum", Charge = "average" }, outline = { by = ["Depot"], collapsed = true },
        marks = [{ where = "[Charge] >= 10", look = "loud" }] }""")  # fmt: skip
    sheet = book.sheet("S")
    found = cells(sheet)
    assert [found[f"A{row}"] for row in range(2, 10)] == [
        "Harbour", "Harbour", "Harbour", "Harbour total", "Millrace", "Millrace total", "Uplands", "Uplands total",
    ]  # fmt: skip
    assert sheet.formula(5, 3).text == "SUBTOTAL(9,C2:C4)" and found["C5"] == 12.0
    assert sheet.formula(10, 4).text == "SUBTOTAL(1,D2:D9)" and found["D10"] == pytest.approx(6.9)
    assert sheet.formula(3, 5).text in ("$D3/$C3", "$D2/$C2") and sheet.formula(5, 5) is None
    assert book.tables() == {} and sheet.hidden_rows == {2, 3, 4, 6, 8}
    details = BookDetails(book).sheet("S")
    assert details.outline == (1, 0)
    assert details.marks[0].areas == (Area(2, 1, 4, 5), Area(6, 1, 6, 5), Area(8, 1, 8, 5))
    assert [one.name for one in book.names] == ["_xlnm._FilterDatabase", "_xlnm.Print_Titles"]


KEYS = st.sampled_from(["a", "b", "c", None, 1.0])


@given(st.lists(st.tuples(KEYS, KEYS, st.integers(-9, 9).map(float)), min_size=1, max_size=24), st.booleans())
def test_outlines_against_a_plain_reading(rows, above):
    """Groups together in the order of their first rows, each with the total of its rows, none lost."""
    columns = [Column.from_values(list(values)) for values in zip(*rows, strict=True)]
    table = Table("t", (Field("A"), Field("B"), Field("N", "number")), tuple(columns))
    plan = OutlinePlan(by=["A", "B"], above=above, label="sum {}")
    outline = outlined(table, plan, {"N": "sum"}, House(), "s", "")
    is_total = outline.is_total
    assert sorted(map(repr, zip(*(c.take(~is_total) for c in outline.table.columns), strict=True))) == sorted(
        map(repr, rows)
    )
    assert len(outline.totals) == len({a for a, _, _ in rows}) + len({(a, b) for a, b, _ in rows})
    for total in outline.totals:
        inside = [place for place in range(total.first, total.last + 1) if not is_total[place]]
        keys = {tuple(outline.table.columns[key][place] for key in range(total.depth + 1)) for place in inside}
        assert len(keys) == 1
        assert len(inside) == sum(row[: total.depth + 1] in keys for row in rows)
        assert outline.table.columns[2][total.place] == total_of("sum", outline.table.columns[2].take(inside))
        assert total.place == (total.first - 1 if above else total.last + 1)
        assert sorted(outline.rows.of(total.place).tolist()) == sorted(outline.rows.of(place)[0] for place in inside)
        assert outline.levels[total.place] == total.depth
    assert all(level == 2 for level in outline.levels[~is_total])


def test_links_notes_bands_and_protection(tmp_path):
    book = made(tmp_path, """{ name = "S", protect = true, table = "bags", columns = ["Item", "Site"],
        looks = { heading = "slant", rows = "banded" },
        dress = { Item = { link = "[Site]", note = "IF([Pieces] > 5, \\"many: \\" & [Pieces], \\"\\")", look = "free" } } }""")  # fmt: skip
    sheet, details = book.sheet("S"), BookDetails(book).sheet("S")
    assert {(link.area.top, link.target, link.outside) for link in details.links} == {
        (2, "https://larkfold.example/sheet", True), (4, "mailto:ann@larkfold.example", True), (5, "Data!A1", False),
        (6, "towels/big%20towel.html", True),
    }  # fmt: skip
    assert [(note.cell, note.text) for note in details.comments] == [("A3", "many: 12"), ("A6", "many: 7")]
    looks = [book.styles.appearance(sheet.style(row, 2)) for row in range(1, 7)]
    assert [look.fill for look in looks[1:]] == [None, "EEEEEE", None, "EEEEEE", None]
    assert looks[0].turned == 60 and sheet.heights[3] == 22 and sheet.heights[1] > 30
    free = book.styles.appearance(sheet.style(2, 1))
    assert details.protected and not free.locked and free.shrink and looks[1].locked


def test_marks_on_pivots_columns_folded_sheets_moved(tmp_path):
    book = made(tmp_path, """{ name = "S", blocks = [
        { pivot = "by_depot", marks = [{ on = ["All bands"], above = 5, look = "loud" }] },
        { text = "Home", link = "#Data!A1" } ] },
        { name = "Data", table = "bags", order = 1, dress = { Band = { fold = "closed" }, Item = { fold = "open" } } }""")  # fmt: skip
    assert book.sheet_names() == ["Data", "S"]
    details = BookDetails(book)
    assert details.sheet("S").marks[0].areas == (Area(2, 4, 4, 4),)
    assert [(link.area, link.target) for link in details.sheet("S").links] == [(Area(8, 1, 8, 1), "Data!A1")]
    assert details.sheet("Data").outline == (0, 1) and book.sheet("Data").hidden_columns == {2}


def test_what_is_printed_and_where_pages_end(tmp_path):
    book = made(tmp_path, """{ name = "S", title = "T", blocks = [ { table = "bags", columns = ["Item"], printed = false },
        { figures = ["charged"], new_page = true } ] }, { name = "U", table = "bags", page = { area = "A1:B3" } }""")  # fmt: skip
    assert {(one.sheet, one.formula) for one in book.names if one.name == "_xlnm.Print_Area"} == {
        ("S", "S!$A$1:$B$1,S!$A$11:$B$11"), ("U", "U!$A$1:$B$3"),
    }  # fmt: skip
    assert BookDetails(book).sheet("S").page.row_breaks == (10,)


def test_a_selector_lights_up_its_rows(tmp_path):
    book = made(tmp_path, """{ name = "Data", table = "bags" }, { name = "S", blocks = [
        { inputs = { chosen = { value = "Harbour", one_of = "bags[Depot]", prompt = "Which?", label = "Depot" } } },
        { table = "bags", marks = [{ where = "[Depot] = chosen", look = "loud" }], looks = { input = "free" } } ] }""")  # fmt: skip
    details = BookDetails(book).sheet("S")
    assert details.marks[0].formulas == ("$A5=chosen",)
    assert (
        details.validations[0].areas == (Area(1, 2, 1, 2),)
        and 'INDIRECT("Data[Depot]")' in details.validations[0].formulas
    )
    assert not book.styles.appearance(book.sheet("S").style(1, 2)).locked


WRONG = [
    ('{ name = "S", blocks = [{ table = "bags" }, { text = "x", at = "B3" }] }', "the text in B3:F3 runs into the table 'bags' in A1:F6"),
    ('{ name = "S", blocks = [{ chart = { of = "bags" } }] }', "no block before it shows 'bags'"),
    ('{ name = "S", blocks = [{ chart = { of = "bagz" } }] }', "a chart is of 'bagz': the nearest is 'bags'"),
    ('{ name = "S", blocks = [{ table = "bags" }, { chart = { of = "bags", series = ["Charg"] } }] }', "'bags' shows no column 'Charg': the nearest is 'Charge'"),
    ('{ name = "S", blocks = [{ table = "bags" }, { chart = { of = "bags", series = ["Charge"], kind = "bars", target = 3 } }] }', "a target line does not go with bars"),
    ('{ name = "S", blocks = [{ table = "bags" }, { chart = { of = "bags", pick = "x" } }] }', "it has no label 'x'"),
    ('{ name = "S", blocks = [{ table = "bags", text = "x" }] }', "a block has one of"),
    ('{ name = "S", blocks = [{ picture = "house.toml" }] }', "'house.toml' is no picture"),
    ('{ name = "S", blocks = [{ picture = "gone.png" }] }', "there is no picture 'gone.png'"),
    ('{ name = "S", blocks = [{ figures = ["chargd"] }] }', "figure 'chargd': there is no name 'chargd': the nearest is 'charged'"),
    ('{ name = "S", blocks = [{ figures = ["charged"], names = true }, { figures = ["charged"], names = true }] }', "the workbook has the name 'charged' already"),
    ('{ name = "S", blocks = [{ inputs = { "A1" = {} } }] }', "'A1' cannot be the name of an input"),
    ('{ name = "S", table = "bags", outline = { by = ["Depot"] } }', "an outline sums up: say the totals"),
    ('{ name = "S", table = "bags", totals = { Pieces = "sum" }, outline = { by = ["Depo"] } }', "no column 'Depo': the nearest is 'Depot'"),
    ('{ name = "S", blocks = [{ table = "bags", per = "Depo" }] }', "no table of these blocks has such a column"),
    ('{ name = "S", blocks = [{ table = "bags", dress = { Item = { link = "\\"javascript:\\" & [Item]" } } }] }', "'javascript:Sheet' is not an address to link to"),
    ('{ name = "S", blocks = [{ table = "bags", at = "3A" }] }', "'3A' is not a cell"),
    ('{ name = "Cover", onto_template = true, blocks = [{ text = "x", at = "A1" }] }', "the template has no sheet 'Cover'"),
]  # fmt: skip


@pytest.mark.parametrize(("sheets", "why"), WRONG, ids=[why[:40] for _, why in WRONG])
def test_what_is_wrong_with_blocks_is_said(tmp_path, sheets, why):
    with pytest.raises(TinQuireError) as caught:
        made(tmp_path, sheets)
    faults = [fault for fault in caught.value.faults if why in fault.why]
    assert faults, [fault.why for fault in caught.value.faults]
    assert (
        "docket.toml, line" in faults[0].where or "bags.csv" in faults[0].where or "javascript" in why or "Depo" in why
    )
    assert all(fault.do for fault in caught.value.faults)
