"""The cells of a sheet as primitives, in points from the sheet's first corner, upwards: fills, lines, bars, texts.

A painter is asked for the cells of one page at a time, so that a sheet of any length costs what a page holds.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Codes
from tinquire.cells.values import Value
from tinquire.looks import Edges
from tinquire.pages.cell_edges import EdgeBook
from tinquire.pages.cell_looks import CellLook, CellLooks
from tinquire.pages.cell_text import PAD
from tinquire.pages.geometry import Grid
from tinquire.pages.primitives import Areas, Box, Gradient, Item, Pattern, Role, Text
from tinquire.pages.signs import sign_of
from tinquire.pages.text_placer import Around, Ready, TextPlacer
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.marked import CellMarks, MarkedSheet
from tinquire.workbook.inspect.printed import PrintedSheet

__all__ = ["Painter"]

#: A long text runs over at most so many blank cells.
_OVER = 40
_UNMARKED = CellMarks()
#: A bar leaves so much room above and below itself, and grows from the cell's left side.
_BAR = 1.5
_NOTHING = 1e-6
#: What comes after it is a row of a table.
_ROW = Role("row")


@dataclass
class _Layers:
    """What is drawn of a page's cells, from the lowest to the highest."""

    grounds: dict[str, list[Box]] = field(default_factory=lambda: defaultdict(list))
    patterns: list[Item] = field(default_factory=list)
    bars: dict[str, list[Box]] = field(default_factory=lambda: defaultdict(list))
    edges: EdgeBook = field(default_factory=EdgeBook)
    texts: list[Item] = field(default_factory=list)


class _Block:
    """The values and styles of some rows and columns, and of neighbours around them."""

    def __init__(self, painter: Painter, area: Area) -> None:
        sheet = painter.sheet
        self.area = area
        self.first = max(1, area.left - _OVER)
        self.last = min(max(painter.last_column, area.right), area.right + _OVER)
        columns = range(self.first, self.last + 1)
        self.values = {number: sheet.column(number, area.top, area.bottom).to_list() for number in columns}
        self.styles = {number: painter.styles_of(number, area.top, area.bottom) for number in columns}
        self.around = Around(
            self.first, self.last, self.value, painter.merged_at,
            lambda row, column: painter.look_of(self.styles[column][row - area.top]),
        )  # fmt: skip

    def value(self, row: int, column: int) -> Value:
        values = self.values.get(column)
        return None if values is None else values[row - self.area.top]


