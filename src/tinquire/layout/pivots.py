"""Pivots laid out on sheets: labels, headings of one or two lines, subtotals and totals."""

from __future__ import annotations

from dataclasses import replace

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.layout.dresser import Dresser, SheetPlan, align_of, fit_width, put_title
from tinquire.layout.pages import set_pages
from tinquire.looks import House
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import Sheet
from tinquire.workbook.parts.styles import StyleBook

__all__ = ["pivot_sheet"]

# -- pivots ----------------------------------------------------------------------------------------------


def pivot_sheet(plan: SheetPlan, pivot: Pivot, house: House, styles: StyleBook) -> Sheet:
    """A pivot on a sheet: column labels over value names, row groups, totals below and at the right. Its heading rows
    are those that are repeated."""
    dresser = Dresser(house, styles, plan)
    sheet = Sheet(plan.name, landscape=plan.landscape, gridlines=False)
    top = put_title(sheet, plan, dresser)
    table = pivot.as_table()
    levels = 2 if pivot.column_fields and len(pivot.values) > 1 else 1
    _pivot_headings(sheet, pivot, dresser, top, levels)
    height = pivot.height
    for number, column in enumerate(table.columns, start=1):
        one = table.fields[number - 1]
        first, last = number == 1, number == len(table.fields)
        align = align_of(one.type) if number > len(pivot.row_fields) else None
        body = top + levels
        style = dresser.run("rows", one.type, height, first=first, last=last, align=align)
        style[pivot.subtotal_lines] = dresser.number("subtotal", one.type, first=first, last=last, align=align)
        sheet.put(body, number, column.slice(0, height), style)
        if pivot.totals is not None:
            total = dresser.number("total", one.type, first=first, last=last, align=align)
            sheet.put(body + height, number, column.slice(height, height + 1), total)
        name = (
            one.name if levels == 1 or number <= len(pivot.row_fields) else pivot.values[_value_of(pivot, number)].name
        )
        fit_width(sheet, number, replace(one, name=name), column, dresser, button=False)
    sheet.frozen = (top + levels - 1, len(pivot.row_fields)) if plan.freeze else (0, 0)
    sheet.repeat_rows = (top, top + levels - 1)
    set_pages(sheet, plan)
    return sheet


def _value_of(pivot: Pivot, number: int) -> int:
    return (number - len(pivot.row_fields) - 1) % len(pivot.values)


def _pivot_headings(sheet: Sheet, pivot: Pivot, dresser: Dresser, top: int, levels: int) -> None:
    """One row of headings, or two: labels over their values, row fields over both."""
    table = pivot.as_table()
    width = len(table.fields)
    for number, field in enumerate(table.fields, start=1):
        first, last = number == 1, number == width
        is_label = number <= len(pivot.row_fields)
        align = None if is_label else "right"
        if levels == 1:
            style = dresser.number("heading", None, first=first, last=last, align=align)
            sheet.put(top, number, Column.from_values([field.name]), style)
            continue
        upper = dresser.number(
            "heading", None, first=first, last=last, bottom=False, align=None if is_label else "center"
        )
        lower = dresser.number("heading", None, first=first, last=last, top=False, align=align)
        index = _value_of(pivot, number) if not is_label else 0
        group = (number - len(pivot.row_fields) - 1) // len(pivot.values)
        over: Value = field.name
        if not is_label:
            over = None
            if index == 0:
                over = pivot.column_label(group) if group < pivot.width else pivot.totals_across
        sheet.put(top, number, Column.from_values([over]), upper)
        sheet.put(top + 1, number, Column.from_values([None if is_label else pivot.values[index].name]), lower)
        if is_label:
            sheet.merged.append(Area(top, number, top + 1, number))
        elif index == 0 and len(pivot.values) > 1:
            sheet.merged.append(Area(top, number, top, number + len(pivot.values) - 1))
