"""Arrays cut, joined, sorted, filtered and made: the functions whose results spill."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from tinquire.cells.column import Booleans, Codes, Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from, require_room
from tinquire.formula.engine.conversions import logicals
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.engine.scope import Frame


def transposed(grid: Grid) -> Grid:
    """Rows as columns. Raises ErrorValue when there are too many."""
    require_room(grid.width, grid.height)
    flat = grid.flat()
    indexes = np.arange(grid.width) * grid.height
    return Grid(tuple(flat.take(indexes + row) for row in range(grid.height)), grid.width)


def taken_rows(grid: Grid, places: Codes) -> Grid:
    """Rows of an array. Raises ErrorValue when there are none."""
    if not len(places):
        raise ErrorValue(CellError.CALC)
    return Grid(tuple(column.take(places) for column in grid.columns), len(places))


def _taken_columns(grid: Grid, places: Sequence[int]) -> Grid:
    if not len(places):
        raise ErrorValue(CellError.CALC)
    return Grid(tuple(grid.columns[index] for index in places), grid.height)


def _by_row(grid: Grid) -> Column:
    return transposed(grid).flat()


# -- filter, sort, unique --------------------------------------------------------------------------------


def _filter(grid: Grid, keep: Grid, empty: Grid | None = None) -> Grid:
    flags, faults = logicals(keep.flat())
    if faults is not None:
        raise ErrorValue(CellError.from_code(int(faults[faults != 0][0]) - 1))
    if keep.width == 1 and keep.height == grid.height:
        positions = np.flatnonzero(flags)
        return taken_rows(grid, positions) if len(positions) else _or_empty(empty)
    if keep.height == 1 and keep.width == grid.width:
        positions = np.flatnonzero(flags)
        return _taken_columns(grid, positions.tolist()) if len(positions) else _or_empty(empty)
    raise ErrorValue(CellError.VALUE)


def _or_empty(empty: Grid | None) -> Grid:
    if empty is None:
        raise ErrorValue(CellError.CALC)
    return empty


def order_of(keys: Sequence[Column], descending: Sequence[bool]) -> Codes:
    """The positions of rows sorted by keys, the first one first; numbers before texts before yes/no before errors, blanks
    always last; texts without regard to case; equal rows stay in their order."""
    indexes = np.arange(len(keys[0]))
    for key, down in reversed(list(zip(keys, descending, strict=True))):
        ranks = _ranks(key)
        last = key.kinds == Kind.BLANK
        ranks = np.where(last, np.inf, -ranks if down else ranks)
        indexes = indexes[np.argsort(ranks[indexes], kind="stable")]
    return indexes


def _ranks(column: Column) -> Codes:
    texts, _ = column.ranked_texts()
    within = np.where(column.kinds == Kind.TEXT, texts, column.numbers)
    _, ranks = np.unique(np.column_stack([column.kinds.astype(float), within]), axis=0, return_inverse=True)
    return ranks.ravel().astype(float)


def _direction(value: Value) -> bool:
    if value not in (1.0, -1.0):
        raise ErrorValue(CellError.VALUE)
    return value == -1.0


def _sort(grid: Grid, index: Grid | None = None, order: Grid | None = None, across: bool = False) -> Grid:
    work = transposed(grid) if across else grid
    wanted = [1.0] if index is None else list(index.flat())
    orders = [1.0] if order is None else list(order.flat())
    orders = orders * len(wanted) if len(orders) == 1 else orders
    if len(orders) != len(wanted) or any(not isinstance(item, float) or not 1 <= item <= work.width for item in wanted):
        raise ErrorValue(CellError.VALUE)
    keys = [work.columns[int(item) - 1] for item in wanted if isinstance(item, float)]
    found = taken_rows(work, order_of(keys, [_direction(item) for item in orders]))
    return transposed(found) if across else found


def _sortby(grid: Grid, *given: Grid | float) -> Grid:
    keys = [item for item in given if isinstance(item, Grid)]
    columns, orders = [], []
    across = False
    for index, key in enumerate(given):
        if index % 2 == 0 and isinstance(key, Grid):
            across = across or (key.height == 1 and key.width == grid.width > 1)
            columns.append(key.flat())
        elif isinstance(key, Grid):
            orders.append(_direction(key.value(0, 0)))
    orders += [False] * (len(columns) - len(orders))
    work = transposed(grid) if across else grid
    if not keys or any(len(column) != work.height for column in columns):
        raise ErrorValue(CellError.VALUE)
    found = taken_rows(work, order_of(columns, orders))
    return transposed(found) if across else found


def _unique(grid: Grid, across: bool = False, once: bool = False) -> Grid:
    work = transposed(grid) if across else grid
    codes = np.column_stack([_folded_groups(column) for column in work.columns])
    _, first, counts = np.unique(codes, axis=0, return_index=True, return_counts=True)
    keep = first[counts == 1] if once else first
    found = taken_rows(work, np.sort(keep))
    return transposed(found) if across else found


def _folded_groups(column: Column) -> Codes:
    """Group numbers in which texts are alike without regard to case."""
    texts, _ = column.ranked_texts()
    within = np.where(column.kinds == Kind.TEXT, texts, column.numbers)
    _, groups = np.unique(np.column_stack([column.kinds.astype(float), within]), axis=0, return_inverse=True)
    return groups.ravel()


# -- cutting and joining ---------------------------------------------------------------------------------


def _span(count: float | None, size: int, drop: bool) -> range:
    """Which places are kept when this many are taken (or dropped) from the start, or from the end when negative."""
    if count is None:
        return range(size)
    number = int(count)
    if not drop and number == 0:
        raise ErrorValue(CellError.CALC)
    if drop:
        return range(min(number, size), size) if number >= 0 else range(max(size + number, 0))
    return range(min(number, size)) if number > 0 else range(max(size + number, 0), size)


def _cut(drop: bool) -> Callable[..., Grid]:
    def function(grid: Grid, rows: float | None = None, columns: float | None = None) -> Grid:
        down, across = _span(rows, grid.height, drop), _span(columns, grid.width, drop)
        return taken_rows(_taken_columns(grid, across), np.array(down, np.int64))

    return function


def _chosen(size: int, *wanted: Grid) -> list[int]:
    positions = []
    for value in (value for grid in wanted for value in grid.flat()):
        if not isinstance(value, float) or not 1 <= abs(value) < size + 1:
            raise ErrorValue(CellError.VALUE)
        positions.append(int(value) - 1 if value > 0 else size + int(value))
    return positions


def _expanded(grid: Grid, rows: float | None = None, columns: float | None = None, pad: Grid | None = None) -> Grid:
    height = grid.height if rows is None else int(rows)
    width = grid.width if columns is None else int(columns)
    if height < grid.height or width < grid.width:
        raise ErrorValue(CellError.VALUE)
    require_room(height, width)
    fill = CellError.NA if pad is None else pad.value(0, 0)
    return stretched(grid, height, width, fill)


def stretched(grid: Grid, height: int, width: int, fill: Value = CellError.NA) -> Grid:
    """An array made larger, what is missing filled with a value. Raises ErrorValue when it is too large."""
    require_room(height, width)
    missing = Column.full(fill, height)
    columns = [Column.concat([column, missing.slice(0, height - grid.height)]) for column in grid.columns]
    return Grid((*columns, *([missing] * (width - grid.width))), height)


def _stacked_down(*grids: Grid) -> Grid:
    width = max(grid.width for grid in grids)
    wide = [stretched(grid, grid.height, width) for grid in grids]
    columns = tuple(Column.concat([grid.columns[index] for grid in wide]) for index in range(width))
    return Grid(columns, sum(grid.height for grid in grids))


def _stacked_across(*grids: Grid) -> Grid:
    height = max(grid.height for grid in grids)
    return Grid(tuple(column for grid in grids for column in stretched(grid, height, grid.width).columns), height)


def _line(grid: Grid, skip: float, by_column: bool) -> Column:
    flat = grid.flat() if by_column else _by_row(grid)
    if int(skip) not in (0, 1, 2, 3):
        raise ErrorValue(CellError.VALUE)
    left_out: Booleans = np.zeros(len(flat), bool)
    if int(skip) & 1:
        left_out |= flat.kinds == Kind.BLANK
    if int(skip) & 2:
        left_out |= flat.kinds == Kind.ERROR
    found = flat.take(~left_out)
    if not len(found):
        raise ErrorValue(CellError.CALC)
    return found


def _tocol(grid: Grid, skip: float = 0.0, by_column: bool = False) -> Grid:
    line = _line(grid, skip, by_column)
    return Grid((line,), len(line))


def _wrapped(grid: Grid, count: float, pad: Grid | None, rows: bool) -> Grid:
    if min(grid.height, grid.width) != 1:
        raise ErrorValue(CellError.VALUE)
    if count < 1:
        raise ErrorValue(CellError.NUM)
    line, size = grid.flat(), int(count)
    lines = -(-len(line) // size)
    require_room(lines, size) if rows else require_room(size, lines)
    missing = Column.full(CellError.NA if pad is None else pad.value(0, 0), lines * size - len(line))
    whole = Column.concat([line, missing])
    columns = tuple(whole.slice(index * size, (index + 1) * size) for index in range(lines))
    found = Grid(columns, size)
    return transposed(found) if rows else found


# -- making ----------------------------------------------------------------------------------------------


def _sequence(rows: float, columns: float = 1.0, start: float = 1.0, step: float = 1.0) -> Grid:
    if rows < 1 or columns < 1:
        raise ErrorValue(CellError.CALC if rows >= 0 and columns >= 0 else CellError.VALUE)
    require_room(int(rows), int(columns))
    count = np.arange(int(rows) * int(columns), dtype=np.float64)
    return grid_from((start + count * step).reshape(int(rows), int(columns)))


def _random(
    frame: Frame, rows: float = 1.0, columns: float = 1.0, low: float = 0.0, high: float = 1.0, whole: bool = False
) -> Grid:
    if rows < 1 or columns < 1 or low > high or (whole and (low != int(low) or high != int(high))):
        raise ErrorValue(CellError.VALUE)
    require_room(int(rows), int(columns))
    shares = frame.scope.random(int(rows) * int(columns))
    numbers = np.floor(low + shares * (high - low + 1)) if whole else low + shares * (high - low)
    return grid_from(numbers.reshape(int(rows), int(columns)))


declare_all(
    arrays,
    __name__,
    [
        ("TRANSPOSE(array: cells)", transposed, "Rows as columns (18.17.7).", "INDEX(TRANSPOSE({1,2;3,4}), 1, 2)", "3"),
        ("FILTER(array: cells, keep: cells, empty?: cells)", _filter, "The rows (or columns) for which a condition holds.", "SUM(FILTER({1;2;3}, {TRUE;FALSE;TRUE}))", "4"),
        ("SORT(array: cells, index?: cells, order?: cells, across: logical = FALSE)", _sort, "The rows sorted by one of the columns or more; order -1 from the largest down.", "INDEX(SORT({3;1;2}, 1, -1), 2)", "2"),
        ("SORTBY(array: cells, key: cells, order...: cells)", _sortby, "The rows sorted by other arrays, each with its order.", 'INDEX(SORTBY({"a";"b";"c"}, {3;1;2}), 1)', "b"),
        ("UNIQUE(array: cells, across: logical = FALSE, once: logical = FALSE)", _unique, "Each row once; with `once`, those that occur only once.", 'ROWS(UNIQUE({"a";"B";"b"}))', "2"),
        ("TAKE(array: cells, rows?: number, columns?: number)", _cut(False), "The first rows and columns, or the last when negative.", "SUM(TAKE({1;2;3}, -2))", "5"),
        ("DROP(array: cells, rows?: number, columns?: number)", _cut(True), "An array without its first rows and columns, or its last when negative.", "SUM(DROP({1;2;3}, 1))", "5"),
        ("CHOOSEROWS(array: cells, row: cells, row...: cells)", lambda g, *w: taken_rows(g, np.array(_chosen(g.height, *w))), "Some of an array's rows, from the end when negative.", "SUM(CHOOSEROWS({1;2;3}, 1, -1))", "4"),
        ("CHOOSECOLS(array: cells, column: cells, column...: cells)", lambda g, *w: _taken_columns(g, _chosen(g.width, *w)), "Some of an array's columns, from the end when negative.", "SUM(CHOOSECOLS({1,2,3}, 1, -1))", "4"),
        ("EXPAND(array: cells, rows?: number, columns?: number, pad?: cells)", _expanded, "An array made larger.", "SUM(EXPAND({1,2}, 2, 2, 5))", "13"),
        ("VSTACK(array: cells, array...: cells)", _stacked_down, "Arrays below each other.", "SUM(VSTACK({1,2}, {3,4}))", "10"),
        ("HSTACK(array: cells, array...: cells)", _stacked_across, "Arrays beside each other.", "COLUMNS(HSTACK({1,2}, {3,4}))", "4"),
        ("TOCOL(array: cells, skip: number = 0, down: logical = FALSE)", _tocol, "An array as one column; skip 1 leaves out blanks, 2 errors, 3 both.", "INDEX(TOCOL({1,2;3,4}), 2)", "2"),
        ("TOROW(array: cells, skip: number = 0, down: logical = FALSE)", lambda g, s=0.0, d=False: transposed(_tocol(g, s, d)), "An array as one row; skip 1 leaves out blanks, 2 errors, 3 both.", "INDEX(TOROW({1,2;3,4}, 0, TRUE), 2)", "3"),
        ("WRAPROWS(line: cells, count: number, pad?: cells)", lambda g, n, p=None: _wrapped(g, n, p, True), "A row or column cut into rows of a length.", "INDEX(WRAPROWS({1,2,3,4}, 2), 2, 1)", "3"),
        ("WRAPCOLS(line: cells, count: number, pad?: cells)", lambda g, n, p=None: _wrapped(g, n, p, False), "A row or column cut into columns of a length.", "INDEX(WRAPCOLS({1,2,3,4}, 2), 2, 1)", "2"),
        ("SEQUENCE(rows: number, columns: number = 1, start: number = 1, step: number = 1)", _sequence, "Numbers with equal steps.", "SUM(SEQUENCE(4, 1, 10, 5))", "70"),
    ],
)  # fmt: skip


def _framed(signature: str) -> Callable[[Callable[..., Grid]], Callable[..., Grid]]:
    return arrays(signature, framed=True)


def _between(frame: Frame, low: float, high: float) -> float:
    first, last = np.ceil(low), np.floor(high)
    if first > last:
        raise ErrorValue(CellError.NUM)
    return float(first + np.floor(frame.scope.random(1)[0] * (last - first + 1)))


declare_all(
    _framed,
    __name__,
    [
        ("RANDARRAY(rows: number = 1, columns: number = 1, low: number = 0, high: number = 1, whole: logical = FALSE)", _random, "Random numbers.", "ROWS(RANDARRAY(3))", "3"),
        ("RAND()", lambda frame: float(frame.scope.random(1)[0]), "A random number from 0 up to but not including 1 (18.17.7).", "RAND() < 1", "TRUE"),
        ("RANDBETWEEN(low: number, high: number)", _between, "A random whole number between two others, both included (18.17.7).", "RANDBETWEEN(3, 3)", "3"),
    ],
)  # fmt: skip
