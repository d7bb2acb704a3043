"""Changed cells written many at once are the bytes that one cell after the other gives."""

from contextlib import suppress

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tinquire.cells.address import Area, cell_name
from tinquire.cells.column import Column
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError
from tinquire.packages.raw_xml import Unusual
from tinquire.workbook import Formula, Sheet, Workbook
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.sheet_xml import cell_rewrite
from tinquire.workbook.sheet_xml.cell_patch import changed_cells, patch_cells
from tinquire.workbook.sheet_xml.cell_rewrite import rewrite_cells
from tinquire.workbook.sheet_xml.reader import read_sheet
from tinquire.workbook.sheet_xml.small_splice import splice_changed

SHARED = ["tea", "coffee & cake", "  milk", ""]
CELLS = st.sampled_from([
    "", "<v>1</v>", "<v>-2.5</v>", ' s="2"', ' s="3"><v>44</v>', ' t="s"><v>1</v>', ' s="1" t="s"><v>0</v>',
    ' t="b"><v>1</v>', ' t="e"><v>#N/A</v>', "><f>A1+1</f><v>7</v>", ' s="4"><f>A$1</f>', ' t="str"><f>"x"</f><v>x</v>',
    '><f t="shared" ref="A1:A9" si="0">B1*2</f><v>3</v>', ' t="inlineStr"><is><t>in line</t></is>', ' ph="1"><v>5</v>',
])  # fmt: skip
VALUES = st.sampled_from(
    [None, 0.0, 1.5, -3.25e-7, 1e15, 123456789.0, True, False, "tea", "a<b>&c", " two\nlines", "x\x01y", CellError.NA]
)
FORMULAS = st.sampled_from([None, None, "A1+B$2", '"<"&C3', "SUM(A:A)"])


@st.composite
def parts(draw):
    """The bytes of a sheet's part: rows and cells left out, closed, dressed, with hints on their spans."""
    rows = []
    for row in sorted(draw(st.sets(st.integers(1, 40), max_size=25))):
        cells = ""
        for column in sorted(draw(st.sets(st.integers(1, 30), max_size=6))):
            inside = draw(CELLS)
            head = f'<c r="{cell_name(row, column)}"'
            inside = inside if inside.startswith((">", " ")) or not inside else ">" + inside
            cells += f"{head}{inside}</c>" if ">" in inside else f"{head}{inside}/>"
        tag = f'<row r="{row}"' + draw(st.sampled_from(["", ' spans="1:5"', ' ht="20" customHeight="1"']))
        rows.append(f"{tag}>{cells}</row>" if cells or draw(st.booleans()) else f"{tag}/>")
    data = f"<sheetData>{''.join(rows)}</sheetData>" if rows else "<sheetData/>"
    return f'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">{data}</worksheet>'.encode()


CHANGES = st.lists(
    st.tuples(
        st.sampled_from(["set", "put", "results", "dress"]), st.integers(1, 45), st.integers(1, 32),
        st.lists(VALUES, min_size=1, max_size=6), FORMULAS, st.sampled_from([None, 0, 5]),
    ),
    min_size=1, max_size=12,
)  # fmt: skip


