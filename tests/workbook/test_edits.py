"""Changes of a workbook's structure: all that hangs on what moves follows, and nothing else changes."""

from __future__ import annotations

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from parts import members, written
from richbook import rich_file
from tinquire.base.faults import AccessError, DataError
from tinquire.cells import Area, Column, area_name
from tinquire.cells.shifting import Shift
from tinquire.formula.language.mentions import change_mentions, mentions, offset_text
from tinquire.packages.package import Package
from tinquire.workbook import Formula, Sheet, Workbook, edit
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.edit.propagate import follow
from tinquire.workbook.edit.sample_rows import Grown, SeveralChanges
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import SheetTable, TableColumn
from tinquire.workbook.inspect.conformance import conformance_findings

DATA, LISTS, BOOK = "xl/worksheets/sheet1.xml", "xl/worksheets/sheet2.xml", "xl/workbook.xml"
CHART, CACHE, TABLE = "xl/charts/chart1.xml", "xl/pivotCache/pivotCacheDefinition1.xml", "xl/tables/table1.xml"
NOTES, SHAPES, DRAWING = "xl/comments1.xml", "xl/drawings/vmlDrawing1.vml", "xl/drawings/drawing1.xml"

#: The change, and for each part what it must hold afterwards (behind `-`: must not).
CHANGES = {
    "two rows inserted": (
        lambda book: edit.insert_rows(book, "Data", 3, 2),
        {
            DATA: [
                'ref="A1:E9"', '<c r="C6"><f>B6*2</f><v>8</v>', '<c r="C3"><f>B3*2</f></c>', "SUM(B2:B6)+SUM(Data!$B$2:$B$6)",
                '<f t="array" ref="E8:E9">B5:B6</f>', "G2:H5", "A11:C11", '"B2:B6"', "B2&gt;B$8", 'sqref="A2:A6 D5"',
                'ref="A6" location="Data!B6"', '<brk id="6"', "<xm:sqref>B2:B6</xm:sqref>", 'x="kept"', 'ySplit="1"',
                "<sheetProtection", "- t=\"shared\"",
            ],
            LISTS: ["SUM(Data!B2:B6)", "COUNT(Data:Lists!A1)+[1]Data!B2", '"Data!B2"&amp;A1'],
            BOOK: ["Data!$A$1:$C$8", "Data!$B$2:$B$6*Lists!$B$1", 'fullCalcOnLoad="1"'],
            CHART: ["Data!$B$2:$B$6"], CACHE: ['ref="A1:C6"'], TABLE: ['ref="A1:C6"'], NOTES: ['ref="B5"'],
            SHAPES: ["<x:Row>4<", "1, 15, 4, 2, 3, 31, 7, 1"], DRAWING: ["<xdr:row>4<", "<xdr:row>11<"],
        },
    ),
    "the first row of the rows taken out": (
        lambda book: edit.delete_rows(book, "Data", 2),
        {
            DATA: ["SUM(B2:B3)", 'ref="G2:H2"', "B2&gt;B$5", "Lists!$A$1=B2", '<c r="C2"><f>B2*2</f><v>6</v>', '<brk id="3"'],
            TABLE: ['ref="A1:C3"', "B2*2"], CHART: ["$B$2:$B$3"], DRAWING: ["<xdr:row>1<", "<xdr:row>8<"],
        },
    ),
    "a commented row taken out": (
        lambda book: edit.delete_rows(book, "Data", 3),
        {NOTES: ["- <comment "], SHAPES: ["- <v:shape"], DATA: ['- location="Lists!A2"', 'sqref="A2:A3"']},
    ),
    "a column put into the table": (
        lambda book: edit.insert_columns(book, "Data", 2),
        {
            DATA: ['max="2"', 'min="3" max="4"', "C2*2", "SUM(C2:C4)", '"C2:C4"', '<f t="array" ref="F6:F7">C3:C4</f>', "H2:I3"],
            TABLE: ['ref="A1:D4"', 'name="Item"/><tableColumn id="4" name="Column 1"/>', 'colId="2"', "C2*2"],
            LISTS: ["SUM(Data!C2:C4)"], NOTES: ['ref="C3"'], SHAPES: ["<x:Column>2<"], DRAWING: ["<xdr:col>4<"],
        },
    ),
    "a column of the table taken out": (
        lambda book: edit.delete_columns(book, "Data", 2),
        {
            DATA: ["<f>#REF!*2</f>", 'sqref="A2:A4 C3"', "- cfRule", 'min="2" max="2"'],
            TABLE: ['ref="A1:B4"', '- "Pieces"', 'count="2"', "#REF!*2"], LISTS: ["SUM(Data!#REF!)+SUM(#REF!)"],
        },
    ),
    "a sheet renamed": (
        lambda book: edit.rename_sheet(book, "data", "My data"),
        {
            DATA: ["SUM('My data'!$B$2:$B$4)", 't="shared"', "location=\"'My data'!B4\""], CHART: ["'My data'!$B$2:$B$4"],
            LISTS: ["'My data:Lists'!A1)+[1]Data!B2", '"Data!B2"'], CACHE: ['sheet="My data"'],
            BOOK: ['name="My data"', "'My data'!$A$1:$C$6"],
        },
    ),
    "a sheet deleted": (
        lambda book: edit.delete_sheets(book, ["Data"]),
        {
            LISTS: ["SUM(#REF!)+SUM(#REF!)", "COUNT(Lists!A1)", '"Data!B2"'], BOOK: ["#REF!*Lists!$B$1", "- Print_Area"],
            DATA: None, CHART: None, TABLE: None, NOTES: None, DRAWING: None, SHAPES: None,
        },
    ),
    "a pivot's sheet deleted": (
        lambda book: edit.delete_sheets(book, ["Pivot"]),
        {CACHE: None, "xl/pivotTables/pivotTable1.xml": None, BOOK: ["- pivotCache"]},
    ),
    "a sheet moved": (
        lambda book: edit.move_sheet(book, "Lists", 1), {BOOK: ['localSheetId="1"', '<sheets><sheet name="Lists"']},
    ),
    "a sheet copied": (
        lambda book: edit.copy_sheet(book, "Data", "Data 2"),
        {
            "xl/worksheets/sheet4.xml": ["SUM('Data 2'!$B$2:$B$4)", "location=\"'Data 2'!B4\""], BOOK: ["'Data 2'!$A$1:$C$6"],
            "xl/tables/table2.xml": ['name="Things_2"', 'id="2"'], "xl/charts/chart2.xml": ["'Data 2'!$B$2:$B$4"],
            "xl/drawings/_rels/drawing2.xml.rels": ["chart2.xml"],
        },
    ),
    "a sheet hidden": (lambda book: edit.hide_sheet(book, "Data"), {BOOK: ['state="hidden"']}),
    "a heading renamed": (
        lambda book: edit.rename_column(book, "Things", "Pieces", "No. [of]"),
        {LISTS: ["Things[No. '[of']]"], TABLE: ['name="No. [of]"'], "xl/sharedStrings.xml": ["No. [of]"]},
    ),
    "a table longer": (
        lambda book: edit.resize_table(book, "Things", Area(1, 1, 5, 3)), {TABLE: ['ref="A1:C5"/>' "-"[:0], 'ref="A1:C5"']},
    ),
    "a table's rows set": (
        lambda book: edit.set_rows(book, "Things", [("Pieces", Column.from_values([5.0, 6.0, 7.0, 8.0, 9.0]))]),
        {TABLE: ['ref="A1:C6"'], DATA: ['<c r="B6"><v>9</v></c>', "<f>B6*2</f>", "SUM(B2:B6)"], CHART: ["$B$2:$B$6"]},
    ),
    "a name set": (lambda book: edit.set_name(book, "Rate", "0.25"), {BOOK: ['"Rate">0.25<']}),
    "a name of one sheet": (
        lambda book: edit.set_name(book, "Mine", "Lists!$A$1", "Lists"), {BOOK: ['name="Mine" localSheetId="1"']},
    ),
    "a name taken away": (lambda book: edit.set_name(book, "Rate", None), {BOOK: ["- Rate"]}),
}  # fmt: skip


