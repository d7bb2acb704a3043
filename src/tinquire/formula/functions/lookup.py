"""Values found by key or by position (18.17.7)."""

from __future__ import annotations

from bisect import bisect_right
from typing import Any

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Codes, Column, Floats, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays
from tinquire.formula.engine.conversions import boolean_of, number_of, numbers, with_faults
from tinquire.formula.engine.criteria import has_wildcards, wildcard_pattern
from tinquire.formula.engine.evaluate import evaluate, fixed_value
from tinquire.formula.engine.operands import Areas, Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.references import PerLane, crop_to_used, grid_of, lane_numbers, moving_span, single
from tinquire.formula.engine.registry import declare_all, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.functions.arrays import transposed
from tinquire.formula.language.tree import Literal, Missing, Node

__all__ = ["KeyIndex", "line_of"]


def line_of(grid: Grid) -> Column:
    if min(grid.height, grid.width) != 1:
        raise ErrorValue(CellError.VALUE)
    return grid.flat()


@special("VLOOKUP(key: value, range: cells, column: number, nearest: logical = TRUE)")
def vlookup(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value in a column of the row whose first column has the key; with `nearest`, of the last row not
    above the key in an ascending first column (18.17.7).

    >>> VLOOKUP("b", {"a",1;"b",2}, 2, FALSE)
    2
    """
    operand = evaluate(arguments[1], frame)
    grid = _used_rows(operand, frame)
    place = _fixed_number(arguments[2], frame)
    nearest = boolean_of(fixed_value(arguments[3], frame)) if len(arguments) > 3 else True
    if isinstance(place, CellError):
        return Scalar(place)
    if isinstance(nearest, CellError):
        return Scalar(nearest)
    column = int(place)
    if not 1 <= column <= grid.width:
        return Scalar(CellError.VALUE if column < 1 else CellError.REF)
    index = _index(grid.columns[0], operand, frame)
    keys = single(evaluate(arguments[0], frame), frame)
    return _picked(_positions(keys, index, 1 if nearest else 0), keys, grid.columns[column - 1])


def _used_rows(operand: Operand, frame: Frame) -> Grid:
    """A range without the rows in which nothing can be found."""
    if not isinstance(operand, Span) or operand.moves:
        return grid_of(operand, frame)
    used = crop_to_used(operand, frame)
    area = operand.area
    return grid_of(Span(operand.sheet, Area(area.top, area.left, used.bottom, area.right)), frame)


@special("MATCH(key: value, range: cells, kind: number = 1)")
def match_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The position of a key in a row or column, counted from one. Kind 0: equal; 1: the last not above it in
    ascending order; -1: the last not below it in descending order (18.17.7).

    >>> MATCH("b", {"a","b","c"}, 0)
    2
    """
    operand = evaluate(arguments[1], frame)
    if isinstance(operand, Span) and not operand.moves and min(operand.area.height, operand.area.width) > 1:
        return Scalar(CellError.NA)
    grid = grid_of(operand, frame, crop=True)
    kind = _fixed_number(arguments[2], frame) if len(arguments) > 2 else 1.0
    if isinstance(kind, CellError):
        return Scalar(kind)
    if min(grid.width, grid.height) != 1:
        return Scalar(CellError.NA)
    index = _index(grid.flat(), operand, frame)
    keys = single(evaluate(arguments[0], frame), frame)
    found = _positions(keys, index, int(np.sign(kind)))
    return _picked(found, keys, Column.of_numbers(np.arange(1.0, len(index.column) + 1)))


@special("INDEX(range: cells, row: number, column?: number, area: number = 1)")
def index_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value at a row and a column of a range, or of one of its areas; zero means the whole row or column (18.17.7).

    >>> INDEX({1,2;3,4}, 2, 1)
    3
    """
    target = evaluate(arguments[0], frame)
    if len(arguments) > 3 or isinstance(target, Areas):
        target = _area_of(target, arguments[3] if len(arguments) > 3 else Literal(1.0), frame)
        if isinstance(target, Scalar) and isinstance(target.value, CellError):
            return target
    rows = single(evaluate(arguments[1], frame), frame)
    given = len(arguments) > 2 and not isinstance(arguments[2], Missing)
    columns = single(evaluate(arguments[2], frame), frame) if given else None
    if isinstance(target, Span) and not target.moves and (isinstance(rows, Lanes) or isinstance(columns, Lanes)):
        picked = _picked_cells(target, rows, columns, frame)
        if picked is not None:
            return picked
    if isinstance(rows, Lanes) and (columns is None or isinstance(columns, Scalar)):
        grid = grid_of(target, frame)
        across = number_of(columns.value) if columns else 1.0
        if isinstance(across, CellError) or grid.width < across or across < 1:
            return Scalar(across if isinstance(across, CellError) else CellError.REF)
        return _picked_rows(rows.column, grid.columns[int(across) - 1])
    if not isinstance(rows, Scalar) or isinstance(columns, Lanes | Grid):
        raise PerLane
    row, column = number_of(rows.value), number_of(columns.value) if columns else None
    if isinstance(row, CellError) or isinstance(column, CellError):
        return Scalar(row if isinstance(row, CellError) else column)
    return _indexed(target, int(row), None if column is None else int(column), frame)


def _picked_cells(
    target: Span, rows: Scalar | Lanes | Grid, columns: Scalar | Lanes | Grid | None, frame: Frame
) -> Operand | None:
    """A cell of a range for each lane; None where one is not in it, or a whole row or column is asked for."""
    area = target.area
    down, across = lane_numbers(rows, frame), None if columns is None else lane_numbers(columns, frame)
    if down is None or (columns is not None and across is None):
        return None
    if across is None:
        if area.height > 1 and area.width > 1:
            return None
        ones = np.ones(frame.count, np.int32)
        down, across = (ones, down) if area.height == 1 and area.width > 1 else (down, ones)
    if min(down.min(), across.min()) < 1 or down.max() > area.height or across.max() > area.width:
        return None
    return moving_span(target.sheet, area.top + down - 1, area.left + across - 1, 1, 1)


def _area_of(target: Operand, number: Node, frame: Frame) -> Operand:
    """One of several areas, counted from one."""
    place = number_of(fixed_value(number, frame))
    if isinstance(place, CellError):
        return Scalar(place)
    parts = target.parts if isinstance(target, Areas) else (target,)
    return parts[int(place) - 1] if 1 <= int(place) <= len(parts) else Scalar(CellError.REF)


def _indexed(target: Operand, row: int, column: int | None, frame: Frame) -> Operand:
    """One place of a range: a reference when the range is one, otherwise its value."""
    if isinstance(target, Span) and target.moves:
        raise PerLane
    if isinstance(target, Span):
        height, width = target.area.height, target.area.width
    else:
        grid = grid_of(target, frame)
        height, width = grid.height, grid.width
    if column is None:
        row, column = (1, row) if height == 1 and width > 1 else (row, 1 if width == 1 else 0)
    if not (0 <= row <= height and 0 <= column <= width):
        return Scalar(CellError.REF)
    top, bottom = (0, height - 1) if row == 0 else (row - 1, row - 1)
    left, right = (0, width - 1) if column == 0 else (column - 1, column - 1)
    if isinstance(target, Span):
        base = target.area
        return Span(target.sheet, Area(base.top + top, base.left + left, base.top + bottom, base.left + right))
    cut = tuple(part.slice(top, bottom + 1) for part in grid.columns[left : right + 1])
    return Scalar(cut[0][0]) if top == bottom and left == right else Grid(cut, bottom - top + 1)


def _picked_rows(rows: Column, values: Column) -> Lanes:
    read, faults = numbers(rows)
    if ((np.trunc(read) == 0) & (rows.kinds != Kind.ERROR)).any():
        raise PerLane  # zero means the whole column, which is no value of one lane
    indexes = np.trunc(np.clip(read, -1, len(values) + 1)).astype(np.int64) - 1
    wrong = (indexes < 0) | (indexes >= len(values))
    picked = values.take(np.where(wrong, 0, indexes))
    found = Column.where(wrong, Column.full(CellError.REF, 1), picked)
    return Lanes(with_faults(found, faults))


# -- finding ---------------------------------------------------------------------------------------------


#: Keys that are whole numbers get a table while it is at most this many times as long as they are many.
_TABLE_WIDTH = 16


class KeyIndex:
    """Places of the keys of one column: the first of each for an exact search, the order for the nearest."""

    def __init__(self, column: Column) -> None:
        self.column = column
        self._first: dict[Any, int] | None = None
        self._last: dict[Any, int] | None = None
        self._ordered: dict[int, tuple[list[Any], list[int]]] = {}
        self._numbers: tuple[Floats, Codes] | None = None
        self._table: tuple[int, Codes] | None = None
        self._ascending: bool | None = None

    def exact(self, key: Value) -> int:
        """Place of the first value equal to the key (texts without regard to case, wildcards allowed), or -1."""
        if self._first is None:
            self._first = {}
            for place, value in enumerate(self.column):
                if value is not None:
                    self._first.setdefault(_folded(value), place)
        if isinstance(key, str) and has_wildcards(key):
            matches = wildcard_pattern(key).match
            for value, place in self._first.items():
                if value[0] == "text" and matches(value[1]):
                    return place
            return -1
        return self._first.get(_folded(0.0 if key is None else key), -1)

    def number_places(self, wanted: Floats, kind: int) -> Codes | None:
        """Places of many numbers at once, as `exact` (kind 0) or `nearest` finds each; None where these must."""
        if self._numbers is None:
            known = np.flatnonzero(self.column.kinds == Kind.NUMBER)
            self._numbers = self.column.numbers[known], known
            self._ascending = bool((np.diff(self._numbers[0]) >= 0).all())
        keys, places = self._numbers
        if not len(keys):
            return np.full(len(wanted), -1, np.int64)
        if kind == 0:
            return self._numbers_by_table(wanted, keys, places)
        if kind < 0 or not self._ascending:
            return None
        at = keys.searchsorted(wanted, "right") - 1
        return np.where(at >= 0, places[at], -1)

    def _numbers_by_table(self, wanted: Floats, keys: Floats, places: Codes) -> Codes:
        """Whole numbers that lie close together have a place in a table each; others are searched for in order."""
        if self._table is None:
            lowest, highest = float(keys.min()), float(keys.max())
            whole = highest - lowest < _TABLE_WIDTH * len(keys) + 1000 and bool((keys == np.rint(keys)).all())
            if whole and abs(lowest) < 2**53 and abs(highest) < 2**53:
                table = np.full(int(highest - lowest) + 1, -1, np.int64)
                table[(keys - lowest).astype(np.int64)[::-1]] = places[::-1]  # the last one written is the first
                self._table = int(lowest), table
            else:
                order = np.argsort(keys, kind="stable")
                self._numbers = keys, places = keys[order], places[order]
                self._table = 0, np.empty(0, np.int64)
        lowest_key, table = self._table
        if len(table):
            offsets = wanted - lowest_key
            at = np.clip(offsets, 0, len(table) - 1).astype(np.int64)
            return np.where(at == offsets, table[at], -1)
        at = keys.searchsorted(wanted)
        at[at == len(keys)] = 0
        return np.where(keys[at] == wanted, places[at], -1)

    def same(self, key: Value, *, last: bool = False) -> int:
        """Place of the first (or last) value equal to the key, wildcards without meaning; -1 when there is none."""
        if last:
            if self._last is None:
                self._last = {_folded(value): place for place, value in enumerate(self.column) if value is not None}
            return self._last.get(_folded(key), -1)
        if isinstance(key, str) and has_wildcards(key):
            self.exact("")  # makes the places known
            return (self._first or {}).get(_folded(key), -1)
        if key is None:
            blanks = np.flatnonzero(self.column.kinds == Kind.BLANK)
            return int(blanks[0]) if len(blanks) else -1
        return self.exact(key)

    def nearest(self, key: Value, descending: bool = False) -> int:
        """Place of the last value of the key's kind that is not above it (below it, when descending), or -1."""
        key = 0.0 if key is None else key
        kind = Kind.TEXT if isinstance(key, str) else Kind.BOOL if isinstance(key, bool) else Kind.NUMBER
        if kind not in self._ordered:
            places = np.flatnonzero(self.column.kinds == kind).tolist()
            self._ordered[kind] = [_folded(self.column[place])[-1] for place in places], places
        keys, places = self._ordered[kind]
        wanted = _folded(key)[-1]
        if descending:
            found = bisect_right(keys, _Reversed(wanted), key=_Reversed) - 1
        else:
            found = bisect_right(keys, wanted) - 1
        return places[found] if found >= 0 else -1


class _Reversed:
    """A key that sorts the other way round."""

    __slots__ = ("key",)

    def __init__(self, key: Any) -> None:
        self.key = key

    def __lt__(self, other: _Reversed) -> bool:
        return bool(other.key < self.key)


def _folded(value: Value) -> Any:
    """A key under which equal values are equal and values of different kinds never are."""
    if isinstance(value, str):
        return ("text", value.casefold())
    if isinstance(value, bool):
        return ("bool", value)
    return ("error", value) if isinstance(value, CellError) else ("number", value)


def _index(column: Column, operand: Operand, frame: Frame) -> KeyIndex:
    """The index of a range, shared by all formulas that look into it."""
    if not isinstance(operand, Span):
        return KeyIndex(column)
    return frame.scope.indexes.made(("keys", len(column)), (operand,), len(column), lambda: KeyIndex(column))


def _positions(keys: Scalar | Lanes | Grid, index: KeyIndex, kind: int) -> Any:
    """Places (from zero, -1 for none) of the keys: one number, or an array for lanes; an error value stays."""
    if isinstance(keys, Grid):
        raise PerLane

    def place(key: Value) -> int:
        if isinstance(key, CellError):
            return -1
        return index.exact(key) if kind == 0 else index.nearest(key, descending=kind < 0)

    if isinstance(keys, Scalar):
        return keys.value if isinstance(keys.value, CellError) else place(keys.value)
    column = keys.column
    found = np.full(len(column), -1, np.int64)
    numeric = (column.kinds == Kind.NUMBER) | (column.kinds == Kind.BLANK)
    if numeric.any():
        every = bool(numeric.all())
        wanted = column.numbers if every else column.numbers[numeric]
        places = index.number_places(wanted, kind)
        if places is None:
            distinct, inverse = np.unique(wanted, return_inverse=True)
            places = np.array([place(key) for key in distinct.tolist()])[inverse]
        if every:
            return places
        found[numeric] = places
    texts = np.flatnonzero(column.kinds == Kind.TEXT)
    if len(texts):
        used, inverse = np.unique(column.codes[texts], return_inverse=True)
        found[texts] = np.array([place(column.texts[code]) for code in used.tolist()])[inverse]
    for flag in (False, True):
        found[(column.kinds == Kind.BOOL) & (column.numbers == flag)] = place(flag)
    return found


def _picked(found: Any, keys: Scalar | Lanes | Grid, values: Column) -> Operand:
    """The values at the places found; a key that is an error stays that error, one that is missing is not available."""
    if isinstance(found, CellError):
        return Scalar(found)
    if isinstance(found, int):
        return Scalar(CellError.NA if found < 0 else values[found])
    assert isinstance(keys, Lanes)
    absent = found < 0
    if not absent.any():
        return Lanes(values.take(found))
    picked = values.take(np.maximum(found, 0))
    missing = Column.where(keys.column.kinds == Kind.ERROR, keys.column, Column.full(CellError.NA, 1))
    return Lanes(Column.where(absent, missing, picked))


def _fixed_number(node: Node, frame: Frame) -> float | CellError:
    return number_of(fixed_value(node, frame))


def _choose(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """Only what is chosen is calculated when the choice is the same for all."""
    place = number_of(fixed_value(arguments[0], frame))
    if isinstance(place, CellError):
        return Scalar(place)
    if not 1 <= int(place) < len(arguments):
        return Scalar(CellError.VALUE)
    return evaluate(arguments[int(place)], frame)


declare_all(
    special,
    __name__,
    [
        ("CHOOSE(place: number, value: value, value...: value)", _choose, "The nth of several values or references (18.17.7).", 'CHOOSE(2, "a", "b", "c")', "b"),
    ],
)  # fmt: skip


def _lookup(key: Value, range_: Grid, results: Grid | None = None) -> Value:
    """The value beside the last one not above the key, in ascending order."""
    if results is None:
        across = range_.width > range_.height
        lines = transposed(range_) if across else range_
        line, values = lines.columns[0], lines.columns[-1]
    else:
        line, values = line_of(range_), line_of(results)
    place = KeyIndex(line).nearest(key)
    if isinstance(key, CellError):
        return key
    if place < 0 or place >= len(values):
        return CellError.NA
    return values[place]


def _hlookup(key: Value, range_: Grid, row: float, nearest: bool = True) -> Value:
    number = int(row)
    if not 1 <= number <= range_.height:
        return CellError.VALUE if number < 1 else CellError.REF
    across = transposed(range_)
    index = KeyIndex(across.columns[0])
    if isinstance(key, CellError):
        return key
    place = index.nearest(key) if nearest else index.exact(key)
    return CellError.NA if place < 0 else across.columns[number - 1][place]


declare_all(
    arrays,
    __name__,
    [
        ("LOOKUP(key: value, range: cells, results?: cells)", _lookup, "The value beside the last one not above a key in an ascending row or column (18.17.7).", 'LOOKUP(4, {1,3,5}, {"a","b","c"})', "b"),
        ("HLOOKUP(key: value, range: cells, row: number, nearest: logical = TRUE)", _hlookup, "The value in a row of the column whose first row has the key (18.17.7).", 'HLOOKUP("b", {"a","b";1,2}, 2, FALSE)', "2"),
    ],
)  # fmt: skip
