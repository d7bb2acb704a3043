"""Sheets of a run's workbooks: a table, a pivot or a statement on each, and what their cells stand for."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import counted
from tinquire.cells.address import MAX_ROW, Area
from tinquire.cells.display import show
from tinquire.cells.values import Value
from tinquire.docket.schema.workbooks import SheetModel
from tinquire.layout.dresser import ColumnDress, SheetPlan, safe_table_name
from tinquire.layout.marks import MarkPlan
from tinquire.layout.pivot_formulas import LivingPivot, logical_columns, put_formulas, sparse_columns
from tinquire.layout.pivots import pivot_sheet
from tinquire.layout.statements import LivingAmounts, statement_sheet
from tinquire.layout.tables import table_sheet
from tinquire.looks.pages import PagePlan
from tinquire.press.compute.pivots import pivot_over
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.entry_plans import entry_plan
from tinquire.press.outputs.provenance import sources_of_pivot, sources_of_slots, sources_of_statement, sources_of_table
from tinquire.press.outputs.verify import Claim, claims_of_pivot, claims_of_statement, claims_of_table
from tinquire.press.record.cell_sources import CellSources
from tinquire.tables import Table
from tinquire.workbook import Sheet, SheetTable, Workbook
from tinquire.workbook.grid.sheet_names import safe_sheet_name

__all__ = ["SheetMade", "Sheets"]

#: Rows of the grid (18.3.1.73), less room for a title, headings and totals.
_MOST_ROWS = MAX_ROW - 8


@dataclass(frozen=True, slots=True)
class SheetMade:
    """A sheet, the values that its cells stand for, and what they are made of."""

    sheet: Sheet
    claims: tuple[Claim, ...]
    sources: tuple[CellSources, ...]
    warnings: tuple[Fault, ...] = ()


class Sheets:
    """Sheets on their way into a workbook; those of formulas read the tables on the sheets before them."""

    def __init__(
        self, results: Results, book: Workbook, scope: SlotScope, cut: tuple[str, Value] | None = None
    ) -> None:
        """With `cut`, sheets show only the rows that have a value in a column."""
        self._results = results
        self._book = book
        self._scope = scope
        self._cut = cut
        self._table_names = set(book.tables())
        #: The table of the workbook that shows each table of the docket whole.
        self._shown: dict[str, SheetTable] = {}

    def add(self, model: SheetModel, where: str) -> list[SheetMade]:
        """Add the sheet of one entry, or one for each value of the column it is split by."""
        made: list[SheetMade] = []
        for rows, scope in self._shares(model):
            for item in self._made(model, rows, scope, where):
                title = sources_of_slots(self._results, scope, item.sheet.name, Area(1, 1, 1, 1), model.title or "")
                made.append(replace(item, sources=(*item.sources, *title)))
                self._book.add_sheet(item.sheet)
        return made

    def _made(self, model: SheetModel, rows: Table | None, scope: SlotScope, where: str) -> Iterator[SheetMade]:
        if model.statement is not None:
            yield self._statement(model.statement, self._plan(model, scope, where))
        elif model.pivot is not None:
            yield self._pivot(model, model.pivot, rows, self._plan(model, scope, where))
        else:
            assert rows is not None
            yield from self._rows(model, rows, scope, where)

    # -- which rows ------------------------------------------------------------------------------------

    def _shares(self, model: SheetModel) -> Iterator[tuple[Table | None, SlotScope]]:
        """The rows of each sheet, and the slots its texts may use."""
        source = model.table
        if model.pivot is not None and (model.split is not None or self._cut is not None):
            source = self._results.docket.model.pivots[model.pivot].from_
        table = None if source is None else self._own_rows(source)
        if table is None and self._cut is not None:
            why = f"the workbook is split by '{self._cut[0]}', and a statement is of all rows"
            raise UseError(Fault(f"sheet '{model.name}'", why, do="put it into a workbook of its own"))
        if table is None or model.split is None:
            yield table, self._scope
            return
        groups, distinct = table.column(model.split, f"sheets split by '{model.split}'").groups()
        for group in range(len(distinct)):
            rows = np.flatnonzero(groups == group)
            yield table.take(rows), self._scope.at(table, int(rows[0]))

    def _own_rows(self, source: str) -> Table:
        """A table's rows that belong into this file. Raises UseError for a table without the column of the cut."""
        table = self._results.tables[source]
        if self._cut is None:
            return table
        column, value = self._cut
        if table.index_of(column) is None:
            why = f"the workbook is split by '{column}', which table '{source}' does not have"
            raise UseError(Fault(f"workbook sheet of '{source}'", why, do="bring that column over by a match"))
        groups, distinct = table.column(column).groups()
        mine = [n for n, item in enumerate(distinct) if type(item) is type(value) and item == value]
        return table.take(np.isin(groups, mine))

    # -- tables ----------------------------------------------------------------------------------------

    def _rows(self, model: SheetModel, table: Table, scope: SlotScope, where: str) -> Iterator[SheetMade]:
        """Rows on a sheet or, where the docket says after how many, on several."""
        most = model.rows_per_sheet or _MOST_ROWS
        if most > _MOST_ROWS or (table.height > most and model.rows_per_sheet is None):
            why = f"it would have {counted(max(most, table.height), 'row')}; a sheet has room for {_MOST_ROWS:,}"
            do = f"write rows_per_sheet = {_MOST_ROWS // 2} to continue on further sheets, or keep fewer rows"
            raise UseError(Fault(f"sheet '{model.name}'", why, where, do))
        language = self._results.house.language
        for start in range(0, max(table.height, 1), most):
            plan = self._plan(model, scope, where)
            part = table
            if table.height > most:
                part = table.take(np.arange(start, min(start + most, table.height)))
                first, last = (
                    show(float(item), "#,##0", language=language).text for item in (start + 1, start + part.height)
                )
                label = f"{plan.total_label}, {language.words.rows.format(first, last)}"
                plan = replace(plan, total_label=label)
            yield self._table(model, part, plan)

    def _table(self, model: SheetModel, table: Table, plan: SheetPlan) -> SheetMade:
        name = safe_table_name(plan.name, self._table_names)
        self._table_names.add(name.casefold())
        shown = table_sheet(plan, table, self._results.house, self._book.styles, name)
        sheet = shown.sheet
        do = "derive it after that step to have formulas in all rows"
        stopped = f"sheet '{sheet.name}'"
        warnings = tuple(Fault(stopped, remark, plan.where, do, warning=True) for remark in shown.as_values)
        if model.split is None and table.height == self._own_rows(model.table or "").height:
            self._shown[model.table or ""] = sheet.tables[0]
        return SheetMade(sheet, tuple(claims_of_table(shown)), tuple(sources_of_table(shown)), warnings)

    # -- statements and pivots -------------------------------------------------------------------------

    def _statement(self, name: str, plan: SheetPlan) -> SheetMade:
        model, statement = self._results.docket.model.statements[name], self._results.statements[name]
        living = None
        if plan.living:
            living = LivingAmounts(
                [
                    (self._table_shown(amount.table, plan).name, amount.account, amount.amount)
                    for amount in model.amounts
                ],
                (self._table_shown(model.map.table, plan).name, model.map.account, model.map.line),
            )
        sheet = statement_sheet(plan, statement, self._results.house, self._book.styles, living)
        claims = tuple(claims_of_statement(sheet, statement, living=plan.living))
        return SheetMade(sheet, claims, tuple(sources_of_statement(sheet, statement)))

    def _pivot(self, model: SheetModel, name: str, rows: Table | None, plan: SheetPlan) -> SheetMade:
        results = self._results
        pivot = results.pivots[name] if rows is None else pivot_over(results.run, results.tables, name, rows)
        sheet = pivot_sheet(plan, pivot, results.house, self._book.styles)
        if plan.living:
            put_formulas(sheet, pivot, self._living_pivot(model, name, rows, plan), plan.where)
        summed = rows if rows is not None else results.tables.get(results.docket.model.pivots[name].from_)
        claims = tuple(claims_of_pivot(sheet, pivot, summed, living=plan.living))
        return SheetMade(sheet, claims, tuple(sources_of_pivot(sheet, pivot)))

    def _living_pivot(self, model: SheetModel, name: str, rows: Table | None, plan: SheetPlan) -> LivingPivot:
        """How the formulas of a pivot find their rows. Raises UseError when they cannot."""
        asked = self._results.docket.model.pivots[name]
        if asked.where is not None:
            why = "it leaves rows out by 'where', and the sheet of its rows shows them all"
            do = 'make a table with keep_rows and sum that up, or write formulas = "values"'
            raise UseError(Fault(f"sheet '{plan.name}'", why, plan.where, do))
        shown = self._table_shown(asked.from_, plan)
        cut = None
        if rows is not None and model.split is not None:
            cut = (model.split, rows.column(model.split, plan.where)[0])
        words, source = self._results.house.language.words, self._results.tables[asked.from_]
        return LivingPivot(
            shown.name, [column.name for column in shown.columns],
            asked.row_fields(words), asked.column_fields(words), asked.empty_value(),
            cut, sparse_columns(source), logical_columns(source),
        )  # fmt: skip

    def _table_shown(self, table: str, plan: SheetPlan) -> SheetTable:
        """The table of the workbook that formulas read; its sheet must come before theirs."""
        if table not in self._shown:
            why = f"its formulas are living, and no sheet before it shows the table '{table}' whole"
            do = 'put a sheet of it first, or write formulas = "values"'
            raise UseError(Fault(f"sheet '{plan.name}'", why, plan.where, do))
        return self._shown[table]

    def _plan(self, model: SheetModel, scope: SlotScope, where: str) -> SheetPlan:
        def text(raw: str) -> str:
            return scope.filled(raw, "naming a sheet", where)

        taken = {entry.name.casefold() for entry in self._book.entries}
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
            freeze_columns=model.freeze_columns,
            dress={heading: ColumnDress(**dress.model_dump()) for heading, dress in model.dress.items()},
            zoom=model.zoom,
            tab=None if model.tab is None else self._results.house.colour(model.tab),
            hidden=model.hidden,
            page=PagePlan(**model.page.model_dump()).over(self._results.house.page),
            filled=text,
            marks=[MarkPlan(**mark.model_dump(), place=where) for mark in model.marks],
            entries=[entry_plan(entry, self._results.tables, self._shown, where) for entry in model.entries],
            where=where,
        )
