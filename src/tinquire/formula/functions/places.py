"""Where cells are, and cells found by where they are (18.17.7)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import numpy as np

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, column_name, quoted_sheet
from tinquire.cells.column import Column
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from, plain
from tinquire.formula.engine.conversions import boolean_of, number_of, text_of
from tinquire.formula.engine.criteria import wildcard_pattern
from tinquire.formula.engine.evaluate import evaluate, fixed_value
from tinquire.formula.engine.operands import Areas, Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.operators import compare
from tinquire.formula.engine.references import PerLane, cropped_together, single
from tinquire.formula.engine.registry import declare_all, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.functions.lookup import KeyIndex
from tinquire.formula.functions.shapes import taken_rows, transposed
from tinquire.formula.language.grammar import parse
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.tree import Missing, Name, Node, Reference, walk

# -- rows, columns, addresses ----------------------------------------------------------------------------


def _own(arguments: tuple[Node, ...], frame: Frame, rows: bool) -> Operand:
    """The rows (or columns) of a reference, or of the cell itself."""
    if not arguments or isinstance(arguments[0], Missing):
        if not rows:
            return Scalar(float(frame.column))
        numbers = Column.of_numbers(np.arange(frame.row, frame.row + frame.count, dtype=np.float64))
        return Lanes(numbers) if frame.count > 1 else Scalar(float(frame.row))
    operand = evaluate(arguments[0], frame)
    if not isinstance(operand, Span):
        return (
            operand if isinstance(operand, Scalar) and isinstance(operand.value, CellError) else Scalar(CellError.VALUE)
        )
    area = operand.area
    if operand.moves:
        if not rows:
            return Scalar(float(area.left))
        return Lanes(Column.of_numbers(np.arange(frame.count, dtype=np.float64) * operand.top_moves + area.top))
    first, count = (area.top, area.height) if rows else (area.left, area.width)
    if count == 1 or not frame.arrays:
        return Scalar(float(first))
    line = np.arange(first, first + min(count, MAX_ROW), dtype=np.float64)
    return grid_from(line[:, None] if rows else line[None, :])


def _of_row(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    return _own(arguments, frame, True)


def _of_column(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    return _own(arguments, frame, False)


def _areas(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    operand = evaluate(arguments[0], frame)
    if isinstance(operand, Areas):
        return Scalar(float(len(operand.parts)))
    return Scalar(1.0 if isinstance(operand, Span) else CellError.VALUE)


def _choose(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """Only what is chosen is worked out when the choice is the same for all."""
    place = number_of(fixed_value(arguments[0], frame))
    if isinstance(place, CellError):
        return Scalar(place)
    if not 1 <= int(place) < len(arguments):
        return Scalar(CellError.VALUE)
    return evaluate(arguments[int(place)], frame)


def _fixed(node: Node, frame: Frame) -> float:
    found = number_of(fixed_value(node, frame))
    if isinstance(found, CellError):
        raise ErrorValue(found)
    return float(int(found))


def _offset(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    base = evaluate(arguments[0], frame)
    if isinstance(base, Span) and base.moves:
        raise PerLane
    if not isinstance(base, Span):
        return base if isinstance(base, Scalar) and isinstance(base.value, CellError) else Scalar(CellError.VALUE)
    area = base.area
    sizes = [area.height, area.width]
    try:
        down, across = int(_fixed(arguments[1], frame)), int(_fixed(arguments[2], frame))
        for place, node in enumerate(arguments[3:5]):
            if not isinstance(node, Missing):
                sizes[place] = int(_fixed(node, frame))
    except ErrorValue as fault:
        return Scalar(fault.error)
    if 0 in sizes:
        return Scalar(CellError.REF)
    top, left = area.top + down + min(sizes[0] + 1, 0), area.left + across + min(sizes[1] + 1, 0)
    bottom, right = top + abs(sizes[0]) - 1, left + abs(sizes[1]) - 1
    if top < 1 or left < 1 or bottom > MAX_ROW or right > MAX_COLUMN:
        return Scalar(CellError.REF)
    return Span(base.sheet, Area(top, left, bottom, right))


_ROW_COLUMN = re.compile(r"(?:R(?P<row>[0-9]+|\[-?[0-9]+\]|))?(?:C(?P<column>[0-9]+|\[-?[0-9]+\]|))?\Z", re.IGNORECASE)


def _indirect(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The cells that a text names: as an address, a name, a table reference, or by row and column."""
    text = text_of(fixed_value(arguments[0], frame))
    if isinstance(text, CellError):
        return Scalar(text)
    if len(arguments) > 1 and boolean_of(fixed_value(arguments[1], frame)) is False:
        by_numbers = _from_row_column(text, frame)
    else:
        by_numbers = text
    try:
        tree = parse(text if by_numbers is None else by_numbers, frame.row, frame.column)
    except FormulaError:
        return Scalar(CellError.REF)
    if by_numbers is None and any(isinstance(node, Reference) for node in walk(tree)):
        return Scalar(CellError.REF)
    found = evaluate(tree, frame)
    if isinstance(found, Span) and not (isinstance(tree, Reference) and found.moves):
        return found
    return found if isinstance(found, Areas) else Scalar(CellError.REF)


