"""Recalculation of whole workbooks: order, names, tables, rings, what is left alone."""

from __future__ import annotations

import zipfile

import numpy as np
import pytest

from books import book_of, full_book
from parts import MAIN, written, zipped
from richbook import rich_parts
from tinquire.cells import Area, CellError, Column
from tinquire.cells.address import area_name, parse_cell
from tinquire.formula.engine.conversions import Notation
from tinquire.formula.language.problems import CycleError
from tinquire.looks import Appearance
from tinquire.workbook import Formula, Sheet, SheetTable, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.grid.sheet import TableColumn
from tinquire.workbook.parts.defined_names import DefinedName


def results(sheets, **more):
    book = book_of(sheets, **more)
    report = recalculate(book)
    return report, {
        f"{sheet.name}!{address}": sheet.value(*parse_cell(address))
        for sheet in book.sheets()
        for address in sheets[sheet.name]
        if isinstance(sheets[sheet.name][address], str) and sheets[sheet.name][address].startswith("=")
    }


ITEMS = SheetTable(
    "Items", Area(1, 1, 4, 3), tuple(TableColumn(name) for name in ("Item", "Pieces", "Rate")), totals=True
)
TABLE_CELLS = {"A1": "Item", "B1": "Pieces", "C1": "Rate", "A2": "sheet", "B2": 2.0, "C2": 0.5, "A3": "towel", "B3": 3.0,
               "C3": 0.25, "A4": "Total", "B4": "=SUBTOTAL(109,Items[Pieces])"}  # fmt: skip

BOOKS = [
    ("a chain upwards", {"S": {"A1": "=A2+1", "A2": "=A3+1", "A3": 1.0}}, {"S!A1": 3, "S!A2": 2}),
    ("across sheets", {"S": {"A1": "=T!A1*2"}, "T": {"A1": "=SUM(B1:B2)", "B1": 1.0, "B2": 2.0}}, {"S!A1": 6, "T!A1": 3}),
    ("a running total", {"S": {"A1": 1.0, "A2": 2.0, "A3": 3.0, "B1": "=A1", "B2": "=B1+A2", "B3": "=B2+A3"}},
     {"S!B1": 1, "S!B2": 3, "S!B3": 6}),
    ("columns that lean on each other", {"S": {"A1": 1.0, "B1": "=A1*2", "A2": "=B1+1", "B2": "=A2*2", "A3": "=B2+1"}},
     {"S!B1": 2, "S!A2": 3, "S!B2": 6, "S!A3": 7}),
    ("a blank result is zero", {"S": {"A1": "=B1", "A2": '=B1&""'}}, {"S!A1": 0, "S!A2": ""}),
    ("whole columns", {"S": {"A1": 1.0, "A9": 2.0, "B1": "=SUM(A:A)", "C1": '=COUNTIFS(A:A,">1")'}}, {"S!B1": 3, "S!C1": 1}),
    ("table columns", {"S": {**TABLE_CELLS, "E1": "=SUM(Items[Pieces])", "E2": "=SUMPRODUCT(Items[Pieces],Items[Rate])",
                             "E3": "=Items[[#Totals],[Pieces]]", "E4": "=COUNTA(Items[#Headers])", "E5": "=ROWS(Items)",
                             "E6": "=SUM(Items[[Pieces]:[Rate]])", "E7": "=SUM(items[PIECES])", "E8": "=ROWS(Items[#All])"}},
     {"S!B4": 5, "S!E1": 5, "S!E2": 1.75, "S!E3": 5, "S!E4": 3, "S!E5": 2, "S!E6": 5.75, "S!E7": 5, "S!E8": 4}),
    ("this row", {"S": {**TABLE_CELLS, "D2": "=Items[[#This Row],[Pieces]]*2", "D9": "=Items[[#This Row],[Pieces]]"}},
     {"S!B4": 5, "S!D2": 4, "S!D9": CellError.VALUE}),
    ("subtotals leave subtotals out", {"S": {"A1": 1.0, "A2": "=SUBTOTAL(9,A1)", "A3": 2.0, "A4": "=SUBTOTAL(9,A1:A3)"}},
     {"S!A2": 1, "S!A4": 3}),
    ("quoted sheets", {"My sheet": {"A1": 4.0}, "S": {"A1": "='My sheet'!A1+1"}}, {"S!A1": 5}),
    ("errors travel", {"S": {"A1": "=1/0", "A2": "=A1+1", "A3": "=IFERROR(A2,9)"}},
     {"S!A1": CellError.DIV0, "S!A2": CellError.DIV0, "S!A3": 9}),
    ("rows beyond the grid", {"S": {"A1": '=INDIRECT("A1048577")', "A2": '=IFERROR(INDIRECT("XFE1"),7)', "A3": "=OFFSET(A1,-1,0)"}},
     {"S!A1": CellError.REF, "S!A2": 7, "S!A3": CellError.REF}),
    ("texts from other sheets", {"S": {"A1": "=T!A1", "A2": '=A1&"!"'}, "T": {"A1": "tin"}}, {"S!A1": "tin", "S!A2": "tin!"}),
]  # fmt: skip


@pytest.mark.parametrize(("sheets", "expected"), [case[1:] for case in BOOKS], ids=[case[0] for case in BOOKS])
def test_results(sheets, expected):
    tables = [("S", ITEMS)] if "S" in sheets and "A1" in sheets["S"] and sheets["S"]["A1"] == "Item" else ()
    report, found = results(sheets, tables=tables)
    assert found == expected
    assert report.formulas == len(expected)
    assert len(report.errors) == sum(isinstance(value, CellError) for value in expected.values())


