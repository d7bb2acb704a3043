"""tinquire watch: begin runs, or commands on files, when what they need is there."""

from __future__ import annotations

import argparse
import os
import shlex
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Sequence
from datetime import date, datetime
from pathlib import Path
from typing import Any

from tinquire.base.faults import AccessError, Fault, UseError
from tinquire.base.wording import listed
from tinquire.cli.support import options as shared
from tinquire.cli.support.parsing import CommandParser
from tinquire.cli.support.terminal import Terminal

EXAMPLE = """tinquire watch docket.toml
  tinquire watch docket.toml --at "working day 3 08:00"
  tinquire watch inbox -- split {} --out views --to pdf"""

#: Seconds after which is looked again at the latest, also where the system tells of changes: a share may not.
_LOOK = 15.0
#: Where a command's words name the file that arrived.
_PLACE = "{}"


def add_arguments(parser: CommandParser) -> None:
    parser.takes_command = True
    parser.usage = "tinquire watch [options] docket.toml\n       tinquire watch [options] FOLDER -- COMMAND {} ..."
    parser.add_argument(
        "watched",
        type=Path,
        help="a docket, or a folder in which files arrive; after --, the command for each of them: {} is the file",
    )
    parser.add_argument("--period", "-p", help="the docket's period; without it, the one before today's")
    parser.add_argument("--at", metavar="TIME", help="wait for a time, not for sources: 'working day 3 08:00'")
    parser.add_argument("--settled", type=float, metavar="SECONDS", help="how long files must have stayed as they are")
    parser.add_argument("--files", default="*", metavar="PATTERN", help="of a folder, only files of this pattern")
    parser.add_argument("--once", action="store_true", help="do what is to be done now, and end")
    parser.add_argument(
        "--print-service", choices=("unit", "crontab"), help="print what has the system itself begin it, and end"
    )


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    if options.print_service:
        terminal.plain(_service(options))
        return 0
    stop = threading.Event()
    for kind in (signal.SIGINT, signal.SIGTERM):
        signal.signal(kind, lambda *_: stop.set())
    if options.watched.is_dir():
        return _watch_folder(options, terminal, stop)
    if options.words:
        why = f"'{options.watched}' is no folder, and commands are for files that arrive in one"
        raise UseError(Fault("watching", why, do="name a folder before --"))
    return (_wait_for_time if options.at else _watch_docket)(options, terminal, stop)


# -- a folder --------------------------------------------------------------------------------------------


def _watch_folder(options: argparse.Namespace, terminal: Terminal, stop: threading.Event) -> int:
    """A command for each file that arrives."""
    from tinquire.press.watching.inbox import Inbox
    from tinquire.press.watching.quiet import Quiet, seen

    if not any(_PLACE in word for word in options.words):
        raise UseError(Fault("watching a folder", "no command says {}", do="write it like: -- split {} --out views"))
    inbox, quiet = Inbox(options.watched, options.files), Quiet(_settled(options, 5.0))
    failed = 0
    with inbox.watched() as broken:
        for path in broken:
            terminal.line("failed", f"{path}: its command was broken off")
        _tell_begin(f"{options.watched}: {shlex.join(['tinquire', *options.words])}", terminal)
        while not stop.is_set():
            files = seen(inbox.waiting())
            for path in quiet.of(files, time.monotonic()):
                taken = None if stop.is_set() else inbox.take(path)
                if taken is not None:
                    failed += not _done_with(inbox, taken, options.words, terminal)
            if options.once and not files:
                break
            _wait([options.watched], quiet.left(time.monotonic()) if files else _LOOK, stop)
    return AccessError.exit_code if options.once and failed else 0


def _done_with(inbox: Any, taken: Path, words: Sequence[str], terminal: Terminal) -> bool:
    """Do the command for one file that was taken, and put it among those done or failed; whether it was done."""
    given = [word.replace(_PLACE, str(taken)) for word in words]
    result = _tinquire(given, capture=True)
    told = "\n".join(text.strip() for text in (result.stdout, result.stderr) if text.strip())
    target = inbox.end(taken, f"{shlex.join(['tinquire', *given])}\n{told}", done=result.returncode == 0)
    terminal.line("done" if result.returncode == 0 else "failed", f"{_now()}  {target}")
    for line in (result.stderr if result.returncode else "").strip().splitlines():
        terminal.line("", line)
    return result.returncode == 0


