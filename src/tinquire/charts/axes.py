"""Axes of a chart: the scales of its values, the places of its labels, and the plot that is left between them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from tinquire.cells.display import show
from tinquire.charts.chart import NUMERIC_KINDS, Axis, Chart, Series
from tinquire.charts.measure import Type
from tinquire.charts.shapes import Shape, Words, line
from tinquire.charts.ticks import Scale, axis_format, linear_scale, log_scale, matching_scale
from tinquire.looks.palette import tint

__all__ = ["VALUE_TEXT", "Plot", "draw_axes", "numbers_across", "stacked", "tick_texts", "value_scale"]

_TEXT = 8.0
_LINE = _TEXT * 1.2
#: The size of values beside their marks.
VALUE_TEXT = 7.5
#: Labels below the plot take no more of the chart's height than this, labels beside it of its width.
_MOST_BELOW, _MOST_BESIDE = 0.4, 0.4
Box = tuple[float, float, float, float]


@dataclass
class Plot:
    """The plot and its scales. `below` is drawn before the marks, `above` after them.

    Of a chart that lies (`lying`) labels are at the left and values go across.
    """

    left: float
    bottom: float
    right: float
    top: float
    first: Scale
    second: Scale
    labels: list[str]
    across: Scale | None = None
    lying: bool = False
    below: list[Shape] = field(default_factory=list)
    above: list[Shape] = field(default_factory=list)
    #: Where texts among the marks may lie at most, and those that lie there.
    limits: Box = (0.0, 0.0, 0.0, 0.0)
    taken: list[Box] = field(default_factory=list)
    #: The room for names of lines at the right of the plot.
    beside: float = 0.0

    def find_room(self, choices: Sequence[Words], letters: Type) -> list[Shape]:
        """The first of some texts that lies within the limits and upon no other, its place taken; none if there is no
        room for any."""
        for words in choices:
            box = _box(words, letters)
            left, bottom, right, top = self.limits
            inside = box[0] >= left and box[1] >= bottom and box[2] <= right and box[3] <= top
            if inside and not any(_touch(box, other) for other in self.taken):
                self.taken.append(box)
                return [words]
        return []

    def value(self, value: float, *, second: bool = False) -> float:
        """Where a value lies: its height, or its place across when the chart lies."""
        share = (self.second if second else self.first).share(value)
        if self.lying:
            return self.left + share * (self.right - self.left)
        return self.bottom + share * (self.top - self.bottom)

    @property
    def slot(self) -> float:
        """How much of its axis a label has."""
        length = self.top - self.bottom if self.lying else self.right - self.left
        return length / max(len(self.labels), 1)

    def label(self, index: int) -> float:
        """The middle of a label's part of its axis; of a chart that lies the first is at the top."""
        if self.lying:
            return self.top - (index + 0.5) * self.slot
        return self.left + (index + 0.5) * self.slot

    def x(self, number: float) -> float:
        """Where a number of the axis across lies."""
        assert self.across is not None
        return self.left + self.across.share(number) * (self.right - self.left)


def _box(words: Words, letters: Type) -> Box:
    """The room that a text takes."""
    wide = letters.width(words.text, words.size, bold=words.bold)
    start = words.x - {"left": 0.0, "center": wide / 2, "right": wide}[words.across]
    return start - 1, words.y - words.size * 0.22, start + wide + 1, words.y + words.size * 0.75


def _touch(one: Box, other: Box) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


def stacked(chart: Chart, kind: str, *, second: bool = False) -> list[list[tuple[float, float]]]:
    """From where to where each mark of the series of a kind reaches, as the chart stacks them; shares of all for
    'share'. A value that is missing reaches nowhere."""
    members = [series for series in chart.series if series.kind == kind and series.second == second]
    count = max((len(series.values) for series in members), default=0)
    up, down = [0.0] * count, [0.0] * count
    wholes = [1.0] * count
    if chart.stack == "share":
        wholes = [
            sum(abs(series.values[index] or 0.0) for series in members if index < len(series.values)) or 1.0
            for index in range(count)
        ]
    spans = []
    for series in members:
        own = []
        for index in range(count):
            value = (series.values[index] if index < len(series.values) else None) or 0.0
            value /= wholes[index]
            if chart.stack == "no":
                own.append((0.0, value))
                continue
            base = up if value >= 0 else down
            own.append((base[index], base[index] + value))
            base[index] += value
        spans.append(own)
    return spans


