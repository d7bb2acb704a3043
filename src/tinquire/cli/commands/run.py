"""tinquire run: make a period's pack and mails."""

from __future__ import annotations

import argparse
import os
from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire run docket.toml --period 2026-10"
#: Where a run that is broken off leaves what it has finished.
KEPT = ".kept"
#: More files of one output than these are told as one line.
_TOLD_SINGLY = 8


def add_arguments(parser: argparse.ArgumentParser) -> None:
    shared.add_docket(parser, needed=False)
    parser.add_argument(
        "--as-of", type=int, metavar="RUN", help="make a run of the daybook again, beside the pack, and compare"
    )
    parser.add_argument("--only", action="append", default=[], metavar="NAME", help="make this output anew; repeat it")
    parser.add_argument(
        "--each-only", metavar="COLUMN=VALUE", help='of outputs with each, only those of such rows: "Number=1042"'
    )
    parser.add_argument("--fresh", action="store_true", help="make everything again, also what has not changed")
    parser.add_argument("--dry", action="store_true", help="say what would be made, and make nothing")
    parser.add_argument("--processes", type=int, metavar="N", help="how many work at a time (all)")
    shared.add_now(parser)
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    if options.as_of is not None:
        return _run_again(options, terminal)
    if options.period is None:
        raise UseError(Fault("reading the command line", "no period is named", do="write it like --period 2026-10"))
    following = f"tinquire send {short_path(options.docket)} --period {options.period}"
    if options.dry:
        _tell_names(options, terminal)
        return 0
    asked = Asked(tuple(options.only), options.each_only, options.fresh, options.processes)
    pack = make_pack(options.docket, options.period, options.now, terminal, asked, following)
    if pack is not None:
        tell_pack(pack, terminal, following)
    return 0


@dataclass(frozen=True)
class Asked:
    """What of a pack is to be made, and by how many processes."""

    only: tuple[str, ...] = ()
    each_only: str | None = None
    fresh: bool = False
    processes: int | None = None

    @property
    def is_part(self) -> bool:
        return bool(self.only or self.each_only)


def make_pack(
    docket_path: Path, period_text: str, now: str | None, terminal: Terminal, asked: Asked | None = None,
    following: str | None = None,
) -> Any:  # fmt: skip
    """Make a pack and put it in its place, saying what was read and what came of it; None, and said, when nothing has
    changed since it was made."""
    from tinquire.press.record.lock import held_for
    from tinquire.press.unchanged import inputs_of, unchanged

    asked = asked or Asked()
    at = shared.moment(now)
    base = docket_path.absolute().parent
    held = held_for(base, f"the run of {period_text}", f"{shared.local_clock():%H:%M}")
    with held if base.is_dir() else nullcontext():
        shared.settle_folder(base, terminal, lossy=True)
        same = None if asked.fresh or asked.is_part else unchanged(docket_path, period_text, at)
        if same is not None:
            terminal.heading(f"{same.title}, {same.period.long}")
            _tell_unchanged(same, terminal, following)
            return None
        from tinquire.base.processes import processors
        from tinquire.docket import load_docket, parse_period
        from tinquire.press.make import make
        from tinquire.press.part import Part
        from tinquire.press.publish import publish

        docket = load_docket(docket_path)
        period = parse_period(period_text, docket.model.period)
        part = Part.of(asked.only, asked.each_only)

        def calculated(results: Any) -> None:
            terminal.heading(f"{docket.model.title}, {period.long}")
            tell_work(results, terminal)

        pack = make(
            docket, period, now=at, environment=os.environ, progress=terminal.progress, kept=docket.base / KEPT,
            processes=asked.processes or processors(), part=part, fresh=asked.fresh, calculated=calculated,
        )  # fmt: skip
        terminal.progress("writing")
        for note in publish(pack, at or shared.clock(), inputs_of(pack, docket, period, at)):
            terminal.line("note", note)
    return pack


