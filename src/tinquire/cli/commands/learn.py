"""tinquire learn: from a workbook before and after a change by hand, the amendments that do it elsewhere."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from tinquire.base.faults import AccessError, Fault, UseError
from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

EXAMPLE = """tinquire learn before.xlsx after.xlsx --out learned.toml
  tinquire amend sheets/*.xlsx --with learned.toml --every-sheet --list"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("before", type=Path, help="the workbook as it was")
    parser.add_argument("after", type=Path, nargs="?", help="the workbook as it is; or --sheets of one workbook")
    parser.add_argument("--sheets", nargs=2, metavar=("BEFORE", "AFTER"), help="two sheets of one workbook")
    parser.add_argument(
        "--also", nargs=2, action="append", default=[], type=Path, metavar=("BEFORE", "AFTER"),
        help="another pair that the same steps must explain; repeat it",
    )  # fmt: skip
    parser.add_argument("--out", type=Path, metavar="FILE", help="where the steps are written (.toml)")
    parser.add_argument(
        "--as", dest="form", choices=("amendments", "docket"), default="amendments", help="what is written"
    )
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.learn.as_docket import as_docket
    from tinquire.learn.find import learn
    from tinquire.learn.writing import as_amendments

    if options.out is not None:
        require_new(options.out, "name another file")
    terminal.progress("comparing")
    data, after = _pair(options)
    also = [(_content(one), _opened(other)) for one, other in options.also]
    learned = learn(data, options.before.name, after, also)
    _tell(learned, terminal)
    names = f"{options.before.name} and {after.name}" if options.after else options.before.name
    text = as_docket(learned, "list") if options.form == "docket" else as_amendments(learned, f"Learned from {names}.")
    if options.out is not None and learned.steps:
        from tinquire.base.atomic_files import open_atomic

        with open_atomic(options.out) as stream:
            stream.write(text.encode())
        terminal.line("wrote", str(options.out))
        if options.form == "amendments" and learned.is_whole:
            terminal.line("next", f"tinquire amend FILES --with {options.out} --every-sheet --list")
    elif learned.steps and not options.json:
        terminal.plain()
        terminal.plain(text.rstrip())
    terminal.answer({
        "steps": [
            {"says": one.says, "cells": one.cells, "amendment": one.keys, "others": [says for _, says in one.others]}
            for one in learned.steps
        ],
        "unexplained": learned.unexplained,
    })  # fmt: skip
    return 0 if learned.is_whole and learned.steps else 1


def _pair(options: argparse.Namespace) -> tuple[bytes, Any]:
    """The state before, and the workbook after. Raises UseError and AccessError."""
    if (options.after is None) == (options.sheets is None):
        why = "name two workbooks, or one and two of its --sheets"
        raise UseError(Fault("learning", why, do="write it like: learn before.xlsx after.xlsx"))
    if options.sheets is None:
        return _content(options.before), _opened(options.after)
    from tinquire.workbook import edit

    books = []
    for keep, other in (options.sheets, reversed(options.sheets)):
        book = _opened(options.before)
        for name in (keep, other):
            book.sheet(name)  # says so when it is not there
        edit.delete_sheets(book, [other])
        if keep != options.sheets[0]:
            edit.rename_sheet(book, keep, options.sheets[0])
        books.append(book)
    return books[0].to_bytes(), _reopened(books[1])


def _reopened(book: Any) -> Any:
    from tinquire.workbook import Workbook

    return Workbook.from_bytes(book.to_bytes(), book.name)


def _content(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        why = "there is no such file" if isinstance(error, FileNotFoundError) else (error.strerror or str(error))
        raise AccessError(Fault("learning", why, str(path), "check its name and place")) from None


def _opened(path: Path) -> Any:
    from tinquire.workbook import Workbook

    return Workbook.from_bytes(_content(path), path.name)


def _tell(learned: Any, terminal: Terminal) -> None:
    """Each step in a sentence, other readings, and what no step explains."""
    for number, step in enumerate(learned.steps):
        terminal.line("found" if number == 0 else "", f"{step.says}  ({counted(step.cells, 'cell')})")
        for _, says in step.others[:3]:
            terminal.line("", f"   or: {says}")
        if len(step.others) > 3:
            terminal.line("", f"   or in {len(step.others) - 3} ways more")
    if not learned.steps:
        same = "nothing: both are the same" if learned.is_whole else "nothing that can be said in general terms"
        terminal.line("found", same)
    if any(step.others for step in learned.steps):
        terminal.line("note", "a pair in which these readings differ tells them apart: --also BEFORE AFTER")
    for number, line in enumerate(learned.unexplained):
        terminal.line("left over" if number == 0 else "", line)
    if learned.is_whole and learned.steps:
        cells = sum(step.cells for step in learned.steps)
        terminal.line("proved", f"replayed, these steps give the state after, cell for cell ({counted(cells, 'cell')})")