def value_scale(chart: Chart, *, second: bool = False, first: Scale | None = None) -> Scale:
    """The scale of an axis of values."""
    axis = chart.second if second else chart.values
    members = [series for series in chart.series if series.second == second]
    kinds = {series.kind for series in members}
    values = [
        value
        for series in members
        if series.kind in ("lines", *NUMERIC_KINDS)
        for value in series.values
        if value is not None
    ]
    for kind in ("bars", "columns", "areas"):
        values += [end for own in stacked(chart, kind, second=second) for span in own for end in span if kind in kinds]
    if chart.target is not None and not second:
        values.append(chart.target)
    if axis.log:
        return log_scale([value for value in values if value > 0], axis.low, axis.high)
    if chart.stack == "share" and kinds & {"bars", "columns", "areas"} and not second:
        low = -1.0 if min(values, default=0.0) < 0 else 0.0
        high = 1.0 if axis.high is None else axis.high
        return linear_scale([], low if axis.low is None else axis.low, high, step=axis.step)
    if second and first is not None:
        return matching_scale(values, first, axis.low, axis.high)
    flat = not kinds & {"bars", "columns", "areas"} and _far_from_zero(values)
    if "bubbles" in kinds:
        values = _with_room(values)
    return linear_scale(values, axis.low, axis.high, zero=not flat and "bubbles" not in kinds, step=axis.step)


def _with_room(values: list[float]) -> list[float]:
    """Values with some room at both ends, so that bubbles around them stay within the plot."""
    room = (max(values, default=1.0) - min(values, default=0.0) or 1.0) * 0.12
    return [*values, max(values, default=1.0) + room, min(values, default=0.0) - room]


def _far_from_zero(values: list[float]) -> bool:
    """Whether values differ so little from each other that an axis from zero would hide it."""
    low, high = min(values, default=0.0), max(values, default=0.0)
    return (low > 0 or high < 0) and (high - low) < 0.35 * max(abs(low), abs(high))


def numbers_across(series: Series) -> list[float | None]:
    """The numbers of the axis across that a series of points has; those that are missing are counted."""
    given = [label if isinstance(label, float) else None for label in series.labels]
    if any(number is not None for number in given):
        return given + [None] * (len(series.values) - len(given))
    return [float(number) for number in range(1, len(series.values) + 1)]


def tick_texts(axis: Axis, scale: Scale, code: str) -> list[str]:
    code = axis.format or axis_format(code, scale.ticks)
    return [show(tick, code).text for tick in scale.ticks]


def _code(chart: Chart, *, second: bool) -> str:
    """The number format of an axis of values."""
    if chart.stack == "share" and not second:
        return "0%"
    return next((series.format for series in chart.series if series.second == second), "General")


def draw_axes(chart: Chart, box: Box, letters: Type, *, ends: bool) -> Plot:
    """The plot of a chart within a box, its axes drawn; with `ends`, lines are named at the right of it."""
    left, bottom, right, top = box
    numeric = bool(set(chart.kinds) & NUMERIC_KINDS)
    lying = "bars" in chart.kinds
    first = value_scale(chart)
    has_second = any(series.second for series in chart.series)
    second = value_scale(chart, second=True, first=first) if has_second else first
    labels = [] if numeric else max((series.label_texts() for series in chart.series), key=len)
    plot = Plot(left, bottom, right, top, first, second, labels, lying=lying)
    if numeric:
        given = [number for series in chart.series for number in numbers_across(series) if number is not None]
        bubbles = "bubbles" in chart.kinds
        plot.across = linear_scale(
            _with_room(given) if bubbles else given, zero=not bubbles and not _far_from_zero(given)
        )
    plot.top -= _LINE * (1.1 if chart.shows_values and not lying else 0.5)
    if ends:
        widest = max(letters.width(series.name, VALUE_TEXT, bold=True) for series in chart.series)
        plot.beside = min(widest + 6, (right - left) * 0.3)
        plot.right -= plot.beside
    if lying:
        _lay(chart, plot, letters)
    else:
        _stand(chart, plot, letters, has_second=has_second)
    plot.limits = (plot.left + 1, plot.bottom + 1, right + 1 if lying else plot.right, top + 2)
    return plot


# -- charts that stand -----------------------------------------------------------------------------------


