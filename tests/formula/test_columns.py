"""Every function as a column and cell by cell: the same results, whatever its arguments hold."""

from __future__ import annotations

import re
import warnings

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from test_functions import CASES

from tinquire.cells.address import cell_name
from tinquire.cells.values import CellError
from tinquire.formula import Frame, evaluate_column, parse
from tinquire.formula.engine.registry import functions
from tinquire.formula.language.tokens import TokenKind, tokenise
from worlds import World

LANES = 6
CONSTANT = re.compile(r'"(?:[^"]|"")*"|(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[Ee][+-]?[0-9]+)?')
#: What differs from place to place or from time to time.
OF_A_PLACE = re.compile(r"RAND|NOW|TODAY|CELL|INFO|ROW|COLUMN|OFFSET|INDIRECT|FORMULATEXT|SHEET|LAMBDA")


def opened(formula):
    """A formula with its constants (those outside of arrays) moved to cells, and the constants; None when it has
    references of its own."""
    tokens = tokenise(formula)
    inside, constants = 0, []
    for token in tokens:
        inside += (token.text == "{") - (token.text == "}")
        if token.kind is TokenKind.REFERENCE:
            return None
        if not inside and token.kind in (TokenKind.NUMBER, TokenKind.TEXT):
            constants.append(token)
    for number in range(len(constants), 0, -1):
        place = constants[number - 1].place
        end = CONSTANT.match(formula, place).end()
        formula = formula[:place] + cell_name(1, number) + formula[end:]
    return formula, [float(one.text) if one.kind is TokenKind.NUMBER else one.text for one in constants]


def lanes_of(constant, first):
    """The values of a constant's cells: as it was, changed, and for the first one all other kinds."""
    if isinstance(constant, float):
        kinds = [constant, constant * 2 + 1, None, "7", True, CellError.NA]
    else:
        kinds = [constant, constant + "a", None, 3.0, True, CellError.NA]
    return kinds if first else [*kinds[:2], *kinds[:1] * 4]


FORMULAS = dict.fromkeys(
    formula
    for formula in [
        *(formula for formula, _ in CASES), *(formula for one in functions().values() for formula, _ in one.examples)
    ]
    if not OF_A_PLACE.search(formula)
)  # fmt: skip
OPENED = [found for found in map(opened, FORMULAS) if found is not None and found[1]]


@pytest.mark.parametrize(("formula", "constants"), OPENED, ids=[formula for formula, _ in OPENED])
def test_a_column_is_what_its_cells_are(formula, constants):
    cells = {}
    for number, constant in enumerate(constants, start=1):
        for lane, one in enumerate(lanes_of(constant, first=number == 1), start=1):
            cells[cell_name(lane, number)] = one
    world, tree = World({"S": cells}), parse(formula, 1, 30)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        at_once = evaluate_column(tree, Frame(world, "S", 1, 30, LANES)).to_list()
        singly = [evaluate_column(tree, Frame(world, "S", row, 30))[0] for row in range(1, LANES + 1)]
    for one, other in zip(at_once, singly, strict=True):
        assert one == (pytest.approx(other, rel=1e-12) if isinstance(other, float) else other)
        assert type(one) is type(other)


def test_most_functions_are_judged():
    judged = {name for name in functions() for formula, _ in OPENED if f"{name}(" in formula}
    assert len(judged) > 400


AMOUNTS = st.one_of(
    st.floats(),
    st.integers(-(10**6), 10**6).map(lambda whole: whole / 1000),
    st.integers(-300, 300).map(lambda n: 10.0**n),
)
DIGITS = st.one_of(st.integers(-3, 6).map(float), st.floats(-25, 25), st.floats())


@given(st.lists(st.tuples(AMOUNTS, DIGITS), min_size=1, max_size=20))
@settings(max_examples=300, deadline=None)
def test_what_is_run_on_plain_numbers_is_what_arrays_give(pairs):
    for function in (function for function in functions().values() if function.single is not None):
        with np.errstate(all="ignore"):
            many = function.work(*(np.array(column, np.float64) for column in zip(*pairs, strict=True)))
            for pair, wanted in zip(pairs, many.tolist(), strict=True):
                assert repr(function.single(*pair)) == repr(wanted), (function.name, pair)
