"""Slots in the cells of a workbook, filled in place; cells that hold none are not touched."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass

import numpy as np

from tinquire.cells.address import Area, cell_name
from tinquire.cells.column import Kind
from tinquire.cells.values import Value
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.tree import Call, walk
from tinquire.looks import Variation
from tinquire.slots.slots import (
    Resolver,
    Slot,
    UnfilledSlot,
    fill_or_refuse,
    fill_text,
    only_slot,
    slot_text,
    split_slots,
)
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.workbook import Workbook

__all__ = ["SlotCell", "UnfilledCell", "fill", "slots_for_values", "slots_of", "slotted_cells"]


_OPENED = "[:"
#: So few texts are looked through as one.
_FEW_TEXTS = 4096


@dataclass(frozen=True, slots=True)
class UnfilledCell:
    """A slot that nothing fills, with its position."""

    sheet: str
    cell: str
    unfilled: UnfilledSlot


def fill(
    book: Workbook, resolve: Resolver, format_of: Callable[[str], str], sheets: Collection[str] | None = None
) -> list[UnfilledCell]:
    """Fill all slots of some sheets (or all), and return those that nothing fills.

    A cell that is one slot takes the value with its kind, and keeps its style (a format after `as` replaces the
    style's own); a slot inside a text becomes text; a slot that begins with `=` becomes a formula. `format_of` gives
    the number format that the text after `as` means.
    """
    unfilled: list[UnfilledCell] = []
    for sheet in map(book.sheet, book.sheet_names() if sheets is None else sheets):
        for row, column, text in slots_of(sheet):
            missing = _fill_cell(book, sheet, row, column, text, resolve, format_of)
            unfilled.extend(UnfilledCell(sheet.name, cell_name(row, column), item) for item in missing)
    return unfilled


def slotted_cells(book: Workbook) -> Iterator[tuple[str, str, str]]:
    """Sheet, cell and text of every cell with a slot."""
    for sheet in book.sheets():
        for row, column, text in slots_of(sheet):
            yield sheet.name, cell_name(row, column), text


def slots_of(sheet: Sheet) -> list[tuple[int, int, str]]:
    """Row, column and text of every cell with a slot, row by row."""
    if len(sheet.texts) <= _FEW_TEXTS and _OPENED not in "\0".join(sheet.texts):
        return []
    marked = {code for code, text in enumerate(sheet.texts) if _OPENED in text}
    if not marked:
        return []
    found = []
    for number, cells in sheet.columns.items():
        hits = (cells.kinds == Kind.TEXT) & (cells.formulas == NO_FORMULA) & np.isin(cells.codes, list(marked))
        found += [(int(cells.rows[at]), number, sheet.texts[int(cells.codes[at])]) for at in np.flatnonzero(hits)]
    return sorted(found)


@dataclass(frozen=True, slots=True)
class SlotCell:
    """A cell that gets nothing but a value in place of its text."""

    sheet: str
    row: int
    column: int
    text: str
    slot: Slot | None

    @property
    def area(self) -> Area:
        return Area(self.row, self.column, self.row, self.column)

    def value(self, resolve: Resolver) -> Value | UnfilledSlot:
        """What `fill` sets the cell to, or the first slot that nothing fills."""
        if self.slot is None:
            filled, missing = fill_text(self.text, resolve)
            return missing[0] if missing else filled
        found = fill_or_refuse(self.slot, resolve)
        if isinstance(found, UnfilledSlot):
            return found
        return slot_text(found, self.slot) if self.slot.word else found.value


def slots_for_values(book: Workbook) -> list[SlotCell] | None:
    """The cells with slots, sheet by sheet and row by row; None where one gets more than a value: a formula, a format,
    or none because it says what becomes of its row."""
    found: list[SlotCell] = []
    for sheet in book.sheets():
        for row, column, text in slots_of(sheet):
            slot = only_slot(text)
            if slot is not None and (slot.living is not None or (slot.format and not slot.word)):
                return None
            if any(isinstance(piece, Slot) and piece.inside.split()[:1] == ["only"] for piece in split_slots(text)):
                return None
            found.append(SlotCell(sheet.name, row, column, text, slot))
    return found


def _fill_cell(
    book: Workbook, sheet: Sheet, row: int, column: int, text: str, resolve: Resolver, format_of: Callable[[str], str]
) -> tuple[UnfilledSlot, ...]:
    slot = only_slot(text)
    style = sheet.style(row, column)
    if slot is None:
        filled, missing = fill_text(text, resolve)
        sheet.set(row, column, filled, style)
        return missing
    if slot.living is not None:
        style = _with_format(book, style, format_of(slot.format) if slot.format else None)
        if _gives_arrays(slot.living):
            sheet.set_spilling(row, column, slot.living, style)
        else:
            sheet.set(row, column, None, style, slot.living)
        return ()
    found = fill_or_refuse(slot, resolve)
    if isinstance(found, UnfilledSlot):
        return (found,)
    value = slot_text(found, slot) if slot.word else found.value
    sheet.set(row, column, value, _with_format(book, style, found.format if slot.format and not slot.word else None))
    return ()


#: Functions whose results are arrays; a cell with one fills as many cells as its result has.
_OF_ARRAYS = frozenset(
    (
        "SORT", "SORTBY", "UNIQUE", "FILTER", "SEQUENCE", "RANDARRAY", "TOCOL", "TOROW", "WRAPROWS", "WRAPCOLS", "TAKE",
        "DROP", "EXPAND", "CHOOSEROWS", "CHOOSECOLS", "HSTACK", "VSTACK", "MAP", "SCAN", "BYROW", "BYCOL", "MAKEARRAY",
        "TEXTSPLIT",
    )
)  # fmt: skip


def _gives_arrays(formula: str) -> bool:
    """Whether a formula may have several values; text that is no formula has none, and is told as such later."""
    try:
        return any(isinstance(node, Call) and node.function in _OF_ARRAYS for node in walk(parse(formula)))
    except FormulaError:
        return False


def _with_format(book: Workbook, style: int, code: str | None) -> int:
    """The style with another number format; the style itself without one."""
    if code is None:
        return style
    return book.styles.vary(style, Variation(format=code))
