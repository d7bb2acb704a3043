"""tinquire history: the runs of a job, from its daybook; and whether their files are still what they were."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire history larkfold --verify"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("folder", nargs="?", type=Path, default=Path(), help="the job's folder (this one)")
    parser.add_argument(
        "--verify", action="store_true",
        help="hold the files of the latest run of each period, made and read, against their digests",
    )  # fmt: skip
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    if options.verify:
        return _verify(options.folder, terminal)
    runs = _runs(options.folder)
    if not runs:
        terminal.line("runs", "none yet")
    else:
        rows = [
            [str(one["run"]), _moment(one["at"]), one["period"], one["docket"], str(len(one["read"])),
             str(len(one["made"])), str(one["sent"]), one["approved"]]
            for one in runs
        ]  # fmt: skip
        headings = ["run", "made at", "period", "docket", "read", "made", "sent", "approved by"]
        terminal.table(headings, rows, right=[0, 4, 5, 6])
    terminal.answer(runs)
    return 0


def _runs(folder: Path) -> list[dict[str, Any]]:
    """Every run with what it read, made and sent, the latest first."""
    from tinquire.press.record.daybook import Daybook, files_digest

    book = Daybook(folder)
    sent = {content: (to, subject, state, at) for content, _, to, subject, state, at in book.sent()}
    found = []
    for number, docket, period, at in book.runs():
        made = book.made_by(number)
        mails = [(file, *sent[content]) for _, file, content in made if content in sent]
        found.append({
            "run": number, "docket": docket, "period": period, "at": at,
            "read": [
                {"source": source, "file": file, "rows": rows, "digest": content}
                for source, file, rows, content in book.read_by(number)
            ],
            "made": [{"output": output, "file": file, "digest": content} for output, file, content in made],
            "mails": [
                {"file": file, "to": to, "subject": subject, "state": state, "at": moment}
                for file, to, subject, state, moment in mails
            ],
            "sent": sum(state == "sent" for *_, state, _ in mails),
            "approved": (book.approved(docket, period, files_digest(made)) or ("",))[0],
        })  # fmt: skip
    return found


def _verify(folder: Path, terminal: Terminal) -> int:
    from tinquire.press.record.proving import verify

    found = list(verify(folder))
    wrong = [one for one in found if one.state != "same"]
    for one in wrong:
        terminal.line(one.state, f"{one.file}  ({'made as' if one.made else 'read for'} {one.what}, {one.period})")
    if not found:
        terminal.line("runs", "none yet")
    else:
        runs = counted(len({one.run for one in found}), "run")
        same = f"{len(found) - len(wrong):,} of {counted(len(found), 'file')}"
        terminal.line("verified", f"{same} in {runs} are what the daybook says")
    terminal.answer(
        [
            {"run": one.run, "period": one.period, "file": one.file, "of": one.what, "made": one.made, "is": one.state}
            for one in found
        ]
    )
    return int(bool(wrong))


def _moment(text: str) -> str:
    return text[:16].replace("T", " ")
