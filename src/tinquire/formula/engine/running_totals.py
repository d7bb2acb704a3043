"""Running totals: a column of which each cell adds to the one above it, calculated in one pass.

Such a formula reads its own column, so that it cannot be run as one program over all cells; cell by cell it costs a
thousand times as much. Where the cell above is the first of a row of sums and differences (`E1+C2-D2`), the numbers are
added in the order in which the cells would add them: the results are the same to the last bit.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from tinquire.cells.column import Codes, Column, Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import Faulty, first_fault, logicals, number_of, numbers, with_faults
from tinquire.formula.engine.evaluate import evaluate_column
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Binary, Call, Coordinate, Node, Reference

__all__ = ["restarting_total", "running_sums", "running_total"]

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
    """Sums after each lane of all steps taken one by one; this many lanes at a time that they stay in the cache."""
    width = len(steps)
    taken = np.empty(1 + min(count, _BLOCK) * width)
    sums = np.empty(count)
    for start in range(0, count, _BLOCK):
        stop = min(start + _BLOCK, count)
        part = taken[: 1 + (stop - start) * width]
        part[0] = total
        for index, (sign, values) in enumerate(steps, start=1):
            if sign == "-":
                np.negative(values[start:stop], out=part[index::width])
            else:
                part[index::width] = values[start:stop]
        np.cumsum(part, out=part)
        sums[start:stop] = part[width::width]
        total = float(part[-1])
    return sums


def restarting_total(tree: Node, frame: Frame, outside: Callable[[Node, Frame], bool]) -> Column | None:
    """The values of a total that restarts where a condition says so, such as `IF(A2=A1,D1+B2,B2)`; None for formulas of
    another form, and where a value cannot be added up.

    `outside` says of a node whether it reads no cell of the column itself.
    """
    if not (isinstance(tree, Call) and tree.function == "IF" and len(tree.arguments) == 3):
        return None
    condition, yes, no = tree.arguments
    for added, fresh, adds in ((yes, no, True), (no, yes, False)):
        found = running_total(added, frame)
        if found is not None and all(outside(node, frame) for node in (condition, fresh, *(n for _, n in found[0]))):
            return _restart_after_errors(condition, found[0], fresh, adds, frame)
    return None


def _restart_after_errors(
    condition: Node, terms: Sequence[tuple[str, Node]], fresh: Node, adds: bool, frame: Frame
) -> Column | None:
    above = frame.scope.column(frame.sheet, frame.column, frame.row - 1, frame.row - 1)
    flags, wrong = logicals(evaluate_column(condition, frame))
    columns = [evaluate_column(node, frame) for node in (fresh, *(node for _, node in terms))]
    if wrong is not None or any((column.kinds > Kind.NUMBER).any() for column in (above, *columns)):
        return None
    steps = [(sign, column.numbers) for (sign, _), column in zip(terms, columns[1:], strict=True)]
    begins = flags if not adds else ~flags
    sums = np.where(begins, columns[0].numbers, 0.0)
    starts = np.flatnonzero(begins)
    if not begins[0]:  # the first run of lanes goes on from the cell above
        total = float(above.numbers[0])
        for sign, values in steps:
            total = total - values[0] if sign == "-" else total + values[0]
        sums[0] = total
        starts = np.concatenate([[0], starts])
    _add_on(sums, steps, starts)
    return Column.of_numbers(sums) if np.isfinite(sums).all() else None


#: Runs of lanes longer than this are added up one by one, shorter ones side by side.
_LONG_RUN = 400


def _add_on(sums: Floats, steps: Sequence[tuple[str, Floats]], starts: Codes) -> None:
    """Fill runs of lanes, of each of which the first is known: every lane adds its steps to the one above, in order."""
    lengths = np.diff(np.append(starts, len(sums)))
    for start, length in zip(starts[lengths > _LONG_RUN].tolist(), lengths[lengths > _LONG_RUN].tolist(), strict=True):
        rest = [(sign, values[start + 1 : start + length]) for sign, values in steps]
        sums[start + 1 : start + length] = _sums(float(sums[start]), rest, length - 1)
    short = lengths <= _LONG_RUN
    order = np.argsort(-lengths[short], kind="stable")
    starts, falling = starts[short][order], lengths[short][order]
    for offset in range(1, int(falling.max(initial=1))):
        at = starts[: np.searchsorted(-falling, -offset)] + offset
        total = sums[at - 1]
        for sign, values in steps:
            total = total - values[at] if sign == "-" else total + values[at]
        sums[at] = total


def running_sums(terms: list[tuple[str, Node]], first: bool, frame: Frame) -> Column:
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
    if merged is None and not isinstance(start, CellError) and result.kinds.max() == Kind.NUMBER:
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
        indexes = np.maximum.accumulate(np.where(found > 0, np.arange(frame.count), -1))
        lasting = np.where(indexes >= 0, found[np.maximum(indexes, 0)], 0)
    return with_faults(result, lasting.astype(np.uint8))
