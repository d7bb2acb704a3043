"""Rules of cells in words: what may be entered in them (18.3.1.33), and when they take another look (18.3.1.10)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

__all__ = ["entry_in_words", "mark_in_words"]

#: Comparisons (18.18.15 and 18.18.20) with the bounds in their places.
_COMPARED = {
    "between": "between {} and {}", "notBetween": "not between {} and {}", "equal": "equal to {}",
    "notEqual": "not equal to {}", "greaterThan": "greater than {}", "lessThan": "less than {}",
    "greaterThanOrEqual": "at least {}", "lessThanOrEqual": "at most {}",
}  # fmt: skip
#: Kinds of rules (18.18.12) that need no more than a word.
_PLAIN = {
    "uniqueValues": "values that stand once", "duplicateValues": "values that stand more than once",
    "containsBlanks": "blanks", "notContainsBlanks": "all but blanks", "containsErrors": "errors",
    "notContainsErrors": "all but errors", "colorScale": "a scale of colours", "dataBar": "bars by value",
    "iconSet": "icons by value",
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
_ENTRIES = {
    "whole": "whole numbers", "decimal": "numbers", "date": "days", "time": "times", "textLength": "texts of a length",
}  # fmt: skip


def mark_in_words(kind: str, formulas: Sequence[str], settings: Mapping[str, str]) -> str:
    """When a mark's look applies; `settings` are the attributes of its rule."""
    if kind in _PLAIN:
        return _PLAIN[kind]
    if kind == "cellIs":
        return _compared(settings.get("operator", "equal"), formulas)
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


def entry_in_words(kind: str, operator: str, formulas: Sequence[str]) -> str:
    """What may be entered."""
    if kind == "list" and formulas:
        return f"one of {formulas[0]}"
    if kind == "custom" and formulas:
        return f"what makes {formulas[0]} true"
    if kind in _ENTRIES and formulas:
        return f"{_ENTRIES[kind]} {_compared(operator, formulas)}"
    return "anything, with a hint" if kind == "none" else _ENTRIES.get(kind, kind)


def _compared(operator: str, formulas: Sequence[str]) -> str:
    words = _COMPARED.get(operator, operator + " {}")
    return words.format(*(*formulas, "?", "?")[: words.count("{}")])


def _on(settings: Mapping[str, str], name: str, default: str = "0") -> bool:
    return settings.get(name, default) in ("1", "true")
