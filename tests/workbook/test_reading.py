"""Reading what programs write: cells in all their forms, odd packages, hostile ones."""

from __future__ import annotations

import re
import zipfile

import pytest

from parts import MAIN, OFFICE, PACKAGE, STYLES, parts_of, written, zipped
from tinquire.base.faults import AccessError, TinQuireError
from tinquire.cells import Area, CellError, area_name
from tinquire.cells.dates import DateSystem
from tinquire.workbook import Workbook

CELLS = [
    # markup of one cell at B2, its value
    ('<c r="B2"><v>1.5</v></c>', 1.5),
    ('<c r="B2" t="n"><v> 7 </v></c>', 7.0),
    ('<c r="B2"><v>1E3</v></c>', 1000.0),
    ('<c r="B2"><v>1E999</v></c>', CellError.NUM),
    ('<c r="B2"><v>nan</v></c>', CellError.NUM),
    ('<c r="B2" t="s"><v>0</v></c>', "tin"),
    ('<c r="B2" t="s"><v>1</v></c>', "a\rb"),
    ('<c r="B2" t="s"><v>2</v></c>', "bold and plain"),
    ('<c r="B2" t="s"><v>3</v></c>', " kept "),
    ('<c r="B2" t="s"><v>4</v></c>', "base"),
    ('<c r="B2" t="inlineStr"><is><t>in place</t></is></c>', "in place"),
    ('<c r="B2" t="inlineStr"><is><r><t>two </t></r><r><t>runs</t></r></is></c>', "two runs"),
    ('<c r="B2" t="str"><f>"x"</f><v>x</v></c>', "x"),
    ('<c r="B2" t="str"><f>""</f><v></v></c>', ""),
    ('<c r="B2" t="b"><v>1</v></c>', True),
    ('<c r="B2" t="b"><v>0</v></c>', False),
    ('<c r="B2" t="e"><v>#DIV/0!</v></c>', CellError.DIV0),
    ('<c r="B2" t="e"><v>#WHO?</v></c>', CellError.VALUE),
    ('<c r="B2" t="d"><v>2026-10-01</v></c>', 46296.0),
    ('<c r="B2" t="d"><v>2026-10-01T18:00:00Z</v></c>', 46296.75),
    ('<c r="B2" s="1"/>', None),
    ('<c r="B2"><f>1+1</f></c>', None),
    ('<c r="B2"><v></v></c>', None),
    ("<c/><c><v>3</v></c>", 3.0),
]
SHARED = [
    "tin", "a_x000D_b", "<si><r><rPr><b/></rPr><t>bold</t></r><r><t> and plain</t></r></si>",
    '<si><t xml:space="preserve"> kept </t></si>', "<si><t>base</t><rPh sb='0' eb='1'><t>sound</t></rPh></si>",
]  # fmt: skip


@pytest.mark.parametrize(("markup", "value"), CELLS)
def test_a_cell_reads_as(tmp_path, markup, value):
    path = written(tmp_path / "w.xlsx", f'<row r="2">{markup}</row>', shared=SHARED, styles=STYLES)
    found = Workbook.open(path).sheet("sheet1").value(2, 2)
    assert found == value
    assert type(found) is type(value)


def test_rows_and_cells_without_addresses_and_out_of_order(tmp_path):
    rows = (
        "<row><c><v>1</v></c><c><v>2</v></c></row><row><c r='C2'><v>3</v></c><c><v>4</v></c></row>"
        "<row r='9'><c r='A9'><v>9</v></c></row><row r='5'><c r='A5'><v>5</v></c></row>"
    )
    sheet = Workbook.open(written(tmp_path / "w.xlsx", rows)).sheet("Sheet1")
    read = {name: sheet.value(row, column) for name, row, column in
            [("A1", 1, 1), ("B1", 1, 2), ("C2", 2, 3), ("D2", 2, 4), ("A5", 5, 1), ("A9", 9, 1), ("A7", 7, 1)]}  # fmt: skip
    assert read == {"A1": 1, "B1": 2, "C2": 3, "D2": 4, "A5": 5, "A9": 9, "A7": None}
    assert area_name(sheet.used) == "A1:D9"
    assert sheet.column(1, 4, 6).to_list() == [None, 5.0, None]


