"""What decides how a sheet is printed, beside its cells: the sizes of its lines, looks of whole lines, what is printed
and repeated, headers and footers, and all that is drawn on it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, parse_area
from tinquire.formula import Frame, evaluate
from tinquire.formula.engine.operands import Span
from tinquire.formula.language.grammar import parse_name
from tinquire.formula.language.problems import FormulaError
from tinquire.packages.package import Package
from tinquire.packages.raw_xml import Unusual, sheet_data
from tinquire.packages.xml import child, children, flag, local, parse_xml
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.parts.drawings import element_text
from tinquire.workbook.parts.drawn import Drawn, read_drawn
from tinquire.workbook.parts.fonts import font_size
from tinquire.workbook.parts.shared_strings import rich_text
from tinquire.workbook.parts.shown_notes import shown_notes
from tinquire.workbook.sheet_xml.plain_spelling import canonical, canonical_cells
from tinquire.workbook.workbook import Workbook

__all__ = ["ColumnSpan", "Heads", "PrintedSheet", "RichRun", "print_areas", "printed_sheet"]

#: Without a word of the file a column is so many digits wide (18.3.1.81).
_DIGITS = 8
#: A reference without functions: a sheet, and what stands behind it.
_PLAIN = re.compile(r"(?:(?:'(?:[^']|'')*'|[^'!():,]+)!)?([^!()]+)\Z")
_LINES = re.compile(r"\$?([A-Za-z]{1,3}|[0-9]{1,7}):\$?([A-Za-z]{1,3}|[0-9]{1,7})\Z")
_STYLED_ROW = re.compile(rb"<(?:\w+:)?row\b([^<>]*\scustomFormat=[\"'](?:1|true)[\"'][^<>]*)>")
_NUMBER = re.compile(rb"\sr=[\"']([0-9]{1,7})[\"']")
_STYLE = re.compile(rb"\ss=[\"']([0-9]{1,7})[\"']")
_SHARED_CELL = re.compile(rb"<(?:\w+:)?c\b([^<>]*\st=[\"']s[\"'][^<>]*)>\s*<(?:\w+:)?v>([0-9]{1,9})</")
_PLACE = re.compile(rb"\sr=[\"']([A-Z]{1,3}[0-9]{1,7})[\"']")

#: Shapes of old drawings, which are not always XML, and so are read as text (Part 4, 19.1).
_HEAD_SHAPE = re.compile(rb"<v:shape\b([^>]*)>(.*?)</v:shape>", re.DOTALL)
_HEAD_PLACE = re.compile(rb"\bid=[\"']([LCR][HF](?:FIRST|EVEN)?)[\"']")
_HEAD_IMAGE = re.compile(rb"<v:imagedata\b[^>]*?\bo:relid=[\"']([^\"']+)[\"']")
_HEAD_SIZE = re.compile(rb"\b(width|height):\s*([0-9.]{1,9})(pt|in|px|mm|cm)")
_UNITS = {b"pt": 1.0, b"in": 72.0, b"px": 0.75, b"mm": 72 / 25.4, b"cm": 72 / 2.54}


@dataclass(frozen=True, slots=True)
class ColumnSpan:
    """Columns from first to last: their width in digits, None for the usual one, their style, and whether they show."""

    first: int
    last: int
    width: float | None
    style: int
    hidden: bool


@dataclass(frozen=True, slots=True)
class Heads:
    """Headers and footers in the codes of 18.3.1.46: of pages in general, of the first one, and of even ones; None
    where these are like the others."""

    header: str = ""
    footer: str = ""
    first: tuple[str, str] | None = None
    even: tuple[str, str] | None = None
    #: Whether they grow with the sheet, and stand at its margins.
    scaled: bool = True
    aligned: bool = True


@dataclass(frozen=True, slots=True)
class RichRun:
    """A piece of a cell's text in letters of its own; what is None is the cell's."""

    text: str
    font: str | None = None
    size: float | None = None
    bold: bool | None = None
    italic: bool | None = None
    underline: bool | None = None
    strike: bool | None = None
    colour: str | None = None
    script: str | None = None


@dataclass(frozen=True)
class PrintedSheet:
    """All of one sheet that printing needs beside cells, marks and page set-up."""

    #: Widths of columns without one of their own: stated, or so many digits and the padding.
    width: float | None = None
    digits: int = _DIGITS
    #: Height in points of rows without one of their own; None is by the plain font. `zero` hides all such rows.
    height: float | None = None
    zero: bool = False
    columns: tuple[ColumnSpan, ...] = ()
    row_styles: dict[int, int] = field(default_factory=dict)
    right_to_left: bool = False
    heads: Heads = Heads()
    #: Letters and numbers of lines, no colours, and where notes go: 'none', 'atEnd' or 'asDisplayed'.
    line_names: bool = False
    colourless: bool = False
    notes: str = "none"
    #: What stands for errors (18.18.60): 'displayed', 'blank', 'dash' or 'NA'.
    errors: str = "displayed"
    first_page: int | None = None
    areas: tuple[Area, ...] = ()
    repeat_rows: tuple[int, int] | None = None
    repeat_columns: tuple[int, int] | None = None
    drawn: tuple[Drawn, ...] = ()
    #: Pictures of headers and footers by their place, such as 'LH' or 'RF', with 'FIRST' or 'EVEN' behind it: their
    #: part, width and height.
    head_pictures: dict[str, tuple[str, float, float]] = field(default_factory=dict)
    rich: dict[tuple[int, int], tuple[RichRun, ...]] = field(default_factory=dict)


def printed_sheet(book: Workbook, name: str) -> PrintedSheet:
    """What decides how a sheet of a file is printed. Raises AccessError for damaged parts, KeyError for a sheet that is
    not there."""
    entry = book.entry(name)
    if entry is None or entry.part is None:
        raise KeyError(name)
    try:
        return _read(book, entry.name, entry.part)
    except (ValueError, KeyError) as error:
        why = f"how sheet '{entry.name}' is printed cannot be read: {error}"
        raise AccessError(Fault("opening a workbook", why, book.name, "get the file again")) from None


def _read(book: Workbook, name: str, part: str) -> PrintedSheet:
    data = book.package.read(part)
    frame, data, (start, end) = _frame(data)
    sizes, view = child(frame, "sheetFormatPr"), child(child(frame, "sheetViews"), "sheetView")
    setup, options = child(frame, "pageSetup"), child(frame, "printOptions")
    rows, columns = _repeated(book, name)
    stated = None if sizes is None else sizes.get("defaultColWidth")
    first = (
        None if setup is None or not flag(setup, "useFirstPageNumber", default=False) else setup.get("firstPageNumber")
    )
    drawings = [
        one.target for one in book.package.relations(part) if one.kind == "drawing" and book.package.has(one.target)
    ]
    drawn = [one for drawing in drawings for one in read_drawn(book.package, drawing, book.theme)]
    notes = "none" if setup is None else setup.get("cellComments", "none")
    if notes == "asDisplayed":
        drawn += shown_notes(book.package, part)
    return PrintedSheet(
        width=None if stated is None else float(stated),
        digits=_DIGITS if sizes is None else int(sizes.get("baseColWidth", _DIGITS)),
        height=_height(sizes),
        zero=flag(sizes, "zeroHeight", default=False),
        columns=tuple(_spans(frame)),
        row_styles=_row_styles(data, start, end),
        right_to_left=flag(view, "rightToLeft", default=False),
        heads=_heads(child(frame, "headerFooter")),
        line_names=flag(options, "headings", default=False),
        colourless=flag(setup, "blackAndWhite", default=False),
        notes=notes,
        errors="displayed" if setup is None else setup.get("errors", "displayed"),
        first_page=int(first) if first is not None and first.isdecimal() else None,
        areas=print_areas(book, name),
        repeat_rows=rows,
        repeat_columns=columns,
        drawn=tuple(drawn),
        head_pictures=_head_pictures(book.package, part, child(frame, "legacyDrawingHF")),
        rich=_rich(book, data, start, end),
    )  # fmt: skip


def _frame(data: bytes) -> tuple[etree._Element, bytes, tuple[int, int]]:
    """What stands around the cells, parsed; the part's bytes, and where its cells lie in them."""
    try:
        _, cells = sheet_data(data)
    except Unusual:
        if b"sheetData" not in (plain := canonical(data)):
            return parse_xml(plain), plain, (0, 0)
        data, cells = canonical_cells(data)
    start, end = cells.inside or (cells.end, cells.end)
    return parse_xml(data[:start] + data[end:]), data, (start, end)


