"""The text of a cell in its place: aligned, broken into lines, turned, shrunk, spread or cut."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from tinquire.pages.cell_looks import CellLook
from tinquire.pages.geometry import PIXEL
from tinquire.pages.lettering import Letters, Line, Piece, lines_of
from tinquire.pages.primitives import Areas, Box, Item, Text

__all__ = ["PAD", "Placed", "put_lines", "put_stacked", "put_turned", "underlined"]

#: Room between a cell's side and its text, in points: half of the five pixels of 18.3.1.13.
PAD = 2.5 * PIXEL
#: Where lines under and through letters lie and how thick they are, in parts of the size.
_UNDER, _THROUGH, _THICK = -0.11, 0.28, 0.055


@dataclass(slots=True)
class Placed:
    """A cell's text to be put: its runs, the box of the cell, how it stands across, and by which share it may be drawn
    narrower to fit."""

    runs: Sequence[tuple[str, Letters]]
    box: Box
    across: str
    look: CellLook
    slack: float
    #: Blanks to leave at the left and the right, in points.
    before: float = 0.0
    after: float = 0.0

    @property
    def left(self) -> float:
        return (
            self.box.x + PAD + self.before + (self.look.indent if self.across in ("left", "fill", "justify") else 0.0)
        )

    @property
    def right(self) -> float:
        indent = self.look.indent if self.across == "right" else 0.0
        return self.box.right - PAD - self.after - indent


def put_lines(placed: Placed, clip: Box | None, *, wraps: bool) -> list[Item]:
    """Text in lines along the row: `clip` cuts what lies outside; None lets it run over."""
    room = max(placed.right - placed.left, 1.0)
    lines = lines_of(placed.runs, room * placed.slack if wraps else None)
    if placed.look.look.shrink and not wraps:
        lines = _shrunk(lines, room)
    pitches = [line.height for line in lines]
    top = _top(placed, sum(pitches))
    if clip is None and sum(pitches) > placed.box.height + PIXEL:
        clip = placed.box
    items: list[Item] = []
    spread = placed.across in ("justify", "distributed")
    gap = 0.0
    if placed.look.look.valign in ("justify", "distributed") and len(lines) > 1:
        gap = max(placed.box.height - 2 * PIXEL - sum(pitches), 0.0) / (len(lines) - 1)
        top = placed.box.top - PIXEL
    for line, pitch in zip(lines, pitches, strict=True):
        ascent = max((piece.letters.ascent for piece in line.pieces), default=0.0)
        descent = max((piece.letters.descent for piece in line.pieces), default=0.0)
        base = top - (pitch - ascent - descent) / 2 - ascent
        squeezed = min(line.width, room) if line.width <= room * placed.slack else line.width
        if spread and (line.goes_on or placed.across == "distributed"):
            items += _spread(line, placed.left, base, room, clip)
        else:
            x = _start(placed, squeezed, room)
            for piece in line.pieces:
                wide = piece.width * (squeezed / line.width if line.width else 1.0)
                if piece.text.strip():
                    items += underlined(piece.letters.put(x, base, piece.text, wide, clip), piece.letters, placed)
                x += wide
        top -= pitch + gap
    return items


def _shrunk(lines: Sequence[Line], room: float) -> list[Line]:
    """Lines in smaller letters, where they are wider than the room."""
    widest = max((line.width for line in lines), default=0.0)
    if widest <= room:
        return list(lines)
    share = room / widest
    smaller = []
    for line in lines:
        pieces = tuple(
            Piece(piece.text, replace(piece.letters, size=piece.letters.size * share), piece.width * share)
            for piece in line.pieces
        )
        smaller.append(Line(pieces, line.width * share, line.goes_on))
    return smaller


def _top(placed: Placed, height: float) -> float:
    """Where the first line begins."""
    box = placed.box
    match placed.look.look.valign:
        case "top" | "justify" | "distributed":
            return box.top - (PIXEL if height < box.height else 0.0)
        case "center":
            return box.y + (box.height + height) / 2
        case _:
            return box.y + height


def _start(placed: Placed, width: float, room: float) -> float:
    match placed.across:
        case "right":
            return placed.right - width
        case "center" | "centerContinuous" | "distributed":
            return placed.left + (room - width) / 2
        case _:
            return placed.left


def _spread(line: Line, left: float, base: float, room: float, clip: Box | None) -> list[Item]:
    """A line whose blanks between words fill the room."""
    words = [
        (word, piece.letters, piece.letters.width(word)) for piece in line.pieces for word in piece.text.split()
    ]  # fmt: skip
    used = sum(width for *_, width in words)
    gap = max(room - used, 0.0) / (len(words) - 1) if len(words) > 1 else 0.0
    items: list[Item] = []
    x = left
    for word, letters, width in words:
        items.append(letters.put(x, base, word, width, clip))
        x += width + gap
    return items


def underlined(text: Text, letters: Letters, placed: Placed | None = None) -> list[Item]:
    """A text with the lines under and through it."""
    items: list[Item] = [text]
    thick = max(letters.size * _THICK, 0.3)
    x, width = text.x, text.width
    if placed is not None and placed.look.finish.accounting_underline:
        x, width = placed.left, max(placed.right - placed.left, 1.0)
    boxes = []
    if letters.underline and not text.angle:
        boxes.append(Box(x, text.y + _UNDER * letters.size - thick / 2, width, thick))
        if letters.underline > 1:
            boxes.append(Box(x, text.y + _UNDER * letters.size - thick * 2.5, width, thick))
    if letters.strike and not text.angle:
        boxes.append(Box(text.x, text.y + _THROUGH * letters.size - thick / 2, text.width, thick))
    if boxes:
        items.append(Areas(letters.colour, boxes))
    return items


def put_turned(placed: Placed, degrees: float, clip: Box | None) -> list[Item]:
    """Text turned counter-clockwise: what it takes up is put into the cell as its alignment says."""
    lines = lines_of(placed.runs, None)
    pitches = [line.height for line in lines]
    long, high = max((line.width for line in lines), default=0.0), sum(pitches)
    box, angle = placed.box, math.radians(degrees)
    if abs(degrees) == 90 and placed.look.look.wrap:
        lines = lines_of(placed.runs, max(box.height - 2 * PAD, 1.0))
        pitches = [line.height for line in lines]
        long, high = max((line.width for line in lines), default=0.0), sum(pitches)
    cosine, sine = math.cos(angle), math.sin(angle)
    wide, tall = long * cosine + high * abs(sine), long * abs(sine) + high * cosine
    across = placed.across if placed.look.look.align not in (None, "general") else _usual_side(degrees)
    x = {"right": box.right - PAD - wide, "center": box.x + (box.width - wide) / 2}.get(across, box.x + PAD)
    y = {"top": box.top - PIXEL - tall, "center": box.y + (box.height - tall) / 2}.get(
        placed.look.look.valign or "bottom", box.y + PIXEL
    )
    # The corner at which the lines begin: of text that rises the upper left one of the first line.
    corner_x = x if degrees >= 0 else x + high * -sine
    corner_y = y + high * cosine if degrees >= 0 else y + tall
    items: list[Item] = []
    down = 0.0
    for line, pitch in zip(lines, pitches, strict=True):
        ascent = max((piece.letters.ascent for piece in line.pieces), default=0.0)
        descent = max((piece.letters.descent for piece in line.pieces), default=0.0)
        drop = down + (pitch - ascent - descent) / 2 + ascent
        along = 0.0
        for piece in line.pieces:
            px = corner_x + along * cosine + drop * sine
            py = corner_y + along * sine - drop * cosine
            letters = piece.letters
            if piece.text.strip():
                items.append(letters.put(px, py, piece.text, piece.width, clip, degrees))
            along += piece.width
        down += pitch
    return items


def _usual_side(degrees: float) -> str:
    """Turned text without an alignment stands in the middle when it is upright, else at the side where it begins."""
    return "center" if abs(degrees) == 90 else "left" if degrees > 0 else "right"


def put_stacked(placed: Placed, clip: Box | None) -> list[Item]:
    """Letters below each other, columns from left to right."""
    letters = placed.runs[0][1] if placed.runs else placed.look.letters
    columns = ["".join(text for text, _ in placed.runs)]
    columns = columns[0].split("\n")
    pitch = letters.line
    wide = max((letters.width(letter) for column in columns for letter in column), default=0.0) + PIXEL
    box = placed.box
    total = wide * len(columns)
    x = box.x + (box.width - total) / 2 if placed.across != "right" else box.right - PAD - total
    items: list[Item] = []
    for column in columns:
        height = pitch * len(column)
        top = _top(placed, height)
        for number, letter in enumerate(column):
            base = top - number * pitch - (pitch - letters.height) / 2 - letters.ascent
            width = letters.width(letter)
            if letter.strip():
                at = x + (wide - width) / 2
                items.append(letters.put(at, base, letter, width, clip))
        x += wide
    return items
