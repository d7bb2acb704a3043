"""The outbox: what an earlier run left there goes, what others put there stays; a pack is whole, or nothing changes."""

from __future__ import annotations

import os
import sqlite3
from datetime import UTC, datetime
from pathlib import Path

import pytest

from jobs import reader
from press import kills
from tinquire.base.faults import TinQuireError
from tinquire.base.placing import Placement
from tinquire.docket import load_docket, parse_period
from tinquire.press.make import make
from tinquire.press.publish import publish
from tinquire.press.record.daybook import Daybook, RunRecord
from tinquire.press.settle import settle
from tinquire.workbook import Sheet, Workbook

AT = datetime(2026, 11, 3, 9, tzinfo=UTC)
DOCKET = """title = "%s"
period = "month"
out = "out"
outbox = "mails"
[sources.a]
file = "a.csv"
[mails.%s]
each = "a"
to = "[:Name:]@example.org"
from = "us@example.org"
subject = "x"
body = "y"
[workbooks.one]
name = "%s one.xlsx"
sheets = [{ name = "A", table = "a" }]
[workbooks.two]
name = "%s two.xlsx"
sheets = [{ name = "A", table = "a" }]
"""


def run(folder, docket, rows, period="2026-10"):
    (folder / "a.csv").write_text("Name,N\n" + "".join(f"{row},1\n" for row in rows), "utf-8")
    path = folder / f"{docket}.toml"
    path.write_text(DOCKET % ((docket,) * 4), "utf-8")
    return publish(make(load_docket(path), parse_period(period)), AT)


def test_only_mails_of_this_docket_and_period_are_taken_out(tmp_path):
    run(tmp_path, "first", ["ann", "bob"])
    run(tmp_path, "second", ["cy"])
    by_hand = tmp_path / "mails" / "by hand.eml"
    by_hand.write_text("From: me\n\nx", "utf-8")
    notes = run(tmp_path, "first", ["ann"])
    left = sorted(path.name for path in (tmp_path / "mails").iterdir())
    assert left == ["by hand.eml", "first - ann@example.org.eml", "second - cy@example.org.eml"]
    assert notes == ["first - bob@example.org.eml of an earlier run was taken out of the outbox"]
    assert run(tmp_path, "first", ["ann"], "2026-11") == []


def test_a_move_that_fails_gives_back_what_was_there(tmp_path, monkeypatch):
    run(tmp_path, "first", ["ann"])
    before = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    moved, move = [], os.replace

    def failing(source, target):
        if Path(target).name == "first two.xlsx" and not moved:
            moved.append(target)
            raise PermissionError(13, "the file is open elsewhere")
        move(source, target)

    monkeypatch.setattr(os, "replace", failing)
    with pytest.raises(TinQuireError) as caught:
        run(tmp_path, "first", ["ann", "bob"])
    monkeypatch.undo()
    assert moved and "nothing was changed" in caught.value.faults[0].do
    after = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    changed = {path.name for path in {*before, *after} if before.get(path) != after.get(path)}
    assert changed == {"a.csv", "daybook.sqlite"} and len(Daybook(tmp_path).runs()) == 1


@pytest.mark.skipif(not hasattr(os, "fork"), reason="kills a process of its own")
def test_a_run_that_is_killed_leaves_the_old_pack_or_the_new(tmp_path):
    tally = kills.many(60, 11, tmp_path)
    assert tally["cut"] > 30 and min(tally.values()) > 5


