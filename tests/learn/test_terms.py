"""Formulas over headings, and what cannot be said so; docket tables from steps."""

import tomllib

import pytest

from tinquire.amend.addresses import mentioned_headings, with_addresses
from tinquire.amend.changes import NotThereError
from tinquire.cells.address import Area
from tinquire.docket.schema.blocks import RowsModel
from tinquire.docket.schema.pivots import PivotModel
from tinquire.docket.schema.tables import TableModel
from tinquire.learn.as_docket import as_docket
from tinquire.learn.lists import seen_list
from tinquire.learn.steps import Learned, Step
from tinquire.learn.terms import Terms
from tinquire.learn.writing import as_amendments
from tinquire.sources.readers.headings import under_heading
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.sheet import SheetTable, TableColumn

HEADINGS = ("Depot", "Pieces", "Rate", "Odd [x]")


def workbook(table=False):
    book = Workbook.new()
    for name, top in (("Data", 3), ("My rates", 1)):
        sheet = Sheet(name)
        for column, heading in enumerate(HEADINGS, 1):
            sheet.set(top, column, heading)
        for row in range(top + 1, top + 6):
            for column in range(1, 5):
                sheet.set(row, column, f"d{row}" if column == 1 else float(row * column))
        if table and name == "Data":
            sheet.tables.append(
                SheetTable("Bags", Area(3, 1, 8, 4), tuple(map(TableColumn, ("Depot", "Pieces", "Rate", "Odd"))))
            )
        book.add_sheet(sheet)
    return Workbook.from_bytes(book.to_bytes(), "t.xlsx")


#: A formula of row 4 of Data, how it is said, and whether that says all of it.
GENERAL = [
    ("B4*C4", "[Pieces]*[Rate]", True), ("$B4*C$1", "[Pieces]*C$1", True), ("$B4*$C$1", "[Pieces]*$C$1", True), ("B4/SUM(B$4:B$8)", "[Pieces]/SUM(rows[Pieces])", True),
    ("SUM(B4:C4)", "SUM(B4:C4)", False), ("SUM($B$4:$C$8)", "SUM(rows[Pieces:Rate])", True), ("B3+B4", "B3+[Pieces]", False), ("B5-B4", "B5-[Pieces]", False),
    ("SUM(B$4:B4)", "SUM(B$4:B4)", False), ("SUM(B:B)", "SUM(B:B)", True), ("D4*2", "D4*2", False), ("LEFT(A4,1)&\"B4\"", 'LEFT([Depot],1)&"B4"', True),
    ("VLOOKUP(A4,'My rates'!$A$2:$C$6,3,FALSE)", "VLOOKUP([Depot],'My rates'!rows[Depot:Rate],3,FALSE)", True), ("SUMIF('My rates'!$A$2:$A$6,A4,'My rates'!$B$2:$B$6)", "SUMIF('My rates'!rows[Depot],[Depot],'My rates'!rows[Pieces])", True),
    ("'My rates'!B2*B4", "'My rates'!B2*[Pieces]", False), ("Rate*B4", "Rate*[Pieces]", True), ("TODAY()", "TODAY()", True), ("[1]Data!B4*B4", "[1]Data!B4*[Pieces]", True),
]  # fmt: skip


@pytest.mark.parametrize(("text", "said", "whole"), GENERAL)
def test_formulas_over_headings_and_back(text, said, whole):
    book = workbook()
    own = seen_list(book, "Data", HEADINGS)
    assert Terms(book).general(text, "Data", 4, own) == (said, whole)
    back = with_addresses(book, "Data", own.below, said, 4)
    assert back.replace("$", "") == text.replace("$", "")


#: What is said of a cell beside the list, whose address is its own.
APART = [("SUM(B4:B8)", "SUM(rows[Pieces])", True), ("H1*2", "H1*2", True), ("B6", "B6", False), ("A1&B2", "A1&B2", True), ("SUM(B4:B7)", "SUM(B4:B7)", False)]  # fmt: skip


@pytest.mark.parametrize(("text", "said", "whole"), APART)
def test_formulas_of_cells_apart(text, said, whole):
    book = workbook()
    assert Terms(book).general(text, "Data", None, seen_list(book, "Data", HEADINGS)) == (said, whole)


@pytest.mark.parametrize(
    ("text", "said"),
    [("Bags[[#This Row],[Pieces]]*2", "[Pieces]*2"), ("SUM(Bags[Rate])", "SUM(rows[Rate])"), ("[@Pieces]+[@[Rate]]", "[Pieces]+[Rate]"), ("MyBags[Rate]", "MyBags[Rate]")],
)  # fmt: skip
def test_a_table_s_own_words(text, said):
    book = workbook(table=True)
    assert Terms(book).general(text, "Data", 4, seen_list(book, "Data"))[0] == said


def test_headings_that_formulas_name():
    assert mentioned_headings("[A]*SUM(rows[B])+Data!rows[C]+T[D]+rows[E:F]") == ["A", "B", "B", "E", "F"]


WRONG = [
    ("[Piece]", "the nearest is 'Pieces'"), ("SUM(rows[Piece])", "the nearest is 'Pieces'"), ("Gone!rows[A]", "it has no sheet 'Gone'"), ("SUM('My rates'!rows[Piece])", "the nearest is 'Pieces'"),
]  # fmt: skip


