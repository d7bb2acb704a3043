"""Where rows came from: the file, sheet and row of each, and of rows that were brought together all of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Codes

__all__ = ["Members", "Origin"]


@dataclass(frozen=True, slots=True)
class Members:
    """For each of several groups the places that belong to it: those of group g are `places[ends[g - 1] : ends[g]]`."""

    ends: Codes
    places: Codes

    @classmethod
    def of_groups(cls, groups: NDArray[Any], count: int) -> Members:
        """The members of `count` groups, from the group of each place (-1 for a place that belongs to none)."""
        order = np.argsort(groups, kind="stable")
        order = order[np.searchsorted(groups[order], 0) :]
        return cls(np.searchsorted(groups[order], np.arange(count), side="right"), order)

    @classmethod
    def of_lists(cls, lists: Sequence[NDArray[Any]]) -> Members:
        """The members of groups that are given one by one."""
        ends = np.cumsum([len(item) for item in lists], dtype=np.int64)
        return cls(ends, np.concatenate(lists).astype(np.int64) if lists else np.zeros(0, np.int64))

    @classmethod
    def concat(cls, several: Sequence[Members]) -> Members:
        """Groups of the same positions one after the other."""
        starts = np.cumsum([0, *(len(item.places) for item in several[:-1])])
        ends = [item.ends + start for item, start in zip(several, starts.tolist(), strict=True)]
        return cls(np.concatenate(ends), np.concatenate([item.places for item in several]))

    def of_places(self, places: NDArray[Any]) -> Members:
        """The same groups of what stands at the positions of a list."""
        return Members(self.ends, places[self.places])

    def __len__(self) -> int:
        return len(self.ends)

    def of(self, group: int) -> Codes:
        return self.places[_starts(self.ends)[group] : self.ends[group]]

    def take(self, groups: NDArray[Any]) -> Members:
        """The groups at the given places, in that order."""
        ends, inner = _gathered(self.ends, groups)
        return Members(ends, self.places[inner])


def _starts(ends: Codes) -> Codes:
    return np.concatenate([np.zeros(1, np.int64), ends])[:-1]


def _gathered(ends: Codes, groups: NDArray[Any]) -> tuple[Codes, Codes]:
    """The ends of some of the groups put one after the other, and the places that they take their members from."""
    groups = np.arange(len(ends))[groups]
    starts = _starts(ends)[groups]
    counts = ends[groups] - starts
    new = np.cumsum(counts, dtype=np.int64)
    total = int(new[-1]) if len(new) else 0
    return new, np.repeat(starts - (new - counts), counts) + np.arange(total)


@dataclass(frozen=True, slots=True)
class Origin:
    """Where each row of a table came from: places into the lists of files and sheets, and the row's number there.

    With `ends`, a row of the table came from several: row r from those of the three arrays between `ends[r - 1]` and
    `ends[r]`.
    """

    files: tuple[str, ...]
    sheets: tuple[str, ...]
    file: Codes
    sheet: Codes
    row: Codes
    ends: Codes | None = None

    @property
    def height(self) -> int:
        """How many rows the table has."""
        return len(self.row) if self.ends is None else len(self.ends)

    def take(self, places: NDArray[Any]) -> Origin:
        if self.ends is None:
            return self._picked(places)
        ends, inner = _gathered(self.ends, places)
        return replace(self._picked(inner), ends=ends)

    def _picked(self, places: NDArray[Any]) -> Origin:
        return replace(self, file=self.file[places], sheet=self.sheet[places], row=self.row[places])

    def brought_together(self, groups: Members) -> Origin:
        """The origin of a table with one row for each of some groups of these rows."""
        taken = self.take(groups.places)
        if taken.ends is None:
            return replace(taken, ends=groups.ends)
        ends = np.concatenate([np.zeros(1, np.int64), taken.ends])
        return replace(taken, ends=ends[groups.ends])

    def of(self, rows: NDArray[Any]) -> Origin:
        """What some rows of the table came from, one by one, in the order of files, sheets and rows, each once."""
        every = self.take(rows)
        order = np.lexsort((every.row, every.sheet, every.file))
        keys = np.stack([every.file[order], every.sheet[order], every.row[order]])
        new = np.ones(len(order), bool)
        new[1:] = (np.diff(keys, axis=1) != 0).any(axis=0)
        return replace(every._picked(order[new]), ends=None)

    def firsts(self) -> Origin:
        """Of each row the first that it came from."""
        return self if self.ends is None else replace(self._picked(_starts(self.ends)), ends=None)

    def listed(self) -> list[tuple[str, str, int]]:
        """File, sheet and row number of every row that rows came from."""
        every = zip(self.file.tolist(), self.sheet.tolist(), self.row.tolist(), strict=True)
        return [(self.files[file], self.sheets[sheet], row) for file, sheet, row in every]

    def describe(self, row: int) -> str:
        """The origin of a row (from zero) as a message says it: the first, where there are several."""
        at = row if self.ends is None else int(_starts(self.ends)[row])
        many = 1 if self.ends is None else int(self.ends[row]) - at
        file, sheet = self.files[self.file[at]], self.sheets[self.sheet[at]]
        inside = f", sheet '{sheet}'" if sheet else ""
        return f"{file}{inside}, row {self.row[at]}" + (f" and {many - 1:,} more" if many > 1 else "")

    def runs(self) -> Iterator[tuple[int, int, str, str, int]]:
        """Rows that follow each other here as they do where they came from: first row (from zero), how many, file,
        sheet, and the first row's number there. Of a row that came from several, the first counts."""
        one = self.firsts()
        if not len(one.row):
            return
        breaks = (np.diff(one.row) != 1) | (np.diff(one.file) != 0) | (np.diff(one.sheet) != 0)
        starts = [0, *(np.flatnonzero(breaks) + 1).tolist()]
        for start, stop in zip(starts, [*starts[1:], len(one.row)], strict=True):
            file, sheet = one.files[one.file[start]], one.sheets[one.sheet[start]]
            yield start, stop - start, file, sheet, int(one.row[start])

    @classmethod
    def concat(cls, origins: Sequence[Origin]) -> Origin:
        if len(origins) == 1:
            return origins[0]
        files = list(dict.fromkeys(file for origin in origins for file in origin.files))
        sheets = list(dict.fromkeys(sheet for origin in origins for sheet in origin.sheets))
        file_parts, sheet_parts = [], []
        for origin in origins:
            file_map = np.array([files.index(file) for file in origin.files], np.int32)
            sheet_map = np.array([sheets.index(sheet) for sheet in origin.sheets], np.int32)
            file_parts.append(file_map[origin.file] if len(origin.file) else origin.file)
            sheet_parts.append(sheet_map[origin.sheet] if len(origin.sheet) else origin.sheet)
        row = np.concatenate([origin.row for origin in origins])
        made = cls(tuple(files), tuple(sheets), np.concatenate(file_parts), np.concatenate(sheet_parts), row)
        if all(origin.ends is None for origin in origins):
            return made
        sizes = [
            np.ones(origin.height, np.int64) if origin.ends is None else np.diff(origin.ends, prepend=0)
            for origin in origins
        ]
        return replace(made, ends=np.cumsum(np.concatenate(sizes), dtype=np.int64))