@pytest.mark.parametrize("label", CHANGES)
def test_all_that_hangs_on_a_change_follows_it(label, tmp_path):
    change, expected = CHANGES[label]
    source = rich_file(tmp_path / "rich.xlsx")
    book = Workbook.open(source)
    change(book)
    book.save(tmp_path / "changed.xlsx")
    assert conformance_findings(Package.open(tmp_path / "changed.xlsx")) == []
    parts = members((tmp_path / "changed.xlsx").read_bytes())
    for part, fragments in expected.items():
        if fragments is None:
            assert part not in parts
            continue
        text = parts[part].decode()
        for fragment in fragments:
            if fragment.startswith("- "):
                assert fragment[2:] not in text, f"{part} still has {fragment[2:]}"
            else:
                assert fragment in text, f"{part} lacks {fragment}: {text}"


#: Putting lines in and taking them out again, or renaming there and back, leaves all parts as they were; but a shared
#: formula is now each cell's own, and the program that opens the file is asked to recalculate.
THERE_AND_BACK = {
    "rows": lambda book: (edit.insert_rows(book, "Data", 3, 4), edit.delete_rows(book, "Data", 3, 4)),
    "columns": lambda book: (edit.insert_columns(book, "Data", 3), edit.delete_columns(book, "Data", 3)),
    "below all": lambda book: (edit.insert_rows(book, "Data", 100, 4), edit.delete_rows(book, "Data", 100, 4)),
    "names": lambda book: (edit.rename_sheet(book, "Data", "X y"), edit.rename_sheet(book, "X y", "Data")),
    "order": lambda book: (edit.move_sheet(book, "Data", 3), edit.move_sheet(book, "Data", 1)),
}


