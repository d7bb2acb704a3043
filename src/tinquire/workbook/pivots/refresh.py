"""Pivots of a workbook worked out anew from their rows: their stores, their own parts, their cells, and what stands
over them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from lxml import etree

from tinquire.base.faults import DataError, Fault
from tinquire.cells.address import Area, area_name, cell_name
from tinquire.cells.column import Column, Kind
from tinquire.cells.dates import SYSTEMS_APART, DateSystem
from tinquire.cells.values import Value
from tinquire.packages.xml import serialise_xml
from tinquire.workbook.edit.propagate import change_part, follow, unreadable_part
from tinquire.workbook.edit.sample_rows import Grown, SeveralChanges
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.pivots.caches import (
    Cache,
    PlacedPivot,
    caches_of,
    has_blank_rows,
    read_rows,
    source_area,
    why_not,
)
from tinquire.workbook.pivots.cells import area_of, column_labels, row_labels, value_columns
from tinquire.workbook.pivots.definition import VALUES, PivotDefinition, read_definition, read_lines
from tinquire.workbook.pivots.dressing import KnownLooks, learned_looks
from tinquire.workbook.pivots.filters import BEST
from tinquire.workbook.pivots.following import follow_charts, follow_clicked_filters, grown_body
from tinquire.workbook.pivots.merging import Merging, learned_merging, merge_labels
from tinquire.workbook.pivots.store import Rows, Store, same_rows, store_of, stored_items
from tinquire.workbook.pivots.store_writing import records_part, write_store
from tinquire.workbook.pivots.words import Words, learned_words
from tinquire.workbook.pivots.working import WorkedPivot, work_out
from tinquire.workbook.pivots.writing import write_definition
from tinquire.workbook.workbook import Workbook

__all__ = ["Refreshed", "moved_stores", "refresh_pivots"]


@dataclass
class Refreshed:
    """What became of a workbook's pivots: the names of those worked out, and those that were left, each with why."""

    pivots: list[str] = field(default_factory=list)
    left: list[tuple[str, str]] = field(default_factory=list)
    #: The stores of those, by their parts.
    left_parts: set[str] = field(default_factory=set)
    #: The rows that each store was made of, by its part.
    rows: dict[str, Rows] = field(default_factory=dict)
    #: What grew or shrank, and the pivots as they are now, by sheet, for what stands over them.
    grown: list[Grown] = field(default_factory=list)
    charted: list[tuple[str, WorkedPivot, Area]] = field(default_factory=list)
    #: Those whose labels are merged, and how.
    merged: list[tuple[str, WorkedPivot, Area, tuple[Merging, Merging]]] = field(default_factory=list)
    #: Whether any cell of a sheet is other than before, and in which areas such cells are.
    changed: bool = False
    areas: list[tuple[str, Area]] = field(default_factory=list)


def refresh_pivots(
    book: Workbook, wanted: Collection[str] | None = None, *, today: float | None = None
) -> Refreshed:  # fmt: skip
    """Work out the pivots of a workbook whose stores, by their parts, are `wanted` (all, without). `today` is a serial,
    for filters like that of last month; without it their pivots are left.

    A pivot that uses what we do not reckon is left as it is, asked to be refreshed on opening, and told. Raises
    DataError for cells in the way of a pivot that grows, AccessError for parts that cannot be read."""
    book.settle()
    done = Refreshed()
    if today is not None and book.date_system is DateSystem.FROM_1904:
        today += SYSTEMS_APART
    for cache in caches_of(book):
        if wanted is not None and cache.part not in wanted:
            continue
        try:
            _refresh(book, cache, done, today)
        except (ValueError, OverflowError, KeyError, IndexError) as error:
            raise unreadable_part(book, cache.part, error) from None
    book.settle()
    if done.grown:
        follow(book, SeveralChanges(tuple(done.grown)))
    for sheet, worked, area in done.charted:
        follow_charts(book, sheet, worked, area)
    for sheet, worked, area, known in done.merged:
        merge_labels(book.sheet(sheet), worked, area, known)
    return done


