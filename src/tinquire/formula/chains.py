"""Running totals: a column of which each cell adds to the one above it, worked out in one pass.

Such a formula reads its own column, so that it cannot be run as one program over all cells; cell by cell it costs a
thousand times as much. Where the cell above is the first of a row of sums and differences (`E1+C2-D2`), the numbers are
added in the order in which the cells would add them: the results are the same to the last bit.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.coerce import Faulty, first_fault, number_of, numbers, with_faults
from tinquire.formula.evaluate import evaluate_column
from tinquire.formula.scope import Frame
from tinquire.formula.tree import Binary, Coordinate, Node, Reference

__all__ = ["added_up", "running_total"]

_ABOVE = Reference(None, Coordinate(-1, False), Coordinate(0, False), Coordinate(-1, False), Coordinate(0, False))


_BLOCK = 16_384


def running_total(tree: Node, frame: Frame) -> tuple[list[tuple[str, Node]], bool] | None:
    """The terms, with their signs, that a formula adds to the cell above it, and whether that stands first; None for a
    formula of another form."""
    terms: list[tuple[str, Node]] = []
    node = tree
    while isinstance(node, Binary) and node.sign in ("+", "-"):
        terms.insert(0, (node.sign, node.right))
        node = node.left
    if terms and _is_above(node, frame):
        return terms, True
    if len(terms) == 1 and terms[0][0] == "+" and _is_above(terms[0][1], frame):
        return [("+", node)], False
    return None


def _is_above(node: Node, frame: Frame) -> bool:
    if not isinstance(node, Reference) or node.sheet not in (None, frame.sheet):
        return False
    column = node.left.at(frame.column)
    return (node.top, node.bottom) == (_ABOVE.top, _ABOVE.bottom) and column == node.right.at(
        frame.column
    ) == frame.column


def _sums(total: float, steps: Sequence[tuple[str, Floats]], count: int) -> Floats:
    """Sums after each lane of all steps taken one by one; so many lanes at a time that they stay in the cache."""
    width = len(steps)
    taken = np.empty(1 + min(count, _BLOCK) * width)
    sums = np.empty(count)
    for start in range(0, count, _BLOCK):
        stop = min(start + _BLOCK, count)
        part = taken[: 1 + (stop - start) * width]
        part[0] = total
        for place, (sign, values) in enumerate(steps, start=1):
            (np.negative if sign == "-" else np.positive)(values[start:stop], out=part[place::width])
        np.cumsum(part, out=part)
        sums[start:stop] = part[width::width]
        total = float(part[-1])
    return sums


def added_up(terms: list[tuple[str, Node]], first: bool, frame: Frame) -> Column:
    """The running totals of a frame's lanes; an error, once there, stays to the end."""
    start = number_of(frame.scope.column(frame.sheet, frame.column, frame.row - 1, frame.row - 1)[0])
    steps: list[tuple[str, Floats]] = []
    faults: list[Faulty | None] = []
    for sign, node in terms:
        values, wrong = numbers(evaluate_column(node, frame))
        steps.append((sign, values))
        faults.append(wrong)
    result = Column.of_numbers(_sums(0.0 if isinstance(start, CellError) else start, steps, frame.count))
    merged = first_fault(*faults)
    if merged is None and not isinstance(start, CellError) and result.all_of(Kind.NUMBER):
        return result
    found = np.zeros(frame.count, np.uint8) if merged is None else np.broadcast_to(merged, frame.count).copy()
    if isinstance(start, CellError) and (first or not found[0]):
        found[0] = start.code + 1
    overflown = result.kinds == Kind.ERROR
    found = np.where((found == 0) & overflown, CellError.NUM.code + 1, found).astype(np.uint8)
    at = np.flatnonzero(found)
    if not len(at):
        return result
    if first:
        lasting = np.where(np.arange(frame.count) >= at[0], found[at[0]], 0)
    else:  # the lane's own fault comes before that of the cell above
        places = np.maximum.accumulate(np.where(found > 0, np.arange(frame.count), -1))
        lasting = np.where(places >= 0, found[np.maximum(places, 0)], 0)
    return with_faults(result, lasting.astype(np.uint8))
