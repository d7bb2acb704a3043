"""What is not as the standard asks is found, each kind by a file made for it."""

from __future__ import annotations

import math
import re

import pytest

from books import full_book
from parts import members, parts_of, zipped
from richbook import rich_parts
from tinquire.packages.package import Package
from tinquire.packages.xml import canonical_xml, parse_xml
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import MOST_OF_A_KIND, conformance_findings

CELL = '<row r="1"><c r="A1"><v>1</v></c></row>'


def findings(tmp_path, parts):
    path = tmp_path / "w.xlsx"
    path.write_bytes(zipped(parts))
    return [f"{one.part}: {one.says}" for one in conformance_findings(Package.open(path))]


ROWS = [
    # sheetData's content, what is found ('' for nothing)
    (CELL, ""),
    ('<row><c><v>1</v></c></row>', ""),
    ('<row r="2"/><row r="1"/>', "rows are out of order or beyond the grid: row 1"),
    ('<row r="1048577"/>', "beyond the grid"),
    ('<row r="1"><c r="B1"/><c r="A1"/></row>', "a cell is out of place: A1 in row 1"),
    ('<row r="1"><c r="A2"/></row>', "a cell is out of place: A2 in row 1"),
    ('<row r="1"><c r="A0"/></row>', "a cell's address is not valid: 'A0'"),
    ('<row r="1"><c r="A1" s="1"/></row>', "a cell's style is not there: A1, 1"),
    ('<row r="1"><c r="A1" t="s"><v>1</v></c></row>', "a cell's text is not there: A1, 1"),
    ('<row r="1"><c r="A1"><v>x</v></c></row>', "a cell's number is not valid: A1, 'x'"),
    ('<row r="1"><c r="A1" t="q"/></row>', "a cell's type is not known: A1, 'q'"),
    ('<row r="1"><c r="A1"><f>1+</f></c></row>', "a formula cannot be read: A1, a value is missing"),
    ('<row r="1"><c r="A1"><f t="shared" si="4"/></c></row>', "a shared formula has no master: group 4"),
]  # fmt: skip


@pytest.mark.parametrize(("rows", "found"), ROWS)
def test_cells(tmp_path, rows, found):
    said = findings(tmp_path, parts_of(rows, shared=["tin"]))
    assert (found in said[0] and len(said) == 1) if found else said == []


def marked(rule, area="A1"):
    return dict(after=f'<conditionalFormatting sqref="{area}">{rule}</conditionalFormatting>')


