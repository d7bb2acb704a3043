"""tinquire new: a first docket from the files in a folder."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError, UseError
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.docket.draft import SourceDraft
    from tinquire.sources import SourceRead

EXAMPLE = "tinquire new october --title 'Monthly linen pack'"
_ENDINGS = frozenset({".xlsx", ".xlsm", ".ods", ".fods", ".csv", ".tsv", ".txt", ".json", ".jsonl"})
#: Folders that a run makes.
_MADE = frozenset({"out", "outbox", "postroom"})


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("folder", type=Path, help="the folder of the job, with the files to read")
    parser.add_argument("--title", help="what the pack is called (the folder's name)")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.base.atomic_files import write_atomic
    from tinquire.docket.draft import Draft, draft_docket, period_in

    folder, docket = options.folder, options.folder / "docket.toml"
    if docket.exists():
        raise UseError(Fault("drafting a docket", "there is one already", str(docket), "take another folder"))
    paths = sorted(_paths(folder))
    if not paths:
        why = f"there are no files to read in '{folder}': none ends with {', '.join(sorted(_ENDINGS))}"
        raise AccessError(Fault("drafting a docket", why, do="put the files to read there"))
    periods = [period for path in paths if (period := period_in(path.relative_to(folder).as_posix())) is not None]
    latest = max(periods, key=lambda period: (period.last, period.text), default=None)
    sources = _sources(folder, paths, terminal)
    if not sources:
        why = f"no file in '{folder}' is a table of rows"
        raise DataError(Fault("drafting a docket", why, do="see what was said of each"))
    title = options.title or folder.absolute().name
    text = draft_docket(Draft(title, latest.kind if latest else "month", sources))
    write_atomic(docket, text.encode())
    for number, source in enumerate(sources):
        types = ", ".join(f"{heading} as {kind}" for heading, kind in source.types.items())
        terminal.line("source" if number == 0 else "", f"{source.name}: {source.path}; {types}", hang=4)
    terminal.line("wrote", str(docket))
    example = latest.text if latest else "2026-10"
    terminal.line("try", f"tinquire check {docket} --period {example}")
    terminal.answer({"docket": str(docket), "period": example, "sources": [_answer(source) for source in sources]})
    return 0


def _paths(folder: Path) -> Iterator[Path]:
    from tinquire.base.atomic_files import ORIGINALS
    from tinquire.sources.find_files import LOCK_PREFIX

    for path in folder.rglob("*"):
        parts = path.relative_to(folder).parts
        hidden = any(part.startswith((".", LOCK_PREFIX)) for part in parts)
        made = parts[0] in _MADE or ORIGINALS in parts
        if path.suffix.lower() in _ENDINGS and path.is_file() and not hidden and not made:
            yield path


def _sources(folder: Path, paths: list[Path], terminal: Terminal) -> list[SourceDraft]:
    """Files with the same headings, under spellings that differ little, are one source."""
    from tinquire.docket.draft import SourceDraft, combined_type, pattern_of, period_in, suggest_summary

    alike: dict[tuple[str, frozenset[str], str | None], list[tuple[Path, SourceRead]]] = {}
    for path in paths:
        for sheet, read in _read(folder, path, terminal):
            shown = path.relative_to(folder)
            period = period_in(shown.as_posix())
            where = shown.parent.as_posix().replace(period.text if period else "\0", "")
            headings = frozenset(heading.casefold() for heading in read.table.headings)
            alike.setdefault((where, headings, sheet), []).append((path, read))
    made, taken = [], set[str]()
    for (_, _, sheet), reads in alike.items():
        pattern, many = pattern_of([path.relative_to(folder).as_posix() for path, _ in reads])
        kinds: dict[str, list[str]] = {}
        for _, read in reads:
            known = {heading.casefold(): kind for heading, kind in read.types.items()}
            for heading in reads[0][1].table.headings:
                kinds.setdefault(heading, []).append(known[heading.casefold()])
        name = _name(pattern, sheet, taken)
        for note in dict.fromkeys(str(note) for _, read in reads for file in read.files for note in file.notes):
            if note.startswith("column ") and ("first" in note or "decimal mark" in note) and "are written" not in note:
                terminal.line("to state", f"source '{name}', {note}", hang=4)
        types = {heading: combined_type(each) for heading, each in kinds.items()}
        label, amount = suggest_summary(reads[0][1].table, types)
        rows = sum(read.table.height for _, read in reads)
        made.append(SourceDraft(name, pattern, many, sheet, types, rows, label, amount))
    return made


def _read(folder: Path, path: Path, terminal: Terminal) -> Iterator[tuple[str | None, SourceRead]]:
    """A file's table, or that of each of its sheets; files that are not tables are reported."""
    from dataclasses import replace

    from tinquire.docket.draft import sheet_pattern
    from tinquire.sources import SourceSpec, gather
    from tinquire.sources.readers.detect import is_text, open_sheets

    shown = path.relative_to(folder).as_posix()
    terminal.progress(f"reading {shown}")
    try:
        sheets: list[str | None] = [None]
        if not is_text(path):
            book, _ = open_sheets(path, shown)
            visible = [entry.name for entry in book.entries if entry.kind == "worksheet" and entry.state == "visible"]
            sheets = [*visible] if len(visible) > 1 else [None]
    except TinQuireError as error:
        terminal.line("left out", f"{shown}: {error.faults[0].why}", hang=4)
        return
    spec = SourceSpec("rows", folder.absolute(), paths=[path.absolute()], infer=True)
    found: dict[frozenset[str], list[tuple[str | None, SourceRead]]] = {}
    for sheet in sheets:
        position = f"{shown}, sheet '{sheet}'" if sheet else shown
        try:
            read = gather(replace(spec, sheet=sheet))
        except TinQuireError as error:
            terminal.line("left out", f"{position}: {error.faults[0].why}", hang=4)
            continue
        if read.table.height:
            found.setdefault(frozenset(heading.casefold() for heading in read.table.headings), []).append((sheet, read))
        else:
            terminal.line("left out", f"{position}: it has no rows below a heading", hang=4)
    for reads in found.values():
        names = [str(sheet) for sheet, _ in reads]
        pattern = sheet_pattern(names, [str(sheet) for sheet in sheets]) if len(reads) > 1 else None
        if pattern is None:
            yield from reads
        else:
            terminal.line("sheets", f"{shown}: {', '.join(names)} have the same columns, read as '{pattern}'")
            yield pattern, gather(replace(spec, sheet=pattern))


def _name(pattern: str, sheet: str | None, taken: set[str]) -> str:
    """A source's name: its file's, without periods and marks."""
    from tinquire.docket.draft import plain_name

    stem = Path(pattern).name.rpartition(".")[0].replace("[:period:]", "")
    words = plain_name(f"{stem} {(sheet or '').replace('*', '')}") or "rows"
    if words[0].isdecimal() or words.startswith("period"):
        words = f"the_{words}"
    name, number = words, 2
    while name in taken:
        name, number = f"{words}_{number}", number + 1
    taken.add(name)
    return name


def _answer(source: SourceDraft) -> dict[str, Any]:
    return {
        "name": source.name, "files" if source.many else "file": source.path, "sheet": source.sheet,
        "types": dict(source.types),
    }  # fmt: skip
