"""The language apart from values: trees, text, columns at once, order, slots, criteria."""

from __future__ import annotations

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tinquire.cells import Area, CellError, Column
from tinquire.formula import parse, write
from tinquire.formula.engine.criteria import criterion, wildcard_pattern, wildcard_search
from tinquire.formula.engine.dependency_order import Work, batches, reads_itself
from tinquire.formula.language.stored import bare_text, stored_text
from tinquire.formula.language.tree import Call, Coordinate, Reference, RowsOf, TableReference, walk
from tinquire.formula.language.writing import replace_nodes
from tinquire.slots.slots import FilledSlot, UnfilledSlot, cut_text, fill_text, only_slot, slot_name, split_slots
from worlds import column_of, filled_down

ROUND_TRIPS = [
    "1+2*3", "(1+2)*3", "1-(2-3)", "1-2-3", "2^(3^2)", "(2^3)^2", "-2^2", "-(2^2)", "(1+2)%", "A1:B2", "$A$1", "A:C",
    "$1:3", "'My sheet'!A1", "Charges[Charge]", "Charges[[#This Row],[Pieces]]", "Charges[[#Totals],[A]:[B]]",
    "Charges[[A]:[B]]", "Charges[#All]", "Charges[[#Headers],[#Data]]", "SUM(A1,,2)", "IF(A1=\"x\",TRUE,#N/A)",
    '"say ""hi"""', "{1,2;3,-4}", "1.5E+20", "A1&B1&C1", "(A1=B1)=C1", "NOT(A1)", "rate", "Sheet2!rate", "[Weight kg]",
    "t[a'[b'] ''c]", "A1#", "#REF!#",
]  # fmt: skip


@pytest.mark.parametrize("text", ROUND_TRIPS)
def test_written_as_it_was_read(text):
    tree = parse(text, 5, 5)
    written = write(tree, 5, 5)
    assert parse(written, 5, 5) == tree
    needless = {"(2^3)^2": "2^3^2", "(A1=B1)=C1": "A1=B1=C1", "1.5E+20": "150000000000000000000"}
    assert written == needless.get(text, text)


leaves = st.one_of(
    st.floats(0, 1e6).map(lambda n: f"{n:.3f}"),
    st.sampled_from(["A1", "$B$2", "C$3", "x_y", '"t"', "TRUE", "#N/A", "t[c]", "A1:B9"]),
)
formulas = st.recursive(
    leaves,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/", "^", "&", "=", "<>", "<="]), inner).map("".join),
        inner.map(lambda text: f"({text})"),
        inner.map(lambda text: f"-{text}"),
        inner.map(lambda text: f"({text})%"),
        st.lists(inner, max_size=3).map(lambda parts: f"SUM({','.join(parts)})"),
    ),
    max_leaves=12,
)


@given(formulas)
def test_any_formula_is_written_as_the_same_tree(text):
    tree = parse(text, 9, 9)
    assert parse(write(tree, 9, 9), 9, 9) == tree


@given(formulas, st.integers(1, 50), st.integers(1, 50))
def test_filled_down_formulas_have_equal_trees(text, row, column):
    tree = parse(text, 9, 9)
    assert parse(write(tree, 9 + row, 9 + column), 9 + row, 9 + column) == tree


def test_references_off_the_grid_become_the_error():
    assert write(parse("A1", 2, 1), 1, 1) == "#REF!"
    assert write(parse("Other!A1", 2, 1), 1, 1) == "Other!#REF!"


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("[Charge]", TableReference(None, "Charge", "Charge", (RowsOf.DATA,), bare=True)),
        ("[@Charge]", TableReference(None, "Charge", "Charge", (RowsOf.THIS,))),
        ("[@[Weight kg]]", TableReference(None, "Weight kg", "Weight kg", (RowsOf.THIS,))),
        ("t[[#Headers],[a]:[b]]", TableReference("t", "a", "b", (RowsOf.HEADERS,))),
        ("t[]", TableReference("t", None, None, (RowsOf.DATA,))),
        ("t[#Totals]", TableReference("t", None, None, (RowsOf.TOTALS,))),
        ("t[a'#b]", TableReference("t", "a#b", "a#b", (RowsOf.DATA,))),
    ],
)
def test_table_references(text, expected):
    assert parse(text) == expected


def test_coordinates_are_relative_unless_fixed():
    assert parse("$B3", 5, 5) == Reference(
        None, Coordinate(-2, False), Coordinate(2, True), Coordinate(-2, False), Coordinate(2, True)
    )


def test_parts_of_a_tree_are_walked_and_exchanged():
    tree = parse("SUM(a,-b,c+d)")
    assert [node.name for node in walk(tree) if hasattr(node, "name")] == ["a", "b", "c", "d"]
    changed = replace_nodes(tree, lambda node: parse("1") if getattr(node, "name", "") == "b" else None)
    assert write(changed) == "SUM(a,-1,c+d)"
    assert isinstance(changed, Call)


