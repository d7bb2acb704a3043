"""What is drawn on a sheet, in its place and size: pictures, charts, text boxes and simple shapes."""

from __future__ import annotations

import io
import math
from collections.abc import Iterator
from functools import lru_cache

from tinquire.base.faults import UseError
from tinquire.charts.draw import draw_chart
from tinquire.charts.shapes import Drawing, Path, Point, disc
from tinquire.charts.shapes import Shape as ChartShape
from tinquire.pages.cell_looks import CellLooks
from tinquire.pages.geometry import Grid
from tinquire.pages.lettering import Letters, lines_of
from tinquire.pages.primitives import Areas, Box, Chart, Item, Lines, Pen, Picture
from tinquire.pages.typefaces import Typefaces
from tinquire.workbook import Workbook
from tinquire.workbook.parts.chart_reading import read_chart
from tinquire.workbook.parts.drawn import Anchor, Corner, Drawn, DrawnPicture, DrawnText, Run, Shape
from tinquire.workbook.pivots.clicked import ClickFilter

__all__ = ["LARGEST", "SheetDrawings", "box_of", "drawable"]

#: A frame of no stated size, and the largest that is drawn, in points.
_SIZE, LARGEST = (360.0, 216.0), 6_000.0
_GREY, _PALE, _INK = "8A979C", "E4E9EC", "27343A"
#: Pictures with more points than this are not read.
_MOST_PIXELS = 80_000_000
_DASHES = (3.0, 2.0)
#: The size of a text that states none, and from line to line in parts of the size.
_TEXT, _LINE = 11.0, 1.2


def box_of(anchor: Anchor, grid: Grid) -> Box:
    """Where a frame stands, in points from the sheet's upper left corner, upwards."""
    if anchor.position is not None:
        x, y = anchor.position
    else:
        x, y = _place(anchor.start or Corner(1, 1, 0.0, 0.0), grid)
    if anchor.size is not None:
        wide, high = anchor.size
    elif anchor.end is not None:
        right, bottom = _place(anchor.end, grid)
        wide, high = right - x, bottom - y
    else:
        wide, high = _SIZE
    wide, high = min(max(wide, 0.0), LARGEST), min(max(high, 0.0), LARGEST)
    left, top, across, down = anchor.share
    if grid.right_to_left:  # a frame begins at its upper right corner there
        return Box(-x - (left + across) * wide, -(y + (top + down) * high), wide * across, high * down)
    return Box(x + left * wide, -(y + (top + down) * high), wide * across, high * down)


def _place(corner: Corner, grid: Grid) -> tuple[float, float]:
    """A corner in points to the right and down; a file may place it further than its cell reaches."""
    column, row = corner.column, corner.row
    right = min(corner.right, grid.width(column, column))
    return grid.before(column) + right, grid.top(row) + min(corner.down, grid.height(row, row))


