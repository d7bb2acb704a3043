"""What a workbook holds beside its cells, as values: rules, links, comments, pictures, charts, pivots, page set-up.

Nothing here is needed to change a file: parts keep what they hold. It is for saying what is there, for laying sheets
out, and for carrying a sheet elsewhere.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.address import MAX_COLUMN, Area, parse_area
from tinquire.cells.dates import DateSystem
from tinquire.packages.package import Relation
from tinquire.packages.raw_xml import Unusual, sheet_data
from tinquire.packages.xml import child, children, local, parsed
from tinquire.workbook.book import Workbook
from tinquire.workbook.edits.cellparts import canonical
from tinquire.workbook.edits.frames import area_list
from tinquire.workbook.rulewords import entry_in_words, mark_in_words
from tinquire.workbook.strings import rich_text

__all__ = [
    "BookDetails", "Chart", "Comment", "Hidden", "Link", "Mark", "OutsideBook", "PageSetup", "Picture", "PivotTable",
    "Series", "SheetDetails", "Validation",
]  # fmt: skip

_HIDDEN_ROW = re.compile(rb"<(?:\w+:)?row\b[^<>]*?\shidden=[\"'](?:1|true)[\"'][^<>]*>")
_ROW_NUMBER = re.compile(rb"\sr=[\"']([0-9]+)[\"']")
_OUTLINE = re.compile(rb"\soutlineLevel=[\"']([0-7])[\"']")


@dataclass(frozen=True, slots=True)
class Validation:
    """What may be entered in cells (18.3.1.33): `kind` is a type of 18.18.21, `formulas` its one or two bounds."""

    areas: tuple[Area, ...]
    kind: str
    operator: str
    formulas: tuple[str, ...]

    @property
    def words(self) -> str:
        return entry_in_words(self.kind, self.operator, self.formulas)


@dataclass(frozen=True, slots=True)
class Mark:
    """A rule that gives cells a look (18.3.1.10): `kind` is a type of 18.18.12; lower priority goes first."""

    areas: tuple[Area, ...]
    kind: str
    formulas: tuple[str, ...]
    priority: int
    look: int | None = None
    #: When its look applies.
    words: str = ""


@dataclass(frozen=True, slots=True)
class Hidden:
    """Lines that are not shown, as runs from first to last; and whether it is a filter that hides rows."""

    rows: tuple[tuple[int, int], ...] = ()
    columns: tuple[tuple[int, int], ...] = ()
    filtered: bool = False


@dataclass(frozen=True, slots=True)
class Link:
    """A hyperlink of cells (18.3.1.47), to an address outside or a place in the workbook."""

    area: Area
    target: str
    outside: bool


@dataclass(frozen=True, slots=True)
class Comment:
    """A comment of a cell (18.7.3)."""

    cell: str
    author: str
    text: str


@dataclass(frozen=True, slots=True)
class Series:
    """The formulas of a chart's series (21.2.2.170): its name, categories and values; '' where there is none."""

    name: str
    categories: str
    values: str


@dataclass(frozen=True, slots=True)
class Chart:
    """A chart on a sheet: the cells that its frame covers, the kinds of its plots, and its series."""

    area: Area | None
    kinds: tuple[str, ...]
    title: str
    series: tuple[Series, ...]


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture on a sheet: the cells that it covers, its name and alternative text, and its part."""

    area: Area | None
    name: str
    says: str
    part: str


@dataclass(frozen=True, slots=True)
class PivotTable:
    """A living pivot (18.10): its place, where its rows come from, and its cache's fields."""

    name: str
    area: Area
    source: str
    fields: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class PageSetup:
    """How a sheet is printed (18.3.1.62 to .64): margins in inches; `fit` is pages across and down, 0 for any."""

    orientation: str = "default"
    paper: int = 0
    scale: int = 100
    fit: tuple[int, int] | None = None
    margins: tuple[float, ...] = ()
    header: str = ""
    footer: str = ""
    row_breaks: tuple[int, ...] = ()
    column_breaks: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class OutsideBook:
    """Another workbook that formulas read (18.14), by its number in them; it is never opened."""

    number: int
    target: str


