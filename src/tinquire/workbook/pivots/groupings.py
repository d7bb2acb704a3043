"""Groups of a field's items (ECMA-376 Part 1, 18.10.1.38 to .40): bands of numbers, spans of time, and sets made by
hand."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Protocol, TypeAlias

import numpy as np
from lxml import etree
from numpy.typing import NDArray

from tinquire.cells.column import Column, Kind
from tinquire.cells.dates import date_parts
from tinquire.cells.display import general, show
from tinquire.cells.values import Value
from tinquire.formula.engine.conversions import number_from_text
from tinquire.packages.xml import child, children, flag

__all__ = ["DAY_FORMATS", "Codes", "Grouping", "Spread", "read_grouping", "spread"]

Codes: TypeAlias = NDArray[np.int64]

#: Days before each month of a leap year.
_BEFORE_MONTH = np.cumsum([0, 31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30])
#: Spellings of days in labels, such as those of the first and last group, by which a file's own is recognised.
DAY_FORMATS = ("m/d/yyyy", "d/m/yyyy", "dd/mm/yyyy", "mm/dd/yyyy", "dd.mm.yyyy", "d.m.yyyy", "yyyy-mm-dd",
               "dd-mm-yyyy", "d-m-yyyy", "yyyy/mm/dd", "yyyy/m/d")  # fmt: skip
#: More groups than this are no groups.
_MOST = 100_000


@dataclass(frozen=True, slots=True)
class Grouping:
    """How groups are made: of field `base`; `by` is 'range' for bands, a span of time, or 'sets'."""

    base: int
    by: str
    start: float = 0.0
    end: float = 0.0
    interval: float = 1.0
    start_follows: bool = True
    end_follows: bool = True
    sets: tuple[int, ...] = ()


@dataclass(frozen=True)
class Spread:
    """The groups, the group of every row, and the grouping with the bounds that it has now."""

    items: tuple[Value, ...]
    codes: Codes
    grouping: Grouping


def read_grouping(element: etree._Element, number: int) -> Grouping:
    """A field's grouping (18.10.1.38)."""
    base = int(element.get("base", str(number)))
    ranges = child(element, "rangePr")
    if ranges is None:
        sets = tuple(int(one.get("v", "0")) for one in children(child(element, "discretePr"), "x"))
        return Grouping(base, "sets", sets=sets)
    by = ranges.get("groupBy", "range")
    names = ("startNum", "endNum") if by == "range" else ("startDate", "endDate")
    start, end = (_bound(ranges.get(name)) for name in names)
    return Grouping(
        base, by, start, end, float(ranges.get("groupInterval", "1")),
        flag(ranges, "autoStart", True), flag(ranges, "autoEnd", True),
    )  # fmt: skip


def _bound(text: str | None) -> float:
    if text is None:
        return 0.0
    found = number_from_text(text.replace("T", " ").removesuffix("Z"))
    return 0.0 if found is None else found


class Base(Protocol):
    """The field that groups are of."""

    @property
    def values(self) -> Column | None: ...
    @property
    def items(self) -> tuple[Value, ...]: ...
    @property
    def codes(self) -> Codes: ...
    @property
    def kept(self) -> Mapping[int, int] | None: ...


def spread(grouping: Grouping, groups: Sequence[Value], base: Base) -> Spread:
    """Groups of rows; `groups` are those that there were. Raises ValueError for values that cannot be grouped."""
    if grouping.by == "sets":
        return _sets(grouping, groups, base)
    values = base.values
    if values is None:
        raise ValueError("groups of groups by time or number are not reckoned")
    is_number = values.kinds == Kind.NUMBER
    if not bool((is_number | (values.kinds == Kind.BLANK)).all()):
        raise ValueError("a text stands among values that are grouped by time or number")
    numbers = values.numbers
    known = numbers[is_number]
    if not len(known):
        return Spread(tuple(groups), np.zeros(len(values), np.int64), grouping)
    lowest, highest = float(known.min()), float(known.max())
    time = grouping.by != "range"
    now = replace(
        grouping,
        start=(math.floor(lowest) if time else lowest) if grouping.start_follows else grouping.start,
        end=(math.floor(highest) + 1 if time else highest) if grouping.end_follows else grouping.end,
    )
    made, places = _bands(grouping, now, groups, numbers) if not time else _spans(grouping, now, groups, numbers)
    below = numbers < now.start
    above = numbers >= now.end if time else numbers > now.end
    places = np.where(below, 0, np.where(above, len(made) - 1, places))
    return Spread(tuple(made), np.where(is_number, places, 0), now)


