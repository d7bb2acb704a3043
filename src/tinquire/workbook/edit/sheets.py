"""Sheets renamed, moved, hidden, copied and deleted (ECMA-376 Part 1, 18.2.19, 18.2.20); references follow."""

from __future__ import annotations

import copy
import posixpath
import re
from collections.abc import Mapping, Sequence

from lxml import etree

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import known_names
from tinquire.formula.language.reference_changes import GoneSheets, RenamedSheet, RenamedTables
from tinquire.packages.xml import (
    child,
    children,
    free_number,
    local,
    remove_attribute,
    serialise_xml,
    tag,
    whole_number,
)
from tinquire.workbook.edit.propagate import change_part, follow, follow_sheet, unreadable_part
from tinquire.workbook.grid.sheet_entries import SheetEntry
from tinquire.workbook.grid.sheet_names import valid_sheet_name
from tinquire.workbook.parts.charts import follow_formulas
from tinquire.workbook.sheet_xml.frame_changes import edited_frame
from tinquire.workbook.workbook import Workbook

_SELECTED = re.compile(rb"\stabSelected=[\"'](?:1|true)[\"']")

__all__ = ["copy_sheet", "delete_sheets", "hide_sheet", "move_sheet", "rename_sheet"]

#: What a copied sheet gets a copy of; all else that it relates to is shared with the original.
_COPIED_KINDS = frozenset({
    "drawing", "comments", "vmlDrawing", "table", "chart", "threadedComment", "chartUserShapes", "pivotTable",
    "pivotCacheRecords",
})  # fmt: skip
#: Copies of parts that lead to each other go no deeper.
_DEEPEST = 32
#: Filters that people click belong to the pivots of one sheet; a copy is without.
_CLICKED = {"slicer": "slicer", "timeline": "timeslicer"}


def rename_sheet(book: Workbook, old: str, new: str) -> None:
    """Give a sheet another name. Raises DataError when there is no such sheet, or the name is taken or not allowed."""
    entry = _entry(book, old, "renaming a sheet")
    other = book.entry(new)
    if not valid_sheet_name(new) or (other is not None and other is not entry):
        why = "there is one of that name already" if other else "at most 31 characters, without []:*?/\\"
        raise DataError(Fault("renaming a sheet", f"'{old}' cannot become '{new}': {why}", book.name, "choose another"))
    book.settle()
    former, entry.name = entry.name, new
    _element(book, entry).set("name", new)
    entry.loaded = None
    book.root_changed()
    _forget_titles(book)
    follow(book, RenamedSheet(former, new))


def hide_sheet(book: Workbook, name: str, state: str = "hidden") -> None:
    """Make a sheet `visible`, `hidden`, or `veryHidden` (18.18.68). Raises DataError for the last one to be seen."""
    entry = _entry(book, name, "hiding a sheet")
    if state != "visible" and not any(item.state == "visible" for item in book.entries if item is not entry):
        raise DataError(Fault("hiding a sheet", f"'{name}' is the only visible sheet", book.name, "keep it"))
    book.settle()
    entry.state = state
    element = _element(book, entry)
    if state == "visible":
        remove_attribute(element, "state")
    else:
        element.set("state", state)
    _open_on_visible(book)
    book.root_changed()


def move_sheet(book: Workbook, name: str, place: int) -> None:
    """Put a sheet in a place, counted from one. Raises DataError."""
    entry = _entry(book, name, "moving a sheet")
    if not 1 <= place <= len(book.entries):
        why = f"there is no place {place} among {len(book.entries)} sheets"
        raise DataError(Fault("moving a sheet", why, book.name, "count from one"))
    book.settle()
    before = list(book.entries)
    element = _element(book, entry)
    group = element.getparent()
    assert group is not None
    group.remove(element)
    others = children(group, "sheet")
    if place <= len(others):  # between them other things may stand
        others[place - 1].addprevious(element)
    else:
        group.append(element)
    book.entries.remove(entry)
    book.entries.insert(place - 1, entry)
    _renumber(book, before)
    book.root_changed()


