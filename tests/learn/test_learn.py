"""What was done by hand once, found again in general terms, and done elsewhere."""

import random
import tomllib

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from learn.chains import attempt, done, many
from tinquire.amend.change import apply_amendments
from tinquire.amend.schema import Amendment, load_amendments
from tinquire.cells.values import CellError
from tinquire.learn.find import find_steps, learn
from tinquire.learn.prove import best_readings
from tinquire.learn.rows import conditions, sort_keys, unique_by
from tinquire.workbook import Sheet, Workbook

ROWS = [
    ("Harbour", "T3", 4.0, 2.5, "sheet, white"),
    ("Uplands", "T1", 0.0, 3.0, "towel"),
    ("Harbour", "T2", 5.0, 2.0, "sheet, blue"),
    ("Mill", "T4", 0.0, 1.0, "apron"),
    ("Mill", "T5", 9.0, 2.0, "sheet, red"),
]
HEADINGS = ("Depot", "Ticket", "Pieces", "Rate", "Item")


def workbook(rows=ROWS, sheets=("Data",), top=3):
    book = Workbook.new()
    for name in sheets:
        sheet = Sheet(name)
        sheet.set(1, 1, "A title")
        for column, heading in enumerate(HEADINGS, 1):
            sheet.set(top, column, heading)
        for row, line in enumerate(rows, top + 1):
            for column, value in enumerate(line, 1):
                sheet.set(row, column, value)
        book.add_sheet(sheet)
    return book.to_bytes()


def learned(before, after):
    return learn(before, "b.xlsx", after)


