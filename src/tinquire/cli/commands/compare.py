"""tinquire compare: what differs between two workbooks."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import Fault, UseError
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.workbook.inspect.compare import Comparison, SheetComparison

EXAMPLE = "tinquire compare 'packs/Linen pack 2026-09.xlsx' 'packs/Linen pack 2026-10.xlsx' --to differences.html"
_LISTED = 40
_KINDS = (("value", "values"), ("formula", "formulas"), ("result", "results"), ("look", "looks"))


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("old", type=Path, help="the workbook as it was")
    parser.add_argument("new", type=Path, help="the workbook as it is")
    parser.add_argument("--sheet", action="append", default=[], help="only this sheet; can be repeated")
    parser.add_argument(
        "--key", nargs="+", action="extend", default=[], metavar="HEADING",
        help="the columns that identify the rows of tables (found)",
    )  # fmt: skip
    parser.add_argument("--no-looks", action="store_true", help="ignore fonts, fills, borders and formats")
    parser.add_argument("--rows", type=int, default=_LISTED, metavar="N", help=f"cells to list for a sheet ({_LISTED})")
    parser.add_argument("--to", type=Path, metavar="PAGE", help="also write them as a page, ending in .html")
    parser.add_argument("--check", action="store_true", help="exit with 1 if anything differs")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.sources.readers.detect import open_sheets
    from tinquire.workbook.inspect.compare import compare

    if options.to is not None and options.to.suffix.lower() not in (".html", ".htm"):
        raise UseError(Fault("comparing", f"'{options.to.name}' does not end in .html", do="write --to page.html"))
    old, new = open_sheets(options.old)[0], open_sheets(options.new)[0]
    for name in options.sheet:
        new.sheet(name)
    terminal.progress("comparing")
    comparison = compare(old, new, looks=not options.no_looks, key=options.key)
    if options.sheet:
        wanted = {name.casefold() for name in options.sheet}
        comparison.sheets = [sheet for sheet in comparison.sheets if sheet.name.casefold() in wanted]
        comparison.inserted, comparison.removed = [], []
    if options.to is not None:
        from tinquire.base.atomic_files import open_atomic
        from tinquire.pages import comparison_page

        page = comparison_page(comparison, options.old.name, options.new.name)
        with open_atomic(options.to) as stream:
            stream.write(page.encode())
        terminal.line("wrote", f"{options.to}  ({len(page) / 1024:,.0f} kB)")
    _tell(comparison, options, terminal)
    terminal.answer(_answer(comparison))
    return int(options.check and not comparison.same)


def _tell(comparison: Comparison, options: argparse.Namespace, terminal: Terminal) -> None:
    terminal.line("before", str(options.old))
    terminal.line("after", str(options.new))
    for label, texts in (("inserted", comparison.inserted), ("removed", comparison.removed)):
        if texts:
            terminal.line(
                label, f"{'sheet' if len(texts) == 1 else 'sheets'} " + ", ".join(f"'{item}'" for item in texts)
            )
    for label, texts in (("names", comparison.names), ("order", comparison.structure)):
        for number, text in enumerate(texts):
            terminal.line(label if number == 0 else "", text)
    _tell_headlines(comparison, options.rows, terminal)
    same = [item.name for item in comparison.sheets if item.same]
    for sheet in comparison.sheets:
        if not sheet.same:
            _tell_sheet(sheet, options.rows, terminal)
    if comparison.same:
        terminal.line("same", "nothing differs" if not options.no_looks else "nothing differs; looks were not compared")
    elif same:
        terminal.plain()
        terminal.line("same", ", ".join(same))


def _tell_headlines(comparison: Comparison, most: int, terminal: Terminal) -> None:
    """Figures and totals that moved, before all details."""
    found = [(sheet.name, cell) for sheet in comparison.sheets for cell in sheet.cells if cell.headline]
    if not found:
        return
    terminal.plain()
    terminal.heading("figures and totals that changed")
    rows = [
        [cell.called, f"{sheet}!{cell.cell}", cell.was, cell.now, *cell.spelled_move] for sheet, cell in found[:most]
    ]
    terminal.table(["name", "cell", "before", "after", "change", "per cent"], rows, right=(2, 3, 4, 5))
    if len(found) > most:
        terminal.line("", f"and {len(found) - most:,} more; --rows lists more")


def _tell_sheet(sheet: SheetComparison, most: int, terminal: Terminal) -> None:
    terminal.plain()
    terminal.heading(sheet.name)
    for label, text in summary(sheet):
        terminal.line(label, text)
    shown = sheet.cells[:most]
    if shown:
        terminal.plain()
        rows = [
            [
                cell.cell if cell.before == cell.cell else f"{cell.cell} (was {cell.before})",
                *(cell.called, cell.kind, cell.was, cell.now),
                *cell.spelled_move,
            ]
            for cell in shown
        ]
        terminal.table(["cell", "name", "kind", "before", "after", "change", "per cent"], rows, right=(5, 6))
    if len(sheet.cells) > most:
        terminal.line("", f"and {len(sheet.cells) - most:,} more cells; --rows {len(sheet.cells)} lists all")


def summary(sheet: SheetComparison) -> Iterator[tuple[str, str]]:
    """A sheet's differences in a few lines."""
    from tinquire.workbook.inspect.compare import line_list

    one = sheet.alignment
    for label, inserted, removed, rows in (
        ("rows", one.new_rows, one.old_rows, True), ("columns", one.new_columns, one.old_columns, False),
    ):  # fmt: skip
        said = [f"{len(lines):,} {says} ({line_list(lines, rows=rows)})" for lines, says in
                ((inserted, "inserted"), (removed, "removed")) if lines]  # fmt: skip
        if said:
            yield label, ", ".join(said)
    counts = [f"{count:,} {many if count != 1 else kind}" for kind, many in _KINDS if (count := sheet.count(kind))]
    if counts:
        yield "cells", ", ".join(counts)
    for number, text in enumerate(sheet.structure):
        yield "also" if number == 0 else "", text


def _answer(comparison: Comparison) -> dict[str, Any]:
    return {
        "same": comparison.same,
        "sheets added": comparison.inserted,
        "sheets removed": comparison.removed,
        "names": comparison.names,
        "structure": comparison.structure,
        "sheets": [
            {
                "name": sheet.name,
                "rows inserted": sheet.inserted_rows,
                "rows removed": sheet.removed_rows,
                "columns inserted": list(sheet.alignment.new_columns),
                "columns removed": list(sheet.alignment.old_columns),
                "structure": sheet.structure,
                "cells": [asdict(cell) for cell in sheet.cells],
            }
            for sheet in comparison.sheets
            if not sheet.same
        ],
    }
