"""The docket: periods, lines, schema, review; every fault at once and in its place."""

from __future__ import annotations

import tomllib
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.base.faults import TinQuireError, UseError
from tinquire.base.wording import nearest
from tinquire.cells import CellError, Column
from tinquire.cells.display import show_column
from tinquire.docket import load_docket, parse_period
from tinquire.docket.house import load_house
from tinquire.docket.lines import key_lines
from tinquire.docket.schema.docket import json_schema
from tinquire.looks import BorderRule, Edge, House, Look
from tinquire.looks.fonts import STAND_IN
from tinquire.looks.palette import INDEXED, luminance, tint
from tinquire.looks.widths import WIDEST, fitting_width, line_count, widest_values

PERIODS = [
    ("2026", "year", date(2026, 1, 1), date(2026, 12, 31), "2026", "2025", "2027"),
    ("2026-Q4", "quarter", date(2026, 10, 1), date(2026, 12, 31), "quarter 4 of 2026", "2026-Q3", "2027-Q1"),
    ("2026-10", "month", date(2026, 10, 1), date(2026, 10, 31), "October 2026", "2026-09", "2026-11"),
    ("2026-12", "month", date(2026, 12, 1), date(2026, 12, 31), "December 2026", "2026-11", "2027-01"),
    ("2024-02", "month", date(2024, 2, 1), date(2024, 2, 29), "February 2024", "2024-01", "2024-03"),
    ("2026-W43", "week", date(2026, 10, 19), date(2026, 10, 25), "week 43 of 2026", "2026-W42", "2026-W44"),
    ("2027-W01", "week", date(2027, 1, 4), date(2027, 1, 10), "week 1 of 2027", "2026-W53", "2027-W02"),
    ("2026-10-31", "day", date(2026, 10, 31), date(2026, 10, 31), "31 October 2026", "2026-10-30", "2026-11-01"),
]


@pytest.mark.parametrize(("text", "kind", "first", "last", "long", "previous", "following"), PERIODS)
def test_periods(text, kind, first, last, long, previous, following):
    period = parse_period(text, kind)
    assert (period.first, period.last, period.long) == (first, last, long)
    assert (period.previous.text, period.next.text) == (previous, following)
    assert parse_period(text) == period
    assert period.values()["period.long"] == long


@pytest.mark.parametrize(
    "text", ["", "2026-13", "2026-Q5", "2026-W54", "2026-02-30", "26-10", "2026-1", "../x", "2026-10 "[:7] + "/.."]
)
def test_what_is_no_period(text):
    with pytest.raises(UseError, match="is not a period"):
        parse_period(text)


def test_a_period_of_another_kind():
    with pytest.raises(UseError, match="'2026-Q4' is a quarter, the docket wants a month"):
        parse_period("2026-Q4", "month")


keys = st.from_regex(r"[a-z]{1,4}", fullmatch=True)
scalars = st.one_of(
    st.integers(-5, 5).map(str), st.sampled_from(['"a # b"', "'[x]'", "true", '"""two\nlines"""', '"q\\"]"'])
)
inline = st.recursive(
    scalars,
    lambda inner: st.one_of(
        st.lists(inner, max_size=3).map(lambda parts: "[" + ",\n ".join(parts) + "]"),
        st.dictionaries(keys, inner, max_size=2).map(
            lambda d: "{ " + ", ".join(f"{k} = {v}" for k, v in d.items()) + " }"
        ),
    ),
    max_leaves=6,
)


@given(st.dictionaries(keys, st.dictionaries(keys, inline, max_size=3), max_size=3))
def test_every_key_has_its_line(tables):
    text = "# head\n" + "".join(
        f"[{name}]  # a table\n" + "".join(f"{key} = {value}\n" for key, value in pairs.items())
        for name, pairs in tables.items()
    )
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return  # a line break inside braces, which TOML does not allow
    lines = key_lines(text)
    written = text.splitlines()
    for name, pairs in data.items():
        assert written[lines[name,] - 1].startswith(f"[{name}]")
        for key, value in pairs.items():
            assert written[lines[name, key] - 1].startswith(f"{key} =")
            if isinstance(value, list):
                assert all((name, key, n) in lines for n in range(len(value)))


