"""Waiting for files, sources and times; the command is run as it is installed, and stopped by signals."""

import os
import signal
import subprocess
import sys
import time
from datetime import date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tinquire.base.faults import TinQuireError
from tinquire.press.watching.inbox import Inbox
from tinquire.press.watching.quiet import Quiet
from tinquire.press.watching.times import parse_time

HOLIDAYS = {date(2026, 12, 25), date(2027, 1, 1)}
TIMES = [
    ("working day 3 08:00", "2026-11-27 21:00", "2026-12-03 08:00", "2026-11-04 08:00"),
    ("Working  day 3 8:00", "2026-12-03 08:00", "2027-01-06 08:00", "2026-12-03 08:00"),  # the 1st is a holiday
    ("last working day 17:00", "2026-12-25 00:00", "2026-12-31 17:00", "2026-11-30 17:00"),
    ("last day 17:00", "2027-02-01 00:00", "2027-02-28 17:00", "2027-01-31 17:00"),
    ("day 31 07:00", "2026-11-01 00:00", "2026-12-31 07:00", "2026-10-31 07:00"),
    ("monday 07:30", "2026-11-27 00:00", "2026-11-30 07:30", "2026-11-23 07:30"),
    ("every day 23:59", "2026-11-27 23:59", "2026-11-28 23:59", "2026-11-27 23:59"),
    ("every working day 06:00", "2026-12-24 07:00", "2026-12-28 06:00", "2026-12-24 06:00"),
]


@pytest.mark.parametrize(("text", "moment", "coming", "last"), TIMES)
def test_times_of_the_calendar(text, moment, coming, last):
    rule, at = parse_time(text), datetime.fromisoformat(moment)
    assert rule.next_after(at, HOLIDAYS) == datetime.fromisoformat(coming)
    assert rule.last_until(at, HOLIDAYS) == datetime.fromisoformat(last)


@given(
    st.sampled_from([text for text, *_ in TIMES]),
    st.datetimes(datetime(2025, 1, 1), datetime(2030, 1, 1)),
    st.sets(st.dates(date(2025, 1, 1), date(2030, 1, 1)), max_size=9),
)
def test_no_time_lies_between(text, moment, holidays):
    rule = parse_time(text)
    coming, last = rule.next_after(moment, holidays), rule.last_until(moment, holidays)
    assert last <= moment < coming
    assert (
        rule.next_after(last, holidays) == coming and rule.last_until(coming - timedelta(minutes=1), holidays) == last
    )


@pytest.mark.parametrize(
    "text", ["", "day 08:00", "working day 0 08:00", "day 32 8:00", "monday", "monday 24:00", "last day 3 8:00", "noon"]
)
def test_what_is_no_time(text):
    with pytest.raises(TinQuireError, match="no time of the calendar"):
        parse_time(text)


CRONTAB = [
    ("working day 3 08:00", "0 8 * * 1-5"),
    ("day 5 07:30", "30 7 5 * *"),
    ("sunday 8:00", "0 8 * * 0"),
    ("last day 17:00", "0 17 * * *"),
]


@pytest.mark.parametrize(("text", "fields"), CRONTAB)
def test_crontab(text, fields):
    assert parse_time(text).crontab() == fields


def test_quiet_files(tmp_path):
    one, two, quiet = tmp_path / "1", tmp_path / "2", Quiet(5)
    assert quiet.of({one: (1, 1)}, 100) == [] and quiet.left(101) == 4
    assert quiet.of({one: (1, 1), two: (1, 1)}, 105) == [one] and quiet.left(105) == 5
    assert quiet.of({one: (2, 1), two: (1, 1)}, 110) == [two], "it grew"
    assert quiet.of({two: (1, 1)}, 111) == [two] and quiet.of({one: (2, 1), two: (1, 1)}, 116) == [two], "it was gone"


def test_an_inbox_takes_each_file_once(tmp_path):
    for name in ("b.xlsx", "a.XLSX", "c.csv", ".hidden.xlsx", "~$a.xlsx", "d.xlsx.part"):
        (tmp_path / name).write_text(name)
    inbox = Inbox(tmp_path, "*.xlsx")
    with inbox.watched() as broken:
        assert not broken and [path.name for path in inbox.waiting()] == ["a.XLSX", "b.xlsx"]
        first, *_ = inbox.waiting()
        taken = inbox.take(first)
        assert inbox.take(first) is None and len(inbox.waiting()) == 1
        assert inbox.end(taken, "all well", done=True) == tmp_path / "done" / "a.XLSX"
        with pytest.raises(TinQuireError, match="another watch is at work"), Inbox(tmp_path).watched():
            pass
        first.write_text("another")
        again = inbox.end(inbox.take(first), "", done=True)
        assert again.name == "a (2).XLSX" and again.read_text() == "another"
        inbox.take(tmp_path / "b.xlsx")
    with inbox.watched() as broken:
        assert [path.relative_to(tmp_path).as_posix() for path in broken] == ["failed/b.xlsx"]
    assert "broken off" in (tmp_path / "failed" / "b.xlsx.txt").read_text()


