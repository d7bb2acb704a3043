"""Comments (ECMA-376 Part 1, 18.7; old drawings Part 4, 19.4): read, and following their cells."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import area_name, parse_area
from tinquire.cells.shifting import Moves
from tinquire.formula.language.reference_changes import ReferenceChange
from tinquire.packages.xml import child, children, local
from tinquire.workbook.parts.shared_strings import rich_text

__all__ = ["Comment", "follow_comments", "move_note_shapes", "read_comments"]


@dataclass(frozen=True, slots=True)
class Comment:
    """A comment of a cell (18.7.3)."""

    cell: str
    author: str
    text: str


def read_comments(root: etree._Element) -> Iterator[Comment]:
    """The comments of a part (18.7.3)."""
    authors = [author.text or "" for author in children(child(root, "authors"), "author")]
    for comment in children(child(root, "commentList"), "comment"):
        author = int(comment.get("authorId", "0"))
        text = child(comment, "text")
        shown = "" if text is None else rich_text(text)
        yield Comment(comment.get("ref", ""), authors[author] if author < len(authors) else "", shown)


def follow_comments(root: etree._Element, home: str, following: ReferenceChange) -> bool:
    """Comments (18.7) and threads of them stay with their cells, and go with them."""
    changed = False
    for element in list(root.iter()):
        if local(element) not in ("comment", "threadedComment") or element.get("ref") is None:
            continue
        area = parse_area(element.get("ref", ""))
        moved = following.area(area, home)
        parent = element.getparent()
        if moved is None and parent is not None:
            parent.remove(element)
            changed = True
        elif moved is not None and moved != area:
            element.set("ref", area_name(moved))
            changed = True
    return changed


_SHAPE = re.compile(rb"<v:shape\b.*?</v:shape>", re.DOTALL)
_NOTE_LINES = {
    rows: re.compile(rb"(<x:%s>\s*)(\d+)(\s*</x:%s>)" % (name, name))
    for rows, name in ((True, b"Row"), (False, b"Column"))
}


_ANCHOR = re.compile(rb"(<x:Anchor>)([^<]*)(</x:Anchor>)")


def move_note_shapes(data: bytes, shift: Moves) -> bytes:
    """The old drawing part of comments (Part 4, 19.4): not always XML, so it is changed as text."""
    return _SHAPE.sub(lambda found: _move_shape(found[0], shift), data)


def _move_shape(shape: bytes, shift: Moves) -> bytes:
    match = _NOTE_LINES[shift.rows].search(shape)
    if match is None:
        return shape
    line = int(match[2])
    moved = shift.line(line + 1)
    if moved is None:
        return b""
    by = moved - 1 - line
    shape = shape[: match.start()] + match[1] + b"%d" % (moved - 1) + match[3] + shape[match.end() :]

    def anchored(anchor: re.Match[bytes]) -> bytes:
        numbers = [piece.strip() for piece in anchor[2].split(b",")]
        if len(numbers) != 8 or not all(piece.isdigit() for piece in numbers):
            return anchor[0]
        for index in (2, 6) if shift.rows else (0, 4):
            numbers[index] = b"%d" % max(int(numbers[index]) + by, 0)
        return anchor[1] + b", ".join(numbers) + anchor[3]

    return _ANCHOR.sub(anchored, shape) if by else shape
