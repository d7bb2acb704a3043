"""Charts as parts (ECMA-376 Part 1, 21.2): references to cells with the values that these hold, elements in the order
of the schema."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from tinquire.charts.chart import NUMERIC_KINDS, WHOLE_KINDS, Axis, Chart, Label, Series
from tinquire.looks.palette import tint
from tinquire.packages.xml import escape_attribute, escape_text

__all__ = ["CHART", "DRAWING_MAIN", "chart_part", "drawing_text"]

CHART = "http://schemas.openxmlformats.org/drawingml/2006/chart"
DRAWING_MAIN = "http://schemas.openxmlformats.org/drawingml/2006/main"
#: Hundredths of a point, and English metric units of a point.
_TITLE_SIZE, _TEXT_SIZE = 1100, 800
_POINT = 12_700
_LEGENDS = {"right": "r", "bottom": "b", "top": "t", "left": "l"}
_GROUPS = {
    "bars": "barChart", "columns": "barChart", "lines": "lineChart", "areas": "areaChart", "pie": "pieChart",
    "ring": "doughnutChart", "points": "scatterChart", "bubbles": "bubbleChart",
}  # fmt: skip
#: Where a value stands beside its mark (21.2.2.48), for the kinds that may say so.
_PLACES = {"bars": "outEnd", "columns": "outEnd", "lines": "t", "pie": "outEnd", "points": "t", "bubbles": "t"}
#: Identities of axes: of labels and values, at the left and at the right.
_AXES = {False: ("111111111", "111111112"), True: ("222222221", "222222222")}


def chart_part(chart: Chart) -> bytes:
    """The part's bytes."""
    pieces = [
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n',
        f'<c:chartSpace xmlns:c="{CHART}" xmlns:a="{DRAWING_MAIN}"><c:roundedCorners val="0"/><c:chart>',
        _title(chart.title, chart, _TITLE_SIZE, bold=True) if chart.title else "",
        f'<c:autoTitleDeleted val="{0 if chart.title else 1}"/><c:plotArea><c:layout/>',
        *_groups(chart),
        *_axes(chart),
        "</c:plotArea>",
        _legend(chart),
        # Rows that are hidden or folded away are shown all the same.
        '<c:plotVisOnly val="0"/><c:dispBlanksAs val="gap"/></c:chart>',
        '<c:spPr><a:solidFill><a:srgbClr val="FFFFFF"/></a:solidFill><a:ln><a:noFill/></a:ln></c:spPr>',
        f"<c:txPr><a:bodyPr/><a:p><a:pPr>{_letters(chart, _TEXT_SIZE, chart.ink)}</a:pPr>",
        '<a:endParaRPr lang="en-GB"/></a:p></c:txPr></c:chartSpace>',
    ]
    return "".join(pieces).encode()


def drawing_text(text: str) -> str:
    """Text of a drawing, which has no escapes for control characters: they are left out."""
    kept = "".join(character for character in text if character >= " " or character in "\n\t")
    kept = kept.replace("\ufffe", "").replace("\uffff", "")
    return kept.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


# -- texts and lines -------------------------------------------------------------------------------------


def _letters(chart: Chart, size: int, colour: str, *, bold: bool = False, name: str = "defRPr") -> str:
    font = f'<a:latin typeface="{escape_attribute(chart.font)}"/>' if chart.font else ""
    fill = f'<a:solidFill><a:srgbClr val="{colour}"/></a:solidFill>'
    return f'<a:{name} sz="{size}" b="{int(bold)}">{fill}{font}</a:{name}>'


def _title(text: str, chart: Chart, size: int, *, bold: bool = False, turned: bool = False) -> str:
    body = '<a:bodyPr rot="-5400000" vert="horz"/>' if turned else "<a:bodyPr/>"
    run = _letters(chart, size, chart.ink, bold=bold, name="rPr")
    return (
        f"<c:title><c:tx><c:rich>{body}<a:p><a:pPr>{_letters(chart, size, chart.ink, bold=bold)}</a:pPr>"
        f"<a:r>{run}<a:t>{drawing_text(text)}</a:t></a:r></a:p></c:rich></c:tx>"
        '<c:overlay val="0"/></c:title>'
    )


def _fill(colour: str) -> str:
    return f'<a:solidFill><a:srgbClr val="{colour}"/></a:solidFill>'


def _line(colour: str | None, width: float, dash: str = "") -> str:
    if colour is None:
        return "<a:ln><a:noFill/></a:ln>"
    dashed = f'<a:prstDash val="{dash}"/>' if dash else ""
    return f'<a:ln w="{round(width * _POINT)}" cap="rnd">{_fill(colour)}{dashed}<a:round/></a:ln>'


