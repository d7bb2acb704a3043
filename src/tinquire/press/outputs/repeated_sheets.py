"""Sheets of a template repeated: one for each row of a table, or value of a column, with its own rows and slots."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.wording import known_names
from tinquire.cells.values import Value
from tinquire.docket.schema.workbooks import RepeatedSheetModel
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.blocks import rows_cut
from tinquire.press.outputs.filling import fill_slots_of
from tinquire.press.outputs.shown_rows import Cut
from tinquire.press.outputs.slot_rows import repeat_rows, settle_conditions
from tinquire.press.outputs.template_rows import RowsFilled, fill_rows
from tinquire.tables import Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit import copy_sheet, delete_sheets, move_sheet
from tinquire.workbook.grid.sheet_names import safe_sheet_name

__all__ = ["Pictures", "repeat_sheets"]

#: Replaces the pictures of sheets, with their slots and what their rows are cut to.
Pictures = Callable[[Workbook, SlotScope, Sequence[Cut], Sequence[str] | None], None]


def repeat_sheets(
    book: Workbook, asked: Mapping[str, RepeatedSheetModel], tables: Mapping[str, Table], scope: SlotScope, name: str,
    where: Mapping[str, str], pictures: Pictures,
) -> RowsFilled:  # fmt: skip
    """Repeat sheets of a template, each copy after the one before, with its own rows, its slots filled; the template's
    sheet goes. `pictures` puts those of a copy in their places. Raises one error with all that is wrong."""
    filled = RowsFilled()
    errors: list[TinQuireError] = []
    for sheet, model in asked.items():
        try:
            _Repeating(book, sheet, model, tables, scope, name, where[sheet], pictures).make(filled)
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merge_errors(errors)
    return filled


class _Repeating:
    def __init__(
        self, book: Workbook, sheet: str, model: RepeatedSheetModel, tables: Mapping[str, Table], scope: SlotScope,
        name: str, where: str, pictures: Pictures,
    ) -> None:  # fmt: skip
        self.pictures = pictures
        self.book, self.model, self.tables, self.scope, self.where = book, model, tables, scope, where
        self.stopped = f"workbook '{name}', repeating sheet '{sheet}'"
        self.name = name
        entry = book.entry(sheet)
        if entry is None or entry.kind != "worksheet":
            told = known_names(sheet, book.sheet_names())
            raise UseError(
                Fault(self.stopped, f"the template has no sheet '{sheet}': {told}", where, "name one of them")
            )
        self.sheet = entry.name

    def make(self, filled: RowsFilled) -> None:
        taken = {entry.name.casefold() for entry in self.book.entries}
        order: list[str] = []
        for scope, value in self.shares():
            name = safe_sheet_name(scope.filled(self.model.name, self.stopped, self.where), taken)
            taken.add(name.casefold())
            copy_sheet(self.book, self.sheet, name)
            order.append(name)
            own = self.filled(name, scope, value)
            for into, more in zip(filled.parts(), own.parts(), strict=True):
                into.extend(more)
        if not order:
            why = f"table '{self.model.each}' has no rows, so there is no sheet to make of it"
            raise DataError(Fault(self.stopped, why, self.where, "put a condition on the sheet: [:only if ...:]"))
        place = [entry.name for entry in self.book.entries].index(self.sheet)
        for name in [name for name in order if self.book.entry(name) is not None]:
            place += 1
            move_sheet(self.book, name, place + 1)
        delete_sheets(self.book, [self.sheet])

    def shares(self) -> Iterator[tuple[SlotScope, Value]]:
        """For each sheet the slots that it may use, and the value that its rows have. Raises DataError."""
        table, column = self.tables[self.model.each], self.model.by or self.model.own
        if self.model.by is None:
            own = None if column is None else table.column(column, self.stopped)
            for row in range(table.height):
                yield self.scope.at(table, row), None if own is None else own[row]
            return
        groups, distinct = table.column(self.model.by, self.stopped).groups()
        for group, value in enumerate(distinct):
            yield self.scope.at(table, int(np.argmax(groups == group))), value

    def filled(self, name: str, scope: SlotScope, value: Value) -> RowsFilled:
        """Fill one copy: its rows, then what its slots keep and repeat, then its slots."""
        book, column = self.book, self.model.own or self.model.by
        tables = dict(self.tables)
        if column is not None:
            tables = {
                key: rows_cut(table, ((column, value),)) if table.index_of(column) is not None else table
                for key, table in tables.items()
            }
        asked = {self.target(target, name): model for target, model in self.model.rows.items()}
        filled = fill_rows(book, asked, tables, self.name, dict.fromkeys(asked, self.where))
        settle_conditions(book, scope, self.stopped, [name])
        if book.entry(name) is None:  # its own condition did not hold
            return filled
        repeated = repeat_rows(book, tables, scope, self.stopped, [name])
        fill_slots_of(book, scope, self.stopped, [name])
        self.pictures(book, scope, () if column is None else ((column, value),), [name])
        return replace(
            filled, sources=[*filled.sources, *repeated.sources], warnings=[*filled.warnings, *repeated.warnings]
        )

    def target(self, target: str, name: str) -> str:
        """A target of the template's sheet as it is called on a copy: its table there, or the copy itself."""
        if target.casefold() == self.sheet.casefold():
            return name
        own = [table.name.casefold() for table in self.book.sheet(self.sheet).tables]
        if target.casefold() in own:
            return self.book.sheet(name).tables[own.index(target.casefold())].name
        why = f"'{target}' is no table of sheet '{self.sheet}', and not the sheet itself"
        raise UseError(Fault(self.stopped, why, self.where, f"name one of {known_names(target, [*own, self.sheet])}"))
