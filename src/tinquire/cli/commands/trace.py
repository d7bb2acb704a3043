"""tinquire trace: why a cell holds what it holds."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted, known_names
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.workbook import Workbook
    from tinquire.workbook.inspect.trace import CameFrom, DataRows, Step

EXAMPLE = "tinquire trace 'Linen pack 2026-10.xlsx' 'Cover!B7' --to-data"
_DEPTH = 3


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="the workbook")
    parser.add_argument("cell", help="the cell, such as 'Cover!B7', or a defined name")
    parser.add_argument("--depth", type=int, default=_DEPTH, metavar="N", help=f"how many steps to follow ({_DEPTH})")
    parser.add_argument("--to-data", action="store_true", help="list the rows that conditions and lookups used")
    parser.add_argument("--rows", type=int, default=12, metavar="N", help="rows of data to list at most (12)")
    parser.add_argument("--dependents", action="store_true", help="list what reads the cell instead")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.workbook import Workbook
    from tinquire.workbook.inspect.trace import Tracer

    book = Workbook.open(options.file)
    position = _place(book, options.cell)
    tracer = Tracer(book, rows=options.rows, sources=_sources(options.file, options.rows))
    top = tracer.explain(*position, 0 if options.dependents else options.depth, to_data=options.to_data)
    terminal.heading(f"{top.place}  {_named(top)}")
    if options.dependents:
        found = tracer.dependents(*position)
        for step in found:
            terminal.line("read by", f"{step.place}  {_named(step)}  {step.formula}", 2)
        if not found:
            terminal.line("read by", "no formula of this workbook")
        terminal.answer({"cell": asdict(top), "read by": [asdict(step) for step in found]})
        return 0
    for line in list(_lines(top, ""))[1:]:
        terminal.plain(line)
    for data in _data(top):
        _tell_data(data, terminal)
    for source in top.sources if options.to_data else ():
        _tell_rows(source, terminal)
    terminal.answer(asdict(top))
    return 0


def _sources(path: Path, most: int) -> Callable[[str, int, int], Sequence[CameFrom]]:
    """What a cell was made of, as the daybook of the run that made the file says: it lies in its folder or in one
    above. Without such a daybook nothing is known. Of each cell's rows the first `most` are listed."""
    from tinquire.press.record.daybook import DAYBOOK_NAME, Daybook, digest
    from tinquire.workbook.inspect.trace import CameFrom

    content = digest(path.read_bytes())
    for folder in path.absolute().parents:
        if (folder / DAYBOOK_NAME).is_file() and (daybook := Daybook(folder)).knows(content):
            break
    else:
        return lambda sheet, row, column: ()

    def sources(sheet: str, row: int, column: int) -> list[CameFrom]:
        found = []
        for item in daybook.sourced(content, sheet, row, column):
            rows = item.rows_at(row, column)
            note = item.notes[row - item.area.top] if item.notes else ""
            says = f"{item.says}, {note}" if note else item.says
            if rows is None or rows.height or note:
                found.append(CameFrom.of(says, [] if rows is None else rows.listed(), most))
        return found

    return sources


def _place(book: Workbook, text: str) -> tuple[str, int, int]:
    """Sheet, row and column of a cell given by its address or a name. Raises UseError."""
    from tinquire.cells.address import quoted_sheet
    from tinquire.formula import FormulaError, Frame, parse
    from tinquire.formula.engine.evaluate import evaluate
    from tinquire.formula.engine.operands import Span
    from tinquire.workbook.calc.scope import BookScope

    sheet = book.first_sheet()
    named, mark, cell = text.rpartition("!")
    known = {name.casefold(): name for name in book.sheet_names()}
    if mark and (plain := known.get(named.strip().casefold())) is not None:
        text = f"{quoted_sheet(plain)}!{cell}"  # typed without the quotation marks that formulas want
    try:
        found = evaluate(parse(text), Frame(BookScope(book), sheet))
    except FormulaError:
        found = None
    if not isinstance(found, Span):
        why = f"'{text}' names no cell of the workbook"
        if mark and named.strip("' ").casefold() not in known:
            why = f"it has no sheet '{named.strip()}': {known_names(named, book.sheet_names())}"
        raise UseError(Fault("finding the cell", why, book.name, "write it like 'Cover!B7', or give a defined name"))
    return found.sheet, found.area.top, found.area.left


def _named(step: Step) -> str:
    return f"{step.called} = {step.shown}" if step.called else step.shown


def _lines(step: Step, stem: str, branch: str = "") -> Iterator[str]:
    """A step and what it reads as a tree, with branches at the left."""
    yield f"{stem}{branch}{step.place}  {_named(step)}"
    below = stem + {"": "", "├─ ": "│  ", "└─ ": "   "}[branch]
    bar = "│  " if step.inputs else "   "
    more = "  …" if step.cut else ""
    if step.words and step.words != step.formula[1:]:
        yield f"{below}{bar}{step.formula}"
        yield f"{below}{bar}= {step.words}{more}"
    elif step.formula:
        yield f"{below}{bar}{step.formula}{more}"
    elif step.cut:
        yield f"{below}{bar}these are formulas, too"
    for source in step.sources:
        yield f"{below}{bar}{_told_rows(source)}"
    for number, item in enumerate(step.inputs, start=1):
        yield from _lines(item, below, "└─ " if number == len(step.inputs) else "├─ ")


def _told_rows(source: CameFrom) -> str:
    if not source.count:
        return f"from {source.says}"
    many = "" if source.count == 1 else f"{counted(source.count, 'row')}: "
    return f"from {source.says}: {many}{source.places}"


def _data(step: Step) -> Iterator[DataRows]:
    yield from step.data
    for item in step.inputs:
        yield from _data(item)


def _tell_rows(source: CameFrom, terminal: Terminal) -> None:
    """The rows of files that the cell itself was made of."""
    if source.count < 2:
        return
    terminal.plain()
    terminal.heading(source.says)
    sheets = any(sheet for _, sheet, _ in source.rows)
    rows = [[file, *([sheet] if sheets else []), f"{row:,}"] for file, sheet, row in source.rows]
    headings = ["File", *(["Sheet"] if sheets else []), "Row"]
    terminal.table(headings, rows, right=(len(headings) - 1,))
    listed = f"the first {len(rows):,}" if source.count > len(rows) else "all of them"
    terminal.line("made of", f"{counted(source.count, 'row')}, {listed} above")


def _tell_data(data: DataRows, terminal: Terminal) -> None:
    terminal.plain()
    terminal.heading(data.call)
    if not data.count:
        terminal.line("used", f"no row of {data.sheet}")
        return
    known = any(data.sources)
    sources = data.sources or [()] * len(data.rows)
    rows = [
        [str(row), *values, *(["; ".join(item.places for item in of) or "–"] if known else [])]
        for (row, values), of in zip(data.rows, sources, strict=True)
    ]
    headings = [f"{data.sheet}, row", *data.headings, *(["came from"] if known else [])]
    terminal.table(headings, rows, right=(0, len(data.headings)))
    listed = f"the first {len(rows):,}" if data.count > len(rows) else "all of them"
    terminal.line("used", f"{data.count:,} row{'' if data.count == 1 else 's'} of {data.sheet}, {listed} above")
