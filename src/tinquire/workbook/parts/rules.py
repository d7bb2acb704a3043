"""Rules of cells: what may be entered in them (18.3.1.33), and when they take another look (18.3.1.10)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import Area
from tinquire.packages.xml import child, children, local
from tinquire.workbook.parts.frame_change import FORMULAS, FrameChange, area_list, area_list_text, lost_lines

__all__ = [
    "Mark", "Validation", "entry_in_words", "follow_newer_rule", "follow_rule", "mark_in_words", "read_marks",
    "read_validations",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Validation:
    """What may be entered in cells (18.3.1.33): `kind` is a type of 18.18.21, `formulas` its one or two bounds."""

    areas: tuple[Area, ...]
    kind: str
    operator: str
    formulas: tuple[str, ...]

    @property
    def words(self) -> str:
        return entry_in_words(self.kind, self.operator, self.formulas)


@dataclass(frozen=True, slots=True)
class Mark:
    """A rule that gives cells a look (18.3.1.10): `kind` is a type of 18.18.12; lower priority goes first."""

    areas: tuple[Area, ...]
    kind: str
    formulas: tuple[str, ...]
    priority: int
    look: int | None = None
    #: When its look applies.
    words: str = ""


def read_validations(frame: etree._Element) -> Iterator[Validation]:
    for element in children(child(frame, "dataValidations"), "dataValidation"):
        formulas = tuple(item.text or "" for item in element if local(item) in ("formula1", "formula2"))
        areas = tuple(area_list(element.get("sqref", "")))
        yield Validation(areas, element.get("type", "none"), element.get("operator", "between"), formulas)


def read_marks(frame: etree._Element) -> Iterator[Mark]:
    for group in children(frame, "conditionalFormatting"):
        areas = tuple(area_list(group.get("sqref", "")))
        for rule in children(group, "cfRule"):
            formulas = tuple(item.text or "" for item in children(rule, "formula"))
            look = rule.get("dxfId")
            priority = int(rule.get("priority", "0"))
            kind, settings = rule.get("type", ""), {str(key): str(value) for key, value in rule.attrib.items()}
            words = mark_in_words(kind, formulas, settings)
            yield Mark(areas, kind, formulas, priority, None if look is None else int(look), words)


#: Comparisons (18.18.15 and 18.18.20) with the bounds in their places.
_COMPARED = {
    "between": "between {} and {}", "notBetween": "not between {} and {}", "equal": "equal to {}",
    "notEqual": "not equal to {}", "greaterThan": "greater than {}", "lessThan": "less than {}",
    "greaterThanOrEqual": "at least {}", "lessThanOrEqual": "at most {}",
}  # fmt: skip


#: Kinds of rules (18.18.12) that need no more than a word.
_PLAIN = {
    "uniqueValues": "unique values", "duplicateValues": "repeated values",
    "containsBlanks": "blanks", "notContainsBlanks": "not blank", "containsErrors": "errors",
    "notContainsErrors": "not errors", "colorScale": "a colour scale", "dataBar": "data bars",
    "iconSet": "icons",
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
        return _comparison(settings.get("operator", "equal"), formulas)
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
        return f"{_ENTRIES[kind]} {_comparison(operator, formulas)}"
    return "anything, with a prompt" if kind == "none" else _ENTRIES.get(kind, kind)


def _comparison(operator: str, formulas: Sequence[str]) -> str:
    words = _COMPARED.get(operator, operator + " {}")
    return words.format(*(*formulas, "?", "?")[: words.count("{}")])


def _on(settings: Mapping[str, str], name: str, default: str = "0") -> bool:
    return settings.get(name, default) in ("1", "true")


def follow_rule(change: FrameChange, element: etree._Element) -> None:
    """A rule over areas (18.3.1.18, .32): it shrinks with them, and goes with the last."""
    areas = area_list(element.get("sqref", ""))
    moved = change.moved(areas)
    if areas and not moved:
        change.drop(element)
        return
    _follow_formulas(change, element, areas)
    if moved != areas:
        change.set(element, "sqref", area_list_text(moved))


def follow_newer_rule(change: FrameChange, element: etree._Element, sqref: etree._Element) -> None:
    """A rule of an extension list, which names its areas after its formulas."""
    areas = area_list(sqref.text or "")
    moved = change.moved(areas)
    if areas and not moved:
        change.drop(element)
        return
    _follow_formulas(change, element, areas)
    if moved != areas:
        sqref.text = area_list_text(moved)
        change.changed = True


def _follow_formulas(change: FrameChange, element: etree._Element, areas: list[Area]) -> None:
    """The formulas of rules over areas: they are written as the first cell of the areas reads them."""
    rows = columns = 0
    if areas and change.shift is not None:
        whole = Area(
            min(area.top for area in areas), min(area.left for area in areas),
            max(area.bottom for area in areas), max(area.right for area in areas),
        )  # fmt: skip
        rows, columns = lost_lines(whole, change.shift)
    for inner in element.iter():
        name = local(inner)
        if name in FORMULAS:
            change.follow_formula(inner, rows, columns)
        elif name == "cfvo" and (value := inner.get("val")) is not None:
            change.set(inner, "val", change.following.formula(value, change.home))