def _height(sizes: etree._Element | None) -> float | None:
    stated = None if sizes is None else sizes.get("defaultRowHeight")
    return None if stated is None else float(stated)


def _spans(frame: etree._Element) -> Iterator[ColumnSpan]:
    for item in children(child(frame, "cols"), "col"):
        first, last = int(item.get("min", "1")), min(int(item.get("max", "1")), MAX_COLUMN)
        width = item.get("width")
        style = int(item.get("style", "0"))
        yield ColumnSpan(
            first, last, None if width is None else float(width), style, flag(item, "hidden", default=False)
        )


def _row_styles(data: bytes, start: int, end: int) -> dict[int, int]:
    """Styles of whole rows (18.3.1.73): of their cells that are not there."""
    found: dict[int, int] = {}
    if data.find(b"customFormat", start, end) < 0:
        return found
    for match in _STYLED_ROW.finditer(data, start, end):
        number, style = _NUMBER.search(match[1]), _STYLE.search(match[1])
        if number is not None and style is not None:
            found[int(number[1])] = int(style[1])
    return found


def _heads(element: etree._Element | None) -> Heads:
    def of(page: str) -> tuple[str, str]:
        return element_text(child(element, f"{page}Header")), element_text(child(element, f"{page}Footer"))

    header, footer = of("odd")
    return Heads(
        header, footer,
        of("first") if flag(element, "differentFirst", default=False) else None,
        of("even") if flag(element, "differentOddEven", default=False) else None,
        flag(element, "scaleWithDoc", default=True), flag(element, "alignWithMargins", default=True),
    )  # fmt: skip


