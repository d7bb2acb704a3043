"""tinquire recalc: a workbook's results calculated again."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.placing import write_all
from tinquire.base.wording import counted
from tinquire.cli.support import options as shared
from tinquire.cli.support.files import find_files
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.cells.values import Value
    from tinquire.workbook import Workbook
    from tinquire.workbook.calc.recalculate import Recalculation
    from tinquire.workbook.inspect.trace import Tracer

EXAMPLE = (
    "tinquire recalc 'Linen pack 2026-10.xlsx' --check\n"
    "  tinquire recalc model.xlsx --set 'Rates!B2=0.21' --out model-21.xlsx"
)
_LISTED = 12
#: Pivots whose rows hang on other pivots are worked out again, so many times.
_TURNS = 4


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", help="workbooks, patterns of them, or folders")
    how = parser.add_mutually_exclusive_group(required=True)
    how.add_argument("--check", action="store_true", help="write nothing; exit with 1 when a result differs or fails")
    how.add_argument("--out", type=Path, metavar="FILE", help="the file to write; a folder for several workbooks")
    how.add_argument("--in-place", action="store_true", help="change the files, and keep the originals beside them")
    parser.add_argument("--set", action="append", default=[], metavar="CELL=VALUE", help="change an input first")
    parser.add_argument(
        "--only-changed", action="store_true", help="recalculate only what depends on the inputs of --set"
    )
    parser.add_argument(
        "--pivots", action="store_true", help="refresh pivots from their rows, and recalculate what reads them"
    )
    parser.add_argument("--now", metavar="TIME", help="the moment for TODAY and NOW, such as 2026-11-03T17:45")
    parser.add_argument("--decimal", choices=(".", ","), default=".", help="the decimal mark of numbers in texts (.)")
    parser.add_argument(
        "--dates", choices=("day-first", "month-first"), default="", help="how texts write dates, besides 2026-11-03"
    )
    parser.add_argument(
        "--last-digits", action="store_true", help="also count results that differ only after 15 significant digits"
    )
    parser.add_argument("--seed", type=int, default=0, metavar="N", help="seed of random numbers (0)")
    parser.add_argument(
        "--rows", type=int, default=_LISTED, metavar="N", help=f"lines to list of each kind ({_LISTED})"
    )
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.base.atomic_files import discard_original

    files, base = find_files(options.files, terminal)
    if options.only_changed and not options.set:
        raise UseError(Fault("recalculating", "--only-changed needs an input that changes", do="name it with --set"))
    done: list[_Recalculated] = []
    kept: list[Path] = []
    try:
        write_all(_contents(files, base, options, terminal, done, kept))
    except BaseException:
        for path in kept:
            discard_original(path)
        raise
    for path in kept:
        terminal.line("kept", f"{path}, the original")
    for one in done:
        if one.out is not None:
            terminal.line("wrote", str(one.out) if one.writes else f"nothing; {one.out} is as it should be")
    answers = [one.answer for one in done]
    terminal.answer(answers if len(answers) > 1 else answers[0])
    return max(one.code for one in done)


@dataclass(slots=True)
class _Recalculated:
    """What came of one workbook: where its result goes, whether that is written, and the command's answer and code."""

    out: Path | None
    writes: bool
    answer: dict[str, Any]
    code: int


