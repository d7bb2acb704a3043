"""Amendments from the command line: guards, every kind of change, many files, originals kept."""

from __future__ import annotations

import json
import shutil

import pytest

from richbook import rich_file
from tinquire.packages.package import Package
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings

#: An amendment (TOML), and the lines `sheet!cell is > becomes` that it lists; a text instead: why the file is left.
CASES = {
    'at = "Data!B3"\nexpect = 3\nvalue = 7': ["Data!B3 3 > 7"],
    'at = "B3"\nsheet = "Data"\nvalue = "seven"': ["Data!B3 3 > 'seven'"],
    'at = "Data!B3"\nvalue = ""': ["Data!B3 3 > nothing"],
    'at = "Data!B3"\nvalue = true': ["Data!B3 3 > TRUE"],
    'at = "Data!B3"\nvalue = 2026-10-31': ["Data!B3 3 > 2026-10-31"],
    'at = "Data!B2:B4"\nvalue = 3': ["Data!B2 2 > 3", "Data!B4 4 > 3"],
    'at = "Data!B3"\nexpect = 4\nvalue = 7': "sheet 'Data', cell B3 holds 3, not 4",
    'at = "Data!B3"\nexpect = "3"\nvalue = 7': "holds 3, not '3'",
    'at = "B3"\nvalue = 7': "it has 3 sheets, and the amendment does not say which",
    'at = "Date!B3"\nvalue = 7': "the nearest is 'Data'",
    'at = "Data!C3"\nvalue = 7': "holds the formula =B3*2; state expect_formula",
    'at = "Data!C3"\nexpect_formula = "b3 * 2"\nvalue = 7': ["Data!C3 =B3*2 > 7"],
    'at = "Data!C3"\nexpect_formula = "B3*3"\nvalue = 7': "holds =B3*2, not =B3*3",
    'at = "Data!B3"\nexpect_formula = "B3*3"\nvalue = 7': "holds no formula",
    'at = "Data!E7"\nvalue = 1': "belongs to the array formula in E6:E7",
    'at = "Data!Q9"\nexpect = ""\nvalue = "new"': ["Data!Q9 nothing > 'new'"],
    'name = "Rate"\nvalue = 7': "does not refer to cells of one sheet, but to 0.2",
    'name = "Rat"\nvalue = 7': "the nearest is 'Rate'",
    'table = "Things"\ncolumn = "Pieces"\nmatching = ">2"\nvalue = 0': ["Data!B3 3 > 0", "Data!B4 4 > 0"],
    'table = "Thing"\ncolumn = "Pieces"\nvalue = 0': "the nearest is 'Things'",
    'table = "Things"\ncolumn = "Piece"\nvalue = 0': "the nearest is 'Pieces'",
    'heading = "Item"\nmatching = "t*"\nvalue = "Bath towel"': ["Data!A3 'Towel' > 'Bath towel'"],
    'heading = "Item"\nmatching = "zzz"\nvalue = "x"': [],
    'heading = "Thing"\nvalue = "x"': "no sheet has a heading 'Thing'",
    'heading = "Thing"\nvalue = "x"\noptional = true': [],
    'heading = "Item"\nmatching = "t*"\nexpect_cells = 2\nvalue = "x"': "it found 1 cell, 2 expected",
    'matching = "apron"\nvalue = "Smock"': ["Data!A4 'Apron' > 'Smock'"],
    'matching = 8\nvalue = 9': [],  # a formula that happens to give the value is not the value
    'replace = { "ow" = "OW", "pr" = "PR" }': ["Data!A3 'Towel' > 'TOWel'", "Data!A4 'Apron' > 'APRon'"],
    'sheet = "D*"\nreplace = { "none of it" = "x" }': [],
    'heading = "Twice"\nformula = "[Pieces]*3"': [
        f"Data!C{n} =B{n}*2 > =Things[[#This Row],[Pieces]]*3" for n in (2, 3, 4)
    ],
    'at = "Data!D2"\nformula = "B2+C2"': [f"Data!D{n} nothing > =B{n}+C{n}" for n in (2, 3, 4)],
    'at = "Data!D2"\nformula = "B2+("': "its formula cannot be read",
    'at = "Data!D2"\nformula = "[Pieces]"': "can be read only below headings",
    'heading = "Twice"\nformula = "[Piece]*3"': "the nearest is 'Pieces'",
    'heading = "Pieces"\ntotal = "sum"': ["Data!B5 nothing > =SUM(B2:B4)"],
    'at = "Data!B3"\nformat = "0.00"': ["Data!B3 3 > 3.00"],
    'at = "Data!B3"\nlook = { bold = true, fill = "#F4EFE6" }': ["Data!B3 3 > 3 (bold, fill F4EFE6)"],
    'at = "Data!B1"\nvalue = "Number"': ["Data!B1 'Pieces' > 'Number'"],
    'at = "Data!B1"\nvalue = 7': "heads a column of table 'Things': it must be text",
    'sheet = "Data"\ndelete_rows = "3"': ["Data  > without rows 3"],
    'sheet = "Data"\ninsert_columns = "B:C"': ["Data  > columns inserted before B:C"],
    'sheet = "Data"\ndelete_rows = "1"': "the heading row of table 'Things'",
    'sheet = "Data"\nrename_sheet = "Figures"': ["Data Data > Figures"],
    'sheet = "*"\nrename_sheet = "Figures"': "only one can be renamed",
    'add_sheet = "Data"': "it has a sheet 'Data' already",
    'add_sheet = "Notes"': ["Notes  > a new sheet"],
    'sheet = "*"\ndelete_sheet = true': "keeps at least one sheet",
    'heading = "Pieces"\nwhere = "[Pieces] > 2"\nvalue = 9': ["Data!B3 3 > 9", "Data!B4 4 > 9"],
    'heading = "Pieces"\nwhere = "[Piece] > 2"\nvalue = 9': "the nearest is 'Pieces'",
    'heading = "Pieces"\nwhere = "[Pieces] + 2"\nvalue = 9': "neither true nor false",
    'where = "[Zone] = 2"\nformat = "0.0"': "no sheet has the heading 'Zone' of its condition",
    'heading = "Pieces"\nbecomes = "[Pieces]*2"': ["Data!B2 2 > 4", "Data!B3 3 > 6", "Data!B4 4 > 8"],
    'heading = "Item"\nbecomes = "VALUE([Item])"': "is #VALUE!",
    'heading = "Item"\ntype = "number"': "which is not of the type number",
    'heading = "Pieces"\ntype = "text"': ["Data 'Pieces' > 3 cells read as text"],
    'move = "Item"\nafter = "Pieces"': "whose columns stay in order",
    'below = [{ Pieces = "=SUM(rows[Pieces])" }]': ["Data!B5 nothing > =SUM(Things[Pieces])"],
    'below = [{ Pieces = "=SUM(rows[Pieces]" }]': "cannot be read",
    'summary = { to = "Data", rows = ["Item"], values = [{ sum = "Pieces" }] }': "holds something already",
    'summary = { to = "T", rows = ["Items"], values = [{ sum = "Pieces" }] }': "no sheet has a heading 'Items'",
    'at = "Lists!D1:D1"\nformula = "SUM(Data!rows[Pieces])"': ["Lists!D1 nothing > =SUM(Things[Pieces])"],
    'at = "Lists!D1:D1"\nformula = "SUM(Gone!rows[Pieces])"': "it has no sheet 'Gone'",
    'sheet = "Lists"\nhide_sheet = true': ["Lists  > hidden"],
}  # fmt: skip