# -- a docket --------------------------------------------------------------------------------------------


def _watch_docket(options: argparse.Namespace, terminal: Terminal, stop: threading.Event) -> int:
    """A run when all sources of the period are there and quiet, and again when one of them changes or another comes."""
    from tinquire.press.watching.quiet import Quiet, seen
    from tinquire.press.watching.sources import arrived

    ran: dict[str, dict[Path, tuple[int, int]]] = {}
    told, code = "", 0
    _tell_begin(f"{options.watched}, for its sources", terminal)
    quiet: Quiet | None = None
    while not stop.is_set():
        docket, period = _docket(options)
        quiet = quiet or Quiet(_settled(options, docket.model.watch.settled))
        arrival = arrived(docket, period)
        looks = seen(arrival.files)
        calm = len(quiet.of(looks, time.monotonic())) == len(arrival.files)
        says = f"{period.long}: for {listed(arrival.missing)}" if arrival.missing else ""
        if says and says != told:
            terminal.line("waiting", says)
        told = says
        if not arrival.missing and calm and ran.get(period.text) != looks:
            terminal.line(
                "begins",
                f"{_now()}  {period.long}: all sources are there" + (", one of them anew" * (period.text in ran)),
            )
            code = _tinquire(["run", str(options.watched), "--period", period.text]).returncode
            ran[period.text] = looks
            terminal.line("ended", f"{_now()}  {'done' if code == 0 else f'stopped, with {code}'}")
        if options.once and (arrival.missing or ran.get(period.text) == looks):
            break
        folders = {path.parent for path in arrival.files} | {docket.base}
        _wait(sorted(folders), min(quiet.left(time.monotonic()), _LOOK) if not calm else _LOOK, stop)
    return code if options.once else 0


def _wait_for_time(options: argparse.Namespace, terminal: Terminal, stop: threading.Event) -> int:
    """A run at times of the calendar: one that was missed while nobody watched is made up for."""
    from tinquire.press.record.daybook import Daybook
    from tinquire.press.watching.times import parse_time

    rule = parse_time(options.at)
    code, told = 0, None
    handled: datetime | None = None
    _tell_begin(f"{options.watched}, at {options.at}", terminal)
    while not stop.is_set():
        docket, period = _docket(options)
        holidays = _holidays(docket)
        now = shared.local_clock()
        due = rule.last_until(now, holidays)
        latest = Daybook(docket.base).latest_run(docket.model.title, period.text)
        done = latest is not None and _wall(latest[0]) >= due
        if not done and (handled is None or due > handled) and period.last < due.date():
            handled = due  # a run that stops is not tried again before the next time
            terminal.line("begins", f"{_now()}  {period.long}, due at {due:%Y-%m-%d %H:%M}")
            code = _tinquire(["run", str(options.watched), "--period", period.text]).returncode
            terminal.line("ended", f"{_now()}  {'done' if code == 0 else f'stopped, with {code}'}")
            continue
        if options.once:
            break
        coming = rule.next_after(now, holidays)
        if coming != told:
            terminal.line("waiting", f"for {coming:%A, %Y-%m-%d %H:%M}")
            told = coming
        stop.wait(min(_LOOK, max((coming - now).total_seconds(), 0.0) + 0.01))
    return code if options.once else 0


def _docket(options: argparse.Namespace) -> tuple[Any, Any]:
    """The docket as it is now, and the period that is watched."""
    from tinquire.cells.periods import period_of
    from tinquire.docket import load_docket, parse_period

    docket = load_docket(options.watched)
    if options.period:
        return docket, parse_period(options.period, docket.model.period)
    return docket, period_of(docket.model.period, shared.local_clock().date()).previous


