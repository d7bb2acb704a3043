"""Primitives that charts are drawn with: paths and words, in points from the lower left corner.

They know no output: pictures are made of them by `pictures`, pages take them as they are.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

__all__ = [
    "Drawing", "Path", "Point", "Shape", "Words", "disc", "line", "plain_text", "polygon", "rectangle", "sector",
]  # fmt: skip

Point = tuple[float, float]
#: How many points each step of a path has.
_POINTS = {"M": 1, "L": 1, "C": 3, "Z": 0}


@dataclass(frozen=True, slots=True)
class Path:
    """A path: `moves` has one letter for each step, M (to one point), L (one point), C (three points), Z (none).

    Colours are RGB, six hex digits; `width` is that of the line in points, `dashes` lengths of line and gap.
    """

    moves: str
    points: tuple[Point, ...]
    fill: str | None = None
    stroke: str | None = None
    width: float = 0.75
    dashes: tuple[float, ...] = ()
    opacity: float = 1.0

    def steps(self) -> Iterator[tuple[str, tuple[Point, ...]]]:
        """Each step with its points."""
        at = 0
        for move in self.moves:
            count = _POINTS[move]
            yield move, self.points[at : at + count]
            at += count


@dataclass(frozen=True, slots=True)
class Words:
    """One line of text. `across` is 'left', 'center' or 'right' of the point, `y` that of the base line; `angle` is in
    degrees, counter-clockwise around the point."""

    x: float
    y: float
    text: str
    size: float
    colour: str
    across: str = "left"
    bold: bool = False
    angle: float = 0.0


Shape = Path | Words


def plain_text(text: str) -> str:
    """Text without characters that no font has: controls become blanks."""
    return "".join(character if character.isprintable() else " " for character in text).strip()


@dataclass(frozen=True)
class Drawing:
    """Shapes on a ground of a width and height in points, drawn one after the other, in one font family."""

    width: float
    height: float
    shapes: tuple[Shape, ...]
    font: str
    ground: str = "FFFFFF"


def rectangle(x: float, y: float, width: float, height: float, fill: str) -> Path:
    """A filled rectangle; a negative width or height reaches to the left or downwards."""
    return Path("MLLLZ", ((x, y), (x + width, y), (x + width, y + height), (x, y + height)), fill)


def line(points: Sequence[Point], stroke: str, width: float = 0.75, dashes: tuple[float, ...] = ()) -> Path:
    """An open line through points."""
    return Path("M" + "L" * (len(points) - 1), tuple(points), None, stroke, width, dashes)


def polygon(points: Sequence[Point], fill: str, opacity: float = 1.0) -> Path:
    return Path("M" + "L" * (len(points) - 1) + "Z", tuple(points), fill, opacity=opacity)


def disc(x: float, y: float, radius: float, fill: str, stroke: str | None = None, opacity: float = 1.0) -> Path:
    return Path("MCCCCZ", tuple(_arc(x, y, radius, 0.0, 2 * math.pi, 4)), fill, stroke, opacity=opacity)


def sector(x: float, y: float, radius: float, hole: float, start: float, end: float, fill: str) -> Path:
    """A part of a disc, or of a ring around a hole, between two angles in radians; white lines keep parts apart."""
    pieces = max(1, math.ceil(abs(end - start) / (math.pi / 2)))
    outer = _arc(x, y, radius, start, end, pieces)
    moves, points = "M" + "C" * pieces, outer
    if hole > 0:
        inner = _arc(x, y, hole, end, start, pieces)
        moves, points = moves + "L" + "C" * pieces + "Z", [*outer, *inner]
    else:
        moves, points = moves + "LZ", [*outer, (x, y)]
    return Path(moves, tuple(points), fill, "FFFFFF", 1.0)


def _arc(x: float, y: float, radius: float, start: float, end: float, pieces: int) -> list[Point]:
    """The first point of an arc, and three for each of its Bézier curves."""
    step = (end - start) / pieces
    reach = 4 / 3 * math.tan(step / 4) * radius
    points = [(x + radius * math.cos(start), y + radius * math.sin(start))]
    for number in range(pieces):
        a, b = start + number * step, start + (number + 1) * step
        points += [
            (x + radius * math.cos(a) - reach * math.sin(a), y + radius * math.sin(a) + reach * math.cos(a)),
            (x + radius * math.cos(b) + reach * math.sin(b), y + radius * math.sin(b) - reach * math.cos(b)),
            (x + radius * math.cos(b), y + radius * math.sin(b)),
        ]
    return points