def delete_sheets(book: Workbook, names: Sequence[str]) -> None:
    """Take sheets out with all that only they use; what pointed to them becomes `#REF!`.

    Raises: DataError when none would be left that can be seen.
    """
    gone = [_entry(book, name, "deleting a sheet") for name in names]
    left = [entry for entry in book.entries if entry not in gone]
    if not any(entry.state == "visible" for entry in left):
        why = "no visible sheet would be left"
        raise DataError(Fault("deleting a sheet", why, book.name, "keep one, or show a hidden one first"))
    book.settle()
    lost = {entry.name for entry in gone}
    tables = [table.name for sheet, table in book.tables().values() if sheet in lost]
    following = GoneSheets([entry.name for entry in gone], [entry.name for entry in book.entries], tables)
    before = list(book.entries)
    _drop_names(book, gone)
    for entry in gone:
        element = _element(book, entry)
        parent = element.getparent()
        assert parent is not None
        parent.remove(element)
        book.entries.remove(entry)
        if entry.part is not None and book.package.has(entry.part):
            book.package.unrelate(book.part, entry.part)
            book.package.drop_tree(entry.part)
    _renumber(book, before)
    _drop_caches(book)
    book.root_changed()
    _forget_titles(book)
    follow(book, following)
    book.formulas_moved()


def copy_sheet(book: Workbook, name: str, new: str) -> None:
    """Put a copy of a sheet after it, with its drawings, comments and tables; tables get names of their own.

    Raises: DataError when the new name is taken or not allowed, AccessError for a part that cannot be read.
    """
    entry = _entry(book, name, "copying a sheet")
    if book.entry(new) is not None or not valid_sheet_name(new) or entry.part is None:
        why = f"a copy cannot be named '{new}': it is taken or not allowed"
        raise DataError(Fault("copying a sheet", why, book.name, "choose another name"))
    book.settle()
    assert entry.part is not None
    renamed: dict[str, str] = {}
    try:
        part = _copy_part(book, entry.part, renamed)
        following = RenamedTables(renamed, RenamedSheet(entry.name, new))
        data = _SELECTED.sub(b"", follow_sheet(book.package.read(part), new, following))
        if any(relation.kind in _CLICKED for relation in book.package.relations(entry.part)):
            data = edited_frame(data, _without_lists)
    except (ValueError, OverflowError) as error:
        raise unreadable_part(book, entry.part, error) from None
    book.package.put(part, data)  # of two selected sheets a program would change both at once
    model = _element(book, entry)
    element = copy.deepcopy(model)
    used = [item.get("sheetId") for item in children(child(book.root, "sheets"), "sheet")]
    element.set("name", new)
    element.set("sheetId", str(free_number(used)))
    remove_attribute(element, "state")
    identity = book.package.relate(book.part, _relation_type(book, entry.part), part)
    key = next(key for key in element.attrib if str(key).endswith("}id"))
    element.set(key, identity)
    model.addnext(element)
    before = list(book.entries)
    position = book.entries.index(entry) + 1
    book.entries.insert(position, SheetEntry(new, part, entry.kind))
    _renumber(book, before)
    _copy_names(book, entry, position, following)
    for relation in book.package.relations(part):
        if relation.kind == "table":
            change_part(book, relation.target, lambda root: _follow_table(root, following, new))
        elif relation.kind == "pivotTable":
            _own_cache(book, relation.target, entry.name, new, renamed)
        elif relation.kind == "drawing":
            change_part(book, relation.target, _without_clicked)
            for inner in book.package.relations(relation.target):
                if inner.kind == "chart":
                    change_part(book, inner.target, lambda root: follow_formulas(root, following))
    book.root_changed()


def _entry(book: Workbook, name: str, doing: str) -> SheetEntry:
    entry = book.entry(name)
    if entry is None:
        why = f"it has no sheet '{name}': {known_names(name, [item.name for item in book.entries])}"
        raise DataError(Fault(doing, why, book.name, "check the sheet's name"))
    return entry


def _element(book: Workbook, entry: SheetEntry) -> etree._Element:
    """A sheet's element in the main part: they are in the order of the entries."""
    return children(child(book.root, "sheets"), "sheet")[book.entries.index(entry)]


