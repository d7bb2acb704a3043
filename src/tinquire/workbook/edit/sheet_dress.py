"""What lies around the cells of a sheet that was read, set anew: marks, entry rules, columns, panes, filters, outlines,
pages, protection. All else of the part stays as it was."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace

from lxml import etree

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.cells.address import Area, area_name, cell_name, quoted_sheet
from tinquire.packages.xml import child, children, insert_child, serialise_xml, tag, whole_number
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.grid.page_setup import PageSetup
from tinquire.workbook.parts.entry_rules import entry_rules_markup
from tinquire.workbook.parts.marks import marks_markup
from tinquire.workbook.parts.page_setup import fixed_area, page_markup
from tinquire.workbook.parts.sheet_frame import SHEET_ORDER
from tinquire.workbook.sheet_xml.frame_changes import edited_frame, own_column
from tinquire.workbook.sheet_xml.row_levels import with_levels
from tinquire.workbook.workbook import Workbook

__all__ = [
    "add_entry_rules", "add_marks", "group_columns", "group_rows", "hide_columns", "set_filter", "set_frozen",
    "set_pages", "set_print_lines", "set_protected", "set_tab", "set_table_filter", "set_view",
]  # fmt: skip

_PAGE_ELEMENTS = ("printOptions", "pageMargins", "pageSetup", "headerFooter")
#: The width of a column of which none is stated, in characters.
_USUAL_WIDTH = "9.140625"
_PROPERTIES_ORDER = ("tabColor", "outlinePr", "pageSetUpPr")


def _change(book: Workbook, sheet: str, change: Callable[[etree._Element], None]) -> None:
    """Change what lies around a sheet's cells. Raises AccessError where its part cannot be changed."""
    _rewrite(book, sheet, lambda data: edited_frame(data, change))


def _rewrite(book: Workbook, sheet: str, change: Callable[[bytes], bytes]) -> None:
    book.settle()
    entry = book.entry(sheet)
    if entry is None or entry.part is None:
        raise DataError(Fault("changing a sheet", f"it has no sheet '{sheet}'", book.name, "check the sheet's name"))
    try:
        book.part_changed(entry.part, change(book.package.read(entry.part)))
    except ValueError as error:
        why = f"the part of sheet '{sheet}' cannot be changed: {error}"
        raise AccessError(Fault("changing a workbook", why, book.name, "get the file again")) from None


def _elements(root: etree._Element, markup: str) -> list[etree._Element]:
    """Elements of markup in the namespace that the sheet's part uses."""
    space = etree.QName(root).namespace or ""
    return list(etree.fromstring(f'<x xmlns="{space}">{markup}</x>'))


def _insert(root: etree._Element, element: etree._Element) -> None:
    """Put an element into the place that the schema gives it (18.3.1.99), after others of its name."""
    name = etree.QName(element).localname
    later = set(SHEET_ORDER[SHEET_ORDER.index(name) + 1 :])
    places = (n for n, other in enumerate(root) if etree.QName(other).localname in later)
    root.insert(next(places, len(root)), element)


def _remove(root: etree._Element, *names: str) -> None:
    for name in names:
        for element in children(root, name):
            root.remove(element)


# -- rules -----------------------------------------------------------------------------------------------


def add_marks(book: Workbook, sheet: str, marks: Sequence[Mark]) -> None:
    """Add marks behind those that the sheet has: these keep their priority."""

    def change(root: etree._Element) -> None:
        known = [whole_number(rule.get("priority")) or 0 for rule in root.iter(tag(root, "cfRule"))]
        last = max(known, default=0)
        own = [replace(mark, priority=last + number) for number, mark in enumerate(marks, start=1)]
        for element in _elements(root, marks_markup(own)):
            _insert(root, element)

    _change(book, sheet, change)


def add_entry_rules(book: Workbook, sheet: str, rules: Sequence[EntryRule]) -> None:
    """Add entry rules to those of the sheet. Raises DataError where cells have a rule already."""

    def change(root: etree._Element) -> None:
        group = child(root, "dataValidations")
        if group is None:
            group = insert_child(root, "dataValidations", SHEET_ORDER)
        for element in _elements(root, entry_rules_markup(rules)):
            for rule in list(element):
                group.append(rule)
        group.set("count", str(len(group)))

    _change(book, sheet, change)


