"""Workbooks of a run: a template filled, sheets added, everything recalculated, nothing in error."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime

import numpy as np

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merged
from tinquire.cells.address import MAX_ROW, Area
from tinquire.cells.dates import serial_from_date
from tinquire.cells.display import show
from tinquire.cells.values import Value
from tinquire.docket.schema.workbooks import SheetModel, WorkbookModel
from tinquire.formula.language.problems import CycleError
from tinquire.layout.pivot_formulas import LivingPivot, logical_columns, put_formulas, sparse_columns
from tinquire.layout.sheets import SheetPlan, pivot_sheet, safe_table_name, table_sheet
from tinquire.layout.statements import LivingAmounts, statement_sheet
from tinquire.press.compute.compute import Reckoning, pivot_over, unfilled_fault
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.provenance import sourced_by_slots, sources_of_pivot, sources_of_statement, sources_of_table
from tinquire.press.outputs.verify import Claim, claims_of_pivot, claims_of_statement, claims_of_table, unproved
from tinquire.press.record.sourced import Sourced
from tinquire.slots.slots import filled_text
from tinquire.tables import Table
from tinquire.workbook import SheetTable, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.transform.fill_slots import fill, slots_of
from tinquire.workbook.workbook import safe_sheet_name

__all__ = ["cuts_of", "make_workbook", "start_workbook"]

#: Rows of the grid (18.3.1.73), less room for a title, headings and totals.
_MOST_ROWS = MAX_ROW - 8
#: Cells in error are listed one by one up to this many.
_LISTED = 8


def cuts_of(work: Reckoning, name: str, model: WorkbookModel) -> Iterator[tuple[SlotScope, tuple[str, Value] | None]]:
    """The files of a workbook: one, or one for each value of the column that it is split by, each with the slots that
    its texts may use. Raises UseError when no sheet has that column."""
    if model.split is None:
        yield work.slots(), None
        return
    where = work.docket.where("workbooks", name, "split")
    stopped = f"workbook '{name}'"
    sources = dict.fromkeys(
        sheet.table or work.docket.model.pivots[sheet.pivot or ""].from_
        for sheet in model.sheets
        if sheet.statement is None
    )
    tables = [work.tables[source] for source in sources]
    tables = [table for table in tables if table.place(model.split) is not None]
    if not tables:
        why = f"it is split by '{model.split}', and no table of its sheets has such a column"
        raise UseError(Fault(stopped, why, where, "name a column of a table that it shows"))
    seen: set[tuple[type, Value]] = set()
    for table in tables:
        groups, distinct = table.column(model.split).groups()
        for group, value in enumerate(distinct):
            if (type(value), value) not in seen:
                seen.add((type(value), value))
                yield work.slots().at(table, int(np.flatnonzero(groups == group)[0])), (model.split, value)


def make_workbook(
    work: Reckoning, name: str, model: WorkbookModel, scope: SlotScope, moment: datetime,
    cut: tuple[str, Value] | None = None,
) -> tuple[Workbook, list[Sourced]]:  # fmt: skip
    """A workbook, recalculated and without errors in its cells, and what the cells of its sheets are made of; with
    `cut`, of the rows that have a value in a column. `moment` is what NOW and TODAY are.

    Raises one error with all that is wrong.
    """
    book = start_workbook(work, name, model)
    slotted = [(one.name, *cell) for one in book.sheets() for cell in slots_of(one)]
    unfilled = fill(book, scope.resolve, scope.format_of)
    errors: list[TinQuireError] = []
    for one in unfilled:
        place = f"{book.name}, sheet '{one.sheet}', cell {one.cell}"
        errors.append(DataError(unfilled_fault(one.unfilled, f"filling workbook '{name}'", place)))
    adding = _Adding(work, book, scope, set(book.tables()), cut)
    if not unfilled:
        for sheet_name, row, column, text in slotted:
            adding.sourced += sourced_by_slots(work, scope, sheet_name, Area(row, column, row, column), text)
    for number, sheet in enumerate(model.sheets):
        try:
            adding.add(sheet, work.docket.where("workbooks", name, "sheets", number))
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merged(errors)
    _recalculated(book, name, moment)
    if faults := list(unproved(book, adding.claims)):
        raise DataError(*faults[:_LISTED])
    return book, adding.sourced


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


@dataclass
class _Adding:
    """Sheets on their way into a workbook: `taken` are the names of table parts, `parts` the table part that shows
    each table whole, `sourced` what cells are made of, `claims` what the cells of the sheets stand for."""

    work: Reckoning
    book: Workbook
    scope: SlotScope
    taken: set[str]
    cut: tuple[str, Value] | None = None
    parts: dict[str, SheetTable] = field(default_factory=dict)
    sourced: list[Sourced] = field(default_factory=list)
    claims: list[Claim] = field(default_factory=list)

    def add(self, model: SheetModel, where: str) -> None:
        """Add the sheet of one entry, or one for each value of the column it is split by."""
        for rows, here in self._shares(model):
            before = len(self.book.entries)
            if model.statement is not None:
                self._add_statement(model, _plan(self.book, model, here, where))
            elif model.pivot is not None:
                self._add_pivot(model, model.pivot, rows, _plan(self.book, model, here, where))
            else:
                assert rows is not None
                self._add_rows(model, rows, here, where)
            for entry in self.book.entries[before:]:
                self.sourced += sourced_by_slots(self.work, here, entry.name, Area(1, 1, 1, 1), model.title or "")

    def _shares(self, model: SheetModel) -> Iterator[tuple[Table | None, SlotScope]]:
        """The rows of each sheet, and the slots its texts may use."""
        source = model.table
        if (model.pivot is not None and model.split is not None) or (model.pivot is not None and self.cut is not None):
            source = self.work.docket.model.pivots[model.pivot].from_
        table = None if source is None else self._cut(source)
        if table is None and self.cut is not None:
            why = f"the workbook is split by '{self.cut[0]}', and a statement is of all rows"
            raise UseError(Fault(f"sheet '{model.name}'", why, do="put it into a workbook of its own"))
        if table is None or model.split is None:
            yield table, self.scope
            return
        groups, distinct = table.column(model.split, f"sheets split by '{model.split}'").groups()
        for group in range(len(distinct)):
            rows = np.flatnonzero(groups == group)
            yield table.take(rows), self.scope.at(table, int(rows[0]))

    def _cut(self, source: str) -> Table:
        """A table's rows that belong into this file. Raises UseError for a table without the column of the cut."""
        table = self.work.tables[source]
        if self.cut is None:
            return table
        column, value = self.cut
        if table.place(column) is None:
            why = f"the workbook is split by '{column}', which table '{source}' does not have"
            raise UseError(Fault(f"workbook sheet of '{source}'", why, do="bring that column over by a match"))
        groups, distinct = table.column(column).groups()
        mine = [n for n, one in enumerate(distinct) if type(one) is type(value) and one == value]
        return table.take(np.isin(groups, mine))

    def _add_rows(self, model: SheetModel, table: Table, scope: SlotScope, where: str) -> None:
        """Rows on a sheet or, where the docket says after how many, on several."""
        most = model.rows_per_sheet or _MOST_ROWS
        if most > _MOST_ROWS or (table.height > most and model.rows_per_sheet is None):
            why = f"it would have {max(most, table.height):,} rows; a sheet has room for {_MOST_ROWS:,}"
            do = f"write rows_per_sheet = {_MOST_ROWS // 2} to go on on further sheets, or keep fewer rows"
            raise UseError(Fault(f"sheet '{model.name}'", why, where, do))
        for start in range(0, max(table.height, 1), most):
            plan = _plan(self.book, model, scope, where)
            part = table
            if table.height > most:
                part = table.take(np.arange(start, min(start + most, table.height)))
                language = self.work.house.language
                first, last = (
                    show(float(one), "#,##0", language=language).text for one in (start + 1, start + part.height)
                )
                label = f"{plan.total_label}, {language.words.rows.format(first, last)}"
                plan = replace(plan, total_label=label)
            self._add_table(model, part, plan)

    def _add_table(self, model: SheetModel, table: Table, plan: SheetPlan) -> None:
        name = safe_table_name(plan.name, self.taken)
        self.taken.add(name.casefold())
        shown = table_sheet(plan, table, self.work.house, self.book.styles, name)
        sheet = shown.sheet
        self.claims += claims_of_table(shown)
        for remark in shown.as_values:
            do = "derive it after that step to have formulas in all rows"
            self.work.warnings.append(Fault(f"sheet '{sheet.name}'", remark, plan.where, do, warning=True))
        if model.split is None and table.height == self._cut(model.table or "").height:
            self.parts[model.table or ""] = sheet.tables[0]
        self.sourced += sources_of_table(shown)
        self.book.add_sheet(sheet)

    def _add_statement(self, model: SheetModel, plan: SheetPlan) -> None:
        asked = self.work.docket.model.statements[model.statement or ""]
        living = None
        if plan.living:
            living = LivingAmounts(
                [(self._part(one.table, plan).name, one.account, one.amount) for one in asked.amounts],
                (self._part(asked.map.table, plan).name, asked.map.account, asked.map.line),
            )
        statement = self.work.statements[model.statement or ""]
        sheet = statement_sheet(plan, statement, self.work.house, self.book.styles, living)
        self.claims += claims_of_statement(sheet, statement, living=plan.living)
        self.sourced += sources_of_statement(sheet, statement)
        self.book.add_sheet(sheet)

    def _add_pivot(self, model: SheetModel, name: str, rows: Table | None, plan: SheetPlan) -> None:
        pivot = self.work.pivots[name] if rows is None else pivot_over(self.work, name, rows)
        sheet = pivot_sheet(plan, pivot, self.work.house, self.book.styles)
        if plan.living:
            asked = self.work.docket.model.pivots[name]
            if asked.where is not None:
                why = "it leaves rows out by 'where', and the sheet of its rows shows them all"
                do = 'make a table with keep_rows and sum that up, or write formulas = "values"'
                raise UseError(Fault(f"sheet '{plan.name}'", why, plan.where, do))
            part = self._part(asked.from_, plan)
            cut = None
            if rows is not None and model.split is not None:
                cut = (model.split, rows.column(model.split, plan.where)[0])
            words, source = self.work.house.language.words, self.work.tables[asked.from_]
            living = LivingPivot(
                part.name, [column.name for column in part.columns],
                asked.row_fields(words), asked.column_fields(words), asked.empty_value(),
                cut, sparse_columns(source), logical_columns(source),
            )  # fmt: skip
            put_formulas(sheet, pivot, living, plan.where)
        summed = rows if rows is not None else self.work.tables.get(self.work.docket.model.pivots[name].from_)
        self.claims += claims_of_pivot(sheet, pivot, summed, living=plan.living)
        self.sourced += sources_of_pivot(sheet, pivot)
        self.book.add_sheet(sheet)

    def _part(self, table: str, plan: SheetPlan) -> SheetTable:
        """The table of the workbook that formulas read; its sheet must come before theirs."""
        if table not in self.parts:
            why = f"its formulas are living, and no sheet before it shows the table '{table}' whole"
            do = 'put a sheet of it first, or write formulas = "values"'
            raise UseError(Fault(f"sheet '{plan.name}'", why, plan.where, do))
        return self.parts[table]


def _plan(book: Workbook, model: SheetModel, scope: SlotScope, where: str) -> SheetPlan:
    def text(raw: str) -> str:
        filled, unfilled = filled_text(raw, scope.resolve)
        if unfilled:
            raise UseError(*(unfilled_fault(one, "naming a sheet", where) for one in unfilled))
        return filled

    taken = {entry.name.casefold() for entry in book.entries}
    words = scope.house.language.words
    return SheetPlan(
        name=safe_sheet_name(text(model.name), taken),
        title=None if model.title is None else text(model.title),
        columns=model.columns,
        totals=model.totals,
        total_label=words.total if model.total_label is None else text(model.total_label),
        living=model.formulas != "values",
        living_only=model.formulas == "living only",
        freeze=model.freeze,
        filter=model.filter,
        landscape=model.landscape,
        looks={str(part): look for part, look in model.looks.items()},
        where=where,
    )


def _recalculated(book: Workbook, name: str, moment: datetime) -> None:
    """Work all formulas out. Raises DataError for cells in error, cells that cannot be run, and rings."""
    stopped = f"recalculating workbook '{name}'"
    try:
        report = recalculate(book, now=serial_from_date(moment.replace(tzinfo=None), book.date_system))
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
