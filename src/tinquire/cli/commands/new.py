"""tinquire new: a first docket from the files in a folder, or from last month's pack and what it was made of."""

from __future__ import annotations

import argparse
import os
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError, UseError
from tinquire.cli.support import options as shared
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.cells.periods import Period
    from tinquire.docket.draft import Draft, SourceDraft
    from tinquire.learn.pack.known import Known
    from tinquire.sources import SourceRead

    _Reads = list[tuple[Path, SourceRead]]

EXAMPLE = (
    "tinquire new october --title 'Monthly linen pack'\n"
    "  tinquire new october --from-last-month 'october/Linen pack 2026-10.xlsx' --sources october/sources"
)
_ENDINGS = frozenset({".xlsx", ".xlsm", ".ods", ".fods", ".csv", ".tsv", ".txt", ".json", ".jsonl"})
#: Folders that a run makes.
_MADE = frozenset({"out", "outbox", "postroom"})


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "folder", type=Path, nargs="?", help="the folder of the job, with the files to read (that of --sources)"
    )
    parser.add_argument(
        "--from-last-month", type=Path, metavar="PACK", help="a finished workbook, to be explained by its sources"
    )
    parser.add_argument(
        "--sources", type=Path, nargs="+", metavar="FOLDER", help="folders within it that hold the sources (all of it)"
    )
    parser.add_argument("--title", help="what the pack is called (the folder's name)")
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.base.atomic_files import write_atomic
    from tinquire.docket.draft import Draft, draft_docket, period_in

    folder = _folder(options)
    docket = folder / "docket.toml"
    if docket.exists():
        raise UseError(Fault("drafting a docket", "there is one already", str(docket), "take another folder"))
    pack = options.from_last_month
    if pack is not None and (folder / "house.toml").exists():
        why = "there is a house file already"
        raise UseError(Fault("drafting a docket", why, str(folder / "house.toml"), "take another folder"))
    paths = [path for path in _chosen(folder, options.sources) if pack is None or path.resolve() != pack.resolve()]
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
    draft = Draft(title, latest.kind if latest else "month", [source for source, _ in sources])
    if pack is not None:
        return _explained(pack, draft, [reads for _, reads in sources], folder, terminal)
    text = draft_docket(draft)
    write_atomic(docket, text.encode())
    for number, source in enumerate(draft.sources):
        types = ", ".join(f"{heading} as {kind}" for heading, kind in source.types.items())
        terminal.line("source" if number == 0 else "", f"{source.name}: {source.path}; {types}", hang=4)
    terminal.line("wrote", str(docket))
    example = latest.text if latest else "2026-10"
    terminal.line("try", f"tinquire check {docket} --period {example}")
    terminal.answer(
        {"docket": str(docket), "period": example, "sources": [_answer(source) for source in draft.sources]}
    )
    return 0


def _folder(options: argparse.Namespace) -> Path:
    """The folder of the job: the one that is named, or the one that holds all sources. Raises UseError."""
    if options.folder is not None:
        return Path(options.folder)
    if not options.sources:
        why = "no folder is named"
        raise UseError(Fault("drafting a docket", why, do="name the folder of the job: tinquire new october"))
    return Path(os.path.commonpath([str(one.absolute()) for one in options.sources]))


def _chosen(folder: Path, sources: list[Path] | None) -> list[Path]:
    """The files to read, of some folders within that of the job. Raises UseError for others."""
    if sources is None:
        return sorted(_paths(folder))
    for one in sources:
        if not one.resolve().is_relative_to(folder.resolve()):
            why = f"'{one}' is not in '{folder}', and a docket names its files from its own folder"
            raise UseError(Fault("drafting a docket", why, do="put the sources into the folder of the job"))
        if not one.exists():
            raise AccessError(Fault("drafting a docket", f"there is no '{one}'", do="check its name"))
    chosen = [one.resolve() for one in sources]
    return sorted(path for path in _paths(folder) if any(path.resolve().is_relative_to(one) for one in chosen))


