"""The commands as people use them: the demo whole, each fault with its message and exit code."""

from __future__ import annotations

import csv
import json
import re
import subprocess
import sys
import zipfile
from datetime import UTC, datetime
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from xml.etree import ElementTree

import pypdfium2
import pytest

from tinquire.cli.main import COMMANDS
from tinquire.post.delivery import MailServer, deliver
from tinquire.post.postroom import postroom
from tinquire.workbook import Workbook

PERIOD = ("--period", "2026-10")


# -- the demo's totals, worked out from the raw parts with nothing of ours ---------------------------------


def raw_rows(path: Path) -> list[list[str | None]]:
    """The cells of a workbook's first sheet, read with the standard library alone."""
    with zipfile.ZipFile(path) as archive:
        shared = []
        if "xl/sharedStrings.xml" in archive.namelist():
            root = ElementTree.fromstring(archive.read("xl/sharedStrings.xml"))
            shared = ["".join(text.text or "" for text in item.findall(".//{*}t")) for item in root.findall("{*}si")]
        sheet = ElementTree.fromstring(archive.read("xl/worksheets/sheet1.xml"))
    rows = []
    for row in sheet.iter():
        if not row.tag.endswith("}row"):
            continue
        cells: list[str | None] = []
        for cell in row:
            place = len(cells)
            if letters := re.match("[A-Z]+", cell.get("r", "")):
                place = ord(letters[0]) - 65
            cells += [None] * (place + 1 - len(cells))
            texts = [text.text or "" for text in cell.iter() if text.tag.endswith(("}t", "}v"))]
            value = "".join(texts) if texts else None
            cells[place] = shared[int(value)] if cell.get("t") == "s" and value is not None else value
        rows.append(cells)
    return rows


def independent_charges(job: Path, period: str) -> dict[tuple[str, str], tuple[Decimal, int]]:
    """Charge and count by depot and band, from the source files' own parts."""
    with (job / "lists/rates.csv").open(encoding="utf-8", newline="") as stream:
        rates = {line["Item"]: (line["Band"], Decimal(line["Rate"])) for line in csv.DictReader(stream)}
    discounts = {row[0]: Decimal(row[4] or 0) for row in raw_rows(job / "lists/customers.xlsx")[1:]}
    totals: dict[tuple[str, str], tuple[Decimal, int]] = {}
    seen = set()
    for path in sorted((job / "sources" / period).glob("pickups-*.xlsx")):
        depot = path.stem.partition("-")[2].title()
        rows = raw_rows(path)
        heads = rows[3]
        for row in rows[4:-1]:
            line = dict(zip(heads, row + [None] * 9, strict=False))
            if line["Ticket"] in seen:
                continue
            seen.add(line["Ticket"])
            band, rate = rates[line["Item"]]
            pieces = Decimal(0) if line["Pieces"] == "none" else Decimal(line["Pieces"])
            charge = (pieces * rate * (1 - discounts[line["Customer no"].lstrip("0")])).quantize(
                Decimal("0.01"), ROUND_HALF_UP
            )
            sum_, count = totals.get((depot, band), (Decimal(0), 0))
            totals[depot, band] = (sum_ + charge, count + 1)
    return totals


@pytest.mark.parametrize("period", ["2026-08", "2026-09", "2026-10", "2026-11"])
def test_totals_agree_with_an_independent_sum_over_the_raw_files(job, tinquire, period):
    assert tinquire("run", job / "docket.toml", "-p", period).code == 0
    book = Workbook.open(job / f"out/{period}/Linen pack {period}.xlsx")
    expected = independent_charges(job, period)
    assert len(expected) == 16
    whole = sum(charge for charge, _ in expected.values())
    cover = book.sheet("Cover")
    assert cover.value(5, 5) == pytest.approx(float(whole), abs=1e-6)
    assert cover.value(6, 5) == sum(count for _, count in expected.values())
    pivot = book.sheet("By depot and band")
    bands = {pivot.value(3, column): column for column in range(2, 10, 2)}
    depots = {pivot.value(row, 1): row for row in range(5, 9)}
    for (depot, band), (charge, count) in expected.items():
        assert pivot.value(depots[depot], bands[band]) == pytest.approx(float(charge), abs=1e-6)
        assert pivot.value(depots[depot], bands[band] + 1) == count
    for depot in depots:
        sheet = book.sheet(depot)
        charged = sum(charge for (other, _), (charge, _) in expected.items() if other == depot)
        assert sheet.value(sheet.used.bottom, 9) == pytest.approx(float(charged), abs=1e-6)


