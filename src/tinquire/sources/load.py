"""One source, from its files to one typed table: found, read, distinguished from clutter, typed, stacked, compared."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError, merge_errors
from tinquire.base.file_names import path_below
from tinquire.base.parallel import map_in_order
from tinquire.base.wording import known_names, listed
from tinquire.packages.zip_archive import unreadable_error
from tinquire.sources.databases.query import read_query
from tinquire.sources.delimited.reader import read_delimited
from tinquire.sources.digest import Digest
from tinquire.sources.find_files import matching_files, named_as_workbook
from tinquire.sources.raw_table import RawTable, table_below_heading
from tinquire.sources.readers.detect import FileKind, file_kind
from tinquire.sources.readers.json_records import are_records, read_records
from tinquire.sources.readers.workbooks import read_blocks
from tinquire.sources.spec import FileRead, SourceRead, SourceSpec
from tinquire.sources.typed_table import compare_totals, shortened, type_table
from tinquire.tables.inference import MIXED, infer_type
from tinquire.tables.marks import mark_of_column
from tinquire.tables.stacking import stack_tables

__all__ = ["gather"]

_LOOKED_AT = 4_096


def gather(spec: SourceSpec) -> SourceRead:
    """Read a source. Raises one error with all its faults: DataError, AccessError or UseError."""
    stopped = f"source '{spec.name}'"
    passed_over: list[str] = []
    if spec.database is not None:
        asked = read_query(spec.database, spec.query, spec.parameters, spec.base, password=spec.password)
        paths, raws = [Path()], [asked]
    else:
        paths, passed_over = _paths(spec, stopped)
        paths, raws, errors = _read_all(spec, paths)
        if errors:
            raise merge_errors(errors)
        paths, raws = _each_once(spec, paths, raws, stopped)
    for raw in raws:
        _rename_headings(raw, spec)
    warnings = [Fault(stopped, note, warning=True) for note in passed_over]
    headings = _align_headings(spec, raws, stopped)
    with_types = _inferred_types(spec, raws, headings) if spec.infer else spec
    tables, files, faults = [], [], []
    for path, raw in zip(paths, raws, strict=True):
        table, problems = type_table(with_types, path, raw, headings)
        faults += problems
        if spec.totals_row == "agree" and not problems:
            faults += compare_totals(spec, raw, table, stopped)
        # What a file's columns shared would be kept as long as one of them.
        tables.append(replace(table, columns=tuple(column.compact() for column in table.columns)))
        files.append(FileRead(path, raw.file, table.height, tuple(raw.notes), raw.digest, raw.sheet))
    if faults:
        raise DataError(*shortened(faults, stopped))
    made = stack_tables(spec.name, tables)
    types = {**{field.name: field.type for field in made.fields}, **with_types.types}
    return SourceRead(made, _by_file(files), tuple(warnings), types)


def _by_file(reads: Sequence[FileRead]) -> tuple[FileRead, ...]:
    """One entry for each file, whatever number of sheets it gave; notes then say of which sheet they are."""
    files: dict[str, list[FileRead]] = {}
    for read in reads:
        files.setdefault(read.shown, []).append(read)
    return tuple(
        parts[0]
        if len(parts) == 1
        else replace(
            parts[0],
            rows=sum(part.rows for part in parts),
            notes=(
                f"sheets {listed([repr(part.sheet) for part in parts])}",
                *(f"sheet '{part.sheet}': {note}" for part in parts for note in part.notes),
            ),
        )
        for parts in files.values()
    )


def _paths(spec: SourceSpec, stopped: str) -> tuple[list[Path], list[str]]:
    if spec.paths:
        return list(spec.paths), []
    if spec.files is not None:
        return matching_files(spec.files, spec.base, stopped, spec.where)
    path = spec.base / str(spec.file)
    if not path.is_file():
        folder = path.parent
        there = [entry.name for entry in folder.iterdir()] if folder.is_dir() else []
        why = (
            f"there is no file '{spec.file}': {known_names(path.name, there)}"
            if there
            else f"there is no file '{spec.file}'"
        )
        raise AccessError(Fault(stopped, why, spec.where, "put it there, or fix its name in the docket"))
    return [path], []


def _read_all(spec: SourceSpec, paths: Sequence[Path]) -> tuple[list[Path], list[RawTable], list[TinQuireError]]:
    """All files read, with the file of each table, of which a file may give several; errors are collected, so that
    every bad file is named at once."""
    found: list[Path] = []
    raws: list[RawTable] = []
    errors: list[TinQuireError] = []
    for path, read in zip(paths, map_in_order(partial(_read_or_error, spec), paths), strict=True):
        if isinstance(read, TinQuireError):
            errors.append(read)
            continue
        raws += read
        found += [path] * len(read)
    return found, raws, errors


def _read_or_error(spec: SourceSpec, path: Path) -> list[RawTable] | TinQuireError:
    try:
        digest = Digest.of_file(path)
    except OSError:
        digest = Digest.known("")  # it will say why when it is read
    try:
        read = _read_one(spec, path)
    except TinQuireError as error:
        return error
    for raw in read:
        raw.digest = digest
    return read


def _read_one(spec: SourceSpec, path: Path) -> list[RawTable]:
    shown = path_below(path, spec.base)
    expected = frozenset(heading.casefold() for heading in (*spec.types, *spec.read_as))
    kind = _kind(path)
    if kind not in (FileKind.TEXT, FileKind.OTHER) or (kind is FileKind.OTHER and named_as_workbook(path)):
        raws = []
        for block, heading_first in read_blocks(path, shown, sheet=spec.sheet, table=spec.table, area=spec.area):
            heading = block.top if heading_first and spec.header == "find" else spec.header
            raws.append(table_below_heading(block, heading, "none" if spec.table else spec.totals_row, expected))
        if kind is not FileKind.PACKAGE:
            raws[0].notes.insert(0, f"it is {kind.value}")
        return raws
    if _holds_records(path):
        return [read_records(path, shown)]
    block, dialect = read_delimited(path, shown, separator=spec.separator, decimal=spec.decimal, encoding=spec.encoding)
    if named_as_workbook(path) and (len(block.columns) < 2 or spec.sheet or spec.table):
        raise unreadable_error(shown, path.read_bytes(), "")  # a word or two is no table, and text has no sheets
    raw = table_below_heading(block, spec.header, spec.totals_row, expected)
    raw.decimal = dialect.decimal
    raw.notes.insert(0, dialect.says())
    if named_as_workbook(path):
        raw.notes.insert(0, "it is delimited text, whatever its name says")
    return [raw]


def _holds_records(path: Path) -> bool:
    try:
        with path.open("rb") as stream:
            return are_records(path, stream.read(_LOOKED_AT))
    except OSError:
        return False  # its reader says what is wrong


def _kind(path: Path) -> FileKind:
    """What a file is; text where it cannot be read, so that its reader says what is wrong."""
    try:
        with path.open("rb") as stream:
            return file_kind(stream.read(_LOOKED_AT))
    except OSError:
        return FileKind.TEXT


def _each_once(
    spec: SourceSpec, paths: Sequence[Path], raws: Sequence[RawTable], stopped: str
) -> tuple[list[Path], list[RawTable]]:
    """The files without those that are another one byte for byte, as the source says. Raises DataError."""
    files = {raw.file: raw.digest for raw in raws}
    sizes = Counter(digest.size for digest in files.values())
    first: dict[str, RawTable] = {}
    kept: list[tuple[Path, RawTable]] = []
    faults = []
    for path, raw in zip(paths, raws, strict=True):
        # Files of different sizes differ, whatever is in them.
        other = first.setdefault(raw.digest.text, raw) if sizes[raw.digest.size] > 1 else raw
        if other.file == raw.file or spec.same_file == "keep":
            kept.append((path, raw))
        elif spec.same_file == "once":
            other.notes.append(f"{raw.file} is the same file, and left out")
        else:
            why = f"it is the same as {other.file}, byte for byte"
            do = 'take one away, or write same_file = "once" in the source'
            faults.append(Fault(stopped, why, raw.file, do))
    if faults:
        raise DataError(*faults)
    return [path for path, _ in kept], [raw for _, raw in kept]


def _rename_headings(raw: RawTable, spec: SourceSpec) -> None:
    """Headings by the names that the source knows them under, those of the totals row, too."""
    names = {other.casefold(): heading for heading, others in spec.known_as.items() for other in others}
    taken = {heading.casefold() for heading in raw.headings}
    for index, heading in enumerate(raw.headings):
        name = names.get(heading.casefold())
        if name is not None and name.casefold() not in taken:
            raw.headings[index] = name
            raw.notes.append(f"'{heading}' is read as '{name}'")
            if heading in raw.totals:
                raw.totals[name] = raw.totals.pop(heading)


# -- alignment -------------------------------------------------------------------------------------------


def _align_headings(spec: SourceSpec, raws: Sequence[RawTable], stopped: str) -> list[str]:
    """All headings, in the order they are first met. Raises DataError for columns that some files lack."""
    known: dict[str, str] = {}
    for raw in raws:
        for heading in raw.headings:
            known.setdefault(heading.casefold(), heading)
    faults = []
    for heading in (*spec.types, *spec.read_as):
        if heading.casefold() not in known:
            why = f"no file has a column '{heading}': {known_names(heading, list(known.values()))}"
            faults.append(Fault(stopped, why, raws[0].file, "write the heading as it stands in the file"))
    if spec.differing == "stop":
        for raw in raws:
            mine = {heading.casefold() for heading in raw.headings}
            for folded, heading in known.items():
                if folded not in mine:
                    others = [item for item in raw.headings if not _in_all(item, raws)]
                    near = known_names(heading, others) if others else "all its other columns are in the other files"
                    why = f"it has no column '{heading}', which other files have: {near}"
                    do = 'fix the heading, or write differing = "blank" in the source'
                    faults.append(Fault(stopped, why, raw.file, do))
    if faults:
        raise DataError(*dict.fromkeys(faults))
    if spec.differing == "keep":
        _keep_what_is_named(spec, raws, known, stopped)
        kept = [heading for heading in known.values() if _in_all(heading, raws)]
        for raw in raws:
            gone = [f"'{heading}'" for heading in raw.headings if not _in_all(heading, raws)]
            if gone:
                raw.notes.append(f"column {listed(gone)} is not in all files: left out")
        return kept
    return list(known.values())


def _keep_what_is_named(spec: SourceSpec, raws: Sequence[RawTable], known: Mapping[str, str], stopped: str) -> None:
    """Raises DataError for columns that the docket speaks of and some files lack: they are not left out in silence."""
    named = {heading.casefold() for heading in (*spec.types, *spec.read_as, *spec.known_as)}
    named |= set() if isinstance(spec.unreadable, str) else {heading.casefold() for heading in spec.unreadable}
    faults = []
    for raw in raws:
        mine = {heading.casefold() for heading in raw.headings}
        for folded in sorted(named & set(known) - mine):
            why = f"it has no column '{known[folded]}', which the docket speaks of, so that it cannot be left out"
            do = 'fix the heading, or write differing = "blank" in the source'
            faults.append(Fault(stopped, why, raw.file, do))
    if faults:
        raise DataError(*faults)


def _inferred_types(spec: SourceSpec, raws: Sequence[RawTable], headings: Sequence[str]) -> SourceSpec:
    """The types of columns that none was stated for, by their texts in all files; and what was detected, noted."""
    types, says = dict(spec.types), []
    stated = {heading.casefold() for heading in types}
    for heading in headings:
        if heading.casefold() in stated:
            continue
        parts = [
            (raw, index)
            for raw in raws
            for index, item in enumerate(raw.headings)
            if item.casefold() == heading.casefold()
        ]
        columns = [raw.columns[index] for raw, index in parts]
        marks = [spec.decimal or mark_of_column(raw.columns[index]) or raw.decimal for raw, index in parts]
        kind, remark = infer_type(
            columns,
            next((mark for mark in marks if mark), None),
            moments=[raw.moments[index] for raw, index in parts],
            stand_ins={text.strip().casefold() for text in spec.stand_ins(heading)},
        )
        types[heading] = kind
        if kind not in ("text", MIXED):
            says.append(f"{heading} as {kind}")
        if remark:
            raws[0].notes.append(f"column '{heading}': {remark}")
    if says:
        raws[0].notes.append(f"read {', '.join(says)}")
    return replace(spec, types=types)


def _in_all(heading: str, raws: Sequence[RawTable]) -> bool:
    return all(heading.casefold() in {item.casefold() for item in raw.headings} for raw in raws)