# -- columns and rows ------------------------------------------------------------------------------------


def _state_columns(root: etree._Element, columns: Collection[int], **attributes: str) -> None:
    """State attributes of columns; a column that is stated has a width (18.3.1.13)."""
    group = child(root, "cols")
    if group is None:
        group = insert_child(root, "cols", SHEET_ORDER)
    for number in sorted(columns):
        column = own_column(group, number)
        if column.get("width") is None:
            column.set("width", _USUAL_WIDTH)
        for name, value in attributes.items():
            column.set(name, value)


def hide_columns(book: Workbook, sheet: str, columns: Collection[int], *, hidden: bool = True) -> None:
    """Hide columns, or show them again."""
    _change(book, sheet, lambda root: _state_columns(root, columns, hidden=str(int(hidden))))


def group_columns(book: Workbook, sheet: str, columns: Collection[int], *, collapsed: bool = False) -> None:
    """Group columns in the outline, one level deep."""

    def change(root: etree._Element) -> None:
        folded = {"hidden": "1"} if collapsed else {}
        _state_columns(root, columns, outlineLevel="1", **folded)
        _state_levels(root, "outlineLevelCol", 1)

    _change(book, sheet, change)


def group_rows(book: Workbook, sheet: str, runs: Sequence[tuple[int, int]], *, collapsed: bool = False) -> None:
    """Group runs of rows in the outline, one level deep."""
    levels = {row: 1 for first, last in runs for row in range(first, last + 1)}
    folded = {last + 1 for _, last in runs} if collapsed else set()
    _rewrite(book, sheet, lambda data: with_levels(data, levels, levels if collapsed else (), folded))
    _change(book, sheet, lambda root: _state_levels(root, "outlineLevelRow", 1))


def _state_levels(root: etree._Element, name: str, level: int) -> None:
    """State the deepest level of the outline (18.3.1.81)."""
    sizes = child(root, "sheetFormatPr")
    if sizes is None:
        sizes = insert_child(root, "sheetFormatPr", SHEET_ORDER)
        sizes.set("defaultRowHeight", "15")
    sizes.set(name, str(max(level, whole_number(sizes.get(name)) or 0)))


# -- view ------------------------------------------------------------------------------------------------


def _view(root: etree._Element) -> etree._Element:
    views = child(root, "sheetViews")
    if views is None:
        views = insert_child(root, "sheetViews", SHEET_ORDER)
    view = child(views, "sheetView")
    if view is None:
        view = etree.SubElement(views, tag(root, "sheetView"), workbookViewId="0")
    return view


def set_frozen(book: Workbook, sheet: str, rows: int, columns: int) -> None:
    """Freeze so many rows and columns (18.3.1.66); none for neither."""

    def change(root: etree._Element) -> None:
        view = _view(root)
        for name in ("pane", "selection"):
            for element in children(view, name):
                view.remove(element)
        if not rows and not columns:
            return
        pane = "bottomRight" if rows and columns else "bottomLeft" if rows else "topRight"
        corner = cell_name(rows + 1, columns + 1)
        given = {"xSplit": columns, "ySplit": rows}
        element = etree.Element(tag(root, "pane"), {name: str(count) for name, count in given.items() if count})
        element.attrib.update({"topLeftCell": corner, "activePane": pane, "state": "frozen"})
        view.insert(0, element)
        view.insert(1, etree.Element(tag(root, "selection"), pane=pane, activeCell=corner, sqref=corner))

    _change(book, sheet, change)


def set_view(book: Workbook, sheet: str, *, zoom: int | None = None, grid_lines: bool | None = None) -> None:
    """Set a sheet's zoom in per cent, and whether its grid is shown."""

    def change(root: etree._Element) -> None:
        view = _view(root)
        if zoom is not None:
            view.set("zoomScale", str(zoom))
        if grid_lines is not None:
            view.set("showGridLines", str(int(grid_lines)))

    _change(book, sheet, change)


