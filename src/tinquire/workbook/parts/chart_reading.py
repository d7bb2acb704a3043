"""Charts of files read into their description (ECMA-376 Part 1, 21.2): kinds, series with their cells and stored
values, axes, legend, colours. What a description has no word for is left out; kinds that it does not know are named."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from lxml import etree

from tinquire.charts.chart import NUMERIC_KINDS, WHOLE_KINDS, Axis, Chart, Label, Series
from tinquire.packages.xml import child, children, local, unescape_controls, whole_number
from tinquire.workbook.parts.drawing_colours import drawing_colour

__all__ = ["ReadChart", "read_chart"]

#: A series may say that it has this many points without having them.
_MOST_CLAIMED = 32_000
_KINDS = {
    "lineChart": "lines", "line3DChart": "lines", "areaChart": "areas", "area3DChart": "areas", "pieChart": "pie",
    "pie3DChart": "pie", "ofPieChart": "pie", "doughnutChart": "ring", "scatterChart": "points",
    "bubbleChart": "bubbles",
}  # fmt: skip
_STACKS = {"stacked": "stacked", "percentStacked": "share"}
_LEGENDS = {"r": "right", "tr": "right", "b": "bottom", "t": "top", "l": "left"}
#: Without a theme, series take these in turn.
_PLAIN = ("2F5D7C", "C99A2E", "A6402F", "8A979C", "27343A", "6C8A6E")


@dataclass(frozen=True, slots=True)
class ReadChart:
    """A chart that was read, and the kinds of its plots that a description has no word for."""

    chart: Chart
    unknown: tuple[str, ...] = ()


def read_chart(root: etree._Element, theme: Sequence[str] = ()) -> ReadChart:
    """The description of a chart part; `theme` are the theme's colours in the order of 18.8.3's attribute."""
    return _Reader(root, theme).read()


class _Reader:
    def __init__(self, root: etree._Element, theme: Sequence[str]) -> None:
        self.space = root
        self.root = child(root, "chart")
        self.theme = theme
        self.plot = child(self.root, "plotArea")
        self.axes = {
            child(axis, "axId").get("val", ""): axis  # type: ignore[union-attr]
            for axis in (self.plot if self.plot is not None else ())
            if local(axis) in ("catAx", "valAx", "dateAx", "serAx") and child(axis, "axId") is not None
        }
        self.target: tuple[float, str] | None = None

    def read(self) -> ReadChart:
        groups = [item for item in (self.plot if self.plot is not None else ()) if local(item).endswith("Chart")]
        unknown = tuple(dict.fromkeys(local(group) for group in groups if self.kind(group) is None))
        known = [group for group in groups if self.kind(group) is not None]
        found = [pair for group in known for pair in self.series(group)]
        series = tuple(one for _, one in sorted(found, key=lambda pair: pair[0]))
        first = next((group for group in known if not self.is_second(group)), None)
        legend = child(self.root, "legend")
        place = _value(child(legend, "legendPos"), "r")
        values = self.axis(first, values=True)
        labels = self.axis(first, values=False)
        second = next((group for group in known if self.is_second(group)), None)
        text = child(child(child(child(self.space, "txPr"), "p"), "pPr"), "defRPr")
        chart = Chart(
            series,
            title=self.title(self.root) or self.automatic_title(series),
            stack=next(filter(None, (_STACKS.get(_value(child(group, "grouping"))) for group in known)), "no"),
            labels_title=self.title(labels),
            values=self.read_axis(values),
            second=self.read_axis(self.axis(second, values=True)) if second is not None else Axis(),
            legend="no" if legend is None else _LEGENDS.get(place, "right"),
            shows_values=any(_shows_values(item) for group in known for item in group.iter("{*}dLbls")),
            gap=self.gap(known),
            target=None if self.target is None else self.target[0],
            target_label="" if self.target is None else self.target[1],
            colours=tuple(self.theme[4:10]) or _PLAIN,
            ink=self.colour(child(text, "solidFill")) or "27343A",
            font=self.font(text),
        )
        if values is not None and (grey := self.colour_of_text(values)):
            chart = replace(chart, faint=grey)
        return ReadChart(chart, unknown)

    # -- plots -----------------------------------------------------------------------------------------

    def kind(self, group: etree._Element) -> str | None:
        name = local(group)
        if name in ("barChart", "bar3DChart"):
            return "bars" if _value(child(group, "barDir")) == "bar" else "columns"
        return _KINDS.get(name)

    def gap(self, groups: Sequence[etree._Element]) -> int:
        found = next((gap for group in groups if (gap := child(group, "gapWidth")) is not None), None)
        return min(whole_number(_value(found)) or 0, 500) if found is not None else 150

    def own_axes(self, group: etree._Element | None) -> list[etree._Element]:
        ids = [_value(item) for item in children(group, "axId")]
        return [self.axes[one] for one in ids if one in self.axes]

    def axis(self, group: etree._Element | None, *, values: bool) -> etree._Element | None:
        """The axis of values of a plot, or the one of labels, which for points has numbers too."""
        axes = self.own_axes(group)
        if group is not None and self.kind(group) in NUMERIC_KINDS:
            return axes[1 if values else 0] if len(axes) > 1 else None
        return next((axis for axis in axes if (local(axis) == "valAx") == values), None)

    def is_second(self, group: etree._Element) -> bool:
        """Whether a plot has axes of its own beside those of the first."""
        if self.plot is None:
            return False
        first = next((item for item in self.plot if local(item).endswith("Chart")), None)
        if first is None or group is first:
            at_right = _value(child(self.axis(group, values=True), "axPos")) == "r"
            others = [item for item in self.plot if local(item).endswith("Chart") and item is not group]
            return at_right and any(_ids(other) != _ids(group) for other in others)
        if _ids(first) == _ids(group):
            return self.is_second(first)
        return not self.is_second(first)

    # -- series ----------------------------------------------------------------------------------------

    def series(self, group: etree._Element) -> Iterator[tuple[int, Series]]:
        """The series of a plot with their places among all."""
        kind = self.kind(group)
        assert kind is not None
        for element in children(group, "ser"):
            place = whole_number(_value(child(element, "order"))) or 0
            one = self.one_series(group, element, kind)
            if not self.is_target(element, kind, one):
                yield place, one

    def one_series(self, group: etree._Element, element: etree._Element, kind: str) -> Series:
        numeric = kind in NUMERIC_KINDS
        values, values_at, code = _numbers(child(element, "yVal" if numeric else "val"))
        labels, labels_at, labels_code = _labels(child(element, "xVal" if numeric else "cat"))
        sizes, sizes_at, _ = _numbers(child(element, "bubbleSize"))
        name, name_at = _series_name(child(element, "tx"))
        shape = child(element, "spPr")
        colour = self.colour(child(shape, "solidFill"))
        stroke = child(shape, "ln")
        if kind in ("lines", "points"):
            marker = child(child(child(element, "marker"), "spPr"), "solidFill")
            colour = self.colour(child(stroke, "solidFill")) or self.colour(marker) or colour
        joined = kind == "points" and stroke is not None and child(stroke, "noFill") is None
        own = _value(child(child(element, "dLbls"), "numFmt"), "", "formatCode")
        index = whole_number(_value(child(element, "idx"))) or 0
        if colour is None and kind not in WHOLE_KINDS:
            palette = tuple(self.theme[4:10]) or _PLAIN
            colour = palette[index % len(palette)]
        return Series(
            name, values, labels, kind, self.is_second(group), colour if kind not in WHOLE_KINDS else None,
            self.marks(element, kind, len(values)), sizes, joined, own or code, labels_code, name_at, values_at,
            labels_at, sizes_at,
        )  # fmt: skip

    def marks(self, element: etree._Element, kind: str, count: int) -> tuple[tuple[int, str], ...]:
        """Marks of a colour of their own."""
        found = {}
        for point in children(element, "dPt"):
            index = whole_number(_value(child(point, "idx")))
            shape = child(point, "spPr")
            if kind in ("lines", "points"):
                shape = child(child(point, "marker"), "spPr")
            colour = self.colour(child(shape, "solidFill"))
            if index is not None and index < count and colour is not None:
                found[index] = colour
        return tuple(sorted(found.items()))

    def is_target(self, element: etree._Element, kind: str, series: Series) -> bool:
        """Whether a series is a line of constants, which stands for a value to be reached."""
        numbers = child(child(element, "yVal" if kind in NUMERIC_KINDS else "val"), "numLit")
        dash = child(child(child(element, "spPr"), "ln"), "prstDash")
        if numbers is None or dash is None or len(set(series.values)) != 1 or series.values[0] is None:
            return False
        self.target = (series.values[0], series.name)
        return True

    # -- axes and texts --------------------------------------------------------------------------------

    def read_axis(self, axis: etree._Element | None) -> Axis:
        scaling = child(axis, "scaling")
        code = child(axis, "numFmt")
        linked = code is None or code.get("sourceLinked") in ("1", "true")
        return Axis(
            self.title(axis),
            "" if linked or code is None else code.get("formatCode", ""),
            _float(_value(child(scaling, "min"))),
            _float(_value(child(scaling, "max"))),
            child(scaling, "logBase") is not None,
            _positive(_value(child(axis, "majorUnit"))),
        )

    def title(self, owner: etree._Element | None) -> str:
        """The text of a title, or the stored text of the cell that has it."""
        title = child(owner, "title")
        if title is None:
            return ""
        lines = ["".join(item.text or "" for item in paragraph.iter("{*}t")) for paragraph in title.iter("{*}p")]
        text = " ".join(line for line in lines if line).strip()
        return text or " ".join(unescape_controls(item.text or "") for item in title.iter("{*}v")).strip()

    def automatic_title(self, series: Sequence[Series]) -> str:
        """A chart of one series bears its name, unless it says no (21.2.2.7)."""
        deleted = _value(child(self.root, "autoTitleDeleted"), "0") in ("1", "true")
        empty = child(self.root, "title") is not None
        return series[0].name if len(series) == 1 and empty and not deleted else ""

    def font(self, text: etree._Element | None) -> str:
        name = _value(child(text, "latin"), "", "typeface")
        return "" if name.startswith("+") else name

    def colour_of_text(self, owner: etree._Element) -> str | None:
        text = child(child(child(child(owner, "txPr"), "p"), "pPr"), "defRPr")
        return self.colour(child(text, "solidFill"))

    def colour(self, fill: etree._Element | None) -> str | None:
        """RGB of a fill: given as such, or by theme, with its changes of lightness (20.1.2.3)."""
        return drawing_colour(fill, self.theme)


def _ids(group: etree._Element) -> tuple[str, ...]:
    return tuple(_value(item) for item in children(group, "axId"))


def _positive(text: str) -> float | None:
    number = _float(text)
    return number if number is not None and number > 0 else None


def _shows_values(labels: etree._Element) -> bool:
    return _value(child(labels, "showVal"), "0") in ("1", "true")


def _value(element: etree._Element | None, otherwise: str = "", name: str = "val") -> str:
    return otherwise if element is None else element.get(name, otherwise)


def _float(text: str) -> float | None:
    try:
        number = float(text)
    except ValueError:
        return None
    return number if math.isfinite(number) else None


def _series_name(text: etree._Element | None) -> tuple[str, str]:
    """A series' name, and the formula of its cell."""
    if text is None:
        return "", ""
    formula = next((item.text or "" for item in text.iter("{*}f")), "")
    words = [unescape_controls(item.text or "") for item in text.iter("{*}v")]
    return " ".join(words), formula


