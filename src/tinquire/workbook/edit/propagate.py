"""A change carried through a whole workbook: every part that mentions cells follows it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from lxml import etree

from tinquire.base.faults import AccessError, Fault
from tinquire.cells.shifting import Moves
from tinquire.formula.language.reference_changes import ReferenceChange, RenamedSheet, ShiftedLines
from tinquire.packages.raw_xml import Unusual, has_formula, sheet_data
from tinquire.packages.xml import child, children, parse_xml, serialise_xml
from tinquire.workbook.edit.sheet_cells import follow_cells
from tinquire.workbook.grid.sheet_entries import SheetEntry
from tinquire.workbook.parts.charts import follow_formulas
from tinquire.workbook.parts.comments import follow_comments, move_note_shapes
from tinquire.workbook.parts.drawings import follow_drawing
from tinquire.workbook.parts.pivots import follow_pivot_cache, follow_pivot_table
from tinquire.workbook.parts.sheet_frame import follow_frame
from tinquire.workbook.parts.tables import follow_table
from tinquire.workbook.sheet_xml.plain_spelling import canonical_cells
from tinquire.workbook.workbook import Workbook

__all__ = ["change_part", "follow", "follow_sheet", "unreadable_part", "worksheets"]


def worksheets(book: Workbook) -> list[tuple[SheetEntry, str]]:
    """The worksheets that have a part, with its name."""
    return [
        (entry, entry.part)
        for entry in book.entries
        if entry.kind == "worksheet" and entry.part is not None and book.package.has(entry.part)
    ]


def change_part(book: Workbook, part: str, change: Callable[[etree._Element], bool]) -> None:
    """Parse a part, change it, and write it when `change` says that it did."""
    root = book.package.root(part)
    try:
        changed = change(root)
    except (ValueError, OverflowError) as error:
        raise unreadable_part(book, part, error) from None
    if changed:
        book.part_changed(part, serialise_xml(root))


def unreadable_part(book: Workbook, part: str, error: Exception) -> AccessError:
    """What to say of a part that cannot be changed."""
    why = f"its part '{part}' cannot be changed: {error or 'its cells are missing'}"
    return AccessError(Fault("changing a workbook", why, book.name, "get the file again from its source"))


def follow(book: Workbook, following: ReferenceChange, shift: Moves | None = None) -> None:
    """Carry a change through all sheets, tables, names, charts and pivots; `shift` moves the lines of its sheet."""
    target = following.sheet.casefold() if isinstance(following, ShiftedLines) else None
    _require_own_tables(book)
    for entry, part in worksheets(book):
        own_shift = shift if entry.name.casefold() == target else None
        if following.may_change(_told(book, part), entry.name):
            data = book.package.read(part)
            try:
                fresh = follow_sheet(data, entry.name, following, own_shift)
            except (ValueError, OverflowError, Unusual) as error:
                raise unreadable_part(book, part, error) from None
            if fresh != data:
                book.part_changed(part, fresh)
        for relation in book.package.relations(part):
            if relation.outside or not book.package.has(relation.target):
                continue
            if relation.kind == "table":
                change_part(
                    book, relation.target, partial(follow_table, home=entry.name, following=following, shift=own_shift)
                )
            elif own_shift is not None:
                _follow_part(book, relation.kind, relation.target, entry.name, following, own_shift)
    _names(book, following)
    _charts_and_caches(book, following)


def _require_own_tables(book: Workbook) -> None:
    """Raises AccessError for a table that is two sheets' own: whose cells it follows, nobody can tell."""
    seen: set[str] = set()
    for entry, _ in worksheets(book):
        for part in book.table_parts(entry.name):
            if part.casefold() in seen:
                raise unreadable_part(book, part, ValueError("two sheets have it as a table of their own"))
            seen.add(part.casefold())


def _told(book: Workbook, part: str) -> bytes:
    """What of a sheet's part may say something of other cells: where no cell has a formula, what is around them."""
    outline = book.package.outline(part)
    if outline is not None and not outline.formulas:
        return outline.around
    data = book.package.read(part)
    if has_formula(data):
        return data
    start, end = data.find(b"sheetData"), data.rfind(b"sheetData")
    return data[:start] + data[end:]


def follow_sheet(data: bytes, home: str, following: ReferenceChange, shift: Moves | None = None) -> bytes:
    """A sheet's part after a change: its cells byte by byte, what stands around them as elements."""
    data = follow_cells(data, home, following, shift)
    try:
        _, cells = sheet_data(data)
    except Unusual:
        data, cells = canonical_cells(data)
    start, end = cells.inside or (cells.end, cells.end)
    frame = parse_xml(data[:start] + data[end:])
    if not follow_frame(frame, home, following, shift):
        return data
    fresh = serialise_xml(frame)
    prefix, cells_there = sheet_data(fresh)
    body = data[start:end]
    filled = b"<%ssheetData>%s</%ssheetData>" % (prefix, body, prefix) if body else b"<%ssheetData/>" % prefix
    return fresh[: cells_there.start] + filled + fresh[cells_there.end :]


def _follow_part(book: Workbook, kind: str, part: str, home: str, following: ReferenceChange, shift: Moves) -> None:
    if kind == "drawing":
        change_part(book, part, lambda root: follow_drawing(root, shift))
    elif kind in ("comments", "threadedComment"):
        change_part(book, part, lambda root: follow_comments(root, home, following))
    elif kind == "pivotTable":
        change_part(book, part, lambda root: follow_pivot_table(root, home, following))
    elif kind == "vmlDrawing":
        data = book.package.read(part)
        fresh = move_note_shapes(data, shift)
        if fresh != data:
            book.package.put(part, fresh)


def _names(book: Workbook, following: ReferenceChange) -> None:
    changed = False
    for element in children(child(book.root, "definedNames"), "definedName"):
        fresh = following.formula(element.text or "", "")
        if fresh != (element.text or ""):
            element.text = fresh
            changed = True
    if changed:
        book.root_changed()


def _charts_and_caches(book: Workbook, following: ReferenceChange) -> None:
    renamed = (following.old, following.new) if isinstance(following, RenamedSheet) else None
    for part, content_type in book.package.types().items():
        if content_type.endswith(("drawingml.chart+xml", "chartex+xml")):
            change_part(book, part, lambda root: follow_formulas(root, following))
        elif content_type.endswith("pivotCacheDefinition+xml"):
            change_part(book, part, lambda root: follow_pivot_cache(root, following, renamed))
