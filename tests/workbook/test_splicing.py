"""Cells changed in the bytes: the same as rebuilding the part, and not one byte more."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from sheetforms import careful, cells, markup, part, row_marks, same
from tinquire.base.faults import AccessError
from tinquire.workbook.sheet_xml.cell_patch import _rebuild, patch_cells
from tinquire.workbook.sheet_xml.cell_splice import CellPatch, splice_cells
from tinquire.workbook.sheet_xml.fast_reader import Unusual

values = st.sampled_from(
    [("", "5"), ("", None), ("str", 'a<b&"c'), ("b", "1"), ("e", "#N/A"), ("s", "2"), ("", "-1.5"), ("str", "\x01 odd")]
)
patches = st.tuples(
    st.integers(1, 45),
    st.integers(1, 32),
    values,
    st.integers(0, 4),
    st.sampled_from([None, "A1<2", "SUM(B1:B2)"]),
    st.booleans(),
).map(lambda one: CellPatch(one[0], one[1], *one[2], one[3], one[4], keep_formula=one[5] and one[4] is None))


def unique(made):
    return sorted({(one.row, one.column): one for one in made}.values(), key=lambda one: (one.row, one.column))


@settings(max_examples=200, deadline=None)
@given(
    st.lists(st.tuples(row_marks, st.lists(cells, max_size=6)), max_size=6), st.lists(patches, max_size=5).map(unique)
)
def test_spliced_is_what_rebuilding_gives(rows, made):
    ordered = [(mark, sorted(entries, key=lambda cell: cell[0])) for mark, entries in rows]
    data = part(markup(ordered), after="<extra>kept</extra>")
    try:
        careful(data)
    except AccessError:
        return  # a sheet whose values are wrong says nothing about changing it
    fast = splice_cells(data, made)
    assert same(careful(fast), careful(_rebuild(data, made)))


ROW = '<row r="2" spans="1:9" x14:y="1"><c r="B2" s="3" cm="1"><f ca="1">A1+1</f><v>1</v><extLst><ext/></extLst></c><c r="D2" t="s"><v>0</v></c></row>'
CASES = [
    # patch, what the row becomes
    (CellPatch(2, 2, "", "9", 3, keep_formula=True), ROW.replace('<c r="B2" s="3" cm="1">', '<c r="B2" s="3" cm="1">').replace("<v>1</v>", "<v>9</v>")),
    (CellPatch(2, 2, "str", "x&y", 0), ROW.replace('<c r="B2" s="3" cm="1"><f ca="1">A1+1</f><v>1</v>', '<c r="B2" t="str" cm="1"><v>x&amp;y</v>')),
    (CellPatch(2, 4, "", None, 0), ROW.replace('<c r="D2" t="s"><v>0</v></c>', '<c r="D2"/>')),
    (CellPatch(2, 4, "", "4", 1, "2+2"), ROW.replace('<c r="D2" t="s"><v>0</v></c>', '<c r="D2" s="1"><f>2+2</f><v>4</v></c>')),
    (CellPatch(2, 3, "", "7", 0), ROW.replace(' spans="1:9"', "").replace('<c r="D2"', '<c r="C2"><v>7</v></c><c r="D2"')),
    (CellPatch(2, 9, "", "7", 0), ROW.replace(' spans="1:9"', "").replace("</row>", '<c r="I2"><v>7</v></c></row>')),
    (CellPatch(1, 1, "", "7", 0), '<row r="1"><c r="A1"><v>7</v></c></row>' + ROW),
    (CellPatch(9, 1, "", "7", 0), ROW + '<row r="9"><c r="A9"><v>7</v></c></row>'),
]  # fmt: skip


@pytest.mark.parametrize(("patch", "expected"), CASES)
def test_not_one_byte_more(patch, expected):
    data = part(ROW, before="<odd a='1'/>", after="<tail  x = '2' />")
    assert patch_cells(data, [patch]) == data.replace(ROW.encode(), expected.encode())


def test_prefixes_and_empty_sheets():
    data = b"<x:worksheet xmlns:x='u'><x:sheetData /><x:tail/></x:worksheet>"
    made = splice_cells(data, [CellPatch(3, 1, "", "7", 0)])
    assert (
        made
        == b'<x:worksheet xmlns:x=\'u\'><x:sheetData><x:row r="3"><x:c r="A3"><x:v>7</x:v></x:c></x:row></x:sheetData><x:tail/></x:worksheet>'
    )
    again = splice_cells(made, [CellPatch(3, 1, "", "8", 0), CellPatch(3, 2, "", "9", 0)])
    assert b'<x:row r="3"><x:c r="A3"><x:v>8</x:v></x:c><x:c r="B3"><x:v>9</x:v></x:c></x:row>' in again


@pytest.mark.parametrize(
    "rows",
    [
        "<row><c r='A1'/></row>",
        '<row r="2"/><row r="1"/>',
        '<row r="5"><c/></row>',
        '<row r="5"><c r="B5"/><c r="A5"/></row>',
        "<!-- x -->",
        "<?pi?>",
        '<row r="5">',
    ],
)
def test_odd_forms_are_rebuilt_instead(rows):
    data = part(rows)
    with pytest.raises(Unusual):
        splice_cells(data, [CellPatch(5, 2, "", "7", 0)])
