"""Drawings (ECMA-376 Part 1, 20.5): pictures and frames, the cells under them, and how they move with their lines."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area
from tinquire.cells.shifting import Moves
from tinquire.packages.package import Package, Relation
from tinquire.packages.xml import child, local, whole_number

__all__ = [
    "POINT",
    "Picture",
    "anchor_area",
    "anchor_offset",
    "anchor_size",
    "anchors_of",
    "element_text",
    "follow_drawing",
    "read_pictures",
]


#: English metric units of a point (20.1.10.16).
POINT = 12_700


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture on a sheet: the cells that it covers, its name and alternative text, and its part."""

    area: Area | None
    name: str
    says: str
    part: str
    #: Its size in points, where it has one of its own.
    size: tuple[float, float] | None = None
    #: How far it begins from the corner of its first cell, to the right and down, in points.
    offset: tuple[float, float] = (0.0, 0.0)


def read_pictures(package: Package, drawing: str) -> Iterator[Picture]:
    """The pictures of a drawing part."""
    for anchor, inner in anchors_of(package, drawing, "image"):
        named = next((item for item in anchor.iter("{*}cNvPr")), None)
        name, says = ("", "") if named is None else (named.get("name", ""), named.get("descr", ""))
        yield Picture(anchor_area(anchor), name, says, inner.target, anchor_size(anchor), anchor_offset(anchor))


def anchors_of(package: Package, drawing: str, kind: str) -> Iterator[tuple[etree._Element, Relation]]:
    """The anchors of a drawing that hold something related of one kind."""
    relations = {relation.id: relation for relation in package.relations(drawing) if relation.kind == kind}
    for anchor in package.root(drawing) if relations else ():
        for element in anchor.iter():
            wanted = [str(v) for key, v in element.attrib.items() if str(key).endswith(("}id", "}embed"))]
            for identity in wanted:
                if identity in relations and package.has(relations[identity].target):
                    yield anchor, relations[identity]


def element_text(element: etree._Element | None) -> str:
    return "" if element is None else element.text or ""


def anchor_area(anchor: etree._Element) -> Area | None:
    """The cells under an anchored frame."""
    corners = []
    for name in ("from", "to"):
        corner = child(anchor, name)
        lines = [element_text(child(corner, line)) for line in ("row", "col")]
        if all(line.strip().isdecimal() for line in lines):
            corners.append((min(int(lines[0]) + 1, MAX_ROW), min(int(lines[1]) + 1, MAX_COLUMN)))
    if not corners:
        return None
    return Area(*corners[0], *corners[-1])


def anchor_offset(anchor: etree._Element) -> tuple[float, float]:
    """How far a frame begins from the corner of its first cell, to the right and down, in points (20.5.2.5)."""
    corner = child(anchor, "from")
    across, down = (whole_number(element_text(child(corner, name)).strip()) or 0 for name in ("colOff", "rowOff"))
    return across / POINT, down / POINT


def anchor_size(anchor: etree._Element) -> tuple[float, float] | None:
    """Width and height in points of a frame that has a size of its own (20.1.2.1.21)."""
    extent = child(anchor, "ext")
    if extent is None:
        return None
    wide, high = (whole_number(extent.get(name)) for name in ("cx", "cy"))
    return None if wide is None or high is None else (wide / POINT, high / POINT)


def follow_drawing(root: etree._Element, shift: Moves) -> bool:
    """Anchors of pictures and charts (20.5.2), which count lines from zero; a lost line leaves them at its place."""
    changed = False
    name = "row" if shift.rows else "col"
    for anchor in root:
        kind, how = local(anchor), anchor.get("editAs", "twoCell")
        if kind not in ("twoCellAnchor", "oneCellAnchor") or (kind == "twoCellAnchor" and how == "absolute"):
            continue
        start = _line(child(anchor, "from"), name)
        if start is None:
            continue
        moved = _shift_line(start, shift)
        stop = _line(child(anchor, "to"), name)
        changed |= _set_line(child(anchor, "from"), name, moved)
        if stop is not None:
            end = stop + moved - start if how == "oneCell" else _shift_line(stop, shift)
            changed |= _set_line(child(anchor, "to"), name, max(end, moved))
    return changed


def _shift_line(line: int, shift: Moves) -> int:
    return shift.position(line + 1) - 1


def _line(corner: etree._Element | None, name: str) -> int | None:
    found = child(corner, name)
    return None if found is None or not (found.text or "").strip().isdecimal() else int(found.text or 0)


def _set_line(corner: etree._Element | None, name: str, line: int) -> bool:
    found = child(corner, name)
    if found is None or found.text == str(line):
        return False
    found.text = str(line)
    return True
