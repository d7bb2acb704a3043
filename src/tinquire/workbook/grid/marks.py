"""Marks as values: rules by which cells take another look (ECMA-376 Part 1, 18.3.1.10)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from tinquire.cells.address import Area
from tinquire.formula.language.writing import write_value

__all__ = [
    "SIGN_SETS", "Bars", "Mark", "Scale", "Signs", "Threshold", "comparison_in_words", "mark_in_words",
    "own_condition",
]  # fmt: skip

#: Sets of signs (18.18.42) and how many each has.
SIGN_SETS = {
    "3Arrows": 3, "3ArrowsGray": 3, "3Flags": 3, "3TrafficLights1": 3, "3TrafficLights2": 3, "3Signs": 3,
    "3Symbols": 3, "3Symbols2": 3, "4Arrows": 4, "4ArrowsGray": 4, "4RedToBlack": 4, "4Rating": 4,
    "4TrafficLights": 4, "5Arrows": 5, "5ArrowsGray": 5, "5Rating": 5, "5Quarters": 5,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Threshold:
    """A value among those of a mark's cells (18.3.1.11): `kind` is a type of 18.18.13; with `at_least` it is met by a
    value that equals it."""

    kind: str
    value: str = ""
    at_least: bool = True


@dataclass(frozen=True, slots=True)
class Scale:
    """Fills that run from colour to colour (18.3.1.16), one for each threshold."""

    thresholds: tuple[Threshold, ...]
    colours: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Bars:
    """A bar in each cell (18.3.1.28), of a length between the shortest and the longest, in per cent of the cell."""

    low: Threshold
    high: Threshold
    colour: str
    shortest: int = 10
    longest: int = 90
    shows_value: bool = True


@dataclass(frozen=True, slots=True)
class Signs:
    """A sign in each cell (18.3.1.49) by the highest threshold that it meets; `name` is a set of 18.18.42."""

    name: str
    thresholds: tuple[Threshold, ...]
    reverse: bool = False
    shows_value: bool = True


@dataclass(frozen=True, slots=True)
class Mark:
    """A rule that gives cells a look (18.3.1.10): `kind` is a type of 18.18.12, `look` a differential style. Lower
    priority goes first; with `stop`, nothing after it counts where it holds."""

    areas: tuple[Area, ...]
    kind: str
    formulas: tuple[str, ...] = ()
    priority: int = 1
    look: int | None = None
    stop: bool = False
    #: Attributes of its kind: operator, text, rank, percent, bottom, aboveAverage, equalAverage, stdDev, timePeriod.
    settings: Mapping[str, str] = field(default_factory=dict)
    scale: Scale | None = None
    bars: Bars | None = None
    signs: Signs | None = None
    #: When its look applies.
    words: str = field(init=False, default="")

    def __post_init__(self) -> None:
        object.__setattr__(self, "words", mark_in_words(self.kind, self.formulas, self.settings))

    def on(self, name: str, default: bool = False) -> bool:
        """A setting that is yes or no."""
        return self.settings.get(name, str(int(default))) in ("1", "true")


# -- in words --------------------------------------------------------------------------------------------

#: Comparisons (18.18.15 and 18.18.20) with the bounds in their places.
COMPARED = {
    "between": "between {} and {}", "notBetween": "not between {} and {}", "equal": "equal to {}",
    "notEqual": "not equal to {}", "greaterThan": "greater than {}", "lessThan": "less than {}",
    "greaterThanOrEqual": "at least {}", "lessThanOrEqual": "at most {}",
}  # fmt: skip
#: Kinds of rules (18.18.12) that need no more than a word.
_PLAIN = {
    "uniqueValues": "unique values", "duplicateValues": "repeated values",
    "containsBlanks": "blanks", "notContainsBlanks": "not blank", "containsErrors": "errors",
    "notContainsErrors": "not errors", "colorScale": "a colour scale", "dataBar": "bars",
    "iconSet": "signs",
}  # fmt: skip
_TEXTS = {
    "containsText": "texts with {}", "notContainsText": "texts without {}", "beginsWith": "texts that begin with {}",
    "endsWith": "texts that end with {}",
}  # fmt: skip
#: Times (18.18.82).
_TIMES = {
    "today": "today", "yesterday": "yesterday", "tomorrow": "tomorrow", "last7Days": "the last seven days",
    "thisMonth": "this month", "lastMonth": "last month", "nextMonth": "next month", "thisWeek": "this week",
    "lastWeek": "last week", "nextWeek": "next week",
}  # fmt: skip


def mark_in_words(kind: str, formulas: Sequence[str], settings: Mapping[str, str]) -> str:
    """When a mark's look applies; `settings` are the attributes of its rule."""
    if kind in _PLAIN:
        return _PLAIN[kind]
    if kind == "cellIs":
        return comparison_in_words(settings.get("operator", "equal"), formulas)
    if kind in _TEXTS:
        return _TEXTS[kind].format(f"'{settings.get('text', '')}'")
    if kind == "timePeriod":
        return _TIMES.get(settings.get("timePeriod", ""), "a time")
    if kind == "top10":
        end = "smallest" if _on(settings, "bottom") else "largest"
        percent = " %" if _on(settings, "percent") else ""
        return f"the {end} {settings.get('rank', '10')}{percent}"
    if kind == "aboveAverage":
        side = "above" if _on(settings, "aboveAverage", "1") else "below"
        equal = "at or " if _on(settings, "equalAverage") else ""
        away = f" by {settings['stdDev']} standard deviations" if settings.get("stdDev", "0") != "0" else ""
        return f"{equal}{side} the average{away}"
    if kind == "expression" and formulas:
        return f"where {formulas[0]}"
    return kind or "a rule"


