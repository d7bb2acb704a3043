"""Formulas filled down as patterns, lines that move, and what changes of sheets and tables mean for a text."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.cells import Area
from tinquire.cells.shifting import Removal, Shift
from tinquire.formula.language.mentions import behind_bracket, down_pattern, offset_text
from tinquire.formula.language.reference_changes import (
    GoneSheets,
    RenamedSheet,
    RenamedTables,
    ShiftedLines,
    TableColumns,
)

FILLED = [
    "B2*2", "SUM($B$2:B2)", "SUM(B$2:$B9)+'a %d b'!C3", 'IF(A1>0,"A1 50%",A2)', "VLOOKUP(A2,Rates!$A:$B,2,FALSE)",
    "Things[[#This Row],[A1]]*B7", "$2:2", "LOG10(A10)+1E5", "ROUND(A2*1.175,2)", "TODAY()", "A2%", "[1]Book!A2",
]  # fmt: skip


@pytest.mark.parametrize("text", FILLED)
@given(st.integers(1, 500), st.integers(1, 40))
def test_a_pattern_gives_what_filling_down_gives(text, row, count):
    here = offset_text(text, row, 0)
    pattern = down_pattern(here, row)
    assert pattern is not None
    expected = "".join(offset_text(here, n, 0) + "\n" for n in range(count))
    assert pattern.texts(row, count) == expected.encode()


@pytest.mark.parametrize(
    ("text", "rows", "columns", "moved"),
    [
        ("A1048576", 1, 0, "#REF!"), ("A1", -1, 0, "#REF!"), ("XFD1", 0, 1, "#REF!"), ("A$1048576", 5, 0, "A$1048576"),
        ("A1048577+B2", 1, 0, "A1048577+B3"), ("XFE1+B2", 0, 1, "XFE1+C2"), ("SUM(A1048575:B1048576)", 1, 0, "SUM(#REF!)"),
        ("S!A1048576*2", 1, 0, "S!#REF!*2"), ("1048576:1048576", 1, 0, "#REF!"),
    ],
)  # fmt: skip
def test_a_reference_that_leaves_the_grid(text, rows, columns, moved):
    assert offset_text(text, rows, columns) == moved


def test_a_text_that_spells_rows_oddly_has_no_pattern():
    assert down_pattern("A007+1", 7) is None
    assert behind_bracket("[a'][b]]", 0) == 8 and behind_bracket("[a[b]", 0) is None


@given(st.sets(st.integers(1, 30), max_size=12), st.integers(1, 30), st.integers(0, 12))
def test_lines_taken_out_at_once_are_those_taken_out_one_by_one(lines, top, height):
    area = Area(top, 1, top + height, 2)
    removal = Removal(tuple(sorted(lines)))
    one_by_one: Area | None = area
    for line in sorted(lines, reverse=True):
        one_by_one = one_by_one and Shift(line, -1).area(one_by_one)
    assert removal.area(area) == one_by_one
    left = [row for row in range(top, top + height + 1) if row not in lines]
    assert removal.survivor(top, top + height) == (left[0] if left else None)
    assert removal.cuts(area) == (0 < len(left) < height + 1)
    assert [removal.line(row) for row in left] == [removal.position(row) for row in left]


#: A change, a formula on sheet `Data`, and what it becomes.
FOLLOWED = [
    (ShiftedLines("Data", Shift(3, 2)), "A1+A3+SUM(A1:A9)+Other!A3+Data!$A$4", "A1+A5+SUM(A1:A11)+Other!A3+Data!$A$6"),
    (ShiftedLines("Data", Shift(3, -1)), "A3+A2:A3+A4+3:3+A:A", "#REF!+A2:A2+A3+#REF!+A:A"),
    (ShiftedLines("data", Shift(2, 1, rows=False)), "B1+$B:$C+1:1+A1", "C1+$C:$D+1:1+A1"),
    (ShiftedLines("Data", Shift(1, 1)), '"A1"&A1+[1]Data!A1+Data:Last!A1', '"A1"&A2+[1]Data!A1+Data:Last!A1'),
    (RenamedSheet("Data", "My data"), "Data!A1+'data'!B2+DATA:Last!C3+Database!A1", "'My data'!A1+'My data'!B2+'My data:Last'!C3+Database!A1"),
    (RenamedSheet("My data", "D"), "'My data'!A1+'[1]My data'!A1", "D!A1+'[1]My data'!A1"),
    (GoneSheets(["Data"], ["Data", "B", "C"], ["Things"]), "Data!A1+Data:C!A1+Things[x]+B!A1+Data!rate", "#REF!+'B:C'!A1+#REF!+B!A1+#REF!"),
    (GoneSheets(["B"], ["Data", "B"]), "SUM(Data:B!A1)+B!$1:$2", "SUM(Data!A1)+#REF!"),
    (RenamedTables({"things": "Things_2"}, RenamedSheet("Data", "Copy")), "SUM(things[x])+Data!A1+Things!A1", "SUM(Things_2[x])+Copy!A1+Things!A1"),
    (TableColumns("Things", {"x": "new [y]"}), "Things[x]+THINGS[[#This Row],[X]]+Other[x]+Things[x y]", "Things[new '[y']]+THINGS[[#This Row],[new '[y']]]+Other[x]+Things[x y]"),
    (TableColumns("Things", {"x": None}), "SUM(Things[x])+Things[[x]:[z]]+Things[y]", "SUM(#REF!)+#REF!+Things[y]"),
]  # fmt: skip


@pytest.mark.parametrize(("following", "text", "expected"), FOLLOWED)
def test_references_follow(following, text, expected):
    assert following.formula(text, "Data") == expected
    assert following.formula("1+1", "Data") == "1+1"
    assert following.may_change(b"<f>Data!A1 things My data B</f>", "Data")
