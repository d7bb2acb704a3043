"""Marks, entry rules, filters, outlines, and how a sheet is seen and printed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby
from typing import TYPE_CHECKING, Any

from tinquire.base.wording import listed
from tinquire.cells.address import Area, area_name, cell_name, column_name
from tinquire.learn.details import comparable_mark, filter_area, mark_look, row_levels, rule_key
from tinquire.learn.dress import look_keys
from tinquire.learn.lists import SheetList
from tinquire.looks.pages import PAPERS
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.inspect.contents import BookDetails

if TYPE_CHECKING:
    from tinquire.learn.find_list import ListFinder

__all__ = ["outfit_steps", "rule_steps"]

#: Comparisons (18.18.15) in the words of marks and entry rules.
_OPERATORS = {
    "greaterThan": "above", "greaterThanOrEqual": "at_least", "lessThan": "below", "lessThanOrEqual": "at_most",
    "equal": "equal", "notEqual": "unequal",
}  # fmt: skip
_TEXTS = {"containsText": "contains", "beginsWith": "begins", "endsWith": "ends"}
_PLAIN = {"containsBlanks": "blank", "containsErrors": "error", "duplicateValues": "repeated", "uniqueValues": "unique"}
_TIMES = {
    "today": "today", "yesterday": "yesterday", "tomorrow": "tomorrow", "last7Days": "last seven days",
    "thisWeek": "this week", "lastWeek": "last week", "nextWeek": "next week", "thisMonth": "this month",
    "lastMonth": "last month", "nextMonth": "next month",
}  # fmt: skip
_SIGNS = {
    "3Arrows": "arrows",
    "3TrafficLights1": "lights",
    "3Flags": "flags",
    "5Rating": "ratings",
    "5Quarters": "quarters",
}
_KINDS = {"whole": "whole", "decimal": "number", "date": "date", "time": "time", "textLength": "length"}
_SEVERITIES = {"stop": "stop", "warning": "warn", "information": "tell"}
_INCH = 25.4


def _details(finder: ListFinder):  # type: ignore[no-untyped-def]
    """What the sheet has beside its cells, now and after."""
    finder.session.work.settle()
    books = BookDetails(finder.session.work), BookDetails(finder.session.after)
    return books, tuple(details.sheet(finder.name) for details in books)


def rule_steps(finder: ListFinder, other: SheetList) -> None:
    """Marks, entry rules, filter and outline of a list."""
    books, (was, now) = _details(finder)
    had = {comparable_mark(books[0].book, mark) for mark in was.marks}
    for mark in sorted(now.marks, key=lambda one: one.priority):
        if comparable_mark(books[1].book, mark) not in had:
            keys = _mark(finder, other, mark)
            if keys is not None:
                place = {} if "at" in keys else {"heading": other.headings[0]}
                finder.do({**place, "marks": [keys]}, f"a mark: {_mark_said(keys)}", other.height)
    rules = {rule_key(rule) for rule in was.validations}
    for rule in now.validations:
        if rule_key(rule) not in rules:
            keys = _entry(finder, other, rule)
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


# -- marks -------------------------------------------------------------------------------------------------


def _columns(other: SheetList, areas: Sequence[Area]) -> list[str] | None:
    """The headings of areas that are all rows of some columns; None for other areas."""
    names = []
    for area in areas:
        if (area.top, area.bottom) != (other.rows[0], other.rows[-1]):
            return None
        found = [other.headed(column) for column in range(area.left, area.right + 1)]
        if None in found:
            return None
        names += [str(name) for name in found]
    return names


def _apart(other: SheetList, areas: Sequence[Area]) -> str | None:
    """An area that lies apart from the list; None for several, and for one that meets it."""
    if len(areas) != 1:
        return None
    area, columns = areas[0], other.below.columns
    beside = area.right < min(columns) or area.left > max(columns)
    return area_name(area) if beside or area.bottom < other.head else None


def _mark(finder: ListFinder, other: SheetList, mark: Mark) -> dict[str, Any] | None:
    """A mark in the words of amendments; None for one that they cannot say."""
    on, at = _columns(other, mark.areas), _apart(other, mark.areas)
    condition = None if on is None and at is None else _condition(finder, other, mark)
    if condition is None:
        return None
    whole = on is not None and len(on) == len(other.headings) and "where" in condition
    keys: dict[str, Any] = {} if whole else {"on": on} if on is not None else {"at": at}
    keys.update(condition)
    look = mark_look(finder.session.after, mark)
    if look is not None:
        said = look_keys(look)
        if said is None:
            return None
        keys["look"] = said
    if mark.stop:
        keys["stop"] = True
    return keys


def _condition(finder: ListFinder, other: SheetList, mark: Mark) -> dict[str, Any] | None:
    settings = mark.settings
    if mark.kind == "expression" and len(mark.formulas) == 1:
        text = _over_headings(finder, other, mark.formulas[0], mark.areas[0])
        return None if text is None else {"where": text}
    if mark.kind == "cellIs":
        return _bounds(finder, other, settings.get("operator", "equal"), mark.formulas, mark.areas[0])
    if mark.kind in _TEXTS:
        return {_TEXTS[mark.kind]: settings.get("text", "")}
    if mark.kind in _PLAIN:
        return {_PLAIN[mark.kind]: True}
    if mark.kind == "top10":
        key = "smallest" if mark.on("bottom") else "largest"
        return {key: int(settings.get("rank", "10")), **({"percent": True} if mark.on("percent") else {})}
    if mark.kind == "aboveAverage" and settings.get("stdDev", "0") == "0":
        side = "above" if mark.on("aboveAverage", True) else "below"
        return {"average": f"at or {side}" if mark.on("equalAverage") else side}
    if mark.kind == "timePeriod":
        return {"time": _TIMES[settings["timePeriod"]]} if settings.get("timePeriod") in _TIMES else None
    return _drawn(mark)


def _drawn(mark: Mark) -> dict[str, Any] | None:
    if mark.scale is not None:
        return {"scale": [f"#{colour}" for colour in mark.scale.colours]}
    if mark.bars is not None:
        return {"bars": f"#{mark.bars.colour}"}
    if mark.signs is not None and mark.signs.name in _SIGNS:
        limits = [limit for limit in mark.signs.thresholds[1:] if limit.kind == "num"]
        keys: dict[str, Any] = {"signs": _SIGNS[mark.signs.name]}
        return {**keys, "limits": [float(limit.value) for limit in limits]} if limits else keys
    return None


def _bounds(
    finder: ListFinder, other: SheetList, operator: str, formulas: Sequence[str], area: Area
) -> dict[str, Any] | None:  # fmt: skip
    """A comparison with one bound or two, each a number, or a formula over headings."""
    if operator == "between" and len(formulas) >= 2:
        bounds = [_bound(finder, other, text, area) for text in formulas[:2]]
        return None if None in bounds else {"between": bounds}
    if operator not in _OPERATORS or not formulas:
        return None
    bound: Any
    text = formulas[0]
    if operator in ("equal", "notEqual") and text.startswith('"') and text.endswith('"'):
        bound = text[1:-1].replace('""', '"')
    else:
        bound = _bound(finder, other, text, area)
    return None if bound is None else {_OPERATORS[operator]: bound}


def _bound(finder: ListFinder, other: SheetList, text: str, area: Area) -> float | str | None:
    try:
        number = float(text)
    except ValueError:
        return _over_headings(finder, other, text, area)
    return int(number) if number.is_integer() else number


def _over_headings(finder: ListFinder, other: SheetList, text: str, area: Area) -> str | None:
    """A rule's formula over headings, as its first cell reads it; None for one that reads other rows."""
    found, whole = finder.terms.general(text, finder.name, area.top, other)
    return found if whole and "rows[" not in found else None


