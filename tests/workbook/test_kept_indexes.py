"""What is worked out of areas and kept for other formulas: it is used again, and never after a cell of it changed."""

from unittest.mock import patch

from hypothesis import given, settings
from hypothesis import strategies as st

from tinquire.cells.address import Area, column_name
from tinquire.cells.column import Column
from tinquire.cells.values import CellError
from tinquire.formula.engine import indexes
from tinquire.formula.engine.indexes import AreaIndexes
from tinquire.formula.engine.operands import Span
from tinquire.formula.functions import conditional
from tinquire.formula.language.problems import CycleError
from tinquire.workbook import Formula, Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate

ROWS = 30
#: Ranges, and from which block of formulas on they may be read: their cells hold results of those before.
RANGES = {
    "A1:A30": 0, "B1:B30": 0, "$A$1:$B$15": 0, "Data!C1:C30": 1, "Data!C:C": 1, "Data!D1:D30": 3, "Board!C2:C31": 2,
    "E1:E30": 6,
}  # fmt: skip
CALLS = (
    "SUMIFS({1},{0},A{row})", "SUMIFS({1},{0},A{row},{2},1)", 'COUNTIFS({0},"<>x",{1},B{row})', "COUNTIF({0},B{row})",
    "AVERAGEIFS({1},{0},A{row})", "IFERROR(MATCH(B{row},{0},0),-1)", "IFERROR(XMATCH(B{row},{0}),-1)",
    "IFERROR(VLOOKUP(B{row},{0},1,FALSE),-2)", "SUMIF({0},A{row},{1})", "SUM({0})+ROW()",
    'SUMIFS(INDIRECT("{after}"),{0},A{row})', 'COUNTIFS(INDIRECT("{after}"),">2")+SUMIFS(INDIRECT("{after}"),{0},A{row})',
)  # fmt: skip
ranges = st.sampled_from(sorted(RANGES))
blocks = st.lists(
    st.tuples(st.sampled_from(CALLS), ranges, ranges, ranges, st.booleans(), st.sampled_from([4, 14, 20])),
    min_size=3, max_size=10,
)  # fmt: skip


def written(given_blocks):
    """Blocks of formulas side by side on two sheets, which may read each other's results but none of those after
    them; formulas of one form may lie apart, or below each other."""
    book = Workbook.new()
    data, board = Sheet("Data"), Sheet("Board")
    for sheet in (data, board):
        for row in range(1, ROWS + 1):
            sheet.set(row, 1, ("x", "y", 1.0, None, "Y", 2.0)[row % 6])
            sheet.set(row, 2, (1.0, 2.0, "x", 1.0)[row % 4])
    for number, (call, *names, scattered, height) in enumerate(given_blocks):
        sheet, column = (data, board)[number % 2], 3 + number // 2
        # What INDIRECT reads is run after it, and it again.
        after = f"{('Board', 'Data')[number % 2]}!{column_name(3 + (number + 1) // 2)}1:{column_name(3 + (number + 1) // 2)}30"
        for row in range(1, height + 1):
            text = call.format(*(name if RANGES[name] <= number else "A1:A30" for name in names), row=row, after=after)
            at = row + (row > 7) if scattered else row
            sheet.set(at, column, None, formula=text)
    book.add_sheet(data)
    book.add_sheet(board)
    return book.to_bytes()


def results(data):
    book = Workbook.from_bytes(data, "t.xlsx")
    try:
        recalculate(book)
    except CycleError as ring:
        return str(ring)
    return [sheet.column(column, 1, ROWS + 2).to_list() for sheet in book.sheets() for column in range(1, 10)]


@settings(max_examples=60, deadline=None)
@given(blocks)
def test_kept_or_made_anew_is_the_same(given_blocks):
    data = written(given_blocks)
    with patch.object(AreaIndexes, "made", lambda self, what, spans, cells, make: make()):
        anew = results(data)
    assert results(data) == anew
    with patch.object(indexes, "_MOST", 2):
        assert results(data) == anew


