"""A pivot's values shown in relation to others: as shares, differences, growth, running totals, ranks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from tinquire.cells.column import Codes, Column, Floats, Kind
from tinquire.formula.engine.conversions import numbers, with_faults
from tinquire.tables.keys import key_groups

__all__ = ["SHOWN", "Block", "show_block_as"]


@dataclass(frozen=True, slots=True)
class Block:
    """One value of a pivot: its cells (lines by column groups, line after line), the totals of lines and of column
    groups, and the grand total; and of the group around each line the cells, in the same shape, and the total."""

    cells: Column
    line_totals: Column
    column_totals: Column
    grand: Column
    around: Column
    around_totals: Column
    #: Lines of one depth within one group are each other's neighbours.
    depths: Codes
    parents: Codes
    #: Whether values follow each other from column to column, not from line to line.
    across: bool

    @property
    def width(self) -> int:
        return len(self.column_totals)

    @property
    def height(self) -> int:
        return len(self.line_totals)


def _ratio(part: Column, whole: Column) -> Column:
    """A share; blank where one of the two is, or where the whole is zero."""
    a, a_faults = numbers(part)
    b, _ = numbers(whole)
    there = (part.kinds == Kind.NUMBER) & (whole.kinds == Kind.NUMBER) & (b != 0)
    with np.errstate(all="ignore"):
        share = np.where(there, a / np.where(b == 0, 1.0, b), 0.0)
    return with_faults(Column.where(there, Column.of_numbers(share), Column.blank(1)), a_faults)


def _row_share(block: Block) -> Block:
    lines = block.line_totals.take(np.repeat(np.arange(block.height), block.width))
    return _with(
        block, _ratio(block.cells, lines), _ratio(block.line_totals, block.line_totals),
        _ratio(block.column_totals, _repeat_totals(block.grand, block.width)), _ratio(block.grand, block.grand),
    )  # fmt: skip


def _column_share(block: Block) -> Block:
    columns = block.column_totals.take(np.tile(np.arange(block.width), block.height))
    return _with(
        block, _ratio(block.cells, columns), _ratio(block.line_totals, _repeat_totals(block.grand, block.height)),
        _ratio(block.column_totals, block.column_totals), _ratio(block.grand, block.grand),
    )  # fmt: skip


def _share(block: Block) -> Block:
    grand = block.grand
    return _with(
        block, _ratio(block.cells, _repeat_totals(grand, len(block.cells))),
        _ratio(block.line_totals, _repeat_totals(grand, block.height)),
        _ratio(block.column_totals, _repeat_totals(grand, block.width)), _ratio(grand, grand),
    )  # fmt: skip


def _parent_share(block: Block) -> Block:
    """Each line in its group: those of the first field in the whole column."""
    return _with(
        block, _ratio(block.cells, block.around), _ratio(block.line_totals, block.around_totals),
        _ratio(block.column_totals, block.column_totals), _ratio(block.grand, block.grand),
    )  # fmt: skip


def _repeat_totals(column: Column, count: int) -> Column:
    return column.take(np.zeros(count, np.int64))


def _along(work: Callable[[Floats], Floats]) -> Callable[[Block], Block]:
    """A way of showing that goes from value to value: `work` gets rows of values, NaN for none."""

    def block_of(block: Block) -> Block:
        grid = _floats(block.cells).reshape(block.height, block.width)
        if block.across:
            cells, columns = work(grid), work(_floats(block.column_totals)[None, :])[0]
            lines, grand = np.full(block.height, np.nan), np.array([np.nan])
        else:
            cells, lines = np.full_like(grid, np.nan), np.full(block.height, np.nan)
            totals = _floats(block.line_totals)
            families, count = key_groups([Column.of_numbers(block.depths), Column.of_numbers(block.parents)])
            order = np.argsort(families, kind="stable")
            for at in np.split(order, np.searchsorted(families[order], np.arange(1, count))):
                cells[at], lines[at] = work(grid[at].T).T, work(totals[at][None, :])[0]
            columns, grand = np.full(block.width, np.nan), np.array([np.nan])
        return _with(block, _column(cells.ravel()), _column(lines), _column(columns), _column(grand))

    return block_of


def _floats(column: Column) -> Floats:
    return np.where(column.kinds == Kind.NUMBER, column.numbers, np.nan)


def _column(values: Floats) -> Column:
    missing = np.isnan(values)
    return Column.where(missing, Column.blank(1), Column.of_numbers(np.where(missing, 0.0, values)))


def _difference(rows: Floats) -> Floats:
    return np.diff(rows, axis=1, prepend=np.nan)


def _growth(rows: Floats) -> Floats:
    before = np.concatenate([np.full((len(rows), 1), np.nan), rows[:, :-1]], axis=1)
    with np.errstate(all="ignore"):
        return np.where(before == 0, np.nan, (rows - before) / before)


def _running(rows: Floats) -> Floats:
    return np.nancumsum(rows, axis=1)


def _rank(rows: Floats) -> Floats:
    """The largest is first; equal ones share the better place."""
    falling = -rows
    positions = [np.searchsorted(np.sort(line), line) + 1.0 for line in falling]  # what is missing sorts behind
    return np.where(np.isnan(rows), np.nan, np.array(positions).reshape(rows.shape))


def _with(block: Block, cells: Column, lines: Column, columns: Column, grand: Column) -> Block:
    return replace(block, cells=cells, line_totals=lines, column_totals=columns, grand=grand)


#: Ways of showing by their words in a docket, each with the type that it gives, if it gives another.
SHOWN: dict[str, tuple[Callable[[Block], Block], str | None]] = {
    "share": (_share, "percent"),
    "share of row": (_row_share, "percent"),
    "share of column": (_column_share, "percent"),
    "share of group": (_parent_share, "percent"),
    "difference": (_along(_difference), None),
    "growth": (_along(_growth), "percent"),
    "running": (_along(_running), None),
    "rank": (_along(_rank), "whole"),
}


def show_block_as(block: Block, way: str) -> Block:
    """A value's cells and totals in relation to others."""
    return SHOWN[way][0](block)
