"""tinquire fill: a template, workbook or letter, filled with rows and values, without a docket."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Iterator, Mapping
from functools import cache, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted, known_names
from tinquire.cli.support import options as shared
from tinquire.cli.support.rows import add_reading, read_rows
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.cells.values import Value
    from tinquire.docket.schema.workbooks import TemplateRowsModel
    from tinquire.document.forms import Forms
    from tinquire.pages.laid_before import LaidBefore
    from tinquire.press.compute.slot_scope import SlotScope
    from tinquire.press.outputs.own_rows import OwnRows
    from tinquire.tables import Table
    from tinquire.workbook.edit.templates import Template

#: Templates that are word-processing documents.
_LETTERS = (".docx", ".dotx", ".docm")
EXAMPLE = (
    "tinquire fill template.xlsx --rows Data=charges.xlsx --at A5 --set 'title=October' --out october.xlsx\n"
    "  tinquire fill pack.xlsx --rows Bags=bags.csv --own Depot --each list.csv --name '[:Depot:].xlsx' --out packs\n"
    "  tinquire fill statement.docx --rows lines=charges.csv --own Customer --each customers.csv \\\n"
    "      --name '[:Customer:].docx' --to docx pdf --out letters"
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "template",
        type=Path,
        help="a workbook with slots and sample rows, or a letter (.docx) with slots; it is not changed",
    )
    parser.add_argument(
        "--rows", action="append", default=[], metavar="TARGET=FILE",
        help="rows in place of the sample rows of a table, a name or a sheet; can be repeated",
    )  # fmt: skip
    parser.add_argument("--at", metavar="CELL", help="the first cell of the sample rows, where the target is a sheet")
    parser.add_argument("--below", choices=("move", "stay"), default="move", help="what stands below the rows (move)")
    parser.add_argument("--values", type=Path, metavar="FILE", help="a table of values for slots: name, value")
    parser.add_argument("--set", action="append", default=[], metavar="NAME=VALUE", help="a value for a slot")
    parser.add_argument(
        "--picture", action="append", default=[], metavar="NAME=FILE",
        help="a picture for one whose alternative text is the slot [:NAME:], or in a letter for the one of that name",
    )  # fmt: skip
    parser.add_argument("--each", type=Path, metavar="FILE", help="a list: a file for each of its lines")
    parser.add_argument("--own", metavar="COLUMN", help="of the rows those that have the line's value in this column")
    parser.add_argument(
        "--name", metavar="NAME",
        help="with --each, the files' name with slots: '[:Depot:].xlsx' (the template's, and the line's first value)",
    )  # fmt: skip
    parser.add_argument(
        "--to", nargs="+", choices=("docx", "pdf"), metavar="FORM",
        help="of a letter: docx, pdf, or both (what the name ends in)",
    )  # fmt: skip
    parser.add_argument("--out", type=Path, required=True, metavar="FILE", help="the file, or with --each a folder")
    shared.add_now(parser)
    add_reading(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.looks import House
    from tinquire.press.compute.slot_scope import SlotScope
    from tinquire.workbook import Workbook
    from tinquire.workbook.edit.templates import Template

    if options.each is None and options.name is not None:
        raise UseError(Fault("filling a template", "--name goes with --each", do="--each depots.csv"))
    if options.to and options.template.suffix.lower() not in _LETTERS:
        raise UseError(Fault("filling a template", "--to is for letters", do="print the workbook: tinquire print"))
    targets, tables = _rows(options, terminal)
    scope = SlotScope(House(), _values(options, terminal), tables=tables)
    files = _files(options, scope, terminal)
    template = cache(lambda: Template(lambda: Workbook.open(options.template)))  # for all files of this command
    done: list[Path] = []
    grouped: dict[str, OwnRows] = {}
    for path, own_scope in files:
        own = _own(options, tables, own_scope, grouped)
        for target, data in _filled(options, path, own_scope, targets, own, template, terminal):
            _write(target, data)
            done.append(target)
    if options.each is not None:
        terminal.line("in all", f"{counted(len(done), 'file')} in {options.out}")
    return 0


def _rows(options: argparse.Namespace, terminal: Terminal) -> tuple[dict[str, TemplateRowsModel], dict[str, Table]]:
    """What goes where, and the rows, by the target's name. Raises UseError."""
    from tinquire.docket.schema.workbooks import TemplateRowsModel

    targets: dict[str, TemplateRowsModel] = {}
    tables: dict[str, Table] = {}
    for text in options.rows:
        target, sign, name = text.partition("=")
        if not sign or not name:
            raise UseError(Fault("reading --rows", f"'{text}' gives no file", do="write it like Data=charges.xlsx"))
        path = Path(name)
        tables[target] = read_rows(target, [path], path.parent, options, terminal).table
        targets[target] = TemplateRowsModel(table=target, at=options.at, below=options.below)
    return targets, tables


