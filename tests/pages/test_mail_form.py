"""HTML in the form that mail programs show: styles in each element, nothing that they leave out."""

import re

import pytest

from tinquire.cells import Column
from tinquire.cells.address import Area
from tinquire.charts import Chart, Series
from tinquire.looks import Appearance
from tinquire.pages import html_page
from tinquire.pages.mail_form import mail_form
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.frames import Frame

RULES = [
    # the page, what becomes of it
    ("<style>td { color: red }</style><p>a</p>", "<p>a</p>"),
    (
        '<style>td.n { text-align: right }</style><table><tr><td class="n">1</td><td>2</td></tr></table>',
        '<td style="text-align: right">1</td><td>2</td>',
    ),
    (
        '<style>td { color: red } td.n { color: blue }</style><table><tr><td class="n">1</td></tr></table>',
        '<td style="color: blue">1</td>',
    ),
    (
        '<style>.s1 { font-weight: bold }</style><p class="s1" style="color: red">x</p>',
        '<p style="font-weight: bold; color: red">x</p>',
    ),
    ("<style>p { position: absolute; color: red }</style><p>x</p>", '<p style="color: red">x</p>'),
    ("<style>@media print { p { color: red } }</style><p>x</p>", "<p>x</p>"),
]


@pytest.mark.parametrize(("page", "becomes"), RULES)
def test_rules_go_into_elements(page, becomes):
    made = mail_form(
        f"<html><head>{re.findall('<style>.*?</style>', page)[0]}</head><body>{page.partition('</style>')[2]}</body></html>"
    )
    assert becomes in made and "<style" not in made and "class=" not in made


def book():
    made = Workbook.new()
    sheet = Sheet("S")
    sheet.put(1, 1, Column.from_values(["Item", "Sheet"]), made.styles.number(Appearance(bold=True)))
    sheet.put(1, 2, Column.from_values([1.0, 2.0]))
    sheet.put(1, 3, Column.from_values(["hidden", "too"]))
    sheet.put(1, 4, Column.from_values(["aside", "aside"]))
    sheet.hidden_columns = {3}
    sheet.frames.append(
        Frame(4, 1, 160.0, 100.0, Chart((Series("a", (1.0, 2.0), ("x", "y")),)), "one", "What was charged")
    )
    made.add_sheet(sheet)
    return Workbook.from_bytes(made.to_bytes(), "b.xlsx")


def test_a_sheet_for_a_mail():
    made = html_page(book(), "t", for_mail=True)
    assert "<style" not in made and "<script" not in made and "class=" not in made and "position" not in made
    assert 'src="data:image/png;base64,' in made and 'alt="What was charged"' in made and 'width="213"' in made
    assert re.search(r'<td style="[^"]*font-weight: bold[^"]*">Item</td>', made) and made.index(
        "</table>"
    ) < made.index("<img")
    assert html_page(book(), "t", for_mail=True) == made


def test_hidden_columns_and_what_is_not_printed_are_left_out():
    assert ">hidden<" not in html_page(book(), "t") and ">aside<" in html_page(book(), "t")
    printed = book()
    set_name(printed, "_xlnm.Print_Area", "S!$A$1:$B$9", "S")
    assert ">aside<" not in html_page(printed, "t") and ">Sheet<" in html_page(printed, "t")
    assert Area(1, 1, 9, 2)
