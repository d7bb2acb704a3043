"""A sheet carried from one workbook into another: cells, looks, widths, merged cells, tables."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from tinquire.cells.column import Kind
from tinquire.cells.dates import SYSTEMS_APART, DateSystem
from tinquire.formula.language.mentions import change_mentions, mentions
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.grid.sheet import Formula, Sheet, SheetTable
from tinquire.workbook.workbook import Workbook

__all__ = ["copy_sheet"]

_WORD = re.compile(r"\"(?:[^\"]|\"\")*\"|[^\W\d][\w.\\?]*(?!\w*\()")


def copy_sheet(source: Workbook, sheet: Sheet, target: Workbook, name: str) -> int:
    """Add a copy of a sheet to another workbook, and return how many formulas became values: those that read other
    sheets, names or tables of the workbook they come from.

    Drawings, rules and comments stay behind. Raises DataError when the name is taken or not allowed.
    """
    fresh = Sheet(
        name, merged=list(sheet.merged), widths=dict(sheet.widths), heights=dict(sheet.heights),
        hidden_rows=set(sheet.hidden_rows), hidden_columns=set(sheet.hidden_columns), frozen=sheet.frozen,
        gridlines=sheet.gridlines, landscape=sheet.landscape, repeat_rows=sheet.repeat_rows,
    )  # fmt: skip
    tables = _free_table_names(sheet, target)
    formulas = [_own(formula, sheet, source, tables) for formula in sheet.formulas]
    fresh.formulas = [formula or sheet.formulas[number] for number, formula in enumerate(formulas)]
    kept = np.array([formula is not None for formula in formulas] or [False])
    lost = 0
    for number, cells in sheet.columns.items():
        has = cells.formulas != NO_FORMULA
        stays = has & kept[np.where(has, cells.formulas, 0)]
        lost += int((has & ~stays).sum())
        fresh.columns[number] = Cells(
            cells.rows.copy(),
            cells.kinds.copy(),
            _numbers(cells, source, target),
            _codes(cells, sheet, fresh),
            _styles(cells, source, target),
            np.where(stays, cells.formulas, NO_FORMULA).astype(np.int32),
        )
    fresh.tables = [_plain(table, tables[table.name]) for table in sheet.tables if _is_headed(sheet, table)]
    target.add_sheet(fresh)
    return lost


def _codes(cells: Cells, sheet: Sheet, fresh: Sheet) -> np.ndarray:
    is_text = cells.kinds == Kind.TEXT
    codes = np.zeros(len(cells.rows), np.int32)
    if is_text.any():
        used, inverse = np.unique(cells.codes[is_text], return_inverse=True)
        codes[is_text] = np.array([fresh.intern(sheet.texts[code]) for code in used.tolist()], np.int32)[inverse]
    return codes


def _styles(cells: Cells, source: Workbook, target: Workbook) -> np.ndarray:
    used, inverse = np.unique(cells.styles, return_inverse=True)
    numbers = [target.styles.number(source.styles.appearance(style)) for style in used.tolist()]
    return np.array(numbers, np.int32)[inverse]


def _numbers(cells: Cells, source: Workbook, target: Workbook) -> np.ndarray:
    """Numbers as they are, but days in the target's date system."""
    if source.date_system is target.date_system:
        return cells.numbers.copy()
    used, inverse = np.unique(cells.styles, return_inverse=True)
    days = np.array([source.styles.is_date(style) for style in used.tolist()])[inverse] & (cells.kinds == Kind.NUMBER)
    apart = SYSTEMS_APART if source.date_system is DateSystem.FROM_1904 else -SYSTEMS_APART
    return np.where(days, cells.numbers + apart, cells.numbers)


def _free_table_names(sheet: Sheet, target: Workbook) -> dict[str, str]:
    """Names for the sheet's tables that the target does not have yet."""
    taken = set(target.tables()) | {item.name.casefold() for item in target.names}
    names = {}
    for table in sheet.tables:
        name, number = table.name, 2
        while name.casefold() in taken:
            name, number = f"{table.name}_{number}", number + 1
        taken.add(name.casefold())
        names[table.name] = name
    return names


def _own(formula: Formula, sheet: Sheet, source: Workbook, tables: dict[str, str]) -> Formula | None:
    """A formula as the new workbook can hold it; None when it reads what stays behind."""
    if formula.kept:
        return None
    known = {name.casefold(): fresh for name, fresh in tables.items()}
    for mention in mentions(formula.text):
        if mention.inside and mention.name.casefold() not in known:
            return None
        if mention.sheets and (mention.outside or mention.sheets != (sheet.name,)):
            return None
    names = {item.name.casefold() for item in source.names}
    if names & {match[0].casefold() for match in _WORD.finditer(formula.text)}:
        return None
    text = change_mentions(
        formula.text,
        lambda mention: replace(mention, name=known[mention.name.casefold()]).text() if mention.inside
        else replace(mention, prefix="").text() if mention.sheets else None,
    )  # fmt: skip
    return replace(formula, text=text)


def _is_headed(sheet: Sheet, table: SheetTable) -> bool:
    """Whether a table's columns are named by its heading cells, as they must be (18.5.1.2)."""
    cells = (sheet.value(table.area.top, table.area.left + index) for index in range(len(table.columns)))
    named = all(cell == column.name for cell, column in zip(cells, table.columns, strict=True))
    return table.area.width == len(table.columns) and (not table.headings or named)


def _plain(table: SheetTable, name: str) -> SheetTable:
    """A table under its new name; formulas of its columns name it by the old one, so they are left away."""
    return replace(table, name=name, columns=tuple(replace(column, formula=None) for column in table.columns))
