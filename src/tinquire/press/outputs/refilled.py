"""A file of a template by what is known of those before it: the same bytes as the plain way's, in less time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from tinquire.base.faults import TinQuireError
from tinquire.cells.column import Column
from tinquire.cells.dates import serial_from_date
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.slot_rows import names_a_table
from tinquire.press.outputs.template_rows import PreparedRows, RowsFilled, prepared_rows
from tinquire.press.outputs.verify import differences
from tinquire.slots.slots import UnfilledSlot
from tinquire.tables import Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit.templates import Prepared, Template
from tinquire.workbook.transform.fill_slots import SlotCell, slots_for_values
from tinquire.workbook.transform.refill import Refill, Run

__all__ = ["Refilled", "refilled"]


@dataclass(frozen=True)
class Refilled:
    """A file, what was put into it, its cells with slots, and a workbook with its formulas, until the next one."""

    content: bytes
    rows: RowsFilled
    slots: Sequence[SlotCell]
    book: Workbook


def refilled(
    template: Template, asked: Mapping[str, TemplateRowsModel], tables: Mapping[str, Table], scope: SlotScope,
    name: str, moment: datetime, where: Mapping[str, str], slotted: Mapping[str, Table] | None = None,
) -> Refilled | None:  # fmt: skip
    """The file of a template by what is known of one of as many rows; None where the plain way has to make it, or to
    say what is wrong. `where` says where the rows of each target are asked for, `slotted` are the tables whose columns
    slots may name, if they are others."""
    known = prepared_rows(asked, tables, name, where, template)
    if known is None or not known.table.height:
        return None
    form = _form(known.prepared, known)
    if form is None or any(names_a_table(cell.text, slotted or tables) for cell in form.slots):
        return None
    values = [known.table.columns[index] for index in form.columns]
    for cell in form.slots:
        found = cell.value(scope.resolve)
        if isinstance(found, UnfilledSlot):
            return None
        values.append(Column.from_values([found]))
    now = serial_from_date(moment.replace(tzinfo=None), form.refill.book.date_system)
    try:
        is_set = form.refill.set(values, now)
    except TinQuireError:  # the plain way says what is wrong
        is_set = False
    if not is_set:
        return None
    if any(True for _ in differences(form.refill.book, known.filled.claims)):
        return None
    content = form.refill.to_bytes()
    return None if content is None else Refilled(content, known.filled, form.slots, form.refill.book)


@dataclass(frozen=True)
class _Form:
    """A template with room for rows, to be filled again: the table's columns that go into it, and its cells with
    slots."""

    refill: Refill
    columns: list[int]
    slots: list[SlotCell] = field(default_factory=list)


def _form(prepared: Prepared, rows: PreparedRows) -> _Form | None:
    """The form of a step, made when it is first asked for."""
    if prepared.again is None:
        try:
            prepared.again = (_made(prepared, rows),)
        except (TinQuireError, ValueError):  # the plain way says what is wrong
            prepared.again = (None,)
    (form,) = prepared.again
    return form if isinstance(form, _Form) else None


def _made(prepared: Prepared, rows: PreparedRows) -> _Form | None:
    book, sample = prepared.book.copy(), rows.room.sample
    slots = slots_for_values(book)
    if slots is None:
        return None
    columns = {number: index for number, index in sorted(rows.columns.items()) if number not in rows.kept}
    runs = [Run(sample.sheet, number, sample.area.top, rows.table.height) for number in columns]
    refill = Refill.of(book, [*runs, *(Run(cell.sheet, cell.column, cell.row, 1) for cell in slots)])
    return None if refill is None else _Form(refill, list(columns.values()), slots)
