"""A table put into a letter at a slot: rows of cells that say how they look, as markup (ECMA-376 Part 1, 17.4)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import floor

from lxml import etree

from tinquire.looks import Appearance, Edge
from tinquire.packages.xml import child, local, tag, whole_number

__all__ = ["LaidCell", "LaidTable", "table_markup"]

_TWENTIETHS, _SPACE = 20, "{http://www.w3.org/XML/1998/namespace}space"
#: The styles of lines of a document (17.18.2), and their widths in eighths of a point, by those of a cell's (18.18.3).
_LINES = {
    "hair": ("single", 2), "thin": ("single", 4), "medium": ("single", 12), "thick": ("single", 18),
    "double": ("double", 4), "dotted": ("dotted", 4), "dashed": ("dashed", 4), "mediumDashed": ("dashed", 12),
}  # fmt: skip
_SIDES = ("top", "left", "bottom", "right")
_CLOSE = "20"
#: Room beside a cell's text, and a table's width where nothing is stated, in points; no letters become smaller than
#: this share of what they were.
_SIDE, _ROOM, _SMALLEST = 3.0, 450.0, 0.5
#: One step of an indent, in points.
_STEP = 9.0


@dataclass(frozen=True, slots=True)
class LaidCell:
    """A cell: its text, its look, how many columns it takes, and whether it goes on from the row above or begins cells
    that do."""

    text: str
    look: Appearance
    align: str = "left"
    columns: int = 1
    merge: str | None = None


@dataclass(frozen=True, slots=True)
class LaidTable:
    """Widths of columns in points, rows, and how many of them are headings."""

    widths: Sequence[float]
    rows: Sequence[Sequence[LaidCell]]
    headings: int = 0


def table_markup(table: LaidTable, like: etree._Element) -> etree._Element:
    """A table as an element in the namespace of the one in whose place it comes; one that is too wide for the page is
    made narrower with its letters, so that no number breaks."""
    share = min(1.0, _room(like) / max(sum(table.widths), 1.0))
    table = replace(table, widths=[width * share for width in table.widths])
    share = max(share, _SMALLEST)
    root = etree.Element(tag(like, "tbl"), nsmap=like.nsmap)  # type: ignore[arg-type]
    settings = _put(root, "tblPr")
    _put(settings, "tblW", w=_length(sum(table.widths)), type="dxa")
    _put(settings, "tblInd", w="0", type="dxa")
    _put(settings, "tblLayout", type="fixed")
    margins = _put(settings, "tblCellMar")
    for side in ("left", "right"):
        _put(margins, side, w=_length(_SIDE), type="dxa")
    grid = _put(root, "tblGrid")
    for width in table.widths:
        _put(grid, "gridCol", w=_length(width))
    for number, cells in enumerate(table.rows):
        row = _put(root, "tr")
        marks = _put(row, "trPr")
        _put(marks, "cantSplit")
        if number < table.headings:
            _put(marks, "tblHeader")
        first = 0
        for cell in cells:
            _cell(row, cell, sum(table.widths[first : first + cell.columns]), share)
            first += cell.columns
    return root


def _room(element: etree._Element) -> float:
    """How wide a table may be where an element stands: in its cell, or between the margins of its page, in points."""
    for holder in element.iterancestors():
        if local(holder) == "tc":
            wide = whole_number(_stated(child(child(holder, "tcPr"), "tcW"), "w"))
            return _ROOM if not wide else wide / _TWENTIETHS - 2 * _SIDE
    sections = [one for one in element.getroottree().getroot().iter() if local(one) == "sectPr"]
    if not sections:
        return _ROOM
    size, margins = child(sections[-1], "pgSz"), child(sections[-1], "pgMar")
    wide, left, right = (
        whole_number(_stated(one, name)) for one, name in ((size, "w"), (margins, "left"), (margins, "right"))
    )
    return _ROOM if wide is None else max((wide - (left or 0) - (right or 0)) / _TWENTIETHS, _SIDE)


def _stated(element: etree._Element | None, name: str) -> str | None:
    return None if element is None else element.get(tag(element, name))


def _cell(row: etree._Element, cell: LaidCell, width: float, share: float) -> None:
    look = cell.look
    one = _put(row, "tc")
    settings = _put(one, "tcPr")
    _put(settings, "tcW", w=_length(width), type="dxa")
    if cell.columns > 1:
        _put(settings, "gridSpan", val=str(cell.columns))
    if cell.merge is not None:
        _put(settings, "vMerge", val=cell.merge)
    edges = {side: edge for side in _SIDES if (edge := getattr(look.edges, side)) is not None}
    if edges:
        borders = _put(settings, "tcBorders")
        for side, edge in edges.items():
            _line(borders, side, edge)
    if look.fill is not None:
        _put(settings, "shd", val="clear", color="auto", fill=look.fill)
    _text(one, cell, share)


def _text(one: etree._Element, cell: LaidCell, share: float) -> None:
    """The paragraph of a cell."""
    look = cell.look
    paragraph = _put(one, "p")
    about = _put(paragraph, "pPr")
    _put(about, "spacing", before=_CLOSE, after=_CLOSE, line="240", lineRule="auto")
    if look.indent:
        _put(about, "ind", left=_length(look.indent * _STEP))
    _put(about, "jc", val=cell.align)
    if not cell.text:
        return
    run = _put(paragraph, "r")
    letters = _put(run, "rPr")
    if look.font:
        _put(letters, "rFonts", ascii=look.font, hAnsi=look.font)
    for name, wanted in (("b", look.bold), ("i", look.italic), ("strike", look.strike)):
        if wanted:
            _put(letters, name)
    if look.colour is not None:
        _put(letters, "color", val=look.colour)
    if look.size:
        _put(letters, "sz", val=str(floor(look.size * 2 * share)))
    if look.underline:
        _put(letters, "u", val="single")
    text = _put(run, "t")
    text.text = cell.text
    text.set(_SPACE, "preserve")


def _line(borders: etree._Element, side: str, edge: Edge) -> None:
    style, eighths = _LINES.get(edge.style, ("dashed", 4))
    _put(borders, side, val=style, sz=str(eighths), space="0", color=edge.colour)


def _put(parent: etree._Element, name: str, **values: str) -> etree._Element:
    element = etree.SubElement(parent, tag(parent, name))
    for key, value in values.items():
        element.set(tag(parent, key), value)
    return element


def _length(points: float) -> str:
    return str(round(points * _TWENTIETHS))
