"""The cells of a sheet as primitives, in points from the sheet's upper left corner, upwards: fills, lines, bars, texts.

A painter is asked for the cells of one page at a time, so that a sheet of any length costs what a page holds.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Codes
from tinquire.cells.values import Value
from tinquire.looks import Edges
from tinquire.pages.cell_edges import EdgeBook
from tinquire.pages.cell_looks import CellLook, CellLooks
from tinquire.pages.cell_text import PAD, Placed, put_lines, put_stacked, put_turned
from tinquire.pages.geometry import Grid
from tinquire.pages.lettering import Letters
from tinquire.pages.primitives import Areas, Box, Gradient, Item, Pattern, Text
from tinquire.pages.shown import Displayed, displayed, shortened
from tinquire.pages.signs import sign_of
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.marked import CellMarks, MarkedSheet
from tinquire.workbook.inspect.printed import PrintedSheet

__all__ = ["Painter"]

Runs = Sequence[tuple[str, Letters]]
#: A long text runs over at most so many blank cells.
_OVER = 40
_UNMARKED = CellMarks()
#: A bar leaves so much room above and below itself, and grows from the cell's left side.
_BAR = 1.5


@dataclass
class _Layers:
    """What is drawn of a page's cells, from the lowest to the highest."""

    grounds: dict[str, list[Box]] = field(default_factory=lambda: defaultdict(list))
    patterns: list[Item] = field(default_factory=list)
    bars: dict[str, list[Box]] = field(default_factory=lambda: defaultdict(list))
    edges: EdgeBook = field(default_factory=EdgeBook)
    texts: list[Item] = field(default_factory=list)


