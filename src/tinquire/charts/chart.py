"""`Chart`: what a chart shows and how, as a value. Workbooks hold it as a part, pictures are drawn from it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from tinquire.cells.display import show

__all__ = ["AXIS_KINDS", "KINDS", "NUMERIC_KINDS", "WHOLE_KINDS", "Axis", "Chart", "Label", "Series"]

#: Kinds of plots: bars lie, columns stand; a ring is a pie with a hole.
KINDS = ("bars", "columns", "lines", "areas", "pie", "ring", "points", "bubbles")
#: Shares of one whole: without axes, one series.
WHOLE_KINDS = frozenset({"pie", "ring"})
#: Two axes of numbers.
NUMERIC_KINDS = frozenset({"points", "bubbles"})
#: An axis of labels and one of values.
AXIS_KINDS = frozenset({"bars", "columns", "lines", "areas"})
#: Label of a mark: a text, a number (shown by the series' `labels_format`), or none.
Label = str | float | None


@dataclass(frozen=True, slots=True)
class Series:
    """Values under one name. `labels` has as many members as `values`; of points and bubbles they are numbers.

    The fields that end in `_at` are formulas of the cells that hold them; '' for what stands in the chart alone.
    Colours are RGB, six hex digits; None takes the next of the chart's own.
    """

    name: str
    values: tuple[float | None, ...]
    labels: tuple[Label, ...] = ()
    kind: str = "columns"
    #: On the axis at the right.
    second: bool = False
    colour: str | None = None
    #: Marks of another colour, by their place from zero.
    marks: tuple[tuple[int, str], ...] = ()
    sizes: tuple[float | None, ...] = ()
    #: Points that a line joins in their order.
    joined: bool = False
    #: Number formats of the values and the labels.
    format: str = "General"
    labels_format: str = "General"
    name_at: str = ""
    values_at: str = ""
    labels_at: str = ""
    sizes_at: str = ""

    def label_texts(self) -> list[str]:
        """Labels as displayed; those that are missing are numbered."""
        texts = [
            label if isinstance(label, str) else "" if label is None else show(label, self.labels_format).text
            for label in self.labels[: len(self.values)]
        ]
        return texts + [str(number) for number in range(len(texts) + 1, len(self.values) + 1)]


@dataclass(frozen=True, slots=True)
class Axis:
    """An axis of values. Limits are None where they follow from the data."""

    title: str = ""
    format: str = ""
    low: float | None = None
    high: float | None = None
    log: bool = False
    #: How far its divisions lie apart, where that does not follow from the data.
    step: float | None = None


@dataclass(frozen=True)
class Chart:
    """A chart. `stack` is 'no', 'stacked' or 'share' (to 100 %); `legend` 'no', 'right', 'bottom', 'top' or 'left'."""

    series: tuple[Series, ...]
    title: str = ""
    stack: str = "no"
    labels_title: str = ""
    values: Axis = field(default_factory=Axis)
    second: Axis = field(default_factory=Axis)
    legend: str = "no"
    #: Each value is written beside its mark.
    shows_values: bool = False
    #: Space between groups of bars, in per cent of a bar's breadth.
    gap: int = 60
    #: A line at a value of the first axis, and what it is called.
    target: float | None = None
    target_label: str = ""
    #: Colours of series in turn, of text and of lines.
    colours: tuple[str, ...] = ("2F5D7C", "C99A2E", "A6402F", "8A979C")
    ink: str = "27343A"
    faint: str = "8A979C"
    font: str = ""
    #: What it shows, in words.
    alt: str = ""

    @property
    def kinds(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(series.kind for series in self.series))

    def colour_of(self, number: int) -> str:
        """The colour of a series by its place from zero."""
        return self.series[number].colour or self.colours[number % len(self.colours)]

    def mark_colours(self, number: int) -> list[str]:
        """The colour of each mark of a series; of shares of a whole each has its own."""
        series, own = self.series[number], dict(self.series[number].marks)
        if series.kind in WHOLE_KINDS:
            plain = [self.colours[index % len(self.colours)] for index in range(len(series.values))]
        else:
            plain = [self.colour_of(number)] * len(series.values)
        return [own.get(index, colour) for index, colour in enumerate(plain)]

    def problems(self) -> list[str]:
        """Why it cannot be drawn, sentence by sentence."""
        found = []
        kinds = set(self.kinds)
        if not self.series:
            found.append("it has no series")
        if kinds & WHOLE_KINDS and len(self.series) > 1:
            found.append(f"a {next(iter(kinds & WHOLE_KINDS))} shows one series, and it has {len(self.series)}")
        if "bars" in kinds and len(kinds) > 1:
            found.append("bars lie, and do not go with other kinds")
        if kinds & NUMERIC_KINDS and kinds & AXIS_KINDS:
            found.append("points and bubbles need numbers across, and do not go with kinds that have labels there")
        if self.target is not None and kinds & (WHOLE_KINDS | {"bars", "bubbles"}):
            found.append(
                f"a target line does not go with {', '.join(self.kinds)}; with columns, lines, areas and points it does"
            )
        values = [value for series in self.series for value in series.values if value is not None]
        if kinds & WHOLE_KINDS and any(value < 0 for value in values):
            found.append("shares of a whole cannot be negative")
        if any(not math.isfinite(value) for value in values):
            found.append("a value is not finite")
        found += _log_problems(self)
        return found


def _log_problems(chart: Chart) -> list[str]:
    found = []
    for axis, second in ((chart.values, False), (chart.second, True)):
        values: Sequence[float | None] = [v for one in chart.series if one.second == second for v in one.values]
        if axis.log and any(value is not None and value <= 0 for value in values):
            found.append("a logarithmic axis has no place for zero and below")
    return found
