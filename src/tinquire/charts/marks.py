"""Marks of a chart with axes: bars and columns, lines, areas, points and bubbles, with their values beside them."""

from __future__ import annotations

import math
from collections.abc import Sequence

from tinquire.cells.display import show
from tinquire.charts.axes import VALUE_TEXT as _TEXT
from tinquire.charts.axes import Plot, numbers_across, stacked
from tinquire.charts.chart import Chart, Series
from tinquire.charts.measure import Type
from tinquire.charts.shapes import Point, Shape, Words, disc, line, polygon, rectangle
from tinquire.looks.palette import luminance, tint

__all__ = ["draw_areas", "draw_bars", "draw_lines", "draw_points", "draw_target"]

_POINT, _LARGEST_BUBBLE = 2.6, 1 / 7
#: Lines with more points than this show none of them as a dot.
_DOTS = 24
#: Text in a lighter colour than this is hard to read on white.
_LIGHT = 0.6


def _members(chart: Chart, kind: str) -> list[tuple[int, Series]]:
    return [(number, series) for number, series in enumerate(chart.series) if series.kind == kind]


def _shown(series: Series, value: float, chart: Chart) -> str:
    return show(value, "0%" if chart.stack == "share" else series.format).text


# -- bars and columns ------------------------------------------------------------------------------------


def draw_bars(chart: Chart, plot: Plot, letters: Type) -> list[Shape]:
    """Columns, or bars when the chart lies: beside each other in their label's slot, or upon each other."""
    kind = "bars" if plot.lying else "columns"
    members = _members(chart, kind)
    beside = len(members) if chart.stack == "no" else 1
    breadth = plot.slot / (beside + chart.gap / 100)
    spans = {second: iter(stacked(chart, kind, second=second)) for second in (False, True)}
    shapes: list[Shape] = []
    texts: list[tuple[float, float, float, float, str, str]] = []
    for place, (number, series) in enumerate(members):
        colours = chart.mark_colours(number)
        shift = (place if chart.stack == "no" else 0) - beside / 2
        for index, (low, high) in enumerate(next(spans[series.second])):
            if index >= len(series.values) or series.values[index] is None:
                continue
            middle, start = plot.label(index), shift * breadth
            start = middle - start - breadth if plot.lying else middle + start
            base = plot.first.low if plot.first.log else low
            one, other = plot.value(base, second=series.second), plot.value(high, second=series.second)
            own = colours[index]
            if plot.lying:
                shapes.append(rectangle(one, start, other - one, breadth, own))
            else:
                shapes.append(rectangle(start, one, breadth, other - one, own))
            if chart.shows_values:
                shown = high - low if chart.stack == "share" else series.values[index] or 0.0
                texts.append((start, breadth, one, other, _shown(series, shown, chart), own))
    if texts:
        shapes += _bar_values(chart, plot, texts, letters)
    return shapes


def _bar_values(
    chart: Chart, plot: Plot, texts: Sequence[tuple[float, float, float, float, str, str]], letters: Type
) -> list[Shape]:
    """The values of bars: at their ends, or within those that are stacked; all in one size in which they fit, or none
    where there is no room for them."""
    within = chart.stack != "no"
    size = _TEXT
    if plot.lying:
        size = min(size, max(breadth for _, breadth, *_ in texts) * 0.95)
    else:
        widest = max(letters.width(text, 1.0) for *_, text, _ in texts)
        size = min(
            size, (texts[0][1] if within else max(texts[0][1], plot.slot * 0.9 / _beside(chart))) / widest * 0.98
        )
    if size < 5:
        return []
    shapes: list[Shape] = []
    for start, breadth, one, other, text, colour in texts:
        ink = "FFFFFF" if luminance(colour) < 0.5 else chart.ink
        middle, drop = start + breadth / 2, size * 0.36
        if within:
            if abs(other - one) < (letters.width(text, size) + 4 if plot.lying else size * 1.2):
                continue
            x, y = ((one + other) / 2, middle) if plot.lying else (middle, (one + other) / 2)
            choices = [Words(x, y - drop, text, size, ink, "center")]
        elif plot.lying:
            up = other >= one
            behind = Words(other + (3 if up else -3), middle - drop, text, size, chart.ink, "left" if up else "right")
            before = Words(other + (-4 if up else 4), middle - drop, text, size, ink, "right" if up else "left")
            fits = abs(other - one) > letters.width(text, size) + 8
            choices = [behind, before] if fits else [behind]
        else:
            y = other + 3 if other >= one else other - size
            choices = [Words(middle, y, text, size, chart.ink, "center")]
        shapes += plot.find_room(choices, letters)
    return shapes


