"""Notes of cells on pages after their sheet (ECMA-376 Part 1, 18.18.5: at the end)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from tinquire.cells.address import Area, parse_cell
from tinquire.pages.lettering import Line, lines_of
from tinquire.pages.primitives import Item, Page
from tinquire.pages.sheet_layout import LaidPage, SheetLayout

__all__ = ["note_pages"]

_SIZE, _INK, _FAINT = 9.0, "27343A", "5F6B70"
_INDENT, _GAP = 54.0, 6.0


def note_pages(layout: SheetLayout, pages: Sequence[LaidPage]) -> Iterator[LaidPage]:
    """The notes of the printed cells, by row and column, if the sheet asks for them at its end."""
    if layout.printed.notes != "atEnd" or not pages:
        return
    areas = [page.area for page in pages]
    notes = []
    for comment in layout.details.comments:
        try:
            row, column = parse_cell(comment.cell)
        except ValueError:
            continue
        if any(area.holds(row, column) for area in areas):
            notes.append((row, column, comment))
    bold, plain, faint = (
        layout.looks.letters("", _SIZE, heavy, False, colour)
        for heavy, colour in ((True, _INK), (False, _INK), (False, _FAINT))
    )
    wide, high = layout.paper
    left, right, top, bottom, *_ = layout.margins
    items: list[Item] = []
    y = high - top
    for _, _, comment in sorted(notes, key=lambda note: note[:2]):
        lines: list[Line] = lines_of([(comment.text.rstrip(), plain)], wide - left - right - _INDENT)
        if comment.author:
            lines = [*lines_of([(comment.author, faint)], None), *lines]
        if y - plain.line * min(len(lines), 3) < bottom and items:
            yield LaidPage(Page(wide, high, items), Area(0, 0, 0, 0), layout.sheet.name)
            items, y = [], high - top
        items.append(bold.put(left, y - bold.ascent, comment.cell))
        for line in lines:
            if y - plain.line < bottom:
                yield LaidPage(Page(wide, high, items), Area(0, 0, 0, 0), layout.sheet.name)
                items, y = [], high - top
            for piece in line.pieces:
                items.append(piece.letters.put(left + _INDENT, y - piece.letters.ascent, piece.text, piece.width))
            y -= plain.line
        y -= _GAP
    if items:
        yield LaidPage(Page(wide, high, items), Area(0, 0, 0, 0), layout.sheet.name)
