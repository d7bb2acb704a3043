"""A workbook of a run made whole: recalculated, nothing in error, its cells as they are claimed to be, charts as their
cells."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import listed
from tinquire.cells.address import Area
from tinquire.cells.dates import serial_from_date
from tinquire.formula.language.problems import CycleError
from tinquire.press.outputs.verify import Claim, differences
from tinquire.workbook import Workbook
from tinquire.workbook.calc.errors import ErrorRun, standing
from tinquire.workbook.calc.recalculate import CellNote, recalculate
from tinquire.workbook.calc.stored_values import refresh_chart_parts, refresh_charts
from tinquire.workbook.edit.connections import ask_on_opening
from tinquire.workbook.pivots.caches import Cache, caches_of
from tinquire.workbook.pivots.refresh import moved_stores, refresh_pivots
from tinquire.workbook.pivots.stale import staleness, touches
from tinquire.workbook.pivots.store import Rows

__all__ = ["finish_results"]

#: Pivots whose rows hang on other pivots are worked out again, so many times.
_TURNS = 4
#: Cells in error are listed one by one up to this many.
_LISTED = 8


def finish_results(
    book: Workbook, name: str, moment: datetime, claims: Sequence[Claim], filled: Sequence[tuple[str, Area]] = ()
) -> list[Fault]:
    """Recalculate a workbook, refresh the pivots that it came with, compare its cells with what they stand for, and let
    its charts store what their cells show. `filled` are the areas of sheets whose rows are others than the template's.

    Returns warnings of pivots that are not worked out. Raises DataError for cells in error, cells that cannot be run,
    rings, cells in the way of a pivot, and cells that show something else.
    """
    results = _Results(book, name, moment)
    results.run()
    warnings = _refresh_pivots(book, name, results, filled)
    results.require_sound()
    if faults := list(differences(book, claims)):
        raise DataError(*faults[:_LISTED])
    warnings += _ask_elsewhere(book, name, filled)
    refresh_charts(book)
    if any(entry.part is not None for entry in book.entries):
        book.settle()
        refresh_chart_parts(book)
    return warnings


def _refresh_pivots(book: Workbook, name: str, results: _Results, filled: Sequence[tuple[str, Area]]) -> list[Fault]:
    """Work out the pivots whose rows are others now, and what reads them. Raises DataError."""
    if all(entry.part is None for entry in book.entries):
        return []
    warnings: list[Fault] = []
    rows: dict[str, Rows] = {}
    wanted = {cache.part for cache in caches_of(book) if _is_stale(book, cache, filled)}
    for _ in range(_TURNS):
        if not wanted:
            return warnings
        done = refresh_pivots(book, wanted, today=results.now)
        do = "it is right once a program has opened the file; a preview shows the template's numbers"
        warnings += [
            Fault(f"workbook '{name}'", f"{pivot} is refreshed on opening: {why}", do=do, warning=True)
            for pivot, why in done.left
        ]
        if not done.changed:
            return warnings
        changed = results.run(done.areas)
        rows |= done.rows
        wanted = moved_stores(book, rows, changed | {sheet for sheet, _ in done.areas})
    why = "its pivots read cells that hang on the pivots themselves, and do not come to rest"
    raise DataError(Fault(f"refreshing the pivots of workbook '{name}'", why, do="take the rows from plain cells"))


def _ask_elsewhere(book: Workbook, name: str, filled: Sequence[tuple[str, Area]]) -> list[Fault]:
    """Have the queries of a template asked when it is opened; what that means for whoever gets it."""
    place, warnings = f"workbook '{name}'", []
    for query in ask_on_opening(book, filled):
        cells = f"sheet {listed(query.sheets)}" if query.sheets else "no cells of a sheet"
        if query.replaced:
            why = f"connection '{query.name}' would replace the rows put into {cells}; it is no longer asked on opening"
            do = "leave it so, or remove the connection from the template"
        else:
            why = f"connection '{query.name}' ({cells}) is asked on opening: it cannot be asked here"
            do = "open the file where its source can be reached; until then, and in previews, the template's rows show"
        warnings.append(Fault(place, why, do=do, warning=True))
    return warnings


def _is_stale(book: Workbook, cache: Cache, filled: Sequence[tuple[str, Area]]) -> bool:
    return touches(book, cache, filled) or staleness(book, cache) is not None


class _Results:
    """The results of a workbook's formulas, worked out as often as cells change, and judged in the end: what reads a
    pivot may be in error until that is refreshed."""

    def __init__(self, book: Workbook, name: str, moment: datetime) -> None:
        self.book = book
        self.doing = f"recalculating workbook '{name}'"
        self.now = serial_from_date(moment.replace(tzinfo=None), book.date_system)
        self.skipped: list[CellNote] = []
        self.errors: list[ErrorRun] = []

    def run(self, changed: Sequence[tuple[str, Area]] | None = None) -> set[str]:
        """Work all formulas out, or what depends on some areas; which sheets have other results now. Raises DataError
        for rings."""
        try:
            report = recalculate(self.book, now=self.now, changed=changed)
        except CycleError as error:
            fault = Fault(self.doing, f"circular reference: {error}", self.book.name, "remove the circle")
            raise DataError(fault) from None
        self.skipped = report.skipped
        self.errors += report.errors.runs
        return {change.sheet for change in report.changes}

    def require_sound(self) -> None:
        """Raises DataError for cells in error and cells that cannot be run."""
        notes = [(note, "fix the formula") for note in self.skipped]
        errors = standing(self.errors, self.book)
        notes += [(note, "fix the formula, or guard it with IFERROR") for note in errors[:_LISTED]]
        count = len(self.skipped) + len(errors)
        if not notes:
            return
        faults = [Fault(self.doing, f"={note.formula}: {note.says}", note.place, do) for note, do in notes[:_LISTED]]
        if count > _LISTED:
            faults.append(Fault(self.doing, f"{count - _LISTED:,} more cells are in error"))
        raise DataError(*faults)