SHEETS = [
    (dict(after='<mergeCells count="2"><mergeCell ref="A1:B2"/><mergeCell ref="B2:C3"/></mergeCells>'), "merged cells overlap: B2:C3"),
    (dict(after='<mergeCells count="3"><mergeCell ref="A1:B2"/></mergeCells>'), "mergeCells says 3 and has 1"),
    (dict(after='<mergeCells><mergeCell ref="x"/></mergeCells>'), "merged cells have no area: 'x'"),
    (dict(after='<pageMargins/><mergeCells count="0"/>'), "elements are out of order: 'mergeCells' comes after 'pageMargins'"),
    (dict(before='<cols><col min="2" max="3"/><col min="3" max="4"/></cols>'), "columns overlap or run beyond the grid: 3 to 4"),
    (dict(after='<tableParts count="1"><tablePart xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships" r:id="rId9"/></tableParts>'), "a table has no relationship: 'rId9'"),
    (dict(sheets=["One", "one"]), "two sheets have one name: 'one'"),
    (dict(sheets=["a/b"]), "a sheet's name is not allowed: 'a/b'"),
    (dict(workbook='|<definedNames><definedName name="a">1+</definedName></definedNames>'), "a name's formula cannot be read: 'a'"),
    (dict(workbook='|<definedNames><definedName name="a">1</definedName><definedName name="A">2</definedName></definedNames>'), "two names are the same: 'a'"),
    (dict(workbook='|<definedNames><definedName name="a" localSheetId="5">1</definedName></definedNames>'), "a sheet that is not there: 'a'"),
    (dict(workbook="<definedNames/>|"), "elements are out of order: 'sheets' comes after 'definedNames'"),
    (dict(styles='<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><fonts count="2"><font/></fonts><cellXfs><xf fontId="7"/></cellXfs></styleSheet>'), "fonts says 2 and has 1"),
    (dict(styles='<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cellXfs><xf fillId="7"/></cellXfs></styleSheet>'), "a style points past the fills: style 0"),
    (dict(styles='<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cellXfs><xf numFmtId="170"/></cellXfs></styleSheet>'), "style 0, format 170"),
    (dict(styles='<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><cellXfs><xf numFmtId="x"/></cellXfs></styleSheet>'), "an attribute is not a number"),
    (dict(before='<cols><col min="a" max="3"/></cols>'), "an attribute is not a number"),
    (dict(extra={"xl/odd.bin": "x"}), "xl/odd.bin: it has no content type"),
    (dict(after='<mergeCells><mergeCell ref="A1:B2"/></mergeCells><mergeCells><mergeCell ref="B2:C3"/></mergeCells>'), "merged cells overlap: B2:C3"),
    (marked('<cfRule type="expression" priority="1"/>'), "a mark lacks its formula: expression"),
    (marked('<cfRule type="expression" priority="1"><formula>1+</formula></cfRule>'), "the formula of a mark cannot be read: '1+'"),
    (marked('<cfRule type="duplicateValues" dxfId="3" priority="1"/>'), "a mark points past the differential styles: 3"),
    (marked('<cfRule type="duplicateValues"/>'), "a mark has no priority: duplicateValues"),
    (marked('<cfRule type="odd" priority="1"/>'), "a mark's kind is not known: 'odd'"),
    (marked('<cfRule type="iconSet" priority="1"><iconSet iconSet="3Flags"><cfvo type="min"/></iconSet></cfRule>'), "thresholds are not as its kind asks: iconSet"),
    (marked("", area="A0"), "the areas of marks cannot be read: 'A0'"), (marked("", area=""), "marks stand over no cells"),
    (dict(after='<dataValidations count="2"><dataValidation type="list" sqref="A1"><formula1>(</formula1></dataValidation></dataValidations>'), "dataValidations says 2 and has 1"),
    (dict(after='<dataValidations><dataValidation type="list" sqref="A1"><formula1>(</formula1></dataValidation></dataValidations>'), "the formula of an entry rule cannot be read"),
    (dict(after='<dataValidations><dataValidation type="odd" sqref="A1"/></dataValidations>'), "an entry rule's kind is not known: 'odd'"),
    (dict(after='<dataValidations/><dataValidations/>'), "an element stands more than once: 'dataValidations'"),
    (dict(after='<dataValidations/><dataValidations><dataValidation type="odd" sqref="A1"/></dataValidations>'), "not known: 'odd'"),
    (dict(after='<hyperlinks/><hyperlinks><hyperlink ref="x"/></hyperlinks>'), "a link stands over no cells: 'x'"),
    (dict(after='<autoFilter ref="A1"/><autoFilter ref="x"/>'), "a filter has no area: 'x'"),
    (dict(after='<rowBreaks/><rowBreaks count="2"/>'), "rowBreaks says 2 and has 0"),
    (dict(after='<pageSetup/><pageSetup scale="5"/>'), "a page's scale is none of 10 to 400: 5"),
    (dict(before='<cols/><cols><col min="1" max="1" outlineLevel="9"/></cols>'), "an outline level is none of 0 to 7: 9"),
    (dict(workbook="|<definedNames/><definedNames><definedName name=\"a\">1+</definedName></definedNames>"), "formula cannot be read: 'a'"),
]  # fmt: skip


@pytest.mark.parametrize(("more", "found"), SHEETS, ids=[case[1][:40] for case in SHEETS])
def test_sheets_names_and_styles(tmp_path, more, found):
    assert any(found in one for one in findings(tmp_path, parts_of(CELL, **more)))


PACKAGES = [
    ("xl/_rels/workbook.xml.rels", 'Target="worksheets/sheet1.xml"', 'Target="worksheets/sheet7.xml"', "points to a part that is not there: xl/worksheets/sheet7.xml"),
    ("[Content_Types].xml", "/xl/workbook.xml", "/xl/book.xml", "a type is stated for a part that is not there: xl/book.xml"),
    ("[Content_Types].xml", 'Extension="rels" ContentType', 'Extension="rels" Type', "_rels/.rels: it has no content type"),
    ("xl/workbook.xml", 'r:id="rId1"', 'r:id="rId8"', "a sheet has no relationship: 'Sheet1'"),
    ("xl/workbook.xml", 'sheetId="1"', 'sheetId="1" state="hidden"', "no sheet is visible"),
    ("xl/worksheets/sheet1.xml", "</worksheet>", "", "cannot be read"),
]  # fmt: skip


@pytest.mark.parametrize(("part", "old", "new", "found"), PACKAGES)
def test_packages(tmp_path, part, old, new, found):
    parts = parts_of(CELL)
    assert old in parts[part]
    parts[part] = parts[part].replace(old, new)
    assert any(found in one for one in findings(tmp_path, parts))


