"""recalc, trace and audit on files, as they are called."""

from __future__ import annotations

import json
import sqlite3

import pytest

from books import book_of
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate

SHEETS = {
    "Rates": {"A1": "Band", "B1": "Rate", "A2": "bed", "B2": 0.5, "A3": "bath", "B3": 0.25},
    "Work": {
        "A1": "Band", "B1": "Pieces", "C1": "Charge",
        "A2": "bed", "B2": 10.0, "C2": "=B2*VLOOKUP(A2,Rates!$A$2:$B$3,2,FALSE)",
        "A3": "bath", "B3": 4.0, "C3": "=B3*VLOOKUP(A3,Rates!$A$2:$B$3,2,FALSE)",
        "A4": "All", "C4": "=SUM(C2:C3)", "D4": "=TODAY()",
    },
}  # fmt: skip


@pytest.fixture
def path(tmp_path):
    book = book_of(SHEETS)
    recalculate(book, now=46_320.0)
    book.save(tmp_path / "work.xlsx")
    return tmp_path / "work.xlsx"


def test_a_workbook_that_is_right_is_said_to_be(tinquire, path):
    before = path.read_bytes()
    outcome = tinquire("recalc", path, "--check", "--now", "2026-10-25")
    assert (outcome.code, path.read_bytes()) == (0, before)
    assert "formulas  4, 0 results differ from what was stored" in outcome.out
    assert "volatile  Work!D4: it depends on TODAY" in outcome.out


def test_a_changed_input_shows_what_it_moves_and_nothing_is_written(tinquire, path):
    before = path.read_bytes()
    outcome = tinquire("recalc", path, "--check", "--now", "2026-10-25", "--set", "Rates!B2=0.6")
    assert (outcome.code, path.read_bytes()) == (1, before)
    assert "2 results differ" in outcome.out
    lines = [line.split() for line in outcome.out.splitlines() if line.startswith("Work!")]
    assert lines == [["Work!C2", "bed,", "Charge", "5", "6", "+1"], ["Work!C4", "All,", "Charge", "6", "7", "+1"]]


@pytest.mark.parametrize("only", [(), ("--only-changed",)])
def test_results_are_written_to_another_file_or_in_place(tinquire, path, tmp_path, only):
    out = tmp_path / "out.xlsx"
    assert tinquire("recalc", path, "--set", "'Work'!B2=20", "--out", out, "--now", "2026-10-25", *only).code == 0
    assert Workbook.open(out).sheet("Work").column(3, 2, 4).to_list() == [10.0, 1.0, 11.0]
    outcome = tinquire("recalc", path, "--set", "Work!A2=bath", "--in-place", "--json", "--now", "2026-10-25", *only)
    answer = json.loads(outcome.out)
    assert answer["changes"][0] | {"moved": 0} == {"sheet": "Work", "cell": "C2", "was": "5.0", "is": "2.5", "moved": 0}
    assert Workbook.open(path).sheet("Work").value(4, 3) == 3.5
    assert next((tmp_path / "originals").rglob("work.xlsx"))
    assert tinquire("recalc", path, "--out", out).code == 2
    words = ("--decimal", ",", "--dates", "day-first", "--set", "Work!B2=20", "--now", "2026-10-25")
    assert tinquire("recalc", path, "--out", out.with_name("notation.xlsx"), *words).code == 0


def test_errors_are_led_back_to_where_they_began(tinquire, path):
    outcome = tinquire("recalc", path, "--set", "Work!A2=nothing", "--check", "--now", "2026-10-25")
    assert outcome.code == 1
    assert "error     Work!C2: it gives #N/A  =B2*VLOOKUP" in outcome.out
    assert "error     Work!C4: it gives #N/A, which began in Work!C2  =SUM(C2:C3)" in outcome.out


@pytest.mark.parametrize(
    ("words", "code", "says"),
    [
        (("--check", "--set", "B2"), 2, "names no cell and value"),
        (("--check", "--set", "Nowhere!B2=1"), 1, "no sheet 'Nowhere'"),
        (("--check", "--only-changed"), 2, "needs an input"),
        (("--check", "--now", "soon"), 2, "is not a date and time"),
        ((), 2, "required"),
    ],
)
def test_wrong_use_is_told(tinquire, path, words, code, says):
    outcome = tinquire("recalc", path, *words)
    assert outcome.code == code
    assert says in outcome.err


