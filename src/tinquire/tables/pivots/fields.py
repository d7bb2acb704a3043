"""Fields of a pivot: values brought together (days into months, numbers into bands), put in order, and cut to the top.

A field becomes one column of labels; the rows of the table get a group for each level of fields, numbered in the order
in which the groups are shown.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from dataclasses import field as dataclass_field
from functools import partial
from itertools import pairwise
from typing import Protocol, TypeAlias

import numpy as np

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.cells.column import Booleans, Codes, Column, Floats, Kind
from tinquire.cells.dates import LAST_SERIAL, date_from_serial, serial_from_date
from tinquire.cells.display import general
from tinquire.cells.languages import Language
from tinquire.cells.periods import period_of
from tinquire.cells.ranks import dense
from tinquire.cells.values import Value
from tinquire.tables.table import Field, Table

__all__ = ["Levels", "PivotField", "Span", "group_levels"]

#: What a label stands for that brings numbers or days together: all from the first on, before the second; None for no
#: end.
Span: TypeAlias = tuple[float | None, float | None]


@dataclass(frozen=True, slots=True)
class PivotField:
    """A column by which a pivot tells its rows or columns apart.

    `by` brings days together, `bands` numbers between limits. Groups are in the order of their labels, of a list
    (`order`, what is not in it last), or of a value (`sort`, its name, with `-` the largest first); of a field with
    `top` keep only the first n groups stay, and the others become one group named `rest`, or are left out without one.
    """

    column: str
    by: str | None = None
    bands: tuple[float, ...] = ()
    order: tuple[Value, ...] = ()
    sort: str | None = None
    top: int | None = None
    rest: str | None = None


class ValueOf(Protocol):
    """Gives the numbers of a named value for each of `count` groups of the rows that are kept."""

    def __call__(self, name: str, groups: Codes, count: int, kept: Codes) -> Floats: ...


@dataclass(frozen=True, slots=True)
class Levels:
    """The groups of a table's rows: `groups[d]` is each row's group by the first d + 1 fields, `firsts[d]` a row of
    each such group; `labels` are the fields' values of every row, `kept` the rows that are still there."""

    fields: tuple[Field, ...]
    labels: tuple[Column, ...]
    groups: tuple[Codes, ...]
    firsts: tuple[Codes, ...]
    kept: Codes
    #: For each field what its labels stand for, of those that bring several values together.
    spans: tuple[Mapping[str, Span], ...]

    def count(self, depth: int) -> int:
        return len(self.firsts[depth])


def group_levels(
    table: Table, fields: Sequence[PivotField], value_of: ValueOf, stopped: str, language: Language
) -> Levels:
    """The rows of a table distinguished by fields, level by level.

    `value_of` gives the value of a name for each group of the rows that are kept. Raises DataError for
    columns that are missing or hold no days or numbers where these are wanted.
    """
    labels = [_labels(table, field, stopped, language) for field in fields]
    kept = np.arange(table.height)
    groups: list[Codes] = []
    for depth, field in enumerate(fields):
        above = groups[-1] if groups else np.zeros(len(kept), np.int64)
        codes = _ranks(labels[depth].column.take(kept), field, labels[depth].order)
        level, count = _together(above, codes)
        if field.sort is not None or field.top is not None:
            level = _by_value(level, count, above, field, partial(value_of, kept=kept))
        if field.top is not None:
            stays, renamed = _top_groups(level, above, field)
            if field.rest is None:
                kept, level, groups = kept[stays], level[stays], [group[stays] for group in groups]
            elif not stays.all():
                rest = np.zeros(table.height, bool)
                rest[kept[~stays]] = True
                column = Column.where(rest, Column.full(field.rest, 1), labels[depth].column)
                labels[depth] = replace(labels[depth], column=column, order=())
                level = renamed
        level, _ = dense(level)
        groups.append(level)
    firsts = [_first_rows(level) for level in groups]
    return Levels(
        tuple(label.field for label in labels),
        tuple(label.column.take(kept) for label in labels),
        tuple(level.astype(np.int32) for level in groups),
        tuple(firsts),
        kept,
        tuple(label.spans for label in labels),
    )


def _first_rows(level: Codes) -> Codes:
    """A row of each group, the first one."""
    first = np.zeros(int(level.max(initial=-1)) + 1, np.int64)
    first[level[::-1]] = np.arange(len(level) - 1, -1, -1)  # the last one written is the first
    return first


def _together(above: Codes, codes: Codes) -> tuple[Codes, int]:
    """Groups within groups, in their order."""
    width = int(codes.max(initial=0)) + 1
    return dense(above.astype(np.int64) * width + codes)


@dataclass(frozen=True, slots=True)
class _Labels:
    """A field's heading and type, its label for every row, the order that its labels have of themselves, and what
    those stand for that bring several values together."""

    field: Field
    column: Column
    order: tuple[Value, ...] = ()
    spans: Mapping[str, Span] = dataclass_field(default_factory=dict)