@settings(max_examples=120, suppress_health_check=[HealthCheck.too_slow])
@given(parts(), CHANGES, st.sampled_from([60, 1 << 20]), st.sampled_from([1, 3, 500]))
def test_many_at_once_is_one_by_one(data, changes, piece, run):
    strings = [Workbook.new().strings for _ in range(4)]

    def changed(given=lambda value: value):
        sheet = read_sheet("S", lambda: [data], list(SHARED), DateSystem.FROM_1900, "a.xlsx")
        sheet.loaded = True
        for kind, row, column, values, formula, style in changes:
            made = None if formula is None else Formula(formula, row, column)
            values = [given(value) for value in values]
            if kind == "set":
                sheet.set(row, column, values[0], style, formula)
            elif kind == "put":
                sheet.put(row, column, Column.from_values(values), style, made)
            elif kind == "results":
                sheet.store(row, column, Column.from_values(values))
            else:
                sheet.dress(row, column, style or 0, len(values))
        return sheet

    sheet = changed()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(cell_rewrite, "_PIECE", piece)
        patch.setattr(cell_rewrite, "_LONG_RUN", run)
        with suppress(Unusual):
            fast = b"".join(rewrite_cells(data, sheet, lambda texts: list(map(place, texts))))
            assert fast == patch_cells(data, changed_cells(sheet, place))
    plain = patch_cells(data, changed_cells(sheet, strings[0].index_of))
    if b"<sheetData/>" in data:
        with pytest.raises(Unusual):
            splice_changed(data, sheet, strings[1].places_of)
        return
    assert splice_changed(data, sheet, strings[1].places_of) == plain
    assert splice_changed(data, sheet, strings[2].places_of) == plain, "what was found in a part is found again"
    other = changed(lambda value: value + 0.5 if type(value) is float else f"{value}<" if type(value) is str else value)
    wanted = patch_cells(data, changed_cells(other, Workbook.new().strings.index_of))
    assert splice_changed(data, other, strings[3].places_of) == wanted, (
        "other values of the same kinds go there as well"
    )
    assert strings[0].texts == strings[1].texts == strings[2].texts


STORED = st.sampled_from([
    "<v>7</v>", "<v>7.0</v>", "<v>7E0</v>", "", ' t="str"><v>x</v>', ' t="str"><v>\xe9</v>', ' t="n"><v>7</v>', ' s="2"><v>7</v>', ' t="b"><v>1</v>',
    ' cm="1"><v>7</v>', ' t="e"><v>#N/A</v>', ' t="str"><v>a&lt;b</v>', ' t="str"><v></v>',
])  # fmt: skip
RESULTS = st.sampled_from([7.0, 7.0, 7.0, 8.5, "x", "a<b", True, CellError.NA])


@settings(max_examples=150)
@given(st.lists(STORED, min_size=1, max_size=12), st.lists(st.lists(st.tuples(st.integers(1, 12), RESULTS), min_size=1, max_size=5), min_size=2, max_size=4))  # fmt: skip
def test_results_that_stay_are_not_spelled_anew(stored, files):
    rows = ""
    for row, found in enumerate(stored, start=1):
        head, _, value = found.partition(">") if not found.startswith("<") and found else ("", "", found)
        rows += f'<row r="{row}"><c r="A{row}" t="s"><v>1</v></c><c r="B{row}"{head}><f>A{row}+1</f>{value}</c></row>'
    data = f"<worksheet><sheetData>{rows}</sheetData></worksheet>".encode()
    for changes in files:
        sheet = read_sheet("S", lambda: [data], list(SHARED), DateSystem.FROM_1900, "a.xlsx")
        sheet.loaded = True
        for row, value in changes:
            sheet.store((row - 1) % len(stored) + 1, 2, Column.from_values([value]))
        sheet.set(1, 1, f"text {changes[0][0]}")
        strings = [Workbook.new().strings for _ in range(2)]
        wanted = patch_cells(data, changed_cells(sheet, strings[0].index_of))
        assert splice_changed(data, sheet, strings[1].places_of) == wanted
        assert strings[0].texts == strings[1].texts


def place(text):
    """A text's place among the shared ones, the same whatever was asked before."""
    return sum(map(ord, text))


ODD = [
    '<row r="2"><c r="B2"><v>1</v></c> </row>', '<row r="2"><c r="A2"/><c r="A2"/></row>', '<row r="2"><c r="A3"/></row>',
    '<row r="2"><c r="B2"/><c r="A2"/></row>', "<row><c/></row>", '<row r="3"/><row r="2"/>', '<row r="2"><c r="B2">',
    '<row r="2"><c r="B2"><v>1</v><extLst/></c></row>', '<row r="2"><!-- x --></row>', '<row r="02"></row>',
]  # fmt: skip


