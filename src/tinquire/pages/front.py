"""Pages before the sheets of a document: a cover, and a list of contents that leads to them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from tinquire.cells.dates import serial_from_date
from tinquire.cells.display import show
from tinquire.pages.lettering import Letters, lines_of
from tinquire.pages.primitives import Areas, Bookmark, Box, Item, Link, Page
from tinquire.pages.typefaces import Typefaces

__all__ = ["Entry", "contents_count", "contents_pages", "cover_page"]

_INK, _FAINT, _RULE = "27343A", "5F6B70", "8A979C"
_MARGIN, _TITLE, _TEXT, _SMALL = 64.0, 26.0, 11.0, 9.0
_LINE = 1.75
_STEP = 18.0
_CONTENTS = "Contents"


@dataclass(frozen=True, slots=True)
class Entry:
    """A line of the contents: its title and level from 0, the key of its place, and its page."""

    title: str
    level: int
    key: str
    page: int


def cover_page(
    size: tuple[float, float], faces: Typefaces, font: str, title: str, author: str, moment: datetime
) -> Page:  # fmt: skip
    """A page with the document's title, who made it, and the day."""
    wide, high = size
    bold, plain = _letters(faces, font, _TITLE, True), _letters(faces, font, _TEXT, False, _FAINT)
    items: list[Item] = []
    y = high * 0.62
    for line in lines_of([(title, bold)], wide - 2 * _MARGIN):
        items.append(bold.put(_MARGIN, y, line.text))
        y -= bold.line * 1.1
    y += bold.line * 0.55
    items.append(Areas(_INK, [Box(_MARGIN, y - 10, wide - 2 * _MARGIN, 1.5)]))
    y -= 32
    day = show(serial_from_date(moment.replace(tzinfo=None)), "d mmmm yyyy").text
    for text in (author, day):
        if text:
            items.append(plain.put(_MARGIN, y, text))
            y -= plain.line * 1.2
    items.insert(0, Bookmark("cover", "", 0, high))
    return Page(wide, high, items)


def contents_count(size: tuple[float, float], count: int) -> int:
    """How many pages so many entries take."""
    return max(1, -(-count // _per_page(size)))


def _per_page(size: tuple[float, float]) -> int:
    return max(1, int((size[1] - 2 * _MARGIN - 2 * _TITLE) / (_TEXT * _LINE)))


def contents_pages(
    size: tuple[float, float], faces: Typefaces, font: str, entries: Sequence[Entry], foot: Sequence[str]
) -> list[Page]:  # fmt: skip
    """The list of contents; `foot` are the page numbers that stand at the foot of its pages."""
    wide, high = size
    head = _letters(faces, font, _TITLE * 0.7, True)
    small = _letters(faces, font, _SMALL, False, _FAINT)
    each = _per_page(size)
    pages: list[Page] = []
    for first in range(0, max(len(entries), 1), each):
        items: list[Item] = [Bookmark("contents", "", 0, high)] if not first else []
        y = high - _MARGIN - _TITLE
        if not first:
            items.append(head.put(_MARGIN, y, _CONTENTS))
        y -= 2 * _TITLE * 0.7
        for entry in entries[first : first + each]:
            items += _line(entry, y, wide, faces, font)
            y -= _TEXT * _LINE
        number = foot[len(pages)] if len(pages) < len(foot) else ""
        items.append(small.put(wide - _MARGIN - small.width(number), _MARGIN * 0.6, number))
        pages.append(Page(wide, high, items))
    return pages


def _line(entry: Entry, y: float, wide: float, faces: Typefaces, font: str) -> list[Item]:
    """A title, the number of its page at the other side, and a rule between them."""
    letters = _letters(faces, font, _TEXT, entry.level == 0, _INK)
    plain = _letters(faces, font, _TEXT, False, _INK)
    x, number = _MARGIN + entry.level * _STEP, str(entry.page)
    room = wide - x - _MARGIN - plain.width("0000") - 12
    title = lines_of([(entry.title.replace("\n", " "), letters)], room)[0].text
    end = wide - _MARGIN - plain.width(number)
    start = x + letters.width(title) + 6
    items: list[Item] = [letters.put(x, y, title), plain.put(end, y, number)]
    if end - 6 > start:
        items.append(Areas(_RULE, [Box(start, y + 0.6, end - 6 - start, 0.35)]))
    items.append(Link(Box(x, y - 3, wide - _MARGIN - x, _TEXT * 1.4), entry.key, False))
    return items


def _letters(faces: Typefaces, font: str, size: float, bold: bool, colour: str = _INK) -> Letters:
    return Letters(faces.of(font, bold), size, colour)