def _labels(table: Table, field: PivotField, stopped: str, language: Language) -> _Labels:
    index = table.find(field.column, stopped)
    one, column = table.fields[index], table.columns[index]
    if field.by is not None:
        return _by_calendar(table, replace(one, type="text"), column, field, stopped)
    if field.bands:
        return _by_bands(table, replace(one, type="text"), column, field, stopped, language)
    return _Labels(one, column)


def _by_calendar(table: Table, one: Field, column: Column, field: PivotField, stopped: str) -> _Labels:
    filled = column.kinds != Kind.BLANK
    is_day = (column.kinds == Kind.NUMBER) & (column.numbers >= 1) & (column.numbers < LAST_SERIAL + 1)
    for row in _earliest(table, filled & ~is_day):
        why = f"'{column[row]}' in column '{field.column}' is not a date"
        raise DataError(Fault(stopped, why, table.where(row), "give the column the type date, or fix the value"))
    days, positions = np.unique(np.floor(column.numbers[filled]).astype(np.int64), return_inverse=True)
    codes = np.zeros(len(column), np.int32)
    codes[filled] = positions
    periods = [period_of(field.by or "day", date_from_serial(day)) for day in days.tolist()]
    named = Column.of_codes(codes, [period.text for period in periods] or [""])
    spans = {item.text: (serial_from_date(item.first), serial_from_date(item.last) + 1) for item in periods}
    return _Labels(one, Column.where(filled, named, Column.blank(1)), (), spans)


def _earliest(table: Table, wrong: Booleans) -> list[int]:
    """Of the rows that are wrong the one that came first, if there is one; rows of groups are in another order."""
    rows = np.flatnonzero(wrong)
    if not len(rows) or table.origin is None:
        return rows[:1].tolist()
    origin = table.origin.firsts()
    order = np.lexsort((origin.row[rows], origin.sheet[rows], origin.file[rows]))
    return rows[order][:1].tolist()


def _by_bands(table: Table, one: Field, column: Column, field: PivotField, stopped: str, language: Language) -> _Labels:
    """Label of numbers between limits: a number that is a limit belongs to the band that begins with it."""
    limits = field.bands
    if any(low >= high for low, high in pairwise(limits)):
        raise UseError(Fault(stopped, f"the limits of '{field.column}' do not rise", do="write them in order"))
    for row in _earliest(table, (column.kinds != Kind.NUMBER) & (column.kinds != Kind.BLANK)):
        why = f"'{column[row]}' in column '{field.column}' is not a number"
        raise DataError(Fault(stopped, why, table.where(row), "give the column a type of number, or fix the value"))
    names = _band_names(limits, language)
    codes = np.searchsorted(np.array(limits), column.numbers, side="right").astype(np.int32)
    banded = Column.where(column.kinds == Kind.BLANK, Column.blank(1), Column.of_codes(codes, names))
    spans = dict(zip(names, pairwise((None, *limits, None)), strict=True))
    return _Labels(one, banded, tuple(names), spans)


def _band_names(limits: Sequence[float], language: Language) -> list[str]:
    spelled, words = [language.number(general(limit)) for limit in limits], language.words
    between = [words.between.format(low, high) for low, high in pairwise(spelled)]
    return [words.under.format(spelled[0]), *between, words.over.format(spelled[-1])]


def _ranks(column: Column, field: PivotField, own_order: tuple[Value, ...]) -> Codes:
    """Each value's position among the labels: as listed, what is not listed last, in its natural order."""
    codes, distinct = column.groups()
    order = field.order or own_order
    if not order:
        return codes
    listed = {_fold(value): index for index, value in enumerate(order)}
    indexes = np.array([listed.get(_fold(value), len(order)) for value in distinct], np.int64)
    rank = np.empty(len(distinct), np.int32)
    rank[np.lexsort((np.arange(len(distinct)), indexes))] = np.arange(len(distinct))
    return rank[codes]


def _fold(value: Value) -> Value:
    return value.casefold() if isinstance(value, str) else value


def _by_value(
    level: Codes, count: int, above: Codes, field: PivotField, value_of: Callable[[str, Codes, int], Floats]
) -> Codes:
    """Groups numbered again: within each group above by a value, those that are equal as they stood."""
    name = field.sort or ""
    values = value_of(name.removeprefix("-"), level.astype(np.int32), count)
    _, first = np.unique(level, return_index=True)
    falling = name.startswith("-") or field.sort is None
    placed = np.where(np.isnan(values), np.inf, -values if falling else values)
    order = np.lexsort((np.arange(count), placed, above[first]))
    rank = np.empty(count, np.int64)
    rank[order] = np.arange(count)
    return rank[level]


def _top_groups(level: Codes, above: Codes, field: PivotField) -> tuple[np.ndarray, Codes]:
    """Which rows belong to the first groups within their group above; and the groups, the others as one, last."""
    assert field.top is not None
    known, first = np.unique(level, return_index=True)
    parents = above[first]
    starts = np.searchsorted(parents, parents)  # groups are numbered within those above, in their order
    positions = np.arange(len(known)) - starts
    stays = (positions < field.top)[np.searchsorted(known, level)]
    renamed = above.astype(np.int64) * (field.top + 1) + np.minimum(positions, field.top)[np.searchsorted(known, level)]
    return stays, renamed
