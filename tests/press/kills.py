"""Runs killed while they put their files in place, at every step that the system sees and at random moments.

Whatever the moment, the next command leaves the old pack with its own mails or the new one with its own, and nothing
else. `python tests/press/kills.py 200 7` makes two hundred kills from seed 7.
"""

from __future__ import annotations

import os
import random
import signal
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

from tinquire.docket import load_docket, parse_period
from tinquire.press.make import Pack, make
from tinquire.press.publish import publish
from tinquire.press.record.daybook import Daybook, digest
from tinquire.press.settle import settle

AT = datetime(2026, 11, 3, 9, tzinfo=UTC)
DOCKET = """title = "T"
period = "month"
out = "out/[Period.text]"
outbox = "mails/[Period.text]"
[sources.a]
file = "a.csv"
[workbooks.one]
name = "one.xlsx"
sheets = [{ name = "A", table = "a" }]
[workbooks.two]
name = "two.xlsx"
sheets = [{ name = "A", table = "a" }]
[mails.m]
each = "a"
to = "[:Name:]@example.org"
from = "us@example.org"
subject = "x"
body = "y [:N:]"
attach = ["one"]
[proof]
pdf = false
""".replace("[Period.text]", "[:Period:]")
STEPS = {"open", "os.rename", "os.remove", "os.mkdir", "os.rmdir", "os.listdir", "sqlite3.connect/handle"}
#: What stays whatever happens; the journal is of the database itself, which takes it back when it is next written.
KEPT = {"a.csv", "d.toml", "daybook.sqlite", "daybook.sqlite-journal", ".daybook.lock"}


def pack_of(folder: Path, rows: str) -> Pack:
    (folder / "d.toml").write_text(DOCKET, "utf-8")
    (folder / "a.csv").write_text("Name,N\n" + rows, "utf-8")
    return make(load_docket(folder / "d.toml"), parse_period("2026-10"))


def killed(work, step: int | None, moment: float) -> bool:
    """Do work in a process of its own, killed at a step, or after so many seconds; whether it was."""
    child = os.fork()
    if not child:
        seen = 0

        def watch(event: str, _: object) -> None:
            nonlocal seen
            if event in STEPS:
                seen += 1
                if seen == step:
                    os.kill(os.getpid(), signal.SIGKILL)

        sys.addaudithook(watch)
        try:
            work()
        finally:
            os._exit(0)
    if step is None:
        time.sleep(moment)
        os.kill(child, signal.SIGKILL)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == -signal.SIGKILL


def contents(folder: Path) -> dict[str, str]:
    """All that is there, by path: digests of files, nothing of folders that hold something."""
    return {
        path.relative_to(folder).as_posix(): digest(path.read_bytes()) if path.is_file() else ""
        for path in folder.rglob("*")
        if path.name not in KEPT and (path.is_file() or not any(path.iterdir()))
    }


def attempt(folder: Path, chance: random.Random, step: int | None) -> tuple[bool, str]:
    """One kill, or a second one while the first is settled; whether the work was cut short, and what is left."""
    first = chance.random() < 0.3
    old = pack_of(folder, "ann,1\nbob,2\n")
    if not first:
        publish(old, AT)
    before, runs = contents(folder), len(Daybook(folder).runs())
    new = pack_of(folder, "ann,5\ncy,3\n")
    files = [*new.proofs, *(file for part in new.files.values() for file in part)]
    after = {file.path.relative_to(folder).as_posix(): digest(file.data) for file in files}
    cut = killed(lambda: publish(new, AT), step, chance.random() * 0.06)
    if chance.random() < 0.5:
        killed(lambda: settle(folder), chance.randrange(1, 25), 0)
    settle(folder)
    found, book = contents(folder), Daybook(folder)
    assert found in (before, after), (before, after, found)
    assert not book.publications()
    assert len(book.runs()) == runs + (found == after) - (before == after)
    assert not settle(folder)
    publish(new, AT)
    assert contents(folder) == after
    return cut, "new" if found == after else "old"


def many(count: int, seed: int, folder: Path) -> dict[str, int]:
    """Kill so many runs: half of them at each step in turn, half at random moments. Returns what was left, counted."""
    chance = random.Random(seed)
    tally = {"old": 0, "new": 0, "cut": 0}
    for number in range(count):
        place = folder / str(number)
        place.mkdir()
        cut, left = attempt(place, chance, number // 2 % 90 + 1 if number % 2 else None)
        tally[left] += 1
        tally["cut"] += cut
    return tally


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as made:
        print(many(int(sys.argv[1]), int(sys.argv[2]), Path(made)))
