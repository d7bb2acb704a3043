"""A sheet seen as rows below headings, before and after, and which row became which."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeAlias

from tinquire.amend.listing import heading_row
from tinquire.cells.values import Value
from tinquire.sources.readers.headings import RowsBelow, under_heading
from tinquire.workbook import Workbook

__all__ = ["Key", "SheetList", "keyed", "matched_rows", "seen_list"]

#: Signs that a heading in brackets cannot have.
_UNSAYABLE = frozenset("[]@#:'")
#: A value with its type: 1 and TRUE, or 7 and '7', are two.
Key: TypeAlias = tuple[type, Value]


@dataclass(frozen=True)
class SheetList:
    """The rows of a sheet below its headings, by heading."""

    sheet: str
    below: RowsBelow
    values: Mapping[str, Sequence[Value]]

    @property
    def headings(self) -> tuple[str, ...]:
        return self.below.headings

    @property
    def height(self) -> int:
        return len(self.below.rows)

    @property
    def head(self) -> int:
        """The row of the headings."""
        return heading_row(self.below)

    @property
    def rows(self) -> tuple[int, ...]:
        return self.below.rows

    def headed(self, column: int) -> str | None:
        """The heading of a column of the sheet; None for one that a formula over headings cannot name."""
        pairs = zip(self.below.columns, self.below.headings, strict=True)
        found = next((heading for number, heading in pairs if number == column), None)
        return None if found is None or _UNSAYABLE & set(found) else found

    def cut(self, height: int) -> SheetList:
        """Its first rows."""
        if height == self.height:
            return self
        below = replace(self.below, rows=self.below.rows[:height])
        return SheetList(self.sheet, below, {name: column[:height] for name, column in self.values.items()})

    def near(self, known: Collection[str]) -> SheetList:
        """It without columns behind a gap that are all new: they are a block beside it."""
        columns = self.below.columns
        for place in range(1, len(columns)):
            if columns[place] != columns[place - 1] + 1 and not set(self.headings[place:]) & set(known):
                below = replace(self.below, headings=self.headings[:place], columns=columns[:place])
                return SheetList(self.sheet, below, {name: self.values[name] for name in self.headings[:place]})
        return self

    def column(self, heading: str) -> int:
        found = self.below.column(heading)
        assert found is not None
        return found


def seen_list(book: Workbook, name: str, known: Sequence[str] = ()) -> SheetList | None:
    """A sheet's rows below headings; `known` are headings that it may have. None where no headings can be told, or two
    are the same."""
    sheet = book.sheet(name)
    table = next(iter(sheet.tables), None)
    first = next(iter(known), "")
    if table is not None and table.headings and table.columns:
        first = table.columns[0].name
    below = under_heading(book, sheet, first)
    if below is None or not below.rows or len({one.casefold() for one in below.headings}) < len(below.headings):
        return None
    rows = below.rows
    values = {
        heading: sheet.column(column, rows[0], rows[-1]).to_list()
        if rows[-1] - rows[0] + 1 == len(rows)
        else [sheet.value(row, column) for row in rows]
        for heading, column in zip(below.headings, below.columns, strict=True)
    }
    return SheetList(name, below, values)


def keyed(values: Sequence[Value]) -> list[Key]:
    return [(type(value), value) for value in values]


def matched_rows(
    before: Mapping[str, Sequence[Value]], after: Mapping[str, Sequence[Value]], heights: tuple[int, int]
) -> list[int] | None:
    """For each row of the list after, the row before that became it: by the values of the columns that lost none of
    them. None where rows are new. Columns are known by their headings before."""
    stable = [
        name for name in before if name in after and not Counter(keyed(after[name])) - Counter(keyed(before[name]))
    ]
    while stable:
        waiting: dict[tuple[Key, ...], deque[int]] = {}
        for row, key in enumerate(zip(*(keyed(before[name]) for name in stable), strict=True)):
            waiting.setdefault(key, deque()).append(row)
        found = []
        for key in zip(*(keyed(after[name]) for name in stable), strict=True):
            rows = waiting.get(key)
            if not rows:
                break
            found.append(rows.popleft())
        if len(found) == heights[1]:
            return found
        # A column whose values changed may have lost none all the same: the one of fewest different values goes first.
        stable.remove(min(stable, key=lambda name: len(set(keyed(before[name])))))
    return list(range(heights[0])) if heights[0] == heights[1] else None
