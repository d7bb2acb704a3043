"""What stands around a sheet's cells (ECMA-376 Part 1, 18.3.1) after a change: areas and formulas follow."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.address import Area, area_name, cell_name, parse_area, parse_cell
from tinquire.cells.shifting import Moves
from tinquire.formula.mentions import offset_text
from tinquire.packages.xml import children, local, tag, without
from tinquire.workbook.edits.following import Following

__all__ = ["area_list", "area_list_text", "followed_frame", "lost_lines"]

#: Elements whose area goes, and they with it; their parents count them.
_ONE_AREA = frozenset({"mergeCell", "hyperlink", "inputCells", "cellWatch", "sortCondition"})
_AREA_LISTS = frozenset({"conditionalFormatting", "dataValidation", "protectedRange", "ignoredError"})
#: Elements whose area shrinks or goes while they stay or go alone.
_FRAME_AREAS = frozenset({"dimension", "autoFilter", "sortState"})
_FORMULAS = frozenset({"formula", "formula1", "formula2", "f"})


def area_list(text: str) -> list[Area]:
    """The areas of a list with blanks between (18.18.76), whole rows and columns too. Raises ValueError."""
    return [parse_area(one) for one in text.split()]


def area_list_text(areas: list[Area]) -> str:
    return " ".join(area_name(area) for area in areas)


def lost_lines(area: Area, shift: Moves) -> tuple[int, int]:
    """How many rows and columns an area loses at its start: formulas that are written for its first cell are written
    for the first that is left."""
    if shift.rows:
        return (shift.survivor(area.top, area.bottom) or area.top) - area.top, 0
    return 0, (shift.survivor(area.left, area.right) or area.left) - area.left


def followed_frame(root: etree._Element, home: str, following: Following, shift: Moves | None = None) -> bool:
    """Let a sheet's frame follow a change; `shift` moves its columns, breaks and panes. True if anything changed."""
    frame = _Frame(home, following, shift)
    for element in list(root):
        frame.follow(element)
    if shift is not None:
        frame.shift_lines(root)
    return frame.changed


