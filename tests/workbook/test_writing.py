"""Writing: what is written reads back, what is not touched stays, the same gives the same."""

from __future__ import annotations

import io
import random
import zipfile
import zlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import etree

from books import full_book
from parts import OFFICE, STYLES, members, parts_of, written, zipped
from sheetforms import formula_at
from tinquire.base.atomic_files import open_atomic
from tinquire.base.faults import AccessError, DataError
from tinquire.cells import CellError, Column
from tinquire.cells.values import Value
from tinquire.looks import Appearance, Edge
from tinquire.packages.deflate import pack
from tinquire.packages.entry_edits import with_recalculation
from tinquire.packages.package import Package
from tinquire.packages.raw_xml import Unusual
from tinquire.packages.zip_archive import write_archive as archived
from tinquire.slots.slots import FilledSlot, UnfilledSlot
from tinquire.workbook import Formula, Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.grid.sheet_names import safe_sheet_name, valid_sheet_name
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.sheet_xml.row_writer import number_text, numbers
from tinquire.workbook.transform.fill_slots import fill

texts = st.text(st.characters(exclude_categories=["Cs"]), max_size=12)
cells = st.one_of(
    st.none(), st.booleans(), st.floats(allow_nan=False, allow_infinity=False), texts, st.sampled_from(CellError)
)


def saved(book: Workbook, path) -> Workbook:
    book.save(path)
    assert conformance_findings(Package.open(path)) == []
    return Workbook.open(path)


@settings(max_examples=60, deadline=None)
@given(st.dictionaries(st.tuples(st.integers(1, 40), st.integers(1, 30)), cells, max_size=25))
def test_any_values_come_back(tmp_path_factory, values: dict[tuple[int, int], Value]):
    sheet = Sheet("Values")
    for (row, column), value in values.items():
        sheet.put(row, column, Column.from_values([value]))
    book = Workbook.new()
    book.add_sheet(sheet)
    read = saved(book, tmp_path_factory.mktemp("w") / "w.xlsx").sheet("Values")
    for (row, column), value in values.items():
        found = read.value(row, column)
        assert found == value
        assert type(found) is type(value)


@pytest.mark.parametrize(
    "text",
    [
        "=1+1",
        "+1",
        "-1",
        "@x",
        "  two  spaces ",
        "a\nb",
        "a\rb",
        "_x000D_",
        "<&>\"'",
        "\x01",
        "_x",
        "é😀",
        "x" * 32_000,
    ],
)
def test_texts_stay_texts(tmp_path, text):
    book = Workbook.new()
    sheet = Sheet("S")
    sheet.put(1, 1, Column.from_values([text]))
    book.add_sheet(sheet)
    read = saved(book, tmp_path / "w.xlsx").sheet("S")
    assert read.value(1, 1) == text
    assert read.formula_count() == 0


@pytest.mark.parametrize(
    ("number", "text"),
    [
        (1.0, "1"),
        (-0.0, "0"),
        (0.1, "0.1"),
        (1e15, "1000000000000000.0"),
        (1e22, "1e+22"),
        (1 / 3, "0.3333333333333333"),
        (-7.5, "-7.5"),
    ],
)
def test_numbers_are_written_with_the_fewest_digits(number, text):
    assert number_text(number) == text
    assert float(number_text(number)) == number


@given(
    st.lists(
        st.one_of(
            st.floats(allow_nan=False, allow_infinity=False), st.integers(-(10**6), 10**6).map(lambda n: n / 100)
        ),
        min_size=1,
        max_size=20,
    ),
    st.sampled_from([0, 2_000]),
)
def test_numbers_side_by_side_are_spelled_like_one_alone(values, small):
    """Alone as well as few among many small ones."""
    rows = [row.tobytes().replace(b"\x00", b"").decode() for row in numbers(np.array(values + [0.25] * small))]
    assert rows[len(values) :] == ["0.25"] * small
    for row, value in zip(rows[: len(values)], values, strict=True):
        assert float(row) == value
        assert len(row) <= len(number_text(value))


