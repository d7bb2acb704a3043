"""Pivots of a docket as pivot tables of the file format, and the commands that make and refresh them."""

import json

import pytest

from tinquire.base.faults import TinQuireError
from tinquire.cells.column import Column
from tinquire.docket import load_docket, parse_period
from tinquire.packages.package import Package
from tinquire.press.make import make
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.inspect.contents import BookDetails
from tinquire.workbook.pivots.refresh import refresh_pivots

ROWS = "Depot,Band,Day,Item,Charge,Pieces\n" + "".join(
    f"{depot},{band},2026-10-{n:02},{item},{n * 1.25},{n % 4}\n"
    for n, (depot, band, item) in enumerate(
        [("Harbour", "Bed", "Sheet"), ("Uplands", "Bath", "Towel"), ("Harbour", "Bath", "Towel"), ("Millrace", "Bed", ""),
         ("Harbour", "Table", "Napkin"), ("Uplands", "Bed", "Sheet"), ("Millrace", "Bath", "Bath mat")], start=1)
)  # fmt: skip
DOCKET = """
title = "T"
period = "month"
sources.rows.file = "rows.csv"
sources.rows.types = {{ Day = "date", Charge = "money", Pieces = "whole" }}
[pivots.p]
from = "rows"
{pivot}
[workbooks.w]
name = "out.xlsx"
sheets = [
  {{ name = "Rows", table = "rows", totals = {{ Charge = "sum" }} }},
  {{ name = "{sheet}", pivot = "p", formulas = "pivot"{more} }},
]
"""
SHAPES = {
    "one field": 'rows = ["Depot"]\nvalues = [{ sum = "Charge" }]\ntotals = "All"',
    "no totals": 'rows = ["Depot"]\nvalues = [{ average = "Charge", as = "Mean" }]',
    "two fields with subtotals": 'rows = ["Depot", "Band"]\nvalues = [{ sum = "Charge", as = "C" }, { count = "Item", as = "N" }]\nsubtotals = { name = "{} together" }\ntotals = "All"',
    "three fields": 'rows = ["Depot", "Band", "Item"]\nvalues = [{ largest = "Charge", as = "L" }]\nsubtotals = {}\ntotals = "All"',
    "across": 'rows = ["Depot"]\ncolumns = ["Band"]\nvalues = [{ sum = "Charge", as = "C" }]\nempty = 0\ntotals = "All"\ntotals_across = "All"',
    "across with values": 'rows = ["Band"]\ncolumns = ["Depot"]\nvalues = [{ sum = "Charge", as = "C" }, { smallest = "Pieces", as = "S" }]\ntotals_across = "All"',
    "sorted": 'rows = [{ field = "Depot", sort = "-C" }]\nvalues = [{ sum = "Charge", as = "C" }]\ntotals = "All"',
    "an order": 'rows = [{ field = "Band", order = ["Table", "Bath"] }]\nvalues = [{ sum = "Charge", as = "C" }]',
    "shares": 'rows = ["Depot"]\ncolumns = ["Band"]\nvalues = [{ sum = "Charge", as = "S", show = "share of row" }]\nempty = 0\ntotals = "All"',
    "days and blanks": 'rows = ["Day", "Item"]\nvalues = [{ deviation = "Charge", as = "D" }, { product = "Pieces", as = "P" }]\ntotals = "All"',
}  # fmt: skip


def made(folder, pivot, sheet="P", more=""):
    (folder / "rows.csv").write_text(ROWS, "utf-8")
    (folder / "docket.toml").write_text(DOCKET.format(pivot=pivot, sheet=sheet, more=more), "utf-8")
    path = folder / "out.xlsx"
    path.write_bytes(make(load_docket(folder / "docket.toml"), parse_period("2026-10")).outputs[0].data)
    assert conformance_findings(Package.open(path)) == []
    return Workbook.open(path)


@pytest.mark.parametrize("name", SHAPES)
def test_they_show_what_the_pivot_does(tmp_path, name):
    """A run compares every cell with our own pivot; worked out from its parts, nothing is other than it was."""
    book = made(tmp_path, SHAPES[name])
    before = {part: book.package.read(part) for part in book.package.names()}
    done = refresh_pivots(book)
    assert done.left == [] and len(done.pivots) == 1 and not done.changed
    assert before == {part: book.package.read(part) for part in book.package.names()}


def test_other_rows_give_other_cells(tmp_path):
    book = made(tmp_path, SHAPES["two fields with subtotals"])
    sheet = book.sheet("Rows")
    sheet.put(2, 1, Column.from_values(["Quay"] * 7))
    assert refresh_pivots(book).changed
    shown = [book.sheet("P").column(number, 3, 7).to_list() for number in range(1, 5)]
    assert shown[0] == ["Quay", "Quay", "Quay", "Quay together", "All"] and shown[1] == ["Bath", "Bed", "Table", None, None]  # fmt: skip
    assert shown[3] == [3.0, 2.0, 1.0, 6.0, 6.0]


