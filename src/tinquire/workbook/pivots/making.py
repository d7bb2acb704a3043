"""Pivots made for a new workbook: their parts written from what is asked, worked out as those of a file are
(ECMA-376 Part 1, 18.10.1.67, .73)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from lxml import etree

from tinquire.cells.address import Area, area_name
from tinquire.cells.display import general
from tinquire.cells.values import Value
from tinquire.packages.xml import MAIN, RELATIONS, child, free_number, insert_child, serialise_xml, tag
from tinquire.workbook.new_sheet import CONTENT_TYPE
from tinquire.workbook.parts.book_part import WORKBOOK_ORDER
from tinquire.workbook.parts.styles import StyleBook
from tinquire.workbook.pivots.cells import area_of
from tinquire.workbook.pivots.definition import VALUES, read_definition
from tinquire.workbook.pivots.ordering import sort_key
from tinquire.workbook.pivots.store import Rows, Store, item_key, store_of
from tinquire.workbook.pivots.store_writing import records_part, write_store
from tinquire.workbook.pivots.words import Words
from tinquire.workbook.pivots.working import WorkedPivot, work_out
from tinquire.workbook.pivots.writing import write_definition
from tinquire.workbook.workbook import Workbook

__all__ = ["MadePivot", "NewPivot", "NewStore", "NewValue", "make_pivot", "make_store", "put_pivots"]

#: The version of the format's pivots that is written: one that every program since the standard knows.
_VERSION = {"createdVersion": "3", "updatedVersion": "3", "minRefreshableVersion": "3"}
#: A pivot in the layout of a table, whose cells keep the looks that they have.
_PLAIN = {
    **{f"apply{name}Formats": "0" for name in ("Number", "Border", "Font", "Pattern", "Alignment")},
    "applyWidthHeightFormats": "1", "dataCaption": "Values", "indent": "0", "compact": "0", "compactData": "0",
    "outline": "0", "outlineData": "0",
}  # fmt: skip
#: Repeated labels came after the standard, as an extension that names itself by this.
_EXTENSION = "{2946ED86-A175-432a-8AC1-64E0C546D7DE}"
_LATER = "http://schemas.microsoft.com/office/spreadsheetml/2009/9/main"


@dataclass(frozen=True, slots=True)
class NewValue:
    """A value of a new pivot: its name, the column it sums up, how (18.18.17), how it is shown (18.18.70), and its
    format."""

    name: str
    column: str
    how: str
    shown: str = "normal"
    format: str = "General"


@dataclass(frozen=True)
class NewStore:
    """The rows of new pivots: those of a table of the workbook, and their store."""

    table: str
    root: etree._Element
    store: Store

    def place(self, column: str) -> int:
        folded = column.casefold()
        return next(at for at, one in enumerate(self.store.fields) if one.name.casefold() == folded)


@dataclass(frozen=True)
class NewPivot:
    """What a new pivot shows: columns down its rows, across its columns and above it (with the value chosen), values,
    and each field's items in order, or by which value they are sorted (with `True` the largest first)."""

    name: str
    down: Sequence[str]
    across: Sequence[str]
    values: Sequence[NewValue]
    orders: Mapping[str, Sequence[Value]]
    pages: Sequence[tuple[str, Value]] = ()
    sorts: Mapping[str, tuple[int, bool]] = field(default_factory=dict)
    subtotals: bool = False
    total: str | None = None
    total_across: str | None = None
    missing: Value = None


@dataclass(frozen=True)
class MadePivot:
    """A new pivot worked out: its part, and what it shows from which cell on."""

    store: NewStore
    root: etree._Element
    worked: WorkedPivot
    area: Area

    def words(self, subtotal: str, blank: str) -> Words:
        """What it calls its totals, a subtotal by a pattern with a place for its group, and blanks."""
        caption = self.worked.definition.grand_caption or ""
        return Words(caption, subtotal, f"{caption} {{}}", blank)


def make_store(table: str, rows: Rows, axes: set[str]) -> NewStore:
    """The store of a table's rows; `axes` are the columns, casefolded, that any pivot tells rows apart by."""
    root = etree.fromstring(f'<pivotCacheDefinition xmlns="{MAIN}" xmlns:r="{RELATIONS}"/>')
    for name, version in (("refreshedVersion", "3"), ("createdVersion", "3"), ("minRefreshableVersion", "3")):
        root.set(name, version)
    source = etree.SubElement(root, f"{{{MAIN}}}cacheSource", type="worksheet")
    etree.SubElement(source, f"{{{MAIN}}}worksheetSource", name=table)
    fields = etree.SubElement(root, f"{{{MAIN}}}cacheFields", count=str(len(rows.headings)))
    for heading, is_date in zip(rows.headings, rows.dates, strict=True):
        one = etree.SubElement(fields, f"{{{MAIN}}}cacheField", name=heading, numFmtId="14" if is_date else "0")
        etree.SubElement(one, f"{{{MAIN}}}sharedItems")
    used = {at for at, heading in enumerate(rows.headings) if heading.casefold() in axes}
    store = store_of(root, rows, used, {})
    write_store(root, store)
    # From now on items are spoken of as they stand in the store.
    settled = tuple(replace(one, kept=None) for one in store.fields)
    return NewStore(table, root, Store(settled, store.height))


