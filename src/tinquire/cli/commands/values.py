"""tinquire values: the same workbook with results in place of formulas."""

from __future__ import annotations

import argparse
from pathlib import Path

from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.target import add_target, target
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire values 'Linen pack 2026-10.xlsx' --out 'Linen pack 2026-10 (values).xlsx'"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="the workbook")
    parser.add_argument("--sheet", action="append", default=[], help="only this sheet; can be repeated (all)")
    add_target(parser)
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.base.atomic_files import keep_original
    from tinquire.workbook import Workbook
    from tinquire.workbook.transform.values_only import keep_values

    out = target(options)
    book = Workbook.open(options.file)
    count = keep_values(book, options.sheet)
    kept = keep_original(options.file) if options.in_place and count else None
    if count or not options.in_place:
        book.save(out)
    terminal.line("wrote", f"{out}  ({counted(count, 'formula')} replaced by their results)")
    if kept:
        terminal.line("kept", f"{kept}, the original")
    terminal.answer({"file": str(out), "formulas": count, "original": None if kept is None else str(kept)})
    return 0
