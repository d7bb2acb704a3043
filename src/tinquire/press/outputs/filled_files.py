"""Files of a template, one after the other: each the plain way, or by what is known of those before it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from tinquire.base.faults import Fault, TinQuireError
from tinquire.cells.column import Column
from tinquire.cells.dates import serial_from_date
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.filling import fill_template
from tinquire.press.outputs.finishing import finish_results
from tinquire.press.outputs.slot_rows import names_a_table
from tinquire.press.outputs.template_pictures import put_pictures
from tinquire.press.outputs.template_rows import PreparedRows, RowsFilled, prepared_rows
from tinquire.press.outputs.verify import differences
from tinquire.slots.slots import UnfilledSlot
from tinquire.tables import Table
from tinquire.workbook.edit.templates import Prepared, Template
from tinquire.workbook.transform.fill_slots import SlotCell, slots_for_values
from tinquire.workbook.transform.refill import Refill, Run

__all__ = ["FilledFile", "PictureFiles", "filled_file"]


@dataclass(frozen=True)
class FilledFile:
    """A file made of a template, and what there is to say of it."""

    content: bytes
    rows: RowsFilled
    warnings: Sequence[Fault] = ()


@dataclass(frozen=True)
class PictureFiles:
    """Files in place of a template's pictures, by their slots; where they lie, and what messages call the template."""

    by_slot: Mapping[str, str] = field(default_factory=dict)
    base: Path = Path()
    where: str = ""


def filled_file(
    template: Template, asked: Mapping[str, TemplateRowsModel], tables: Mapping[str, Table], scope: SlotScope,
    name: str, moment: datetime, pictures: PictureFiles | None = None,
) -> FilledFile:  # fmt: skip
    """A template filled without a docket: rows, slots, pictures and results. Raises one error with all that is
    wrong."""
    pictures = pictures or PictureFiles()
    if not pictures.by_slot and (known := refilled(template, asked, tables, scope, name, moment)) is not None:
        return known
    book = template.book()
    rows = fill_template(book, asked, tables, scope, name, template)
    put_pictures(book, pictures.by_slot, scope, pictures.base, "filling a template", pictures.where)
    left = finish_results(book, name, moment, rows.claims, rows.areas)
    return FilledFile(book.finish(), rows, left)


def refilled(
    template: Template, asked: Mapping[str, TemplateRowsModel], tables: Mapping[str, Table], scope: SlotScope,
    name: str, moment: datetime,
) -> FilledFile | None:  # fmt: skip
    """The file by what is known of one of as many rows; None where the plain way has to make it, or to say what is
    wrong."""
    known = prepared_rows(asked, tables, name, dict.fromkeys(asked, ""), template)
    if known is None or not known.table.height:
        return None
    form = _form(known.prepared, known)
    if form is None or any(names_a_table(cell.text, tables) for cell in form.slots):
        return None
    values = [known.table.columns[index] for index in form.columns]
    for cell in form.slots:
        found = cell.value(scope.resolve)
        if isinstance(found, UnfilledSlot):
            return None
        values.append(Column.from_values([found]))
    now = serial_from_date(moment.replace(tzinfo=None), form.refill.book.date_system)
    if not form.refill.set(values, now):
        return None
    if any(True for _ in differences(form.refill.book, known.filled.claims)):
        return None
    content = form.refill.to_bytes()
    return None if content is None else FilledFile(content, known.filled)


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
