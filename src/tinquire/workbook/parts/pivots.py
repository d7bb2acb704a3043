"""Pivots written as parts (ECMA-376 Part 1, 18.10): where they stand, where their rows come from, and their cells.

A pivot's own part says of each of its rows and columns for which items it is; a value is the one that lies in the
sheet where they cross.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TypeAlias

from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.address import Area, area_name, parse_area
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import number_from_text
from tinquire.formula.language.reference_changes import ReferenceChange
from tinquire.packages.package import Package
from tinquire.packages.xml import child, children, local

__all__ = [
    "PivotCells", "PivotTable", "follow_pivot_cache", "follow_pivot_table", "pivot_area", "pivots_of",
    "read_pivot",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class PivotTable:
    """A living pivot (18.10): its place, where its rows come from, and its cache's fields; the fields down its rows and
    across its columns, those above it with what is chosen, its values, and what filters it."""

    name: str
    area: Area
    source: str
    fields: tuple[str, ...]
    down: tuple[str, ...] = ()
    across: tuple[str, ...] = ()
    above: tuple[tuple[str, str], ...] = ()
    values: tuple[str, ...] = ()
    filters: tuple[str, ...] = ()


def read_pivot(package: Package, part: str) -> PivotTable:
    """A pivot by its part. Raises AccessError for one that cannot be read."""
    root = package.root(part)
    try:
        area = pivot_area(root) or Area(1, 1, 1, 1)
    except ValueError as error:
        why = f"its part '{part}' cannot be read: {error}"
        raise AccessError(Fault("opening a workbook", why, package.name, "get the file again")) from None
    source, fields = "unknown", tuple[str, ...]()
    for relation in package.relations(part):
        if relation.kind == "pivotCacheDefinition" and package.has(relation.target):
            source, fields = _cache(package.root(relation.target))
    return PivotTable(root.get("name", ""), area, source, fields)


def _cache(root: etree._Element) -> tuple[str, tuple[str, ...]]:
    fields = tuple(item.get("name", "") for item in children(child(root, "cacheFields"), "cacheField"))
    origin = child(root, "cacheSource")
    source = child(origin, "worksheetSource")
    if source is None:
        kind = "unknown" if origin is None else origin.get("type", "unknown")
        return {"external": "a database", "consolidation": "several ranges"}.get(kind, kind), fields
    if name := source.get("name"):
        return name, fields
    return f"{source.get('sheet', '')}!{source.get('ref', '')}".lstrip("!"), fields


def follow_pivot_cache(
    root: etree._Element, following: ReferenceChange, renamed: tuple[str, str] | None = None
) -> bool:
    """Where a pivot takes its rows from (18.10.1.95): a sheet's area, or a name or table, which needs no change."""
    source = child(child(root, "cacheSource"), "worksheetSource")
    if source is None:
        return False
    sheet = source.get("sheet", "")
    changed = False
    if (text := source.get("ref")) is not None:
        area = parse_area(text)
        moved = following.area(area, sheet)
        if moved is not None and moved != area:
            source.set("ref", area_name(moved))
            changed = True
    if renamed is not None and sheet.casefold() == renamed[0].casefold():
        source.set("sheet", renamed[1])
        changed = True
    return changed


def follow_pivot_table(root: etree._Element, home: str, following: ReferenceChange) -> bool:
    """Where a pivot stands on its sheet (18.10.1.49)."""
    changed = False
    for location in children(root, "location"):
        area = parse_area(location.get("ref", "A1"))
        moved = following.area(area, home)
        if moved is not None and moved != area:
            location.set("ref", area_name(moved))
            changed = True
    return changed


def pivot_area(root: etree._Element) -> Area | None:
    location = child(root, "location")
    return None if location is None else parse_area(location.get("ref", "A1"))


#: A field and one of its items, both casefolded.
_Met: TypeAlias = tuple[str, str]


#: The number that stands for the values in place of a field (18.10.1.38).
_VALUES = -2


@dataclass(frozen=True, slots=True)
class _Line:
    """A row or column of a pivot: its place in the sheet, what it is for, and which data field (None: it says nothing
    of that)."""

    place: int
    met: frozenset[_Met]
    data: int | None


