"""What stands beside cells, an overview without reading, letters exchanged in a style, texts forgotten."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from books import full_book
from parts import MAIN, OFFICE, PACKAGE, parts_of, written, zipped
from richbook import rich_file, rich_parts
from sheetforms import SHARED, cells, markup, row_marks
from tinquire.base.faults import AccessError
from tinquire.cells import Area, Kind
from tinquire.looks import Appearance, Variation
from tinquire.packages.package import Package
from tinquire.packages.zip_archive import Archive
from tinquire.workbook import Workbook
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails
from tinquire.workbook.inspect.summary import overview
from tinquire.workbook.parts.charts import SeriesCells
from tinquire.workbook.parts.links import Link


def test_all_that_hangs_on_a_sheet_is_told(tmp_path):
    details = BookDetails(Workbook.open(rich_file(tmp_path / "rich.xlsx")))
    data = details.sheet("Data")
    assert data.validations == (
        EntryRule((Area(2, 1, 4, 1), Area(3, 4, 3, 4)), "list", "between", ("Lists!$A$1:$A$3",)),
    )
    assert data.marks == (Mark((Area(2, 2, 4, 2),), "expression", ("B2>B$6",), 1, 0),)
    assert data.links == (Link(Area(3, 1, 3, 1), "Lists!A2", False), Link(Area(4, 1, 4, 1), "Data!B4", False))
    assert [(one.cell, one.author, one.text) for one in data.comments] == [("B3", "Ann", "why three?")]
    assert [(one.area, one.kinds, one.cells) for one in data.charts] == [
        (Area(3, 4, 10, 7), ("columns",), (SeriesCells("", "", "Data!$B$2:$B$4"),))
    ]
    assert (data.page.orientation, data.page.row_breaks, data.page.footer) == ("landscape", (4,), "&P")
    assert data.protected and data.kept == ("extension one",)
    (pivot,) = details.sheet("Pivot").pivots
    assert (pivot.name, pivot.area, pivot.source, pivot.fields) == ("P", Area(3, 1, 6, 2), "Data!A1:C4", ("Item",))
    with pytest.raises(KeyError):
        details.sheet("Nowhere")


def test_what_a_workbook_carries_is_told(tmp_path, tinquire):
    """Other workbooks, macros, parts that nobody understands, outlines, pictures, links outside."""
    parts = parts_of('<row r="1" outlineLevel="2"><c r="A1"><f>[1]Rates!A1</f><v>1</v></c></row>',
                     before='<cols><col min="1" max="2" width="9" outlineLevel="1"/></cols>', workbook="|<externalReferences><externalReference r:id=\"rId90\"/></externalReferences>",
                     after='<hyperlinks><hyperlink ref="A1" r:id="rId1"/></hyperlinks><drawing r:id="rId2"/>')  # fmt: skip
    space = f'xmlns="{PACKAGE}/relationships"'
    link = f'<Relationship Id="rId90" Type="{OFFICE}/externalLink" Target="externalLinks/externalLink1.xml"/>'
    others = "".join(
        f'<Relationship Id="rId9{n}" Type="{OFFICE}/{kind}" Target="{kind}.bin"/>'
        for n, kind in ((1, "vbaProject"), (2, "connections"))
    )
    parts["xl/_rels/workbook.xml.rels"] = parts["xl/_rels/workbook.xml.rels"].replace(
        "</Relationships>", f"{link}{others}</Relationships>"
    )
    parts["xl/externalLinks/externalLink1.xml"] = f'<externalLink xmlns="{MAIN}"/>'
    parts["xl/externalLinks/_rels/externalLink1.xml.rels"] = (
        f'<Relationships {space}><Relationship Id="rId1" Type="{OFFICE}/externalLinkPath" Target="rates.xlsx" TargetMode="External"/></Relationships>'
    )
    parts["xl/worksheets/_rels/sheet1.xml.rels"] = (
        f'<Relationships {space}><Relationship Id="rId1" Type="{OFFICE}/hyperlink" Target="mailto:ann@larkfold.example" TargetMode="External"/>'
        f'<Relationship Id="rId2" Type="{OFFICE}/drawing" Target="../drawings/drawing1.xml"/></Relationships>'
    )
    draw = "http://schemas.openxmlformats.org/drawingml/2006"
    parts["xl/drawings/drawing1.xml"] = (
        f'<d:wsDr xmlns:d="{draw}/spreadsheetDrawing" xmlns:a="{draw}/main" xmlns:r="{OFFICE}"><d:oneCellAnchor><d:from><d:col>0</d:col><d:row>1</d:row></d:from>'
        '<d:pic><d:nvPicPr><d:cNvPr id="1" name="Logo" descr="our mark"/></d:nvPicPr><d:blipFill><a:blip r:embed="rId1"/></d:blipFill></d:pic></d:oneCellAnchor></d:wsDr>'
    )
    parts["xl/drawings/_rels/drawing1.xml.rels"] = (
        f'<Relationships {space}><Relationship Id="rId1" Type="{OFFICE}/image" Target="../media/logo.png"/></Relationships>'
    )
    parts["xl/media/logo.png"] = "picture"
    (tmp_path / "a.xlsx").write_bytes(zipped(parts))
    details = BookDetails(Workbook.open(tmp_path / "a.xlsx"))
    assert [(one.number, one.target) for one in details.outside] == [(1, "rates.xlsx")]
    assert details.macros and details.kept == ("connections",)
    sheet = details.sheet("Sheet1")
    assert sheet.outline == (2, 1) and sheet.links[0].outside
    assert [(one.name, one.says, one.area) for one in sheet.pictures] == [("Logo", "our mark", Area(2, 1, 2, 1))]
    said = tinquire("show", tmp_path / "a.xlsx").out
    for text in (
        "[1] rates.xlsx",
        "a program, kept and never run",
        "our mark",
        "1 to addresses outside",
        "connections: not understood",
        "2 levels of rows",
    ):
        assert text in said


@settings(max_examples=120)
@given(st.lists(st.tuples(row_marks, st.lists(cells, max_size=6)), max_size=5), st.integers(0, 4))
def test_an_overview_is_what_reading_tells(tmp_path_factory, rows, shown):
    rows = [(mark, sorted(entries, key=lambda one: one[0])) for mark, entries in rows]  # in order, as 18.3.1.73 asks
    path = written(tmp_path_factory.mktemp("view") / "a.xlsx", markup(rows), shared=[*SHARED, "a", "b"])
    try:
        sheet = Workbook.open(path).sheet("Sheet1")
    except AccessError:
        return  # a number that is none: an overview need not notice
    view = overview(Workbook.open(path), "Sheet1", shown)
    errors = sum(int((column.kinds == Kind.ERROR).sum()) for column in sheet.columns.values())
    assert (view.used, view.errors) == (sheet.used, errors)
    if sheet.used is not None:
        last = sheet.used.top + shown - 1
        for number in range(1, sheet.used.right + 1):
            if shown:
                assert (
                    view.first.column(number, sheet.used.top, last).to_list()
                    == sheet.column(number, sheet.used.top, last).to_list()
                )


variations = st.builds(
    Variation, font=st.sampled_from([None, "Georgia"]), size=st.sampled_from([None, 9.0]), bold=st.sampled_from([None, True, False]),
    italic=st.sampled_from([None, True, False]), underline=st.sampled_from([None, True, False]), colour=st.sampled_from([None, "27343A"]),
    fill=st.sampled_from([None, "F4EFE6"]), align=st.sampled_from([None, "right"]), valign=st.sampled_from([None, "top"]),
    wrap=st.sampled_from([None, True, False]), indent=st.sampled_from([None, 2]), format=st.sampled_from([None, "0.00", "dd/mm/yyyy"]),
)  # fmt: skip


@given(st.lists(variations, min_size=1, max_size=4))
def test_a_style_varied_changes_what_was_said_and_nothing_else(changes):
    book = full_book()
    styles = book.styles
    style = styles.number(Appearance("Georgia", 9, bold=True, colour="112233", fill="EEEEEE", align="left", format="0"))
    for change in changes:
        before = styles.appearance(style)
        style = styles.vary(style, change)
        after = styles.appearance(style)
        for part in (
            "font",
            "size",
            "bold",
            "italic",
            "underline",
            "strike",
            "colour",
            "fill",
            "edges",
            "align",
            "valign",
            "wrap",
            "indent",
            "format",
        ):
            wanted = change.given().get(part)
            assert getattr(after, part) == (getattr(before, part) if wanted is None else wanted)
        assert styles.vary(style, change) == style, "the same again is the same style"
    assert conformance_findings(Package(Archive(book.to_bytes(), "varied"))) == []


@settings(max_examples=60)
@given(
    st.lists(
        st.tuples(
            st.integers(1, 12),
            st.integers(1, 6),
            st.one_of(st.none(), st.floats(-1e9, 1e9), st.booleans(), st.text("ab<&\n ", max_size=4)),
        ),
        max_size=12,
    )
)
def test_an_edit_leaves_all_else_equal(tmp_path_factory, edits):
    """Cells that were not set read as before, byte for byte outside the sheet that was changed."""
    folder = tmp_path_factory.mktemp("edit")
    (folder / "a.xlsx").write_bytes(zipped(rich_parts()))
    book = Workbook.open(folder / "a.xlsx")
    before = Workbook.open(folder / "a.xlsx").sheet("Lists")
    expected = {(row, column): before.value(row, column) for row in range(1, 13) for column in range(1, 7)}
    for row, column, value in edits:
        book.sheet("Lists").set(row, column, value)
        expected[row, column] = value
    book.save(folder / "b.xlsx")
    after = Workbook.open(folder / "b.xlsx")
    assert {place: after.sheet("Lists").value(*place) for place in expected} == expected
    old, new = Workbook.open(folder / "a.xlsx").package, after.package
    may_change = {
        "xl/worksheets/sheet2.xml",
        "xl/sharedStrings.xml",
        "[Content_Types].xml",
        "xl/_rels/workbook.xml.rels",
    }
    assert all(old.read(part) == new.read(part) for part in old.names() if part not in may_change)
    assert conformance_findings(new) == []


ENDS = {
    "plain": ("", ""),
    "dressed beyond the data": ('<c r="A{n}" s="0"/>', '<c r="AZ{n}" s="0"/>'),
    "a formula first and last": ('<c r="A{n}"><f>1+1</f><v>2</v></c>', '<c r="BA{n}"><f>1+1</f></c>'),
    "texts first and last": ('<c r="A{n}" t="inlineStr"><is><t>row and w</t></is></c>', '<c r="BB{n}" t="str"><v></v></c>'),
    "an error last": ("", '<c r="BC{n}" t="e"><v>#N/A</v></c>'),
    "a long tag": ('<c r="A{n}" s="0" cm="1" vm="1" ph="0"><v>1</v></c>', ""),
}  # fmt: skip


@pytest.mark.parametrize("label", ENDS)
@pytest.mark.parametrize("rows", [1, 3, 400])
def test_an_overview_of_rows_that_end_oddly(label, rows, tmp_path):
    """Every third row ends so; rows without cells and rows that close themselves stand between."""
    before, after = ENDS[label]
    lines = []
    for n in range(2, rows + 2):
        odd = n % 3 == 0
        inner = f'<c r="C{n}"><v>{n}</v></c><c r="D{n}" t="s"><v>0</v></c><c r="E{n}" s="0"><v>0.5</v></c>'
        lines.append(f'<row r="{n}" spans="1:5">{before.format(n=n) * odd}{inner}{after.format(n=n) * odd}</row>')
    between = '<row r="1"/>' + "".join(lines) + f'<row r="{rows + 2}" ht="20"></row><row r="{rows + 3}"/>'
    path = written(tmp_path / "a.xlsx", between, shared=["tow row"])
    view, sheet = overview(Workbook.open(path), "Sheet1", 2), Workbook.open(path).sheet("Sheet1")
    errors = sum(int((column.kinds == Kind.ERROR).sum()) for column in sheet.columns.values())
    assert (view.used, view.formulas, view.errors) == (sheet.used, sheet.formula_count(), errors)
    assert view.first.value(2, 4) == "tow row" and view.first.value(2, 3) == 2.0
