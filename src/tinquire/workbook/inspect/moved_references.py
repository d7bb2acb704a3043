"""Where references of an old version of a workbook point in the new one."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area
from tinquire.formula.language.mentions import Mention, change_mentions
from tinquire.formula.language.reference_changes import RenamedSheet
from tinquire.workbook.inspect.align import Alignment

__all__ = ["MovedReferences"]


class MovedReferences:
    """Takes references from the old workbook to where their cells are in the new one."""

    def __init__(self, alignments: Mapping[str, Alignment], renamed: Sequence[tuple[str, str]]) -> None:
        self._lines = {
            name.casefold(): None if _still(alignment) else (dict(alignment.rows), dict(alignment.columns))
            for name, alignment in alignments.items()
        }
        self._renamed = [RenamedSheet(name, other) for name, other in renamed]

    def formula(self, text: str, home: str) -> str:
        """An old formula with its references at the places where their cells are now."""
        text = change_mentions(text, lambda mention: self._mention(mention, home))
        for renamed in self._renamed:
            text = renamed.formula(text, home)
        return text

    def _mention(self, mention: Mention, home: str) -> str | None:
        area = mention.area
        if area is None or mention.outside or len(mention.sheets) > 1:
            return None
        moved = self.area(area, mention.sheets[0] if mention.sheets else home)
        return None if moved is None or moved == area else mention.over(moved)

    def area(self, area: Area, sheet: str) -> Area | None:
        """Where the cells of an area are now; None when none is left."""
        lines = self._lines.get(sheet.casefold())
        if lines is None:
            return area
        rows, columns = lines
        whole_rows, whole_columns = area.height == MAX_ROW, area.width == MAX_COLUMN
        top = area.top if whole_rows else _map_line(rows, area.top, 1)
        bottom = area.bottom if whole_rows else _map_line(rows, area.bottom, -1)
        left = area.left if whole_columns else _map_line(columns, area.left, 1)
        right = area.right if whole_columns else _map_line(columns, area.right, -1)
        return Area(top, left, bottom, right) if top <= bottom and left <= right else None


def _still(alignment: Alignment) -> bool:
    return all(a == b for a, b in alignment.rows) and all(a == b for a, b in alignment.columns)


def _map_line(lines: Mapping[int, int], line: int, way: int) -> int:
    """Where a line is now; for a line that is gone, the next that is left on the given side.

    Blank lines have no partner: they stand as far after the last paired line as before, while there is room.
    """
    if line in lines or not lines:
        return lines.get(line, line)
    known = sorted(lines)
    index = bisect_left(known, line)
    before = (known[index - 1], lines[known[index - 1]]) if index else (0, 0)
    kept = before[1] + line - before[0]
    if index == len(known) or kept < lines[known[index]]:
        return kept
    return lines[known[index]] if way > 0 else before[1]
