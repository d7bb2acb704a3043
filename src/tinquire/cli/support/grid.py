"""The first rows of a sheet set out for a terminal: texts run over blank neighbours, numbers are never cut; nor is
anything in a pipe."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from rich.cells import cell_len, set_cell_size

__all__ = ["Shown", "laid_out"]

GAP = 2
#: A text that cannot run over is cut at this width in a terminal.
WIDEST = 28
_UNCUT = 1 << 20


class Shown(NamedTuple):
    """A cell as displayed, and whether it stands on the right."""

    text: str
    right: bool = False


def laid_out(letters: Sequence[str], numbers: Sequence[int], rows: Sequence[Sequence[Shown]], width: int) -> list[str]:
    """Lines of a grid under column letters, as many columns as `width` characters hold (0: all of them)."""
    most = WIDEST if width else _UNCUT
    widths = [max(len(letter), _needed_width(rows, column, most)) for column, letter in enumerate(letters)]
    _widen(widths, rows, most)
    margin = max((len(str(number)) for number in numbers), default=1)
    count = _fitting(widths, width - margin) if width else len(letters)
    head = "".join(" " * GAP + f"{letter:^{widths[n]}}" for n, letter in enumerate(letters[:count]))
    lines = [" " * margin + head.rstrip()]
    for number, row in zip(numbers, rows, strict=True):
        lines.append(f"{number:>{margin}}{_row(row[:count], widths, most)}".rstrip())
    if count < len(letters):
        more = len(letters) - count
        lines.append(
            " " * (margin + GAP) + f"… and {more} more {'column' if more == 1 else 'columns'}, to {letters[-1]}"
        )
    return lines


def _runs_over(row: Sequence[Shown], column: int) -> bool:
    """Whether a cell's text may run over the next cell."""
    return not row[column].right and column + 1 < len(row) and not row[column + 1].text


def _needed_width(rows: Sequence[Sequence[Shown]], column: int, most: int) -> int:
    """A column's width: its longest cell, leaving those out that may run over."""
    fixed = [row[column] for row in rows if not _runs_over(row, column)]
    return max((cell_len(cell.text) if cell.right else min(cell_len(cell.text), most) for cell in fixed), default=0)


def _widen(widths: list[int], rows: Sequence[Sequence[Shown]], most: int) -> None:
    """Make columns wide enough for texts whose blank neighbours do not give them room."""
    for row in rows:
        for column, cell in enumerate(row):
            if cell.text and _runs_over(row, column):
                lack = min(cell_len(cell.text), most) - _free(row, widths, column, most)
                widths[column] += max(lack, 0)


def _fitting(widths: Sequence[int], room: int) -> int:
    """How many columns fit, at least one."""
    used = 0
    for count, width in enumerate(widths):
        used += GAP + width
        if used > room:
            return max(1, count)
    return len(widths)


def _row(row: Sequence[Shown], widths: Sequence[int], most: int) -> str:
    """One row: each cell at its column's place, long texts over the blank cells beside them."""
    pieces = []
    start = drawn = 0
    for column, cell in enumerate(row):
        width = widths[column]
        start += GAP
        if cell.text:
            pieces.append(" " * (start - drawn))
            free = _free(row, widths, column, most) if _runs_over(row, column) else width
            text = cell.text if cell_len(cell.text) <= free else set_cell_size(cell.text, max(free - 1, 0)) + "…"
            pieces.append(" " * (width - cell_len(text)) * cell.right + text)
            drawn = max(start, drawn) + cell_len(pieces[-1])
        start += width
    return "".join(pieces)


def _free(row: Sequence[Shown], widths: Sequence[int], column: int, most: int) -> int:
    """How far a text may run: over all blank cells beside it."""
    free = widths[column]
    for beside in range(column + 1, len(row)):
        if row[beside].text:
            return free
        free += GAP + widths[beside]
    return max(free, most)
