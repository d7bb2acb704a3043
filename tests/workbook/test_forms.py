"""Formulas by their relative form: the form itself, and cells of one form run together against each cell on its own."""

from __future__ import annotations

import math

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from books import book_of
from tinquire.cells.address import cell_name
from tinquire.formula import parse
from tinquire.formula.language.mentions import offset_text, relative_form
from tinquire.formula.language.problems import CycleError, FormulaError
from tinquire.formula.language.tree import Reference, children, walk
from tinquire.workbook.calc import runner as runners
from tinquire.workbook.calc import typed_numbers
from tinquire.workbook.calc.plan import make_plan
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.calc.results import Recalculation
from tinquire.workbook.calc.scope import BookScope

#: Pieces of formulas, those that only look like references among them.
PIECES = st.sampled_from([
    "A1", "$B2", "C$3", "$D$4", "B2:C3", "A$1:A4", "A:B", "$C:D", "2:3", "$1:4", "XFE1", "a1", "A01", '"A1"', "Data!A1",
    "'A1 b'!B2", "Q1!A1", "Q1:Q3!B2", "[1]Book!A1", "T[Col A1]", "LOG10(2)", "rate_A1", "A1B", "1E5", "2.5", "#REF!A1", "{1,2}",
])  # fmt: skip
TEXTS = st.lists(PIECES, min_size=1, max_size=4).map("+".join)
CELLS = st.tuples(st.integers(1, 9), st.integers(1, 9))


def seen_from(tree, row, column):
    """The nodes of a tree, references as the areas that a cell sees: a fixed corner may pass one that moves."""
    return [
        (node.sheet, sorted((node.top.at(row), node.bottom.at(row))), sorted((node.left.at(column), node.right.at(column))))
        if isinstance(node, Reference)
        else node if not children(node) else type(node)
        for node in walk(tree)
    ]  # fmt: skip


@given(TEXTS, CELLS, TEXTS, CELLS)
@settings(max_examples=400, deadline=None)
def test_equal_forms_are_equal_formulas(text, cell, other, second):
    """And a formula that was filled elsewhere keeps its form."""
    rows, columns = second[0] - cell[0], second[1] - cell[1]
    filled = offset_text(text, rows, columns)
    for candidate in (filled, other):
        if relative_form(text, *cell) == relative_form(candidate, *second):
            assert candidate == filled
            try:
                assert seen_from(parse(text, *cell), *second) == seen_from(parse(candidate, *second), *second)
            except FormulaError:
                with pytest.raises(FormulaError):
                    parse(candidate, *second)
    plain = not any(sign in text for sign in ("#", "a1", "A01", "XFE1"))
    if plain and "#REF!" not in filled:
        assert relative_form(filled, *second) == relative_form(text, *cell)


#: As the cell H8 writes them.
FORMULAS = [
    "G8+1", "H7*2", "G7-$A8", "IF(H7>G8,H7,G8)", "SUM(A8:D8)", "SUM(H5:H7)", "SUM(H$1:H7)", "ROUND(G8*1.1,1)", "A$1&G8",
    "COUNTIF($A$1:$D$6,A8)", "INDEX($A$1:$D$6,MOD(ROW(),5)+1,MOD(COLUMN(),3)+1)", "OFFSET($A$1,MOD(A8,5),1)+G8",
    "Other!H8+G8", "MAX(E8:G8,H7)", "VLOOKUP(A8,$A$1:$D$6,2,FALSE)", "ROW()+COLUMN(G8)", "AVERAGE(F7:H7)", "IF(A8=\"x\",G8,H7)",
    "H9+1", "I8", "SUMPRODUCT(A8:C8,A$1:C$1)", "IFERROR(1/G8,0)", "-H6%",
]  # fmt: skip
VALUES = st.one_of(st.integers(-3, 6).map(float), st.sampled_from(["x", True, 0.1, 2.5]))


@st.composite
def sheets(draw):
    """Values on the left, and formulas filled in blocks, across, down or here and there on the right."""
    cells = {}
    for row in range(1, 13):
        for column in range(1, 5):
            if draw(st.integers(0, 9)):
                cells[cell_name(row, column)] = draw(VALUES)
    for _ in range(draw(st.integers(1, 7))):
        text = draw(st.sampled_from(FORMULAS))
        top, left = draw(st.integers(2, 12)), draw(st.integers(5, 12))
        height, width = draw(st.sampled_from([(1, 6), (6, 1), (4, 4), (1, 1), (2, 5)]))
        step = draw(st.sampled_from([1, 1, 2]))
        for row in range(top, top + height * step, step):
            for column in range(left, left + width):
                moved = offset_text(text, row - 8, column - 8)
                if "#REF!" not in moved:
                    cells[cell_name(row, column)] = f"={moved}"
    return cells


def one_by_one(book):
    """Every formula cell on its own, in the order of what it reads."""
    scope = BookScope(book)
    runner = runners.Runner(book, scope, Recalculation())
    runner.rings.run_cells(make_plan(book, scope, []).members)


