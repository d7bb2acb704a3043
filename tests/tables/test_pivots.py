"""Pivots with fields brought together, ordered, cut and summed up in between, and values in relation to others."""

from __future__ import annotations

import math
import statistics

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_steps import rows, table

from tinquire.base.faults import DataError, UseError
from tinquire.cells import CellError
from tinquire.cells.ranks import rank_numbers
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import PivotField, PivotValue, Subtotals, make_pivot
from tinquire.tables.scope import TableScope, read_formula, scalar_value

SUM = PivotValue("Charge", Aggregation.SUM, "Charge")
#: Days 46296 to 46299 are 1 to 4 October 2026; 46357 is 1 December.
SALES = table(
    "sales", types={"Day": "date", "Charge": "money", "Pieces": "whole"},
    Day=[46296.0, 46297.0, 46299.75, 46357.0, 46357.0, None],
    Depot=["North", "South", "North", "South", "East", "East"],
    Band=["Bed", "Bed", "Bath", "Bath", "Bed", "Bath"],
    Pieces=[4.0, 10.0, 25.0, 50.0, 3.0, 10.0], Charge=[10.0, 20.0, 30.0, 40.0, 5.0, 15.0],
)  # fmt: skip


def charge(**how):
    return PivotValue("Charge", Aggregation.SUM, "Charge", **how)


def lines(*fields, values=(SUM,), columns=(), **more):
    """A pivot's lines as plain lists, the totals row last."""
    made = make_pivot(SALES, fields, columns, values, **more)
    return [list(one.values()) for one in rows(made.as_table())]


@pytest.mark.parametrize(
    ("fields", "holds"),
    [
        ([PivotField("Day", by="month")], [["2026-10", 60], ["2026-12", 45], [None, 15]]),
        ([PivotField("Day", by="quarter")], [["2026-Q4", 105], [None, 15]]),
        ([PivotField("Day", by="week")], [["2026-W40", 60], ["2026-W49", 45], [None, 15]]),
        ([PivotField("Day", by="day")][:1], [["2026-10-01", 10], ["2026-10-02", 20], ["2026-10-04", 30], ["2026-12-01", 45], [None, 15]]),
        ([PivotField("Day", by="year")], [["2026", 105], [None, 15]]),
        ([PivotField("Pieces", bands=(5, 10, 50))], [["under 5", 15], ["5 to under 10", None], ["10 to under 50", 65], ["50 and more", 40]]),
        ([PivotField("Depot", order=("south", "East"))], [["South", 60], ["East", 20], ["North", 40]]),
        ([PivotField("Depot", sort="-Charge")], [["South", 60], ["North", 40], ["East", 20]]),
        ([PivotField("Depot", sort="Charge")], [["East", 20], ["North", 40], ["South", 60]]),
        ([PivotField("Depot", top=1)], [["South", 60]]),
        ([PivotField("Depot", sort="Charge", top=1, rest="All others")], [["East", 20], ["All others", 100]]),
        ([PivotField("Depot", top=9, rest="All others")], [["South", 60], ["North", 40], ["East", 20]]),
        ([PivotField("Band", order=("Bed",)), PivotField("Depot", sort="-Charge", top=1, rest="others")],
         [["Bed", "South", 20], ["Bed", "others", 15], ["Bath", "South", 40], ["Bath", "others", 45]]),
        ([PivotField("Depot", top=2), "Band"], [["South", "Bath", 40], ["South", "Bed", 20], ["North", "Bath", 30], ["North", "Bed", 10]]),
    ],
)  # fmt: skip
def test_fields(fields, holds):
    if fields[0].bands:  # bands in which no row falls are no groups
        holds = [line for line in holds if line[1] is not None]
    assert lines(*fields) == holds


