"""Packs made piece by piece: on several processors, only what changed, only a part, and after a run that broke off."""

import json
import os
import pickle
import signal
import time
from dataclasses import replace
from datetime import UTC, datetime

import pytest

from letterparts import letter_bytes, paragraph
from tinquire.base.faults import TinQuireError
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import begin_making, make, names_made
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.part import WHOLE, Part
from tinquire.press.publish import publish
from tinquire.press.record import lock
from tinquire.press.record.daybook import Daybook
from tinquire.press.unchanged import inputs_of, unchanged
from tinquire.workbook import Sheet, Workbook

AT = datetime(2026, 11, 3, 9, tzinfo=UTC)
PERIOD = parse_period("2026-10")
DOCKET = """
title = "T"
period = "month"
[sources.list]
file = "list.csv"
types = { No = "text" }
[sources.rows]
files = "rows-*.csv"
types = { No = "text" }
[workbooks.pack]
name = "Pack.xlsx"
sheets = [{ name = "Rows", table = "rows" }]
[workbooks.each]
each = "list"
key = "No"
name = "Books/[:Town:]/[:Name:].xlsx"
sheets = [{ name = "Own", table = "own_rows" }]
own = { own_rows = { from = "rows", No = "No" } }
[workbooks.view]
template = "view.xlsx"
name = "View.xlsx"
[prints.views]
from = "view"
each = "list"
key = "No"
set = { "Report!B1" = "[:Name:]" }
name = "Views/[:Name:].pdf"
[letters.letter]
template = "letter.docx"
each = "list"
key = "No"
name = "[:Name:].docx"
[mails.all]
each = "list"
from = "us@b.example"
to = "[:No:]@b.example"
subject = "[:Name:]"
body = "Hello"
attach = ["pack", "each", "letter"]
"""
LIST = "No,Name,Town\n01,Ann,Elms\n02,Bo,../../up\n03,Cy/x,Elms\n"


def lay_out(folder, docket=DOCKET):
    (folder / "list.csv").write_text(LIST, "utf-8")
    (folder / "rows-1.csv").write_text("No,N\n01,1\n02,2\n", "utf-8")
    (folder / "letter.docx").write_bytes(letter_bytes(paragraph("Dear [:Name:], [:period:]")))
    book, sheet = Workbook.new(), Sheet("Report")
    sheet.set(1, 1, "Who")
    sheet.set(1, 2, "nobody")
    sheet.set(2, 1, 5.0)
    book.add_sheet(sheet)
    (folder / "view.xlsx").write_bytes(book.to_bytes())
    (folder / "docket.toml").write_text(docket, "utf-8")
    return load_docket(folder / "docket.toml")


def run(folder, part=WHOLE, fresh=False, processes=1, place=True):
    docket = load_docket(folder / "docket.toml")
    pack = make(docket, PERIOD, kept=folder / ".kept", part=part, fresh=fresh, processes=processes)
    if place:
        publish(pack, AT, inputs_of(pack, docket, PERIOD, None))
    return pack


def shown(pack, again=None):
    return sorted(
        one.path.relative_to(pack.out).as_posix() for one in pack.outputs if again is None or one.again == again
    )


EVERY = [
    "Ann.docx", "Bo.docx", "Books/-..-up/Bo.xlsx", "Books/Elms/Ann.xlsx", "Books/Elms/Cy-x.xlsx", "Cy-x.docx",
    "Pack.xlsx", "View.xlsx", "Views/Ann.pdf", "Views/Bo.pdf", "Views/Cy-x.pdf",
]  # fmt: skip


def edit(name, old, new):
    def change(folder):
        path = folder / name
        data = path.read_bytes()
        assert old in data
        path.write_bytes(data.replace(old, new))

    return change


def other_letter(folder):
    (folder / "letter.docx").write_bytes(letter_bytes(paragraph("Good day, [:Name:]")))


def unlink(name):
    return lambda folder: (folder / name).unlink()


#: What changes, and the files that are made again.
CHANGES = [
    (lambda folder: None, []),
    (edit("docket.toml", b"Hello", b"Good day"), []),
    (other_letter, ["Ann.docx", "Bo.docx", "Cy-x.docx"]),
    (unlink("out/2026-10/Bo.docx"), ["Bo.docx"]),
    (edit("out/2026-10/Views/Ann.pdf", b"%PDF", b"%pdf"), ["Views/Ann.pdf"]),
    (edit("docket.toml", b'name = "Rows"', b'name = "All rows"'), ["Pack.xlsx"]),
    # The report's cells stay as they were, and so do the views of it.
    (edit("rows-1.csv", b"02,2", b"02,3"), [name for name in EVERY if not name.startswith("Views/")]),
    (lambda folder: (folder / "rows-2.csv").write_text("No,N\n03,4\n"), [name for name in EVERY if not name.startswith("Views/")]),
]  # fmt: skip


