"""Commands run on damaged files, and what each is held against: an answer or a message, whole outputs or none."""

from __future__ import annotations

import contextlib
import io
import re
import resource
import shutil
import signal
import time
import traceback
import zipfile
from pathlib import Path

from fuzz.damage import damaged
from tinquire.cli.main import main
from tinquire.document.conformance import letter_findings
from tinquire.packages.package import Package
from tinquire.workbook.inspect.conformance import conformance_findings

STEPS = Path(__file__).parent / "steps.toml"
#: What nothing may exceed, for an input of some kilobytes.
SECONDS, BYTES = 20, 3 << 30


class TooLong(BaseException):
    """A command took longer than it may."""


def commands(path, folder, name):
    """Ways to look at all of a workbook, and to write from it."""
    if name.endswith("docx"):
        return [
            ["show", path, "--json"], ["print", path, "--to", folder / "pages.pdf"], ["print", path, "--to", folder / "page.svg", "--page", "1"],
            ["fill", path, "--set", "Name=x", "--out", folder / "filled.docx"], ["fill", path, "--set", "Name=x", "--to", "docx", "pdf", "--out", folder / "both.docx"],
        ]  # fmt: skip
    if not name.endswith("xlsx"):
        return [
            ["show", path, "--json"], ["show", path, "--columns"], ["stack", path, "--out", folder / "stacked.xlsx"],
            ["stack", path, path, "--into", "sheets", "--out", folder / "sheets.xlsx"],
            ["pivot", path, "--rows", "Item", "--sum", "Pieces", "--out", folder / "pivot.xlsx"],
            ["match", path, path, "--on", "Item=Item", "--repeated", "first", "--out", folder / "matched.xlsx"],
        ]  # fmt: skip
    return [
        ["show", path, "--json"], ["show", path, "--conformance"], ["show", path, "--columns"], ["show", path, "--rows", 50],
        ["values", path, "--out", folder / "values.xlsx"], ["audit", path], ["print", path, "--to", folder / "page.html"], ["print", path, "--to", folder / "pages.pdf", "--fit", "wide"],
        ["print", path, "--to", folder / "own.pdf"], ["print", path, "--to", folder / "page.svg", "--page", "1"],
        ["recalc", path, "--check", "--now", "2026-10-25"], ["recalc", path, "--out", folder / "again.xlsx", "--json"],
        ["recalc", path, "--set", "Data!B2=7", "--out", folder / "set.xlsx"], ["recalc", path, "--set", "C2=7", "--only-changed", "--out", folder / "set2.xlsx"],
        ["recalc", path, "--pivots", "--out", folder / "pivots.xlsx"], ["fill", path, "--set", "x=1", "--out", folder / "slots.xlsx"],
        ["split", path, "--out", folder / "split"], ["split", path, "--by-column", "Item", "--out", folder / "by item"],
        ["split", path, "--by-column", "Item", "--into", "sheets", "--out", folder / "sheets"],
        ["stack", path, "--into", "sheets", "--out", folder / "stacked.xlsx"], ["stack", path, path, "--out", folder / "rows.xlsx", "--sheet", "Data"],
        ["compare", path, path, "--to", folder / "differences.html"], ["compare", path, path, "--json"],
        ["amend", path, "--at", "Data!B3", "--value", "7", "--out", folder / "amended"],
        ["amend", path, "--heading", "Pieces", "--formula", "[Item]&1", "--recalc", "--out", folder / "filled"],
        ["amend", path, "--table", "Things", "--column", "Pieces", "--value", "1", "--out", folder / "table"],
        ["amend", path, "--with", STEPS, "--every-sheet", "--recalc", "--out", folder / "stepped"],
        ["learn", path, path], ["learn", path, "--sheets", "Data", "Lists", "--json"], ["learn", path, "--sheets", "Lists", "Data"],
        ["trace", path, "Lists!A1", "--to-data"], ["trace", path, "Data!C3"], ["trace", path, "Data!B2", "--dependents"],
        ["pivot", path, "--rows", "Item", "--sum", "Pieces", "--sheet", "Data", "--out", folder / "pivot.xlsx"],
        ["match", path, path, "--on", "Item=Item", "--sheet", "Data", "--right-sheet", "Data", "--repeated", "first", "--check"],
    ]  # fmt: skip


