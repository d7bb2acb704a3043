"""Shares of a whole: pies and rings, each part named beside it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tinquire.cells.display import show
from tinquire.charts.chart import Chart
from tinquire.charts.marks import spread
from tinquire.charts.measure import Type
from tinquire.charts.shapes import Shape, Words, line, sector

__all__ = ["draw_whole"]

_TEXT = 8.0
_HOLE = 0.58
#: Labels at one side take no more of the width than this.
_MOST_BESIDE = 0.28
_LINE = _TEXT * 1.2
Box = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class _Part:
    middle: float
    lines: tuple[str, ...]
    #: So many of the last lines are bold.
    bold: int


def draw_whole(chart: Chart, box: Box, letters: Type) -> list[Shape]:
    """A pie or a ring, its parts clockwise from the top, with labels and shares at both sides of it."""
    left, bottom, right, top = box
    series = chart.series[0]
    values = [max(value or 0.0, 0.0) for value in series.values]
    whole = sum(values)
    x, y = (left + right) / 2, (bottom + top) / 2
    if whole <= 0:
        return [Words(x, y, "no values", _TEXT, chart.faint, "center")]
    shown = [show(value, series.format).text for value in values if chart.shows_values]
    texts = [*series.label_texts(), "100%", *(f"100%, {text}" for text in shown)]
    room = min(max(letters.width(text, _TEXT, bold=True) for text in texts) + 2, (right - left) * _MOST_BESIDE)
    radius = max(min((right - left) / 2 - room - 14, (top - bottom) / 2 - 6), 12.0)
    shapes: list[Shape] = []
    parts: list[_Part] = []
    start = math.pi / 2
    colours = chart.mark_colours(0)
    for index, (value, label) in enumerate(zip(values, series.label_texts(), strict=True)):
        end = start - 2 * math.pi * value / whole
        if value > 0:
            shapes.append(
                sector(x, y, radius, radius * _HOLE if series.kind == "ring" else 0, start, end, colours[index])
            )
            share = show(value / whole, "0%").text if value / whole >= 0.01 else "<1%"
            says = f"{share}, {show(value, series.format).text}" if chart.shows_values else share
            lines, bold = letters.lines(label, _TEXT, room, most=2), letters.lines(says, _TEXT, room, bold=True)
            parts.append(_Part((start + end) / 2, (*lines, *bold), len(bold)))
        start = end
    for side in (-1, 1):
        own = [part for part in parts if (math.cos(part.middle) >= 0) == (side > 0)]
        shapes += _labels(chart, own, side, (x, y, radius), (bottom, top))
    return shapes


def _labels(
    chart: Chart, parts: Sequence[_Part], side: int, ring: tuple[float, float, float], limits: tuple[float, float]
) -> list[Shape]:
    """Labels at one side, at the height of their parts, moved apart where they would touch."""
    x, y, radius = ring
    order = sorted(parts, key=lambda part: math.sin(part.middle))
    if not order:
        return []
    most = max(len(part.lines) for part in order)
    room = most * _LINE + 2
    if room * len(order) > limits[1] - limits[0]:
        room = (limits[1] - limits[0]) / len(order)
    size = min(_TEXT, (room - 1) / most / 1.2)
    places = spread([y + math.sin(part.middle) * (radius + 6) for part in order], room, *limits)
    shapes: list[Shape] = []
    for place, part in zip(places, order, strict=True):
        edge = (x + math.cos(part.middle) * radius, y + math.sin(part.middle) * radius)
        knee = (x + side * (radius + 8), place)
        shapes.append(line([edge, knee, (knee[0] + side * 4, place)], chart.faint, 0.6))
        top = place + (len(part.lines) - 1) * size * 0.6 - size * 0.36
        for number, text in enumerate(part.lines):
            bold = number >= len(part.lines) - part.bold
            across = "left" if side > 0 else "right"
            shapes.append(
                Words(knee[0] + side * 7, top - number * size * 1.2, text, size, chart.ink, across, bold=bold)
            )
    return shapes
