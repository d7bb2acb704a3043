"""What a workbook holds beside its cells, as values: rules, links, comments, pictures, charts, pivots, page set-up.

Nothing here is needed to change a file: parts keep what they hold. It is for saying what is there, for laying sheets
out, and for copying a sheet.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.address import MAX_COLUMN, Area, parse_area
from tinquire.cells.dates import DateSystem
from tinquire.packages.package import Relation
from tinquire.packages.raw_xml import Unusual, sheet_data
from tinquire.packages.xml import child, children, local, parse_xml, whole_number
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.parts.charts import ChartOnSheet, read_charts
from tinquire.workbook.parts.comments import Comment, read_comments
from tinquire.workbook.parts.drawings import Picture, read_pictures
from tinquire.workbook.parts.entry_rules import read_entry_rules
from tinquire.workbook.parts.external_links import OutsideBook, outside_books
from tinquire.workbook.parts.links import Link, read_links
from tinquire.workbook.parts.marks import read_marks
from tinquire.workbook.parts.page_setup import read_page_setup
from tinquire.workbook.parts.pivots import PivotTable
from tinquire.workbook.pivots.clicked import ClickFilter, click_filters
from tinquire.workbook.pivots.details import described_pivot
from tinquire.workbook.sheet_xml.plain_spelling import canonical, canonical_cells
from tinquire.workbook.workbook import Workbook

__all__ = ["BookDetails", "Hidden", "SheetDetails"]

_HIDDEN_ROW = re.compile(rb"<(?:\w+:)?row\b[^<>]*?\shidden=[\"'](?:1|true)[\"'][^<>]*>")
_ROW_NUMBER = re.compile(rb"\sr=[\"']([0-9]+)[\"']")
_OUTLINE = re.compile(rb"\soutlineLevel=[\"']([0-7])[\"']")


@dataclass(frozen=True, slots=True)
class Hidden:
    """Lines that are not shown, as runs from first to last; and whether it is a filter that hides rows."""

    rows: tuple[tuple[int, int], ...] = ()
    columns: tuple[tuple[int, int], ...] = ()
    filtered: bool = False


@dataclass(frozen=True)
class SheetDetails:
    """All of one sheet beside its cells."""

    name: str
    validations: tuple[EntryRule, ...] = ()
    marks: tuple[Mark, ...] = ()
    links: tuple[Link, ...] = ()
    comments: tuple[Comment, ...] = ()
    charts: tuple[ChartOnSheet, ...] = ()
    pictures: tuple[Picture, ...] = ()
    pivots: tuple[PivotTable, ...] = ()
    clicked: tuple[ClickFilter, ...] = ()
    page: PageSetup = field(default_factory=PageSetup)
    protected: bool = False
    outline: tuple[int, int] = (0, 0)
    hidden: Hidden = field(default_factory=Hidden)
    #: Elements and parts that are kept as they are, without being understood.
    kept: tuple[str, ...] = ()
    #: Per cent, the colour of the tab (RGB, six hex digits), and the area of a filter of the sheet's own.
    zoom: int = 100
    tab: str | None = None
    filter: Area | None = None


#: Elements of a worksheet (18.3.1.99) that this package reads or changes with knowledge of what they mean.
_UNDERSTOOD = frozenset({
    "sheetPr", "dimension", "sheetViews", "sheetFormatPr", "cols", "sheetData", "sheetProtection", "autoFilter",
    "sortState", "mergeCells", "conditionalFormatting", "dataValidations", "hyperlinks", "printOptions", "pageMargins",
    "pageSetup", "headerFooter", "rowBreaks", "colBreaks", "drawing", "legacyDrawing", "tableParts", "protectedRanges",
    "ignoredErrors", "cellWatches", "sheetCalcPr", "phoneticPr",
})  # fmt: skip


_UNDERSTOOD_RELATIONS = frozenset(
    {"drawing", "comments", "vmlDrawing", "table", "hyperlink", "pivotTable", "printerSettings", "slicer"}
)


_UNDERSTOOD_OF_BOOK = frozenset({
    "worksheet", "styles", "theme", "sharedStrings", "calcChain", "pivotCacheDefinition", "externalLink", "vbaProject",
    "chartsheet", "dialogsheet", "slicerCache",
})  # fmt: skip


class BookDetails:
    """What a workbook and its sheets hold beside cells, read when asked for."""

    def __init__(self, book: Workbook) -> None:
        self.book = book
        self._package = book.package

    @cached_property
    def outside(self) -> tuple[OutsideBook, ...]:
        """Other workbooks that formulas read, in the order of their numbers."""
        return tuple(outside_books(self._package, self.book.part))

    @cached_property
    def macros(self) -> bool:
        """Whether the file carries a program, which is kept and never run."""
        return any(relation.kind == "vbaProject" for relation in self._package.relations(self.book.part))

    @cached_property
    def notes(self) -> tuple[str, ...]:
        """What of the workbook as a whole is unlike others (18.2.2, 18.2.28)."""
        properties = child(self.book.root, "calcPr")
        by_hand = properties is not None and properties.get("calcMode") == "manual"
        notes = ["recalculates only on request"] if by_hand else []
        if self.book.date_system is DateSystem.FROM_1904:
            notes.append("counts days from 1904")
        return tuple(notes)

    @cached_property
    def kept(self) -> tuple[str, ...]:
        """Kinds of parts of the workbook as a whole that are kept without being understood."""
        kinds = {relation.kind for relation in self._package.relations(self.book.part)} - _UNDERSTOOD_OF_BOOK
        return tuple(sorted(kinds))

    def sheet(self, name: str, data: bytes | None = None) -> SheetDetails:
        """A sheet's details, without reading its cells; `data` are its part's bytes, if they are already loaded.

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
            relation.id: relation
            for relation in self._package.relations(part)
            if relation.outside or self._package.has(relation.target)
        }
        kinds = {relation.kind for relation in relations.values()}
        drawings = [relation.target for relation in relations.values() if relation.kind == "drawing"]
        levels = [int(item.get("outlineLevel", "0")) for item in children(child(frame, "cols"), "col")]
        unknown = [f"element '{local(item)}'" for item in frame if local(item) not in _UNDERSTOOD | {"extLst", ""}]
        unknown += [
            f"extension {item.get('uri', '')}"
            for item in children(child(frame, "extLst"), "ext")
            if not any(local(inner) == "slicerList" for inner in item)
        ]
        unknown += [
            f"part '{relation.target}'" for relation in relations.values() if relation.kind not in _UNDERSTOOD_RELATIONS
        ]
        return SheetDetails(
            name,
            tuple(read_entry_rules(frame)),
            tuple(read_marks(frame, self._colour)),
            tuple(read_links(frame, relations)),
            tuple(
                comment
                for relation in relations.values()
                if relation.kind == "comments"
                for comment in read_comments(self._package.root(relation.target))
            ),
            tuple(chart for drawing in drawings for chart in read_charts(self._package, drawing, self.book.theme)),
            tuple(picture for drawing in drawings for picture in read_pictures(self._package, drawing)),
            tuple(
                described_pivot(self._package, relation.target)
                for relation in relations.values()
                if relation.kind == "pivotTable"
            ),
            tuple(click_filters(self._package, part, self.book.part)) if "slicer" in kinds else (),
            read_page_setup(frame),
            child(frame, "sheetProtection") is not None,
            (levels_of_rows, max(levels, default=0)),
            Hidden(hidden_rows, tuple(_hidden_columns(frame)), bool(hidden_rows) and self._filtered(frame, relations)),
            tuple(unknown),
            _zoom(frame),
            self._colour(child(child(frame, "sheetPr"), "tabColor")),
            _filter(frame),
        )

    def _colour(self, element: etree._Element | None) -> str | None:
        return self.book.styles.colour(element)  # styles are read when there is a colour to be understood

    def _filtered(self, frame: etree._Element, relations: Mapping[str, Relation]) -> bool:
        """Whether a filter of the sheet or of one of its tables (18.3.2) leaves rows out."""
        tables = (self._package.root(relation.target) for relation in relations.values() if relation.kind == "table")
        return any(children(child(root, "autoFilter"), "filterColumn") for root in (frame, *tables))


