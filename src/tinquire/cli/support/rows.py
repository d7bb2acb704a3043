"""Rows of files named on the command line, with their types stated or detected."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import counted
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.cells.values import Value
    from tinquire.sources import SourceRead, SourceSpec
    from tinquire.tables import Table

#: Numbers of files without a docket are written as they are: a customer's number has no thousands.
PLAIN = {"whole": "0", "number": "General"}

__all__ = ["PLAIN", "add_reading", "read_rows", "spec_of", "stated_types", "tell_read", "write_table"]

#: A sheet's last row (18.3.1.73), less the headings.
_MOST_ROWS = (1 << 20) - 1


def add_reading(parser: argparse.ArgumentParser) -> None:
    """Options that say how files are read, as sources of a docket do."""
    group = parser.add_argument_group("how the files are read")
    group.add_argument("--sheet", help="the sheet of each file (its only one); with * or ? all of such names")
    group.add_argument("--table", help="the table of each file")
    group.add_argument("--header", type=int, metavar="ROW", help="the row of the headings (found)")
    group.add_argument(
        "--totals-row", choices=("agree", "drop", "none"), default="agree",
        help="a totals row at the bottom: compare its sums, ignore it, or there is none (agree)",
    )  # fmt: skip
    group.add_argument("--separator", choices=(",", ";", "tab", "|"), help="of delimited text (found)")
    group.add_argument("--decimal", choices=(".", ","), help="the decimal mark of numbers in texts (found)")
    group.add_argument("--encoding", help="of delimited text (found)")
    group.add_argument(
        "--type", action="append", default=[], metavar="HEADING=TYPE", help="read a column as date dmy, money, ..."
    )
    group.add_argument(
        "--read-as", action="append", default=[], metavar="TEXT=VALUE",
        help="the value of a text among numbers, days or times; 'none=' for a blank",
    )  # fmt: skip


def stated_types(words: Sequence[str]) -> dict[str, str]:
    """Types by heading, as `--type` states them. Raises UseError."""
    from tinquire.base.wording import known_names
    from tinquire.tables.types import TYPES

    types = {}
    for text in words:
        heading, sign, kind = text.rpartition("=")
        if not sign or kind not in TYPES:
            why = f"'{text}' gives no type" if not sign else f"there is no type '{kind}': {known_names(kind, TYPES)}"
            raise UseError(Fault("reading --type", why, do="write it like 'Collected=date dmy'"))
        types[heading] = kind
    return types


def _stand_ins(words: Sequence[str]) -> dict[str, Value]:
    """What texts stand for, as `--read-as` states it. Raises UseError."""
    from tinquire.cli.support.options import typed_value

    found: dict[str, Value] = {}
    for word in words:
        text, sign, value = word.rpartition("=")
        if not sign or not text:
            raise UseError(Fault("reading --read-as", f"'{word}' gives no value", do="write it like 'none=0'"))
        read = typed_value(value) if value else None
        found[text] = float(read) if isinstance(read, int) and not isinstance(read, bool) else read
    return found


def spec_of(name: str, files: Sequence[Path], base: Path, options: argparse.Namespace) -> SourceSpec:
    """Files without a docket as a source: types that nobody states are detected."""
    from tinquire.sources import SourceSpec

    separator = "\t" if options.separator == "tab" else options.separator
    return SourceSpec(
        name, base, paths=[path.absolute() for path in files], sheet=options.sheet, table=options.table,
        header=options.header or "find", totals_row=options.totals_row, separator=separator, decimal=options.decimal,
        encoding=options.encoding, types=stated_types(options.type), read_everywhere=_stand_ins(options.read_as),
        differing="blank", infer=True,
    )  # fmt: skip


def read_rows(
    name: str, files: Sequence[Path], base: Path, options: argparse.Namespace, terminal: Terminal
) -> SourceRead:
    """The rows of files as one table; what was read, and as what, is told."""
    from tinquire.sources import gather

    terminal.progress(f"reading {len(files):,} files")
    gathered = gather(spec_of(name, files, base, options))
    tell_read(gathered, terminal)
    return gathered


def tell_read(gathered: SourceRead, terminal: Terminal) -> None:
    """A line for each file that was read, with what was left out or detected."""
    for file in gathered.files:
        terminal.line(
            "read", f"{file.shown}: {counted(file.rows, 'row')}" + "".join(f"; {note}" for note in file.notes)
        )


def chosen_rows(name: str, files: Sequence[Path], base: Path, options: argparse.Namespace, terminal: Terminal) -> Table:
    """The rows of files for which the formula of `--where`, if there is one, is true. Raises as `read_rows`."""
    from tinquire.tables.steps import StepContext
    from tinquire.tables.steps.keep_rows import KeepRows

    table = read_rows(name, files, base, options, terminal).table
    if not options.where:
        return table
    before = table.height
    table = KeepRows(options.where).apply(table, StepContext({}, {}, "--where"))
    terminal.line("where", f"{options.where}: {table.height:,} of {counted(before, 'row')}")
    return table


def write_table(table: Table, out: Path, stopped: str) -> None:
    """A table on the one sheet of a new workbook. Raises DataError for more rows than a sheet holds."""
    from tinquire.layout.plans import BlockPlan, SheetPlan
    from tinquire.layout.sheets import table_sheet
    from tinquire.looks import House
    from tinquire.workbook import Workbook

    if table.height > _MOST_ROWS:
        why = f"there are {counted(table.height, 'row')}, and a sheet holds {_MOST_ROWS:,} below its headings"
        raise DataError(Fault(stopped, why, do="take fewer files, or leave rows out in a docket"))
    house = House(formats=PLAIN)
    book = Workbook.new(house.font, house.size)
    shown = table_sheet(SheetPlan(name="Rows"), BlockPlan(sheet="Rows"), table, house, book.styles, "Rows")
    book.add_sheet(shown.sheet)
    book.save(out)