def moved_stores(book: Workbook, made_of: Mapping[str, Rows], sheets: Collection[str] | None = None) -> set[str]:
    """The stores, by their parts, whose rows are others than those that they were made of; only cells of some `sheets`
    changed since, where that is known."""
    found = set()
    for cache in caches_of(book):
        root = book.package.root(cache.part)
        area = source_area(book, root)
        before = made_of.get(cache.part)
        if before is not None and area is not None and (sheets is None or area[0] in sheets):
            now = read_rows(book, *area, blank=has_blank_rows(root))
            if not same_rows(before, now):
                found.add(cache.part)
    return found


def _refresh(book: Workbook, cache: Cache, done: Refreshed, today: float | None) -> None:
    root = book.package.root(cache.part)
    pivots = [(placed, book.package.root(placed.part)) for placed in cache.pivots]
    why = why_not(book, root, [pivot for _, pivot in pivots], dated=today is not None)
    definitions = [] if why is not None else [read_definition(pivot) for _, pivot in pivots]
    store: Store | None = None
    if why is None:
        try:
            store = _store(book, cache, root, definitions, done)
            worked = [work_out(definition, store, today) for definition in definitions]
        except ValueError as error:
            why = str(error)
    if why is not None or store is None:
        done.left += [(_told(placed, pivot), why or "") for placed, pivot in pivots]
        done.left_parts.add(cache.part)
        change_part(book, cache.part, _ask)
        return
    items = stored_items(root)
    for (placed, pivot), one in zip(pivots, worked, strict=True):
        _put(book, placed, pivot, one, items, done)
        done.pivots.append(_told(placed, pivot))
    write_store(root, store)
    book.package.put(cache.part, serialise_xml(root))
    if cache.records is not None:
        book.package.put_pieces(cache.records, records_part(store), fast=True)


def _ask(root: etree._Element) -> bool:
    """Have a store refreshed by the program that opens the file (18.10.1.67)."""
    changed = root.get("refreshOnLoad") != "1"
    root.set("refreshOnLoad", "1")
    return changed


def _told(placed: PlacedPivot, root: etree._Element) -> str:
    return f"pivot '{root.get('name', '')}' of sheet '{placed.sheet}'"


def _store(
    book: Workbook, cache: Cache, root: etree._Element, pivots: Sequence[PivotDefinition], done: Refreshed
) -> Store:  # fmt: skip
    found = source_area(book, root)
    assert found is not None
    rows = done.rows[cache.part] = read_rows(book, *found, blank=has_blank_rows(root))
    used: set[int] = set()
    held: dict[int, set[int]] = {}
    for pivot in pivots:
        chosen = dict(pivot.pages)
        used |= {one.field for one in pivot.filters if one.kind not in BEST}  # whose items are looked at one by one
        for number, one in enumerate(pivot.fields):
            if one.axis or one.items is not None:
                used.add(number)
            for position, state in enumerate(one.items or ()):
                if state.hidden or chosen.get(number) == position:
                    held.setdefault(number, set()).add(state.shared)
    return store_of(root, rows, used, held)


# -- on the sheet ----------------------------------------------------------------------------------------


def _put(
    book: Workbook, placed: PlacedPivot, root: etree._Element, worked: WorkedPivot, items: Sequence[Sequence[Value]],
    done: Refreshed,
) -> None:  # fmt: skip
    """Write a pivot's cells and part. `items` are those of each field before."""
    definition, sheet = worked.definition, book.sheet(placed.sheet)
    old_rows, old_columns = read_lines(root, "row"), read_lines(root, "col")
    several = VALUES in (*definition.rows, *definition.columns)
    words = learned_words(sheet, definition, old_rows, old_columns, items)
    looks = learned_looks(book, sheet, definition, old_rows, old_columns, several)
    area, old = area_of(worked), definition.area
    if definition.merged:
        known = learned_merging(sheet, definition, old_rows, old_columns)
        done.merged.append((placed.sheet, worked, area, known))
    _require_room(book, sheet, definition.name, area, old)
    cells = _Cells(sheet, area, old)
    _fill(cells, worked, words, looks)
    changed = cells.write()
    write_definition(root, worked, area)
    book.part_changed(placed.part, serialise_xml(root))
    if (grown := grown_body(placed.sheet, worked, area, old_rows)) is not None:
        done.grown.append(grown)
    follow_clicked_filters(book, placed.sheet, worked)
    done.charted.append((placed.sheet, worked, area))
    done.changed |= changed
    done.areas.append((placed.sheet, cells.whole))


