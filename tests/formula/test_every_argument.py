"""Every function with every kind of argument in every place: a value or an error value comes of it, never an exception."""

from __future__ import annotations

import re

import pytest

from tinquire.base.faults import TinQuireError
from tinquire.cells.values import CellError
from tinquire.formula import Frame, evaluate_column, parse
from tinquire.formula.engine.registry import functions
from worlds import World

CELLS = {
    "A1": "Item", "B1": "Pieces", "A2": "a", "B2": 2.0, "A3": "b", "B3": 3.5, "A4": "a", "B4": -1.0, "C2": True, "C3": None,
    "C4": CellError.DIV0, "D2": 46_000.0, "D3": "2026-10-01", "E2": 1e300,
}  # fmt: skip
KINDS = [
    "", "0", "-1", "1", "2", "0.5", "1E300", "-1E300", "1E15", "99999", "2958466", "1E-320", '""', '"x"', '"1"', '"2026-10-01"',
    '"1E300"', "TRUE", "FALSE", "#N/A", "A2", "B2", "C3", "C4", "B2:B4", "A1:B4", "C2:C3", "H1:J3", "{1,2;3,4}", '{"a",1,TRUE}',
    "{#REF!}", "LAMBDA(x,x)", "LAMBDA(x,y,x+y)", "LAMBDA(1/0)", "NoSuchName", "(A1,B2)", "A2:A4 B2:B4", "S!B2", "Nope!A1",
    "SEQUENCE(3)", "1/0", "-B2:B4", "OFFSET(B2,0,0,2,1)", 'REPT("x",32767)', "IF(TRUE,B2:B4)", "B2#", "@B2:B4",
]  # fmt: skip
PLAIN = {"number": "2", "text": '"a"', "logical": "TRUE", "value": "1", "cells": "B2:B4"}
FAMILIES = sorted({function.family for function in functions().values()})
WORLD = World({"S": CELLS, "Other sheet": {"A1": 7.0}})
FRAMES = [Frame(WORLD, "S", 9, 9), Frame(WORLD, "S", 9, 9, 3), Frame(WORLD, "S", 9, 9, arrays=True)]


def _arguments(function):
    """Arguments that suit a function: of its example where they can be told, else by their kinds."""
    for formula, _ in function.examples:
        found = re.search(rf"(?<![\w.]){re.escape(function.name)}\(([^()\"]*)\)", formula)
        if found and "{" not in found[1] and function.takes(len(found[1].split(","))):
            return found[1].split(",")
    return [PLAIN[parameter.kind] for parameter in function.parameters]


@pytest.mark.parametrize("family", FAMILIES)
def test_no_argument_is_an_exception(family):
    faults = []
    for function in functions().values():
        if function.family != family or function.name == "MAKEARRAY":  # of 100,000 rows: a matter of minutes
            continue
        suited = _arguments(function)
        for place in range(len(suited)):
            for number, kind in enumerate(KINDS):
                formula = f"{function.name}({','.join([*suited[:place], kind, *suited[place + 1 :]])})"
                try:
                    evaluate_column(parse(formula, 9, 9), FRAMES[(number + place) % 3])
                except TinQuireError:
                    pass  # a formula that cannot be read is told of
                except Exception as error:
                    faults.append(f"{formula}: {error!r}")
    assert not faults, "\n".join(faults[:20])
