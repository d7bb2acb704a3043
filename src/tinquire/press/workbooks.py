"""Workbooks of a run: a template filled, sheets added, everything recalculated, nothing in error."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from tinquire.docket.schema import SheetModel, WorkbookModel
from tinquire.faults import DataError, Fault, TinQuireError, UseError, merged
from tinquire.formula.problems import CycleError
from tinquire.formula.slots import filled_text
from tinquire.press.reckoning import Reckoning, unfilled_fault
from tinquire.press.sheets import SheetPlan, pivot_sheet, safe_table_name, table_sheet
from tinquire.press.slotfill import SlotScope
from tinquire.press.statementsheets import LivingAmounts, statement_sheet
from tinquire.tables import Origin, Table
from tinquire.workbook import Workbook
from tinquire.workbook.book import safe_sheet_name
from tinquire.workbook.filling import fill
from tinquire.workbook.recalc import recalculate

__all__ = ["PlacedRows", "make_workbook", "start_workbook"]

#: Cells in error are listed one by one up to this many.
_LISTED = 8


@dataclass(frozen=True, slots=True)
class PlacedRows:
    """Rows of a table on a sheet, from row `top` on, and where each came from."""

    sheet: str
    top: int
    origin: Origin


def make_workbook(work: Reckoning, name: str, model: WorkbookModel) -> tuple[Workbook, list[PlacedRows]]:
    """A workbook, recalculated and without errors in its cells, and where the rows on its sheets came from.

    Raises one error with all that is wrong.
    """
    scope = work.slots()
    book = start_workbook(work, name, model)
    unfilled = fill(book, scope.resolve, scope.format_of)
    errors: list[TinQuireError] = []
    for one in unfilled:
        place = f"{book.name}, sheet '{one.sheet}', cell {one.cell}"
        errors.append(DataError(unfilled_fault(one.unfilled, f"filling workbook '{name}'", place)))
    taken_tables = set(book.tables())
    placed: list[PlacedRows] = []
    parts: dict[str, str] = {}
    for number, sheet in enumerate(model.sheets):
        try:
            where = work.docket.where("workbooks", name, "sheets", number)
            placed += _add_sheets(work, book, sheet, scope, taken_tables, parts, where)
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merged(errors)
    _recalculated(book, name)
    return book, placed


def start_workbook(work: Reckoning, name: str, model: WorkbookModel) -> Workbook:
    """The workbook that an output starts from: its template, or a new one. Raises UseError and AccessError."""
    if model.template is None:
        return Workbook.new(work.house.font, work.house.size)
    path = work.docket.base / model.template
    if not path.is_file():
        why = f"there is no template '{model.template}'"
        where = work.docket.where("workbooks", name, "template")
        raise UseError(Fault(f"workbook '{name}'", why, where, "put it there, or mend its name"))
    return Workbook.open(path, model.template)


def _living(work: Reckoning, model: SheetModel, parts: dict[str, str], where: str) -> LivingAmounts:
    """The tables of the workbook that a statement's amounts are worked out from; their sheets must come before it."""
    asked = work.docket.model.statements[model.statement or ""]

    def part(table: str) -> str:
        if table not in parts:
            why = f"its amounts are living, and no sheet before it shows the table '{table}'"
            do = 'put a sheet of it first, or write formulas = "values"'
            raise UseError(Fault(f"sheet '{model.name}'", why, where, do))
        return parts[table]

    return LivingAmounts(
        [(part(one.table), one.account, one.amount) for one in asked.amounts],
        (part(asked.map.table), asked.map.account, asked.map.line),
    )


def _add_sheets(
    work: Reckoning,
    book: Workbook,
    model: SheetModel,
    scope: SlotScope,
    taken: set[str],
    parts: dict[str, str],
    where: str,
) -> Iterator[PlacedRows]:
    """Add the sheet of one entry, or one for each value of the column it is split by; where its rows came from.

    `taken` are the names of table parts, `parts` the table part that shows each table whole.
    """
    for table, here in _shares(work, model, scope):
        plan = _plan(book, model, here, where)
        if model.statement is not None:
            statement = work.statements[model.statement]
            living = _living(work, model, parts, where) if model.formulas == "living" else None
            sheet = statement_sheet(plan, statement, work.house, book.styles, living)
        elif model.pivot is not None:
            sheet = pivot_sheet(plan, work.pivots[model.pivot], work.house, book.styles)
        else:
            assert table is not None
            table_name = safe_table_name(plan.name, taken)
            taken.add(table_name.casefold())
            sheet = table_sheet(plan, table, work.house, book.styles, table_name)
            if model.split is None:
                parts[model.table or ""] = table_name
            if table.origin is not None:
                yield PlacedRows(sheet.name, sheet.tables[0].data.top, table.origin)
        book.add_sheet(sheet)


def _shares(work: Reckoning, model: SheetModel, scope: SlotScope) -> Iterator[tuple[Table | None, SlotScope]]:
    """The rows of each sheet, and the slots its texts may use."""
    if model.table is None:
        yield None, scope
        return
    table = work.tables[model.table]
    if model.split is None:
        yield table, scope
        return
    groups, distinct = table.column(model.split, f"sheets split by '{model.split}'").groups()
    for group in range(len(distinct)):
        rows = np.flatnonzero(groups == group)
        yield table.take(rows), scope.at(table, int(rows[0]))


def _plan(book: Workbook, model: SheetModel, scope: SlotScope, where: str) -> SheetPlan:
    def text(raw: str) -> str:
        filled, unfilled = filled_text(raw, scope.resolve)
        if unfilled:
            raise UseError(*(unfilled_fault(one, "naming a sheet", where) for one in unfilled))
        return filled

    taken = {entry.name.casefold() for entry in book.entries}
    return SheetPlan(
        name=safe_sheet_name(text(model.name), taken),
        title=None if model.title is None else text(model.title),
        columns=model.columns,
        totals=model.totals,
        total_label=text(model.total_label),
        living=model.formulas == "living",
        freeze=model.freeze,
        filter=model.filter,
        landscape=model.landscape,
        looks={str(part): look for part, look in model.looks.items()},
        where=where,
    )


def _recalculated(book: Workbook, name: str) -> None:
    """Work all formulas out. Raises DataError for cells in error, cells that cannot be run, and rings."""
    stopped = f"recalculating workbook '{name}'"
    try:
        report = recalculate(book)
    except CycleError as error:
        fault = Fault(stopped, f"cells depend on themselves: {error}", book.name, "break the circle")
        raise DataError(fault) from None
    notes = [(note, "mend the formula") for note in report.skipped]
    notes += [(note, "mend the formula, or guard it with IFERROR") for note in report.errors]
    if notes:
        faults = [Fault(stopped, f"={note.formula}: {note.says}", note.place, do) for note, do in notes[:_LISTED]]
        if len(notes) > _LISTED:
            faults.append(Fault(stopped, f"{len(notes) - _LISTED:,} more cells are in error"))
        raise DataError(*faults)
