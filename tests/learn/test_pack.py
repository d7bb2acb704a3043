"""A docket drafted from a pack makes that pack again: tables, pivots, sheets of a value each, totals, figures."""

import csv
import json
import tomllib

import pytest

from tinquire.learn.pack.known import Known
from tinquire.learn.pack.pivots import pivot_of
from tinquire.workbook import Workbook
from tinquire.workbook.inspect.compare import compare

TICKETS = [
    ("ticket", "day", "customer", "item", "pieces"),
    ("T1", "2026-10-01", "7", "bed sheet", "12"), ("T2", "2026-10-02", "9", "hand towel", "30"), ("T3", "2026-10-02", "7", "apron", "4"),
    ("T4", "2026-10-05", "11", "bed sheet", "none"), ("T5", "2026-10-07", "9", "apron", "18"), ("T6", "2026-10-09", "7", "hand towel", "25"),
    ("T2", "2026-10-02", "9", "hand towel", "30"), ("T7", "2026-10-12", "11", "apron", "6"), ("T8", "2026-10-20", "9", "bed sheet", "9"),
]  # fmt: skip
CUSTOMERS = [("number", "name", "off"), ("0007", "Stonebeck Inn", "0.1"), ("0009", "Wharfside Rooms", "0"), ("0011", "Harrow Lodge", "0.05")]  # fmt: skip
RATES = [("item", "band", "rate"), ("bed sheet", "Bed", "1.15"), ("hand towel", "Bath", "0.45"), ("apron", "Work", "0.85")]  # fmt: skip
HEAD = """
title = "Linen"
period = "month"
[sources.tickets]
file = "sources/tickets-[:period:].csv"
types = { ticket = "text", customer = "text", pieces = "whole", day = "date" }
read_as = { pieces = { none = 0 } }
[sources.customers]
file = "lists/customers.csv"
types = { number = "text", off = "percent" }
[sources.rates]
file = "lists/rates.csv"
types = { rate = "money" }
[tables.charges]
from = "tickets"
steps = [
  { unique = ["ticket"], keep = "first" },
  { match = "customers", on = { customer = "number" }, clean = ["zeros"], bring = { name = "Customer", off = "off" } },
  { match = "rates", on = { item = "item" }, bring = ["band", "rate"] },
  { derive = "charge", as = "ROUND([pieces]*[rate]*(1-[off]), 2)", type = "money" },
]
[workbooks.pack]
name = "Linen [:period:].xlsx"
"""
CHARGES = """
[[workbooks.pack.sheets]]
name = "Charges"
table = "charges"
columns = ["ticket", "day", "Customer", "item", "band", "pieces", "rate", "off", "charge"]
"""
#: What a pack has beside the charges, and a word that the drafted docket must have.
PACKS = {
    "charges alone": ("", "ROUND("),
    "a title and totals": ('title = "Charges, [:period.long:]"\ntotals = { pieces = "sum", charge = "sum" }', "totals"),
    "living formulas": ('formulas = "living"', 'formulas = "living"'),
    "marks": ('marks = [{ on = ["pieces"], above = 20, look = "heading" }, { on = ["charge"], bars = "#336699" }]', "marked"),
    "an entry rule": ('entries = [{ on = ["pieces"], kind = "whole", between = [0, 500] }]', "between = [0, 500]"),
    "fewer columns": ('[[workbooks.pack.sheets]]\nname = "Short"\ntable = "charges"\ncolumns = ["ticket", "charge"]', 'columns = ["ticket", "charge"]'),
    "another order": ('[tables.high]\nfrom = "charges"\nsteps = [{ sort = ["-charge"] }]\n[[workbooks.pack.sheets]]\nname = "High"\ntable = "high"\ncolumns = ["ticket", "charge"]', 'sort = ["-charge"]'),
    "some rows": ('[tables.beds]\nfrom = "charges"\nsteps = [{ keep_rows = "[band] = \\"Bed\\"" }]\n[[workbooks.pack.sheets]]\nname = "Beds"\ntable = "beds"\ncolumns = ["ticket", "Customer", "band", "charge"]', "drop_rows"),
    "a sheet for each band": ('[[workbooks.pack.sheets]]\nname = "[:band:]"\ntable = "charges"\nsplit = "band"\ncolumns = ["ticket", "Customer", "pieces", "charge"]', 'split = "band"'),
    "a pivot": ('[pivots.bands]\nfrom = "charges"\nrows = ["band"]\nvalues = [{ sum = "charge" }, { count = "ticket", as = "Tickets" }]\ntotals = "All bands"\n[[workbooks.pack.sheets]]\nname = "Bands"\npivot = "bands"', 'totals = "All bands"'),
    "a pivot across": ('[pivots.grid]\nfrom = "charges"\nrows = ["Customer"]\ncolumns = ["band"]\nvalues = [{ sum = "charge" }]\nempty = 0\ntotals = "Total"\ntotals_across = "Total"\n[[workbooks.pack.sheets]]\nname = "Grid"\npivot = "grid"', 'totals_across = "Total"'),
    "a sorted pivot with shares": ('[pivots.who]\nfrom = "charges"\nrows = [{ field = "Customer", sort = "-Charged" }]\nvalues = [{ sum = "charge", as = "Charged" }, { sum = "charge", as = "Part", show = "share" }]\n[[workbooks.pack.sheets]]\nname = "Who"\npivot = "who"', 'show = "share"'),
    "the largest and the rest": ('[pivots.top]\nfrom = "charges"\nrows = [{ field = "item", top = 2, rest = "All others" }]\nvalues = [{ sum = "pieces" }]\n[[workbooks.pack.sheets]]\nname = "Top"\npivot = "top"', "top = 2"),
    "counts and sums by a list": ('[tables.bands]\nfrom = "rates"\nsteps = [{ keep = ["band"] }, { derive = "n", as = "COUNTIFS(charges[band], [band])" }, { derive = "sum", as = "SUMIFS(charges[charge], charges[band], [band])", type = "money" }, { derive = "part", as = "[sum] / SUM(charges[charge])", type = "percent" }]\n[[workbooks.pack.sheets]]\nname = "By band"\ntable = "bands"', "share"),
    "figures": ('[figures]\nall = { is = "SUM(charges[charge])", type = "money" }\nmany = { is = "ROWS(charges)", type = "whole" }\n[[workbooks.pack.sheets]]\nname = "Cover"\nblocks = [{ figures = { "Charged in all" = "all", "Tickets" = "many" } }]', "SUM(charges[charge])"),
}  # fmt: skip