def page_texts(path: Path) -> str:
    return " ".join(page.get_textpage().get_text_bounded() for page in pypdfium2.PdfDocument(path))


def test_the_demo_from_nothing_to_kept_mails(tmp_path, tinquire):
    folder = tmp_path / "demo"
    first = tinquire("demo", folder)
    assert first.code == 0
    for text in (
        "2,517 rows from 4 files",
        "11 of 12 checks hold",
        "Linen pack 2026-10.xlsx",
        "by 127.0.0.1",
        "open      first",
        "Statement 1001.pdf to Statement 1040.pdf  (40 files",
        "and 36 more mails: send --list names them all",
    ):
        assert text in first.out
    assert "a ticket was exported twice and counts once" in first.err
    assert len(list((folder / "postroom").glob("*.eml"))) == 44
    whole = sum(charge for charge, _ in independent_charges(folder, "2026-10").values())
    statements = [page_texts(path) for path in sorted((folder / "out/2026-10").glob("Statement *.pdf"))]
    totals = [Decimal(re.search(r"In all\D+[\d,]+\s+£([\d,]+\.\d\d)", text)[1].replace(",", "")) for text in statements]
    assert (len(totals), sum(totals)) == (40, whole)
    assert f"We charged £{whole:,.2f} for" in page_texts(folder / "out/2026-10/Letter to the board 2026-10.pdf")
    again = tinquire("demo", folder)
    assert again.code == 0
    assert "nothing was sent: all of these" in again.out
    assert len(list((folder / "postroom").glob("*.eml"))) == 44
    (tmp_path / "other").mkdir()
    (tmp_path / "other/file.txt").write_text("x")
    assert tinquire("demo", tmp_path / "other").code == 2


def test_the_demo_with_more_rows(tmp_path, tinquire):
    said = tinquire("demo", tmp_path / "demo", "--rows", "6000")
    assert said.code == 0
    assert "6,000 rows" in said.out or "6,001 rows" in said.out


def test_running_twice_gives_the_same_bytes(job, tinquire):
    def outputs():
        return {
            path.name: path.read_bytes()
            for folder in ("out", "outbox")
            for path in (job / folder).rglob("*")
            if path.is_file()
        }

    assert tinquire("run", job / "docket.toml", *PERIOD).code == 0
    first = outputs()
    assert len(first) == 14
    assert tinquire("run", job / "docket.toml", *PERIOD, "--fresh").code == 0
    assert outputs() == first


def test_a_fifth_depot_is_picked_up_without_editing(job, tinquire):
    harbour = job / "sources/2026-10/pickups-harbour.xlsx"
    added = job / "sources/2026-10/pickups-eastquay.xlsx"
    added.write_bytes(harbour.read_bytes())
    said = tinquire("check", job / "docket.toml", *PERIOD)
    assert said.code == 1
    assert "it is the same as sources/2026-10/pickups-eastquay.xlsx, byte for byte" in said.err
    book = Workbook.open(harbour)
    book.sheet("Pickups").set(1, 1, "Exported again")
    book.save(added)
    # Its tickets are Harbour's, so they count once, and Harbour has none left; the file itself must be read.
    said = tinquire("check", job / "docket.toml", *PERIOD)
    assert said.code == 1 and "the report is empty" in said.err
    docket = (
        (job / "docket.toml").read_text("utf-8").replace('sheets = ["View"]', 'sheets = ["View"]\nallow_empty = true')
    )
    (job / "docket.toml").write_text(docket, "utf-8")
    said = tinquire("check", job / "docket.toml", *PERIOD, "--json")
    answer = json.loads(said.out)
    assert Path(answer["sources"]["pickups"][0]["file"]).name == "pickups-eastquay.xlsx"
    assert (job / "docket.toml").read_text("utf-8") == docket


