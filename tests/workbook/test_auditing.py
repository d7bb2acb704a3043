"""What a careful colleague would point at: each kind of finding, and sheets of which there is nothing to say."""

from __future__ import annotations

import pytest

from books import book_of
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.inspect.audit import audit
from tinquire.workbook.parts.defined_names import DefinedName


def column(letter, first, *contents):
    return {f"{letter}{row}": content for row, content in enumerate(contents, start=first) if content is not None}


NUMBERS = column("A", 1, "Pieces", 4.0, 6.0, 2.0, 1.0, 9.0)
TWICE = [f"=A{row}*2" for row in range(2, 7)]

#: Cells, and the findings expected: kind, cell, a word of what is said, a word of the remedy.
SHEETS = {
    "nothing": (NUMBERS | column("B", 1, "Twice", *TWICE) | {"A8": "=SUM(A2:A6)"}, []),
    "a formula unlike its neighbours": (
        NUMBERS | column("B", 1, "Twice", TWICE[0], TWICE[1], "=A4*3", TWICE[3], TWICE[4]),
        [("pattern", "B4", "=A4*3 differs", "=A4*2")],
    ),
    "a number among formulas": (
        NUMBERS | column("B", 1, "Twice", TWICE[0], TWICE[1], 5.0, TWICE[3], TWICE[4]),
        [("constant", "B4", "5 is a value", "=A4*2")],
    ),
    "two columns with two formulas": (NUMBERS | column("B", 1, "x", TWICE[0], TWICE[1], "=A4*3", "=A5*3", "=A6*3"), []),
    "a range that stops short": (
        NUMBERS | {"B9": "=SUM(A2:A5)"},
        [("range", "B9", "SUM(A2:A5) leaves out the number in A6, right below it", "A2:A6")],
    ),
    "a range that begins late": (NUMBERS | {"B9": "=AVERAGE(A3:A6)"}, [("range", "B9", "A2, right above it", "A2:A6")]),
    "a range that stops far too short": (
        NUMBERS | {"B9": "=SUM(A2:A4)"},
        [("range", "B9", "leaves out 2 numbers in A5:A6", "they belong in, write A2:A6")],
    ),
    "a total right below": (NUMBERS | {"A7": "=SUM(A2:A6)", "A8": "=A7*2"}, []),
    "a total over a total": (
        column("A", 1, "Pieces", 4.0, 6.0, "=SUM(A2:A3)", 2.0, 1.0, "=SUM(A2:A6)"),
        [("doubled", "A7", "adds up A4", "SUBTOTAL")],
    ),
    "a lookup that does not say how": (
        NUMBERS | {"C1": "=VLOOKUP(4,A1:B6,1)", "C2": "=MATCH(4,A1:A6)", "C3": "=MATCH(4,A1:A6,0)"},
        [("lookup", "C1", "VLOOKUP does not state", "FALSE"), ("lookup", "C2", "MATCH does not state", "write 0")],
    ),
    "an error that is hidden": (
        NUMBERS | {"C1": '=IFERROR(A1*2,"")', "C3": "=IFERROR(A2*2,0)"},
        [("swallowed", "C1", "IFERROR replaces #VALUE! with an empty text", "IFNA")],
    ),
    "errors": (
        {"A1": 0.0, "B1": "=1/A1", "B2": "=B1+1", "C5": "=B2"},
        [("error", "B1", "#DIV/0!", "fix"), ("error", "B2", "began in S!B1", "fix"), ("error", "C5", "began in S!B1", "fix")],
    ),
    "numbers and days that are texts": (
        column("A", 1, "Pieces", 4.0, "6", 2.0, "7") | column("B", 1, "Day", 46_296.0, "2026-10-02", 46_298.0) | column("C", 1, "Code", "12", "13"),
        [("day", "B3", "'2026-10-02' is a text that looks like a day", "value"), ("number", "A3", "'6' is a text", "value")],
    ),
    "an unknown function": ({"A1": "=WHATEVER(1)"}, [("unread", "A1", "WHATEVER is not known", "fix")]),
}  # fmt: skip


@pytest.mark.parametrize(("cells", "expected"), SHEETS.values(), ids=SHEETS)
def test_findings(cells, expected):
    book = book_of({"S": cells})
    recalculate(book)
    found = sorted(audit(book), key=lambda one: (one.kind, one.cell))
    assert [(one.kind, one.cell) for one in found] == [(kind, cell) for kind, cell, _, _ in sorted(expected)]
    for one, (_, _, says, do) in zip(found, sorted(expected), strict=True):
        assert says in one.says
        assert do in one.do
        assert one.sheet == "S"


def test_names_that_point_nowhere_are_found():
    names = [
        DefinedName("good", "S!$A$1"),
        DefinedName("lost", "S!#REF!"),
        DefinedName("gone", "Nowhere!$A$1"),
        DefinedName("twice", "LAMBDA(n,n*2)"),
    ]
    found = list(audit(book_of({"S": {"A1": 1.0}}, names=names)))
    assert [(one.kind, one.cell) for one in found] == [("name", "lost"), ("name", "gone")]


def test_findings_of_some_sheets_come_in_the_order_of_the_cells():
    cells = {"C3": "=1/0", "A1": "=1/0", "B2": "=1/0"}
    book = book_of({"S": cells, "T": cells})
    recalculate(book)
    assert [(one.sheet, one.cell) for one in audit(book, ["t"])] == [("T", "A1"), ("T", "B2"), ("T", "C3")]
