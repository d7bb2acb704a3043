"""A letter on paper: its sections, columns, headers and footers, strips put on page after page (ECMA-376 Part 1,
17.6, 17.10)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from lxml import etree

from tinquire.document.letter import Letter, kind_of
from tinquire.document.looks import on, points, value, whole
from tinquire.packages.xml import child, children
from tinquire.pages.laid_before import LaidBefore
from tinquire.pages.letter_blocks import Blocks, Context, content_box, stacked
from tinquire.pages.letter_shapes import LetterShape, without_spots
from tinquire.pages.numerals import numeral
from tinquire.pages.primitives import Bookmark, Item, Lines, Link, Page, Pages, Pen, Role, Text, all_items
from tinquire.pages.strips import Float, Strip, moved, without_roles
from tinquire.pages.typefaces import Typefaces

__all__ = ["lay_out_letter"]

#: A4, and margins of an inch, for a section that states none.
_PAPER, _MARGIN = (595.3, 841.9), 72.0
_NOTHING = 0.05
#: Above footnotes: room, and a line so long.
_NOTE_GAP, _NOTE_LINE = 10.0, 120.0
#: Names that links lead to are marks of the PDF with this before them.
_ANCHOR = "to "
_ASIDE, _BODY = Role("aside"), Role("body")
_MOST_COLUMNS, _MOST_NUMBER = 45, 1_000_000
#: Strips that hold together are looked at up to so many.
_TOGETHER = 60
#: So many shapes of letters are kept.
_MOST_SHAPES = 16


@dataclass
class _Section:
    """A section: its blocks, and what it says of paper, columns, headers and page numbers."""

    elements: list[etree._Element]
    settings: etree._Element | None

    def length(self, element: str, name: str, otherwise: float) -> float:
        found = points(value(child(self.settings, element), name))
        return otherwise if found is None else found

    @cached_property
    def size(self) -> tuple[float, float]:
        return self.length("pgSz", "w", _PAPER[0]), self.length("pgSz", "h", _PAPER[1])

    @cached_property
    def margins(self) -> tuple[float, float, float, float]:
        """Left, right, top and bottom; what a file states as negative is meant to be kept whatever stands there."""
        left, right, top, bottom = (self.length("pgMar", name, _MARGIN) for name in ("left", "right", "top", "bottom"))
        return left + self.length("pgMar", "gutter", 0.0), right, abs(top), abs(bottom)

    @cached_property
    def columns(self) -> list[tuple[float, float]]:
        """Where each column begins, from the left margin, and how wide it is."""
        left, right, *_ = self.margins
        wide = self.size[0] - left - right
        settings = child(self.settings, "cols")
        count = max(whole(settings, "num", 1, _MOST_COLUMNS), 1)
        stated = children(settings, "col")
        if value(settings, "equalWidth") in ("0", "false") and stated:
            found, x = [], 0.0
            for one in stated:
                own = points(value(one, "w")) or wide / len(stated)
                found.append((x, own))
                x += own + (points(value(one, "space")) or 0.0)
            return found
        space = points(value(settings, "space")) if settings is not None else None
        gap = 36.0 if space is None else space
        own = max((wide - gap * (count - 1)) / count, 10.0)
        return [(number * (own + gap), own) for number in range(count)]

    @property
    def goes_on(self) -> bool:
        return value(child(self.settings, "type")) == "continuous"


@dataclass
class _Sheet:
    """A page while it is filled."""

    section: _Section
    page: Page
    first: bool
    number: int = 0
    marks: list[tuple[str, int, float]] = field(default_factory=list)
    notes: list[Strip] = field(default_factory=list)

    def noted(self, strips: Sequence[Strip] = ()) -> float:
        """The room that its footnotes take, with those of more strips."""
        notes = [*self.notes, *(note for strip in strips for note in strip.notes)]
        return content_box(notes, whole=True) + _NOTE_GAP if notes else 0.0


def lay_out_letter(
    letter: Letter, title: str, tell: Callable[[str], None] = lambda _: None, before: LaidBefore | None = None
) -> Pages:
    """The pages of a letter. `tell` gets a sentence on each kind of thing that is not laid out, and on each font that
    another one stands in for. Letters of one template are laid out faster with what was laid out `before`; their pages
    are the same without. Raises AccessError for damaged parts."""
    before = LaidBefore() if before is None else before
    shape = _shape_of(letter, before)
    if shape is not None and letter.filled is not None and (known := shape.pages(letter.filled, title)) is not None:
        pages, told = known
        for note in told:
            tell(note)
        return pages
    return _laid_out(letter, title, tell, before, shape)


def _shape_of(letter: Letter, before: LaidBefore) -> LetterShape | None:
    """What is known of letters like one; nothing when it is the first. Raises AccessError for damaged parts."""
    if letter.filled is None:
        return None
    key, shapes = letter.filled.shape, before.shapes
    if key not in shapes:
        if len(shapes) >= _MOST_SHAPES:
            shapes.clear()
        shapes[key] = None
        return None
    if (known := shapes[key]) is None:
        known = shapes[key] = LetterShape(letter.filled, letter)
    return known


def _laid_out(
    letter: Letter, title: str, tell: Callable[[str], None], before: LaidBefore, shape: LetterShape | None
) -> Pages:
    """The pages of a letter; its shape learns where its texts stand."""
    faces = Typefaces(before.faces)
    context = Context(letter, *before.of(letter), faces, watched=None if shape is None else shape.watched())
    body = child(context.root(letter.part), "body")
    sections = list(_sections(body))
    flow = _Flow(Blocks(context, letter.part))
    for number, section in enumerate(sections):
        flow.section(section, begins=number == 0 or not section.goes_on)
    flow.put(sections[-1], context.endnotes)
    sheets = flow.sheets
    _put_notes(sheets)
    _number(sheets)
    _put_heads(context, letter, sections, sheets)
    key = 0
    for sheet in sheets:
        for text, level, y in sheet.marks:
            key += 1
            sheet.page.items.insert(0, Bookmark(f"heading {key}", text, level, y))
    _settle_levels([sheet.page for sheet in sheets])
    pages = [sheet.page for sheet in sheets]
    places = without_spots(pages) if context.watched is not None else []
    texts = [item for page in pages for item in all_items(page.items) if isinstance(item, Text)]
    lacking = (letter for text in texts for letter in text.face.lacking(text.text))
    told = [*context.problems, *faces.notes(lacking)]
    for note in told:
        tell(note)
    laid = Pages(pages, title, language="en")
    if shape is not None and letter.filled is not None and context.watched is not None:
        shape.learn(letter.filled, context, laid, places, told)
    return laid


def _sections(body: etree._Element | None) -> Iterator[_Section]:
    """The sections of a body: each ends with a paragraph that says how it is laid out, the last with the body."""
    elements: list[etree._Element] = []
    for one in body if body is not None else ():
        if kind_of(one) == "sectPr":
            continue
        elements.append(one)
        own = child(child(one, "pPr"), "sectPr") if kind_of(one) == "p" else None
        if own is not None:
            yield _Section(elements, own)
            elements = []
    yield _Section(elements, child(body, "sectPr"))


class _Flow:
    """Puts strips on pages, column after column."""

    def __init__(self, blocks: Blocks) -> None:
        self._blocks = blocks
        self.sheets: list[_Sheet] = []
        self._column = 0
        self._y = 0.0
        self._top = 0.0

    def section(self, section: _Section, *, begins: bool) -> None:
        wide = section.columns[0][1]
        self._blocks.set_room(section.size[0] - section.margins[0] - section.margins[1])
        strips = self._blocks.strips(section.elements, wide)
        if begins or not self.sheets:
            self._page(section, first=True)
        else:  # it goes on below what is there
            self.sheets[-1].section = section if not self.sheets[-1].page.items else self.sheets[-1].section
            self._column, self._top = 0, self._y
        self.put(section, strips)

    def put(self, section: _Section, strips: Sequence[Strip]) -> None:
        """Put strips below what is there."""
        place = 0
        while place < len(strips):
            place = self._put(section, strips, place)

    def _page(self, section: _Section, *, first: bool = False) -> None:
        wide, high = section.size
        self.sheets.append(_Sheet(section, Page(wide, high), first))
        self._column = 0
        self._y = self._top = high - section.margins[2]

    def _next(self, section: _Section) -> None:
        """Go on in the next column, or on the next page."""
        if self._column + 1 < len(section.columns):
            self._column, self._y = self._column + 1, self._top
        else:
            self._page(section)

    def _put(self, section: _Section, strips: Sequence[Strip], place: int) -> int:
        """Put a strip, with those that it keeps together with; returns the place of the next."""
        strip = strips[place]
        fresh = self._y >= self._top - _NOTHING
        if strip.begins and not (fresh and self._column == 0):
            self._page(section)
            fresh = True
        bottom = section.margins[3]
        last = place
        while strips[last].keeps and last + 1 < len(strips) and last - place < _TOGETHER:
            last += 1
        group = strips[place : last + 1]
        sheet = self.sheets[-1]
        room = self._y - bottom - sheet.noted(group)
        needed = content_box(group) + (0.0 if fresh else strip.gap)
        whole = self.sheets[-1].page.height - section.margins[2] - bottom
        together = content_box(group) <= whole
        if not together:
            needed, room = strip.height + strip.gap, self._y - bottom - sheet.noted([strip])
        if not fresh and needed > room + _NOTHING:
            alone = strip.cut is not None and not strip.holds and last == place
            parts = strip.cut(room - strip.gap) if alone and strip.cut is not None else None
            if parts is not None:
                first, strip = parts[0], replace(parts[1], heads=strip.heads)
                self._draw(section, first, fresh)
            self._next(section)
            self._heads(section, strip)
            fresh = self._y >= self._top - _NOTHING
        self._draw(section, self._over_pages(section, strip), fresh)
        return place + 1

    def _over_pages(self, section: _Section, strip: Strip) -> Strip:
        """Draw what of a strip no page holds whole, page by page; the last piece, which is yet to be drawn."""
        while strip.cut is not None:
            room = self._y - section.margins[3] - self.sheets[-1].noted([strip])
            parts = strip.cut(room) if strip.height > room + _NOTHING else None
            if parts is None:
                break
            first, strip = parts[0], replace(parts[1], heads=strip.heads)
            self._draw(section, first, fresh=True)
            self._next(section)
            self._heads(section, strip)
        return strip

    def _heads(self, section: _Section, strip: Strip) -> None:
        """Repeat the heading rows of a table that goes on."""
        for head in strip.heads:
            self._draw(section, replace(head, items=[_ASIDE, *without_roles(head.items), _BODY]), fresh=True)

    def _draw(self, section: _Section, strip: Strip, fresh: bool) -> None:
        self._y -= 0.0 if fresh else strip.gap
        x = section.margins[0] + section.columns[self._column][0]
        sheet = self.sheets[-1]
        if strip.mark is not None:
            sheet.marks.append((*strip.mark, self._y))
        sheet.page.items += [Bookmark(f"{_ANCHOR}{name}", "", 0, self._y) for name in strip.anchors]
        for one in strip.floats:
            sheet.page.items += _floating(one, section, x, self._y)
        sheet.page.items += [moved(item, x, self._y) for item in strip.items]
        sheet.notes += strip.notes
        self._y -= strip.height


def _floating(one: Float, section: _Section, x: float, y: float) -> Iterator[Item]:
    """A drawing at its place on the page: by the page, its margins, or the paragraph (20.4.3.2, 20.4.3.4)."""
    (wide, high), (left, right, top, bottom) = section.size, section.margins
    by, where = one.across
    begin, end = {"page": (0.0, wide), "margin": (left, wide - right)}.get(by, (x, wide - right))
    if isinstance(where, str):
        free = end - begin - one.width
        at = begin + {"center": free / 2, "right": free, "outside": free}.get(where, 0.0)
    else:
        at = begin + where
    by, where = one.down
    upper, lower = {"page": (high, 0.0), "margin": (high - top, bottom)}.get(by, (y, bottom))
    if isinstance(where, str):
        free = upper - lower - one.height
        down = upper - {"center": free / 2, "bottom": free, "outside": free}.get(where, 0.0)
    else:
        down = upper - where
    return (moved(item, at, down - one.height) for item in one.items)


def _put_notes(sheets: Sequence[_Sheet]) -> None:
    """Footnotes at the foot of their pages, below a line (17.11.23)."""
    for sheet in sheets:
        if not sheet.notes:
            continue
        left, _, _, bottom = sheet.section.margins
        top = bottom + sheet.noted()
        line = top - _NOTE_GAP / 2
        sheet.page.items.append(Lines(Pen(0.5, "000000"), [(left, line, left + _NOTE_LINE, line)]))
        sheet.page.items += stacked(sheet.notes, left, top - _NOTE_GAP, whole=True)


def _number(sheets: Sequence[_Sheet]) -> None:
    """The pages' numbers: a section may begin with one of its own (17.6.12)."""
    number = 0
    for sheet in sheets:
        start = whole(child(sheet.section.settings, "pgNumType"), "start", number + 1, _MOST_NUMBER)
        number = start if sheet.first else number + 1
        sheet.number = number


