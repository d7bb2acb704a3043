"""Parts that hang on a sheet and point at its cells: drawings, comments, tables, charts, pivots; how they follow."""

from __future__ import annotations

import re
from collections.abc import Callable

from lxml import etree

from tinquire.cells.address import Area, area_name, parse_area
from tinquire.cells.shifting import Moves
from tinquire.packages.xml import child, children, local, tag
from tinquire.workbook.edits.following import Following

__all__ = [
    "followed_comments", "followed_drawing", "followed_formulas", "followed_pivot_cache", "followed_pivot_table",
    "forget_drawn", "literal_chart", "pivot_area", "shifted_shapes",
]  # fmt: skip


def followed_formulas(root: etree._Element, following: Following) -> bool:
    """Every formula of a part that stands on no sheet, such as a chart's series (21.2.2.65)."""
    changed = False
    for element in root.iter():
        if local(element) == "f" and element.text:
            fresh = following.formula(element.text, "")
            if fresh != element.text:
                element.text = fresh
                changed = True
    return changed


def literal_chart(root: etree._Element, lost: Callable[[str], bool]) -> bool:
    """Series whose formulas read what is lost keep the values that the chart holds of them (21.2.2.111, .192)."""
    changed = False
    for reference in list(root.iter("{*}numRef", "{*}strRef")):
        formula, parent = child(reference, "f"), reference.getparent()
        cache = next((one for one in reference if local(one) in ("numCache", "strCache")), None)
        if formula is None or parent is None or cache is None or not lost(formula.text or ""):
            continue
        changed = True
        if local(parent) == "tx":
            owner = parent.getparent()
            if owner is None or local(owner) != "ser":
                continue
            fresh = etree.Element(tag(root, "v"))
            fresh.text = next((value.text for value in cache.iter("{*}v")), "")
        else:
            fresh = etree.Element(tag(root, "numLit" if local(reference) == "numRef" else "strLit"))
            fresh.extend(list(cache))
        parent.replace(reference, fresh)
    return changed


def forget_drawn(root: etree._Element) -> bool:
    """Take out the values that a chart was drawn with: they may be of rows that are gone. It is drawn anew from its
    formulas on opening."""
    found = list(root.iter("{*}numCache", "{*}strCache", "{*}multiLvlStrCache"))
    found += [point for literal in root.iter("{*}numLit", "{*}strLit") for point in children(literal, "pt")]
    for element in found:
        parent = element.getparent()
        if parent is not None:
            parent.remove(element)
    return bool(found)


def followed_drawing(root: etree._Element, shift: Moves) -> bool:
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
        moved = _shifted(start, shift)
        stop = _line(child(anchor, "to"), name)
        changed |= _set_line(child(anchor, "from"), name, moved)
        if stop is not None:
            end = stop + moved - start if how == "oneCell" else _shifted(stop, shift)
            changed |= _set_line(child(anchor, "to"), name, max(end, moved))
    return changed


def _shifted(line: int, shift: Moves) -> int:
    return shift.place(line + 1) - 1


def _line(corner: etree._Element | None, name: str) -> int | None:
    found = child(corner, name)
    return None if found is None or not (found.text or "").strip().isdigit() else int(found.text or 0)


def _set_line(corner: etree._Element | None, name: str, line: int) -> bool:
    found = child(corner, name)
    if found is None or found.text == str(line):
        return False
    found.text = str(line)
    return True


def followed_comments(root: etree._Element, home: str, following: Following) -> bool:
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


def shifted_shapes(data: bytes, shift: Moves) -> bytes:
    """The old drawing part of comments (Part 4, 19.4): not always XML, so it is changed as text."""
    return _SHAPE.sub(lambda found: _shifted_shape(found[0], shift), data)


def _shifted_shape(shape: bytes, shift: Moves) -> bytes:
    found = _NOTE_LINES[shift.rows].search(shape)
    if found is None:
        return shape
    line = int(found[2])
    moved = shift.line(line + 1)
    if moved is None:
        return b""
    by = moved - 1 - line
    shape = shape[: found.start()] + found[1] + b"%d" % (moved - 1) + found[3] + shape[found.end() :]

    def anchored(anchor: re.Match[bytes]) -> bytes:
        numbers = [piece.strip() for piece in anchor[2].split(b",")]
        if len(numbers) != 8 or not all(piece.isdigit() for piece in numbers):
            return anchor[0]
        for place in (2, 6) if shift.rows else (0, 4):
            numbers[place] = b"%d" % max(int(numbers[place]) + by, 0)
        return anchor[1] + b", ".join(numbers) + anchor[3]

    return _ANCHOR.sub(anchored, shape) if by else shape


def followed_pivot_cache(root: etree._Element, following: Following, renamed: tuple[str, str] | None = None) -> bool:
    """Where a pivot takes its rows from (18.10.1.95): a sheet's area, or a name or table, which needs no change."""
    source = child(child(root, "cacheSource"), "worksheetSource")
    if source is None:
        return False
    sheet = source.get("sheet", "")
    changed = False
    if (text := source.get("ref")) is not None:
        area = parse_area(text)
        moved = following.area(area, sheet)
        if moved is not None and moved != area:
            source.set("ref", area_name(moved))
            changed = True
    if renamed is not None and sheet.casefold() == renamed[0].casefold():
        source.set("sheet", renamed[1])
        changed = True
    return changed


def followed_pivot_table(root: etree._Element, home: str, following: Following) -> bool:
    """Where a pivot stands on its sheet (18.10.1.49)."""
    changed = False
    for location in children(root, "location"):
        area = parse_area(location.get("ref", "A1"))
        moved = following.area(area, home)
        if moved is not None and moved != area:
            location.set("ref", area_name(moved))
            changed = True
    return changed


def pivot_area(root: etree._Element) -> Area | None:
    location = child(root, "location")
    return None if location is None else parse_area(location.get("ref", "A1"))