@dataclass(frozen=True)
class SheetDetails:
    """All of one sheet beside its cells."""

    name: str
    validations: tuple[Validation, ...] = ()
    marks: tuple[Mark, ...] = ()
    links: tuple[Link, ...] = ()
    comments: tuple[Comment, ...] = ()
    charts: tuple[Chart, ...] = ()
    pictures: tuple[Picture, ...] = ()
    pivots: tuple[PivotTable, ...] = ()
    page: PageSetup = field(default_factory=PageSetup)
    protected: bool = False
    outline: tuple[int, int] = (0, 0)
    hidden: Hidden = field(default_factory=Hidden)
    #: Elements and parts that are kept as they are, without being understood.
    kept: tuple[str, ...] = ()


#: Elements of a worksheet (18.3.1.99) that this package reads or changes with knowledge of what they mean.
_UNDERSTOOD = frozenset({
    "sheetPr", "dimension", "sheetViews", "sheetFormatPr", "cols", "sheetData", "sheetProtection", "autoFilter",
    "sortState", "mergeCells", "conditionalFormatting", "dataValidations", "hyperlinks", "printOptions", "pageMargins",
    "pageSetup", "headerFooter", "rowBreaks", "colBreaks", "drawing", "legacyDrawing", "tableParts", "protectedRanges",
    "ignoredErrors", "cellWatches", "sheetCalcPr", "phoneticPr",
})  # fmt: skip
_UNDERSTOOD_RELATIONS = frozenset(
    {"drawing", "comments", "vmlDrawing", "table", "hyperlink", "pivotTable", "printerSettings"}
)
_UNDERSTOOD_OF_BOOK = frozenset({
    "worksheet", "styles", "theme", "sharedStrings", "calcChain", "pivotCacheDefinition", "externalLink", "vbaProject",
    "chartsheet", "dialogsheet",
})  # fmt: skip
_PLOTS = re.compile(r"(?:bar|line|pie|area|scatter|doughnut|radar|bubble|stock|surface|ofPie)(?:3D)?Chart\Z")