def outcome(cells, other, work):
    book = book_of({"S": cells, "Other": other})
    try:
        work(book)
    except CycleError:
        return "a ring"
    return {
        (sheet.name, row, column): sheet.value(row, column)
        for sheet in book.sheets()
        for column, held in sheet.columns.items()
        for row in held.rows.tolist()
    }


def same(a, b):
    if isinstance(a, float) and isinstance(b, float) and not isinstance(a, bool):
        return math.isclose(a, b, rel_tol=1e-13, abs_tol=1e-13)
    return type(a) is type(b) and a == b


#: Two forms that follow each other in rows, and cells of a ring of forms that read nothing of each other.
ACROSS = {f"{after}2": f"={before}2+1" for before, after in zip("DEFGHI", "EFGHIJ", strict=True)}
TOTALS = {"K2": "=SUM(K$1:K1)"} | {f"{column}3": f"=SUM({column}$1:{column}2)" for column in "EFGHIJ"}


@pytest.mark.parametrize("few", [0, 12])
@example(ACROSS, ACROSS | TOTALS)
@given(sheets(), sheets())
@settings(max_examples=120, deadline=None)
def test_cells_run_together_are_what_they_are_one_by_one(few, cells, other):
    """With few cells run on plain numbers, and without."""
    if any("OFFSET" in str(content) for content in (*cells.values(), *other.values())):
        cells, other = (
            {name: content for name, content in one.items() if "OFFSET" not in str(content)} for one in (cells, other)
        )
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(runners, "_FEW_CELLS", few)
        together = outcome(cells, other, recalculate)
    singly = outcome(cells, other, one_by_one)
    assert type(together) is type(singly), (together, singly)
    if isinstance(together, dict):
        differing = {key: (together[key], singly[key]) for key in singly if not same(together[key], singly[key])}
        assert not differing


#: Formulas with numbers typed into them, as the cell in row {r} writes them.
TYPED = [
    "B{r}*{0}+{1}", "ROUND(B{r}*{0},2)-SUM(B{r}:D{r})", "IF(C{r}>{0},D{r},{1}/B{r})", "E{p}*{0}%-{1}", 'B{r}&" of {0} and "&{1}',
    "INDEX($A$1:$D$6,{2},2)*{0}", "VLOOKUP({2},$A$1:$D$6,{3})+{0}", "MAX({0},B{r},-{1})", "SUMIF(B:B,{2})+{0}", "{0}^{3}",
    "MOD(B{r},{2})", "CHOOSE({3},B{r},{0})", "IFERROR({0}/C{r},{1})", "Other!B{p}*{0}", "SUM({{1,2}})*{0}", "LET(x,{0},x+B{r})", "LOG10({0})",
]  # fmt: skip
NUMBERS = st.sampled_from(["0", "1", "2", "3", "0.5", ".25", "1.", "1E3", "2.5e-3", "17", "1000000", "007"])


@st.composite
def typed(draw):
    """Rows of which each has formulas of a few kinds with its own numbers."""
    kinds = draw(st.lists(st.sampled_from(TYPED), min_size=1, max_size=3))
    cells = {f"{column}{row}": draw(VALUES) for row in range(1, 7) for column in "ABCD"}
    for row in range(2, draw(st.integers(4, 20))):
        for column, kind in enumerate(kinds, start=5):
            if draw(st.integers(0, 6)):
                numbers = [draw(NUMBERS), draw(NUMBERS), draw(st.integers(0, 4)), draw(st.integers(1, 3))]
                cells[cell_name(row, column)] = "=" + kind.format(*numbers, r=row, p=row - 1)
    return cells


def recalculated(cells, least):
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(typed_numbers, "_MANY", least)
        report = None

        def work(book):
            nonlocal report
            report = recalculate(book)

        found = outcome(cells, {"B2": 3.0, "A1": 2.0}, work)
    errors = sorted((note.cell, note.formula, note.says) for note in report.errors)
    return found, errors, report.formulas, report.changed, [note.cell for note in report.skipped]


@given(typed())
@settings(max_examples=150, deadline=None)
def test_formulas_that_differ_in_numbers_are_what_they_are_apart(cells):
    assert recalculated(cells, 2) == recalculated(cells, 10**9)


def test_many_formulas_with_numbers_of_their_own_are_one():
    cells = {f"B{row}": float(row) for row in range(1, 61)}
    cells |= {f"E{row}": f"=ROUND(B{row}*{row / 8}+{row},2)" for row in range(1, 61)}
    cells |= {f"F{row}": f"=INDEX(B$1:B$60,{row % 2 + 1})+{row}" for row in range(1, 61)}
    book = book_of({"S": cells})
    assert (
        len(make_plan(book, BookScope(book), []).members) == 3
    )  # one column, and one scatter for each place looked up
    recalculate(book)
    assert book.sheet("S").value(40, 5) == 40 * 5 + 40
    assert book.sheet("S").value(7, 6) == 2 + 7