# -- plots and series ------------------------------------------------------------------------------------


def _groups(chart: Chart) -> Iterable[str]:
    """The plots: series of one kind and axis together, in the order in which they lie upon each other."""
    order = ("areas", "columns", "bars", "pie", "ring", "lines", "points", "bubbles")
    for second in (False, True):
        for kind in order:
            members = [
                (number, series)
                for number, series in enumerate(chart.series)
                if series.kind == kind and series.second == second
            ]
            target = not second and chart.target is not None and kind == _target_kind(chart)
            if members or target:
                yield _group(chart, kind, members, second=second, target=target)


def _target_kind(chart: Chart) -> str:
    """The kind of plot in which the target's line is a series."""
    return "points" if set(chart.kinds) & NUMERIC_KINDS else "lines"


def _group(chart: Chart, kind: str, members: Sequence[tuple[int, Series]], *, second: bool, target: bool) -> str:
    name = _GROUPS[kind]
    grouping = {"no": "standard", "stacked": "stacked", "share": "percentStacked"}[chart.stack]
    if kind == "lines":
        grouping = "standard"
    before = ""
    if name == "barChart":
        grouping = "clustered" if chart.stack == "no" else grouping
        before = f'<c:barDir val="{"bar" if kind == "bars" else "col"}"/><c:grouping val="{grouping}"/>'
    elif name in ("lineChart", "areaChart"):
        before = f'<c:grouping val="{grouping}"/>'
    elif name == "scatterChart":
        before = '<c:scatterStyle val="lineMarker"/>'
    after = {
        "barChart": f'<c:gapWidth val="{chart.gap}"/>' + ("" if chart.stack == "no" else '<c:overlap val="100"/>'),
        "lineChart": '<c:marker val="1"/>',
        "pieChart": '<c:firstSliceAng val="0"/>',
        "doughnutChart": '<c:firstSliceAng val="0"/><c:holeSize val="58"/>',
        "bubbleChart": '<c:bubbleScale val="60"/>',
    }.get(name, "")
    series = "".join(_series(chart, number, one) for number, one in members)
    if target:
        series += _target(chart, kind)
    axes = "" if kind in WHOLE_KINDS else "".join(f'<c:axId val="{axis}"/>' for axis in _AXES[second])
    vary = 1 if kind in WHOLE_KINDS else 0
    return f'<c:{name}>{before}<c:varyColors val="{vary}"/>{series}{after}{axes}</c:{name}>'


def _series(chart: Chart, number: int, series: Series) -> str:
    colour = chart.colour_of(number)
    kind = series.kind
    pieces = [f'<c:ser><c:idx val="{number}"/><c:order val="{number}"/>', _name(series.name, series.name_at)]
    if kind == "lines":
        pieces += [f"<c:spPr>{_line(colour, 1.8)}</c:spPr>", _marker("circle", colour, 5)]
    elif kind == "points":
        line = _line(colour if series.joined else None, 1.8)
        pieces += [f"<c:spPr>{line}</c:spPr>", _marker("circle", colour, 6)]
    elif kind in WHOLE_KINDS:
        pieces.append(f"<c:spPr>{_line('FFFFFF', 1)}</c:spPr>")
    else:
        clear = f'<a:solidFill><a:srgbClr val="{colour}"><a:alpha val="75000"/></a:srgbClr></a:solidFill>'
        pieces.append(f"<c:spPr>{clear if kind == 'bubbles' else _fill(colour)}{_line(None, 0)}</c:spPr>")
        pieces += ['<c:invertIfNegative val="0"/>'] if kind != "areas" else []
    marks = enumerate(chart.mark_colours(number)) if kind in WHOLE_KINDS else series.marks
    pieces += [_mark(kind, index, own) for index, own in marks]
    pieces.append(_values_shown(chart, series))
    across, up = ("xVal", "yVal") if kind in NUMERIC_KINDS else ("cat", "val")
    if series.labels or series.labels_at:
        pieces.append(f"<c:{across}>{_labels(series)}</c:{across}>")
    pieces.append(f"<c:{up}>{_numbers(series.values, series.values_at, series.format)}</c:{up}>")
    if kind == "bubbles":
        sizes = _numbers(series.sizes, series.sizes_at, "General")
        pieces.append(f'<c:bubbleSize>{sizes}</c:bubbleSize><c:bubble3D val="0"/>')
    elif kind in ("lines", "points"):
        pieces.append('<c:smooth val="0"/>')
    pieces.append("</c:ser>")
    return "".join(pieces)


def _marker(form: str, colour: str, size: int) -> str:
    return (
        f'<c:marker><c:symbol val="{form}"/><c:size val="{size}"/><c:spPr>{_fill(colour)}'
        f"{_line('FFFFFF', 0.75)}</c:spPr></c:marker>"
    )