class BookDetails:
    """What a workbook and its sheets hold beside cells, read when asked for."""

    def __init__(self, book: Workbook) -> None:
        self.book = book
        self._package = book.package

    @cached_property
    def outside(self) -> tuple[OutsideBook, ...]:
        """Other workbooks that formulas read, in the order of their numbers."""
        by_id = {relation.id: relation for relation in self._package.relations(self.book.part)}
        found = []
        references = children(child(self.book.root, "externalReferences"), "externalReference")
        for number, element in enumerate(references, start=1):
            relation = next((by_id[str(value)] for value in element.attrib.values() if value in by_id), None)
            if relation is None or not self._package.has(relation.target):
                continue
            targets = [one.target for one in self._package.relations(relation.target) if one.outside]
            found.append(OutsideBook(number, targets[0] if targets else "unknown"))
        return tuple(found)

    @cached_property
    def macros(self) -> bool:
        """Whether the file carries a program, which is kept and never run."""
        return any(relation.kind == "vbaProject" for relation in self._package.relations(self.book.part))

    @cached_property
    def notes(self) -> tuple[str, ...]:
        """What of the workbook as a whole is unlike others (18.2.2, 18.2.28)."""
        properties = child(self.book.root, "calcPr")
        by_hand = properties is not None and properties.get("calcMode") == "manual"
        notes = ["recalculates only when it is asked to"] if by_hand else []
        if self.book.date_system is DateSystem.FROM_1904:
            notes.append("counts its days from 1904")
        return tuple(notes)

    @cached_property
    def kept(self) -> tuple[str, ...]:
        """Kinds of parts of the workbook as a whole that are kept without being understood."""
        kinds = {one.kind for one in self._package.relations(self.book.part)} - _UNDERSTOOD_OF_BOOK
        return tuple(sorted(kinds))

    def sheet(self, name: str, data: bytes | None = None) -> SheetDetails:
        """A sheet's details, without reading its cells; `data` are its part's bytes, where they are at hand.

        Raises: AccessError for damaged parts, KeyError for a sheet that is not there.
        """
        entry = self.book.entry(name)
        if entry is None or entry.part is None:
            raise KeyError(name)
        try:
            return self._read(entry.name, entry.part, data or self._package.read(entry.part))
        except (ValueError, KeyError) as error:
            why = f"what stands around the cells of sheet '{entry.name}' cannot be read: {error}"
            raise AccessError(Fault("opening a workbook", why, self.book.name, "get the file again")) from None

    def _read(self, name: str, part: str, data: bytes) -> SheetDetails:
        frame, levels_of_rows, hidden_rows = _frame(data)
        relations = {
            one.id: one for one in self._package.relations(part) if one.outside or self._package.has(one.target)
        }
        drawings = [one.target for one in relations.values() if one.kind == "drawing"]
        levels = [int(one.get("outlineLevel", "0")) for one in children(child(frame, "cols"), "col")]
        unknown = [f"element '{local(one)}'" for one in frame if local(one) not in _UNDERSTOOD | {"extLst", ""}]
        unknown += [f"extension {one.get('uri', '')}" for one in children(child(frame, "extLst"), "ext")]
        unknown += [f"part '{one.target}'" for one in relations.values() if one.kind not in _UNDERSTOOD_RELATIONS]
        return SheetDetails(
            name,
            tuple(_validations(frame)),
            tuple(_marks(frame)),
            tuple(_links(frame, relations)),
            tuple(comment for one in relations.values() if one.kind == "comments" for comment in self._comments(one)),
            tuple(chart for drawing in drawings for chart in self._charts(drawing)),
            tuple(picture for drawing in drawings for picture in self._pictures(drawing)),
            tuple(self.pivot(one.target) for one in relations.values() if one.kind == "pivotTable"),
            _page(frame),
            child(frame, "sheetProtection") is not None,
            (levels_of_rows, max(levels, default=0)),
            Hidden(hidden_rows, tuple(_hidden_columns(frame)), bool(hidden_rows) and self._filtered(frame, relations)),
            tuple(unknown),
        )

    def _filtered(self, frame: etree._Element, relations: Mapping[str, Relation]) -> bool:
        """Whether a filter of the sheet or of one of its tables (18.3.2) leaves rows out."""
        tables = (self._package.root(one.target) for one in relations.values() if one.kind == "table")
        return any(children(child(root, "autoFilter"), "filterColumn") for root in (frame, *tables))

    def _comments(self, relation: Relation) -> Iterator[Comment]:
        root = self._package.root(relation.target)
        authors = [author.text or "" for author in children(child(root, "authors"), "author")]
        for comment in children(child(root, "commentList"), "comment"):
            author = int(comment.get("authorId", "0"))
            text = child(comment, "text")
            said = "" if text is None else rich_text(text)
            yield Comment(comment.get("ref", ""), authors[author] if author < len(authors) else "", said)

    def _charts(self, drawing: str) -> Iterator[Chart]:
        for anchor, inner in self._anchored(drawing, "chart"):
            root = self._package.root(inner.target)
            kinds = tuple(dict.fromkeys(local(one) for one in root.iter() if _PLOTS.match(local(one))))
            yield Chart(_covered(anchor), kinds, _chart_title(root), tuple(_series(root)))

    def _pictures(self, drawing: str) -> Iterator[Picture]:
        for anchor, inner in self._anchored(drawing, "image"):
            named = next((one for one in anchor.iter("{*}cNvPr")), None)
            name, says = ("", "") if named is None else (named.get("name", ""), named.get("descr", ""))
            yield Picture(_covered(anchor), name, says, inner.target)

    def _anchored(self, drawing: str, kind: str) -> Iterator[tuple[etree._Element, Relation]]:
        """The anchors of a drawing that hold something related of one kind."""
        relations = {one.id: one for one in self._package.relations(drawing) if one.kind == kind}
        for anchor in self._package.root(drawing) if relations else ():
            for element in anchor.iter():
                wanted = [str(v) for key, v in element.attrib.items() if str(key).endswith(("}id", "}embed"))]
                for identity in wanted:
                    if identity in relations and self._package.has(relations[identity].target):
                        yield anchor, relations[identity]

    def pivot(self, part: str) -> PivotTable:
        """A pivot by its part."""
        root = self._package.root(part)
        location = child(root, "location")
        area = parse_area("A1" if location is None else location.get("ref", "A1"))
        source, fields = "unknown", tuple[str, ...]()
        for relation in self._package.relations(part):
            if relation.kind == "pivotCacheDefinition" and self._package.has(relation.target):
                source, fields = _cache(self._package.root(relation.target))
        return PivotTable(root.get("name", ""), area, source, fields)


