"""Workbooks of a run: a template filled, sheets added, everything recalculated, nothing in error."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from datetime import datetime
from pathlib import Path

import numpy as np

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.file_names import safe_file_name
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import Area
from tinquire.cells.dates import serial_from_date
from tinquire.cells.values import Value
from tinquire.docket.schema.workbooks import WorkbookModel
from tinquire.formula.language.problems import CycleError
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope, unfilled_fault
from tinquire.press.outputs.blocks import rows_cut
from tinquire.press.outputs.output import Made, Making, OutputKind
from tinquire.press.outputs.provenance import sources_of_slots
from tinquire.press.outputs.sheets import SheetsMade, add_sheets
from tinquire.press.outputs.template_rows import fill_rows
from tinquire.press.outputs.verify import Claim, differences
from tinquire.press.record.cell_sources import CellSources
from tinquire.slots.slots import Slot, UnfilledSlot, slot_name, split_slots
from tinquire.tables import Table
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.calc.stored_values import refresh_chart_parts, refresh_charts
from tinquire.workbook.transform.fill_slots import fill, slots_of, slotted_cells

__all__ = ["WORKBOOKS"]

#: Cells in error are listed one by one up to this many.
_LISTED = 8
#: A slot's inside that is a name and nothing else; formulas need their tables to be judged.
_NAME = re.compile(r"[\w. ]+\Z")


def make_workbooks(making: Making, name: str) -> Iterator[Made]:
    """The files of one workbook of the docket. Raises one error with all that is wrong."""
    model = making.results.docket.model.workbooks[name]
    for scope, cut in _cuts(making.results, name, model):
        yield _make(making, name, model, scope, cut)


def _make(making: Making, name: str, model: WorkbookModel, scope: SlotScope, cut: tuple[str, Value] | None) -> Made:
    """One file, recalculated and without errors in its cells; with `cut`, of the rows that have a value in a column."""
    results = making.results
    file = scope.filled(model.name, f"naming workbook '{name}'", results.docket.where("workbooks", name, "name"))
    book = _start(results, name, model)
    sources, claims, warnings, notes = _add_sheets(results, book, name, scope, cut)
    _recalculate(book, name, making.moment)
    if faults := list(differences(book, claims)):
        raise DataError(*faults[:_LISTED])
    refresh_charts(book)
    if model.template is not None:
        book.settle()
        refresh_chart_parts(book)
    formulas = sum(sheet.formula_count() for sheet in book.sheets())
    return Made(
        name=name,
        path=making.out / safe_file_name(file),
        content=book.finish(),
        summary="; ".join([f"{counted(len(book.entries), 'sheet')}, {counted(formulas, 'formula')}", *notes]),
        sources=sources,
        cut=cut,
        warnings=warnings,
    )


def _add_sheets(
    results: Results, book: Workbook, name: str, scope: SlotScope, cut: tuple[str, Value] | None
) -> tuple[tuple[CellSources, ...], list[Claim], tuple[Fault, ...], list[str]]:
    """Fill a workbook's template and add its sheets: what cells are made of, what they must show, warnings, notes."""
    model = results.docket.model.workbooks[name]
    tables = {one.table: results.tables[one.table] for one in model.rows.values()}
    if cut is not None:
        tables = {key: _own_rows(table, cut, name) for key, table in tables.items()}
    where = {target: results.docket.where("workbooks", name, "rows", target) for target in model.rows}
    rows = fill_rows(book, model.rows, tables, name, where)
    filled_from, errors = _fill(results, name, book, scope)
    made = SheetsMade()
    try:
        made = add_sheets(results, book, name, scope, cut)
    except TinQuireError as error:
        errors.append(error)
    if errors:
        raise merge_errors(errors)
    warnings = (*rows.warnings, *made.warnings)
    sources = (*filled_from, *rows.sources, *made.sources)
    return sources, [*rows.claims, *made.claims], warnings, rows.notes


def _own_rows(table: Table, cut: tuple[str, Value], name: str) -> Table:
    """The rows of a table that belong into a file of a split workbook. Raises UseError for a table without the column
    that it is split by."""
    if table.index_of(cut[0]) is None:
        why = f"it is split by '{cut[0]}', which table '{table.name}' does not have"
        raise UseError(Fault(f"workbook '{name}'", why, do="bring that column over by a match"))
    return rows_cut(table, (cut,))


