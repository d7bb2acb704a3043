"""Working pivots out: groups of rows brought into lines and columns, with totals that aggregate rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.column import Codes, Column, Floats, Kind
from tinquire.cells.languages import ENGLISH, Language
from tinquire.cells.values import Value
from tinquire.tables.addable import require_numbers
from tinquire.tables.aggregation import Aggregation, Summary
from tinquire.tables.origin import Members
from tinquire.tables.pivots.fields import Levels, PivotField, group_levels
from tinquire.tables.pivots.groups import GroupSource, PivotValue, RowGroups
from tinquire.tables.pivots.pivot import Pivot, PivotRows, spelled
from tinquire.tables.pivots.shown_as import SHOWN, Block, show_block_as
from tinquire.tables.scope import GroupScope
from tinquire.tables.table import Table, require
from tinquire.tables.types import sum_type

__all__ = ["PivotField", "PivotValue", "Subtotals", "make_pivot", "pivot_of_groups"]


@dataclass(frozen=True, slots=True)
class Subtotals:
    """Lines that sum up the groups of all fields but the last: below or above their lines, named by the group's label
    in place of `{}`, in the words of the language without a name."""

    above: bool = False
    name: str | None = None


def make_pivot(
    table: Table,
    rows: Sequence[str | PivotField],
    columns: Sequence[str | PivotField],
    values: Sequence[PivotValue],
    *,
    empty: Value = None,
    totals: str | None = None,
    totals_across: str | None = None,
    subtotals: Subtotals | None = None,
    scope: GroupScope | None = None,
    language: Language = ENGLISH,
) -> Pivot:
    """Sum up a table by row and column fields; every line meets every column group.

    `empty` stands where a combination has no rows; `scope` knows the other tables and figures that formulas name.
    Raises DataError for columns that are missing, UseError for formulas and ways of showing that are not known.
    """
    stopped = f"pivot '{table.name}'"
    down, across = [_field(row) for row in rows], [_field(column) for column in columns]
    require(table, [*(item.column for item in (*down, *across)), *plain_columns(values)], stopped)
    for value in values:
        if value.formula is None:
            require_numbers(table, value.column, value.how, stopped)
    groups = RowGroups(table, [item.column for item in (*down, *across)], scope or GroupScope({}), stopped)
    return pivot_of_groups(
        groups, down, across, values, empty=empty, totals=totals, totals_across=totals_across, subtotals=subtotals,
        language=language,
    )  # fmt: skip


def plain_columns(values: Sequence[PivotValue]) -> list[str]:
    """The columns that values work on, other than by formulas."""
    return [value.column for value in values if value.formula is None]


def pivot_of_groups(
    groups: GroupSource,
    rows: Sequence[PivotField],
    columns: Sequence[PivotField],
    values: Sequence[PivotValue],
    *,
    empty: Value = None,
    totals: str | None = None,
    totals_across: str | None = None,
    subtotals: Subtotals | None = None,
    language: Language = ENGLISH,
) -> Pivot:
    """The same of rows that are distinguished already, by all columns of the fields at least."""
    return _PivotMaker(groups, values, empty, language).pivot(rows, columns, subtotals, totals, totals_across)


def _field(one: str | PivotField) -> PivotField:
    return PivotField(one) if isinstance(one, str) else one


class _PivotMaker:
    """Groups of rows, and the values that are to be calculated of them."""

    def __init__(self, groups: GroupSource, values: Sequence[PivotValue], empty: Value, language: Language) -> None:
        self.groups, self.values, self.empty, self.language = groups, tuple(values), empty, language
        self.name = groups.labels.name
        self.stopped = f"pivot '{self.name}'"
        for value in values:
            if value.shown is not None and value.shown not in SHOWN:
                why = f"nothing is shown as '{value.shown}': {known_names(value.shown, list(SHOWN))}"
                raise UseError(Fault(self.stopped, why, do="fix the word"))

    def pivot(
        self, rows: Sequence[PivotField], columns: Sequence[PivotField], subtotals: Subtotals | None,
        totals: str | None, totals_across: str | None,
    ) -> Pivot:  # fmt: skip
        labels = self.groups.labels
        across = group_levels(labels, columns, self.value_of, self.stopped, self.language)
        within = partial(self.value_of, within=across.kept)
        down = group_levels(labels.take(across.kept), rows, within, self.stopped, self.language)
        side = across.groups[-1][down.kept] if columns else np.zeros(len(down.kept), np.int32)
        lines = _Lines.of(down, subtotals)
        parts = _Parts(across.kept[down.kept], down, side, across.count(len(columns) - 1) if columns else 1)
        worked = [self._worked(value, lines, parts) for value in self.values]
        blocks = [
            block if value.shown is None else show_block_as(block, value.shown)
            for value, block in zip(self.values, worked, strict=True)
        ]
        return Pivot(
            name=self.name,
            row_fields=down.fields,
            column_fields=across.fields,
            values=self.values,
            value_types=tuple(self._type(value) for value in self.values),
            labels=lines.labels(down, subtotals, self.language),
            across=tuple(column.take(across.firsts[-1]) for column in across.labels) if columns else (),
            cells=tuple(block.cells for block in blocks),
            row_totals=tuple(block.line_totals for block in blocks),
            column_totals=tuple(block.column_totals for block in blocks),
            grand=tuple(block.grand for block in blocks),
            totals=totals,
            totals_across=totals_across,
            depths=lines.depths,
            rows=PivotRows(
                lines.members(parts), Members.of_groups(parts.side, parts.width).of_places(parts.kept), self.groups
            ),
            language=self.language,
            spans=(*down.spans, *across.spans),
        )

    def _worked(self, value: PivotValue, lines: _Lines, parts: _Parts) -> Block:
        """One value for every line, column group and total."""
        down, width = parts.down, parts.width
        work = partial(self.aggregated, value, parts)
        cells, totals = [], []
        for depth, groups in enumerate(down.groups):
            count = down.count(depth)
            crossed = groups.astype(np.int64) * width + parts.side
            cells.append(self._filled(work(("cells", depth), crossed, count * width), crossed))
            totals.append(work(("totals", depth), groups, count))
        starts = np.cumsum([0, *(down.count(depth) for depth in range(len(down.groups)))])
        at = lines.groups + starts[lines.depths - 1]
        # Behind all groups stands the whole table, which is around those of the first field.
        around = np.where(lines.parents < 0, starts[-1], lines.parents + starts[np.maximum(lines.depths - 2, 0)])
        columns = work(("columns", 0), parts.side, width)
        grand = work(("grand", 0), np.zeros(len(parts.side), np.int32), 1)
        every, every_total = Column.concat([*cells, columns]), Column.concat([*totals, grand])

        def crossed_with(groups: Codes) -> Codes:
            return (np.arange(width)[None, :] + groups[:, None] * width).ravel()

        return Block(
            every.take(crossed_with(at)), every_total.take(at), columns, grand,
            every.take(crossed_with(around)), every_total.take(around), lines.depths, lines.parents, across=width > 1,
        )  # fmt: skip

    def aggregated(self, value: PivotValue, parts: _Parts, what: tuple[str, int], groups: Codes, count: int) -> Column:
        """A value for each of some larger groups; summaries serve all values of a column."""
        if value.how not in Summary.KINDS:
            return self._by_rows(value, groups, count, parts.kept)
        key = (value.column.casefold(), *what)
        if key not in parts.summaries:
            parts.summaries[key] = self.groups.summary(value.column).rolled(groups, count, parts.kept)
        return parts.summaries[key].result(value.how)

    def _by_rows(self, value: PivotValue, groups: Codes, count: int, kept: Codes) -> Column:
        every = np.full(self.groups.labels.height, -1, np.int64)
        every[kept] = groups
        return self.groups.worked_out(value, every, count)

    def value_of(self, name: str, groups: Codes, count: int, kept: Codes, within: Codes | None = None) -> Floats:
        """The numbers of a value for each of some larger groups of those that are kept, NaN where there is none; the
        first value's, without a name."""
        folded = name.casefold()
        found = next((value for value in self.values if not name or value.name.casefold() == folded), None)
        if found is None:
            why = f"there is no value '{name}' to sort by: {known_names(name, [value.name for value in self.values])}"
            raise UseError(Fault(self.stopped, why, do="name a value of the pivot"))
        kept = kept if within is None else within[kept]
        if found.how in Summary.KINDS:
            column = self.groups.summary(found.column).rolled(groups, count, kept).result(found.how)
        else:
            column = self._by_rows(found, groups, count, kept)
        return np.where(column.kinds == Kind.NUMBER, column.numbers, np.nan)

    def _filled(self, cells: Column, groups: Codes) -> Column:
        """Cells with `empty` where no row fell; a combination that has rows but no numbers is left as it is."""
        if self.empty is None:
            return cells
        met = np.zeros(len(cells), bool)
        met[groups] = True
        return Column.where(~met & (cells.kinds == Kind.BLANK), Column.full(self.empty, 1), cells)

    def _type(self, value: PivotValue) -> str:
        kind = SHOWN[value.shown][1] if value.shown is not None else None
        if kind is not None:
            return kind
        if value.formula is not None:
            return "number"
        if value.how in (Aggregation.COUNT, Aggregation.NUMBERS, Aggregation.DISTINCT):
            return "whole"
        kind = self.groups.field(value.column).type
        if value.how is Aggregation.SUM:
            return sum_type(kind)
        worked = (Aggregation.AVERAGE, Aggregation.MEDIAN, Aggregation.DEVIATION, Aggregation.VARIANCE)
        return "number" if kind == "whole" and value.how in worked else kind