#: A change by hand, and the keys of the steps that are found.
FOUND = [
    ([{"add": "Charge", "formula": "=[Pieces]*[Rate]"}], [{"add": "Charge", "formula": "=[Pieces]*[Rate]"}]),
    ([{"add": "Kind", "after": "Depot", "value": 3}], [{"add": "Kind", "after": "Depot", "value": 3}]),
    ([{"rename": {"Pieces": "Count"}}], [{"rename": {"Pieces": "Count"}}]),
    ([{"drop": ["Rate", "Item"]}], [{"drop": ["Rate", "Item"]}]),
    ([{"drop_rows": "[Pieces] = 0"}], [{"drop_rows": "[Pieces] = 0"}]),
    ([{"drop_rows": '[Depot] = "Harbour"'}], [{"drop_rows": '[Depot] = "Harbour"'}]),
    ([{"heading": "Depot", "matching": "Mill", "value": "Millrace"}], [{"heading": "Depot", "matching": "Mill", "value": "Millrace"}]),
    ([{"heading": "Rate", "matching": 2, "value": 2.25}], [{"heading": "Rate", "matching": 2, "value": 2.25}]),
    ([{"heading": "Item", "replace": {"sheet": "linen"}}], [{"heading": "Item", "replace": {"sheet": "linen"}}]),
    ([{"heading": "Pieces", "formula": "=[Rate]*2"}], [{"heading": "Pieces", "formula": "=[Rate]*2"}]),
    ([{"sheet": "Data", "sort": ["Ticket"]}], [{"sort": ["Ticket"]}]),
    ([{"sheet": "Data", "sort": ["-Rate"]}], [{"sort": ["-Rate"]}]),
    ([{"heading": "Pieces", "total": "average", "look": {"bold": True}}], [{"heading": "Pieces", "total": "average", "look": {"bold": True}}]),
    ([{"headings": True, "look": {"bold": True, "fill": "#F4EFE6"}}], [{"headings": True, "look": {"bold": True, "fill": "#F4EFE6"}}]),
    ([{"heading": "Rate", "format": "0.00", "look": {"colour": "#2F5D7C"}}], [{"heading": "Rate", "format": "0.00", "look": {"colour": "#2F5D7C"}}]),
    ([{"sheet": "Data", "heading": "Item", "widths": {"Item": 30.0}}], [{"heading": "Depot", "widths": {"Item": 30.0}}]),
    ([{"sheet": "Data", "freeze": "A4"}], [{"heading": "Depot", "freeze": "headings"}]),
    ([{"at": "Data!A1", "value": "Another"}], [{"at": "A1", "expect": "A title", "value": "Another"}]),
    ([{"at": "Data!C5", "value": 7}], [{"at": "C5", "expect": 0, "value": 7}]),
    ([{"unique": ["Depot"]}], [{"unique": ["Depot"]}]),
    ([{"sheet": "Data", "protect": True}], [{"protect": True}]),
    ([{"rename": {"Rate": "Price"}}, {"heading": "Price", "format": "0.00"}], [{"rename": {"Rate": "Price"}}, {"heading": "Price", "format": "0.00"}]),
    ([{"move": "Item", "after": "Depot"}], [{"move": "Item", "after": "Depot"}]),
    ([{"move": "Rate", "before": "Depot"}], [{"move": "Rate", "before": "Depot"}]),
    ([{"add": "No", "before": "Depot", "value": 1}], [{"add": "No", "before": "Depot", "value": 1}]),
    ([{"sheet": "Data", "insert_rows": "6"}, {"at": "Data!A6", "value": "Mill"}, {"at": "Data!C6", "value": 3}], [{"sheet": "Data", "insert_rows": "6"}, {"sheet": "Data", "at": "A6", "expect": "", "value": "Mill"}, {"sheet": "Data", "at": "C6", "expect": "", "value": 3}]),
    ([{"sheet": "Data", "insert_rows": "2:3"}], [{"insert_rows": "3:4"}]),
    ([{"sheet": "Data", "delete_rows": "2"}], [{"delete_rows": "2"}]),
    ([{"heading": "Pieces", "where": '[Depot] = "Mill"', "value": 8}], [{"heading": "Pieces", "where": '[Depot] = "Mill"', "value": 8}]),
    ([{"heading": "Ticket", "type": "text"}, {"heading": "Pieces", "type": "text"}], [{"heading": "Pieces", "type": "text"}]),
    ([{"heading": "Item", "becomes": "UPPER([Item])"}], [{"heading": "Item", "becomes": "UPPER([Item])"}]),
    ([{"heading": "Rate", "becomes": "[Rate]*1.05"}], [{"heading": "Rate", "becomes": "[Rate]*1.05"}]),
    ([{"add": "Kind", "becomes": "LEFT([Depot], 2)"}], [{"add": "Kind", "becomes": "LEFT([Depot], 2)"}]),
    ([{"add": "Sum", "becomes": "[Pieces]*[Rate]"}], [{"add": "Sum", "becomes": "[Pieces]*[Rate]"}]),
    ([{"add": "Share", "formula": "=[Pieces]/SUM(rows[Pieces])"}], [{"add": "Share", "formula": "=[Pieces]/SUM(rows[Pieces])"}]),
    ([{"where": "[Pieces] = 0", "look": {"fill": "#FFEEDD"}}], [{"where": "[Pieces] = 0", "look": {"fill": "#FFEEDD"}}]),
    ([{"heading": "Rate", "where": "[Rate] <= 2", "look": {"bold": True}}], [{"heading": "Rate", "where": "[Rate] <= 2", "look": {"bold": True}}]),
    ([{"heading": "Rate", "headings": True, "look": {"wrap": True}}], [{"heading": "Rate", "headings": True, "look": {"wrap": True}}]),
    ([{"below": [{"Depot": "Total", "Pieces": "=SUM(rows[Pieces])", "Rate": "=[Pieces]/2"}]}], [{"below": [{"Depot": "Total", "Pieces": "=SUM(rows[Pieces])", "Rate": "=[Pieces]/2"}]}]),
    ([{"below": [{"Depot": "All"}, {}, {"Item": "Checked"}], "look": {"line_above": "thin"}}], [{"below": [{"Depot": "All"}, {}, {"Item": "Checked"}], "look": {"line_above": "thin"}}]),
    ([{"at": "Data!H1:H1", "formula": "=SUM(rows[Pieces])"}, {"at": "Data!G1", "value": "All pieces"}], [{"at": "G1", "expect": "", "value": "All pieces"}, {"at": "H1:H1", "formula": "=SUM(rows[Pieces])"}]),
    ([{"sheet": "Data", "heading": "Depot", "borders": {"outside": "medium", "between_rows": "thin #AABBCC"}}], [{"heading": "Depot", "borders": {"outside": "medium", "between_rows": "thin #AABBCC"}}]),
    ([{"sheet": "Data", "heading": "Depot", "borders": {"outside": "thin", "between_rows": "thin", "between_columns": "thin", "headings": True}}], [{"heading": "Depot", "borders": {"outside": "thin", "between_rows": "thin", "between_columns": "thin", "headings": True}}]),
    ([{"sheet": "Data", "marks": [{"on": ["Pieces"], "above": 4, "look": {"fill": "#FFD9D9"}}]}], [{"heading": "Depot", "marks": [{"on": ["Pieces"], "above": 4, "look": {"fill": "#FFD9D9"}}]}]),
    ([{"sheet": "Data", "marks": [{"where": "[Pieces] = 0", "look": {"bold": True}}]}], [{"heading": "Depot", "marks": [{"where": "[Pieces]=0", "look": {"bold": True}}]}]),
    ([{"sheet": "Data", "marks": [{"on": ["Rate"], "scale": ["#FFFFFF", "#336699"]}]}], [{"heading": "Depot", "marks": [{"on": ["Rate"], "scale": ["#FFFFFF", "#336699"]}]}]),
    ([{"sheet": "Data", "marks": [{"on": ["Item"], "contains": "blue", "look": {"italic": True}, "stop": True}]}], [{"heading": "Depot", "marks": [{"on": ["Item"], "contains": "blue", "look": {"italic": True}, "stop": True}]}]),
    ([{"sheet": "Data", "entries": [{"on": ["Depot"], "one_of": ["Harbour", "Mill"], "message": "No such depot"}]}], [{"heading": "Depot", "entries": [{"on": ["Depot"], "one_of": ["Harbour", "Mill"], "message": "No such depot"}]}]),
    ([{"sheet": "Data", "entries": [{"on": ["Pieces"], "kind": "whole", "between": [0, 500]}]}], [{"heading": "Depot", "entries": [{"on": ["Pieces"], "kind": "whole", "between": [0, 500]}]}]),
    ([{"sheet": "Data", "heading": "Depot", "filter": True}], [{"heading": "Depot", "filter": True}]),
    ([{"sheet": "Data", "heading": "Depot", "freeze": "[Ticket]"}], [{"heading": "Ticket", "freeze": "[Ticket]"}]),
    ([{"sheet": "Data", "hide_columns": ["Rate"]}], [{"hide_columns": ["Rate"]}]),
    ([{"sheet": "Data", "grid_lines": False}, {"sheet": "Data", "zoom": 80}, {"sheet": "Data", "tab": "#336699"}], [{"grid_lines": False}, {"zoom": 80}, {"tab": "#336699"}]),
    ([{"sheet": "Data", "page": {"landscape": True, "paper": "A5"}}], [{"page": {"landscape": True, "paper": "A5"}}]),
    ([{"sheet": "Data", "outline": {"rows": ["5:6"]}}], [{"sheet": "Data", "heading": "Depot", "outline": {"rows": ["5:6"]}}]),
    ([{"add_sheet": "Notes"}, {"sheet": "Notes", "at": "B2", "value": "read me"}], [{"add_sheet": "Notes"}, {"sheet": "Notes", "at": "B2", "expect": "", "value": "read me"}]),
    ([{"summary": {"to": "By depot", "at": "B3", "rows": ["Depot"], "values": [{"sum": "Pieces"}, {"count": "Ticket", "as": "Tickets"}], "totals": "Total"}}], [{"summary": {"to": "By depot", "at": "B3", "rows": ["Depot"], "totals": "Total", "values": [{"sum": "Pieces"}, {"count": "Ticket", "as": "Tickets"}]}}]),
    ([{"summary": {"to": "Across", "rows": ["Depot"], "columns": ["Item"], "values": [{"sum": "Pieces"}]}}], [{"summary": {"to": "Across", "at": "A1", "rows": ["Depot"], "columns": ["Item"], "values": [{"sum": "Pieces"}]}}]),
    ([{"summary": {"to": "Sums", "rows": ["Depot"], "formulas": {"Pieces": "=SUMIFS(rows[Pieces],rows[Depot],[Depot])"}}}], [{"summary": {"to": "Sums", "at": "A1", "rows": ["Depot"], "formulas": {"Pieces": "=SUMIFS(rows[Pieces],rows[Depot],[Depot])"}}}]),
    ([{"sheet": "Data", "rename_sheet": "Rows"}], [{"sheet": "Data", "rename_sheet": "Rows"}]),
]  # fmt: skip


