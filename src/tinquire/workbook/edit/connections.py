"""Queries to elsewhere that a workbook holds (18.13): what they fill, and whether they are asked on opening."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import Area
from tinquire.packages.xml import children, flag
from tinquire.workbook.edit.propagate import change_part, worksheets
from tinquire.workbook.workbook import Workbook

__all__ = ["Query", "ask_on_opening"]


@dataclass(frozen=True, slots=True)
class Query:
    """A connection, the sheets whose cells it fills, and whether its rows were replaced by others: then it must not be
    asked on opening, or they are gone."""

    name: str
    sheets: tuple[str, ...]
    replaced: bool


def ask_on_opening(book: Workbook, filled: Sequence[tuple[str, Area]]) -> list[Query]:
    """Have every connection asked when the workbook is opened (18.13.1, `refreshOnLoad`), save those whose rows stand
    in the areas of sheets that were `filled`: these are no longer asked. Returns them all, in the part's order."""
    part = book.connections_part
    if part is None:
        return []
    places = list(_places(book, filled))
    found: list[Query] = []

    def change(root: etree._Element) -> bool:
        changed = False
        for connection in children(root, "connection"):
            own = [place for place in places if place[0] == connection.get("id")]
            name = connection.get("name") or f"number {connection.get('id', '')}"
            query = Query(name, tuple(dict.fromkeys(sheet for _, sheet, _ in own)), any(lost for *_, lost in own))
            changed |= _set_flag(connection, asked=not query.replaced)
            found.append(query)
        return changed

    change_part(book, part, change)
    stopped = {connection for connection, _, lost in places if lost}
    for query_part in _query_parts(book):
        change_part(book, query_part, lambda root: root.get("connectionId") in stopped and _set_flag(root, asked=False))
    return found


def _set_flag(element: etree._Element, *, asked: bool) -> bool:
    """State whether something is asked on opening. Returns whether that is news."""
    if flag(element, "refreshOnLoad", default=False) == asked:
        return False
    element.set("refreshOnLoad", "1" if asked else "0")
    return True


def _query_parts(book: Workbook) -> Iterator[str]:
    for _, part in worksheets(book):
        yield from _queries_of(book, part)
        for relation in book.package.relations(part):
            if relation.kind == "table" and book.package.has(relation.target):
                yield from _queries_of(book, relation.target)


def _queries_of(book: Workbook, part: str) -> Iterator[str]:
    """The query tables (18.12) that hang on a sheet or on a table of one."""
    for relation in book.package.relations(part):
        if relation.kind == "queryTable" and not relation.outside and book.package.has(relation.target):
            yield relation.target


def _places(book: Workbook, filled: Sequence[tuple[str, Area]]) -> Iterator[tuple[str | None, str, bool]]:
    """Connection, sheet, and whether rows were put in its place, for each query table. Of one that is no table's, the
    area is known to its name alone: rows anywhere on its sheet count."""
    for entry, part in worksheets(book):
        areas = [area for sheet, area in filled if sheet.casefold() == entry.name.casefold()]
        for query in _queries_of(book, part):
            yield book.package.root(query).get("connectionId"), entry.name, bool(areas)
        for relation in book.package.relations(part):
            if relation.kind == "table" and book.package.has(relation.target):
                for query in _queries_of(book, relation.target):
                    lost = _meets(book, relation.target, areas)
                    yield book.package.root(query).get("connectionId"), entry.name, lost


def _meets(book: Workbook, table: str, areas: Collection[Area]) -> bool:
    name = book.package.root(table).get("displayName", "").casefold()
    _, known = book.tables().get(name, ("", None))
    return known is not None and any(known.area.overlaps(area) for area in areas)
