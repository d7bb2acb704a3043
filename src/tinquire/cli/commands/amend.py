"""tinquire amend: guarded changes in many workbooks."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire.base.faults import AccessError, Fault, UseError
from tinquire.cli.support import options as shared
from tinquire.cli.support.files import find_files
from tinquire.cli.support.target import require_new
from tinquire.cli.support.terminal import Terminal

if TYPE_CHECKING:
    from tinquire.amend import Amendment, FileReport
    from tinquire.amend.changes import Change

EXAMPLE = (
    "tinquire amend sources/2026-10/*.xlsx --heading Pieces --matching none --value 0 --list\n"
    "  tinquire amend packs/*.xlsx --with amendments.toml --out corrected"
)
#: Options for the common cases, by the key of an amendment that each stands for.
_PLACES = ("sheet", "at", "name", "table", "column", "heading", "matching", "expect", "expect_formula")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("files", nargs="+", help="workbooks, patterns of them, or folders")
    parser.add_argument("--with", dest="amendments", type=Path, metavar="TOML", help="a file of amendments")
    parser.add_argument("--every-sheet", action="store_true", help="amend each sheet of a workbook by itself")
    where = parser.add_argument_group("one amendment without a file: the place")
    where.add_argument("--sheet", help="the sheet, or a pattern of sheets")
    where.add_argument("--at", metavar="CELL", help="a cell or range, such as B4 or 'Rates!B4:B9'")
    where.add_argument("--name", help="a defined name")
    where.add_argument("--table", help="a table; with --column")
    where.add_argument("--column", help="a column of the table")
    where.add_argument("--heading", help="the cells under a heading")
    where.add_argument("--matching", metavar="VALUE", help="of these cells, those that match: none, '>=100', 'b*'")
    guard = parser.add_argument_group("what the cells must have now")
    guard.add_argument("--expect", metavar="VALUE", help="the value each cell must hold")
    guard.add_argument("--expect-formula", metavar="FORMULA", help="the formula each cell must hold")
    what = parser.add_argument_group("the change")
    what.add_argument("--value", help="a value: a number, a day like 2026-10-31, true, false, or text")
    what.add_argument("--text", help="a value to be stored as text")
    what.add_argument("--replace", nargs=2, metavar=("OLD", "NEW"), help="a part of texts, and what replaces it")
    what.add_argument("--formula", help="a formula, filled down; [Heading] is that column's cell in the row")
    what.add_argument("--total", choices=("sum", "average", "count", "smallest", "largest"), help="below the column")
    what.add_argument("--format", help="a number format")
    how = parser.add_mutually_exclusive_group(required=True)
    how.add_argument("--list", action="store_true", help="write nothing; show every change, cell by cell")
    how.add_argument("--out", type=Path, metavar="FOLDER", help="the folder for changed workbooks")
    how.add_argument("--in-place", action="store_true", help="change the files, and keep the originals beside them")
    parser.add_argument(
        "--recalc",
        action="store_true",
        help="recalculate changed workbooks (otherwise they are recalculated when opened)",
    )
    parser.add_argument(
        "--jobs", type=int, metavar="N", help="files to work on at the same time (chosen for the machine)"
    )
    shared.add_json(parser)


def run(options: argparse.Namespace, terminal: Terminal) -> int:
    from tinquire.amend import amend_files

    amendments = _amendments(options)
    files, base = find_files(options.files, terminal)
    jobs = [(path, _target(path, base, options)) for path in files]
    reports = []
    for number, report in enumerate(
        amend_files(
            jobs, amendments, recalc=options.recalc, processes=options.jobs, now=shared.local_clock(),
            every_sheet=options.every_sheet,
        ), 1
    ):  # fmt: skip
        terminal.progress(f"{number:,} of {len(files):,} files, {report.file.name}")
        reports.append(report)
    _tell(reports, amendments, options.list, terminal)
    terminal.answer([_answer(report) for report in reports])
    return _exit_code(reports)


# -- what was asked --------------------------------------------------------------------------------------


def _amendments(options: argparse.Namespace) -> Sequence[Amendment]:
    from pydantic import ValidationError

    from tinquire.amend import Amendment, load_amendments

    given: dict[str, Any] = {key: getattr(options, key) for key in _PLACES if getattr(options, key) is not None}
    for key in ("matching", "expect"):
        if key in given:
            given[key] = shared.typed_value(given[key])
    what: dict[str, Any] = {key: getattr(options, key) for key in ("formula", "total", "format")}
    what = {key: value for key, value in what.items() if value is not None}
    if options.value is not None:
        what["value"] = shared.typed_value(options.value)
    if options.text is not None:
        what["value"] = options.text
    if options.replace:
        what["replace"] = {options.replace[0]: options.replace[1]}
    if options.amendments is not None:
        if given or what:
            do = "put them into the file, or leave out --with"
            raise UseError(Fault("amending", "--with and options that make an amendment were given together", do=do))
        return load_amendments(options.amendments).amend
    try:
        return [Amendment(**given, **what)]
    except ValidationError as error:
        faults = [Fault("amending", str(item.get("ctx", {}).get("error", item["msg"]))) for item in error.errors()]
        raise UseError(*dict.fromkeys(faults)) from None


def _target(path: Path, base: Path, options: argparse.Namespace) -> Path | None:
    if options.list:
        return None
    if options.in_place:
        return path
    out: Path = options.out / path.absolute().relative_to(base)
    require_new(out, "name another folder")
    return out


# -- what happened ---------------------------------------------------------------------------------------


def _tell(reports: Sequence[FileReport], amendments: Sequence[Amendment], listed: bool, terminal: Terminal) -> None:
    """What changes or changed, what was left alone, and all of it in one line."""
    from tinquire.amend import Outcome

    changed = [report for report in reports if report.outcome is Outcome.CHANGED]
    several = 0 if len(amendments) > 1 else 1  # of a single amendment the number says nothing
    for report in changed if listed else ():
        terminal.heading(_list_changes(report.file))
        rows = [
            [str(item.number), f"{item.sheet}!{item.cell}" if item.cell else item.sheet, item.old, item.new][several:]
            for item in report.changes
        ]
        terminal.table(["no", "cell", "is now", "becomes"][several:], rows)
        terminal.plain()
    used = {change.number for report in changed for change in report.changes}
    for number, amendment in enumerate(amendments, start=1):
        if listed and amendment.say and number in used:
            terminal.line(f"no {number}" if not several else "why", amendment.say)
    for report in reports:
        if report.fault is not None:
            label = "left" if report.outcome is Outcome.LEFT else "failed"
            terminal.line(label, f"{_list_changes(report.file)}: {report.fault.why} [{report.fault.stopped}]")
    if not listed:
        for report in changed:
            terminal.line("wrote", f"{report.written}  ({_changes(report.changes)})")
    for report in changed:
        for warning in report.warnings:
            terminal.fault(warning)
    every = [change for report in changed for change in report.changes]
    pieces = [f"{_count(len(changed), 'file')} {'would change' if listed else 'changed'}, {_changes(every)}"]
    for outcome, says in ((Outcome.SAME, "as it should be"), (Outcome.LEFT, "left alone"), (Outcome.FAILED, "failed")):
        count = sum(report.outcome is outcome for report in reports)
        if count:
            pieces.append(f"{count:,} {says}")
    terminal.line("in all", "; ".join(pieces))


def _changes(changes: Sequence[Change]) -> str:
    """How many cells change, and how many other things."""
    cells = sum(bool(change.cell) for change in changes)
    others = len(changes) - cells
    told = [_count(cells, "cell")] * bool(cells or not others)
    return ", ".join([*told, *([_count(others, "other change" if cells else "change")] * bool(others))])


def _list_changes(path: Path) -> str:
    return path.as_posix()


def _count(number: int, one: str) -> str:
    return f"{number:,} {one}" + ("" if number == 1 else "s")


def _answer(report: FileReport) -> dict[str, Any]:
    return {
        "file": str(report.file),
        "outcome": report.outcome.value,
        "changes": [
            {
                "sheet": change.sheet,
                "cell": change.cell,
                "is": change.old,
                "becomes": change.new,
                "amendment": change.number,
            }
            for change in report.changes
        ],
        "fault": None if report.fault is None else report.fault.as_dict(),
        "written": None if report.written is None else str(report.written),
        "original": None if report.original is None else str(report.original),
        "warnings": [warning.as_dict() for warning in report.warnings],
    }


def _exit_code(reports: Sequence[FileReport]) -> int:
    """3 when a file could not be read or written, 1 when one was left alone."""
    from tinquire.amend import Outcome

    outcomes = {report.outcome for report in reports}
    return AccessError.exit_code if Outcome.FAILED in outcomes else int(Outcome.LEFT in outcomes)