class SheetDrawings:
    """The drawings of one sheet as items in the sheet's points; what cannot be drawn is a frame with its name."""

    def __init__(self, book: Workbook, grid: Grid, looks: CellLooks, faces: Typefaces) -> None:
        self._book, self._grid, self._looks, self._faces = book, grid, looks, faces
        self.problems: list[str] = []

    def items(self, drawn: Drawn) -> tuple[Box, list[Item]]:
        """One drawing: its box and its items."""
        box = box_of(drawn.anchor, self._grid)
        match drawn.content:
            case Shape():
                return box, list(self._shape(drawn.content, box))
            case DrawnPicture():
                return box, self._picture(drawn, drawn.content, box)
            case str():
                return box, self._chart(drawn, drawn.content, box)
            case _:
                self.problems.append(f"'{drawn.name}' is of a kind that is not drawn")
                return box, self._frame(box, drawn.alt or drawn.name)

    def filter_items(self, one: ClickFilter, most: int = 60) -> tuple[Box, list[Item]]:
        """A filter to click as it looks: its heading, and a button for each item, those that are off being pale."""
        area = one.area
        if area is None:
            return Box(0, 0, 0, 0), []
        box = self._grid.box(area)
        items: list[Item] = [Areas("FFFFFF", [box]), _outline(box, Pen(0.75, _GREY))]
        plain, bold = (self._looks.letters("", 0.0, heavy, False, _INK) for heavy in (False, True))
        pale = self._looks.letters("", 0.0, False, False, _GREY)
        top = box.top - 6
        inner, pitch = box.width - 12, plain.line + 4

        def line(text: str, letters: Letters, x: float, room: float) -> None:
            base = top - (pitch - letters.height) / 2 - letters.ascent
            clip = Box(x, top - pitch, room, pitch)
            items.append(letters.put(x, base, text, clip=clip))

        line(one.caption, bold, box.x + 7, inner)
        top -= pitch + 2
        for text, on in one.buttons[:most]:
            if top - pitch < box.y:
                break
            button = Box(box.x + 6, top - pitch + 2, inner, pitch - 2)
            items += [Areas(_PALE, [button])] if on else [_outline(button, Pen(0.5, _PALE))]
            line(text, plain if on else pale, box.x + 12, inner - 12)
            top -= pitch
        return box, items

    def _frame(self, box: Box, text: str) -> list[Item]:
        letters = self._looks.letters("", 0.0, False, False, _GREY)
        room = max(box.width - 12, 1.0)
        items: list[Item] = [_outline(box, Pen(0.75, _GREY))]
        top = box.top - 6
        for line in lines_of([(text, letters)], room):
            for piece in line.pieces:
                base = top - letters.ascent
                items.append(letters.put(box.x + 6, base, piece.text, piece.width, box))
            top -= letters.line
        return items

    def _picture(self, drawn: Drawn, content: DrawnPicture, box: Box) -> list[Item]:
        data = self._book.package.read(content.part)
        made = drawable(data)
        if made is None:
            form = content.part.rpartition(".")[2]
            self.problems.append(f"picture '{drawn.name}': pictures of its form ({form}) are not drawn")
            return self._frame(box, drawn.alt or drawn.name)
        return [Picture(box, made, drawn.alt, content.cut)]

    def _chart(self, drawn: Drawn, part: str, box: Box) -> list[Item]:
        read = read_chart(self._book.package.root(part), self._book.theme)
        name = read.chart.title or drawn.name or "chart"
        if read.unknown:
            self.problems.append(f"chart '{name}': its kind ({', '.join(read.unknown)}) is not drawn")
            return self._frame(box, name)
        try:
            drawing = draw_chart(read.chart, box.width, box.height)
        except UseError as error:
            self.problems.append(f"chart '{name}': {'; '.join(fault.why for fault in error.faults)}")
            return self._frame(box, name)
        faces = (self._faces.of(drawing.font), self._faces.of(drawing.font, True))
        return [Chart(box, drawing, faces, drawn.alt or name)]

    # -- shapes ----------------------------------------------------------------------------------------

    def _shape(self, shape: Shape, box: Box) -> Iterator[Item]:
        paths = list(_paths(shape, box))
        if paths:
            yield Chart(
                box, Drawing(box.width, box.height, tuple(paths), ""), (self._faces.of(self._looks.plain_font),) * 2
            )
        if shape.text is not None:
            yield from self._shape_text(shape.text, box)

    def _run_letters(self, run: Run) -> Letters:
        return self._looks.letters(run.font, run.size or _TEXT, run.bold, run.italic, run.colour, int(run.underline))

    def _shape_text(self, text: DrawnText, box: Box) -> Iterator[Item]:
        left, top, right, bottom = text.inset
        room = max(box.width - left - right, 1.0)
        laid = []
        for paragraph in text.paragraphs:
            runs = [
                (
                    run.text,
                    self._looks.letters(
                        run.font, run.size or 11.0, run.bold, run.italic, run.colour, int(run.underline)
                    ),
                )
                for run in paragraph.runs
            ] or [("", self._looks.letters("", 11.0, False, False, None))]
            laid += [(line, paragraph.across) for line in lines_of(runs, room)]
        heights = [max((piece.letters.height for piece in line.pieces), default=0.0) * _LINE for line, _ in laid]
        free = box.height - top - bottom - sum(heights)
        y = box.top - top - {"center": free / 2, "bottom": free}.get(text.down, 0.0)
        for (line, across), height in zip(laid, heights, strict=True):
            x = box.x + left + {"center": (room - line.width) / 2, "right": room - line.width}.get(across, 0.0)
            ascent = max((piece.letters.ascent for piece in line.pieces), default=0.0)
            for piece in line.pieces:
                letters = piece.letters
                if piece.text.strip():
                    yield letters.put(x, y - ascent, piece.text, piece.width, box)
                x += piece.width
            y -= height


def _outline(box: Box, pen: Pen) -> Lines:
    x, y, right, top = box.x, box.y, box.right, box.top
    return Lines(pen, [(x, y, right, y), (right, y, right, top), (right, top, x, top), (x, top, x, y)])


