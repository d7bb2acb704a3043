"""Elements found in the bytes of a part without a parser, for parts of plain spelling."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

__all__ = [
    "ATTRIBUTE",
    "Element",
    "Unusual",
    "elements",
    "has_formula",
    "sheet_data",
    "unescape_entities",
    "with_attributes",
]

_ENTITY = re.compile(r"&(#x[0-9A-Fa-f]+|#[0-9]+|lt|gt|amp|quot|apos);")
_ENTITIES = {"lt": "<", "gt": ">", "amp": "&", "quot": '"', "apos": "'"}


def unescape_entities(text: str) -> str:
    """Text with XML's own entities and numbered characters read, and ends of lines as XML has them (2.11). Raises
    Unusual for others."""
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    if "&" not in text:
        return text
    if text.count("&") != len(_ENTITY.findall(text)):
        raise Unusual
    return _ENTITY.sub(lambda found: _entity(found[1]), text)


def _entity(name: str) -> str:
    if name.startswith("#"):
        number = int(name[2:], 16) if name[1] == "x" else int(name[1:])
        if number not in (9, 10, 13) and not 32 <= number <= 0x10FFFF:
            raise Unusual
        return chr(number)
    return _ENTITIES[name]


ATTRIBUTE = re.compile(rb"([\w:.\x80-\xff-]+)[ \t\r\n]*=[ \t\r\n]*(\"[^\"]*\"|'[^']*')")


class Unusual(Exception):  # noqa: N818 - a signal, not an error
    """The bytes are not of the plain form that was hoped for; another way must be taken."""


@dataclass(slots=True)
class Element:
    """An element in the bytes: where it starts and ends, its tag's attributes, where its content lies."""

    start: int
    end: int
    attributes: bytes
    inside: tuple[int, int] | None

    def get(self, name: bytes) -> bytes | None:
        return next((value[1:-1] for key, value in ATTRIBUTE.findall(self.attributes) if key == name), None)


@lru_cache(maxsize=64)
def _patterns(name: bytes) -> tuple[re.Pattern[bytes], re.Pattern[bytes]]:
    tag = re.compile(rb"<" + re.escape(name) + rb"((?:[ \t\r\n][^<>\"']*(?:(?:\"[^\"]*\"|'[^']*')[^<>\"']*)*)?/?)>")
    return tag, re.compile(rb"</" + re.escape(name) + rb"[ \t\r\n]*>")


def elements(data: bytes, start: int, end: int, name: bytes) -> Iterator[Element]:
    """The elements of a name between two places, none within another. Raises Unusual for one that is not closed."""
    tag, close = _patterns(name)
    position = start
    while match := tag.search(data, position, end):
        attributes = match[1]
        if attributes.endswith(b"/"):
            yield Element(match.start(), match.end(), attributes[:-1], None)
            position = match.end()
            continue
        closing = close.search(data, match.end(), end)
        if closing is None:
            raise Unusual
        yield Element(match.start(), closing.end(), attributes, (match.end(), closing.start()))
        position = closing.end()


def with_attributes(attributes: bytes, changes: dict[bytes, bytes | None]) -> bytes:
    """A tag's attributes, a blank before each, with some exchanged, added or (None) left out."""
    pieces = []
    seen = set()
    for name, value in ATTRIBUTE.findall(attributes):
        seen.add(name)
        if name not in changes:
            pieces.append(b" %s=%s" % (name, value))
        elif (fresh := changes[name]) is not None:
            pieces.append(b' %s="%s"' % (name, fresh))
    added = [b' %s="%s"' % (name, value) for name, value in changes.items() if name not in seen and value is not None]
    return b"".join(pieces + added)


_SHEET_DATA = re.compile(rb"<((?:[A-Za-z_][\w.-]*:)?)sheetData([ \t\r\n]*/?)>")


def sheet_data(data: bytes) -> tuple[bytes, Element]:
    """Where a sheet's cells lie (18.3.1.80), and the prefix with which its elements are named.

    Raises Unusual where they cannot be distinguished safely: comments, other encodings, no cells at all.
    """
    match = _SHEET_DATA.search(data)
    if match is None or b"<!" in data[: match.end()].replace(b"<!DOCTYPE", b"<!"):
        raise Unusual
    if match[2].strip():
        if data.count(b"sheetData", match.end()):
            raise Unusual
        return match[1], Element(match.start(), match.end(), b"", None)
    end = data.rfind(b"</" + match[1] + b"sheetData")
    closed = data.find(b">", end)
    if end < 0 or closed < 0 or data.count(b"sheetData", match.end()) > 1:
        raise Unusual
    if _holds(data, b"<!", match.end(), end) or _holds(data, b"<?", match.end(), end):
        raise Unusual
    return match[1], Element(match.start(), closed + 1, b"", (match.end(), end))


def _holds(data: bytes, sign: bytes, start: int, end: int) -> bool:
    """Whether two characters are in a part; its second one is rare, and a single one is found faster than two."""
    at = data.find(sign[1:], start, end)
    while at > 0:
        if data[at - 1 : at] == sign[:1]:
            return True
        at = data.find(sign[1:], at + 1, end)
    return False


def has_formula(data: bytes) -> bool:
    """Whether a sheet's part holds a formula: only those of data tables are written without a text."""
    start, end = data.find(b"sheetData"), data.rfind(b"sheetData")
    if start < 0:
        return True  # in another encoding, perhaps: what cannot be told is assumed
    if data.find(b"f", start, end) < 0:  # a single byte is found many times faster than several
        return False
    return any(data.find(sign, start, end) >= 0 for sign in (b"</f>", b":f>", b'"dataTable"'))