ODD_CELLS = {
    "<row r='9'><c r='A9'><v>9</v></c></row><row r='9'><c r='B9'><v>1</v></c></row>": "row 9 stands there twice",
    "<row r='2'><c r='A2'><v>9</v></c><c r='A2'><v>1</v></c></row>": "a cell of row 2 stands there twice",
    "<row r='2'><c r='A2'><v>9</v></c></row><row r='3'><c r='A2'/></row>": "cell A2 stands in row 3",
    "<row r='2'><c r='A2'><v>9</v><f>1</f></c></row>": "cell A2 holds markup that no cell may hold",
    "<row r='2'><c r='A2'><row r='3'/><v>1</v></c></row>": "row 3 does not stand among the rows",
    "<row r='2'><v>1</v></row>": "row 2 holds 'v', which is no cell",
    "<row r='2'><c r='A2'><f>1<v>2</v></f></c></row>": "cell A2 holds markup that no cell may hold",
    "<row r='2'><c r='A2'><x/></c></row>": "cell A2 holds markup that no cell may hold",
    "<row r='2'><c r='B2'><f t='array' ref='A1'>1</f></c></row>": "cell B2 holds an array formula for A1",
    "<row r='2'><c r='B2'><f t='array' ref='A2:B2'>1</f></c></row>": "cell B2 holds an array formula for A2:B2",
    "<x:row r='2'/>": "prefix",
    "<row r='2'/></sheetData><sheetData><row r='3'/>": "its cells stand there twice",
    "</sheetData><sheetData><row r='3'><c r='A3'><v>1</v></c></row>": "its cells stand there twice",
}


@pytest.mark.parametrize(("rows", "why"), ODD_CELLS.items())
def test_what_could_be_read_two_ways_is_refused(tmp_path, rows, why):
    with pytest.raises(AccessError, match=why):
        Workbook.open(written(tmp_path / "w.xlsx", rows)).sheet("Sheet1")


def test_the_far_corner_costs_nothing(tmp_path):
    sheet = Workbook.open(written(tmp_path / "w.xlsx", '<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>')).sheet(
        "Sheet1"
    )
    assert sheet.extent() == (1_048_576, 16_384)
    assert sheet.value(1_048_576, 16_384) == 1


def test_formulas_plain_shared_and_array(tmp_path):
    rows = (
        '<row r="1"><c r="A1"><v>2</v></c><c r="B1"><f t="shared" ref="B1:B3" si="0">A1*2</f><v>4</v></c>'
        '<c r="C1"><f t="array" ref="C1:C2">A1:A2*3</f><v>6</v></c></row>'
        '<row r="2"><c r="A2"><v>3</v></c><c r="B2"><f t="shared" si="0"/><v>6</v></c><c r="C2"><v>9</v></c></row>'
        '<row r="3"><c r="A3"><v>4</v></c><c r="B3"><f t="shared" si="0"/></c><c r="D3"><f> SUM(B1:B3)\n</f></c></row>'
    )
    sheet = Workbook.open(written(tmp_path / "w.xlsx", rows)).sheet("Sheet1")
    runs = [(column, top, bottom, formula.text) for column, top, bottom, formula in sheet.formula_runs()]
    assert runs == [(2, 1, 3, "A1*2"), (3, 1, 1, "A1:A2*3"), (4, 3, 3, "SUM(B1:B3)")]
    assert sheet.formula(1, 3).array == Area(1, 3, 2, 3)
    assert sheet.formula_count() == 5


def test_a_shared_formula_whose_master_comes_later(tmp_path):
    rows = (
        '<row r="1"><c r="B1"><f t="shared" si="3"/></c></row>'
        '<row r="2"><c r="B2"><f t="shared" ref="B1:B2" si="3">A2+1</f></c></row>'
    )
    sheet = Workbook.open(written(tmp_path / "w.xlsx", rows)).sheet("Sheet1")
    assert sheet.formula(1, 2).text == "A2+1"
    assert sheet.formula(1, 2) is sheet.formula(2, 2)