@pytest.mark.parametrize(
    ("cells", "path"),
    [
        ({"A1": "=A1+1"}, "S!A1 -> S!A1"),
        ({"A1": "=B1", "B1": "=A1"}, "S!A1 -> S!B1 -> S!A1"),
        ({"A1": "=SUM(A1:A3)"}, "S!A1 -> S!A1"),
        ({"A1": '=INDIRECT("B1")+1', "B1": "=A1"}, "S!A1 -> S!B1 -> S!A1"),
        ({"A1": '=INDIRECT("B1")', "B1": '=INDIRECT("C1")*2', "C1": "=A1+1"}, "S!A1 -> S!B1 -> S!C1 -> S!A1"),
    ],
)
def test_rings_are_named(cells, path):
    with pytest.raises(CycleError, match=path):
        recalculate(book_of({"S": cells}))


def test_what_cannot_be_run_keeps_its_result_and_is_listed(tmp_path):
    rows = (
        '<row r="1"><c r="A1"><f>WHATEVER(1)</f><v>5</v></c><c r="B1"><f>A1+1</f><v>0</v></c>'
        '<c r="C1"><f>SUM(</f><v>3</v></c><c r="D1"><f t="dataTable" ref="D1:D2" r1="A1"/><v>7</v></c></row>'
    )
    book = Workbook.open(written(tmp_path / "w.xlsx", rows))
    report = recalculate(book)
    sheet = book.sheet("Sheet1")
    assert [sheet.value(1, column) for column in (1, 2, 3, 4)] == [5, 6, 3, 7]
    assert [(note.cell, note.says.split(":")[0][:30]) for note in report.skipped] == [
        ("A1", "the function WHATEVER is not k"), ("C1", "a value is missing at the end"), ("D1", "a data table, kept as it is"),
    ]  # fmt: skip
    assert report.changed == 1
    assert report.skipped[0].place == "sheet 'Sheet1', cell A1"


def test_results_are_stored_in_the_file_and_formulas_stay(tmp_path):
    rows = (
        '<row r="1"><c r="A1"><v>2</v></c><c r="B1"><f t="shared" ref="B1:B2" si="0">A1*2</f><v>0</v></c></row>'
        '<row r="2"><c r="A2"><v>3</v></c><c r="B2"><f t="shared" si="0"/><v>0</v></c>'
        '<c r="C2"><f>A1&amp;"x"</f><v>0</v></c></row>'
    )
    book = Workbook.open(written(tmp_path / "w.xlsx", rows))
    assert recalculate(book).changed == 3
    book.save(tmp_path / "out.xlsx")
    sheet = Workbook.open(tmp_path / "out.xlsx").sheet("Sheet1")
    assert (sheet.column(2, 1, 2).to_list(), sheet.value(2, 3)) == ([4.0, 6.0], "2x")
    assert [sheet.formula(2, column).text for column in (2, 3)] == ["A1*2", 'A1&"x"']
    again = Workbook.open(tmp_path / "out.xlsx")
    assert recalculate(again).changed == 0


def test_array_formulas_fill_their_area(tmp_path):
    rows = (
        '<row r="1"><c r="A1"><v>2</v></c><c r="B1"><f t="array" ref="B1:B3">A1:A2*10</f><v>0</v></c></row>'
        '<row r="2"><c r="A2"><v>3</v></c></row>'
    )
    book = Workbook.open(written(tmp_path / "w.xlsx", rows))
    recalculate(book)
    assert book.sheet("Sheet1").column(2, 1, 3).to_list() == [20, 30, CellError.NA]


def test_names_of_both_scopes(tmp_path):
    rows = '<row r="1"><c r="A1"><v>5</v></c><c r="B1"><f>rate*A1</f></c><c r="C1"><f>top</f></c><c r="D1"><f>bad</f></c></row>'
    workbook = (
        '|<definedNames><definedName name="rate">2</definedName><definedName name="rate" localSheetId="0">3</definedName>'
        '<definedName name="top">Sheet1!$A$1</definedName><definedName name="bad">1+</definedName></definedNames>'
    )
    book = Workbook.open(written(tmp_path / "w.xlsx", rows, workbook=workbook))
    recalculate(book)
    assert [book.sheet("Sheet1").value(1, column) for column in (2, 3, 4)] == [15, 5, CellError.NAME]


def test_hidden_rows_are_left_out_by_the_subtotals_that_say_so(tmp_path):
    rows = (
        '<row r="1"><c r="A1"><v>1</v></c><c r="B1"><f>SUBTOTAL(9,A1:A3)</f></c><c r="C1"><f>SUBTOTAL(109,A1:A3)</f></c></row>'
        '<row r="2" hidden="1"><c r="A2"><v>2</v></c></row><row r="3"><c r="A3"><v>4</v></c></row>'
    )
    book = Workbook.open(written(tmp_path / "w.xlsx", rows))
    recalculate(book)
    assert [book.sheet("Sheet1").value(1, column) for column in (2, 3)] == [7, 5]


# -- what changed, and why -------------------------------------------------------------------------------

