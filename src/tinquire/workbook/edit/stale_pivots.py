"""Pivots whose rows are others now: the program that opens the file is asked to refresh them (ECMA-376 Part 1,
18.10.1.67)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lxml import etree

from tinquire.cells.address import Area, parse_area
from tinquire.formula.language.mentions import mentions
from tinquire.packages.xml import child
from tinquire.workbook.edit.propagate import change_part, worksheets
from tinquire.workbook.workbook import Workbook

__all__ = ["mark_stale_pivots"]


def mark_stale_pivots(book: Workbook, changed: Sequence[tuple[str, Area]]) -> list[str]:
    """Ask for a refresh of every pivot whose rows lie in changed areas of sheets; says each with its sheet."""
    said: list[str] = []
    asked: set[str] = set()
    for entry, part in worksheets(book):
        for relation in book.package.relations(part):
            if relation.kind != "pivotTable" or not book.package.has(relation.target):
                continue
            name = book.package.root(relation.target).get("name", "")
            for cache in book.package.relations(relation.target):
                if cache.kind != "pivotCacheDefinition" or not book.package.has(cache.target):
                    continue
                if any(_touches(source, changed) for source in _sources(book, book.package.root(cache.target))):
                    said.append(f"pivot '{name}' of sheet '{entry.name}'")
                    if cache.target not in asked:
                        asked.add(cache.target)
                        change_part(book, cache.target, _ask)
    return said


def _ask(root: etree._Element) -> bool:
    changed = root.get("refreshOnLoad") != "1"
    root.set("refreshOnLoad", "1")
    return changed


def _touches(source: tuple[str, Area], changed: Sequence[tuple[str, Area]]) -> bool:
    sheet, area = source
    return any(name.casefold() == sheet.casefold() and other.overlaps(area) for name, other in changed)


def _sources(book: Workbook, cache: etree._Element) -> Iterator[tuple[str, Area]]:
    """Where a pivot's rows stand: an area of a sheet, a table, or a name of the workbook."""
    source = child(child(cache, "cacheSource"), "worksheetSource")
    if source is None:
        return
    name = source.get("name", "").casefold()
    if not name:
        try:
            yield source.get("sheet", ""), parse_area(source.get("ref", ""))
        except ValueError:
            return
    elif name in book.tables():
        sheet, table = book.tables()[name]
        yield sheet, table.area
    for known in book.names:
        mention = next(iter(mentions(known.formula)), None) if known.name.casefold() == name else None
        if mention is not None and mention.area is not None and len(mention.sheets) == 1:
            yield mention.sheets[0], mention.area
