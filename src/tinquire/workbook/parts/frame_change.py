"""A change on its way through what stands around a sheet's cells (ECMA-376 Part 1, 18.3.1)."""

from __future__ import annotations

from collections.abc import Sequence

from lxml import etree

from tinquire.cells.address import Area, area_name, parse_area
from tinquire.cells.shifting import Moves
from tinquire.formula.language.mentions import offset_text
from tinquire.formula.language.reference_changes import ReferenceChange
from tinquire.packages.xml import children, local

__all__ = ["FrameChange", "area_list", "area_list_text", "lost_lines"]

#: Elements that hold a formula.
FORMULAS = frozenset({"formula", "formula1", "formula2", "f"})


def area_list(text: str) -> list[Area]:
    """The areas of a list with blanks between (18.18.76), whole rows and columns too. Raises ValueError."""
    return [parse_area(item) for item in text.split()]


def area_list_text(areas: list[Area]) -> str:
    return " ".join(area_name(area) for area in areas)


def lost_lines(area: Area, shift: Moves) -> tuple[int, int]:
    """How many rows and columns an area loses at its start: formulas that are written for its first cell are written
    for the first that is left."""
    if shift.rows:
        return (shift.survivor(area.top, area.bottom) or area.top) - area.top, 0
    return 0, (shift.survivor(area.left, area.right) or area.left) - area.left


class FrameChange:
    """One change on its way through what stands around a sheet's cells; `shift` moves the sheet's own lines."""

    def __init__(self, home: str, following: ReferenceChange, shift: Moves | None) -> None:
        self.home = home
        self.following = following
        self.shift = shift
        self.changed = False

    def set(self, element: etree._Element, name: str, value: str) -> None:
        if element.get(name) != value:
            element.set(name, value)
            self.changed = True

    def drop(self, element: etree._Element) -> None:
        """Take an element out, and its parent when it was the last there; the parent's count follows."""
        parent = element.getparent()
        assert parent is not None
        parent.remove(element)
        self.changed = True
        if not len(parent) and parent.getparent() is not None:
            self.drop(parent)
        elif parent.get("count") is not None:
            parent.set("count", str(len(children(parent, local(element)))))

    def follow_formula(self, element: etree._Element, rows: int = 0, columns: int = 0) -> None:
        """A formula that was written for a cell this many rows and columns before the first that is left."""
        text = element.text or ""
        fresh = self.following.formula(offset_text(text, rows, columns), self.home)
        if fresh != text:
            element.text = fresh
            self.changed = True

    def moved(self, areas: Sequence[Area]) -> list[Area]:
        """Where areas are after the change, without those that are gone."""
        return [fresh for area in areas if (fresh := self.following.area(area, self.home)) is not None]
