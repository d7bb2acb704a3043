"""tinquire stack: the rows of many workbooks in one."""

from __future__ import annotations

import argparse
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.files import find_files
from tinquire.cli.support.rows import add_reading, spec_of, tell_read, write_table
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.sources import SourceRead
    from tinquire.tables import Table

EXAMPLE = "tinquire stack sources/2026-10/pickups-*.xlsx --type 'Collected=date dmy' --out pickups.xlsx"
_ORIGIN = ("File", "Sheet", "Row")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", help="workbooks or delimited texts, patterns of them, or folders")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE", help="the workbook to write")
    parser.add_argument(
        "--into", choices=("table", "sheets"), default="table", help="one table, or one sheet for each file"
    )
    add_reading(parser)
    parser.add_argument(
        "--differing", choices=("blank", "stop"), default="blank", help="when files differ in their columns (blank)"
    )
    parser.add_argument("--no-origin", action="store_true", help="leave out the columns File, Sheet and Row")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    require_new(options.out)
    files, base = find_files(options.files, terminal, workbooks_only=options.into == "sheets")
    if options.into == "sheets":
        return _sheets(options, files, terminal)
    return _table(options, files, base, terminal)


def _table(options: argparse.Namespace, files: Sequence[Path], base: Path, terminal: Terminal) -> int:
    from dataclasses import replace

    from tinquire.sources import gather

    spec = spec_of("stack", files, base, options)
    terminal.progress(f"reading {len(files):,} files")
    gathered = gather(replace(spec, differing=options.differing, infer=bool(options.read_as), as_they_are=True))
    table = gathered.table if options.no_origin else _with_origin(gathered.table)
    write_table(table, options.out, "stacking")
    tell_read(gathered, terminal)
    for number, text in enumerate(_mixed_columns(gathered.table)):
        terminal.line("mixed" if number == 0 else "", text)
    terminal.line("wrote", f"{options.out}  ({counted(table.height, 'row')}, {counted(len(table.fields), 'column')})")
    terminal.answer(_answer(options.out, gathered, table))
    return 0


def _mixed_columns(table: Table) -> Iterator[str]:
    """Columns that hold texts here and numbers there: a stated type would settle them."""
    from tinquire.cells import Kind

    for field, column in zip(table.fields, table.columns, strict=True):
        texts = int((column.kinds == Kind.TEXT).sum())
        numbers = int((column.kinds == Kind.NUMBER).sum())
        if texts and numbers:
            both = f"{counted(texts, 'text')} and {counted(numbers, 'number')}"
            yield f"column '{field.name}' holds {both}: --type '{field.name}=...' settles it"


def _with_origin(table: Table) -> Table:
    """The table with the file, sheet and row that each of its rows came from."""
    from dataclasses import replace

    import numpy as np

    from tinquire.cells import Column
    from tinquire.tables import Field

    origin = table.origin
    assert origin is not None
    names = [_free(name, table.headings) for name in _ORIGIN]
    columns = (
        Column.of_codes(origin.file, origin.files),
        Column.of_codes(origin.sheet, origin.sheets),
        Column.of_numbers(origin.row.astype(np.float64)),
    )
    fields = (Field(names[0]), Field(names[1]), Field(names[2], "whole"))
    return replace(table, fields=table.fields + fields, columns=table.columns + columns)


def _free(name: str, taken: Sequence[str]) -> str:
    folded = {item.casefold() for item in taken}
    return next(item for item in (name, f"{name} of origin", f"{name} it came from") if item.casefold() not in folded)


def _answer(out: Path, gathered: SourceRead, table: Table) -> dict[str, object]:
    return {
        "file": str(out),
        "rows": table.height,
        "columns": list(table.headings),
        "read": [
            {"file": file.shown, "rows": file.rows, "notes": list(map(str, file.notes))} for file in gathered.files
        ],
    }


def _sheets(options: argparse.Namespace, files: Sequence[Path], terminal: Terminal) -> int:
    """One workbook with a sheet for each file, or for each sheet of each."""
    from tinquire.sources.readers.detect import open_sheets
    from tinquire.sources.readers.workbooks import sheets_named
    from tinquire.workbook import Workbook
    from tinquire.workbook.grid.sheet_names import safe_sheet_name
    from tinquire.workbook.transform.copy_sheet import copy_sheet

    book: Workbook | None = None
    made = []
    for path in files:
        terminal.progress(path.name)
        source, _ = open_sheets(path)
        names = sheets_named(source, options.sheet, str(path)) if options.sheet else source.sheet_names()
        if book is None:
            book = Workbook.new(*source.styles.plain_font)
        for name in names:
            wanted = path.stem if len(names) == 1 else f"{path.stem} {name}"
            fresh = safe_sheet_name(wanted, {entry.name.casefold() for entry in book.entries})
            lost = copy_sheet(source, source.sheet(name), book, fresh)
            made.append({"file": str(path), "sheet": name, "as": fresh, "formulas kept as values": lost})
            said = f"  ({counted(lost, 'formula')} over other sheets replaced by values)" if lost else ""
            terminal.line("sheet", f"'{fresh}' of {path}{said}")
    assert book is not None
    book.save(options.out)
    terminal.line("wrote", f"{options.out}  ({counted(len(made), 'sheet')})")
    terminal.answer({"file": str(options.out), "sheets": made})
    return 0
