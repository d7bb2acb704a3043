"""What decides how a sheet is printed, read from files: lines, areas, repeated lines, heads, texts with runs."""

import pytest

from hardsheet import hard_book
from parts import MAIN, OFFICE, PACKAGE, TYPE, parts_of, zipped
from tinquire.cells.address import Area
from tinquire.looks.finish import PLAIN_FINISH, Hatch
from tinquire.workbook import Workbook
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.inspect.printed import ColumnSpan, Heads, printed_sheet

ROW = '<row r="1"><c r="A1"><v>1</v></c></row><row r="3" s="2" customFormat="1" ht="20" customHeight="1"><c r="A3"><v>3</v></c></row>'


def printed(**pieces):
    return printed_sheet(Workbook.from_bytes(zipped(parts_of(ROW, **pieces)), "b.xlsx"), "Sheet1")


HEADS = [
    ("<headerFooter><oddHeader>&amp;Ca</oddHeader></headerFooter>", Heads("&Ca", "")),
    (
        '<headerFooter differentFirst="1"><oddFooter>x</oddFooter><firstFooter>y</firstFooter></headerFooter>',
        Heads("", "x", ("", "y")),
    ),
    (
        '<headerFooter differentOddEven="1"><oddHeader>o</oddHeader><evenHeader>e</evenHeader></headerFooter>',
        Heads("o", "", None, ("e", "")),
    ),
    (
        '<headerFooter scaleWithDoc="0" alignWithMargins="0"><oddHeader>o</oddHeader></headerFooter>',
        Heads("o", "", None, None, False, False),
    ),
    ("", Heads()),
]


@pytest.mark.parametrize(("markup", "heads"), HEADS)
def test_heads(markup, heads):
    assert printed(after=markup).heads == heads


SETTINGS = [
    # before the cells, after them, an attribute and what it is
    ('<sheetFormatPr defaultColWidth="12.5" defaultRowHeight="18" baseColWidth="10"/>', "", "width", 12.5),
    ('<sheetFormatPr defaultRowHeight="18" baseColWidth="10"/>', "", "digits", 10),
    ('<sheetFormatPr defaultRowHeight="18"/>', "", "height", 18.0),
    ('<sheetFormatPr defaultRowHeight="18" zeroHeight="1"/>', "", "zero", True),
    ('<sheetViews><sheetView workbookViewId="0" rightToLeft="1"/></sheetViews>', "", "right_to_left", True),
    ('<cols><col min="2" max="3" width="20" style="4" customWidth="1"/><col min="5" max="99999" hidden="1"/></cols>', "", "columns",
     (ColumnSpan(2, 3, 20.0, 4, False), ColumnSpan(5, 16384, None, 0, True))),
    ("", '<printOptions headings="1"/>', "line_names", True),
    ("", '<pageSetup blackAndWhite="1"/>', "colourless", True),
    ("", '<pageSetup cellComments="atEnd"/>', "notes", "atEnd"),
    ("", '<pageSetup errors="dash"/>', "errors", "dash"),
    ("", '<pageSetup useFirstPageNumber="1" firstPageNumber="7"/>', "first_page", 7),
    ("", '<pageSetup firstPageNumber="7"/>', "first_page", None),
    ("", "", "row_styles", {3: 2}),
    ("", "", "height", None),
]  # fmt: skip


@pytest.mark.parametrize(("before", "after", "name", "value"), SETTINGS)
def test_settings(before, after, name, value):
    assert getattr(printed(before=before, after=after), name) == value


NAMES = [
    # the name's formula, areas, repeated rows, repeated columns
    ("_xlnm.Print_Area", "Sheet1!$A$1:$B$2", ((1, 1, 2, 2),), None, None),
    ("_xlnm.Print_Area", "'Sheet1'!$A$1:$B$2,Sheet1!$D$4", ((1, 1, 2, 2), (4, 4, 4, 4)), None, None),
    ("_xlnm.Print_Area", "Sheet1!$B:$C", ((1, 2, 1_048_576, 3),), None, None),
    ("_xlnm.Print_Area", "INDEX(Sheet1!$A:$A,2):Sheet1!$C$4", ((2, 1, 4, 3),), None, None),
    ("_xlnm.Print_Area", "#REF!", (), None, None),
    ("_xlnm.Print_Titles", "Sheet1!$2:$3", (), (2, 3), None),
    ("_xlnm.Print_Titles", "Sheet1!$A:$B,Sheet1!$1:$1", (), (1, 1), (1, 2)),
]