@pytest.mark.parametrize(
    ("way", "holds"),
    [
        ("share", [["East", 15 / 120, 5 / 120, 20 / 120], ["North", 30 / 120, 10 / 120, 40 / 120], ["All", 85 / 120, 35 / 120, 1]]),
        ("share of row", [["East", 0.75, 0.25, 1], ["North", 0.75, 0.25, 1], ["All", 85 / 120, 35 / 120, 1]]),
        ("share of column", [["East", 15 / 85, 5 / 35, 20 / 120], ["North", 30 / 85, 10 / 35, 40 / 120], ["All", 1, 1, 1]]),
        ("share of group", [["East", 15 / 85, 5 / 35, 20 / 120], ["North", 30 / 85, 10 / 35, 40 / 120], ["All", 1, 1, 1]]),
        ("difference", [["East", None, -10, None], ["North", None, -20, None], ["All", None, -50, None]]),
        ("growth", [["East", None, -10 / 15, None], ["North", None, -20 / 30, None], ["All", None, -50 / 85, None]]),
        ("running", [["East", 15, 20, None], ["North", 30, 40, None], ["All", 85, 120, None]]),
        ("rank", [["East", 1, 2, None], ["North", 1, 2, None], ["All", 1, 2, None]]),
    ],
)  # fmt: skip
def test_values_in_relation_from_column_to_column(way, holds):
    made = lines("Depot", columns=["Band"], values=[charge(shown=way)], totals="All", totals_across="Both")
    assert made[:2] + made[-1:] == [[line[0], *map(approximately, line[1:])] for line in holds]


@pytest.mark.parametrize(
    ("way", "holds"),
    [
        ("difference", [None, 20, 20, None]),
        ("running", [20, 60, 120, None]),
        ("rank", [3, 2, 1, None]),
        ("growth", [None, 1, 0.5, None]),
        ("share of group", [20 / 120, 40 / 120, 60 / 120, 1]),
    ],
)
def test_values_in_relation_from_line_to_line(way, holds):
    made = lines("Depot", values=[charge(shown=way)], totals="All")
    holds = holds[:3] + ([None] if way != "share of group" else holds[3:])
    assert [line[1] for line in made] == [approximately(value) for value in holds]


def approximately(value):
    return value if value is None else pytest.approx(value)


@pytest.mark.parametrize(
    ("subtotals", "holds"),
    [
        (Subtotals(), ["East Bath 15", "East Bed 5", "East total None 20", "North Bath 30", "North Bed 10", "North total None 40"]),
        (Subtotals(above=True, name="{} in all"), ["East in all None 20", "East Bath 15", "East Bed 5", "North in all None 40", "North Bath 30", "North Bed 10"]),
    ],
)  # fmt: skip
def test_subtotals(subtotals, holds):
    made = make_pivot(SALES, ["Depot", "Band"], [], [SUM], subtotals=subtotals, totals="All")
    found = [" ".join(str(part) for part in line.values()).replace(".0", "") for line in rows(made.as_table())]
    assert found[:6] == holds
    assert made.subtotal_lines.tolist() == [n for n, line in enumerate(found[:-1]) if "None" in line]
    deep = make_pivot(
        SALES,
        ["Depot", "Band", PivotField("Day", by="month")],
        [],
        [charge(shown="share of group")],
        subtotals=subtotals,
    )
    shares = [(depth, line["Charge"]) for depth, line in zip(deep.depths.tolist(), rows(deep.as_table()), strict=True)]
    assert sum(share for depth, share in shares if depth == 1) == pytest.approx(1)
    assert sum(share for depth, share in shares if depth == 2) == pytest.approx(3)


numbers = st.lists(st.tuples(st.sampled_from("abc"), st.integers(-9, 9).map(float)), min_size=1, max_size=20)