@pytest.mark.parametrize(("change", "made"), CHANGES)
def test_only_what_changed_is_made_again(tmp_path, change, made):
    lay_out(tmp_path)
    first = run(tmp_path)
    assert shown(first, again=False) == EVERY and not (tmp_path / ".kept").exists()
    assert unchanged(tmp_path / "docket.toml", "2026-10", None) is not None
    sourced = Daybook(tmp_path).sourced(
        {f: d for _, f, d in first_made(tmp_path)}["out/2026-10/Pack.xlsx"], "Rows", 3, 2
    )
    change(tmp_path)
    nothing = change is CHANGES[0][0]
    assert (unchanged(tmp_path / "docket.toml", "2026-10", None) is not None) == nothing
    second = run(tmp_path)
    assert shown(second, again=False) == made and shown(second) == EVERY
    fresh = run(tmp_path, fresh=True, place=False)
    assert [one.data for one in fresh.outputs] == [one.data for one in second.outputs], "as if all were made again"
    assert [one.data for one in fresh.mails] == [one.data for one in second.mails]
    if "Pack.xlsx" not in made:
        content = {f: d for _, f, d in first_made(tmp_path)}["out/2026-10/Pack.xlsx"]
        again = Daybook(tmp_path).sourced(content, "Rows", 3, 2)
        assert sourced and [one.says for one in again] == [one.says for one in sourced], (
            "its cells can be followed still"
        )


def first_made(folder):
    return Daybook(folder).latest_run("T", "2026-10")[1]


#: Outputs asked for, rows, and the files and mails that come of it, of a pack that was never made.
PARTS = [
    (["letter"], None, ["Ann.docx", "Bo.docx", "Cy-x.docx"], 0),
    (["views"], "Name=Bo", ["View.xlsx", "Views/Bo.pdf"], 0),
    ([], "No=02", ["Bo.docx", "Books/-..-up/Bo.xlsx", "View.xlsx", "Views/Bo.pdf"], 0),
    (["pack", "each", "letter"], "No = 01", ["Ann.docx", "Books/Elms/Ann.xlsx"], 0),
    (["pack", "each", "letter"], None, [name for name in EVERY if not name.startswith("View")], 3),
]


@pytest.mark.parametrize(("names", "row", "files", "mails"), PARTS)
def test_a_part_is_made_alone(tmp_path, names, row, files, mails):
    lay_out(tmp_path)
    pack = run(tmp_path, Part.of(names, row))
    assert shown(pack) == files and len(pack.mails) == mails and pack.left_out
    assert unchanged(tmp_path / "docket.toml", "2026-10", None) is None
    whole = run(tmp_path)
    assert shown(whole, again=True) == files and shown(whole) == EVERY and len(whole.mails) == 3


def test_a_part_of_a_pack_that_is_there(tmp_path):
    lay_out(tmp_path)
    run(tmp_path)
    other_letter(tmp_path)
    pack = run(tmp_path, Part.of(["letter"], "No=02"))
    assert shown(pack, again=False) == ["Bo.docx"] and pack.left_out == {"letter": 2}
    assert [mail.subject for mail in pack.mails] == ["Bo"], "nobody gets a letter of before"
    assert sorted(path.name for path in (tmp_path / "outbox/2026-10").iterdir()) == ["all - 02@b.example.eml"]


WRONG = [
    (["lettre"], None, "there is no output 'lettre': the nearest is 'letter'"),
    ([], "Nmber=1", "no list that repeats an output has a column 'Nmber'"),
    ([], "No=9", "no row of 'list' has '9' in its column 'No'"),
    ([], "No", "does not name a column and a value"),
]


@pytest.mark.parametrize(("names", "row", "why"), WRONG)
def test_a_part_that_is_not_there(tmp_path, names, row, why):
    lay_out(tmp_path)
    with pytest.raises(TinQuireError) as stopped:
        run(tmp_path, Part.of(names, row))
    assert why in stopped.value.faults[0].why


@pytest.mark.parametrize("name", ["../up.xlsx", "/etc/x.xlsx", "a//b.xlsx", "a/./b.xlsx"])
def test_a_name_stays_below_its_folder(tmp_path, name):
    lay_out(tmp_path, DOCKET.replace('"Pack.xlsx"', f'"{name}"'))
    with pytest.raises(TinQuireError, match="no name of a file below the folder"):
        run(tmp_path)


def test_names_are_told_without_making_anything(tmp_path):
    making = begin_making(lay_out(tmp_path), PERIOD)
    names = names_made(making, lambda text: None)
    assert sorted(name for output, files in names.items() if not output.startswith("mail") for name in files) == EVERY
    assert names["mail all"] == ["01@b.example: Ann", "02@b.example: Bo", "03@b.example: Cy/x"]
    assert not (tmp_path / "out").exists()


