"""Slots in the cells of a workbook, filled in place; cells that hold none are not touched."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from tinquire.cells.address import cell_name
from tinquire.cells.column import Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.slots import Slot, Unfilled, filled_text, only_slot, with_format
from tinquire.workbook.book import Workbook
from tinquire.workbook.sheet import NO_FORMULA, Sheet

__all__ = ["UnfilledCell", "fill"]

_WORDS = frozenset({"title", "upper", "lower"})


@dataclass(frozen=True, slots=True)
class UnfilledCell:
    """A slot that nothing fills, with its place."""

    sheet: str
    cell: str
    unfilled: Unfilled


def fill(book: Workbook, resolve: Callable[[Slot], Value | Unfilled]) -> list[UnfilledCell]:
    """Fill all slots of all sheets, and return those that nothing fills.

    A cell that is one slot takes the value with its kind, and keeps its style (a format behind `as` replaces the
    style's own); a slot inside a text becomes text; a slot that begins with `=` becomes a formula.
    """
    unfilled: list[UnfilledCell] = []
    for sheet in book.sheets():
        for row, column, text in _slotted(sheet):
            missing = _fill_cell(book, sheet, row, column, text, resolve)
            unfilled.extend(UnfilledCell(sheet.name, cell_name(row, column), one) for one in missing)
    return unfilled


def _slotted(sheet: Sheet) -> list[tuple[int, int, str]]:
    """Row, column and text of every cell with a slot, row by row."""
    marked = {code for code, text in enumerate(sheet.texts) if "[:" in text and ":]" in text}
    if not marked:
        return []
    found = []
    for number, cells in sheet.columns.items():
        hits = (cells.kinds == Kind.TEXT) & (cells.formulas == NO_FORMULA) & np.isin(cells.codes, list(marked))
        found += [(int(cells.rows[at]), number, sheet.texts[int(cells.codes[at])]) for at in np.flatnonzero(hits)]
    return sorted(found)


def _fill_cell(
    book: Workbook, sheet: Sheet, row: int, column: int, text: str, resolve: Callable[[Slot], Value | Unfilled]
) -> tuple[Unfilled, ...]:
    slot = only_slot(text)
    style = sheet.style(row, column)
    if slot is None:
        filled, missing = filled_text(text, resolve)
        sheet.set(row, column, filled, style)
        return missing
    if slot.living is not None:
        sheet.set(row, column, None, _with_format(book, style, slot), slot.living)
        return ()
    value = resolve(slot)
    if isinstance(value, Unfilled):
        return (value,)
    if isinstance(value, CellError):
        return (Unfilled(slot, f"it gives the error value {value}"),)
    if slot.format and (slot.format.casefold() in _WORDS or isinstance(value, str)):
        value = with_format(value, slot)
    sheet.set(row, column, value, _with_format(book, style, slot))
    return ()


def _with_format(book: Workbook, style: int, slot: Slot) -> int:
    if slot.format is None or slot.format.casefold() in _WORDS:
        return style
    return book.styles.number(replace(book.styles.appearance(style), format=slot.format))
