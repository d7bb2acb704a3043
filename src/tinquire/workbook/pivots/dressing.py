"""The looks of a pivot's cells: each cell looks as one of the same part of the pivot did before."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from dataclasses import dataclass, field

from tinquire.looks.appearance import Variation
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.pivots.definition import Line, PivotDefinition
from tinquire.workbook.workbook import Workbook

__all__ = ["KnownLooks", "learned_looks", "part_of"]


def part_of(line: Line) -> tuple[str, int, int]:
    """Which part of a pivot a line belongs to: its kind, how many fields it is of, its data field."""
    return line.kind, len(line.path), line.data


@dataclass
class KnownLooks:
    """Styles by the part of the pivot, from the most exact word for it to the least."""

    book: Workbook
    definition: PivotDefinition
    styles: dict[Hashable, int] = field(default_factory=dict)

    def learn(self, keys: Sequence[Hashable], style: int) -> None:
        for key in keys:
            self.styles.setdefault(key, style)

    def value(self, row: Line, column: Line, data: int) -> int:
        """The style of a value."""
        known = self._first(_value_keys(row, column, data))
        if known is not None:
            return known
        number = self.definition.data[data].format if self.definition.data else None
        return self.book.styles.vary(0, Variation(format=self.book.styles.format_code(number))) if number else 0

    def values(self, rows: Sequence[Line], column: Line, *, several: bool) -> list[int]:
        """The styles of the values of a column of the pivot; of `several` data fields each has its own."""
        known: dict[tuple[str, int, int], int] = {}
        for row in rows:
            if (part := part_of(row)) not in known:
                known[part] = self.value(row, column, (row.data or column.data) if several else 0)
        return [known[part_of(row)] for row in rows]

    def label(self, row: Line, at: int) -> int:
        """The style of a row's label in a label column."""
        return self._first(_label_keys(row, at)) or 0

    def heading(self, at: int, column: Line) -> int:
        """The style of a column's label in a header row."""
        return self._first(_heading_keys(at, column)) or 0

    def _first(self, keys: Sequence[Hashable]) -> int | None:
        return next((self.styles[key] for key in keys if key in self.styles), None)


def _value_keys(row: Line, column: Line, data: int) -> list[Hashable]:
    return [
        ("value", part_of(row), part_of(column)), ("value", row.kind, column.kind, data), ("value", row.kind, data),
        ("value", data),
    ]  # fmt: skip


def _label_keys(row: Line, at: int) -> list[Hashable]:
    return [("label", part_of(row), at), ("label", row.kind, len(row.path), at), ("label", row.kind, at)]


def _heading_keys(at: int, column: Line) -> list[Hashable]:
    return [("heading", at, part_of(column)), ("heading", at, column.kind), ("heading", at)]


def learned_looks(
    book: Workbook, sheet: Sheet, definition: PivotDefinition, rows: Sequence[Line], columns: Sequence[Line],
    several: bool,
) -> KnownLooks:  # fmt: skip
    """What the cells of a pivot look like as it stands on its sheet."""
    looks = KnownLooks(book, definition)
    area, (_, data_row, data_column) = definition.area, definition.first
    shown = {
        column: sheet.styles(column, area.top, area.bottom).tolist() for column in range(area.left, area.right + 1)
    }
    for place, line in _inside(rows, area.top + data_row, area.bottom):
        for at in range(data_column):
            if area.left + at <= area.right:
                looks.learn(_label_keys(line, at), shown[area.left + at][place - area.top])
    for column_place, column in _inside(columns, area.left + data_column, area.right):
        for at in range(data_row):
            if area.top + at <= area.bottom:
                looks.learn(_heading_keys(at, column), shown[column_place][at])
        for place, line in _inside(rows, area.top + data_row, area.bottom):
            if line.kind != "blank":
                data = (line.data or column.data) if several else 0
                looks.learn(_value_keys(line, column, data), shown[column_place][place - area.top])
    return looks


def _inside(lines: Sequence[Line], start: int, last: int) -> Iterator[tuple[int, Line]]:
    yield from ((at, line) for at, line in enumerate(lines, start=start) if at <= last)
