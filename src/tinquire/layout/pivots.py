"""Pivots laid out on sheets: labels, headings of one or two lines, subtotals and totals."""

from __future__ import annotations

from dataclasses import replace

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.layout.dresser import Dresser, align_of, fit_width
from tinquire.layout.plans import Laid
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import Sheet

__all__ = ["lay_pivot"]


def lay_pivot(sheet: Sheet, spot: tuple[int, int], pivot: Pivot, dresser: Dresser) -> Laid:
    """Lay a pivot on a sheet, its first heading at `spot` (row, column): column labels over value names, row groups,
    totals below and at the right."""
    top, left = spot
    table = pivot.as_table()
    labels = len(pivot.row_fields)
    levels = 2 if pivot.column_fields and len(pivot.values) > 1 else 1
    _put_headings(sheet, pivot, dresser, spot, levels)
    height, body = pivot.height, top + levels
    for index, column in enumerate(table.columns):
        one, number = table.fields[index], left + index
        first, last = index == 0, index == len(table.fields) - 1
        align = align_of(one.type) if index >= labels else None
        style = dresser.run("rows", one.type, height, first=first, last=last, align=align)
        style[pivot.subtotal_lines] = dresser.number("subtotal", one.type, first=first, last=last, align=align)
        sheet.put(body, number, column.slice(0, height), style)
        if pivot.totals is not None:
            total = dresser.number("total", one.type, first=first, last=last, align=align)
            sheet.put(body + height, number, column.slice(height, height + 1), total)
        name = one.name if levels == 1 or index < labels else pivot.values[_value_of(pivot, index)].name
        fit_width(sheet, number, replace(one, name=name), column, dresser, button=False)
    right, bottom = left + len(table.fields) - 1, body + height - 1
    area = Area(top, left, bottom + (pivot.totals is not None), right)
    return Laid(area, (top, body - 1), Area(body, left, bottom, right), labels)


def _value_of(pivot: Pivot, index: int) -> int:
    return (index - len(pivot.row_fields)) % len(pivot.values)


def _put_headings(sheet: Sheet, pivot: Pivot, dresser: Dresser, spot: tuple[int, int], levels: int) -> None:
    """One row of headings, or two: labels over their values, row fields over both."""
    top, left = spot
    table, labels = pivot.as_table(), len(pivot.row_fields)
    for index, field in enumerate(table.fields):
        number = left + index
        first, last = index == 0, index == len(table.fields) - 1
        is_label = index < labels
        align = None if is_label else "right"
        if levels == 1:
            style = dresser.number("heading", None, first=first, last=last, align=align)
            sheet.put(top, number, Column.from_values([field.name]), style)
            continue
        upper = dresser.number(
            "heading", None, first=first, last=last, bottom=False, align=None if is_label else "center"
        )
        lower = dresser.number("heading", None, first=first, last=last, top=False, align=align)
        value = _value_of(pivot, index) if not is_label else 0
        group = (index - labels) // len(pivot.values)
        over: Value = field.name
        if not is_label:
            over = None
            if value == 0:
                over = pivot.column_label(group) if group < pivot.width else pivot.totals_across
        sheet.put(top, number, Column.from_values([over]), upper)
        sheet.put(top + 1, number, Column.from_values([None if is_label else pivot.values[value].name]), lower)
        if is_label:
            sheet.merged.append(Area(top, number, top + 1, number))
        elif value == 0 and len(pivot.values) > 1:
            sheet.merged.append(Area(top, number, top, number + len(pivot.values) - 1))