def job(folder, more):
    for path, lines in {"sources/tickets-2026-10": TICKETS, "lists/customers": CUSTOMERS, "lists/rates": RATES}.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        with (folder / f"{path}.csv").open("w", newline="") as stream:
            csv.writer(stream).writerows(lines)
    (folder / "docket.toml").write_text(HEAD + CHARGES + more + "\n")
    return folder


@pytest.mark.parametrize("name", PACKS)
def test_a_drafted_docket_makes_the_pack_again(name, tmp_path, tinquire):
    more, word = PACKS[name]
    first = job(tmp_path / "first", more)
    assert tinquire("run", first / "docket.toml", "--period", "2026-10").code == 0
    pack = first / "out/2026-10/Linen 2026-10.xlsx"
    second = job(tmp_path / "second", "")
    (second / "docket.toml").unlink()
    said = tinquire("new", second, "--from-last-month", pack, "--title", "Linen", "--json")
    answer = json.loads(said.out)
    assert answer["left"] == [] and answer["period"] == "2026-10"
    text = (second / "docket.toml").read_text()
    assert word in text and tomllib.loads(text)["sources"]["tickets"]["read_as"] == {"pieces": {"none": 0}}
    assert tinquire("run", second / "docket.toml", "--period", "2026-10").code == 0
    made = compare(Workbook.open(pack), Workbook.open(second / "out/2026-10/Linen 2026-10.xlsx"))
    different = [cell for sheet in made.sheets for cell in sheet.cells if cell.kind != "look"]
    assert not different and not made.inserted and not made.removed


