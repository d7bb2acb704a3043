"""Checks that need no formula: totals that agree, rows counted, keys not repeated, columns complete, values allowed,
and what was there in the period before. Each says what it asks, and what it found where it does not hold."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from tinquire.base.wording import counted, listed
from tinquire.cells.column import Codes, Column, Kind
from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import number_of
from tinquire.tables.keys import key_groups, key_text
from tinquire.tables.scope import TableScope, read_formula, scalar_value
from tinquire.tables.table import Table, require

__all__ = [
    "check_agreement",
    "check_allowed",
    "check_complete",
    "check_near",
    "check_no_repeats",
    "check_none_missing",
    "check_range",
    "counted",
]

#: What a check asks, and what it found; nothing is found where it holds.
Verdict = tuple[str, str]
#: At most this many places or values are listed.
_LISTED = 5


def check_agreement(formulas: Sequence[str], within: float, scope: TableScope, stopped: str, where: str) -> Verdict:
    """Formulas give the same number, but for a tolerance. Raises UseError for formulas that cannot be read."""
    values = [scalar_value(read_formula(text, scope, stopped, where), scope) for text in formulas]
    shown = ", ".join(f"{text} is {_display(value)}" for text, value in zip(formulas, values, strict=True))
    asked = f"{' and '.join(formulas)} agree" + (f" within {general(within)}" if within else "")
    read = [number_of(value) for value in values]
    numbers = [number for number in read if not isinstance(number, CellError)]
    if len(numbers) < len(read):
        return asked, shown
    apart = max(numbers) - min(numbers)
    # Sums of amounts carry the noise of the last bits; a hair more than the tolerance is no disagreement.
    return asked, "" if apart <= within + 1e-9 * max(
        map(abs, numbers), default=0.0
    ) else f"{shown}: {_display(apart)} apart"


def check_row_count(table: Table, at_least: int | None, at_most: int | None) -> Verdict:
    """A table has a number of rows."""
    asked = f"{table.name} has"
    asked += f" at least {at_least:,}" if at_least is not None else ""
    asked += " and" if at_least is not None and at_most is not None else ""
    asked += f" at most {at_most:,}" if at_most is not None else ""
    fits = (at_least is None or table.height >= at_least) and (at_most is None or table.height <= at_most)
    return f"{asked} rows", "" if fits else f"{table.name} has {counted(table.height, 'row')}"


def check_no_repeats(table: Table, columns: Sequence[str], stopped: str) -> Verdict:
    """No key stands twice."""
    keys = [table.columns[index] for index in require(table, columns, stopped)]
    asked = f"no row of {table.name} repeats {' and '.join(columns)}"
    if not table.height:
        return asked, ""
    groups, _ = key_groups(keys)
    many = np.bincount(groups)
    again = np.flatnonzero(many[groups] > 1)
    if not len(again):
        return asked, ""
    first = again[np.unique(groups[again], return_index=True)[1]]
    says = f"{len(first):,} {'key stands' if len(first) == 1 else 'keys stand'} more than once in {table.name}"
    found = [f"{key_text(keys, row)} ({table.where(row)})" for row in np.sort(first)[:_LISTED].tolist()]
    return asked, f"{says}: {_list(found, len(first))}"


def check_complete(table: Table, columns: Sequence[str], stopped: str) -> Verdict:
    """No cell of columns is blank."""
    found = []
    for index in require(table, columns, stopped):
        column = table.columns[index]
        texts = np.array([not text.strip() for text in column.texts], bool)
        blank = column.kinds == Kind.BLANK
        is_text = column.kinds == Kind.TEXT
        blank[is_text] = texts[column.codes[is_text]]
        if blank.any():
            found.append(f"{table.fields[index].name} is blank in {_where(table, np.flatnonzero(blank))}")
    named = ", ".join(columns[:-1]) + (" and " if len(columns) > 1 else "") + columns[-1]
    return f"every row of {table.name} has {named}", "; ".join(found)


def check_allowed(table: Table, column: str, among: Iterable[Value], stopped: str) -> Verdict:
    """A column holds no other values; blanks are another check's matter."""
    known = {_fold(value) for value in among}
    values = table.column(column, stopped)
    groups, distinct = values.groups()
    wrong = [number for number, value in enumerate(distinct) if value is not None and _fold(value) not in known]
    asked = f"{column} of {table.name} holds no other values than those listed"
    found = [f"{_quote(distinct[item])} in {_where(table, np.flatnonzero(groups == item))}" for item in wrong[:_LISTED]]
    return asked, _list(found, len(wrong)) if wrong else ""


