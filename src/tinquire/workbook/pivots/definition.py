"""What a pivot's parts say of it (ECMA-376 Part 1, 18.10): fields, items, axes, data fields, filters, lines."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import Area, parse_area
from tinquire.packages.xml import child, children, flag, local

__all__ = [
    "VALUES", "DataField", "Filter", "ItemState", "Line", "PivotDefinition", "PivotField", "SortBy", "flag",
    "read_definition", "read_lines", "shown_levels",
]  # fmt: skip

#: Stands among the fields of an axis for the data fields (18.10.1.38).
VALUES = -2
#: A data field among the references of an area (18.10.1.92): -2 as a number without a sign.
DATA_REFERENCE = 0xFFFFFFFE

#: Functions of subtotals by the attribute that asks for them (18.10.1.69), each with the kind of its lines (18.18.43).
_SUBTOTALS = {
    "sumSubtotal": "sum", "countASubtotal": "countA", "avgSubtotal": "avg", "maxSubtotal": "max",
    "minSubtotal": "min", "productSubtotal": "product", "countSubtotal": "count", "stdDevSubtotal": "stdDev",
    "stdDevPSubtotal": "stdDevP", "varSubtotal": "var", "varPSubtotal": "varP",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class ItemState:
    """An item of a field in its order (18.10.1.45): its place among the shared ones, and how it is shown."""

    shared: int
    hidden: bool = False
    closed: bool = False
    caption: str | None = None


@dataclass(frozen=True, slots=True)
class SortBy:
    """A field's items in the order of a data field (18.10.1.9): its values in the total, or in the column (or row) of
    items of other fields, given as pairs of field and item."""

    data: int
    within: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class PivotField:
    """A field of a pivot (18.10.1.69). `subtotals` are kinds of lines, none for a field without subtotals."""

    axis: str
    items: tuple[ItemState, ...] | None
    sort: str
    sort_by: SortBy | None
    compact: bool
    outline: bool
    on_top: bool
    subtotals: tuple[str, ...]
    blank_line: bool
    every_item: bool
    hide_new: bool
    repeat_labels: bool
    caption: str | None
    best: tuple[int, bool, int] | None

    @property
    def filtered(self) -> bool:
        return any(item.hidden for item in self.items or ())


@dataclass(frozen=True, slots=True)
class DataField:
    """A value of a pivot (18.10.1.22): what it is called, its field, how it sums up and how it is shown (18.18.70)."""

    name: str
    field: int
    how: str
    shown: str
    base_field: int
    base_item: int
    format: int | None


@dataclass(frozen=True, slots=True)
class Filter:
    """A filter of a field's items (18.10.1.34), by their labels or by a data field's values."""

    field: int
    kind: str
    data: int | None
    first: str
    second: str
    #: How many, which share or which sum of the best (or, with `lowest`, of the least) are shown.
    amount: float = 0.0
    lowest: bool = False


@dataclass(frozen=True, slots=True)
class Line:
    """A row or column of a pivot's values (18.10.1.44): the positions of its items in their fields, outermost first (a
    data field's number where the data fields stand), what it is ('' for items, else 'default' or a function for
    subtotals, 'grand' or 'blank'), and its data field."""

    path: tuple[int, ...]
    kind: str = ""
    data: int = 0


@dataclass(frozen=True)
class PivotDefinition:
    """A pivot by its part. `first` are the first header row, data row and data column within `area`."""

    name: str
    area: Area
    first: tuple[int, int, int]
    fields: tuple[PivotField, ...]
    rows: tuple[int, ...]
    columns: tuple[int, ...]
    #: Page fields, each with the position of its chosen item, or None for all that are not hidden.
    pages: tuple[tuple[int, int | None], ...]
    data: tuple[DataField, ...]
    filters: tuple[Filter, ...]
    total_row: bool
    total_column: bool
    #: Whether the data fields, standing among row fields, are shown as compact and outline fields are.
    compact_data: bool
    outline_data: bool
    grand_caption: str | None
    #: What stands for a combination without rows; None for a blank.
    missing: str | None
    error: str | None
    custom_lists: bool
    indent: int
    #: Whether labels are merged over the lines of their groups.
    merged: bool


def read_definition(root: etree._Element) -> PivotDefinition:
    """A pivot by its part's root. Raises ValueError for numbers and areas that are none."""
    location = child(root, "location")
    if location is None:
        raise ValueError("it has no location")
    first = tuple(int(location.get(name, "1")) for name in ("firstHeaderRow", "firstDataRow", "firstDataCol"))
    pages = [(int(one.get("fld", "-1")), one.get("item")) for one in _inside(root, "pageFields", "pageField")]
    return PivotDefinition(
        name=root.get("name", ""),
        area=parse_area(location.get("ref", "A1")),
        first=(first[0], first[1], first[2]),
        fields=tuple(_field(one) for one in _inside(root, "pivotFields", "pivotField")),
        rows=tuple(int(one.get("x", "0")) for one in _inside(root, "rowFields", "field")),
        columns=tuple(int(one.get("x", "0")) for one in _inside(root, "colFields", "field")),
        pages=tuple((field, None if item is None else int(item)) for field, item in pages),
        data=tuple(_data(one) for one in _inside(root, "dataFields", "dataField")),
        filters=tuple(
            _filter(one)
            for one in sorted(
                _inside(root, "filters", "filter"), key=lambda one: (int(one.get("evalOrder", "0")), one.get("id", ""))
            )
        ),
        total_row=flag(root, "colGrandTotals", True),
        total_column=flag(root, "rowGrandTotals", True),
        compact_data=flag(root, "compactData", True),
        outline_data=flag(root, "outlineData", False),
        grand_caption=root.get("grandTotalCaption"),
        missing=root.get("missingCaption") if flag(root, "showMissing", True) else "0",
        error=root.get("errorCaption", "") if flag(root, "showError", False) else None,
        custom_lists=flag(root, "customListSort", True),
        indent=int(root.get("indent", "1")),
        merged=flag(root, "mergeItem", False),
    )


