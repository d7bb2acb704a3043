"""Sheets of workbooks as one document: pages numbered through, headers and footers, bookmarks, links within it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import area_name, parse_area, quoted_sheet
from tinquire.cells.dates import serial_from_date
from tinquire.pages.drawings import drawable
from tinquire.pages.heads import Facts, head_runs, put_head
from tinquire.pages.notes import note_pages
from tinquire.pages.primitives import Bookmark, Box, Item, Link, Page, Pages, Picture, Window
from tinquire.pages.sheet_layout import Asked, LaidPage, SheetLayout
from tinquire.pages.typefaces import Typefaces
from tinquire.workbook import Workbook
from tinquire.workbook.calc.marked import marked_sheet
from tinquire.workbook.inspect.contents import BookDetails
from tinquire.workbook.inspect.printed import Heads, printed_sheet

__all__ = ["Part", "lay_out", "sheet_of_file"]


@dataclass(frozen=True)
class Part:
    """Sheets of one workbook to be printed: by name, or all visible ones; `asked` is what goes before what they say."""

    book: Workbook
    sheets: tuple[str, ...] = ()
    asked: Asked = field(default_factory=Asked)
    #: The name of its bookmark, when there are several; empty for none.
    title: str = ""
    folder: str = ""


@dataclass
class _Laid:
    """A sheet laid out, with its pages."""

    part: Part
    layout: SheetLayout
    pages: list[LaidPage]


def lay_out(
    parts: Sequence[Part], moment: datetime, title: str, author: str = "", language: str = "en",
    tell: Callable[[str], None] = lambda _: None,
) -> Pages:  # fmt: skip
    """The pages of sheets of files. `moment` counts as now, for marks, and for headers that show the day.

    `tell` gets a sentence on each mark and drawing that is not drawn, and on each font that another one stands in for.
    Raises DataError where there is nothing to print, and for damaged parts AccessError.
    """
    faces = Typefaces()
    laid = [one for part in parts for one in _laid_sheets(part, faces, moment, tell)]
    if not laid:
        names = ", ".join(part.book.name for part in parts)
        why = "there is nothing on its sheets" if len(parts) == 1 else "there is nothing on their sheets"
        raise DataError(Fault("printing", why, names, "name a sheet or an area that holds something"))
    total = sum(len(one.pages) for one in laid)
    pages: list[Page] = []
    several = len({id(one.part) for one in laid}) > 1
    number = 0
    for place, one in enumerate(laid):
        first = one.layout.printed.first_page
        number = first - 1 if first is not None else number
        new_part = several and (place == 0 or laid[place - 1].part is not one.part)
        for count, page in enumerate(one.pages):
            number += 1
            heads = one.layout.printed.heads
            _put_heads(one, page, heads, count == 0, Facts(
                number, total, moment, one.part.book.name, one.part.folder, page.sheet))  # fmt: skip
            if count == 0:
                page.page.items[:0] = list(_bookmarks(place, one, new_part, several))
            pages.append(page.page)
    _tie_links(laid)
    for note in faces.notes():
        tell(note)
    return Pages(pages, title, author, "", language)


def sheet_of_file(
    part: Part, name: str, faces: Typefaces, moment: datetime, tell: Callable[[str], None]
) -> SheetLayout:
    """One sheet of a workbook read from a file, laid out."""
    book = part.book
    details = BookDetails(book).sheet(name)
    sheet = book.sheet(name)
    now = serial_from_date(moment.replace(tzinfo=None), book.date_system)
    marked = marked_sheet(book, sheet, details.marks, now)
    for skipped in marked.skipped:
        areas = ", ".join(map(area_name, skipped.mark.areas))
        tell(f"a mark of {quoted_sheet(name)}!{areas} is not drawn ({skipped.mark.words}): {skipped.why}")
    return SheetLayout(book, sheet, details, printed_sheet(book, name), marked, faces, part.asked)


def _laid_sheets(part: Part, faces: Typefaces, moment: datetime, tell: Callable[[str], None]) -> Iterator[_Laid]:
    book = part.book
    names = [
        entry.name
        for entry in book.entries
        if entry.kind == "worksheet" and (entry.name in part.sheets if part.sheets else entry.state == "visible")
    ]
    for name in names:
        layout = sheet_of_file(part, name, faces, moment, tell)
        if layout.is_empty and not part.sheets:
            continue
        pages = list(layout.pages())
        pages += note_pages(layout, pages)
        for problem in layout.drawings.problems:
            tell(f"{quoted_sheet(name)}: {problem}")
        yield _Laid(part, layout, pages)


def _put_heads(one: _Laid, page: LaidPage, heads: Heads, is_first: bool, facts: Facts) -> None:
    """The header and the footer of a page (18.3.1.46): the first one's, even ones', or the usual."""
    (header, footer), which = (heads.header, heads.footer), ""
    if is_first and heads.first is not None:
        (header, footer), which = heads.first, "FIRST"
    elif facts.page % 2 == 0 and heads.even is not None:
        (header, footer), which = heads.even, "EVEN"
    layout = one.layout
    wide, high = layout.paper
    left, right, _, _, above, below = layout.margins
    if not heads.aligned:
        left = right = 0.7 * 72
    scale = layout.scale if heads.scaled else 1.0
    for codes, foot in ((header, False), (footer, True)):
        if codes:
            edge = below if foot else high - above
            runs = head_runs(codes, facts)
            pictures = [_head_picture(layout, f"{side}{'F' if foot else 'H'}{which}", scale) for side in "LCR"]
            placed = (pictures[0], pictures[1], pictures[2])
            page.page.items += put_head(runs, layout.looks, left, wide - right, edge, scale, foot=foot, pictures=placed)


def _head_picture(layout: SheetLayout, place: str, scale: float) -> Picture | None:
    """The picture of a part of a header or footer, if it has one that can be drawn."""
    part, wide, high = layout.printed.head_pictures.get(place, ("", 0.0, 0.0))
    content = drawable(layout.book.package.read(part)) if part else None
    return None if content is None else Picture(Box(0, 0, wide * scale, high * scale), content)


def _bookmarks(place: int, one: _Laid, new_part: bool, several: bool) -> Iterator[Bookmark]:
    high = one.layout.paper[1]
    if new_part:
        yield Bookmark(f"part {place}", one.part.title or one.part.book.name, 0, high)
    yield Bookmark(f"sheet {place}", one.layout.sheet.name, int(several), high)


# -- links within the document ---------------------------------------------------------------------------


def _tie_links(laid: Sequence[_Laid]) -> None:
    """Let links to cells lead to their places on the pages; those to what is not printed lead nowhere."""
    for one in laid:
        for page in one.pages:
            page.page.items[:] = _tied(page.page.items, one, laid)


def _tied(items: list[Item], one: _Laid, laid: Sequence[_Laid]) -> list[Item]:
    kept: list[Item] = []
    for item in items:
        if isinstance(item, Window):
            item.items[:] = _tied(item.items, one, laid)
        if isinstance(item, Link) and not item.outside:
            key = _target(item.target, one, laid)
            if key is None:
                continue
            kept.append(Link(item.box, key, False))
        else:
            kept.append(item)
    return kept


def _target(target: str, one: _Laid, laid: Sequence[_Laid]) -> str | None:
    """The key of the place that a link means: `Sheet!A1`, or a cell of its own sheet."""
    sheet, sign, cell = target.rpartition("!")
    name = sheet.strip("'").replace("''", "'") if sign else one.layout.sheet.name
    try:
        area = parse_area(cell.replace("$", "").upper())
    except ValueError:
        return None
    for place, other in enumerate(laid):
        if other.part is not one.part or other.layout.sheet.name.casefold() != name.casefold():
            continue
        for number, page in enumerate(other.pages):
            if page.area.holds(area.top, area.left):
                if number == 0 and area.top == page.area.top:
                    return f"sheet {place}"
                return _marked(other, page, place, area.top, area.left)
        return f"sheet {place}"
    return None


def _marked(one: _Laid, page: LaidPage, place: int, row: int, column: int) -> str:
    """A bookmark without a title at a cell."""
    key = f"cell {place} {row} {column}"
    if not any(isinstance(item, Bookmark) and item.key == key for item in page.page.items):
        layout = one.layout
        down = (layout.grid.top(row) - layout.grid.top(page.area.top)) * layout.scale
        page.page.items.insert(0, Bookmark(key, "", 0, page.windows[-1].clip.top - down))
    return key