def check_range(table: Table, column: str, low: float | None, high: float | None, stopped: str) -> Verdict:
    """The numbers of a column lie between limits, these included."""
    values = table.column(column, stopped)
    is_number = values.kinds == Kind.NUMBER
    off = np.zeros(len(values), bool)
    off |= is_number & (values.numbers < low) if low is not None else False
    off |= is_number & (values.numbers > high) if high is not None else False
    stated = [("at least", low), ("at most", high)]
    limits = " and ".join(f"{word} {general(limit)}" for word, limit in stated if limit is not None)
    rows = np.flatnonzero(off)
    if not len(rows):
        return f"{column} of {table.name} is {limits}", ""
    found = [f"{general(values.numbers[row])} in {table.where(row)}" for row in rows[:_LISTED].tolist()]
    return f"{column} of {table.name} is {limits}", _list(found, len(rows))


def check_near(name: str, value: Value, before: Value, percent: float, period: str) -> Verdict:
    """A figure is not more than some percent away from what it was in the period before."""
    asked = f"{name} is at most {general(percent)}% away from {period}"
    if not isinstance(value, float) or not isinstance(before, float) or isinstance(before, bool):
        return asked, f"{name} is {_display(value)}, and was {_display(before)} in {period}"
    if before == 0:
        return asked, "" if value == 0 else f"{name} is {_display(value)}, and was 0 in {period}"
    away = (value - before) / abs(before) * 100
    says = f"{name} is {_display(value)}, {general(round(away, 1))}% away from {_display(before)} in {period}"
    return asked, says if abs(away) > percent + 1e-9 else ""


def check_none_missing(table: Table, column: str, before: Iterable[Value], period: str, stopped: str) -> Verdict:
    """Every value that a column had in the period before is there again."""
    now = {_fold(value) for value in table.column(column, stopped)}
    gone = [value for value in before if _fold(value) not in now]
    asked = f"no {column} of {period} is missing in {table.name}"
    return asked, f"{_list([_quote(value) for value in gone[:_LISTED]], len(gone))} of {period}" if gone else ""


def _where(table: Table, rows: Codes) -> str:
    """Where rows came from; those that follow each other in one sheet are told in one go."""
    if table.origin is None:
        return listed([table.where(int(row)) for row in rows])
    origin = table.origin.take(rows)
    runs = [(start, many, first) for start, many, _, _, first in origin.runs()]
    return listed(
        [
            origin.describe(start)
            if many == 1
            else f"{origin.describe(start)} to {first + many - 1:,}".replace(", row ", ", rows ")
            for start, many, first in runs
        ]
    )


def _list(found: Sequence[str], many: int) -> str:
    return ", ".join(found) + (f", and {many - len(found):,} more" if many > len(found) else "")


def _fold(value: Value) -> tuple[str, Value]:
    return (type(value).__name__, value.casefold()) if isinstance(value, str) else (type(value).__name__, value)


def _quote(value: Value) -> str:
    return f"'{value}'" if isinstance(value, str) else _display(value)


def _display(value: Value) -> str:
    if isinstance(value, float) and not isinstance(value, bool):
        return general(round(value, 6))
    return "blank" if value is None else str(value)


def distinct_values(column: Column) -> list[Value]:
    """The different values of a column, without blanks, in order."""
    _, distinct = column.groups()
    return [value for value in distinct if value is not None]
