"""Rules of cells (18.3.1.10, .33) after a change: their areas and formulas follow."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.address import Area
from tinquire.packages.xml import local
from tinquire.workbook.parts.frame_change import FORMULAS, FrameChange, area_list, area_list_text, lost_lines

__all__ = ["follow_newer_rule", "follow_rule"]


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