def _from_row_column(text: str, frame: Frame) -> str | None:
    """`R2C3`, `R[-1]C`, `R1C1:R3C1`, `C2` as addresses; None for what is none, a name perhaps."""
    sheet, mark, bare = text.rpartition("!")
    corners = [_corner(part, frame) for part in bare.split(":")]
    spelled = [corner for corner in corners if corner is not None]
    if len(spelled) < len(corners) or len(corners) > 2:
        return None
    first, last = spelled[0], spelled[-1]
    if len(corners) == 1 and "" not in first:
        return f"{sheet}{mark}{''.join(first)}"
    if [part == "" for part in first] != [part == "" for part in last]:
        return None
    return f"{sheet}{mark}{''.join(first)}:{''.join(last)}"


def _corner(text: str, frame: Frame) -> tuple[str, str] | None:
    """Column and row of one corner, '' for a whole row or column; None for text that is no such corner."""
    found = _ROW_COLUMN.match(text)
    if not text or not found:
        return None
    numbers = []
    for part, own in ((found["row"], frame.row), (found["column"], frame.column)):
        digits = (part or "").strip("[]")
        numbers.append(None if part is None else own + int(digits or 0) if part[:1] in ("[", "") else int(digits))
    row, column = numbers
    if not (row is None or 1 <= row <= MAX_ROW) or not (column is None or 1 <= column <= MAX_COLUMN):
        return None
    return "" if column is None else column_name(column), "" if row is None else str(row)