def test_many_rows_of_every_kind_come_back(tmp_path):
    count = 10_000
    kinds = [None, 1.0, 0.25, -7.125, 1e-9, "text", "", True, CellError.NA, "<&>"]
    items = [kinds[n % len(kinds)] if n % 7 else float(n) for n in range(count)]
    sheet = Sheet("Many", heights={5000: 21.5}, hidden_rows={4097})
    sheet.put(3, 1, Column.from_values(items))
    sheet.put(3, 2, Column.from_values(items), None, Formula("A3", 3, 2))
    sheet.put(3, 3, Column.from_values(items), 0, Formula("SUM($A$1:$A$2)", 3, 3))
    sheet.put(8000, 28, Column.of_numbers(np.arange(5000) / 8))
    book = Workbook.new()
    book.add_sheet(sheet)
    read = saved(book, tmp_path / "w.xlsx").sheet("Many")
    for number in (1, 2, 3):
        assert read.column(number, 3, count + 2).to_list() == items
    assert read.column(28, 8000, 12_999).to_list() == [n / 8 for n in range(5000)]
    assert [formula_at(read, row, 2)[0] for row in (3, 4099, 10_002)] == ["A3", "A4099", "A10002"]
    assert (read.formula(9000, 3).text, read.heights, read.hidden_rows) == ("SUM($A$1:$A$2)", {5000: 21.5}, {4097})


def test_all_that_a_sheet_has_comes_back(tmp_path):
    book = saved(full_book(), tmp_path / "w.xlsx")
    sheet = book.sheet("Linen & 'tin' x")
    original = full_book().sheet("Linen & 'tin' x")
    assert sheet.column(2, 1, 4).to_list() == original.column(2, 1, 4).to_list()
    assert [formula_at(sheet, row, 3)[0] for row in (2, 3)] == ["B2*2", "B3*2"]
    assert sheet.tables == original.tables or [t.columns for t in sheet.tables] == [t.columns for t in original.tables]
    assert (sheet.widths, sheet.heights, sheet.merged) == (original.widths, original.heights, original.merged)
    assert (sheet.frozen, sheet.gridlines, sheet.landscape) == ((1, 1), False, True)
    look = book.styles.appearance(sheet.style(2, 2))
    assert (look.bold, look.fill, look.format, look.edges.bottom) == (
        True,
        "F4EFE6",
        '"£"#,##0.00',
        Edge("hair", "8A979C"),
    )
    assert book.styles.plain_font == ("Georgia", 11)
    assert book.names[0].formula == "'Linen & ''tin'' x'!$1:$1"
    assert list(book.tables()) == ["items"]


def test_parts_are_in_order_and_say_what_they_are(tmp_path):
    parts = members(full_book().to_bytes())
    assert next(iter(parts)) == "[Content_Types].xml"
    types = parts["[Content_Types].xml"].decode()
    for name, content in parts.items():
        etree.fromstring(content)
        if not name.endswith(".rels") and name != "[Content_Types].xml":
            assert f'PartName="/{name}"' in types
    sheet = etree.fromstring(parts["xl/worksheets/sheet1.xml"])
    order = [etree.QName(child).localname for child in sheet]
    assert order == [
        "sheetPr", "dimension", "sheetViews", "sheetFormatPr", "cols", "sheetData", "mergeCells", "pageMargins",
        "pageSetup", "headerFooter", "tableParts",
    ]  # fmt: skip
    rows = [int(row.get("r")) for row in sheet.iter("{*}row")]
    assert rows == sorted(rows)


def test_the_same_workbook_gives_the_same_bytes():
    first, second = full_book().to_bytes(), full_book().to_bytes()
    assert first == second
    book = full_book()
    assert book.to_bytes() == book.to_bytes()


def test_styles_are_shared_and_known_ones_keep_their_numbers():
    book = Workbook.new()
    look = Appearance(font="Georgia", size=9, format="0.0")
    number = book.styles.number(look)
    assert book.styles.number(Appearance(font="Georgia", size=9, format="0.0")) == number
    assert book.styles.number(book.styles.appearance(0)) == 0
    before = len(book.styles)
    for _ in range(3):
        book.styles.number(Appearance(font="Georgia", size=9, format="0.0", bold=True))
    assert len(book.styles) == before + 1


# -- changing --------------------------------------------------------------------------------------------

ROWS = (
    '<row r="2" spans="1:3" x="kept"><c r="A2" s="1" t="s"><v>0</v></c><c r="C2"><f>A1+1</f><v>1</v></c></row>'
    '<row r="5"><c r="B5"><v>7</v></c></row>'
)


def changed(tmp_path, change, **more):
    path = tmp_path / "w.xlsx"
    parts = parts_of(ROWS, shared=["tin"], sheets=["Sheet1", "Other"], **more)
    parts["xl/media/logo.bin"] = b"\x00\x01" * 50
    path.write_bytes(zipped(parts))
    before = path.read_bytes()
    book = Workbook.open(path)
    change(book)
    return before, book.to_bytes()


