"""Marks: evaluated as a plain reading of each cell says, and the same when they are written and read again."""

from __future__ import annotations

import math
import statistics
from dataclasses import replace

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from books import book_of
from tinquire.cells.address import Area
from tinquire.cells.values import CellError
from tinquire.layout.marks import MarkPlan, marks_over
from tinquire.looks import Edge, Edges, House, Look, Variation
from tinquire.packages.xml import MAIN, parse_xml
from tinquire.workbook.calc.marked import marked_sheet
from tinquire.workbook.grid.marks import Bars, Mark, Scale, Signs, Threshold
from tinquire.workbook.parts.marks import marks_markup, read_marks
from tinquire.workbook.parts.styles import StyleBook

AREAS = (Area(2, 1, 6, 2), Area(2, 4, 6, 4))
CELLS = [(row, column) for column in (1, 2, 4) for row in range(2, 7)]
VALUES = st.one_of(
    st.none(),
    st.integers(-4, 9).map(float),
    st.sampled_from(["x", "X", "linen", "5", True, 46054.0, 46055.5]),
    st.floats(-5, 5).map(lambda number: round(number, 1)),
)
NOW = 46055.75  # 2 February 2026, a Monday


def number(value):
    return isinstance(value, float) and not isinstance(value, bool)


def numbers_of(values):
    return [value for value in values.values() if number(value)]