def test_what_is_kept_is_forgotten_with_a_cell_of_it():
    kept, made = AreaIndexes(), []

    def ask(*spans, what="keys"):
        return kept.made(what, spans, 10, lambda: made.append(spans) or len(made))

    left, right = Span("Data", Area(1, 1, 10, 1)), Span("Other", Area(1, 3, 10, 3))
    assert [ask(left), ask(left, right), ask(left), ask(Span("DATA", left.area)), ask(left, what="sums")] == [
        1,
        2,
        1,
        1,
        3,
    ]
    kept.forget("Data", Area(1, 2, 99, 9))
    kept.forget("None", left.area)
    assert [ask(left), ask(left, right)] == [1, 2]
    kept.forget("other", Area(10, 1, 10, 3))
    assert [ask(left), ask(left, right)] == [1, 4]
    kept.forget("Data", Area(5, 1, 5, 1))
    assert [ask(left), ask(left, right)] == [5, 6]
    with patch.object(indexes, "_MOST_CELLS", 25):
        assert ask(right) == 7 and ask(left) == 8, "too many cells: all are made anew"


def test_formulas_of_several_blocks_share_what_is_worked_out():
    book = Workbook.new()
    data, board = Sheet("Data"), Sheet("Board")
    for row in range(1, 81):
        data.set(row, 1, f"Depot {row % 5}")
        data.set(row, 2, float(row))
    for column in range(2, 6):
        for row in range(1, 21):
            board.set(row, 1, f"Depot {row % 5}")
            board.set(row, column, None, formula=f"SUMIFS(Data!$B$1:$B$80,Data!$A$1:$A$80,$A{row})+{column}")
    book.add_sheet(data)
    book.add_sheet(board)
    made = []

    def counted(self, what, spans, cells, make):
        made.append(what[0])
        return plain(self, what, spans, cells, lambda: made.append("made") or make())

    plain = AreaIndexes.made
    with patch.object(AreaIndexes, "made", counted):
        recalculate(book)
    assert made.count("groups") == 4 and made.count("made") == 2  # the sums, and what the ranges hold
    assert board.value(1, 2) - 2 == sum(row for row in range(1, 81) if row % 5 == 1)


KEYS = [
    "Depot",
    "DEPOT",
    "depot ",
    "ß",
    "ss",
    "K",
    "\u212a",
    "k",
    1.0,
    "1",
    True,
    "*",
    "de?ot",
    "",
    None,
    ">1",
    "<>k",
    "=k",
]


@settings(max_examples=120, deadline=None)
@given(
    st.lists(st.sampled_from(KEYS), min_size=1, max_size=25),
    st.one_of(st.lists(st.sampled_from(KEYS), min_size=13, max_size=20), st.lists(st.sampled_from(KEYS[:1] + KEYS[7:8] + ["q"]), min_size=13, max_size=20)),
    st.sampled_from(["SUMIFS($B$1:$B$30,$A$1:$A$30,D{row})", "COUNTIFS($A$1:$A$30,D{row})", "AVERAGEIFS($B$1:$B$30,$A$1:$A$30,D{row})", "SUMIFS($B$1:$B$30,$A$1:$A$30,D{row},$C$1:$C$30,$D$1)", "COUNTIFS($A$1:$A$30,D{row},$C$1:$C$30,D{row})"]),
    st.lists(st.sampled_from([0.1, -0.0, 7.0, 1e308, None, "9", True, CellError.DIV0]), max_size=6),
)  # fmt: skip
def test_many_criteria_at_once_are_each_by_itself(values, asked, formula, odd):
    found = []
    for many, few in ((conditional._MANY, conditional._FEW), (conditional._MANY, 0), (100, 0)):
        book = Workbook.new()
        sheet = Sheet("Data")
        sheet.put(1, 1, Column.from_values(values))
        sheet.put(1, 2, Column.from_values([*odd, *[float(2**n) for n in range(len(values))]][: len(values)]))
        sheet.put(1, 3, Column.from_values([values[-n // 2] for n in range(len(values))]))
        sheet.put(1, 4, Column.from_values(asked))
        sheet.put(1, 5, Column.blank(len(asked)), None, Formula(formula.format(row=1), 1, 5))
        book.add_sheet(sheet)
        with patch.object(conditional, "_MANY", many), patch.object(conditional, "_FEW", few):
            recalculate(book)
        found.append(sheet.column(5, 1, len(asked)).to_list())
    assert found[0] == found[1] == found[2]
