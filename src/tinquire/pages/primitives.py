"""What pages are made of: texts, lines, areas, paths, pictures, links and bookmarks, for any output to draw.

Places are points from the lower left corner of what holds them: of the page, or of a window on it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from math import cos, radians, sin
from typing import NamedTuple

from tinquire.charts.shapes import Drawing, Words
from tinquire.pages.typefaces import Typeface

__all__ = [
    "Areas", "Bookmark", "Box", "Chart", "Gradient", "Item", "Lines", "Link", "Page", "Pages", "Pattern", "Pen",
    "Picture", "Role", "Spot", "Text", "Window", "all_items", "words_text",
]  # fmt: skip


class Box(NamedTuple):
    """A rectangle: its lower left corner, width and height."""

    x: float
    y: float
    width: float
    height: float

    @property
    def right(self) -> float:
        return self.x + self.width

    @property
    def top(self) -> float:
        return self.y + self.height


class Pen(NamedTuple):
    """How a line is drawn: its width, its colour (RGB, six hex digits), and lengths of dashes and gaps."""

    width: float
    colour: str
    dashes: tuple[float, ...] = ()


class Text(NamedTuple):
    """One line of text from a point on its base line: `width` is what it takes, narrower or wider than it is by
    nature; `angle` is in degrees, counter-clockwise around the point; what lies outside `clip` is not drawn."""

    x: float
    y: float
    text: str
    face: Typeface
    size: float
    colour: str
    width: float
    angle: float = 0.0
    clip: Box | None = None


@dataclass(frozen=True, slots=True)
class Lines:
    """Straight lines of one pen, each from a point to another."""

    pen: Pen
    ends: list[tuple[float, float, float, float]]


@dataclass(frozen=True, slots=True)
class Areas:
    """Rectangles of one colour."""

    colour: str
    boxes: list[Box]


@dataclass(frozen=True, slots=True)
class Pattern:
    """A rectangle hatched or dotted (ECMA-376 Part 1, 18.18.55) with one colour over another."""

    box: Box
    name: str
    colour: str
    ground: str | None


@dataclass(frozen=True, slots=True)
class Gradient:
    """A rectangle whose colour runs along a direction, in degrees clockwise from the right (18.8.24), or from an inner
    rectangle (shares from left, right, top and bottom) outwards; stops are shares and colours."""

    box: Box
    stops: tuple[tuple[float, str], ...]
    angle: float = 0.0
    inner: tuple[float, float, float, float] | None = None


@dataclass(frozen=True, slots=True)
class Picture:
    """The bytes of a PNG, JPEG or GIF file in a rectangle."""

    box: Box
    content: bytes
    alt: str = ""
    #: The parts cut off at left, top, right and bottom, in shares.
    cut: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True)
class Chart:
    """A drawing in a rectangle, in the font that its typefaces are of: plain and bold."""

    box: Box
    drawing: Drawing
    faces: tuple[Typeface, Typeface]
    alt: str = ""


@dataclass(frozen=True, slots=True)
class Link:
    """A rectangle that leads outside, to an address, or to a bookmark of the document by its key."""

    box: Box
    target: str
    outside: bool


@dataclass(frozen=True, slots=True)
class Bookmark:
    """A place that the list of contents and links lead to: a key of its own, a title and a level from 0, and how high
    on the page. One without a title is no part of the list."""

    key: str
    title: str
    level: int
    y: float


@dataclass(frozen=True, slots=True)
class Role:
    """What follows is, until the next role: a 'row' of a table, each text a cell of it; a 'cell' of the row, with
    paragraphs of its own; a 'paragraph' or 'heading 2', which may go on overleaf; other 'text'; or nothing that is read
    aloud ('aside'). 'table' begins another table, and 'body' is behind the row."""

    name: str


class Spot(NamedTuple):
    """Where a line of a paragraph that changes from letter to letter begins or ends: the paragraph's number and its
    line, and by what it was moved, one after the other. Spots are taken out of pages that are done."""

    paragraph: int
    line: int
    ends: bool = False
    moves: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Window:
    """Items seen through a rectangle, drawn `scale` times as large from `origin` in the holder's points."""

    clip: Box
    origin: tuple[float, float]
    scale: float
    items: list[Item]


Item = Text | Lines | Areas | Pattern | Gradient | Picture | Chart | Link | Bookmark | Role | Spot | Window


@dataclass
class Page:
    """A page of a width and height in points, and what is drawn on it, in order."""

    width: float
    height: float
    items: list[Item] = field(default_factory=list)


@dataclass(frozen=True, eq=False)
class Alike:
    """What pages share that differ in texts alone: where these are, as numbers of page and item. `kept` is for what
    an output knows of them."""

    places: tuple[tuple[int, int], ...]
    kept: dict[object, object] = field(default_factory=dict)


@dataclass
class Pages:
    """A document: its pages and what is said of it. `language` is a tag such as 'en' (BCP 47)."""

    pages: list[Page]
    title: str = ""
    author: str = ""
    subject: str = ""
    language: str = ""
    #: Those that it is like, but for some texts.
    like: Alike | None = None


def all_items(items: list[Item]) -> Iterator[Item]:
    """Items, and those within windows."""
    for item in items:
        yield item
        if isinstance(item, Window):
            yield from all_items(item.items)


def words_text(words: Words, faces: tuple[Typeface, Typeface]) -> Text:
    """Words of a drawing as a text of the page."""
    face = faces[words.bold]
    wide = face.width(words.text) * words.size
    back = {"center": wide / 2, "right": wide}.get(words.across, 0.0)
    angle = radians(words.angle)
    x, y = words.x - back * cos(angle), words.y - back * sin(angle)
    return Text(x, y, words.text, face, words.size, words.colour, wide, words.angle)
