"""The groups of an axis, level by level, and the lines that show them (ECMA-376 Part 1, 18.10.1.44, .84)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.workbook.pivots.definition import VALUES, Line
from tinquire.workbook.pivots.groupings import Codes

__all__ = ["Axis", "AxisLine", "Form", "Level", "axis_lines", "levels_of"]


@dataclass(frozen=True)
class Level:
    """The groups of the first so many fields of an axis: each group's parent among the level above, and the position
    of its item; and the group of every row."""

    parents: Codes
    positions: Codes
    rows: Codes

    @property
    def count(self) -> int:
        return len(self.parents)


@dataclass(frozen=True, slots=True)
class Form:
    """How a field of an axis shows its groups: with a line above the inner ones (`headed`), with sums on it, and
    which sums follow below."""

    headed: bool = False
    on_top: bool = False
    subtotals: tuple[str, ...] = ()
    blank_line: bool = False
    closed: frozenset[int] = frozenset()


@dataclass(frozen=True)
class Axis:
    """An axis: its fields, how each shows its groups, the levels of its real fields, and the groups within each group
    in the order shown."""

    fields: tuple[int, ...]
    forms: tuple[Form, ...]
    levels: tuple[Level, ...]
    order: Callable[[int, int], Sequence[int]]
    data: int
    total: bool


@dataclass(frozen=True, slots=True)
class AxisLine:
    """A line, and what its cells come to: the level and group of its rows, its data field (None: the other axis says),
    whether it has values at all, and the function that it asks for instead of the data field's own."""

    line: Line
    level: int
    group: int
    data: int | None
    filled: bool = True
    how: str | None = None


def levels_of(codes: Sequence[Codes], sizes: Sequence[int], count: int, whole: Sequence[bool]) -> list[Level]:
    """The groups of fields one within the other, from each row's position in each of them; `sizes` are the fields'
    numbers of items. Fields that are `whole` show every item within every group, whether rows have it or not."""
    levels = [Level(np.zeros(1, np.int64), np.zeros(1, np.int64), np.zeros(count, np.int64))]
    for own, size, every in zip(codes, sizes, whole, strict=True):
        above = levels[-1]
        keys = above.rows * max(size, 1) + own
        if every and above.count * size <= 1_000_000:
            found, rows = np.arange(above.count * size), keys
        elif above.count * size <= max(4 * count, 1024):
            seen = np.zeros(above.count * max(size, 1), bool)
            seen[keys] = True
            found = np.flatnonzero(seen)
            rows = (np.cumsum(seen) - 1)[keys]
        else:
            found, rows = np.unique(keys, return_inverse=True)
        levels.append(Level(found // max(size, 1), found % max(size, 1), rows))
    return levels


def axis_lines(axis: Axis) -> list[AxisLine]:
    """The lines of an axis in order. An axis without fields has one, for everything."""
    if not axis.fields:
        return [AxisLine(Line(()), 0, 0, None)]
    lines = list(_Lines(axis).within(0, 0, 0, (), None))
    if axis.total and len(axis.levels) > 1:
        several = VALUES in axis.fields
        lines += [
            AxisLine(Line((0,), "grand", data), 0, 0, data if several else None)
            for data in range(axis.data if several else 1)
        ]
    return lines


@dataclass(frozen=True)
class _Lines:
    axis: Axis

    def within(self, at: int, level: int, group: int, path: tuple[int, ...], data: int | None) -> Iterator[AxisLine]:
        """The lines of one group, from a field of the axis on."""
        axis, last = self.axis, at == len(self.axis.fields) - 1
        if axis.fields[at] == VALUES:
            for number in range(axis.data):
                own = (*path, number)
                if last:
                    yield AxisLine(Line(own, "", number), level, group, number)
                    continue
                if axis.forms[at].headed:
                    yield AxisLine(Line(own, "", number), level, group, number, filled=False)
                yield from self.within(at + 1, level, group, own, number)
            return
        positions = axis.levels[level + 1].positions
        for inner in axis.order(level, group):
            own = (*path, int(positions[inner]))
            if last:
                yield AxisLine(Line(own, "", data or 0), level + 1, inner, data)
                continue
            yield from self.outer(at, level + 1, inner, own, data)
            if axis.forms[at].blank_line:
                yield AxisLine(Line(own, "blank", data or 0), level + 1, inner, data, filled=False)

    def outer(self, at: int, level: int, group: int, path: tuple[int, ...], data: int | None) -> Iterator[AxisLine]:
        """The lines of a group that has groups within."""
        axis, form = self.axis, self.axis.forms[at]
        inside = axis.fields[at + 1 :]
        several = VALUES in inside
        if path[-1] in form.closed:
            yield AxisLine(Line(path, "", data or 0), level, group, data)
            return
        innermost = inside == (VALUES,)
        above = form.headed and form.on_top and len(form.subtotals) == 1 and not several
        if form.headed:
            how = form.subtotals[0] if above else None
            yield AxisLine(Line(path, "", data or 0), level, group, data, above, None if how == "default" else how)
        yield from self.within(at + 1, level, group, path, data)
        if above or innermost:
            return
        for kind in form.subtotals:
            for number in range(axis.data) if several else (data,):
                how = None if kind == "default" else kind
                yield AxisLine(Line(path, kind, number or 0), level, group, number, how=how)
