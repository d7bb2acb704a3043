"""Blocks that are no rows of a table: figures, texts, contents lists, charts and pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from tinquire.cells.address import Area, column_name, quoted_sheet
from tinquire.cells.column import Column
from tinquire.cells.display import show
from tinquire.cells.values import Value
from tinquire.layout.dresser import Dresser, align_of, text_height
from tinquire.layout.entry_rules import EntryPlan, entry_rules_over
from tinquire.layout.plans import BlockPlan, ColumnDress, Laid
from tinquire.layout.sheets import Canvas
from tinquire.looks.fonts import letters_of
from tinquire.looks.widths import column_pixels, fitting_width, line_count
from tinquire.workbook import Sheet
from tinquire.workbook.grid.frames import CellLink, Frame

__all__ = ["FigureShown", "LaidFigures", "frame_area", "lay_contents", "lay_figures", "lay_frame", "lay_text"]

#: Points of a pixel, and of a row without a height of its own.
_PIXEL, _ROW = 0.75, 15.0
_USUAL_WIDTH = 9.0
#: Points between a frame and what it stands beside.
_BESIDE = 14.0
#: A text that nothing else on the sheet gives a width covers so many columns.
_TEXT_COLUMNS = 8


@dataclass(frozen=True, slots=True)
class FigureShown:
    """A figure with its label and number format; its cell takes a name in the workbook when one is given."""

    label: str
    value: Value
    format: str
    name: str = ""


@dataclass(frozen=True, slots=True)
class LaidFigures:
    """Figures on a sheet: where they lie, and the cell (row, column) of each value."""

    laid: Laid
    cells: tuple[tuple[int, int], ...]


def lay_figures(
    canvas: Canvas, spot: tuple[int, int], figures: Sequence[FigureShown], plan: BlockPlan, across: int = 1
) -> LaidFigures:
    """Lay figures on a sheet, labels at the left of their values, in so many pairs of columns side by side."""
    sheet, dresser = canvas.sheet, Dresser(canvas.house, canvas.styles, plan)
    top, left = spot
    height = -(-len(figures) // across)
    cells = []
    for index, figure in enumerate(figures):
        pair, row = divmod(index, height)
        number, last = left + 2 * pair, row == min(height, len(figures) - pair * height) - 1
        kind = "number" if isinstance(figure.value, float) else "text"
        is_top = row == 0
        label = dresser.number("rows", None, first=True, last=False, top=is_top, bottom=last)
        value = dresser.number("rows", kind, first=False, last=True, top=is_top, bottom=last, align=align_of(kind))
        value = dresser.dressed(value, ColumnDress(format=figure.format), look=False)
        sheet.put(top + row, number, Column.from_values([figure.label]), label)
        sheet.put(top + row, number + 1, Column.from_values([figure.value]), value)
        cells.append((top + row, number + 1))
        for column, text in ((number, figure.label), (number + 1, show(figure.value, figure.format).text)):
            width = fitting_width([text], scale=dresser.scale, letters=dresser.letters)
            sheet.widths[column] = max(width, sheet.widths.get(column, 0.0))
        if figure.name:
            sheet.names[figure.name] = _fixed(sheet, top + row, number + 1)
    pairs = -(-len(figures) // height) if height else 1
    area = Area(top, left, top + max(height, 1) - 1, left + 2 * pairs - 1)
    return LaidFigures(Laid(area), tuple(cells))


def _fixed(sheet: Sheet, row: int, column: int) -> str:
    """A cell as a name refers to it."""
    return f"{quoted_sheet(sheet.name)}!${column_name(column)}${row}"


def lay_inputs(
    canvas: Canvas, spot: tuple[int, int], inputs: Sequence[tuple[FigureShown, EntryPlan | None]], plan: BlockPlan
) -> Laid:
    """Lay cells to be filled in, their labels at the left, with their names and entry rules. Raises UseError."""
    sheet, dresser = canvas.sheet, Dresser(canvas.house, canvas.styles, plan)
    top, left = spot
    for row, (shown, rule) in enumerate(inputs, start=top):
        is_top, is_last = row == top, row == top + len(inputs) - 1
        label = dresser.number("rows", None, first=True, last=False, top=is_top, bottom=is_last)
        style = dresser.number("input", None, first=False, last=True, top=is_top, bottom=is_last)
        style = dresser.dressed(style, ColumnDress(format=shown.format), look=False)
        sheet.put(row, left, Column.from_values([shown.label]), label)
        sheet.put(row, left + 1, Column.from_values([shown.value]), style)
        sheet.names[shown.name] = _fixed(sheet, row, left + 1)
        if rule is not None:
            cell = Area(row, left + 1, row, left + 1)
            sheet.entry_rules += entry_rules_over([rule], rule.on, [cell], plan.stopped)
        for column, text in ((left, shown.label), (left + 1, show(shown.value, shown.format).text)):
            width = fitting_width([text], scale=dresser.scale, letters=dresser.letters)
            sheet.widths[column] = max(width, sheet.widths.get(column, 0.0))
    return Laid(Area(top, left, top + len(inputs) - 1, left + 1))


def lay_text(canvas: Canvas, spot: tuple[int, int], text: str, look: str, columns: int | None, plan: BlockPlan) -> Laid:
    """Lay a text on a sheet, a row for each of its lines, over as many columns as are asked for or the blocks above
    have; how high its rows are is known once all columns have their widths."""
    sheet, (top, left) = canvas.sheet, spot
    dresser = Dresser(canvas.house, canvas.styles, plan)
    widest = max((block.laid.area.right for block in canvas.blocks), default=0)
    right = left + columns - 1 if columns is not None else max(widest, left) if widest else left + _TEXT_COLUMNS - 1
    appearance = dresser.plain(look)
    lines = text.strip("\n").split("\n")
    for row, line in enumerate(lines, start=top):
        sheet.put(row, left, Column.from_values([line or None]), canvas.styles.number(appearance))
        if right > left:
            sheet.merged.append(Area(row, left, row, right))

    def fit() -> None:
        family, size = canvas.styles.plain_font
        letters = letters_of(appearance.font)
        scale = appearance.size * letters.digit / (size * letters_of(family).digit)
        width = sum(sheet.widths.get(number, _USUAL_WIDTH) for number in range(left, right + 1)) / scale
        for row, line in enumerate(lines, start=top):
            count = line_count(line, width, bold=appearance.bold, letters=letters) if appearance.wrap else 1
            height = text_height(appearance.size, count, room=3.0)
            sheet.heights[row] = max(height, sheet.heights.get(row, 0.0))

    canvas.later.append(fit)
    return Laid(Area(top, left, top + len(lines) - 1, right))


def lay_contents(canvas: Canvas, spot: tuple[int, int], sheets: Sequence[tuple[str, str]], plan: BlockPlan) -> Laid:
    """Lay a list of sheets, by name and title, each linked to its sheet."""
    sheet, (top, left) = canvas.sheet, spot
    dresser = Dresser(canvas.house, canvas.styles, plan)
    style = canvas.styles.number(dresser.plain("link"))
    for row, (name, title) in enumerate(sheets, start=top):
        sheet.put(row, left, Column.from_values([title]), style)
        sheet.links.append(CellLink(row, left, f"{quoted_sheet(name)}!A1"))
    width = fitting_width([title for _, title in sheets], scale=dresser.scale, letters=dresser.letters)
    sheet.widths[left] = max(width, sheet.widths.get(left, 0.0))
    return Laid(Area(top, left, top + max(len(sheets), 1) - 1, left))


def lay_frame(canvas: Canvas, spot: tuple[int, int], frame: Frame, *, beside: bool = False) -> Laid:
    """Put a chart or picture on a sheet, below a block or, with `beside`, right of the one before, wherever in a cell
    that is; the cells that it covers are those of the widths and heights so far."""
    if beside and canvas.blocks:
        last = canvas.blocks[-1].laid
        start = last.area.left if last.frame_width is not None else last.area.right + 1
        offset = _BESIDE + (last.frame_width or 0.0)
        while offset >= (wide := _column_points(canvas, start)):
            offset -= wide
            start += 1
        frame = replace(frame, row=last.area.top, column=start, from_left=offset)
        spot = (last.area.top, start)
    canvas.sheet.frames.append(frame)
    area = frame_area(canvas, spot, frame.from_left + frame.width, frame.height)
    return Laid(area, frame_width=frame.from_left + frame.width)


def _column_points(canvas: Canvas, column: int) -> float:
    return column_pixels(canvas.sheet.widths.get(column, _USUAL_WIDTH), canvas.styles.plain_font[1]) * _PIXEL


def frame_area(canvas: Canvas, spot: tuple[int, int], width: float, height: float) -> Area:
    """The cells under a frame of a size in points."""
    sheet = canvas.sheet
    row, column = spot
    while height > sheet.heights.get(row, _ROW):
        height -= sheet.heights.get(row, _ROW)
        row += 1
    while width > (wide := _column_points(canvas, column)):
        width -= wide
        column += 1
    return Area(spot[0], spot[1], row, column)