def _contents(
    files: list[Path], base: Path, options: argparse.Namespace, terminal: Terminal, done: list[_Recalculated],
    kept: list[Path],
) -> Iterator[tuple[Path, bytes]]:  # fmt: skip
    """The results, one workbook after the other; what came of each goes to `done`. When all stand, the originals
    of those that are changed in place are kept. Raises one error with all that failed: then nothing is written."""
    from tinquire.base.atomic_files import keep_original

    errors: list[TinQuireError] = []
    for number, path in enumerate(files, start=1):
        terminal.progress(f"{number:,} of {len(files):,} files, {path.name}")
        try:
            one, book = _one(path, _target(path, base, len(files), options), options, terminal)
        except TinQuireError as error:
            if len(files) == 1:
                raise
            if not options.check:
                errors.append(error)
                continue
            terminal.error(error)
            faults = {"file": str(path), "faults": [fault.as_dict() for fault in error.faults]}
            one, book = _Recalculated(None, False, faults, error.exit_code), None
        done.append(one)
        if one.out is not None and one.writes and book is not None:
            yield one.out, book.to_bytes()
    if errors:
        why = f"{len(errors)} of {len(files)} workbooks could not be recalculated, so nothing was written"
        summary = DataError(Fault("writing the results", why, do="fix these, or leave them out"))
        raise merge_errors([*errors, summary])
    if options.in_place:
        kept.extend(keep_original(one.out) for one in done if one.out is not None and one.writes)


def _target(path: Path, base: Path, count: int, options: argparse.Namespace) -> Path | None:
    if options.check:
        return None
    if options.in_place:
        return path
    several = count > 1 or options.out.is_dir()
    out: Path = options.out / path.absolute().relative_to(base) if several else options.out
    require_new(out, "name another, or write --in-place")
    return out


def _one(
    path: Path, out: Path | None, options: argparse.Namespace, terminal: Terminal
) -> tuple[_Recalculated, Workbook]:  # fmt: skip
    from tinquire.cells.dates import serial_from_date
    from tinquire.formula.engine.conversions import Notation
    from tinquire.formula.language.problems import CycleError
    from tinquire.workbook import Workbook
    from tinquire.workbook.calc.recalculate import recalculate

    book = Workbook.open(path)
    inputs = [_set(book, text) for text in options.set]
    moment = shared.moment(options.now)
    now = serial_from_date((moment or shared.local_clock()).replace(tzinfo=None), book.date_system)
    try:
        only = inputs if options.only_changed else None
        notation = Notation(options.decimal, options.dates)
        work = partial(recalculate, book, now=now, seed=options.seed, notation=notation)
        report = work(changed=only)
        refreshed = _refresh_pivots(book, work, now) if options.pivots else None
    except CycleError as error:
        why = f"circular reference: {' -> '.join(error.path[:12])}{' …' if len(error.path) > 12 else ''}"
        raise DataError(
            Fault("recalculating", why, str(path), "remove the circular reference at one of these cells")
        ) from None
    if refreshed is not None:
        report = refreshed.over(report)
    moved = refreshed is not None and refreshed.changed
    writes = out is not None and bool(report.changed or inputs or moved or out != path)
    _tell(path, book, report, options, terminal)
    if refreshed is not None:
        refreshed.tell(terminal)
    failed = options.check and bool(report.errors or report.changed or moved)
    answer = _answer(path, out, book, report) if options.json else {}
    if options.json and refreshed is not None:
        answer["pivots"] = refreshed.answer
    return _Recalculated(out, writes, answer, int(failed)), book


@dataclass(slots=True)
class _Refreshed:
    """What became of a workbook's pivots: those refreshed with why, those left with why, and the recalculation of what
    reads them."""

    stale: dict[str, str | None]
    left: list[tuple[str, str]]
    changed: bool
    again: Recalculation | None

    @property
    def answer(self) -> dict[str, Any]:
        return {
            "refreshed": [{"pivot": name, "was": why} for name, why in self.stale.items()],
            "left": [{"pivot": name, "why": why} for name, why in self.left],
        }

    def over(self, report: Recalculation) -> Recalculation:
        """The recalculation before and after as one."""
        if self.again is None:
            return report
        return replace(self.again, changes=[*report.changes, *self.again.changes])

    def tell(self, terminal: Terminal) -> None:
        for name, why in self.stale.items():
            terminal.line("pivot", name + (" is as its rows are" if why is None else f" was stale: {why}"))
        for name, why in self.left:
            terminal.line("left", f"{name} is refreshed on opening: {why}")