def _mark(kind: str, index: int, colour: str) -> str:
    """One mark of another colour (21.2.2.52)."""
    if kind in ("lines", "points"):
        return f'<c:dPt><c:idx val="{index}"/>{_marker("circle", colour, 7)}<c:bubble3D val="0"/></c:dPt>'
    edge = _line("FFFFFF", 1) if kind in WHOLE_KINDS else _line(None, 0)
    negative = '<c:invertIfNegative val="0"/>' if kind not in (*WHOLE_KINDS, "areas") else ""
    return f'<c:dPt><c:idx val="{index}"/>{negative}<c:bubble3D val="0"/><c:spPr>{_fill(colour)}{edge}</c:spPr></c:dPt>'


def _values_shown(chart: Chart, series: Series) -> str:
    """Whether values stand beside the marks; shares of a whole are always named there."""
    if not chart.shows_values and series.kind not in WHOLE_KINDS:
        return ""
    whole = series.kind in WHOLE_KINDS
    place = _PLACES.get(series.kind, "")
    if series.kind in ("bars", "columns") and chart.stack != "no":
        place = "ctr"
    code = f'<c:numFmt formatCode="{escape_attribute(series.format)}" sourceLinked="0"/>' if not whole else ""
    position = f'<c:dLblPos val="{place}"/>' if place else ""
    shown = "".join(
        f'<c:{name} val="{int(given)}"/>'
        for name, given in (
            ("showLegendKey", False), ("showVal", chart.shows_values), ("showCatName", whole), ("showSerName", False),
            ("showPercent", whole), ("showBubbleSize", False),
        )
    )  # fmt: skip
    return f"<c:dLbls>{code}<c:spPr><a:noFill/><a:ln><a:noFill/></a:ln></c:spPr>{position}{shown}</c:dLbls>"


def _target(chart: Chart, kind: str) -> str:
    """The target's line: a series of constants (21.2.2.111)."""
    number = len(chart.series)
    line = f'<c:spPr>{_line(chart.ink, 1.1, "dash")}</c:spPr><c:marker><c:symbol val="none"/></c:marker>'
    assert chart.target is not None
    if kind == "points":
        across = [label for series in chart.series for label in series.labels if isinstance(label, float)] or [1.0]
        ends = (min(across), max(across))
        values = f"<c:xVal>{_numbers(ends, '', 'General')}</c:xVal>"
        values += f"<c:yVal>{_numbers((chart.target,) * 2, '', 'General')}</c:yVal>"
    else:
        count = max(len(series.values) for series in chart.series)
        values = f"<c:val>{_numbers((chart.target,) * count, '', 'General')}</c:val>"
    name = _name(chart.target_label, "")
    return f'<c:ser><c:idx val="{number}"/><c:order val="{number}"/>{name}{line}{values}<c:smooth val="0"/></c:ser>'


# -- data ------------------------------------------------------------------------------------------------


def _name(text: str, at: str) -> str:
    if not at:
        return f"<c:tx><c:v>{escape_text(text)}</c:v></c:tx>"
    return f"<c:tx><c:strRef><c:f>{escape_text(at)}</c:f>{_text_points((text,), 'strCache')}</c:strRef></c:tx>"


def _labels(series: Series) -> str:
    numbers = all(label is None or isinstance(label, float) for label in series.labels)
    if numbers and any(label is not None for label in series.labels):
        return _numbers([label if isinstance(label, float) else None for label in series.labels],
                        series.labels_at, series.labels_format)  # fmt: skip
    if not series.labels_at:
        return _text_points(series.labels, "strLit")
    return f"<c:strRef><c:f>{escape_text(series.labels_at)}</c:f>{_text_points(series.labels, 'strCache')}</c:strRef>"


def _text_points(labels: Sequence[Label], name: str) -> str:
    points = "".join(
        f'<c:pt idx="{index}"><c:v>{escape_text(label if isinstance(label, str) else f"{label:.15g}")}</c:v></c:pt>'
        for index, label in enumerate(labels)
        if label is not None
    )
    return f'<c:{name}><c:ptCount val="{len(labels)}"/>{points}</c:{name}>'


def _numbers(values: Sequence[float | None], at: str, code: str) -> str:
    """Numbers with their cells (21.2.2.123), or alone."""
    name = "numCache" if at else "numLit"
    points = "".join(
        f'<c:pt idx="{index}"><c:v>{value!r}</c:v></c:pt>' for index, value in enumerate(values) if value is not None
    )
    shown = f"<c:formatCode>{escape_text(code)}</c:formatCode>"
    cache = f'<c:{name}>{shown}<c:ptCount val="{len(values)}"/>{points}</c:{name}>'
    return f"<c:numRef><c:f>{escape_text(at)}</c:f>{cache}</c:numRef>" if at else cache


