"""Patterns of fills (ECMA-376 Part 1, 18.18.55): shares of a colour mixed into the ground, or lines across it."""

from __future__ import annotations

from tinquire.pages.primitives import Pattern, Pen

__all__ = ["ground_of", "strokes_of"]

#: Dotted patterns by how much of the colour they show.
_SHARES = {"gray0625": 0.0625, "gray125": 0.125, "lightGray": 0.25, "mediumGray": 0.5, "darkGray": 0.75}
#: Directions of lines: across, down, falling, rising.
_WAYS = {"Horizontal": "-", "Vertical": "|", "Down": "\\", "Up": "/", "Grid": "-|", "Trellis": "\\/"}
_STEP, _LIGHT, _DARK = 3.0, 0.45, 1.2
_PAPER = "FFFFFF"


def ground_of(pattern: Pattern) -> str | None:
    """The colour of the whole area under a pattern's lines; None for the paper's own."""
    share = _SHARES.get(pattern.name)
    if share is None:
        return pattern.ground
    ground = pattern.ground or _PAPER
    mixed = []
    for place in (0, 2, 4):
        one, other = int(ground[place : place + 2], 16), int(pattern.colour[place : place + 2], 16)
        mixed.append(f"{round(one + (other - one) * share):02X}")
    return "".join(mixed)


def strokes_of(pattern: Pattern) -> tuple[Pen, list[tuple[float, float, float, float]]]:
    """The lines of a pattern over its area, to be cut at its sides."""
    heavy = pattern.name.startswith("dark")
    pen = Pen(_DARK if heavy else _LIGHT, pattern.colour)
    ways = _WAYS.get(pattern.name.removeprefix("dark").removeprefix("light"), "")
    box, ends = pattern.box, []
    across, down = int(box.width / _STEP) + 1, int(box.height / _STEP) + 1
    if "-" in ways:
        ends += [(box.x, y, box.right, y) for n in range(down) for y in (box.y + (n + 0.5) * _STEP,)]
    if "|" in ways:
        ends += [(x, box.y, x, box.top) for n in range(across) for x in (box.x + (n + 0.5) * _STEP,)]
    for sign, rises in (("/", True), ("\\", False)):
        if sign in ways:
            for n in range(-down, across + 1):
                x = box.x + n * _STEP
                low, high = (box.y, box.top) if rises else (box.top, box.y)
                ends.append((x, low, x + box.height, high))
    return pen, ends
