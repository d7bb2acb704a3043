"""Marks, entry rules, filters, outlines, and how a sheet is seen and printed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import TYPE_CHECKING, Any

from tinquire.base.wording import listed
from tinquire.cells.address import cell_name, column_name
from tinquire.learn.details import comparable_mark, filter_area, row_levels, rule_key
from tinquire.learn.lists import SheetList
from tinquire.learn.rules import Place, entry_words, mark_said, mark_words
from tinquire.looks.pages import PAPERS
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.inspect.contents import BookDetails

if TYPE_CHECKING:
    from tinquire.learn.find_list import ListFinder

__all__ = ["outfit_steps", "rule_steps"]

_INCH = 25.4


def _details(finder: ListFinder):  # type: ignore[no-untyped-def]
    """What the sheet has beside its cells, now and after."""
    finder.session.work.settle()
    books = BookDetails(finder.session.work), BookDetails(finder.session.after)
    return books, tuple(details.sheet(finder.name) for details in books)


def rule_steps(finder: ListFinder, other: SheetList) -> None:
    """Marks, entry rules, filter and outline of a list."""
    books, (was, now) = _details(finder)
    place = Place(finder.session.after, finder.name, finder.terms)
    had = {comparable_mark(books[0].book, mark) for mark in was.marks}
    for mark in sorted(now.marks, key=lambda one: one.priority):
        if comparable_mark(books[1].book, mark) not in had:
            keys = mark_words(place, other, mark)
            if keys is not None:
                heading = {} if "at" in keys else {"heading": other.headings[0]}
                finder.do({**heading, "marks": [keys]}, f"a mark: {mark_said(keys)}", other.height)
    rules = {rule_key(rule) for rule in was.validations}
    for rule in now.validations:
        if rule_key(rule) not in rules:
            keys = entry_words(place, other, rule)
            if keys is not None and "at" in keys:
                finder.do({"entries": [keys]}, f"an entry rule in {keys['at']}: {rule.words}", 1)
            elif keys is not None:
                says = f"an entry rule for {listed([repr(name) for name in keys['on']])}: {rule.words}"
                finder.do({"heading": other.headings[0], "entries": [keys]}, says, other.height)
    before, wanted = filter_area(was, finder.old), filter_area(now, finder.new)
    if before != wanted:
        there = now.filter is not None or any(table.filter for table in finder.new.tables)
        says = "filter buttons in the heading" if there else "no filter buttons"
        finder.do({"heading": other.headings[0], "filter": there}, says, len(other.headings))
    _outline(finder, other)


def outfit_steps(finder: ListFinder, other: SheetList | None) -> None:
    """How the sheet is seen, protected and printed."""
    old, new = finder.old, finder.new
    if new.frozen != old.frozen:
        keys, says = _frozen(other, *new.frozen)
        finder.do(keys, says, 1)
    if hidden := sorted(new.hidden_columns - old.hidden_columns):
        known = dict(zip(other.below.columns, other.headings, strict=True)) if other is not None else {}
        names = [known.get(column, column_name(column)) for column in hidden]
        finder.do({"hide_columns": names}, f"hidden: {listed([repr(name) for name in names])}", len(names))
    if new.gridlines != old.gridlines:
        says = "the grid is shown" if new.gridlines else "the grid is not shown"
        finder.do({"grid_lines": new.gridlines}, says, 1)
    _, (was, now) = _details(finder)
    if was.zoom != now.zoom:
        finder.do({"zoom": now.zoom}, f"zoom {now.zoom} %", 1)
    if was.tab != now.tab and now.tab is not None:
        finder.do({"tab": f"#{now.tab}"}, f"its tab is #{now.tab}", 1)
    if was.protected != now.protected:
        finder.do({"protect": now.protected}, "protected" if now.protected else "not protected", 1)
    if was.page != now.page and (page := _page(was.page, now.page)):
        said = ", ".join(f"{key.replace('_', ' ')} {value}" for key, value in page.items())
        finder.do({"page": page}, f"printed with {said}", 1)
    if new.state != old.state:
        keys = {"sheet": finder.name, "hide_sheet": new.state != "visible"}
        finder.session.do(keys, f"the sheet '{finder.name}' is {'hidden' if keys['hide_sheet'] else 'shown'}", 1)


def _frozen(other: SheetList | None, rows: int, columns: int) -> tuple[dict[str, Any], str]:
    """Below the headings and behind a column where that is what is frozen; else by the first cell that moves."""
    cell = cell_name(rows + 1, columns + 1)
    if other is None or rows != other.head:
        return {"freeze": cell}, f"frozen above and left of {cell}"
    heading = other.headed(columns) if columns else None
    if not columns:
        return {"heading": other.headings[0], "freeze": "headings"}, "the headings are frozen"
    if heading is None:
        return {"freeze": cell}, f"frozen above and left of {cell}"
    return {"heading": heading, "freeze": f"[{heading}]"}, f"the headings are frozen, and the columns up to '{heading}'"


# -- outline -----------------------------------------------------------------------------------------------


def _outline(finder: ListFinder, other: SheetList) -> None:
    """Groups of rows: by a heading whose value they share, or as they are."""
    was, now = row_levels(finder.session.work, finder.name), row_levels(finder.session.after, finder.name)
    if was == now or set(now.values()) - {1}:
        return
    runs = list(_runs(sorted(now)))
    folded = any(first in finder.new.hidden_rows for first, _ in runs)
    extra: dict[str, Any] = {"collapsed": True} if folded else {}
    places = {row: place for place, row in enumerate(other.rows)}
    for heading in other.headings:
        values = [
            {other.values[heading][places[row]] for row in range(first, last + 1) if row in places}
            for first, last in runs
        ]
        if all(len(found) == 1 and None not in found for found in values):
            if finder.do({"outline": {"by": heading, **extra}}, f"rows grouped by '{heading}'", len(now)):
                return
            break
    spans = [f"{first}:{last}" for first, last in runs]
    keys = {"sheet": finder.name, "heading": other.headings[0], "outline": {"rows": spans, **extra}}
    finder.session.do(keys, f"rows grouped: {', '.join(spans)}", len(now))


def _runs(rows: Sequence[int]) -> Iterator[tuple[int, int]]:
    for _, group in groupby(enumerate(rows), key=lambda pair: pair[1] - pair[0]):
        found = [row for _, row in group]
        yield found[0], found[-1]


# -- pages -------------------------------------------------------------------------------------------------


def _page(was: PageSetup, now: PageSetup) -> dict[str, Any]:
    """What of a page's set-up became another, of what an amendment can say."""
    papers = {number: name for name, number in PAPERS.items()}
    keys: dict[str, Any] = {}
    if now.orientation not in (was.orientation, "default"):
        keys["landscape"] = now.orientation == "landscape"
    if was.paper != now.paper and now.paper in papers:
        keys["paper"] = papers[now.paper]
    if was.fit != now.fit and now.fit is not None:
        keys["fit"] = list(now.fit)
    elif was.scale != now.scale and now.fit is None:
        keys["scale"] = now.scale
    if was.margins != now.margins and now.margins:
        keys["margins"] = [round(inches * _INCH, 3) for inches in now.margins]
    if was.gridlines != now.gridlines:
        keys["grid_lines"] = now.gridlines
    if was.centred != now.centred:
        keys["centre"] = {(True, True): "both", (True, False): "across", (False, True): "down"}.get(now.centred, "no")
    return keys
