"""Whether a sheet's marks and entry rules are as the standard has them (ECMA-376 Part 1, 18.3.1.10, .18, .32, .33)."""

from __future__ import annotations

from collections.abc import Iterator

from lxml import etree

from tinquire.formula import FormulaError, parse
from tinquire.packages.xml import child, children, grandchildren, local
from tinquire.workbook.grid.marks import SIGN_SETS
from tinquire.workbook.parts.frame_change import area_list

__all__ = ["rule_faults"]

#: Kinds of marks (18.18.12), and how many formulas each has at least.
_MARKS = {
    "expression": 1, "cellIs": 1, "colorScale": 0, "dataBar": 0, "iconSet": 0, "top10": 0, "uniqueValues": 0,
    "duplicateValues": 0, "containsText": 0, "notContainsText": 0, "beginsWith": 0, "endsWith": 0,
    "containsBlanks": 0, "notContainsBlanks": 0, "containsErrors": 0, "notContainsErrors": 0, "timePeriod": 0,
    "aboveAverage": 0,
}  # fmt: skip
#: Kinds of entry rules (18.18.21).
_ENTRIES = {"none", "whole", "decimal", "list", "date", "time", "textLength", "custom"}


def rule_faults(root: etree._Element, partials: int) -> Iterator[str]:
    """What is wrong with the rules of a sheet; `partials` is the number of differential styles."""
    for group in children(root, "conditionalFormatting"):
        yield from _areas(group, "marks")
        for rule in children(group, "cfRule"):
            yield from _mark(rule, partials)
    for rules in children(root, "dataValidations"):
        stated, count = rules.get("count"), len(children(rules, "dataValidation"))
        if stated is not None and stated != str(count):
            yield f"a count is wrong: dataValidations says {stated} and has {count}"
    for rule in grandchildren(root, "dataValidations", "dataValidation"):
        yield from _areas(rule, "an entry rule")
        if rule.get("type", "none") not in _ENTRIES:
            yield f"an entry rule's kind is not known: '{rule.get('type')}'"
        yield from _formulas(rule, "an entry rule")


def _areas(element: etree._Element, what: str) -> Iterator[str]:
    try:
        areas = area_list(element.get("sqref", ""))
    except ValueError:
        yield f"the areas of {what} cannot be read: '{element.get('sqref')}'"
        return
    if not areas:
        yield f"{what} stand over no cells: ''"


def _mark(rule: etree._Element, partials: int) -> Iterator[str]:
    kind = rule.get("type", "")
    if kind not in _MARKS:
        yield f"a mark's kind is not known: '{kind}'"
        return
    if len(children(rule, "formula")) < _MARKS[kind]:
        yield f"a mark lacks its formula: {kind}"
    look = rule.get("dxfId")
    if look is not None and int(look) >= partials:
        yield f"a mark points past the differential styles: {look}"
    if int(rule.get("priority", "0")) < 1:
        yield f"a mark has no priority: {kind}"
    drawn = {"colorScale": (2, "color"), "dataBar": (2, "color"), "iconSet": (3, "")}.get(kind)
    if drawn is not None:
        inside = child(rule, kind)
        steps = children(inside, "cfvo")
        wanted = SIGN_SETS.get(inside.get("iconSet", "3TrafficLights1"), 0) if inside is not None else 0
        colours = len(children(inside, drawn[1])) if drawn[1] else 0
        fits = {"colorScale": colours == len(steps), "dataBar": colours == 1, "iconSet": len(steps) == wanted}[kind]
        if len(steps) < drawn[0] or not fits:
            yield f"a mark's thresholds are not as its kind asks: {kind}"
    yield from _formulas(rule, "a mark")


def _formulas(rule: etree._Element, what: str) -> Iterator[str]:
    for item in rule:
        if local(item) in ("formula", "formula1", "formula2"):
            try:
                parse(item.text or "")
            except FormulaError as error:
                yield f"the formula of {what} cannot be read: '{item.text or ''}', {error.faults[0].why}"