def test_check_writes_nothing(job, tinquire):
    before = sorted(job.rglob("*"))
    said = tinquire("check", job / "docket.toml", *PERIOD)
    assert (said.code, sorted(job.rglob("*"))) == (0, before)
    assert "no errors; 1 warning" in said.out
    assert (
        "would be  Linen pack 2026-10.xlsx, Dashboard 2026-10.xlsx, Depot view 2026-10.xlsx, Depot view -" in said.out
    )


def test_next_period_needs_no_editing(job, tinquire):
    docket = (job / "docket.toml").read_bytes()
    assert tinquire("run", job / "docket.toml", "-p", "2026-11").code == 0
    assert (job / "docket.toml").read_bytes() == docket
    history = json.loads(tinquire("history", job, "--json").out)
    assert [run["period"] for run in history] == ["2026-11"]


# -- faults ----------------------------------------------------------------------------------------------

FAULTS = [
    # name, docket changes, exit code, where (the line of a text after @), why, do
    ("a pattern that matches nothing", [("pickups-*.xlsx", "pickup-*.xlsx")], 3, "docket.toml, line 12", "no file matches 'sources/2026-10/pickup-*.xlsx'", "ledger-2026-10.csv"),
    ("a missing column", [('unique = ["Ticket"]', 'unique = ["Tiket"]')], 1, "", "no column 'Tiket': the nearest is 'Ticket'", "write the heading"),
    ("a missing column in a type", [('Pieces = "whole"', 'Peices = "whole"')], 1, "pickups-harbour.xlsx", "no file has a column 'Peices': the nearest is 'Pieces'", "write the heading"),
    ("a word where a number belongs", [("read_as = { Pieces = { none = 0 } }", "")], 1, "pickups-millrace.xlsx, sheet 'Pickups', cells E177", "'none' is not a number", "read_as"),
    ("an ambiguous date", [('"date dmy"', '"date"')], 1, "pickups-harbour.xlsx, sheet 'Pickups', cells B5", "could be 1 October 2026 or 10 January 2026", "for day first"),
    ("an unfilled slot", [('discount_given   = { is = "SUMPRODUCT(charges[Pieces], charges[Rate]) - total_charged", type = "money" }', "")], 1, "templates/pack.xlsx, sheet 'Cover', cell E10", "no value for [:discount given as money:]", "add a figure"),
    ("a bad docket key", [("totals_across", "total_across")], 2, "@total_across", "no key 'total_across' in pivots.by_depot", "write 'totals_across'"),
    ("a bad period", [('period = "month"', 'period = "week"')], 2, "", "'2026-10' is a month, the docket wants a week", "2026-W43"),
    ("a missing attachment", [('attach  = ["pack", "dashboard", "views"]', 'attach  = ["pack", "lists/terms.pdf"]')], 1, "@attach  =", "the attachment 'lists/terms.pdf' is neither", "put the file there"),
    ("a check that fails", [("ROUND(total_charged - ledger_income, 2) = 0", "ROUND(total_charged, 2) = 0")], 1, "@ledger_agrees ", "the charges are not what the ledger says", "find the rows"),
    ("an error in a figure", [('"MAX(charges[Charge])"', '"1/(pickups_charged-ROWS(charges))"')], 1, "@largest_charge ", "gives #DIV/0!", "fix the formula"),
    ("a missing template", [("templates/pack.xlsx", "templates/cover.xlsx")], 2, "@template =", "no template 'templates/cover.xlsx'", "put it there"),
    ("a missing source file", [("lists/rates.csv", "lists/rate.csv")], 3, "docket.toml, line 19", "no file 'lists/rate.csv': the nearest is 'rates.csv'", "put it there"),
    ("a living formula without its columns", [('"Pieces", "Rate", "Discount", "Charge"]\nformulas    = "living"\ntotals      = { Pieces = "sum", Charge = "sum" }\ntotal_label = "All', '"Pieces", "Rate", "Charge"]\nformulas    = "living"\ntotals      = { Pieces = "sum", Charge = "sum" }\ntotal_label = "All')], 2, "@[[workbooks.pack.sheets]]", "needs the column 'Discount' on its sheet", 'formulas = "values"'),
    ("an unfilled slot in a mail", [("[:Name before ' ':]", "[:Nme before ' ':]")], 2, "@[mails.managers]", "there is no name 'Nme': the nearest is 'Name'", "fix the slot"),
    ("figures that use each other", [('"SUM(charges[Charge])"', '"average_charge"')], 2, "docket.toml", "the figures total_charged", "remove the circle"),
    ("an output over its own input", [('name     = "Linen pack [:period:].xlsx"', 'name = "pack.xlsx"'), ('style  = "house.toml"', 'style = "house.toml"\nout = "templates"')], 2, "docket.toml", "over one of its own inputs", "another name"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "code", "where", "why", "do"), [case[1:] for case in FAULTS], ids=[case[0] for case in FAULTS]
)
def test_fault(edit_docket, job, tinquire, changes, code, where, why, do):
    path = edit_docket(*changes)
    said = tinquire("run", path, *PERIOD)
    assert said.code == code, said.err
    blocks = [block for block in said.err.split("\n\n") if why in block]
    assert len(blocks) == 1, said.err
    parts = dict(line.split(None, 1) for line in blocks[0].splitlines() if line.strip())
    assert list(parts) == [label for label in ("stopped", "where", "why", "do") if label in parts]
    if where.startswith("@"):
        text = path.read_text("utf-8")
        where = f"docket.toml, line {text.count(chr(10), 0, text.index(where[1:])) + 1}"
    assert where in parts.get("where", "")
    assert do in parts["do"]
    assert not (job / "out").exists()
    assert not (job / "outbox").exists()
    assert tinquire("check", path, *PERIOD).code == code