def _inside(root: etree._Element, group: str, name: str) -> Sequence[etree._Element]:
    return children(child(root, group), name)


def _field(element: etree._Element) -> PivotField:
    listed = child(element, "items")
    items = None
    if listed is not None:
        items = tuple(
            ItemState(int(one.get("x", "0")), flag(one, "h", False), not flag(one, "sd", True), one.get("n"))
            for one in children(listed, "item")
            if one.get("t", "data") == "data"
        )
    subtotals = tuple(kind for name, kind in _SUBTOTALS.items() if flag(element, name, False))
    if flag(element, "defaultSubtotal", True) and not subtotals:
        subtotals = ("default",)
    axis = {"axisRow": "row", "axisCol": "column", "axisPage": "page"}.get(element.get("axis", ""), "")
    best = None
    if flag(element, "measureFilter", False) or element.get("autoShow") in ("1", "true"):
        best = (int(element.get("itemPageCount", "10")), flag(element, "topAutoShow", True),
                int(element.get("rankBy", "0")))  # fmt: skip
    return PivotField(
        axis=axis,
        items=items,
        sort=element.get("sortType", "manual"),
        sort_by=_sort_by(child(element, "autoSortScope")),
        compact=flag(element, "compact", True),
        outline=flag(element, "outline", True),
        on_top=flag(element, "subtotalTop", True),
        subtotals=subtotals,
        blank_line=flag(element, "insertBlankRow", False),
        every_item=flag(element, "showAll", True),
        hide_new=flag(element, "hideNewItems", False) or not flag(element, "includeNewItemsInFilter", False),
        repeat_labels=any(flag(one, "fillDownLabels", False) for one in element.iter() if local(one) == "pivotField"),
        caption=element.get("name"),
        best=best if element.get("autoShow") in ("1", "true") else None,
    )


def _sort_by(scope: etree._Element | None) -> SortBy | None:
    data, within = None, []
    for reference in scope.iter() if scope is not None else ():
        if local(reference) != "reference":
            continue
        items = [int(one.get("v", "0")) for one in children(reference, "x")]
        field = int(reference.get("field", "0"))
        if field == DATA_REFERENCE:
            data = items[0] if items else 0
        elif len(items) == 1:
            within.append((field, items[0]))
    return None if data is None else SortBy(data, tuple(within))


def _data(element: etree._Element) -> DataField:
    shown = element.get("showDataAs", "normal")
    for one in element.iter():  # the ways that came after the standard's first edition stand in an extension
        if one is not element and local(one) == "dataField" and one.get("pivotShowAs"):
            shown = one.get("pivotShowAs", shown)
    format_number = element.get("numFmtId")
    return DataField(
        element.get("name", ""), int(element.get("fld", "-1")), element.get("subtotal", "sum"), shown,
        int(element.get("baseField", "-1")), int(element.get("baseItem", "0")),
        None if format_number is None else int(format_number),
    )  # fmt: skip


def _filter(element: etree._Element) -> Filter:
    top = next((one for one in element.iter() if local(one) == "top10"), None)
    data = element.get("iMeasureFld")
    return Filter(
        int(element.get("fld", "-1")), element.get("type", "unknown"), None if data is None else int(data),
        element.get("stringValue1", ""), element.get("stringValue2", ""),
        0.0 if top is None else float(top.get("val", "0")), top is not None and not flag(top, "top", True),
    )  # fmt: skip


def read_lines(root: etree._Element, axis: str) -> list[Line]:
    """The lines of an axis ('row' or 'col') as they are stored (18.10.1.84, .15); a pivot without fields there has
    one."""
    found: list[Line] = []
    path: tuple[int, ...] = ()
    for one in _inside(root, f"{axis}Items", "i"):
        kept = int(one.get("r", "0"))
        path = (*path[:kept], *(int(item.get("v", "0")) for item in children(one, "x")))
        kind = one.get("t", "data")
        found.append(Line(path, "" if kind == "data" else kind, int(one.get("i", "0"))))
    return found or [Line(())]


def shown_levels(lines: Iterable[Line]) -> list[range]:
    """The levels whose labels stand on each line of an axis: those that are others than on the line before."""
    found = []
    before: tuple[int, ...] = ()
    for line in lines:
        path = line.path
        if line.kind == "blank":
            found.append(range(0))
        elif line.kind:
            found.append(range(len(path) - 1, len(path)))
        else:
            same = 0
            while same < min(len(before), len(path) - 1) and before[same] == path[same]:
                same += 1
            found.append(range(same, len(path)))
        before = path
    return found
