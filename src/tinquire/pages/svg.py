"""One page as an SVG file (SVG 1.1): shapes and pictures as they are, letters as text in the font that drew them."""

from __future__ import annotations

import base64
import html
from collections.abc import Iterator, Sequence
from itertools import count
from math import cos, radians, sin

from tinquire.charts.shapes import Path
from tinquire.pages.hatches import ground_of, strokes_of
from tinquire.pages.primitives import (
    Areas,
    Box,
    Chart,
    Gradient,
    Item,
    Lines,
    Link,
    Page,
    Pattern,
    Pen,
    Picture,
    Text,
    Window,
    words_text,
)  # fmt: skip

__all__ = ["svg_of"]

_SAFE = ("http:", "https:", "mailto:", "ftp:")


def svg_of(page: Page, title: str = "") -> bytes:
    """A page as an SVG file of the same size in points; the same page gives the same bytes."""
    writer = _Writer()
    body = "\n".join(writer.items(page.items))
    head = f"<title>{html.escape(title)}</title>\n" if title else ""
    size = f'width="{page.width:g}pt" height="{page.height:g}pt" viewBox="0 0 {page.width:g} {page.height:g}"'
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" {size}>\n{head}<rect width="100%" height="100%" fill="#FFFFFF"/>\n'
        f'<g transform="matrix(1 0 0 -1 0 {page.height:g})">\n{body}\n</g>\n</svg>\n'
    ).encode()