def _frame(data: bytes) -> tuple[etree._Element, int, tuple[tuple[int, int], ...]]:
    """What stands around a sheet's cells, parsed, the deepest outline level of its rows, and which rows are hidden."""
    try:
        _, cells = sheet_data(data)
    except Unusual:
        data = canonical(data)
        if b"sheetData" not in data:  # a chart sheet has none
            return parsed(data), 0, ()
        _, cells = sheet_data(data)
    start, end = cells.inside or (cells.end, cells.end)

    def has(letter: bytes, text: bytes) -> bool:  # a letter that plain cells have not is looked for ten times faster
        return data.find(letter, start, end) >= 0 and data.find(text, start, end) >= 0

    outlined = has(b"u", b"outlineLevel")
    level = max(map(int, _OUTLINE.findall(data, start, end)), default=0) if outlined else 0
    rows = _runs(int(one) for one in _row_numbers(data, start, end)) if has(b"h", b"hidden=") else ()
    return parsed(data[:start] + data[end:]), level, rows


def _row_numbers(data: bytes, start: int, end: int) -> Iterator[bytes]:
    """The numbers of hidden rows (18.3.1.73)."""
    for found in _HIDDEN_ROW.finditer(data, start, end):
        number = _ROW_NUMBER.search(found[0])
        if number is not None:
            yield number[1]


def _runs(numbers: Iterable[int]) -> tuple[tuple[int, int], ...]:
    """Numbers in rising order as runs from first to last."""
    runs: list[tuple[int, int]] = []
    for number in numbers:
        if runs and runs[-1][1] >= number - 1:
            runs[-1] = (runs[-1][0], max(number, runs[-1][1]))
        else:
            runs.append((number, number))
    return tuple(runs)


def _hidden_columns(frame: etree._Element) -> Iterable[tuple[int, int]]:
    hidden = [one for one in children(child(frame, "cols"), "col") if one.get("hidden") in ("1", "true")]
    spans = [(int(one.get("min", "0")), min(int(one.get("max", "0")), MAX_COLUMN)) for one in hidden]
    return _runs(number for first, last in sorted(spans) for number in range(first, last + 1))


def _validations(frame: etree._Element) -> Iterator[Validation]:
    for element in children(child(frame, "dataValidations"), "dataValidation"):
        formulas = tuple(one.text or "" for one in element if local(one) in ("formula1", "formula2"))
        areas = tuple(area_list(element.get("sqref", "")))
        yield Validation(areas, element.get("type", "none"), element.get("operator", "between"), formulas)


