"""Paragraphs, rows and blocks of a letter's text (ECMA-376 Part 1, 17.3, 17.4): what they say, and where they stand."""

from __future__ import annotations

import copy
from collections.abc import Iterator, Sequence

from lxml import etree

from tinquire.packages.xml import child, free_number, local, tag

__all__ = [
    "block_elements",
    "cells_of",
    "clone",
    "holders",
    "is_list_item",
    "mark_contents", "may_have_marks",
    "own_paragraphs",
    "replace_with",
    "rows_of",
    "settle_ids",
    "settle_lines",
    "text_nodes",
    "text_of",
]  # fmt: skip

#: What holds paragraphs and tables.
_HOLDERS = frozenset({"body", "tc", "hdr", "ftr", "txbxContent", "footnote", "endnote", "comment", "sdtContent"})
_NESTED = frozenset({"txbxContent"})
#: What has texts that are none of the paragraph's own, wherever it stands in it.
_LEFT_OUT = tuple(f"{{*}}{name}" for name in ("txbxContent", "del", "moveFrom", "Fallback"))
_SPACE = "{http://www.w3.org/XML/1998/namespace}space"


def text_nodes(paragraph: etree._Element) -> list[etree._Element]:
    """The texts of a paragraph in their order, without those of text boxes that hang on it, and without what was
    deleted."""
    if next(paragraph.iter(*_LEFT_OUT), None) is None:
        return list(paragraph.iter("{*}t"))
    found: list[etree._Element] = []

    def walk(element: etree._Element) -> None:
        for inner in element:
            name = local(inner) if isinstance(inner.tag, str) else ""
            if name == "t":
                found.append(inner)
            elif name not in _NESTED and name not in ("del", "moveFrom", "pPr", "rPr", "Fallback"):
                walk(inner)

    walk(paragraph)
    return found


def may_have_marks(element: etree._Element) -> bool:
    """Whether any marker can stand in an element: a quick look that finds too many sooner than too few."""
    return "[:" in "".join(map(str, element.itertext()))


def text_of(paragraph: etree._Element) -> str:
    return "".join(node.text or "" for node in text_nodes(paragraph))


def holders(root: etree._Element) -> list[etree._Element]:
    """All elements that hold paragraphs and tables, the outermost first."""
    return list(root.iter(*(f"{{*}}{name}" for name in sorted(_HOLDERS))))


def block_elements(holder: etree._Element) -> list[etree._Element]:
    """The paragraphs, tables and content controls of a holder."""
    return [one for one in holder if isinstance(one.tag, str) and local(one) in ("p", "tbl", "sdt")]


def own_paragraphs(element: etree._Element) -> Iterator[etree._Element]:
    """All paragraphs below an element, those of text boxes with them."""
    return element.iter("{*}p")


def rows_of(table: etree._Element) -> list[etree._Element]:
    """The rows of a table, also those in content controls."""
    found: list[etree._Element] = []
    for inner in table:
        name = local(inner) if isinstance(inner.tag, str) else ""
        if name == "tr":
            found.append(inner)
        elif name == "sdt" and (content := child(inner, "sdtContent")) is not None:
            found += rows_of(content)
    return found


def cells_of(row: etree._Element) -> list[etree._Element]:
    return list(row.iter("{*}tc"))


def is_list_item(paragraph: etree._Element) -> bool:
    """Whether a paragraph is an item of a list (17.9): numbered by itself, or by a style that is named as lists are."""
    settings = child(paragraph, "pPr")
    style = child(settings, "pStyle")
    name = "" if style is None else next((str(v) for k, v in style.attrib.items() if str(k).endswith("}val")), "")
    return child(settings, "numPr") is not None or "list" in name.casefold()


def mark_contents(root: etree._Element) -> bool:
    """Let fields of contents say that their stored result is out of date (17.16.18, 17.16.19); whether any is."""
    begun: list[etree._Element] = []
    found = False
    for element in root.iter("{*}fldChar", "{*}instrText", "{*}fldSimple"):
        match local(element):
            case "fldChar":
                kind = element.get(tag(element, "fldCharType"))
                if kind == "begin":
                    begun.append(element)
                elif kind == "end" and begun:
                    begun.pop()
                continue
            case "instrText" if begun:
                field, instruction = begun[-1], element.text or ""
            case "fldSimple":
                field, instruction = element, element.get(tag(element, "instr"), "")
            case _:
                continue
        if instruction.split()[:1] == ["TOC"]:
            field.set(tag(field, "dirty"), "true")
            found = True
    return found


def settle_ids(root: etree._Element) -> None:
    """Let drawings that were repeated have ids of their own (20.4.2.5), and marks stand once (17.13.6.2)."""
    drawings = list(root.iter("{*}docPr"))
    used = {one.get("id", "") for one in drawings}
    seen: set[str] = set()
    for one in drawings:
        identity = one.get("id", "")
        if identity in seen:
            identity = str(free_number(used))
            one.set("id", identity)
            used.add(identity)
        seen.add(identity)
    marks: set[tuple[str, str]] = set()
    for one in list(root.iter("{*}bookmarkStart", "{*}bookmarkEnd")):
        parent, key = one.getparent(), (local(one), one.get(tag(one, "id"), ""))
        if key in marks and parent is not None:
            parent.remove(one)
        marks.add(key)


def clone(element: etree._Element) -> etree._Element:
    fresh = copy.deepcopy(element)
    fresh.tail = element.tail
    return fresh


def replace_with(old: etree._Element, fresh: Sequence[etree._Element]) -> None:
    """Put elements in the place of one."""
    parent = old.getparent()
    assert parent is not None
    place = parent.index(old)
    parent.remove(old)
    for number, element in enumerate(fresh):
        parent.insert(place + number, element)


def settle_lines(nodes: Sequence[etree._Element]) -> None:
    """Let ends of lines and tabs within texts be elements of their own (17.3.3.1, .32)."""
    for node in nodes:
        text = node.text or ""
        if "\n" not in text and "\t" not in text:
            continue
        parent = node.getparent()
        assert parent is not None
        space = etree.QName(node).namespace
        place = parent.index(node)
        pieces: list[etree._Element] = []
        current = ""

        def put(current: str, pieces: list[etree._Element] = pieces, space: str | None = space) -> None:
            if current:
                piece = etree.Element(f"{{{space}}}t")
                piece.text = current
                if current != current.strip():
                    piece.set(_SPACE, "preserve")
                pieces.append(piece)

        for letter in text.replace("\r\n", "\n"):
            if letter in "\n\t":
                put(current)
                current = ""
                pieces.append(etree.Element(f"{{{space}}}{'br' if letter == chr(10) else 'tab'}"))
            else:
                current += letter
        put(current)
        parent.remove(node)
        for number, piece in enumerate(pieces):
            parent.insert(place + number, piece)
