"""A pivot's own part after it was worked out anew: items, lines, place, and all that counts items by their position
(ECMA-376 Part 1, 18.10.1.73)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lxml import etree

from tinquire.cells.address import Area, area_name
from tinquire.packages.xml import child, children, insert_child, local, tag
from tinquire.workbook.pivots.definition import DATA_REFERENCE, ItemState, PivotField
from tinquire.workbook.pivots.tree import AxisLine
from tinquire.workbook.pivots.working import WorkedPivot

__all__ = ["write_definition"]

_ORDER = (
    "location", "pivotFields", "rowFields", "rowItems", "colFields", "colItems", "pageFields", "dataFields", "formats",
    "conditionalFormats", "chartFormats", "pivotHierarchies", "pivotTableStyleInfo", "filters", "rowHierarchiesUsage",
    "colHierarchiesUsage", "extLst",
)  # fmt: skip
#: What goes when it is about items that are gone, by the element that holds the references.
_OWNERS = ("format", "conditionalFormat", "chartFormat", "autoSortScope")
_FIXED_ITEMS = 1_000_000


def write_definition(root: etree._Element, worked: WorkedPivot, area: Area) -> None:
    """Bring a pivot's root up to date; `area` is where it stands now."""
    location = child(root, "location")
    assert location is not None
    location.set("ref", area_name(area))
    for number, element in enumerate(children(child(root, "pivotFields"), "pivotField")):
        if number in worked.items and worked.definition.fields[number].items is not None:
            _write_items(element, worked.items[number].states, worked.items[number].moved)
        elif number in worked.items:
            _add_items(element, worked.items[number].states, worked.definition.fields[number])
    _follow_positions(root, worked)
    for name, lines in (("rowItems", worked.row_side.lines), ("colItems", worked.column_side.lines)):
        group = child(root, name)
        if group is None:
            group = insert_child(root, name, _ORDER)
        for old in list(group):
            group.remove(old)
        _write_lines(group, lines)


def _write_items(element: etree._Element, states: Sequence[ItemState], moved: dict[int, int]) -> None:
    """Items in their order now; what else is said of one that was there stays with it."""
    group = child(element, "items")
    assert group is not None
    every = children(group, "item")
    own = [one for one in every if one.get("t", "data") == "data"]
    others = [one for one in every if one.get("t", "data") != "data"]
    for one in every:
        group.remove(one)
    at = {now: own[old] for old, now in moved.items() if old < len(own)}
    name = tag(group, "item")
    for position, state in enumerate(states):
        if position in at:
            one = at[position]
        else:
            one = etree.Element(name)
            if state.hidden:
                one.set("h", "1")
        if "m" in one.attrib:
            del one.attrib["m"]
        one.set("x", str(state.shared))
        group.append(one)
    for one in others:
        group.append(one)
    group.set("count", str(len(group)))


def _add_items(element: etree._Element, states: Sequence[ItemState], field: PivotField) -> None:
    """Items of a field that listed none before."""
    group = etree.Element(tag(element, "items"))
    element.insert(0, group)
    for state in states:
        one = etree.SubElement(group, tag(group, "item"), x=str(state.shared))
        if state.hidden:
            one.set("h", "1")
    for kind in field.subtotals:
        etree.SubElement(group, tag(group, "item"), t=kind)
    group.set("count", str(len(group)))


def _follow_positions(root: etree._Element, worked: WorkedPivot) -> None:
    """Let references to items by their position follow these; what was about items that are gone goes."""
    moved = {number: items.moved for number, items in worked.items.items()}
    for reference in [one for one in root.iter() if local(one) == "reference"]:
        number = int(reference.get("field", "0"))
        if number == DATA_REFERENCE or number not in moved:
            continue
        items = children(reference, "x")
        for one in items:
            now = moved[number].get(int(one.get("v", "0")))
            if now is None:
                reference.remove(one)
            else:
                one.set("v", str(now))
        left = len(children(reference, "x"))
        if items:
            reference.set("count", str(left))
        if items and not left:
            _drop_owner(reference)
    for page in children(child(root, "pageFields"), "pageField"):
        item = page.get("item")
        if item is not None:
            page.set("item", str(moved.get(int(page.get("fld", "-1")), {}).get(int(item), 0)))
    for data in children(child(root, "dataFields"), "dataField"):
        base, other = int(data.get("baseField", "-1")), int(data.get("baseItem", "0"))
        if base in moved and other < _FIXED_ITEMS and "baseItem" in data.attrib:
            data.set("baseItem", str(moved[base].get(other, 0)))


def _drop_owner(reference: etree._Element) -> None:
    owner: etree._Element | None = reference
    while owner is not None and local(owner) not in _OWNERS:
        owner = owner.getparent()
    group = None if owner is None else owner.getparent()
    if owner is None or group is None:
        return
    group.remove(owner)
    if "count" in group.attrib:
        group.set("count", str(len(group)))
    above = group.getparent()
    if not len(group) and local(group) != "pivotField" and above is not None:
        above.remove(group)


def _write_lines(group: etree._Element, lines: Sequence[AxisLine]) -> None:
    """The lines of an axis; items that are those of the line before are counted alone."""
    name, inner = tag(group, "i"), tag(group, "x")
    for one, kept in _repeated(lines):
        line = one.line
        element = etree.SubElement(group, name)
        if line.kind:
            element.set("t", line.kind)
        if kept:
            element.set("r", str(kept))
        if line.data:
            element.set("i", str(line.data))
        for position in line.path[kept:]:
            item = etree.SubElement(element, inner)
            if position:
                item.set("v", str(position))
    group.set("count", str(len(lines)))


def _repeated(lines: Sequence[AxisLine]) -> Iterator[tuple[AxisLine, int]]:
    before: tuple[int, ...] = ()
    for one in lines:
        path, kept = one.line.path, 0
        if one.line.kind != "grand":
            while kept < min(len(before), len(path) - 1) and before[kept] == path[kept]:
                kept += 1
        before = path
        yield one, kept