def _beside(chart: Chart) -> int:
    return sum(series.kind == "columns" for series in chart.series)


# -- lines and areas -------------------------------------------------------------------------------------


def _runs(points: Sequence[Point | None]) -> list[list[Point]]:
    """Points that follow each other without one missing."""
    runs: list[list[Point]] = [[]]
    for point in points:
        if point is None:
            runs.append([])
        else:
            runs[-1].append(point)
    return [run for run in runs if run]


def draw_lines(chart: Chart, plot: Plot, letters: Type) -> list[Shape]:
    shapes: list[Shape] = []
    ends: list[tuple[float, str, str]] = []
    for number, series in _members(chart, "lines"):
        colours, colour = chart.mark_colours(number), chart.colour_of(number)
        points = [
            None if value is None else (plot.label(index), plot.value(value, second=series.second))
            for index, value in enumerate(series.values)
        ]
        for run in _runs(points):
            shapes += [line(run, colour, 1.8)] if len(run) > 1 else [disc(*run[0], _POINT, colour)]
        for index, point in enumerate(points):
            if point is not None and (len(points) <= _DOTS or colours[index] != colour):
                shapes.append(disc(*point, _POINT, colours[index], "FFFFFF"))
        if chart.shows_values:
            shapes += _line_values(chart, plot, series, points, letters)
        last = next((point for point in reversed(points) if point is not None), None)
        if last is not None:
            ends.append((last[1], series.name, colour))
    if plot.beside and len(ends) > 1:
        shapes += _line_names(plot, ends, letters, plot.beside - 4)
    return shapes


def _line_values(
    chart: Chart, plot: Plot, series: Series, points: Sequence[Point | None], letters: Type
) -> list[Shape]:
    """Values above a line's points, or below them; those left out for which there is no room."""
    shapes: list[Shape] = []
    for point, value in zip(points, series.values, strict=True):
        if point is None or value is None:
            continue
        text = _shown(series, value, chart)
        places = (point[1] + 5, point[1] - 5 - _TEXT)
        shapes += plot.find_room([Words(point[0], y, text, _TEXT, chart.ink, "center") for y in places], letters)
    return shapes


def _line_names(plot: Plot, ends: Sequence[tuple[float, str, str]], letters: Type, room_beside: float) -> list[Shape]:
    """Names of lines beside their ends, moved apart where they would lie upon each other."""
    room = _TEXT * 1.25
    order = sorted(ends)
    places = spread([y for y, _, _ in order], room, plot.bottom, plot.top)
    shapes: list[Shape] = []
    for place, (_, name, colour) in zip(places, order, strict=True):
        text = letters.lines(name, _TEXT, room_beside, bold=True, most=1)[0]
        ink = tint(colour, -0.35) if luminance(colour) > _LIGHT else colour
        shapes.append(Words(plot.right + 4, place - _TEXT * 0.36, text, _TEXT, ink, "left", bold=True))
    return shapes


def spread(places: Sequence[float], room: float, low: float, high: float) -> list[float]:
    """Rising places moved apart so that each has room, as little as it takes, within limits where they suffice."""
    moved: list[list[float]] = []  # groups of places that touch: their wanted middle, and how many they are
    for place in places:
        moved.append([place, 1.0])
        while len(moved) > 1 and moved[-1][0] - moved[-2][0] < room * (moved[-1][1] + moved[-2][1]) / 2:
            middle, count = moved.pop()
            before, others = moved.pop()
            moved.append([(before * others + middle * count) / (others + count), others + count])
            half = moved[-1][1] * room / 2
            moved[-1][0] = max(min(moved[-1][0], high - half), low + half)
    return [middle + room * (n - (count - 1) / 2) for middle, count in moved for n in range(round(count))]