def test_styles_are_read_with_theme_and_palette(tmp_path):
    theme = (
        '<a:theme xmlns:a="x"><a:themeElements><a:clrScheme>'
        + "".join(f'<a:c{n}><a:srgbClr val="{n}{n}{n}{n}{n}{n}"/></a:c{n}>' for n in range(1, 8))
        + "</a:clrScheme></a:themeElements></a:theme>"
    )
    parts = parts_of('<row r="1"><c r="A1" s="2"><v>0.5</v></c><c r="B1" s="99"/></row>', styles=STYLES)
    parts["xl/theme/theme1.xml"] = theme
    relation = f'<Relationship Id="rId77" Type="{OFFICE}/theme" Target="theme/theme1.xml"/></Relationships>'
    parts["xl/_rels/workbook.xml.rels"] = parts["xl/_rels/workbook.xml.rels"].replace("</Relationships>", relation)
    path = tmp_path / "w.xlsx"
    path.write_bytes(zipped(parts))
    book = Workbook.open(path)
    look = book.styles.appearance(book.sheet("Sheet1").style(1, 1))
    assert (look.font, look.size, look.bold, look.fill, look.format) == ("Georgia", 14, True, "FF0000", "0%")
    assert (look.align, look.wrap, look.indent) == ("center", True, 2)
    assert (look.edges.left.style, look.edges.left.colour, look.edges.top) == ("thin", "112233", None)
    assert look.colour == "AAAAAA"  # theme colour 4 is 555555, half way to white
    assert book.styles.is_date(1)
    assert book.styles.appearance(99).format == "General"


def test_what_stands_around_the_cells(tmp_path):
    before = (
        '<dimension ref="A1:Z99"/><sheetViews><sheetView workbookViewId="0" showGridLines="0">'
        '<pane ySplit="3" xSplit="1" state="frozen"/></sheetView></sheetViews><cols><col min="2" max="3" width="12.5"/>'
        '<col min="5" max="16384" hidden="1"/></cols>'
    )
    after = '<mergeCells count="1"><mergeCell ref="A1:C1"/></mergeCells><pageSetup orientation="landscape"/>'
    rows = '<row r="2" ht="30" customHeight="1"/><row r="4" hidden="1"><c r="A4"><v>1</v></c></row>'
    workbook = '<workbookPr date1904="1"/>|<definedNames><definedName name="rate">0.2</definedName><definedName ' \
        'name="_xlnm.Print_Area" localSheetId="0">Sheet1!$A$1</definedName></definedNames>'  # fmt: skip
    path = written(tmp_path / "w.xlsx", rows, before=before, after=after, workbook=workbook, sheets=["Sheet1", "Two"])
    book = Workbook.open(path)
    sheet = book.sheet("Sheet1")
    assert (sheet.frozen, sheet.gridlines, sheet.landscape) == ((3, 1), False, True)
    assert (sheet.widths[3], sheet.heights[2], sheet.hidden_rows, 5 in sheet.hidden_columns) == (12.5, 30, {4}, True)
    assert (sheet.merged, area_name(sheet.used)) == ([Area(1, 1, 1, 3)], "A4")
    assert book.date_system is DateSystem.FROM_1904
    assert [(one.name, one.formula, one.sheet) for one in book.names] == [
        ("rate", "0.2", None), ("_xlnm.Print_Area", "Sheet1!$A$1", "Sheet1"),
    ]  # fmt: skip
    assert book.sheet_names() == ["Sheet1", "Two"]
    assert book.sheet("TWO").used is None


@pytest.mark.parametrize(
    "change",
    [
        lambda parts: {name: re.sub(r"<(/?)(?=[a-z])", r"<\1q:", text).replace("xmlns=", "xmlns:q=", 1)
                       if "worksheets/sheet" in name else text for name, text in parts.items()},
        lambda parts: {name: text.replace('Target="', 'Target="/xl/') if "workbook.xml.rels" in name else text
                       for name, text in parts.items()},
        lambda parts: {name: ("\ufeff" + text) if name.endswith("sheet1.xml") else text for name, text in parts.items()},
        lambda parts: {name: text.replace(MAIN, "http://purl.oclc.org/ooxml/spreadsheetml/main").replace(
            OFFICE, "http://purl.oclc.org/ooxml/officeDocument/relationships") for name, text in parts.items()},
        lambda parts: {name: ('<?xml version="1.0" encoding="UTF-16"?>' + text).encode("utf-16")
                       if name.endswith("sheet1.xml") else text for name, text in parts.items()},
        lambda parts: {name: text for name, text in parts.items() if name != "xl/styles.xml"},
        lambda parts: {name.replace("sheet1.xml", "SHEET1.xml"): text for name, text in parts.items()},
    ],
    ids=["prefix", "absolute", "byte-order mark", "strict", "utf-16", "no styles", "case of names"],
)  # fmt: skip
def test_odd_packages_read_the_same(tmp_path, change):
    parts = parts_of(
        '<row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1"><v>5</v></c></row>', shared=["tin"], styles=STYLES
    )
    path = tmp_path / "w.xlsx"
    path.write_bytes(zipped(change(parts)))
    sheet = Workbook.open(path).sheet("Sheet1")
    assert (sheet.value(1, 1), sheet.value(1, 2)) == ("tin", 5.0)