def _zoom(frame: etree._Element) -> int:
    """A sheet's zoom in per cent (18.3.1.87)."""
    view = child(child(frame, "sheetViews"), "sheetView")
    return 100 if view is None else whole_number(view.get("zoomScale")) or 100


def _filter(frame: etree._Element) -> Area | None:
    """The area of a sheet's own filter (18.3.1.2)."""
    element = child(frame, "autoFilter")
    return None if element is None else parse_area(element.get("ref", ""))


def _frame(data: bytes) -> tuple[etree._Element, int, tuple[tuple[int, int], ...]]:
    """What stands around a sheet's cells, parsed, the deepest outline level of its rows, and which rows are hidden."""
    try:
        _, cells = sheet_data(data)
    except Unusual:
        if b"sheetData" not in (plain := canonical(data)):  # a chart sheet has none
            return parse_xml(plain), 0, ()
        data, cells = canonical_cells(data)
    start, end = cells.inside or (cells.end, cells.end)

    def has(letter: bytes, text: bytes) -> bool:  # a letter that plain cells have not is looked for ten times faster
        return data.find(letter, start, end) >= 0 and data.find(text, start, end) >= 0

    outlined = has(b"u", b"outlineLevel")
    level = max(map(int, _OUTLINE.findall(data, start, end)), default=0) if outlined else 0
    rows = _runs(int(row_number) for row_number in _row_numbers(data, start, end)) if has(b"h", b"hidden=") else ()
    return parse_xml(data[:start] + data[end:]), level, rows


def _row_numbers(data: bytes, start: int, end: int) -> Iterator[bytes]:
    """The numbers of hidden rows (18.3.1.73)."""
    for match in _HIDDEN_ROW.finditer(data, start, end):
        number = _ROW_NUMBER.search(match[0])
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
    hidden = [item for item in children(child(frame, "cols"), "col") if item.get("hidden") in ("1", "true")]
    spans = [(int(item.get("min", "0")), min(int(item.get("max", "0")), MAX_COLUMN)) for item in hidden]
    return _runs(number for first, last in sorted(spans) for number in range(first, last + 1))
