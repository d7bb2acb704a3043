"""Amendments of how sheets are dressed: in any workbook, all else of it left alone."""

from __future__ import annotations

import pytest

from richbook import rich_file
from tinquire.amend.change import NotAsExpectedError, apply_amendments
from tinquire.amend.schema import load_amendments
from tinquire.base.faults import UseError
from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.packages.package import Package
from tinquire.workbook import Sheet, SheetTable, Workbook
from tinquire.workbook.grid.sheet import TableColumn
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails

ROWS = [
    ("Depot", "Pieces", "Charge"),
    ("North", 3.0, 2.0),
    ("Harbour", 5.0, 9.0),
    ("Harbour", 1.0, 4.0),
    ("Sum", 9.0, 15.0),
]


def plain_file(path):
    """Headings in row 3 over three rows and a sum, which formulas work out; a table on a sheet of its own."""
    book = Workbook.new()
    sheet = Sheet("Data")
    for column, values in enumerate(zip(*ROWS, strict=True), start=1):
        sheet.put(3, column, Column.from_values(list(values)))
    sheet.set(1, 1, "Bags")
    sheet.set(7, 2, 9.0, formula="SUM(B4:B6)")
    book.add_sheet(sheet)
    table = Sheet("Table")
    for column, values in enumerate(zip(*ROWS[:4], strict=True), start=1):
        table.put(1, column, Column.from_values(list(values)))
    for row in (2, 3, 4):
        table.set(row, 4, table.value(row, 2) * 2, formula=f"B{row}*2")
    table.set(1, 4, "Twice")
    table.tables.append(
        SheetTable("T", Area(1, 1, 4, 4), tuple(map(TableColumn, ("Depot", "Pieces", "Charge", "Twice"))))
    )
    book.add_sheet(table)
    book.save(path)


def amended(folder, text, file=plain_file):
    """The workbook after amendments, read back from its bytes, conforming; and what was said to change."""
    file(folder / "in.xlsx")
    (folder / "a.toml").write_text(text, "utf-8")
    book = Workbook.open(folder / "in.xlsx")
    changes = apply_amendments(book, load_amendments(folder / "a.toml").amend)
    book.save(folder / "out.xlsx")
    assert conformance_findings(Package.open(folder / "out.xlsx")) == []
    return Workbook.open(folder / "out.xlsx"), [change.new for change in changes]


def part(book, name):
    return book.package.read(book.entry(name).part).decode()