def _put_heads(context: Context, letter: Letter, sections: Sequence[_Section], sheets: Sequence[_Sheet]) -> None:
    """Headers and footers: the first page's, even pages', or the usual; a section without any takes those before."""
    settings = next((one.target for one in letter.package.relations(letter.part) if one.kind == "settings"), None)
    root = letter.root(settings) if settings is not None and letter.package.has(settings) else None
    even_too = on(child(root, "evenAndOddHeaders")) is True
    relations = {one.id: one.target for one in letter.package.relations(letter.part)}
    known: dict[tuple[str, str], str] = {}
    by_section: dict[int, dict[tuple[str, str], str]] = {}
    for section in sections:
        for kind in ("header", "footer"):
            for one in children(section.settings, f"{kind}Reference"):
                part = relations.get(value(one, "id") or "", "")
                if letter.package.has(part):
                    known = {**known, (kind, value(one, "type") or "default"): part}
        by_section[id(section)] = known
    total = str(len(sheets))
    of_section = Counter(id(sheet.section) for sheet in sheets)
    for sheet in sheets:
        section, heads = sheet.section, by_section[id(sheet.section)]
        title_page = on(child(section.settings, "titlePg")) is True
        which = "first" if sheet.first and title_page else "even" if even_too and sheet.number % 2 == 0 else "default"
        form = value(child(section.settings, "pgNumType"), "fmt") or "decimal"
        context.fields = {"PAGE": numeral(sheet.number, form), "NUMPAGES": total}
        context.fields["SECTIONPAGES"] = str(of_section[id(section)])
        left, right, *_ = section.margins
        wide = section.size[0] - left - right
        items: list[Item] = []
        for kind in ("header", "footer"):
            own = heads.get((kind, which))
            if own is None:
                continue
            strips = Blocks(context, own).strips(list(context.root(own)), wide)
            if kind == "header":
                top = section.size[1] - section.length("pgMar", "header", 36.0)
            else:
                top = section.length("pgMar", "footer", 36.0) + content_box(strips)
            items += stacked(strips, left, top)
        sheet.page.items = [*sheet.page.items, _ASIDE, *without_roles(items)]
    _lead_inner_links(sheets)


def _lead_inner_links(sheets: Sequence[_Sheet]) -> None:
    """Let links within the letter lead to its marks; those to marks that it has not lead nowhere."""
    marks = {item.key for sheet in sheets for item in sheet.page.items if isinstance(item, Bookmark)}

    def led(item: Item) -> Item | None:
        if not isinstance(item, Link) or item.outside:
            return item
        key = f"{_ANCHOR}{item.target.removeprefix('#')}"
        return Link(item.box, key, False) if key in marks else None

    for sheet in sheets:
        sheet.page.items = [found for item in sheet.page.items if (found := led(item)) is not None]


def _settle_levels(pages: Sequence[Page]) -> None:
    """Let no bookmark lie more than one level below the one before it."""
    level = -1
    for page in pages:
        marks = sorted((item for item in page.items if isinstance(item, Bookmark)), key=lambda mark: -mark.y)
        rest = [item for item in page.items if not isinstance(item, Bookmark)]
        settled: list[Item] = []
        for mark in marks:
            if mark.title:
                level = min(mark.level, level + 1)
            settled.append(Bookmark(mark.key, mark.title, level, mark.y))
        page.items = [*settled, *rest]
