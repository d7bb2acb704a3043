"""Sheets of workbooks as one document: pages numbered through, headers and footers, bookmarks, links within it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import area_name, parse_area, quoted_sheet
from tinquire.cells.dates import serial_from_date
from tinquire.pages.drawings import drawable
from tinquire.pages.front import Entry, contents_count, contents_pages, cover_page
from tinquire.pages.heads import Facts, head_runs, put_head
from tinquire.pages.notes import note_pages
from tinquire.pages.primitives import Bookmark, Box, Item, Link, Page, Pages, Picture, Role, Window
from tinquire.pages.sheet_layout import Asked, LaidPage, SheetLayout
from tinquire.pages.table_looks import with_table_looks
from tinquire.pages.typefaces import Typefaces
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.marked import marked_sheet
from tinquire.workbook.inspect.contents import BookDetails
from tinquire.workbook.inspect.printed import Heads, printed_sheet

__all__ = ["About", "Part", "lay_out", "sheet_of_file"]

#: So many rows of a section are looked through for its title.
_LOOKED_DOWN = 6


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


@dataclass(frozen=True)
class About:
    """What is said of a document, and what stands before its sheets. `language` is a tag such as 'en' (BCP 47)."""

    title: str = ""
    author: str = ""
    language: str = "en"
    cover: bool = False
    contents: bool = False


def lay_out(
    parts: Sequence[Part], moment: datetime, about: About | str, tell: Callable[[str], None] = lambda _: None
) -> Pages:  # fmt: skip
    """The pages of sheets of files. `moment` counts as now, for marks, and for headers that show the day; a text alone
    is the document's title.

    `tell` gets a sentence on each mark and drawing that is not drawn, and on each font that another one stands in for.
    Raises DataError where there is nothing to print, and for damaged parts AccessError.
    """
    about = About(about) if isinstance(about, str) else about
    faces = Typefaces()
    laid = [one for part in parts for one in _laid_sheets(part, faces, moment, tell)]
    if not laid:
        names = ", ".join(part.book.name for part in parts)
        why = "there is nothing on its sheets" if len(parts) == 1 else "there is nothing on their sheets"
        raise DataError(Fault("printing", why, names, "name a sheet or an area that holds something"))
    several = len({id(one.part) for one in laid}) > 1
    marks = [list(_bookmarks(place, laid, several)) for place in range(len(laid))]
    size, font = laid[0].layout.paper, laid[0].layout.looks.plain_font
    listed = sum(bool(mark.title) for own in marks for _, mark in own)
    front = int(about.cover) + (contents_count(size, listed) if about.contents else 0)
    total = front + sum(len(one.pages) for one in laid)
    number, entries = front, []
    pages: list[Page] = []
    for place, one in enumerate(laid):
        first = one.layout.printed.first_page
        number = first - 1 if first is not None else number
        for count, page in enumerate(one.pages):
            number += 1
            facts = Facts(number, total, moment, one.part.book.name, one.part.folder, page.sheet)
            _put_heads(one, page, one.layout.printed.heads, count == 0, facts)
            own = [mark for at, mark in marks[place] if at == count]
            entries += [Entry(mark.title, mark.level, mark.key, number) for mark in own]
            page.page.items[:0] = [*own, Role("table")] if count == 0 else own
            pages.append(page.page)
    _tie_links(laid)
    if about.contents:
        foot = [str(int(about.cover) + at + 1) for at in range(front - int(about.cover))]
        pages[:0] = contents_pages(size, faces, font, entries, foot)
    if about.cover:
        pages.insert(0, cover_page(size, faces, font, about.title, about.author, moment))
    for note in faces.notes():
        tell(note)
    return Pages(pages, about.title, about.author, "", about.language)


def sheet_of_file(
    part: Part, name: str, faces: Typefaces, moment: datetime, tell: Callable[[str], None]
) -> SheetLayout:
    """One sheet of a workbook read from a file, laid out."""
    book = part.book
    details = BookDetails(book).sheet(name)
    entry = book.entry(name)
    chart_alone = entry is not None and entry.kind == "chartsheet"
    # A sheet that is one chart has no cells (18.3.1.12): its drawing is fitted onto a page.
    sheet = Sheet(name) if chart_alone else with_table_looks(book, book.sheet(name), tell)
    asked = replace(part.asked, fit="page") if chart_alone else part.asked
    now = serial_from_date(moment.replace(tzinfo=None), book.date_system)
    marked = marked_sheet(book, sheet, details.marks, now)
    for skipped in marked.skipped:
        areas = ", ".join(map(area_name, skipped.mark.areas))
        tell(f"a mark of {quoted_sheet(name)}!{areas} is not drawn ({skipped.mark.words}): {skipped.why}")
    return SheetLayout(book, sheet, details, printed_sheet(book, name), marked, faces, asked)


def _laid_sheets(part: Part, faces: Typefaces, moment: datetime, tell: Callable[[str], None]) -> Iterator[_Laid]:
    book = part.book
    names = [
        entry.name
        for entry in book.entries
        if entry.kind in ("worksheet", "chartsheet")
        and (entry.name in part.sheets if part.sheets else entry.state == "visible")
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


def _bookmarks(place: int, laid: Sequence[_Laid], several: bool) -> Iterator[tuple[int, Bookmark]]:
    """The bookmarks of a sheet, each with the number of its page: the workbook if there are several, the sheet, and the
    sections that begin after breaks by hand, by their first text."""
    one = laid[place]
    high = one.layout.paper[1]
    if several and (place == 0 or laid[place - 1].part is not one.part):
        yield 0, Bookmark(f"part {place}", one.part.title or one.part.book.name, 0, high)
    yield 0, Bookmark(f"sheet {place}", one.layout.sheet.name, int(several), high)
    breaks = set(one.layout.setup.row_breaks)
    starts = {page.area.top for page in one.pages if page.area.top - 1 in breaks}
    if not starts:
        return
    seen: set[int] = set()
    for number, page in enumerate(one.pages):
        top = page.area.top
        begins = number == 0 or top in starts
        if begins and top not in seen and (title := _first_text(one.layout, page)):
            seen.add(top)
            yield number, Bookmark(f"section {place} {top}", title, int(several) + 1, high)


def _first_text(layout: SheetLayout, page: LaidPage) -> str:
    """The first text of a page's cells, within its first rows."""
    sheet, area = layout.sheet, page.area
    for row in range(area.top, min(area.top + _LOOKED_DOWN, area.bottom) + 1):
        for column in range(area.left, area.right + 1):
            value = sheet.value(row, column) if layout.grid.heights[row] else None
            if isinstance(value, str) and value.strip():
                return " ".join(value.split())
    return ""


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