@pytest.mark.parametrize(("name", "formula", "areas", "rows", "columns"), NAMES)
def test_names_for_what_is_printed(name, formula, areas, rows, columns):
    book = Workbook.from_bytes(zipped(parts_of(ROW)), "b.xlsx")
    set_name(book, name, formula, "Sheet1")
    found = printed_sheet(book, "Sheet1")
    assert (found.areas, found.repeat_rows, found.repeat_columns) == (
        tuple(Area(*area) for area in areas),
        rows,
        columns,
    )


def test_texts_in_letters_of_their_own():
    book = Workbook.from_bytes(hard_book(), "b.xlsx")
    ((place, runs),) = printed_sheet(book, "Sheet1").rich.items()
    assert place == (22, 1) and [run.text for run in runs] == ["plain ", "bold", "low"]
    assert (runs[0].bold, runs[1].bold, runs[1].size, runs[1].font, runs[1].colour) == (
        None,
        True,
        14.0,
        "Georgia",
        "2F5D7C",
    )
    assert runs[2].script == "subscript"


FINISHES = [
    # text of the cell, part of its finish, what it is
    ("fill 3", "hatch", Hatch("darkUp", "2F5D7C", "E4E9EC")),
    ("fill 4", "hatch", Hatch("lightGrid", "A6402F", None)),
    ("LIFT", "stacked", True),
    ("double", "double_underline", True),
    ("under", "accounting_underline", True),
    ("raised", "script", "superscript"),
    ("next", "hatch", None),
]


@pytest.mark.parametrize(("text", "name", "value"), FINISHES)
def test_finishes_of_styles(text, name, value):
    book = Workbook.from_bytes(hard_book(), "b.xlsx")
    sheet = book.sheet("Sheet1")
    style = next(
        sheet.style(row, column) for column in range(1, 7) for row in range(1, 20) if sheet.value(row, column) == text
    )
    assert getattr(book.styles.finish(style), name) == value


def test_running_fills_and_diagonals():
    book = Workbook.from_bytes(hard_book(), "b.xlsx")
    finishes = [book.styles.finish(style) for style in range(len(book.styles))]
    running = [one.running for one in finishes if one.running]
    assert [(one.angle, one.inner) for one in running] == [(90.0, None), (0.0, (0.5, 0.5, 0.5, 0.5))]
    (crossed,) = [one for one in finishes if one.rising]
    assert crossed.falling == crossed.rising and crossed.rising.colour == "A6402F"
    assert book.styles.finish(4711) is PLAIN_FINISH


VML = (
    '<xml xmlns:v="urn:schemas-microsoft-com:vml" xmlns:o="urn:schemas-microsoft-com:office:office"><v:shape id="RH" style="position:absolute;width:60pt;height:0.5in">'
    '<v:imagedata o:relid="rId1" o:title="logo"/></v:shape><v:shape id="XX" style="width:1pt;height:1pt"><v:imagedata o:relid="rId1"/></v:shape></xml>'
)


def test_pictures_of_headers():
    extra = {
        "xl/worksheets/_rels/sheet1.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId7" Type="{OFFICE}/vmlDrawing" Target="../drawings/vml1.vml"/></Relationships>',
        "xl/drawings/vml1.vml": VML,
        "xl/drawings/_rels/vml1.vml.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" Type="{OFFICE}/image" Target="../media/logo.png"/></Relationships>',
        "xl/media/logo.png": "png",
    }  # fmt: skip
    found = printed(
        after='<headerFooter><oddHeader>&amp;R&amp;G</oddHeader></headerFooter><legacyDrawingHF r:id="rId7"/>',
        extra=extra,
    )
    assert found.head_pictures == {"RH": ("xl/media/logo.png", 60.0, 36.0)}
    assert MAIN and TYPE
