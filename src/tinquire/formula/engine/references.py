"""References: the areas they mean, what these hold, and where several or a part of them is meant."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area
from tinquire.cells.column import Codes, Column, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.operands import Areas, Closure, Grid, LanePath, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Reference

__all__ = [
    "PerLane",
    "crop_to_used",
    "crop_together",
    "for_lanes_single",
    "grid_of",
    "intersect",
    "join_references",
    "lane_numbers",
    "moving_span",
    "single",
    "span_of",
    "spill_area",
]


class PerLane(Exception):  # noqa: N818 - a signal, not an error
    """The expression has no one value for all lanes; it must be run lane by lane."""


def join_references(sign: str, left: Operand, right: Operand, frame: Frame) -> Operand:
    """`:` and the blank between references (18.17.2.2)."""
    for side in (left, right):
        if isinstance(side, Scalar) and isinstance(side.value, CellError):
            return side
    if not isinstance(left, Span) or not isinstance(right, Span) or left.sheet.casefold() != right.sheet.casefold():
        return Scalar(CellError.VALUE)
    if left.moves or right.moves:
        if frame.count > 1:
            raise PerLane
        left, right = Span(left.sheet, left.at(0)), Span(right.sheet, right.at(0))
    a, b = left.area, right.area
    if sign == ":":
        return Span(
            left.sheet, Area(min(a.top, b.top), min(a.left, b.left), max(a.bottom, b.bottom), max(a.right, b.right))
        )
    shared = Area(max(a.top, b.top), max(a.left, b.left), min(a.bottom, b.bottom), min(a.right, b.right))
    if shared.top > shared.bottom or shared.left > shared.right:
        return Scalar(CellError.NULL)
    return Span(left.sheet, shared)


def spill_area(operand: Operand, frame: Frame) -> Operand:
    """`A1#`: the area that the array of a cell fills."""
    if not isinstance(operand, Span) or not operand.is_cell:
        return Scalar(CellError.REF)
    if operand.moves:
        raise PerLane
    area = frame.scope.filled_from(operand.sheet, operand.area.top, operand.area.left)
    return Scalar(CellError.REF) if area is None else Span(operand.sheet, area)


def span_of(node: Reference, frame: Frame) -> Operand:
    """The area a reference means for lane 0, and whether its rows move; beyond the grid is an error value."""
    sheet = node.sheet or frame.sheet
    if node.sheet and ":" in node.sheet:
        return _through_sheets(node, frame)
    if frame.scope.extent(sheet) is None:
        return Scalar(CellError.REF)
    top, bottom = node.top.at(frame.row), node.bottom.at(frame.row)
    left, right = node.left.at(frame.column), node.right.at(frame.column)
    if frame.count == 1:
        if top > bottom or left > right:
            top, bottom, left, right = min(top, bottom), max(top, bottom), min(left, right), max(left, right)
        beyond = top < 1 or left < 1 or bottom > MAX_ROW or right > MAX_COLUMN
        return Scalar(CellError.REF) if beyond else Span(sheet, Area(top, left, bottom, right))
    if frame.path is not None:
        area = Area(top, left, bottom, right)
        falls = not node.top.fixed, not node.bottom.fixed
        goes = not node.left.fixed, not node.right.fixed
        return _along(Span(sheet, area, *falls, *goes, frame.path))
    moves = frame.count - 1
    lowest = max(top + moves * (not node.top.fixed), bottom + moves * (not node.bottom.fixed))
    if min(top, bottom, left, right) < 1 or lowest > MAX_ROW or max(left, right) > MAX_COLUMN:
        return Scalar(CellError.REF)
    area = Area(top, min(left, right), bottom, max(left, right))
    many = frame.count > 1
    span = Span(sheet, area, many and not node.top.fixed, many and not node.bottom.fixed)
    if span.moves:
        return span
    return Span(sheet, span.at(0))


def _along(span: Span) -> Operand:
    """A span of lanes that lie where a path says. Raises PerLane where some of them see what is beyond the grid."""
    if not span.moves:
        area = span.at(0)
        beyond = area.top < 1 or area.left < 1 or area.bottom > MAX_ROW or area.right > MAX_COLUMN
        return Scalar(CellError.REF) if beyond else Span(span.sheet, area)
    top, left, bottom, right = span.edges()
    if min(top.min(), left.min()) < 1 or bottom.max() > MAX_ROW or right.max() > MAX_COLUMN:
        raise PerLane
    return span


def _through_sheets(node: Reference, frame: Frame) -> Operand:
    """`First:Last!A1`: the same area of each sheet from one to the other (18.17.2.3)."""
    first, _, last = (node.sheet or "").partition(":")
    sheets = frame.scope.sheets_between(first, last)
    if not sheets:
        return Scalar(CellError.REF)
    return Areas(tuple(span_of(replace(node, sheet=sheet), frame) for sheet in sheets))


def lane_numbers(operand: Scalar | Lanes | Grid, frame: Frame) -> Codes | None:
    """Whole numbers, cut towards zero, for each lane; None where any is no plain number."""
    if isinstance(operand, Grid):
        return None
    column = operand.column if isinstance(operand, Lanes) else Column.full(operand.value, frame.count)
    if len(column) != frame.count or not column.all_of(Kind.NUMBER) or (np.abs(column.numbers) > MAX_ROW).any():
        return None
    return np.trunc(column.numbers).astype(np.int32)


def moving_span(sheet: str, tops: Codes, lefts: Codes, height: int, width: int) -> Span | None:
    """An area of one size that lies elsewhere in each lane; None where one would be beyond the grid."""
    if tops.min() < 1 or lefts.min() < 1 or tops.max() + height - 1 > MAX_ROW or lefts.max() + width - 1 > MAX_COLUMN:
        return None
    top, left = int(tops[0]), int(lefts[0])
    path = LanePath((tops - top).astype(np.int32), (lefts - left).astype(np.int32))
    return Span(sheet, Area(top, left, top + height - 1, left + width - 1), True, True, True, True, path)


#: An array of more cells than this is not made.
MOST_CELLS = 1 << 24


def grid_of(operand: Operand, frame: Frame, *, crop: bool = False) -> Grid:
    """An operand as an array that is the same for every lane. Raises PerLane when it is not.

    A range has its own size, blanks beyond its sheet's used part included. With `crop` it is cut to that part: for
    functions whose result such blanks cannot change.
    """
    match operand:
        case Grid():
            return operand
        case Scalar(value):
            return Grid((Column.full(value, 1),), 1)
        case Span() if not operand.moves:
            return _fetch(operand.sheet, crop_to_used(operand, frame) if crop else operand.area, frame)
        case Closure():
            return Grid((Column.full(CellError.CALC, 1),), 1)
        case Areas(parts):
            flat = Column.concat([grid_of(part, frame, crop=crop).flat() for part in parts])
            return Grid((flat,), len(flat))
        case Lanes(column) if len(column) == 1:
            return Grid((column,), 1)
    raise PerLane


def crop_to_used(span: Span, frame: Frame) -> Area:
    """A span's area cut to the used part of its sheet, so that whole columns cost what their data costs."""
    extent = frame.scope.extent(span.sheet) or (1, 1)
    return span.area.cropped(*extent)


