"""The cells of a pivot that is worked out: labels of its rows and columns, and values (ECMA-376 Part 1, 18.10.1.49)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Column, Kind
from tinquire.cells.dates import SYSTEMS_APART, DateSystem
from tinquire.cells.values import Value
from tinquire.workbook.pivots.definition import VALUES, shown_levels
from tinquire.workbook.pivots.shown_ways import shown_block
from tinquire.workbook.pivots.tree import AxisLine
from tinquire.workbook.pivots.words import Words, item_text, label_columns
from tinquire.workbook.pivots.working import WorkedPivot

__all__ = ["area_of", "column_labels", "row_labels", "value_columns"]

#: What a subtotal is called by the function that it asks for (18.18.43).
_CALLED = {
    "default": "Total", "sum": "Sum", "countA": "Count", "avg": "Average", "max": "Max", "min": "Min",
    "product": "Product", "count": "Count", "stdDev": "StdDev", "stdDevP": "StdDevp", "var": "Var", "varP": "Varp",
}  # fmt: skip


def area_of(worked: WorkedPivot) -> Area:
    """The cells that a pivot takes now, from its first one on."""
    (_, data_row, data_column), old = worked.definition.first, worked.definition.area
    bottom = old.top + data_row + len(worked.row_side.lines) - 1
    right = old.left + data_column + len(worked.column_side.lines) - 1
    if not worked.definition.data:  # without values there are labels alone
        right, bottom = max(old.left + data_column - 1, old.left), max(bottom, old.top)
    return old._replace(bottom=bottom, right=right)


def label(worked: WorkedPivot, number: int, position: int, words: Words) -> Value:
    """What stands for an item, or for a data field."""
    if number == VALUES:
        return worked.definition.data[position].name
    state = worked.items[number].states[position]
    if state.caption is not None:
        return state.caption
    store = worked.store
    value = store.fields[number].items[state.shared]
    if isinstance(value, float) and store.fields[number].is_date and store.system is DateSystem.FROM_1904:
        return value - SYSTEMS_APART
    return words.blank if value is None else value


def label_text(worked: WorkedPivot, number: int, position: int, words: Words) -> str:
    """The same as a text, for use within a longer one."""
    value = label(worked, number, position, words)
    is_date = number != VALUES and worked.store.fields[number].is_date
    return item_text(value, words.day if is_date else None, worked.store.system)


def row_labels(worked: WorkedPivot, words: Words) -> list[list[Value]]:
    """The labels of each line of rows, one for each label column."""
    definition, places = worked.definition, label_columns(worked.definition)
    width = max(definition.first[2], 1) if definition.rows else definition.first[2]
    found: list[list[Value]] = []
    lines = worked.row_side.lines
    for line, shown in zip(lines, shown_levels(line.line for line in lines), strict=True):
        own: list[Value] = [None] * width
        if not definition.rows:
            found.append(own)
            continue
        for at, value in _labels(worked, definition.rows, line, shown, words):
            own[places[at]] = value
        found.append(own)
    return found


def column_labels(worked: WorkedPivot, words: Words) -> list[list[Value]]:
    """The labels of each line of columns, one for each column field."""
    definition = worked.definition
    found: list[list[Value]] = []
    lines = worked.column_side.lines
    for line, shown in zip(lines, shown_levels(line.line for line in lines), strict=True):
        own: list[Value] = [None] * len(definition.columns)
        for at, value in _labels(worked, definition.columns, line, shown, words):
            own[at] = value
        found.append(own)
    return found


def _labels(
    worked: WorkedPivot, fields: Sequence[int], line: AxisLine, shown: range, words: Words
) -> list[tuple[int, Value]]:  # fmt: skip
    """The labels of a line, each with the place of its field on the axis."""
    path, kind = line.line.path, line.line.kind
    if not fields or kind == "blank":
        return []
    several = VALUES in fields
    if kind == "grand":
        if not several:
            return [(0, worked.definition.grand_caption or words.grand)]
        return [(0, words.total.format(worked.definition.data[line.line.data].name))]
    if kind:
        at = len(path) - 1
        name = label_text(worked, fields[at], path[at], words)
        outer = [(above, label(worked, fields[above], path[above], words)) for above in range(at)]
        outer = outer if _repeats(worked, fields) else []
        if several and VALUES not in fields[:at] and kind == "default":
            return [*outer, (at, f"{name} {worked.definition.data[line.line.data].name}")]
        pattern = words.subtotal if kind == "default" else "{} " + _CALLED.get(kind, kind)
        return [*outer, (at, pattern.replace("{}", name))]
    if _repeats(worked, fields):
        shown = range(len(path))
    return [(at, label(worked, fields[at], path[at], words)) for at in shown]


def _repeats(worked: WorkedPivot, fields: Sequence[int]) -> bool:
    """Whether every line shows all of its labels: for layouts of tables."""
    own = [worked.definition.fields[number] for number in fields if number != VALUES]
    return any(one.repeat_labels for one in own) and not any(one.outline for one in own)


def value_columns(worked: WorkedPivot) -> list[Column]:
    """The values, a column for each line of columns."""
    definition = worked.definition
    rows, columns = worked.row_side.lines, worked.column_side.lines
    values = np.zeros((len(rows), len(columns)))
    there = np.zeros(values.shape, bool)
    errors = np.zeros(values.shape, np.int64)
    if definition.data:
        for own_rows, row in _alike(rows):
            for own_columns, column in _alike(columns):
                data = row.data if row.data is not None else column.data if column.data is not None else 0
                block = shown_block(worked, row.level, column.level, data, row.how or column.how)
                picked = np.ix_([rows[at].group for at in own_rows], [columns[at].group for at in own_columns])
                into = np.ix_(own_rows, own_columns)
                values[into], there[into], errors[into] = (
                    block.values[picked], block.there[picked], block.errors[picked],
                )  # fmt: skip
    missing = Column.full(_missing(definition.missing), len(rows))
    in_error = None if definition.error is None else Column.full(definition.error or None, len(rows))
    filled = np.array([line.filled for line in rows], bool)
    found = []
    for at in range(len(columns)):
        wrong = (errors[:, at] > 0) & there[:, at]
        kinds = np.where(wrong, Kind.ERROR, Kind.NUMBER).astype(np.uint8)
        numbers = np.where(wrong, errors[:, at] - 1, values[:, at])
        own = Column(kinds, numbers, np.zeros(len(rows), np.int32))
        if in_error is not None and wrong.any():
            own = Column.where(wrong, in_error, own)
        if not there[:, at].all():
            own = Column.where(there[:, at], own, missing)
        found.append(own if filled.all() else Column.where(filled, own, Column.blank(len(rows))))
    return found


def _missing(caption: str | None) -> Value:
    if not caption:
        return None
    try:
        return float(caption)
    except ValueError:
        return caption


def _alike(lines: Sequence[AxisLine]) -> list[tuple[list[int], AxisLine]]:
    """The lines whose values are worked out together, by their places."""
    found: dict[tuple[int, int | None, str | None], list[int]] = {}
    for at, line in enumerate(lines):
        if line.filled:
            found.setdefault((line.level, line.data, line.how), []).append(at)
    return [(places, lines[places[0]]) for places in found.values()]