LEDGER = {
    "S": {
        "A1": "Day", "B1": "In", "C1": "Out", "D1": "Held",
        "A2": 1.0, "B2": 10.0, "C2": 0.0, "D2": "=B2-C2",
        "A3": 2.0, "B3": 5.0, "C3": 2.0, "D3": "=D2+B3-C3",
        "A4": 3.0, "B4": 0.0, "C4": 4.0, "D4": "=D3+B4-C4",
        "F1": "=SUM(B2:B4)", "F2": "=F1*2", "F3": "=TODAY()", "F4": "=A2",
    }
}  # fmt: skip


def of(report):
    """What a report says changed, as `{address: (old, new)}`."""
    return {f"{one.sheet}!{cell}": (old, new) for one in report.changes for cell, old, new in one.each()}


def test_a_report_says_what_changed_from_what_to_what():
    book = book_of(LEDGER)
    assert recalculate(book, now=46_320.25).changed == 7
    book.sheet("S").set(3, 2, 6.0)
    report = recalculate(book, now=46_321.0)
    assert of(report) == {
        "S!D3": (13.0, 14.0),
        "S!D4": (9.0, 10.0),
        "S!F1": (15.0, 16.0),
        "S!F2": (30.0, 32.0),
        "S!F3": (46_320.0, 46_321.0),
    }
    assert report.formulas == 7
    assert [(note.cell, note.says) for note in report.volatile] == [("F3", "it depends on TODAY")]


@pytest.mark.parametrize(
    ("cell", "touched"), [((3, 2), {"D3", "D4", "F1", "F2"}), ((2, 1), {"F4"}), ((4, 3), {"D4"}), ((9, 9), set())]
)
def test_only_what_depends_on_a_change_is_worked_out(cell, touched):
    book = book_of(LEDGER)
    recalculate(book, now=46_320.0)
    sheet = book.sheet("S")
    sheet.set(*cell, 100.0)
    for row, column in ((1, 6), (2, 6), (4, 6), (2, 4), (3, 4), (4, 4)):  # results that are wrong show what is run
        if f"{'ABCDEF'[column - 1]}{row}" not in touched:
            sheet.store(row, column, Column.of_numbers([-1.0]))
    report = recalculate(book, now=46_320.0, changed=[("S", Area(*cell, *cell))])
    assert {name.partition("!")[2] for name in of(report)} == touched


def test_a_change_in_a_long_column_runs_the_rows_that_read_it():
    book = Workbook.new()
    sheet = Sheet("S")
    sheet.put(1, 1, Column.of_numbers(range(1000)))
    sheet.put(1, 2, Column.blank(1000), None, Formula("A1*2", 1, 2))
    sheet.put(1, 3, Column.blank(1000), None, Formula("B1+$E$1", 1, 3))
    book.add_sheet(sheet)
    recalculate(book)
    sheet.set(500, 1, 7.0)
    sheet.store(501, 2, Column.of_numbers([-1.0]))  # not worked out again
    report = recalculate(book, changed=[("S", Area(500, 1, 500, 1))])
    assert of(report) == {"S!B500": (998.0, 14.0), "S!C500": (998.0, 14.0)}
    sheet.set(1, 5, 1.0)
    assert recalculate(book, changed=[("S", Area(1, 5, 1, 5))]).changed == 1000


@pytest.mark.parametrize(
    "formula",
    [
        "D1+B2",
        "B2+D1",
        "D1+B2-C2",
        "D1-C2",
        "D1+B2*C2",
        "D1+IF(B2>3,B2,0)",
        "D1+$B$2",
        "D1+B2-C2+B2",
        "IF(B2>3,D1+B2,D1)",
        "B2-D1",
    ],
)
@pytest.mark.parametrize("held", [0.1, None, "Held", CellError.NA])
def test_a_running_total_at_once_is_what_its_cells_are_one_by_one(formula, held):
    rng = np.random.default_rng(3)
    count = 60
    books = []
    for _ in range(2):
        book, sheet = Workbook.new(), Sheet("S")
        values = rng.integers(-50, 50, count) / 7
        rng = np.random.default_rng(3)
        sheet.put(2, 2, Column.of_numbers(values))
        sheet.put(2, 3, Column.of_numbers(values[::-1] / 3))
        sheet.put(30, 2, Column.from_values(["text", CellError.DIV0, None, True]))
        sheet.put(1, 4, Column.from_values([held]))
        sheet.put(2, 4, Column.blank(count), None, Formula(formula, 2, 4))
        book.add_sheet(sheet)
        books.append(book)
    recalculate(books[0])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("tinquire.workbook.calc.rings.running_total", lambda tree, frame: None)
        recalculate(books[1])
    at_once, singly = (book.sheet("S").column(4, 2, count + 1).to_list() for book in books)
    assert at_once == singly


def spilled(tmp_path, formula="_xlfn._xlws.SORT(A1:A4)", area="C1:C2", more="", set_to=None):
    """A sheet with an array formula in C1 whose cell has metadata, read, set and recalculated; cells by address."""
    rows = [f'<c r="A{row}"><v>{value}</v></c>' for row, value in enumerate((3, 1, 4, 2), start=1)]
    rows[0] += f'<c r="C1" cm="1"><f t="array" ref="{area}">{formula}</f><v>0</v></c>'
    rows[1] += '<c r="C2"><v>9</v></c>'
    rows[2] += more + '<c r="F3"><f>SUM(C1:C9)+COUNT(C1#)</f><v>0</v></c>'
    book = Workbook.open(
        written(tmp_path / "s.xlsx", "".join(f'<row r="{n}">{row}</row>' for n, row in enumerate(rows, start=1)))
    )
    for address, value in (set_to or {}).items():
        book.sheet("Sheet1").set(*parse_cell(address), value)
    report = recalculate(book)
    book.save(tmp_path / "t.xlsx")
    again = Workbook.open(tmp_path / "t.xlsx").sheet("Sheet1")
    found = [again.value(row, 3) for row in range(1, 6)]
    formula = again.formula(1, 3)
    return found, area_name(formula.array), formula.spills, again.value(3, 6), [note.says for note in report.errors]