@pytest.mark.parametrize(("steps", "keys"), FOUND, ids=[str(steps[0]) for steps, _ in FOUND])
def test_what_was_done_is_found(steps, keys):
    before = workbook()
    found = learned(before, done(before, steps))
    assert found.is_whole and [step.keys for step in found.steps] == keys


@settings(max_examples=60)
@given(st.integers(0, 1 << 40))
def test_no_chain_is_wrong_on_another_sheet_in_silence(seed):
    outcome, steps, why = attempt(random.Random(seed))
    assert outcome != "wrong", (steps, why)


def test_nearly_all_chains_are_found_in_general_form():
    assert many(30, 5)["found"] >= 29


VALUES = {"A": ["x", "y", "x", None], "N": [1.0, -2.0, 0.0, -5.0], "T": ["ab1", "ab2", "c", "d"]}
CONDITIONS = [
    ({1, 3}, "[N] < 0"), ({0}, "[N] > 0"), ({0, 2}, '[A] = "x"'), ({3}, '[A] = ""'), ({1}, '[A] = "y"'), ({0, 1}, 'LEFT([T], 2) = "ab"'),
    ({0, 1, 2}, 'OR([A] = "x", [A] = "y")'),
]  # fmt: skip


@pytest.mark.parametrize(("gone", "text"), CONDITIONS)
def test_conditions(gone, text):
    assert text in conditions(VALUES, frozenset(gone))