class Painter:
    """Draws the cells of one sheet."""

    def __init__(
        self, book: Workbook, sheet: Sheet, printed: PrintedSheet, grid: Grid, looks: CellLooks, marked: MarkedSheet,
        slack: float,
    ) -> None:  # fmt: skip
        """`slack` is by which factor text may be drawn narrower where it would not fit else."""
        self.sheet, self.printed, self.grid, self.looks, self.marked = sheet, printed, grid, looks, marked
        self.last_column = sheet.extent()[1]
        self._texts = TextPlacer(book.date_system, printed, grid, looks, slack)
        self._column_styles = {
            number: span.style
            for span in printed.columns
            if span.style
            for number in range(span.first, min(span.last, grid.columns) + 1)
        }
        self._covered: dict[int, list[Area]] = defaultdict(list)
        for area in sheet.merged:
            for row in range(area.top, min(area.bottom, grid.rows) + 1):
                self._covered[row].append(area)
        self._marks = marked.columns
        self._looks: dict[int, CellLook] = {}

    def look_of(self, style: int) -> CellLook:
        """The look of a style that no mark changes."""
        found = self._looks.get(style)
        if found is None:
            found = self._looks[style] = self.looks.of(style)
        return found

    def styles_of(self, column: int, top: int, bottom: int) -> list[int]:
        """The styles of a column's cells: their own, else that of their row, else that of the column."""
        result: Codes = np.full(bottom - top + 1, self._column_styles.get(column, 0), np.int32)
        for row, style in self.printed.row_styles.items():
            if top <= row <= bottom:
                result[row - top] = style
        if (cells := self.sheet.columns.get(column)) is not None:
            cut = cells.places(top, bottom)
            result[cells.rows[cut] - top] = cells.styles[cut]
        return result.tolist()

    def merged_at(self, row: int, column: int) -> Area | None:
        """The merged cells that a cell is part of."""
        if row not in self._covered:
            return None
        return next((area for area in self._covered[row] if area.left <= column <= area.right), None)

    def paint(self, area: Area, beyond: float = 0.0) -> list[Item]:
        """The cells of an area, and texts that run into it; these may be seen `beyond` its last column, in points."""
        block, layers, grid = _Block(self, area), _Layers(), self.grid
        places = [
            (n, grid.left(n), grid.widths[n], block.values[n], block.styles[n], n in self._marks)
            for n in range(area.left, area.right + 1)
            if grid.widths[n]
        ]
        for row in range(area.top, area.bottom + 1):
            height = grid.heights[row]
            if not height:
                continue
            at, bottom = row - area.top, -grid.top(row) - height
            merged = row in self._covered
            layers.texts.append(_ROW)
            self._runs_in(block, layers, row, -1)
            for column, x, wide, values, styles, has_marks in places:
                value, style = values[at], styles[at]
                if merged and (own := self.merged_at(row, column)) is not None:
                    self._merged_cell(block, layers, row, column, own)
                    continue
                if value is None and not style and not has_marks:
                    continue
                marks = self.marked.at(row, column) if has_marks else None
                look = self.look_of(style) if marks is None else self.looks.of(style, marks.look)
                if look.has_edges:
                    layers.edges.add(row, column, look.look.edges)
                if marks is None and self._quick(layers, value, look, x, bottom, wide, height):
                    continue
                own = Area(row, column, row, column)
                self._cell(block, layers, own, value, look, marks, Box(x, bottom, wide, height))
            self._runs_in(block, layers, row, 1)
        seen = grid.box(area)
        return self._items(layers, seen._replace(width=seen.width + beyond))

    # -- one cell --------------------------------------------------------------------------------------

    def _quick(
        self, layers: _Layers, value: Value, look: CellLook, x: float, y: float, wide: float, high: float
    ) -> bool:  # fmt: skip
        """Draw a cell whose value was shown in this look before, and fits: most cells are of this kind. False for one
        that is not."""
        if look.is_crossed:
            return False
        if value is not None:
            ready = None if value.__class__ is bool or self.printed.rich else look.ready.get(value)
            if ready.__class__ is not Ready:
                return False
            room = wide - ready.before - ready.after - ready.width
            if room < 0 or ready.height > high + 1:
                return False
            at_x, at_y = x + ready.before + room * ready.side, y + high * ready.down + ready.shift
            layers.texts.append(Text(at_x, at_y, ready.text, ready.face, ready.size, ready.colour, ready.width))
        if look.has_ground:
            _ground(layers, look, Box(x, y, wide, high))
        return True

    def _cell(
        self, block: _Block, layers: _Layers, own: Area, value: Value, look: CellLook, marks: CellMarks | None,
        box: Box,
    ) -> None:  # fmt: skip
        """A cell that is not merged, save its lines."""
        if look.is_crossed:
            _diagonals(layers, look, own)
        if look.has_ground:
            _ground(layers, look, box)
        if marks is not None:
            box = self._signs(layers, marks, box, look)
            if marks.hides_value:
                return
        if value is not None:
            self._texts.put(block.around, layers.texts, own, value, look, box)

    def _merged_cell(self, block: _Block, layers: _Layers, row: int, column: int, own: Area) -> None:
        """A cell of a merged area: its ground and text are drawn once on a page, its lines only around the area."""
        style = block.styles[column][row - block.area.top]
        marks = (self.marked.at(row, column) or _UNMARKED) if column in self._marks else _UNMARKED
        look = self.looks.of(style, marks.look)
        if look.has_edges:
            edges = look.look.edges
            kept = Edges(
                edges.top if row == own.top else None, edges.bottom if row == own.bottom else None,
                edges.left if column == own.left else None, edges.right if column == own.right else None,
            )  # fmt: skip
            layers.edges.add(row, column, kept)
        area = block.area
        if row != max(own.top, area.top) or column != max(own.left, area.left):
            return
        value = self.sheet.value(own.top, own.left)
        style = self.styles_of(own.left, own.top, own.top)[0]
        marks = (self.marked.at(own.top, own.left) or _UNMARKED) if own.left in self._marks else _UNMARKED
        look = self.looks.of(style, marks.look)
        box = self.grid.box(own)
        _diagonals(layers, look, own)
        if look.has_ground:
            _ground(layers, look, box)
        box = self._signs(layers, marks, box, look)
        if value is not None and not marks.hides_value:
            self._texts.put(block.around, layers.texts, own, value, look, box)

    def _signs(self, layers: _Layers, marks: CellMarks, box: Box, look: CellLook) -> Box:
        """The bar and the sign of a cell; returns the room that is left for its value."""
        if marks.bar is not None:
            colour, share = marks.bar
            width = max(box.width - 2, 0.0) * min(max(share, 0.0), 1.0)
            if width > 0:
                high = max(box.height - 2 * _BAR, 1.0)
                layers.bars[colour].append(Box(box.x + 1, box.y + (box.height - high) / 2, width, high))
        if marks.sign is not None:
            letter, colour = sign_of(*marks.sign)
            letters = self.looks.letters("DejaVu Sans", look.letters.size, False, False, colour)
            base = box.y + (box.height - letters.height) / 2 + letters.descent
            wide = letters.width(letter)
            layers.texts.append(letters.put(box.x + PAD, base, letter, wide))
            if not marks.hides_value:
                box = Box(box.x + wide + PAD, box.y, max(box.width - wide - PAD, 1.0), box.height)
        return box

    def _runs_in(self, block: _Block, layers: _Layers, row: int, side: int) -> None:
        """Texts of cells beside the area that run over into it: from columns before (-1) or after it (1)."""
        area = block.area
        column = area.left - 1 if side < 0 else area.right + 1
        if not block.first <= column <= block.last:
            return
        first = area.left if side < 0 else area.right
        if block.value(row, first) is not None or self.merged_at(row, first) is not None:
            return
        at = row - area.top
        while block.first <= column <= block.last and block.values[column][at] is None:
            column += side
        if not block.first <= column <= block.last:
            return
        value = block.values[column][at]
        if not isinstance(value, str) or self.merged_at(row, column) is not None or not self.grid.widths[column]:
            return
        look = self.look_of(block.styles[column][at])
        if look.wraps or look.look.turned or look.finish.stacked or look.look.shrink:
            return
        own = Area(row, column, row, column)
        found: list[Item] = []
        self._texts.put(block.around, found, own, value, look, self.grid.box(own))
        seen = self.grid.box(area)
        for item in found:
            if not isinstance(item, Text) or not _overlaps(item.x, item.x + item.width, seen):
                continue
            if item.clip is None or _overlaps(item.clip.x, item.clip.right, seen):
                layers.texts.append(item)

    # -- layers ----------------------------------------------------------------------------------------

    def _items(self, layers: _Layers, seen: Box) -> list[Item]:
        items: list[Item] = [Areas(colour, list(_stacked(boxes))) for colour, boxes in layers.grounds.items()]
        items += layers.patterns
        items += [Areas(colour, boxes) for colour, boxes in layers.bars.items()]
        items += layers.edges.lines(self.grid)
        return items + [_cut_at_page(item, seen) for item in layers.texts]