@pytest.mark.parametrize("label", THERE_AND_BACK)
def test_there_and_back_again(label, tmp_path):
    source = rich_file(tmp_path / "rich.xlsx")
    book = Workbook.open(source)
    THERE_AND_BACK[label](book)
    before, after = Workbook.open(source), book
    book.save(tmp_path / "back.xlsx")
    after = Workbook.open(tmp_path / "back.xlsx")
    assert after.names == before.names and after.sheet_names() == before.sheet_names()
    for one, other in zip(before.sheets(), after.sheets(), strict=True):
        rows, columns = one.extent()
        for number in range(1, columns + 1):
            assert one.column(number, 1, rows).to_list() == other.column(number, 1, rows).to_list()
        assert sorted(one.merged) == sorted(other.merged) and one.frozen == other.frozen
        assert [table.area for table in one.tables] == [table.area for table in other.tables]
    plain = members((tmp_path / "back.xlsx").read_bytes())
    for part, content in members(source.read_bytes()).items():
        if part in (CHART, CACHE, NOTES, DRAWING, LISTS):
            assert content.split(b"?>")[-1].strip() == plain[part].split(b"?>")[-1].strip(), part


REFUSED = {
    "tearing an array formula": (lambda book: edit.insert_rows(book, "Data", 7), "would split the array formula in E6:E7"),
    "a table's heading": (lambda book: edit.delete_rows(book, "Data", 1), "the heading row of table 'Things'"),
    "all rows of a table": (lambda book: edit.delete_rows(book, "Data", 2, 3), "leave table 'Things' without rows"),
    "a pivot": (lambda book: edit.insert_rows(book, "Pivot", 4), "would split the pivot in A3:B6"),
    "beyond the grid": (lambda book: edit.insert_rows(book, "Data", 2, 1 << 20), "move beyond the grid"),
    "a name with a slash": (lambda book: edit.rename_sheet(book, "Data", "a/b"), "without []:*?/"),
    "a taken name": (lambda book: edit.rename_sheet(book, "Data", "lists"), "one of that name already"),
    "an unknown sheet": (lambda book: edit.rename_sheet(book, "Date", "x"), "the nearest is 'Data'"),
    "all sheets": (lambda book: edit.delete_sheets(book, ["Data", "Lists", "Pivot"]), "no visible sheet would be left"),
    "the last seen": (
        lambda book: [edit.hide_sheet(book, name) for name in ("Data", "Lists", "Pivot")], "the only visible sheet",
    ),
    "no such place": (lambda book: edit.move_sheet(book, "Data", 9), "no place 9"),
    "a name that is an address": (lambda book: edit.set_name(book, "AB12", "1"), "not read as an address"),
    "a table's name": (lambda book: edit.set_name(book, "things", "1"), "a table has it"),
    "a table sideways": (lambda book: edit.resize_table(book, "Things", Area(1, 1, 4, 2)), "must keep its first row"),
    "no rows": (lambda book: edit.set_rows(book, "Things", []), "there are no rows"),
    "an unknown heading": (lambda book: edit.set_rows(book, "Things", [("Piece", Column.full(1, 1))]), "nearest is 'Pieces'"),
    "a heading twice": (lambda book: edit.rename_column(book, "Things", "Item", "pieces"), "there is one already"),
}  # fmt: skip