def crop_together(operands: Sequence[Operand], frame: Frame) -> list[Grid]:
    """Operands as arrays; ranges of one height are cut to the rows that any of their sheets uses, those of one width to
    its columns, so that what lies side by side stays so."""
    spans = [operand for operand in operands if isinstance(operand, Span) and not operand.moves]
    if len(spans) < len(operands):
        return [grid_of(operand, frame) for operand in operands]
    used = [crop_to_used(span, frame) for span in spans]
    height, width = (max(sizes) for sizes in zip(*((area.height, area.width) for area in used), strict=True))
    same_height = len({span.area.height for span in spans}) == 1
    same_width = len({span.area.width for span in spans}) == 1
    grids = []
    for span in spans:
        area = span.area
        bottom = area.top + height - 1 if same_height else area.bottom
        right = area.left + width - 1 if same_width else area.right
        grids.append(_fetch(span.sheet, Area(area.top, area.left, bottom, right), frame))
    return grids


def _fetch(sheet: str, area: Area, frame: Frame) -> Grid:
    if area.height * area.width > MOST_CELLS:
        return Grid((Column.full(CellError.NUM, 1),), 1)
    columns = tuple(
        frame.scope.column(sheet, column, area.top, area.bottom) for column in range(area.left, area.right + 1)
    )
    return Grid(columns, area.height)


def single(operand: Operand, frame: Frame) -> Scalar | Lanes | Grid:
    """An operand where one value is wanted: references are read, or intersected with the lane's own place."""
    if isinstance(operand, Closure | Areas):
        return Scalar(CellError.CALC if isinstance(operand, Closure) else CellError.VALUE)
    if not isinstance(operand, Span):
        return operand
    area = operand.area
    if operand.is_cell and operand.path is not None:
        top, left, _, _ = operand.edges()
        return Lanes(frame.scope.gather(operand.sheet, top, left))
    if operand.is_cell:
        column = frame.scope.column(
            operand.sheet, area.left, area.top, area.top + (frame.count - 1) * operand.top_moves
        )
        return Lanes(column) if operand.moves else Scalar(column[0])
    if frame.arrays:
        return grid_of(operand, frame)
    if operand.moves:
        raise PerLane
    return intersect(operand, frame)


def intersect(span: Span, frame: Frame) -> Scalar | Lanes | Grid:
    """Implicit intersection (18.17.2.6): the value in the lane's own row of a column, or own column of a row."""
    area = span.area
    if frame.path is not None:
        return Lanes(_in_line(span.sheet, area, frame))
    if area.width == 1:
        last = frame.row + frame.count - 1
        column = frame.scope.column(span.sheet, area.left, frame.row, last)
        rows = np.arange(frame.row, last + 1)
        outside = (rows < area.top) | (rows > area.bottom)
        if outside.any():
            column = Column.where(outside, Column.full(CellError.VALUE, 1), column)
        return for_lanes_single(column, frame)
    if area.height == 1 and area.left <= frame.column <= area.right:
        return Scalar(frame.scope.column(span.sheet, frame.column, area.top, area.top)[0])
    return Scalar(CellError.VALUE)


def _in_line(sheet: str, area: Area, frame: Frame) -> Column:
    """For each lane the value of an area in its own row or column, the area being one column or one row."""
    count = frame.count
    if area.width == 1:
        rows, columns = frame.rows(), np.full(count, area.left, np.int32)
        inside = (rows >= area.top) & (rows <= area.bottom)
    else:
        rows, columns = np.full(count, area.top, np.int32), frame.columns()
        inside = (columns >= area.left) & (columns <= area.right) & (area.height == 1)
    if inside.all():
        return frame.scope.gather(sheet, rows, columns)
    column = frame.scope.gather(sheet, np.where(inside, rows, area.top), np.where(inside, columns, area.left))
    return Column.where(inside, column, Column.full(CellError.VALUE, 1))


def for_lanes_single(column: Column, frame: Frame) -> Scalar | Lanes:
    return Lanes(column) if frame.count > 1 else Scalar(column[0])