# -- what counts sheets ----------------------------------------------------------------------------------


def _renumber(book: Workbook, before: Sequence[SheetEntry]) -> None:
    """Names of one sheet (18.2.5) and the views' open sheet (18.2.30) go by the sheet's place, from zero."""
    for element in children(child(book.root, "definedNames"), "definedName"):
        index = whole_number(element.get("localSheetId"))
        if index is not None and index < len(before) and before[index] in book.entries:
            element.set("localSheetId", str(book.entries.index(before[index])))
    for view in children(child(book.root, "bookViews"), "workbookView"):
        for name in ("activeTab", "firstSheet"):
            index = whole_number(view.get(name))
            if index is not None and index < len(before):
                known = before[index]
                view.set(name, str(book.entries.index(known) if known in book.entries else 0))
    _open_on_visible(book)


def _open_on_visible(book: Workbook) -> None:
    for view in children(child(book.root, "bookViews"), "workbookView"):
        active = whole_number(view.get("activeTab", "0"))
        if active is None or active >= len(book.entries) or book.entries[active].state != "visible":
            seen = next((n for n, entry in enumerate(book.entries) if entry.state == "visible"), 0)
            view.set("activeTab", str(seen))


def _drop_names(book: Workbook, gone: Sequence[SheetEntry]) -> None:
    """Names that belong to sheets that go."""
    positions = {book.entries.index(entry) for entry in gone}
    group = child(book.root, "definedNames")
    for element in children(group, "definedName"):
        if whole_number(element.get("localSheetId")) in positions and group is not None:
            group.remove(element)
    if group is not None and not len(group):
        book.root.remove(group)


def _forget_titles(book: Workbook) -> None:
    """The list of sheets in the file's properties (22.2.2.8, .31) is a copy; a stale one would name what is gone."""
    for relation in book.package.relations():
        if relation.kind == "extended-properties" and book.package.has(relation.target):
            root = book.package.root(relation.target)
            stale = [item for item in root if local(item) in ("TitlesOfParts", "HeadingPairs")]
            for element in stale:
                root.remove(element)
            if stale:
                book.package.put(relation.target, serialise_xml(root))


def _drop_caches(book: Workbook) -> None:
    """Stored rows of pivots that are no longer there."""
    package = book.package
    used = {
        relation.target
        for part, kind in package.types().items()
        if kind.endswith("pivotTable+xml")
        for relation in package.relations(part)
    }
    group = child(book.root, "pivotCaches")
    for relation in package.relations(book.part):
        if relation.kind != "pivotCacheDefinition" or relation.target in used:
            continue
        package.drop_related(relation.target, relation.kind)
        for element in list(group) if group is not None else ():
            if relation.id in element.attrib.values() and group is not None:
                group.remove(element)
    if group is not None and not len(group):
        book.root.remove(group)


# -- copies ----------------------------------------------------------------------------------------------


def _copy_part(
    book: Workbook, part: str, tables: dict[str, str], role: str = "worksheet", above: Mapping[str, str] | None = None
) -> str:
    """A copy of a part and of what it alone needs, under free names; `tables` gets new names of tables. `role` is what
    the part is to the one that relates to it; `above` has the copies of those that lead to it, which it may lead back
    to."""
    package = book.package
    folder, name = posixpath.split(part)
    stem, _, ending = name.rpartition(".")
    fresh = package.free_name(f"{folder}/{stem.rstrip('0123456789')}{{}}.{ending}")
    kind = package.type_of(part)
    package.put(fresh, package.read(part))
    above = {**(above or {}), part.casefold(): fresh}
    if kind:
        package.set_type(fresh, kind)
    if role == "table":
        change_part(book, fresh, lambda root: _rename_table(book, root, tables))
    for relation in package.relations(part):
        if relation.outside or not package.has(relation.target):  # what is missing is missed in the copy, too
            package.relate_as(fresh, relation, relation.target)
        elif relation.kind not in _CLICKED:
            target = relation.target
            if relation.kind in _COPIED_KINDS:
                ring = above.get(target.casefold())
                copied = ring or (
                    _copy_part(book, target, tables, relation.kind, above) if len(above) < _DEEPEST else target
                )
            else:
                copied = target
            package.relate_as(fresh, relation, copied)
    return fresh


