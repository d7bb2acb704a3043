"""Pivots of the file format laid out on new sheets: captions, labels and values as the pivot itself has them, dressed
as other pivots of the house are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.layout.dresser import Dresser, align_of, fit_width
from tinquire.layout.pivot_tables import AskedPivot
from tinquire.layout.plans import Laid
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import Sheet
from tinquire.workbook.pivots.cells import column_labels, row_labels, value_columns
from tinquire.workbook.pivots.making import MadePivot
from tinquire.workbook.pivots.words import Words

__all__ = ["lay_living_pivot"]


def lay_living_pivot(sheet: Sheet, made: MadePivot, pivot: Pivot, asked: AskedPivot, dresser: Dresser) -> Laid:
    """Lay a pivot's cells where its part says that they are; what its rows are cut to stands above it, with a row
    between."""
    own_words, pages = dresser.house.language.words, asked.pages
    named = None if asked.subtotals is None else asked.subtotals.name
    words = made.words(named or own_words.group_total, own_words.blank)
    worked, area = made.worked, made.area
    header, data_row, labels = worked.definition.first
    table = pivot.as_table()
    types = [one.type for one in table.fields]
    _put_pages(sheet, area, pages, dresser)
    _put_headings(sheet, made, pivot, words, dresser)
    body = area.top + data_row
    height = len(worked.row_side.lines)
    kinds = np.array([line.line.kind for line in worked.row_side.lines])
    down = row_labels(worked, words)
    columns = [Column.from_values([row[at] for row in down]) for at in range(labels)] + value_columns(worked)
    rows = height - int((kinds == "grand").sum())
    for index, column in enumerate(columns):
        number, kind = area.left + index, types[index] if index < len(types) else "number"
        first, last = index == 0, index == len(columns) - 1
        align = align_of(kind) if index >= labels else None
        style = dresser.run("rows", kind, rows, first=first, last=last, align=align)
        style[kinds[:rows] == "default"] = dresser.number("subtotal", kind, first=first, last=last, align=align)
        sheet.put(body, number, column.slice(0, rows), style)
        if rows < height:
            total = dresser.number("total", kind, first=first, last=last, align=align)
            sheet.put(body + rows, number, column.slice(rows, height), total)
        heading = sheet.value(body - 1, number)
        one = table.fields[min(index, len(table.fields) - 1)]
        fit_width(sheet, number, replace(one, name=str(heading or "")), column, dresser, button=index < labels)
    whole = area._replace(top=area.top - len(pages) - bool(pages))
    bottom = body + rows - 1
    return Laid(
        whole, (area.top + min(header, data_row - 1), body - 1), Area(body, area.left, bottom, area.right), labels
    )


def _put_pages(sheet: Sheet, area: Area, pages: Sequence[tuple[str, Value]], dresser: Dresser) -> None:
    top = area.top - len(pages) - 1
    for at, (name, value) in enumerate(pages):
        sheet.put(
            top + at, area.left, Column.from_values([name]), dresser.number("heading", None, first=True, last=False)
        )
        sheet.put(
            top + at, area.left + 1, Column.from_values([value]), dresser.number("rows", None, first=False, last=True)
        )


def _put_headings(sheet: Sheet, made: MadePivot, pivot: Pivot, words: Words, dresser: Dresser) -> None:
    """Captions of the fields across and of the values, labels of columns, and row fields over their labels."""
    worked, area = made.worked, made.area
    definition = worked.definition
    header, data_row, labels = definition.first
    width = area.width
    cells: list[list[Value]] = [[None] * width for _ in range(data_row)]
    names = [field.name for field in pivot.column_fields] + (["Values"] if len(definition.data) > 1 else [])
    if definition.columns:
        for at, name in enumerate(names):
            if labels + at < width:
                cells[0][labels + at] = name
        if len(definition.data) == 1:
            cells[0][0] = definition.data[0].name
        for at, own in enumerate(column_labels(worked, words)):
            for level, value in enumerate(own):
                cells[header + level][labels + at] = value
    elif labels < width:
        cells[0][labels] = definition.data[0].name
    for at, field in enumerate(pivot.row_fields):
        cells[data_row - 1][at] = field.name
    for row, values in enumerate(cells):
        for at, value in enumerate(values):
            style = dresser.number(
                "heading", None, first=at == 0, last=at == width - 1, top=row == 0, bottom=row == data_row - 1,
                align="right" if at >= labels and row == data_row - 1 else None,
            )  # fmt: skip
            sheet.put(area.top + row, area.left + at, Column.from_values([value]), style)
