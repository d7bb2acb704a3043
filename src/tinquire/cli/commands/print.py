"""tinquire print: sheets of workbooks, and letters, as pages: PDF, PNG, SVG, HTML."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted, known_names
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.pages.document import Part
    from tinquire.pages.primitives import Pages
    from tinquire.pages.sheet_layout import Asked
    from tinquire.workbook import Workbook

EXAMPLE = (
    "tinquire print 'Linen pack 2026-10.xlsx' --to pack.pdf\n"
    "  tinquire print 'Linen pack 2026-10.xlsx' --sheet Cover --to cover.png --dpi 150\n"
    "  tinquire print 'Linen pack 2026-10.xlsx' --sheet Charges --area A4:K40 --fit wide --paper A4 --to charges.pdf\n"
    "  tinquire print 'Depot view 2026-10.xlsx' --sheet View --each depots.csv --name '[:Depot:].pdf' --out views"
)
#: Word-processing documents.
_LETTERS = (".docx", ".dotx", ".docm")
_FORMS = ("pdf", "png", "svg", "html", "htm")
_RESOLUTION = 96.0
_FINEST = 1200.0


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "files",
        nargs="+",
        type=Path,
        metavar="file",
        help="workbooks, of which several become one document, or a letter (.docx)",
    )
    parser.add_argument("--to", type=Path, metavar="FILE", help="the file to write: .pdf, .png, .svg or .html")
    parser.add_argument("--each", type=Path, metavar="LIST", help="a list: a print for each of its lines, with --out")
    parser.add_argument("--out", type=Path, metavar="FOLDER", help="with --each, the folder of the prints")
    parser.add_argument(
        "--set", action="append", default=[], metavar="CELL=VALUE",
        help="with --each, what a line sets: 'Report!J4=[:Depot:]'; without it, headings that name cells",
    )  # fmt: skip
    parser.add_argument(
        "--pairs",
        nargs=2,
        metavar=("CELLS", "VALUES"),
        help="with --each, two columns of lists: cells and their values",
    )
    parser.add_argument("--separator", default=";", metavar="SIGN", help="what stands between the entries of lists (;)")
    parser.add_argument(
        "--word", action="append", default=[], metavar="WORD=VALUE", help="with --each, what a word of the list means"
    )
    parser.add_argument("--name", metavar="NAME", help="with --each, the files' name with slots: '[:Depot:].pdf'")
    parser.add_argument("--allow-empty", action="store_true", help="with --each, print reports without numbers too")
    parser.add_argument("--processes", type=int, metavar="N", help="with --each, how many work at a time (all)")
    parser.add_argument("--sheet", action="append", default=[], help="a sheet to print; can be repeated (all)")
    parser.add_argument(
        "--area", action="append", default=[], metavar="A1:H40", help="these cells alone; can be repeated"
    )
    parser.add_argument("--fit", choices=("wide", "page"), help="onto the width of a page, or onto one page")
    parser.add_argument("--paper", metavar="NAME", help="A4, Letter, A3, A5, Legal or Tabloid (as the sheet says)")
    lie = parser.add_mutually_exclusive_group()
    lie.add_argument("--landscape", action="store_true", default=None, help="on lying paper")
    lie.add_argument("--portrait", action="store_false", dest="landscape", help="on standing paper")
    parser.add_argument("--page", type=int, metavar="N", help="this page alone")
    parser.add_argument("--dpi", type=float, default=_RESOLUTION, metavar="N", help="points an inch of a PNG (96)")
    parser.add_argument("--rows", type=int, metavar="N", help="at most this many rows of each sheet")
    parser.add_argument(
        "--type", action="append", default=[], metavar="HEADING=TYPE", help="read a column of the list as date dmy, ..."
    )
    parser.add_argument("--for-mail", action="store_true", help="of .html, the form that mail programs show")
    parser.add_argument("--title", help="the document's title (the file's name)")
    parser.add_argument("--author", default="", help="who made it, for the document's properties and its cover")
    parser.add_argument("--cover", action="store_true", help="begin with a page that has the title and the day")
    parser.add_argument("--contents", action="store_true", help="begin with a list of contents")
    parser.add_argument("--now", metavar="TIME", help="the moment for marks and headers, such as 2026-11-03T17:45")


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    moment = shared.moment(options.now) or shared.local_clock()
    _require_fit(options)
    if options.each is not None:
        return _variants(options, terminal, moment)
    if options.to is None:
        raise UseError(Fault("printing", "it does not say where to", do="write --to pages.pdf"))
    form = options.to.suffix.lower().lstrip(".")
    if form not in _FORMS:
        why = f"'{options.to.name}' does not end in .pdf, .png, .svg or .html"
        raise UseError(Fault("printing", why, do="write --to pages.pdf"))
    inputs = {path.resolve() for path in options.files}
    if options.to.resolve() in inputs:
        raise UseError(Fault("printing", "it is the input file", str(options.to), "name another file"))
    if form in ("html", "htm"):
        return _html(options, terminal, moment)
    document = _pages(options, terminal, moment)
    if form == "pdf":
        from tinquire.pages.pdf import pdf_of

        return _written(options, terminal, pdf_of(document, moment), counted(len(document.pages), "page"))
    if form == "svg":
        from tinquire.pages.svg import svg_of

        if len(document.pages) > 1:
            why = f"there are {len(document.pages)} pages, and an SVG holds one"
            raise UseError(Fault("printing", why, do="choose one: --page 1"))
        return _written(options, terminal, svg_of(document.pages[0], document.title), "1 page")
    return _pictures(options, terminal, document, moment)


def _require_fit(options: argparse.Namespace) -> None:
    """Raises UseError for what letters cannot be: a list fills them by `fill`, and their pages are no HTML."""
    if not any(path.suffix.lower() in _LETTERS for path in options.files):
        return
    if options.each is not None:
        do = "tinquire fill letter.docx --each list.csv --to pdf --out letters"
        raise UseError(Fault("printing a letter", "--each sets cells of workbooks", do=do))
    form = "" if options.to is None else options.to.suffix.lower()
    if form in (".html", ".htm"):
        raise UseError(Fault("printing a letter", "its pages are no HTML", do="write --to letter.pdf"))
    if len(options.files) > 1 or options.sheet or options.area or options.cover or options.contents:
        why = "sheets, areas, covers and several files in one document are for workbooks"
        raise UseError(Fault("printing a letter", why, do="print it alone: --to letter.pdf"))


def _variants(options: argparse.Namespace, terminal: Terminal, moment: datetime) -> int:
    from tinquire.cli.support.variants import print_variants

    if options.out is None or options.to is not None or len(options.files) > 1:
        why = "a list makes a print of one workbook for each of its lines, in a folder"
        raise UseError(Fault("printing", why, do="write --each list.xlsx --out views"))
    return print_variants(options, terminal, moment, _asked(options))


def _pages(options: argparse.Namespace, terminal: Terminal, moment: datetime) -> Pages:
    """The pages that are asked for."""
    from tinquire.pages.document import About, lay_out

    title = options.title or options.files[0].stem
    if options.files[0].suffix.lower() in _LETTERS:
        return _letter_pages(options, terminal, title)
    parts = [_part(options, path) for path in options.files]
    about = About(title, options.author, cover=options.cover, contents=options.contents)
    return _chosen_page(options, lay_out(parts, moment, about, terminal.note_once))


def _letter_pages(options: argparse.Namespace, terminal: Terminal, title: str) -> Pages:
    """The pages of a letter."""
    from tinquire.document import Letter
    from tinquire.pages.letter_pages import lay_out_letter

    return _chosen_page(options, lay_out_letter(Letter.open(options.files[0]), title, terminal.note_once))


def _chosen_page(options: argparse.Namespace, document: Pages) -> Pages:
    """A document, or the page of it that is asked for. Raises UseError for one that is not there."""
    if options.page is not None:
        if not 1 <= options.page <= len(document.pages):
            why = f"there is no page {options.page}: it has {counted(len(document.pages), 'page')}"
            raise UseError(Fault("printing", why, do="choose one of these"))
        document.pages = [document.pages[options.page - 1]]
    return document


def _part(options: argparse.Namespace, path: Path) -> Part:
    from tinquire.pages.document import Part

    book = _opened(path)
    names = tuple(book.sheet(name).name for name in options.sheet)
    return Part(book, names, _asked(options), path.stem, str(path.resolve().parent))


def _opened(path: Path) -> Workbook:
    """A file's sheets with their parts, also of one that was no workbook."""
    from tinquire.sources.readers.detect import open_sheets

    book, _ = open_sheets(path)
    if any(entry.part is None for entry in book.entries):
        book.settle()
    return book