def test_a_pack_that_waits_to_be_put_in_place(tmp_path, monkeypatch):
    """One file cannot be moved, nor moved back: the plan stays, and every command says so until it can."""
    run(tmp_path, "first", ["ann"])
    move = os.replace

    def failing(source, target):
        if Path(target).name == "first two.xlsx":
            raise PermissionError(13, "the file is open elsewhere")
        move(source, target)

    monkeypatch.setattr(os, "replace", failing)
    with pytest.raises(TinQuireError, match=r"first two\.xlsx could not be put back"):
        run(tmp_path, "first", ["ann", "bob"])
    with pytest.raises(TinQuireError, match="could not be put back"):
        settle(tmp_path)
    monkeypatch.undo()
    assert "cleared" in settle(tmp_path)[0] and not list(tmp_path.rglob(".making*"))
    # Files aside that a person took away: only the run itself can help.
    book = Daybook(tmp_path)
    number = book.begin_publication()
    lost = Placement(tmp_path / "out" / "lost.xlsx", tmp_path / "out" / ".making-x", 0, stood=False)
    book.plan_publication(number, RunRecord("first", "2026-10", AT, "t", (), ()), [lost])
    with pytest.raises(TinQuireError, match="run the docket for 2026-10 again"):
        settle(tmp_path)
    assert "lost.xlsx is lost: run 2026-10 again" in run(tmp_path, "first", ["ann"])[0] and not book.publications()
    # A file of the old pack where the new one should be is not taken for it.
    place, number = tmp_path / "out" / "first one.xlsx", book.begin_publication()
    old = Placement(place, tmp_path / "out" / ".making-y", 0, stood=True)
    made = [("one", "out/first one.xlsx", "0" * 64)]
    book.plan_publication(number, RunRecord("first", "2026-10", AT, "t", (), made), [old])
    with pytest.raises(TinQuireError, match=r"first one\.xlsx is lost"):
        settle(tmp_path)
    assert "is lost" in settle(tmp_path, lossy=True)[0]


def test_now_in_a_workbook_is_that_of_the_run(tmp_path):
    book, sheet = Workbook.new(), Sheet("Cover")
    sheet.set(1, 1, None, formula="TODAY()")
    sheet.set(2, 1, None, formula="YEAR(NOW())")
    book.add_sheet(sheet)
    book.save(tmp_path / "t.xlsx")
    (tmp_path / "d.toml").write_text(
        'title = "T"\nperiod = "month"\n[workbooks.w]\nname = "w.xlsx"\ntemplate = "t.xlsx"\n', "utf-8"
    )
    docket, period = load_docket(tmp_path / "d.toml"), parse_period("2026-10")
    made = [make(docket, period).outputs[0].data for _ in range(2)]
    assert made[0] == made[1]
    for data, day in (
        (made[0], 46327.0),
        (make(docket, period, now=datetime(2027, 1, 5, tzinfo=UTC)).outputs[0].data, 46392.0),
    ):
        _, cells, _ = next(reader.read(data))
        assert cells[1, 1] == day and cells[2, 1] == (2026 if day < 46388 else 2027)


def test_reading_the_daybook_writes_nothing(tmp_path):
    with sqlite3.connect(tmp_path / "daybook.sqlite") as old:  # of the first version, and marked read-only
        old.execute("CREATE TABLE run (id INTEGER PRIMARY KEY, docket TEXT, period TEXT, at TEXT, tool TEXT)")
        old.execute("CREATE TABLE made (run INTEGER, output TEXT, file TEXT, digest TEXT)")
        old.execute("CREATE TABLE sent (message_id TEXT, digest TEXT, state TEXT, at TEXT)")
        old.execute("PRAGMA user_version = 1")
    before = (tmp_path / "daybook.sqlite").read_bytes()
    daybook = Daybook(tmp_path)
    assert daybook.fact("T", "2026-10", "x") is None and daybook.sourced("d", "S", 1, 1) == [] and daybook.runs() == []
    assert not daybook.knows("d") and daybook.mails() == {} and daybook.files_made("T", "2026-10", "mail") == []
    assert (tmp_path / "daybook.sqlite").read_bytes() == before
    (tmp_path / "daybook.sqlite").write_bytes(b"not a database" * 100)
    with pytest.raises(TinQuireError, match="reading the daybook"):
        daybook.runs()
