"""Hyperlinks of cells (ECMA-376 Part 1, 18.3.1.47)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import Area, parse_area
from tinquire.packages.package import Relation
from tinquire.packages.xml import child, children

__all__ = ["Link", "read_links"]


@dataclass(frozen=True, slots=True)
class Link:
    """A hyperlink of cells (18.3.1.47), to an address outside or a place in the workbook."""

    area: Area
    target: str
    outside: bool


def read_links(frame: etree._Element, relations: dict[str, Relation]) -> Iterator[Link]:
    for element in children(child(frame, "hyperlinks"), "hyperlink"):
        identity = next((str(value) for key, value in element.attrib.items() if str(key).endswith("}id")), None)
        relation = relations.get(identity or "")
        target = element.get("location", "") if relation is None else relation.target
        yield Link(parse_area(element.get("ref", "A1")), target, relation is not None and relation.outside)
