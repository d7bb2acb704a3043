"""Options that several commands share."""

from __future__ import annotations

import argparse
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from tinquire.base.faults import Fault, UseError
from tinquire.cli.support.terminal import Terminal

__all__ = [
    "add_docket",
    "add_json",
    "add_now",
    "clock",
    "local_clock",
    "moment",
    "settle_folder",
    "typed_cell",
    "typed_value",
]


def add_docket(parser: argparse.ArgumentParser, *, needed: bool = True) -> None:
    """The job file and its period; not `needed` where another option may stand in for the period."""
    parser.add_argument("docket", nargs="?", type=Path, default=Path("docket.toml"), help="the job file (docket.toml)")
    parser.add_argument("--period", "-p", required=needed, help="the period, such as 2026-10, 2026-Q4 or 2026-W43")


def add_json(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--json", action="store_true", help="answer in JSON")


def add_now(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--now", metavar="TIME", help="the moment to date mails with, such as 2026-11-03T17:45")


def moment(text: str | None) -> datetime | None:
    """A moment in ISO 8601 spelling; without a zone it is UTC. Raises UseError."""
    if text is None:
        return None
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise UseError(
            Fault("reading --now", f"'{text}' is not a date and time", do="write it like 2026-11-03T17:45")
        ) from None
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def clock() -> datetime:
    """The one place where the real time comes in."""
    return datetime.now(UTC)


def local_clock() -> datetime:
    """The time as the clock on the wall shows it, which is what NOW means in a workbook."""
    return clock().astimezone().replace(tzinfo=None)


def settle_folder(base: Path, terminal: Terminal, *, lossy: bool = False) -> None:
    """Complete or take back what a run that was broken off left in a job's folder, and say so; see `settle`. Raises
    TinQuireError."""
    from tinquire.press.settle import settle

    for note in settle(base, lossy=lossy):
        terminal.line("note", note)


def typed_value(text: str) -> Any:
    """An option's value as a TOML file would hold it; what is no number, day, true or false is text."""
    import tomllib

    try:
        found = tomllib.loads(f"value = {text}")["value"] if "\n" not in text else text
    except tomllib.TOMLDecodeError:
        return text
    return text if isinstance(found, (list, dict)) or text[:1] in "\"'" else found


def typed_cell(text: str) -> Any:
    """An option's value as a cell holds it: numbers are floats."""
    found = typed_value(text)
    return float(found) if isinstance(found, int) and not isinstance(found, bool) else found
