"""Summaries of groups, and what is made of them, beside plain Python over the same rows."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.cells import CellError, Column
from tinquire.cells.ranks import dense
from tinquire.tables import Field, Table
from tinquire.tables.aggregation import Aggregation, Summary, aggregate, members
from tinquire.tables.checks.ready_made import check_allowed, check_complete
from tinquire.tables.column_facts import column_facts
from tinquire.tables.keys import key_groups
from tinquire.tables.table import Origin

VALUES = st.one_of(
    st.none(),
    st.integers(-50, 50).map(lambda parts: parts / 8),
    st.sampled_from(["a", "b"]),
    st.booleans(),
    st.sampled_from([CellError.NA, CellError.DIV0]),
)
ROWS = st.lists(st.tuples(st.integers(0, 3), VALUES), max_size=25)
PLAIN = {
    Aggregation.SUM: math.fsum,
    Aggregation.AVERAGE: lambda numbers: math.fsum(numbers) / len(numbers),
    Aggregation.SMALLEST: min,
    Aggregation.LARGEST: max,
    Aggregation.PRODUCT: math.prod,
}


def plainly(how, values):
    """The value of one group."""
    if how is Aggregation.COUNT:
        return sum(value is not None for value in values)
    numbers = [value for value in values if isinstance(value, float)]
    if how is Aggregation.NUMBERS:
        return len(numbers)
    wrong = [value for value in values if isinstance(value, CellError)]
    if wrong:
        return wrong[0]
    return PLAIN[how](numbers) if numbers else None


def same(found, wanted):
    return found == (pytest.approx(wanted) if isinstance(wanted, float) else wanted)


@given(ROWS)
def test_a_summary_gives_what_plain_python_gives(rows):
    groups, values = np.array([group for group, _ in rows], np.int32), [value for _, value in rows]
    column = Column.from_values(values)
    summary = Summary.of(column, groups, 4)
    for how in Summary.KINDS:
        for group in range(4):
            wanted = plainly(how, [value for own, value in rows if own == group])
            assert same(summary.result(how)[group], wanted), how
            assert same(aggregate(how, column, groups, 4)[group], wanted), how


@given(ROWS, st.lists(st.integers(0, 1), min_size=4, max_size=4), st.lists(st.booleans(), min_size=4, max_size=4))
def test_summaries_of_groups_make_those_of_larger_ones(rows, larger, kept):
    """Whatever groups are left out, the rows need not be gone through again."""
    groups, column = np.array([group for group, _ in rows], np.int32), Column.from_values([value for _, value in rows])
    stays = np.flatnonzero(kept)
    rolled = Summary.of(column, groups, 4).rolled(np.array(larger, np.int32)[stays], 2, stays)
    for how in Summary.KINDS:
        for group in range(2):
            own = [value for one, value in rows if kept[one] and larger[one] == group]
            wanted = plainly(how, own)
            found = rolled.result(how)[group]
            if isinstance(wanted, CellError):
                assert isinstance(found, CellError)
            else:
                assert same(found, wanted), how


@given(ROWS)
def test_flags_of_members(rows):
    groups, column = np.array([group for group, _ in rows], np.int32), Column.from_values([value for _, value in rows])
    flags = members(column, groups, 4)
    for group in range(4):
        own = {(type(value), value) for one, value in rows if one == group and value is not None}
        assert aggregate(Aggregation.DISTINCT, column, groups, 4)[group] == len(own)
        if flags is not None:
            assert int(flags[group].sum()) == len(own)


@pytest.mark.parametrize(
    ("numbers", "ranks", "count"),
    [([], [], 0), ([0], [0], 1), ([0, 1, 2], [0, 1, 2], 3), ([5, 0, 5], [1, 0, 1], 2), ([2_000_000_000, 7], [1, 0], 2)],
)
def test_whole_numbers_without_gaps(numbers, ranks, count):
    found, many = dense(np.array(numbers, np.int64))
    assert (found.tolist(), many) == (ranks, count)


@given(st.lists(st.tuples(st.sampled_from(["a", "b", None]), st.sampled_from([1.0, 2.5, None])), max_size=15))
def test_keys_of_several_columns(pairs):
    if not pairs:
        return
    columns = [Column.from_values([pair[n] for pair in pairs]) for n in range(2)]
    groups, count = key_groups(columns)
    assert count == len(set(pairs))
    for one, first in zip(groups.tolist(), pairs, strict=True):
        for other, second in zip(groups.tolist(), pairs, strict=True):
            assert (one == other) == (first == second)


def told(*values, kind="text"):
    return Table(
        "t",
        (Field("V", kind),),
        (Column.from_values(values),),
        Origin(("a.csv",), ("",), *(np.zeros(len(values), np.int32),) * 2, np.arange(2, 2 + len(values))),
    )


def test_facts_of_columns():
    (facts,) = column_facts(told("b", None, "a", "b"))
    assert (facts.filled, facts.blank, facts.different) == (3, 1, 2)
    assert (facts.smallest, facts.largest, facts.first) == ("a", "b", "b")
    (facts,) = column_facts(told(None, None))
    assert (facts.filled, facts.different, facts.smallest) == (0, 0, None)


@pytest.mark.parametrize(
    ("values", "says"),
    [
        (["x", None, None, None, "x"], "V is blank in a.csv, rows 3 to 5"),
        ([None, "x", None], "V is blank in a.csv, row 2, a.csv, row 4"),
        (["x", "y"], ""),
    ],
)
def test_rows_that_follow_each_other_are_told_in_one_go(values, says):
    assert check_complete(told(*values), ["V"], "a test") == ("every row of t has V", says)


def test_values_that_are_not_among_those_listed():
    says, why = check_allowed(told("Bed", "bath", "Beds", "Beds"), "V", ["Bed", "Bath"], "a test")
    assert says == "V of t holds no other values than those listed"
    assert why == "'Beds' in a.csv, rows 4 to 5"