TABLES = [
    ('ref="A1:C4"', 'ref="A1:B4"', "has 2 columns on its sheet and 3 by name"),
    ('ref="A1:C4"', 'ref="A1:C2"', "the table has no row for data"),
    ('name="Pieces"', 'name="Item"', "two columns have one name: 'item'"),
    ('name="Pieces"', 'name="Bags"', "a heading is not the column's name: 'Pieces' over 'Bags'"),
    ('ref="A1:C4"', 'ref="rows"', "the table has no area: 'rows'"),
]


def test_a_heading_that_is_a_number_as_text_is_no_shared_text(tmp_path):
    parts = {name: content.decode() for name, content in members(full_book().to_bytes()).items()}
    sheet = "xl/worksheets/sheet1.xml"
    parts[sheet], count = re.subn('(<c r="B1"[^>]* t="s)"', r'\1tr"', parts[sheet])
    assert count == 1 and any("a heading is not the column's name" in one for one in findings(tmp_path, parts))


@pytest.mark.parametrize(("old", "new", "found"), TABLES)
def test_tables(tmp_path, old, new, found):
    parts = {name: content.decode() for name, content in members(full_book().to_bytes()).items()}
    assert findings(tmp_path, parts) == []
    parts["xl/tables/table1.xml"] = parts["xl/tables/table1.xml"].replace(old, new, 1)
    assert any(found in one for one in findings(tmp_path, parts))


def test_one_kind_is_not_said_a_thousand_times(tmp_path):
    rows = "".join(f'<row r="{n}"><c r="A{n}" s="9"/></row>' for n in range(1, 1001))
    said = findings(tmp_path, parts_of(rows))
    assert len(said) == MOST_OF_A_KIND + 1
    assert said[-1].endswith("995 more of these")


def test_the_command(tmp_path, tinquire):
    path = tmp_path / "w.xlsx"
    path.write_bytes(zipped(parts_of(CELL)))
    said = tinquire("show", path, "--conformance")
    assert (said.code, "conforms  to the standard" in said.out) == (0, True)
    path.write_bytes(zipped(parts_of('<row r="1"><c r="A1" s="9"/></row>')))
    said = tinquire("show", path, "--conformance")
    assert (said.code, "differs   xl/worksheets/sheet1.xml: a cell's style is not there: A1, 9" in said.out) == (
        1,
        True,
    )


def test_digits_that_are_no_numbers_are_told(tmp_path):
    """`²` is a digit to Unicode, and no number: in a cell's style, a name's sheet and a text's place."""
    rows = '<row r="1"><c r="A1" s="²"/><c r="B1" t="s"><v>²</v></c></row>'
    workbook = '|<definedNames><definedName name="a" localSheetId="²">1</definedName></definedNames>'
    found = findings(tmp_path, parts_of(rows, workbook=workbook))
    assert any("not there: 'a'" in one for one in found) and not any("is not a number" in one for one in found), found


#: Pairs of elements, and whether they have the same content.
CONTENTS = [
    ('<a x="1" b="2"><c/>t</a>', "<a b='2' x='1'><!-- k --><c></c>t</a>", True), ("<a><b/>x</a>", "<a><b>x</b></a>", False),
    ('<p:a xmlns:p="u"><p:b/></p:a>', '<a xmlns="u"><b/></a>', True), ('<a xmlns="u"/>', "<a/>", False),
    ("<a>&lt;b&gt;&lt;/&gt;</a>", "<a><b/></a>", False), ("<a><b/><b/></a>", "<a><b><b/></b></a>", False),
    ('<a x="1"/>', '<a x="2"/>', False), ("<a/>tail", "<a/>", True), ("<a>x<?p?>y</a>", "<a>xy</a>", True), ("<a>" * 2_000 + "</a>" * 2_000, "<a/>", False),
]  # fmt: skip


@pytest.mark.parametrize(("one", "other", "same"), CONTENTS)
def test_elements_of_the_same_content(one, other, same):
    forms = [canonical_xml(parse_xml(f"<r>{text}</r>".encode())[0]) for text in (one, other)]
    assert (forms[0] == forms[1]) is same


def test_a_width_that_is_no_number_is_none():
    parts = dict(rich_parts())
    name = next(part for part, text in parts.items() if part.startswith("xl/worksheets/") and " width=" in text)
    parts[name] = re.sub(r' width="[^"]*"', ' width="NaN"', parts[name])
    book = Workbook.from_bytes(zipped(parts), "w.xlsx")
    assert all(math.isfinite(width) for sheet in book.sheets() for width in sheet.widths.values())
