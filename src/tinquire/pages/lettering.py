"""Letters of cells: what a style draws them with, and how runs of text break into lines."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from tinquire.pages.geometry import line_height
from tinquire.pages.primitives import Box, Text
from tinquire.pages.typefaces import Typeface

__all__ = ["Letters", "Line", "Piece", "lines_of", "words"]

#: Raised and lowered letters: their size, and how far they are moved, in parts of the size.
_SCRIPT_SIZE = 0.66
_RAISED, _LOWERED = 0.34, -0.12
#: A line may break after these, and before and after letters of scripts that are written without blanks.
_WORDS = re.compile(
    r"[^\s\-\u2e80-\u9fff\uac00-\ud7af\uff00-\uffef]*(?:[\u2e80-\u9fff\uac00-\ud7af\uff00-\uffef]|-+|\s+|\Z)"
)


@dataclass(frozen=True)
class Letters:
    """Letters of one font, size and colour, with their lines under and through them."""

    face: Typeface
    size: float
    colour: str
    underline: int = 0
    strike: bool = False
    #: By how much they stand above the base line, in points.
    raised: float = 0.0

    @cached_property
    def height(self) -> float:
        """From the top of the letters to their foot."""
        return (self.face.face.ascent + self.face.face.descent) * self.size

    @cached_property
    def line(self) -> float:
        """The height of a row of such letters, to whole pixels."""
        return line_height(self.face.line, self.size)

    @cached_property
    def ascent(self) -> float:
        return self.face.face.ascent * self.size

    @cached_property
    def descent(self) -> float:
        return self.face.face.descent * self.size

    def width(self, text: str) -> float:
        known = self.face.measured.get(text)
        return (self.face.width(text) if known is None else known) * self.size

    def put(
        self, x: float, y: float, text: str, width: float | None = None, clip: Box | None = None, angle: float = 0.0
    ) -> Text:
        """A line of such letters from a point on its base line; without a width, as wide as it is."""
        wide = self.width(text) if width is None else width
        return Text(x, y + self.raised, text, self.face, self.size, self.colour, wide, angle, clip)

    def scripted(self, script: str | None) -> Letters:
        """These letters raised or lowered, and smaller (18.18.98)."""
        if script not in ("superscript", "subscript"):
            return self
        moved = (_RAISED if script == "superscript" else _LOWERED) * self.size
        return Letters(self.face, self.size * _SCRIPT_SIZE, self.colour, self.underline, self.strike, moved)


@dataclass(frozen=True, slots=True)
class Piece:
    """A piece of a line in one kind of letters, and its width in points."""

    text: str
    letters: Letters
    width: float


@dataclass(frozen=True, slots=True)
class Line:
    """A line of text: its pieces, its width, and whether the paragraph goes on in the next one."""

    pieces: tuple[Piece, ...]
    width: float
    goes_on: bool = False

    @property
    def text(self) -> str:
        return "".join(piece.text for piece in self.pieces)

    @property
    def height(self) -> float:
        return max((piece.letters.line for piece in self.pieces), default=0.0)


def words(paragraph: str) -> Iterator[str]:
    """Words with the blanks after them."""
    return filter(None, _WORDS.findall(paragraph))


def _longest(word: str, letters: Letters, room: float) -> int:
    """How many letters of a word fit, at least one."""
    low, high = 1, len(word)
    while low < high:
        middle = (low + high + 1) // 2
        if letters.width(word[:middle]) <= room:
            low = middle
        else:
            high = middle - 1
    return low


def lines_of(runs: Sequence[tuple[str, Letters]], room: float | None) -> list[Line]:
    """Runs of text in lines: with `room` broken to it, else at the line ends of their own alone."""
    paragraphs: list[list[Piece]] = [[]]
    for text, letters in runs:
        for number, part in enumerate(text.split("\n")):
            if number:
                paragraphs.append([])
            if part or not paragraphs[-1]:
                paragraphs[-1].append(Piece(part, letters, letters.width(part)))
    lines: list[Line] = []
    for paragraph in paragraphs:
        lines += [_line(paragraph)] if room is None else _filled(paragraph, room)
    return lines


def _line(pieces: Sequence[Piece], *, goes_on: bool = False) -> Line:
    return Line(tuple(pieces), sum(piece.width for piece in pieces), goes_on)


def _filled(paragraph: Sequence[Piece], room: float) -> list[Line]:
    """A paragraph of several kinds of letters broken to a room."""
    if sum(piece.width for piece in paragraph) <= room:
        return [_line(paragraph)]
    lines: list[Line] = []
    current: list[Piece] = []
    used = 0.0
    for piece in paragraph:
        for whole in words(piece.text) if piece.text else ("",):
            word = whole
            wide, bare = piece.letters.width(word), piece.letters.width(word.rstrip())
            if used + bare > room and current:
                lines.append(_line(_trimmed(current), goes_on=True))
                current, used = [], 0.0
            while bare > room and len(word) > 1:
                cut = _longest(word, piece.letters, room)
                head = Piece(word[:cut], piece.letters, piece.letters.width(word[:cut]))
                lines.append(_line([head], goes_on=True))
                word = word[cut:]
                wide, bare = piece.letters.width(word), piece.letters.width(word.rstrip())
            if current and current[-1].letters is piece.letters:
                text = current[-1].text + word
                current[-1] = Piece(text, piece.letters, piece.letters.width(text))
            else:
                current.append(Piece(word, piece.letters, wide))
            used += wide
    if current:
        lines.append(_line(current))
    return lines


def _trimmed(pieces: list[Piece]) -> list[Piece]:
    """Pieces without the blanks at their end."""
    kept = list(pieces)
    while kept:
        last = kept[-1]
        text = last.text.rstrip()
        if text:
            kept[-1] = Piece(text, last.letters, last.letters.width(text))
            return kept
        kept.pop()
    return pieces[:1]
