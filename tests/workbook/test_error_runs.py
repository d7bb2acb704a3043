"""Errors of runs of cells are those that the cells are in, each told once, by the run that came last."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tinquire.cells.values import CellError
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.errors import ErrorRun, standing
from tinquire.workbook.calc.recalculate import recalculate

RUNS = st.lists(
    st.tuples(st.sampled_from("AB"), st.integers(1, 3), st.sets(st.integers(1, 8), min_size=1).map(sorted)), max_size=6
)


@settings(max_examples=100, deadline=None)
@given(RUNS, st.sets(st.tuples(st.sampled_from("AB"), st.integers(1, 8), st.integers(1, 3))))
def test_each_error_once(runs, wrong):
    book = Workbook.new()
    for name in "AB":
        sheet = Sheet(name)
        for row in range(1, 9):
            for column in range(1, 4):
                sheet.set(row, column, CellError.NA if (name, row, column) in wrong else 1.0, None, f"ROW()+{column}")
        book.add_sheet(sheet)
    noted, wanted = [], {}
    for turn, (name, column, rows) in enumerate(runs):
        formulas, codes = book.sheet(name).formulas, np.full(len(rows), float(turn))
        numbers = np.array([3 * (row - 1) + column - 1 for row in rows])
        says = {float(turn): f"turn {turn}"}
        noted.append(ErrorRun(name, column, np.array(rows, np.int32), numbers, formulas, codes, says, {2: ", odd"}))
        for row in rows:
            told = (name, f"{' ABC'[column]}{row}", f"ROW()+{column}", f"turn {turn}" + ", odd" * (row == 2))
            wanted[name, row, column] = told
    errors = standing(noted, book)
    found = [(note.sheet, note.cell, note.formula, note.says) for note in errors]
    assert sorted(found) == sorted(told for cell, told in wanted.items() if cell in wrong)
    each = [errors[place] for place in range(-len(errors), 0)]
    for notes in (each, errors[:]):
        assert [(note.cell, note.says) for note in notes] == [(cell, says) for _, cell, _, says in found]


def test_a_whole_column_in_error_is_soon_told():
    book, sheet = Workbook.new(), Sheet("A")
    for row in (1, 2):
        sheet.set(row, 1, 1.0)
    book.add_sheet(sheet)
    sheet.set(1, 2, None)
    sheet.set_spilling(1, 3, "A1:A2/SEQUENCE(1048576)/(SEQUENCE(1048576)<3)")
    errors = recalculate(book).errors
    assert len(errors) == (1 << 20) - 2
    assert [(note.cell, note.says) for note in errors[::1_048_573]] == [
        ("C3", "it gives #N/A"),
        ("C1048576", "it gives #N/A"),
    ]