def comparison_in_words(operator: str, formulas: Sequence[str]) -> str:
    words = COMPARED.get(operator, operator + " {}")
    return words.format(*(*formulas, "?", "?")[: words.count("{}")])


def _on(settings: Mapping[str, str], name: str, default: str = "0") -> bool:
    return settings.get(name, default) in ("1", "true")


# -- as formulas -----------------------------------------------------------------------------------------

#: Conditions of kinds whose rule need not hold a formula; `{c}` is the cell, `{t}` the text.
_CONDITIONS = {
    "containsText": "NOT(ISERROR(SEARCH({t},{c})))", "notContainsText": "ISERROR(SEARCH({t},{c}))",
    "beginsWith": "LEFT({c},LEN({t}))={t}", "endsWith": "RIGHT({c},LEN({t}))={t}",
    "containsBlanks": "LEN(TRIM({c}))=0", "notContainsBlanks": "LEN(TRIM({c}))>0",
    "containsErrors": "ISERROR({c})", "notContainsErrors": "NOT(ISERROR({c}))",
}  # fmt: skip
#: Times of 18.18.82.
_CONDITIONS_OF_TIMES = {
    "today": "INT({c})=TODAY()", "yesterday": "INT({c})=TODAY()-1", "tomorrow": "INT({c})=TODAY()+1",
    "last7Days": "AND(TODAY()-INT({c})<=6,INT({c})<=TODAY())",
    "thisWeek": "INT({c})-WEEKDAY({c})=TODAY()-WEEKDAY(TODAY())",
    "lastWeek": "INT({c})-WEEKDAY({c})=TODAY()-WEEKDAY(TODAY())-7",
    "nextWeek": "INT({c})-WEEKDAY({c})=TODAY()-WEEKDAY(TODAY())+7",
    "thisMonth": "EOMONTH({c},0)=EOMONTH(TODAY(),0)", "lastMonth": "EOMONTH({c},0)=EOMONTH(TODAY(),-1)",
    "nextMonth": "EOMONTH({c},0)=EOMONTH(TODAY(),1)",
}  # fmt: skip


def own_condition(kind: str, settings: Mapping[str, str], cell: str) -> str | None:
    """The condition of a rule that states it by its kind and attributes, for a cell by its name; None for kinds whose
    condition is none, or is not known."""
    if kind == "timePeriod":
        form = _CONDITIONS_OF_TIMES.get(settings.get("timePeriod", ""))
        form = None if form is None else f"AND(ISNUMBER({{c}}),{form})"
    else:
        form = _CONDITIONS.get(kind)
    return None if form is None else form.format(c=cell, t=write_value(settings.get("text", "")))
