"""A pivot worked out from its store: which lines it has, and what the cell where two of them cross comes to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Column
from tinquire.cells.dates import DateSystem
from tinquire.workbook.pivots.definition import VALUES, Filter, PivotDefinition, PivotField, SortBy
from tinquire.workbook.pivots.filters import BEST, best_of, is_of_days, label_test, value_test
from tinquire.workbook.pivots.groupings import Codes
from tinquire.workbook.pivots.ordering import Items, ordered_items
from tinquire.workbook.pivots.reckoning import HOW, Block, Formula, read_field_formula, reckoned, summed
from tinquire.workbook.pivots.store import Store
from tinquire.workbook.pivots.tree import Axis, AxisLine, Form, Level, axis_lines, levels_of

__all__ = ["Side", "WorkedPivot", "work_out"]

#: A pivot of more cells than this is no summary.
_MOST_CELLS = 20_000_000
#: Fields that are reckoned one from the other, at most so many in a row.
_MOST_STEPS = 64


@dataclass(frozen=True)
class Side:
    """One axis worked out: its real fields, their levels, and its lines."""

    fields: tuple[int, ...]
    levels: tuple[Level, ...]
    lines: tuple[AxisLine, ...]
    #: The groups within each group of the level above, in the order shown, level by level from the second.
    inner: tuple[tuple[NDArray[np.int64], ...], ...]


@dataclass
class WorkedPivot:
    """A pivot's lines and values. `items` are each field's items in order, for fields that list any."""

    definition: PivotDefinition
    store: Store
    items: dict[int, Items]
    rows: Codes = field(default_factory=lambda: np.zeros(0, np.int64))
    row_side: Side = field(init=False)
    column_side: Side = field(init=False)
    #: Values by the levels of rows and columns, the field and how it is summed up.
    _blocks: dict[tuple[int, int, int, str], Block] = field(default_factory=dict)
    _formulas: dict[int, Formula] = field(default_factory=dict)

    def block(self, row_level: int, column_level: int, data: int, how: str | None = None) -> Block:
        """The values of a data field for all groups of a level of rows by those of a level of columns."""
        one = self.definition.data[data]
        return self._known(row_level, column_level, one.field, how or one.how)

    def _known(self, row_level: int, column_level: int, number: int, how: str) -> Block:
        key = (row_level, column_level, number, how)
        if key not in self._blocks:
            self._blocks[key] = self._summed(*key)
        return self._blocks[key]

    def _summed(self, row_level: int, column_level: int, number: int, how: str) -> Block:
        rows, columns = self.row_side.levels[row_level], self.column_side.levels[column_level]
        shape = (rows.count, columns.count)
        if shape[0] * shape[1] > _MOST_CELLS:
            raise ValueError(f"it would have {shape[0]:,} by {shape[1]:,} cells")
        groups = rows.rows * columns.count + columns.rows
        field_of = self.store.fields[number]
        if field_of.formula is not None:
            formula = self._formula(number)
            sums = {name: self._known(row_level, column_level, at, "sum") for name, at in formula.fields.items()}
            there = np.bincount(groups, minlength=shape[0] * shape[1]).reshape(shape) > 0
            return reckoned(formula, sums, there)
        values = field_of.values
        if values is None:  # a group counts as often as its rows
            values = Column.of_texts([str(one) for one in field_of.items]).take(field_of.codes)
        taken = values if len(self.rows) == len(values) else values.take(self.rows)
        return summed(taken, how, groups, shape)

    def require_known(self) -> None:
        """Raises ValueError for a data field that is summed up in a way that is not known, is reckoned from itself, or
        comes to days which the workbook counts from 1904."""
        found: dict[int, frozenset[int]] = {}
        for one in self.definition.data:
            summands = self._summands(one.field, (), found)
            if one.how not in HOW and one.how not in ("count", "countA"):
                raise ValueError(f"its values are summed up by '{one.how}', which is not known")
            if self.store.system is DateSystem.FROM_1904 and not one.how.startswith("count"):
                days = sorted(number for number in summands if self.store.fields[number].is_date)
                if days:
                    name = self.store.fields[days[0]].name
                    raise ValueError(f"it sums up '{name}', and the workbook counts days from 1904")

    def _summands(self, number: int, above: tuple[int, ...], found: dict[int, frozenset[int]]) -> frozenset[int]:
        """The fields of rows that a field's values come from. Raises ValueError for a field that is reckoned from
        itself, or over too many others."""
        name = self.store.fields[number].name
        if number in above:
            raise ValueError(f"its field '{name}' is reckoned from itself")
        if len(above) > _MOST_STEPS:
            raise ValueError(f"its field '{name}' is reckoned in more than {_MOST_STEPS} steps")
        if number not in found:
            own = frozenset[int]((number,))
            if self.store.fields[number].formula is not None:
                inner = [self._summands(at, (*above, number), found) for at in self._formula(number).fields.values()]
                own = frozenset[int]().union(*inner)
            found[number] = own
        return found[number]

    def _formula(self, number: int) -> Formula:
        if number not in self._formulas:
            text = self.store.fields[number].formula or "0"
            names = [one.name for one in self.store.fields]
            self._formulas[number] = read_field_formula(text, names)
        return self._formulas[number]

    def forget(self) -> None:
        """Forget values of rows that are not shown any more."""
        self._blocks.clear()

    def codes(self, number: int) -> Codes:
        """The position of each shown row's item in a field."""
        own = self.store.fields[number]
        table = np.array(self.items[number].positions(len(own.items)), np.int64)
        if not len(table):
            return np.zeros(len(self.rows), np.int64)
        return table[own.codes if len(self.rows) == len(own.codes) else own.codes[self.rows]]

    def side(self, numbers: Sequence[int]) -> Side:
        """The groups of an axis, not sorted yet and without lines."""
        real = tuple(number for number in numbers if number != VALUES)
        sizes = [len(self.items[number].states) for number in real]
        whole = [self.definition.fields[number].every_item for number in real]
        levels = tuple(levels_of([self.codes(number) for number in real], sizes, len(self.rows), whole))
        return Side(real, levels, (), ())

    def finish(self, numbers: Sequence[int], side: Side, *, total: bool, rows: bool) -> Side:
        """The same axis with its groups sorted and its lines."""
        inner = []
        for at in range(1, len(side.levels)):
            level, field_of = side.levels[at], self.definition.fields[side.fields[at - 1]]
            starts = np.searchsorted(level.parents, np.arange(side.levels[at - 1].count + 1))
            groups = [np.arange(low, high) for low, high in pairwise(starts.tolist())]
            by = field_of.sort_by
            if by is not None and field_of.sort in ("ascending", "descending"):
                keys = self._sort_values(at, by, field_of, rows=rows)
                groups = [own[np.argsort(keys[own], kind="stable")] for own in groups]
            inner.append(tuple(groups))
        forms = tuple(self._form(number, rows=rows) for number in numbers)
        axis = Axis(
            tuple(numbers), forms, side.levels, lambda level, group: inner[level][group].tolist(),
            len(self.definition.data), total,
        )  # fmt: skip
        return Side(side.fields, side.levels, tuple(axis_lines(axis)), tuple(inner))

    def _sort_values(self, at: int, by: SortBy, field_of: PivotField, *, rows: bool) -> NDArray[np.float64]:
        other = self.column_side if rows else self.row_side
        other_level, group = 0, 0
        wanted = dict(by.within)
        if wanted and set(wanted) == set(other.fields[: len(wanted)]):
            other_level, group = _group_at(
                other, [self._now(number, wanted[number]) for number in other.fields[: len(wanted)]]
            )
        block = self.block(at, other_level, by.data) if rows else self.block(other_level, at, by.data)
        values = block.values[:, group] if rows else block.values[group]
        there = block.there[:, group] if rows else block.there[group]
        keys = values if field_of.sort == "ascending" else -values
        return np.where(there, keys, np.inf)

    def _now(self, number: int, position: int) -> int:
        return self.items[number].moved.get(position, -1)

    def _form(self, number: int, *, rows: bool) -> Form:
        if number == VALUES:
            return Form(headed=rows and self.definition.outline_data)
        one = self.definition.fields[number]
        closed = frozenset(at for at, state in enumerate(self.items[number].states) if state.closed)
        headed = rows and one.outline
        return Form(headed, one.on_top, one.subtotals, rows and one.blank_line, closed)


