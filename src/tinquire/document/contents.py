"""What is in a letter: its slots, what it repeats and keeps, its pictures, and what else stands in it."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from tinquire.document.letter import Letter, kind_of
from tinquire.document.pictures import letter_pictures
from tinquire.document.story import own_paragraphs, text_of
from tinquire.slots.slots import Slot, instruction, split_slots

__all__ = ["LetterContents", "letter_contents"]

_WORDS = {"end", "if none"}
#: Elements that are counted, by what they are called.
_COUNTED = {
    "tbl": "table", "drawing": "drawing", "hyperlink": "link", "footnoteReference": "footnote",
    "sdt": "content control",
    "fldSimple": "field", "ins": "tracked insertion", "del": "tracked deletion", "commentReference": "comment",
    "sectPr": "section",
}  # fmt: skip


@dataclass(frozen=True)
class LetterContents:
    """Slots with how often each stands, tables that repeat parts, conditions, slots of pictures, and counts of what
    else is there, by part for texts."""

    slots: dict[str, int]
    repeats: tuple[str, ...]
    conditions: tuple[str, ...]
    pictures: tuple[str, ...]
    paragraphs: dict[str, int]
    others: dict[str, int]
    macros: bool


def letter_contents(letter: Letter) -> LetterContents:
    """Raises AccessError for parts that cannot be read."""
    slots: Counter[str] = Counter()
    others: Counter[str] = Counter()
    repeats: dict[str, None] = {}
    conditions: dict[str, None] = {}
    paragraphs: dict[str, int] = {}
    for part, place in letter.stories():
        root = letter.root(part)
        texts = [text_of(paragraph) for paragraph in own_paragraphs(root)]
        paragraphs[place] = paragraphs.get(place, 0) + len(texts)
        for piece in (piece for text in texts for piece in split_slots(text) if isinstance(piece, Slot)):
            inside = piece.inside.strip()
            if (said := instruction(piece.written, "for", "each")) is not None:
                repeats[said.of] = None
            elif (said := instruction(piece.written, "only", "if")) is not None:
                conditions[said.of] = None
            elif inside not in _WORDS:
                slots[piece.written] += 1
        for element in root.iter():
            if (name := _COUNTED.get(kind_of(element))) is not None:
                others[name] += 1
    macros = any(one.kind == "vbaProject" for one in letter.package.relations(letter.part))
    pictures = tuple(one.slot.inside for one in letter_pictures(letter))
    return LetterContents(
        dict(slots), tuple(repeats), tuple(conditions), pictures, paragraphs, dict(sorted(others.items())), macros
    )
