"""tinquire show: what is in a workbook or another file of rows."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.cli.support import options as shared
from tinquire.cli.support.grid import Shown, laid_out
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.cells import Area
    from tinquire.workbook import Workbook
    from tinquire.workbook.inspect.summary import Overview

EXAMPLE = "tinquire show 'Linen pack 2026-10.xlsx' --sheet Charges --rows 10"
_DEFAULT_ROWS = 5
_KINDS = {"chartsheet": "sheet of one chart", "dialogsheet": "dialog", "missing": "sheet whose part is missing"}
#: Word-processing documents.
_LETTERS = (".docx", ".dotx", ".docm")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="a workbook, letter (.docx), delimited text, JSON, OpenDocument sheet")
    parser.add_argument("--sheet", action="append", default=[], help="only this sheet; can be repeated")
    parser.add_argument(
        "--rows", type=int, default=_DEFAULT_ROWS, metavar="N", help=f"first rows to show ({_DEFAULT_ROWS})"
    )
    parser.add_argument(
        "--columns", action="store_true", help="show the columns as a source would read them, with their types"
    )
    parser.add_argument("--conformance", action="store_true", help="check the file against the standard")
    shared.add_json(parser)


def _tell_letter(path: Path, terminal: Terminal) -> int:
    from dataclasses import asdict

    from tinquire.base.wording import counted
    from tinquire.document import Letter
    from tinquire.document.contents import letter_contents

    found = letter_contents(Letter.open(path))
    terminal.heading(str(path))
    for place, count in found.paragraphs.items():
        terminal.line("", f"{counted(count, 'paragraph')} in {place}")
    others = [counted(count, thing) for thing, count in found.others.items()]
    terminal.line("has", ", ".join(others) if others else "nothing else")
    label = "slots"
    for written, count in found.slots.items():
        terminal.line(label, written + (f"  {count} times" if count > 1 else ""))
        label = ""
    for label, lines in (("repeats", found.repeats), ("only if", found.conditions), ("pictures", found.pictures)):
        for number, line in enumerate(lines):
            terminal.line("" if number else label, line)
    if found.macros:
        terminal.line("macros", "it carries a program, which is kept and never run")
    terminal.answer(asdict(found))
    return 0


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.cli.support.columns import tell_columns
    from tinquire.cli.support.workbook_contents import WorkbookContents
    from tinquire.sources.readers.detect import FileKind, is_text, open_sheets
    from tinquire.workbook.inspect.summary import summarise

    if options.conformance:
        return _tell_soundness(options.file, terminal)
    if options.file.suffix.lower() in _LETTERS:
        return _tell_letter(options.file, terminal)
    if is_text(options.file):
        terminal.heading(str(options.file))
        terminal.answer(tell_columns(options.file, [], terminal))
        return 0
    book, kind = open_sheets(options.file)
    if options.columns:
        asked = [_sheet_name(book, name) for name in options.sheet]
        visible = [item.name for item in book.entries if item.kind == "worksheet" and item.state == "visible"]
        terminal.heading(str(options.file))
        terminal.answer(tell_columns(options.file, asked or visible, terminal))
        return 0
    wanted = {name.casefold() for name in options.sheet}
    names = [_sheet_name(book, name) for name in options.sheet] or book.sheet_names()
    looks = list(summarise(book, names, options.rows))
    views = {look.name: look.cells for look in looks}
    beside = WorkbookContents(book, [look.beside for look in looks if look.beside is not None])
    sheets = [_description(book, name, view, options.rows) for name, view in views.items()]
    others = [{"name": entry.name, "kind": entry.kind} for entry in book.entries if entry.kind != "worksheet"]
    defined = [
        {"name": item.name, "shown": item.shown, "stands for": item.formula, "sheet": item.sheet}
        for item in book.names
        if not wanted or (item.sheet or "").casefold() in wanted
    ]
    terminal.heading(str(options.file))
    _tell(sheets, others, defined, terminal)
    if kind is not FileKind.PACKAGE:
        terminal.line("is", f"{kind.value}; its values were read, its formulas were not")
    for label, text in beside.lines():
        terminal.line(label, text)
    for name in names if options.rows > 0 else ():
        _tell_rows(book, name, views[name], options.rows, terminal)
    terminal.answer(
        {
            "file": str(options.file),
            "is": kind.value,
            "sheets": sheets,
            "other sheets": others,
            "names": defined,
            **beside.answer(),
        }
    )
    return 0


def _tell_soundness(path: Path, terminal: Terminal) -> int:
    """Say what in a file is not as the standard asks; 1 when anything is."""
    from tinquire.document.conformance import letter_findings
    from tinquire.packages.package import Package
    from tinquire.workbook.inspect.conformance import conformance_findings

    package = Package.open(path)
    findings = letter_findings(package) if path.suffix.lower() in _LETTERS else conformance_findings(package)
    terminal.heading(str(path))
    for number, finding in enumerate(findings):
        terminal.line("differs" if number == 0 else "", f"{finding.part}: {finding.says}")
    if not findings:
        terminal.line("conforms", "to the standard")
    terminal.answer([{"part": finding.part, "says": finding.says} for finding in findings])
    return 1 if findings else 0


def _sheet_name(book: Workbook, name: str) -> str:
    """A worksheet's name as the workbook writes it. Raises DataError when it does not exist."""
    entry = book.entry(name)
    return entry.name if entry is not None and entry.kind == "worksheet" else book.sheet(name).name