def _head_pictures(
    package: Package, part: str, element: etree._Element | None
) -> dict[str, tuple[str, float, float]]:  # fmt: skip
    """The pictures of headers and footers (18.3.1.52): shapes of an old drawing, named by their places."""
    wanted = {str(value) for value in element.attrib.values()} if element is not None else set()
    drawing = next((one.target for one in package.relations(part) if one.id in wanted), None)
    if drawing is None or not package.has(drawing):
        return {}
    relations = {one.id: one.target for one in package.relations(drawing) if package.has(one.target)}
    found = {}
    for match in _HEAD_SHAPE.finditer(package.read(drawing)):
        place, image = _HEAD_PLACE.search(match[1]), _HEAD_IMAGE.search(match[2])
        sizes = {name.decode(): float(size) * _UNITS[unit] for name, size, unit in _HEAD_SIZE.findall(match[1])}
        target = relations.get(image[1].decode()) if image is not None else None
        if place is not None and target is not None and {"width", "height"} <= sizes.keys():
            found[place[1].decode()] = (target, sizes["width"], sizes["height"])
    return found


def _named(book: Workbook, name: str, sheet: str) -> str | None:
    wanted = name.casefold()
    for known in book.names:
        if known.name.casefold() == wanted and (known.sheet or "").casefold() == sheet.casefold():
            return known.formula
    return None


def print_areas(book: Workbook, sheet: str) -> tuple[Area, ...]:
    """What is printed of a sheet, by the name for it (18.2.5): areas, or what a formula comes to. None says all."""
    formula = _named(book, "_xlnm.Print_Area", sheet)
    found = [_area(piece) or _reckoned(book, piece, sheet) for piece in _pieces(formula)] if formula is not None else []
    return tuple(area for area in found if area is not None)