@pytest.mark.parametrize(
    ("given", "values", "area", "total", "says"),
    [
        ({}, [1.0, 2.0, 3.0, 4.0, None], "C1:C4", 14.0, []),
        ({"area": "C1"}, [CellError.SPILL, 9.0, None, None, None], "C1", None, ["C2 is in the way"]),
        ({"formula": "SUM(A1:A4)"}, [10.0, None, None, None, None], "C1", 11.0, []),
        ({"formula": "A1:A9/0"}, [CellError.DIV0] * 5, "C1:C4", None, None),
        ({"set_to": {"A4": -2.0}}, [-2.0, 1.0, 3.0, 4.0, None], "C1:C4", 10.0, []),
        ({"set_to": {"C2": 5.0}}, [CellError.SPILL, 5.0, None, None, None], "C1", None, ["C2 is in the way"]),
        ({"more": '<c r="C3"><v>7</v></c>'}, [CellError.SPILL, None, 7.0, None, None], "C1", None, ["C3 is in the way"]),
        ({"formula": "_xlfn.SEQUENCE(2,16384)"}, [CellError.SPILL, None, None], "C1", None, ["goes beyond the grid"]),
    ],
)  # fmt: skip
def test_results_spill(given, values, area, total, says, tmp_path):
    found, filled, spills, summed, errors = spilled(tmp_path, **given)
    if says is None:  # as many rows as the sheet uses
        assert found[:4] == values[:4]
        return
    assert (found[: len(values)], filled, spills) == (values, area, True)
    assert all(one in error for one, error in zip(says, errors, strict=False))
    assert summed == (total if total is not None else CellError.SPILL)


@pytest.mark.parametrize(
    ("notation", "formula", "value"),
    [
        (Notation(), 'VALUE("1,234.5")', 1234.5),
        (Notation(","), 'VALUE("1.234,5")', 1234.5),
        (Notation(","), '"2,5"*2', 5.0),
        (Notation(","), 'VALUE("12,5%")', 0.125),
        (Notation(","), 'NUMBERVALUE("1,234.5",".",",")', 1234.5),
        (Notation(), 'DATEVALUE("03/11/2026")', CellError.VALUE),
        (Notation(dates="day-first"), 'TEXT(DATEVALUE("03/11/2026"),"yyyy-mm-dd")', "2026-11-03"),
        (Notation(dates="month-first"), 'TEXT("3-11-26 18:30","yyyy-mm-dd hh:mm")', "2026-03-11 18:30"),
        (Notation(",", "day-first"), 'TEXT(DATEVALUE("3.11.2026"),"yyyy-mm-dd")', "2026-11-03"),
        (Notation(dates="day-first"), 'DATEVALUE("31.02.2026")', CellError.VALUE),
        (Notation(dates="day-first"), 'DATEVALUE("1.5")', CellError.VALUE),
    ],
)
def test_texts_are_read_in_the_notation_that_is_stated(notation, formula, value):
    book = book_of({"S": {"A1": f"={formula}"}})
    recalculate(book, notation=notation)
    assert book.sheet("S").value(1, 1) == value


def _items(*names):
    return "".join(f'<item x="{n}"/>' for n, _ in enumerate(names)) + '<item t="default"/>'


PIVOT = (
    f'<pivotTableDefinition xmlns="{MAIN}" name="P" cacheId="1"><location ref="A3:E10" firstHeaderRow="1" '
    'firstDataRow="2" firstDataCol="1"/><pivotFields count="5">'
    + "".join(f'<pivotField{axis}><items>{_items(*names)}</items></pivotField>' for axis, names in (
        (' axis="axisRow"', "ab"), (' axis="axisRow"', "ab"), (' axis="axisCol"', "ab"), (' axis="axisPage"', "ab")))
    + '<pivotField dataField="1"/></pivotFields><rowFields><field x="0"/><field x="1"/></rowFields><rowItems>'
    '<i><x/></i><i r="1"><x/></i><i r="1"><x v="1"/></i><i><x v="1"/></i><i r="1"><x v="1"/></i><i t="grand"><x/></i>'
    '</rowItems><colFields><field x="2"/><field x="-2"/></colFields><colItems><i><x/><x/></i><i r="1" i="1"><x v="1"/>'
    '</i><i><x v="1"/><x/></i><i t="grand"><x/></i></colItems><pageFields><pageField fld="3" item="1"/></pageFields>'
    '<dataFields><dataField name="Sum of Pieces" fld="4"/><dataField name="Most" fld="4"/></dataFields>'
    "</pivotTableDefinition>"
)  # fmt: skip
STORE = "".join(
    f'<cacheField name="{name}"><sharedItems>{items}</sharedItems></cacheField>'
    for name, items in [
        ("Depot", '<s v="Bath"/><s v="Linden"/>'), ("Band", '<n v="1"/><n v="2"/>'),
        ("Day", '<d v="2026-10-01T00:00:00"/><d v="2026-10-02T00:00:00"/>'), ("Kind", '<b v="0"/><b v="1"/>'),
        ("Pieces", ""),
    ]
)  # fmt: skip


