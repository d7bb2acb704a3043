"""Formulas met in real workbooks that once came out wrong, each with the result that it has to have."""

from __future__ import annotations

import pytest

from books import book_of
from tinquire.cells import CellError
from tinquire.cells.address import parse_cell
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.parts.defined_names import DefinedName

#: `A` holds 1 to 5, `B` three texts, `C1:C3` 1 to 3; sheet T holds 10, 20, 30.
CELLS = {
    **{f"A{n}": float(n) for n in range(1, 6)}, **{f"B{n}": text for n, text in enumerate("abc", 1)},
    **{f"C{n}": float(n) for n in range(1, 4)},
}  # fmt: skip
OTHERS = {f"A{n}": n * 10.0 for n in range(1, 4)}
NAMES = [DefinedName("Both", "S!$A$1:$A$2,S!$A$4:$A$5"), DefinedName("Here", "S!$A$2:$A$4")]

FORMULAS = [
    # Ranges keep their size.
    ('COUNTIF(A1:A20,"")', 15), ("COUNTBLANK(A1:A20)", 15), ('COUNTIFS(A1:A20,"",B1:B20,"")', 15),
    ("SUMPRODUCT((A1:A9>0)*ROW(A1:A9))", 15), ("SUMPRODUCT(--(A2:A6<>A1:A5))", 5), ("SUMPRODUCT(MAX(A1:A5-A2:A6))", 5),
    ("SUMPRODUCT(A1:A9,T!A1:A9)", 140), ("CORREL(A1:A9,T!A1:A9)", 1), ("XLOOKUP(2,A1:A9,T!A1:A9)", 20),
    ('SUMPRODUCT(--AND(A1:A20<>""))', 0), ('SUMPRODUCT(--AND(A1:A5<>""))', 1), ('SUMPRODUCT(--(A1:A20=""))', 15),
    ("ROWS(A1:A20)", 20), ("INDEX(A1:A20,12)", 0), ("INDEX(A1:A20,21)", CellError.REF), ("XMATCH(3,A1:B20)", CellError.VALUE),
    ("SUMPRODUCT((A1:A9=T!A1:A9)*1)", 4), ("SUMIFS(A1:A20,B1:B20,\"\")", 9),
    # Areas and references.
    ("SUM(Both)", 12), ("AREAS(Both)", 2), ("SUM(Here)", 9), ("INDEX((A1:A2,B1:B3,A4:A5),2,1,3)", 5),
    ("SUM(INDEX((A1:A2,A4:A5),0,0,2))", 9), ('SUM(XLOOKUP("a",B1:B3,A1:A3):XLOOKUP("c",B1:B3,A1:A3))', 6),
    ('INDIRECT("R2C1",FALSE)', 2), ('SUM(INDIRECT("R1C1:R3C1",FALSE))', 6), ("SUM(OFFSET(A1,1,0,3,1))", 9),
    ('SUM(INDIRECT("C1:C1",FALSE))', 15), ('COUNT(INDIRECT("R2",FALSE))', 2), ('SUM(INDIRECT("T!R1:R2",FALSE))', 30),
    ('INDIRECT("R[-28]C[-5]",FALSE)', 2), ('SUM(INDIRECT("Here",FALSE))', 9), ('INDIRECT("R0C1",FALSE)', CellError.REF),
    ('INDIRECT("R1:C1",FALSE)', CellError.REF), ('INDIRECT("",FALSE)', CellError.REF),
    # Single functions.
    ("FIXED(25,-1,TRUE)", "30"), ("FIXED(-25,-1,TRUE)", "-30"), ("FIXED(2.5,0)", "3"), ("DOLLAR(25,-1)", "$30"),
    ("DOLLAR(-25,-1)", "($30)"), ('NETWORKDAYS.INTL(45000,45010,"1111111")', 0), ('ARABIC("")', 0), ('TEXT(5,"")', ""),
    ("SUMPRODUCT(SORTBY({1,2,3},{3,1,2})*{1,10,100})", 132), ('VALUE("2:30 PM")', 14.5 / 24), ('VALUE("12:15 am")', 0.25 / 24),
    ('DAY(DATEVALUE("3 March 2026"))', 3), ('MONTH(DATEVALUE("2026/11/02"))', 11), ('DATEVALUE("2-Nov-2026")', 46328),
]  # fmt: skip


def result(formula, cell="F30"):
    """A formula's result in a cell of sheet S."""
    book = book_of({"S": {**CELLS, cell: f"={formula}"}, "T": OTHERS}, names=NAMES)
    report = recalculate(book)
    assert not report.skipped
    return book.sheet("S").value(*parse_cell(cell))


@pytest.mark.parametrize(("formula", "expected"), FORMULAS)
def test_a_formula_of_a_real_workbook_has_its_result(formula, expected):
    found = result(formula)
    assert found == (pytest.approx(expected) if isinstance(expected, int | float) else expected)


#: What only asks for a place does not depend on the cell, and what is computed depends on what it really read.
NO_CIRCLES = [
    ("ROW(C4)", 4), ("COLUMN(C4)", 3), ("ROWS(C$1:C4)", 4), ("SUM(C1:INDEX(C:C,ROW()-1))", 6), ("SUM(OFFSET(C4,-3,0,3,1))", 6),
    ("COLUMNS(A4:C4)+ROWS(4:4)", 4), ("SUMPRODUCT(ROW(1:10))", 55), ('ADDRESS(ROW(C4),COLUMN(C4))', "$C$4"), ("AREAS(C4)", 1),
]  # fmt: skip


@pytest.mark.parametrize(("formula", "expected"), NO_CIRCLES)
def test_a_cell_may_ask_for_its_own_place(formula, expected):
    assert result(formula, "C4") == expected
