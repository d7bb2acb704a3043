"""Entry rules: which cells break them, in the words of a docket, and the same when written and read again."""

from __future__ import annotations

import pytest

from books import book_of
from tinquire.cells.address import Area
from tinquire.layout.entry_rules import EntryPlan, entry_rules_over
from tinquire.packages.xml import MAIN, parse_xml
from tinquire.workbook.calc.entries import broken_rules
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.parts.entry_rules import entry_rules_markup, read_entry_rules

HERE = (Area(1, 1, 8, 1),)
CELLS = {
    "A1": 2.0,
    "A2": 2.5,
    "A3": "Ada",
    "A4": "abcd",
    "A5": True,
    "A6": 46055.0,
    "A8": "5",
    "C1": "ada",
    "C2": 2.5,
    "C3": 46055.0,
}
RULES = [
    (EntryRule(HERE, "whole", "between", ("1", "9")), [2, 3, 4, 5, 6, 8]),
    (EntryRule(HERE, "decimal", "lessThan", ("C2",)), [3, 4, 5, 6, 8]),
    (EntryRule(HERE, "decimal", "notBetween", ("2.2", "3")), [2, 3, 4, 5, 8]),
    (EntryRule(HERE, "date", "greaterThanOrEqual", ("DATE(2026,1,1)",)), [1, 2, 3, 4, 5, 8]),
    (EntryRule(HERE, "textLength", "lessThanOrEqual", ("3",)), [4, 5, 6]),
    (EntryRule(HERE, "list", "between", ('"2, Ada,5"',)), [2, 4, 5, 6]),
    (EntryRule(HERE, "list", "between", ("$C$1:$C$3",)), [1, 4, 5, 8]),
    (EntryRule(HERE, "custom", "between", ("ISTEXT(A1)",)), [1, 2, 5, 6]),
    (EntryRule(HERE, "none"), []),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "rows"), RULES, ids=[rule.words for rule, _ in RULES])
def test_cells_that_a_rule_would_not_let_in(rule, rows):
    book = book_of({"S": CELLS})
    broken = list(broken_rules(book, book.sheet("S"), [rule]))
    assert [cell for one in broken for cell in one.cells] == [(row, 1) for row in rows]
    assert not any(one.why for one in broken)


@pytest.mark.parametrize(
    ("rule", "why"),
    [
        (EntryRule(HERE, "custom", "between", ("SUM(",)), "is missing"), (EntryRule(HERE, "list"), "has no formula"),
        (EntryRule(HERE, "whole", "between", ("1",)), "with 1 bounds"), (EntryRule(HERE, "odd", "equal", ("1",)), "'odd' is not known"),
    ],
)  # fmt: skip
def test_a_rule_that_cannot_be_evaluated_is_told(rule, why):
    book = book_of({"S": CELLS})
    (broken,) = broken_rules(book, book.sheet("S"), [rule])
    assert why in broken.why and not broken.cells


PLANS = [
    (EntryPlan(on=["Rate"], one_of=["low", 2.5, "high"]), ("B4:B9", "list", '"low,2.5,high"')),
    (EntryPlan(on=["Rate"], one_of='INDIRECT("Rates[Code]")', otherwise="warn"), ("B4:B9", "list", 'INDIRECT("Rates[Code]")')),
    (EntryPlan(on=["pieces", "Charge"], kind="whole", at_least=1, blank=False, prompt="Whole <pieces>", message='"none" is 0'), ("A4:A9 C4:C9", "whole", "1")),
    (EntryPlan(on=["Charge"], kind="number", between=[0, "[Pieces]*2"], otherwise="tell"), ("C4:C9", "decimal", "0", "$A4*2")),
    (EntryPlan(on=["Charge"], where="[Charge]<=[Pieces]"), ("C4:C9", "custom", "$C4<=$A4")),
]  # fmt: skip


def test_the_words_of_a_docket_are_rules_of_the_sheet_and_are_read_as_they_were_written():
    rules = entry_rules_over([plan for plan, _ in PLANS], ["Pieces", "Rate", "Charge"], [Area(4, 1, 9, 3)], "sheet 'S'")
    frame = parse_xml(f'<worksheet xmlns="{MAIN}">{entry_rules_markup(rules)}</worksheet>'.encode())
    assert list(read_entry_rules(frame)) == rules
    found = [(item.get("sqref"), item.get("type"), *(one.text for one in item)) for item in frame[0]]
    assert found == [wanted for _, wanted in PLANS]
    assert entry_rules_markup([]) == ""


def test_all_that_is_wrong_with_entry_rules_is_said_at_once():
    wrong = [
        EntryPlan(on=["Rat"], one_of=["a"]), EntryPlan(on=["Rate"], one_of=["a,b"]), EntryPlan(on=["Rate"], one_of=["x" * 300]),
        EntryPlan(on=["Rate"], where="1+"), EntryPlan(on=["Rate"], kind="whole", above="[Gone]", place="docket.toml, line 3"),
    ]  # fmt: skip
    with pytest.raises(Exception, match="Rat") as error:
        entry_rules_over(wrong, ["Pieces", "Rate", "Charge"], [Area(4, 1, 9, 3)], "sheet 'S'")
    faults = error.value.faults
    assert [
        word in fault.why for word, fault in zip(["'Rate'", "comma", "300", "missing", "'Gone'"], faults, strict=True)
    ] == [True] * 5
    assert faults[4].where == "docket.toml, line 3" and "entry rule 5" in faults[4].stopped


def test_a_docket_gives_rules_to_sheets_that_show_audit_and_print_know(tmp_path, tinquire):
    """A list that is the column of an earlier sheet's table, a mark over whole rows, and a cell changed afterwards."""
    (tmp_path / "depots.csv").write_text("Depot\nHarbour\nMillrace\n")
    (tmp_path / "bags.csv").write_text("Depot,Bags\nHarbour,3\nMillrace,9\nHarbour,12\n")
    (tmp_path / "docket.toml").write_text(
        'title = "Bags"\nperiod = "month"\nsources.depots.file = "depots.csv"\nsources.bags.file = "bags.csv"\nsources.bags.types.Bags = "whole"\n'
        '[workbooks.bags]\nname = "bags.xlsx"\nsheets = [{ name = "Depots", table = "depots" }, { name = "Bags", table = "bags",'
        ' marks = [{ where = "[Bags]>5", look = "total" }],'
        ' entries = [{ on = ["Depot"], one_of = "depots[Depot]" }, { on = ["Bags"], kind = "whole", at_most = 10 }] }]\n'
    )
    assert tinquire("run", tmp_path / "docket.toml", "-p", "2026-10").code == 0
    made = next(tmp_path.rglob("bags.xlsx"))
    told = tinquire("audit", made).out
    assert "Bags!B4: 12 is not what its entry rule lets in (whole numbers at most 10)" in told and "1 finding" in told
    tinquire("amend", made, "--at", "Bags!A2", "--value", "Mill race", "--out", tmp_path / "changed")
    changed = next((tmp_path / "changed").rglob("bags.xlsx"))
    shown = tinquire("show", changed).out
    assert "the rule of A2:A4 is broken by A2" in shown and "(where $B2>5)" in shown
    tinquire("print", changed, "--to", tmp_path / "page.html", "--sheet", "Bags")
    assert (tmp_path / "page.html").read_text().count('<td class="m') == 4
