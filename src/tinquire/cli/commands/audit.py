"""tinquire audit: what a careful colleague would point at in a workbook."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from pathlib import Path

from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire audit sources/2026-10/pickups-millrace.xlsx"
_LISTED = 60


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="the workbook")
    parser.add_argument("--sheet", action="append", default=[], help="only this sheet; can be repeated (all)")
    parser.add_argument("--rows", type=int, default=_LISTED, metavar="N", help=f"findings to list ({_LISTED})")
    parser.add_argument("--check", action="store_true", help="exit with 1 if anything is found")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.sources.readers.detect import FileKind, open_sheets
    from tinquire.workbook.inspect.audit import audit

    book, kind = open_sheets(options.file)
    for name in options.sheet:
        book.sheet(name)
    terminal.progress("reading formulas")
    found = list(audit(book, options.sheet or None))
    terminal.heading(options.file.as_posix())
    if kind is not FileKind.PACKAGE:
        terminal.line("is", f"{kind.value}; its values were read, its formulas were not")
    for item in found[: options.rows]:
        position = f"{item.sheet}!{item.cell}" if item.sheet else item.cell
        terminal.line(item.kind, f"{position}: {item.says}", 2)
        terminal.line("", f"  {item.do}")
    if len(found) > options.rows:
        terminal.line("", f"and {len(found) - options.rows:,} more; --rows lists more")
    counts: dict[str, int] = {}
    for item in found:
        counts[item.kind] = counts.get(item.kind, 0) + 1
    kinds = ", ".join(f"{count:,} {kind}" for kind, count in sorted(counts.items(), key=lambda pair: -pair[1]))
    terminal.line("in all", f"{counted(len(found), 'finding')}: {kinds}" if found else "nothing that looks wrong")
    terminal.answer([asdict(item) for item in found])
    return int(options.check and bool(found))