def _group_at(side: Side, path: Sequence[int]) -> tuple[int, int]:
    """The level and group of a path of positions; the whole when there is none."""
    group = 0
    for at, position in enumerate(path, start=1):
        level = side.levels[at]
        found = np.flatnonzero((level.parents == group) & (level.positions == position))
        if not len(found):
            return 0, 0
        group = int(found[0])
    return len(path), group


def work_out(definition: PivotDefinition, store: Store, today: float | None = None) -> WorkedPivot:
    """A pivot's lines and values from its store; filters of days lie to `today`, a serial. Raises ValueError for what
    cannot be worked out, saying why."""
    items = {
        number: ordered_items(one, store.fields[number], custom_lists=definition.custom_lists)
        for number, one in enumerate(definition.fields)
        if one.items is not None or one.axis
    }
    worked = WorkedPivot(definition, store, items)
    worked.require_known()
    worked.rows = np.flatnonzero(_shown(definition, store, items))
    by_value = [one for one in definition.filters if one.kind in BEST or one.kind.startswith("value")]
    for one in definition.filters:
        if one not in by_value:
            own, test = store.fields[one.field], label_test(one, today)
            if own.grouping is not None and is_of_days(one.kind):
                raise ValueError(f"its filter '{one.kind}' is about days, and the field has groups of them")
            shown = np.array([test(value) for value in own.items], bool)
            worked.rows = worked.rows[shown[own.codes[worked.rows]]]
    _work_sides(worked)
    best = [
        Filter(number, "count", one.best[2], "", "", float(one.best[0]), not one.best[1])
        for number, one in enumerate(definition.fields)
        if one.best is not None and one.axis in ("row", "column")
    ]
    for one in [*by_value, *best]:
        _filter_values(worked, one)
    rows, columns = worked.row_side, worked.column_side
    worked.row_side = worked.finish(definition.rows, rows, total=definition.total_row, rows=True)
    worked.column_side = worked.finish(definition.columns, columns, total=definition.total_column, rows=False)
    return worked