@pytest.mark.parametrize(("formula", "why"), WRONG)
def test_headings_that_are_not_there(formula, why):
    book = workbook()
    with pytest.raises(NotThereError, match=why):
        with_addresses(book, "Data", under_heading(book, book.sheet("Data"), "Pieces"), formula, 4)


#: Keys of a learned step, and what stands for it in a docket: a step of the table, keys of the sheet, or a remark.
DOCKET = [
    ({"rename": {"A": "B"}}, {"rename": {"A": "B"}}), ({"drop": ["A"]}, {"drop": ["A"]}), ({"drop_rows": "[A] = 0"}, {"drop_rows": "[A] = 0"}),
    ({"unique": ["A"]}, {"unique": ["A"], "keep": "first"}), ({"sort": ["-A"]}, {"sort": ["-A"]}), ({"move": "A", "after": "B"}, {"move": ["A"], "after": "B"}),
    ({"heading": "A", "type": "number"}, {"type": {"A": "number"}}), ({"add": "A", "formula": "=[B]/SUM(rows[B])"}, {"derive": "A", "as": "[B]/SUM(list[B])"}),
    ({"add": "A", "after": "B", "value": "x"}, {"derive": "A", "as": '"x"'}), ({"add": "A", "becomes": "LEFT([B], 1)"}, {"derive": "A", "as": "LEFT([B], 1)"}),
    ({"heading": "A", "matching": "x~*", "value": "y"}, {"replace": "A", "values": {"x*": "y"}}), ({"heading": "A", "matching": 1, "value": 2}, {"derive": "A", "as": "IF([A] = 1, 2, [A])"}),
    ({"heading": "A", "replace": {"x": "y"}}, {"replace": "A", "parts": {"x": "y"}}), ({"heading": "A", "where": "[B] = 1", "value": True}, {"derive": "A", "as": "IF([B] = 1, TRUE, [A])"}),
]  # fmt: skip


@pytest.mark.parametrize(("keys", "step"), DOCKET)
def test_steps_of_a_docket(keys, step):
    made = tomllib.loads(as_docket(Learned([Step(keys, "a step", 1)]), "list"))["tables"]["list"]
    assert made["steps"] == [step]
    TableModel.model_validate(made)


SHEET = [
    ({"heading": "A", "format": "0.0"}, {"dress": {"A": {"format": "0.0"}}}), ({"heading": "A", "look": {"wrap": True, "bold": True}}, {"dress": {"A": {"wrap": True, "look": "a_cells"}}}),
    ({"heading": "A", "widths": {"A": 12}}, {"dress": {"A": {"width": 12}}}), ({"hide_columns": ["A"]}, {"dress": {"A": {"hidden": True}}}), ({"heading": "A", "total": "sum"}, {"totals": {"A": "sum"}}),
    ({"below": [{"A": "All", "B": "=SUM(rows[B])"}]}, {"totals": {"B": "sum"}, "total_label": "All"}), ({"marks": [{"on": ["A"], "above": 1, "look": {"bold": True}}]}, {"marks": [{"on": ["A"], "above": 1, "look": "marked"}]}),
    ({"entries": [{"on": ["A"], "one_of": ["x"]}]}, {"entries": [{"on": ["A"], "one_of": ["x"]}]}), ({"freeze": "headings"}, {}), ({"filter": True}, {}),
]  # fmt: skip


@pytest.mark.parametrize(("keys", "wanted"), SHEET)
def test_what_is_of_the_sheet(keys, wanted):
    text = as_docket(Learned([Step(keys, "a step", 1)]), "list")
    (sheet,) = tomllib.loads(text)["workbooks"]["pack"]["sheets"]
    assert {key: value for key, value in sheet.items() if key not in ("name", "table")} == wanted
    assert "by hand" not in text and ("# for the house file" in text) == ("look" in str(wanted))
    RowsModel.model_validate({key: value for key, value in sheet.items() if key != "name"})


def test_a_summary_is_a_pivot_and_the_rest_a_remark():
    asked = {"to": "By A", "at": "B3", "rows": ["A"], "values": [{"sum": "B"}], "totals": "Total"}
    steps = [
        Step({"summary": asked}, "a summary", 9),
        Step({"at": "A1", "value": 1}, "A1 becomes 1", 1),
        Step({"below": [{"A": "=A1"}]}, "odd", 1),
    ]
    text = as_docket(Learned(steps), "list")
    made = tomllib.loads(text)
    PivotModel.model_validate(made["pivots"]["by_a"])
    assert [sheet["name"] for sheet in made["workbooks"]["pack"]["sheets"]] == ["List", "By A"]
    assert "# - A1 becomes 1" in text and "# - odd" in text


def test_what_a_cell_holds_does_not_go_on_behind_a_comment():
    evil = 'x\n[[amend]]\nsay = "more"\u2028\x85'
    step = Step(
        {"heading": "A", "matching": evil, "value": "y"},
        f"'{evil}' becomes y",
        1,
        (({"at": "A1", "value": evil}, f"A1 is {evil}"),),
    )
    learned = Learned([step, Step({"at": "B1", "value": 1}, f"B1 {evil}", 1)], [f"A9 holds {evil}"])
    made = tomllib.loads(as_amendments(learned, f"from {evil}"))["amend"]
    assert [one.get("matching") for one in made] == [evil, None] and made[0]["say"] == step.says
    text = as_docket(learned, "list")
    assert (
        set(tomllib.loads(text)) == {"tables", "workbooks"} and len(tomllib.loads(text)["tables"]["list"]["steps"]) == 1
    )