class PivotCells:
    """One pivot of a sheet."""

    def __init__(self, root: etree._Element, cache: etree._Element) -> None:
        self._root = root
        location = child(root, "location")
        self.area = parse_area("A1" if location is None else location.get("ref", "A1"))
        self._first = tuple(int("1" if location is None else location.get(name, "1")) for name in _FIRST)
        self._fields = [field.get("name", "") for field in children(child(cache, "cacheFields"), "cacheField")]
        self._shared = [_items(field) for field in children(child(cache, "cacheFields"), "cacheField")]

    def cell(self, data: str, wanted: Sequence[tuple[str, Value]]) -> tuple[int, int] | CellError:
        """Row and column of the cell of a data field for items of fields; an error value when there is none."""
        number = self._data_field(data)
        if number is None:
            return CellError.REF
        met = {(field.casefold(), _key(item)) for field, item in wanted}
        paged = {one for one in met if one in self._pages}
        met -= paged
        for row in self._rows:
            for column in self._columns if row.met <= met else ():
                named = row.data if row.data is not None else column.data
                if row.met | column.met == met and (named or 0) == number:
                    return row.place, column.place
        return CellError.REF

    def _data_field(self, name: str) -> int | None:
        """The position of a data field, by its own name or that of the field it adds up."""
        folded = name.casefold()
        for number, field in enumerate(children(child(self._root, "dataFields"), "dataField")):
            of = int(field.get("fld", "-1"))
            added = self._fields[of] if 0 <= of < len(self._fields) else ""
            if folded in (field.get("name", "").casefold(), added.casefold()):
                return number
        return None

    @cached_property
    def _rows(self) -> list[_Line]:
        return list(self._lines("row", self.area.top + self._first[0]))

    @cached_property
    def _columns(self) -> list[_Line]:
        return list(self._lines("col", self.area.left + self._first[1]))

    @cached_property
    def _pages(self) -> set[_Met]:
        """What the pivot's filters are set to."""
        found = set()
        for page in children(child(self._root, "pageFields"), "pageField"):
            field, item = int(page.get("fld", "-1")), page.get("item")
            if item is not None and 0 <= field < len(self._fields):
                found.add((self._fields[field].casefold(), self._item(field, int(item))))
        return found

    def _lines(self, axis: str, start: int) -> Iterator[_Line]:
        fields = [int(one.get("x", "0")) for one in children(child(self._root, f"{axis}Fields"), "field")]
        path: list[int] = []
        lines = children(child(self._root, f"{axis}Items"), "i")
        for index, line in enumerate(lines, start=start):
            path = path[: int(line.get("r", "0"))] + [int(one.get("v", "0")) for one in children(line, "x")]
            data = int(line.get("i", "0")) if _VALUES in fields else None
            used = [] if line.get("t") == "grand" else list(zip(fields, path, strict=False))
            known = len(self._fields)
            met = {
                (self._fields[field].casefold(), self._item(field, item)) for field, item in used if 0 <= field < known
            }
            yield _Line(index, frozenset(met), data)
        if not lines:  # a pivot without fields on this side has one line
            yield _Line(start, frozenset(), None)

    def _item(self, field: int, item: int) -> str:
        """The key of an item of a field, which points to the values that the pivot's store shares (18.10.1.45)."""
        fields = children(child(self._root, "pivotFields"), "pivotField")
        items = children(child(fields[field], "items"), "item") if field < len(fields) else []
        shared = int(items[item].get("x", item)) if item < len(items) else item
        values = self._shared[field]
        return values[shared] if shared < len(values) else ""


_FIRST = ("firstDataRow", "firstDataCol")


def _items(field: etree._Element) -> list[str]:
    """The keys of a store's shared values: those of its groups, if it is grouped."""
    grouped = child(child(field, "fieldGroup"), "groupItems")
    holder = grouped if grouped is not None else child(field, "sharedItems")
    found = []
    for item in holder if holder is not None else ():
        value = item.get("v", "")
        match local(item):
            case "n":
                found.append(_key(float(value)))
            case "b":
                found.append(_key(value in ("1", "true")))
            case "d":
                found.append(_key(number_from_text(value)))
            case "m":
                found.append("")
            case _:
                found.append(_key(value))
    return found


def _key(value: Value) -> str:
    """What equal items have in common."""
    if isinstance(value, bool):
        return str(value).casefold()
    if isinstance(value, str):
        number = number_from_text(value)
        return value.casefold() if number is None else repr(number)
    return "" if value is None else repr(value)


def pivots_of(package: Package, sheet_part: str) -> Iterator[tuple[Area, PivotCells]]:
    """The pivots of a sheet, each with its area."""
    for relation in package.relations(sheet_part):
        if relation.kind != "pivotTable" or not package.has(relation.target):
            continue
        for store in package.relations(relation.target):
            if store.kind == "pivotCacheDefinition" and package.has(store.target):
                pivot = PivotCells(package.root(relation.target), package.root(store.target))
                yield pivot.area, pivot