def _values(options: argparse.Namespace, terminal: Terminal) -> dict[str, Value]:
    """Values for slots: those of a file, and those that are set. Raises UseError."""
    found: dict[str, Value] = {}
    if options.values is not None:
        table = read_rows("values", [options.values], options.values.parent, options, terminal).table
        if len(table.columns) < 2:
            why = f"'{options.values.name}' has {counted(len(table.columns), 'column')}, not a name and a value"
            raise UseError(Fault("reading --values", why, do="give it the columns name and value"))
        found = {str(name): value for name, value in zip(table.columns[0], table.columns[1], strict=True)}
    for text in options.set:
        name, sign, value = text.partition("=")
        if not sign:
            raise UseError(Fault("reading --set", f"'{text}' gives no value", do="write it like 'title=October'"))
        found[name] = shared.typed_cell(value)
    return found


def _files(options: argparse.Namespace, scope: SlotScope, terminal: Terminal) -> Iterator[tuple[Path, SlotScope]]:
    """The files to write, each with the slots that it may use. Raises UseError."""
    from tinquire.base.file_names import safe_file_name

    if options.each is None:
        _require_new(options, options.out)
        yield options.out, scope
        return
    lines = read_rows("each", [options.each], options.each.parent, options, terminal).table
    seen: set[str] = set()
    for row in range(lines.height):
        own = scope.at(lines, row)
        wanted = options.name or f"{options.template.stem} [:[{lines.headings[0]}]:]{options.template.suffix}"
        name = safe_file_name(own.filled(wanted, "naming a file", options.each.name))
        if name.casefold() in seen:
            why = f"two lines of {options.each.name} give the name '{name}'"
            raise UseError(Fault("naming a file", why, do="put more into --name"))
        seen.add(name.casefold())
        path = options.out / name
        _require_new(options, path)
        yield path, own


def _require_new(options: argparse.Namespace, path: Path) -> None:
    for form in options.to or [""]:
        require_new(_in_form(path, form))


def _in_form(path: Path, form: str) -> Path:
    """A file's path with the ending of a form; a name that has neither ending keeps all its points."""
    if not form:
        return path
    return path.with_suffix(f".{form}") if path.suffix.lower() in (*_LETTERS, ".pdf") else Path(f"{path}.{form}")


def _own(
    options: argparse.Namespace, tables: Mapping[str, Table], scope: SlotScope, grouped: dict[str, OwnRows]
) -> Mapping[str, Table]:
    """Of all rows those of the line at hand. Raises UseError for a column that is not there."""
    from tinquire.press.outputs.own_rows import OwnRows

    if options.own is None or scope.row is None:
        return tables
    for table in (scope.row, *tables.values()):
        if table.index_of(options.own) is None:
            why = f"'{table.name}' has no column '{options.own}': {known_names(options.own, table.headings)}"
            raise UseError(Fault("filling a template", why, do="name a column that list and rows have"))
    for name, table in tables.items():
        if name not in grouped:
            grouped[name] = OwnRows(table, {options.own: options.own}, "filling a template", options.template.name)
    return {name: grouped[name].of(scope) for name in tables}