def _area(piece: str) -> Area | None:
    plain = _PLAIN.match(piece)
    if plain is None:
        return None
    text = plain[1].replace("$", "")
    lines = _LINES.match(text)
    if lines is not None and lines[1].isdecimal() == lines[2].isdecimal():
        if lines[1].isdecimal():
            first, last = sorted((int(lines[1]), int(lines[2])))
            return Area(first, 1, min(last, MAX_ROW), MAX_COLUMN)
        whole = parse_area(f"{lines[1]}1:{lines[2]}1".upper())
        return Area(1, whole.left, MAX_ROW, whole.right)
    try:
        return parse_area(text.upper())
    except ValueError:
        return None


def _reckoned(book: Workbook, formula: str, sheet: str) -> Area | None:
    try:
        found = evaluate(parse_name(formula), Frame(BookScope(book), sheet))
    except FormulaError:
        return None
    return found.area if isinstance(found, Span) else None


def _pieces(formula: str) -> Iterator[str]:
    """The parts of a list of references: commas within quotes and brackets do not end one."""
    depth, quoted, start = 0, False, 0
    text = formula.removeprefix("=").strip()
    if text.startswith("(") and text.endswith(")"):
        text = text[1:-1]
    for place, letter in enumerate(text):
        if letter == "'":
            quoted = not quoted
        elif not quoted:
            depth += (letter == "(") - (letter == ")")
            if letter == "," and not depth:
                yield text[start:place].strip()
                start = place + 1
    yield text[start:].strip()


def _repeated(book: Workbook, sheet: str) -> tuple[tuple[int, int] | None, tuple[int, int] | None]:
    """The rows and columns that stand on every page (18.2.5)."""
    rows = columns = None
    for piece in _pieces(_named(book, "_xlnm.Print_Titles", sheet) or ""):
        area = _area(piece)
        if area is None:
            continue
        if area.left == 1 and area.right == MAX_COLUMN:
            rows = (area.top, area.bottom)
        elif area.top == 1 and area.bottom == MAX_ROW:
            columns = (area.left, area.right)
    return rows, columns


# -- texts in letters of their own -----------------------------------------------------------------------


def _rich(book: Workbook, data: bytes, start: int, end: int) -> dict[tuple[int, int], tuple[RichRun, ...]]:
    """Cells whose texts have runs (18.4.4), by row and column."""
    shared = book.shared_part()
    found: dict[tuple[int, int], tuple[RichRun, ...]] = {}
    if b"rPr" in shared:
        items = {
            number: item
            for number, item in enumerate(one for one in parse_xml(shared) if local(one) == "si")
            if any(local(inner) == "r" for inner in item)
        }
        for match in _SHARED_CELL.finditer(data, start, end) if items else ():
            place, item = _PLACE.search(match[1]), items.get(int(match[2]))
            if place is not None and item is not None:
                area = parse_area(place[1].decode())
                found[area.top, area.left] = tuple(_runs(book, item))
    return found


def _runs(book: Workbook, item: etree._Element) -> Iterator[RichRun]:
    for piece in item:
        if local(piece) == "t":
            yield RichRun(piece.text or "")
        elif local(piece) == "r":
            look = child(piece, "rPr")
            text = rich_text(_alone(piece))
            yield RichRun(text) if look is None else _run(book, text, look)


def _alone(piece: etree._Element) -> etree._Element:
    """A run as an item of its own, for its text."""
    item = etree.Element("si")
    inner = etree.SubElement(item, "r")
    for text in children(piece, "t"):
        etree.SubElement(inner, "t").text = text.text
    return item


def _run(book: Workbook, text: str, look: etree._Element) -> RichRun:
    def value(name: str) -> str | None:
        found = child(look, name)
        return None if found is None else found.get("val", "")

    def on(name: str) -> bool:
        found = child(look, name)
        return found is not None and found.get("val", "1") in ("1", "true", "on")

    under = child(look, "u")
    return RichRun(
        text, value("rFont"), font_size(look) or None, on("b"), on("i"),
        under is not None and under.get("val", "single") != "none", on("strike"),
        book.styles.colour(child(look, "color")), value("vertAlign"),
    )  # fmt: skip
