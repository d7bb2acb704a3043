"""A chart as shapes: title, legend, axes and marks in their places, nothing cut off, no labels upon each other."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from tinquire.base.faults import Fault, UseError
from tinquire.charts.axes import Plot, draw_axes
from tinquire.charts.chart import WHOLE_KINDS, Chart
from tinquire.charts.marks import draw_areas, draw_bars, draw_lines, draw_points, draw_target
from tinquire.charts.measure import Type
from tinquire.charts.shapes import Drawing, Shape, Words, plain_text, rectangle
from tinquire.charts.wholes import draw_whole

__all__ = ["draw_chart"]

_MARGIN = 10.0
_TITLE, _TEXT = 11.0, 8.0
_LEADING = 1.3
#: A chart that is smaller than this, in points, has no room for its texts.
_LEAST = 60.0


@dataclass
class _Room:
    """What is left of the ground while title and legend take their parts of it."""

    left: float
    bottom: float
    right: float
    top: float
    shapes: list[Shape] = field(default_factory=list)


def draw_chart(chart: Chart, width: float, height: float) -> Drawing:
    """A chart on a ground of a size in points. Raises UseError for charts that cannot be drawn."""
    problems = chart.problems()
    if min(width, height) < _LEAST:
        problems.append(f"{width:.0f} by {height:.0f} points are too small for a chart")
    if problems:
        name = f"chart '{chart.title}'" if chart.title else "a chart"
        raise UseError(
            *(Fault(f"drawing {name}", problem, do="change the chart's kind or its data") for problem in problems)
        )
    chart, letters = _printable(chart), Type(chart.font)
    room = _Room(_MARGIN, _MARGIN, width - _MARGIN, height - _MARGIN)
    _put_title(chart, room, letters)
    ends = _named_at_ends(chart)
    if chart.legend != "no" and not ends and not set(chart.kinds) & WHOLE_KINDS:
        _put_legend(chart, room, letters)
    box = (room.left, room.bottom, room.right, room.top)
    if not any(value is not None for series in chart.series for value in series.values):
        x, y = (room.left + room.right) / 2, (room.bottom + room.top) / 2
        room.shapes.append(Words(x, y, "no values", _TEXT, chart.faint, "center"))
    elif set(chart.kinds) & WHOLE_KINDS:
        room.shapes += draw_whole(chart, box, letters)
    else:
        plot = draw_axes(chart, box, letters, ends=ends)
        room.shapes += plot.below
        target = [] if chart.target is None else draw_target(chart, plot, letters)
        for kind, draw in _MARKS.items():
            if any(series.kind == kind for series in chart.series):
                room.shapes += draw(chart, plot, letters)
        room.shapes += plot.above
        room.shapes += target
    return Drawing(width, height, tuple(room.shapes), chart.font)


def _printable(chart: Chart) -> Chart:
    """A chart whose texts have no characters that cannot be drawn."""
    series = tuple(
        replace(
            one, name=plain_text(one.name),
            labels=tuple(plain_text(label) if isinstance(label, str) else label for label in one.labels),
        )
        for one in chart.series
    )  # fmt: skip
    return replace(
        chart, series=series, title=plain_text(chart.title), labels_title=plain_text(chart.labels_title),
        target_label=plain_text(chart.target_label),
        values=replace(chart.values, title=plain_text(chart.values.title)),
        second=replace(chart.second, title=plain_text(chart.second.title)),
    )  # fmt: skip


#: How marks of each kind are drawn, in the order in which they lie upon each other.
_MARKS: Mapping[str, Callable[[Chart, Plot, Type], list[Shape]]] = {
    "areas": draw_areas, "columns": draw_bars, "bars": draw_bars, "lines": draw_lines, "points": draw_points,
    "bubbles": draw_points,
}  # fmt: skip


def _named_at_ends(chart: Chart) -> bool:
    """Whether lines are named where they end, which is easier to read than a legend."""
    alone = chart.kinds == ("lines",) and not any(series.second for series in chart.series)
    return chart.legend == "right" and alone and len(chart.series) > 1


def _put_title(chart: Chart, room: _Room, letters: Type) -> None:
    if not chart.title:
        return
    for text in letters.lines(chart.title, _TITLE, room.right - room.left, bold=True, most=3):
        room.top -= _TITLE
        room.shapes.append(Words(room.left, room.top + 1.5, text, _TITLE, chart.ink, bold=True))
        room.top -= _TITLE * (_LEADING - 1)
    room.top -= 5.0


def _put_legend(chart: Chart, room: _Room, letters: Type) -> None:
    """Names of series with their colours: in rows above or below the plot, or in a column beside it."""
    entries = [(series.name, chart.colour_of(number), series.kind) for number, series in enumerate(chart.series)]
    height = _TEXT * 1.55
    if chart.legend in ("left", "right"):
        wide = min(max(letters.width(name, _TEXT) for name, _, _ in entries) + 16, (room.right - room.left) * 0.35)
        x = room.left if chart.legend == "left" else room.right - wide
        y = room.top
        for name, colour, kind in entries:
            lines = letters.lines(name, _TEXT, wide - 16)
            room.shapes += _key(x, y - height * 0.5, colour, kind)
            for number, text in enumerate(lines):
                room.shapes.append(Words(x + 14, y - height * 0.5 - 2.8 - number * _TEXT * 1.2, text, _TEXT, chart.ink))
            y -= height + (len(lines) - 1) * _TEXT * 1.2
        room.left += wide + 8 if chart.legend == "left" else 0
        room.right -= wide + 8 if chart.legend == "right" else 0
        return
    rows: list[list[tuple[float, tuple[str, str, str]]]] = [[]]
    x = 0.0
    for entry in entries:
        name = letters.lines(entry[0], _TEXT, room.right - room.left - 16, most=1)[0]
        wide = 14 + letters.width(name, _TEXT) + 14
        if x and x + wide - 14 > room.right - room.left:
            rows.append([])
            x = 0.0
        rows[-1].append((x, (name, entry[1], entry[2])))
        x += wide
    total = height * len(rows)
    y = room.top - height * 0.5 if chart.legend == "top" else room.bottom + total - height * 0.5
    for row in rows:
        for x, (name, colour, kind) in row:
            room.shapes += [
                *_key(room.left + x, y, colour, kind),
                Words(room.left + x + 14, y - 2.8, name, _TEXT, chart.ink),
            ]
        y -= height
    if chart.legend == "top":
        room.top -= total + 4
    else:
        room.bottom += total + 4


def _key(x: float, y: float, colour: str, kind: str) -> list[Shape]:
    """The sample of a series in the legend, around a height."""
    if kind == "lines":
        return [rectangle(x, y - 0.9, 10, 1.8, colour)]
    return [rectangle(x, y - 3.5, 7, 7, colour)]
