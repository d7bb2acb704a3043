"""Where a command that changes a file writes to: a new file, or the same one with the original kept beside it."""

from __future__ import annotations

import argparse
from pathlib import Path

from tinquire.base.faults import Fault, UseError

__all__ = ["add_target", "require_new", "target"]


def add_target(parser: argparse.ArgumentParser) -> None:
    where = parser.add_mutually_exclusive_group(required=True)
    where.add_argument("--out", type=Path, metavar="FILE", help="the file to write")
    where.add_argument(
        "--in-place", action="store_true", help="change the file itself, and keep the original beside it"
    )


def require_new(path: Path | None, do: str = "name another file") -> None:
    """Raises UseError when there is such a file already; `do` is what to do then."""
    if path is not None and path.exists():
        raise UseError(Fault("choosing where to write", "there is such a file already", str(path), do))


def target(options: argparse.Namespace) -> Path:
    """The file to write. Raises UseError when that is the input without `--in-place`, or is there already."""
    source: Path = options.file
    if options.in_place:
        return source
    out: Path = options.out
    if out.exists() and source.exists() and out.samefile(source):
        why, do = "it is the input file", "write --in-place to change it"
        raise UseError(Fault("choosing where to write", why, str(out), do))
    require_new(out, "name another file, or move that one away")
    return out
