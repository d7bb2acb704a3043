"""match: columns of another table brought over by key."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.base.wording import counted, nearest
from tinquire.cells.column import Column, Kind
from tinquire.cells.values import Value
from tinquire.formula.engine.conversions import text_of
from tinquire.tables.addable import require_numbers
from tinquire.tables.aggregation import Aggregation, aggregate
from tinquire.tables.keys import key_groups, key_text
from tinquire.tables.matching import Matching, clean_keys, match_rows
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require
from tinquire.tables.types import AMOUNTS

#: At most this many keys without a match are shown, each with its first row; the rest are counted.
_SHOWN_KEYS = 5


@step
@dataclass(frozen=True)
class Match(Step):
    """Bring columns of another table over by key. The number of rows never grows."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    match: str
    on: dict[str, str]
    bring: list[str] | dict[str, str] | Literal["all"] = field(default_factory=list)
    unmatched: Literal["stop", "blank", "drop"] = "stop"
    repeated: Literal["stop", "first", "last", "sum"] = "stop"
    clean: list[Literal["spaces", "case", "zeros", "kind"]] = field(default_factory=list)
    nearest: Literal["no", "below"] = "no"
    #: What stands in rows without a match: one value, for the columns of its kind, or values by heading.
    otherwise: bool | float | str | dict[str, bool | float | str] | None = None

    @property
    def other_tables(self) -> Sequence[str]:
        return (self.match,)

    def apply(self, table: Table, context: StepContext) -> Table:
        return self.brought_over(table, context.table(self.match), context)[0]

    def brought_over(self, table: Table, right: Table, context: StepContext) -> tuple[Table, Matching]:
        """The table with columns of another, and how the rows were matched."""
        left_keys = self._keys(table, list(self.on), context)
        right_keys = self._keys(right, list(self.on.values()), context)
        found = match_rows(left_keys, right_keys, last=self.repeated == "last", nearest=self.nearest == "below")
        if self.repeated == "stop" and found.repeated[found.right[found.rows[found.rows >= 0]]].any():
            self._stop_at_repeated(right, right_keys, found, context)
        missing = found.rows < 0
        if missing.any():
            self._without(table, right, left_keys, right_keys, missing, context)
        brought = self._brought(right)
        positions = require(right, list(brought), context.stopped)
        for index, name in zip(positions, brought.values(), strict=True):
            if self.repeated == "sum" and (right.columns[index].kinds == Kind.NUMBER).any():
                require_numbers(right, right.fields[index].name, Aggregation.SUM, context.stopped)
            values = self._values(right.columns[index], found)
            column = values.take(np.maximum(found.rows, 0)) if right.height else Column.blank(len(found.rows))
            if missing.any():
                column = Column.where(missing, Column.full(self._otherwise(right, index, name, context), 1), column)
            table = table.with_column(replace(right.fields[index], name=name), column)
        return (table.take(~missing) if self.unmatched == "drop" and missing.any() else table), found

    def _otherwise(self, right: Table, place: int, name: str, context: StepContext) -> Value:
        """What is in a brought column where there is no match: never a value of another kind than the column's."""
        if isinstance(self.otherwise, dict):
            own = {heading.casefold(): value for heading, value in self.otherwise.items()}
            return _as_value(own.get(name.casefold()))
        if self.otherwise is None:
            return None
        kind = right.fields[place].type
        kinds: tuple[str, ...] = ("yes/no",) if isinstance(self.otherwise, bool) else ("text",)
        if isinstance(self.otherwise, float | int) and not isinstance(self.otherwise, bool):
            kinds = AMOUNTS
        if kind in kinds:
            return _as_value(self.otherwise)
        context.notes.append(f"'{name}' is a column of {kind}: blank where there is no match, not {self.otherwise}")
        return None

    def _keys(self, table: Table, names: list[str], context: StepContext) -> list[Column]:
        columns = [table.columns[index] for index in require(table, names, context.stopped)]
        if self.nearest == "below":  # numbers are compared, and not cleaned
            return [*(clean_keys(column, self.clean) for column in columns[:-1]), columns[-1]]
        return [clean_keys(column, self.clean) for column in columns]

    def _brought(self, right: Table) -> dict[str, str]:
        """The columns that are brought, each with its new heading."""
        if self.bring == "all":
            keys = {name.casefold() for name in self.on.values()}
            return {name: name for name in right.headings if name.casefold() not in keys}
        return self.bring if isinstance(self.bring, dict) else {name: name for name in self.bring}

    def _values(self, column: Column, found: Matching) -> Column:
        """What each right row brings: its value, or the sum of the numbers of all rows with its key."""
        if self.repeated != "sum" or not (column.kinds == Kind.NUMBER).any():
            return column
        return aggregate(Aggregation.SUM, column, found.right, found.count).take(found.right)

    def _stop_at_repeated(self, right: Table, keys: list[Column], found: Matching, context: StepContext) -> None:
        rows = np.flatnonzero(found.repeated[found.right] & np.isin(found.right, found.right[found.rows]))
        same = rows[found.right[rows] == found.right[rows[0]]]
        why = f"{key_text(keys, int(same[0]))} occurs {counted(len(same), 'time')} in '{right.name}'"
        where = f"{right.where(int(same[0]))} and {right.where(int(same[1]))}"
        do = 'fix the list, or write repeated = "first" in this step'
        raise DataError(Fault(context.stopped, why, where, do, option="fix the list, or write --repeated first"))

    def _without(
        self,
        table: Table,
        right: Table,
        left_keys: list[Column],
        right_keys: list[Column],
        missing: np.ndarray,
        context: StepContext,
    ) -> None:
        """Stop at rows without a match, or note how many there are."""
        rows = np.flatnonzero(missing)
        if self.unmatched != "stop" or self.otherwise is not None:
            context.notes.append(f"{counted(len(rows), 'row')} without a match")
            return
        groups, _ = key_groups([column.take(rows) for column in left_keys])
        _, first, counts = np.unique(groups, return_index=True, return_counts=True)
        columns = " and ".join(f"'{name}'" for name in self.on.values())
        source = right.origin.files[0] if right.origin and right.origin.files else f"table '{right.name}'"
        faults = []
        for at, count in sorted(zip(first.tolist(), counts.tolist(), strict=True))[:_SHOWN_KEYS]:
            row = int(rows[at])
            why = f"{key_text(left_keys, row)} is not in column {columns} of {source}"
            why += f" ({count:,} {'row' if count == 1 else 'rows'} in all)" + _near(left_keys, right_keys, row)
            do = 'add it there, or write unmatched = "blank" in this step'
            option = "add it there, or write --unmatched blank"
            faults.append(Fault(context.stopped, why, table.where(row), do, option=option))
        if len(first) > _SHOWN_KEYS:
            rest = f"{len(first) - _SHOWN_KEYS:,} more keys have no match"
            faults.append(Fault(context.stopped, rest, do="add them to the list"))
        raise DataError(*faults)

    def says(self) -> str:
        return f"match with '{self.match}'"


def _as_value(value: bool | float | str | None) -> Value:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else value


def _near(left: list[Column], right: list[Column], row: int) -> str:
    """A remark on the nearest key, when the key is one text."""
    key = left[0][row]
    if len(left) > 1 or not isinstance(key, str):
        other = next(iter(right[0]), None) if len(left) == 1 else None
        if isinstance(key, float) and isinstance(other, str):
            return "; the key is a number here and a text there: give both columns one type"
        return ""
    known = sorted({str(text_of(value)) for value in right[0] if value is not None})
    if len(right[0]) and not (right[0].kinds == Kind.TEXT).any():
        return "; the key is a text here and a number there: give both columns one type"
    near = nearest(key, known)
    return f"; the nearest is '{near[0]}'" if near else ""
