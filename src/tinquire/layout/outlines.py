"""Rows grouped by columns, each group with a row of its totals: the rows of an outline, before they are laid out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import Fault, UseError
from tinquire.cells.column import Booleans, Codes, Column, recoded, used_codes
from tinquire.cells.display import show_column
from tinquire.cells.values import Value
from tinquire.layout.plans import OutlinePlan
from tinquire.looks import House
from tinquire.tables import Members, Table
from tinquire.tables.totals import totals_of
from tinquire.workbook import Sheet

__all__ = ["GroupTotal", "Outline", "group_rows", "outlined"]

#: Levels of an outline (ECMA-376 Part 1, 18.3.1.73), of which the rows themselves have the last.
_DEEPEST = 7


@dataclass(frozen=True, slots=True)
class GroupTotal:
    """A row of totals: its place among the rows of the outline, its depth from zero, and the first and last place of
    the rows of its group, totals of inner groups among them."""

    place: int
    depth: int
    first: int
    last: int


@dataclass(frozen=True)
class Outline:
    """Rows with their totals between them. `levels` has the outline level of each row; `rows` those of the table in
    each row, for totals all that they are of."""

    table: Table
    #: The rows by their groups, without totals.
    data: Table
    totals: tuple[GroupTotal, ...]
    levels: Codes
    rows: Members

    @property
    def is_total(self) -> Booleans:
        mask = np.zeros(len(self.levels), bool)
        mask[[total.place for total in self.totals]] = True
        return mask

    def runs(self) -> list[tuple[int, int]]:
        """First and last place of rows that follow each other without totals between."""
        places = np.flatnonzero(~self.is_total)
        cuts = np.flatnonzero(np.diff(places) != 1) + 1
        return [(int(run[0]), int(run[-1])) for run in np.split(places, cuts) if len(run)]


def outlined(
    table: Table, plan: OutlinePlan, totals: Mapping[str, str], house: House, stopped: str, where: str
) -> Outline:
    """The rows of a table by their groups, with rows of totals of columns between them.

    Groups stand in the order in which they first appear, rows in theirs. Raises UseError for too many levels or no
    totals, DataError for columns that are not there.
    """
    if not totals or len(plan.by) > _DEEPEST:
        why = f"an outline has at most {_DEEPEST} levels" if totals else "an outline sums up, and no totals are asked"
        raise UseError(Fault(stopped, why, where, 'say totals = { COLUMN = "sum" }' if not totals else "name fewer"))
    keys = [table.find(heading, stopped) for heading in plan.by]
    codes = _group_codes([table.columns[key] for key in keys], table.height)
    together = np.lexsort(tuple(reversed(codes)))
    if (np.diff(together) < 0).any():
        table, codes = table.take(together), [code.take(together) for code in codes]
    placed = _Placing(codes, table.height, above=plan.above).placed()
    rows = [np.arange(total.first, total.last + 1) for total in placed]
    order = _Placing.order(placed, table.height, above=plan.above)
    columns = tuple(
        Column.concat([column, Column.from_values(extra)]).take(order)
        for column, extra in zip(table.columns, _total_columns(table, placed, keys, plan, totals, house), strict=True)
    )
    members = Members.concat([Members(np.arange(1, table.height + 1), np.arange(table.height)), Members.of_lists(rows)])
    formulas = {
        identity: replace(formula, rows=np.append(formula.holds(table.height), np.zeros(len(placed), bool))[order])
        for identity, formula in table.formulas.items()
    }
    levels = np.append(np.full(table.height, len(keys)), [total.depth for total in placed])[order]
    where_now = np.empty(len(order), np.int64)
    where_now[order] = np.arange(len(order))
    found = []
    for number, total in enumerate(placed):
        place = int(where_now[table.height + number])
        first, last = int(where_now[total.first]), int(where_now[total.last])
        span = (place + 1, last) if plan.above else (first, place - 1)  # totals of inner groups lie in between
        found.append(GroupTotal(place, total.depth, *span))
    outline = replace(table, columns=columns, formulas=formulas, origin=table.origin)
    return Outline(outline, table, tuple(found), levels.astype(np.int32), members.take(order))


def group_rows(sheet: Sheet, outline: Outline, top: int, plan: OutlinePlan) -> None:
    """Give the rows of an outline whose first stands in row `top` their levels (18.3.1.73)."""
    places = np.flatnonzero(outline.levels)
    rows = (top + places).tolist()
    sheet.outline_rows.update(zip(rows, outline.levels[places].tolist(), strict=True))
    if plan.collapsed:
        sheet.hidden_rows.update(rows)
    sheet.summary_above = plan.above
    if plan.collapsed:
        sheet.collapsed_rows |= {top + total.place for total in outline.totals}


def _group_codes(columns: Sequence[Column], height: int) -> list[Codes]:
    """For each key the number of the group that a row lies in, groups numbered by first appearance within those
    outside them."""
    codes: list[Codes] = []
    outer = np.zeros(height, np.int64)
    for column in columns:
        own, _ = column.groups()
        pairs = outer * (int(own.max(initial=0)) + 1) + own
        pool = int(pairs.max(initial=0)) + 1
        used = used_codes(pairs, pool)
        places = recoded(pairs, used, range(len(used)), pool)
        first = np.empty(len(used), np.int64)
        first[places[::-1]] = np.arange(height - 1, -1, -1)  # the last to be written is the first of its group
        ranks = np.empty(len(used), np.int64)
        ranks[np.argsort(first)] = np.arange(len(used))
        outer = ranks[places]
        codes.append(outer)
    return codes


@dataclass(frozen=True)
class _Placing:
    """Groups of rows that stand together, and where their totals go: `place` counts rows before totals are put in."""

    codes: Sequence[Codes]
    height: int
    above: bool

    def placed(self) -> list[GroupTotal]:
        """The totals of all groups, `first` and `last` row of each; outer ones before inner ones."""
        found = []
        for depth, codes in enumerate(self.codes):
            starts = np.flatnonzero(np.diff(codes, prepend=-1) != 0).tolist()
            ends = [*(start - 1 for start in starts[1:]), self.height - 1]
            found += [GroupTotal(-1, depth, first, last) for first, last in zip(starts, ends, strict=True)]
        return found

    @staticmethod
    def order(totals: Sequence[GroupTotal], height: int, *, above: bool) -> Codes:
        """The order of rows and totals, which are numbered after the rows: above their rows outer totals come first,
        below them last."""
        depth = np.array([total.depth for total in totals], float)
        edge = np.array([total.first if above else total.last for total in totals], float)
        shift = (depth + 1) / (_DEEPEST + 2)
        keys = np.append(np.arange(height, dtype=float), edge - 1 + shift if above else edge + 1 - shift)
        return np.argsort(keys, kind="stable")


def _total_columns(
    table: Table, placed: Sequence[GroupTotal], keys: Sequence[int], plan: OutlinePlan, totals: Mapping[str, str],
    house: House,
) -> list[list[Value]]:  # fmt: skip
    """What stands in the rows of totals, for each column: the outer groups as they are, the own one in its label, the
    totals."""
    filled: list[list[Value]] = [[None] * len(placed) for _ in table.fields]
    firsts = np.array([own.first for own in placed], np.int64)
    for depth, key in enumerate(keys):
        ones = table.columns[key].take(firsts)
        for place, (own, text) in enumerate(
            zip(placed, show_column(ones, house.number_format(table.fields[key].type)), strict=True)
        ):
            if own.depth == depth:
                filled[key][place] = plan.label.replace("{}", text)
            elif own.depth > depth:
                filled[key][place] = ones[place]
    for heading, kind in totals.items():
        index = table.index_of(heading)
        assert index is not None
        filled[index] = totals_of(kind, table.columns[index], [(own.first, own.last) for own in placed])
    return filled