@pytest.mark.parametrize("label", REFUSED)
def test_what_would_do_harm_is_refused(label, tmp_path):
    change, says = REFUSED[label]
    with pytest.raises(DataError) as caught:
        change(Workbook.open(rich_file(tmp_path / "rich.xlsx")))
    assert says in str(caught.value)


def test_odd_spellings_are_moved_too(tmp_path):
    """Prefixes, cells without addresses and out of order, comments, UTF-16."""
    rows = "<!-- one --><row><c><v>1</v></c><c><f>A1+1</f><v>2</v></c></row><row r='9'><c r='B9'><v>3</v></c><c r='A9'><f>A1</f></c></row>"
    path = written(tmp_path / "odd.xlsx", rows)
    book = Workbook.open(path)
    edit.insert_rows(book, "Sheet1", 1, 2)
    book.save(tmp_path / "out.xlsx")
    sheet = Workbook.open(tmp_path / "out.xlsx").sheet("Sheet1")
    assert (sheet.value(3, 1), sheet.formula(3, 2).text, sheet.value(11, 2), sheet.formula(11, 1).text) == (
        1,
        "A3+1",
        3,
        "A3",
    )


MENTIONS = [
    ("SUM(A1:B$3)+'My ''x'!$C$4", ["A1:B$3", "'My ''x'!$C$4"]),
    ('D:D-$1:2&"A1"', ["D:D", "$1:2"]),
    ("T[[#Headers],[A1]]+T2", ["T[[#Headers],[A1]]", "T2"]),
    ("[1]Data!A1+'C:\\[b.xlsx]S'!A1", ["[1]Data!A1", "'C:\\[b.xlsx]S'!A1"]),
    ("LOG10(3)+_xlfn.XLOOKUP(A1,B:B,C:C)+#REF!A1+1E5+Sheet1!Name", ["A1", "B:B", "C:C", "Sheet1!Name"]),
    ("A1#+@B2:INDEX(C:C,3)", ["A1", "B2", "C:C"]),
    ('"it''s A1" & \'open', []),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), MENTIONS)
def test_references_are_found_as_spelled(text, expected):
    assert [mention.text() for mention in mentions(text)] == expected


@given(st.integers(1, 40), st.integers(1, 40), st.integers(1, 9), st.integers(1, 12), st.booleans(), st.booleans())
def test_a_reference_put_off_and_back_is_itself(row, column, rows, columns, fixed_row, fixed_column):
    corner = f"{'$' * fixed_column}{area_name(Area(row, column, row, column))}"
    text = f"SUM({corner}:{'$' * fixed_row}D$9)+'a b'!{corner}"
    moved = offset_text(text, rows, columns)
    assert offset_text(moved, -rows, -columns) == text


@given(st.integers(1, 30), st.integers(1, 5), st.integers(1, 30), st.integers(0, 9))
def test_what_is_put_in_and_taken_out_again_leaves_areas_alone(at, count, top, height):
    area = Area(top, 2, top + height, 3)
    there = Shift(at, count).area(area)
    assert Shift(at, -count).area(there) == area
    text = f"{area_name(area)}*2"
    moved = change_mentions(text, lambda mention: mention.over(Shift(at, count).area(mention.area)))
    assert moved == f"{area_name(there)}*2"


