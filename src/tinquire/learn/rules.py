"""Marks and entry rules of a list in the words of amendments and dockets."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tinquire.base.wording import listed
from tinquire.cells.address import Area, area_name
from tinquire.learn.details import mark_look
from tinquire.learn.dress import look_keys
from tinquire.learn.lists import SheetList
from tinquire.learn.terms import Terms
from tinquire.workbook import Workbook
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark

__all__ = ["Place", "entry_words", "mark_said", "mark_words"]

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


@dataclass(frozen=True)
class Place:
    """The sheet whose rules are spoken of, and how its formulas are said over headings."""

    book: Workbook
    name: str
    terms: Terms


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


def mark_words(place: Place, other: SheetList, mark: Mark) -> dict[str, Any] | None:
    """A mark in the words of amendments; None for one that they cannot say."""
    on, at = _columns(other, mark.areas), _apart(other, mark.areas)
    condition = None if on is None and at is None else _condition(place, other, mark)
    if condition is None:
        return None
    whole = on is not None and len(on) == len(other.headings) and "where" in condition
    keys: dict[str, Any] = {} if whole else {"on": on} if on is not None else {"at": at}
    keys.update(condition)
    look = mark_look(place.book, mark)
    if look is not None:
        said = look_keys(look)
        if said is None:
            return None
        keys["look"] = said
    if mark.stop:
        keys["stop"] = True
    return keys


def _condition(place: Place, other: SheetList, mark: Mark) -> dict[str, Any] | None:
    settings = mark.settings
    if mark.kind == "expression" and len(mark.formulas) == 1:
        text = _over_headings(place, other, mark.formulas[0], mark.areas[0])
        return None if text is None else {"where": text}
    if mark.kind == "cellIs":
        return _bounds(place, other, settings.get("operator", "equal"), mark.formulas, mark.areas[0])
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
    place: Place, other: SheetList, operator: str, formulas: Sequence[str], area: Area
) -> dict[str, Any] | None:  # fmt: skip
    """A comparison with one bound or two, each a number, or a formula over headings."""
    if operator == "between" and len(formulas) >= 2:
        bounds = [_bound(place, other, text, area) for text in formulas[:2]]
        return None if None in bounds else {"between": bounds}
    if operator not in _OPERATORS or not formulas:
        return None
    bound: Any
    text = formulas[0]
    if operator in ("equal", "notEqual") and text.startswith('"') and text.endswith('"'):
        bound = text[1:-1].replace('""', '"')
    else:
        bound = _bound(place, other, text, area)
    return None if bound is None else {_OPERATORS[operator]: bound}


def _bound(place: Place, other: SheetList, text: str, area: Area) -> float | str | None:
    try:
        number = float(text)
    except ValueError:
        return _over_headings(place, other, text, area)
    return int(number) if number.is_integer() else number


def _over_headings(place: Place, other: SheetList, text: str, area: Area) -> str | None:
    """A rule's formula over headings, as its first cell reads it; None for one that reads other rows."""
    found, whole = place.terms.general(text, place.name, area.top, other)
    return found if whole and "rows[" not in found else None


def mark_said(keys: Mapping[str, Any]) -> str:
    said = [
        f"{key.replace('_', ' ')} {value}" if key != "on" else f"on {listed([repr(name) for name in value])}"
        for key, value in keys.items()
        if key != "look" and value is not True
    ]
    said += [key for key, value in keys.items() if value is True]
    return ", ".join(said)


# -- entry rules -------------------------------------------------------------------------------------------


def entry_words(place: Place, other: SheetList, rule: EntryRule) -> dict[str, Any] | None:
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
        text = _over_headings(place, other, rule.formulas[0], rule.areas[0]) or ""
        if not text:
            return None
        keys["where"] = text
    else:
        bounds = _bounds(place, other, rule.operator, rule.formulas, rule.areas[0])
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