def _without_clicked(root: etree._Element) -> bool:
    """Take the frames of click filters off a drawing."""
    gone = [
        anchor for anchor in root
        if isinstance(anchor.tag, str) and any(local(one) in _CLICKED.values() for one in anchor.iter("{*}*"))
    ]  # fmt: skip
    for anchor in gone:
        root.remove(anchor)
    return bool(gone)


def _without_lists(root: etree._Element) -> None:
    """Take the lists of click filters, which name parts, off a sheet."""
    for extension in list(root.iter("{*}ext")):
        if any(local(one) in ("slicerList", "timelineRefs") for one in extension.iter("{*}*")):
            above = extension.getparent()
            if above is not None:
                above.remove(extension)
                holder = above.getparent()
                if not len(above) and holder is not None:
                    holder.remove(above)


def _own_cache(book: Workbook, pivot: str, old: str, new: str, tables: Mapping[str, str]) -> None:
    """Let a copied pivot whose rows stand on the copied sheet have a store of its own over the rows of the copy."""
    package = book.package
    relation = next((one for one in package.relations(pivot) if one.kind == "pivotCacheDefinition"), None)
    source = None
    if relation is not None and package.has(relation.target):
        source = child(child(package.root(relation.target), "cacheSource"), "worksheetSource")
    if relation is None or source is None:
        return
    table = tables.get(source.get("name", "").casefold())
    if table is None and source.get("sheet", "").casefold() != old.casefold():
        return
    fresh = _copy_part(book, relation.target, {}, "pivotCacheDefinition")
    root = package.root(fresh)
    own = child(child(root, "cacheSource"), "worksheetSource")
    assert own is not None
    if table is not None:
        own.set("name", table)
    else:
        own.set("sheet", new)
    package.put(fresh, serialise_xml(root))
    package.unrelate(pivot, relation.target)
    package.relate(pivot, relation.type, fresh)
    group = child(book.root, "pivotCaches")
    if group is None:
        return
    number = free_number([item.get("cacheId") for item in group])
    element = etree.SubElement(group, tag(group, "pivotCache"), cacheId=str(number))
    element.set(f"{{{book.relation_space}}}id", package.relate(book.part, relation.type, fresh))
    pivot_root = package.root(pivot)
    pivot_root.set("cacheId", str(number))
    package.put(pivot, serialise_xml(pivot_root))


def _rename_table(book: Workbook, root: etree._Element, tables: dict[str, str]) -> bool:
    taken = set(book.tables()) | {name.casefold() for name in tables.values()}
    taken |= {item.name.casefold() for item in book.names}
    old = root.get("displayName") or root.get("name") or "Table"
    number = 2
    while f"{old}_{number}".casefold() in taken:
        number += 1
    fresh = f"{old}_{number}"
    tables[old.casefold()] = fresh
    root.set("name", fresh)
    root.set("displayName", fresh)
    root.set("id", str(book.next_table_id()))
    return True


def _follow_table(root: etree._Element, following: RenamedTables, home: str) -> bool:
    changed = False
    for element in root.iter():
        if local(element) in ("calculatedColumnFormula", "totalsRowFormula") and element.text:
            fresh = following.formula(element.text, home)
            changed = changed or fresh != element.text
            element.text = fresh
    return changed


def _copy_names(book: Workbook, entry: SheetEntry, place: int, following: RenamedTables) -> None:
    """The original's own names (print area, print titles and others), once more for the copy."""
    source = str(book.entries.index(entry))
    for element in children(child(book.root, "definedNames"), "definedName"):
        if element.get("localSheetId") == source:
            fresh = copy.deepcopy(element)
            fresh.set("localSheetId", str(place))
            fresh.text = following.formula(element.text or "", "")
            element.addnext(fresh)


def _relation_type(book: Workbook, part: str) -> str:
    return next(relation.type for relation in book.package.relations(book.part) if relation.target == part)
