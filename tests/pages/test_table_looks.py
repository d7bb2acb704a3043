"""Tables drawn in the style that they name: what a cell says of itself comes first."""

import pytest

from parts import OFFICE, PACKAGE, parts_of, zipped
from tinquire.looks import Appearance
from tinquire.pages.table_looks import with_table_looks
from tinquire.workbook import Workbook

HEAD = '<row r="2">' + "".join(f'<c r="{c}2" t="inlineStr"><is><t>{c}</t></is></c>' for c in "BCD") + "</row>"
ROWS = HEAD + "".join(
    f'<row r="{r}"><c r="B{r}"><v>{r}</v></c><c r="D{r}" s="1"><v>{r}</v></c></row>' for r in range(3, 9)
)
STYLES = (
    '<fonts><font><sz val="10"/><name val="Arial"/></font><font><sz val="10"/><color rgb="FFFFFFFF"/><name val="Arial"/></font></fonts>'
    '<fills><fill><patternFill/></fill><fill><patternFill patternType="gray125"/></fill><fill><patternFill patternType="solid"><fgColor rgb="FF112233"/></patternFill></fill></fills>'
    '<borders><border/></borders><cellStyleXfs><xf/></cellStyleXfs><cellXfs><xf/><xf fillId="2"/></cellXfs>'
    '<dxfs><dxf><font><b/><color rgb="FF990000"/></font></dxf><dxf><fill><patternFill><bgColor rgb="FFEEEEEE"/></patternFill></fill></dxf>'
    '<dxf><border><top style="thin"><color rgb="FF000011"/></top><bottom style="thick"><color rgb="FF000022"/></bottom><left style="thin"/></border></dxf></dxfs>'
    '<tableStyles><tableStyle name="Ours"><tableStyleElement type="headerRow" dxfId="0"/><tableStyleElement type="secondRowStripe" dxfId="1" size="2"/>'
    '<tableStyleElement type="wholeTable" dxfId="2"/><tableStyleElement type="lastColumn" dxfId="0"/></tableStyle></tableStyles>'
)


def book(style="Ours", flags='showRowStripes="1"', totals=0, styles=STYLES):
    space = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    table = (
        f'<table xmlns="{space}" id="1" name="T" displayName="T" ref="B2:D8" totalsRowCount="{totals}"><tableColumns count="3">'
        + "".join(f'<tableColumn id="{n}" name="{c}"/>' for n, c in enumerate("BCD", 1))
        + f'</tableColumns><tableStyleInfo name="{style}" {flags}/></table>'
    )
    rels = f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" Type="{OFFICE}/table" Target="../tables/table1.xml"/></Relationships>'
    extra = {"xl/tables/table1.xml": table, "xl/worksheets/_rels/sheet1.xml.rels": rels}
    styles = f'<styleSheet xmlns="{space}">{styles}</styleSheet>'
    return Workbook.from_bytes(zipped(parts_of(ROWS, styles=styles, extra=extra)), "t.xlsx")


def pivoted(style, more="", heads=2):
    """The same cells as a pivot with two rows of headings."""
    space = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    pivot = (
        f'<pivotTableDefinition xmlns="{space}" name="P" cacheId="1" {more}><location ref="B2:D8" firstHeaderRow="1" firstDataRow="{heads}" firstDataCol="1"/>'
        f'<rowFields count="1"><field x="0"/></rowFields><colFields count="1"><field x="1"/></colFields><pivotTableStyleInfo {style} showRowStripes="1"/></pivotTableDefinition>'
    )
    rels = f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" Type="{OFFICE}/pivotTable" Target="../pivotTables/pivotTable1.xml"/></Relationships>'
    extra = {"xl/pivotTables/pivotTable1.xml": pivot, "xl/worksheets/_rels/sheet1.xml.rels": rels}
    return Workbook.from_bytes(zipped(parts_of(ROWS, styles=f'<styleSheet xmlns="{space}">{STYLES}</styleSheet>', extra=extra)), "t.xlsx")  # fmt: skip


def test_a_pivot_is_drawn_in_its_style():
    of, told = looks(pivoted('name="Ours"'))
    assert not told and of((2, 2)).bold and of((3, 3)).bold and not of((4, 2)).bold and of((5, 4)).bold, (
        "headings, totals across"
    )
    assert [of((row, 2)).fill for row in range(4, 8)] == [None, "EEEEEE", "EEEEEE", None]
    assert of((2, 2)).edges.top.colour == "000011" and of((8, 2)).edges.bottom.style == "thick"


@pytest.mark.parametrize(("more", "total", "across"), [("", True, True), ('colGrandTotals="0"', False, True), ('rowGrandTotals="0"', True, False)])  # fmt: skip
def test_a_pivot_s_style_that_is_not_in_the_file_is_said(more, total, across):
    of, told = looks(pivoted('name="Elsewhere"', more))
    assert told == ["pivot style 'Elsewhere' is not in the file: a pivot is drawn with lines of our own"]
    assert of((3, 2)).bold and of((8, 2)).bold == total and of((5, 4)).bold == across and of((5, 2)).fill is None


def test_a_pivot_without_a_style_stays_as_it_is():
    made = pivoted("")
    sheet = made.sheet(made.entries[0].name)
    assert with_table_looks(made, sheet, print) is sheet


def looks(made):
    told = []
    (entry,) = made.entries[:1]
    sheet = with_table_looks(made, made.sheet(entry.name), told.append)
    return lambda cell: made.styles.appearance(sheet.style(*cell)), told


def test_elements_win_in_their_order_and_cells_before_them():
    of, told = looks(book(flags='showRowStripes="1" showLastColumn="1"'))
    assert not told and of((2, 2)).bold and of((2, 2)).colour == "990000"
    # one row of the first stripe, which the style does not say, then two of the second
    assert [of((row, 2)).fill for row in range(3, 9)] == [None, "EEEEEE", "EEEEEE", None, "EEEEEE", "EEEEEE"]
    assert of((4, 3)).fill == "EEEEEE", "blank cells too"
    assert of((4, 4)).fill == "112233" and of((4, 4)).bold, "the cell's own fill"
    assert of((2, 2)).edges.top.colour == "000011" and of((2, 2)).edges.bottom is None
    assert of((8, 3)).edges.bottom.style == "thick" and of((8, 3)).edges.left is None and of((8, 2)).edges.left
    assert of((9, 2)) == of((1, 2)) == Appearance(font="Arial", size=10.0), "outside of it nothing"


@pytest.mark.parametrize(("flags", "fill"), [('showRowStripes="0"', None), ("", None), ('showColumnStripes="1"', None)])
def test_what_a_table_does_not_show_is_not_drawn(flags, fill):
    of, _ = looks(book(flags=flags))
    assert of((4, 2)).fill == fill


def test_a_style_that_is_not_in_the_file_is_said():
    of, told = looks(book(style="Elsewhere", totals=1))
    assert told == ["table style 'Elsewhere' is not in the file: 'T' is drawn with lines and bands of our own"]
    assert of((2, 2)).bold and of((8, 2)).bold and of((3, 2)).fill and not of((4, 2)).fill


def test_a_table_without_a_style_stays_as_it_is():
    made = book(style="None")
    sheet = made.sheet(made.entries[0].name)
    assert with_table_looks(made, sheet, print) is sheet
