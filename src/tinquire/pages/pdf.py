"""Pages as a PDF file (ISO 32000-1): text, lines and areas by operators of our own, objects and fonts by ReportLab."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator, Sequence
from datetime import datetime
from functools import cache
from math import cos, radians, sin
from typing import TYPE_CHECKING, Any

from tinquire.charts.shapes import Path
from tinquire.pages.document_fonts import DocumentFonts, Prepared
from tinquire.pages.hatches import ground_of, strokes_of
from tinquire.pages.primitives import (
    Areas,
    Bookmark,
    Box,
    Chart,
    Gradient,
    Item,
    Lines,
    Link,
    Page,
    Pages,
    Pattern,
    Pen,
    Picture,
    Role,
    Text,
    Window,
    words_text,
)  # fmt: skip

if TYPE_CHECKING:
    from tinquire.pages.pdf_shapes import WatchedTexts
    from tinquire.pages.tags import TagTree

__all__ = ["pdf_of", "stretch_of"]

_CREATOR, _VERSION = "Tin Quire", (1, 7)
#: Addresses that a reader may be led to; of others the text stays, and nothing more.
_SAFE = re.compile(r"(?:https?|mailto|ftp):", re.IGNORECASE)
#: Steps in which colours run outwards from an inner rectangle.
_STEPS = 24
#: A difference of width that nobody sees.
_SAME = 0.0015
#: The font that is there from the start of a page: it is never used.
_FIRST_FACE = "Helvetica"


def pdf_of(document: Pages, moment: datetime) -> bytes:
    """A document as a PDF file; the same pages and moment give the same bytes."""
    from reportlab import rl_config
    from reportlab.pdfbase import pdfdoc
    from reportlab.pdfgen.canvas import Canvas

    from tinquire.pages.pdf_shapes import pdf_like, watched_texts
    from tinquire.pages.tags import TagTree, is_tagged

    if (known := pdf_like(document, moment)) is not None:
        return known
    before = rl_config.useA85
    rl_config.useA85 = 0  # it makes a file a quarter larger for nothing
    try:
        stream = io.BytesIO()
        canvas = Canvas(stream, pageCompression=1, invariant=1, lang=document.language or None, pdfVersion=_VERSION)
        _tell_of(canvas, document, moment)
        writer = _Writer(
            canvas, TagTree(canvas) if is_tagged(document) else None, DocumentFonts(canvas._doc, document.pages)
        )
        writer.watched = watched = watched_texts(document)
        for page in document.pages:
            writer.page(page)
        writer.finish()
        signature = canvas._doc.signature.copy()
        canvas.save()
        pdf = stream.getvalue()
        if watched is not None:
            watched.learn(document, moment, pdf, signature)
        return pdf
    except pdfdoc.PDFError as error:  # a fault of ours: no page asks for what a PDF cannot hold
        raise AssertionError(str(error)) from error
    finally:
        rl_config.useA85 = before


def _tell_of(canvas: Any, document: Pages, moment: datetime) -> None:
    canvas.setTitle(document.title)
    canvas.setAuthor(document.author)
    canvas.setSubject(document.subject)
    canvas.setCreator(_CREATOR)
    canvas.setProducer(_CREATOR)
    offset = moment.utcoffset()
    minutes = 0 if offset is None else int(offset.total_seconds()) // 60
    stamp = canvas._doc._timeStamp
    stamp.YMDhms = (moment.year, moment.month, moment.day, moment.hour, moment.minute, moment.second)
    stamp.dhh, stamp.dmm = int(minutes / 60), abs(minutes) % 60
    if any(isinstance(item, Bookmark) and item.title for page in document.pages for item in page.items):
        canvas.showOutline()


def _number(value: float) -> str:
    """A number as short as can be, to a thousandth of a point."""
    text = f"{value:.3f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


@cache
def _colour(colour: str) -> str:
    return " ".join(_number(int(colour[place : place + 2], 16) / 255) for place in (0, 2, 4))


class _Writer:
    """Writes the content of pages; what holds for a whole document is remembered."""

    def __init__(self, canvas: Any, tags: TagTree | None, fonts: DocumentFonts) -> None:
        self._canvas, self._fonts = canvas, fonts
        self.watched: WatchedTexts | None = None
        self._tags = tags
        self._count, self._level = 0, -1
        self._doc = canvas._doc
        self._out: list[str] = []
        #: Texts that were shown before, by face.
        self._shown: dict[tuple[int, str], Prepared] = {}
        self._fill: str | None = None
        self._font: tuple[str, float] | None = None
        self._stretch = 100.0
        #: What was known of the state of drawing when it was saved (8.4.2).
        self._states: list[tuple[str | None, tuple[str, float] | None, float]] = []
        self._place = (1.0, 0.0, 0.0)

    def page(self, page: Page) -> None:
        canvas = self._canvas
        canvas.setPageSize((page.width, page.height))
        canvas._preamble = ""
        self._out = canvas._code = []
        self._fill, self._font, self._stretch = None, None, 100.0
        self._place = (1.0, 0.0, 0.0)
        for item in page.items:
            if isinstance(item, Bookmark):
                canvas.bookmarkPage(item.key, fit="XYZ", left=0, top=item.y)
                if item.title:  # one below a sheet without a name moves up
                    self._level = min(item.level, self._level + 1)
                    canvas.addOutlineEntry(item.title, item.key, self._level)
        if self._tags is not None:
            self._tags.begin_page()
        self._items(page.items)
        name, lines = self._doc.thisPageName(), list(self._out) if self.watched is not None else []
        canvas.showPage()
        if self.watched is not None:
            self.watched.end_page(lines, self._doc.idToObject[name].stream)
        if self._tags is not None:
            self._tags.end_page(self._doc.idToObject[name], self._count)
        self._count += 1

    def finish(self) -> None:
        if self._tags is not None:
            self._tags.finish(self._doc.Catalog)

    def _saved(self) -> None:
        self._out.append("q")
        self._states.append((self._fill, self._font, self._stretch))
        if self.watched is not None:
            self.watched.saved(len(self._out))

    def _restored(self) -> None:
        self._out.append("Q")
        self._fill, self._font, self._stretch = self._states.pop()
        if self.watched is not None:
            self.watched.saved(len(self._out), ends=True)

    def _items(self, items: Sequence[Item]) -> None:
        if self._tags is not None:
            self._tagged(items, self._tags)
            return
        texts: list[Text] = []
        for item in items:
            if isinstance(item, Text) and item.clip is None:
                texts.append(item)
                continue
            if texts:
                self._texts(texts)
                texts = []
            self._item(item)
        if texts:
            self._texts(texts)

    def _tagged(self, items: Sequence[Item], tags: TagTree) -> None:
        """Items one by one, each with what it is; texts of one paragraph together."""
        texts: list[Text] = []

        def show() -> None:
            if texts:
                self._texts(texts)
                self._out.append("EMC")
                texts.clear()

        for item in items:
            if texts and isinstance(item, Text) and item.clip is None and tags.goes_on(item):
                texts.append(item)
                continue
            show()
            if isinstance(item, Role):
                tags.role(item)
            elif isinstance(item, Window | Link | Bookmark):
                self._item(item)
            else:
                self._out.append(tags.opening(item))
                if isinstance(item, Text) and item.clip is None:
                    texts.append(item)
                    continue
                self._item(item)
                self._out.append("EMC")
        show()

    def _item(self, item: Item) -> None:
        match item:
            case Text():
                if item.clip is None:
                    self._texts([item])
                    return
                self._clipped(item.clip)
                self._texts([item])
                self._restored()
            case Areas():
                self._areas(item)
            case Lines():
                self._lines(item.pen, item.ends)
            case Window():
                self._window(item)
            case Chart():
                self._chart(item)
            case Picture():
                self._picture(item)
            case Pattern():
                self._pattern(item)
            case Gradient():
                self._gradient(item)
            case Link():
                self._link(item)
            case _:
                pass  # bookmarks were set before

    def _clipped(self, box: Box) -> None:
        self._saved()
        self._out.append(f"{_box(box)} re W n")

    def _window(self, window: Window) -> None:
        self._clipped(window.clip)
        scale, (x, y) = window.scale, window.origin
        self._out.append(f"{scale:.6g} 0 0 {scale:.6g} {_number(x)} {_number(y)} cm")
        before = self._place
        self._place = (before[0] * scale, before[1] + before[0] * x, before[2] + before[0] * y)
        self._items(window.items)
        self._place = before
        self._restored()

    # -- texts -----------------------------------------------------------------------------------------

    def _texts(self, texts: Sequence[Text]) -> None:
        out, shown, watched = self._out, self._shown, self.watched
        out.append("BT")
        for text in texts:
            if text.colour != self._fill:
                self._fill = text.colour
                out.append(f"{_colour(text.colour)} rg")
            key = (id(text.face), text.text)
            known = shown.get(key)
            if known is None:
                known = shown[key] = self._fonts.prepared(text.face, text.text)
            if text.angle:
                self._turned(text, known)
                continue
            x, y, size, width = text.x, text.y, text.size, text.width
            for share, natural, pieces in known:
                wide, own = width * share, natural * size
                start = len(out)
                if self._stretch != 100.0 or abs(wide - own) > own * _SAME:
                    self._stretched(wide, own)
                if len(pieces) == 1 and self._font == (pieces[0][0], size):
                    out.append(f"1 0 0 1 {x:.2f} {y:.2f} Tm({pieces[0][1]} )Tj")
                else:
                    out.append(f"1 0 0 1 {x:.2f} {y:.2f} Tm")
                    self._show(pieces, size)
                x += wide
                if watched is not None:
                    watched.shown(text, out, start, self._stretch, self._fonts)
        out.append("ET")

    def _turned(self, text: Text, known: Prepared) -> None:
        cosine, sine = cos(radians(text.angle)), sin(radians(text.angle))
        along = 0.0
        for share, natural, pieces in known:
            wide = text.width * share
            start = len(self._out)
            self._stretched(wide, natural * text.size)
            x, y = text.x + along * cosine, text.y + along * sine
            matrix = " ".join(_number(value) for value in (cosine, sine, -sine, cosine, x, y))
            self._out.append(f"{matrix} Tm")
            self._show(pieces, text.size)
            along += wide
            if self.watched is not None:
                self.watched.shown(text, self._out, start, self._stretch, self._fonts)

    def _show(self, pieces: Sequence[tuple[str, str]], size: float) -> None:
        """Show pieces of a text, and a blank behind it, by which programs that read texts tell words apart."""
        last = len(pieces) - 1
        for place, (name, codes) in enumerate(pieces):
            if (name, size) != self._font:
                self._font = (name, size)
                self._out.append(f"{name} {size:g} Tf")
            self._out.append(f"({codes} ) Tj" if place == last else f"({codes}) Tj")

    def _stretched(self, wanted: float, natural: float) -> None:
        """Letters narrower or wider than by nature (9.3.4), where that makes a difference."""
        share = stretch_of(wanted, natural)
        if share != self._stretch:
            self._stretch = share
            self._out.append(f"{share:g} Tz")

    # -- areas and lines -------------------------------------------------------------------------------

    def _filled(self, colour: str) -> None:
        if colour != self._fill:
            self._fill = colour
            self._out.append(f"{_colour(colour)} rg")

    def _areas(self, areas: Areas) -> None:
        if not areas.boxes:
            return
        self._filled(areas.colour)
        self._out += [f"{box.x:.2f} {box.y:.2f} {box.width:.2f} {box.height:.2f} re" for box in areas.boxes]
        self._out.append("f")

    def _pen(self, pen: Pen, caps: int) -> None:
        dashes = " ".join(map(_number, pen.dashes))
        self._out.append(f"{_colour(pen.colour)} RG {_number(pen.width)} w {caps} J [{dashes}] 0 d")

    def _lines(self, pen: Pen, ends: Sequence[tuple[float, float, float, float]]) -> None:
        if not ends:
            return
        # Solid lines reach half their width further, so that they meet at corners.
        self._pen(pen, 0 if pen.dashes else 2)
        self._out += [f"{x1:.2f} {y1:.2f} m {x2:.2f} {y2:.2f} l" for x1, y1, x2, y2 in ends]
        self._out.append("S")

    def _pattern(self, pattern: Pattern) -> None:
        ground = ground_of(pattern)
        if ground is not None:
            self._areas(Areas(ground, [pattern.box]))
        pen, ends = strokes_of(pattern)
        if ends:
            self._clipped(pattern.box)
            self._lines(pen, ends)
            self._restored()

    def _gradient(self, gradient: Gradient) -> None:
        if gradient.inner is not None:
            for colour, box in _outwards(gradient):
                self._areas(Areas(colour, [box]))
            return
        box = gradient.box
        angle = -radians(gradient.angle)
        reach = (abs(box.width * cos(angle)) + abs(box.height * sin(angle))) / 2
        x, y = box.x + box.width / 2, box.y + box.height / 2
        dx, dy = reach * cos(angle), reach * sin(angle)
        self._clipped(box)
        from reportlab.lib.colors import HexColor

        colours = [HexColor(f"#{colour}") for _, colour in gradient.stops]
        places = [share for share, _ in gradient.stops]
        self._canvas.linearGradient(x - dx, y - dy, x + dx, y + dy, colours, places, extend=True)
        self._restored()

    # -- pictures and charts ---------------------------------------------------------------------------

    def _picture(self, picture: Picture) -> None:
        from reportlab.lib.utils import ImageReader

        left, top, right, bottom = picture.cut
        box = picture.box
        wide, high = box.width / max(1 - left - right, 0.01), box.height / max(1 - top - bottom, 0.01)
        self._clipped(box)
        reader = ImageReader(io.BytesIO(picture.content))
        self._canvas.drawImage(reader, box.x - left * wide, box.y - bottom * high, wide, high, mask="auto")
        self._restored()

    def _chart(self, chart: Chart) -> None:
        box, drawing = chart.box, chart.drawing
        self._saved()
        across, down = box.width / max(drawing.width, 0.01), box.height / max(drawing.height, 0.01)
        self._out.append(f"{across:.6g} 0 0 {down:.6g} {_number(box.x)} {_number(box.y)} cm")
        if drawing.font:
            self._areas(Areas(drawing.ground, [Box(0, 0, drawing.width, drawing.height)]))
        texts: list[Text] = []
        for shape in drawing.shapes:
            if isinstance(shape, Path):
                if texts:
                    self._texts(texts)
                    texts = []
                self._path(shape)
            else:
                texts.append(words_text(shape, chart.faces))
        if texts:
            self._texts(texts)
        self._restored()

    def _path(self, path: Path) -> None:
        out = self._out
        opaque = path.opacity >= 1
        if not opaque:
            self._saved()
            self._canvas.setFillAlpha(path.opacity)
            self._canvas.setStrokeAlpha(path.opacity)
            self._fill = None
        if path.fill is not None:
            self._filled(path.fill)
        if path.stroke is not None:
            self._pen(Pen(path.width, path.stroke, path.dashes), 0 if path.dashes else 1)
            out.append("1 j" if len(path.points) > 4 else "0 j")
        for move, points in path.steps():
            places = " ".join(f"{x:.2f} {y:.2f}" for x, y in points)
            out.append("h" if move == "Z" else f"{places} {move.lower()}")
        out.append("B" if path.fill and path.stroke else "f" if path.fill else "S" if path.stroke else "n")
        if not opaque:
            self._restored()
            self._canvas._extgstate._d.clear()  # what was restored is opaque again

    def _link(self, link: Link) -> None:
        scale, x, y = self._place
        box = link.box
        corners = (x + scale * box.x, y + scale * box.y, x + scale * box.right, y + scale * box.top)
        if not link.outside:
            self._canvas.linkAbsolute("", link.target, corners, Border="[0 0 0]")
        elif _SAFE.match(link.target):
            self._canvas.linkURL(link.target, corners)


def stretch_of(wanted: float, natural: float) -> float:
    """By how many hundredths letters are drawn narrower or wider; by none for a difference that nobody sees."""
    same = abs(wanted - natural) <= natural * _SAME or natural <= 0
    return 100.0 if same else round(100 * wanted / natural, 1)


def _box(box: Box) -> str:
    return f"{box.x:.2f} {box.y:.2f} {box.width:.2f} {box.height:.2f}"


def _outwards(gradient: Gradient) -> Iterator[tuple[str, Box]]:
    """A gradient around an inner rectangle (18.8.24) as rectangles within each other, the outermost first."""
    left, right, top, bottom = gradient.inner or (0.5, 0.5, 0.5, 0.5)
    box = gradient.box
    for step in range(_STEPS, -1, -1):
        share = step / _STEPS
        x = box.x + box.width * left * (1 - share)
        end = box.right - box.width * right * (1 - share)
        y = box.y + box.height * bottom * (1 - share)
        high = box.top - box.height * top * (1 - share)
        yield _mixed(gradient.stops, share), Box(x, y, max(end - x, 0.0), max(high - y, 0.0))


def _mixed(stops: Sequence[tuple[float, str]], share: float) -> str:
    """The colour at a share of a run of colours."""
    before = max((stop for stop in stops if stop[0] <= share), default=stops[0])
    after = min((stop for stop in stops if stop[0] >= share), default=stops[-1])
    part = 0.0 if after[0] == before[0] else (share - before[0]) / (after[0] - before[0])
    mixed = []
    for place in (0, 2, 4):
        one, other = int(before[1][place : place + 2], 16), int(after[1][place : place + 2], 16)
        mixed.append(f"{round(one + (other - one) * part):02X}")
    return "".join(mixed)