def _fill(
    results: Results, name: str, book: Workbook, scope: SlotScope
) -> tuple[list[CellSources], list[TinQuireError]]:
    """Fill the slots of a template: what their cells are made of now, and the slots that nothing fills."""
    slotted = [(item.name, *cell) for item in book.sheets() for cell in slots_of(item)]
    errors: list[TinQuireError] = []
    for item in fill(book, scope.resolve, scope.format_of):
        where = f"{book.name}, sheet '{item.sheet}', cell {item.cell}"
        errors.append(DataError(unfilled_fault(item.unfilled, f"filling workbook '{name}'", where)))
    if errors:
        return [], errors
    return [
        source
        for sheet, row, column, text in slotted
        for source in sources_of_slots(results, scope, sheet, Area(row, column, row, column), text)
    ], []


def _cuts(results: Results, name: str, model: WorkbookModel) -> Iterator[tuple[SlotScope, tuple[str, Value] | None]]:
    """The files of a workbook: one, or one for each value of the column that it is split by, each with the slots that
    its texts may use. Raises UseError when no sheet has that column."""
    split = model.split_by()
    if split is None:
        yield results.slots(), None
        return
    where = results.docket.where("workbooks", name, "split")
    stopped = f"workbook '{name}'"
    sources = dict.fromkeys(
        block.table or results.docket.model.pivots[block.pivot or ""].from_
        for sheet in model.sheets
        for block in sheet.parts()
        if block.table is not None or block.pivot is not None
    )
    tables = [results.tables[source] for source in sources]
    tables = [table for table in tables if table.index_of(split) is not None]
    if not tables:
        why = f"it is split by '{split}', and no table of its sheets has such a column"
        raise UseError(Fault(stopped, why, where, "name a column of a table that it shows"))
    seen: set[tuple[type, Value]] = set()
    for table in tables:
        groups, distinct = table.column(split).groups()
        for group, value in enumerate(distinct):
            if (type(value), value) not in seen:
                seen.add((type(value), value))
                yield results.slots().at(table, int(np.flatnonzero(groups == group)[0])), (split, value)


def _start(results: Results, name: str, model: WorkbookModel) -> Workbook:
    """The workbook that an output starts from: its template, or a new one. Raises UseError and AccessError."""
    if model.template is None:
        return Workbook.new(results.house.font, results.house.size)
    path = results.docket.base / model.template
    if not path.is_file():
        why = f"there is no template '{model.template}'"
        where = results.docket.where("workbooks", name, "template")
        raise UseError(Fault(f"workbook '{name}'", why, where, "put it there, or fix its name"))
    return Workbook.open(path, model.template)


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


def _foresee(results: Results, attachable: Sequence[str]) -> Iterator[TinQuireError]:
    """Templates that are missing, and slots whose names nothing will ever fill."""
    for name, model in results.docket.model.workbooks.items():
        try:
            yield from _unknown_slots(results, name, model)
        except TinQuireError as error:
            yield error


def _unknown_slots(results: Results, name: str, model: WorkbookModel) -> Iterator[TinQuireError]:
    """Slots of a template whose names no figure and nothing of the run has."""
    if model.template is None:
        return
    known = [*results.docket.model.figures, *results.names]
    book = _start(results, name, model)
    for sheet, cell, text in slotted_cells(book):
        for piece in split_slots(text):
            if isinstance(piece, Slot) and _NAME.match(piece.inside) and not _known(piece.inside, known):
                why = f"there is no name '{piece.inside}': {known_names(piece.inside, known)}"
                where = f"{book.name}, sheet '{sheet}', cell {cell}"
                fault: Fault = unfilled_fault(UnfilledSlot(piece, why), f"filling workbook '{name}'", where)
                yield DataError(fault)


def _known(name: str, names: list[str]) -> bool:
    return slot_name(name) in {slot_name(known) for known in names}


def _templates(results: Results) -> Iterator[Path]:
    for model in results.docket.model.workbooks.values():
        if model.template:
            yield results.docket.base / model.template


WORKBOOKS = OutputKind("workbooks", "workbook", "making {}", make_workbooks, _foresee, _templates)