def _description(book: Workbook, name: str, view: Overview, rows: int) -> dict[str, Any]:
    from tinquire.cells import area_name

    entry, used = book.entry(name), view.used
    tables = [table for sheet, table in book.tables().values() if sheet == name]
    return {
        "name": name,
        "state": "visible" if entry is None else entry.state,
        "used": area_name(used) if used else None,
        "rows": used.height if used else 0,
        "columns": used.width if used else 0,
        "formulas": view.formulas,
        "errors": view.errors,
        "in error": list(view.in_error),
        "first rows": _first_rows(book, view, rows),
        "tables": [
            {"name": table.name, "area": area_name(table.area), "columns": [column.name for column in table.columns]}
            for table in tables
        ],
    }


def _tell(
    sheets: list[dict[str, Any]], others: list[dict[str, Any]], defined: list[dict[str, Any]], terminal: Terminal
) -> None:
    rows = [
        [
            sheet["name"] + ("" if sheet["state"] == "visible" else f" ({sheet['state']})"),
            sheet["used"] or "empty",
            f"{sheet['rows']:,}",
            f"{sheet['columns']:,}",
            f"{sheet['formulas']:,}",
            f"{sheet['errors']:,}",
            ", ".join(f"{table['name']} {table['area']}" for table in sheet["tables"]),
        ]
        for sheet in sheets
    ]
    headings = ["sheet", "used", "rows", "columns", "formulas", "errors", "tables"]
    terminal.table(headings, rows, right=[2, 3, 4, 5])
    erring = [sheet for sheet in sheets if sheet["in error"]]
    for number, sheet in enumerate(erring):
        more = sheet["errors"] - len(sheet["in error"])
        said = ", ".join(sheet["in error"]) + (f" and {more:,} more" if more else "")
        terminal.line("errors" if number == 0 else "", f"{sheet['name']}: {said}")
    for other in others:
        terminal.line("sheet", f"'{other['name']}', a {_KINDS.get(other['kind'], other['kind'])}, kept as it is")
    for number, item in enumerate(defined):
        owner = f" (sheet {item['sheet']})" if item["sheet"] else ""
        terminal.line("names" if number == 0 else "", f"{item['shown']}{owner} = {item['stands for']}")


def _lines_shown(used: Area, count: int) -> tuple[range, range]:
    """The rows and columns that are shown."""
    return range(used.top, min(used.bottom, used.top + count - 1) + 1), range(used.left, used.right + 1)


def _first_rows(book: Workbook, view: Overview, count: int) -> list[dict[str, Any]]:
    """The first rows for programs: each cell that is not blank by its column, as it is stored and as displayed."""
    from tinquire.cells import CellError, column_name

    if view.used is None:
        return []
    found = []
    numbers, columns = _lines_shown(view.used, count)
    for row in numbers:
        values = {column: view.first.value(row, column) for column in columns}
        filled = {column: value for column, value in values.items() if value is not None}
        found.append({
            "row": row,
            "values": {column_name(n): one.text if isinstance(one, CellError) else one for n, one in filled.items()},
            "shown": {column_name(n): _displayed(book, view.first, row, n).text for n in filled},
        })  # fmt: skip
    return found


def _tell_rows(book: Workbook, name: str, view: Overview, count: int, terminal: Terminal) -> None:
    """The first rows of a sheet, as displayed, under their column letters."""
    from tinquire.cells import column_name

    sheet, used = view.first, view.used
    if used is None:
        return
    numbers, columns = _lines_shown(used, count)
    rows = [[_displayed(book, sheet, row, column) for column in columns] for row in numbers]
    terminal.plain()
    terminal.heading(name)
    for line in laid_out([column_name(column) for column in columns], numbers, rows, terminal.room):
        terminal.plain(line)


def _displayed(book: Workbook, sheet: Any, row: int, column: int) -> Shown:
    """A cell as displayed; numbers stand on the right."""
    from tinquire.cells.display import show

    value = sheet.value(row, column)
    text = show(value, book.styles.number_format(sheet.style(row, column)), book.date_system).text
    return Shown(" ".join(text.split()), isinstance(value, float))