def _holidays(docket: Any) -> set[date]:
    """The days of the docket's list. Raises UseError for lines that are no days, AccessError without the file."""
    given = docket.model.watch.holidays
    if not isinstance(given, str):
        return set(given)
    where = docket.where("watch", "holidays")
    try:
        lines = (docket.base / given).read_text("utf-8-sig").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise AccessError(Fault("reading holidays", str(error), where, "put the file there, or fix its name")) from None
    found = set()
    for number, line in enumerate(lines, start=1):
        text = line.replace(";", ",").partition(",")[0].strip().strip('"')
        try:
            found.add(date.fromisoformat(text))
        except ValueError:
            if text and (number > 1 or text[:1].isdigit()):  # the first line may be a heading
                why = f"line {number} of {given}: '{text}' is no day"
                raise UseError(Fault("reading holidays", why, where, "write days like 2026-12-25")) from None
    return found


# -- what both need --------------------------------------------------------------------------------------


def _tinquire(words: Sequence[str], *, capture: bool = False) -> subprocess.CompletedProcess[str]:
    """A command in a process of its own, which no signal to this one reaches: what has begun comes to its end."""
    sys.stdout.flush()
    return subprocess.run(
        [sys.executable, "-m", "tinquire", *words], capture_output=capture, text=True, encoding="utf-8",
        start_new_session=True, check=False, env={**os.environ, "PYTHONIOENCODING": "utf-8"},
    )  # fmt: skip


def _wait(folders: Sequence[Path], seconds: float, stop: threading.Event) -> None:
    """Wait until something changes in folders, at most so long; where the system does not tell, so long."""
    from watchfiles import watch

    there = [folder for folder in folders if folder.is_dir()]
    milliseconds = max(int(seconds * 1000), 50)
    try:
        for _ in watch(
            *there, stop_event=stop, rust_timeout=milliseconds, yield_on_timeout=True, recursive=False, debounce=200,
            raise_interrupt=False,
        ):  # fmt: skip
            return
    except (OSError, RuntimeError):
        stop.wait(seconds)


def _settled(options: argparse.Namespace, usual: float) -> float:
    return usual if options.settled is None else float(options.settled)


def _tell_begin(what: str, terminal: Terminal) -> None:
    terminal.line("watching", f"{what}  (stop it with Ctrl+C)")
    sys.stdout.flush()


def _now() -> str:
    return f"{shared.local_clock():%Y-%m-%d %H:%M}"


def _wall(at: str) -> datetime:
    """A moment of the daybook as the clock on the wall showed it."""
    moment = datetime.fromisoformat(at)
    return moment.astimezone().replace(tzinfo=None) if moment.tzinfo else moment


def _service(options: argparse.Namespace) -> str:
    """What has the system's own scheduler begin it: a unit (systemd.service(5)), or a line for crontab (POSIX)."""
    from tinquire.press.watching.times import parse_time

    words = [sys.executable, "-m", "tinquire", "watch", str(options.watched.absolute())]
    for name, value in (("--period", options.period), ("--at", options.at), ("--settled", options.settled)):
        words += [] if value is None else [name, str(value)]
    words += ["--files", options.files] if options.files != "*" else []
    after = ["--", *options.words] if options.words else []
    if options.print_service == "crontab":
        fields = parse_time(options.at).crontab() if options.at else "*/10 * * * *"
        line = shlex.join([*words, "--once", *after]).replace("%", r"\%")
        return f"{fields} cd {shlex.quote(str(Path.cwd()))} && {line}"
    quoted = " ".join(map(_unit_word, (*words, *after)))
    return (
        f"[Unit]\nDescription=Tin Quire watches {options.watched.name}\n\n"
        f"[Service]\nWorkingDirectory={Path.cwd()}\nExecStart={quoted}\nRestart=on-failure\nRestartSec=60\n\n"
        "[Install]\nWantedBy=default.target"
    )


def _unit_word(word: str) -> str:
    """A word of a command line as a unit file quotes it."""
    for sign, written in (("\\", "\\\\"), ('"', '\\"'), ("%", "%%"), ("$", "$$")):
        word = word.replace(sign, written)
    return f'"{word}"'