def _tell_unchanged(same: Any, terminal: Terminal, following: str | None) -> None:
    """That a pack is as it would be made, where it lies, and what was warned of."""
    when = same.at.replace("T", " ").replace("+00:00", " UTC")
    mails = sum(name == "mail" for name, *_ in same.made)
    files = [(name, file) for name, file, _ in same.made if name != "mail"]
    counts = counted(len(files), "file") + (f" and {counted(mails, 'mail')}" if mails else "")
    terminal.line("the same", f"nothing has changed since the run of {when}: {counts} are as they would be made")
    terminal.line("", "to make them all again: --fresh")
    for name, file in files:
        if name == "proof":
            terminal.line("proof", f"{short_path(same.base / file)}  (look through it before you send)")
    for warning in same.warnings:
        terminal.fault(warning)
    if mails and following:
        terminal.line("next", following)
    terminal.answer(
        {
            "title": same.title,
            "period": same.period.text,
            "unchanged_since": same.at,
            "warnings": [warning.as_dict() for warning in same.warnings],
            "outputs": [{"name": name, "file": str(same.base / file)} for name, file in files],
            "mails": mails,
        }
    )


def _run_again(options: argparse.Namespace, terminal: Terminal) -> int:
    """A run made again from its record, held against what it made then; 1 when that differs."""
    from tinquire.base.processes import processors
    from tinquire.press.again import make_again

    count = options.processes or processors()
    again = make_again(options.docket, options.as_of, os.environ, terminal.progress, count)
    terminal.heading(f"Run {options.as_of} of {again.at[:16].replace('T', ' ')}, for {again.period}, made again")
    for number, words in enumerate(again.changed):
        terminal.line("changed" if number == 0 else "", words)
    terminal.line("wrote", f"{counted(len(again.same) + len(again.different), 'file')}, in {short_path(again.folder)}")
    terminal.line("the same", f"{counted(len(again.same), 'file')}, byte for byte as they were made then")
    for label, files in (("differs", again.different), ("missing", again.missing)):
        for number, file in enumerate(files):
            terminal.line(label if number == 0 else "", file)
    terminal.answer({
        "run": options.as_of, "period": again.period, "at": again.at, "folder": str(again.folder),
        "changed": again.changed, "same": again.same, "different": again.different, "missing": again.missing,
    })  # fmt: skip
    return int(bool(again.different or again.missing))


def _tell_names(options: argparse.Namespace, terminal: Terminal) -> None:
    """What a run would make, by name."""
    from tinquire.docket import load_docket, parse_period
    from tinquire.press.make import begin_making, names_made

    docket = load_docket(options.docket)
    period = parse_period(options.period, docket.model.period)
    making = begin_making(
        docket, period, now=shared.moment(options.now), environment=os.environ, progress=terminal.progress
    )
    names = names_made(making, terminal.progress)
    terminal.heading(f"{docket.model.title}, {period.long}: what would be made")
    tell_work(making.results, terminal)
    for output, files in names.items():
        terminal.line("", f"{output}: {counted(len(files), 'mail' if output.startswith('mail ') else 'file')}")
        for file in files:
            terminal.line("", f"  {file}")
    terminal.line("to", short_path(making.out))
    terminal.answer(
        {"title": docket.model.title, "period": period.text, "folder": str(making.out), "would_make": names}
    )


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
    again = sum(output.again for output in pack.outputs)
    for group in alike(pack.outputs):
        summary = group[0].summary if len(group) == 1 else f"{len(group)} files"
        if all(output.again for output in group):
            summary += ", as before"
        size = sum(output.size for output in group) / 1024
        more = f" to {group[-1].path.name}" if len(group) > 1 else ""
        terminal.line(label, f"{short_path(group[0].path)}{more}  ({summary}, {size:,.0f} kB)")
        label = ""
    if pack.mails:
        count = len(pack.mails)
        text = f"{short_path(pack.outbox)}  ({counted(count, 'mail')}, not sent)"
        terminal.line(label, text)
    if again:
        terminal.line("", f"{again} of {counted(len(pack.outputs), 'file')} had not changed, and were not made again")
    if pack.left_out:
        left = ", ".join(f"{count:,} of {name}" for name, count in pack.left_out.items())
        terminal.line("left out", f"{left}; and the mails that would carry them")
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
        "outputs": [
            {"name": output.name, "file": str(output.path), "made_before": output.again} for output in pack.outputs
        ],
        "left_out": dict(pack.left_out),
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