def described(change):
    place = f"{change['sheet']}!{change['cell']}" if change["cell"] else change["sheet"]
    return f"{place} {change['is']} > {change['becomes']}"


@pytest.mark.parametrize("amendment", CASES)
def test_amendments_do_what_they_list(amendment, tmp_path, tinquire):
    expected = CASES[amendment]
    source = rich_file(tmp_path / "rich.xlsx")
    before = source.read_bytes()
    (tmp_path / "a.toml").write_text(f"[[amend]]\n{amendment}\n")
    listed = tinquire("amend", source, "--with", tmp_path / "a.toml", "--list", "--json")
    (report,) = json.loads(listed.out)
    if isinstance(expected, str):
        assert (listed.code, report["outcome"]) == (1, "left alone")
        assert expected in report["fault"]["why"]
        return
    assert [described(change) for change in report["changes"]] == expected
    made = tinquire("amend", source, "--with", tmp_path / "a.toml", "--out", tmp_path / "out", "--json")
    assert json.loads(made.out)[0]["changes"] == report["changes"] and made.code == 0
    assert source.read_bytes() == before
    if not expected:
        assert report["outcome"] == "as it should be" and not (tmp_path / "out").exists()
        return
    assert conformance_findings(Package.open(tmp_path / "out" / "rich.xlsx")) == []
    again = tinquire("amend", tmp_path / "out" / "rich.xlsx", "--with", tmp_path / "a.toml", "--list", "--json")
    once = again.code == 1 or json.loads(again.out)[0]["changes"] == []
    assert once or any(word in amendment for word in ("rows", "columns", "hide", "becomes")), (
        "a second time there is nothing to do"
    )