def test_lines_of_arrays_of_tables():
    lines = key_lines("[[a.b]]\nx=1\n[[a.b]]\nx=2\n[a.b.c]\ny=3\n")
    assert [lines["a", "b", 0, "x"], lines["a", "b", 1, "x"], lines["a", "b", 1, "c", "y"]] == [2, 4, 6]


# -- faults ----------------------------------------------------------------------------------------------

GOOD = """title = "T"
period = "month"
[sources.s]
file = "s.csv"
[tables.t]
from = "s"
steps = [{ sort = ["A"] }]
[figures]
f = "SUM(t[A])"
[checks.c]
that = "f > 0"
[pivots.p]
from = "t"
rows = ["A"]
values = [{ sum = "B" }]
[[workbooks.w.sheets]]
name = "S"
table = "t"
[workbooks.w]
name = "w.xlsx"
[mails.m]
from = "a@b.example"
to = "c@d.example"
subject = "s"
body = "b"
"""

BAD = [
    ('title = "T"\n', "", "docket.toml has no 'title'", ""),
    ('period = "month"', 'period = "fortnight"', "period is 'fortnight'", "line 2"),
    ('title = "T"', 'title = "T"\ntilte = 1', "no key 'tilte' in docket.toml", "line 2"),
    ('file = "s.csv"', 'fil = "s.csv"', "no key 'fil' in sources.s", "line 4"),
    ('file = "s.csv"', 'file = "s.csv"\nfiles = "*"', "either file, files or database", "line 3"),
    ('file = "s.csv"', 'file = "s.csv"\nsheet = "a"\ntable = "b"', "either sheet or table", "line 3"),
    ('file = "s.csv"', 'file = "s.csv"\ntypes = { A = "hole" }', "'hole' is not a column type: the nearest is 'whole'", "line 5"),
    ('file = "s.csv"', 'file = 5', "sources.s.file is 5", "line 4"),
    ('from = "s"', 'from = "x"', "tables.t is made from 'x', which is neither", "line 6"),
    ('from = "s"', 'from = "t"', "the tables t are made from each other", "line 5"),
    ('sort = ["A"]', 'srot = ["A"]', "there is no step 'srot': the nearest is 'sort'", "line 7"),
    ('sort = ["A"]', 'sort = "A"', "tables.t.steps[1].sort is 'A'", "line 7"),
    ('sort = ["A"]', 'match = "x", on = { A = "B" }', "tables.t, step 1 uses 'x': there is 's', 't'", "line 7"),
    ('sort = ["A"]', 'derive = "x", as = "1+"', "a value is missing at the end", "line 7"),
    ('sort = ["A"]', 'derive = "x", as = "1", type = "hole"', "tables.t.steps[1].type is 'hole'", "line 7"),
    ('{ sort = ["A"] }', '"sort"', "a step is written in braces", "line 7"),
    ('f = "SUM(t[A])"', 'f = "SUN(t[A])"', "the function SUN is not known (nearest: SUM", "line 9"),
    ('f = "SUM(t[A])"', 't = "1"', "figures.t has the name of tables.t", "line 9"),
    ('f = "SUM(t[A])"', 'period = "1"', "figures.period has the name of the period", "line 9"),
    ('that = "f > 0"', 'that = "f >"', "a value is missing at the end", "line 11"),
    ('that = "f > 0"', 'that = "f > 0"\notherwise = "cry"', "checks.c.otherwise is 'cry'", "line 12"),
    ('values = [{ sum = "B" }]', 'values = [{ sum = "B", count = "B" }]', "a value needs exactly one aggregation", "line 15"),
    ('values = [{ sum = "B" }]', "values = []", "pivots.p.values is []", "line 15"),
    ('from = "t"', 'from = "tt"', "pivots.p sums up 'tt': the nearest is 't'", "line 13"),
    ('table = "t"', 'table = "u"', "a sheet shows the table 'u'", "line 18"),
    ('table = "t"', 'pivot = "q"', "a sheet shows the pivot 'q': there is 'p'", "line 18"),
    ('table = "t"', 'pivot = "p"\ncolumns = ["A"]', "a pivot says its own totals", "line 16"),
    ('table = "t"', 'table = "t"\npivot = "p"', "either a table, a pivot or a statement", "line 16"),
    ('subject = "s"', 'subject = "s"\neach = "nobody"', "mails.m takes its rows from 'nobody'", "line 25"),
    ('body = "b"\n', "", "mails.m has no 'body'", "line 21"),
    ('title = "T"', 'title = "T', "it is not TOML", "line 1"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "why", "line"), BAD, ids=[case[2][:40] for case in BAD])