# -- axes and legend -------------------------------------------------------------------------------------


def _axes(chart: Chart) -> Iterable[str]:
    if set(chart.kinds) & WHOLE_KINDS:
        return
    numeric, lying = bool(set(chart.kinds) & NUMERIC_KINDS), "bars" in chart.kinds
    labels, values = _AXES[False]
    if numeric:
        code = next(series.labels_format for series in chart.series)
        yield _value_axis(chart, Axis(chart.labels_title, code), (labels, values), "b", grid=False)
    else:
        yield _label_axis(chart, (labels, values), lying=lying)
    yield _value_axis(chart, chart.values, (values, labels), "b" if lying else "l", lying=lying, numeric=numeric)
    if any(series.second for series in chart.series):
        labels, values = _AXES[True]
        if numeric:
            code = next(series.labels_format for series in chart.series)
            yield _value_axis(chart, Axis("", code), (labels, values), "b", grid=False, deleted=True)
        else:
            yield _label_axis(chart, (labels, values), lying=lying, deleted=True)
        yield _value_axis(chart, chart.second, (values, labels), "r", grid=False, numeric=numeric, second=True)


def _label_axis(chart: Chart, ids: tuple[str, str], *, lying: bool, deleted: bool = False) -> str:
    title = "" if deleted or not chart.labels_title else _title(chart.labels_title, chart, _TEXT_SIZE, turned=lying)
    code = next((series.labels_format for series in chart.series), "General")
    order = "maxMin" if lying else "minMax"
    return (
        f'<c:catAx><c:axId val="{ids[0]}"/><c:scaling><c:orientation val="{order}"/></c:scaling>'
        f'<c:delete val="{int(deleted)}"/><c:axPos val="{"l" if lying else "b"}"/>{title}'
        f'<c:numFmt formatCode="{escape_attribute(code)}" sourceLinked="1"/><c:majorTickMark val="none"/>'
        '<c:minorTickMark val="none"/><c:tickLblPos val="low"/>'
        f"<c:spPr>{_line(chart.ink, 0.8)}</c:spPr>"
        f'<c:crossAx val="{ids[1]}"/><c:crosses val="autoZero"/><c:auto val="0"/><c:lblAlgn val="ctr"/>'
        '<c:lblOffset val="100"/><c:noMultiLvlLbl val="1"/></c:catAx>'
    )


def _value_axis(
    chart: Chart, axis: Axis, ids: tuple[str, str], place: str, *, lying: bool = False, grid: bool = True,
    numeric: bool = False, deleted: bool = False, second: bool = False,
) -> str:  # fmt: skip
    base = '<c:logBase val="10"/>' if axis.log else ""
    high = "" if axis.high is None else f'<c:max val="{axis.high!r}"/>'
    low = "" if axis.low is None else f'<c:min val="{axis.low!r}"/>'
    lines = f"<c:majorGridlines><c:spPr>{_line(tint(chart.faint, 0.65), 0.5)}</c:spPr></c:majorGridlines>"
    title = "" if deleted or not axis.title else _title(axis.title, chart, _TEXT_SIZE, turned=place in "lr")
    code = axis.format or "General"
    step = "" if axis.step is None else f'<c:majorUnit val="{axis.step!r}"/>'
    crosses = "max" if second or lying else "autoZero"
    between = "midCat" if numeric or (place == "b" and not lying) else "between"
    letters = f"<c:txPr><a:bodyPr/><a:p><a:pPr>{_letters(chart, _TEXT_SIZE, chart.faint)}</a:pPr></a:p></c:txPr>"
    return (
        f'<c:valAx><c:axId val="{ids[0]}"/><c:scaling>{base}<c:orientation val="minMax"/>{high}{low}</c:scaling>'
        f'<c:delete val="{int(deleted)}"/><c:axPos val="{place}"/>{lines if grid else ""}{title}'
        f'<c:numFmt formatCode="{escape_attribute(code)}" sourceLinked="0"/><c:majorTickMark val="none"/>'
        f'<c:minorTickMark val="none"/><c:tickLblPos val="nextTo"/><c:spPr>{_line(None, 0)}</c:spPr>{letters}'
        f'<c:crossAx val="{ids[1]}"/><c:crosses val="{crosses}"/><c:crossBetween val="{between}"/>'
        f"{step}</c:valAx>"
    )


def _legend(chart: Chart) -> str:
    if chart.legend not in _LEGENDS:
        return ""
    return f'<c:legend><c:legendPos val="{_LEGENDS[chart.legend]}"/><c:overlay val="0"/></c:legend>'
