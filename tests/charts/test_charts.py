"""Charts: written, read and written again they are the same; drawn, nothing is cut off and no labels lie upon each
other."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import etree

from tinquire.base.faults import UseError
from tinquire.charts import Chart, Series
from tinquire.charts.axes import value_scale
from tinquire.charts.chart import AXIS_KINDS, KINDS, NUMERIC_KINDS, WHOLE_KINDS, Axis
from tinquire.charts.draw import draw_chart
from tinquire.charts.marks import spread
from tinquire.charts.measure import text_width, wrapped
from tinquire.charts.palette import distance, neutral, series_colours
from tinquire.charts.pictures import FORMS, picture
from tinquire.charts.shapes import Words
from tinquire.charts.ticks import axis_format, linear_scale, log_scale, matching_scale
from tinquire.packages.xml import parse_xml
from tinquire.workbook.parts.chart_markup import chart_part
from tinquire.workbook.parts.chart_reading import read_chart

DEPOTS = ("Northgate", "Millrace", "Harbour", "Uplands")
MONEY = '"£"#,##0.00'


def series(kind, values=(1.0, 2.5, None, 4.0), name="Charged", **more):
    labels = tuple(float(n) for n in range(len(values))) if kind in NUMERIC_KINDS else DEPOTS[: len(values)]
    sizes = tuple(float(n + 1) for n in range(len(values))) if kind == "bubbles" else ()
    return Series(name, values, labels, kind, **{"sizes": sizes, "format": MONEY, **more})


CHARTS = {
    **{kind: Chart((series(kind),), title=f"A chart of {kind}") for kind in KINDS},
    "stacked bars": Chart((series("bars"), series("bars", name="Other")), stack="stacked", legend="bottom"),
    "shares of columns": Chart((series("columns"), series("columns", name="Other")), stack="share", legend="top"),
    "areas upon each other": Chart((series("areas"), series("areas", name="Other")), stack="stacked", legend="left"),
    "a second axis": Chart(
        (series("columns"), series("lines", (30.0, 10.0, 20.0, 25.0), "Average", second=True)), legend="right",
        values=Axis("Pickups", "#,##0", 0.0, 8.0, step=2.0), second=Axis("Average", MONEY), labels_title="Depot",
    ),
    "a target": Chart((series("lines", marks=((1, "A6402F"),)),), target=2.25, target_label="Plan & more", gap=10),
    "a target among points": Chart((series("points", joined=True),), target=3.0, target_label="Plan"),
    "a logarithmic axis": Chart((series("columns", (1.0, 10.0, 1e5, 30.0)),), values=Axis("£", "0", log=True)),
    "cells": Chart((series("columns", name_at="Data!$B$1", values_at="Data!$B$2:$B$5", labels_at="Data!$A$2:$A$5"),),
                   shows_values=True, font="Verdana", ink="112233", faint="445566"),
    "days as labels": Chart((Series("n", (1.0, 2.0), (46000.0, 46001.0), "lines", labels_format="d mmm"),)),
    "text that is markup": Chart((series("bars", name='<a> & "b"'),), title='<T> & "t"\x01', labels_title="x < y"),
    "odd places": Chart((series("pie", (1.0, 2.0), marks=((1, "A6402F"),)),), shows_values=True),
}  # fmt: skip


@pytest.mark.parametrize("chart", CHARTS.values(), ids=CHARTS)
def test_a_chart_written_and_read_is_written_the_same(chart):
    first = chart_part(chart)
    read = read_chart(parse_xml(first))
    assert read.unknown == ()
    again = chart_part(replace(read.chart, colours=chart.colours, alt=chart.alt))
    assert again == first
    assert [(one.kind, one.name, one.values, one.second) for one in read.chart.series] == [
        (one.kind, one.name, one.values, one.second) for one in chart.series
    ]
    assert (read.chart.title, read.chart.stack, read.chart.target) == (
        chart.title.strip("\x01"),
        chart.stack,
        chart.target,
    )


SPACES = (
    'xmlns:c="http://schemas.openxmlformats.org/drawingml/2006/chart" '
    'xmlns:a="http://schemas.openxmlformats.org/drawingml/2006/main"'
)


def stranger(plot, more=""):
    return parse_xml(
        f"<c:chartSpace {SPACES}><c:chart><c:plotArea>{plot}</c:plotArea>{more}</c:chart></c:chartSpace>".encode()
    )


def test_strangers_charts_are_understood():
    theme = ["FFFFFF", "000000", "EEEEEE", "111111", "2F5D7C", "C99A2E"]
    levels = (
        '<c:cat><c:multiLvlStrRef><c:f>S!A1:B2</c:f><c:multiLvlStrCache><c:ptCount val="2"/><c:lvl><c:pt idx="0"><c:v>Bed'
        '</c:v></c:pt><c:pt idx="1"><c:v>Bath</c:v></c:pt></c:lvl><c:lvl><c:pt idx="0"><c:v>North</c:v></c:pt></c:lvl>'
        "</c:multiLvlStrCache></c:multiLvlStrRef></c:cat>"
    )
    fill = '<c:spPr><a:solidFill><a:schemeClr val="accent1"><a:lumMod val="60000"/><a:lumOff val="40000"/></a:schemeClr></a:solidFill></c:spPr>'
    values = '<c:val><c:numRef><c:f>S!C1:C2</c:f><c:numCache><c:formatCode>0.0</c:formatCode><c:ptCount val="4000000000"/><c:pt idx="1"><c:v>7</c:v></c:pt><c:pt idx="x"><c:v>8</c:v></c:pt></c:numCache></c:numRef></c:val>'
    plot = f'<c:bar3DChart><c:barDir val="bar"/><c:grouping val="stacked"/><c:ser><c:idx val="0"/><c:order val="1"/>{fill}{levels}{values}</c:ser></c:bar3DChart>'
    read = read_chart(stranger(f"{plot}<c:radarChart/>", "<c:legend/>"), theme)
    one = read.chart.series[0]
    assert (read.unknown, read.chart.legend, read.chart.stack, one.kind) == (
        ("radarChart",),
        "right",
        "stacked",
        "bars",
    )
    assert (one.labels, one.values[:3], len(one.values), one.format) == (
        ("North Bed", "North Bath"),
        (None, 7.0, None),
        32_000,
        "0.0",
    )
    assert one.colour not in (None, "2F5D7C") and one.values_at == "S!C1:C2"
    axes = (
        '<c:valAx><c:axId val="1"/><c:axPos val="l"/></c:valAx><c:valAx><c:axId val="2"/><c:axPos val="r"/></c:valAx>'
    )
    second = "".join(
        f'<c:lineChart><c:ser><c:order val="{n}"/></c:ser><c:axId val="{n}"/></c:lineChart>' for n in (2, 1)
    )
    assert [one.second for one in read_chart(stranger(second + axes)).chart.series] == [False, True]
    for odd in ("", "<c:lineChart/>", "<c:pieChart><c:ser/></c:pieChart>"):
        assert isinstance(read_chart(stranger(odd)).chart, Chart)
    assert read_chart(etree.fromstring(f"<c:chartSpace {SPACES}/>")).chart.series == ()


# -- drawing ---------------------------------------------------------------------------------------------


def boxes(drawing):
    """Left, bottom, right and top of each text."""
    for shape in drawing.shapes:
        if isinstance(shape, Words) and shape.text:
            wide = text_width(shape.text, shape.size, drawing.font, bold=shape.bold)
            start = {"left": 0.0, "center": -wide / 2, "right": -wide}[shape.across]
            low, high = -shape.size * 0.2, shape.size * 0.72
            if shape.angle == 90:
                yield shape.text, (shape.x - high, shape.y + start, shape.x - low, shape.y + start + wide)
            else:
                yield shape.text, (shape.x + start, shape.y + low, shape.x + start + wide, shape.y + high)


def is_clear(one, other):
    return one[2] <= other[0] + 0.3 or other[2] <= one[0] + 0.3 or one[3] <= other[1] + 0.3 or other[3] <= one[1] + 0.3


def check_drawn(chart, width=400.0, height=240.0):
    drawing = draw_chart(chart, width, height)
    texts = list(boxes(drawing))
    for text, (left, bottom, right, top) in texts:
        assert left >= -0.5 and bottom >= -0.5 and right <= width + 0.5 and top <= height + 0.5, text
    for n, (text, box) in enumerate(texts):
        for other, its in texts[:n]:
            assert is_clear(box, its), (text, other)
    for shape in drawing.shapes:
        if not isinstance(shape, Words):
            assert all(math.isfinite(x) and math.isfinite(y) for x, y in shape.points)
    return drawing


@pytest.mark.parametrize("chart", CHARTS.values(), ids=CHARTS)
def test_a_chart_is_drawn_whole(chart):
    drawing = check_drawn(chart)
    if chart.title and chart.title[0] != "<":
        assert any(isinstance(shape, Words) and shape.text in chart.title for shape in drawing.shapes)
    check_drawn(replace(chart, shows_values=True), 500, 300)


def test_pictures_are_the_same_bytes_each_time():
    drawing = draw_chart(CHARTS["a second axis"], 300, 200)
    starts = {"png": b"\x89PNG", "svg": b"<?xml", "pdf": b"%PDF"}
    for form in FORMS:
        data = picture(drawing, form, "what it shows")
        assert data.startswith(starts[form]) and data == picture(drawing, form, "what it shows")


WORDS = st.text(st.sampled_from("abcdefgh WMil.,-"), min_size=1, max_size=40).map(
    lambda text: " ".join(text.split()) or "x"
)
NUMBERS = st.one_of(st.none(), st.floats(-1e6, 1e6).map(lambda x: round(x, 2)))


@st.composite
def charts(draw):
    kind = draw(st.sampled_from(KINDS))
    count = draw(st.integers(1, 30))
    many = 1 if kind in WHOLE_KINDS else draw(st.integers(1, 5))
    labels = tuple(draw(st.lists(WORDS, min_size=count, max_size=count)))
    values = NUMBERS if kind not in WHOLE_KINDS else st.floats(0, 1e6)
    made = []
    for number in range(many):
        own = tuple(draw(st.lists(values, min_size=count, max_size=count)))
        across = tuple(float(n) for n in range(count)) if kind in NUMERIC_KINDS else labels
        made.append(Series(draw(WORDS), own, across, kind, number == 1 and kind in ("lines", "columns"),
                           sizes=tuple(map(float, range(1, count + 1))) if kind == "bubbles" else (), format="#,##0.0"))  # fmt: skip
    stack = draw(st.sampled_from(["no", "stacked", "share"])) if kind in AXIS_KINDS - {"lines"} else "no"
    if stack != "no":
        made = [replace(one, second=False) for one in made]
    return Chart(tuple(made), title=draw(st.one_of(st.just(""), WORDS)), stack=stack, shows_values=draw(st.booleans()),
                 legend=draw(st.sampled_from(["no", "right", "bottom", "top"])), values=Axis(draw(st.sampled_from(["", "Charged"]))))  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(charts(), st.sampled_from([(260.0, 170.0), (420.0, 260.0), (640.0, 300.0)]))
def test_generated_charts_are_drawn_whole(chart, size):
    check_drawn(chart, *size)
    first = chart_part(chart)
    assert chart_part(replace(read_chart(parse_xml(first)).chart, colours=chart.colours)) == first


@pytest.mark.parametrize(
    ("chart", "why"),
    [
        (Chart(()), "it has no series"),
        (Chart((series("pie"), series("pie"))), "a pie shows one series, and it has 2"),
        (Chart((series("bars"), series("lines"))), "bars lie"),
        (Chart((series("points"), series("lines"))), "points and bubbles need numbers"),
        (Chart((series("bars"),), target=1.0), "a target line does not go with bars"),
        (Chart((series("ring", (1.0, -1.0)),)), "cannot be negative"),
        (Chart((series("lines", (1.0, 0.0)),), values=Axis(log=True)), "no place for zero"),
        (Chart((series("lines", (1.0, math.inf)),)), "not finite"),
    ],
)
def test_what_cannot_be_drawn_is_said(chart, why):
    assert any(why in problem for problem in chart.problems())
    with pytest.raises(UseError, match=why.split(",")[0][:20]):
        draw_chart(chart, 300, 200)
    with pytest.raises(UseError, match="too small"):
        draw_chart(CHARTS["bars"], 300, 20)


# -- arithmetic ------------------------------------------------------------------------------------------


@settings(max_examples=300)
@given(st.lists(st.floats(-1e9, 1e9), min_size=1, max_size=8), st.booleans())
def test_scales_hold_their_values(values, zero):
    scale = linear_scale(values, zero=zero)
    little = (scale.high - scale.low) * 1e-6
    assert scale.low <= min(values) + little and scale.high >= max(values) - little
    assert list(scale.ticks) == sorted(set(scale.ticks)) and 2 <= len(scale.ticks) <= 9
    assert not zero or 0.0 in scale.ticks
    second = matching_scale([abs(value) for value in values], scale, None, None)
    assert second.high >= max(map(abs, values)) * (1 - 1e-9) and len(second.ticks) >= 2


def test_scales_as_asked():
    assert linear_scale([1.0, 9.0], 0.0, 12.0).ticks[-1] <= 12.0
    assert log_scale([1.0, 1e5]).ticks == (1.0, 10.0, 100.0, 1e3, 1e4, 1e5)
    assert value_scale(CHARTS["shares of columns"]).high == 1.0
    assert matching_scale([30.0], linear_scale([0.0, 800.0]), None, None).ticks[1] * 4 >= 30.0


@pytest.mark.parametrize(
    ("code", "ticks", "shown"),
    [
        (MONEY, (0.0, 5000.0), '"£"#,##0'), (MONEY, (0.0, 0.5), '"£"#,##0.0'), ("0.0%", (0.0, 0.25), "0%"), ("0.0%", (0.0, 0.005), "0.0%"),
        ("General", (0.0, 1.0), "General"), ("d mmm", (1.0, 2.0), "d mmm"), ("#,##0.00;-#,##0.00", (0.0, 10.0), "#,##0;-#,##0"),
        ('0.00" p.a."', (0.0, 1.0), '0" p.a."'),
    ],
)  # fmt: skip
def test_axes_show_no_more_places_than_they_need(code, ticks, shown):
    assert axis_format(code, ticks) == shown


def test_colours_differ_to_all_eyes():
    house = ["27343A", "8A979C", "F4EFE6", "A6402F", "2F5D7C", "C99A2E"]
    chosen = series_colours(house, 4)
    assert "F4EFE6" not in chosen and len(set(chosen)) == 4
    assert min(distance(a, b) for n, a in enumerate(chosen) for b in chosen[:n]) > 12
    assert neutral(house) == "8A979C" and neutral(["A6402F"]) == "8A979C"
    assert distance("A6402F", "A6402F") == 0 and distance("000000", "FFFFFF") > 90


def test_labels_move_apart_as_little_as_it_takes():
    assert spread([1.0, 10.0], 2.0, 0.0, 20.0) == [1.0, 10.0]
    places = spread([5.0, 5.0, 5.5], 2.0, 0.0, 20.0)
    assert all(b - a >= 2 - 1e-9 for a, b in pairwise(places)) and min(places) > 2
    assert wrapped("one two three", len, 7) == ["one two", "three"] and wrapped("abcdef", len, 3) == ["abc", "def"]
    assert wrapped("one two three", len, 4, most=1) == ["one…"]
    measured = []

    def width(text):
        measured.append(len(text))
        return len(text)

    assert wrapped("ab" * 20_000, width, 5, most=2) == ["ababa", "baba…"]
    assert max(measured) <= 200, "a word is not measured beyond what there may be room for"
    assert ["".join(wrapped("abcdefghij" * 7, len, room)) for room in (1, 3, 69, 70, 71)] == ["abcdefghij" * 7] * 5