def _refresh_pivots(book: Workbook, work: Callable[[], Recalculation], now: float) -> _Refreshed:
    """Refresh all pivots of a workbook, and recalculate what reads them, until nothing moves."""
    from tinquire.workbook.calc.stored_values import refresh_chart_parts
    from tinquire.workbook.pivots.caches import caches_of
    from tinquire.workbook.pivots.refresh import moved_stores, refresh_pivots
    from tinquire.workbook.pivots.stale import staleness

    was = {cache.part: staleness(book, cache) for cache in caches_of(book)}
    names = {
        cache.part: [
            f"pivot '{book.package.root(one.part).get('name', '')}' of sheet '{one.sheet}'" for one in cache.pivots
        ]
        for cache in caches_of(book)
    }
    done = refresh_pivots(book, today=now)
    again = work() if done.changed else None
    for _ in range(_TURNS):
        wanted = moved_stores(book, done.rows)
        turn = refresh_pivots(book, wanted, today=now) if wanted and again is not None else None
        if turn is None or not turn.changed:
            break
        done.rows |= turn.rows
        again = work()
    else:
        why = "its pivots read cells that hang on the pivots themselves, and do not come to rest"
        raise DataError(Fault("refreshing pivots", why, book.name, "take the rows from plain cells"))
    book.settle()
    refresh_chart_parts(book)
    stale = {name: was[part] for part, own in names.items() for name in own if name in done.pivots}
    return _Refreshed(stale, done.left, done.changed, again)


def _set(book: Workbook, text: str) -> tuple[str, Any]:
    """Change an input as `Sheet!C3=Harbour` says. Raises UseError."""
    from tinquire.cells.address import Area, parse_cell

    position, mark, value = text.partition("=")
    sheet, _, cell = position.rpartition("!")
    sheet = sheet.strip("'").replace("''", "'") or book.first_sheet()
    try:
        row, column = parse_cell(cell.replace("$", ""))
    except ValueError:
        mark = ""
    if not mark:
        do = "write it like 'Rates!B2=0.21'"
        raise UseError(Fault("changing an input", f"'{text}' names no cell and value", do=do))
    found = shared.typed_value(value)
    number = isinstance(found, int | float) and not isinstance(found, bool)
    known = book.sheet(sheet)
    known.set(row, column, float(found) if number else found if isinstance(found, bool) else str(value))
    return known.name, Area(row, column, row, column)


# -- what came of it -------------------------------------------------------------------------------------


def _tell(path: Path, book: Workbook, report: Recalculation, options: argparse.Namespace, terminal: Terminal) -> None:
    from tinquire.workbook.inspect.trace import Tracer

    tracer = Tracer(book)
    terminal.heading(path.as_posix())
    differ = f"{_count(report.changed, 'result')} {'differs' if report.changed == 1 else 'differ'}"
    terminal.line("formulas", f"{report.formulas:,}, {differ} from what was stored")
    if options.last_digits:
        terminal.line("", f"{_count(report.last_digits, 'more')} in the last digits only, beyond 15 significant ones")
    changes = _largest(report, options.rows)
    if changes:
        rows = [_row(tracer, *change) for change in changes]
        terminal.table(["cell", "name", "stored", "now", "change"], rows, right=(2, 3, 4))
        _more(report.changed - options.rows, "results", terminal)
        terminal.plain()
    for note in report.errors[: options.rows]:
        row, column = _cell(note.cell)
        cause = tracer.cause(note.sheet, row, column)
        began = "" if cause.endswith(f"!{note.cell}") else f", which began in {cause}"
        terminal.line("error", f"{note.sheet}!{note.cell}: {note.says}{began}  ={note.formula}", 2)
    _more(len(report.errors) - options.rows, "errors", terminal)
    kinds = (("kept", report.skipped), ("volatile", report.volatile), ("outside", report.outside))
    for label, notes in kinds:
        for note in notes[: options.rows]:
            terminal.line(label, f"{note.sheet}!{note.cell}: {note.says}", 2)
        _more(len(notes) - options.rows, "cells", terminal)
    for ring, times in report.rings:
        cells = f"{', '.join(ring[:6])}{' …' if len(ring) > 6 else ''}"
        terminal.line("ring", f"{cells}: run through {counted(times, 'time')}", 2)