def _stand(chart: Chart, plot: Plot, letters: Type, *, has_second: bool) -> None:
    texts = tick_texts(chart.values, plot.first, _code(chart, second=False))
    outer_left, outer_right, outer_bottom = plot.left, plot.right, plot.bottom
    if chart.values.title:
        plot.left += _LINE + 4
    plot.left += max(letters.width(text, _TEXT) for text in texts) + 6
    others: list[str] = []
    if has_second:
        others = tick_texts(chart.second, plot.second, _code(chart, second=True))
        plot.right -= max(letters.width(text, _TEXT) for text in others) + 6
        if chart.second.title:
            plot.right -= _LINE + 4
    if chart.labels_title:
        plot.bottom += _LINE + 3
    below = _numbers_below(chart, plot, letters) if plot.across else _labels_below(chart, plot, letters)
    grid = tint(chart.faint, 0.65)
    # Lines of a grid that is not seen do not distract; ticks beyond each other would.
    for tick, text in zip(plot.first.ticks, texts, strict=True):
        y = plot.value(tick)
        plot.below.append(line([(plot.left, y), (plot.right, y)], grid, 0.5))
        plot.below.append(Words(plot.left - 5, y - 2.8, text, _TEXT, chart.faint, "right"))
    for tick, text in zip(plot.second.ticks if has_second else (), others, strict=True):
        plot.below.append(Words(plot.right + 5, plot.value(tick, second=True) - 2.8, text, _TEXT, chart.faint))
    plot.below += below
    middle = (plot.bottom + plot.top) / 2
    if chart.values.title:
        plot.below.append(Words(outer_left + _TEXT, middle, chart.values.title, _TEXT, chart.ink, "center", angle=90))
    if has_second and chart.second.title:
        plot.below.append(Words(outer_right - 2, middle, chart.second.title, _TEXT, chart.ink, "center", angle=90))
    if chart.labels_title:
        x = (plot.left + plot.right) / 2
        plot.below.append(Words(x, outer_bottom + 2, chart.labels_title, _TEXT, chart.ink, "center"))
    base = plot.value(min(max(0.0, plot.first.low), plot.first.high)) if not plot.first.log else plot.bottom
    plot.above.append(line([(plot.left, base), (plot.right, base)], chart.ink, 0.8))


def _labels_below(chart: Chart, plot: Plot, letters: Type) -> list[Shape]:
    """Labels below the plot: in lines within their slots, turned where words do not fit, every second or third where
    there are too many. The plot's bottom rises to make room."""
    slot, room = plot.slot, (plot.top - plot.bottom) * _MOST_BELOW
    every = 1
    longest = max((letters.width(word, _TEXT) for text in plot.labels for word in text.split()), default=0.0)
    few_lines = [letters.lines(text, _TEXT, max(slot - 4, 1)) for text in plot.labels]
    fits = longest <= slot - 4 and max(map(len, few_lines), default=1) * _LINE <= room
    if not fits and set(chart.kinds) <= {"lines", "areas"}:
        widest = max(letters.width(text, _TEXT) for text in plot.labels) + 8
        every = math.ceil(widest / slot)
        few_lines = [[text] for text in plot.labels]
        fits = True
    shapes: list[Shape] = []
    if fits:
        plot.bottom += max(map(len, few_lines), default=1) * _LINE + 4
        for index in range(0, len(plot.labels), every):
            reach = max(letters.width(text, _TEXT) for text in few_lines[index]) / 2 - _TEXT
            if plot.label(index) + reach > plot.right or plot.label(index) - reach < plot.left:
                continue  # one of few that are shown would run off the chart
            for number, text in enumerate(few_lines[index]):
                y = plot.bottom - 4 - _TEXT * 0.85 - number * _LINE
                shapes.append(Words(plot.label(index), y, text, _TEXT, chart.ink, "center"))
        return shapes
    every = max(1, math.ceil(_LINE / slot))
    turned = [letters.lines(text, _TEXT, room, most=1)[0] for text in plot.labels]
    plot.bottom += max(letters.width(text, _TEXT) for text in turned) + 6
    for index in range(0, len(turned), every):
        wide = letters.width(turned[index], _TEXT)
        x, y = plot.label(index) + _TEXT * 0.35, plot.bottom - 4 - wide
        shapes.append(Words(x, y, turned[index], _TEXT, chart.ink, "left", angle=90))
    return shapes