# -- meaning is kept ---------------------------------------------------------------------------------------


def reckoned_book():
    """Sheets whose formulas read each other in every way: cells, ranges, whole columns, names, tables, arrays."""
    book = Workbook.new()
    data, total = Sheet("Data"), Sheet("Total")
    data.put(1, 1, Column.from_values(["Item", "a", "b", "a", "c"]))
    data.put(1, 2, Column.from_values(["Pieces", 2.0, 3.0, 5.0, 7.0]))
    data.put(1, 3, Column.from_values(["Twice"]))
    data.put(2, 3, Column.blank(4), 0, Formula("Things[[#This Row],[Pieces]]*2", 2, 3))
    data.put(2, 5, Column.blank(4), 0, Formula("B2+C2-$B$2", 2, 5))
    columns = (TableColumn("Item"), TableColumn("Pieces"), TableColumn("Twice", "Things[[#This Row],[Pieces]]*2"))
    data.tables = [SheetTable("Things", Area(1, 1, 5, 3), columns)]
    formulas = [
        "SUM(Data!B2:B5)", "SUM(Things[Twice])", "SUMIFS(Data!$B:$B,Data!$A:$A,\"a\")", "VLOOKUP(\"b\",Data!A2:C5,3,FALSE)",
        "Rate*A1", "INDEX(Data!B2:E5,4,4)", "SUM(A1:A6)", "MAX(Data!E2:E5)+COUNT(Things[])",
    ]  # fmt: skip
    for row, text in enumerate(formulas, start=1):
        total.put(row, 1, Column.blank(1), 0, Formula(text, row, 1))
    book.add_sheet(data)
    book.add_sheet(total)
    edit.set_name(book, "Rate", "Data!$B$3/2")
    recalculate(book)
    return book


def results(book):
    """The results of all formulas, in their order, whatever their places."""
    found = []
    for sheet in book.sheets():
        for column, top, bottom, _ in sheet.formula_runs():
            found += [value for value in sheet.column(column, top, bottom) if value is not None]
    return sorted(found, key=str)


CHANGES_OF_SHAPE = st.one_of(
    st.tuples(st.just(edit.insert_rows), st.just("Data"), st.sampled_from([1, 40]), st.integers(1, 3)),
    st.tuples(st.just(edit.insert_columns), st.just("Data"), st.sampled_from([1, 30]), st.integers(1, 2)),
    st.tuples(st.just(edit.insert_rows), st.just("Total"), st.integers(1, 9), st.integers(1, 2)),
    st.tuples(st.just(edit.move_sheet), st.just("Total"), st.integers(1, 2)),
)


@settings(max_examples=30)
@given(st.lists(CHANGES_OF_SHAPE, min_size=1, max_size=4), st.booleans())
def test_what_moves_means_what_it_meant(tmp_path_factory, changes, renamed):
    """Putting lines in beside the data, moving and renaming sheets changes no result. (Lines within it would: a lookup
    counts columns.)"""
    book = reckoned_book()
    before = results(book)
    for change, *words in changes:
        change(book, *words)
    if renamed:
        edit.rename_sheet(book, "Data", "It's data")
    path = tmp_path_factory.mktemp("shape") / "a.xlsx"
    book.save(path)
    opened = Workbook.open(path)
    assert conformance_findings(opened.package) == []
    recalculate(opened)
    assert results(opened) == before


def test_what_stands_among_columns_and_sheets_is_not_one_of_them(tmp_path):
    """Comments and instructions of other programs."""
    package = Package.open(rich_file(tmp_path / "rich.xlsx"))
    for part, element in ((TABLE, b"<tableColumn "), (BOOK, b"<sheet ")):
        package.put(part, package.read(part).replace(element, b"<?p q?>" + element, 1))
    book = Workbook.from_bytes(package.to_bytes(), "rich.xlsx")
    edit.insert_columns(book, "Data", 2)
    names = [entry.name for entry in book.entries]
    edit.move_sheet(book, names[-1], 1)
    made = Workbook.from_bytes(book.to_bytes(), "rich.xlsx")
    assert [entry.name for entry in made.entries] == [names[-1], *names[:-1]]
    assert conformance_findings(made.package) == []