WRONG = {
    "value = 3": "no place is given",
    'at = "B3"': "no change is given",
    'at = "B3"\nname = "x"\nvalue = 1': "it says where in 2 ways: at and name",
    'at = "B3"\nvalue = 1\nformula = "A1"': "it gives 2 changes",
    'table = "T"\nvalue = 1': "table and column go together",
    'at = "B3"\ntotal = "sum"': "a total needs a heading",
    'at = "B3"\nlook = { fill = "red" }': "a colour is written like #27343A",
    'sheet = "S"\ndelete_rows = "C"': "delete_rows is written like 5 or 5:7",
    "delete_sheet = true": "a change of sheets needs a sheet",
    'sheet = "S"\nadd_sheet = "T"': "it needs no other",
    'move = "A"': "a column moves after a heading, or before one",
    'add = "A"\nafter = "B"\nbefore = "C"': "after a heading, or before one, not both",
    'add = "A"\nvalue = 1\nbecomes = "[B]"': "not by both",
    'heading = "A"\ntype = "colour"': "'colour' is not a type",
    'at = "B3"\nwhere = "[A] = 1"\nvalue = 1': "where chooses rows below headings",
    'summary = { to = "T", rows = ["A"] }': "a summary has values, or formulas",
    'summary = { to = "T", at = "3", rows = ["A"], values = [{ sum = "B" }] }': "'3' is not a cell",
    'summary = { to = "T", rows = ["A"], values = [{ sum = "B" }] }\nheading = "A"': "a summary is an amendment of its own",
    'below = [{ A = "Total" }]\nvalue = 1': "a change of the list is an amendment of its own",
    'heading = "A"\nlook = { line_above = "thinn" }': "'thinn' is not a line",
    'sheet = "S"\nentries = [{ on = ["A"], at = "B2", one_of = ["x"] }]': "for columns, or at an area",
    'sheet = "S"\ndelete_rows = "3"\nvalue = 1': "must be an amendment of its own",
    'at = "B3"\nvalu = 1': "write 'value'",
    'replace = { "" = "x" }': "an empty text to look for",
}


@pytest.mark.parametrize("amendment", WRONG)
def test_wrong_amendments_are_told_before_any_file_is_read(amendment, tmp_path, tinquire):
    (tmp_path / "a.toml").write_text(f"[[amend]]\n{amendment}\n")
    outcome = tinquire("amend", rich_file(tmp_path / "rich.xlsx"), "--with", tmp_path / "a.toml", "--list")
    assert outcome.code == 2 and WRONG[amendment] in outcome.err and "a.toml, line" in outcome.err


def test_what_a_change_touches_and_nothing_else_is_new(tmp_path, tinquire):
    """The one cell's bytes, and the request to recalculate: all other parts are as they lay."""
    source = rich_file(tmp_path / "rich.xlsx")
    assert tinquire("amend", source, "--at", "Data!B3", "--value", "7", "--out", tmp_path / "out").code == 0
    old, new = Package.open(source), Package.open(tmp_path / "out" / "rich.xlsx")
    assert old.names() == new.names()
    changed = [part for part in old.names() if old.read(part) != new.read(part)]
    assert changed == ["xl/workbook.xml", "xl/worksheets/sheet1.xml"]
    sheet = old.read("xl/worksheets/sheet1.xml")
    assert new.read("xl/worksheets/sheet1.xml") == sheet.replace(b'<c r="B3"><v>3</v>', b'<c r="B3"><v>7</v>')


