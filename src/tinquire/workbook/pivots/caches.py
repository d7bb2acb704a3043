"""The stores of a workbook's pivots: which pivots use each, where its rows stand, and whether they are those kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from lxml import etree

from tinquire.cells.address import Area, parse_area
from tinquire.cells.column import Column, Kind
from tinquire.cells.dates import SYSTEMS_APART, DateSystem
from tinquire.cells.display import general
from tinquire.formula import Frame, evaluate
from tinquire.formula.engine.operands import Span
from tinquire.formula.language.grammar import parse_name
from tinquire.formula.language.problems import FormulaError
from tinquire.packages.xml import child, children, flag
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.edit.propagate import worksheets
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.pivots.definition import VALUES, PivotDefinition, read_definition
from tinquire.workbook.pivots.filters import is_known
from tinquire.workbook.pivots.shown_ways import KNOWN_WAYS
from tinquire.workbook.pivots.store import Rows
from tinquire.workbook.workbook import Workbook

__all__ = ["Cache", "PlacedPivot", "caches_of", "has_blank_rows", "read_rows", "source_area", "why_not"]


@dataclass(frozen=True, slots=True)
class PlacedPivot:
    """A pivot's part, and the sheet on which it stands."""

    sheet: str
    part: str


@dataclass(frozen=True)
class Cache:
    """A store's part, its records' part if it has one, and the pivots over it."""

    part: str
    records: str | None
    pivots: tuple[PlacedPivot, ...]


def caches_of(book: Workbook) -> list[Cache]:
    """The stores that pivots of sheets use, in the order of their sheets."""
    found: dict[str, list[PlacedPivot]] = {}
    for entry, part in worksheets(book):
        for relation in book.package.relations(part):
            if relation.kind != "pivotTable" or not book.package.has(relation.target):
                continue
            for store in book.package.relations(relation.target):
                if store.kind == "pivotCacheDefinition" and book.package.has(store.target):
                    found.setdefault(store.target, []).append(PlacedPivot(entry.name, relation.target))
    return [Cache(part, _records(book, part), tuple(pivots)) for part, pivots in found.items()]


def _records(book: Workbook, part: str) -> str | None:
    """The part of the records that a store names (18.10.1.67)."""
    wanted = {str(value) for key, value in book.package.root(part).attrib.items() if str(key).endswith("}id")}
    for relation in book.package.relations(part):
        if relation.kind == "pivotCacheRecords" and relation.id in wanted and book.package.has(relation.target):
            return relation.target
    return None


def source_area(book: Workbook, root: etree._Element) -> tuple[str, Area] | None:
    """The sheet and area of a store's rows, headings with them (18.10.1.95): an area, a table, or what a name comes to.
    None when they stand elsewhere, or nowhere."""
    origin = child(root, "cacheSource")
    source = child(origin, "worksheetSource")
    if source is None or (origin is not None and origin.get("type") not in (None, "worksheet")):
        return None
    if any(str(key).endswith("}id") for key in source.attrib):
        return None
    name = source.get("name", "").casefold()
    if not name:
        try:
            area = parse_area(source.get("ref", ""))
        except ValueError:
            return None
        return _on_sheet(book, source.get("sheet", ""), area)
    if name in book.tables():
        sheet, table = book.tables()[name]
        return sheet, table.area._replace(bottom=table.data.bottom)
    home = source.get("sheet", "").casefold()
    for known in book.names:
        if known.name.casefold() != name or (known.sheet or "").casefold() not in (home, ""):
            continue
        try:
            found = evaluate(parse_name(known.formula), Frame(BookScope(book), known.sheet or book.first_sheet()))
        except FormulaError:
            return None
        return _on_sheet(book, found.sheet, found.area) if isinstance(found, Span) else None
    return None


def _on_sheet(book: Workbook, name: str, area: Area) -> tuple[str, Area] | None:
    entry = book.entry(name)
    if entry is None or entry.kind != "worksheet":
        return None
    bottom = min(area.bottom, book.sheet(entry.name).extent()[0] + 1)
    return entry.name, area._replace(bottom=bottom)


def has_blank_rows(root: etree._Element) -> bool:
    """Whether a store's rows included blank ones: then every field has a blank."""
    own = [
        child(one, "sharedItems")
        for one in children(child(root, "cacheFields"), "cacheField")
        if flag(one, "databaseField", True)
    ]
    return bool(own) and all(
        one is not None and (flag(one, "containsBlank", False) or child(one, "m") is not None) for one in own
    )