def test_stored_members_and_data_descriptors(tmp_path):
    path = tmp_path / "w.xlsx"
    parts = parts_of('<row r="1"><c r="A1"><v>5</v></c></row>')
    with path.open("wb") as stream:
        # A stream that cannot seek makes zipfile write sizes behind the data.
        class Once:
            def __init__(self):
                self.place = 0

            def write(self, data):
                self.place += len(data)
                return stream.write(data)

            def flush(self):
                stream.flush()

        with zipfile.ZipFile(Once(), "w", zipfile.ZIP_STORED) as archive:
            for name, content in parts.items():
                archive.writestr(name, content)
    book = Workbook.open(path)
    book.sheet("Sheet1").set(1, 1, 6.0)
    path.write_bytes(book.to_bytes())
    assert Workbook.open(path).sheet("Sheet1").value(1, 1) == 6


GOOD = zipped(parts_of('<row r="1"><c r="A1"><v>5</v></c></row>'))
BOMB = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>'
HOSTILE = {
    "missing": (None, "there is no such file"),
    "empty": (b"", "it is empty"),
    "text": (b"Ticket;Pieces\n1;2\n", "it is not a workbook"),
    "web page": (b"<!DOCTYPE html><html></html>", "it is a web page"),
    "old binary": (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600, "old binary kind"),
    "cut short": (GOOD[: len(GOOD) // 2], "cut short or damaged"),
    "no types": (zipped({"a.txt": "x"}), "no list of content types"),
    "other package": (zipped({"[Content_Types].xml": f'<Types xmlns="{PACKAGE}/content-types"/>'}), "another kind"),
    "no sheet part": (zipped({k: v for k, v in parts_of("").items() if "sheet1" not in k}), "is missing"),
    "broken markup": (zipped({**parts_of(""), "xl/worksheets/sheet1.xml": "<worksheet><sheetData>"}), "cannot be read"),
    "beyond the grid": (zipped(parts_of('<row r="1048577"/>')), "beyond the grid"),
    "bad address": (zipped(parts_of('<row r="1"><c r="ZZZ1"><v>1</v></c></row>')), "not a column"),
    "lost text": (zipped(parts_of('<row r="1"><c r="A1" t="s"><v>7</v></c></row>')), "points to text 7"),
    "bad number": (zipped(parts_of('<row r="1"><c r="A1"><v>x</v></c></row>')), "cannot be read"),
    "entities": (zipped({**parts_of(""), "xl/workbook.xml": BOMB + "<workbook>&b;</workbook>"}), "document type"),
    "bomb": (zipped({**parts_of(""), "xl/worksheets/sheet1.xml": b"\0" * (8 << 20)}), "would unpack from"),
    "not a book": (zipped({**parts_of(""), "xl/workbook.xml": "<document/>"}), "another kind ('document')"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_what_cannot_be_read_says_so(tmp_path, name):
    data, expected = HOSTILE[name]
    path = tmp_path / "w.xlsx"
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(TinQuireError) as caught:
        Workbook.open(path, "w.xlsx").sheet("Sheet1")
    fault = caught.value.faults[0]
    assert expected in fault.why
    assert fault.where == "w.xlsx"
    assert fault.do


def test_truncation_anywhere_ends_in_a_typed_error(tmp_path):
    path = tmp_path / "w.xlsx"
    for size in range(0, len(GOOD), 7):
        path.write_bytes(GOOD[:size])
        with pytest.raises(TinQuireError):
            Workbook.open(path).sheet("Sheet1")


def test_a_flipped_byte_ends_in_a_typed_error_or_the_same_values(tmp_path):
    path = tmp_path / "w.xlsx"
    for place in range(0, len(GOOD), 11):
        path.write_bytes(GOOD[:place] + bytes([GOOD[place] ^ 0x41]) + GOOD[place + 1 :])
        try:
            value = Workbook.open(path).sheet("Sheet1").value(1, 1)
        except TinQuireError:
            continue
        assert value == 5
