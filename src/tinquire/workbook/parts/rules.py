"""Rules of cells: what may be entered in them (18.3.1.33), and when they take another look (18.3.1.10)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from lxml import etree

from tinquire.cells.address import Area
from tinquire.packages.xml import child, children, local
from tinquire.workbook.grid.marks import comparison_in_words
from tinquire.workbook.parts.frame_change import FORMULAS, FrameChange, area_list, area_list_text, lost_lines

__all__ = ["Validation", "entry_in_words", "follow_newer_rule", "follow_rule", "read_validations"]


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


def read_validations(frame: etree._Element) -> Iterator[Validation]:
    for element in children(child(frame, "dataValidations"), "dataValidation"):
        formulas = tuple(item.text or "" for item in element if local(item) in ("formula1", "formula2"))
        areas = tuple(area_list(element.get("sqref", "")))
        yield Validation(areas, element.get("type", "none"), element.get("operator", "between"), formulas)


_ENTRIES = {
    "whole": "whole numbers", "decimal": "numbers", "date": "days", "time": "times", "textLength": "texts of a length",
}  # fmt: skip


def entry_in_words(kind: str, operator: str, formulas: Sequence[str]) -> str:
    """What may be entered."""
    if kind == "list" and formulas:
        return f"one of {formulas[0]}"
    if kind == "custom" and formulas:
        return f"what makes {formulas[0]} true"
    if kind in _ENTRIES and formulas:
        return f"{_ENTRIES[kind]} {comparison_in_words(operator, formulas)}"
    return "anything, with a prompt" if kind == "none" else _ENTRIES.get(kind, kind)


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
