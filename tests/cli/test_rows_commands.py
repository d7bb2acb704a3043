"""match and pivot on files at hand, as they are called."""

from __future__ import annotations

import json

import pytest

from tinquire.cells import Column
from tinquire.tables.inference import MIXED, infer_type
from tinquire.tables.types import NUMERIC
from tinquire.workbook import Formula, Sheet, Workbook

SALES = """Day;Depot;Band;Pieces;Charge
01/10/2026;North;Bed;4;10,50
02/10/2026;South;Bed;10;20,00
17/10/2026;North;Bath;25;30,25
01/11/2026;South;Bath;50;1.040,00
"""


@pytest.fixture
def sales(tmp_path):
    path = tmp_path / "sales.csv"
    path.write_text(SALES, "utf-8")
    return path


@pytest.mark.parametrize(
    ("words", "lines"),
    [
        (["--rows", "Depot", "--sum", "Charge"], [["North", 40.75], ["South", 1060], ["Total", 1100.75]]),
        (["--rows", "Depot", "--columns", "Band", "--sum", "Pieces", "--totals", "All"],
         [["North", 25, 4, 29], ["South", 50, 10, 60], ["All", 75, 14, 89]]),
        (["--rows", "Day", "--by", "Day=month", "--count", "Pieces=Rows", "--largest", "Charge", "--totals", ""],
         [["2026-10", 3, 30.25], ["2026-11", 1, 1040]]),
        (["--rows", "Depot", "--sum", "Pieces", "--average", "Pieces", "--sort", "Depot=-Pieces (sum)", "--totals", ""],
         [["South", 60, 30], ["North", 29, 14.5]]),
        (["--rows", "Pieces", "--bands", "Pieces=5,20", "--sum", "Charge", "--totals", ""],
         [["under 5", 10.5], ["5 to under 20", 20], ["20 and more", 1070.25]]),
        (["--rows", "Depot", "Band", "--order", "Depot=South,North", "--sum", "Pieces", "--subtotals", "below", "--totals", ""],
         [["South", "Bath", 50], ["South", "Bed", 10], ["South total", None, 60], ["North", "Bath", 25], ["North", "Bed", 4], ["North total", None, 29]]),
        (["--rows", "Depot", "--where", '[Band]="Bed"', "--formula", "Mean=SUM([Charge])/SUM([Pieces])"],
         [["North", 2.625], ["South", 2], ["Total", 30.5 / 14]]),
        (["--rows", "Depot", "--top", "Depot=1", "--rest", "Others", "--sum", "Pieces", "--show", "Pieces=share"],
         [["South", 60 / 89], ["Others", 29 / 89], ["Total", 1]]),
    ],
)  # fmt: skip
def test_pivot(words, lines, sales, tinquire, tmp_path):
    outcome = tinquire("pivot", sales, *words, "--json", "--out", tmp_path / "p.xlsx")
    assert outcome.code == 0, outcome.err
    answer = json.loads(outcome.out)
    assert [list(line.values()) for line in answer["lines"]] == [
        [pytest.approx(value) if isinstance(value, float) else value for value in line] for line in lines
    ]
    sheet = Workbook.open(tmp_path / "p.xlsx").sheet("Pivot")
    top = sheet.used.bottom - len(lines)
    found = [[sheet.value(row, n + 1) for n in range(len(lines[0]))] for row in range(top + 1, sheet.used.bottom + 1)]
    assert found == [[pytest.approx(value) if isinstance(value, float) else value for value in line] for line in lines]


def test_a_pivot_on_the_terminal_says_what_was_read(sales, tinquire):
    out = tinquire("pivot", sales, "--rows", "Depot", "--sum", "Charge").out
    assert "read Day as date dmy, Pieces as whole, Charge as number" in out
    assert "column 'Day': its days are written with the day first" in out
    assert "Total   1,100.75" in out


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--rows", "Depot"], "no value is asked for"),
        (["--rows", "Depo", "--sum", "Charge"], "no column 'Depo'"),
        (["--rows", "Depot", "--sum", "Charge", "--by", "Depot=moon"], "is not a calendar unit"),
        (["--rows", "Depot", "--sum", "Charge", "--by", "Dept=month"], "'Dept' is not a row or column field"),
        (["--rows", "Depot", "--sum", "Charge", "--top", "Depot=0"], "gives no number"),
        (["--rows", "Depot", "--sum", "Charge", "--bands", "Depot=a"], "gives no number"),
        (["--rows", "Depot", "--sum", "Charge", "--top", "Depot"], "gives no setting"),
        (["--rows", "Depot", "--sum", "Charge", "--show", "Chrge=share"], "there is no value 'Chrge'"),
        (["--rows", "Depot", "--formula", "SUM([Charge])"], "has no name"),
        (["--rows", "Depot", "--sum", "Charge", "--type", "Charge=coin"], "there is no type 'coin'"),
        (["--rows", "Depot", "--sum", "Charge", "--out", "sales.csv"], "there is such a file already"),
    ],
)
def test_a_pivot_that_cannot_be(words, says, sales, tinquire, monkeypatch):
    monkeypatch.chdir(sales.parent)
    outcome = tinquire("pivot", sales, *words)
    assert outcome.code in (1, 2)
    assert says in outcome.err + outcome.out


