"""Files of a template, one after the other: each the plain way, or by what is known of those before it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from tinquire.base.faults import Fault
from tinquire.docket.schema.workbooks import TemplateRowsModel
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.filling import fill_template
from tinquire.press.outputs.finishing import finish_results
from tinquire.press.outputs.refilled import refilled
from tinquire.press.outputs.template_pictures import put_pictures
from tinquire.press.outputs.template_rows import RowsFilled
from tinquire.tables import Table
from tinquire.workbook.edit.templates import Template

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
    where = dict.fromkeys(asked, "")
    again = None if pictures.by_slot else refilled(template, asked, tables, scope, name, moment, where)
    if again is not None:
        return FilledFile(again.content, again.rows)
    book = template.book()
    rows = fill_template(book, asked, tables, scope, name, template)
    put_pictures(book, pictures.by_slot, scope, pictures.base, "filling a template", pictures.where)
    left = finish_results(book, name, moment, rows.claims, rows.areas)
    return FilledFile(book.finish(), rows, left)