def make_pivot(new: NewPivot, store: NewStore, spot: tuple[int, int], styles: StyleBook) -> MadePivot:
    """A pivot whose area begins at a spot, in the layout of a table: each row field in a column of its own."""
    root = etree.fromstring(f'<pivotTableDefinition xmlns="{MAIN}"/>')
    stated = {"name": new.name, "cacheId": "0", **_PLAIN, **_VERSION}
    for name, given in (("rowGrandTotals", new.total_across), ("colGrandTotals", new.total)):
        if given is None:
            stated[name] = "0"
    if caption := new.total or new.total_across:
        stated["grandTotalCaption"] = caption
    if any(value.how in ("stdDev", "var") for value in new.values):  # of one row there is none
        stated |= {"showError": "1", "errorCaption": ""}
    if new.missing is not None:
        stated["missingCaption"] = general(new.missing) if isinstance(new.missing, float) else str(new.missing)
    for name, text in stated.items():
        root.set(name, text)
    several = len(new.values) > 1
    header, data_row = _header(new)
    location = etree.SubElement(root, f"{{{MAIN}}}location", ref=area_name(Area(*spot, *spot)))
    location.set("firstHeaderRow", str(header))
    location.set("firstDataRow", str(data_row))
    location.set("firstDataCol", str(len(new.down)))
    if new.pages:
        location.set("rowPageCount", str(len(new.pages)))
        location.set("colPageCount", "1")
    _add_fields(root, new, store)
    across = [store.place(name) for name in new.across] + ([VALUES] if several else [])
    for name, numbers in (("rowFields", [store.place(name) for name in new.down]), ("colFields", across)):
        if numbers:
            group = etree.SubElement(root, f"{{{MAIN}}}{name}", count=str(len(numbers)))
            for number in numbers:
                etree.SubElement(group, f"{{{MAIN}}}field", x=str(number))
    _add_pages(root, new, store)
    _add_values(root, new, store, styles)
    etree.SubElement(
        root, f"{{{MAIN}}}pivotTableStyleInfo", showRowHeaders="1", showColHeaders="1", showRowStripes="0",
        showColStripes="0", showLastColumn="1",
    )  # fmt: skip
    worked = work_out(read_definition(root), store.store)
    area = area_of(worked)
    write_definition(root, worked, area)
    return MadePivot(store, root, worked, area)


def _header(new: NewPivot) -> tuple[int, int]:
    """The first header row and the first data row, from the pivot's first row."""
    levels = len(new.across) + (len(new.values) > 1)
    return 1, 1 + levels


def _add_fields(root: etree._Element, new: NewPivot, store: NewStore) -> None:
    axes = dict.fromkeys((name.casefold() for name in new.down), "axisRow")
    axes |= dict.fromkeys((name.casefold() for name in new.across), "axisCol")
    axes |= dict.fromkeys((name.casefold() for name, _ in new.pages), "axisPage")
    summed = {value.column.casefold() for value in new.values}
    orders = {name.casefold(): order for name, order in new.orders.items()}
    sorts = {name.casefold(): by for name, by in new.sorts.items()}
    outer = {name.casefold() for name in new.down[:-1]} if new.subtotals else set()
    group = etree.SubElement(root, f"{{{MAIN}}}pivotFields", count=str(len(store.store.fields)))
    for one in store.store.fields:
        folded = one.name.casefold()
        element = etree.SubElement(group, f"{{{MAIN}}}pivotField", compact="0", outline="0", showAll="0")
        if folded in summed:
            element.set("dataField", "1")
        if folded not in axes:
            continue
        element.set("axis", axes[folded])
        if folded not in outer:
            element.set("defaultSubtotal", "0")
        order = _order(one.items, orders.get(folded, ()))
        by = sorts.get(folded)
        natural = sorted(range(len(one.items)), key=lambda at, one=one: sort_key(one.items[at]))  # type: ignore[misc]
        if by is not None:
            element.set("sortType", "descending" if by[1] else "ascending")
        elif order == natural:
            element.set("sortType", "ascending")
        items = etree.SubElement(element, f"{{{MAIN}}}items")
        for shared in order:
            etree.SubElement(items, f"{{{MAIN}}}item", x=str(shared))
        if folded in outer:
            etree.SubElement(items, f"{{{MAIN}}}item", t="default")
        items.set("count", str(len(items)))
        if by is not None:
            _sort_by(element, by[0])
        if folded in {name.casefold() for name in new.down[:-1]}:
            extensions = etree.SubElement(element, f"{{{MAIN}}}extLst")
            extension = etree.SubElement(extensions, f"{{{MAIN}}}ext", uri=_EXTENSION, nsmap={"x14": _LATER})
            etree.SubElement(extension, f"{{{_LATER}}}pivotField", fillDownLabels="1")