def _n(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")


class _Writer:
    """Writes items in a ground whose heights count upwards; texts are turned round again."""

    def __init__(self) -> None:
        self._names = count(1)

    def items(self, items: Sequence[Item]) -> Iterator[str]:
        for item in items:
            match item:
                case Text():
                    yield self._text(item)
                case Areas():
                    yield from (_rectangle(box, item.colour) for box in item.boxes)
                case Lines():
                    yield from _lines(item.pen, item.ends)
                case Window():
                    yield from self._window(item)
                case Chart():
                    yield from self._chart(item)
                case Picture():
                    yield self._picture(item)
                case Pattern():
                    yield from self._pattern(item)
                case Gradient():
                    yield from self._gradient(item)
                case Link():
                    yield _link(item)
                case _:
                    pass

    def _clip(self, box: Box) -> tuple[str, str]:
        """The markup of a clip, and the attribute that uses it."""
        name = f"c{next(self._names)}"
        return f'<clipPath id="{name}">{_rectangle(box, None)}</clipPath>', f'clip-path="url(#{name})"'

    def _window(self, window: Window) -> Iterator[str]:
        made, used = self._clip(window.clip)
        x, y = window.origin
        scale = f"{window.scale:.6g}"
        yield f'{made}<g {used}><g transform="matrix({scale} 0 0 {scale} {_n(x)} {_n(y)})">'
        yield from self.items(window.items)
        yield "</g></g>"

    def _text(self, text: Text) -> str:
        angle = radians(text.angle)
        matrix = (cos(angle), sin(angle), sin(angle), -cos(angle), text.x, text.y)
        face = text.face.face
        name, _, style = face.name.partition("/")
        weight = ' font-weight="bold"' if "bold" in style else ""
        shown = html.escape(_printable(text.text), quote=False)
        slant = ' font-style="italic"' if "italic" in style else ""
        made = (
            f'<text transform="matrix({" ".join(map(_n, matrix))})" font-family="{html.escape(name)}, sans-serif" '
            f'font-size="{text.size:g}"{weight}{slant} fill="#{text.colour}" textLength="{_n(text.width)}" '
            f'lengthAdjust="spacingAndGlyphs" xml:space="preserve">{shown}</text>'
        )
        if text.clip is None:
            return made
        clip, used = self._clip(text.clip)
        return f"{clip}<g {used}>{made}</g>"

    def _chart(self, chart: Chart) -> Iterator[str]:
        box, drawing = chart.box, chart.drawing
        across, down = box.width / max(drawing.width, 0.01), box.height / max(drawing.height, 0.01)
        yield f'<g transform="matrix({across:.6g} 0 0 {down:.6g} {_n(box.x)} {_n(box.y)})">'
        if chart.alt:
            yield f"<title>{html.escape(_printable(chart.alt))}</title>"
        if drawing.font:
            yield _rectangle(Box(0, 0, drawing.width, drawing.height), drawing.ground)
        for shape in drawing.shapes:
            yield _path(shape) if isinstance(shape, Path) else self._text(words_text(shape, chart.faces))
        yield "</g>"

    def _picture(self, picture: Picture) -> str:
        left, top, right, bottom = picture.cut
        box = picture.box
        wide, high = box.width / max(1 - left - right, 0.01), box.height / max(1 - top - bottom, 0.01)
        form = "jpeg" if picture.content.startswith(b"\xff\xd8") else "png"
        data = base64.b64encode(picture.content).decode()
        clip, used = self._clip(box)
        x, y = box.x - left * wide, box.y - bottom * high
        return (
            f'{clip}<g {used}><image transform="matrix(1 0 0 -1 {_n(x)} {_n(y + high)})" width="{_n(wide)}" '
            f'height="{_n(high)}" preserveAspectRatio="none" href="data:image/{form};base64,{data}">'
            f"<title>{html.escape(_printable(picture.alt))}</title></image></g>"
        )

    def _pattern(self, pattern: Pattern) -> Iterator[str]:
        if (ground := ground_of(pattern)) is not None:
            yield _rectangle(pattern.box, ground)
        pen, ends = strokes_of(pattern)
        if ends:
            clip, used = self._clip(pattern.box)
            yield f"{clip}<g {used}>{''.join(_lines(pen, ends))}</g>"

    def _gradient(self, gradient: Gradient) -> Iterator[str]:
        name = f"g{next(self._names)}"
        stops = "".join(f'<stop offset="{share:g}" stop-color="#{colour}"/>' for share, colour in gradient.stops)
        if gradient.inner is None:
            angle = -radians(gradient.angle)
            x, y = cos(angle) / 2, sin(angle) / 2
            ends = f'x1="{_n(0.5 - x)}" y1="{_n(0.5 - y)}" x2="{_n(0.5 + x)}" y2="{_n(0.5 + y)}"'
            yield f'<linearGradient id="{name}" {ends}>{stops}</linearGradient>'
        else:
            left, _, top, _ = gradient.inner
            yield f'<radialGradient id="{name}" cx="{left:g}" cy="{1 - top:g}" r="1">{stops}</radialGradient>'
        yield _rectangle(gradient.box, None).replace("/>", f' fill="url(#{name})"/>')


def _printable(text: str) -> str:
    """Text without characters that XML forbids."""
    return "".join(letter for letter in text if letter.isprintable() or letter in "\t\n")


def _rectangle(box: Box, colour: str | None) -> str:
    fill = "" if colour is None else f' fill="#{colour}"'
    return f'<rect x="{_n(box.x)}" y="{_n(box.y)}" width="{_n(box.width)}" height="{_n(box.height)}"{fill}/>'


def _stroke(pen: Pen) -> str:
    dashes = f' stroke-dasharray="{" ".join(map(_n, pen.dashes))}"' if pen.dashes else ' stroke-linecap="square"'
    return f'stroke="#{pen.colour}" stroke-width="{pen.width:g}"{dashes}'


def _lines(pen: Pen, ends: Sequence[tuple[float, float, float, float]]) -> Iterator[str]:
    path = "".join(f"M{_n(x1)} {_n(y1)}L{_n(x2)} {_n(y2)}" for x1, y1, x2, y2 in ends)
    yield f'<path d="{path}" {_stroke(pen)} fill="none"/>'


def _path(path: Path) -> str:
    pieces = [move + " ".join(f"{_n(x)} {_n(y)}" for x, y in points) for move, points in path.steps()]
    fill = f'fill="#{path.fill}"' if path.fill else 'fill="none"'
    stroke = f" {_stroke(Pen(path.width, path.stroke, path.dashes))}" if path.stroke else ""
    opacity = f' opacity="{path.opacity:g}"' if path.opacity < 1 else ""
    return f'<path d="{"".join(pieces)}" {fill}{stroke}{opacity}/>'


def _link(link: Link) -> str:
    if not link.outside or not link.target.casefold().startswith(_SAFE):
        return ""
    box = link.box
    return (
        f'<a href="{html.escape(link.target)}"><rect x="{_n(box.x)}" y="{_n(box.y)}" width="{_n(box.width)}" '
        f'height="{_n(box.height)}" fill-opacity="0"/></a>'
    )
