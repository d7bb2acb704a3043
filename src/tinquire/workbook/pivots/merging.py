"""Labels of a pivot that are merged over the lines of their groups (ECMA-376 Part 1, 18.10.1.73, mergeItem)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from tinquire.cells.address import Area
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.pivots.definition import VALUES, Line, PivotDefinition, shown_levels
from tinquire.workbook.pivots.words import label_columns
from tinquire.workbook.pivots.working import WorkedPivot

__all__ = ["Merging", "learned_merging", "merge_labels"]


class _Label(NamedTuple):
    """A label: its line and place, the lines of its group, the places up to the next label, and what it is alike to."""

    line: int
    place: int
    run: int
    room: int
    key: tuple[str, int]


@dataclass(frozen=True)
class _Axis:
    """Where the labels of an axis stand: the area of them all, and the place of each field's within a line."""

    lines: Sequence[Line]
    area: Area
    places: Sequence[int]
    down: bool
    #: Whether a field's labels are merged when nothing tells it.
    spans: Callable[[int], bool]

    def cells(self, line: int, place: int, lines: int, places: int) -> Area:
        """The cells of so many lines and places from one on."""
        row, column, high, wide = (line, place, lines, places) if self.down else (place, line, places, lines)
        top, left = self.area.top + row, self.area.left + column
        return Area(top, left, top + high - 1, left + wide - 1)

    def labels(self) -> Iterator[_Label]:
        """The labels of the lines, one after the other."""
        depth = self.area.width if self.down else self.area.height
        ends = dict.fromkeys(range(len(self.places)), 0)
        for at, (line, levels) in enumerate(zip(self.lines, shown_levels(self.lines), strict=True)):
            shown = [level for level in levels if level < len(self.places) and self.places[level] < depth]
            places = [*(self.places[level] for level in shown), depth]
            for level, place, next_place in zip(shown, places, places[1:], strict=False):
                if ends[level] <= at:
                    ends[level] = self._end(at, level)
                yield _Label(at, place, ends[level] - at, next_place - place, (line.kind, level))

    def _end(self, at: int, level: int) -> int:
        """Where the lines of a label's group end, or its sums begin."""
        first, end = self.lines[at], at + 1
        if first.kind:
            return end
        group = first.path[: level + 1]
        while end < len(self.lines):
            line = self.lines[end]
            own = line.kind != "" and len(line.path) <= level + 1
            if own or line.path[: level + 1] != group:
                break
            end += 1
        return end


@dataclass
class Merging:
    """How a file merges the labels of an axis, by what they are: over the lines of their group, and over how many
    places."""

    along: dict[tuple[str, int], bool] = field(default_factory=dict)
    across: dict[tuple[str, int], int] = field(default_factory=dict)


def learned_merging(
    sheet: Sheet, definition: PivotDefinition, rows: Sequence[Line], columns: Sequence[Line]
) -> tuple[Merging, Merging]:  # fmt: skip
    """How the labels of a pivot's rows and columns are merged as it stands on its sheet."""
    merged = {(one.top, one.left): one for one in sheet.merged if one.overlaps(definition.area)}
    found = []
    for axis in _axes(definition, definition.area, rows, columns):
        known = Merging()
        for one in axis.labels():
            cell = axis.cells(one.line, one.place, 1, 1)
            area = merged.get((cell.top, cell.left), cell)
            high, wide = (area.height, area.width) if axis.down else (area.width, area.height)
            known.across.setdefault(one.key, wide)
            if one.run > 1:
                known.along.setdefault(one.key, high > 1)
        found.append(known)
    return found[0], found[1]


def merge_labels(sheet: Sheet, worked: WorkedPivot, area: Area, known: tuple[Merging, Merging]) -> None:
    """Merge the labels of a pivot that takes an area now."""
    definition = worked.definition
    rows, columns = ([one.line for one in side.lines] for side in (worked.row_side, worked.column_side))
    axes = _axes(definition, area, rows, columns)
    held = [one.area for one in (*axes, *_axes(definition, definition.area, (), ()))]
    sheet.merged = [area for area in sheet.merged if not any(area.overlaps(other) for other in held)]
    for axis, merging in zip(axes, known, strict=True):
        for one in axis.labels():
            spans = one.run > 1 and merging.along.get(one.key, axis.spans(one.key[1]))
            wide = 1 if spans else min(merging.across.get(one.key, 1), one.room)
            if spans or wide > 1:
                sheet.merged.append(axis.cells(one.line, one.place, one.run if spans else 1, wide))


def _axes(
    definition: PivotDefinition, area: Area, rows: Sequence[Line], columns: Sequence[Line]
) -> tuple[_Axis, _Axis]:  # fmt: skip
    header, data_row, data_column = definition.first
    down = Area(area.top + data_row, area.left, area.bottom, area.left + data_column - 1)
    across = Area(area.top + header, area.left + data_column, area.top + data_row - 1, area.right)

    def tabular(level: int) -> bool:
        number = definition.rows[level]
        return not (definition.outline_data if number == VALUES else definition.fields[number].outline)

    return (
        _Axis(rows if definition.rows else (), down, label_columns(definition), True, tabular),
        _Axis(columns if definition.columns else (), across, range(len(definition.columns)), False, lambda level: True),
    )
