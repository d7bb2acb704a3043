"""Recalculation of whole workbooks: order, names, tables, rings, what is left alone."""

from __future__ import annotations

import pytest

from parts import written
from tinquire.cells import Area, CellError, Column
from tinquire.cells.address import parse_cell
from tinquire.formula.problems import CycleError
from tinquire.workbook import Formula, Sheet, SheetTable, Workbook
from tinquire.workbook.recalc import recalculate
from tinquire.workbook.sheet import TableColumn


def book_of(sheets, tables=(), names=()):
    """A new workbook from `{sheet: {address: value or '=formula'}}`."""
    book = Workbook.new()
    for name, cells in sheets.items():
        sheet = Sheet(name)
        for address, content in cells.items():
            row, column = parse_cell(address)
            if isinstance(content, str) and content.startswith("="):
                sheet.put(row, column, Column.blank(1), None, Formula(content[1:], row, column))
            else:
                sheet.put(row, column, Column.from_values([content]))
        sheet.tables = [table for owner, table in tables if owner == name]
        book.add_sheet(sheet)
    book.names.extend(names)
    return book


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