class _Block:
    """The values and styles of some rows and columns, and of blank-looking neighbours around them."""

    def __init__(self, painter: Painter, area: Area) -> None:
        sheet = painter.sheet
        used = painter.last_column
        self.area = area
        self.first = max(1, area.left - _OVER)
        self.last = min(max(used, area.right), area.right + _OVER)
        columns = range(self.first, self.last + 1)
        self.values = {number: sheet.column(number, area.top, area.bottom).to_list() for number in columns}
        self.styles = {number: painter.styles_of(number, area.top, area.bottom) for number in columns}

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
        self.book, self.sheet, self.printed, self.grid, self.looks = book, sheet, printed, grid, looks
        self.marked, self.slack = marked, slack
        self.last_column = sheet.extent()[1]
        self._column_styles = {
            number: span.style
            for span in printed.columns
            if span.style
            for number in range(span.first, min(span.last, grid.columns) + 1)
        }
        self._merged = {(area.top, area.left): area for area in sheet.merged}
        self._covered: dict[int, list[Area]] = defaultdict(list)
        for area in sheet.merged:
            for row in range(area.top, min(area.bottom, grid.rows) + 1):
                self._covered[row].append(area)
        self._shown: dict[tuple[type, Value, int], Displayed] = {}
        self._marks = marked.columns

    def styles_of(self, column: int, top: int, bottom: int) -> list[int]:
        """The styles of a column's cells: their own, else that of their row, else that of the column."""
        result: Codes = np.full(bottom - top + 1, self._column_styles.get(column, 0), np.int32)
        if self.printed.row_styles:
            for row, style in self.printed.row_styles.items():
                if top <= row <= bottom:
                    result[row - top] = style
        if (cells := self.sheet.columns.get(column)) is not None:
            cut = cells.places(top, bottom)
            result[cells.rows[cut] - top] = cells.styles[cut]
        return result.tolist()

    def merged_at(self, row: int, column: int) -> Area | None:
        """The merged cells that a cell is part of."""
        for area in self._covered.get(row, ()):
            if area.left <= column <= area.right:
                return area
        return None

    def paint(self, area: Area) -> list[Item]:
        """The cells of an area, and texts that run into it."""
        block = _Block(self, area)
        layers = _Layers()
        widths, heights = self.grid.widths, self.grid.heights
        columns = [number for number in range(area.left, area.right + 1) if widths[number]]
        for row in range(area.top, area.bottom + 1):
            if not heights[row]:
                continue
            merged = row in self._covered
            self._runs_in(block, layers, row, -1)
            for column in columns:
                own = self.merged_at(row, column) if merged else None
                if own is not None:
                    self._merged_cell(block, layers, row, column, own)
                else:
                    self._cell(block, layers, row, column)
            self._runs_in(block, layers, row, 1)
        return self._items(layers)

    # -- one cell --------------------------------------------------------------------------------------

    def _cell(self, block: _Block, layers: _Layers, row: int, column: int) -> None:
        place = row - block.area.top
        value, style = block.values[column][place], block.styles[column][place]
        if value is None and not style and column not in self._marks:
            return
        marks = (self.marked.at(row, column) or _UNMARKED) if column in self._marks else _UNMARKED
        look = self.looks.of(style) if marks is _UNMARKED else self.looks.of(style, marks.look)
        if look.has_edges:
            layers.edges.add(row, column, look.look.edges)
            self._diagonals(layers, look, Area(row, column, row, column))
        plain_ground = look.look.fill is not None or look.finish.hatch is not None or look.finish.running is not None
        if value is None and not plain_ground and marks is _UNMARKED:
            return
        grid = self.grid
        x, height = grid.left(column), grid.heights[row]
        box = Box(x, -grid.top(row) - height, grid.widths[column], height)
        if plain_ground:
            _ground(layers, look, box)
        box = self._signs(layers, marks, box, look)
        if value is not None and not marks.hides_value:
            self._text(block, layers, Area(row, column, row, column), value, look, style, box)

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
        self._diagonals(layers, look, own)
        if look.look.fill is not None or look.finish.hatch is not None or look.finish.running is not None:
            _ground(layers, look, box)
        box = self._signs(layers, marks, box, look)
        if value is not None and not marks.hides_value:
            self._text(block, layers, own, value, look, style, box)

    def _diagonals(self, layers: _Layers, look: CellLook, area: Area) -> None:
        for edge, rises in ((look.finish.rising, True), (look.finish.falling, False)):
            if edge is not None:
                layers.edges.across.append((area.top, area.left, area.bottom, area.right, edge, rises))

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

    # -- texts -----------------------------------------------------------------------------------------

    def _shown_value(self, value: Value, look: CellLook) -> Displayed:
        key = (type(value), value, id(look))
        found = self._shown.get(key)
        if found is None:
            if len(self._shown) > 1 << 17:
                self._shown.clear()
            found = displayed(value, look.look.format, self.book.date_system, self.printed.errors)
            self._shown[key] = found
        return found

    def _text(
        self, block: _Block, layers: _Layers, own: Area, value: Value, look: CellLook, style: int, box: Box,
    ) -> None:  # fmt: skip
        shown = self._shown_value(value, look)
        text, letters = shown.text, look.letters
        if shown.colour is not None:
            letters = self.looks.recoloured(letters, shown.colour)
        across = look.across(value)
        rich = self.printed.rich.get((own.top, own.left)) if self.printed.rich else None
        alone = own.height == own.width == 1
        if look.plain and shown.fills is None and rich is None and "\n" not in text and alone:
            self._plain_text(block, layers, own, value, look, letters, shown, across, box)
            return
        if shown.fills is not None:
            text = self._filled(shown, letters, box)
        runs = [(text, letters)] if rich is None else [(run.text, self.looks.rich(look, run)) for run in rich]
        if across == "fill" and text:
            times = max(int((box.width - 2 * PAD) / max(letters.width(text), 0.1)), 1)
            runs = [(text * times, letters)]
        pads = (letters.width(shown.before), letters.width(shown.after))
        placed = Placed(runs, box, across, look, self.slack, *pads)
        if look.finish.stacked:
            layers.texts += put_stacked(placed, box)
        elif look.look.turned:
            layers.texts += put_turned(placed, look.look.turned, None if alone else box)
        elif isinstance(value, float) and not look.look.shrink and not look.look.wrap:
            fitted = self._number(value, text, look, letters, placed.right - placed.left)
            layers.texts += put_lines(
                Placed([(fitted, letters)], box, across, look, self.slack, *pads), box, wraps=False
            )
        elif across == "centerContinuous" and alone:
            whole = self._centred_over(block, own.top, own.left, box)
            layers.texts += put_lines(Placed(runs, whole, across, look, self.slack), whole, wraps=False)
        else:
            clip = box if look.wraps or not alone else self._room(block, own, across, runs, box, look)
            layers.texts += put_lines(placed, clip, wraps=look.wraps)

    def _plain_text(
        self, block: _Block, layers: _Layers, own: Area, value: Value, look: CellLook, letters: Letters,
        shown: Displayed, across: str, box: Box,
    ) -> None:  # fmt: skip
        """The usual case by itself, since most cells are of it: one line in one kind of letters."""
        text, clip = shown.text, None
        wide = letters.width(text)
        before = (
            PAD + (letters.width(shown.before) if shown.before else 0.0) + (look.indent if across == "left" else 0.0)
        )
        after = PAD + (letters.width(shown.after) if shown.after else 0.0) + (look.indent if across == "right" else 0.0)
        room = box.width - before - after
        if wide > room:
            if wide <= room * self.slack:
                wide = room
            elif isinstance(value, float):
                text = self._number(value, text, look, letters, room)
                wide = min(letters.width(text), max(room, 0.1))
            else:
                clip = self._room(block, own, across, ((text, letters),), box, look)
        if not text:
            return
        if across == "right":
            x = box.right - after - wide
        elif across == "center":
            x = box.x + before + (room - wide) / 2
        else:
            x = box.x + before
        pitch, high = letters.line, letters.height
        valign = look.look.valign
        if valign == "center":
            y = box.y + (box.height - high) / 2 + letters.descent
        elif valign == "top":
            y = box.top - (pitch + high) / 2 + letters.descent
        else:
            y = box.y + (pitch - high) / 2 + letters.descent
        if clip is None and high > box.height + 1:
            clip = box
        layers.texts.append(letters.put(x, y, text, wide, clip))

    def _number(self, value: float, text: str, look: CellLook, letters: Letters, room: float) -> str:
        """A number that fits: as it is, in General form with fewer digits, or else filled with signs."""
        if letters.width(text) <= room * self.slack:
            return text
        digit = max(letters.face.digit * letters.size, 0.1)
        if look.look.format.casefold() == "general":
            for most in range(int(room * self.slack / digit) + 1, 0, -1):
                shorter = shortened(value, most)
                if shorter is not None and letters.width(shorter) <= room * self.slack:
                    return shorter
        return "#" * max(int(room / max(letters.width("#"), 0.1)), 1)

    def _filled(self, shown: Displayed, letters: Letters, box: Box) -> str:
        """A text with the letter that its format repeats between its two parts."""
        assert shown.fills is not None
        head, letter = shown.fills
        room = box.width - 2 * PAD - letters.width(head + shown.text + shown.before + shown.after)
        times = int(room / max(letters.width(letter), 0.1)) if letter else 0
        return head + letter * max(times, 0) + shown.text

    def _room(self, block: _Block, own: Area, across: str, runs: Runs, box: Box, look: CellLook) -> Box:
        """Where a long text may be drawn: over its own cell, and over blank neighbours as far as it needs."""
        wide = sum(letters.width(text) for text, letters in runs) + 2 * PAD + look.indent
        more = wide - box.width
        if more <= 0:
            return box
        left, right = box.x, box.right
        if across in ("left", "center", "general", "justify"):
            right = self._reach(block, own, 1, more if across != "center" else more / 2, box.right)
        if across in ("right", "center"):
            left = self._reach(block, own, -1, more if across != "center" else more / 2, box.x)
        return Box(left, box.y, right - left, box.height)

    def _reach(self, block: _Block, own: Area, side: int, needed: float, start: float) -> float:
        """How far a text reaches over blank neighbours to the left (-1) or to the right (1)."""
        reached, got = start, 0.0
        step = -side if self.grid.right_to_left else side
        row, column = own.top, (own.right if step > 0 else own.left) + step
        while got < needed and block.first <= column <= max(block.last, self.grid.columns):
            if block.value(row, column) is not None or self.merged_at(row, column) is not None:
                break
            wide = self.grid.widths[column] if column <= self.grid.columns else 0.0
            got += wide
            reached += side * wide
            column += step
        return reached

    def _centred_over(self, block: _Block, row: int, column: int, box: Box) -> Box:
        """The box of a cell whose text is centred over it and the blank cells after it that ask for the same."""
        last = column
        following = column + 1
        while following <= block.last and block.value(row, following) is None:
            if self.looks.of(block.styles[following][row - block.area.top]).look.align != "centerContinuous":
                break
            last = following
            following += 1
        return Box(self.grid.left(column, last), box.y, self.grid.width(column, last), box.height)

    def _runs_in(self, block: _Block, layers: _Layers, row: int, side: int) -> None:
        """Texts of cells beside the area that run over into it: from columns before (-1) or after it (1)."""
        area = block.area
        column = area.left - 1 if side < 0 else area.right + 1
        first = area.left if side < 0 else area.right
        if block.value(row, first) is not None or self.merged_at(row, first) is not None:
            return
        place = row - area.top
        while block.first <= column <= block.last:
            value = block.values[column][place]
            if value is not None:
                break
            column += side
        else:
            return
        if not isinstance(value, str) or self.merged_at(row, column) is not None or not self.grid.widths[column]:
            return
        style = block.styles[column][place]
        look = self.looks.of(style)
        if look.wraps or look.look.turned or look.finish.stacked or look.look.shrink:
            return
        box = self.grid.box(Area(row, column, row, column))
        own = _Layers()
        self._text(block, own, Area(row, column, row, column), value, look, style, box)
        seen = self.grid.box(area)
        for item in own.texts:
            if not isinstance(item, Text) or not _overlaps(item.x, item.x + item.width, seen):
                continue
            if item.clip is None or _overlaps(item.clip.x, item.clip.right, seen):
                layers.texts.append(item)

    # -- layers ----------------------------------------------------------------------------------------

    def _items(self, layers: _Layers) -> list[Item]:
        items: list[Item] = [Areas(colour, list(_stacked(boxes))) for colour, boxes in layers.grounds.items()]
        items += layers.patterns
        items += [Areas(colour, boxes) for colour, boxes in layers.bars.items()]
        items += layers.edges.lines(self.grid)
        return items + layers.texts


def _overlaps(x: float, right: float, box: Box) -> bool:
    return x < box.right and right > box.x


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
        if last is not None and last.y == box.y and last.height == box.height and abs(last.right - box.x) < 1e-6:
            boxes[-1] = Box(last.x, last.y, box.right - last.x, box.height)
        else:
            boxes.append(box)


def _stacked(boxes: list[Box]) -> Iterator[Box]:
    """Boxes of one colour; those that stand exactly below each other as one."""
    open_: dict[tuple[float, float], Box] = {}
    for box in boxes:
        key = (box.x, box.width)
        above = open_.get(key)
        if above is not None and abs(above.y - box.top) < 1e-6:
            open_[key] = Box(box.x, box.y, box.width, above.top - box.y)
        else:
            if above is not None:
                yield above
            open_[key] = box
    yield from open_.values()