@pytest.mark.parametrize("rows", ODD)
def test_what_is_not_plain_is_left_to_the_careful_way(rows):
    data = f'<worksheet><sheetData>{rows}<row r="7"/></sheetData></worksheet>'.encode()
    sheet, asked = Sheet("S", loaded=True), []
    sheet.set(2, 2, "text")
    with pytest.raises(Unusual):
        splice_changed(data, sheet, asked.append)
    assert asked == []


WIDE = "".join(
    f'<row r="{row}"><c r="A{row}"><v>{row}</v></c><c r="B{row}"><f>A{row}*2</f><v>0</v></c></row>'
    for row in range(1, 4000)
)


def test_a_large_sheet_goes_this_way(tmp_path):
    path = tmp_path / "a.xlsx"
    book = Workbook.new()
    sheet = Sheet("S")
    sheet.put(1, 1, Column.of_numbers(np.arange(5000.0)))
    sheet.put(1, 2, Column.of_numbers(np.zeros(5000)), None, Formula("A1*2", 1, 2))
    book.add_sheet(sheet)
    book.save(path)
    again = Workbook.open(path)
    opened = again.sheet("S")
    opened.store(1, 2, Column.of_numbers(np.arange(5000.0) * 2))
    opened.put(5002, 3, Column.from_values(["below", None, True]))
    again.save(path)
    saved = Workbook.open(path)
    assert saved.sheet("S").column(2, 1, 5000).to_list() == [2.0 * row for row in range(5000)]
    assert saved.sheet("S").formula(5000, 2) is not None and saved.sheet("S").value(5002, 3) == "below"
    assert not conformance_findings(saved.package)


@pytest.mark.parametrize(
    ("change", "wanted"),
    {
        "a width": (lambda s: s.widths.update({3: 22.5}), '<col min="3" max="3" width="22.5" customWidth="1"/>'),
        "one of several columns": (lambda s: s.widths.update({2: 9.0}), '<col min="1" max="1" width="12" style="1"/><col min="2" max="2" style="1" width="9" customWidth="1"/>'),
        "no width any more": (lambda s: [s.widths.pop(one) for one in (1, 2)], '<col min="1" max="1" style="1"/>'),
        "cells merged": (lambda s: s.merged.append(Area(5, 1, 5, 2)), '<mergeCells count="2"><mergeCell ref="A1:B1"/><mergeCell ref="A5:B5"/></mergeCells>'),
        "none merged any more": (lambda s: s.merged.clear(), "<pageMargins"),
        "values put": (lambda s: s.put(2, 1, Column.from_values([7.0, "x"])), '<c r="A2"><v>7</v></c>'),
        "a height, which is not written": (lambda s: s.heights.update({1: 30.0}), None),
        "frozen rows, which are not written": (lambda s: setattr(s, "frozen", (1, 0)), None),
    }.values(),
)  # fmt: skip
def test_what_is_set_on_a_sheet_that_was_read_is_saved_or_stops(change, wanted, tmp_path):
    path = tmp_path / "a.xlsx"
    book = Workbook.new()
    sheet = Sheet("S", merged=[Area(1, 1, 1, 2)])
    sheet.set(1, 1, "Title")
    book.add_sheet(sheet)
    book.settle()
    part = book.entries[0].part
    plain = book.package.read(part).replace(
        b"<sheetData>", b'<cols><col min="1" max="2" width="12" style="1"/></cols><sheetData>'
    )
    book.package.put(part, plain)
    book.save(path)
    again = Workbook.open(path)
    change(again.sheet("S"))
    if wanted is None:
        with pytest.raises(Exception, match="only widths and merged cells can be changed"):
            again.to_bytes()
        return
    again.save(path)
    saved = Workbook.open(path)
    assert wanted in saved.package.read(part).decode()
    assert not conformance_findings(saved.package)
