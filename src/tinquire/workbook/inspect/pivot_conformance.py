"""Whether a pivot's part, its cache and its records agree (ECMA-376 Part 1, 18.10)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lxml import etree

from tinquire.packages.package import Package
from tinquire.packages.xml import child, children, flag, local, whole_number
from tinquire.workbook.pivots.definition import VALUES, PivotDefinition, read_definition, read_lines

__all__ = ["pivot_faults"]


def pivot_faults(package: Package, sheet_part: str) -> Iterator[tuple[str, str]]:
    """What is wrong with the pivots of a sheet: part and sentence. Those of data models are looked at by their
    relations alone."""
    for relation in package.relations(sheet_part):
        if relation.kind != "pivotTable" or not package.has(relation.target):
            continue
        part, root = relation.target, package.root(relation.target)
        cache = next((one.target for one in package.relations(part) if one.kind == "pivotCacheDefinition"), None)
        if cache is None or not package.has(cache):
            yield part, "a pivot has no cache"
            continue
        definition = package.root(cache)
        if child(definition, "cacheHierarchies") is not None or not len(children(root, "pivotFields")):
            continue
        try:
            yield from ((part, says) for says in _pivot(root, definition))
        except ValueError as error:
            yield part, f"a pivot cannot be read: {error}"
        for held in package.relations(cache):
            if held.kind == "pivotCacheRecords" and package.has(held.target):
                yield from ((held.target, says) for says in _records(package.root(held.target), definition))


def _items(field: etree._Element) -> int:
    """How many items a field of a cache has: its groups, where it has any."""
    groups = child(child(field, "fieldGroup"), "groupItems")
    held = child(field, "sharedItems") if groups is None else groups
    return 0 if held is None else len(held)


def _pivot(root: etree._Element, cache: etree._Element) -> Iterator[str]:
    fields = children(child(cache, "cacheFields"), "cacheField")
    pivot = read_definition(root)
    if len(pivot.fields) != len(fields):
        yield f"a pivot has {len(pivot.fields)} fields, and its cache {len(fields)}"
        return
    for number, field in enumerate(pivot.fields):
        known = _items(fields[number])
        for item in field.items or ():
            if not 0 <= item.shared < max(known, 1):
                yield f"an item of field {number} is not in the cache: {item.shared}"
    stated = [*pivot.rows, *pivot.columns, *(number for number, _ in pivot.pages), *(one.field for one in pivot.data)]
    for number in stated:
        if number != VALUES and not 0 <= number < len(fields):
            yield f"a pivot names a field that is not there: {number}"
            return
    for axis, name in ((pivot.rows, "row"), (pivot.columns, "col")):
        yield from _lines(root, pivot, axis, name)


def _lines(root: etree._Element, pivot: PivotDefinition, axis: Sequence[int], name: str) -> Iterator[str]:
    lines = read_lines(root, name)
    for line in lines:
        for number, position in zip(axis, line.path, strict=False):
            items = pivot.fields[number].items if number != VALUES else None
            count = len(pivot.data) if number == VALUES else len(items or ())
            if line.kind != "grand" and items is not None and position >= count:
                yield f"a line names an item of field {number} that is not there: {position}"
    group = child(root, f"{name}Items")
    stated = None if group is None else whole_number(group.get("count"))
    if group is not None and stated is not None and stated != len(children(group, "i")):
        yield f"a count is wrong: {name}Items says {stated} and has {len(children(group, 'i'))}"
    first = pivot.first[1] if name == "row" else pivot.first[2]
    extent = pivot.area.height if name == "row" else pivot.area.width
    if group is not None and pivot.data and axis and extent != first + len(lines):
        what = "rows" if name == "row" else "columns"
        yield f"a pivot's area has {extent} {what}, and its lines need {first + len(lines)}"


def _records(root: etree._Element, cache: etree._Element) -> Iterator[str]:
    fields = [one for one in children(child(cache, "cacheFields"), "cacheField") if flag(one, "databaseField", True)]
    shared = [len(held) if (held := child(one, "sharedItems")) is not None else 0 for one in fields]
    records = [one for one in root if local(one) == "r"]
    stated = whole_number(root.get("count"))
    if stated is not None and stated != len(records):
        yield f"a count is wrong: pivotCacheRecords says {stated} and has {len(records)}"
    for number, record in enumerate(records, start=1):
        if len(record) != len(fields):
            yield f"record {number} has {len(record)} values for {len(fields)} fields"
            return
        for place, one in enumerate(record):
            if local(one) == "x" and not 0 <= int(one.get("v", "0")) < shared[place]:
                yield f"record {number} names an item of field {place} that is not there: {one.get('v')}"
                return