def draw_areas(chart: Chart, plot: Plot, letters: Type) -> list[Shape]:
    """Areas from the axis, or from the one below, with a line along their tops."""
    shapes: list[Shape] = []
    members = _members(chart, "areas")
    for (number, series), spans in zip(members, stacked(chart, "areas"), strict=True):
        colour = chart.colour_of(number)
        count = len(series.values)
        tops = [(plot.label(index), plot.value(spans[index][1])) for index in range(count)]
        bases = [(plot.label(index), plot.value(max(spans[index][0], plot.first.low))) for index in range(count)]
        if count == 1:
            half = plot.slot / 4
            tops = [(tops[0][0] - half, tops[0][1]), (tops[0][0] + half, tops[0][1])]
            bases = [(bases[0][0] - half, bases[0][1]), (bases[0][0] + half, bases[0][1])]
        opacity = 0.55 if chart.stack == "no" and len(members) > 1 else 1.0
        shapes.append(polygon([*tops, *reversed(bases)], colour, opacity))
        if chart.stack == "no":
            shapes.append(line(tops, colour, 1.2))
        if chart.shows_values and chart.stack == "no":
            shapes += _line_values(chart, plot, series, tops[:count], letters)
    return shapes


# -- points and bubbles ----------------------------------------------------------------------------------


def draw_points(chart: Chart, plot: Plot, letters: Type) -> list[Shape]:
    """Points, or bubbles whose areas are as their sizes; the large ones lie below the small ones."""
    largest = max((abs(size) for series in chart.series for size in series.sizes if size is not None), default=0.0)
    most = min(plot.right - plot.left, plot.top - plot.bottom) * _LARGEST_BUBBLE
    found: list[tuple[float, Shape, Words | None]] = []
    lines: list[Shape] = []
    for number, series in enumerate(chart.series):
        if series.kind not in ("points", "bubbles"):
            continue
        colours = chart.mark_colours(number)
        if series.joined:
            pairs = zip(numbers_across(series), series.values, strict=True)
            places = [
                None if x is None or y is None else (plot.x(x), plot.value(y, second=series.second)) for x, y in pairs
            ]
            lines += [line(run, chart.colour_of(number), 1.8) for run in _runs(places) if len(run) > 1]
        for index, (across, value) in enumerate(zip(numbers_across(series), series.values, strict=True)):
            if across is None or value is None:
                continue
            size = series.sizes[index] if index < len(series.sizes) else None
            bubble = series.kind == "bubbles" and largest > 0
            if bubble and not size:
                continue
            radius = most * math.sqrt(abs(size or 0.0) / largest) if bubble else _POINT
            x, y = plot.x(across), plot.value(value, second=series.second)
            shape = disc(x, y, radius, colours[index], "FFFFFF", 0.75 if bubble else 0.9)
            words = None
            if chart.shows_values:
                words = Words(x, y + radius + 2, _shown(series, value, chart), _TEXT, chart.ink, "center")
            found.append((radius, shape, words))
    found.sort(key=lambda item: -item[0])
    texts = [shape for *_, words in found if words is not None for shape in plot.find_room([words], letters)]
    return [*lines, *(shape for _, shape, _ in found), *texts]


# -- the target ------------------------------------------------------------------------------------------


def draw_target(chart: Chart, plot: Plot, letters: Type) -> list[Shape]:
    """A dashed line at a value, and its name above it at the right."""
    assert chart.target is not None
    y = plot.value(chart.target)
    shapes: list[Shape] = [line([(plot.left, y), (plot.right, y)], chart.ink, 1.1, (4.0, 2.5))]
    if chart.target_label:
        wide = letters.width(chart.target_label, _TEXT, bold=True)
        below = y + 3.5 + _TEXT > plot.limits[3]
        words = [
            Words(plot.right - 2, place, chart.target_label, _TEXT, chart.ink, "right", bold=True)
            for place in ((y - 1.5 - _TEXT, y + 3.5) if below else (y + 3.5, y - 1.5 - _TEXT))
        ]
        for one in plot.find_room(words, letters):
            assert isinstance(one, Words)
            shapes += [rectangle(plot.right - wide - 5, one.y - 2, wide + 5, _TEXT * 1.2, "FFFFFF"), one]
    return shapes
