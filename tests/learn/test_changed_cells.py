"""Cells that changed, looked at in runs of rows, against all rows at once."""

from unittest.mock import patch

from hypothesis import given
from hypothesis import strategies as st

from tinquire.learn import prove
from tinquire.looks import Variation
from tinquire.looks.appearance import Edge, Edges
from tinquire.workbook import Sheet, Workbook

CELLS = st.dictionaries(
    st.tuples(st.integers(1, 400), st.integers(1, 5)),
    st.tuples(st.sampled_from([None, 1.0, True, "a", "=B1*2"]), st.integers(0, 3)),
    max_size=14,
)


def book_of(cells):
    book, sheet = Workbook.new(), Sheet("S")
    edge = Edge("thin", "000000")
    changes = [Variation(), Variation(bold=True), Variation(edges=Edges(top=edge, right=edge)), Variation(edges=Edges(bottom=edge, left=edge))]  # fmt: skip
    looks = [book.styles.vary(0, change) for change in changes]
    for (row, column), (value, look) in cells.items():
        formula = value[1:] if isinstance(value, str) and value.startswith("=") else None
        sheet.set(row, column, None if formula else value, style=looks[look], formula=formula)
    book.add_sheet(sheet)
    return book


@given(CELLS, CELLS)
def test_runs_of_rows_against_all_rows(before, changes):
    one, other = book_of(before), book_of({**before, **changes})
    arguments = (one, other, one.sheet("S"), other.sheet("S"))
    found = prove.changed_cells(*arguments)
    with patch.object(prove, "_APART", 1 << 30):
        assert found == prove.changed_cells(*arguments)
    with patch.object(prove, "_runs", lambda sheets, column, bottom: [(1, bottom)] if bottom else []):
        assert found == prove.changed_cells(*arguments)