@pytest.mark.parametrize(
    ("given", "value"),
    [
        ('"Pieces",Pivot!A3', 1005),
        ('"sum of pieces",Pivot!B5,"Depot","bath"', 505),
        ('"Pieces",Pivot!A3,"Depot","Bath","Day",DATE(2026,10,1)', 502),
        ('"Pieces",Pivot!A3,"Depot","Bath","Band",2,"Day",46297', 704),
        ('"Most",Pivot!A3,"Depot","Linden","Band","2","Day","2026-10-01"', 903),
        ('"Pieces",Pivot!A3,"Day",DATE(2026,10,2)', 1004),
        ('"Pieces",Pivot!A3,"Kind",TRUE', 1005),
        ('"Pieces",Pivot!A3,"Kind",FALSE', CellError.REF),
        ('"Weight",Pivot!A3', CellError.REF),
        ('"Pieces",Pivot!A1', CellError.REF),
        ('"Pieces",Data!A1', CellError.REF),
        ('"Pieces",Pivot!A3,"Depot"', CellError.REF),
        ('"Pieces",Pivot!A3,"Depot",NA()', CellError.NA),
    ],
)
def test_cells_of_pivots_are_found_by_what_they_stand_for(given, value, tmp_path):
    parts = rich_parts()
    parts["xl/pivotTables/pivotTable1.xml"] = PIVOT
    store = parts["xl/pivotCache/pivotCacheDefinition1.xml"]
    parts["xl/pivotCache/pivotCacheDefinition1.xml"] = store.replace('<cacheField name="Item"/>', STORE)
    cells = "".join(
        f'<row r="{row}">' + "".join(f'<c r="{c}{row}"><v>{row * 100 + n}</v></c>' for n, c in enumerate("ABCDE", 1))
        + "</row>" for row in range(3, 11)
    )  # fmt: skip
    parts["xl/worksheets/sheet3.xml"] = (
        parts["xl/worksheets/sheet1.xml"]
        .split("<sheetData>")[0]
        .partition("<sheetViews")[0]
        .partition("<sheetPr")[0]
        .partition("<dimension")[0]
        + f"<sheetData>{cells}</sheetData></worksheet>"
    )
    (tmp_path / "p.xlsx").write_bytes(zipped(parts))
    book = Workbook.open(tmp_path / "p.xlsx")
    book.sheet("Lists").set(9, 9, None, formula=f"GETPIVOTDATA({given})")
    recalculate(book)
    assert book.sheet("Lists").value(9, 9) == value


@pytest.mark.parametrize(
    ("code", "about", "value"),
    [
        ("General", "format", "G"), ("0", "format", "F0"), ("#,##0", "format", ",0"), ("0.00", "format", "F2"),
        ('"£"#,##0.00', "format", "C2"), ("£#,##0.00", "format", "C2"), ("0.0%", "format", "P1"), ("0.00E+00", "format", "S2"),
        ("dd-mmm-yy", "format", "D1"), ("d-mmm", "format", "D2"), ("mmm-yy", "format", "D3"), ("dd/mm/yyyy", "format", "D4"),
        ("mm/dd", "format", "D5"), ("h:mm:ss AM/PM", "format", "D6"), ("h:mm", "format", "D9"), ("# ?/?", "format", "G"),
        ("#,##0;[Red]-#,##0", "format", ",0-"), ("#,##0;[Red]-#,##0", "color", 1), ("(0)", "parentheses", 1),
        ("0", "color", 0), ("0", "protect", 1), ("0", "width", 13), ("0", "prefix", '"'), ("0", "filename", CellError.NA),
    ],
)  # fmt: skip
def test_what_is_known_of_a_cells_look(code, about, value):
    book, sheet = Workbook.new(), Sheet("S")
    look = Appearance("Georgia", 9, align="right", format=code)
    sheet.put(1, 1, Column.from_values(["text" if about == "prefix" else 5.0]), book.styles.number(look))
    sheet.widths[1] = 12.71
    sheet.set(1, 2, None, formula=f'CELL("{about}",A1)')
    book.add_sheet(sheet)
    recalculate(book)
    assert sheet.value(1, 2) == value


def test_the_reading_of_a_text_that_is_stored_beside_it(tmp_path):
    texts = '<si><t>東京</t><rPh sb="0" eb="1"><t>とう</t></rPh><rPh sb="1" eb="2"><t>きょう</t></rPh></si><si><t>tin</t></si>'
    rows = '<row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" t="s"><v>1</v></c><c r="C1"><f>PHONETIC(A1)&amp;PHONETIC(B1)</f></c></row>'
    book = Workbook.open(written(tmp_path / "p.xlsx", rows, shared=[texts]))
    recalculate(book)
    assert book.sheet("Sheet1").value(1, 3) == "とうきょうtin"


