"""Whether a store still holds the rows of its source (ECMA-376 Part 1, 18.10.1.68)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lxml import etree

from tinquire.base.wording import counted
from tinquire.cells.address import Area
from tinquire.cells.values import Value
from tinquire.packages.xml import child, children, flag, local
from tinquire.workbook.pivots.caches import Cache, read_rows, source_area
from tinquire.workbook.pivots.store import Rows, item_key, read_item, store_of
from tinquire.workbook.pivots.store_writing import records_part
from tinquire.workbook.workbook import Workbook

__all__ = ["staleness", "touches"]


def touches(book: Workbook, cache: Cache, changed: Sequence[tuple[str, Area]]) -> bool:
    """Whether a store's rows lie in changed areas of sheets."""
    found = source_area(book, book.package.root(cache.part))
    if found is None:
        return False
    sheet, area = found
    return any(name.casefold() == sheet.casefold() and other.overlaps(area) for name, other in changed)


def staleness(book: Workbook, cache: Cache) -> str | None:
    """How a store differs from its source, in words; None when it does not, or when that cannot be told: its source is
    elsewhere, or it keeps no records."""
    root = book.package.root(cache.part)
    found = source_area(book, root)
    if found is None or cache.records is None:
        return None
    rows = read_rows(book, *found)
    names = [
        one.get("name", "")
        for one in children(child(root, "cacheFields"), "cacheField")
        if flag(one, "databaseField", True)
    ]
    if _is_same(book, cache, root, rows):
        return None
    try:
        return _difference(book, root, rows, names, cache.records)
    except ValueError:
        return "its cache holds values that cannot be read"


def _difference(book: Workbook, root: etree._Element, rows: Rows, names: Sequence[str], records: str) -> str | None:
    """The first difference between records and rows. Raises ValueError for records that are none."""
    first: str | None = None
    places = {heading.casefold(): at for at, heading in enumerate(rows.headings)}
    if missing := [name for name in names if name.casefold() not in places]:
        return f"its source has no heading '{missing[0]}'"
    wanted = zip(*(_keys(rows, places[name.casefold()]) for name in names), strict=True)
    count = 0
    for kept in _records(book, root, records):
        if all(value is None for value in kept):  # rows below the last one, in an area that reaches further
            continue
        count += 1
        own = next(wanted, None)
        for name, one, other in zip(names, kept, own or (), strict=False):
            if one != other and count <= rows.height:
                first = first or f"its cache has other values than its source, first in row {count:,}, column '{name}'"
    if count != rows.height:
        return f"its cache has {counted(count, 'row')}, its source {rows.height:,}"
    return first


def _is_same(book: Workbook, cache: Cache, root: etree._Element, rows: Rows) -> bool:
    """Whether records written anew are those that are there, byte for byte: the quick way to a clean answer."""
    assert cache.records is not None
    used = {
        number
        for number, one in enumerate(children(child(root, "cacheFields"), "cacheField"))
        if len(_listed(child(one, "sharedItems")))
    }
    stated = root.get("recordCount")
    if stated != str(rows.height):
        return False
    try:
        pieces = records_part(store_of(root, rows, used, dict.fromkeys(used, range(1 << 20))))
        held = book.package.read(cache.records)
        at = 0
        for piece in pieces:
            if held[at : at + len(piece)] != piece:
                return False
            at += len(piece)
    except ValueError:
        return False
    return at == len(held)


def _keys(rows: Rows, place: int) -> list[object]:
    return [_key(value) for value in rows.columns[place]]


def _key(value: Value) -> object:
    """Moments are kept to the second."""
    return round(value, 5) if isinstance(value, float) else item_key(value)


def _records(book: Workbook, root: etree._Element, part: str) -> Iterator[list[object]]:
    """The values of each record, shared items in their places."""
    shared = [
        [_key(read_item(item)) for item in _listed(child(one, "sharedItems"))]
        for one in children(child(root, "cacheFields"), "cacheField")
        if flag(one, "databaseField", True)
    ]
    for record in book.package.root(part):
        if local(record) == "r":
            yield [
                _at(items, int(one.get("v", "0"))) if local(one) == "x" else _key(read_item(one))
                for one, items in zip(record, shared, strict=False)
            ]


def _listed(element: etree._Element | None) -> Sequence[etree._Element]:
    return () if element is None else list(element)


def _at(items: Sequence[object], place: int) -> object:
    return items[place] if 0 <= place < len(items) else None