DRESS = {
    'marks = [{ where = "[Charge] > 3", look = { bold = true, fill = "#F3E3BC" } }, { on = ["Pieces"], scale = ["#FFFFFF", "#2F5D7C"] }]': (
        ["mark: where $C4>3", "mark: a colour scale"], ['sqref="A4:C6"', "<formula>$C4&gt;3</formula>", 'sqref="B4:B6"', "FFF3E3BC"],
    ),
    'entries = [{ on = ["Pieces"], kind = "whole", between = [0, 9] }]': (["entry rule: "], ['sqref="B4:B6"', 'type="whole"']),
    'widths = { A = 20, Charge = "fit" }': (["width 20", "width "], ['min="1" max="1" width="20"', 'min="3" max="3"']),
    'hide_columns = ["Pieces"]': (["column B hidden"], ['min="2" max="2"', 'hidden="1"']),
    'freeze = "B4"': (["frozen 3 rows, 1 column"], ['xSplit="1" ySplit="3" topLeftCell="B4"']),
    'heading = "Depot"\nfilter = true': (["filter buttons in the heading"], ['<autoFilter ref="A3:C6"/>']),
    'outline = { rows = ["4:6"], columns = ["B:C"], collapsed = true }': (
        ["columns B:C grouped", "rows in 1 group"], ['<row r="4" outlineLevel="1" hidden="1"', '<row r="7" collapsed="1"', 'outlineLevelRow="1"', 'outlineLevelCol="1"'],
    ),
    'sort = ["Depot", "-Charge"]': (["3 rows sorted by Depot, -Charge"], []),
    'heading = "Depot"\nborders = { outside = "thin #27343A", between_rows = "hair #8A979C" }': (["lines around and between 3 rows"], []),
    'page = { landscape = true, fit = [1, 2], margins = [10, 10, 10, 10], header = ["", "A & B"], repeat_rows = "3:3", repeat_columns = "A", area = "A1:C7", breaks = [5] }': (
        ["pages: ", "rows 3:3 on every page", "columns A:A on every page", "prints A1:C7"],
        ['orientation="landscape"', 'fitToHeight="2"', "&amp;CA &amp;&amp; B", '<brk id="5"', '<pageSetUpPr fitToPage="1"/>'],
    ),
    'zoom = 80\ngrid_lines = false\ntab = "#2F5D7C"\nprotect = true': (
        ["zoom 80 %", "the grid is not shown", "tab #2F5D7C", "protected"],
        ['zoomScale="80"', 'showGridLines="0"', '<tabColor rgb="FF2F5D7C"/>', "<sheetProtection"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("dress", DRESS)
def test_a_sheet_is_dressed_as_asked(tmp_path, dress):
    said, markup = DRESS[dress]
    book, changes = amended(tmp_path, f'[[amend]]\nsheet = "Data"\n{dress}\n')
    assert len(changes) == len(said) and all(new.startswith(old) for new, old in zip(changes, said, strict=True)), (
        changes
    )
    text = part(book, "Data")
    styles = book.package.read("xl/styles.xml").decode()
    assert [piece for piece in markup if piece not in text + styles] == []
    before = Workbook.open(tmp_path / "in.xlsx")
    if "sort" not in dress:
        assert [book.sheet("Data").column(n, 1, 7).to_list() for n in (1, 2, 3)] == [
            before.sheet("Data").column(n, 1, 7).to_list() for n in (1, 2, 3)
        ]
    assert part(book, "Table") == part(before, "Table")
    if "freeze" in dress or "hide" in dress:  # what is as asked is left alone
        again = f'[[amend]]\nsheet = "Data"\n{dress}\n'
        assert amended(tmp_path, again, (tmp_path / "out.xlsx").replace)[1] == []


def test_rows_are_sorted_and_lines_end_with_them(tmp_path):
    text = (
        '[[amend]]\ntable = "T"\nsort = ["Depot", "-Pieces"]\nborders = { outside = "thin #27343A" }\nfilter = false\n'
    )
    book, changes = amended(tmp_path, text)
    sheet = book.sheet("Table")
    assert [sheet.column(n, 2, 4).to_list() for n in (1, 2, 3, 4)] == [
        ["Harbour", "Harbour", "North"], [5.0, 1.0, 3.0], [9.0, 4.0, 2.0], [10.0, 2.0, 6.0],
    ]  # fmt: skip
    assert sheet.formula(2, 4).text == "B2*2" and not sheet.tables[0].filter and len(changes) == 3
    edges = [book.styles.appearance(sheet.style(row, 1)).edges for row in (1, 2, 4)]
    assert [(edge.top is not None, edge.bottom is not None, edge.left is not None) for edge in edges] == [
        (False, False, False), (True, False, True), (False, True, True),
    ]  # fmt: skip


def test_what_a_sheet_has_already_stays(tmp_path):
    text = '[[amend]]\nsheet = "Data"\nheading = "Item"\nmarks = [{ where = "[Pieces] > 1", look = { bold = true } }]\nfreeze = "A2"\n'
    book, _ = amended(tmp_path, text, rich_file)
    marks = BookDetails(book).sheet("Data").marks
    assert [(mark.priority, mark.look) for mark in marks] == [(1, 0), (2, marks[1].look)] and marks[1].look != 0
    assert len(BookDetails(book).sheet("Data").charts) == 1


REFUSED = [
    ('sheet = "Data"\nmarks = [{ where = "[Charg] > 1", look = {} }]', "no heading 'Charg': the nearest is 'Charge'"),
    ('sheet = "Data"\nwidths = { Chargee = 5 }', "no column 'Chargee': the nearest is 'Charge'"),
    ('sheet = "Data"\nsort = ["Depots"]', "no heading 'Depots': the nearest is 'Depot'"),
    ('sheet = "Data"\nfilter = true', "it does not say which rows"),
    ('zoom = 80', "it has 2 sheets, and the amendment does not say which"),
    ('sheet = "Dat"\nzoom = 80', "it has no sheet 'Dat'"),
    ('table = "U"\nfilter = true', "it has no table 'U'"),
    ('sheet = "Data"\noutline = { by = "Depot" }', "no row of totals stands between them"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "why"), REFUSED, ids=[why[:30] for _, why in REFUSED])
def test_what_is_not_as_expected_is_left_alone(tmp_path, text, why):
    with pytest.raises(NotAsExpectedError) as caught:
        amended(tmp_path, f"[[amend]]\n{text}\n")
    assert why in caught.value.fault.why


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ('sheet = "D"\nwidths = { A = "wide" }', "'wide' is not a width"), ('sheet = "D"\nfreeze = "4B"', "'4B' is not a cell"),
        ('sheet = "D"\nzoom = 80\nvalue = 1', "is an amendment of its own"), ('sheet = "D"\nat = "A1"\nzoom = 80', "is an amendment of its own"),
        ('sheet = "D"\nborders = { outside = "thinn" }', "'thinn' is not a line"), ('sheet = "D"\noutline = { rows = ["A:B"] }', "groups are written"),
        ('sheet = "D"\nmarks = [{ on = ["A"], above = 1 }]', "it says no look"),
    ],
)  # fmt: skip
def test_a_bad_amendment_is_refused(tmp_path, text, why):
    (tmp_path / "a.toml").write_text(f"[[amend]]\n{text}\n", "utf-8")
    with pytest.raises(UseError) as caught:
        load_amendments(tmp_path / "a.toml")
    assert any(why in fault.why for fault in caught.value.faults), caught.value.faults
