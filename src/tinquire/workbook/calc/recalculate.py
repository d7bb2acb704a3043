"""Recalculation of a workbook: its formulas as column programs, in the order of what they read."""

from __future__ import annotations

from collections.abc import Iterable

from tinquire.cells.address import cell_name
from tinquire.formula.engine.conversions import NOTATION, Notation
from tinquire.formula.engine.dependency_order import Place
from tinquire.workbook.calc.column_formulas import DYNAMIC, VOLATILE, CellNote, Program
from tinquire.workbook.calc.errors import standing
from tinquire.workbook.calc.forms import Scatter
from tinquire.workbook.calc.plan import make_plan
from tinquire.workbook.calc.results import ChangedResults, Recalculation, net_changes
from tinquire.workbook.calc.runner import PASSES, Runner
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.workbook import Workbook

__all__ = ["CellNote", "ChangedResults", "Recalculation", "recalculate"]


def recalculate(
    book: Workbook, *, now: float | None = None, seed: int = 0, changed: Iterable[Place] | None = None,
    notation: Notation | None = None,
) -> Recalculation:  # fmt: skip
    """Calculate every formula of a workbook and store the results in its sheets.

    With `changed`, only what depends on those areas. `now` is the serial of the moment that counts as now (NOW and
    TODAY are not available without it), `seed` starts the random numbers; `notation` is how texts spell numbers and
    days. Cells whose formulas cannot be read, or use functions that are not known, keep their stored results and
    are listed. Raises: CycleError, with the cells of the ring, unless the workbook asks for iteration (18.2.2).
    """
    stated = NOTATION.set(notation or NOTATION.get())
    scope = BookScope(book, now, seed)
    try:
        return _recalculate(book, scope, changed)
    finally:
        scope.let_go()
        NOTATION.reset(stated)


def _recalculate(book: Workbook, scope: BookScope, changed: Iterable[Place] | None) -> Recalculation:
    report = Recalculation()
    plan = make_plan(book, scope, report.skipped)
    report.formulas = sum(sheet.formula_count() for sheet in book.sheets())
    runner = Runner(book, scope, report)
    only = None if changed is None else list(changed)
    runner.pass_through(plan, only)
    first_pass = len(report.changes)
    again = any(member.calls & DYNAMIC for member in plan.members)
    for _ in range(PASSES):
        if runner.respilled:  # what reads the cells that are filled now, or are no longer, has to come after them
            plan = make_plan(book, scope, [])
            moved = runner.pass_through(plan, only)
        elif again:
            moved = runner.pass_again(plan)
        else:
            break
        if not moved and not runner.respilled:
            break
    else:
        runner.settle(plan, only, first_pass)
    report.changes = net_changes(report.changes)
    report.errors, report.noted = standing(report.noted, book), []
    for member in plan.members:
        _note_calls(member, report)
    return report


def _note_calls(member: Program | Scatter, report: Recalculation) -> None:
    called = sorted(member.calls & VOLATILE)
    if not called and not member.outside:
        return
    for column, top, bottom in member.runs():
        name = cell_name(top, column) + (f":{cell_name(bottom, column)}" if bottom > top else "")
        position = (member.sheet, name, text_at(member.formula, top, column))
        if called:
            report.volatile.append(CellNote(*position, f"it depends on {', '.join(called)}"))
        if member.outside:
            report.outside.append(CellNote(*position, f"it reads stored values of {', '.join(member.outside)}"))
