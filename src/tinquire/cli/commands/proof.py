"""tinquire proof: the page to look at before a pack is sent, and who has approved it."""

from __future__ import annotations

import argparse

from tinquire.base.wording import counted
from tinquire.cli.commands.run import short_path
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire proof docket.toml --period 2026-10 --open"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    shared.add_docket(parser)
    parser.add_argument("--open", action="store_true", help="show it in the browser")
    parser.add_argument(
        "--approve", metavar="WHO", help="keep in the daybook that WHO has approved exactly these files"
    )  # fmt: skip
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.docket import load_docket, parse_period
    from tinquire.press.proof.approval import approve, standing_of

    docket = load_docket(options.docket)
    period = parse_period(options.period, docket.model.period)
    shared.settle_folder(docket.base, terminal)
    found = standing_of(docket, period)
    if options.approve is not None:
        found = approve(docket, period, options.approve, shared.clock())
    terminal.heading(f"{docket.model.title}, {period.long}")
    terminal.line("made", f"{_moment(found.made_at)}, {counted(len(found.files), 'file')}")
    if found.proof is not None:
        terminal.line("proof", short_path(found.proof))
    if found.changed:
        names = ", ".join(path.name for path in found.changed[:5])
        terminal.line("changed", f"{counted(len(found.changed), 'file')} since then: {names}")
    if found.approved is not None:
        terminal.line("approved", f"by {found.approved[0]}, {_moment(found.approved[1])}")
    elif docket.model.approve == "needed":
        terminal.line("approved", "by nobody yet, and nothing is sent before")
    terminal.answer(
        {
            "made": found.made_at,
            "proof": None if found.proof is None else str(found.proof),
            "digest": found.digest,
            "changed": [str(path) for path in found.changed],
            "approved": None if found.approved is None else {"who": found.approved[0], "at": found.approved[1]},
        }
    )
    if options.open and found.proof is not None:
        import webbrowser

        webbrowser.open(found.proof.resolve().as_uri())
    return 0


def _moment(text: str) -> str:
    return text[:16].replace("T", " ")