def _paths(folder: Path) -> Iterator[Path]:
    from tinquire.base.atomic_files import ORIGINALS
    from tinquire.sources.find_files import LOCK_PREFIX

    for path in folder.rglob("*"):
        parts = path.relative_to(folder).parts
        hidden = any(part.startswith((".", LOCK_PREFIX)) for part in parts)
        made = parts[0] in _MADE or ORIGINALS in parts
        if path.suffix.lower() in _ENDINGS and path.is_file() and not hidden and not made:
            yield path


def _sources(folder: Path, paths: list[Path], terminal: Terminal) -> list[tuple[SourceDraft, _Reads]]:
    """Files with the same headings, under spellings that differ little, are one source; each with what was read."""
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
        made.append((SourceDraft(name, pattern, many, sheet, types, rows, label, amount), reads))
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


def _explained(
    pack: Path, draft: Draft, reads: list[_Reads], folder: Path, terminal: Terminal
) -> int:  # fmt: skip
    """Draft a docket that makes a pack from its sources, and say what explains each of its sheets."""
    from tinquire.base.atomic_files import write_atomic
    from tinquire.docket.draft import period_in
    from tinquire.learn.pack.docket import docket_of
    from tinquire.learn.pack.explain import explain_pack
    from tinquire.learn.pack.house import house_of
    from tinquire.workbook import Workbook

    terminal.progress("reading last month's pack")
    book = Workbook.open(pack)
    period = period_in(pack.name)
    found = explain_pack(book, _known(draft.sources, reads, folder, period))
    name = pack.name if period is None else pack.name.replace(period.text, "[:period:]")
    types = {source.name: source.types for source in draft.sources}
    types |= {name: {**table.base.types, **table.types} for name, table in found.tables.items()}
    docket = folder / "docket.toml"
    write_atomic(folder / "house.toml", house_of(book, found, types).encode())
    write_atomic(docket, docket_of(draft, found, name, period).encode())
    for sheet in found.sheets:
        what = "; ".join(sheet.words) or (f"the rows of '{sheet.of}'" if sheet.shows else "nothing explains it")
        terminal.line("sheet", f"{sheet.name}: {what}", hang=4)
    left = [f"{sheet.name}: {what}" for sheet in found.sheets for what in sheet.left]
    for number, line in enumerate(left):
        terminal.line("fill in" if number == 0 else "", line, hang=4)
    terminal.line("wrote", f"{docket}, {folder / 'house.toml'}")
    example = period.text if period is not None else "2026-10"
    terminal.line("try", f"tinquire run {docket} --period {example}, and compare its pack with {pack.name}")
    terminal.answer({
        "docket": str(docket), "period": example, "left": left,
        "sheets": [{"name": one.name, "shows": one.shows or None, "of": one.of or None} for one in found.sheets],
    })  # fmt: skip
    return 0


def _known(
    drafts: Sequence[SourceDraft], reads: list[_Reads], folder: Path, period: Period | None
) -> list[Known]:  # fmt: skip
    """The rows of each source, of the pack's period where there are several, with what differs in the files' names."""
    from tinquire.docket.draft import period_in
    from tinquire.learn.pack.known import Known

    known = []
    for draft, every in zip(drafts, reads, strict=True):
        own = [(path, read) for path, read in every if _is_of(period_in(path.relative_to(folder).as_posix()), period)]
        start, _, end = Path(draft.path).name.partition("*") if draft.many else ("", "", "")
        values: dict[str, list[Any]] = {heading: [] for heading in every[0][1].table.headings}
        stems: list[str] = []
        for path, read in own or every:
            pairs = zip(read.table.headings, read.table.columns, strict=True)
            columns = {heading.casefold(): column for heading, column in pairs}
            for heading, held in values.items():
                held.extend(columns[heading.casefold()].to_list())
            stems += [path.name[len(start) : len(path.name) - len(end)]] * read.table.height
        slot = (
            f"[:file.stem after '{start}':]" if start and Path(end).stem == end.removesuffix(Path(end).suffix) else ""
        )
        known.append(Known(draft.name, values, draft.types, stems if slot else (), slot))
    return known


def _is_of(one: Period | None, period: Period | None) -> bool:
    return one is None or period is None or one.text == period.text


def _answer(source: SourceDraft) -> dict[str, Any]:
    return {
        "name": source.name, "files" if source.many else "file": source.path, "sheet": source.sheet,
        "types": dict(source.types),
    }  # fmt: skip