def _properties(root: etree._Element) -> etree._Element:
    found = child(root, "sheetPr")
    return insert_child(root, "sheetPr", SHEET_ORDER) if found is None else found


def set_tab(book: Workbook, sheet: str, colour: str) -> None:
    """Give a sheet's tab a colour, RGB in six hex digits."""

    def change(root: etree._Element) -> None:
        properties = _properties(root)
        for element in children(properties, "tabColor"):
            properties.remove(element)
        insert_child(properties, "tabColor", _PROPERTIES_ORDER).set("rgb", f"FF{colour}")

    _change(book, sheet, change)


def set_protected(book: Workbook, sheet: str, protected: bool) -> None:
    """Protect a sheet against mistakes, or no longer. Raises DataError for one that has a password."""

    def change(root: etree._Element) -> None:
        known = child(root, "sheetProtection")
        secret = known is not None and any(known.get(name) for name in ("password", "hashValue"))
        if secret:
            why = f"sheet '{sheet}' is protected with a password"
            raise DataError(Fault("changing a sheet", why, book.name, "leave it as it is"))
        _remove(root, "sheetProtection")
        if protected:
            element = insert_child(root, "sheetProtection", SHEET_ORDER)
            element.attrib.update({"sheet": "1", "objects": "1", "scenarios": "1"})

    _change(book, sheet, change)


def set_filter(book: Workbook, sheet: str, area: Area | None) -> None:
    """Show filter buttons over an area of cells, heading included, or none any more (18.3.1.2). What a filter left out
    stays hidden only while the filter is there."""

    def change(root: etree._Element) -> None:
        _remove(root, "autoFilter")
        if area is not None:
            insert_child(root, "autoFilter", SHEET_ORDER).set("ref", area_name(area))

    _change(book, sheet, change)
    formula = None if area is None else fixed_area(sheet, area)
    set_name(book, "_xlnm._FilterDatabase", formula, sheet)


def set_table_filter(book: Workbook, table: str, shown: bool) -> None:
    """Show filter buttons in a table's heading, or none (18.5.1.2). Raises DataError for one that is not there."""
    known = book.tables()
    sheet, value = known[table.casefold()]
    for part in book.table_parts(sheet):
        root = book.package.root(part)
        if root.get("displayName", root.get("name", "")).casefold() != table.casefold():
            continue
        for element in children(root, "autoFilter"):
            root.remove(element)
        if shown:
            area = value.area._replace(bottom=value.area.bottom - value.totals)
            root.insert(0, etree.Element(tag(root, "autoFilter"), ref=area_name(area)))
        book.part_changed(part, serialise_xml(root))


# -- pages -----------------------------------------------------------------------------------------------


def set_pages(book: Workbook, sheet: str, page: PageSetup) -> None:
    """Set how a sheet is printed. Breaks that stand there stay, unless others are given."""

    def change(root: etree._Element) -> None:
        gone = [*_PAGE_ELEMENTS]
        gone += ["rowBreaks"] if page.row_breaks else []
        gone += ["colBreaks"] if page.column_breaks else []
        _remove(root, *gone)
        for element in _elements(root, page_markup(page)):
            _insert(root, element)
        properties = _properties(root)
        for element in children(properties, "pageSetUpPr"):
            properties.remove(element)
        if page.fit is not None:
            insert_child(properties, "pageSetUpPr", _PROPERTIES_ORDER).set("fitToPage", "1")

    _change(book, sheet, change)


def set_print_lines(book: Workbook, sheet: str, titles: Mapping[str, str], area: Area | None) -> None:
    """Set the rows and columns that stand on every page, and the area that is printed (18.2.5)."""
    name = quoted_sheet(sheet)
    if titles:
        text = ",".join(f"{name}!{lines}" for lines in (titles.get("columns"), titles.get("rows")) if lines)
        set_name(book, "_xlnm.Print_Titles", text, sheet)
    if area is not None:
        set_name(book, "_xlnm.Print_Area", fixed_area(sheet, area), sheet)