def _asked(options: argparse.Namespace) -> Asked:
    """What goes before what the sheets say. Raises UseError."""
    from tinquire.cells.address import parse_area
    from tinquire.looks.papers import PAPER_NAMES, paper_number
    from tinquire.pages.sheet_layout import Asked

    areas = []
    for text in options.area:
        try:
            areas.append(parse_area(text.replace("$", "").upper()))
        except ValueError:
            raise UseError(Fault("reading --area", f"'{text}' is not an area", do="write it like A1:H40")) from None
    paper = None
    if options.paper is not None and (paper := paper_number(options.paper)) is None:
        why = f"there is no paper '{options.paper}': {known_names(options.paper, PAPER_NAMES)}"
        raise UseError(Fault("reading --paper", why, do="name one of these"))
    if options.rows is not None and options.rows < 1:
        raise UseError(Fault("reading --rows", f"{options.rows} rows cannot be printed", do="write --rows 100"))
    return Asked(tuple(areas), paper, options.landscape, options.fit, options.rows)


def _pictures(options: argparse.Namespace, terminal: Terminal, document: Pages, moment: datetime) -> int:
    """Each page as a picture: one under the name asked for, several with their numbers behind it."""
    from tinquire.base.placing import write_all
    from tinquire.pages.pdf import pdf_of
    from tinquire.pages.png import page_pictures

    if not 1 <= options.dpi <= _FINEST:
        raise UseError(Fault("reading --dpi", f"{options.dpi:g} points an inch cannot be drawn", do="write --dpi 150"))
    pdf, count = pdf_of(document, moment), len(document.pages)
    width = len(str(count))

    def files() -> Iterator[tuple[Path, bytes]]:
        for number, picture in enumerate(page_pictures(pdf, options.dpi), start=1):
            terminal.progress(f"page {number} of {count}")
            stem = options.to.stem if count == 1 else f"{options.to.stem}-{number:0{width}}"
            yield options.to.with_name(f"{stem}.png"), picture

    write_all(files())
    shown = options.to if count == 1 else options.to.with_name(f"{options.to.stem}-{'1':0>{width}}.png")
    terminal.line("wrote", f"{shown}" + (f" to {options.to.stem}-{count}.png" if count > 1 else ""))
    return 0


def _html(options: argparse.Namespace, terminal: Terminal, moment: datetime) -> int:
    from tinquire.cells.dates import serial_from_date
    from tinquire.pages import html_page
    from tinquire.sources.readers.detect import open_sheets

    if len(options.files) > 1 or options.area or options.page is not None:
        what = "several files" if len(options.files) > 1 else "areas and single pages"
        raise UseError(Fault("printing", f"a web page cannot hold {what}", do="write --to pages.pdf"))
    path = options.files[0]
    book, _ = open_sheets(path)
    sheets = [book.sheet(name).name for name in options.sheet]
    now = serial_from_date(moment.replace(tzinfo=None), book.date_system)
    title = options.title or path.stem
    page = html_page(book, title, sheets, options.rows, now, terminal.note_once, for_mail=options.for_mail)
    return _written(options, terminal, page.encode(), "")


def _written(options: argparse.Namespace, terminal: Terminal, content: bytes, what: str) -> int:
    from tinquire.base.atomic_files import open_atomic

    with open_atomic(options.to) as stream:
        stream.write(content)
    size = f"{len(content) / 1024:,.0f} kB"
    terminal.line("wrote", f"{options.to}  ({what + ', ' if what else ''}{size})")
    return 0
