"""What `print --each` makes: a file for each line of a list, in a folder that remembers what each was made from."""

from __future__ import annotations

import argparse
import hashlib
import json
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import Fault, TinQuireError, UseError, merge_errors
from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.rows import read_rows
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from datetime import datetime

    from tinquire.cells.values import Value
    from tinquire.pages.sheet_layout import Asked
    from tinquire.pages.variants import Setting, Variant
    from tinquire.press.compute.slot_scope import SlotScope
    from tinquire.tables import Table
    from tinquire.workbook import Workbook

__all__ = ["print_variants"]

_RECORD = "prints.json"


class _Record:
    """A folder's own record: its files by the digest of what each was made from, and their digests."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._path = folder / _RECORD
        self._files: dict[str, dict[str, str]] = {}
        if self._path.is_file():
            try:
                self._files = json.loads(self._path.read_text("utf-8"))
            except ValueError:
                why = "the record of what was printed there cannot be read"
                raise UseError(
                    Fault("printing variants", why, str(self._path), "remove it, or name another folder")
                ) from None

    def find(self, digest: str) -> tuple[bytes, ...] | None:
        """The files made from what has this digest, if they are as they were written."""
        found = []
        for name, written in self._files.get(digest, {}).items():
            path = self._folder / name
            if not path.is_file() or hashlib.sha256(content := path.read_bytes()).hexdigest() != written:
                return None
            found.append(content)
        return tuple(found) or None

    def put(self, digest: str, contents: Sequence[bytes]) -> None:
        """Files are noted when they are in their place."""

    def note(self, digest: str, files: dict[str, bytes]) -> None:
        from tinquire.base.atomic_files import open_atomic

        names = set(files)
        kept = {key: own for key, own in self._files.items() if not names & set(own)}
        self._files = {**kept, digest: {name: hashlib.sha256(content).hexdigest() for name, content in files.items()}}
        with open_atomic(self._path) as stream:
            stream.write(json.dumps(self._files, indent=1, sort_keys=True).encode())

    def may_write(self, name: str) -> bool:
        """Whether a file is not there, or is one that was written here and not changed since."""
        path = self._folder / name
        if not path.exists():
            return True
        known = {written for own in self._files.values() for key, written in own.items() if key == name}
        return path.is_file() and hashlib.sha256(path.read_bytes()).hexdigest() in known


def print_variants(options: argparse.Namespace, terminal: Terminal, moment: datetime, asked: Asked) -> int:
    """A file for each line of a list. Raises one error with all that is wrong in the list before anything is made."""
    from tinquire.base.atomic_files import open_atomic
    from tinquire.base.processes import processors
    from tinquire.looks import House
    from tinquire.pages.document import About
    from tinquire.pages.variants import PrintPlan
    from tinquire.press.compute.slot_scope import SlotScope
    from tinquire.press.outputs.variants import VariantJob, made_variants
    from tinquire.workbook import Workbook

    path = options.files[0]
    book = Workbook.open(path)
    lines = _lines(options, terminal)
    sheets = tuple(book.sheet(name).name for name in options.sheet)
    scopes = [SlotScope(House(), {}).at(lines, row) for row in range(lines.height)]
    variants = _variants(options, book, lines, scopes, sheets, moment)
    names = _names(options, lines, scopes)
    record = _Record(options.out)
    if taken := [name for name in names if not record.may_write(name)]:
        why = f"'{taken[0]}' is there already, and was not printed here or was changed since"
        raise UseError(Fault("printing variants", why, str(options.out), "name another folder, or move it away"))
    form = Path(names[0]).suffix.lower().lstrip(".") if names else "pdf"
    about = About(cover=options.cover, contents=options.contents)
    plan = PrintPlan(sheets, asked, about, options.allow_empty)
    job = VariantJob(path.read_bytes(), path.name, plan, moment, form, options.dpi)
    titles = [Path(name).stem for name in names]
    errors: list[TinQuireError] = []
    again = 0
    workers = options.processes or processors()
    finished = made_variants(job, variants, titles, record, _progress(terminal), workers)
    for name, one in zip(names, finished, strict=True):
        if one.error is not None:
            errors.append(one.error)
            continue
        for note in one.notes:
            terminal.note_once(note)
        again += one.again
        if one.again:
            continue
        options.out.mkdir(parents=True, exist_ok=True)
        files = _numbered(name, one.contents)
        for file, content in files.items():
            with open_atomic(options.out / file) as stream:
                stream.write(content)
        record.note(one.digest, files)
    made = len(names) - len(errors) - again
    terminal.line(
        "wrote", f"{counted(made, 'print')} in {options.out}" + (f"; {again} were there as they are" if again else "")
    )
    if errors:
        raise merge_errors(errors)
    return 0


def _lines(options: argparse.Namespace, terminal: Terminal) -> Table:
    """The list, read as any file of rows is."""
    reading = argparse.Namespace(
        sheet=None, table=None, header=None, totals_row="none", separator=None, decimal=None, encoding=None,
        type=options.type, read_as=[],
    )  # fmt: skip
    return read_rows("each", [options.each], options.each.parent, reading, terminal).table


def _progress(terminal: Terminal) -> Any:
    return lambda done, count: terminal.progress("printing", done, count)


def _numbered(name: str, contents: Sequence[bytes]) -> dict[str, bytes]:
    """Files by name: of pictures of several pages each with its number."""
    if len(contents) == 1:
        return {name: contents[0]}
    path, width = Path(name), len(str(len(contents)))
    return {f"{path.stem}-{number:0{width}}{path.suffix}": content for number, content in enumerate(contents, start=1)}


def _names(options: argparse.Namespace, lines: Table, scopes: Sequence[SlotScope]) -> list[str]:
    """The files' names. Raises UseError for two that are the same, and for forms that are not written."""
    from tinquire.base.file_names import safe_file_name

    pattern = options.name or f"[:{lines.headings[0]}:].pdf"
    names = [safe_file_name(scope.filled(pattern, "naming a print", options.each.name)) for scope in scopes]
    for name in names:
        if Path(name).suffix.lower() not in (".pdf", ".png", ".html"):
            why = f"'{name}' does not end in .pdf, .png or .html"
            raise UseError(Fault("naming a print", why, "--name", "write it like '[:Depot:].pdf'"))
    seen: dict[str, int] = {}
    for row, name in enumerate(names):
        if (other := seen.setdefault(name.casefold(), row)) != row:
            why = f"{lines.where(row)} and {lines.where(other)} both give the name '{name}'"
            raise UseError(Fault("naming a print", why, do="put more into --name"))
    return names