LOOPS = [
    ("a subtotal that begins again", {4: (2, "IF(A2=A1,D1+B2,B2)")}, {"D1": 0.0}),
    ("a total that goes on while amounts rise", {4: (2, "IF(B2<C2,C2-B2,D1-B2+C2)")}, {"D1": 5.0}),
    ("a total with a text on the way", {4: (2, "IF(A2=A1,D1+B2,A2)")}, {"D1": 0.0}),
    ("opening and closing balances", {4: (3, "F2"), 6: (2, "D2+B2-C2"), 5: (2, "ROUND(F2*$J$1,2)")}, {"D2": 100.0}),
    ("never below zero", {4: (2, "MAX(D1+B2,0)")}, {"D1": 0.0}),
    ("the least, from a blank cell", {4: (2, "MIN(D1,B2)")}, {}),
    ("conditions on the ring", {4: (2, "IF(AND(D1>10,NOT(B2=0)),D1-C2/2,D1+ABS(B2))")}, {"D1": 0.0}),
    ("backwards", {4: (2, "D3/(1+$J$1)+B2")}, {}),
    ("two rows back", {4: (4, "D3+D2*10%-B4")}, {"D2": 1.0, "D3": 2.0}),
    ("a sum", {4: (2, "SUM(D1,B2,-C2)")}, {"D1": 0.0}),
    ("a divisor that is zero on the way", {4: (2, "IF(B2>0,B2/(D1-D1),D1+1)")}, {"D1": 0.0}),
    ("out of range on the way", {4: (2, "IF(D1*1E+200*1E+200>1,1,B2)")}, {"D1": 3.0}),
    ("a text to begin with", {4: (2, "IF(B2>0,D1,B2)")}, {"D1": "open"}),
    ("texts that are carried down", {4: (2, 'IF(A2="",D1,A2)')}, {"D1": "open"}),
    ("up and down", {4: (3, "D2+1"), 5: (3, "E4+D3")}, {"D2": 1.0}),
    ("equal in 15 digits", {4: (2, "IF(D1=0.3,0.1,D1+0.1)")}, {"D1": 0.0}),
    ("a fixed cell of its own", {4: (2, "D1+$D$1")}, {"D1": 2.0}),
]  # fmt: skip


@pytest.mark.parametrize(("formulas", "held"), [case[1:] for case in LOOPS], ids=[case[0] for case in LOOPS])
def test_a_ring_in_one_loop_is_what_its_cells_are_one_by_one(formulas, held, monkeypatch):
    count = 40
    results = []
    for way in ("at once", "in long runs", "singly"):
        rng = np.random.default_rng(3)
        book, sheet = Workbook.new(), Sheet("S")
        sheet.put(2, 1, Column.of_texts([f"n{row // 7}" for row in range(count)]))
        sheet.put(2, 2, Column.of_numbers(rng.integers(-50, 50, count) / 7))
        sheet.put(2, 3, Column.of_numbers(rng.integers(1, 50, count) / 3))
        sheet.set(1, 10, 0.01)
        for address, value in held.items():
            row, column = parse_cell(address)
            sheet.set(row, column, value)
        for column, (top, formula) in formulas.items():
            sheet.put(top, column, Column.blank(count + 2 - top), None, Formula(formula, top, column))
        book.add_sheet(sheet)
        if way == "in long runs":
            monkeypatch.setattr("tinquire.formula.engine.running_totals._LONG_RUN", 3)
        if way == "singly":
            monkeypatch.setattr("tinquire.workbook.calc.rings.run_recurrence", lambda *given: None)
            monkeypatch.setattr("tinquire.workbook.calc.rings.running_total", lambda *given: None)
        recalculate(book)
        results.append({column: sheet.column(column, 1, count + 2).to_list() for column in formulas})
    assert results[0] == results[1] == results[2]


def test_rings_are_run_through_when_the_workbook_asks_for_it(tmp_path):
    rows = (
        '<row r="1"><c r="A1"><f>B1/2+1</f><v>0</v></c><c r="B1"><f>A1</f><v>0</v></c>'
        '<c r="C1"><f>C1+1</f><v>0</v></c></row>'
    )
    book = Workbook.open(
        written(tmp_path / "w.xlsx", rows, workbook='|<calcPr iterate="1" iterateCount="60" iterateDelta="0.0001"/>')
    )
    report = recalculate(book)
    sheet = book.sheet("Sheet1")
    assert sheet.value(1, 1) == pytest.approx(2, abs=1e-3)
    assert sheet.value(1, 3) == 60
    assert [(len(cells), times < 60) for cells, times in report.rings] == [(2, True), (1, False)]
    assert report.changed == 3  # each cell once, whatever the passes
    assert {cell: (old, new) for one in report.changes for cell, old, new in one.each()}["C1"] == (0, 60)


def test_rings_through_indirect_are_run_through_when_asked_and_said(tmp_path):
    rows = '<row r="1"><c r="A1"><f>INDIRECT("B1")+1</f><v>0</v></c><c r="B1"><f>A1</f><v>0</v></c></row>'
    options = '|<calcPr iterate="1" iterateCount="25" iterateDelta="0.001"/>'
    report = recalculate(book := Workbook.open(written(tmp_path / "w.xlsx", rows, workbook=options)))
    assert book.sheet("Sheet1").value(1, 1) >= 25
    assert [(set(cells), times) for cells, times in report.rings] == [({"Sheet1!A1", "Sheet1!B1"}, 25)]
    assert report.changed == 2


def test_a_long_chain_that_is_not_named_is_no_ring():
    chain = {f"A{row}": f'=INDIRECT("A{row + 1}")+1' for row in range(1, 40)}
    report, found = results({"S": {**chain, "A40": 1.0, "B1": "=A1*2"}})
    assert (found["S!A1"], found["S!B1"]) == (40, 80)
    assert report.changed == 40