FILES = [
    # file, what it becomes, exit code, why
    ("sources/2026-10/pickups-harbour.xlsx", lambda data: data[: len(data) // 2], 3, "cut short or damaged"),
    ("sources/2026-10/pickups-harbour.xlsx", lambda data: b"Ticket;Pieces\n", 3, "not a workbook, whatever its name says"),
    ("sources/2026-10/pickups-harbour.xlsx", lambda data: b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 99, 3, "old binary kind"),
    ("lists/rates.csv", lambda data: data.replace(b"Tea towel", b"Tee towel"), 1, "'Tea towel' is not in column 'Item' of lists/rates.csv (112 rows in all); the nearest is 'Tee towel'"),
    ("lists/rates.csv", lambda data: data + b"X-1,Apron,Workwear,1.00\r\n", 1, "'Apron' occurs 2 times in 'rates'"),
    ("lists/rates.csv", lambda data: data.replace(b"0.62", b"O.62"), 1, "'O.62' is not a number"),
    ("lists/customers.xlsx", lambda data: b"", 3, "it is empty"),
    ("sources/2026-10/ledger-2026-10.csv", lambda data: data.replace(b"-60858,46", b"-60858,47"), 1, "the charges are not what the ledger says"),
    ("house.toml", lambda data: data.replace(b'"woad"', b'"woda"'), 2, "'woda' is not a colour: the nearest is 'woad'"),
    ("templates/pack.xlsx", lambda data: data[:-30], 3, "cut short or damaged"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "change", "code", "why"), FILES, ids=[f"{case[0]}: {case[3]}"[:70] for case in FILES])
def test_bad_file(job, tinquire, name, change, code, why):
    path = job / name
    path.write_bytes(change(path.read_bytes()))
    said = tinquire("run", job / "docket.toml", *PERIOD)
    assert (said.code, why in said.err) == (code, True), said.err
    assert not (job / "out").exists()


def test_all_that_is_wrong_is_said_at_once(edit_docket, tinquire):
    """Faults of the sources do not hide those of the outputs that can be told without rows."""
    path = edit_docket(
        ("read_as = { Pieces = { none = 0 } }", ""),
        ('"date dmy"', '"date"'),
        ("lists/managers.csv", "lists/manager.csv"),
        ("largest_charge ", "larges_charge "),
        ('attach  = ["pack", "dashboard", "views"]', 'attach  = ["pack", "terms.pdf"]'),
    )
    said = tinquire("check", path, *PERIOD)
    assert said.code == 3
    for text in (
        "'none' is not a number",
        "could be 1 October",
        "no file 'lists/manager.csv'",
        "no value for [:largest charge",
        "attachment 'terms.pdf'",
    ):
        assert text in said.err
    assert said.err.count("stopped   ") == 5


def test_an_output_that_cannot_be_written(job, tinquire):
    blocked = job / "out/2026-10/Linen pack 2026-10.xlsx"
    blocked.mkdir(parents=True)
    said = tinquire("run", job / "docket.toml", *PERIOD)
    assert said.code == 3
    assert "where     " + str(blocked) in said.err
    assert not (job / "outbox").exists() or not any((job / "outbox").rglob("*.eml"))


def test_faults_in_json(job, tinquire):
    said = tinquire("run", job / "docket.toml", "--period", "2026-12", "--json")
    answer = json.loads(said.out)
    assert answer["exit_code"] == said.code == 3
    assert answer["faults"][0]["stopped"] == "source 'pickups'"


# -- the other commands ----------------------------------------------------------------------------------


def test_send_lists_sends_and_sends_nothing_twice(job, tinquire, tmp_path):
    assert tinquire("send", job / "docket.toml", *PERIOD).code == 1
    tinquire("run", job / "docket.toml", *PERIOD)
    listed = tinquire("send", job / "docket.toml", *PERIOD, "--list")
    assert listed.out.count("ready") == 6, "four mails, and two files for the board's folder"
    with postroom(tmp_path / "room", 0) as (keeper, port):
        where = f"127.0.0.1:{port}"
        assert tinquire("send", job / "docket.toml", *PERIOD, "--server", where).out.count("@") == 4
        assert "nothing was sent: all of these" in tinquire("send", job / "docket.toml", *PERIOD, "--server", where).out
        assert len(keeper.kept) == 4
        kept = keeper.kept[0].read_bytes()
        assert kept.startswith(b"X-Envelope-From: desk@larkfold.example")
        deliver(MailServer("127.0.0.1", port), kept, datetime.now(UTC))
        assert len(keeper.kept) == 5
    assert json.loads(tinquire("send", job / "docket.toml", *PERIOD, "--list", "--json").out)[0]["state"] == "sent"
    refused = tinquire("send", job / "docket.toml", *PERIOD, "--again", "--server", f"127.0.0.1:{port}")
    assert (refused.code, "no connection" in refused.err) == (3, True)
    assert tinquire("send", job / "docket.toml", *PERIOD, "--server", "nowhere").code == 2


def test_passwords_come_from_the_environment(edit_docket, job, tinquire, monkeypatch):
    path = edit_docket(("port   = 2525", 'port = 2525\nuser = "desk"\npassword_from = "LINEN_PASSWORD"'))
    tinquire("run", path, *PERIOD)
    monkeypatch.delenv("LINEN_PASSWORD", raising=False)
    assert "LINEN_PASSWORD is not set" in tinquire("send", path, *PERIOD).err


def test_show_says_what_is_in_a_workbook(job, tinquire):
    tinquire("run", job / "docket.toml", *PERIOD)
    pack = job / "out/2026-10/Linen pack 2026-10.xlsx"
    said = tinquire("show", pack, "--rows", "6")
    for text in (
        "By depot and band",
        "A1:J2520",
        "Charges A3:J2520",
        "names     print titles (sheet Charges) = Charges!$3:$3",
        "£60,858.46",
        "Quayside Dental",
    ):
        assert text in said.out
    answer = json.loads(tinquire("show", pack, "--sheet", "harbour", "--json").out)
    assert [(sheet["name"], sheet["rows"], sheet["formulas"], sheet["errors"]) for sheet in answer["sheets"]] == [
        ("Harbour", 566, 545, 0)
    ]
    assert tinquire("show", pack, "--sheet", "Habour").err.count("the nearest is 'Harbour'") == 1
    assert "no separator cuts its lines" in tinquire("show", job / "docket.toml").err


def test_print_writes_a_page(job, tinquire, tmp_path):
    tinquire("run", job / "docket.toml", *PERIOD)
    pack = job / "out/2026-10/Linen pack 2026-10.xlsx"
    page = tmp_path / "page.html"
    assert tinquire("print", pack, "--to", page, "--rows", "20").code == 0
    text = page.read_text("utf-8")
    for piece in (
        "<h2>By depot and band</h2>",
        "£60,858.46",
        "background: #27343A",
        'colspan="2"',
        "and 2,500 more rows",
        "border-bottom: 1px dotted #8A979C",
    ):
        assert piece in text
    assert tinquire("print", pack, "--to", tmp_path / "page.doc").code == 2
    assert tinquire("print", pack, "--to", page, "--sheet", "Nope").code == 1


def test_a_page_shows_text_as_text(tmp_path, tinquire):
    from parts import written

    rows = '<row r="1"><c r="A1" t="inlineStr"><is><t>&lt;script&gt;x&lt;/script&gt;</t></is></c><c r="B1" t="b"><v>1</v></c></row>'
    page = tmp_path / "page.html"
    assert tinquire("print", written(tmp_path / "w.xlsx", rows), "--to", page).code == 0
    assert "&lt;script&gt;" in page.read_text("utf-8")
    assert "<script>" not in page.read_text("utf-8")


@pytest.mark.parametrize("name", COMMANDS)
def test_every_command_has_help_with_an_example(tinquire, name):
    said = tinquire(name, "--help")
    assert said.code == 0
    assert f"tinquire {name}" in said.out.split("example:")[1]


@pytest.mark.parametrize(
    ("words", "code", "text"),
    [(["--help"], 0, "exit codes: 0 done"), (["--version"], 0, "tinquire 0."), ([], 0, "commands:"), (["rnu"], 2, "the nearest is 'run'"), (["run", "--prd"], 2, "stopped   reading the command line"),
     (["docket", "--schema"], 0, "json-schema.org"), (["history", "."], 0, "none yet"), (["run", "d.toml", "-p", "2026-10"], 3, "no such file")],
)  # fmt: skip
def test_at_the_edge(tinquire, tmp_path, monkeypatch, words, code, text):
    monkeypatch.chdir(tmp_path)
    said = tinquire(*words)
    assert (said.code, text in said.out + said.err) == (code, True)


def test_help_imports_nothing_heavy():
    script = "import sys; from tinquire.cli.main import main; main(['--version']) if 0 else None; main([]); print(sorted(sys.modules))"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    loaded = done.stdout.rpartition("[")[2]
    assert not any(
        f"'{name}'" in loaded for name in ("numpy", "lxml", "pydantic", "rich", "tinquire.press", "tinquire.cells")
    )


def test_the_command_that_was_installed(tmp_path):
    done = subprocess.run(
        [str(Path(sys.executable).parent / "tinquire"), "demo", "d"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0
    assert "\x1b" not in done.stdout + done.stderr
    assert "open      first d/out/2026-10/Linen pack 2026-10.xlsx" in done.stdout
    assert (tmp_path / "d/daybook.sqlite").exists()