def test_a_bad_docket_says_what_and_where(tmp_path, old, new, why, line):
    assert GOOD.count(old) >= 1
    path = tmp_path / "docket.toml"
    path.write_text(GOOD.replace(old, new, 1) if old != 'from = "t"' else GOOD.replace(old, new), "utf-8")
    with pytest.raises(UseError) as caught:
        load_docket(path)
    found = [fault for fault in caught.value.faults if why in fault.why]
    assert found, [fault.why for fault in caught.value.faults]
    assert line in found[0].where
    assert found[0].where.startswith("docket.toml")
    assert found[0].do


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ('sum = "B" }]', 'sum = "B" }]\ntop = 3', [("there is no key 'top' in pivots.p", "it belongs to an entry of rows or columns: rows = [{ ..., top = ... }]")]),
        ('sort = ["A"]', 'split = "A", into = ["B"], type = "text"', [("there is no key 'type' in tables.t.steps[1]", "leave it out; known are at, into, keep, lengths, split")]),
        ('f = "SUM(t[A])"', 'f = { formula = "1" }', [("figures.f has no 'is'", "add is = ..."), ("there is no key 'formula' in figures.f", "leave it out; known are is, type")]),
        ('f = "SUM(t[A])"', "f = 5", [("figures.f is 5: input should be a valid string", "fix the value")]),
    ],
)  # fmt: skip
def test_only_what_is_wrong_is_said_and_where_it_belongs(tmp_path, old, new, said):
    path = tmp_path / "docket.toml"
    path.write_text(GOOD.replace(old, new, 1), "utf-8")
    with pytest.raises(UseError) as caught:
        load_docket(path)
    assert [(fault.why, fault.do) for fault in caught.value.faults] == said


def test_all_faults_are_said_at_once(tmp_path):
    text = GOOD.replace("file =", "fil =").replace('"month"', '"moon"').replace("subject =", "sujbect =")
    path = tmp_path / "docket.toml"
    path.write_text(text, "utf-8")
    with pytest.raises(UseError) as caught:
        load_docket(path)
    assert [fault.where for fault in caught.value.faults] == [
        f"docket.toml, line {number}" for number in (2, 4, 21, 24)
    ]


def test_a_good_docket_loads(tmp_path, shipped_job):
    path = tmp_path / "docket.toml"
    path.write_text("\ufeff" + GOOD, "utf-8")
    docket = load_docket(path)
    assert docket.where("tables", "t", "steps", 0, "nothing") == "docket.toml, line 7"
    assert load_docket(shipped_job / "docket.toml").model.title == "Monthly linen pack"


@pytest.mark.parametrize(("data", "why"), [(None, "no such file"), (b"\xff\xfe\xfa", "not UTF-8 text")])
def test_dockets_that_cannot_be_read(tmp_path, data, why):
    path = tmp_path / "docket.toml"
    if data:
        path.write_bytes(data)
    with pytest.raises(TinQuireError, match=why):
        load_docket(path)


def test_the_schema_knows_all_steps_and_their_keys():
    schema = json_schema()
    steps = {name.removeprefix("Step_") for name in schema["$defs"] if name.startswith("Step_")}
    assert {"derive", "match", "sort", "unique", "drop_rows"} <= steps
    assert "as" in schema["$defs"]["Step_derive"]["properties"]
    assert schema["$defs"]["TableModel"]["properties"]["from"]


# -- the house -------------------------------------------------------------------------------------------


