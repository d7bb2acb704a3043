"""Sheets as a page: what stands in each cell, where, and in what look."""

import re

import pytest

from tinquire.cells import Column
from tinquire.cells.address import Area
from tinquire.cells.values import CellError
from tinquire.looks import Appearance, Edge, Edges, Variation
from tinquire.pages import html_page
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.marks import Bars, Mark, Signs, Threshold

LOOKS = {
    "plain": Appearance(), "money": Appearance(format="#,##0.00;[Red]-#,##0.00"), "title": Appearance(bold=True, size=14.0, fill="F4EFE6"),
    "left": Appearance(align="left", indent=2), "wrapped": Appearance(wrap=True, valign="top"),
    "boxed": Appearance(edges=Edges(right=Edge("thin", "8A979C"), bottom=Edge("double", "27343A"))),
    "stranger": Appearance(font="x'};body{display:none"),
}  # fmt: skip
CELLS = [
    # value, look, what its cell says, its classes, a rule of its look
    (1234.5, "money", "1,234.50", {"n"}, None),
    (-5.0, "money", "-5.00", {"n"}, None),
    ("Title", "title", "Title", set(), "font-weight: bold"),
    (7.0, "left", "7", set(), "padding-left: 22px"),
    ("a & <b>", "plain", "a &amp; &lt;b&gt;", set(), None),
    (True, "plain", "TRUE", {"m"}, None),
    (CellError.NA, "plain", "#N/A", {"m"}, None),
    ("several words in a row", "wrapped", "several words in a row", set(), "white-space: normal"),
    ("x", "boxed", "x", set(), "border-bottom: 3px double #27343A; border-right: 1px solid #8A979C"),
    ("x", "stranger", "x", set(), "font-family: 'xbodydisplaynone"),
]


def page(fill):
    book = Workbook.new()
    sheet = Sheet("S")
    fill(book, sheet)
    book.add_sheet(sheet)
    return html_page(book, "A page")


@pytest.mark.parametrize(("value", "look", "text", "classes", "rule"), CELLS)
def test_each_cell(value, look, text, classes, rule):
    made = page(lambda book, sheet: [sheet.set(1, 1, value, book.styles.number(LOOKS[look])), sheet.set(1, 2, 0.0)])
    cell = re.search(r"<td([^>]*)>(.*?)</td>", made)
    assert cell[2] == text
    named = set(re.findall(r'class="([^"]*)"', cell[1])[0].split()) if "class" in cell[1] else set()
    assert classes <= named and (rule is None or rule in made)
    assert ("color: #" in cell[1]) == (value == -5.0)


def test_merged_hidden_and_long():
    def fill(book, sheet):
        sheet.set(1, 1, "over two")
        sheet.set(2, 1, "a text that runs over into its blank neighbour")
        sheet.set(3, 1, "a text that is cut by what stands beside it")
        sheet.set(3, 2, 1.0)
        sheet.merged.append(Area(1, 1, 1, 2))

    made = page(fill)
    assert made.count("<tr") == 3 and 'colspan="2">over two' in made
    cells = re.findall(r"<td([^>]*)>a text", made)
    assert ["o" in (re.findall(r'class="([^"]*)"', one) or [""])[0].split() for one in cells] == [True, False]
    assert "<title>A page</title>" in made and "http" not in made  # nothing from elsewhere


def test_what_marks_make_of_cells_is_drawn(tmp_path):
    """Changed letters and fills, bars and signs; a column as wide as its file says, and no wider than one may be."""

    def mark(kind, row, **more):
        return Mark((Area(row, 1, row + 1, 1),), kind, **more)

    book, sheet = Workbook.new(), Sheet("S", widths={1: 1e308})
    sheet.put(1, 1, Column.of_numbers([1.0, 2.0] * 3))
    loud = book.styles.partial_number(Variation(bold=True, fill="F3E3BC"))
    low, high = Threshold("min"), Threshold("max")
    sheet.marks = [
        mark("cellIs", 1, formulas=("1",), settings={"operator": "greaterThan"}, look=loud, priority=1),
        mark("dataBar", 3, bars=Bars(low, high, "C5D5E2", shows_value=False), priority=2),
        mark("iconSet", 5, signs=Signs("3Arrows", (low, Threshold("num", "1.5"), Threshold("num", "2"))), priority=3),
    ]
    book.add_sheet(sheet)
    sheet.marks.append(mark("expression", 1, formulas=("SUM(",), priority=4))
    book.save(tmp_path / "marked.xlsx")
    told = []
    made = html_page(Workbook.open(tmp_path / "marked.xlsx"), "A page", tell=told.append)
    assert told == ["a mark of S!A1:A2 is not drawn (where SUM(): a value is missing at the end"]
    cells = re.findall(r"<td([^>]*)>(.*?)</td>", made)
    assert [re.sub("<.*?>", "", cells[place][1]) for place in range(6)] == ["1", "2", "", "", "▼1", "▲2"]
    assert re.search(r"\.m\d+ \{ [^}]*font-weight: bold; background: #F3E3BC", made)
    assert "#C5D5E2 10.0%" in cells[2][0] and "#C5D5E2 90.0%" in cells[3][0]
