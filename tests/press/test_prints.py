"""Prints of a docket: pages of its workbooks, variants for each row of a table, attached where they belong."""

import email
import email.policy
from datetime import UTC, datetime

import pypdfium2
import pytest

from books import book_of
from tinquire.base.faults import TinQuireError
from tinquire.cells import Column
from tinquire.docket import load_docket, parse_period
from tinquire.looks import House
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.make import make
from tinquire.press.outputs.prints import listed_pairs, set_values
from tinquire.tables import Field, Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit.names import set_name

VIEWS = "Depot,Day,File,Cells,Values\nHarbour,2026-10-05,harbour view,chosen;Day,Harbour;2026-10-05\nUplands,2026-10-06,uplands view,chosen;Day,Uplands;2026-10-06\n"
DOCKET = """
title = "Views"
period = "month"
sources.views.file = "views.csv"
sources.views.types = {{ Day = "date" }}
[prints.views]
from = "report.xlsx"
{print}
[mails.managers]
each = "views"
from = "Desk <desk@larkfold.example>"
to = "[:Depot:] <a@b.example>"
subject = "View"
body = "Here."
attach = ["views"]
"""
PLAIN = 'each = "views"\nkey = "Depot"\nset = { chosen = "[:Depot:]", Day = "[:Day:]" }\nsheets = ["Report"]\nname = "[:File:].pdf"'


def report(folder):
    cells = {
        "A1": "Depot",
        "B1": "Harbour",
        "A2": "Day",
        "B2": 46300.0,
        "A3": "Rate",
        "B3": "=VLOOKUP(B1,Rates!A1:B2,2,FALSE)",
    }
    book = book_of({"Report": cells, "Rates": {"A1": "Harbour", "B1": 3.0, "A2": "Uplands", "B2": 5.0}})
    book.sheet("Report").widths = {1: 14.0, 2: 16.0}
    book.settle()
    set_name(book, "chosen", "Report!$B$1")
    book.save(folder / "report.xlsx")


def made(folder, text=PLAIN, views=VIEWS):
    (folder / "views.csv").write_text(views, "utf-8")
    (folder / "docket.toml").write_text(DOCKET.format(print=text), "utf-8")
    report(folder)
    return make(load_docket(folder / "docket.toml"), parse_period("2026-10"))


def words(data):
    return pypdfium2.PdfDocument(data)[0].get_textpage().get_text_bounded().split()


def test_a_variant_for_each_row_goes_to_whom_it_belongs(tmp_path):
    pack = made(tmp_path)
    assert [one.path.name for one in pack.outputs] == ["harbour view.pdf", "uplands view.pdf"]
    assert [words(one.data)[:6] for one in pack.outputs] == [
        ["Depot", "Harbour", "Day", "46300", "Rate", "3"],
        ["Depot", "Uplands", "Day", "46301", "Rate", "5"],
    ]
    parsed = [email.message_from_bytes(mail.data, policy=email.policy.default) for mail in pack.mails]
    attached = [[part.get_filename() for part in mail.iter_attachments()] for mail in parsed]
    assert attached == [["harbour view.pdf"], ["uplands view.pdf"]]
    assert Workbook.open(tmp_path / "report.xlsx").sheet("Report").value(1, 2) == "Harbour", (
        "the file itself is not changed"
    )


def test_cells_and_values_as_lists_in_two_columns(tmp_path):
    pairs = PLAIN.replace('set = { chosen = "[:Depot:]", Day = "[:Day:]" }', 'pairs = ["Cells", "Values"]')
    first, _ = made(tmp_path, pairs).outputs
    assert words(first.data)[:2] == ["Depot", "Harbour"]


def test_words_of_the_list_mean_what_the_docket_says(tmp_path):
    starred = VIEWS.replace("Uplands,2026-10-06", "*,2026-10-06")
    pack = made(tmp_path, PLAIN.replace("sheets =", 'words = { "*" = "Uplands" }\nsheets ='), starred)
    assert words(pack.outputs[1].data)[1] == "Uplands"


FORMS = [("png", b"\x89PNG"), ("html", b"<!DO"), ("pdf", b"%PDF")]


@pytest.mark.parametrize(("form", "head"), FORMS)
def test_forms(tmp_path, form, head):
    pack = made(tmp_path, PLAIN.replace("[:File:].pdf", f"[:File:].{form}"))
    assert [one.data[:4] for one in pack.outputs] == [head, head] and pack.outputs[0].path.suffix == f".{form}"


def test_a_workbook_as_it_is(tmp_path):
    pack = made(
        tmp_path,
        'name = "whole.pdf"\ntitle = "[:period.long:]"\nauthor = "The desk"\npaper = "Letter"\nlandscape = true',
    )
    (one,) = pack.outputs
    document = pypdfium2.PdfDocument(one.data)
    assert (
        document.get_metadata_dict()["Title"] == "October 2026" and document.get_metadata_dict()["Author"] == "The desk"
    )
    assert document[0].get_size() == (792, 612)


