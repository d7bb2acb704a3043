"""Steps, pivots and checks against plain readings of what they should do."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter

from tinquire.base.faults import DataError, TinQuireError, UseError
from tinquire.cells import CellError, Column
from tinquire.tables import Field, Origin, Table
from tinquire.tables.aggregation import Aggregation, aggregate
from tinquire.tables.checks.conditions import check_formula
from tinquire.tables.pivots.compute import PivotValue, make_pivot
from tinquire.tables.scope import TableScope
from tinquire.tables.stacking import stack_tables
from tinquire.tables.steps import StepContext, apply_steps, step_kinds


def table(name="t", origin=False, types=None, **columns):
    """A table from lists; with `origin`, its rows come from rows 5, 6, ... of a file."""
    fields = tuple(Field(heading, (types or {}).get(heading, "text")) for heading in columns)
    height = len(next(iter(columns.values())))
    zeros = np.zeros(height, np.int32)
    where = Origin(("in.xlsx",), ("S",), zeros, zeros, np.arange(5, 5 + height, dtype=np.int32)) if origin else None
    return Table(name, fields, tuple(Column.from_values(values) for values in columns.values()), where)


def rows(made):
    return [dict(zip(made.headings, values, strict=True)) for values in zip(*made.columns, strict=True)]


def step(**keys):
    kind = next(kind for name, kind in step_kinds().items() if name == next(iter(keys)))
    return TypeAdapter(kind).validate_python({key.rstrip("_"): value for key, value in keys.items()})


def run(start, *steps, **tables):
    made, reports = apply_steps(
        start, [step(**one) for one in steps], StepContext({start.name: start, **tables}, {"limit": 2.0})
    )
    return made, reports


PICKUPS = table(
    "pickups", origin=True, types={"Pieces": "whole"}, Ticket=["N1", "N2", "H1", "N2"], Depot=["North", "North", "Harbour", "North"],
    Item=["sheet", "towel", "sheet", "towel"], Pieces=[3.0, 5.0, 2.0, 5.0], Note=[None, "rush", None, None],
)  # fmt: skip
RATES = table("rates", types={"Rate": "money"}, Code=["sheet", "towel"], Rate=[0.5, 0.25], Band=["Bed", "Bath"])

BANDS = table("bands", At=["North", "North"], From=[0.0, 5.0], Size=["few", "many"])
SHOUTED = table("shouted", At=["NORTH"])
FIXES = table("fixes", Old=["North"], New=[7.0])

STEPS = [
    (dict(keep=["Item", "Ticket"]), lambda made: made.headings == ["Item", "Ticket"]),
    (dict(drop=["Note", "Item"]), lambda made: made.headings == ["Ticket", "Depot", "Pieces"]),
    (dict(rename={"Pieces": "Count"}), lambda made: made.headings[3] == "Count" and made.fields[3].type == "whole"),
    (dict(keep_rows='[Depot]="harbour"'), lambda made: made.column("Ticket").to_list() == ["H1"]),
    (dict(drop_rows="[Pieces]>2"), lambda made: made.column("Ticket").to_list() == ["H1"]),
    (dict(drop_rows="[Note]=\"\""), lambda made: made.column("Ticket").to_list() == ["N2"]),
    (dict(keep_rows="[Pieces]>limit"), lambda made: made.height == 3),
    (dict(keep_rows="[Pieces]=MAX(pickups[Pieces])"), lambda made: made.height == 2),
    (dict(limit=2), lambda made: made.column("Ticket").to_list() == ["N1", "N2"]),
    (dict(limit=99), lambda made: made.height == 4),
    (dict(fill=["Note"]), lambda made: made.column("Note").to_list() == [None, "rush", "rush", "rush"]),
    (dict(fill=["Note"], value="-"), lambda made: made.column("Note").to_list() == ["-", "rush", "-", "-"]),
    (dict(replace="Depot", values={"North": "Northgate"}), lambda made: made.column("Depot")[0] == "Northgate"),
    (dict(replace="Depot", parts={"th": "-", "No": ""}), lambda made: made.column("Depot")[0] == "r-"),
    (dict(replace="Depot", by="fixes"), lambda made: made.column("Depot").to_list() == [7.0, 7.0, "Harbour", 7.0]),
    (dict(replace="Pieces", values={"5": 50.0}), lambda made: made.column("Pieces").to_list() == [3, 50, 2, 50]),
    (dict(type={"Pieces": "text"}), lambda made: made.column("Pieces").to_list() == ["3", "5", "2", "5"]),
    (dict(sort=["Depot", "-Pieces"]), lambda made: made.column("Ticket").to_list() == ["H1", "N2", "N2", "N1"]),
    (dict(sort=["-Ticket"]), lambda made: made.column("Ticket").to_list() == ["N2", "N2", "N1", "H1"]),
    (dict(unique=["Ticket"]), lambda made: made.column("Note").to_list() == [None, "rush", None]),
    (dict(unique=["Ticket"], keep="last"), lambda made: made.column("Note").to_list() == [None, None, None]),
    (dict(stack=["rates"]), lambda made: made.height == 6 and made.column("Code").to_list()[4:] == ["sheet", "towel"]),
    (dict(derive="Double", as_="[Pieces]*2"), lambda made: made.column("Double").to_list() == [6, 10, 4, 10]),
    (dict(derive="Same", as_="[Pieces]"), lambda made: made.field("Same").type == "whole"),
    (dict(derive="Share", as_="[Pieces]/SUM(pickups[Pieces])", type="percent"), lambda made: made.field("Share").type == "percent"),
    (dict(derive="Flag", as_="[Pieces]>2"), lambda made: made.field("Flag").type == "yes/no"),
    (dict(derive="Pieces", as_="[Pieces]+1"), lambda made: made.column("Pieces")[0] == 4 and len(made.fields) == 5),
    (dict(match="rates", on={"Item": "Code"}, bring=["Rate", "Band"]), lambda made: made.column("Band").to_list() == ["Bed", "Bath", "Bed", "Bath"]),
    (dict(match="rates", on={"Item": "Code"}, bring={"Rate": "Price"}), lambda made: made.field("Price").type == "money"),
    (dict(match="rates", on={"Item": "Code"}, bring="all"), lambda made: made.headings[-2:] == ["Rate", "Band"]),
    (dict(match="bands", on={"Pieces": "From"}, bring=["Size"], nearest="below"), lambda made: made.column("Size").to_list() == ["few", "many", "few", "many"]),
    (dict(match="bands", on={"Depot": "At", "Pieces": "From"}, bring=["Size"], nearest="below", otherwise="?"), lambda made: made.column("Size").to_list() == ["few", "many", "?", "many"]),
    (dict(sort=["Item", "Depot"], order={"Item": ["towel"]}), lambda made: made.column("Ticket").to_list() == ["N2", "N2", "H1", "N1"]),
    (dict(move=["Pieces", "Note"], to="front"), lambda made: made.headings == ["Pieces", "Note", "Ticket", "Depot", "Item"]),
    (dict(move=["Ticket"], after="Item"), lambda made: made.headings == ["Depot", "Item", "Ticket", "Pieces", "Note"]),
    (dict(move=["Note"], before="Depot"), lambda made: made.headings == ["Ticket", "Note", "Depot", "Item", "Pieces"]),
    (dict(split="Ticket", into=["Letter", "Number"], lengths=[1]), lambda made: made.column("Number").to_list() == ["1", "2", "1", "2"] and "Ticket" not in made.headings),
    (dict(split="Depot", into=["A", "B", "C"], at="o", keep=True), lambda made: [made.column(n)[2] for n in "ABC"] == ["Harb", "ur", None] and "Depot" in made.headings),
    (dict(split="Pieces", into=["Pieces", "x"], at=","), lambda made: made.column("Pieces").to_list() == ["3", "5", "2", "5"]),
    (dict(join=["Ticket", "Pieces", "Note"], into="Key", mark="/"), lambda made: made.column("Key").to_list() == ["N1/3", "N2/5/rush", "H1/2", "N2/5"] and made.headings == ["Depot", "Item", "Key"]),
    (dict(join=["Note"], into="Note", keep=True), lambda made: made.column("Note").to_list() == [None, "rush", None, None]),
    (dict(group=["Depot"], values={"Sum": "sum Pieces", "Rows": "count Ticket", "First": "first Note"}), lambda made: [list(one.values()) for one in rows(made)] == [["North", 13, 3, "rush"], ["Harbour", 2, 1, None]]),
    (dict(group=[], values={"Most": "largest Pieces"}), lambda made: rows(made) == [{"Most": 5}]),
    (dict(unpivot=["Item", "Note"], names="What", values="Is"), lambda made: [list(one.values())[3:] for one in rows(made)] == [["Item", "sheet"], ["Item", "towel"], ["Note", "rush"], ["Item", "sheet"], ["Item", "towel"]]),
    (dict(unpivot=[], keep=["Ticket"], names="What", values="Is", blanks=True), lambda made: made.height == 16 and made.headings == ["Ticket", "What", "Is"]),
    (dict(subtract="bands", on={"Depot": "At"}), lambda made: made.column("Ticket").to_list() == ["H1"]),
    (dict(subtract="bands", on={"Depot": "At"}, keep="both"), lambda made: made.height == 3),
    (dict(subtract="shouted", on={"Depot": "At"}, clean=["case"]), lambda made: made.column("Ticket").to_list() == ["H1"]),
    (dict(sample=2), lambda made: made.height == 2 and list(made.origin.row) == sorted(made.origin.row)),
    (dict(sample=9), lambda made: made.column("Ticket").to_list() == ["N1", "N2", "H1", "N2"]),
    (dict(window="x", as_="running Pieces", within=["Depot"]), lambda made: made.column("x").to_list() == [3, 8, 2, 13]),
    (dict(window="x", as_="previous Ticket", within=["Depot"]), lambda made: made.column("x").to_list() == [None, "N1", None, "N2"]),
    (dict(window="x", as_="difference Pieces"), lambda made: made.column("x").to_list() == [None, 2, -3, 3]),
    (dict(window="x", as_="rank Pieces"), lambda made: made.column("x").to_list() == [3, 1, 4, 1]),
    (dict(window="x", as_="share Pieces", within=["Item"]), lambda made: made.column("x").to_list() == [0.6, 0.5, 0.4, 0.5]),
    (dict(window="x", as_="number", within=["Depot"]), lambda made: made.column("x").to_list() == [1, 2, 1, 3]),
]  # fmt: skip


@pytest.mark.parametrize(("keys", "holds"), STEPS, ids=[str(case[0])[:50] for case in STEPS])
def test_step(keys, holds):
    made, reports = run(PICKUPS, keys, rates=RATES, bands=BANDS, shouted=SHOUTED, fixes=FIXES)
    assert holds(made)
    assert (reports[0].rows_in, reports[0].rows_out) == (4, made.height)
    assert made.origin is not None
    assert all(len(column) == made.height for column in made.columns)


STOPPED = [
    (dict(keep=["Itm"]), DataError, "the nearest is 'Item'"),
    (dict(keep=["Itm", "Wolf"]), DataError, "no column 'Wolf'"),
    (dict(rename={"Item": "Depot"}), UseError, "two columns would be headed 'Depot'"),
    (dict(keep_rows="[Itm]=1"), UseError, "no column 'Itm'"),
    (dict(keep_rows="[Item]"), DataError, "neither yes nor no"),
    (dict(keep_rows="SUMM(1)"), UseError, "SUMM is not known (nearest: SUM"),
    (dict(keep_rows="nobody>1"), UseError, "'nobody' is neither a figure nor a table"),
    (dict(keep_rows="A1>1"), UseError, "knows tables and columns, not cell addresses"),
    (dict(keep_rows="ROUND([Pieces])"), UseError, "cannot take 1 value"),
    (dict(keep_rows="rate[Rate]>1"), UseError, "there is no table 'rate': the nearest is 'rates'"),
    (dict(derive="x", as_="1/([Pieces]-5)"), DataError, "gives #DIV/0!, in 2 rows"),
    (dict(derive="x", as_="1+"), UseError, "a value is missing at the end"),
    (dict(type={"Item": "whole"}), DataError, "'sheet' is not a number"),
    (dict(type={"Item": "hole"}), UseError, "the nearest is 'whole'"),
    (dict(unique=["Ticket"], keep="stop"), DataError, "1 row with a repeated Ticket"),
    (dict(stack=["rats"]), UseError, "the nearest is 'rates'"),
    (dict(match="rats", on={"Item": "Code"}), UseError, "the nearest is 'rates'"),
    (dict(match="few", on={"Item": "Code"}), DataError, "'towel' is not in column 'Code' of table 'few' (2 rows in all)"),
    (dict(match="twice", on={"Item": "Code"}), DataError, "'sheet' occurs 2 times in 'twice'"),
    (dict(match="numbers", on={"Item": "Code"}), DataError, "a text here and a number there"),
    (dict(move=["Item"]), UseError, "give exactly one place"),
    (dict(move=["Item"], before="Item"), UseError, "itself among the columns that move"),
    (dict(split="Item", into=["a"]), UseError, "give exactly one way"),
    (dict(group=["Item"], values={"x": "summ Pieces"}), UseError, "the nearest is 'sum'"),
    (dict(group=["Item"], values={"Pieces": "sum"}), UseError, "does not say of which column"),
    (dict(unpivot=[], names="a", values="b"), UseError, "give exactly one side"),
    (dict(subtract="rats", on={"Item": "Code"}), UseError, "there is no table 'rats'"),
    (dict(window="x", as_="runing Pieces"), UseError, "the nearest is 'running'"),
    (dict(window="x", as_="number Pieces"), UseError, "not a window function"),
    (dict(window="x", as_="rank Item"), DataError, "'sheet' in column 'Item' is not a number"),
]  # fmt: skip


@pytest.mark.parametrize(("keys", "kind", "why"), STOPPED, ids=[case[2][:40] for case in STOPPED])
def test_step_stops(keys, kind, why):
    others = {
        "rates": RATES, "few": table("few", Code=["sheet"]), "twice": table("twice", Code=["sheet", "sheet", "towel"]),
        "numbers": table("numbers", Code=[1.0, 2.0]),
    }  # fmt: skip
    with pytest.raises(kind) as caught:
        run(PICKUPS, keys, **others)
    assert why in " ".join(fault.why for fault in caught.value.faults)
    assert all(fault.stopped.startswith("table 'pickups', step 1 (") for fault in caught.value.faults)


@pytest.mark.parametrize(
    ("unmatched", "tickets", "rates"),
    [("blank", ["N1", "N2", "H1", "N2"], [0.5, None, 0.5, None]), ("drop", ["N1", "H1"], [0.5, 0.5])],
)
def test_rows_without_a_match(unmatched, tickets, rates):
    few = table("few", Code=["sheet"], Rate=[0.5])
    made, reports = run(PICKUPS, dict(match="few", on={"Item": "Code"}, bring=["Rate"], unmatched=unmatched), few=few)
    assert (made.column("Ticket").to_list(), made.column("Rate").to_list()) == (tickets, rates)
    assert reports[0].notes == ("2 rows without a match",)


keys = st.sampled_from(["a", "b", "c", "A", None, 1.0, 2.0, True])


@given(
    st.lists(st.tuples(keys, keys), max_size=12),
    st.lists(st.tuples(keys, keys), max_size=12),
    st.sampled_from(["first", "last"]),
)
def test_match_is_a_dictionary_and_never_adds_rows(left, right, repeated):
    ours = table("ours", K=[pair[0] for pair in left] or [None], L=[pair[1] for pair in left] or [None])
    theirs = table(
        "theirs",
        K=[pair[0] for pair in right] or ["z"],
        M=[pair[1] for pair in right] or [None],
        N=[float(n) for n in range(max(len(right), 1))],
    )
    known = {}
    for n, pair in enumerate(right or [("z", None)]):
        key = tuple((type(value), value) for value in pair)
        if repeated == "last" or key not in known:
            known[key] = float(n)
    made, _ = run(
        ours,
        dict(match="theirs", on={"K": "K", "L": "M"}, bring=["N"], unmatched="blank", repeated=repeated),
        theirs=theirs,
    )
    expected = [known.get(tuple((type(value), value) for value in pair)) for pair in left or [(None, None)]]
    assert made.column("N").to_list() == expected
    assert made.height == ours.height


@given(st.lists(st.tuples(st.sampled_from("ab"), st.floats(-100, 100)), max_size=20))
def test_sorting_is_stable_and_complete(pairs):
    start = table("s", K=[pair[0] for pair in pairs] or ["a"], V=[pair[1] for pair in pairs] or [0.0])
    made, _ = run(start, dict(sort=["-K"]))
    assert rows(made) == sorted(rows(start), key=lambda row: row["K"], reverse=True)


def test_stacking_aligns_by_heading_and_keeps_origins():
    other = table("more", origin=True, item=["apron"], Extra=[1.0], types={"Extra": "number"})
    made = stack_tables("all", [PICKUPS, other])
    assert made.headings == ["Ticket", "Depot", "Item", "Pieces", "Note", "Extra"]
    assert made.column("Item").to_list()[-1] == "apron"
    assert made.where(4) == "in.xlsx, sheet 'S', row 5"
    assert stack_tables("x", [RATES, PICKUPS]).where(1) == "table 'rates', row 2"
    assert made.field("Pieces").type == "whole"


# -- pivots ----------------------------------------------------------------------------------------------

PLAIN = {
    Aggregation.SUM: lambda numbers: sum(numbers) if numbers else None,
    Aggregation.AVERAGE: lambda numbers: sum(numbers) / len(numbers) if numbers else None,
    Aggregation.SMALLEST: lambda numbers: min(numbers, default=None),
    Aggregation.LARGEST: lambda numbers: max(numbers, default=None),
}
entries = st.lists(
    st.tuples(
        st.sampled_from(["x", "y", None]),
        st.sampled_from(["p", "q", "r"]),
        st.one_of(st.none(), st.just(True), st.integers(-50, 50).map(float)),
    ),
    min_size=1,
    max_size=25,
)


@given(entries, st.sampled_from(sorted(PLAIN, key=str)))
def test_a_pivot_is_what_dictionaries_and_loops_give(data, how):
    start = table("d", R=[one[0] for one in data], C=[one[1] for one in data], V=[one[2] for one in data])
    made = make_pivot(
        start,
        ["R"],
        ["C"],
        [PivotValue("V", how, "V"), PivotValue("V", Aggregation.COUNT, "n")],
        totals="all",
        totals_across="all",
    )
    numbers, counts = defaultdict(list), defaultdict(int)
    for row, column, value in data:
        for key in ((row, column), (row, "*"), ("*", column), ("*", "*")):
            if isinstance(value, float):
                numbers[key].append(value)
            counts[key] += value is not None
    for r, row in enumerate(made.labels[0]):
        assert made.row_totals[0][r] == pytest.approx(PLAIN[how](numbers[row, "*"]))
        for c, column in enumerate(made.across[0]):
            assert made.value_column(0, c)[r] == pytest.approx(PLAIN[how](numbers[row, column]))
            assert made.value_column(1, c)[r] == counts[row, column]
    for c, column in enumerate(made.across[0]):
        assert made.column_totals[0][c] == pytest.approx(PLAIN[how](numbers["*", column]))
    assert made.grand[0][0] == pytest.approx(PLAIN[how](numbers["*", "*"]))
    assert made.grand[1][0] == counts["*", "*"]


def test_a_pivot_as_a_table():
    made = make_pivot(PICKUPS, ["Depot"], ["Item"], [PivotValue("Pieces", Aggregation.SUM, "Pieces"), PivotValue("Ticket", Aggregation.DISTINCT, "Tickets")],
                   empty=0.0, totals="All", totals_across="Every item")  # fmt: skip
    plain = made.as_table()
    assert plain.headings == [
        "Depot",
        "sheet, Pieces",
        "sheet, Tickets",
        "towel, Pieces",
        "towel, Tickets",
        "Every item, Pieces",
        "Every item, Tickets",
    ]
    assert [list(values.values()) for values in rows(plain)] == [
        ["Harbour", 2, 1, 0, 0, 2, 1], ["North", 3, 1, 10, 1, 13, 2], ["All", 5, 2, 10, 1, 15, 3],
    ]  # fmt: skip
    assert [one.type for one in plain.fields[1:3]] == ["whole", "whole"]
    alone = make_pivot(PICKUPS, ["Depot", "Item"], [], [PivotValue("Pieces", Aggregation.AVERAGE, "Mean")]).as_table()
    assert alone.headings == ["Depot", "Item", "Mean"]
    assert alone.column("Mean").to_list() == [2, 3, 5]


def test_errors_among_a_groups_values_are_its_result():
    values = Column.from_values([1.0, CellError.NA, 2.0, CellError.DIV0])
    made = aggregate(Aggregation.SUM, values, np.array([0, 1, 0, 1], np.int32), 2)
    assert made.to_list() == [3, CellError.NA]
    assert aggregate(Aggregation.NUMBERS, values, np.array([0, 1, 0, 1], np.int32), 2).to_list() == [2, 0]


def test_a_pivot_over_missing_columns_stops():
    with pytest.raises(DataError, match="no column 'Dept'"):
        make_pivot(PICKUPS, ["Dept"], [], [PivotValue("Pieces", Aggregation.SUM, "n")])


# -- checks ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("formula", "holds", "says"),
    [
        ("ROWS(pickups)=4", True, "ROWS(pickups)=4 (ROWS(pickups) is 4)"),
        ("ROWS(pickups)=ROWS(rates)", False, "does not hold: ROWS(pickups) is 4, ROWS(rates) is 2"),
        ("SUM(pickups[Pieces])>total", True, "SUM(pickups[Pieces]) is 15, total is 10"),
        ("AND(1,0)", False, "AND(1,0) does not hold"),
        ("1/0=1", False, "1/0=1 does not hold: it gives #DIV/0!"),
        ('"maybe"', False, "it gives maybe"),
    ],
)
def test_checks_say_what_both_sides_were(formula, holds, says):
    scope = TableScope({"pickups": PICKUPS, "rates": RATES}, {"total": 10.0})
    result = check_formula("c", formula, scope, stops=True, says=None, where="docket.toml, line 1")
    assert result.holds is holds
    assert says in result.says
    told = check_formula("c", formula, scope, stops=False, says="look here", where="")
    assert told.says.startswith("look here") is not holds
    assert told.fault("line 1").warning


def test_a_check_that_cannot_be_read_is_wrong_use():
    with pytest.raises(TinQuireError, match="there is no table 'pickup'"):
        check_formula("c", "ROWS(pickup[Item])=1", TableScope({"pickups": PICKUPS}), stops=True, says=None, where="")
