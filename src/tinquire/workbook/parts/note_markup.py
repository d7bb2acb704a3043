"""Notes of new sheets as parts (ECMA-376 Part 1, 18.7), with the shapes in which they appear (Part 4, 19.4)."""

from __future__ import annotations

from collections.abc import Sequence

from tinquire.cells.address import cell_name
from tinquire.packages.package import Package
from tinquire.packages.xml import MAIN, escape_text
from tinquire.workbook.grid.frames import CellNote

__all__ = ["put_notes"]

_NOTES_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.comments+xml"
_SHAPES_TYPE = "application/vnd.openxmlformats-officedocument.vmlDrawing"
_SHAPES = (
    '<xml xmlns:v="urn:schemas-microsoft-com:vml" xmlns:o="urn:schemas-microsoft-com:office:office" '
    'xmlns:x="urn:schemas-microsoft-com:office:excel"><v:shapetype id="note" coordsize="21600,21600" o:spt="202" '
    'path="m,l,21600r21600,l21600,xe"><v:stroke joinstyle="miter"/><v:path gradientshapeok="t" '
    'o:connecttype="rect"/></v:shapetype>'
)


def put_notes(package: Package, folder: str, sheet_part: str, notes: Sequence[CellNote], space: str) -> str:
    """Write the notes of a sheet; returns the sheet's relationship to their shapes."""
    order = sorted(notes, key=lambda note: (note.row, note.column))
    authors = list(dict.fromkeys(note.author for note in order))
    listed = "".join(f"<author>{escape_text(author)}</author>" for author in authors)
    texts = "".join(
        f'<comment ref="{cell_name(note.row, note.column)}" authorId="{authors.index(note.author)}"><text>'
        f'<r><t xml:space="preserve">{escape_text(note.text)}</t></r></text></comment>'
        for note in order
    )
    start = f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<comments xmlns="{MAIN}">'
    part = package.free_name(f"{folder}/comments{{}}.xml")
    content = f"{start}<authors>{listed}</authors><commentList>{texts}</commentList></comments>"
    package.put(part, content.encode())
    shapes = package.free_name(f"{folder}/drawings/vmlDrawing{{}}.vml")
    package.put(shapes, f"{_SHAPES}{''.join(map(_shape, order))}</xml>".encode())
    package.set_types({part: _NOTES_TYPE, shapes: _SHAPES_TYPE})
    package.relate(sheet_part, f"{space}/comments", part)
    return package.relate(sheet_part, f"{space}/vmlDrawing", shapes)


def _shape(note: CellNote) -> str:
    """The shape of a note, hidden until its cell is pointed at: beside the cell, high enough for its text."""
    lines = sum(1 + len(line) // 32 for line in note.text.split("\n"))
    row, column = note.row - 1, note.column - 1
    anchor = f"{column + 1}, 12, {max(row - 1, 0)}, 6, {column + 4}, 12, {max(row - 1, 0) + lines + 2}, 6"
    return (
        '<v:shape type="#note" style="position:absolute;visibility:hidden" fillcolor="#F4EFE6" o:insetmode="auto">'
        '<v:fill color2="#F4EFE6"/><v:textbox/><x:ClientData ObjectType="Note"><x:MoveWithCells/><x:SizeWithCells/>'
        f"<x:Anchor>{anchor}</x:Anchor><x:AutoFill>False</x:AutoFill><x:Row>{row}</x:Row>"
        f"<x:Column>{column}</x:Column></x:ClientData></v:shape>"
    )