def test_several_processes_make_the_same(tmp_path):
    lay_out(tmp_path)
    one, two = (run(tmp_path, fresh=True, processes=count, place=False) for count in (1, 3))
    assert [(a.path, a.data, a.notes, a.summary) for a in one.outputs] == [
        (b.path, b.data, b.notes, b.summary) for b in two.outputs
    ]
    assert one.proof.data == two.proof.data


def test_all_that_a_piece_needs_can_be_pickled(tmp_path):
    """Where processes are no copies of this one, it travels to them."""
    making = begin_making(lay_out(tmp_path), PERIOD)
    there = pickle.loads(pickle.dumps(replace(making, ready={})))
    for kind in OUTPUTS[:2]:
        for name in getattr(making.results.docket.model, kind.part):
            for piece in kind.plan(making, name):
                (here,), (other,) = kind.make(making, piece), kind.make(there, pickle.loads(pickle.dumps(piece)))
                assert here.data == other.data


def killed_while_making(folder, moment, processes):
    child = os.fork()
    if not child:
        try:
            run(folder, place=False, processes=processes)
        finally:
            os._exit(0)
    time.sleep(moment)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)


def test_a_run_that_breaks_off_goes_on(tmp_path):
    lay_out(tmp_path)
    moment, again = 0.15, 0
    for number in range(6):
        killed_while_making(tmp_path, moment, number % 2 + 1)
        assert not (tmp_path / "out").exists()
        moment *= 1.6
    pack = run(tmp_path)
    again = len(shown(pack, again=True))
    assert shown(pack) == EVERY and again, "some were finished before"
    assert [one.data for one in run(tmp_path, fresh=True, place=False).outputs] == [one.data for one in pack.outputs]


#: What stands in the journal of a folder that came from elsewhere.
JOURNALS = [
    "", "{", "null\n", '["k"]\n', '["KEY", 5]\n', '["KEY", {"files": 1, "read": {}}]\n',
    '["KEY", {"files": [{"path": "../../up.xlsx", "digest": "D", "size": 1, "summary": "", "notes": [], "warnings": []}], "read": {}}]\n',
]  # fmt: skip


@pytest.mark.parametrize("journal", JOURNALS)
def test_a_strange_journal_leads_nowhere(tmp_path, journal):
    docket = lay_out(tmp_path)
    making = begin_making(docket, PERIOD)
    key = next(iter(OUTPUTS[0].plan(making, "pack"))).key
    (tmp_path / ".kept").mkdir()
    digest = "2d711642b726b04401627ca9fbac32f5c8530fb1903cc4db02258717921a4881"  # of one x
    (tmp_path / ".kept" / digest).write_bytes(b"x")
    (tmp_path / ".kept" / "finished").write_text(journal.replace("KEY", key).replace('"D"', json.dumps(digest)))
    pack = run(tmp_path)
    assert shown(pack, again=False) == EVERY and not (tmp_path.parent / "up.xlsx").exists()


def test_one_run_at_a_time(tmp_path, tinquire, monkeypatch):
    lay_out(tmp_path)
    monkeypatch.setattr(lock, "_PATIENCE", 0.2)
    words = ("run", tmp_path / "docket.toml", "--period", "2026-10")
    with lock.held_for(tmp_path, "the run of 2026-09", "18:02"):
        told = tinquire(*words)
    assert told.code == 3 and "(the run of 2026-09, since 18:02) is at work in this folder" in told.err
    (tmp_path / ".run.holder").mkdir()  # what cannot be written there stops nobody
    assert tinquire(*words).code == 0 and "13 files and 3 mails are as they would be made" in tinquire(*words).out


BOOKLET = '[prints.booklet]\nfrom = ["pack", "view"]\nname = "Booklet.pdf"\n[letters.letter]'


def test_a_print_of_what_failed_or_is_left_out_says_nothing_more(tmp_path):
    lay_out(tmp_path, DOCKET.replace("[letters.letter]", BOOKLET))
    pack = run(tmp_path, Part.of(["letter"], None))
    assert shown(pack) == ["Ann.docx", "Bo.docx", "Cy-x.docx"] and pack.left_out["booklet"] == 1
    broken = DOCKET.replace("[letters.letter]", BOOKLET).replace('name = "Pack.xlsx"', 'name = "[:nobody:].xlsx"')
    lay_out(tmp_path, broken.replace('name = "View.xlsx"', 'name = "[:nobody:].xlsx"'))
    with pytest.raises(TinQuireError) as stopped:
        run(tmp_path)
    assert {fault.stopped for fault in stopped.value.faults} >= {"naming workbook 'pack'", "naming workbook 'view'"}
    assert not [fault for fault in stopped.value.faults if "print" in fault.stopped]
