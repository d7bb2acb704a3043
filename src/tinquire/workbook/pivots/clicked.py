"""Filters that people click: a button for each item of a field, over one pivot or several. They are an extension of the
format, with parts of their own."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import Area
from tinquire.packages.package import Package
from tinquire.packages.xml import child, children, flag, local, whole_number
from tinquire.workbook.parts.drawings import anchor_area
from tinquire.workbook.pivots.store import stored_items
from tinquire.workbook.pivots.words import item_text

__all__ = ["ClickFilter", "click_filters"]


@dataclass(frozen=True, slots=True)
class ClickFilter:
    """A filter of a sheet: the cells under it, its heading, its buttons with which of them are on, and the pivots that
    it filters."""

    area: Area | None
    caption: str
    buttons: tuple[tuple[str, bool], ...]
    pivots: tuple[str, ...]


def click_filters(package: Package, sheet_part: str, book_part: str) -> Iterator[ClickFilter]:
    """The filters of a sheet. One whose parts do not fit together is left out."""
    places = dict(_places(package, sheet_part))
    caches = {
        root.get("name", ""): root
        for relation in package.relations(book_part)
        if relation.kind == "slicerCache" and package.has(relation.target)
        for root in (package.root(relation.target),)
    }
    for relation in package.relations(sheet_part):
        if relation.kind != "slicer" or not package.has(relation.target):
            continue
        for one in package.root(relation.target):
            cache = caches.get(one.get("cache", ""))
            if local(one) == "slicer" and cache is not None:
                name = one.get("name", "")
                pivots = tuple(item.get("name", "") for item in cache.iter("{*}pivotTable"))
                buttons = tuple(_buttons(package, cache, book_part))
                yield ClickFilter(places.get(name), one.get("caption", name), buttons, pivots)


def _places(package: Package, sheet_part: str) -> Iterator[tuple[str, Area | None]]:
    for relation in package.relations(sheet_part):
        if relation.kind == "drawing" and package.has(relation.target):
            for anchor in package.root(relation.target):
                for one in anchor.iter("{*}slicer"):
                    yield one.get("name", ""), anchor_area(anchor)


def _buttons(package: Package, cache: etree._Element, book_part: str) -> Iterator[tuple[str, bool]]:
    """The texts of a filter's items, in their order, from the store of the pivots that it filters."""
    field = cache.get("sourceName", "").casefold()
    tabular = next(cache.iter("{*}tabular"), None)
    wanted = None if tabular is None else tabular.get("pivotCacheId")
    for relation in package.relations(book_part):
        if relation.kind != "pivotCacheDefinition" or not package.has(relation.target) or tabular is None:
            continue
        root = package.root(relation.target)
        own = {one.get("pivotCacheId") for one in root.iter("{*}pivotCacheDefinition")} - {None}
        if own and wanted not in own:
            continue
        names = [one.get("name", "").casefold() for one in children(child(root, "cacheFields"), "cacheField")]
        if field not in names:
            continue
        try:
            items = stored_items(root)[names.index(field)]
        except ValueError:
            return
        listed = child(tabular, "items")
        for one in () if listed is None else listed:
            place = whole_number(one.get("x")) or 0
            if place < len(items):
                value = items[place]
                yield "(blank)" if value is None else item_text(value), flag(one, "s", False)
        return