@given(numbers)
def test_more_aggregations(pairs):
    start = table("n", K=[key for key, _ in pairs], V=[value for _, value in pairs])
    plain = {
        Aggregation.MEDIAN: statistics.median, Aggregation.PRODUCT: math.prod, Aggregation.FIRST: lambda v: v[0],
        Aggregation.LAST: lambda v: v[-1],
        Aggregation.DEVIATION: lambda v: statistics.stdev(v) if len(v) > 1 else None,
        Aggregation.VARIANCE: lambda v: statistics.variance(v) if len(v) > 1 else None,
    }  # fmt: skip
    formula = PivotValue("", None, "Spread", "MAX([V])-MIN([V])")
    made = make_pivot(start, ["K"], [], [*(PivotValue("V", how, how.value) for how in plain), formula], totals="all")
    for line in rows(made.as_table()):
        group = [value for key, value in pairs if line["K"] in (key, "all")]
        for how, work in plain.items():
            assert line[how.value] == (None if work(group) is None else pytest.approx(work(group)))
        assert line["Spread"] == max(group) - min(group)


@pytest.mark.parametrize(
    ("fields", "values", "kind", "why"),
    [
        ([PivotField("Band", by="month")], [SUM], DataError, "'Bed' in column 'Band' is not a date"),
        ([PivotField("Band", bands=(1, 2))], [SUM], DataError, "'Bed' in column 'Band' is not a number"),
        ([PivotField("Pieces", bands=(2, 1))], [SUM], UseError, "the limits of 'Pieces' do not rise"),
        ([PivotField("Depot", sort="-Charg")], [SUM], UseError, "no value 'Charg' to sort by"),
        (["Depot"], [charge(shown="shar")], UseError, "nothing is shown as 'shar'"),
        (["Depot"], [PivotValue("", None, "x", "SUM([Chrge])")], UseError, "no column 'Chrge'"),
    ],
)
def test_what_a_pivot_cannot_do_is_told(fields, values, kind, why):
    with pytest.raises(kind) as caught:
        make_pivot(SALES, fields, [], values)
    assert why in caught.value.faults[0].why


def test_a_pivot_of_no_rows():
    empty = table("none", Depot=[], Charge=[])
    made = make_pivot(empty, ["Depot"], [], [SUM], totals="All", subtotals=Subtotals())
    assert [list(one.values()) for one in rows(made.as_table())] == [["All", None]]


@pytest.mark.parametrize(
    ("asks", "holds"),
    [
        ('"Charge", sums, "Depot", "north", "Band", "Bed"', 10),
        ('"charge", sums, "Band", "Bed"', 35), ('"Charge", sums, "Depot", "East"', 20), ('"Charge", sums', 120),
        ('"Charge", by_month, "Depot", "South", "Day", "2026-12"', 40), ('"Charge", by_month, "Depot", "South"', 60),
        ('"Charge", above, "Depot", "South"', 60), ('"Charge", above, "Depot", "East"', 20),
        ('"Charge", sums, "Band", ""', "#REF!"), ('"Charge", sums, "Depot", "North", "Band", ""', "#REF!"), ('"Charge", days, "Day", ""', 15),
        ('"Charge", sums, "Depot", "West"', "#REF!"), ('"Pieces", sums', "#REF!"), ('"Charge", sums, "Bend", "Bed"', "#REF!"),
        ('"Charge", sums, "Depot", "North", "Depot"', "#REF!"), ('"Charge", by_month, "Day", "2026-12"', "#REF!"),
    ],
)  # fmt: skip
def test_a_formula_reaches_a_pivot_by_labels(asks, holds):
    fields = ["Depot", PivotField("Day", by="month")]
    made = {
        "sums": make_pivot(SALES, ["Depot"], ["Band"], [SUM]),
        "days": make_pivot(SALES, ["Depot"], [PivotField("Day", by="year")], [SUM]),
        "by month": make_pivot(SALES, fields, [], [SUM], subtotals=Subtotals()),
        "above": make_pivot(SALES, fields, [], [SUM], subtotals=Subtotals(above=True)),
    }
    scope = TableScope({name: one.as_table() for name, one in made.items()})
    tree = read_formula(f"GETPIVOTDATA({asks})", scope, "a test")
    assert str(scalar_value(tree, scope)).removesuffix(".0") == str(holds)


