"""Which rows a pivot shows (ECMA-376 Part 1, 18.10.1.34, 18.18.58): those of items that are not hidden, that are
chosen, and that pass the filters of labels and values."""

from __future__ import annotations

import fnmatch
import math
import re
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.dates import date_parts
from tinquire.cells.display import general
from tinquire.cells.values import Value
from tinquire.formula.engine.conversions import number_from_text
from tinquire.workbook.pivots.definition import Filter
from tinquire.workbook.pivots.ordering import sort_key

__all__ = ["BEST", "best_of", "is_known", "is_of_days", "label_test", "value_test"]

_COMPARED: Mapping[str, Callable[[int], bool]] = {
    "Equal": lambda sign: sign == 0,
    "NotEqual": lambda sign: sign != 0,
    "GreaterThan": lambda sign: sign > 0,
    "GreaterThanOrEqual": lambda sign: sign >= 0,
    "LessThan": lambda sign: sign < 0,
    "LessThanOrEqual": lambda sign: sign <= 0,
    "NewerThan": lambda sign: sign > 0,
    "NewerThanOrEqual": lambda sign: sign >= 0,
    "OlderThan": lambda sign: sign < 0,
    "OlderThanOrEqual": lambda sign: sign <= 0,
}
#: Tests of a label's text, each with its opposite by 'Not' before it.
_TEXTS = {"Equal": "{}", "BeginsWith": "{}*", "EndsWith": "*{}", "Contains": "*{}*"}
#: Filters of the best or least by a data field's values: so many, that share of the sum, or up to that sum.
BEST = ("count", "percent", "sum")
#: Filters of days of a month or quarter of any year, and of days as they lie to today, each with what it counts. Weeks
#: are not among them: on which day one begins is not said.
_OF_ANY_YEAR = {**{f"M{n}": (1, n) for n in range(1, 13)}, **{f"Q{n}": (3, n) for n in range(1, 5)}}
_DAYS = {"yesterday": -1, "today": 0, "tomorrow": 1}
_BESIDE = re.compile("(last|this|next)(Month|Quarter|Year)")
_STEPS = {"last": -1, "this": 0, "next": 1}
_MONTHS = {"Month": 1, "Quarter": 3, "Year": 12}


def is_known(one: Filter, *, dated: bool) -> bool:
    """Whether a filter is one that can be worked out; `dated` when it is known which day today is."""
    if one.kind in BEST:
        return one.data is not None
    if one.kind in _OF_ANY_YEAR:
        return True
    if _is_near(one.kind):
        return dated
    for start in ("caption", "date", "value"):
        if one.kind.startswith(start):
            rest = one.kind[len(start) :]
            known = rest in _COMPARED or rest.removeprefix("Not") in _TEXTS or rest in ("Between", "NotBetween")
            return known and (start != "value" or one.data is not None)
    return False


def is_of_days(kind: str) -> bool:
    """Whether a filter is about days, whatever their labels."""
    return kind.startswith("date") or kind in _OF_ANY_YEAR or _is_near(kind)


def _is_near(kind: str) -> bool:
    return kind in _DAYS or kind == "yearToDate" or _BESIDE.fullmatch(kind) is not None


def label_test(one: Filter, today: float | None) -> Callable[[Value], bool]:
    """Whether an item with a label, or of a day, is shown. `today` is the serial of that day."""
    if (near := _day_test(one.kind, today)) is not None:
        return lambda value: isinstance(value, float) and near(value)
    kind = one.kind.removeprefix("caption").removeprefix("date")
    if kind in ("Between", "NotBetween"):
        wanted = kind == "Between"
        return lambda value: (_sign(value, one.first) >= 0 and _sign(value, one.second) <= 0) == wanted
    plain = kind.removeprefix("Not")
    if plain in _TEXTS and not one.kind.startswith("date"):
        pattern = _TEXTS[plain].format(one.first.replace("[", "[[]")).casefold()
        wanted = not kind.startswith("Not")
        return lambda value: fnmatch.fnmatchcase(_text(value).casefold(), pattern) == wanted
    compared = _COMPARED[kind]
    return lambda value: compared(_sign(value, one.first))


def _day_test(kind: str, today: float | None) -> Callable[[float], bool] | None:
    """Whether a day is of a month or quarter, or as near to today as a filter asks."""
    if kind in _OF_ANY_YEAR:
        months, wanted = _OF_ANY_YEAR[kind]
        return lambda day: (_month(day) % 12) // months == wanted - 1
    if today is None:
        return None
    if kind in _DAYS:
        return lambda day: math.floor(day) - math.floor(today) == _DAYS[kind]
    now = _month(today)
    if kind == "yearToDate":
        return lambda day: _month(day) // 12 == now // 12 and math.floor(day) <= math.floor(today)
    if (beside := _BESIDE.fullmatch(kind)) is None:
        return None
    step, count = _STEPS[beside[1]], _MONTHS[beside[2]]
    return lambda day: _month(day) // count - now // count == step


def _month(day: float) -> float:
    """The number of a day's month since the year 0; not a number when there is no such day."""
    parts = date_parts(np.array([day]))
    return float(parts.year[0] * 12 + parts.month[0] - 1)


def _text(value: Value) -> str:
    return "" if value is None else general(value) if isinstance(value, float) else str(value)


def _sign(value: Value, stated: str) -> int:
    """How a label compares with a filter's: numbers and days as such, all else as texts."""
    number = number_from_text(stated.replace("T", " ").removesuffix("Z"))
    other: Value = number if number is not None and isinstance(value, float) else stated
    left, right = sort_key(value), sort_key(other)
    return (left > right) - (left < right)


def value_test(one: Filter) -> Callable[[NDArray[np.float64]], NDArray[np.bool_]]:
    """Which values pass a filter. Raises ValueError for bounds that are no numbers."""
    kind = one.kind.removeprefix("value")
    first = _number(one.first)
    if kind in ("Between", "NotBetween"):
        second = _number(one.second)
        return lambda values: ((values >= first) & (values <= second)) == (kind == "Between")
    compared = _COMPARED[kind]
    signs = {sign: compared(sign) for sign in (-1, 0, 1)}
    return lambda values: np.where(values > first, signs[1], np.where(values < first, signs[-1], signs[0])).astype(bool)


def _number(text: str) -> float:
    found = number_from_text(text)
    if found is None:
        raise ValueError(f"a filter of values has the bound '{text}'")
    return found


def best_of(one: Filter, values: NDArray[np.float64], there: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which of some groups are shown as the best (or least) of them; equal ones stand and fall together."""
    shown = np.zeros(len(values), bool)
    places = np.flatnonzero(there)
    if not len(places):
        return shown
    order = places[np.argsort(values[places] if one.lowest else -values[places], kind="stable")]
    ranked = values[order]
    if one.kind == "count":
        last = min(max(int(one.amount), 0), len(order)) - 1
    else:
        wanted = one.amount if one.kind == "sum" else float(ranked.sum()) * one.amount / 100
        reached = np.cumsum(ranked)
        enough = np.flatnonzero(reached >= wanted - abs(wanted) * 1e-12)
        last = int(enough[0]) if len(enough) else len(order) - 1
    if last < 0 or math.isnan(one.amount):
        return shown
    shown[order[: last + 1]] = True
    shown[there & (values == ranked[last])] = True
    return shown