# -- columns at once -------------------------------------------------------------------------------------

cell_values = st.one_of(
    st.none(),
    st.floats(-1e6, 1e6).map(lambda number: round(number, 2)),
    st.sampled_from(["bed", "Bath", "7", "", "TRUE", CellError.NA, CellError.DIV0]),
    st.booleans(),
)
DOWN = [
    "A1*B1-1", "A1&B1", "A1=B1", "A1<B1", "IF(A1>B1,A1,B1)", "IFERROR(A1/B1,0)", "SUM(A1:B1)", "SUM(A1:A2)",
    "SUM($A$1:A1)", "COUNTA(A1:B2)", "AND(A1,B1)", "OR(A1:B1)", "VLOOKUP(A1,$A$1:$B$6,2,FALSE)", "MATCH(A1,$B$1:$B$6,0)",
    "INDEX($A$1:$A$6,B1)", "SUMIFS($A$1:$A$6,$B$1:$B$6,B1)", "COUNTIFS($A$1:$A$6,A1)", "ROUND(A1,1)", "LEFT(A1,2)",
    'TEXT(A1,"0.0")', "$A$2+A1", "MAX(A1,$B$1:$B$3)", "AVERAGE(A1:B1)", "IF(ISNUMBER(A1),A1,$A$1:$A$6)", "NOT(A1)",
    "-A1%", "A1^2", "A1:A3", "A1:B2", "SUM(COUNTIFS($A$1:$A$6,{1,2}))", "MIN(A1:B3,4)", "CONCATENATE(A1,B1)", "MATCH(A1,$A$1:$A$6)",
]  # fmt: skip


@settings(max_examples=25, deadline=None)
@given(st.lists(cell_values, min_size=6, max_size=6), st.lists(cell_values, min_size=6, max_size=6))
@example([None, None, None, None, None, 2.0], [None] * 6)
@pytest.mark.parametrize("formula", DOWN)
def test_a_column_at_once_is_what_its_cells_are_one_by_one(formula, left, right):
    at_once, singly = filled_down(formula, column_of(left) | column_of(right, "B"), "C1", 5)
    for a, b in zip(at_once, singly, strict=True):
        assert type(a) is type(b)
        assert a == pytest.approx(b) if isinstance(a, float) else a == b


# -- order -----------------------------------------------------------------------------------------------


def works(*pairs):
    """Works from ('C1:C9', ['A1:A9', ...]) on one sheet."""
    from tinquire.cells import parse_area

    return [Work(("S", parse_area(fills)), tuple(("S", parse_area(area)) for area in reads)) for fills, reads in pairs]


@pytest.mark.parametrize(
    ("pairs", "expected"),
    [
        ([("C1:C9", ["B1:B9"]), ("B1:B9", ["A1:A9"])], [(1,), (0,)]),
        ([("A1", []), ("B1", ["A1"]), ("C1", ["B1"])], [(0,), (1,), (2,)]),
        ([("A1", ["B1"]), ("B1", ["A1"])], [(0, 1)]),
        ([("A1", ["B1"]), ("B1", ["C1"]), ("C1", ["A1"]), ("D1", ["A1"])], [(0, 1, 2), (3,)]),
        ([("B2:B9", ["B1:B8"])], [(0,)]),
        ([("C1", ["A1:B1048576"]), ("B500", ["A1"])], [(1,), (0,)]),
        ([("C1", ["D1:XFD1048576"]), ("B1", [])], [(0,), (1,)]),
    ],
)
def test_batches_put_inputs_first(pairs, expected):
    assert batches(works(*pairs)) == expected


def test_a_chain_of_ten_thousand_is_ordered_without_deep_recursion():
    chain = [Work(("S", Area(n, 1, n, 1)), (("S", Area(n + 1, 1, n + 1, 1)),)) for n in range(1, 10_001)]
    assert batches(chain) == [(n,) for n in reversed(range(10_000))]


def test_a_running_total_reads_its_own_cells():
    assert [reads_itself(work) for work in works(("B2:B9", ["B1:B8"]), ("B2:B9", ["A1:A9"]))] == [True, False]


# -- slots -----------------------------------------------------------------------------------------------


def resolve(slot):
    known = {"total": 1234.5, "name": "Ada Merrin", "file.stem": "pickups-harbour", "wrong": CellError.NA}
    if slot.inside not in known:
        return UnfilledSlot(slot, "there is no name so")
    value = known[slot.inside]
    if slot.cuts:
        value = cut_text(value, slot)
        if value is None:
            return UnfilledSlot(slot, "the mark is missing")
    return FilledSlot(value, slot.format if slot.format and not slot.word else "General")


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("no slot", "no slot"),
        ("[:total:]", "1234.5"),
        ("[:total as #,##0.00:]", "1,234.50"),
        ("sum: [:total:], [:name:]", "sum: 1234.5, Ada Merrin"),
        ("[:name as upper:]", "ADA MERRIN"),
        ("[:name before ' ':]", "Ada"),
        ("[:file.stem after 'pickups-' as title:]", "Harbour"),
        ("[:name after 'Ada ' before 'r':]", "Me"),
        ("[:name before '#':]", "Ada Merrin"),
        ("[ :total: ]", "[ :total: ]"),
    ],
)
def test_slots_in_texts(text, expected):
    assert fill_text(text, resolve) == (expected, ())