def test_nothing_changed_is_the_same_parts(tmp_path):
    before, after = changed(tmp_path, lambda book: list(book.sheets()))
    assert members(before) == members(after)
    assert list(members(before)) == list(members(after))


def test_a_changed_cell_touches_its_sheet_alone(tmp_path):
    before, after = changed(tmp_path, lambda book: book.sheet("Sheet1").set(5, 2, 8.0))
    old, new = members(before), members(after)
    assert [name for name in old if old[name] != new[name]] == ["xl/worksheets/sheet1.xml"]
    path = tmp_path / "after.xlsx"
    path.write_bytes(after)
    with zipfile.ZipFile(tmp_path / "w.xlsx") as a, zipfile.ZipFile(path) as b:
        for name in ("xl/media/logo.bin", "xl/worksheets/sheet2.xml"):
            assert (a.getinfo(name).compress_size, a.getinfo(name).CRC) == (
                b.getinfo(name).compress_size,
                b.getinfo(name).CRC,
            )
    sheet = Workbook.open(path).sheet("Sheet1")
    assert (sheet.value(5, 2), sheet.value(2, 1), sheet.formula(2, 3).text) == (8, "tin", "A1+1")
    assert b'x="kept"' in new["xl/worksheets/sheet1.xml"]


SETTINGS = [
    # row, column, value, formula, what is read back
    (1, 1, "first", None, "first"),
    (3, 2, 1.5, None, 1.5),
    (2, 2, True, None, True),
    (2, 1, None, None, None),
    (2, 3, 9.0, None, 9.0),
    (2, 1, CellError.NA, None, CellError.NA),
    (9, 9, "=not a formula", None, "=not a formula"),
    (2, 3, 4.0, "2+2", 4.0),
    (5, 2, "x", '"x"', "x"),
]


@pytest.mark.parametrize(("row", "column", "value", "formula", "expected"), SETTINGS)
def test_a_cell_is_set(tmp_path, row, column, value, formula, expected):
    _, after = changed(tmp_path, lambda book: book.sheet("Sheet1").set(row, column, value, formula=formula))
    path = tmp_path / "after.xlsx"
    path.write_bytes(after)
    sheet = Workbook.open(path).sheet("Sheet1")
    assert sheet.value(row, column) == expected
    assert (sheet.formula(row, column).text if sheet.formula(row, column) else None) == formula
    data = etree.fromstring(members(after)["xl/worksheets/sheet1.xml"])
    rows = [int(one.get("r")) for one in data.iter("{*}row")]
    assert rows == sorted(set(rows))


def test_a_stale_calculation_chain_is_dropped(tmp_path):
    extra = {"xl/calcChain.xml": "<calcChain/>"}
    parts = parts_of(ROWS, shared=["tin"], extra=extra)
    relation = f'<Relationship Id="rId9" Type="{OFFICE}/calcChain" Target="calcChain.xml"/></Relationships>'
    parts["xl/_rels/workbook.xml.rels"] = parts["xl/_rels/workbook.xml.rels"].replace("</Relationships>", relation)
    path = tmp_path / "w.xlsx"
    path.write_bytes(zipped(parts))
    book = Workbook.open(path)
    before = members(book.to_bytes())
    book.sheet("Sheet1").set(2, 3, None, formula="1+1")  # another formula in a cell that has one
    book.sheet("Sheet1").set(9, 1, 5.0)
    book.mark_stale()
    after = members(book.to_bytes())
    changed = {name for name in before if before[name] != after.get(name)}
    assert changed == {"xl/worksheets/sheet1.xml", "xl/workbook.xml"} and before.keys() == after.keys()
    asked = b'<calcPr fullCalcOnLoad="1"/>'
    assert after["xl/workbook.xml"].replace(asked, b"") == before["xl/workbook.xml"]
    book.sheet("Sheet1").set(9, 2, None, formula="1+1")
    after = members(book.to_bytes())
    assert "xl/calcChain.xml" not in after
    rels = after["xl/_rels/workbook.xml.rels"].decode()
    assert rels == parts["xl/_rels/workbook.xml.rels"].replace(relation, "</Relationships>")


