"""tinquire history: the runs of a job, from its daybook."""

from __future__ import annotations

import argparse
from pathlib import Path

from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire history larkfold"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("folder", nargs="?", type=Path, default=Path(), help="the job's folder (this one)")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.press.record.daybook import Daybook

    runs = Daybook(options.folder).runs()
    if not runs:
        terminal.line("runs", "none yet")
    else:
        rows = [[str(number), at, period, docket] for number, docket, period, at in runs]
        terminal.table(["run", "made at", "period", "docket"], rows, right=[0])
    terminal.answer([{"run": n, "docket": docket, "period": period, "at": at} for n, docket, period, at in runs])
    return 0
