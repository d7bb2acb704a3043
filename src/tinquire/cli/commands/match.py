"""tinquire match: columns of one file brought to the rows of another, by key."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.files import find_files
from tinquire.cli.support.rows import add_reading, read_rows, write_table
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.cells.column import Codes
    from tinquire.tables import Table

EXAMPLE = "tinquire match pickups.xlsx rates.csv --on Item=Code --bring Rate Band --out priced.xlsx"
#: Keys that are listed of each kind, without --rows.
_LISTED = 8


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("left", help="the file whose rows stay")
    parser.add_argument("right", help="the file to take columns from")
    parser.add_argument(
        "--on",
        nargs="+",
        action="extend",
        required=True,
        metavar="LEFT=RIGHT",
        help="the key columns, by their headings",
    )
    parser.add_argument(
        "--bring", nargs="+", action="extend", default=[], metavar="COLUMN[=NAME]", help="the columns to bring (all)"
    )
    parser.add_argument(
        "--clean", nargs="+", action="extend", default=[], choices=("spaces", "case", "zeros", "kind"),
        help="differences in keys to ignore: spaces around, capitals, leading zeros, number or text",
    )  # fmt: skip
    parser.add_argument(
        "--nearest", action="store_true", help="match the last key to the nearest number below, as in rate bands"
    )
    parser.add_argument(
        "--unmatched", choices=("blank", "drop", "stop"), default="blank", help="rows without a match (blank)"
    )
    parser.add_argument(
        "--otherwise", action="append", default=[], metavar="[COLUMN=]VALUE",
        help="the value for rows without a match: in all columns of its type, or in one",
    )  # fmt: skip
    parser.add_argument(
        "--repeated",
        choices=("stop", "first", "last", "sum"),
        default="stop",
        help="if a key is repeated on the right (stop)",
    )
    parser.add_argument("--check", action="store_true", help="write nothing; exit with 1 when a key has no match")
    parser.add_argument("--out", type=Path, metavar="FILE", help="the workbook to write")
    parser.add_argument("--rows", type=int, default=_LISTED, metavar="N", help=f"keys to list of each kind ({_LISTED})")
    add_reading(parser)
    parser.add_argument("--right-sheet", metavar="SHEET", help="the sheet of the right file")
    parser.add_argument("--right-table", metavar="TABLE", help="the table of the right file")
    parser.add_argument("--right-header", type=int, metavar="ROW", help="the row of its headings")
    parser.add_argument("--right-type", action="append", default=[], metavar="HEADING=TYPE", help="of the right file")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    import numpy as np

    from tinquire.tables.steps import StepContext
    from tinquire.tables.steps.match import Match

    require_new(options.out)
    if options.out is None and not options.check:
        raise UseError(Fault("matching", "no output is asked for", do="name a file with --out, or write --check"))
    own = {"sheet": options.right_sheet, "table": options.right_table, "type": options.right_type}
    theirs = argparse.Namespace(**{**vars(options), **own, "header": options.right_header})
    left, right = _table(options.left, options, terminal), _table(options.right, theirs, terminal)
    keys = dict(_pair(text) for text in options.on)
    step = Match(
        "right", keys, dict(_pair(text) for text in options.bring) or "all", options.unmatched, options.repeated,
        options.clean, "below" if options.nearest else "no",
        _otherwise(options.otherwise),
    )  # fmt: skip
    context = StepContext({}, {}, f"matching {options.left} with {options.right}")
    made, found = step.brought_over(left, right, context)
    met = int((found.rows >= 0).sum())
    terminal.line("matched", f"{met:,} of {counted(left.height, 'row')}")
    alone = np.flatnonzero(found.rows < 0)
    _, first = np.unique(found.left[alone], return_index=True)
    only_left = _unmatched_keys("no match", left, list(keys), np.sort(alone[first]), found.left, options.rows, terminal)
    names = list(keys.values())
    only_right = _unmatched_keys("unused", right, names, found.only_right, found.right, options.rows, terminal)
    for note in context.notes:
        if "blank where there is no match" in note:
            terminal.line("note", note)
    if options.out is not None and not options.check:
        write_table(made, options.out, "matching")
        terminal.line("wrote", f"{options.out}  ({counted(made.height, 'row')}, {counted(len(made.fields), 'column')})")
    terminal.answer({"file": str(options.out or ""), "matched": met, "rows": left.height, "only left": only_left,
                     "only right": only_right})  # fmt: skip
    return int(options.check and met < left.height)


def _table(word: str, options: argparse.Namespace, terminal: Terminal) -> Table:
    files, base = find_files([word], terminal, workbooks_only=False)
    return read_rows(word, files, base, options, terminal).table


def _otherwise(words: list[str]) -> Any:
    """One value, or values by column. Raises UseError."""
    if len(words) == 1 and "=" not in words[0]:
        return shared.typed_value(words[0])
    found = dict(word.partition("=")[::2] for word in words)
    if any("=" not in word for word in words):
        why = "one value for all columns cannot stand beside others"
        raise UseError(Fault("reading --otherwise", why, do="write it for each column: 'Rate=0'"))
    return {column: shared.typed_value(value) for column, value in found.items()} or None


def _pair(text: str) -> tuple[str, str]:
    """`Item=Code`; one heading alone stands for both."""
    ours, sign, theirs = text.partition("=")
    return ours, theirs if sign else ours


def _unmatched_keys(
    label: str, table: Table, names: list[str], rows: Codes, groups: Codes, most: int, terminal: Terminal
) -> list[dict[str, object]]:
    """Keys without a partner, each with its first row and how many rows have it; the first of them told."""
    from tinquire.tables.keys import key_text

    columns = [table.column(name, label) for name in names]
    found: list[dict[str, object]] = []
    for row in rows.tolist():
        count = int((groups == groups[row]).sum())
        found.append({"key": [column[row] for column in columns], "rows": count, "first": table.where(row)})
        if len(found) <= most:
            many = f"{counted(count, 'row')}, first in" if count > 1 else "in"
            terminal.line(label if len(found) == 1 else "", f"{key_text(columns, row)}: {many} {table.where(row)}")
    if len(found) > most:
        terminal.line("", f"and {len(found) - most:,} more keys; --rows lists more")
    return found