def test_a_table_whose_columns_are_not_as_many_as_its_area_has_is_left(tmp_path):
    package = Package.open(rich_file(tmp_path / "rich.xlsx"))
    data = package.read(TABLE)
    last = re.findall(rb"<tableColumn .*?(?:/>|</tableColumn>)", data)[-1]
    package.put(TABLE, data.replace(last, b""))
    for change in (edit.insert_columns, edit.delete_columns):
        book = Workbook.from_bytes(package.to_bytes(), "rich.xlsx")
        with pytest.raises(AccessError, match=r"has 3 columns on its sheet and 2 by name"):
            change(book, "Data", 2)


def test_a_table_of_two_sheets_is_refused(tmp_path):
    package = Package.open(rich_file(tmp_path / "rich.xlsx"))
    space = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package.relate(LISTS, f"{space}/table", TABLE)
    for change in (edit.insert_columns, edit.insert_rows, edit.delete_columns):
        book = Workbook.from_bytes(package.to_bytes(), "rich.xlsx")
        with pytest.raises(AccessError, match="two sheets have it as a table of their own"):
            change(book, "Lists", 2)


FILLED = [
    "Data!A1*2", "SUM(Data!A1:A3)", "Data!$A$5+1", "SUM(Data!$A$1:A4)", "A1+Data!B2", "Other!A1+1", "Data!A$5*Data!$B1",
    "SUM(Data!1:2)", "SUM(Data!$A:$A)",
]  # fmt: skip
MOVES = {
    "rows put in": lambda book: edit.insert_rows(book, "Data", 5, 2),
    "rows taken out": lambda book: edit.delete_rows(book, "Data", 4, 3),
    "columns put in": lambda book: edit.insert_columns(book, "Data", 2, 1),
    "a column moved": lambda book: edit.move_column(book, "Data", 1, 4),
    "rows grown": lambda book: (book.settle(), follow(book, Grown("Data", Area(4, 1, 6, 1), 9))),
    "several grown": lambda book: (book.settle(), follow(book, SeveralChanges((Grown("Data", Area(4, 1, 6, 1), 9),)))),
    "a sheet renamed": lambda book: edit.rename_sheet(book, "Data", "Rows"),
}


@pytest.mark.parametrize("label", MOVES)
@pytest.mark.parametrize(("formula", "named"), [*((one, "ref") for one in FILLED), (FILLED[0], "\ufefff")])
def test_shared_formulas_follow_in_every_cell(label, formula, named):
    """A reference of a cell further down may be to what moves, though that of the first one is not."""
    book = Workbook.new()
    for name in ("Data", "Other", "Board"):
        sheet = Sheet(name)
        for column in (1, 2, 3):
            sheet.put(1, column, Column.of_numbers(np.arange(30.0)))
        if name == "Board":
            sheet.put(1, 5, Column.blank(12), None, Formula(formula, 1, 5))
        book.add_sheet(sheet)
    book.settle()
    shared, part = Workbook.from_bytes(book.to_bytes(), "shared"), book.entries[2].part
    first, *others = re.findall(rb'<c r="E[0-9]+"><f>[^<]*</f></c>', shared.package.read(part))
    assert len(others) == 11
    data = shared.package.read(part).replace(
        first, first.replace(b"<f>", f'<f t="shared" {named}="E1:E12" si="0">'.encode())
    )
    for other in others:
        data = data.replace(other, re.sub(rb"<f>.*</f>", b'<f t="shared" si="0"/>', other))
    shared.package.put(part, data)
    texts = []
    for one in (book, shared):
        MOVES[label](one)
        sheet = one.sheet("Board")
        texts.append([text_at(sheet.formula(row, 5), row, 5) for row in range(1, 13)])
    assert texts[0] == texts[1]