def _require_room(book: Workbook, sheet: Sheet, name: str, area: Area, old: Area) -> None:
    """Raises DataError for a cell in the way."""
    for column in range(area.left, area.right + 1):
        top = area.top if column > old.right else old.bottom + 1
        if top > area.bottom:
            continue
        values = sheet.column(column, top, area.bottom)
        for at in (values.kinds != Kind.BLANK).nonzero()[0][:1].tolist():
            where = cell_name(top + at, column)
            why = f"pivot '{name}' needs {area_name(area)} now, and cell {where} is in its way"
            raise DataError(
                Fault(f"refreshing sheet '{sheet.name}'", why, book.name, "make room below and beside the pivot")
            )
    for other in (merged for merged in sheet.merged if merged.overlaps(area) and not merged.overlaps(old)):
        why = f"pivot '{name}' needs {area_name(area)} now, and merged cells {area_name(other)} are in its way"
        raise DataError(Fault(f"refreshing sheet '{sheet.name}'", why, book.name, "make room for the pivot"))


class _Cells:
    """The cells of a pivot's former and present area, column by column."""

    def __init__(self, sheet: Sheet, area: Area, old: Area) -> None:
        self.sheet, self.area = sheet, area
        self.whole = area._replace(bottom=max(area.bottom, old.bottom), right=max(area.right, old.right))
        height = self.whole.height
        self.values = {at: Column.blank(height).to_list() for at in range(self.whole.left, self.whole.right + 1)}
        self.styles = {at: [0] * height for at in self.values}
        self.columns: dict[int, tuple[int, Column]] = {}

    def keep(self, row: int, column: int) -> None:
        """Leave a cell as it is."""
        self.put(row, column, self.sheet.value(row, column), self.sheet.style(row, column))

    def put(self, row: int, column: int, value: Value, style: int) -> None:
        self.values[column][row - self.whole.top] = value
        self.styles[column][row - self.whole.top] = style

    def put_column(self, row: int, column: int, values: Column, styles: list[int]) -> None:
        self.columns[column] = (row, values)
        start = row - self.whole.top
        self.styles[column][start : start + len(styles)] = styles

    def write(self) -> bool:
        """Put all cells that are other than they were onto the sheet; says whether there are any."""
        changed = False
        for number, listed in self.values.items():
            values = Column.from_values(listed)
            if number in self.columns:
                row, own = self.columns[number]
                start = row - self.whole.top
                values = Column.concat([values.slice(0, start), own, values.slice(start + len(own), len(values))])
            before = self.sheet.column(number, self.whole.top, self.whole.bottom)
            different = before.to_list() != values.to_list()
            styles = self.sheet.styles(number, self.whole.top, self.whole.bottom).tolist()
            if different or styles != self.styles[number]:
                self.sheet.put(
                    self.whole.top, number, values, Column.of_numbers(self.styles[number]).numbers.astype("i4")
                )
            changed |= different
        return changed


def _fill(cells: _Cells, worked: WorkedPivot, words: Words, looks: KnownLooks) -> None:
    definition, area = worked.definition, cells.area
    header, data_row, data_column = definition.first
    old = definition.area
    for row in range(area.top, min(area.top + data_row, area.bottom + 1)):
        for column in range(area.left, min(area.right, old.right) + 1):
            cells.keep(row, column)  # captions and buttons of fields; labels of columns come below
    columns = worked.column_side.lines
    for at, labels in enumerate(column_labels(worked, words)):
        column = area.left + data_column + at
        if column > area.right:
            break
        for row in range(data_row):
            in_labels = row >= header and definition.columns
            if in_labels or column > old.right:
                value = labels[row - header] if in_labels and row - header < len(labels) else None
                cells.put(area.top + row, column, value, looks.heading(row, columns[at].line))
    rows = worked.row_side.lines
    for at, labels in enumerate(row_labels(worked, words)):
        row = area.top + data_row + at
        for place, value in enumerate(labels):
            style = looks.label(rows[at].line, place)
            if not definition.rows and row <= old.bottom:
                cells.keep(row, area.left + place)
            elif area.left + place <= area.right:
                cells.put(row, area.left + place, value, style)
    if not definition.data:
        return
    several = VALUES in (*definition.rows, *definition.columns)
    for at, values in enumerate(value_columns(worked)):
        styles = looks.values([row.line for row in rows], columns[at].line, several=several)
        cells.put_column(area.top + data_row, area.left + data_column + at, values, styles)