def test_rings_and_broken_files_stop_one_workbook_and_not_the_others(tinquire, path, tmp_path):
    book_of({"S": {"A1": "=B1", "B1": "=A1"}}).save(tmp_path / "ring.xlsx")
    (tmp_path / "broken.xlsx").write_bytes(b"PK\x03\x04")
    outcome = tinquire("recalc", tmp_path, "--check", "--now", "2026-10-25")
    assert outcome.code == 3
    assert "circular reference: S!A1 -> S!B1 -> S!A1" in outcome.err
    assert "0 results differ" in outcome.out
    assert tinquire("recalc", tmp_path / "ring.xlsx", "--check").code == 1


def test_a_number_is_traced_to_what_it_was_made_of(tinquire, path):
    outcome = tinquire("trace", path, "Work!C2", "--to-data")
    assert outcome.code == 0
    lines = outcome.out.splitlines()
    assert lines[0] == "Work!C2  bed, Charge = 5"
    assert lines[1:5] == [
        "│  =B2*VLOOKUP(A2,Rates!$A$2:$B$3,2,FALSE)",
        "│  = [Pieces]*VLOOKUP([Band],[Band to Rate],2,FALSE)",
        "├─ Work!B2  bed, Pieces = 10",
        "├─ Work!A2  Band = bed",
    ]
    assert lines[-2].split() == ["2", "bed", "0.5"]
    assert lines[-1] == "used      1 row of Rates, all of them above"
    answer = json.loads(tinquire("trace", path, "Work!C4", "--json").out)
    assert [one["place"] for one in answer["inputs"]] == ["Work!C2", "Work!C3"]


def test_what_reads_a_number_is_traced_the_other_way(tinquire, path):
    outcome = tinquire("trace", path, "Rates!B2", "--dependents")
    assert "read by   Work!C2:C3  Charge = 2 cells  =B2*VLOOKUP(A2,Rates!$A$2:$B$3,2,FALSE)" in outcome.out
    assert "no formula of this workbook" in tinquire("trace", path, "Rates!Z9", "--dependents").out
    assert tinquire("trace", path, "no cell").code == 2


def test_an_audit_lists_what_looks_wrong(tinquire, path, tmp_path):
    assert "nothing that looks wrong" in tinquire("audit", path, "--check").out
    book_of(
        {"S": {"A1": "x", "A2": 1.0, "A3": 2.0, "B1": "=SUM(A2:A2)+VLOOKUP(1,A2:A3,1)", "B2": "=MATCH(1,A2:A3)"}}
    ).save(tmp_path / "odd.xlsx")
    outcome = tinquire("audit", tmp_path / "odd.xlsx", "--check", "--rows", "1")
    assert outcome.code == 1
    assert "lookup    S!B1: VLOOKUP does not state how it matches, so it takes the nearest" in outcome.out
    assert "and 1 more; --rows lists more" in outcome.out
    assert "in all    2 findings: 2 lookup" in outcome.out
    assert [one["cell"] for one in json.loads(tinquire("audit", tmp_path / "odd.xlsx", "--json").out)] == ["B1", "B2"]


def test_the_demo_pack_recalculates_to_itself_and_has_nothing_odd(tinquire, job):
    assert tinquire("run", job / "docket.toml", "-p", "2026-10").code == 0
    (pack,) = (job / "out" / "2026-10").glob("Linen*.xlsx")
    assert tinquire("recalc", pack, "--check").code == 0
    assert tinquire("audit", pack, "--check").code == 0
    outcome = tinquire("trace", pack, "Cover!C19", "--to-data", "--rows", "3")
    assert "= SUMIFS(Charges[Charge],Charges[Depot],[Depots])" in outcome.out
    assert "rows of Charges, the first 3 above" in outcome.out


