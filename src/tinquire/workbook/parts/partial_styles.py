"""Differential styles (ECMA-376 Part 1, 18.8.14): the parts of a look that a mark or a table's style changes."""

from __future__ import annotations

from collections.abc import Callable

from lxml import etree

from tinquire.looks import Edge, Edges, Variation
from tinquire.packages.xml import child, tag
from tinquire.workbook.parts.fonts import font_size

__all__ = ["partial_element", "read_partial"]

_SIDES = (("left", "start"), ("right", "end"), ("top", "top"), ("bottom", "bottom"))


def read_partial(dxf: etree._Element, colour_of: Callable[[etree._Element | None], str | None]) -> Variation:
    """What a differential style changes; `colour_of` gives the RGB of a colour element."""
    font, code = child(dxf, "font"), child(dxf, "numFmt")
    name = child(font, "name")
    underline = child(font, "u")
    return Variation(
        font=None if name is None else name.get("val"),
        size=font_size(font) or None,
        bold=_flag(child(font, "b")),
        italic=_flag(child(font, "i")),
        underline=None if underline is None else underline.get("val", "single") != "none",
        strike=_flag(child(font, "strike")),
        colour=colour_of(child(font, "color")),
        fill=_fill(child(dxf, "fill"), colour_of),
        edges=_edges(child(dxf, "border"), colour_of),
        format=None if code is None else code.get("formatCode"),
    )


def _flag(element: etree._Element | None) -> bool | None:
    return None if element is None else element.get("val", "1") in ("1", "true", "on")


def _fill(fill: etree._Element | None, colour_of: Callable[[etree._Element | None], str | None]) -> str | None:
    """The colour of a fill: here a solid one is stated by its background (18.8.32), and nothing said means solid."""
    pattern = child(fill, "patternFill")
    if pattern is None or pattern.get("patternType") == "none":
        return None
    if pattern.get("patternType", "solid") == "solid":
        return colour_of(child(pattern, "bgColor")) or colour_of(child(pattern, "fgColor"))
    return colour_of(child(pattern, "fgColor")) or colour_of(child(pattern, "bgColor"))


def _edges(border: etree._Element | None, colour_of: Callable[[etree._Element | None], str | None]) -> Edges | None:
    if border is None:
        return None
    found: dict[str, Edge | None] = {}
    for name, newer in _SIDES:
        side = child(border, name) if child(border, name) is not None else child(border, newer)
        style = "none" if side is None else side.get("style", "none")
        found[name] = None if style == "none" else Edge(style, colour_of(child(side, "color")) or "000000")
    return Edges(found["top"], found["bottom"], found["left"], found["right"]) if any(found.values()) else None


def partial_element(change: Variation, dxf: etree._Element, format_number: Callable[[str], int]) -> etree._Element:
    """A differential style that makes a change, built into an empty element; its children in the order of 18.8.14."""

    def add(parent: etree._Element, name: str, **attributes: str) -> etree._Element:
        return etree.SubElement(parent, tag(dxf, name), attributes)

    flags = (("b", change.bold), ("i", change.italic), ("strike", change.strike))
    letters = any(value is not None for _, value in flags) or change.underline is not None
    if letters or change.colour or change.size or change.font:
        font = add(dxf, "font")
        for name, value in flags:
            if value is not None:
                add(font, name, val=str(int(value)))
        if change.underline is not None:
            add(font, "u", val="single" if change.underline else "none")
        if change.size:
            add(font, "sz", val=f"{change.size:g}")
        if change.colour:
            add(font, "color", rgb=f"FF{change.colour}")
        if change.font:
            add(font, "name", val=change.font)
    if change.format is not None:
        add(dxf, "numFmt", numFmtId=str(format_number(change.format)), formatCode=change.format)
    if change.fill:
        pattern = add(add(dxf, "fill"), "patternFill", patternType="solid")
        add(pattern, "bgColor", rgb=f"FF{change.fill}")
    if change.edges is not None:
        border = add(dxf, "border")
        for name, edge in (
            ("left", change.edges.left), ("right", change.edges.right), ("top", change.edges.top),
            ("bottom", change.edges.bottom),
        ):  # fmt: skip
            if edge is not None:
                add(add(border, name, style=edge.style), "color", rgb=f"FF{edge.colour}")
    return dxf
