"""Where cells are, and cells found by where they are (18.17.7)."""

from __future__ import annotations

import re

import numpy as np

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, column_name, quoted_sheet
from tinquire.cells.column import Column
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, grid_from, plain
from tinquire.formula.engine.conversions import boolean_of, number_of, text_of
from tinquire.formula.engine.evaluate import evaluate, fixed_value
from tinquire.formula.engine.operands import Areas, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.references import PerLane, grid_of, lane_numbers, moving_span, single
from tinquire.formula.engine.registry import declare_all, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.grammar import parse
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.tree import Missing, Node, Reference, walk


def whole_argument(node: Node, frame: Frame) -> float:
    found = number_of(fixed_value(node, frame))
    if isinstance(found, CellError):
        raise ErrorValue(found)
    return float(int(found))


@special("ROWS(range: cells)")
def rows(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many rows a range or a table has (18.17.7).

    >>> ROWS({1;2;3})
    3
    """
    return Scalar(float(_size(arguments[0], frame)[0]))


@special("COLUMNS(range: cells)")
def columns(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many columns a range or a table has (18.17.7).

    >>> COLUMNS({1,2,3})
    3
    """
    return Scalar(float(_size(arguments[0], frame)[1]))


def _size(node: Node, frame: Frame) -> tuple[int, int]:
    operand = evaluate(node, frame)
    if isinstance(operand, Span) and not operand.moves:
        return operand.area.height, operand.area.width
    grid = grid_of(operand, frame)
    return grid.height, grid.width


# -- rows, columns, addresses ----------------------------------------------------------------------------


def _own(arguments: tuple[Node, ...], frame: Frame, rows: bool) -> Operand:
    """The rows (or columns) of a reference, or of the cell itself."""
    if not arguments or isinstance(arguments[0], Missing):
        if frame.count == 1 or (not rows and frame.path is None):
            return Scalar(float(frame.row if rows else frame.column))
        return Lanes(Column.of_numbers((frame.rows() if rows else frame.columns()).astype(np.float64)))
    operand = evaluate(arguments[0], frame)
    if not isinstance(operand, Span):
        return (
            operand if isinstance(operand, Scalar) and isinstance(operand.value, CellError) else Scalar(CellError.VALUE)
        )
    area = operand.area
    if operand.path is not None:
        top, left, _, _ = operand.edges()
        return Lanes(Column.of_numbers((top if rows else left).astype(np.float64)))
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


def _offset(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    base = evaluate(arguments[0], frame)
    if frame.count > 1 and isinstance(base, Span):
        moved = _offset_lanes(base, arguments, frame)
        if moved is not None:
            return moved
    if isinstance(base, Span) and base.moves:
        raise PerLane
    if not isinstance(base, Span):
        return base if isinstance(base, Scalar) and isinstance(base.value, CellError) else Scalar(CellError.VALUE)
    area = base.area
    sizes = [area.height, area.width]
    try:
        down, across = int(whole_argument(arguments[1], frame)), int(whole_argument(arguments[2], frame))
        for index, node in enumerate(arguments[3:5]):
            if not isinstance(node, Missing):
                sizes[index] = int(whole_argument(node, frame))
    except ErrorValue as fault:
        return Scalar(fault.error)
    if 0 in sizes:
        return Scalar(CellError.REF)
    top, left = area.top + down + min(sizes[0] + 1, 0), area.left + across + min(sizes[1] + 1, 0)
    bottom, right = top + abs(sizes[0]) - 1, left + abs(sizes[1]) - 1
    if top < 1 or left < 1 or bottom > MAX_ROW or right > MAX_COLUMN:
        return Scalar(CellError.REF)
    return Span(base.sheet, Area(top, left, bottom, right))


def _offset_lanes(base: Span, arguments: tuple[Node, ...], frame: Frame) -> Operand | None:
    """The reference moved by other distances in each lane, its size kept; None where that has to be seen lane by lane."""
    if len(arguments) > 3 or not base.is_rigid:
        return None
    distances = [lane_numbers(single(evaluate(argument, frame), frame), frame) for argument in arguments[1:3]]
    down, across = distances
    if down is None or across is None:
        return None
    if base.path is not None:
        top, left, _, _ = base.edges()
    else:
        top, left = base.area.top + np.arange(frame.count) * base.top_moves, np.full(frame.count, base.area.left)
    return moving_span(base.sheet, top + down, left + across, base.area.height, base.area.width)


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
    """`R2C3`, `R[-1]C`, `R1C1:R3C1`, `C2` as addresses; None for other texts, such as names."""
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
    match = _ROW_COLUMN.match(text)
    if not text or not match:
        return None
    numbers = []
    for part, own in ((match["row"], frame.row), (match["column"], frame.column)):
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
        ("OFFSET(reference: cells, rows: number, columns: number, height?: number, width?: number)", _offset, "A reference moved, and made of another size (18.17.7).", "ROW(OFFSET(B2, 3, 0))", "5"),
        ("INDIRECT(text: text, plain: logical = TRUE)", _indirect, "The reference that a text spells (18.17.7).", 'COLUMN(INDIRECT("D4"))', "4"),
        ("ISREF(value: cells)", _isref, "Whether an argument is a reference (18.17.7).", "ISREF(A1)", "TRUE"),
        ("SHEET(reference?: cells)", _sheet_number, "A sheet's number.", "SHEET()", "1"),
        ("SHEETS(reference?: cells)", _sheet_count, "The number of sheets, of the workbook or of a reference.", "SHEETS()", "2"),
    ],
)  # fmt: skip


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
    """The text of a link: its text, or its target (18.17.7). The target is never opened.

    >>> HYPERLINK("https://example.com", "more")
    more
    """
    return target if shown is None else shown