MIXED = st.one_of(st.none(), st.integers(-99, 99).map(lambda cents: cents / 4), st.booleans(), st.just(CellError.NA))
ROWS = st.lists(
    st.tuples(
        st.sampled_from(["a", "A", "b", None]),
        st.sampled_from([1.0, 2.0, 10.0]),
        st.integers(46_290, 46_330).map(float),
        MIXED,
    ),
    max_size=30,
)
SOME_FIELDS = st.lists(st.sampled_from([PivotField("K"), PivotField("N"), PivotField("D", by="month"), PivotField("N", bands=(2,)), PivotField("K", top=1, rest="rest")]), min_size=1, max_size=3, unique_by=lambda field: (field.column))  # fmt: skip
PLAIN = {
    Aggregation.SUM: sum, Aggregation.AVERAGE: statistics.fmean, Aggregation.SMALLEST: min, Aggregation.LARGEST: max,
    Aggregation.PRODUCT: math.prod, Aggregation.MEDIAN: statistics.median,
}  # fmt: skip


def plainly(how, values):
    """An aggregation over plain values; the first error among them is its result."""
    if how is Aggregation.COUNT:
        return sum(value is not None for value in values)
    if how is Aggregation.DISTINCT:
        return len({(type(value), value) for value in values if value is not None})
    wrong = [value for value in values if isinstance(value, CellError)]
    numbers_ = [value for value in values if isinstance(value, float)]
    return wrong[0] if wrong else (PLAIN[how](numbers_) if numbers_ else None)


@given(ROWS, SOME_FIELDS, st.booleans())
def test_totals_are_those_of_the_table_whatever_the_fields(drawn, fields, across):
    start = table(
        "t",
        K=[row[0] for row in drawn],
        N=[row[1] for row in drawn],
        D=[row[2] for row in drawn],
        V=[row[3] for row in drawn],
    )
    hows = [*PLAIN, Aggregation.COUNT, Aggregation.DISTINCT]
    values = [PivotValue("V", how, how.value) for how in hows]
    columns = [fields.pop()] if across and len(fields) > 1 else []
    made = make_pivot(start, fields, columns, values, totals="All", totals_across="Both", subtotals=Subtotals())
    every = [row[3] for row in drawn]
    for place, how in enumerate(hows):
        wanted = plainly(how, every)
        assert made.grand[place][0] == (pytest.approx(wanted) if isinstance(wanted, float) else wanted)
    counted = hows.index(Aggregation.COUNT)
    groups = made.depths == len(fields)
    counts = [made.row_totals[counted][line] for line in range(made.height)]
    assert sum(count for count, is_group in zip(counts, groups, strict=True) if is_group) == made.grand[counted][0]
    for depth in range(1, len(fields)):
        assert (
            sum(count for count, own in zip(counts, made.depths, strict=True) if own == depth) == made.grand[counted][0]
        )
    crossed = [made.cells[counted][place] for place in range(made.height * made.width)]
    for line in range(made.height):
        assert sum(crossed[line * made.width : (line + 1) * made.width]) == counts[line]


@pytest.mark.parametrize(
    ("numbers", "ranks"),
    [
        ([], []), ([3.0, 1.0, 3.0], [1, 0, 1]), ([0.1, 0.3, 0.25], [0, 2, 1]), ([1e300, -1e300, 0.0], [2, 0, 1]), ([0.01, 0.02, 1e9], [0, 1, 2]),
        ([math.pi, math.e], [1, 0]), ([-0.0, 0.0], [0, 0]),
    ],
)  # fmt: skip
def test_ranks_of_numbers(numbers, ranks):
    found, distinct = rank_numbers(np.array(numbers))
    assert found.tolist() == ranks and distinct.tolist() == sorted(set(numbers))