def _cut_at_page(item: Item, seen: Box) -> Item:
    """A text that runs beyond what a page shows is cut there: its rest is on the next one."""
    if not isinstance(item, Text) or item.angle or item.clip is None:
        return item
    x, right = max(item.clip.x, seen.x), min(item.clip.right, seen.right)
    return item._replace(clip=Box(x, item.clip.y, max(right - x, 0.0), item.clip.height))


def _overlaps(x: float, right: float, box: Box) -> bool:
    return x < box.right and right > box.x


def _diagonals(layers: _Layers, look: CellLook, area: Area) -> None:
    for edge, rises in ((look.finish.rising, True), (look.finish.falling, False)):
        if edge is not None:
            layers.edges.across.append((area.top, area.left, area.bottom, area.right, edge, rises))


def _ground(layers: _Layers, look: CellLook, box: Box) -> None:
    finish = look.finish
    if finish.hatch is not None:
        layers.patterns.append(Pattern(box, finish.hatch.name, finish.hatch.colour, finish.hatch.ground))
    elif finish.running is not None:
        layers.patterns.append(Gradient(box, finish.running.stops, finish.running.angle, finish.running.inner))
    elif look.look.fill is not None:
        boxes = layers.grounds[look.look.fill]
        last = boxes[-1] if boxes else None
        # Neighbours of one colour are one area, so that no seam shows between them.
        if last is not None and last.y == box.y and last.height == box.height and abs(last.right - box.x) < _NOTHING:
            boxes[-1] = Box(last.x, last.y, box.right - last.x, box.height)
        else:
            boxes.append(box)


def _stacked(boxes: list[Box]) -> Iterator[Box]:
    """Boxes of one colour; those that stand exactly below each other as one."""
    open_: dict[tuple[float, float], Box] = {}
    for box in boxes:
        key = (box.x, box.width)
        above = open_.get(key)
        if above is not None and abs(above.y - box.top) < _NOTHING:
            open_[key] = Box(box.x, box.y, box.width, above.top - box.y)
        else:
            if above is not None:
                yield above
            open_[key] = box
    yield from open_.values()
