"""Marks (ECMA-376 Part 1, 18.3.1.10 and .18) read from a sheet's part, and written into one."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from lxml import etree

from tinquire.cells.address import Area
from tinquire.looks.palette import rgb
from tinquire.packages.xml import child, children, escape_attribute, escape_formula
from tinquire.workbook.grid.marks import SIGN_SETS, Bars, Mark, Scale, Signs, Threshold
from tinquire.workbook.parts.frame_change import area_list, area_list_text

__all__ = ["marks_markup", "read_marks"]

ColourOf = Callable[[etree._Element | None], str | None]
_SETTINGS = (
    "operator", "text", "rank", "percent", "bottom", "aboveAverage", "equalAverage", "stdDev", "timePeriod",
)  # fmt: skip


def _rgb(element: etree._Element | None) -> str | None:
    return None if element is None else rgb(element.get("rgb"))


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
    inside = "".join(f"<formula>{escape_formula(text)}</formula>" for text in mark.formulas)
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