def _numbers(data: etree._Element | None) -> tuple[tuple[float | None, ...], str, str]:
    """Stored numbers, the formula of their cells, and their number format."""
    points, formula, code = _points(data, _float)
    return tuple(point if isinstance(point, float) else None for point in points), formula, code


def _labels(data: etree._Element | None) -> tuple[tuple[Label, ...], str, str]:
    """Stored labels; of several levels those of all, the outer ones first."""
    levels = [] if data is None else list(data.iter("{*}lvl"))
    formula = "" if data is None else next((item.text or "" for item in data.iter("{*}f")), "")
    if levels:
        read = [_of(level, unescape_controls) for level in levels]
        count = max(len(level) for level in read)
        filled = [_filled_down(level, count) if index else level for index, level in enumerate(read)]
        rows = []
        for index in range(count):
            parts = [level[index] for level in reversed(filled) if index < len(level)]
            rows.append(" ".join(str(part) for part in parts if part))
        return tuple(rows), formula, "General"
    is_numeric = data is not None and any(local(item) in ("numRef", "numLit") for item in data)
    convert: Callable[[str], Label] = _float if is_numeric else unescape_controls
    return _points(data, convert)


def _filled_down(level: tuple[Label, ...], count: int) -> tuple[Label, ...]:
    """An outer level of so many points, whose label stands for all points until the next."""
    filled: list[Label] = []
    for label in (*level, *(None,) * (count - len(level))):
        filled.append(label if label is not None or not filled else filled[-1])
    return tuple(filled)


def _points(data: etree._Element | None, convert: Callable[[str], Label]) -> tuple[tuple[Label, ...], str, str]:
    """What is stored of some cells, their formula, and their number format."""
    if data is None:
        return (), "", "General"
    formula = next((item.text or "" for item in data.iter("{*}f")), "")
    names = ("numCache", "strCache", "numLit", "strLit")
    cache = next((item for item in data.iter() if local(item) in names), None)
    code = child(cache, "formatCode")
    shown = "General" if code is None else code.text or "General"
    return () if cache is None else _of(cache, convert), formula, shown


def _of(cache: etree._Element, convert: Callable[[str], Label]) -> tuple[Label, ...]:
    """The points of a cache by their places (21.2.2.155)."""
    points = children(cache, "pt")
    limit = max(_MOST_CLAIMED, len(points))
    known: dict[int, Label] = {}
    for point in points:
        index = whole_number(point.get("idx"))
        text = child(point, "v")
        if index is not None and index < limit and text is not None:
            known[index] = convert(text.text or "")
    claimed = whole_number(_value(child(cache, "ptCount"))) or 0
    count = max(max(known, default=-1) + 1, min(claimed, limit))
    return tuple(known.get(index) for index in range(count))
