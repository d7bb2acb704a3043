"""Results on their way into a workbook's sheets: what changed, and what is in error."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np

from tinquire.cells.address import cell_name
from tinquire.cells.column import Booleans, Codes, Column, Kind
from tinquire.cells.values import Value
from tinquire.formula.engine.evaluate import blank_to_zero
from tinquire.workbook.calc.column_formulas import CellNote, Program
from tinquire.workbook.calc.errors import ErrorRun, Errors
from tinquire.workbook.calc.forms import Scatter
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.workbook import Workbook

__all__ = ["ChangedResults", "Recalculation", "ResultStore", "movement", "net_changes"]

#: Half a unit of the 15th significant digit, at most, in parts of the number.
_LAST_DIGIT = 5e-15
#: So few numbers are compared one by one.
_FEW = 64


@dataclass(frozen=True, slots=True)
class ChangedResults:
    """Results of one column that are not as they were stored: rows, and the values before and after."""

    sheet: str
    column: int
    rows: Codes
    before: Column
    after: Column

    def each(self) -> Iterator[tuple[str, Value, Value]]:
        """Cell, old and new value."""
        for row, old, new in zip(self.rows.tolist(), self.before, self.after, strict=True):
            yield cell_name(row, self.column), old, new


@dataclass
class Recalculation:
    """What a recalculation did. `formulas` and `changed` count cells; `skipped` kept their stored results."""

    formulas: int = 0
    changes: list[ChangedResults] = field(default_factory=list)
    errors: Errors = field(default_factory=Errors)
    #: The errors while cells are run: some may be others in the end, or none.
    noted: list[ErrorRun] = field(default_factory=list)
    skipped: list[CellNote] = field(default_factory=list)
    #: Runs of cells whose results may differ each time, and such that read other workbooks' stored values.
    volatile: list[CellNote] = field(default_factory=list)
    outside: list[CellNote] = field(default_factory=list)
    #: Rings that the workbook asks to run through several times, and after how many times each was still.
    rings: list[tuple[tuple[str, ...], int]] = field(default_factory=list)
    #: How many results differ from what was stored beyond the 15th digit only, and count as unchanged.
    last_digits: int = 0

    @property
    def changed(self) -> int:
        return sum(len(change.rows) for change in self.changes)


class ResultStore:
    """Keeps results in the sheets, and says in a report what changed and what is in error.

    Results of scattered cells go into their sheet's block of values at once, and into the sheet when all are flushed:
    column by column, and not a few cells at a time.
    """

    def __init__(self, book: Workbook, scope: BookScope, report: Recalculation) -> None:
        self.book = book
        self.scope = scope
        self.report = report
        #: What is in the way of spilling formulas, by sheet, row and column.
        self.hindered: dict[tuple[str, int, int], str] = {}
        self._waiting: dict[str, list[Scatter]] = defaultdict(list)

    def store(self, program: Program, row: int, column: int, values: Column, *, blanks: bool = False) -> None:
        """Keep results of a run of cells; remember what changed and note what is in error."""
        sheet = self.book.sheet(program.sheet)
        values = values if blanks else blank_to_zero(values)
        before = sheet.column(column, row, row + len(values) - 1)
        different = self._different(before, values)
        if len(different):
            now = values if len(different) == len(values) else values.take(different)
            self.report.changes.append(ChangedResults(sheet.name, column, different + row, before.take(different), now))
        sheet.store(row, column, values, different)
        self.scope.stored(sheet.name, row, column, values)
        if values.holds(Kind.ERROR):
            self._note_errors(program.sheet, column, np.arange(row, row + len(values), dtype=np.int32), values)

    def put(self, cells: Scatter, values: Column) -> None:
        """Keep results of scattered cells."""
        values = blank_to_zero(values)
        self._forget(cells)
        dense = self.scope.dense(cells.sheet)
        if dense is None:
            self._store_scattered(cells.sheet, cells.rows, cells.columns, values)
        else:
            dense.put(cells.rows, cells.columns, values)
            self._waiting[cells.sheet].append(cells)

    def put_numbers(self, cells: Scatter, numbers: list[float]) -> None:
        """Keep results of scattered cells that are finite numbers."""
        dense = self.scope.dense(cells.sheet)
        if dense is None:
            self.put(cells, Column.of_numbers(numbers))
        else:
            self._forget(cells)
            dense.put_numbers(cells.rows, cells.columns, numbers)
            self._waiting[cells.sheet].append(cells)

    def _forget(self, cells: Scatter) -> None:
        """What was worked out of cells that get other results holds no longer."""
        if self.scope.indexes.holds(cells.sheet):  # areas take longer to be told than to be looked for
            for area in cells.areas():
                self.scope.indexes.forget(cells.sheet, area)

    def flush(self) -> None:
        """Bring results of scattered cells into their sheets."""
        waiting, self._waiting = self._waiting, defaultdict(list)
        for sheet, parts in waiting.items():
            rows = np.concatenate([part.rows for part in parts])
            columns = np.concatenate([part.columns for part in parts])
            order = np.lexsort((rows, columns))
            rows, columns = rows[order], columns[order]
            dense = self.scope.dense(sheet)
            assert dense is not None
            self._store_scattered(sheet, rows, columns, dense.gather(rows, columns))

    def _store_scattered(self, name: str, rows: Codes, columns: Codes, values: Column) -> None:
        """Results of cells in the order of their columns and rows."""
        sheet = self.book.sheet(name)
        bounds = np.flatnonzero(np.concatenate([[True], np.diff(columns) != 0, [True]])).tolist()
        for start, end in pairwise(bounds):
            column, own_rows, own = int(columns[start]), rows[start:end], values.slice(start, end)
            before = sheet.gather(own_rows, columns[start:end])
            different = self._different(before, own)
            if len(different):
                self.report.changes.append(
                    ChangedResults(sheet.name, column, own_rows[different], before.take(different), own.take(different))
                )
            sheet.store_cells(column, own_rows, own, own_rows[different])
            self._note_errors(name, column, own_rows, own)

    def _different(self, before: Column, after: Column) -> Codes:
        """Where values differ by more than their last digit, which is counted."""
        if len(after) <= _FEW and after.all_of(Kind.NUMBER):
            return self._different_numbers(before, after)
        differs = _differs(before, after)
        if not differs.any():
            return np.zeros(0, np.int64)
        alike = differs & _same_digits(before, after)
        self.report.last_digits += int(alike.sum())
        return np.flatnonzero(differs & ~alike)

    def _different_numbers(self, before: Column, after: Column) -> Codes:
        """Where few numbers differ from what was there, as `_different` finds it of any values."""
        alike, apart = 0, []
        lists = before.kinds.tolist(), before.numbers.tolist(), after.numbers.tolist()
        for place, (kind, old, new) in enumerate(zip(*lists, strict=True)):
            if kind != Kind.NUMBER:
                apart.append(place)
            elif old != new and abs(old - new) < _LAST_DIGIT * max(abs(old), abs(new)):
                alike += 1
            elif old != new:
                apart.append(place)
        self.report.last_digits += alike
        return np.array(apart, np.int64)

    def _note_errors(self, sheet: str, column: int, rows: Codes, values: Column) -> None:
        wrong = np.flatnonzero(values.kinds == Kind.ERROR)
        if not len(wrong):
            return
        known, at = self.book.sheet(sheet), rows[wrong]
        codes, first = np.unique(values.numbers[wrong], return_index=True)
        says = {code: f"it gives {values[index]}" for code, index in zip(codes.tolist(), wrong[first], strict=True)}
        cells = [(sheet, row, column) for row in at.tolist()] if self.hindered else []
        hindered = {cell[1]: self.hindered[cell] for cell in cells if cell in self.hindered}
        numbers = known.rows_of(column, at).formulas.copy()
        self.report.noted.append(
            ErrorRun(sheet, column, at, numbers, known.formulas, values.numbers[wrong], says, hindered)
        )


def net_changes(changes: Sequence[ChangedResults]) -> list[ChangedResults]:
    """Of cells that changed several times, what was there first and what is there last; each cell once."""
    columns: dict[tuple[str, int], list[ChangedResults]] = {}
    for change in changes:
        columns.setdefault((change.sheet, change.column), []).append(change)
    net = []
    for (sheet, column), several in columns.items():
        if len(several) == 1:
            net += several
            continue
        rows = np.concatenate([item.rows for item in several])
        distinct, first = np.unique(rows, return_index=True)
        if len(distinct) == len(rows):
            net += several
            continue
        last = len(rows) - 1 - np.unique(rows[::-1], return_index=True)[1]
        before = Column.concat([item.before for item in several]).take(first)
        after = Column.concat([item.after for item in several]).take(last)
        moved = np.flatnonzero(_differs(before, after) & ~_same_digits(before, after))
        if len(moved):
            net.append(ChangedResults(sheet, column, distinct[moved], before.take(moved), after.take(moved)))
    return net


def movement(changed: ChangedResults) -> float:
    """How far the results of a column moved at most; without bounds where one is not a number."""
    numbers = (changed.before.kinds == Kind.NUMBER) & (changed.after.kinds == Kind.NUMBER)
    if not numbers.all():
        return float("inf")
    return float(np.abs(changed.after.numbers - changed.before.numbers).max(initial=0.0))


def _same_digits(before: Column, after: Column) -> Booleans:
    """Where two numbers are the same to 15 significant digits: programs add in other orders, and keep no more."""
    numbers = (before.kinds == Kind.NUMBER) & (after.kinds == Kind.NUMBER)
    with np.errstate(all="ignore"):
        apart = np.abs(before.numbers - after.numbers)
        return numbers & (apart < _LAST_DIGIT * np.maximum(np.abs(before.numbers), np.abs(after.numbers)))


def _differs(before: Column, after: Column) -> Booleans:
    if not len(before.texts) or not len(after.texts):
        return (before.kinds != after.kinds) | (before.numbers != after.numbers)
    differs = (before.kinds != after.kinds) | (before.numbers != after.numbers)
    texts = np.flatnonzero((before.kinds == Kind.TEXT) & (after.kinds == Kind.TEXT))
    old, new = before.texts, after.texts
    for index, a, b in zip(texts.tolist(), before.codes[texts].tolist(), after.codes[texts].tolist(), strict=True):
        differs[index] = old[a] != new[b]
    return differs