def _more(count: int, what: str, terminal: Terminal) -> None:
    if count > 0:
        terminal.line("", f"and {count:,} more {what}; --rows lists more")


def _largest(report: Recalculation, most: int | None = None) -> list[tuple[str, str, Value, Value, float | None]]:
    """Changed results, those of other kinds first, then by how far they moved; the first of them, or all."""
    import numpy as np

    from tinquire.cells.address import cell_name
    from tinquire.cells.column import Kind

    if not report.changes:
        return []
    far = []
    for change in report.changes:
        both = (change.before.kinds == Kind.NUMBER) & (change.after.kinds == Kind.NUMBER)
        far.append(np.where(both, np.abs(change.after.numbers - change.before.numbers), np.inf))
    starts = np.cumsum([0, *map(len, far)])
    found = []
    for place in np.argsort(-np.concatenate(far), kind="stable")[:most].tolist():
        number = int(np.searchsorted(starts, place, "right")) - 1
        change, at = report.changes[number], place - int(starts[number])
        old, new = change.before[at], change.after[at]
        moved = new - old if isinstance(old, float) and isinstance(new, float) else None
        found.append((change.sheet, cell_name(int(change.rows[at]), change.column), old, new, moved))
    return found


def _row(tracer: Tracer, name: str, cell: str, old: Value, new: Value, moved: float | None) -> list[str]:
    """A changed result as it is displayed, or in full where that would look the same."""
    from tinquire.cells.address import quoted_sheet
    from tinquire.cells.display import general, show

    sheet, position = tracer.book.sheet(name), _cell(cell)
    code = tracer.book.styles.number_format(sheet.style(*position))
    before, after = ("blank" if item is None else show(item, code, tracer.book.date_system).text for item in (old, new))
    if before == after and isinstance(old, float) and isinstance(new, float):
        before, after = general(old, 15), general(new, 15)
    far = "" if moved is None else f"{moved:+,.6g}"
    return [f"{quoted_sheet(name)}!{cell}", tracer.name_of(sheet, *position), before, after, far]


def _cell(name: str) -> tuple[int, int]:
    from tinquire.cells.address import parse_cell

    return parse_cell(name.partition(":")[0])


def _count(number: int, one: str) -> str:
    return f"{number:,} {one}" + ("" if number == 1 else "s")


def _answer(path: Path, out: Path | None, book: Workbook, report: Recalculation) -> dict[str, Any]:
    from tinquire.workbook.inspect.trace import Tracer

    tracer = Tracer(book)
    plain = {"errors": report.errors, "kept": report.skipped, "volatile": report.volatile, "outside": report.outside}
    answer: dict[str, Any] = {"file": str(path), "written": None if out is None else str(out)}
    answer |= {"formulas": report.formulas, "changed": report.changed, "last digits": report.last_digits}
    answer["changes"] = [
        {"sheet": sheet, "cell": cell, "was": str(old) if old is not None else None, "is": str(new), "moved": moved}
        for sheet, cell, old, new, moved in _largest(report)
    ]
    for key, notes in plain.items():
        answer[key] = [
            {"sheet": item.sheet, "cell": item.cell, "formula": item.formula, "says": item.says} for item in notes
        ]
    for told, note in zip(answer["errors"], report.errors, strict=True):
        told["began in"] = tracer.cause(note.sheet, *_cell(note.cell))
    answer["rings"] = [{"cells": list(ring), "times": times} for ring, times in report.rings]
    return answer
