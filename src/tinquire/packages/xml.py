"""XML at the edge: namespaces of ECMA-376, a parser that trusts nobody, and escapes."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache
from itertools import count

from lxml import etree

__all__ = [
    "CONTENT_TYPES",
    "MAIN",
    "PACKAGE_RELATIONS",
    "RELATIONS",
    "canonical_xml",
    "child",
    "children",
    "escape_attribute",
    "escape_controls",
    "escape_formula",
    "escape_text",
    "flag",
    "free_number",
    "grandchildren",
    "insert_child",
    "local",
    "parse_xml",
    "remove_attribute",
    "serialise_xml",
    "tag",
    "unescape_controls",
    "whole_number",
]  # fmt: skip

MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
RELATIONS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
CONTENT_TYPES = "http://schemas.openxmlformats.org/package/2006/content-types"

#: A control character as a file writes it (ECMA-376 Part 1, 22.4.2.4).
_ESCAPE = re.compile(r"_x([0-9A-Fa-f]{4})_")
_NEEDS_ESCAPE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\r\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")


def parser() -> etree.XMLParser:
    """No entities, no outside documents, no network: a stranger's file can only be text."""
    return etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=True, remove_blank_text=False
    )


def parse_xml(data: bytes) -> etree._Element:
    """The root element of a part. Raises ValueError for what is not well-formed, or declares a document type."""
    reading = parser()
    try:
        root = etree.fromstring(data, reading)
    except etree.XMLSyntaxError as error:
        raise ValueError(f"its markup is damaged ({error.msg})") from None
    # The library lets a name without its namespace pass where a warning comes after it.
    for entry in reading.error_log:
        if entry.domain == etree.ErrorDomains.NAMESPACE and entry.level >= etree.ErrorLevels.ERROR:
            raise ValueError(f"its markup is damaged ({entry.message})")
    if root.getroottree().docinfo.internalDTD is not None:
        raise ValueError("it declares a document type, which no part may do")
    return root


def serialise_xml(root: etree._Element) -> bytes:
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8", standalone=True)


def canonical_xml(element: etree._Element) -> str:
    """An element in a form that is the same for the same content: names with their namespaces, attributes in the order
    of their names, texts; without comments and instructions.

    Exclusive XML Canonicalization has more to say on prefixes, but the library that does it breaks down on namespaces
    that a damaged file does not declare, and takes the process with it.
    """
    pieces: list[str] = []
    waiting: list[etree._Element | str] = [element]
    while waiting:
        item = waiting.pop()
        if isinstance(item, str):
            pieces.append(item)
            continue
        if item is not element:
            waiting.append(_told_apart(item.tail))
        if isinstance(name := item.tag, str):
            attributes = [f" {key!s}={value!r}" for key, value in sorted(item.attrib.items())]
            pieces.append(f"<{name}{''.join(attributes)}>{_told_apart(item.text)}")
            waiting.append("</>")
            waiting.extend(reversed(item))
    return "".join(pieces)


def _told_apart(text: str | None) -> str:
    """A text that looks like no markup."""
    return (text or "").replace("&", "&amp;").replace("<", "&lt;")


def local(element: etree._Element) -> str:
    """An element's name without its namespace, so that transitional and strict files read alike."""
    name = element.tag
    return _bare(name) if isinstance(name, str) else ""


@lru_cache(maxsize=4096)
def _bare(name: str) -> str:
    """A name without its namespace: files have few names, and ask for them without end."""
    return name.rpartition("}")[2]


def tag(like: etree._Element, name: str) -> str:
    """A name in the namespace of another element."""
    return _beside(like.tag, name)


@lru_cache(maxsize=4096)
def _beside(like: str, name: str) -> str:
    space, sign, _ = like.rpartition("}")
    return space + sign + name


def children(element: etree._Element | None, name: str) -> list[etree._Element]:
    return [] if element is None else [child for child in element if local(child) == name]


def grandchildren(element: etree._Element, group: str, name: str) -> list[etree._Element]:
    """The children of some name in all groups of a name, of which there should be one."""
    return [item for one in children(element, group) for item in children(one, name)]


def child(element: etree._Element | None, name: str) -> etree._Element | None:
    if element is not None:
        for one in element:
            if local(one) == name:
                return one
    return None


def flag(element: etree._Element | None, name: str, default: bool) -> bool:
    """A yes/no attribute (22.9.2.1)."""
    if element is None:
        return default
    return element.get(name, "1" if default else "0") in ("1", "true", "on")


def insert_child(parent: etree._Element, name: str, order: Sequence[str]) -> etree._Element:
    """A new child in the place that a schema's order gives it."""
    fresh = etree.Element(tag(parent, name))
    later = set(order[order.index(name) + 1 :])
    parent.insert(next((n for n, other in enumerate(parent) if local(other) in later), len(parent)), fresh)
    return fresh


def whole_number(text: str | None) -> int | None:
    """What an attribute says, if it is a whole number of at most ten digits."""
    return int(text) if text and text.isascii() and text.isdigit() and len(text) < 11 else None


def free_number(used: Iterable[str | None]) -> int:
    """The number after the largest of those that are numbers at all; after 32 bits the first that is free."""
    taken = {number for number in map(whole_number, used) if number is not None}
    following = max(taken, default=0) + 1
    return following if following < 1 << 32 else next(number for number in count(1) if number not in taken)


def remove_attribute(element: etree._Element, attribute: str) -> None:
    """Take an attribute away, if it is there."""
    if attribute in element.attrib:
        del element.attrib[attribute]


def escape_controls(text: str) -> str:
    """Text with control characters as the standard escapes them; XML's own escapes are left to whoever writes it."""
    return _NEEDS_ESCAPE.sub(lambda found: f"_x{ord(found[0]):04X}_", text)


def escape_text(text: str) -> str:
    """Text for an element's content, all escapes made."""
    return escape_controls(text).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def escape_formula(text: str) -> str:
    """A formula for an element's content; a return in it is white space, and stays what it is."""
    return "&#13;".join(map(escape_text, text.split("\r")))


def escape_attribute(text: str) -> str:
    """Text inside a quoted attribute; a line break is written as the standard's escape (22.4.2.4)."""
    return escape_text(text).replace('"', "&quot;").replace("\n", "_x000a_")


def unescape_controls(text: str) -> str:
    """Text of a cell with `_x000D_` and its kin read back."""
    return _ESCAPE.sub(lambda found: chr(int(found[1], 16)), text) if "_x" in text else text
