"""A workbook of a run made whole: recalculated, nothing in error, its cells as they are claimed to be, charts as their
cells."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from tinquire.base.faults import DataError, Fault
from tinquire.cells.dates import serial_from_date
from tinquire.formula.language.problems import CycleError
from tinquire.press.outputs.verify import Claim, differences
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.calc.stored_values import refresh_chart_parts, refresh_charts

__all__ = ["finish_results"]

#: Cells in error are listed one by one up to this many.
_LISTED = 8


def finish_results(book: Workbook, name: str, moment: datetime, claims: Sequence[Claim]) -> None:
    """Recalculate a workbook, compare its cells with what they stand for, and let its charts store what their cells
    show.

    Raises DataError for cells in error, cells that cannot be run, rings, and cells that show something else.
    """
    _recalculate(book, name, moment)
    if faults := list(differences(book, claims)):
        raise DataError(*faults[:_LISTED])
    refresh_charts(book)
    if any(entry.part is not None for entry in book.entries):
        book.settle()
        refresh_chart_parts(book)


def _recalculate(book: Workbook, name: str, moment: datetime) -> None:
    """Work all formulas out. Raises DataError for cells in error, cells that cannot be run, and rings."""
    stopped = f"recalculating workbook '{name}'"
    try:
        report = recalculate(book, now=serial_from_date(moment.replace(tzinfo=None), book.date_system))
    except CycleError as error:
        fault = Fault(stopped, f"circular reference: {error}", book.name, "remove the circle")
        raise DataError(fault) from None
    notes = [(note, "fix the formula") for note in report.skipped]
    notes += [(note, "fix the formula, or guard it with IFERROR") for note in report.errors]
    if notes:
        faults = [Fault(stopped, f"={note.formula}: {note.says}", note.place, do) for note, do in notes[:_LISTED]]
        if len(notes) > _LISTED:
            faults.append(Fault(stopped, f"{len(notes) - _LISTED:,} more cells are in error"))
        raise DataError(*faults)
