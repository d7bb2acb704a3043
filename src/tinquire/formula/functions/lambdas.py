"""Names within a formula, and functions as values."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from tinquire.cells.address import MAX_COLUMN
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import MAX_CELLS, grid_from, grid_rows
from tinquire.formula.engine.conversions import number_of
from tinquire.formula.engine.evaluate import LEFT_OUT, apply, evaluate, fixed_value
from tinquire.formula.engine.operands import Closure, Grid, Lanes, Operand, Scalar
from tinquire.formula.engine.references import PerLane, grid_of, single
from tinquire.formula.engine.registry import special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Call, Name, Node

# -- names and functions ---------------------------------------------------------------------------------


def _named(node: Node) -> str | None:
    return node.name.casefold() if isinstance(node, Name) and node.sheet is None else None


@special("LET(name: value, value: value, name...: value, value...: value)")
def let(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A result, with names for values that it uses more than once.

    >>> LET(net, 200, rate, 0.2, net + net * rate)
    240
    """
    if len(arguments) % 2 == 0:
        return Scalar(CellError.VALUE)
    inner = frame
    for index in range(0, len(arguments) - 1, 2):
        name = _named(arguments[index])
        if name is None:
            return Scalar(CellError.NAME)
        inner = inner.naming({name: evaluate(arguments[index + 1], inner)})
    return evaluate(arguments[-1], inner)


@special("LAMBDA(parameter: value, parameter...: value)")
def lambda_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A function: its parameters, and last its result.

    >>> LAMBDA(net, rate, net * (1 + rate))(100, 0.2)
    120
    """
    names = [_named(_unbracketed(argument)) for argument in arguments[:-1]]
    if None in names or len(set(names)) < len(names):
        return Scalar(CellError.VALUE)
    return Closure(tuple(name for name in names if name), arguments[-1], dict(frame.names))


def _unbracketed(node: Node) -> Node:
    """A parameter; `[name]`, one that may be left out, is read as a table's column and is its name."""
    first = getattr(node, "first", None)
    return Name(first) if isinstance(first, str) else node


@special("ISOMITTED(parameter: value)")
def isomitted(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """Whether a call left a parameter out.

    >>> LAMBDA(a, b, ISOMITTED(b))(1)
    TRUE
    """
    name = _named(arguments[0])
    return Scalar(name is not None and frame.names.get(name) is LEFT_OUT)


class _Caller:
    """A function value applied to one set of values after the other."""

    def __init__(self, node: Node, frame: Frame) -> None:
        self.frame = frame
        if (
            isinstance(node, Name)
            and _named(node) not in frame.names
            and frame.scope.name(node.name, None, frame) is None
        ):
            self.called: Operand = _builtin(node.name)
        else:
            self.called = evaluate(node, frame)

    def operand(self, *given: Operand) -> Operand:
        return apply(self.called, list(given), self.frame.as_arrays())

    def value(self, *given: Operand) -> Value:
        """One value; an array in its place is an error."""
        found = single(self.operand(*given), self.frame)
        if isinstance(found, Grid) and found.height * found.width == 1:
            return found.value(0, 0)
        if isinstance(found, Lanes):
            raise PerLane
        return found.value if isinstance(found, Scalar) else CellError.CALC


def _builtin(name: str) -> Operand:
    """A function named without brackets, as in `BYROW(A1:C3, SUM)`."""
    return Closure(("value",), Call(name.upper(), (Name("value"),)), {})


def _grids(nodes: tuple[Node, ...], frame: Frame) -> list[Grid]:
    inner = frame.as_arrays()
    return [grid_of(evaluate(node, inner), inner) for node in nodes]


def _row_grids(grid: Grid) -> Iterator[Grid]:
    for row in range(grid.height):
        yield Grid(tuple(column.slice(row, row + 1) for column in grid.columns), 1)


@special("MAP(array: cells, function: value, array...: cells)")
def map_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A function of each value of an array, or of the values at the same position in several; the function comes last.

    >>> SUM(MAP({1,2,3}, LAMBDA(x, x * x)))
    14
    """
    caller = _Caller(arguments[-1], frame)
    grids = _grids(arguments[:-1], frame)
    height, width = max(grid.height for grid in grids), max(grid.width for grid in grids)
    if any((grid.height, grid.width) != (height, width) for grid in grids):
        return Scalar(CellError.NA)
    rows = zip(*(grid_rows(grid) for grid in grids), strict=True)
    return grid_from([[caller.value(*map(Scalar, values)) for values in zip(*lines, strict=True)] for lines in rows])


@special("REDUCE(start: value, array: cells, function: value)")
def reduce_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A function of the result so far and the next value, over an array.

    >>> REDUCE(0, {1,2,3}, LAMBDA(sum, x, sum + x))
    6
    """
    caller = _Caller(arguments[2], frame)
    result: Operand = evaluate(arguments[0], frame)
    for row in grid_rows(_grids(arguments[1:2], frame)[0]):
        for value in row:
            result = caller.operand(result, Scalar(value))
    return result


@special("SCAN(start: value, array: cells, function: value)")
def scan(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The results so far at each value of an array.

    >>> INDEX(SCAN(0, {1,2,3}, LAMBDA(sum, x, sum + x)), 3)
    6
    """
    caller = _Caller(arguments[2], frame)
    so_far = fixed_value(arguments[0], frame)
    rows: list[list[Value]] = []
    for row in grid_rows(_grids(arguments[1:2], frame)[0]):
        rows.append([])
        for value in row:
            so_far = caller.value(Scalar(so_far), Scalar(value))
            rows[-1].append(so_far)
    return grid_from(rows)


@special("BYROW(array: cells, function: value)")
def byrow(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A function of each row of an array.

    >>> SUM(BYROW({1,2;3,4}, LAMBDA(row, MAX(row))))
    6
    """
    caller = _Caller(arguments[1], frame)
    return grid_from([[caller.value(row)] for row in _row_grids(_grids(arguments[:1], frame)[0])])


@special("BYCOL(array: cells, function: value)")
def bycol(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A function of each column of an array.

    >>> SUM(BYCOL({1,2;3,4}, SUM))
    10
    """
    caller = _Caller(arguments[1], frame)
    grid = _grids(arguments[:1], frame)[0]
    return grid_from([[caller.value(Grid((column,), grid.height)) for column in grid.columns]])


@special("MAKEARRAY(rows: number, columns: number, function: value)")
def makearray(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """An array whose values are a function of their row and column.

    >>> SUM(MAKEARRAY(2, 2, LAMBDA(r, c, r * c)))
    9
    """
    height, width = (number_of(fixed_value(node, frame)) for node in arguments[:2])
    if isinstance(height, CellError) or isinstance(width, CellError):
        return Scalar(height if isinstance(height, CellError) else width)
    if height < 1 or not 1 <= width <= MAX_COLUMN or int(height) * int(width) > MAX_CELLS // 100:
        return Scalar(CellError.VALUE)
    caller = _Caller(arguments[2], frame)
    row_values: Callable[[int], list[Value]] = lambda row: [  # noqa: E731 - one row of the array
        caller.value(Scalar(float(row)), Scalar(float(column))) for column in range(1, int(width) + 1)
    ]
    return grid_from([row_values(row) for row in range(1, int(height) + 1)])