def test_keys_of_a_sort_and_repeated_rows():
    assert sort_keys({"A": ["b", "a", "b", "a"], "N": [1.0, 2.0, 3.0, 4.0]}, [3, 1, 2, 0]) == ["A", "-N"]
    assert sort_keys({"A": ["b", "a", "b"], "N": [1.0, 2.0, 3.0]}, [0, 1, 2]) is not None
    assert sort_keys({"A": ["b", "a"]}, [0, 1]) == ["-A"]
    assert unique_by({"A": ["x", "x"], "B": [1.0, 2.0]}, frozenset({1})) == [["A"]]


def test_what_cannot_be_said_in_general_is_listed_and_never_invented():
    before = workbook()
    book = Workbook.from_bytes(before, "a.xlsx")
    for row, value in enumerate((1.5, 7.0, 2.25, 8.0, 9.75), 4):
        book.sheet("Data").set(row, 6, value)
    book.sheet("Data").set(3, 6, "Weight")
    found = learned(before, Workbook.from_bytes(book.to_bytes(), "a.xlsx"))
    assert not found.is_whole and any("F4 holds 1.5, not nothing" in line for line in found.unexplained)
    assert [step.keys for step in found.steps] == [{"add": "Weight"}]


def test_a_second_pair_tells_readings_apart():
    rows = [("Harbour", "T1", 0.0, 1.0, "a"), ("Mill", "T2", 3.0, 1.0, "b"), ("Mill", "T3", 4.0, 1.0, "c")]
    other = [("Harbour", "T1", 5.0, 1.0, "a"), ("Mill", "T2", 0.0, 1.0, "b"), ("Mill", "T3", 4.0, 1.0, "c")]
    step = [{"drop_rows": "[Pieces] = 0"}]
    before, also = workbook(rows), workbook(other)
    session = find_steps(before, "b.xlsx", done(before, step))
    assert session.learned.steps[0].keys == {"drop_rows": '[Depot] = "Harbour"'}, "the first pair alone cannot tell"
    found = best_readings(session, [(also, done(also, step))])
    assert found.is_whole and found.steps[0].keys == {"drop_rows": "[Pieces] = 0"}


# -- the command ---------------------------------------------------------------------------------------


@pytest.fixture
def pair(tmp_path):
    before = workbook()
    steps = [
        {"drop_rows": "[Pieces] = 0"},
        {"add": "Charge", "formula": "=[Pieces]*[Rate]"},
        {"heading": "Charge", "total": "sum"},
    ]
    (tmp_path / "before.xlsx").write_bytes(before)
    (tmp_path / "after.xlsx").write_bytes(done(before, steps).to_bytes())
    return tmp_path