def test_a_trace_goes_on_into_the_sources_of_the_run(tinquire, job):
    with sqlite3.connect(job / "daybook.sqlite") as before:  # one of an earlier version gets what it lacks
        before.execute("CREATE TABLE made (run INTEGER, output TEXT, file TEXT, digest TEXT)")
        before.execute("CREATE TABLE read (run INTEGER, source TEXT, file TEXT, rows INTEGER, digest TEXT)")
        before.execute("CREATE TABLE run (id INTEGER PRIMARY KEY, docket TEXT, period TEXT, at TEXT, tool TEXT)")
        before.execute("PRAGMA user_version = 1")
    for _ in range(2):  # of the older run's origins none stay
        assert tinquire("run", job / "docket.toml", "-p", "2026-10").code == 0
    with sqlite3.connect(job / "daybook.sqlite") as book:
        assert book.execute("SELECT count(DISTINCT digest) FROM cells_of").fetchone() == (3,)
    (pack,) = (job / "out" / "2026-10").glob("Linen*.xlsx")
    made = Workbook.open(pack).sheet("Charges")
    for row in (4, 700, 1500, 2519):
        step = json.loads(tinquire("trace", pack, f"Charges!G{row}", "--json").out)
        ((file, sheet, number),) = step["sources"][0]["rows"]
        source = Workbook.open(job / file).sheet(sheet)
        values = [source.value(int(number), column) for column in range(1, source.used.right + 1)]
        assert made.value(row, 7) in values or "none" in values
        assert made.value(row, 1) in file.title()
    for label in ("Charges!G3", "By depot and band!A5", "By depot and band!B3", "Position!A16", "Cover!B5"):
        assert json.loads(tinquire("trace", pack, label, "--json").out)["sources"] == [], label
    for cell, says in (
        ("Position!B16", "from statement 'position', account 2100: sources/2026-10/ledger-2026-10.csv, row 7"),
        ("Cover!E5", "from figure 'total_charged' = SUM(charges[Charge])\n   from SUM(charges[Charge]): 2,516 rows: "),
        (
            "Cover!E8",
            "from figure 'average_charge' = total_charged / pickups_charged\n   from figure 'total_charged' = ",
        ),
        (
            "Customers!B4",
            "from pivot 'by_customer': 85 rows: sources/2026-10/pickups-northgate.xlsx, sheet 'Pickups', ",
        ),
        ("Charges!J2520", "from the sum of Charge of table 'charges': 2,516 rows: sources/2026-10/pickups-harbour"),
    ):
        assert says in tinquire("trace", pack, cell, "--depth", "0").out, cell
    lost = tinquire("trace", pack, "By depots!B3")
    assert lost.code == 2 and "it has no sheet 'By depots'" in lost.err
    listed = tinquire("trace", pack, "Cover!C19", "--to-data", "--rows", "1").out
    assert "sources/2026-10/pickups-northgate.xlsx, sheet 'Pickups', row 5" in listed
    pack.write_bytes(pack.read_bytes() + b"\0")  # no longer what the run made
    assert "pickups-" not in tinquire("trace", pack, "Charges!G10").out


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("split", "good/a.xlsx", "--out", "out/parts"), "Work.xlsx"),
        (("recalc", "good", "bad", "--set", "Rates!B2=0.75", "--out", "out/again"), "part 'xl/styles.xml' is damaged"),
        (("recalc", "good", "bad", "--set", "Rates!B2=0.75", "--in-place"), "part 'xl/styles.xml' is damaged"),
        (("values", "bad/b.xlsx", "--out", "out/v.xlsx"), "part 'xl/styles.xml' is damaged"),
    ],
)
def test_a_command_that_stops_leaves_nothing_behind(tinquire, path, tmp_path, monkeypatch, words, why):
    """The second sheet's file is there already; the second workbook has a part whose checksum is wrong."""
    for name in ("good", "bad", "out/parts"):
        (tmp_path / name).mkdir(parents=True)
    data = path.rename(tmp_path / "good/a.xlsx").read_bytes()
    (tmp_path / "good/c.xlsx").write_bytes(data)
    at = data.index(b"PK\x01\x02")
    while data[at + 46 : at + 59] != b"xl/styles.xml":
        at = data.index(b"PK\x01\x02", at + 1)
    (tmp_path / "bad/b.xlsx").write_bytes(data[: at + 16] + b"\x00\x01\x02\x03" + data[at + 20 :])
    if words[0] == "split":
        (tmp_path / "out/parts/Work.xlsx").write_bytes(b"another")
    before = {file: file.read_bytes() if file.is_file() else b"" for file in tmp_path.rglob("*")}
    monkeypatch.chdir(tmp_path)
    outcome = tinquire(*words)
    assert outcome.code and why in outcome.err
    after = {file: file.read_bytes() if file.is_file() else b"" for file in tmp_path.rglob("*")}
    if "--in-place" in words:  # the folder of originals may have been begun
        assert not [file for file in after if "originals" in str(file) and file.is_file()]
    assert {key: value for key, value in after.items() if "originals" not in str(key)} == before