def _marks(frame: etree._Element) -> Iterator[Mark]:
    for group in children(frame, "conditionalFormatting"):
        areas = tuple(area_list(group.get("sqref", "")))
        for rule in children(group, "cfRule"):
            formulas = tuple(one.text or "" for one in children(rule, "formula"))
            look = rule.get("dxfId")
            priority = int(rule.get("priority", "0"))
            kind, settings = rule.get("type", ""), {str(key): str(value) for key, value in rule.attrib.items()}
            words = mark_in_words(kind, formulas, settings)
            yield Mark(areas, kind, formulas, priority, None if look is None else int(look), words)


def _links(frame: etree._Element, relations: dict[str, Relation]) -> Iterator[Link]:
    for element in children(child(frame, "hyperlinks"), "hyperlink"):
        identity = next((str(value) for key, value in element.attrib.items() if str(key).endswith("}id")), None)
        relation = relations.get(identity or "")
        target = element.get("location", "") if relation is None else relation.target
        yield Link(parse_area(element.get("ref", "A1")), target, relation is not None and relation.outside)


def _page(frame: etree._Element) -> PageSetup:
    setup, margins = child(frame, "pageSetup"), child(frame, "pageMargins")
    properties = child(child(frame, "sheetPr"), "pageSetUpPr")
    heads = child(frame, "headerFooter")
    fits = properties is not None and properties.get("fitToPage") in ("1", "true")

    def number(name: str, default: int) -> int:
        text = "" if setup is None else setup.get(name, "")
        return int(text) if text.isdigit() else default

    def breaks(name: str) -> tuple[int, ...]:
        return tuple(int(one.get("id", "0")) for one in children(child(frame, name), "brk"))

    sides = ("left", "right", "top", "bottom", "header", "footer")
    orientation = "default" if setup is None else setup.get("orientation", "default")
    return PageSetup(
        orientation, number("paperSize", 0), number("scale", 100),
        (number("fitToWidth", 1), number("fitToHeight", 1)) if fits else None,
        () if margins is None else tuple(float(margins.get(side, "0")) for side in sides),
        _text_of(child(heads, "oddHeader")), _text_of(child(heads, "oddFooter")), breaks("rowBreaks"),
        breaks("colBreaks"),
    )  # fmt: skip


def _text_of(element: etree._Element | None) -> str:
    return "" if element is None else element.text or ""


def _covered(anchor: etree._Element) -> Area | None:
    """The cells under an anchored frame."""
    corners = []
    for name in ("from", "to"):
        corner = child(anchor, name)
        lines = [_text_of(child(corner, line)) for line in ("row", "col")]
        if all(line.strip().isdigit() for line in lines):
            corners.append((int(lines[0]) + 1, int(lines[1]) + 1))
    if not corners:
        return None
    return Area(*corners[0], *corners[-1])


def _chart_title(root: etree._Element) -> str:
    title = child(child(root, "chart"), "title")
    return "" if title is None else "".join(one.text or "" for one in title.iter("{*}t"))


def _series(root: etree._Element) -> Iterator[Series]:
    for series in root.iter("{*}ser"):

        def formula(names: Sequence[str], series: etree._Element = series) -> str:
            part = next((one for one in series if local(one) in names), None)
            return "" if part is None else next((one.text or "" for one in part.iter("{*}f")), "")

        yield Series(formula(["tx"]), formula(["cat", "xVal"]), formula(["val", "yVal"]))


def _cache(root: etree._Element) -> tuple[str, tuple[str, ...]]:
    fields = tuple(one.get("name", "") for one in children(child(root, "cacheFields"), "cacheField"))
    origin = child(root, "cacheSource")
    source = child(origin, "worksheetSource")
    if source is None:
        kind = "unknown" if origin is None else origin.get("type", "unknown")
        return {"external": "a database", "consolidation": "several ranges"}.get(kind, kind), fields
    if name := source.get("name"):
        return name, fields
    return f"{source.get('sheet', '')}!{source.get('ref', '')}".lstrip("!"), fields