@pytest.mark.parametrize(
    ("data", "expected"),
    [
        (b"<w><sheets/></w>", None), (b"<x:w><x:sheets></x:sheets></x:w>", b'<x:w><x:sheets></x:sheets><x:calcPr fullCalcOnLoad="1"/></x:w>'),
        (b"<w><calcPr calcId='1' /></w>", b"<w><calcPr calcId='1' fullCalcOnLoad=\"1\" /></w>"),
        (b"<w><!-- <calcPr/> --><calcPr/></w>", None), (b'<w><calcPr fullCalcOnLoad="0"/></w>', None),
        (b'<w><calcPr fullCalcOnLoad="1"></calcPr></w>', b'<w><calcPr fullCalcOnLoad="1"></calcPr></w>'),
        ("<w><calcPr/></w>".encode("utf-16"), None),
    ],
)  # fmt: skip
def test_the_bytes_around_a_request_to_recalculate_stay(data, expected):
    if expected is None:  # a parser has to do it
        with pytest.raises(Unusual):
            with_recalculation(data)
    else:
        assert with_recalculation(data) == expected


def test_new_sheets_join_a_template(tmp_path):
    def add(book):
        sheet = Sheet("New")
        sheet.put(1, 1, Column.from_values(["tin", "new text"]), book.styles.number(Appearance(bold=True)))
        book.add_sheet(sheet)

    before, after = changed(tmp_path, add)
    path = tmp_path / "after.xlsx"
    path.write_bytes(after)
    book = Workbook.open(path)
    assert book.sheet_names() == ["Sheet1", "Other", "New"]
    assert book.sheet("New").column(1, 1, 2).to_list() == ["tin", "new text"]
    assert book.styles.appearance(book.sheet("New").style(1, 1)).bold
    old, new = members(before), members(after)
    assert new["xl/worksheets/sheet1.xml"] == old["xl/worksheets/sheet1.xml"]


@pytest.mark.parametrize("name", ["", "x" * 32, "a/b", "a:b", "a?b", "a*b", "[a]", "a\\b", "'a", "a'", "sheet1"])
def test_sheet_names_that_are_refused(tmp_path, name):
    book = Workbook.open(written(tmp_path / "w.xlsx", ROWS, shared=["tin"]))
    with pytest.raises(DataError, match="cannot be named"):
        book.add_sheet(Sheet(name))


@pytest.mark.parametrize(
    ("name", "expected"),
    [("Harbour", "Harbour"), ("Alder/Finch", "Alder Finch"), ("x" * 40, "x" * 31), ("", "Sheet"), ("taken", "taken (2)"),
     ("t" * 31, "t" * 27 + " (2)"), ("'q'", "q"), ("a\tb", "a b")],
)  # fmt: skip
def test_names_from_data_become_valid_sheet_names(name, expected):
    made = safe_sheet_name(name, {"taken", "t" * 31})
    assert made == expected
    assert valid_sheet_name(made)


def test_files_appear_whole_or_not_at_all(tmp_path):
    path = tmp_path / "out.xlsx"
    path.write_bytes(b"old")
    with pytest.raises(RuntimeError), open_atomic(path) as stream:
        stream.write(b"half")
        raise RuntimeError
    assert path.read_bytes() == b"old"
    assert [one.name for one in tmp_path.iterdir()] == ["out.xlsx"]
    with open_atomic(path) as stream:
        stream.write(b"new")
    assert path.read_bytes() == b"new"
    (tmp_path / "file").write_bytes(b"")
    with pytest.raises(AccessError), open_atomic(tmp_path / "file" / "below.xlsx"):
        pass


# -- slots -----------------------------------------------------------------------------------------------


def test_slots_in_cells_are_filled_in_place(tmp_path):
    rows = "".join(
        f'<row r="{n}"><c r="A{n}" s="1" t="inlineStr"><is><t>{text}</t></is></c></row>'
        for n, text in enumerate(
            [
                "[:total:]",
                "Sum: [:total:]",
                "[:=SUM(B1:B2):]",
                "[:total as 0.00:]",
                "[:name as upper:]",
                "plain",
                "[:gone:]",
            ],
            1,
        )
    )
    book = Workbook.open(written(tmp_path / "w.xlsx", rows, styles=STYLES))

    def resolve(slot):
        known = {"total": 12.5, "name": "ada"}
        if slot.inside not in known:
            return UnfilledSlot(slot, "there is no name so")
        return FilledSlot(known[slot.inside], slot.format if slot.format and not slot.word else "0.0")

    missing = fill(book, resolve, lambda text: text)
    assert [(one.sheet, one.cell, one.unfilled.slot.written) for one in missing] == [("Sheet1", "A7", "[:gone:]")]
    sheet = saved(book, tmp_path / "out.xlsx").sheet("Sheet1")
    assert sheet.column(1, 1, 6).to_list() == [12.5, "Sum: 12.5", None, 12.5, "ADA", "plain"]
    assert sheet.formula(3, 1).text == "SUM(B1:B2)"
    formats = [book.styles.number_format(sheet.style(row, 1)) for row in (1, 4, 6)]
    assert formats == ["dd/mm/yyyy", "0.00", "dd/mm/yyyy"]


