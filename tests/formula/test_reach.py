"""A range has its own size in every computation: what lies around the used part of a sheet changes no result.

Each function, with ranges that reach beyond the used part on one and on two sheets, is worked out twice: as it is, and
with a cell far away, which makes the used part larger than all ranges. `TINQUIRE_REACH=30` tries so many calls of each.
"""

from __future__ import annotations

import os
import random
import warnings

import pytest

from tinquire.cells import Column
from tinquire.formula import Frame, evaluate, parse
from tinquire.formula.engine.operands import Grid, Lanes, Scalar
from tinquire.formula.engine.registry import functions
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.scope import BookScope

COUNT = int(os.environ.get("TINQUIRE_REACH", "5"))
#: What depends on the moment, on chance, or on the file itself.
LEFT_OUT = {"RAND", "RANDBETWEEN", "RANDARRAY", "NOW", "TODAY", "INFO", "CELL", "LAMBDA", "LET"}
RANGES = [
    "A1:A20", "B1:B20", "A1:B20", "Two!A1:A15", "Two!A1:B20", "Two!B1:B20", "A1:F1", "A3:F3", "A1:A20>0", "C1:C20",
    "--(A1:A20<>A2:A21)", "B1:B15*Two!B1:B15", '(A1:A20="")*ROW(A1:A20)',
]  # fmt: skip
VALUES = [
    "1", "2", "0", "-1", "0.5", "5", '"x"', '""', '">0"', '"="', "TRUE", "FALSE", '"b"', "3", "100", '"<>"', "{1,2,3}", "A3",
    "Two!A2", "A15", "45000", '"1/2/2026"', "10",
]  # fmt: skip


def calls(function, count):
    """So many calls of a function, the same at each run: ranges where it takes cells, mostly single values elsewhere."""
    chance = random.Random(function.name)
    sizes = [size for size in range(14) if function.takes(size)]
    for _ in range(count):
        kinds = [one.kind for one in function.parameters if not one.repeats]
        repeated = [one.kind for one in function.parameters if one.repeats] or ["value"]
        size = chance.choice(sizes)
        kinds = [*kinds, *(repeated * size)][:size]
        ranged = [chance.random() < (0.85 if kind == "cells" else 0.35) for kind in kinds]
        yield f"{function.name}({','.join(chance.choice(RANGES if one else VALUES) for one in ranged)})"


def book(*, far):
    made = Workbook.new()
    one, two = Sheet("One"), Sheet("Two")
    one.put(1, 1, Column.from_values([3.0, 1.0, None, 2.0, "b", -4.0, 5.0]), 0)
    one.put(1, 2, Column.from_values([1.0, 2.0, 3.0, 4.0, 5.0]), 0)
    one.put(1, 4, Column.from_values(["b", "a", "x"]), 0)
    two.put(1, 1, Column.from_values(["a", "b", None, "x"]), 0)
    two.put(1, 2, Column.from_values([2.0, None, 4.0, True, 8.0, 16.0, 0.5]), 0)
    for sheet in (one, two):
        if far:
            sheet.put(60, 40, Column.from_values([1.0]), 0)
        made.add_sheet(sheet)
    return made


def worked_out(made, text, *, arrays):
    frame = Frame(BookScope(made), "One", 30, 10, arrays=arrays)
    found = evaluate(parse(text), frame)
    if isinstance(found, Scalar):
        return found.value
    if isinstance(found, Grid):
        return [column.to_list() for column in found.columns]
    return found.column.to_list() if isinstance(found, Lanes) else found


def same(a, b):
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(map(same, a, b))
    if isinstance(a, float) and isinstance(b, float):
        return a == pytest.approx(b, rel=1e-9, abs=1e-300)
    return type(a) is type(b) and a == b


@pytest.mark.parametrize("family", sorted({one.family for one in functions().values()}))
def test_what_lies_around_the_used_part_changes_no_result(family):
    near, far = book(far=False), book(far=True)
    wrong = []
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for name, function in sorted(functions().items()):
            if function.family != family or name in LEFT_OUT:
                continue
            for text in calls(function, COUNT):
                for arrays in (True, False):
                    ours, theirs = (worked_out(one, text, arrays=arrays) for one in (near, far))
                    if not same(ours, theirs):
                        wrong.append((text, ours, theirs))
    assert not wrong
