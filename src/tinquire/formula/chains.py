"""Running totals: a column of which each cell adds to the one above it, worked out in one pass.

Such a formula reads its own column, so that it cannot be run as one program over all cells; cell by cell it costs a
thousand times as much. Where the cell above is the first of a row of sums and differences (`E1+C2-D2`), the numbers are
added in the order in which the cells would add them: the results are the same to the last bit.
"""

from __future__ import annotations

import numpy as np

from tinquire.cells.column import Column, Kind
from tinquire.cells.values import CellError
from tinquire.formula.coerce import Faulty, first_fault, number_of, numbers, with_faults
from tinquire.formula.evaluate import evaluate_column
from tinquire.formula.scope import Frame
from tinquire.formula.tree import Binary, Coordinate, Node, Reference

__all__ = ["added_up", "running_total"]

_ABOVE = Reference(None, Coordinate(-1, False), Coordinate(0, False), Coordinate(-1, False), Coordinate(0, False))


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


def added_up(terms: list[tuple[str, Node]], first: bool, frame: Frame) -> Column:
    """The running totals of a frame's lanes; an error, once there, stays to the end."""
    start = number_of(frame.scope.column(frame.sheet, frame.column, frame.row - 1, frame.row - 1)[0])
    steps = np.empty((frame.count, len(terms)))
    faults: list[Faulty | None] = []
    for place, (sign, node) in enumerate(terms):
        values, wrong = numbers(evaluate_column(node, frame))
        steps[:, place] = -values if sign == "-" else values
        faults.append(wrong)
    totals = np.cumsum(np.concatenate([[0.0 if isinstance(start, CellError) else start], steps.ravel()]))
    result = Column.of_numbers(totals[len(terms) :: len(terms)])
    merged = first_fault(*faults)
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