def test_a_page_for_each_value_over_one_cache(tmp_path):
    book = made(tmp_path, SHAPES["one field"], "[:Band:]", ', pages = "Band"')
    assert book.sheet_names() == ["Rows", "Bath", "Bed", "Table"]
    assert sum(name.startswith("xl/pivotCache/pivotCacheDefinition") for name in book.package.names()) == 1
    (pivot,) = BookDetails(book).sheet("Bed").pivots
    assert pivot.above == (("Band", "Bed"),) and [book.sheet("Bed").value(row, 2) for row in range(3, 8)] == ["Charge ", 1.25, 5.0, 7.5, 13.75]  # fmt: skip
    assert not refresh_pivots(book).changed


HINDERED = {
    "a formula": ('values = [{ formula = "SUM([Charge])", as = "F" }]', "its value 'F' is a formula"),
    "a median": ('values = [{ median = "Charge", as = "M" }]', "its value 'M' is median"),
    "a rank": ('values = [{ sum = "Charge", as = "R", show = "rank" }]', "its value 'R' is shown as rank"),
    "a condition": ('where = "[Pieces] > 1"\nvalues = [{ sum = "Charge" }]', "it leaves rows out by 'where'"),
    "groups": ('columns = [{ field = "Day", by = "month" }]\nvalues = [{ sum = "Charge" }]', "its field 'Day' is put into groups"),
    "the first": ('columns = [{ field = "Item", top = 2 }]\nvalues = [{ sum = "Charge" }]', "its field 'Item' is cut"),
    "two names": ('columns = ["Band"]\ntotals = "A"\ntotals_across = "B"\nvalues = [{ sum = "Charge" }]', "are called 'A' and 'B'"),
    "subtotals above": ('subtotals = { where = "above" }\nvalues = [{ sum = "Charge" }]', "its subtotals stand above"),
}  # fmt: skip


@pytest.mark.parametrize("name", HINDERED)
def test_what_the_format_cannot_show_is_said(tmp_path, name):
    pivot, why = HINDERED[name]
    with pytest.raises(TinQuireError) as caught:
        made(tmp_path, f'rows = ["Depot"]\n{pivot}')
    assert any(why in fault.why for fault in caught.value.faults)


def test_from_files_at_hand_and_refreshed(tmp_path, tinquire):
    (tmp_path / "rows.csv").write_text(ROWS, "utf-8")
    out, fresh = tmp_path / "p.xlsx", tmp_path / "fresh.xlsx"
    asked = ("pivot", tmp_path / "rows.csv", "--rows", "Depot", "--columns", "Band", "--sum", "Charge", "--out", out)
    assert tinquire(*asked, "--as", "pivot").code == 0
    assert "'pivot' of Rows; by Depot; across Band; values Charge (sum of Charge)" in tinquire("show", out).out
    book = Workbook.open(out)
    book.sheet("Rows").set(2, 5, 100.0)
    book.save(out)
    assert "its cache has other values than its source" in tinquire("audit", out).out
    said = tinquire("recalc", out, "--pivots", "--out", fresh, "--json")
    (answer,) = json.loads(said.out)["pivots"]["refreshed"]
    assert said.code == 0 and answer["was"].endswith("first in row 1, column 'Charge'")
    again = Workbook.open(fresh)
    assert again.sheet("Pivot").value(6, 5) == 133.75 and tinquire("audit", fresh, "--check").code == 0
    assert tinquire("recalc", out, "--pivots", "--check").code == 1


def test_a_template_is_filled_with_its_pivots(tmp_path, tinquire):
    (tmp_path / "rows.csv").write_text(ROWS, "utf-8")
    (tmp_path / "more.csv").write_text(ROWS + "Quay,Bed,2026-10-09,Bib,1000,1\n", "utf-8")
    template, out = tmp_path / "t.xlsx", tmp_path / "o.xlsx"
    asked = ("pivot", tmp_path / "rows.csv", "--rows", "Depot", "--sum", "Charge", "--out", template)
    assert tinquire(*asked, "--as", "pivot").code == 0
    said = tinquire("fill", template, "--rows", f"Rows={tmp_path / 'more.csv'}", "--out", out)
    assert said.code == 0, said.err
    sheet = Workbook.open(out).sheet("Pivot")
    assert sheet.column(1, 1, 6).to_list() == ["Depot", "Harbour", "Millrace", "Quay", "Uplands", "Total"]
    assert sheet.column(2, 1, 6).to_list() == ["Charge ", 11.25, 13.75, 1000.0, 10.0, 1035.0]
