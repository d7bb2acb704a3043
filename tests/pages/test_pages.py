"""Sheets as a page: what stands in each cell, where, and in what look."""

import re

import pytest

from tinquire.cells.address import Area
from tinquire.cells.values import CellError
from tinquire.looks import Appearance, Edge, Edges
from tinquire.pages import html_page
from tinquire.workbook import Sheet, Workbook

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
