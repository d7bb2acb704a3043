"""What `show` says of a workbook beside its cells: charts, pivots, rules, links, other workbooks, what is only kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import asdict
from typing import Any

from tinquire.cells import Area, area_name, column_name
from tinquire.cells.address import cell_name, quoted_sheet
from tinquire.workbook import Workbook
from tinquire.workbook.calc.entries import broken_rules
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.inspect.contents import BookDetails, Hidden, SheetDetails
from tinquire.workbook.parts.charts import ChartOnSheet
from tinquire.workbook.parts.pivots import PivotTable
from tinquire.workbook.pivots.caches import caches_of
from tinquire.workbook.pivots.stale import staleness

__all__ = ["WorkbookContents"]

#: More areas than this are counted instead.
_LISTED = 3


class WorkbookContents:
    """The details of some sheets, set out in lines or as an answer for programs."""

    def __init__(self, book: Workbook, sheets: Sequence[SheetDetails]) -> None:
        self.book = BookDetails(book)
        self.sheets = sheets

    def answer(self) -> dict[str, Any]:
        return {
            "beside cells": [_plain(asdict(sheet)) for sheet in self.sheets],
            "other workbooks": [asdict(item) for item in self.book.outside],
            "macros": self.book.macros,
            "notes": list(self.book.notes),
            "kept": list(self.book.kept),
        }

    def lines(self) -> Iterator[tuple[str, str]]:
        """Labels and texts; a label stands at the first of its lines only."""
        groups: dict[str, list[str]] = {}
        for sheet in self.sheets:
            for label, text in _of_sheet(sheet):
                groups.setdefault(label, []).append(text)
            groups.setdefault("entries", []).extend(self._broken(sheet))
        groups["stale"] = list(self._stale())
        pages: dict[str, list[str]] = {}
        for sheet in self.sheets:
            if text := _page(sheet.page):
                pages.setdefault(text, []).append(quoted_sheet(sheet.name))
        groups["pages"] = [f"{', '.join(positions)}: {text}" for text, positions in pages.items()]
        groups.setdefault("outside", []).extend(
            f"[{item.number}] {item.target}, read by formulas and never opened" for item in self.book.outside
        )
        if self.book.macros:
            groups["macros"] = ["a program, kept and never run"]
        groups["workbook"] = list(self.book.notes)
        kept = groups.pop("kept", []) + [f"the workbook's {kind}" for kind in self.book.kept]
        groups["kept"] = [f"{text}: not understood, and left as it is" for text in kept]
        for label, texts in groups.items():
            for number, text in enumerate(texts):
                yield label if number == 0 else "", text

    def _stale(self) -> Iterator[str]:
        """Pivots that hold other rows than their source has now."""
        book, shown = self.book.book, {sheet.name for sheet in self.sheets if sheet.pivots}
        for cache in caches_of(book) if shown else ():
            own = [one for one in cache.pivots if one.sheet in shown]
            if own and (says := staleness(book, cache)) is not None:
                names = _few([f"'{book.package.root(one.part).get('name', '')}'" for one in own])
                yield f"{names}: {says}"

    def _broken(self, sheet: SheetDetails) -> Iterator[str]:
        """Cells that hold what their entry rules would not let in."""
        if not sheet.validations:
            return
        book = self.book.book
        for broken in broken_rules(book, book.sheet(sheet.name), sheet.validations):
            cells = _few([cell_name(*cell) for cell in broken.cells])
            told = f"cannot be evaluated: {broken.why}" if broken.why else f"is broken by {cells}"
            yield f"{quoted_sheet(sheet.name)}: the rule of {_areas(broken.rule.areas)} {told}"


def _clicked(sheet: SheetDetails) -> Iterator[tuple[str, str]]:
    """Filters that people click."""
    for one in sheet.clicked:
        off = [text for text, on in one.buttons if not on]
        over = _few([f"'{name}'" for name in one.pivots])
        says = f"'{one.caption}', {_count(len(one.buttons), 'button')} over {over}" + (
            f"; off: {_few(off)}" if off else ""
        )
        yield "buttons", f"{_at(quoted_sheet(sheet.name), one.area)}: {says}"


def _of_sheet(sheet: SheetDetails) -> Iterator[tuple[str, str]]:
    sheet_name = quoted_sheet(sheet.name)
    for chart in sheet.charts:
        yield "charts", f"{_at(sheet_name, chart.area)}: {_chart(chart)}"
    for picture in sheet.pictures:
        yield "pictures", f"{_at(sheet_name, picture.area)}: {picture.says or picture.name or picture.part}"
    for pivot in sheet.pivots:
        yield "pivots", f"{_at(sheet_name, pivot.area)}: {_pivot(pivot)}"
    yield from _clicked(sheet)
    marks: dict[tuple[Area, ...], list[str]] = {}
    for mark in sorted(sheet.marks, key=lambda mark: mark.priority):
        marks.setdefault(mark.areas, []).append(mark.words)
    if marks:
        told = (f"{_areas(areas)} ({'; '.join(words)})" for areas, words in marks.items())
        yield "marks", f"{sheet_name}: " + ", ".join(told)
    if sheet.validations:
        kinds = (f"{_areas(validation.areas)} ({validation.words})" for validation in sheet.validations)
        yield "entries", f"{sheet_name}: " + ", ".join(kinds)
    if hidden := "; ".join(_hidden(sheet.hidden)):
        yield "hidden", f"{sheet_name}: {hidden}"
    if sheet.comments:
        cells = [comment.cell for comment in sheet.comments]
        yield "comments", f"{sheet_name}: " + _few(cells)
    outside = sum(link.outside for link in sheet.links)
    kinds_of_links = ((outside, "to addresses outside"), (len(sheet.links) - outside, "within the workbook"))
    if sheet.links:
        yield "links", f"{sheet_name}: " + ", ".join(f"{count:,} {says}" for count, says in kinds_of_links if count)
    if sheet.protected:
        yield "protected", sheet_name
    if any(sheet.outline):
        yield "outline", f"{sheet_name}: {sheet.outline[0]} levels of rows, {sheet.outline[1]} of columns"
    for kept in sheet.kept:
        yield "kept", f"{sheet_name}: {kept}"


def _at(place: str, area: Area | None) -> str:
    return place if area is None else f"{place}!{area_name(area)}"


def _chart(chart: ChartOnSheet) -> str:
    kinds = " and ".join(kind.removesuffix("Chart").removesuffix("3D") for kind in chart.kinds) or "chart"
    values = _few([drawn.values for drawn in chart.cells if drawn.values])
    return (f"'{chart.title}', " if chart.title else "") + kinds + (f" of {values}" if values else "")


def _pivot(pivot: PivotTable) -> str:
    pieces = [f"'{pivot.name}' of {pivot.source}"]
    stands = (("by", pivot.down), ("across", pivot.across), ("values", pivot.values), ("filtered", pivot.filters))
    pieces += [f"{word} {_few(names)}" for word, names in stands if names]
    pieces += [f"{name} = {chosen}" for name, chosen in pivot.above]
    return "; ".join(pieces)


def _areas(areas: Sequence[Area]) -> str:
    return _few([area_name(area) for area in areas])


def _few(items: Sequence[str]) -> str:
    rest = len(items) - _LISTED
    return ", ".join(items[:_LISTED]) + (f" and {rest:,} more" if rest > 0 else "")


def _count(number: int, one: str, many: str | None = None) -> str:
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def _hidden(hidden: Hidden) -> Iterator[str]:
    """The lines that are not shown."""
    if hidden.rows:
        count = sum(last - first + 1 for first, last in hidden.rows)
        spelled = _few([f"{first:,}" if first == last else f"{first:,} to {last:,}" for first, last in hidden.rows])
        yield f"row{'' if count == 1 else 's'} {spelled}" + (", by a filter" if hidden.filtered else "")
    if hidden.columns:
        runs = [(column_name(first), column_name(last)) for first, last in hidden.columns]
        spelled = _few([first if first == last else f"{first} to {last}" for first, last in runs])
        yield f"column{'' if runs[0][0] == runs[-1][1] else 's'} {spelled}"


def _page(page: PageSetup) -> str:
    """What is set of the pages, beyond what every file states."""
    pieces = []
    if page.orientation == "landscape":
        pieces.append("landscape")
    if page.fit is not None:
        across, down = page.fit
        pieces.append("fitted to " + " and ".join(
            f"{_count(number, 'page')} {way}" for number, way in ((across, "across"), (down, "down")) if number
        ))  # fmt: skip
    elif page.scale != 100:
        pieces.append(f"at {page.scale} %")
    breaks = len(page.row_breaks) + len(page.column_breaks)
    if breaks:
        pieces.append(_count(breaks, "break"))
    return ", ".join(pieces)


def _plain(value: Any) -> Any:
    """Areas as text, for the answer."""
    if isinstance(value, Area):
        return area_name(value)
    if isinstance(value, dict):
        return {key: _plain(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plain(item) for item in value]
    return value