def _variants(
    options: argparse.Namespace, book: Workbook, lines: Table, scopes: Sequence[SlotScope], sheets: tuple[str, ...],
    moment: datetime,
) -> list[Variant]:  # fmt: skip
    """What each line sets: as `--set` says, or for each heading that names a cell the value below it."""
    from tinquire.cells.dates import serial_from_date
    from tinquire.pages.variants import Variant, faults_of, find_setting

    usual = sheets[0] if len(sheets) == 1 else None
    words = {
        word: shared.typed_cell(value) for word, mark, value in (one.partition("=") for one in options.word) if mark
    }
    settings: dict[str, Setting] = {}
    variants = []
    for row, own in enumerate(_given(options, book, lines, scopes, usual)):
        values: list[tuple[Setting, Value]] = []
        for written, value in own:
            if written not in settings:
                settings[written] = find_setting(book, written, usual)
            meant = words.get(value, value) if isinstance(value, str) else value
            values.append((settings[written], meant))
        variants.append(Variant(lines.where(row), tuple(values)))
    now = serial_from_date(moment.replace(tzinfo=None), book.date_system)
    if faults := list(faults_of(book, variants, now)):
        raise UseError(*faults)
    return variants


def _given(
    options: argparse.Namespace, book: Workbook, lines: Table, scopes: Sequence[SlotScope], usual: str | None
) -> Iterator[list[tuple[str, Value]]]:
    """The cells and values of each line, as they are written."""
    from tinquire.press.outputs.prints import listed_pairs, set_values

    stopped = "printing variants"
    if options.pairs is not None:
        for row in range(lines.height):
            pairs = (options.pairs[0], options.pairs[1])
            yield listed_pairs(lines, row, pairs, options.separator, stopped, lines.where(row))
        return
    given = dict(text.split("=", 1) if "=" in text else (text, "") for text in options.set)
    if not given:
        given = {heading: f"[:[{heading}]:]" for heading in lines.headings if _is_cell(book, heading, usual)}
    if not given:
        why = f"none of the headings of {options.each.name} is a cell, name or heading of {book.name}"
        raise UseError(Fault(stopped, why, do="say which: --set 'Report!J4=[:Depot:]'"))
    for scope in scopes:
        yield set_values(given, scope, stopped, "--set")


def _is_cell(book: Workbook, heading: str, usual: str | None) -> bool:
    from tinquire.pages.variants import find_setting

    try:
        find_setting(book, heading, usual)
    except TinQuireError:
        return False
    return True