def test_looks_build_on_one_another():
    house = House(
        "Georgia", size=9, currency="£", colours={"ink": "#27343a"}, formats={"money": "¤0.00"},
        looks={"a": Look(bold=True, colour="ink"), "b": Look(on="a", italic=True, outside="thin ink", between_rows="none"), "c": Look(on="d"), "d": Look(on="c")},
    )  # fmt: skip
    look = house.appearance("b", "money")
    assert (look.font, look.size, look.bold, look.italic, look.colour, look.format) == (
        "Georgia",
        9,
        True,
        True,
        "27343A",
        '"£"0.00',
    )
    assert house.borders("b") == BorderRule(Edge("thin", "27343A"), None, None)
    for name, why in (("c", "in a circle"), ("e", "there is no look 'e'")):
        with pytest.raises(UseError, match=why):
            house.appearance(name)
    for bad, why in (("#12345", "is not a colour"), ("inc", "the nearest is 'ink'")):
        with pytest.raises(UseError, match=why):
            house.colour(bad)
    with pytest.raises(UseError, match="is not a line style: the nearest is 'thin'"):
        house.edge("thn ink")
    assert house.number_format("date") == "yyyy-mm-dd"


@pytest.mark.parametrize("first", [True, False])
@pytest.mark.parametrize("last", [True, False])
def test_borders_end_with_the_block(first, last):
    rule = BorderRule(outside=Edge("thin"), rows=Edge("hair"))
    edges = rule.edges(first_row=first, last_row=last, first_column=True, last_column=False)
    assert edges.top == (Edge("thin") if first else None)
    assert edges.bottom == (Edge("thin") if last else Edge("hair"))
    assert (edges.left, edges.right) == (Edge("thin"), None)


@pytest.mark.parametrize(
    ("text", "why"),
    [("colour = 1", "no key 'colour' in house.toml"), ("[looks.a]\nalign = 'middle'", "looks.a.align is 'middle'"), ("[looks.a]\non = 'b'", "no look 'b'"),
     ("[looks.a]\nfill = 'sky'", "'sky' is not a colour"), ("[formats]\nmoeny = '0'", "formats")],
)  # fmt: skip
def test_bad_house_files(tmp_path, text, why):
    path = tmp_path / "house.toml"
    path.write_text(text, "utf-8")
    with pytest.raises(UseError) as caught:
        load_house(path)
    assert why in caught.value.faults[0].why


def test_widths_follow_the_content():
    assert fitting_width(["1,234.50"]) > fitting_width(["1.50"])
    assert fitting_width(["x" * 500]) == WIDEST
    assert fitting_width([], heading="Pieces", button=True) > fitting_width([], heading="Pieces")
    assert STAND_IN.width("WWW") > STAND_IN.width("iii")
    assert STAND_IN.width("a\nlonger line") == STAND_IN.width("longer line")
    assert line_count("one two three", 6.0) == 3
    assert line_count("one two three", 60.0) == 1


@pytest.mark.parametrize(
    ("values", "widest"),
    [
        ([*range(9_000)] * 2 + [-123_456_789], "-123,456,789.00"), ([n / 7 for n in range(40_000)] + [1e9], "1,000,000,000.00"),
        ([f"{n}" for n in range(20_000)] + ["the one that is long"], "the one that is long"), ([45_000 + n % 700 for n in range(20_000)], "45,699.00"),
        ([True, *range(6_000), CellError.DIV0, None], "5,999.00"), ([None] * 6_000 + [12_345_678], "12,345,678.00"),
    ],
)  # fmt: skip
def test_few_values_decide_how_wide_a_long_column_is(values, widest):
    column = Column.from_values(values)
    few = widest_values(column)
    assert len(few) <= 6_000
    widths = [max(map(STAND_IN.width, show_column(one, "#,##0.00"))) for one in (column, few)]
    assert widths == [STAND_IN.width(widest)] * 2


def test_colours():
    assert len(INDEXED) == 64
    assert (tint("808080", 0.5), tint("808080", -0.5), tint("123456", 0)) == ("C0C0C0", "404040", "123456")
    assert luminance("FFFFFF") > luminance("808080") > luminance("000000") == 0
    assert nearest("DEPOT ", ["depot", "item"]) == ("depot",)
