"""What stands around a sheet's cells (ECMA-376 Part 1, 18.3.1) after a change: areas and formulas follow."""

from __future__ import annotations

from lxml import etree

from tinquire.cells.address import Area, area_name, cell_name, parse_area, parse_cell
from tinquire.cells.shifting import Moves
from tinquire.formula.language.reference_changes import ReferenceChange
from tinquire.packages.xml import children, local, remove_attribute, tag
from tinquire.workbook.parts.frame_change import FORMULAS, FrameChange, area_list, area_list_text
from tinquire.workbook.parts.page_setup import follow_breaks
from tinquire.workbook.parts.rules import follow_newer_rule, follow_rule

__all__ = ["SHEET_ORDER", "follow_frame"]

#: Children of a worksheet in the order of the schema (18.3.1.99).
SHEET_ORDER = (
    "sheetPr", "dimension", "sheetViews", "sheetFormatPr", "cols", "sheetData", "sheetCalcPr", "sheetProtection",
    "protectedRanges", "scenarios", "autoFilter", "sortState", "dataConsolidate", "customSheetViews", "mergeCells",
    "phoneticPr", "conditionalFormatting", "dataValidations", "hyperlinks", "printOptions", "pageMargins",
    "pageSetup", "headerFooter", "rowBreaks", "colBreaks", "customProperties", "cellWatches", "ignoredErrors",
    "smartTags", "drawing", "legacyDrawing", "legacyDrawingHF", "picture", "oleObjects", "controls",
    "webPublishItems", "tableParts", "extLst",
)  # fmt: skip
#: Elements whose area goes, and they with it; their parents count them.
_ONE_AREA = frozenset({"mergeCell", "hyperlink", "inputCells", "cellWatch", "sortCondition"})
_AREA_LISTS = frozenset({"conditionalFormatting", "dataValidation", "protectedRange", "ignoredError"})
#: Elements whose area shrinks or goes while they stay or go alone.
_FRAME_AREAS = frozenset({"dimension", "autoFilter", "sortState"})


def follow_frame(root: etree._Element, home: str, following: ReferenceChange, shift: Moves | None = None) -> bool:
    """Let a sheet's frame follow a change; `shift` moves its columns, breaks and panes. True if anything changed."""
    change = FrameChange(home, following, shift)
    for element in list(root):
        _follow(change, element)
    if shift is not None:
        _shift_lines(change, root)
    return change.changed


def _follow(change: FrameChange, element: etree._Element) -> None:
    """An element and all within it, the inner ones last: rules read their formulas from where their area was."""
    name = local(element)
    if name == "sheetData":
        return
    sqref = next((item for item in element if local(item) == "sqref"), None)
    if sqref is not None:  # the newer rules (extension lists) name their area after their formulas
        follow_newer_rule(change, element, sqref)
        return
    if name in _ONE_AREA or name in _FRAME_AREAS:
        _follow_area(change, element)
    elif name in _AREA_LISTS:
        follow_rule(change, element)
        return
    elif name in ("selection", "sheetView", "pane"):
        _follow_view(change, element)
    elif name in FORMULAS:
        change.follow_formula(element)
    if (location := element.get("location")) is not None and name == "hyperlink":
        change.set(element, "location", change.following.formula(location, change.home))
    for inner in list(element):
        _follow(change, inner)


def _follow_area(change: FrameChange, element: etree._Element) -> None:
    name = "r" if element.get("ref") is None else "ref"
    text = element.get(name)
    if text is None:
        return
    area = parse_area(text)
    moved = change.following.area(area, change.home)
    if moved is None and local(element) == "dimension":
        moved = Area(1, 1, 1, 1)
    alone = local(element) == "mergeCell" and moved is not None and moved.height == moved.width == 1
    if moved is None or alone:
        change.drop(element)
    elif moved != area:
        change.set(element, name, area_name(moved))


def _follow_view(change: FrameChange, element: etree._Element) -> None:
    """Where the reader was is kept as well as it can be."""
    for name in ("topLeftCell", "activeCell"):
        text = element.get(name)
        if text is not None:
            row, column = parse_cell(text)
            moved = change.following.area(Area(row, column, row, column), change.home)
            if moved is not None:
                change.set(element, name, cell_name(moved.top, moved.left))
    if local(element) == "selection" and element.get("sqref") is not None:
        areas = area_list(element.get("sqref", ""))
        moved_areas = change.moved(areas)
        change.set(element, "sqref", area_list_text(moved_areas) or element.get("activeCell", "A1"))


def _shift_lines(change: FrameChange, root: etree._Element) -> None:
    """Columns' widths (18.3.1.17), page breaks (18.3.1.3, .74) and frozen panes move with their lines."""
    assert change.shift is not None
    if not change.shift.rows:
        for group in children(root, "cols"):
            _shift_columns(change, group)
    for group in children(root, "rowBreaks" if change.shift.rows else "colBreaks"):
        follow_breaks(change, group)
    for pane in root.iter(tag(root, "pane")):
        _shift_pane(change, pane)


def _shift_columns(change: FrameChange, group: etree._Element) -> None:
    assert change.shift is not None
    for column in children(group, "col"):
        first, last = int(column.get("min", "1")), int(column.get("max", "1"))
        # Columns that are put in look like the one before them.
        span = change.shift.span(first, last) if first > 1 or last < change.shift.last else (first, last)
        if span is not None and change.shift.fresh and last == change.shift.fresh.start - 1:
            span = (span[0], min(change.shift.fresh.stop - 1, change.shift.last))
        if span is None:
            change.drop(column)
        elif span != (first, last):
            change.set(column, "min", str(span[0]))
            change.set(column, "max", str(span[1]))


def _shift_pane(change: FrameChange, pane: etree._Element) -> None:
    """Frozen lines (18.3.1.66): the split counts lines, so it grows and shrinks with them."""
    assert change.shift is not None
    name = "ySplit" if change.shift.rows else "xSplit"
    if pane.get("state") not in ("frozen", "frozenSplit") or pane.get(name) is None:
        return
    split = int(float(pane.get(name, "0")))
    span = change.shift.span(1, split) if split else None
    if span is None:
        remove_attribute(pane, name)
        change.changed = True
    else:
        change.set(pane, name, str(span[1]))