def _sheet_number(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    operand = evaluate(arguments[0], frame) if arguments else Scalar(None)
    name = operand.sheet if isinstance(operand, Span) else frame.sheet
    if isinstance(operand, Scalar) and isinstance(operand.value, str):
        name = operand.value
    names = [sheet.casefold() for sheet in frame.scope.sheets_between("", "")]
    return Scalar(names.index(name.casefold()) + 1.0 if name.casefold() in names else CellError.NA)


def _sheet_count(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    if not arguments:
        return Scalar(float(len(frame.scope.sheets_between("", ""))))
    operand = evaluate(arguments[0], frame)
    return Scalar(
        float(len(operand.parts)) if isinstance(operand, Areas) else 1.0 if isinstance(operand, Span) else CellError.REF
    )


def _isref(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    return Scalar(isinstance(evaluate(arguments[0], frame), Span | Areas))


declare_all(
    special,
    __name__,
    [
        ("ROW(reference?: cells)", _of_row, "The row of a reference, or of the cell itself (18.17.7).", "ROW(B7)", "7"),
        ("COLUMN(reference?: cells)", _of_column, "The column of a reference, or of the cell itself (18.17.7).", "COLUMN(B7)", "2"),
        ("AREAS(reference: cells)", _areas, "How many areas a reference has (18.17.7).", "AREAS((A1:B2,C3))", "2"),
        ("CHOOSE(place: number, value: value, value...: value)", _choose, "The so-manieth of several values or references (18.17.7).", 'CHOOSE(2, "a", "b", "c")', "b"),
        ("OFFSET(reference: cells, rows: number, columns: number, height?: number, width?: number)", _offset, "A reference moved, and made of another size (18.17.7).", "ROW(OFFSET(B2, 3, 0))", "5"),
        ("INDIRECT(text: text, plain: logical = TRUE)", _indirect, "The reference that a text spells (18.17.7).", 'COLUMN(INDIRECT("D4"))', "4"),
        ("ISREF(value: cells)", _isref, "Whether an argument is a reference (18.17.7).", "ISREF(A1)", "TRUE"),
        ("SHEET(reference?: cells)", _sheet_number, "A sheet's number.", "SHEET()", "1"),
        ("SHEETS(reference?: cells)", _sheet_count, "How many sheets there are, or a reference goes through.", "SHEETS()", "2"),
    ],
)  # fmt: skip


@special("GETPIVOTDATA(data: text, pivot: cells, field...: text, item...: value)")
def getpivotdata(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value of a pivot's cell, by the data that it shows and the items of its fields (18.17.7). In a sheet the
    pivot is given by one of its cells, in a docket by its name; without an item of a field the value is a total.

    >>> GETPIVOTDATA("Charge", A1)
    #REF!
    """
    given = [fixed_value(one, frame) for one in (arguments[0], *arguments[2:])]
    pivot = arguments[1]
    wrong = next((value for value in given if isinstance(value, CellError)), None)
    if wrong is not None or len(given) % 2 == 0:
        return Scalar(wrong or CellError.REF)
    names = [text_of(value) for value in (given[0], *given[1::2])]
    pairs = [(str(name), item) for name, item in zip(names[1:], given[2::2], strict=True)]
    if isinstance(pivot, Name) and (found := frame.scope.named_pivot(pivot.name, str(names[0]), pairs)) is not None:
        return Scalar(found)
    operand = evaluate(pivot, frame)
    if not isinstance(operand, Span):
        return Scalar(CellError.REF)
    if operand.moves:
        raise PerLane
    return Scalar(frame.scope.pivot_value(operand.sheet, operand.area.top, operand.area.left, str(names[0]), pairs))


@plain("ADDRESS(row: number, column: number, kind: number = 1, plain: logical = TRUE, sheet?: text)")
def address(row: float, column: float, kind: float = 1.0, plain_: bool = True, sheet: str | None = None) -> str:
    """The text of a cell's address: kind 1 fixed, 2 with a fixed row, 3 with a fixed column, 4 with neither (18.17.7).

    >>> ADDRESS(2, 3, 2)
    C$2
    """
    if not (1 <= row < MAX_ROW + 1 and 1 <= column < MAX_COLUMN + 1 and 1 <= kind < 5):
        raise ErrorValue(CellError.VALUE)
    fixed_row, fixed_column = int(kind) in (1, 2), int(kind) in (1, 3)
    prefix = f"{quoted_sheet(sheet)}!" if sheet else "!" if sheet == "" else ""
    if plain_:
        return f"{prefix}{'$' * fixed_column}{column_name(int(column))}{'$' * fixed_row}{int(row)}"
    r, c = (f"{int(n)}" if fixed else f"[{int(n)}]" for n, fixed in ((row, fixed_row), (column, fixed_column)))
    return f"{prefix}R{r}C{c}"


@plain("HYPERLINK(target: text, shown?: value)")
def hyperlink(target: str, shown: Value = None) -> Value:
    """What a link shows: its text, or its target (18.17.7). The target is never opened.

    >>> HYPERLINK("https://example.com", "more")
    more
    """
    return target if shown is None else shown


# -- finding ---------------------------------------------------------------------------------------------


def _wanted(index: KeyIndex, key: Value, match: float, search: float) -> int:
    """The place of a key: match 0 equal, -1 equal or the next smaller, 1 or the next larger, 2 with wildcards; search
    1 from the start, -1 from the end, 2 and -2 in sorted order."""
    kind, way = int(match), int(search)
    if kind not in (-1, 0, 1, 2) or way not in (1, -1, 2, -2):
        raise ErrorValue(CellError.VALUE)
    if kind == 2 and isinstance(key, str):
        matches = wildcard_pattern(key).match
        places = [n for n, value in enumerate(index.column) if isinstance(value, str) and matches(value)]
        return (places[0] if way > 0 else places[-1]) if places else -1
    found = index.same(key, last=way < 0)
    return found if found >= 0 or kind == 0 else _near(index.column, key, kind, way)


def _near(column: Column, key: Value, kind: int, way: int) -> int:
    """The place of the next smaller (-1) or larger (1) value of the key's kind, or -1."""
    signs, faults = compare(column, Column.full(0.0 if key is None else key, 1))
    alike = column.kinds == Column.full(0.0 if key is None else key, 1).kinds[0]
    side = alike & (signs == kind)
    if faults is not None:
        side &= faults == 0
    places = np.flatnonzero(side)
    if not len(places):
        return -1
    best = places[0]
    ranked = column.take(places)
    order = _ranked(ranked)
    wanted = order.max() if kind < 0 else order.min()
    best = places[np.flatnonzero(order == wanted)[0 if way > 0 else -1]]
    return int(best)


def _ranked(column: Column) -> Any:
    texts, _ = column.ranked_texts()
    return np.where(column.kinds == column.kinds[0], np.where(column.kinds == 2, texts, column.numbers), 0)


def _line(grid: Grid) -> Column:
    if min(grid.height, grid.width) != 1:
        raise ErrorValue(CellError.VALUE)
    return grid.flat()


def _found(
    arguments: tuple[Node, ...], frame: Frame, least: int, beside: Sequence[Operand] = ()
) -> tuple[list[int | CellError], bool, Column]:
    """Where the keys of a call lie, whether there is one for each lane, and the column that was searched."""
    operand = evaluate(arguments[1], frame.as_arrays())
    if isinstance(operand, Span) and min(operand.area.height, operand.area.width) != 1:
        raise ErrorValue(CellError.VALUE)  # as it is written, however much of it is filled
    line = _line(cropped_together([operand, *beside], frame)[0])
    match = (
        _fixed(arguments[least], frame) if len(arguments) > least and not isinstance(arguments[least], Missing) else 0.0
    )
    search = _fixed(arguments[least + 1], frame) if len(arguments) > least + 1 else 1.0
    keys = single(evaluate(arguments[0], frame), frame)
    if isinstance(keys, Grid):
        raise PerLane
    index = _shared_index(operand, line, frame)
    values = [keys.value] if isinstance(keys, Scalar) else list(keys.column)
    known: dict[tuple[type, Value], int | CellError] = {}
    places = []
    for value in values:
        if (key := (type(value), value)) not in known:
            known[key] = value if isinstance(value, CellError) else _wanted(index, value, match, search)
        places.append(known[key])
    return places, isinstance(keys, Lanes), line


def _shared_index(operand: Operand, line: Column, frame: Frame) -> KeyIndex:
    if not isinstance(operand, Span):
        return KeyIndex(line)
    index: KeyIndex = frame.scope.indexes.setdefault(("keys", operand.sheet, operand.area, len(line)), KeyIndex(line))
    return index


@special("XMATCH(key: value, range: cells, match: number = 0, search: number = 1)")
def xmatch(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The place of a key in a row or column: equal, or with match -1 the next smaller, 1 the next larger, 2 by
    wildcards; search -1 begins at the end.

    >>> XMATCH(4, {1,3,5}, 1)
    3
    """
    try:
        places, lanes, _ = _found(arguments, frame, 2)
    except ErrorValue as fault:
        return Scalar(fault.error)
    values = [p if isinstance(p, CellError) else CellError.NA if p < 0 else p + 1.0 for p in places]
    return Lanes(Column.from_values(values)) if lanes else Scalar(values[0])


@special("XLOOKUP(key: value, range: cells, results: cells, missing?: value, match: number = 0, search: number = 1)")
def xlookup(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The value (or row, or column) of another range at the place of a key, or what is said for a missing one.

    >>> XLOOKUP("b", {"a","b"}, {10,20})
    20
    """
    try:
        inner = frame.as_arrays()
        given = [evaluate(argument, inner) for argument in arguments[1:3]]
        places, lanes, line = _found(arguments, frame, 4, given[1:])
    except ErrorValue as fault:
        return Scalar(fault.error)
    results = cropped_together(given, frame)[1]
    down = results.height == len(line)
    if not down and results.width != len(line):
        return Scalar(CellError.VALUE)
    rows = results if down else transposed(results)
    has_other = len(arguments) > 3 and not isinstance(arguments[3], Missing)
    other = evaluate(arguments[3], frame) if has_other else Scalar(CellError.NA)
    if not lanes:
        place = places[0]
        if isinstance(place, CellError):
            return Scalar(place)
        if place < 0:
            return other
        if isinstance(given[1], Span):  # the reference itself, which may be an end of a range
            area = given[1].area
            top, left = (area.top + place, area.left) if down else (area.top, area.left + place)
            return Span(given[1].sheet, Area(top, left, top if down else area.bottom, area.right if down else left))
        found = taken_rows(rows, np.array([place]))
        if found.width == 1:
            return Scalar(found.value(0, 0))
        return found if down else transposed(found)
    if rows.width > 1:
        raise PerLane
    at = np.array([-1 if isinstance(place, CellError) else place for place in places])
    picked = rows.columns[0].take(np.maximum(at, 0))
    instead = single(other, frame)
    if isinstance(instead, Grid):
        raise PerLane
    column = Column.where(
        at < 0, instead.column if isinstance(instead, Lanes) else Column.full(instead.value, 1), picked
    )
    wrong = np.array([isinstance(place, CellError) for place in places])
    if wrong.any():
        errors = Column.from_values(place if isinstance(place, CellError) else None for place in places)
        column = Column.where(wrong, errors, column)
    return Lanes(column)


def _lookup(key: Value, range_: Grid, results: Grid | None = None) -> Value:
    """The value beside the last one not above the key, in ascending order."""
    if results is None:
        across = range_.width > range_.height
        lines = transposed(range_) if across else range_
        line, values = lines.columns[0], lines.columns[-1]
    else:
        line, values = _line(range_), _line(results)
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
        ("HLOOKUP(key: value, range: cells, row: number, nearest: logical = TRUE)", _hlookup, "The value in a row of the column whose first row holds the key (18.17.7).", 'HLOOKUP("b", {"a","b";1,2}, 2, FALSE)', "2"),
    ],
)  # fmt: skip