def test_conditional_sums_in_groups_are_what_each_is_alone():
    rng = np.random.default_rng(5)
    names = ["bed", "Bath", "BED ", "table", "5", ""]
    cells = {f"A{row}": names[rng.integers(6)] for row in range(1, 80)}
    cells |= {f"B{row}": float(rng.integers(5)) for row in range(1, 80)}
    cells |= {f"C{row}": float(rng.integers(100)) / 7 for row in range(1, 80)}
    cells["A9"], cells["B9"], cells["C9"] = None, "5", "text"
    wanted = [*names, 5.0, "b*", ">3", None, True, "<>bed", "bath", "="]
    for number, one in enumerate(wanted, start=1):
        cells[f"E{number}"], cells[f"F{number}"] = one, float(number % 5)
    together, singly = {}, {}
    for number in range(1, len(wanted) + 1):
        for column, name in zip("GHIJ", ("SUMIFS", "AVERAGEIFS", "COUNTIFS", "SUMIF"), strict=True):
            target = "" if name == "COUNTIFS" else "C$1:C$79,"
            text = (
                f"{name}({target}A$1:A$79,E{number},B$1:B$79,F{number})"
                if name != "SUMIF"
                else f"SUMIF(A$1:A$79,E{number},C$1:C$79)"
            )
            together[f"{column}{number}"] = f"={text}"
            singly[f"{column}{number}"] = f"={text.replace('$', '')}+0"  # another tree in each row: none is grouped
    _, grouped = results({"S": cells | together})
    _, alone = results({"S": cells | singly})
    assert grouped == alone


def test_functions_that_read_what_they_do_not_name_are_run_until_nothing_changes():
    report, found = results(
        {
            "S": {
                "A1": '=SUM(INDIRECT("B"&C1&":B3"))',
                "B1": "=B2+1",
                "B2": "=B3+1",
                "B3": 5.0,
                "C1": 1.0,
                "D1": "=SUM(OFFSET(B1,0,0,2))",
            }
        }
    )
    assert found == {"S!A1": 18, "S!B1": 7, "S!B2": 6, "S!D1": 13}
    assert {note.cell for note in report.volatile} == {"A1", "D1"}


def test_stored_values_of_other_workbooks_are_read_and_said_so(tmp_path):
    kind = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/externalLink"
    link = (
        f'<externalLink xmlns="{MAIN}"><externalBook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships" '
        'r:id="rId1"><sheetNames><sheetName val="Rates"/><sheetName val="Empty"/></sheetNames><sheetDataSet><sheetData sheetId="0">'
        '<row r="1"><cell r="A1"><v>0.2</v></cell><cell r="B1" t="str"><v>bed</v></cell></row>'
        '<row r="2"><cell r="A2" t="b"><v>1</v></cell><cell r="B2" t="e"><v>#N/A</v></cell></row></sheetData></sheetDataSet>'
        "</externalBook></externalLink>"
    )
    rows = (
        '<row r="1"><c r="A1"><f>[1]Rates!$A$1*10</f><v>0</v></c><c r="B1"><f>[1]Rates!B1&amp;"s"</f></c>'
        '<c r="C1"><f>SUM([1]Rates!A1:A9)</f></c><c r="D1"><f>[1]Empty!A1</f><v>7</v></c><c r="E1"><f>[2]Rates!A1</f><v>8</v></c></row>'
    )
    path = tmp_path / "w.xlsx"
    written(path, rows, workbook='|<externalReferences><externalReference r:id="rId77"/></externalReferences>')
    with zipfile.ZipFile(path) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    rels = parts["xl/_rels/workbook.xml.rels"]
    parts["xl/_rels/workbook.xml.rels"] = rels.replace(
        b"</Relationships>",
        f'<Relationship Id="rId77" Type="{kind}" Target="externalLinks/externalLink1.xml"/></Relationships>'.encode(),
    )
    parts["xl/externalLinks/externalLink1.xml"] = link.encode()
    with zipfile.ZipFile(path, "w") as archive:
        for name, content in parts.items():
            archive.writestr(name, content)
    book = Workbook.open(path)
    report = recalculate(book)
    sheet = book.sheet("Sheet1")
    assert [sheet.value(1, column) for column in range(1, 6)] == [2.0, "beds", 0.2, 7.0, 8.0]
    assert [note.cell for note in report.outside] == ["A1", "B1", "C1"]
    assert {note.says for note in report.skipped} == {"it reads another workbook, of which no values are stored"}


def test_names_may_be_functions_and_parameters_are_no_unknown_functions():
    names = [DefinedName("twice", "LAMBDA(n,n*2)"), DefinedName("loop", "LAMBDA(n,IF(n<1,0,n+loop(n-1)))")]
    report, found = results(
        {"S": {"A1": 4.0, "B1": "=twice(A1)+1", "B2": "=loop(A1)", "B3": "=LET(f,LAMBDA(x,x+1),f(A1))"}}, names=names
    )
    assert found == {"S!B1": 9, "S!B2": 10, "S!B3": 5}
    assert not report.skipped


