"""Notes of cells that are always seen, as they are drawn on the sheet (ECMA-376 Part 1, 18.7; their shapes Part 4,
19.4)."""

from __future__ import annotations

import re
from collections.abc import Iterator

from tinquire.cells.address import cell_name
from tinquire.packages.package import Package
from tinquire.workbook.parts.comments import read_comments
from tinquire.workbook.parts.drawn import Anchor, Corner, Drawn, DrawnText, Paragraph, Run, Shape

__all__ = ["shown_notes"]

_SHAPE = re.compile(rb"<v:shape\b.*?</v:shape>", re.DOTALL)
_SEEN = re.compile(rb"<x:Visible\s*(?:/>|>\s*(?:True|t|1)?\s*<)")
_NUMBERS = {name: re.compile(rb"<x:%s>\s*(\d{1,7})\s*<" % name.encode()) for name in ("Row", "Column")}
_ANCHOR = re.compile(rb"<x:Anchor>\s*((?:\d{1,7}\s*,\s*){7}\d{1,7})\s*<")
_FILL = re.compile(rb"^<v:shape\b[^>]*?\sfillcolor=[\"']#([0-9A-Fa-f]{6})\b")
#: A shape's measures are in pixels of 96 to the inch.
_PIXEL = 0.75
_PAPER, _LINE, _INSET = "FFFFFF", "5F6B70", (4.0, 3.0, 4.0, 3.0)


def shown_notes(package: Package, sheet_part: str) -> Iterator[Drawn]:
    """The notes of a sheet whose shapes are always seen."""
    related = [one for one in package.relations(sheet_part) if package.has(one.target)]
    texts = {
        note.cell: note for one in related if one.kind == "comments" for note in read_comments(package.root(one.target))
    }
    for one in related if texts else ():
        for found in _SHAPE.finditer(package.read(one.target)) if one.kind == "vmlDrawing" else ():
            shape = found[0]
            place = [_NUMBERS[name].search(shape) for name in ("Row", "Column")]
            row, column = (None if number is None else int(number[1]) + 1 for number in place)
            anchor = _ANCHOR.search(shape)
            if row is None or column is None or anchor is None or not _SEEN.search(shape):
                continue
            note = texts.get(cell_name(row, column))
            if note is not None:
                fill = _FILL.search(shape)
                ground = _PAPER if fill is None else fill[1].decode().upper()
                lines = tuple(Paragraph((Run(line, size=9.0),)) for line in note.text.split("\n"))
                text = DrawnText(lines, "top", _INSET)
                yield Drawn(
                    _place(anchor[1]), note.cell, note.text, Shape("rect", ground, 1.0, _LINE, 0.75, False, text)
                )


def _place(numbers: bytes) -> Anchor:
    """Eight numbers: a column, how far into it, a row, how far into it, of the first corner and of the other one."""
    one = [int(number) for number in numbers.split(b",")]
    corners = [Corner.on_grid(one[n + 2], one[n], one[n + 1] * _PIXEL, one[n + 3] * _PIXEL) for n in (0, 4)]
    return Anchor(corners[0], corners[1], None, None)
