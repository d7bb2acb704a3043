"""Charts and pictures of a sheet on an HTML page: where their frames lie, and what is in them."""

from __future__ import annotations

import base64
import html
from collections.abc import Iterator
from dataclasses import dataclass

from tinquire.base.faults import UseError
from tinquire.cells.address import Area
from tinquire.charts.chart import Chart
from tinquire.charts.draw import draw_chart
from tinquire.charts.pictures import picture
from tinquire.looks.widths import column_pixels
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.inspect.contents import SheetDetails
from tinquire.workbook.pivots.clicked import ClickFilter

__all__ = ["Framed", "frames_of"]

#: Pixels of a point, of a row and characters of a column without a size of their own.
_POINT = 96 / 72
_ROW, _USUAL_WIDTH = 20.0, 9.0
#: A frame of no stated size, in pixels; and the largest that is drawn.
_SIZE, _LARGEST = (480.0, 288.0), 4_000.0
#: More buttons of a filter than this stand in no frame.
_MOST_BUTTONS = 60
_FORMS = {"svg": "image/svg+xml", "png": "image/png", "jpg": "image/jpeg", "jpeg": "image/jpeg", "gif": "image/gif"}


@dataclass(frozen=True, slots=True)
class Framed:
    """A frame in pixels from the sheet's upper left corner, its markup, and why it is not drawn, if it is not."""

    left: float
    top: float
    width: float
    height: float
    inside: str
    problem: str = ""

    @property
    def markup(self) -> str:
        sides = {"left": self.left, "top": self.top, "width": self.width, "height": self.height}
        place = "; ".join(f"{name}: {pixels:.0f}px" for name, pixels in sides.items())
        return f'<div class="frame" style="{place}">{self.inside}</div>'


def frames_of(book: Workbook, sheet: Sheet, details: SheetDetails, form: str = "svg") -> Iterator[Framed]:
    """The charts and pictures of a sheet, charts in the form 'svg' or 'png'. What cannot be drawn is a frame with its
    title."""
    size = book.styles.plain_font[1]
    for chart in details.charts:
        place = _place(sheet, size, chart.area, chart.size, chart.offset)
        named = chart.title or "chart"
        why = f"its kind ({', '.join(chart.unknown)}) is not drawn" if chart.unknown else ""
        drawn = None if chart.unknown else _drawn(chart.chart, place, form)
        if isinstance(drawn, bytes):
            data = base64.b64encode(drawn).decode()
            alt = html.escape(chart.alt or named)
            yield Framed(*place, f'<img alt="{alt}" src="data:{_FORMS[form]};base64,{data}">')
        else:
            yield Framed(*place, f"<p>{html.escape(named)}</p>", f"chart '{named}': {why or drawn}")
    for one in details.pictures:
        place = _place(sheet, size, one.area, one.size, one.offset)
        kind = _FORMS.get(one.part.rpartition(".")[2].casefold())
        alt = html.escape(one.says or one.name)
        if kind is None:
            yield Framed(*place, f"<p>{alt}</p>", f"picture '{one.name}': pictures of its form are not drawn")
        else:
            data = base64.b64encode(book.package.read(one.part)).decode()
            yield Framed(*place, f'<img alt="{alt}" src="data:{kind};base64,{data}">')
    for filter_ in details.clicked:
        yield Framed(*_place(sheet, size, filter_.area, None, (0.0, 0.0)), _buttons(filter_))


def _buttons(one: ClickFilter) -> str:
    """A filter to click as it looks: its heading, and a button for each item, those that are off being pale."""
    pieces = [
        f'<span class="{"on" if on else "off"}">{html.escape(text)}</span>' for text, on in one.buttons[:_MOST_BUTTONS]
    ]
    return f'<div class="buttons"><b>{html.escape(one.caption)}</b>{"".join(pieces)}</div>'


def _drawn(chart: Chart, place: tuple[float, float, float, float], form: str) -> bytes | str:
    """A chart as a picture, or why it cannot be drawn."""
    try:
        return picture(draw_chart(chart, place[2] / _POINT, place[3] / _POINT), form)
    except UseError as error:
        return "; ".join(fault.why for fault in error.faults)


def _place(
    sheet: Sheet, font: float, area: Area | None, size: tuple[float, float] | None, offset: tuple[float, float]
) -> tuple[float, float, float, float]:
    """Left, top, width and height in pixels."""
    area = area or Area(1, 1, 1, 1)
    left, top = _across(sheet, font, area.left), _down(sheet, area.top)
    if size is not None:
        left, top = left + offset[0] * _POINT, top + offset[1] * _POINT
    if size is not None:
        width, height = size[0] * _POINT, size[1] * _POINT
    elif area.width > 1 or area.height > 1:
        width = _across(sheet, font, area.right + 1) - left
        height = _down(sheet, area.bottom + 1) - top
    else:
        width, height = _SIZE
    return left, top, min(max(width, 1.0), _LARGEST), min(max(height, 1.0), _LARGEST)


def _across(sheet: Sheet, font: float, column: int) -> float:
    """Where a column begins."""
    own = [number for number in sheet.widths if number < column]
    usual = column_pixels(_USUAL_WIDTH, font) * (column - 1 - len(own))
    hidden = [number for number in own if number in sheet.hidden_columns]
    shown = sum(column_pixels(sheet.widths[number], font) for number in own if number not in hidden)
    return float(usual + shown)


def _down(sheet: Sheet, row: int) -> float:
    """Where a row begins."""
    hidden = {number for number in sheet.hidden_rows if number < row}
    own = {number: height for number, height in sheet.heights.items() if number < row and number not in hidden}
    return _ROW * (row - 1 - len(own) - len(hidden)) + sum(own.values()) * _POINT
