"""What a new user tried, command by command, on messy files: each came out wrong once, and is right now or stops."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from books import book_of
from tinquire.workbook import Workbook

CODES = "Code,Pieces\nE1,2\nE10,3\n.E2,4\n2E3,5\n"
HOURS = "Name,Hours\nAda,7:30\nBen,38:45\nSumme,46:15\n"
TITLED = "Export of the week\nmade by hand\n\nItem;Fee\nTea;1,50\nSoap;2,50\n"
SPLIT = {"A1": "Depot", "B1": "Fee", "A2": "North", "B2": 1.5, "A3": "South", "B3": 40.0, "A4": "Total", "B4": 41.5}

#: The file, the command (`FILE` is the file), the exit code, and parts of what is said.
CASES = [
    (CODES, ["show", "FILE", "--columns"], 0, ["Code     text", "Pieces   whole"]),
    (CODES, ["stack", "FILE", "--out", "OUT.csv"], 0, ["4 rows"]),
    (CODES, ["pivot", "FILE", "--rows", "Code", "--sum", "Pieces"], 0, ["E10          3", "2E3          5", "Total       14"]),
    (HOURS, ["pivot", "FILE", "--rows", "Name", "--sum", "Hours"], 0, ["read Hours as duration", "its sums agree", "Total   46:15"]),
    (HOURS, ["pivot", "FILE", "--rows", "Name", "--sum", "Hours", "--totals-row", "drop"], 0, ["totals row 4 left out", "Total   46:15"]),
    (HOURS.replace("46:15", "24:00"), ["pivot", "FILE", "--rows", "Name", "--sum", "Hours"], 1, ["24:00"]),
    (TITLED, ["pivot", "FILE", "--rows", "Item", "--sum", "Fee"], 0, ["2 title rows above", "decimal comma", "Total   4.00"]),
    ("Item;Fee\nTea;1.000\nSoap;2.500\n", ["pivot", "FILE", "--rows", "Item", "--sum", "Fee"], 1, ["1.000", "--decimal"]),
    ("A;A;B\n1;2;3\n", ["show", "FILE", "--columns"], 0, ["A (2)", "1 row"]),
    ("Item,Fee\nTea,1\n", ["match", "FILE", "FILE", "--on", "Itme", "--out", "OUT.xlsx"], 1, ["the nearest is 'Item'", "Itme"]),
]  # fmt: skip


@pytest.mark.parametrize(("content", "command", "code", "says"), CASES)
def test_a_first_try(tmp_path, tinquire, content, command, code, says):
    (tmp_path / "f.csv").write_text(content, "utf-8")
    words = [word.replace("FILE", str(tmp_path / "f.csv")).replace("OUT", str(tmp_path / "o")) for word in command]
    outcome = tinquire(*words)
    assert outcome.code == code and "Traceback" not in outcome.err, outcome
    missing = [text for text in says if text not in outcome.out + outcome.err]
    assert not missing, (missing, outcome)


def test_a_word_among_numbers_stops_a_sum_until_it_is_said_what_it_means(job, tinquire):
    files = sorted((job / "sources/2026-10").glob("pickups-*.xlsx"))
    stopped = tinquire("pivot", *files, "--rows", "Item", "--sum", "Pieces")
    assert (
        stopped.code == 1
        and "'none' in it is not a number (7 rows)" in stopped.err
        and '--read-as "none=0"' in stopped.err
    )
    summed = json.loads(
        tinquire("pivot", *files, "--rows", "Item", "--sum", "Pieces", "--read-as", "none=0", "--json").out
    )
    assert list(summed["lines"][-1].values()) == ["Total", 97166]


def test_a_draft_names_things_as_people_do(tmp_path, tinquire):
    for place, branch in enumerate(("Nord", "Süd")):
        text = f"Tag;Artikel;Umsatz\n1{place + 6}.10.2026;Brot;612,00\n"
        (tmp_path / f"Kasse {branch} Verkäufe 2026-10.csv").write_text(text, "utf-8")
    cells = {"A1": "Guard", "B1": "Hours", "A2": "Ada", "B2": "38:45"}
    book_of({"KW 40": cells, "KW 41": cells}).save(tmp_path / "time.xlsx")
    drafted = tinquire("new", tmp_path)
    text = (tmp_path / "docket.toml").read_text("utf-8")
    assert "[sources.kasse_verkaeufe]" in text and 'Tag = "date dmy"' in text and 'Umsatz = "number"' in text, text
    assert 'sheet = "KW *"' in text and 'Hours = "duration"' in text and "KW 40, KW 41" in drafted.out


def test_the_overall_total_is_in_no_part(tmp_path, tinquire):
    book_of({"S": {**SPLIT, "E7": 41.5}}).save(tmp_path / "w.xlsx")
    assert tinquire("split", tmp_path / "w.xlsx", "--by-column", "Depot", "--out", tmp_path / "parts").code == 0
    for part in Path(tmp_path / "parts").glob("*.xlsx"):
        sheet = Workbook.open(part).sheet("S")
        values = [sheet.value(row, column) for row in range(1, 9) for column in range(1, 5)]
        assert 41.5 not in values and (1.5 in values) != (40.0 in values), (part, values)


def test_months_are_compared_row_by_row_and_last_digits_apart(tmp_path, tinquire):
    for name, factor in (("old", 1.0), ("new", 1.1)):
        cells = {"A1": "Depot", "B1": "Fee", **{f"A{n}": f"Depot {n}" for n in range(2, 8)}}
        book_of({"S": {**cells, **{f"B{n}": n * factor for n in range(2, 8)}}}).save(tmp_path / f"{name}.xlsx")
    told = tinquire("compare", tmp_path / "old.xlsx", tmp_path / "new.xlsx", "--key", "Depot").out
    assert "6 values" in told and "inserted" not in told and "Depot 2, Fee" in told and "+10.0%" in told, told
    book = book_of({"S": {"A1": 0.1, "A2": 0.2, "A3": "=A1+A2"}})
    book.sheet("S").store(3, 1, book.sheet("S").column(1, 1, 1).from_values([0.3]))
    book.save(tmp_path / "digits.xlsx")
    assert tinquire("recalc", tmp_path / "digits.xlsx", "--check").code == 0
    counted = tinquire("recalc", tmp_path / "digits.xlsx", "--check", "--last-digits").out
    assert "last digit" in counted, counted