def test_many_files_at_once(tmp_path, tinquire):
    """Results keep their folders; a bad file stops no other; originals are kept in place; several processes agree."""
    for n in range(5):
        (tmp_path / "in" / f"f{n % 2}").mkdir(parents=True, exist_ok=True)
        rich_file(tmp_path / "in" / f"f{n % 2}" / f"{n}.xlsx")
    (tmp_path / "in" / "bad.xlsx").write_bytes(b"PK\x03\x04 broken")
    (tmp_path / "in" / "~$0.xlsx").write_bytes(b"lock")
    words = ("amend", tmp_path / "in", "--sheet", "Data", "--heading", "Twice", "--formula", "B2*3")
    one = tinquire(*words, "--out", tmp_path / "one")
    assert one.code == 3
    assert "5 files changed, 15 cells; 1 failed" in one.out and "bad.xlsx" in one.out
    two = tinquire(*words, "--out", tmp_path / "two", "--jobs", "2")
    assert two.code == 3
    for n in range(5):
        path = tmp_path / "one" / f"f{n % 2}" / f"{n}.xlsx"
        assert path.read_bytes() == (tmp_path / "two" / f"f{n % 2}" / f"{n}.xlsx").read_bytes()
        assert Workbook.open(path).sheet("Data").value(3, 3) == 9.0, "formulas that are set are worked out"
    assert tinquire(*words, "--out", tmp_path / "one").code == 2, "nothing is written over"
    shutil.rmtree(tmp_path / "two")
    before = (tmp_path / "in" / "f0" / "0.xlsx").read_bytes()
    place = tinquire("amend", tmp_path / "in" / "f0", "--at", "Data!B3", "--value", "8", "--recalc", "--in-place")
    assert place.code == 0
    assert next((tmp_path / "in" / "f0" / "originals").rglob("0.xlsx")).read_bytes() == before
    assert Workbook.open(tmp_path / "in" / "f0" / "0.xlsx").sheet("Data").value(6, 2) == 28.0
    assert "reads another workbook" in place.err


def test_options_stand_for_one_amendment(tmp_path, tinquire):
    source = rich_file(tmp_path / "rich.xlsx")
    listed = tinquire("amend", source, "--heading", "Item", "--matching", "sheet", "--text", "007", "--list")
    assert "'Sheet'" in listed.out and "'007'" in listed.out and "1 file would change, 1 cell" in listed.out
    assert tinquire("amend", source, "--replace", "Tow", "Row", "--list").out.count("'Rowel'") == 1
    both = tinquire("amend", source, "--with", "a.toml", "--at", "B3", "--list")
    assert both.code == 2 and "were given together" in both.err
    assert tinquire("amend", source, "--at", "B3", "--list").code == 2
    assert tinquire("amend", tmp_path / "none*.xlsx", "--at", "B3", "--value", "1", "--list").code == 3


def test_headings_and_cells_changed_together_all_arrive(tmp_path, tinquire):
    """A heading that changes has its sheet written and read again; cells changed before and after it are not lost."""
    (tmp_path / "a.toml").write_text('[[amend]]\nsheet = "Data"\nreplace = { "e" = "E", "T" = "t" }\n')
    made = tinquire(
        "amend", rich_file(tmp_path / "rich.xlsx"), "--with", tmp_path / "a.toml", "--out", tmp_path / "out", "--json"
    )
    changes = json.loads(made.out)[0]["changes"]
    sheet = Workbook.open(tmp_path / "out" / "rich.xlsx").sheet("Data")
    assert {change["cell"] for change in changes} == {"A1", "B1", "C1", "A2", "A3"}
    assert [sheet.value(row, 1) for row in (1, 2, 3, 4)] == ["ItEm", "ShEEt", "towEl", "Apron"]
    assert [sheet.value(1, column) for column in (2, 3)] == ["PiEcEs", "twicE"]
    assert [column.name for column in sheet.tables[0].columns] == ["ItEm", "PiEcEs", "twicE"]
