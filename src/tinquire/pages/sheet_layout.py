"""One sheet on paper: its lines cut into pages, and each page's windows on the cells (ECMA-376 Part 1, 18.3.1.62 to
.64, .74)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import Area
from tinquire.cells.column import Codes, Floats, Kind
from tinquire.looks.papers import paper_size
from tinquire.pages.cell_looks import CellLooks
from tinquire.pages.cell_text import PAD
from tinquire.pages.drawings import LARGEST, SheetDrawings
from tinquire.pages.geometry import PIXEL, Grid, column_widths, digit_pixels
from tinquire.pages.lettering import lines_of
from tinquire.pages.paging import Cut, Repeated, cut_lines, fitting_scale
from tinquire.pages.painter import Painter
from tinquire.pages.primitives import Box, Item  # fmt: skip
from tinquire.pages.typefaces import Typefaces
from tinquire.pages.windows import LaidPage, PageMaker
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.marked import MarkedSheet
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.inspect.contents import SheetDetails
from tinquire.workbook.inspect.printed import PrintedSheet
from tinquire.workbook.parts.drawn import Corner

__all__ = ["Asked", "LaidPage", "SheetLayout"]

_INCH = 72.0
#: Margins in inches of a sheet that states none: left, right, top, bottom, header, footer.
_MARGINS = (0.7, 0.7, 0.75, 0.75, 0.3, 0.3)
#: Letters rounded on a screen may be so much wider on paper, without a reason in their font.
_SLACK = 1.02
#: Lines are hardly lower and slimmer than this, in points, where a drawing reaches beyond the last cells.
_LOW, _SLIM = 7.5, 15.0
#: A drawing that reaches less far into a line does not touch it.
_TOUCH = 1.0
#: Columns behind the last one, over which long texts may run.
_OVER = 24
#: Nobody wants to print more cells than these without having said so.
_MOST_PAGES = 20_000


@dataclass(frozen=True)
class Asked:
    """What was asked for in place of what the sheet says: areas, paper, whether it lies, and fitting: 'wide' to the
    width of a page, 'page' onto one."""

    areas: tuple[Area, ...] = ()
    paper: int | None = None
    landscape: bool | None = None
    fit: str | None = None
    #: At most so many rows of an area.
    rows: int | None = None


class SheetLayout:
    """A sheet laid out: its geometry, its pages."""

    def __init__(
        self, book: Workbook, sheet: Sheet, details: SheetDetails, printed: PrintedSheet, marked: MarkedSheet,
        faces: Typefaces, asked: Asked,
    ) -> None:  # fmt: skip
        self.book, self.sheet, self.details, self.printed = book, sheet, details, printed
        self.faces, self.asked = faces, asked
        self.looks = CellLooks(book, faces, colourless=printed.colourless, mirrored=printed.right_to_left)
        self.setup = _asked_setup(details.page, asked)
        digit = faces.digit(self.looks.plain_font)
        self.digit = digit_pixels(digit, self.looks.plain_size)
        self.slack = max(1.0, digit * self.looks.plain_size / PIXEL / self.digit) * _SLACK
        usual = printed.height or self.looks.of(0).letters.line
        rows, columns = self._last()
        self._widths = column_widths(printed, self.digit, columns)  # which the heights of rows hang on
        self.grid = Grid(sheet, printed, (rows, columns), self.digit, usual, self._fitted)
        self.painter = Painter(book, sheet, printed, self.grid, self.looks, marked, self.slack)
        self.drawings = SheetDrawings(book, self.grid, self.looks, faces)

    def _last(self) -> tuple[int, int]:
        """The last row and column that matter: of cells, of what is drawn, and of what is to be printed."""
        rows, columns = self.sheet.extent()
        for drawn in self.printed.drawn:
            corner = drawn.anchor.end or drawn.anchor.start or Corner(1, 1, 0.0, 0.0)
            wide, high = drawn.anchor.size or (0.0, 0.0)
            x, y = drawn.anchor.position or (0.0, 0.0)
            rows = max(rows, corner.row + int(min(y + high, LARGEST) / _LOW))
            columns = max(columns, corner.column + int(min(x + wide, LARGEST) / _SLIM))
        for one in self.details.clicked:
            if one.area is not None:
                rows, columns = max(rows, one.area.bottom), max(columns, one.area.right)
        for area in (*self.printed.areas, *self.asked.areas, *self.sheet.merged):
            if area.bottom < 1 << 20:
                rows = max(rows, area.bottom)
            if area.right < 1 << 14:
                columns = max(columns, area.right)
        return rows + 1, columns + _OVER

    def _fitted(self, rows: Codes) -> Floats:
        """The heights that rows need for the letters of their cells and for texts that break into lines."""
        needed = np.zeros(int(rows.max(initial=0)) + 1)
        merged = {
            (row, column)
            for area in self.sheet.merged
            if area.height > 1 or area.width > 1
            for row in range(area.top, min(area.bottom, len(needed) - 1) + 1)
            for column in range(area.left, area.right + 1)
        } if len(self.sheet.merged) < 20_000 else set()  # fmt: skip
        for number, cells in self.sheet.columns.items():
            inside = cells.rows < len(needed)
            places, styles = cells.rows[inside], cells.styles[inside]
            for style in np.unique(styles).tolist():
                look = self.looks.of(style)
                chosen = places[styles == style]
                if not (look.look.turned or look.finish.stacked):
                    needed[chosen] = np.maximum(needed[chosen], look.letters.line)
                if look.wraps or look.look.turned or look.finish.stacked:
                    self._fit_texts(number, style, chosen, needed, merged)
        return needed[rows]

    def _fit_texts(self, column: int, style: int, rows: Codes, needed: Floats, merged: set[tuple[int, int]]) -> None:
        """Rows high enough for texts that break into lines or are turned."""
        look = self.looks.of(style)
        room = max(float(self._widths[column]) - 2 * PAD - look.indent, 1.0) * self.slack
        cells = self.sheet.rows_of(column, rows)
        for row, kind, code in zip(rows.tolist(), cells.kinds.tolist(), cells.codes.tolist(), strict=True):
            if kind != Kind.TEXT or (row, column) in merged:
                continue
            text = self.sheet.texts[code]
            if look.wraps:
                height = sum(line.height for line in lines_of([(text, look.letters)], room))
            elif look.finish.stacked:
                height = look.letters.line * len(text)
            else:
                share = abs(np.sin(np.radians(look.look.turned)))
                height = look.letters.width(text) * share + look.letters.line * (1 - share)
            needed[row] = max(needed[row], height)

    # -- what is printed -------------------------------------------------------------------------------

    @cached_property
    def areas(self) -> list[Area]:
        """The areas that are printed, each from a page of its own: as asked, as the sheet says, or all that is used."""
        used = self._used()
        asked = self.asked.areas or self.printed.areas
        areas = []
        for area in asked:
            bottom = min(area.bottom, max(used.bottom, area.top)) if area.bottom >= 1 << 20 else area.bottom
            right = min(area.right, max(used.right, area.left)) if area.right >= 1 << 14 else area.right
            areas.append(Area(area.top, area.left, bottom, right))
        if self.asked.rows is not None:
            areas = [area._replace(bottom=min(area.bottom, area.top + self.asked.rows - 1)) for area in areas or [used]]
        return areas or [used]

    def is_open(self, column: int) -> bool:
        """Whether long texts may be seen beyond a column: behind the last one, where nobody said what is printed."""
        said = self.asked.areas or self.printed.areas
        return not said and not self.grid.right_to_left and column == self.areas[-1].right

    @cached_property
    def is_empty(self) -> bool:
        """Whether nothing at all would be printed."""
        dressed = any(len(cells.rows) for cells in self.sheet.columns.values())
        return self.sheet.used is None and not self.printed.drawn and not self.details.clicked and not dressed

    def _used(self) -> Area:
        """The smallest area from the first cell that holds all that would be seen."""
        bottom, right = 1, 1
        if (used := self.sheet.used) is not None:
            bottom, right = used.bottom, used.right
        for number, cells in self.sheet.columns.items():
            for style in np.unique(cells.styles).tolist():
                look = self.looks.of(style)
                if look.has_edges or look.look.fill is not None or look.finish.hatch or look.finish.running:
                    bottom = max(bottom, int(cells.rows[cells.styles == style][-1]))
                    right = max(right, number)
        for area in self.sheet.merged:
            if self.sheet.used is not None and area.top <= bottom and area.left <= right:
                bottom, right = max(bottom, area.bottom), max(right, area.right)
        for box in self._drawn_boxes():
            while self.grid.top(bottom + 1) < -box.y - 0.5 and bottom < self.grid.rows:
                bottom += 1
            reach = -box.x if self.grid.right_to_left else box.right
            while self.grid.before(right + 1) < reach - 0.5 and right < self.grid.columns:
                right += 1
        return Area(1, 1, bottom, right)

    def _drawn_boxes(self) -> Iterator[Box]:
        for box, _ in self.drawn:
            yield box

    @cached_property
    def drawn(self) -> list[tuple[Box, list[Item]]]:
        """What is drawn on the sheet, from the lowest to the highest."""
        made = [self.drawings.items(drawn) for drawn in self.printed.drawn]
        return made + [self.drawings.filter_items(one) for one in self.details.clicked]

    # -- pages -----------------------------------------------------------------------------------------

    @cached_property
    def paper(self) -> tuple[float, float]:
        wide, high = paper_size(self.setup.paper)
        return (high, wide) if self.setup.orientation == "landscape" else (wide, high)

    @cached_property
    def margins(self) -> tuple[float, ...]:
        """Left, right, top, bottom, header and footer, in points."""
        return tuple(inches * _INCH for inches in (self.setup.margins or _MARGINS))

    @property
    def room(self) -> tuple[float, float]:
        """What of a page is left between its margins."""
        (wide, high), (left, right, top, bottom, *_) = self.paper, self.margins
        return max(wide - left - right, 36.0), max(high - top - bottom, 36.0)

    def _kept(self, area: Area) -> tuple[set[int], set[int]]:
        """Rows and columns after which no page ends if it can be helped: it would part merged cells, or a drawing."""
        held = [one for one in self.sheet.merged if one.top <= area.bottom and one.left <= area.right]
        for box, _ in self.drawn:
            near, far = (-box.right, -box.x) if self.grid.right_to_left else (box.x, box.right)
            top, bottom = self.grid.row_at(-box.top + _TOUCH), self.grid.row_at(-box.y - _TOUCH)
            left, right = self.grid.column_at(near + _TOUCH), self.grid.column_at(far - _TOUCH)
            held.append(Area(top, left, bottom, right))
        rows = {row for one in held for row in range(one.top, min(one.bottom, area.bottom))}
        columns = {number for one in held for number in range(one.left, min(one.right, area.right))}
        return rows, columns

    def _cuts(self, area: Area) -> tuple[Cut, Cut]:
        """The columns and rows of an area, to be cut into pages."""
        grid, setup, printed = self.grid, self.setup, self.printed
        fit = setup.fit
        free_across, free_down = fit is None or not fit[0], fit is None or not fit[1]
        kept_rows, kept_columns = self._kept(area)
        across = Cut(
            area.left, [grid.widths[n] for n in range(area.left, area.right + 1)],
            setup.column_breaks if free_across else (), kept_columns if len(kept_columns) < area.width - 1 else (),
            _repeated(printed.repeat_columns, grid.width),
        )  # fmt: skip
        down = Cut(
            area.top, [grid.heights[n] for n in range(area.top, area.bottom + 1)],
            setup.row_breaks if free_down else (), kept_rows,
            _repeated(printed.repeat_rows, grid.height),
        )  # fmt: skip
        return across, down

    @cached_property
    def scale(self) -> float:
        """By which factor the sheet is printed."""
        if self.setup.fit is None:
            return min(max(self.setup.scale, 10), 400) / 100
        across, down = self.setup.fit
        cuts = [self._cuts(area) for area in self.areas]
        strip = self.strip

        def pages(scale: float) -> tuple[int, int]:
            wide, high = self.room
            room = (wide / scale - strip[0], high / scale - strip[1])
            spans = [(cut_lines(columns, room[0]), cut_lines(rows, room[1])) for columns, rows in cuts]
            over = any(
                sum(columns.sizes[one.first - columns.first : one.last + 1 - columns.first]) > room[0] + 0.05
                for (columns, _), (found, _) in zip(cuts, spans, strict=True)
                for one in found
            )
            # A column that is wider than the page counts as two.
            return max(len(found) for found, _ in spans) + over, sum(len(found) for _, found in spans)

        return fitting_scale(pages, across, down) / 100

    @cached_property
    def strip(self) -> tuple[float, float]:
        """The room that the names of lines take, in the sheet's points."""
        if not self.printed.line_names:
            return 0.0, 0.0
        letters = self.looks.of(0).letters
        last = max(area.bottom for area in self.areas)
        return letters.width("0" * len(str(last))) + 6.0, letters.line

    def pages(self) -> Iterator[LaidPage]:
        """The pages of the sheet in their order. Raises DataError for more than anybody could want."""
        wide, high = self.room
        maker = PageMaker(self)
        for area in self.areas:
            columns, rows = self._cuts(area)
            room = (wide / self.scale - self.strip[0], high / self.scale - self.strip[1])
            across, down = cut_lines(columns, room[0]), cut_lines(rows, room[1])
            if len(across) * len(down) > _MOST_PAGES:
                why = f"it would take {len(across) * len(down):,} pages"
                fault = Fault(
                    f"laying out sheet '{self.sheet.name}'", why, self.book.name, "print a part: --area A1:H40"
                )
                raise DataError(fault)
            if self.setup.across_first:
                yield from (maker.page(one, other) for other in down for one in across)
            else:
                yield from (maker.page(one, other) for one in across for other in down)


def _repeated(lines: tuple[int, int] | None, size: Callable[[int, int], float]) -> Repeated | None:
    return None if lines is None else Repeated(lines[0], lines[1], size(*lines))


def _asked_setup(setup: PageSetup, asked: Asked) -> PageSetup:
    """A sheet's page set-up with what was asked for in its place."""
    if asked.paper is not None:
        setup = replace(setup, paper=asked.paper)
    if asked.landscape is not None:
        setup = replace(setup, orientation="landscape" if asked.landscape else "portrait")
    if asked.fit is not None:
        setup = replace(setup, fit=(1, 0) if asked.fit == "wide" else (1, 1))
    return setup