def _order(items: Sequence[Value], wanted: Sequence[Value]) -> list[int]:
    """The shared items in an order; what it does not name comes last, as it stands."""
    places = {item_key(value): at for at, value in enumerate(items)}
    first = dict.fromkeys(places[item_key(value)] for value in wanted if item_key(value) in places)
    return [*first, *(at for at in range(len(items)) if at not in first)]


def _sort_by(element: etree._Element, data: int) -> None:
    scope = etree.SubElement(element, tag(element, "autoSortScope"))
    area = etree.SubElement(scope, tag(element, "pivotArea"), dataOnly="0", outline="0", fieldPosition="0")
    references = etree.SubElement(area, tag(element, "references"), count="1")
    reference = etree.SubElement(references, tag(element, "reference"), field="4294967294", count="1", selected="0")
    etree.SubElement(reference, tag(element, "x"), v=str(data))


def _add_pages(root: etree._Element, new: NewPivot, store: NewStore) -> None:
    if not new.pages:
        return
    group = etree.SubElement(root, tag(root, "pageFields"), count=str(len(new.pages)))
    fields = child(root, "pivotFields")
    assert fields is not None
    for name, value in new.pages:
        number = store.place(name)
        items = child(fields[number], "items")
        shared = {item_key(item): at for at, item in enumerate(store.store.fields[number].items)}[item_key(value)]
        at = next(place for place, one in enumerate(items if items is not None else ()) if one.get("x") == str(shared))
        etree.SubElement(group, tag(root, "pageField"), fld=str(number), item=str(at), hier="-1")


def _add_values(root: etree._Element, new: NewPivot, store: NewStore, styles: StyleBook) -> None:
    group = etree.SubElement(root, tag(root, "dataFields"), count=str(len(new.values)))
    for value in new.values:
        one = etree.SubElement(group, tag(root, "dataField"), name=value.name, fld=str(store.place(value.column)))
        if value.how != "sum":
            one.set("subtotal", value.how)
        if value.shown != "normal":
            one.set("showDataAs", value.shown)
        one.set("baseField", "0")
        one.set("baseItem", "0")
        if value.format != "General":
            one.set("numFmtId", str(styles.format_number(value.format)))


# -- written ---------------------------------------------------------------------------------------------


def put_pivots(book: Workbook, pivots: Sequence[tuple[str, MadePivot]]) -> None:
    """Write the parts of new pivots, each with the sheet on which it stands; those over the same rows share a
    store."""
    if not pivots:
        return
    book.settle()
    package, folder, space = book.package, book.part.rpartition("/")[0], book.relation_space
    stores: dict[int, tuple[str, int]] = {}
    for sheet, made in pivots:
        entry = book.entry(sheet)
        assert entry is not None and entry.part is not None
        if id(made.store) not in stores:
            stores[id(made.store)] = _put_store(book, made.store)
        store, number = stores[id(made.store)]
        made.root.set("cacheId", str(number))
        part = package.free_name(f"{folder}/pivotTables/pivotTable{{}}.xml")
        package.put(part, serialise_xml(made.root))
        package.set_type(part, f"{CONTENT_TYPE}pivotTable+xml")
        package.relate(part, f"{space}/pivotCacheDefinition", store)
        package.relate(entry.part, f"{space}/pivotTable", part)
    book.root_changed()


def _put_store(book: Workbook, new: NewStore) -> tuple[str, int]:
    package, folder, space = book.package, book.part.rpartition("/")[0], book.relation_space
    definition = package.free_name(f"{folder}/pivotCache/pivotCacheDefinition{{}}.xml")
    records = package.free_name(f"{folder}/pivotCache/pivotCacheRecords{{}}.xml")
    package.put(definition, serialise_xml(new.root))
    package.put_pieces(records, records_part(new.store), fast=True)
    new.root.set(f"{{{RELATIONS}}}id", package.relate(definition, f"{space}/pivotCacheRecords", records))
    package.put(definition, serialise_xml(new.root))
    package.set_types({
        definition: f"{CONTENT_TYPE}pivotCacheDefinition+xml", records: f"{CONTENT_TYPE}pivotCacheRecords+xml",
    })  # fmt: skip
    group = child(book.root, "pivotCaches")
    if group is None:
        group = insert_child(book.root, "pivotCaches", WORKBOOK_ORDER)
    number = free_number([item.get("cacheId") for item in group])
    element = etree.SubElement(group, tag(group, "pivotCache"), cacheId=str(number))
    element.set(f"{{{space}}}id", package.relate(book.part, f"{space}/pivotCacheDefinition", definition))
    return definition, number
