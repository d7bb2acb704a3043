"""Paragraphs of a letter that are watched while it is laid out: where their lines come to stand."""

from __future__ import annotations

from collections.abc import Mapping
from copy import copy
from dataclasses import dataclass

from lxml import etree

from tinquire.document.letter import Letter
from tinquire.document.looks import ParagraphLook, RunLook
from tinquire.pages.primitives import Spot
from tinquire.pages.strips import Strip

__all__ = ["Laid", "Watched"]


@dataclass(frozen=True)
class Laid:
    """How a paragraph was laid out: its look, what a table's style says of it, the width, and its lines."""

    look: ParagraphLook
    base: tuple[ParagraphLook, RunLook] | None
    width: float
    strips: tuple[Strip, ...]


class Watched:
    """The paragraphs that are watched in each part, by their places among its paragraphs, with numbers of their own."""

    def __init__(self, places: Mapping[str, Mapping[int, int]]) -> None:
        self._places = places
        self._roots: dict[str, etree._Element] = {}
        #: The paragraphs of the roots, which stay alive as long as these.
        self._numbers: dict[etree._Element, int] = {}
        self.laid: dict[int, Laid] = {}
        #: Paragraphs that were laid out in more than one way.
        self.unclear: set[int] = set()

    def root(self, letter: Letter, part: str) -> etree._Element:
        """A part parsed. Raises AccessError for markup that is damaged."""
        if part not in self._roots:
            root = self._roots[part] = letter.root(part)
            watched = self._places.get(part, {})
            for place, paragraph in enumerate(root.iter("{*}p")):
                if place in watched:
                    self._numbers[paragraph] = watched[place]
        return self._roots[part]

    def noted(
        self, element: etree._Element, look: ParagraphLook, base: tuple[ParagraphLook, RunLook] | None, width: float,
        strips: list[Strip],
    ) -> list[Strip]:  # fmt: skip
        """The lines of a paragraph with spots around what is in them, if it is watched."""
        number = self._numbers.get(element)
        if number is None:
            return strips
        before = self.laid.get(number)
        if before is not None and (before.look, before.base, before.width) != (look, base, width):
            self.unclear.add(number)
        self.laid[number] = Laid(look, base, width, tuple(map(copy, strips)))
        for line, strip in enumerate(strips):
            strip.items = [Spot(number, line), *strip.items, Spot(number, line, ends=True)]
        return strips
