"""What letters laid out one after the other share: the styles of their template, faces, and paragraphs that were laid
out before. Most of a letter is what stands in all others of its template, and much of its rows is what stands in others
too: the same days, things and amounts."""

from __future__ import annotations

import hashlib
import re
from copy import copy
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from tinquire.document.letter import Letter
from tinquire.document.looks import Looks, ParagraphLook, RunLook
from tinquire.pages.strips import Strip
from tinquire.pages.typefaces import SharedFaces

if TYPE_CHECKING:
    from tinquire.pages.letter_shapes import LetterShape

__all__ = ["LaidBefore", "ParagraphKey", "Paragraphs"]

#: What a paragraph's markup holds whose layout depends on more than the paragraph and its width: numbers of lists and
#: notes, fields, drawings, links, marks.
_PLACED = re.compile(
    rb"<(?:[\w.-]+:)?"
    rb"(?:numPr|fld|instrText|\w+Ref|drawing|pict|object|AlternateContent|hyperlink|bookmark|sdt|sectPr)"
)
#: So many paragraphs are kept, and templates.
_MOST, _MOST_TEMPLATES = 20_000, 8
_PARTS = ("theme", "styles", "numbering", "settings")

#: Its markup's digest, what a table's style says of it, and the width.
ParagraphKey = tuple[bytes, tuple[ParagraphLook, RunLook] | None, float]


@dataclass(frozen=True, slots=True)
class _Paragraph:
    """How a paragraph looks, its lines, and the letters that they are in."""

    look: ParagraphLook
    strips: tuple[Strip, ...]
    letters: tuple[RunLook, ...]


class Paragraphs:
    """Paragraphs laid out before, by what they are laid out of."""

    def __init__(self) -> None:
        self._known: dict[ParagraphKey, _Paragraph] = {}

    @staticmethod
    def key(markup: bytes, base: tuple[ParagraphLook, RunLook] | None, width: float) -> ParagraphKey | None:
        """What a paragraph is known by; None for one whose layout depends on where it stands."""
        # Markup names all the namespaces of its part: as a digest it takes a hundredth of the room.
        return None if _PLACED.search(markup) else (hashlib.blake2b(markup, digest_size=16).digest(), base, width)

    def find(self, key: ParagraphKey) -> tuple[ParagraphLook, list[Strip], tuple[RunLook, ...]] | None:
        """A paragraph's look, its lines, to be changed by themselves, and the looks of its letters."""
        known = self._known.get(key)
        return None if known is None else (known.look, list(map(copy, known.strips)), known.letters)

    def put(self, key: ParagraphKey, look: ParagraphLook, strips: list[Strip], letters: tuple[RunLook, ...]) -> None:
        if look.numbering is None:
            if len(self._known) >= _MOST:
                self._known.clear()
            self._known[key] = _Paragraph(look, tuple(map(copy, strips)), letters)


@dataclass
class LaidBefore:
    """What is kept from letter to letter."""

    faces: SharedFaces = field(default_factory=dict)
    #: Letters that differ in texts alone, by their shapes; None for one that was met once.
    shapes: dict[tuple[object, ...], LetterShape | None] = field(default_factory=dict)
    _templates: dict[tuple[bytes, ...], tuple[Looks, Paragraphs]] = field(default_factory=dict)

    def of(self, letter: Letter) -> tuple[Looks, Paragraphs]:
        """The looks of a letter, and the paragraphs that were laid out with the same. Raises AccessError."""
        package = letter.package
        parts = {one.kind: one.target for one in package.relations(letter.part) if package.has(one.target)}
        key = tuple(package.read(parts[kind]) if kind in parts else b"" for kind in _PARTS)
        if key not in self._templates:
            if len(self._templates) >= _MOST_TEMPLATES:
                self._templates.clear()
            self._templates[key] = (Looks.of(letter), Paragraphs())
        return self._templates[key]