def _numbers_below(chart: Chart, plot: Plot, letters: Type) -> list[Shape]:
    """The axis of numbers below a plot of points."""
    assert plot.across is not None
    code = axis_format(next(series.labels_format for series in chart.series), plot.across.ticks)
    plot.bottom += _LINE + 4
    plot.right -= letters.width(show(plot.across.ticks[-1], code).text, _TEXT) / 2
    shapes: list[Shape] = []
    last = -math.inf
    for tick in plot.across.ticks:
        text, x = show(tick, code).text, plot.x(tick)
        wide = letters.width(text, _TEXT)
        shapes.append(line([(x, plot.bottom), (x, plot.top)], tint(chart.faint, 0.65), 0.5))
        if x - wide / 2 > last + 4:
            shapes.append(Words(x, plot.bottom - 4 - _TEXT * 0.85, text, _TEXT, chart.faint, "center"))
            last = x + wide / 2
    return shapes


# -- charts that lie -------------------------------------------------------------------------------------


def _lay(chart: Chart, plot: Plot, letters: Type) -> None:
    texts = tick_texts(chart.values, plot.first, _code(chart, second=False))
    outer_left, outer_bottom = plot.left, plot.bottom
    if chart.labels_title:
        plot.left += _LINE + 4
    plot.bottom += _LINE + 4 + (_LINE + 3 if chart.values.title else 0)
    room = (plot.right - plot.left) * _MOST_BESIDE
    size = min(_TEXT, max(plot.slot / 1.15, 4.5))
    most = max(1, int(plot.slot / (size * 1.2)))
    lines = [letters.lines(text, size, room, most=most) for text in plot.labels]
    plot.left += max((letters.width(text, size) for own in lines for text in own), default=0.0) + 6
    plot.left = max(plot.left, outer_left + letters.width(texts[0], _TEXT) / 2)
    plot.right -= letters.width(texts[-1], _TEXT) / 2
    _leave_room_behind(chart, plot, letters, plot.right + letters.width(texts[-1], _TEXT) / 2)
    plot.below += _ticks_across(chart, plot, texts, letters)
    every = max(1, math.ceil(size * 1.05 / plot.slot))  # of too many labels not each is shown
    for index, own in list(enumerate(lines))[::every]:
        start = plot.label(index) + (len(own) - 1) * size * 0.6 - size * 0.35
        for number, text in enumerate(own):
            plot.below.append(Words(plot.left - 5, start - number * size * 1.2, text, size, chart.ink, "right"))
    if chart.values.title:
        x = (plot.left + plot.right) / 2
        plot.below.append(Words(x, outer_bottom + 2, chart.values.title, _TEXT, chart.ink, "center"))
    if chart.labels_title:
        y = (plot.bottom + plot.top) / 2
        plot.below.append(Words(outer_left + _TEXT, y, chart.labels_title, _TEXT, chart.ink, "center", angle=90))
    base = plot.value(min(max(0.0, plot.first.low), plot.first.high)) if not plot.first.log else plot.left
    plot.above.append(line([(base, plot.bottom), (base, plot.top)], chart.ink, 0.8))


def _leave_room_behind(chart: Chart, plot: Plot, letters: Type, limit: float) -> None:
    """Draw the plot's right side in, so that values behind the ends of bars stay within a limit."""
    if not chart.shows_values or chart.stack != "no":
        return
    for series in chart.series:
        for value in series.values:
            share = 0.0 if value is None else plot.first.share(value)
            if value is not None and value > 0 and share > 0:
                wide = letters.width(show(value, series.format).text, VALUE_TEXT) + 5
                plot.right = min(plot.right, plot.left + (limit - plot.left - wide) / share)


def _ticks_across(chart: Chart, plot: Plot, texts: list[str], letters: Type) -> list[Shape]:
    """Divisions of the axis of values of a chart that lies; texts that would run into each other are left out."""
    shapes: list[Shape] = []
    widest = max(letters.width(text, _TEXT) for text in texts) + 6
    spacing = (plot.right - plot.left) / max(len(texts) - 1, 1)
    every = max(1, math.ceil(widest / spacing))
    for number, (tick, text) in enumerate(zip(plot.first.ticks, texts, strict=True)):
        x = plot.value(tick)
        shapes.append(line([(x, plot.bottom), (x, plot.top)], tint(chart.faint, 0.65), 0.5))
        if number % every == 0:
            shapes.append(Words(x, plot.bottom - 4 - _TEXT * 0.85, text, _TEXT, chart.faint, "center"))
    return shapes