class _Frame:
    def __init__(self, home: str, following: Following, shift: Moves | None) -> None:
        self.home = home
        self.following = following
        self.shift = shift
        self.changed = False

    def follow(self, element: etree._Element) -> None:
        """An element and all within it, the inner ones last: rules read their formulas from where their area was."""
        name = local(element)
        if name == "sheetData":
            return
        sqref = next((one for one in element if local(one) == "sqref"), None)
        if sqref is not None:  # the newer rules (extension lists) name their area behind their formulas
            self._extended(element, sqref)
            return
        if name in _ONE_AREA or name in _FRAME_AREAS:
            self._one_area(element)
        elif name in _AREA_LISTS:
            self._area_list(element)
            return
        elif name in ("selection", "sheetView", "pane"):
            self._view(element)
        elif name in _FORMULAS:
            self._formula(element, 0, 0)
        if (location := element.get("location")) is not None and name == "hyperlink":
            self._set(element, "location", self.following.formula(location, self.home))
        for inner in list(element):
            self.follow(inner)

    def _set(self, element: etree._Element, name: str, value: str) -> None:
        if element.get(name) != value:
            element.set(name, value)
            self.changed = True

    def _drop(self, element: etree._Element) -> None:
        """Take an element out, and its parent when it was the last there; the parent's count follows."""
        parent = element.getparent()
        assert parent is not None
        parent.remove(element)
        self.changed = True
        if not len(parent) and parent.getparent() is not None:
            self._drop(parent)
        elif parent.get("count") is not None:
            parent.set("count", str(len(parent)))

    def _one_area(self, element: etree._Element) -> None:
        name = "r" if element.get("ref") is None else "ref"
        text = element.get(name)
        if text is None:
            return
        area = parse_area(text)
        moved = self.following.area(area, self.home)
        if moved is None and local(element) == "dimension":
            moved = Area(1, 1, 1, 1)
        alone = local(element) == "mergeCell" and moved is not None and moved.height == moved.width == 1
        if moved is None or alone:
            self._drop(element)
        elif moved != area:
            self._set(element, name, area_name(moved))

    def _area_list(self, element: etree._Element) -> None:
        areas = area_list(element.get("sqref", ""))
        moved = [fresh for area in areas if (fresh := self.following.area(area, self.home)) is not None]
        if areas and not moved:
            self._drop(element)
            return
        self._rules(element, areas)
        if moved != areas:
            self._set(element, "sqref", area_list_text(moved))

    def _extended(self, element: etree._Element, sqref: etree._Element) -> None:
        areas = area_list(sqref.text or "")
        moved = [fresh for area in areas if (fresh := self.following.area(area, self.home)) is not None]
        if areas and not moved:
            self._drop(element)
            return
        self._rules(element, areas)
        if moved != areas:
            sqref.text = area_list_text(moved)
            self.changed = True

    def _rules(self, element: etree._Element, areas: list[Area]) -> None:
        """The formulas of rules over areas: they are written as the first cell of the areas reads them."""
        rows = columns = 0
        if areas and self.shift is not None:
            whole = Area(
                min(area.top for area in areas), min(area.left for area in areas),
                max(area.bottom for area in areas), max(area.right for area in areas),
            )  # fmt: skip
            rows, columns = lost_lines(whole, self.shift)
        for inner in element.iter():
            name = local(inner)
            if name in _FORMULAS:
                self._formula(inner, rows, columns)
            elif name == "cfvo" and (value := inner.get("val")) is not None:
                self._set(inner, "val", self.following.formula(value, self.home))

    def _formula(self, element: etree._Element, rows: int, columns: int) -> None:
        text = element.text or ""
        fresh = self.following.formula(offset_text(text, rows, columns), self.home)
        if fresh != text:
            element.text = fresh
            self.changed = True

    def _view(self, element: etree._Element) -> None:
        """Where the reader was is kept as well as it can be."""
        for name in ("topLeftCell", "activeCell"):
            text = element.get(name)
            if text is not None:
                row, column = parse_cell(text)
                moved = self.following.area(Area(row, column, row, column), self.home)
                if moved is not None:
                    self._set(element, name, cell_name(moved.top, moved.left))
        if local(element) == "selection" and element.get("sqref") is not None:
            areas = area_list(element.get("sqref", ""))
            moved_areas = [fresh for area in areas if (fresh := self.following.area(area, self.home)) is not None]
            self._set(element, "sqref", area_list_text(moved_areas) or element.get("activeCell", "A1"))

    # -- lines -----------------------------------------------------------------------------------------

    def shift_lines(self, root: etree._Element) -> None:
        """Columns' widths (18.3.1.17), page breaks (18.3.1.3, .74) and frozen panes move with their lines."""
        assert self.shift is not None
        if not self.shift.rows:
            for group in children(root, "cols"):
                self._columns(group)
        for group in children(root, "rowBreaks" if self.shift.rows else "colBreaks"):
            self._breaks(group)
        for pane in root.iter(tag(root, "pane")):
            self._pane(pane)

    def _columns(self, group: etree._Element) -> None:
        assert self.shift is not None
        for column in children(group, "col"):
            first, last = int(column.get("min", "1")), int(column.get("max", "1"))
            # Columns that are put in look like the one before them.
            span = self.shift.span(first, last) if first > 1 or last < self.shift.last else (first, last)
            if span is not None and self.shift.fresh and last == self.shift.fresh.start - 1:
                span = (span[0], min(self.shift.fresh.stop - 1, self.shift.last))
            if span is None:
                self._drop(column)
            elif span != (first, last):
                self._set(column, "min", str(span[0]))
                self._set(column, "max", str(span[1]))

    def _breaks(self, group: etree._Element) -> None:
        """A break stands behind the line it names."""
        assert self.shift is not None
        for one in children(group, "brk"):
            behind = int(one.get("id", "0")) + 1
            moved = self.shift.line(behind)
            if moved is None or moved == 1:
                manual = one.get("man") in ("1", "true")
                self._drop(one)
                if manual and group.get("manualBreakCount") is not None:
                    group.set("manualBreakCount", str(int(group.get("manualBreakCount", "1")) - 1))
            else:
                self._set(one, "id", str(moved - 1))

    def _pane(self, pane: etree._Element) -> None:
        """Frozen lines (18.3.1.66): the split counts lines, so it grows and shrinks with them."""
        assert self.shift is not None
        name = "ySplit" if self.shift.rows else "xSplit"
        if pane.get("state") not in ("frozen", "frozenSplit") or pane.get(name) is None:
            return
        split = int(float(pane.get(name, "0")))
        span = self.shift.span(1, split) if split else None
        if span is None:
            without(pane, name)
            self.changed = True
        else:
            self._set(pane, name, str(span[1]))
