"""tinquire split: one workbook of each sheet, or of each value of a column."""

from __future__ import annotations

import argparse
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.placing import write_all
from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.workbook import Workbook
    from tinquire.workbook.transform.split import Cut

EXAMPLE = (
    "tinquire split 'Linen pack 2026-10.xlsx' --out views\n"
    "  tinquire split 'Linen pack 2026-10.xlsx' --by-column Customer --sheet Charges --out customers \\\n"
    "      --name '[:part:], October 2026.xlsx'\n"
    "  tinquire split 'Linen pack 2026-10.xlsx' --to pdf --fit wide --out pages"
)
_DEFAULT_NAME = "[:part:].xlsx"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="the workbook")
    by = parser.add_mutually_exclusive_group()
    by.add_argument("--by", choices=("sheet",), default="sheet", help="a workbook for each sheet (sheet)")
    by.add_argument("--by-column", metavar="HEADING", help="by the values of this column instead")
    parser.add_argument("--sheet", action="append", default=[], help="only this sheet; can be repeated (all)")
    parser.add_argument(
        "--into",
        choices=("files", "sheets"),
        default="files",
        help="with --by-column: a file for each value, or a sheet",
    )
    parser.add_argument("--out", type=Path, required=True, metavar="FOLDER", help="the folder for the workbooks")
    parser.add_argument(
        "--name", default=_DEFAULT_NAME, metavar="PATTERN",
        help=f"their names, with the slots [:part:], [:file:] and [:number:] ({_DEFAULT_NAME})",
    )  # fmt: skip
    parser.add_argument(
        "--to", choices=("xlsx", "pdf"), default="xlsx", help="workbooks, or PDFs of their pages (xlsx)"
    )
    parser.add_argument(
        "--fit", choices=("wide", "page"), help="with --to pdf: onto the width of a page, or onto one page"
    )
    shared.add_json(parser)


@dataclass(frozen=True, slots=True)
class _Piece:
    """What is told of one workbook: what it is of, how it was cut, what its recalculation left open."""

    part: str
    cut: Cut
    rows: int | None = None
    open: tuple[str, ...] = ()
    errors: tuple[str, ...] = ()


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    if options.by_column is None and options.into == "sheets":
        raise UseError(Fault("splitting", "it has sheets already", do="add --by-column, or leave out --into"))
    if options.by_column is not None and len(options.sheet) > 1:
        raise UseError(Fault("splitting", "only one sheet can be split by a column", do="name one --sheet"))
    if options.to == "pdf" and options.into == "sheets":
        raise UseError(Fault("splitting", "sheets of one workbook are no PDFs", do="leave out --into, or --to"))
    if options.fit is not None and options.to != "pdf":
        raise UseError(Fault("splitting", "--fit is for pages", do="add --to pdf"))
    if options.into == "sheets":
        return _into_sheets(options, terminal)
    pieces = _by_column(options) if options.by_column is not None else _by_sheet(options)
    written: list[tuple[Path, _Piece]] = []
    write_all(_contents(pieces, options, terminal, written))
    if not written:
        raise DataError(Fault("splitting", "there is nothing to split", str(options.file), "check the sheet"))
    for path, piece in written:
        rows = "" if piece.rows is None else counted(piece.rows, "row")
        said = [rows, *_notes(piece)]
        terminal.line("wrote", f"{path}" + (f"  ({'; '.join(filter(None, said))})" if any(said) else ""))
    terminal.answer([
        {"part": piece.part, "file": str(path), "rows": piece.rows, "formulas kept as values": piece.cut.formulas,
         "pivots kept as cells": piece.cut.pivots, "left out": piece.cut.names, "summed again": piece.cut.resummed,
         "emptied": piece.cut.emptied, "not recalculated": list(piece.open), "errors": list(piece.errors)}
        for path, piece in written
    ])  # fmt: skip
    return 0


def _contents(
    pieces: Iterable[tuple[_Piece, Workbook]], options: argparse.Namespace, terminal: Terminal,
    written: list[tuple[Path, _Piece]],
) -> Iterator[tuple[Path, bytes]]:  # fmt: skip
    """The workbooks of the pieces, made one after the other, with their names; what came of each goes to `written`."""
    taken: set[str] = set()
    for number, (piece, book) in enumerate(pieces, start=1):
        terminal.progress(f"{piece.part}")
        path = options.out / _name(options, piece.part, number, taken)
        require_new(path, "name another folder")
        written.append((path, piece))
        yield path, book.to_bytes() if options.to == "xlsx" else _pages(book, path.stem, options, terminal)


def _pages(book: Workbook, title: str, options: argparse.Namespace, terminal: Terminal) -> bytes:
    """A piece as a PDF."""
    from tinquire.pages.document import Part, lay_out
    from tinquire.pages.pdf import pdf_of
    from tinquire.pages.sheet_layout import Asked

    book.settle()
    moment = shared.local_clock()
    pages = lay_out([Part(book, (), Asked(fit=options.fit))], moment, title, terminal.note_once)
    return pdf_of(pages, moment)