def test_slots_that_nothing_fills_are_all_named():
    _, unfilled = fill_text("[:a:] [:total:] [:wrong:] [:name after '#':]", resolve)
    assert [(one.slot.written, one.why) for one in unfilled] == [
        ("[:a:]", "there is no name so"), ("[:wrong:]", "it gives the error value #N/A"),
        ("[:name after '#':]", "the mark is missing"),
    ]  # fmt: skip


def test_a_slot_alone_keeps_its_kind_and_may_live():
    assert only_slot(" [:total:] ").inside == "total"
    assert only_slot("x [:total:]") is None
    assert only_slot("[:=SUM(t[a]) as 0.0:]").living == "SUM(t[a])"
    assert only_slot("[:a as b as c:]").format == "c"
    assert split_slots("") == ()
    assert slot_name(" Total  charged ") == slot_name("total_charged")


# -- criteria --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("pattern", "text", "matches"),
    [("b*", "bed", True), ("b?d", "bed", True), ("b?d", "bread", False), ("~*", "*", True), ("~*", "x", False), ("*", "", True),
     ("a**b", "ab", True), ("a.b", "axb", False), ("", "x", False), ("B*", "bed", True), ("~~", "~", True), ("a~", "a~", True)],
)  # fmt: skip
def test_wildcards(pattern, text, matches):
    assert bool(wildcard_pattern(pattern).match(text)) is matches


def _matches(pattern, text):
    """The plain way: every place for every star."""
    if not pattern:
        return not text
    if pattern[0] == "*":
        return any(_matches(pattern[1:], text[n:]) for n in range(len(text) + 1))
    return bool(text) and pattern[0] in ("?", text[0]) and _matches(pattern[1:], text[1:])


@given(st.text("ab*?", max_size=7), st.text("ab", max_size=8), st.integers(0, 3))
@example("*a" * 12 + "b", "a" * 3_000, 0)  # minutes, if every place is tried for every star
def test_wildcards_take_time_linear_in_the_text(pattern, text, start):
    whole, found = bool(wildcard_pattern(pattern).match(text)), wildcard_search(pattern, text, min(start, len(text)))
    if len(text) < 10:
        begins = range(min(start, len(text)), len(text) + 1)
        assert whole is _matches(pattern, text)
        assert found == next((n for n in begins if _matches(f"{pattern}*", text[n:])), -1)
    else:
        assert not whole and found == -1


@given(st.lists(cell_values, max_size=20), cell_values)
def test_equal_and_unequal_criteria_split_the_values(items, wanted):
    column = Column.from_values(items)
    if isinstance(wanted, str | float) and not isinstance(wanted, bool) and wanted != "":
        text = wanted if isinstance(wanted, str) else repr(wanted)
        equal, unequal = criterion(f"={text}").mask(column), criterion(f"<>{text}").mask(column)
        assert (equal ^ unequal).all()


@pytest.mark.parametrize(
    ("text", "stored"),
    [
        ("SUM(A1)", "SUM(A1)"),
        ("XLOOKUP(A1,B:B,C:C)", "_xlfn.XLOOKUP(A1,B:B,C:C)"),
        ("SUM(FILTER(A1:A9,B1:B9>1))", "SUM(_xlfn._xlws.FILTER(A1:A9,B1:B9>1))"),
        ('IFNA(A1,"IFNA(")&STDEV.S(A:A)', '_xlfn.IFNA(A1,"IFNA(")&_xlfn.STDEV.S(A:A)'),
        ("LET(net,A1,net*(1+rate))", "_xlfn.LET(_xlpm.net,A1,_xlpm.net*(1+rate))"),
        ("LAMBDA(f,x,f(x))", "_xlfn.LAMBDA(_xlpm.f,_xlpm.x,_xlpm.f(_xlpm.x))"),
        ("_xlfn.CONCAT(A1,CONCAT(B1))", "_xlfn.CONCAT(A1,_xlfn.CONCAT(B1))"),
        ("SUM(", "SUM("),
    ],
)
def test_newer_functions_are_stored_with_their_prefix(text, stored):
    assert stored_text(text) == stored
    assert stored_text(stored) == stored
    if text != "SUM(":
        assert parse(stored) == parse(text)
    assert bare_text(stored) == bare_text(text)