def _mark_said(keys: Mapping[str, Any]) -> str:
    said = [
        f"{key.replace('_', ' ')} {value}" if key != "on" else f"on {listed([repr(name) for name in value])}"
        for key, value in keys.items()
        if key != "look" and value is not True
    ]
    said += [key for key, value in keys.items() if value is True]
    return ", ".join(said)


# -- entry rules -------------------------------------------------------------------------------------------


def _entry(finder: ListFinder, other: SheetList, rule: EntryRule) -> dict[str, Any] | None:
    on, at = _columns(other, rule.areas), _apart(other, rule.areas)
    if (on is None and at is None) or not rule.formulas:
        return None
    keys: dict[str, Any] = {"on": on} if on is not None else {"at": at}
    if rule.kind == "list":
        text = rule.formulas[0]
        if text.startswith('"'):
            keys["one_of"] = [word.strip() for word in text.strip('"').replace('""', '"').split(",")]
        else:
            keys["one_of"] = text
    elif rule.kind == "custom":
        text = _over_headings(finder, other, rule.formulas[0], rule.areas[0]) or ""
        if not text:
            return None
        keys["where"] = text
    else:
        bounds = _bounds(finder, other, rule.operator, rule.formulas, rule.areas[0])
        if bounds is None or rule.kind not in _KINDS:
            return None
        keys |= {"kind": _KINDS[rule.kind], **bounds}
    if not rule.blank:
        keys["blank"] = False
    if rule.severity != "stop":
        keys["otherwise"] = _SEVERITIES.get(rule.severity, "stop")
    if rule.prompt[1]:
        keys["prompt"] = rule.prompt[1]
    if rule.message[1]:
        keys["message"] = rule.message[1]
    return keys


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