def _filled(
    options: argparse.Namespace, path: Path, scope: SlotScope, targets: Mapping[str, TemplateRowsModel],
    tables: Mapping[str, Table], opened: Callable[[], Template], terminal: Terminal,
) -> Iterator[tuple[Path, bytes]]:  # fmt: skip
    """The template filled: files and their bytes. Raises one error with all that is wrong."""
    from tinquire.press.outputs.filled_files import PictureFiles, filled_file

    if options.template.suffix.lower() in _LETTERS:
        yield from _letter(options, scope, tables, path, terminal)
        return
    pictures = PictureFiles(_pictures(options), Path.cwd(), options.template.name)
    moment = shared.moment(options.now) or shared.local_clock()
    aware = moment.astimezone() if moment.tzinfo is None else moment
    made = filled_file(opened(), targets, tables, scope, path.name, aware, pictures)
    for warning in (*made.rows.warnings, *made.warnings):
        terminal.fault(warning)
    rows = sum(table.height for table in tables.values())
    notes = "; ".join([counted(rows, "row"), *made.rows.notes])
    terminal.line("wrote", f"{path}  ({notes})")
    yield path, made.content


def _letter(
    options: argparse.Namespace, scope: SlotScope, tables: Mapping[str, Table], path: Path, terminal: Terminal
) -> Iterator[tuple[Path, bytes]]:  # fmt: skip
    """A letter filled: the document, its pages, or both. Raises one error with all that is wrong."""
    from dataclasses import replace

    from tinquire.press.outputs.letters import LetterScope, filled_letter

    own = LetterScope(replace(scope, tables=tables))
    stopped, where = "filling a letter", options.template.name
    asked = _pictures(options)
    letter, done = filled_letter(_forms(options.template, tuple(asked)), own, asked, Path.cwd(), stopped, where)
    for note in done.notes:
        terminal.note_once(note)
    made: list[tuple[Path, bytes, str]] = []  # nothing is written before all of it can be
    for form in options.to or ["pdf" if path.suffix.lower() == ".pdf" else ""]:
        target = _in_form(path, "" if path.suffix.lower() == f".{form}" else form)
        if form != "pdf":
            made.append((target, letter.to_bytes(), counted(done.slots, "slot")))
            continue
        from tinquire.pages.letter_pages import lay_out_letter
        from tinquire.pages.pdf import pdf_of

        moment = shared.moment(options.now) or shared.local_clock()
        pages = lay_out_letter(letter, path.stem, terminal.note_once, _laid_before())
        made.append((target, pdf_of(pages, moment), counted(len(pages.pages), "page")))
    for target, data, summary in made:
        terminal.line("wrote", f"{target}  ({summary})")
        yield target, data


@lru_cache(maxsize=1)
def _laid_before() -> LaidBefore:
    """What the letters of this command share."""
    from tinquire.pages.laid_before import LaidBefore

    return LaidBefore()


@lru_cache(maxsize=1)
def _forms(template: Path, pictures: tuple[str, ...]) -> Forms:
    """The letter's template, read once for all files. Raises AccessError."""
    from tinquire.document import Letter
    from tinquire.document.forms import Forms

    return Forms(Letter.open(template), pictures)


def _pictures(options: argparse.Namespace) -> dict[str, str]:
    """Files by the slots that they stand for. Raises UseError."""
    found = {}
    for text in options.picture:
        name, sign, file = text.partition("=")
        if not sign or not file:
            raise UseError(Fault("reading --picture", f"'{text}' gives no file", do="write it like 'logo=logo.png'"))
        found[name] = file
    return found


def _write(path: Path, data: bytes) -> None:
    from tinquire.base.atomic_files import open_atomic

    path.parent.mkdir(parents=True, exist_ok=True)
    with open_atomic(path) as stream:
        stream.write(data)