def test_the_demo_s_pack_is_explained_but_for_what_it_says(job, tmp_path, tinquire):
    assert tinquire("run", job / "docket.toml", "--period", "2026-10").code == 0
    pack = job / "out/2026-10/Linen pack 2026-10.xlsx"
    (job / "docket.toml").unlink()
    (job / "house.toml").rename(tmp_path / "house.toml")
    said = tinquire("new", "--from-last-month", pack, "--sources", job / "sources", job / "lists", "--json")
    answer = json.loads(said.out)
    assert {one["name"]: one["shows"] for one in answer["sheets"]} == {
        "Cover": "figures", "Charges": "table", "Depots": None, "By depot and band": "pivot", "Customers": "pivot", "Managers": "table", "Harbour": "table",
        "Bands": "pivot", "Depot views": None, "Ledger": "table", "Account lines": "table", "Position": None,
    }  # fmt: skip
    docket = tomllib.loads((job / "docket.toml").read_text())
    steps = docket["tables"]["charges"]["steps"]
    assert steps[-1] == {"derive": "Charge", "as": "ROUND([Pieces]*[Rate]*(1-[Discount]),2)", "type": "money"}
    assert docket["sources"]["pickups"]["stamp"] == {"Depot": "[:file.stem after 'pickups-' as title:]"}
    assert tinquire("check", job / "docket.toml", "--period", "2026-11").code == 0
    assert tinquire("new", job, "--from-last-month", pack).code == 2, "never over a docket"


WRONG = [
    ([], "no folder is named"), (["--sources", "../elsewhere"], "is not in"), (["--sources", "first/gone"], "there is no"), (["--from-last-month", "gone.xlsx"], "there is no such file"),
]  # fmt: skip


@pytest.mark.parametrize(("words", "says"), WRONG)
def test_what_new_says(tmp_path, tinquire, monkeypatch, words, says):
    job(tmp_path / "first", "")
    (tmp_path / "first/docket.toml").unlink()
    monkeypatch.chdir(tmp_path)
    said = tinquire("new", *(["first"] if words else []), *words)
    assert said.code in (2, 3) and says in said.err and not (tmp_path / "first/docket.toml").exists()


ROWS = Known("rows", {"K": ["a", "b", "a", "c"], "N": [1.0, 2.0, 3.0, 4.0], "T": ["x", "x", "y", "y"]}, {"N": "number"})
PIVOTS = [
    (["K", "N"], [["a", 4.0], ["b", 2.0], ["c", 4.0]], {"rows": ["K"], "values": [{"sum": "N"}]}),
    (["K", "Most"], [["a", 3.0], ["b", 2.0], ["c", 4.0]], {"rows": ["K"], "values": [{"largest": "N", "as": "Most"}]}),
    (["K", "N"], [["c", 4.0], ["a", 4.0], ["b", 2.0]], {"rows": [{"field": "K", "sort": "-N"}], "values": [{"sum": "N"}]}),
    (["K", "N"], [["b", 2.0], ["a", 4.0], ["c", 4.0], ["Total", 10.0]], {"rows": [{"field": "K", "sort": "N"}], "values": [{"sum": "N"}], "totals": "Total"}),
    (["K", "N"], [["b", 2.0], ["c", 4.0], ["a", 4.0], ["All of it", 11.0]], None),
    (["K", "x", "y"], [["a", 1.0, 3.0], ["b", 2.0, None], ["c", None, 4.0]], {"rows": ["K"], "columns": ["T"], "values": [{"sum": "N"}]}),
    (["K", "N"], [["a", 4.0], ["b", 2.0]], None), (["K", "N"], [["a", 4.0], ["b", 2.5], ["c", 4.0]], None), (["Z", "N"], [["a", 4.0]], None),
]  # fmt: skip


@pytest.mark.parametrize(("headings", "lines", "keys"), PIVOTS)
def test_blocks_as_pivots(headings, lines, keys):
    assert pivot_of(ROWS.table, headings, lines) == keys
