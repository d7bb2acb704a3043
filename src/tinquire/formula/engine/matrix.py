"""Arguments of aggregating functions as one matrix, cells by lanes, so that one reduction serves all lanes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import Faulty, numbers, with_faults
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.scope import Frame

__all__ = ["Matrix", "stack_arguments"]

#: More cells times lanes than this are run lane by lane, so that memory stays bounded (13 bytes each).
MAX_MATRIX = 20_000_000


@dataclass(frozen=True, slots=True)
class Matrix:
    """`kinds` and `numbers` of shape (cells, lanes).

    Values given directly have been converted to numbers (or errors); within ranges, texts and yes/no stay what
    they are, for a function to leave out (18.17.7, "in a reference").
    """

    kinds: NDArray[np.uint8]
    numbers: NDArray[np.float64]

    @property
    def lanes(self) -> int:
        return self.kinds.shape[1]

    @property
    def is_number(self) -> Booleans:
        return self.kinds == Kind.NUMBER

    def first_errors(self) -> Faulty | None:
        """For each lane, the first error among its cells, or None when there is none at all."""
        wrong = self.kinds == Kind.ERROR
        if not wrong.any():
            return None
        first = wrong.argmax(axis=0)
        lanes = np.arange(self.lanes)
        codes = np.where(wrong[first, lanes], self.numbers[first, lanes] + 1, 0)
        return codes.astype(np.uint8)


def stack_arguments(operands: Sequence[Operand], frame: Frame) -> Matrix | None:
    """All arguments below each other; None when they must be run lane by lane."""
    kinds: list[NDArray[np.uint8]] = []
    values: list[NDArray[np.float64]] = []
    for operand in operands:
        blocks = _blocks(operand, frame)
        if blocks is None:
            return None
        for block_kinds, block_values in blocks:
            kinds.append(block_kinds)
            values.append(block_values)
    lanes = max((block.shape[1] for block in kinds), default=1)
    if lanes > 1 and sum(len(block) for block in kinds) * lanes > MAX_MATRIX:
        return None
    if not any(
        len(block) for block in kinds
    ):  # the columns of a table without rows: one blank, which no function counts
        return Matrix(np.zeros((1, lanes), np.uint8), np.zeros((1, lanes)))
    return Matrix(
        np.concatenate([np.broadcast_to(block, (len(block), lanes)) for block in kinds]),
        np.concatenate([np.broadcast_to(block, (len(block), lanes)) for block in values]),
    )


def _blocks(operand: Operand, frame: Frame) -> list[tuple[NDArray[np.uint8], NDArray[np.float64]]] | None:
    match operand:
        case Scalar(value):
            return [_direct(Column.full(value, 1))]
        case Lanes(column):
            return [_direct(column)]
        case Grid():
            return [(column.kinds[:, None], column.numbers[:, None]) for column in operand.columns]
        case Span():
            return _of_span(operand, frame)
        case _:  # a function value, or areas that were not taken apart
            return [_direct(Column.full(CellError.VALUE, 1))]


def _direct(column: Column) -> tuple[NDArray[np.uint8], NDArray[np.float64]]:
    """Values written in the call itself, one per lane: converted to numbers, blanks kept."""
    read, faults = numbers(column)
    converted = with_faults(Column.of_numbers(read), faults)
    kinds = np.where(column.kinds == Kind.BLANK, np.uint8(Kind.BLANK), converted.kinds)
    return kinds[None, :], converted.numbers[None, :]


def _of_span(span: Span, frame: Frame) -> list[tuple[NDArray[np.uint8], NDArray[np.float64]]] | None:
    extent = frame.scope.extent(span.sheet) or (1, 1)
    if not span.moves:
        area = span.area.cropped(*extent)
        fetched = (
            frame.scope.column(span.sheet, column, area.top, area.bottom) for column in range(area.left, area.right + 1)
        )
        return [(column.kinds[:, None], column.numbers[:, None]) for column in fetched]
    if not span.is_rigid:
        return None
    area, lanes = span.area, frame.count
    if area.height * area.width * lanes > MAX_MATRIX:
        return None
    if span.path is not None:
        return _of_path(span, frame)
    blocks = []
    for index in range(area.left, area.right + 1):
        column = frame.scope.column(span.sheet, index, area.top, area.bottom + lanes - 1)
        blocks.append((sliding_window_view(column.kinds, lanes), sliding_window_view(column.numbers, lanes)))
    return blocks


def _of_path(span: Span, frame: Frame) -> list[tuple[NDArray[np.uint8], NDArray[np.float64]]]:
    """The cells of an area that moves with lanes anywhere: of each of its columns, rows by lanes."""
    top, left, _, _ = span.edges()
    height, lanes = span.area.height, frame.count
    rows = (top[None, :] + np.arange(height, dtype=np.int32)[:, None]).ravel()
    blocks = []
    for offset in range(span.area.width):
        column = frame.scope.gather(span.sheet, rows, np.broadcast_to(left + offset, (height, lanes)).ravel())
        blocks.append((column.kinds.reshape(height, lanes), column.numbers.reshape(height, lanes)))
    return blocks