def _stopped(*_):
    raise TooLong


def limit():
    """Bound this process's memory, and have the alarm stop a command."""
    resource.setrlimit(resource.RLIMIT_AS, (BYTES, BYTES))
    signal.signal(signal.SIGALRM, _stopped)


def survives(data, name, folder, chosen):
    """Run commands on a file's bytes: `chosen` picks of them. Returns what is wrong, as pairs of a kind and a detail."""
    path = folder / name
    path.write_bytes(data)
    before = _kinds(path) if name.endswith(("xlsx", "docx")) else set()
    for command in chosen(commands(path, folder, name)):
        words = [str(word) for word in command]
        said, code, began = io.StringIO(), 0, time.monotonic()
        try:
            signal.alarm(SECONDS)
            with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
                code = main(words)
        except SystemExit:
            code = 2
        except TooLong as error:
            yield f"over {SECONDS} s: {' '.join(words[:1])}", _trail(error, words)
            code = None
        except Exception as error:
            yield f"{type(error).__name__} in {_place(error)}", _trail(error, words)
            code = None
        finally:
            signal.alarm(0)
        yield from _outputs(folder, path, data, before, words, code)
        if time.monotonic() - began > SECONDS / 2:
            yield f"slow: {words[0]} took over {SECONDS // 2} s", " ".join(words)


def _outputs(folder, path, data, before, words, code):
    """What is wrong with what a command has left; all of it is taken away."""
    written = [item for item in folder.rglob("*") if item != path]
    files = [item for item in written if item.is_file()]
    if path.read_bytes() != data:
        yield f"{words[0]} changed its input", ""
    if any(item.name.startswith(".") for item in written):
        yield f"{words[0]} left something half-written", str(written)
    if code != 0 and files:
        yield f"{words[0]} left an output when it stopped with {code}", str(files)
    for item in files:
        if item.suffix not in (".xlsx", ".docx"):
            continue
        try:
            with zipfile.ZipFile(item) as archive:
                broken = archive.testzip()
        except Exception as error:
            yield f"{words[0]}: no archive ({type(error).__name__})", " ".join(words)
            continue
        if broken:
            yield f"{words[0]}: a part is damaged", f"{broken} {words}"
        after = _kinds(item)
        worse = set() if None in before else after - before
        if None in worse:
            yield f"{words[0]}: an output that cannot be checked", " ".join(words)
        elif worse:
            yield f"{words[0]}: less sound: {min(worse)}", f"{' '.join(words)}: {worse}"
    for item in written:
        if item.is_dir():
            shutil.rmtree(item, ignore_errors=True)
        else:
            item.unlink(missing_ok=True)


def _kinds(path):
    """The kinds of findings in a file; None among them when not all of it could be looked at."""
    try:
        package = Package.open(path)
        findings = letter_findings(package) if path.suffix == ".docx" else conformance_findings(package)
    except Exception:
        return {None}
    parts = set(package.names())
    # What is wrong counts, and not how often: a table of too many columns has one more where one was added.
    kinds = {re.sub(r"[0-9]+", "n", finding.says.partition(":")[0]) for finding in findings}
    unread = any(
        finding.part == package.name
        or "damaged" in finding.says
        or "would unpack" in finding.says
        or "cannot be read" in finding.says
        for finding in findings
    )
    return kinds | ({None} if unread or not parts else set())


def _place(error):
    frames = [frame for frame in traceback.extract_tb(error.__traceback__) if "tinquire" in frame.filename]
    last = frames[-1] if frames else traceback.extract_tb(error.__traceback__)[-1]
    return f"{last.filename.rpartition('tinquire/')[2]}:{last.lineno} ({last.name})"


def _trail(error, words):
    return f"{' '.join(words)}\n{''.join(traceback.format_exception(error)[-6:])[-1500:]}"


def attempt(chance, folder, count=3):
    """Damage one file, and run some commands on it."""
    name, data = damaged(chance)
    for kind, detail in survives(data, name, folder, lambda every: chance.sample(every, min(count, len(every)))):
        yield kind, detail, data
    (folder / name).unlink()