@pytest.mark.parametrize("size", [10, 1 << 20, (1 << 20) + 1, 3_500_000])
def test_large_parts_are_packed_in_pieces_that_any_reader_unpacks(size):
    """Pieces packed side by side are one stream (RFC 1951), the same each time, and smaller than at the quick level."""
    content = b"".join(b'<c r="A%d"><v>%d</v></c>' % (n, n * 7919 % 10_007) for n in range(size // 20))[:size]
    packed = pack((content,))
    unpacked = zlib.decompress(packed.data, -15) if packed.method == zipfile.ZIP_DEFLATED else packed.data
    assert unpacked == packed.content() == content
    for cut in (7_001, 1 << 20, 1_500_000):
        assert pack(content[at : at + cut] for at in range(0, size, cut)) == packed
    noise = random.Random(1).randbytes(size)
    assert pack((noise[:9], noise[9:])).content() == noise == pack((noise,)).data
    data = archived({"big.xml": content, "small.xml": b"<x/>"}, None)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert archive.testzip() is None
        assert archive.read("big.xml") == content
        assert archive.read("small.xml") == b"<x/>"


def test_newer_functions_are_written_so_that_other_programs_know_them():
    book, sheet = Workbook.new(), Sheet("S")
    sheet.put(1, 1, Column.of_numbers([3.0, 1.0, 2.0]))
    sheet.put(1, 2, Column.blank(3), None, Formula("IFNA(XLOOKUP(A1,A$1:A$3,A$1:A$3),0)", 1, 2))
    sheet.set(1, 3, 0.0, formula="SUM(FILTER(A1:A3,A1:A3>1))")
    book.add_sheet(sheet)
    part = members(book.to_bytes())["xl/worksheets/sheet1.xml"].decode()
    assert "<f>_xlfn.IFNA(_xlfn.XLOOKUP(A2,A$1:A$3,A$1:A$3),0)</f>" in part
    assert "<f>SUM(_xlfn._xlws.FILTER(A1:A3,A1:A3&gt;1))</f>" in part
    recalculate(book)
    assert sheet.column(2, 1, 3).to_list() == [3.0, 1.0, 2.0]
    assert sheet.value(1, 3) == 5.0


def test_a_part_is_one_under_any_case(tmp_path):
    path = tmp_path / "w.xlsx"
    path.write_bytes(zipped(parts_of(ROWS, shared=["tin"])))
    package = Package.open(path)
    package.put("XL/SharedStrings.xml", b"<a/>")
    assert package.read("xl/sharedStrings.xml") == package.read("xl/SHAREDSTRINGS.xml") == b"<a/>"
    assert b"".join(package.chunks("xl/sharedstrings.xml")) == b"<a/>" and package.has("XL/sharedStrings.XML")
    package.put("xl/New.xml", b"<b/>")
    assert package.read("xl/new.xml") == b"<b/>" and len(package.names()) == len(
        set(map(str.casefold, package.names()))
    )
    package.drop("xl/NEW.xml")
    assert not package.has("xl/New.xml")


@pytest.mark.parametrize(
    ("stored", "read"), [("1+\r2", "1+\n2"), ("1+\r\n2", "1+\n2"), ("1+&#13;2", "1+\r2"), ('"a&#13;"&amp;1', '"a\r"&1')]
)
def test_returns_in_formulas_stay_white_space(stored, read):
    """As XML reads them (2.11), by either reader; a numbered one stays, also when the row is written again."""
    rows = f'<row r="1"><c r="A1"><f>{stored}</f><v>3</v></c></row>'
    book = Workbook.from_bytes(zipped(parts_of(rows)), "r.xlsx")
    name = book.sheet_names()[0]
    assert book.sheet(name).formula(1, 1).text == read
    fresh = Workbook.new()
    sheet = Sheet("S")
    sheet.set(1, 1, 3.0, formula=read)
    fresh.add_sheet(sheet)
    again = Workbook.from_bytes(fresh.to_bytes(), "s.xlsx")
    assert again.sheet("S").formula(1, 1).text == read and conformance_findings(again.package) == []
