"""A template filled: rows in place of its sample rows, then the slots of its cells and texts."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from tinquire.base.faults import DataError
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.press.compute.slot_scope import SlotScope, unfilled_fault
from tinquire.press.outputs.slot_rows import repeat_rows, settle_conditions
from tinquire.press.outputs.template_rows import RowsFilled, fill_rows
from tinquire.tables import Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit.templates import Template
from tinquire.workbook.transform.fill_slots import fill, slots_of
from tinquire.workbook.transform.fill_texts import fill_texts

__all__ = ["fill_slots_of", "fill_template"]


def fill_template(
    book: Workbook, targets: Mapping[str, TemplateRowsModel], tables: Mapping[str, Table], scope: SlotScope, name: str,
    template: Template | None = None,
) -> RowsFilled:  # fmt: skip
    """Fill a workbook without a docket, one of several from a `template`. Raises one error with all that is wrong."""
    where = dict.fromkeys(targets, "")
    stopped = f"filling '{name}'"
    filled = fill_rows(book, targets, tables, name, where, template)
    if any(slots_of(sheet) for sheet in book.sheets()):
        settle_conditions(book, scope, stopped)
        filled.warnings += repeat_rows(book, tables, scope, stopped).warnings
    fill_slots_of(book, scope, stopped)
    return filled


def fill_slots_of(book: Workbook, scope: SlotScope, stopped: str, sheets: Collection[str] | None = None) -> None:
    """Fill the slots of cells and of other texts, of some sheets (or of the whole workbook). Raises DataError with all
    that nothing fills."""
    faults = [
        unfilled_fault(item.unfilled, stopped, f"{book.name}, sheet '{item.sheet}', cell {item.cell}")
        for item in fill(book, scope.resolve, scope.format_of, sheets)
    ]
    faults += [
        unfilled_fault(item.unfilled, stopped, f"{book.name}, {item.place}")
        for item in fill_texts(book, scope.resolve, sheets)
    ]
    if faults:
        raise DataError(*faults)
