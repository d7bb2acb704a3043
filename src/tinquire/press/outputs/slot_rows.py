"""Rows of a template that its slots repeat or keep: a row whose slots name a table's columns is repeated for each of
its rows, and `[:only if CONDITION:]` keeps or removes a row, the rows of a merged cell, or a sheet."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field

from tinquire.base.faults import DataError, Fault, TinQuireError, merge_errors
from tinquire.cells.address import Area, cell_name
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.looks import Variation
from tinquire.press.compute.slot_scope import SlotScope, unfilled_fault
from tinquire.press.record.cell_sources import CellSources
from tinquire.slots.slots import FilledSlot, Slot, UnfilledSlot, fill_text, instruction, only_slot, split_slots
from tinquire.tables import Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit import delete_rows, delete_sheets
from tinquire.workbook.edit.sample_rows import SampleRows, make_room, put_rows
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.transform.fill_slots import slots_of

__all__ = ["SlotRows", "names_a_table", "repeat_rows", "settle_conditions"]


@dataclass
class SlotRows:
    """Rows that slots repeated: what their cells are made of, and remarks on ranges that took a part of them."""

    sources: list[CellSources] = field(default_factory=list)
    warnings: list[Fault] = field(default_factory=list)


# -- kept or removed -------------------------------------------------------------------------------------


def settle_conditions(
    book: Workbook, scope: SlotScope, stopped: str, sheets: Collection[str] | None = None
) -> None:  # fmt: skip
    """Keep or remove what begins with `[:only if CONDITION:]`: the sheet, when that stands alone in its first cell;
    else the row of the cell, or all rows of a merged cell. Raises one error with all conditions that give no yes or
    no."""
    errors: list[TinQuireError] = []
    for name in book.sheet_names() if sheets is None else sheets:
        try:
            _settle_sheet(book, name, scope, stopped)
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merge_errors(errors)


def _settle_sheet(book: Workbook, name: str, scope: SlotScope, stopped: str) -> None:
    sheet = book.sheet(name)
    found = [(row, column, said) for row, column, text in slots_of(sheet) if (said := instruction(text, "only", "if"))]
    gone: set[int] = set()
    for row, column, said in found:
        where = f"{book.name}, sheet '{name}', cell {cell_name(row, column)}"
        holds = _holds(scope, said.of, stopped, where)
        rest = str(sheet.value(row, column))[said.end :]
        if (row, column) == (1, 1) and not rest:
            if not holds:
                delete_sheets(book, [name])
                return
        elif not holds:
            merged = next((area for area in sheet.merged if area.holds(row, column)), Area(row, 1, row, 1))
            gone.update(range(merged.top, merged.bottom + 1))
        sheet.set(row, column, rest or None, sheet.style(row, column))
    for row in sorted(gone, reverse=True):
        delete_rows(book, name, row)


def _holds(scope: SlotScope, condition: str, stopped: str, where: str) -> bool:
    slot = Slot(f"[:only if {condition}:]", condition)
    found = scope.resolve(slot)
    if isinstance(found, UnfilledSlot):
        raise DataError(unfilled_fault(found, stopped, where))
    if not isinstance(found.value, bool):
        why = f"'{condition}' is neither true nor false"
        raise DataError(Fault(stopped, why, where, "write a condition, such as total_charged > 0"))
    return found.value


# -- repeated --------------------------------------------------------------------------------------------


def repeat_rows(
    book: Workbook, tables: Mapping[str, Table], scope: SlotScope, stopped: str, sheets: Collection[str] | None = None
) -> SlotRows:
    """Repeat each row whose slots name columns of a table, `[:lines.Item:]`, for each row of that table. Raises one
    error with all slots that nothing fills."""
    made = SlotRows()
    errors: list[TinQuireError] = []
    for name in book.sheet_names() if sheets is None else sheets:
        rows = {row for row, _, text in slots_of(book.sheet(name)) if _tables_of(text, tables)}
        for row in sorted(rows, reverse=True):  # those further down first: they move
            try:
                _repeat(book, name, row, tables, scope, stopped, made)
            except TinQuireError as error:
                errors.append(error)
    if errors:
        raise merge_errors(errors)
    return made


def names_a_table(text: str, tables: Mapping[str, Table]) -> bool:
    """Whether a text's slots name a column of a table, so that its row is repeated."""
    return bool(_tables_of(text, tables))