def test_several_workbooks_in_one_document(tmp_path):
    report(tmp_path)
    (tmp_path / "second.xlsx").write_bytes((tmp_path / "report.xlsx").read_bytes())
    (tmp_path / "views.csv").write_text(VIEWS, "utf-8")
    text = DOCKET.format(print='sheets = ["Report"]\nname = "both.pdf"\ncover = true\ncontents = true')
    (tmp_path / "docket.toml").write_text(text.replace('"report.xlsx"', '["report.xlsx", "second.xlsx"]'), "utf-8")
    (one,) = make(load_docket(tmp_path / "docket.toml"), parse_period("2026-10")).outputs
    document = pypdfium2.PdfDocument(one.data)
    assert len(document) == 4 and [mark.get_title() for mark in document.get_toc()] == [
        "report",
        "Report",
        "second",
        "Report",
    ]


def test_same_inputs_give_the_same_bytes(tmp_path):
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
    one, two = made(tmp_path / "one"), made(tmp_path / "two")
    assert [made_.data for made_ in one.outputs] == [made_.data for made_ in two.outputs]


WRONG = [
    # what is written, what is said
    (PLAIN.replace('"report.xlsx"', "").replace('sheets = ["Report"]', 'sheets = ["Nope"]'), "it has no sheet 'Nope'"),
    (PLAIN.replace("chosen = ", '"no such cell" = '), "it is no cell, name or heading"),
    (PLAIN.replace("[:Depot:]", "[:Depo:]"), "there is no name 'Depo'"),
    (PLAIN.replace('key = "Depot"', 'key = "Depo"'), "'views' has no column 'Depo'"),
    (PLAIN.replace('each = "views"', 'each = "vews"'), "prints.views takes its rows from 'vews'"),
    (PLAIN.replace(".pdf", ".doc"), "the name ends in .pdf, .png or .html"),
    (PLAIN.replace("[:File:].pdf", "same.pdf"), "'same.pdf' is the name of print 'views' too"),
    (PLAIN + '\npairs = ["Cells", "Values"]', "cells are set by set or by pairs, not by both"),
    ('name = "x.pdf"\nset = { A1 = 3 }', "set, pairs, own and key need each"),
    (PLAIN + '\npaper = "A99"', "there is no paper 'A99'"),
    (PLAIN + '\nareas = ["first"]', "'first' is not an area"),
    (PLAIN.replace("[:Depot:]", "Nobody"), "Report!B3 shows #N/A"),
    (PLAIN.replace('key = "Depot"\n', ""), "it is not said which of them belongs to a mail"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "why"), WRONG)
def test_what_is_wrong_is_said(tmp_path, text, why):
    with pytest.raises(TinQuireError) as stopped:
        made(tmp_path, text)
    assert why in " | ".join(fault.why for fault in stopped.value.faults)


def test_a_workbook_that_is_not_there(tmp_path):
    (tmp_path / "views.csv").write_text(VIEWS, "utf-8")
    (tmp_path / "docket.toml").write_text(DOCKET.format(print=PLAIN).replace("report.xlsx", "gone.xlsx"), "utf-8")
    with pytest.raises(TinQuireError, match=r"'gone\.xlsx' is neither a workbook of this docket nor a file"):
        make(load_docket(tmp_path / "docket.toml"), parse_period("2026-10"))


def test_a_run_that_was_broken_off_goes_on(tmp_path):
    made(tmp_path)
    docket, period, kept = load_docket(tmp_path / "docket.toml"), parse_period("2026-10"), tmp_path / ".kept"
    first = make(docket, period, kept=kept)
    again = make(docket, period, kept=kept)
    assert [one.again for one in (*first.outputs, *again.outputs)] == [False, False, True, True]
    assert [one.data for one in first.outputs] == [one.data for one in again.outputs] and len(list(kept.iterdir())) == 3
    assert tmp_path / "report.xlsx" in again.read, "a file that is printed is one that the run hangs on"


# -- values ----------------------------------------------------------------------------------------------

LIST = Table("list", (Field("Cells"), Field("Values"), Field("Day", "date"), Field("Rate")), (
    Column.from_values(["A1; B2", "A1", "A1;B2", "A1"]), Column.from_values(["x;2.5", 7.0, "1", "007"]), Column.from_values([46300.0] * 4),
    Column.from_values([0.5, 1.0, 2.0, 3.0]),
))  # fmt: skip


@pytest.mark.parametrize(("row", "pairs"), [(0, [("A1", "x"), ("B2", 2.5)]), (1, [("A1", 7.0)]), (3, [("A1", "007")])])
def test_lists_of_cells_and_values(row, pairs):
    assert listed_pairs(LIST, row, ("Cells", "Values"), ";", "print 'x'", "row") == pairs


def test_lists_of_different_lengths():
    with pytest.raises(TinQuireError, match="'Cells' lists 2 cells, 'Values' 1 value"):
        listed_pairs(LIST, 2, ("Cells", "Values"), ";", "print 'x'", "row")


SET = [
    ("[:Day:]", 46300.0),
    ("[:Rate:]", 0.5),
    ("until [:Day:]", "until 2026-10-05"),
    ("[:Rate as 0%:]", "50%"),
    (3, 3.0),
    (True, True),
    ("plain", "plain"),
]


@pytest.mark.parametrize(("raw", "value"), SET)
def test_values_keep_their_types(raw, value):
    scope = SlotScope(House(), {}).at(LIST, 0)
    ((_, found),) = set_values({"A1": raw}, scope, "print 'x'", "line 1")
    assert found == value and type(found) is type(value)
    assert datetime(2026, 10, 5, tzinfo=UTC)
