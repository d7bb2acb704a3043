"""tinquire check: say all that is wrong, at once, without making anything."""

from __future__ import annotations

import argparse
import os

from tinquire.cli.commands.run import alike, as_dict, tell_work
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire check docket.toml --period 2026-10"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    shared.add_docket(parser)
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.docket import load_docket, parse_period
    from tinquire.press.make import make

    docket = load_docket(options.docket)
    period = parse_period(options.period, docket.model.period)
    shared.settle_folder(docket.base, terminal)
    pack = make(docket, period, environment=os.environ, progress=terminal.progress)
    terminal.heading(f"{docket.model.title}, {period.long}")
    tell_work(pack.results, terminal)
    held = [check for check in pack.results.checks if check.holds]
    for number, check in enumerate(held):
        terminal.line("holds" if number == 0 else "", f"{check.name}: {check.says}")
    names = []
    for group in alike(pack.outputs):
        first, last = group[0].path.name, group[-1].path.name
        names.append(first if len(group) == 1 else f"{first} to {last} ({len(group)} files)")
    if names:
        terminal.line("would be", ", ".join(names) + (f", {len(pack.mails)} mails" if pack.mails else ""))
    warned = len(pack.warnings)
    verdict = "no errors" + (f"; {warned} {'warning' if warned == 1 else 'warnings'}" if warned else "")
    terminal.line("result", verdict)
    terminal.answer(as_dict(pack))
    return 0