@dataclass(frozen=True)
class _Parts:
    """Where the groups of rows that are kept fall: their levels down, their column group; and summaries of what they
    make together."""

    kept: Codes
    down: Levels
    side: Codes
    width: int
    summaries: dict[tuple[str, str, int], Summary] = field(default_factory=dict)


@dataclass(frozen=True)
class _Lines:
    """The lines of a pivot: how many fields each tells apart (at least one), its group by these, and the group around
    it (-1 for those of the first field)."""

    depths: Codes
    groups: Codes
    parents: Codes

    @classmethod
    def of(cls, down: Levels, subtotals: Subtotals | None) -> _Lines:
        deepest = len(down.groups)
        first = down.firsts[-1]
        leaves = np.arange(len(first))
        depths, groups, keys = [np.full(len(first), deepest)], [leaves], [leaves * 2.0]
        for depth in range(1, deepest) if subtotals is not None else ():
            own = down.groups[depth - 1][first]  # of every leaf, its group by fewer fields
            known, starts, counts = np.unique(own, return_index=True, return_counts=True)
            depths.append(np.full(len(known), depth))
            groups.append(known)
            nested = (deepest - depth) / (deepest + 1.0)
            assert subtotals is not None
            keys.append(starts * 2.0 - nested if subtotals.above else (starts + counts - 1) * 2.0 + nested)
        every, group = np.concatenate(depths).astype(np.int32), np.concatenate(groups).astype(np.int64)
        order = np.argsort(np.concatenate(keys), kind="stable")
        every, group = every[order], group[order]
        parents = np.full(len(every), -1, np.int64)
        for depth in range(2, deepest + 1):
            here = every == depth
            parents[here] = down.groups[depth - 2][down.firsts[depth - 1][group[here]]]
        return cls(every, group, parents)

    def members(self, parts: _Parts) -> Members:
        """The groups of rows in each line."""
        counts = [parts.down.count(depth) for depth in range(len(parts.down.groups))]
        levels = [Members.of_groups(groups, count) for groups, count in zip(parts.down.groups, counts, strict=True)]
        starts = np.cumsum([0, *counts])
        every = Members.concat(levels).take(self.groups + starts[self.depths - 1])
        return every.of_places(parts.kept)

    def labels(self, down: Levels, subtotals: Subtotals | None, language: Language) -> tuple[Column, ...]:
        """The fields' values of each line; a subtotal has its name under the last field that it tells apart."""
        rows = np.empty(len(self.depths), np.int64)
        for depth in range(1, len(down.groups) + 1):
            here = self.depths == depth
            rows[here] = down.firsts[depth - 1][self.groups[here]]
        made = []
        for number, column in enumerate(down.labels, start=1):
            own = column.take(rows)
            if subtotals is not None:
                name = subtotals.name or language.words.group_total
                named = [
                    name.replace("{}", spelled(own[index], language, down.fields[number - 1].type))
                    for index in range(len(rows))
                ]
                is_own = (self.depths == number) & (number < len(down.labels))
                own = Column.where(is_own, Column.of_texts(named), own)
                own = Column.where(self.depths < number, Column.blank(1), own)
            made.append(own)
        return tuple(made)
