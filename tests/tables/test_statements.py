"""Statements: accounts mapped to lines, worked out as values and as living formulas, and what stops them."""

from __future__ import annotations

import pytest

from tinquire.base.faults import TinQuireError
from tinquire.docket import load_docket, parse_period
from tinquire.packages.package import Package
from tinquire.press.make import make
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.inspect.conformance import conformance_findings

LEDGER = (
    "Account,Name,Balance\n0500,Plant,400\n0520,Vans,100.50\n1200,Bank,-20.25\n2100,Owed,-130.25\n3000,Capital,-350\n"
)
BUDGET = "Account,Amount\n0500,390\n1200,10\n3000,-400\n"
MAP = "Account,Line\n0500,Plant and vans\n0520,Plant and vans\n1200,Bank\n2100,Creditors\n3000,Capital\n4000,Capital\n"
LINES = """Line,Order,Kind,Category,Sign,Formula
Assets,1,heading,,,
Bank,3,sum,a,1,
Plant and vans,2,,a,,
Stock,4,,a,,
Assets in all,5,total,,,
,6,blank,,,
Creditors,7,sum,l,-1,
Capital,8,sum,e,-1,
Owed in all,9,subtotal,l,,
Both sides,10,total,,,
Debt share,11,formula,,,[Creditors]/[Both sides]
"""
DOCKET = """title = "Books"
period = "month"
[sources]
ledger = { file = "ledger.csv", types = { Account = "text", Balance = "money" } }
budget = { file = "budget.csv", types = { Account = "text", Amount = "money" } }
map = { file = "map.csv", types = { Account = "text" } }
lines = { file = "lines.csv", types = { Order = "number", Sign = "number" } }
[statements.position]
lines = "lines"
map = { table = "map" }
amounts = [{ as = "[:period.long:]", table = "ledger", amount = "Balance" }, { as = "Budget", table = "budget" }]
difference = "Apart"
percent = "Change"
balance = ["Assets in all", "Both sides"]
[figures]
vans = 'XLOOKUP("Plant and vans", position[Line], position[Budget])'
[workbooks.w]
name = "books.xlsx"
sheets = [
  { name = "Ledger", table = "ledger" }, { name = "Budget", table = "budget" }, { name = "Map", table = "map" },
  { name = "Position", statement = "position", title = "Position", formulas = "living" },
  { name = "Plain", statement = "position" }, { name = "Accounts", table = "position_accounts" },
]
"""


def job(folder, docket=DOCKET, **files):
    content = {"ledger": LEDGER, "budget": BUDGET, "map": MAP, "lines": LINES, **files}
    for name, text in content.items():
        (folder / f"{name}.csv").write_text(text, "utf-8")
    (folder / "docket.toml").write_text(docket, "utf-8")
    return make(load_docket(folder / "docket.toml"), parse_period("2026-10"))


EXPECTED = [
    ("Assets", None, None, None, None),
    ("Plant and vans", 500.5, 390, 110.5, 110.5 / 390),
    ("Bank", -20.25, 10, -30.25, -3.025),
    ("Stock", 0, 0, 0, None),
    ("Assets in all", 480.25, 400, 80.25, 80.25 / 400),
    (None, None, None, None, None),
    ("Creditors", 130.25, 0, 130.25, None),
    ("Capital", 350, 400, -50, -0.125),
    ("Owed in all", 130.25, 0, 130.25, None),
    ("Both sides", 480.25, 400, 80.25, 80.25 / 400),
    ("Debt share", 130.25 / 480.25, 0, 130.25 / 480.25, None),
]


def test_a_statement_as_values_and_as_living_formulas(tmp_path):
    pack = job(tmp_path)
    made = pack.results.statements["position"].as_table()
    assert made.headings == ["Line", "October 2026", "Budget", "Apart", "Change"]
    found = list(zip(*(column.to_list() for column in made.columns), strict=True))
    assert found == [tuple(pytest.approx(v) if isinstance(v, float) else v for v in line) for line in EXPECTED]
    assert pack.results.figures == {"vans": 390}
    assert [check.holds for check in pack.results.checks] == [True]
    path = tmp_path / "made.xlsx"
    path.write_bytes(pack.outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    book = Workbook.open(path)
    living, plain = book.sheet("Position"), book.sheet("Plain")
    for row, line in enumerate(EXPECTED):
        for column, value in enumerate(line, start=1):
            held = living.value(row + 4, column)
            assert plain.value(row + 2, column) == (pytest.approx(value) if isinstance(value, float) else value)
            if value is None:  # a share of nothing is blank, not zero
                assert held in (None, "")
            else:
                assert held == (pytest.approx(value) if isinstance(value, float) else value)
    assert living.formula(8, 2).text == "SUM(B5:B7)"
    assert living.formula(11, 3).text.startswith("-SUMPRODUCT(")
    book.sheet("Ledger").set(2, 3, 300.0)
    recalculate(book)
    assert living.value(5, 2) == 400.5 and living.value(8, 2) == pytest.approx(380.25)
    accounts = book.sheet("Accounts")
    assert [accounts.value(row, 2) for row in range(2, 7)] == ["0500", "0520", "1200", "2100", "3000"]
    assert accounts.value(2, 1) == "Plant and vans"


@pytest.mark.parametrize(
    ("files", "docket", "why"),
    [
        ({"map": MAP.replace("0520,Plant and vans\n", "")}, None, "account 0520 with 100.50 has no line in map"),
        ({"map": MAP + "0500,Bank\n"}, None, "account 0500 is mapped to two lines"),
        ({"map": MAP.replace("1200,Bank", "1200,Bnk")}, None, "which is no line that adds accounts up: the nearest is 'bank'"),
        ({"lines": LINES.replace("total", "totl", 1)}, None, "a line cannot be 'totl': the nearest is 'total'"),
        ({"lines": LINES.replace("sum,l,-1", "sum,l,2")}, None, "'2' is not a sign"),
        ({"lines": LINES.replace("[Creditors]/[Both sides]", "")}, None, "line 'Debt share' has no formula"),
        ({"lines": LINES.replace("[Creditors]/", "[Creditor]/")}, None, "no column 'Creditor'"),
        ({"lines": LINES.replace("[Creditors]/[Both sides]", "1/[Stock]")}, None, "gives #DIV/0!"),
        ({"lines": LINES.replace("Stock", "Bank")}, None, "two lines are called 'Bank'"),
        ({"ledger": LEDGER.replace("-350", "-340")}, None, "Assets in all is 480.25, Both sides is 470.25"),
        ({}, ('"Both sides"]', '"Both side"]'), "has no line 'Both side': the nearest is 'Both sides'"),
        ({}, ('lines = "lines"', 'lines = "line"'), "statements.position uses 'line'"),
        ({}, ('statement = "position", title', 'statement = "positon", title'), "a sheet shows the statement 'positon'"),
        ({}, ('{ name = "Map", table = "map" },', ""), "no sheet before it shows the table 'map'"),
        ({}, (', "Both sides"]', "]"), "balance names two lines"),
        ({}, (', { as = "Budget", table = "budget" }', ""), "compare the first two columns"),
    ],
)  # fmt: skip
def test_what_stops_a_statement(files, docket, why, tmp_path):
    with pytest.raises(TinQuireError) as caught:
        job(tmp_path, DOCKET.replace(*docket) if docket else DOCKET, **files)
    assert why in " ".join(fault.why for fault in caught.value.faults)