def read_rows(book: Workbook, name: str, area: Area, *, blank: bool = False) -> Rows:
    """The rows below the headings of an area, down to the last one that holds anything; with `blank`, a blank one below
    stands for those that follow. A heading that comes again is followed by a number, as fields are named. Days are
    counted in the 1900 system, as stores write them (18.10.1.27)."""
    sheet = book.sheet(name)
    filled = [sheet.column(number, area.top + 1, area.bottom).kinds for number in range(area.left, area.right + 1)]
    last = max((int((kinds != Kind.BLANK).nonzero()[0].max(initial=-1)) for kinds in filled), default=-1)
    area = area._replace(bottom=min(area.top + 1 + last + blank, area.bottom))
    used: set[str] = set()
    headings, columns, dates = [], [], []
    for number in range(area.left, area.right + 1):
        headings.append(_heading(sheet, area.top, number, used))
        values = sheet.column(number, area.top + 1, area.bottom)
        dates.append(_is_date(book, sheet, number, area, values))
        if dates[-1] and book.date_system is DateSystem.FROM_1904:
            later = np.where(values.kinds == Kind.NUMBER, values.numbers + SYSTEMS_APART, values.numbers)
            values = Column(values.kinds, later, values.codes, values.texts)
        columns.append(values)
    return Rows(tuple(headings), tuple(columns), tuple(dates), book.date_system)


def _heading(sheet: Sheet, row: int, column: int, used: set[str]) -> str:
    value = sheet.value(row, column)
    name = general(value) if isinstance(value, float) else "" if value is None else str(value)
    own, count = name, 1
    while own.casefold() in used:
        count += 1
        own = f"{name}{count}"
    used.add(own.casefold())
    return own


def _is_date(book: Workbook, sheet: Sheet, number: int, area: Area, values: Column) -> bool:
    styles_of = sheet.styles(number, area.top + 1, area.bottom)
    if not values.all_of(Kind.NUMBER):
        styles_of = styles_of[values.kinds == Kind.NUMBER]
    styles = np.flatnonzero(np.bincount(styles_of)).tolist()
    return bool(styles) and all(book.styles.is_date(style) for style in styles)


# -- what is not worked out ------------------------------------------------------------------------------


def why_not(book: Workbook, root: etree._Element, pivots: Sequence[etree._Element], *, dated: bool) -> str | None:
    """Why a store's pivots are not worked out, or None: it does not lie in this workbook, or they use what we do not
    reckon; `dated` when it is known which day today is. Raises ValueError for parts that cannot be read."""
    source = child(child(root, "cacheSource"), "worksheetSource")
    if source is None:
        return "its rows come from outside the workbook"
    if any(str(key).endswith("}id") for key in source.attrib):
        return "its rows stand in another workbook"
    if source_area(book, root) is None:
        return "the range of its rows is not there"
    if any(child(root, name) is not None for name in ("cacheHierarchies", "kpis", "dimensions")):
        return "its rows come from a data model"
    if child(root, "calculatedItems") is not None:
        return "it has reckoned items"
    count = len(children(child(root, "cacheFields"), "cacheField"))
    for pivot in pivots:
        definition = read_definition(pivot)
        if len(definition.fields) != count:
            return "its fields are not those of its cache"
        if why := next(_pivot_reasons(pivot, definition, dated=dated), None):
            return why
    return None


def _pivot_reasons(root: etree._Element, pivot: PivotDefinition, *, dated: bool) -> Iterator[str]:
    if child(root, "pivotHierarchies") is not None:
        yield "its rows come from a data model"
    if pivot.merged and any(one.repeat_labels for one in pivot.fields):
        yield "its labels are merged, and repeated on every line"
    for one in pivot.filters:
        if not is_known(one, dated=dated):
            yield f"its filter '{one.kind}' depends on more than its rows"
    for data in pivot.data:
        if data.shown not in KNOWN_WAYS:
            yield f"its values are shown as '{data.shown}'"
    for fields in (pivot.rows, pivot.columns):
        at = fields.index(VALUES) if VALUES in fields else 0
        if any(state.closed for number in fields[:at] for state in pivot.fields[number].items or ()):
            yield "a group is closed over several values"
    if any(one.get("t") not in (None, "data") for one in _formula_items(root)):
        yield "it has reckoned items"


def _formula_items(root: etree._Element) -> Iterator[etree._Element]:
    for field in children(child(root, "pivotFields"), "pivotField"):
        for item in children(child(field, "items"), "item"):
            if flag(item, "f", False):
                yield item
