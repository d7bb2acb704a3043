"""Marks: rules by which cells take another look (ECMA-376 Part 1, 18.3.1.10 and .18), read and written."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from lxml import etree

from tinquire.cells.address import Area
from tinquire.packages.xml import child, children, escape_attribute, escape_text
from tinquire.workbook.parts.frame_change import area_list, area_list_text

__all__ = ["SIGN_SETS", "Bars", "Mark", "Scale", "Signs", "Threshold", "mark_in_words", "marks_markup", "read_marks"]

ColourOf = Callable[[etree._Element | None], str | None]


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


_SETTINGS = (
    "operator", "text", "rank", "percent", "bottom", "aboveAverage", "equalAverage", "stdDev", "timePeriod",
)  # fmt: skip
#: Sets of signs (18.18.42) and how many each has.
SIGN_SETS = {
    "3Arrows": 3, "3ArrowsGray": 3, "3Flags": 3, "3TrafficLights1": 3, "3TrafficLights2": 3, "3Signs": 3,
    "3Symbols": 3, "3Symbols2": 3, "4Arrows": 4, "4ArrowsGray": 4, "4RedToBlack": 4, "4Rating": 4,
    "4TrafficLights": 4, "5Arrows": 5, "5ArrowsGray": 5, "5Rating": 5, "5Quarters": 5,
}  # fmt: skip


def _rgb(element: etree._Element | None) -> str | None:
    return None if element is None else (element.get("rgb") or "")[-6:].upper() or None


def read_marks(frame: etree._Element, colour_of: ColourOf = _rgb) -> Iterator[Mark]:
    """The marks of a sheet; `colour_of` gives the RGB of a colour element."""
    for group in children(frame, "conditionalFormatting"):
        areas = tuple(area_list(group.get("sqref", "")))
        for rule in children(group, "cfRule"):
            look = rule.get("dxfId")
            yield Mark(
                areas, rule.get("type", ""), tuple(item.text or "" for item in children(rule, "formula")),
                int(rule.get("priority", "0")), None if look is None else int(look),
                rule.get("stopIfTrue") in ("1", "true"),
                {name: value for name in _SETTINGS if (value := rule.get(name)) is not None},
                _scale(child(rule, "colorScale"), colour_of), _bars(child(rule, "dataBar"), colour_of),
                _signs(child(rule, "iconSet")),
            )  # fmt: skip


def _thresholds(element: etree._Element) -> tuple[Threshold, ...]:
    return tuple(
        Threshold(item.get("type", "num"), item.get("val", ""), item.get("gte", "1") in ("1", "true"))
        for item in children(element, "cfvo")
    )


def _scale(element: etree._Element | None, colour_of: ColourOf) -> Scale | None:
    if element is None:
        return None
    thresholds = _thresholds(element)
    colours = tuple(colour_of(item) or "FFFFFF" for item in children(element, "color"))
    return Scale(thresholds, colours) if len(thresholds) == len(colours) >= 2 else None


def _bars(element: etree._Element | None, colour_of: ColourOf) -> Bars | None:
    if element is None:
        return None
    thresholds = _thresholds(element)
    if len(thresholds) != 2:
        return None
    colour = colour_of(child(element, "color")) or "808080"
    shortest, longest = int(element.get("minLength", "10")), int(element.get("maxLength", "90"))
    return Bars(*thresholds, colour, shortest, longest, element.get("showValue", "1") in ("1", "true"))


def _signs(element: etree._Element | None) -> Signs | None:
    if element is None:
        return None
    name, thresholds = element.get("iconSet", "3TrafficLights1"), _thresholds(element)
    if SIGN_SETS.get(name) != len(thresholds):
        return None
    return Signs(
        name, thresholds, element.get("reverse") in ("1", "true"), element.get("showValue", "1") in ("1", "true")
    )


# -- written ---------------------------------------------------------------------------------------------


def marks_markup(marks: Sequence[Mark]) -> str:
    """The elements of marks, those over the same areas together, in the order of their priorities."""
    groups: dict[tuple[Area, ...], list[Mark]] = {}
    for mark in sorted(marks, key=lambda mark: mark.priority):
        groups.setdefault(mark.areas, []).append(mark)
    return "".join(
        f'<conditionalFormatting sqref="{area_list_text(list(areas))}">{"".join(map(_markup, own))}'
        "</conditionalFormatting>"
        for areas, own in groups.items()
    )


def _markup(mark: Mark) -> str:
    given = {"type": mark.kind, "dxfId": None if mark.look is None else str(mark.look), "priority": str(mark.priority)}
    given |= {"stopIfTrue": "1" if mark.stop else None, **mark.settings}
    stated = "".join(f' {name}="{escape_attribute(value)}"' for name, value in given.items() if value is not None)
    inside = "".join(f"<formula>{escape_text(text)}</formula>" for text in mark.formulas)
    if mark.scale is not None:
        colours = "".join(f'<color rgb="FF{colour}"/>' for colour in mark.scale.colours)
        inside += f"<colorScale>{_steps(mark.scale.thresholds)}{colours}</colorScale>"
    if mark.bars is not None:
        bars = mark.bars
        attributes = f' minLength="{bars.shortest}" maxLength="{bars.longest}"' + ' showValue="0"' * (
            not bars.shows_value
        )
        inside += f'<dataBar{attributes}>{_steps((bars.low, bars.high))}<color rgb="FF{bars.colour}"/></dataBar>'
    if mark.signs is not None:
        signs = mark.signs
        attributes = ' showValue="0"' * (not signs.shows_value) + ' reverse="1"' * signs.reverse
        inside += f'<iconSet iconSet="{signs.name}"{attributes}>{_steps(signs.thresholds)}</iconSet>'
    return f"<cfRule{stated}>{inside}</cfRule>"


def _steps(thresholds: Sequence[Threshold]) -> str:
    return "".join(
        f'<cfvo type="{one.kind}"'
        + (f' val="{escape_attribute(one.value)}"' if one.value else "")
        + ("" if one.at_least else ' gte="0"')
        + "/>"
        for one in thresholds
    )


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