def _tables_of(text: str, tables: Mapping[str, Table]) -> set[str]:
    """The tables whose columns the slots of a text name."""
    return {table for slot in split_slots(text) if isinstance(slot, Slot) and (table := _table_of(slot, tables))}


def _table_of(slot: Slot, tables: Mapping[str, Table]) -> str | None:
    head, dot, column = slot.inside.partition(".")
    known = {name.casefold(): name for name in tables}
    name = known.get(head.strip().casefold())
    return name if dot and name is not None and tables[name].index_of(column.strip()) is not None else None


def _repeat(
    book: Workbook, name: str, row: int, tables: Mapping[str, Table], scope: SlotScope, stopped: str, made: SlotRows
) -> None:
    sheet = book.sheet(name)
    texts = {column: text for at, column, text in slots_of(sheet) if at == row}
    used = {table for text in texts.values() for table in _tables_of(text, tables)}
    where = f"{book.name}, sheet '{name}', row {row}"
    if len(used) > 1:
        why = f"its slots name columns of {' and '.join(sorted(used))}, and a row is repeated for one table"
        raise DataError(Fault(stopped, why, where, "match the tables first, and name the columns of one"))
    table = tables[used.pop()]
    filled = [column for column in sorted(sheet.columns) if sheet.value(row, column) is not None]
    area = Area(row, filled[0], row, filled[-1])
    columns = {}
    for column in range(area.left, area.right + 1):
        if sheet.formula(row, column) is not None:
            continue
        if column in texts:
            columns[column] = _values(texts[column], table, tables, scope, stopped, where)
        else:
            columns[column] = Column.full(sheet.value(row, column), table.height)
    formats = dict(_formats(book, sheet, row, texts, tables, scope))
    room = make_room(book, SampleRows(name, area), table.height, columns)
    put_rows(book, room, columns)
    sheet = book.sheet(name)
    for column, style in formats.items():
        sheet.dress(row, column, style, max(table.height, 1))
    do = "take all of them, or none"
    made.warnings += [Fault(stopped, why, where, do, warning=True) for why in room.partial]
    if table.origin is not None and table.height:
        area = area._replace(bottom=row + table.height - 1)
        made.sources.append(CellSources(name, area, f"table '{table.name}'", table.origin))


def _values(text: str, table: Table, tables: Mapping[str, Table], scope: SlotScope, stopped: str, where: str) -> Column:
    """What a cell's text becomes in each row. A cell that is one slot takes the column as it is."""
    slot = only_slot(text)
    if slot is not None and not slot.cuts and not slot.word and _table_of(slot, tables):
        return table.column(slot.inside.partition(".")[2].strip())
    values: list[Value] = []
    for index in range(table.height):
        own = scope.at(table, index)

        def resolve(slot: Slot, own: SlotScope = own) -> FilledSlot | UnfilledSlot:
            if _table_of(slot, tables):
                inside = slot.inside.partition(".")[2].strip()
                slot = Slot(slot.written, f"[{inside}]", slot.format, slot.cuts)
            return own.resolve(slot)

        filled, missing = fill_text(text, resolve)
        if missing:
            raise DataError(*(unfilled_fault(item, stopped, where) for item in missing))
        values.append(filled)
    return Column.from_values(values)


def _formats(
    book: Workbook, sheet: Sheet, row: int, texts: Mapping[int, str], tables: Mapping[str, Table], scope: SlotScope
) -> Iterator[tuple[int, int]]:
    """The styles of cells whose slot names a number format."""
    for column, text in texts.items():
        slot = only_slot(text)
        if slot is not None and slot.format and not slot.word and _table_of(slot, tables):
            yield column, book.styles.vary(sheet.style(row, column), Variation(format=scope.format_of(slot.format)))
