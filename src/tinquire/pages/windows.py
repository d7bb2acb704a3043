"""The pages of a sheet: windows on its cells and drawings, repeated lines, grid lines, names of lines, links."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from tinquire.cells.address import Area, column_name
from tinquire.pages.paging import Span
from tinquire.pages.primitives import Areas, Box, Item, Lines, Link, Page, Pen, Role, Window

if TYPE_CHECKING:
    from tinquire.pages.sheet_layout import SheetLayout

__all__ = ["LaidPage", "PageMaker"]

#: A line at the edge of a page is drawn as thick as it is.
_EDGE = 1.0
_GRID_PEN, _NAME_INK, _NAME_GROUND = Pen(0.3, "B9C0C4"), "5F6B70", "F2F3F4"


@dataclass
class LaidPage:
    """A page with its windows, before its header and footer are there: its cells, and where they stand."""

    page: Page
    area: Area
    sheet: str
    windows: list[Window] = field(default_factory=list)
    #: The cells of each window, and where they stand on the page.
    parts: list[tuple[Area, Box]] = field(default_factory=list)


class PageMaker:
    """Makes the pages of a sheet that is laid out."""

    def __init__(self, layout: SheetLayout) -> None:
        self._layout = layout

    def page(self, across: Span, down: Span) -> LaidPage:
        grid, scale = self._layout.grid, self._layout.scale
        area = Area(down.first, across.first, down.last, across.last)
        repeat_columns, repeat_rows = self._layout.printed.repeat_columns, self._layout.printed.repeat_rows
        head = grid.height(*repeat_rows) if down.repeats and repeat_rows else 0.0
        side = grid.width(*repeat_columns) if across.repeats and repeat_columns else 0.0
        strip = self._layout.strip
        (paper_wide, paper_high), (left, _, top, _, *_) = self._layout.paper, self._layout.margins
        wide, high = self._layout.room
        body = grid.width(across.first, across.last), grid.height(down.first, down.last)
        total = (strip[0] + side + body[0]) * scale, (strip[1] + head + body[1]) * scale
        x = left + (max(wide - total[0], 0.0) / 2 if self._layout.setup.centred[0] else 0.0)
        y = paper_high - top - (max(high - total[1], 0.0) / 2 if self._layout.setup.centred[1] else 0.0)
        if self._layout.printed.right_to_left:
            x = left + wide - min(total[0], wide) if not self._layout.setup.centred[0] else x
        made = LaidPage(Page(paper_wide, paper_high), area, self._layout.sheet.name)
        bands = [
            (strip[0], side, repeat_columns if side else None),
            (strip[0] + side, body[0], (across.first, across.last)),
        ]
        for down_at, band_high, rows in (
            (strip[1], head, repeat_rows if head else None), (strip[1] + head, body[1], (down.first, down.last)),
        ):  # fmt: skip
            for at, band_wide, columns in bands:
                if rows is None or columns is None or not band_wide or not band_high:
                    continue
                part = Area(rows[0], columns[0], rows[1], columns[1])
                where = x + at * scale
                if self._layout.printed.right_to_left:
                    where = x + total[0] - (at + band_wide) * scale
                clip = Box(where, y - (down_at + band_high) * scale, band_wide * scale, band_high * scale)
                made.parts.append((part, clip))
                beyond = max(left + wide - clip.right, 0.0) if self._layout.is_open(part.right) else 0.0
                made.windows.append(self._window(part, clip, scale, beyond))
        made.page.items += made.windows
        made.page.items.append(Role("aside"))  # names of lines, headers and footers
        if self._layout.printed.line_names:
            made.page.items += self._line_names(made, scale)
        return made

    def _window(self, part: Area, clip: Box, scale: float, beyond: float) -> Window:
        """The cells of an area, what is drawn on it, and its links, in a window of the page; long texts may run over so
        many points `beyond` the last column."""
        grid = self._layout.grid
        items: list[Item] = []
        if self._layout.setup.gridlines:
            items.append(self._grid_lines(part))
        items += self._layout.painter.paint(part, beyond / scale)
        seen = grid.box(part)
        for box, drawn in self._layout.drawn:
            if box.x < seen.right and box.right > seen.x and box.y < seen.top and box.top > seen.y:
                items += [Role("text"), *drawn]
        items += self._links(part)
        origin = (clip.x - seen.x * scale, clip.top + grid.top(part.top) * scale)
        edge = _EDGE * scale
        roomy = Box(clip.x - edge, clip.y - edge, clip.width + 2 * edge + beyond, clip.height + 2 * edge)
        return Window(roomy, origin, scale, items)

    def _grid_lines(self, part: Area) -> Lines:
        grid = self._layout.grid
        seen = grid.box(part)
        ends = [(x, seen.top, x, seen.y) for n in range(part.left - 1, part.right + 1) for x in (grid.edge(n),)]
        ends += [(seen.x, y, seen.right, y) for n in range(part.top, part.bottom + 2) for y in (-grid.top(n),)]
        return Lines(_GRID_PEN, list(dict.fromkeys(ends)))

    def _links(self, part: Area) -> Iterator[Link]:
        grid = self._layout.grid
        for link in self._layout.details.links:
            area = link.area
            if area.top > part.bottom or area.bottom < part.top or area.left > part.right or area.right < part.left:
                continue
            top, bottom = max(area.top, part.top), min(area.bottom, part.bottom)
            left, right = max(area.left, part.left), min(area.right, part.right)
            yield Link(grid.box(Area(top, left, bottom, right)), link.target, link.outside)

    def _line_names(self, made: LaidPage, scale: float) -> Iterator[Item]:
        """Letters of columns above the cells of a page, and numbers of rows beside them."""
        layout = self._layout
        grid, (wide, high) = layout.grid, layout.strip
        letters = replace(layout.looks.of(0).letters, size=layout.looks.plain_size * scale, colour=_NAME_INK)
        top = max(clip.top for _, clip in made.parts)
        side = (
            max(clip.right for _, clip in made.parts) if grid.right_to_left else min(clip.x for _, clip in made.parts)
        )
        boxes: dict[Box, str] = {}
        for part, clip in made.parts:
            seen = grid.box(part)
            for n in range(part.left, part.right + 1):
                x = clip.x + (grid.left(n) - seen.x) * scale
                boxes[Box(x, top, grid.widths[n] * scale, high * scale)] = column_name(n)
            for n in range(part.top, part.bottom + 1):
                y = clip.top - (grid.top(n + 1) - grid.top(part.top)) * scale
                x = side if grid.right_to_left else side - wide * scale
                boxes[Box(x, y, wide * scale, grid.heights[n] * scale)] = str(n)
        seen_boxes = [(box, text) for box, text in boxes.items() if box.width > 1 and box.height > 1]
        yield Areas(_NAME_GROUND, [box for box, _ in seen_boxes])
        for box, text in seen_boxes:
            across = letters.width(text)
            base = box.y + (box.height - letters.height) / 2 + letters.descent
            yield letters.put(box.x + (box.width - across) / 2, base, text, across, box)
