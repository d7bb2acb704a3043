"""tinquire print: a workbook laid out as a page."""

from __future__ import annotations

import argparse
from pathlib import Path

from tinquire.base.faults import Fault, UseError
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

EXAMPLE = "tinquire print 'Linen pack 2026-10.xlsx' --to pack.html --sheet Cover"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="the workbook")
    parser.add_argument("--to", type=Path, required=True, metavar="PAGE", help="the page to write, ending in .html")
    parser.add_argument("--sheet", action="append", default=[], help="a sheet to print; can be repeated (all)")
    parser.add_argument("--now", metavar="TIME", help="the moment for marks by today's date, such as 2026-11-03T17:45")
    parser.add_argument("--rows", type=int, metavar="N", help="at most this many rows of each sheet")


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.base.atomic_files import open_atomic
    from tinquire.cells.dates import serial_from_date
    from tinquire.pages import html_page
    from tinquire.sources.readers.detect import open_sheets

    if options.to.suffix.lower() not in (".html", ".htm"):
        why = f"'{options.to.name}' does not end in .html, the one form it can write"
        raise UseError(Fault("printing", why, do="write --to page.html"))
    book, _ = open_sheets(options.file)
    sheets = [book.sheet(name).name for name in options.sheet]
    moment = shared.moment(options.now) or shared.local_clock()
    now = serial_from_date(moment.replace(tzinfo=None), book.date_system)
    page = html_page(book, options.file.stem, sheets, options.rows, now, lambda text: terminal.line("note", text))
    with open_atomic(options.to) as stream:
        stream.write(page.encode())
    terminal.line("wrote", f"{options.to}  ({len(page) / 1024:,.0f} kB)")
    return 0