def test_learned_from_one_and_done_on_every_sheet_of_others(pair, tinquire):
    said = tinquire("learn", pair / "before.xlsx", pair / "after.xlsx", "--out", pair / "learned.toml")
    assert said.code == 0 and "cell for cell" in said.out and "without rows where [Pieces] = 0" in said.out
    assert (
        "# explains 2 cells" in (pair / "learned.toml").read_text()
        and len(load_amendments(pair / "learned.toml").amend) == 3
    )
    (pair / "other.xlsx").write_bytes(workbook([*ROWS, *ROWS[:2]], ("One", "Two"), top=5))
    said = tinquire(
        "amend", pair / "other.xlsx", "--with", pair / "learned.toml", "--every-sheet", "--out", pair / "out"
    )
    assert said.code == 0
    book = Workbook.open(pair / "out" / "other.xlsx")
    for name in ("One", "Two"):
        sheet = book.sheet(name)
        assert [sheet.value(row, 2) for row in range(6, 11)] == ["T3", "T2", "T5", "T3", None]
        assert [sheet.value(row, 6) for row in range(5, 11)] == ["Charge", 10.0, 10.0, 18.0, 10.0, 48.0]
    assert tinquire("learn", pair / "before.xlsx", pair / "after.xlsx", "--out", pair / "learned.toml").code == 2, (
        "never over a file"
    )


def test_as_the_steps_of_a_docket(pair, tinquire):
    said = tinquire("learn", pair / "before.xlsx", pair / "after.xlsx", "--as", "docket")
    text = said.out[said.out.index("[tables.") :]
    assert tomllib.loads(text)["tables"]["list"]["steps"] == [
        {"drop_rows": "[Pieces] = 0"},
        {"derive": "Charge", "as": "[Pieces]*[Rate]"},
    ]
    assert tomllib.loads(text)["workbooks"]["pack"]["sheets"][0]["totals"] == {"Charge": "sum"}


def test_two_sheets_of_one_workbook(tmp_path, tinquire):
    book = Workbook.from_bytes(workbook(sheets=("Was", "Is")), "b.xlsx")
    apply_amendments(book, [Amendment(sheet="Is", rename={"Pieces": "Count"})])
    (tmp_path / "b.xlsx").write_bytes(book.to_bytes())
    said = tinquire("learn", tmp_path / "b.xlsx", "--sheets", "Was", "Is")
    assert said.code == 0 and "the heading 'Pieces' becomes 'Count'" in said.out


WRONG = [
    (["gone.xlsx", "after.xlsx"], 3, "there is no such file"),
    (["before.xlsx"], 2, "name two workbooks"),
    (["before.xlsx", "before.xlsx"], 1, "nothing: both are the same"),
]


@pytest.mark.parametrize(("words", "code", "says"), WRONG)
def test_what_learn_says(pair, tinquire, words, code, says):
    said = tinquire("learn", *(pair / word for word in words))
    assert said.code == code and says in said.out + said.err


def test_the_demo_s_pair_tidies_the_exports_of_all_depots(shipped_job, tmp_path, tinquire):
    learn, exports = shipped_job / "learn", sorted((shipped_job / "sources/2026-10").glob("pickups-*.xlsx"))
    assert tinquire("learn", learn / "before.xlsx", learn / "after.xlsx", "--out", tmp_path / "learned.toml").code == 0
    words = ("--with", tmp_path / "learned.toml", "--every-sheet", "--recalc", "--out", tmp_path / "out")
    assert tinquire("amend", *exports, *words).code == 0
    for path in (tmp_path / "out").rglob("*.xlsx"):
        sheet = Workbook.open(path).sheet("Pickups")
        rows, columns = sheet.extent()
        cells = [value for column in range(1, columns + 1) for value in sheet.column(column, 1, rows).to_list()]
        assert {"Kilos a piece", "Towel, large"} < set(map(str, cells)) and "Bath towel" not in cells
        assert not any(isinstance(value, CellError) for value in cells) and "Note" not in cells
