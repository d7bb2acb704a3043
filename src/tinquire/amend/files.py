"""Many files amended: each whole or not at all, several at once, and what happened to each."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from enum import Enum
from multiprocessing import get_context
from pathlib import Path

from tinquire.amend.change import Change, NotAsExpectedError, apply_amendments, for_every_sheet
from tinquire.amend.direct import amend_bytes, suits
from tinquire.amend.schema import Amendment
from tinquire.base.atomic_files import keep_original, write_atomic
from tinquire.base.faults import Fault, TinQuireError
from tinquire.cells.dates import serial_from_date
from tinquire.packages.raw_xml import Unusual
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate

__all__ = ["FileReport", "Outcome", "amend_file", "amend_files"]

#: Starting a process costs as much as amending this many small files.
_FILES_PER_PROCESS = 40
#: Cells that could not be calculated which are told one by one.
_LISTED = 20


class Outcome(Enum):
    """What happened to a file."""

    CHANGED = "changed"
    SAME = "as it should be"
    LEFT = "left alone"
    FAILED = "failed"


@dataclass(slots=True)
class FileReport:
    """One file: its outcome, the changes, why it was left alone or failed, and where the result went."""

    file: Path
    outcome: Outcome
    changes: tuple[Change, ...] = ()
    fault: Fault | None = None
    written: Path | None = None
    original: Path | None = None
    warnings: tuple[Fault, ...] = field(default=())


def amend_file(
    path: Path, amendments: Sequence[Amendment], out: Path | None = None, *, recalc: bool = False,
    now: datetime | None = None, every_sheet: bool = False,
) -> FileReport:  # fmt: skip
    """Amend one file: written to `out`, or into its own place with the original kept beside it when `out` is the file
    itself; without `out` nothing is written. With `every_sheet` each of its sheets is amended by itself."""
    try:
        if (
            not recalc
            and not every_sheet
            and all(map(suits, amendments))
            and (report := _directly(path, amendments, out)) is not None
        ):
            return report
        book = Workbook.open(path)
        wanted = for_every_sheet(book, amendments) if every_sheet else amendments
        changes = tuple(apply_amendments(book, wanted))
        if not changes:
            return FileReport(path, Outcome.SAME)
        warnings: tuple[Fault, ...] = ()
        if out is not None and (recalc or any(amendment.formula or amendment.total for amendment in amendments)):
            warnings = _recalculate(book, now)
        elif _values_change(amendments) and book.may_hold_formulas():
            book.mark_stale()
        if out is None:
            return FileReport(path, Outcome.CHANGED, changes)
        return FileReport(path, Outcome.CHANGED, changes, None, out, _write(path, out, book.to_bytes()), warnings)
    except NotAsExpectedError as error:
        return FileReport(path, Outcome.LEFT, fault=error.fault)
    except TinQuireError as error:
        return FileReport(path, Outcome.FAILED, fault=error.faults[0])


def _directly(path: Path, amendments: Sequence[Amendment], out: Path | None) -> FileReport | None:
    """The short way; None when it does not suit the file. Raises AccessError."""
    try:
        changes, data = amend_bytes(_content(path), amendments)
    except (OSError, Unusual, ValueError):
        return None
    if not changes or out is None:
        return FileReport(path, Outcome.CHANGED if changes else Outcome.SAME, tuple(changes))
    return FileReport(path, Outcome.CHANGED, tuple(changes), None, out, _write(path, out, data))


def _content(path: Path) -> bytes:
    """A file's bytes: for many small files, a stream around each takes as long as reading it. Raises OSError."""
    handle = os.open(path, os.O_RDONLY | getattr(os, "O_BINARY", 0))
    try:
        size = os.fstat(handle).st_size
        pieces = [os.read(handle, size + 1)]
        while pieces[-1] and sum(map(len, pieces)) < size:
            pieces.append(os.read(handle, size))
        return b"".join(pieces) if len(pieces) > 1 else pieces[0]
    finally:
        os.close(handle)


def _write(path: Path, out: Path, data: bytes) -> Path | None:
    """Write a result, and return where the original is kept, if the result took its place."""
    original = keep_original(path) if os.fspath(out) == os.fspath(path) else None  # plain strings: a third of the time
    write_atomic(out, data)
    return original


def _values_change(amendments: Sequence[Amendment]) -> bool:
    return any(amendment.value is not None or amendment.replace for amendment in amendments)


def _recalculate(book: Workbook, now: datetime | None) -> tuple[Fault, ...]:
    """Calculate all results; what could not be calculated is left to the program that opens the file, and said."""
    report = recalculate(book, now=None if now is None else serial_from_date(now, book.date_system))
    book.mark_stale()
    notes, count = [*report.skipped, *report.errors[:_LISTED]], len(report.skipped) + len(report.errors)
    faults = [
        Fault("recalculating", f"={note.formula}: {note.says}", f"{book.name}, {note.place}", warning=True)
        for note in notes[:_LISTED]
    ]
    if count > _LISTED:
        why = f"{count - _LISTED:,} more cells could not be calculated, or are in error"
        faults.append(Fault("recalculating", why, book.name, warning=True))
    return tuple(faults)


def amend_files(
    jobs: Sequence[tuple[Path, Path | None]], amendments: Sequence[Amendment], *, recalc: bool = False,
    processes: int | None = None, now: datetime | None = None, every_sheet: bool = False,
) -> Iterator[FileReport]:  # fmt: skip
    """Amend many files, pairs of a file and where its result goes; reports come in the order of the files. `now` is the
    local time that NOW gives; with `every_sheet` each sheet is amended by itself."""
    wanted = processes or min(os.cpu_count() or 1, len(jobs) // _FILES_PER_PROCESS)
    if wanted <= 1:
        for path, out in jobs:
            yield amend_file(path, amendments, out, recalc=recalc, now=now, every_sheet=every_sheet)
        return
    with ProcessPoolExecutor(wanted, mp_context=get_context("spawn")) as pool:
        pieces = [(path, out, tuple(amendments), recalc, now, every_sheet) for path, out in jobs]
        yield from pool.map(_one, pieces, chunksize=max(1, min(50, len(jobs) // (wanted * 4))))


def _one(piece: tuple[Path, Path | None, tuple[Amendment, ...], bool, datetime | None, bool]) -> FileReport:
    path, out, amendments, recalc, now, every_sheet = piece
    return amend_file(path, amendments, out, recalc=recalc, now=now, every_sheet=every_sheet)