def _shown(definition: PivotDefinition, store: Store, items: dict[int, Items]) -> NDArray[np.bool_]:
    """The rows whose items are not hidden, and chosen where one is. Raises ValueError for a choice that is gone."""
    mask = np.ones(store.height, bool)
    chosen = {number: position for number, position in definition.pages if position is not None}
    for number, one in enumerate(definition.fields):
        hidden = [state.shared for state in items[number].states if state.hidden] if one.axis else []
        if hidden and number not in chosen:
            out = np.zeros(len(store.fields[number].items), bool)
            out[hidden] = True
            mask &= ~out[store.fields[number].codes]
    for number, position in chosen.items():
        now = items[number].moved.get(position)
        if now is None:
            raise ValueError(f"the item chosen of '{store.fields[number].name}' is not there")
        mask &= store.fields[number].codes == items[number].states[now].shared
    return mask


def _work_sides(worked: WorkedPivot) -> None:
    worked.forget()
    worked.row_side = worked.side(worked.definition.rows)
    worked.column_side = worked.side(worked.definition.columns)


def _filter_values(worked: WorkedPivot, one: Filter) -> None:
    """Keep the rows of those groups of a field that a filter of values lets through."""
    rows = one.field in worked.row_side.fields
    side = worked.row_side if rows else worked.column_side
    if one.field not in side.fields or one.data is None:
        return
    at = side.fields.index(one.field) + 1
    block = worked.block(at, 0, one.data) if rows else worked.block(0, at, one.data)
    values, there = (block.values[:, 0], block.there[:, 0]) if rows else (block.values[0], block.there[0])
    level = side.levels[at]
    if one.kind in BEST:
        shown = np.zeros(level.count, bool)
        for parent in range(side.levels[at - 1].count):
            own = np.flatnonzero(level.parents == parent)
            shown[own] = best_of(one, values[own], there[own])
    else:
        shown = value_test(one)(values) & there
    worked.rows = worked.rows[shown[level.rows]]
    _work_sides(worked)