def ranked(values, rank, percent=False, bottom=False):
    found = sorted(numbers_of(values), reverse=not bottom)
    count = max(len(found) * rank // 100, 1) if percent else rank
    edge = found[min(count, len(found)) - 1] if found else math.nan
    return {cell: number(value) and (value <= edge if bottom else value >= edge) for cell, value in values.items()}


def averaged(values, below=False, equal=False, away=0):
    found = numbers_of(values)
    if not found:
        return dict.fromkeys(values, False)
    edge = statistics.fmean(found) + away * statistics.pstdev(found) * (-1 if below else 1)
    near = lambda value: math.isclose(value, edge, rel_tol=1e-12, abs_tol=1e-12)  # noqa: E731
    beyond = lambda value: (value < edge if below else value > edge) and not near(value)  # noqa: E731
    return {cell: number(value) and (beyond(value) or (equal and near(value))) for cell, value in values.items()}


def repeated(values, alone=False):
    key = lambda value: (type(value), value.casefold() if isinstance(value, str) else value)  # noqa: E731
    count = lambda value: sum(key(other) == key(value) for other in values.values())  # noqa: E731
    return {cell: value is not None and (count(value) == 1) == alone for cell, value in values.items()}


def each(test):
    return lambda values: {cell: bool(test(value)) for cell, value in values.items()}


def plain(value):
    return 0.0 if value is None else value


def above(bound):
    """Texts come after numbers, yes and no after texts."""
    return lambda value: plain(value) > bound if number(plain(value)) else True


def text(value):
    return (
        ""
        if value is None
        else "TRUE"
        if value is True
        else f"{value:g}"
        if number(value) and value < 1000
        else str(value)
    )


CASES = [
    (Mark(AREAS, "cellIs", ("3",), settings={"operator": "greaterThan"}), each(above(3.0))),
    (Mark(AREAS, "cellIs", ("1", "5"), settings={"operator": "between"}), each(lambda v: number(plain(v)) and 1 <= plain(v) <= 5)),
    (Mark(AREAS, "cellIs", ("1", "5"), settings={"operator": "notBetween"}), each(lambda v: not (number(plain(v)) and 1 <= plain(v) <= 5))),
    (Mark(AREAS, "cellIs", ('"x"',), settings={"operator": "equal"}), each(lambda v: isinstance(v, str) and v.casefold() == "x")),
    (Mark(AREAS, "expression", ("A2=2",)), each(lambda v: number(v) and v == 2)),
    (Mark(AREAS, "expression", ("1/A2",)), each(lambda v: (number(v) and v != 0) or v is True or v == "5")),
    (Mark(AREAS, "containsText", settings={"text": "IN"}), each(lambda v: isinstance(v, str) and "in" in v.casefold())),
    (Mark(AREAS, "notContainsText", settings={"text": "IN"}), each(lambda v: not (isinstance(v, str) and "in" in v.casefold()))),
    (Mark(AREAS, "beginsWith", settings={"text": "Li"}), each(lambda v: isinstance(v, str) and v.casefold().startswith("li"))),
    (Mark(AREAS, "endsWith", settings={"text": "5"}), each(lambda v: isinstance(v, float | str) and not isinstance(v, bool) and text(v).endswith("5"))),
    (Mark(AREAS, "containsBlanks"), each(lambda v: v is None)),
    (Mark(AREAS, "notContainsErrors"), each(lambda v: True)),
    (Mark(AREAS, "top10", settings={"rank": "2"}), lambda v: ranked(v, 2)),
    (Mark(AREAS, "top10", settings={"rank": "30", "percent": "1", "bottom": "1"}), lambda v: ranked(v, 30, True, True)),
    (Mark(AREAS, "aboveAverage"), averaged),
    (Mark(AREAS, "aboveAverage", settings={"aboveAverage": "0", "equalAverage": "1", "stdDev": "1"}), lambda v: averaged(v, True, True, 1)),
    (Mark(AREAS, "duplicateValues"), repeated), (Mark(AREAS, "uniqueValues"), lambda v: repeated(v, alone=True)),
    (Mark(AREAS, "timePeriod", settings={"timePeriod": "today"}), each(lambda v: v == 46055.5)),
    (Mark(AREAS, "timePeriod", settings={"timePeriod": "yesterday"}), each(lambda v: v == 46054.0)),
    (Mark(AREAS, "timePeriod", settings={"timePeriod": "thisWeek"}), each(lambda v: v in (46054.0, 46055.5))),
    (Mark(AREAS, "timePeriod", settings={"timePeriod": "thisMonth"}), each(lambda v: v in (46054.0, 46055.5))),
    (Mark(AREAS, "timePeriod", settings={"timePeriod": "lastMonth"}), each(lambda v: False)),
]  # fmt: skip


@given(st.lists(VALUES, min_size=len(CELLS), max_size=len(CELLS)))
@example([None] * 7 + [0.0, 0.0, 1.8, -1.4, -1.4, -3.0, 0.0, 4.0])  # an average of a few parts of 10^17, and zeros
@settings(max_examples=60, deadline=None)
def test_a_mark_holds_where_a_plain_reading_says(content):
    values = dict(zip(CELLS, content, strict=True))
    names = {f"{'ABCD'[column - 1]}{row}": value for (row, column), value in values.items() if value is not None}
    book = book_of({"S": {**names, "Z9": 1.0}})
    for mark, reading in CASES:
        marked = marked_sheet(book, book.sheet("S"), [replace(mark, look=0)], NOW)
        assert not marked.skipped
        assert {cell: marked.at(*cell) is not None for cell in CELLS} == reading(values), mark.words


def drawn(mark, cells):
    book = book_of({"S": cells})
    marked = marked_sheet(book, book.sheet("S"), [mark])
    return [marked.at(row, 1) for row in range(1, len(cells) + 1)], marked.skipped


COLUMN = {f"A{row}": float(value) for row, value in enumerate([0, 5, 10, 20], start=1)}
STEPS = (Threshold("min"), Threshold("percent", "50"), Threshold("max"))
DRAWN = [
    (Mark((Area(1, 1, 4, 1),), "colorScale", scale=Scale(STEPS, ("000000", "808080", "FFFFFF"))),
     ["000000", "404040", "808080", "FFFFFF"], lambda one: one.look.fill),
    (Mark((Area(1, 1, 4, 1),), "dataBar", bars=Bars(Threshold("num", "0"), Threshold("formula", "A4"), "112233", 0, 100)),
     [("112233", 0.0), ("112233", 0.25), ("112233", 0.5), ("112233", 1.0)], lambda one: one.bar),
    (Mark((Area(1, 1, 4, 1),), "iconSet", signs=Signs("3Flags", (Threshold("percent", "0"), Threshold("num", "5", False), Threshold("percentile", "100")))),
     [("3Flags", 0), ("3Flags", 0), ("3Flags", 1), ("3Flags", 2)], lambda one: one.sign),
    (Mark((Area(1, 1, 4, 1),), "iconSet", signs=Signs("3Flags", (Threshold("percent", "0"), Threshold("percent", "33"), Threshold("percent", "67")), True)),
     [("3Flags", 2), ("3Flags", 2), ("3Flags", 1), ("3Flags", 0)], lambda one: one.sign),
]  # fmt: skip


@pytest.mark.parametrize(("mark", "wanted", "part"), DRAWN)
def test_scales_bars_and_signs(mark, wanted, part):
    found, skipped = drawn(mark, COLUMN)
    assert [part(one) for one in found] == wanted and not skipped
    texts, _ = drawn(mark, {"A1": "x", "A2": CellError.NA})
    assert texts == [None, None]


@pytest.mark.parametrize(
    ("mark", "why"),
    [
        (Mark((Area(1, 1, 1, 1),), "expression", ("SUM(",)), "is missing at the end"), (Mark((Area(1, 1, 1, 1),), "odd"), "'odd' is not known"),
        (Mark((Area(1, 1, 1, 1),), "cellIs", ("1",), settings={"operator": "between"}), "with 1 bounds"),
        (Mark((Area(1, 1, 1, 1),), "dataBar"), "cannot be read"),
        (Mark((Area(1, 1, 1, 1),), "dataBar", bars=Bars(Threshold("formula", "1/0"), Threshold("max"), "000000")), "is no number"),
    ],
)  # fmt: skip
def test_a_mark_that_cannot_be_evaluated_is_told(mark, why):
    found, skipped = drawn(mark, {"A1": 1.0})
    assert found == [None] and why in skipped[0].why


def test_marks_add_up_by_priority_and_stop():
    book = book_of({"S": {"A1": 1.0}})
    number_of = book.styles.partial_number
    everywhere = Mark((Area(1, 1, 1, 1),), "expression", ("TRUE",))
    first = replace(
        everywhere, priority=1, look=number_of(Variation(bold=True, fill="AAAAAA", edges=Edges(top=Edge("thin"))))
    )
    second = replace(
        everywhere,
        priority=2,
        look=number_of(Variation(fill="BBBBBB", colour="CCCCCC", edges=Edges(bottom=Edge("thick")))),
    )
    look = marked_sheet(book, book.sheet("S"), [second, first]).at(1, 1).look
    assert look == Variation(bold=True, fill="AAAAAA", colour="CCCCCC", edges=Edges(Edge("thin"), Edge("thick")))
    stopped = marked_sheet(book, book.sheet("S"), [second, replace(first, stop=True)]).at(1, 1).look
    assert stopped == book.styles.partial(first.look)


COLOURS = st.sampled_from(["000000", "FFEEDD", "123456"])
EDGES = st.builds(Edges, *[st.none() | st.builds(Edge, st.sampled_from(["thin", "hair"]), COLOURS)] * 4).filter(
    lambda edges: edges != Edges()
)
CHANGES = st.builds(
    Variation, bold=st.none() | st.booleans(), italic=st.none() | st.booleans(), underline=st.none() | st.booleans(),
    strike=st.none() | st.booleans(), colour=st.none() | COLOURS, fill=st.none() | COLOURS, edges=st.none() | EDGES,
    format=st.none() | st.sampled_from(["0.0", "0.00%", '"<"0']), size=st.none() | st.just(12.0),
)  # fmt: skip


@given(CHANGES)
def test_a_change_of_looks_is_read_as_it_was_written(change):
    styles = StyleBook.empty()
    number = styles.partial_number(change)
    assert StyleBook(parse_xml(styles.to_bytes())).partial(number) == change


@given(st.lists(st.sampled_from([mark for mark, *_ in (*CASES, *DRAWN)]), max_size=6))
def test_marks_are_read_as_they_were_written(marks):
    marks = [
        replace(mark, priority=number, stop=number % 2 == 0, look=number) for number, mark in enumerate(marks, start=1)
    ]
    frame = parse_xml(f'<worksheet xmlns="{MAIN}">{marks_markup(marks)}</worksheet>'.encode())
    assert sorted(read_marks(frame), key=lambda mark: mark.priority) == marks


HOUSE = House(
    colours={"tin": "#808080"}, looks={"loud": Look(bold=True, fill="tin"), "lined": Look(outside="thin tin")}
)
PLANS = [
    (MarkPlan(where="[Charge]>=[Pieces]*2", look="loud"), ("A4:C9", "expression", "$C4>=$A4*2")),
    (MarkPlan(on=["charge", "rate"], above="[Pieces]", look="loud"), ("B4:C9", "cellIs", "$A4")),
    (MarkPlan(on=["Pieces", "Charge"], between=[1, 2.5], look="loud"), ("A4:A9 C4:C9", "cellIs", "1", "2.5")),
    (MarkPlan(on=["Rate"], contains='a"b', look="loud"), ("B4:B9", "containsText", 'NOT(ISERROR(SEARCH("a""b",B4)))')),
    (MarkPlan(on=["Rate"], time="last week", look="lined"), ("B4:B9", "timePeriod", "AND(ISNUMBER(B4),INT(B4)-WEEKDAY(B4)=TODAY()-WEEKDAY(TODAY())-7)")),
    (MarkPlan(on=["Rate"], smallest=5, percent=True, look="lined"), ("B4:B9", "top10")),
    (MarkPlan(on=["Rate"], average="at or below", look="lined"), ("B4:B9", "aboveAverage")),
    (MarkPlan(on=["Rate"], scale=["tin", "#ffffff"]), ("B4:B9", "colorScale")),
    (MarkPlan(on=["Rate"], bars="tin"), ("B4:B9", "dataBar")),
    (MarkPlan(on=["Rate"], signs="ratings", limits=[1, 2, 3, 4]), ("B4:B9", "iconSet")),
]  # fmt: skip


def test_the_words_of_a_docket_are_rules_of_the_sheet():
    marks = marks_over(
        [plan for plan, _ in PLANS],
        ["Pieces", "Rate", "Charge"],
        [Area(4, 1, 9, 3)],
        HOUSE,
        StyleBook.empty(),
        "sheet 'S'",
    )
    frame = parse_xml(f'<worksheet xmlns="{MAIN}">{marks_markup(marks)}</worksheet>'.encode())
    groups = {rule.get("priority"): group.get("sqref") for group in frame for rule in group}
    found = [(groups[str(mark.priority)], mark.kind, *mark.formulas) for mark in marks]
    assert found == [wanted for _, wanted in PLANS]


def test_all_that_is_wrong_with_marks_is_said_at_once():
    wrong = [
        MarkPlan(where="[Charg]>1", look="loud", place="docket.toml, line 9"), MarkPlan(where="[Charge]>", look="loud"),
        MarkPlan(on=["Rate"], above=1, look="lowd"), MarkPlan(on=["Rate"], signs="arrows", limits=[1]),
    ]  # fmt: skip
    with pytest.raises(Exception, match="Charg") as error:
        marks_over(wrong, ["Pieces", "Rate", "Charge"], [Area(4, 1, 9, 3)], HOUSE, StyleBook.empty(), "sheet 'S'")
    whys = [fault.why for fault in error.value.faults]
    assert len(whys) == 4 and error.value.faults[0].where == "docket.toml, line 9"
    assert "the nearest is 'Charge'" in whys[0] and "'lowd'" in whys[2] and "2 limits" in whys[3]