def _by_sheet(options: argparse.Namespace) -> Iterator[tuple[_Piece, Workbook]]:
    from tinquire.workbook import Workbook
    from tinquire.workbook.transform.split import keep_sheets

    first = Workbook.open(options.file)
    for name in [first.sheet(item).name for item in options.sheet] or first.sheet_names():
        book = Workbook.open(options.file)
        yield _Piece(name, keep_sheets(book, [name])), book


def _by_column(options: argparse.Namespace) -> Iterator[tuple[_Piece, Workbook]]:
    from tinquire.cells.dates import serial_from_date
    from tinquire.sources.readers.headings import rows_by_value
    from tinquire.workbook import Workbook
    from tinquire.workbook.calc.recalculate import recalculate
    from tinquire.workbook.transform.split import keep_rows

    groups = rows_by_value(Workbook.open(options.file), options.by_column, next(iter(options.sheet), None))
    for value, rows in groups.rows.items():
        book = Workbook.open(options.file)
        cut = keep_rows(book, groups.sheet, rows, groups.every, groups.columns, groups.sums)
        report = recalculate(book, now=serial_from_date(shared.local_clock(), book.date_system))
        left, errors = (tuple(note.place for note in notes) for notes in (report.skipped, report.errors))
        yield _Piece(value, cut, len(rows), left, errors), book


def _into_sheets(options: argparse.Namespace, terminal: Terminal) -> int:
    """One workbook with a sheet for each value, after the sheet that was split."""
    from tinquire.cells.dates import serial_from_date
    from tinquire.sources.readers.headings import rows_by_value
    from tinquire.workbook import Workbook
    from tinquire.workbook.calc.recalculate import recalculate
    from tinquire.workbook.edit import copy_sheet
    from tinquire.workbook.grid.sheet_names import safe_sheet_name
    from tinquire.workbook.transform.split import Cut, leave_rows

    book = Workbook.open(options.file)
    groups = rows_by_value(book, options.by_column, next(iter(options.sheet), None))
    path = options.out / _name(options, options.file.stem, 1, set())
    require_new(path, "name another folder")
    made = []
    for value, rows in reversed(groups.rows.items()):  # each copy stands right after the sheet
        terminal.progress(value)
        name = safe_sheet_name(value, {entry.name.casefold() for entry in book.entries})
        copy_sheet(book, groups.sheet, name)
        leave_rows(book, name, rows, groups.every, groups.columns, groups.sums, Cut())
        made.append({"sheet": name, "value": value, "rows": len(rows)})
    recalculate(book, now=serial_from_date(shared.local_clock(), book.date_system))
    book.save(path)
    terminal.line("wrote", f"{path}")
    for item in reversed(made):
        terminal.line("", f"sheet '{item['sheet']}'  ({counted(int(str(item['rows'])), 'row')})")
    terminal.answer({"file": str(path), "sheets": made[::-1]})
    return 0


def _notes(piece: _Piece) -> Iterator[str]:
    cut = piece.cut
    if cut.formulas:
        yield f"{counted(cut.formulas, 'formula')} over other sheets replaced by values"
    if cut.resummed:
        yield f"sums worked out for these rows: {', '.join(cut.resummed)}"
    if cut.emptied:
        yield f"emptied, because it may reveal other rows: {', '.join(cut.emptied)}"
    for pivot in cut.pivots:
        yield f"pivot '{pivot}' became plain cells"
    if piece.open:
        yield f"{counted(len(piece.open), 'formula')} not recalculated, the first in {piece.open[0]}"
    if piece.errors:
        yield f"{counted(len(piece.errors), 'formula')} in error, the first in {piece.errors[0]}"


def _name(options: argparse.Namespace, part: str, number: int, taken: set[str]) -> str:
    """A file's name from the pattern, valid and not taken. Raises UseError for a slot that means nothing."""
    from tinquire.base.file_names import safe_file_name
    from tinquire.slots.slots import FilledSlot, Slot, UnfilledSlot, fill_text

    values = {"part": part, "file": options.file.stem, "number": str(number)}

    def resolve(slot: Slot) -> FilledSlot | UnfilledSlot:
        name = slot.inside.strip()
        if name in values:
            return FilledSlot(values[name], "@")
        return UnfilledSlot(slot, f"there is no slot '{name}' here: known are part, file and number")

    text, missing = fill_text(options.name, resolve)
    if missing:
        raise UseError(Fault("naming the workbooks", missing[0].why, "--name", "use one of these"))
    ending = options.file.suffix if options.to == "xlsx" else ".pdf"
    stem = text.removesuffix(".xlsx").removesuffix(options.file.suffix).removesuffix(ending)
    candidate, again = safe_file_name(f"{stem}{ending}"), 2
    while candidate.casefold() in taken:
        candidate, again = safe_file_name(f"{stem} ({again}){ending}"), again + 1
    taken.add(candidate.casefold())
    return candidate