def test_rows_that_sum_up_are_left_out_whatever_they_are_called(tmp_path, tinquire):
    book, sheet = Workbook.new(), Sheet("S")
    sheet.put(1, 1, Column.from_values(["Depot", "North", "South", "All of it", None, "checked by Ann"]))
    sheet.put(1, 2, Column.from_values(["Charge", 1.0, 2.0]))
    sheet.put(4, 2, Column.from_values([3.0]), None, Formula("SUM(B2:B3)", 4, 2))
    book.add_sheet(sheet)
    book.save(tmp_path / "s.xlsx")
    outcome = tinquire("pivot", tmp_path / "s.xlsx", "--rows", "Depot", "--sum", "Charge")
    assert "totals row 4 left out" in outcome.out and "All of it" not in outcome.out


LEFT = "Item,Pieces\n 0012 ,4\nSheet,12\nsheet,30\nTowel,7\n"
RIGHT = "Code,Rate,Band\n12,1,a\nSHEET,2,b\nMat,3,c\n"


@pytest.mark.parametrize(
    ("words", "matched", "rates", "code"),
    [
        (["--on", "Item=Code"], 0, [None] * 4, 0),
        (["--on", "Item=Code", "--clean", "case"], 2, [None, 2, 2, None], 0),
        (["--on", "Item=Code", "--clean", "spaces", "case", "zeros"], 3, [1, 2, 2, None], 0),
        (["--on", "Item=Code", "--clean", "case", "--unmatched", "drop"], 2, [2, 2], 0),
        (["--on", "Item=Code", "--clean", "case", "--otherwise", "0"], 2, [0, 2, 2, 0], 0),
        (["--on", "Item=Code", "--unmatched", "stop"], None, None, 1),
        (["--on", "Pieces=Rate", "--nearest"], 4, [3, 3, 3, 3], 0),
    ],
)  # fmt: skip
def test_match(words, matched, rates, code, tmp_path, tinquire):
    (tmp_path / "l.csv").write_text(LEFT, "utf-8")
    (tmp_path / "r.csv").write_text(RIGHT, "utf-8")
    out = tmp_path / "o.xlsx"
    given = ("--bring", "Rate=Price", "Band") if "--nearest" not in words else ("--bring", "Rate=Price")
    outcome = tinquire("match", tmp_path / "l.csv", tmp_path / "r.csv", *words, *given, "--out", out, "--json")
    assert outcome.code == code
    if code == 0:
        answer = json.loads(outcome.out)
        assert answer["matched"] == matched
        sheet = Workbook.open(out).sheet("Rows")
        assert sheet.column(3, 2, sheet.used.bottom).to_list() == rates
    else:
        assert "is not in column 'Code'" in outcome.err
        assert not out.exists()


def test_match_tells_keys_without_a_partner(tmp_path, tinquire):
    (tmp_path / "l.csv").write_text(LEFT, "utf-8")
    (tmp_path / "r.csv").write_text(RIGHT + "Mat,4,d\nRug,1,e\n", "utf-8")
    names = tmp_path / "l.csv", tmp_path / "r.csv"
    outcome = tinquire("match", *names, "--on", "Item=Code", "--clean", "case", "--check", "--rows", "1")
    assert outcome.code == 1
    assert "matched   2 of 4 rows" in outcome.out
    assert "no match  ' 0012 ': in l.csv, row 2" in outcome.out.replace("line", "row")
    assert "unused    '12': in r.csv" in outcome.out and "and 2 more keys; --rows lists more" in outcome.out
    assert tinquire("match", *names, "--on", "Item=Code").code == 2
    repeated = tinquire("match", names[1], names[1], "--on", "Code", "--bring", "Rate=Again", "--check")
    assert repeated.code == 1 and "'Mat' occurs 2 times" in repeated.err
    summed = tinquire("match", names[1], names[1], "--on", "Code", "--bring", "Rate=Again", "--repeated", "sum", "--out",
                      tmp_path / "s.xlsx")  # fmt: skip
    assert summed.code == 0
    assert Workbook.open(tmp_path / "s.xlsx").sheet("Rows").column(4, 2, 6).to_list() == [1, 2, 7, 7, 1]


@pytest.mark.parametrize(
    ("texts", "kind"),
    [
        (["1", "2"], "whole"), (["1", "2.5", ""], "number"), (["1,200", "3"], "text"), (["1,200", "3.5"], "number"), (["38:45", "7:30"], "duration"), (["£3", "£4.50"], "money"),
        (["EUR 3", "4"], "money"), (["5%", "10 %"], "percent"), (["007", "12"], "text"), (["12345678901234567"], "text"),
        (["2026-10-01"], "date"), (["17/10/2026", "01/10/2026"], "date dmy"), (["10/17/2026", "01/02/2026"], "date mdy"),
        (["01/02/2026"], "text"), (["08:30", "17:05"], "time"), (["yes", "No"], "yes/no"), (["1", "x"], "text"),
        (["North"], "text"), ([], "text"), (["(3)", "4-"], "whole"),
    ],
)  # fmt: skip
def test_types_by_texts(texts, kind):
    found, remark = infer_type([Column.of_texts(texts)])
    assert found == kind
    assert ("first" in remark) == (kind in ("date dmy", "date mdy") or texts == ["01/02/2026"])
    mixed = infer_type([Column.of_texts(texts), Column.from_values([*texts, 1.0])])[0]
    assert mixed == (kind if kind in NUMERIC else MIXED if texts else "whole")
