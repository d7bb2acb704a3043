"""tinquire run: make a period's pack and mails."""

from __future__ import annotations

import argparse
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire run docket.toml --period 2026-10"
#: Where a run that is broken off leaves what it has finished.
KEPT = ".kept"
#: More files of one output than these are told as one line.
_TOLD_SINGLY = 8


def add_arguments(parser: argparse.ArgumentParser) -> None:
    shared.add_docket(parser)
    shared.add_now(parser)
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    pack = make_pack(options.docket, options.period, options.now, terminal)
    tell_pack(pack, terminal, f"tinquire send {short_path(options.docket)} --period {options.period}")
    return 0


def make_pack(docket_path: Path, period_text: str, now: str | None, terminal: Terminal) -> Any:
    """Make and write a pack, saying what was read and what came of it."""
    from tinquire.base.processes import processors
    from tinquire.docket import load_docket, parse_period
    from tinquire.press.make import make
    from tinquire.press.publish import publish

    docket = load_docket(docket_path)
    period = parse_period(period_text, docket.model.period)
    at = shared.moment(now)
    shared.settle_folder(docket.base, terminal, lossy=True)
    pack = make(
        docket, period, now=at, environment=os.environ, progress=terminal.progress, kept=docket.base / KEPT,
        processes=processors(),
    )  # fmt: skip
    terminal.heading(f"{docket.model.title}, {period.long}")
    tell_work(pack.results, terminal)
    terminal.progress("writing")
    for note in publish(pack, at or shared.clock()):
        terminal.line("note", note)
    return pack


def tell_work(work: Any, terminal: Terminal) -> None:
    """What was read, what steps left out, which checks hold."""
    width = max((len(name) for name in (*work.sources, *work.steps)), default=0)
    label = "read"
    for name, gathered in work.sources.items():
        files = len(gathered.files)
        every = (note for file in gathered.files for note in file.notes)
        notes = dict.fromkeys(note if isinstance(note, str) else note.general for note in every)
        text = f"{name:{width}}  {gathered.table.height:>7,} rows from {counted(files, 'file')}"
        terminal.line(label, text + (f"; {'; '.join(notes)}" if notes else ""), hang=width + 2)
        label = ""
    label = "made"
    for name, steps in work.steps.items():
        terminal.line(label, f"{name:{width}}  {work.tables[name].height:>7,} rows after {counted(len(steps), 'step')}")
        label = ""
        for step in steps:
            for note in step.notes:
                terminal.line("", f"{'':{width}}  {step.says}: {note}", hang=width + 2)
    held = sum(check.holds for check in work.checks)
    if work.checks:
        terminal.line("checked", f"{held} of {len(work.checks)} checks hold")
    for warning in work.warnings:
        terminal.fault(warning)


def tell_pack(pack: Any, terminal: Terminal, following: str | None = None) -> None:
    """What was written, and the command that follows, if any."""
    label = "wrote"
    for group in alike(pack.outputs):
        summary = ("made before" if group[0].again else group[0].summary) if len(group) == 1 else f"{len(group)} files"
        size = sum(len(output.data) for output in group) / 1024
        more = f" to {group[-1].path.name}" if len(group) > 1 else ""
        terminal.line(label, f"{short_path(group[0].path)}{more}  ({summary}, {size:,.0f} kB)")
        label = ""
    if pack.mails:
        count = len(pack.mails)
        text = f"{short_path(pack.outbox)}  ({counted(count, 'mail')}, not sent)"
        terminal.line(label, text)
    terminal.line("proof", f"{short_path(pack.proof.path)}  (look through it before you send)")
    for output in pack.outputs:
        for note in output.notes:
            terminal.line("note", note)
        for warning in output.warnings:
            terminal.fault(warning)
    if pack.mails and following:
        terminal.line("next", following)
    terminal.answer(as_dict(pack))


def alike(outputs: Sequence[Any]) -> list[list[Any]]:
    """A run's outputs as they are told: each alone, but in one group those of one name and format that are many."""
    groups: dict[tuple[str, str], list[Any]] = {}
    for output in outputs:
        groups.setdefault((output.name, output.path.suffix), []).append(output)
    told = []
    for output in outputs:
        group = groups[output.name, output.path.suffix]
        if len(group) <= _TOLD_SINGLY:
            told.append([output])
        elif output is group[0]:
            told.append(group)
    return told


def as_dict(pack: Any) -> dict[str, Any]:
    """A run for programs."""
    work = pack.results
    return {
        "title": work.docket.model.title,
        "period": work.period.text,
        "sources": {
            name: [
                {"file": file.shown, "rows": file.rows, "notes": list(map(str, file.notes))} for file in gathered.files
            ]
            for name, gathered in work.sources.items()
        },
        "tables": {name: table.height for name, table in work.tables.items()},
        "figures": work.figures,
        "checks": [{"name": check.name, "holds": check.holds, "says": check.says} for check in work.checks],
        "warnings": [warning.as_dict() for warning in pack.warnings],
        "outputs": [{"name": output.name, "file": str(output.path)} for output in pack.outputs],
        "proof": str(pack.proof.path),
        "mails": [
            {"file": str(pack.outbox / mail.file), "to": mail.to, "subject": mail.subject} for mail in pack.mails
        ],
    }


def short_path(path: Path) -> str:
    """A path as short as it can be said from here."""
    try:
        return str(path.absolute().relative_to(Path.cwd()))
    except ValueError:
        return str(path)
