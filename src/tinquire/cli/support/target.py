"""Where a command that changes a file writes to: a new file, or the same one with the original kept beside it."""

from __future__ import annotations

import argparse
from pathlib import Path

from tinquire.base.faults import Fault, UseError

__all__ = ["add_target", "target"]


def add_target(parser: argparse.ArgumentParser) -> None:
    where = parser.add_mutually_exclusive_group(required=True)
    where.add_argument("--out", type=Path, metavar="FILE", help="the file to write")
    where.add_argument(
        "--in-place", action="store_true", help="change the file itself, and keep the original beside it"
    )


def target(options: argparse.Namespace) -> Path:
    """The file to write. Raises UseError when that is the input without `--in-place`, or is there already."""
    source: Path = options.file
    if options.in_place:
        return source
    out: Path = options.out
    if out.exists():
        same = source.exists() and out.samefile(source)
        why = "it is the input itself" if same else "there is such a file already"
        do = "write --in-place to change it" if same else "name another file, or move that one away"
        raise UseError(Fault("choosing where to write", why, str(out), do))
    return out