# -- the command ---------------------------------------------------------------------------------------

DOCKET = """
title = "T"
period = "month"
[sources.rows]
files = "rows-*.csv"
[workbooks.pack]
name = "Pack [:period:].xlsx"
sheets = [{ name = "Rows", table = "rows" }]
[proof]
pictures = false
[watch]
settled = 0.2
expect = { rows = 2 }
"""


def begin(folder, *words):
    with (folder / "said").open("w") as said:
        return subprocess.Popen(
            [sys.executable, "-m", "tinquire", "watch", *words], cwd=folder, stdout=said, stderr=said,
            env={**os.environ, "PYTHONUNBUFFERED": "1"},
        )  # fmt: skip


def until(condition, seconds=40):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return True
        time.sleep(0.05)
    return False


def ended(folder, process, kind=signal.SIGTERM):
    process.send_signal(kind)
    assert process.wait(timeout=40) == 0
    return (folder / "said").read_text()


def test_a_run_begins_when_all_sources_are_there_and_again_when_one_changes(tmp_path):
    (tmp_path / "docket.toml").write_text(DOCKET)
    (tmp_path / "rows-1.csv").write_text("A\n1\n")
    pack, process = tmp_path / "out/2026-10/Pack 2026-10.xlsx", begin(tmp_path, "docket.toml", "-p", "2026-10")
    try:
        assert until(lambda: "waiting" in (tmp_path / "said").read_text()) and not pack.exists()
        (tmp_path / "rows-2.csv").write_text("A\n2\n")
        assert until(pack.exists)
        first = pack.read_bytes()
        time.sleep(1)
        (tmp_path / "rows-2.csv").write_text("A\n30\n")
        assert until(lambda: pack.read_bytes() != first)
    finally:
        out = ended(tmp_path, process)
    assert (
        "rows: 1 of 2 files (rows-*.csv)" in out
        and out.count("all sources are there") == 2
        and "one of them anew" in out
    )


def test_a_command_for_each_file(tmp_path):
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    (inbox / "good.csv").write_text("A,B\n1,2\n")
    process = begin(tmp_path, "inbox", "--settled", "0.2", "--", "show", "{}", "--json")
    try:
        assert until((inbox / "done/good.csv").exists)
        (inbox / "bad.xlsx").write_bytes(b"PK\x03\x04 is cut off")
        assert until((inbox / "failed/bad.xlsx").exists)
    finally:
        out = ended(tmp_path, process, signal.SIGINT)
    assert (
        '"B"' in (inbox / "done/good.csv.txt").read_text() and "bad.xlsx" in (inbox / "failed/bad.xlsx.txt").read_text()
    )
    assert out.count("done  ") == 1 and "failed" in out and not list((inbox / ".taken").iterdir())


def once(folder, *words):
    return subprocess.run(
        [sys.executable, "-m", "tinquire", "watch", *words], cwd=folder, capture_output=True, text=True, check=False
    )


WRONG = [
    (["docket.toml", "--", "show", "{}"], 2, "is no folder"),
    (["inbox", "--", "show"], 2, "no command says {}"),
    (["docket.toml", "--at", "noonish"], 2, "no time of the calendar"),
    (["docket.toml", "--once", "-p", "2026-10"], 0, "rows: 0 of 2 files"),
    (["inbox", "--once", "--settled", "0", "--", "recalc", "{}"], 3, "failed"),
    (["docket.toml", "--at", "every day 00:00", "--once", "-p", "2026-10"], 3, "no file matches 'rows-*.csv'"),
    (["docket.toml", "--at", "working day 3 08:00", "--print-service", "crontab"], 0, "0 8 * * 1-5 cd "),
    (["inbox", "--print-service", "unit", "--", "split", "{}", "--out", "100%"], 0, '"--" "split" "{}" "--out" "100%%"'),
]  # fmt: skip


@pytest.mark.parametrize(("words", "code", "says"), WRONG)
def test_what_watch_says(tmp_path, words, code, says):
    (tmp_path / "docket.toml").write_text(DOCKET)
    (tmp_path / "inbox").mkdir()
    (tmp_path / "inbox" / "x.xlsx").write_text("x, not a workbook")
    done = once(tmp_path, *words)
    assert done.returncode == code and says in done.stdout + done.stderr


def test_a_time_that_was_missed_is_made_up_for_once(tmp_path):
    (tmp_path / "docket.toml").write_text(DOCKET)
    for number in (1, 2):
        (tmp_path / f"rows-{number}.csv").write_text(f"A\n{number}\n")
    words = ["docket.toml", "--at", "every day 00:00", "--once", "-p", "2026-10"]
    first, second = once(tmp_path, *words), once(tmp_path, *words)
    assert "begins" in first.stdout and first.returncode == 0 and (tmp_path / "out/2026-10/Pack 2026-10.xlsx").exists()
    assert "begins" not in second.stdout and second.returncode == 0