def _paths(shape: Shape, box: Box) -> Iterator[ChartShape]:
    """The outline of a shape in points from the lower left corner of its frame."""
    wide, high = box.width, box.height
    dashes = _DASHES if shape.dashed else ()
    if shape.kind in ("line", "straightConnector1") or "Connector" in shape.kind:
        if shape.line is None:
            return
        ends = _turned(shape, wide, high, [(0.0, high), (wide, 0.0)])
        yield Path("ML", tuple(ends), None, shape.line, shape.width, dashes)
        return
    if shape.fill is None and shape.line is None:
        return
    if shape.kind == "ellipse":
        round_ = disc(0.0, 0.0, 1.0, "000000")
        points = [(wide / 2 + x * wide / 2, high / 2 + y * high / 2) for x, y in round_.points]
        moves = round_.moves
    elif shape.kind in ("roundRect", "flowChartAlternateProcess", "wedgeRoundRectCallout"):
        moves, points = _rounded(wide, high, min(wide, high) / 6)
    else:
        share = _OUTLINES.get(shape.kind, _OUTLINES["rect"])
        points = [(x * wide, y * high) for x, y in share]
        moves = "M" + "L" * (len(points) - 1) + "Z"
    points = _turned(shape, wide, high, points)
    yield Path(moves, tuple(points), shape.fill, shape.line, shape.width, dashes, shape.opacity)


#: Outlines of simple shapes in shares of their frame, from the lower left corner.
_OUTLINES: dict[str, tuple[Point, ...]] = {
    "rect": ((0, 0), (1, 0), (1, 1), (0, 1)),
    "triangle": ((0, 0), (1, 0), (0.5, 1)),
    "rtTriangle": ((0, 0), (1, 0), (0, 1)),
    "diamond": ((0.5, 0), (1, 0.5), (0.5, 1), (0, 0.5)),
    "flowChartDecision": ((0.5, 0), (1, 0.5), (0.5, 1), (0, 0.5)),
    "parallelogram": ((0, 0), (0.75, 0), (1, 1), (0.25, 1)),
    "hexagon": ((0.25, 0), (0.75, 0), (1, 0.5), (0.75, 1), (0.25, 1), (0, 0.5)),
    "chevron": ((0, 0), (0.7, 0), (1, 0.5), (0.7, 1), (0, 1), (0.3, 0.5)),
    "homePlate": ((0, 0), (0.75, 0), (1, 0.5), (0.75, 1), (0, 1)),
    "rightArrow": ((0, 0.25), (0.6, 0.25), (0.6, 0), (1, 0.5), (0.6, 1), (0.6, 0.75), (0, 0.75)),
    "leftArrow": ((1, 0.25), (0.4, 0.25), (0.4, 0), (0, 0.5), (0.4, 1), (0.4, 0.75), (1, 0.75)),
    "upArrow": ((0.25, 0), (0.75, 0), (0.75, 0.6), (1, 0.6), (0.5, 1), (0, 0.6), (0.25, 0.6)),
    "downArrow": ((0.25, 1), (0.75, 1), (0.75, 0.4), (1, 0.4), (0.5, 0), (0, 0.4), (0.25, 0.4)),
}


def _rounded(wide: float, high: float, radius: float) -> tuple[str, list[Point]]:
    """A rectangle with round corners."""
    reach = radius * (1 - 0.5523)
    points = [
        (radius, 0.0), (wide - radius, 0.0), (wide - reach, 0.0), (wide, reach), (wide, radius), (wide, high - radius),
        (wide, high - reach), (wide - reach, high), (wide - radius, high), (radius, high), (reach, high),
        (0.0, high - reach), (0.0, high - radius), (0.0, radius), (0.0, reach), (reach, 0.0), (radius, 0.0),
    ]  # fmt: skip
    return "MLCLCLCLCZ", points


def _turned(shape: Shape, wide: float, high: float, points: list[Point]) -> list[Point]:
    """Points mirrored and turned around the middle of their frame."""
    across, down = shape.mirrored
    angle = -math.radians(shape.turned)
    cosine, sine = math.cos(angle), math.sin(angle)
    moved = []
    for x, y in points:
        dx, dy = (wide / 2 - x if across else x - wide / 2), (high / 2 - y if down else y - high / 2)
        moved.append((wide / 2 + dx * cosine - dy * sine, high / 2 + dx * sine + dy * cosine))
    return moved


@lru_cache(maxsize=64)
def drawable(data: bytes) -> bytes | None:
    """A picture that pages can hold: a PNG or JPEG as it is, the first frame of others that can be read as a PNG; None
    for what is no picture."""
    from PIL import Image

    try:
        with Image.open(io.BytesIO(data)) as image:
            if image.width * image.height > _MOST_PIXELS:
                return None
            if image.format in ("PNG", "JPEG"):
                image.load()
                return data
            stream = io.BytesIO()
            image.convert("RGBA").save(stream, "PNG")
            return stream.getvalue()
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None