def _sets(grouping: Grouping, groups: Sequence[Value], base: Base) -> Spread:
    """Sets put together by hand; an item that belongs to none is one by itself."""
    where = {old: old for old in range(len(base.items))} if base.kept is None else base.kept
    of = {where[old]: group for old, group in enumerate(grouping.sets) if old in where}
    made = list(groups)
    for place, value in enumerate(base.items):
        if place not in of:
            of[place] = len(made)
            made.append(value)
    table = np.array([of[place] for place in range(len(base.items))], np.int64)
    codes = table[base.codes] if len(table) else np.zeros(0, np.int64)
    return Spread(tuple(made), codes, replace(grouping, sets=tuple(table.tolist())))


def _bands(before: Grouping, now: Grouping, groups: Sequence[Value], numbers: NDArray[np.float64]) -> tuple[
    list[Value], Codes
]:  # fmt: skip
    step = now.interval
    if step <= 0:
        raise ValueError("its bands have no width")
    whole = all(float(one).is_integer() for one in (now.start, step)) and (
        len(groups) < 2 or groups[1] == f"{general(before.start)}-{general(before.start + before.interval - 1)}"
    )
    count = max(1, math.floor((now.end - now.start) / step) + 1 if whole else math.ceil((now.end - now.start) / step))
    if count > _MOST:
        raise ValueError("its bands are too many")
    edges = [now.start + step * index for index in range(count + 1)]
    inside = [f"{general(low)}-{general(high - 1 if whole else high)}" for low, high in pairwise(edges)]
    places = np.clip(np.floor((numbers - now.start) / step), 0, count - 1).astype(np.int64) + 1
    return [f"<{general(now.start)}", *inside, f">{general(edges[-1] if whole else now.end)}"], places


def _spans(before: Grouping, now: Grouping, groups: Sequence[Value], numbers: NDArray[np.float64]) -> tuple[
    list[Value], Codes
]:  # fmt: skip
    day = _day_format(before, groups)
    parts = date_parts(np.maximum(numbers, 0.0))
    inside: list[Value] = list(groups[1:-1])
    seconds = np.rint((numbers - np.floor(numbers)) * 86400).astype(np.int64)
    match now.by:
        case "years":
            start, end = (int(date_parts(np.array([one])).year[0]) for one in (now.start, max(now.end - 1, now.start)))
            inside = [str(year) for year in range(start, end + 1)]
            places = parts.year - start
        case "quarters":
            places = (parts.month - 1) // 3
        case "months":
            places = parts.month - 1
        case "days" if now.interval > 1:
            count = math.ceil((now.end - now.start) / now.interval)
            if count > _MOST:
                raise ValueError("its groups of days are too many")
            first = [now.start + now.interval * index for index in range(count)]
            inside = [f"{show(one, day).text} - {show(one + now.interval - 1, day).text}" for one in first]
            places = np.floor((numbers - now.start) / now.interval)
        case "days":
            places = _BEFORE_MONTH[parts.month.astype(np.int64) - 1] + parts.day - 1
        case "hours":
            places = (seconds // 3600).astype(np.float64)
        case "minutes":
            places = (seconds // 60 % 60).astype(np.float64)
        case "seconds":
            places = (seconds % 60).astype(np.float64)
        case other:
            raise ValueError(f"groups by '{other}' are not known")
    codes = np.clip(np.asarray(places, np.float64), 0, max(len(inside) - 1, 0)).astype(np.int64) + 1
    return [f"<{show(now.start, day).text}", *inside, f">{show(now.end, day).text}"], codes


def _day_format(before: Grouping, groups: Sequence[Value]) -> str:
    """How the file writes the days in its first group."""
    stated = str(groups[0]).lstrip("<") if groups else ""
    return next((code for code in DAY_FORMATS if show(before.start, code).text == stated), DAY_FORMATS[0])
