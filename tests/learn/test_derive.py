"""Formulas, values and orders told from what they gave."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.cells.dates import DateSystem
from tinquire.learn.columns import moves
from tinquire.learn.derive import derived, rewritten
from tinquire.learn.values import value_steps

DEPOTS = ["Harbour", "Uplands", "Harbour", "Mill", "Mill", "Uplands"]
COLUMNS = {
    "Depot": DEPOTS,
    "Ticket": ["H-001", "U-002", "H-003", "M-004", "M-005", "U-006"],
    "Day": [46296.0, 46297.0, 46327.0, 46328.0, 46361.0, 46362.0],
    "Pieces": [3.0, 0.0, 12.0, 7.0, 5.0, 9.0],
    "Rate": [1.15, 2.0, 0.75, 1.333, 2.25, 1.0],
    "Off": [0.1, 0.0, 0.05, 0.0, 0.125, 0.2],
    "Note": [None, "late", None, None, "early", None],
}


def rows(make):
    return [make(dict(zip(COLUMNS, line, strict=True))) for line in zip(*COLUMNS.values(), strict=True)]


#: What a person wrote in a new column, and the formula that is found for it.
DERIVED = [
    (lambda r: r["Pieces"] * r["Rate"], "[Pieces]*[Rate]"),
    (lambda r: r["Pieces"] - r["Rate"], "[Pieces]-[Rate]"),
    (lambda r: r["Pieces"] / r["Rate"], "[Pieces]/[Rate]"),
    (lambda r: round(r["Pieces"] * r["Rate"] * (1 - r["Off"]) + 1e-12, 2), "ROUND([Pieces]*[Rate]*(1-[Off]), 2)"),
    (lambda r: r["Rate"] * 1.2, "[Rate]*1.2"),
    (lambda r: r["Pieces"] + 100, "[Pieces]+100"),
    (lambda r: r["Pieces"] / 1000, "[Pieces]/1000"),
    (lambda r: r["Depot"][:1], "LEFT([Depot], 1)"),
    (lambda r: r["Ticket"][2:], "RIGHT([Ticket], 3)"),
    (lambda r: r["Ticket"].split("-")[0], "LEFT([Depot], 1)"),
    (lambda r: r["Depot"].upper(), "UPPER([Depot])"),
    (lambda r: f"{r['Depot']}, {r['Ticket']}", '[Depot]&", "&[Ticket]'),
    (lambda r: {46296.0: 9.0, 46297.0: 10.0, 46327.0: 10.0, 46328.0: 11.0, 46361.0: 12.0, 46362.0: 12.0}[r["Day"]], None),
    (lambda r: {"Harbour": "north", "Uplands": "hills", "Mill": "north"}[r["Depot"]], 'SWITCH([Depot], "Harbour", "north", "Uplands", "hills", "Mill", "north")'),
    (lambda r: r["Depot"], "[Depot]"),
    (lambda r: float(len(r["Depot"])), "LEN([Depot])"),
    (lambda r: {"H": 17.0, "U": 3.5, "M": 8.25}[r["Ticket"][0]] * r["Pieces"], None),
]  # fmt: skip


@pytest.mark.parametrize(("make", "formula"), DERIVED, ids=[str(formula) for _, formula in DERIVED])
def test_what_gives_a_column(make, formula):
    found = derived(rows(make), COLUMNS, DateSystem.FROM_1900)
    assert found is formula if formula is None else found == formula


REWRITTEN = [
    (["  a ", "b"], ["a", "b"], "TRIM([X])"), (["ab c", "D"], ["AB C", "D"], "UPPER([X])"), (["ab cd", "EF"], ["Ab Cd", "Ef"], "PROPER([X])"),
    (["X ", "Y z"], ["x", "y z"], "LOWER(TRIM([X]))"), ([1.234, 2.5], [1.2, 2.5], "ROUND([X], 1)"), ([2.0, 4.0, None], [3.0, 6.0, None], "[X]*1.5"),
    ([2.0, -4.0], [-2.0, 4.0], "-[X]"), ([2.0, -4.0, 3.0], [2.0, 4.0, 3.0], "ABS([X])"), ([1.9, 3.2], [1.0, 3.0], "INT([X])"), ([1.0, 2.0], [7.0, 3.0], None),
    ([150.0, 275.0], [1.5, 2.75], "[X]/100"), ([3.0, 7.0, 11.0], [1.1739130434, 2.7391304347, 4.3043478260], None),
]  # fmt: skip


def test_few_values_tell_nothing():
    assert rewritten("X", [2.0, 2.0], [3.0, 3.0], DateSystem.FROM_1900) is None
    assert derived([6.0, 8.0], {"A": [3.0, 4.0]}, DateSystem.FROM_1900) is None


@pytest.mark.parametrize(("before", "after", "formula"), REWRITTEN)
def test_what_rewrites_a_column(before, after, formula):
    assert rewritten("X", before, after, DateSystem.FROM_1900) == formula


X = {"K": ["a", "a", "b", "b", "c"], "N": [1.0, 2.0, 3.0, 4.0, 5.0]}
#: Values before and after, and the keys that are said of them.
CHANGED = [
    (["p", "q", "p", "q", "r"], ["P!", "q", "P!", "q", "r"], [{"matching": "p", "value": "P!"}]),
    (["p", "q", "p", "q", "r"], ["p", "q", "z", "z", "r"], [{"where": '[K] = "b"', "value": "z"}]),
    ([1.0, 2.0, 3.0, 4.0, 5.0], [1.0, 2.0, 0.0, 0.0, 0.0], [{"where": "[N] >= 3", "value": 0}]),
    (["1", "2", "3", "4", "5"], [1.0, 2.0, 3.0, 4.0, 5.0], [{"type": "number"}]),
    ([1.0, 2.0, 3.0, 4.0, 5.0], ["1", "2", "3", "4", "5"], [{"type": "text"}]),
    (["01.02.2026", "2.2.2026", "03.02.2026", "4.2.2026", "28.2.2026"], [46054.0, 46055.0, 46056.0, 46057.0, 46081.0], [{"type": "date dmy"}]),
    (["a-1", "a-2", "b-3", "c", "d"], ["a/1", "a/2", "b/3", "c", "d"], [{"replace": {"-": "/"}}]),
    (["kg 1", "kg 2", "kg 3", "kg", "x"], ["1", "2", "3", "kg", "x"], [{"replace": {"kg ": ""}}]),
    (["p", "q", "r", "s", "t"], ["p", "q", "r", "s", "u"], [{"matching": "t", "value": "u"}]),
    (["p", None, "p", None, "r"], ["p", "none", "p", "none", "r"], [{"matching": "", "value": "none"}]),
    ([7.0, 7.0, 7.0, 7.0, 7.0], [7.0, 8.0, 7.0, 7.0, 7.0], [{"expect": 7, "value": 8}]),
    (["a", "b", "c", "d", "e"], ["a", "b", "c", "d", "e"], []),
    (["*", "q", "*", "q", "r"], ["any", "q", "any", "q", "r"], [{"matching": "~*", "value": "any"}]),
    (["p", "q", "p", "q", "r"], ["q", "p", "q", "p", "r"], [{"expect": old, "value": new} for old, new in ("pq", "qp", "pq", "qp")]),
]  # fmt: skip


@pytest.mark.parametrize(("before", "after", "keys"), CHANGED)
def test_what_became_of_values(before, after, keys):
    found = value_steps("V", before, after, {**X, "V": before}, DateSystem.FROM_1900)
    assert [{key: value for key, value in one.keys.items() if key != "heading"} for one in found] == keys


@given(st.permutations("abcdefg"))
def test_moves_give_the_order_and_are_few(wanted):
    order, made = list("abcdefg"), list(moves(list("abcdefg"), wanted))
    for name, beside in made:
        order.remove(name)
        ((key, other),) = beside.items()
        order.insert(order.index(other) + (key == "after"), name)
    assert order == list(wanted)
    assert len(made) <= 6 and len({name for name, _ in made}) == len(made)