def test_random_numbers_are_the_same_from_the_same_seed():
    cells = {"S": {"A1": "=RAND()", "A2": "=RANDBETWEEN(1,1000000)", "A3": "=SUM(RANDARRAY(3))"}}
    books = [book_of(cells) for _ in range(3)]
    for book, seed in zip(books, (1, 1, 2), strict=True):
        recalculate(book, seed=seed)
    values = [book.sheet("S").column(1, 1, 3).to_list() for book in books]
    assert values[0] == values[1] != values[2]


def test_a_formula_can_be_shown_beside_its_result():
    cells = {"A1": 2.0, "B1": "=A1*2", "C1": "=FORMULATEXT(B1)", "D1": "=ISFORMULA(B1)", "E1": "=ISFORMULA(A1)"}
    cells |= {"F1": "=FORMULATEXT(A1)", "G1": "=ISFORMULA(5)", "B2": "=IFNA(A1,0)", "C2": "=FORMULATEXT(B2)"}
    _, found = results({"S": cells})
    assert {name: found[f"S!{name}"] for name in ("C1", "D1", "E1", "F1", "G1", "C2")} == {
        "C1": "=A1*2",
        "D1": True,
        "E1": False,
        "F1": CellError.NA,
        "G1": CellError.VALUE,
        "C2": "=IFNA(A1,0)",
    }


def test_days_of_1904_workbooks_are_counted_from_there(tmp_path):
    formulas = {
        "DATE(2026,10,1)": 44834, "DATE(1904,1,1)": 0, "DATE(1903,12,31)": CellError.NUM, "YEAR(44834)": 2026,
        "MONTH(DATE(2026,10,1))": 10, 'TEXT(DATE(2026,10,1),"yyyy-mm-dd")': "2026-10-01", "EDATE(0,1)": 31,
        'DATEVALUE("1904-01-02")': 1, "DATE(2026,10,1)-DATE(2026,9,1)": 30,
    }  # fmt: skip
    cells = "".join(
        f'<row r="{n}"><c r="A{n}"><f>{text.replace(chr(34), "&quot;")}</f></c></row>'
        for n, text in enumerate(formulas, 1)
    )
    book = Workbook.open(written(tmp_path / "w.xlsx", cells, workbook='<workbookPr date1904="1"/>|'))
    recalculate(book)
    assert dict(zip(formulas, book.sheet("Sheet1").column(1, 1, len(formulas)), strict=True)) == formulas


@pytest.mark.parametrize(
    ("formulas", "expected"),
    {
        "one column up, one down": ({"B": "IF(ROW()=1,1,B{above}+C{row})", "C": "IF(ROW()=12,5,C{below}+1)"}, None),
        "both from above": ({"B": "IF(ROW()=1,1,B{above}+C{above})", "C": "B{row}*2"}, None),
        "a true ring between them": ({"B": "IF(ROW()=1,1,B{above}+C{row})", "C": "B{row}+1"}, "S!"),
        "up and down in one": ({"B": "IF(ROW()<6,B{below}+1,IF(ROW()=6,10,B{above}*2))", "C": "B{row}"}, None),
    }.values(),
)
def test_rings_of_mixed_direction_are_worked_out_cell_by_cell(formulas, expected, monkeypatch):
    rows = range(1, 13)
    texts = {
        f"{column}{row}": "=" + text.format(row=row, above=max(row - 1, 1) if row > 1 else 13, below=row + 1)
        for row in rows
        for column, text in formulas.items()
    }
    if expected:
        with pytest.raises(CycleError, match=expected):
            recalculate(book_of({"S": texts}))
        return
    _, found = results({"S": texts})

    def plain(column, row):
        if not 1 <= row <= 12:
            return 0.0
        b = {
            "IF(ROW()=1,1,B{above}+C{row})": lambda: 1 if row == 1 else plain("B", row - 1) + plain("C", row),
            "IF(ROW()=12,5,C{below}+1)": lambda: 5 if row == 12 else plain("C", row + 1) + 1,
            "IF(ROW()=1,1,B{above}+C{above})": lambda: 1 if row == 1 else plain("B", row - 1) + plain("C", row - 1),
            "B{row}*2": lambda: plain("B", row) * 2,
            "IF(ROW()<6,B{below}+1,IF(ROW()=6,10,B{above}*2))": lambda: (
                plain("B", row + 1) + 1 if row < 6 else 10 if row == 6 else plain("B", row - 1) * 2
            ),
            "B{row}": lambda: plain("B", row),
        }
        return b[formulas[column]]()

    assert found == {f"S!{column}{row}": plain(column, row) for row in rows for column in formulas}


def test_a_formula_in_a_tables_heading_is_kept():
    book = full_book()
    sheet = book.sheet("Linen & 'tin' x")
    sheet.set(1, 3, "Twice", formula='"Tw"&"o"')
    report = recalculate(book, now=46_320.0)
    assert sheet.value(1, 3) == "Twice"
    assert [(note.cell, note.says) for note in report.skipped] == [("C1", "a table's heading, kept as it is")]
    other = Sheet("Other", tables=[SheetTable("Others", Area(2, 2, 4, 2), (TableColumn("Item"),))])
    other.put(2, 2, Column.from_values(["Item", 1.0, 2.0]))
    other.put(1, 1, Column.blank(1), None, Formula("5", 1, 1, array=Area(1, 1, 2, 2)))
    book.add_sheet(other)
    assert recalculate(book, now=46_320.0).skipped[-1].says == "it fills a table's heading, kept as it is"
    assert other.value(2, 2) == "Item"
