"""Sheets in memory: each column keeps its used cells as arrays, so a sparse sheet costs what it holds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import MISSING, dataclass, field, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinquire.base.twins import twin
from tinquire.cells.address import Area
from tinquire.cells.column import Booleans, Codes, Column, Kind, numbered, recoded, texts_at, used_codes
from tinquire.cells.values import Value
from tinquire.formula.language.stored import stored_text
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.grid.changed_cells import ChangedCells
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.frames import CellLink, CellNote, Frame
from tinquire.workbook.grid.marks import Mark
from tinquire.workbook.grid.page_setup import PageSetup

__all__ = ["Formula", "Sheet", "SheetFrame", "SheetTable", "TableColumn"]

#: Of more texts than this in a column of which none comes twice, none is looked for among those known.
_MANY_OWN = 10_000
#: Of so few texts each is looked for by itself, sooner than it is known which are the same.
_FEW = 64


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula's text without `=`, as the cell at (row, column) reads it; several cells may share it.

    `array` is the area that an array formula fills; `kept` marks kinds that are carried along but not run. A formula
    that `spills` fills as many cells as its result has: an array formula whose cell has metadata (18.3.1.4, `cm`).
    """

    text: str
    row: int
    column: int
    array: Area | None = None
    kept: bool = False
    spills: bool = False


@dataclass(frozen=True, slots=True)
class TableColumn:
    name: str
    formula: str | None = None
    total: str | None = None  # a totalsRowFunction of 18.18.89: 'sum', 'count', ...
    total_label: str | None = None


@dataclass(frozen=True, slots=True)
class SheetTable:
    """A table of a sheet (18.5.1.2): its whole area with heading and totals rows, and its columns."""

    name: str
    area: Area
    columns: tuple[TableColumn, ...]
    headings: bool = True
    totals: bool = False
    filter: bool = True

    @property
    def data(self) -> Area:
        return Area(self.area.top + self.headings, self.area.left, self.area.bottom - self.totals, self.area.right)

    def index_of(self, column: str) -> int | None:
        """A column's place from zero, by its name without regard to case."""
        for place, known in enumerate(self.columns):
            if known.name == column:  # as most ask
                return place
        wanted = column.casefold()
        return next((n for n, known in enumerate(self.columns) if known.name.casefold() == wanted), None)


@dataclass(frozen=True, slots=True)
class SheetFrame:
    """What stands around a sheet's cells, to tell whether it was changed."""

    merged: tuple[Area, ...]
    widths: dict[int, float]
    heights: dict[int, float]
    hidden_rows: frozenset[int]
    hidden_columns: frozenset[int]
    frozen: tuple[int, int]
    gridlines: bool
    landscape: bool
    repeat_rows: tuple[int, int] | None


@dataclass
class Sheet:
    """One sheet. Rows and columns count from one."""

    name: str
    columns: dict[int, Cells] = field(default_factory=dict)
    texts: list[str] = field(default_factory=list)
    formulas: list[Formula] = field(default_factory=list)
    merged: list[Area] = field(default_factory=list)
    widths: dict[int, float] = field(default_factory=dict)
    heights: dict[int, float] = field(default_factory=dict)
    hidden_rows: set[int] = field(default_factory=set)
    hidden_columns: set[int] = field(default_factory=set)
    frozen: tuple[int, int] = (0, 0)
    tables: list[SheetTable] = field(default_factory=list)
    state: str = "visible"
    gridlines: bool = True
    landscape: bool = False
    repeat_rows: tuple[int, int] | None = None
    #: How a new sheet is printed, where that was said, and how many columns stand on every page.
    page: PageSetup | None = None
    zoom: int = 100
    #: The colour of its tab, RGB in six hex digits.
    tab: str | None = None
    repeat_columns: int = 0
    #: What of a new sheet is printed; all of it without any.
    print_areas: list[Area] = field(default_factory=list)
    #: Outline levels of rows and columns of a new sheet, rows of totals whose groups are folded away, and whether
    #: totals stand above their groups.
    outline_rows: dict[int, int] = field(default_factory=dict)
    outline_columns: dict[int, int] = field(default_factory=dict)
    collapsed_rows: set[int] = field(default_factory=set)
    summary_above: bool = False
    #: Charts and pictures, links and notes of a new sheet, and whether it is protected.
    frames: list[Frame] = field(default_factory=list)
    links: list[CellLink] = field(default_factory=list)
    notes: list[CellNote] = field(default_factory=list)
    #: Names that a new sheet defines in its workbook, each with its formula.
    names: dict[str, str] = field(default_factory=dict)
    protected: bool = False
    #: The area of a filter of the sheet's own, heading included.
    filter: Area | None = None
    #: Marks and entry rules of a new sheet; those of a sheet that was read stay in its part.
    marks: list[Mark] = field(default_factory=list)
    entry_rules: list[EntryRule] = field(default_factory=list)
    #: Whether it was read from a file: what is set then is marked, so that saving writes it.
    loaded: bool = False
    #: Cells of a sheet read from a file whose values, formulas or styles were set since.
    changed: ChangedCells = field(default_factory=ChangedCells)
    #: Whether a cell has a formula now that had none, or none that had one.
    formulas_moved: bool = False
    _interned: dict[str, int] = field(default_factory=dict)
    #: The rows of long columns that were reached last.
    _rows: dict[tuple[int, int], Codes] = field(default_factory=dict, repr=False, compare=False)

    def copy(self) -> Sheet:
        """The same sheet, to be changed by itself."""
        fresh = twin(self)
        held = fresh.__dict__
        for name in _HELD:
            held[name] = held[name].copy()
        fresh.columns = {number: cells.copy() for number, cells in self.columns.items()}
        return fresh

    # -- reading ---------------------------------------------------------------------------------------

    @property
    def used(self) -> Area | None:
        """The smallest area that holds all cells with a value or formula; None for an empty sheet."""
        tops, bottoms, used = [], [], []
        for number, cells in self.columns.items():
            filled = cells.rows[(cells.kinds != Kind.BLANK) | (cells.formulas != NO_FORMULA)]
            if len(filled):
                tops.append(int(filled[0]))
                bottoms.append(int(filled[-1]))
                used.append(number)
        return Area(min(tops), min(used), max(bottoms), max(used)) if used else None

    def extent(self) -> tuple[int, int]:
        """Last row and last column that hold any cell, at least (1, 1)."""
        rows = [int(cells.rows[-1]) for cells in self.columns.values() if len(cells.rows)]
        return max(rows, default=1), max(self.columns, default=1)

    def column(self, number: int, top: int, bottom: int) -> Column:
        """Values of a column's cells from row `top` to `bottom`, blanks where there is no cell."""
        cells = self.columns.get(number)
        count = bottom - top + 1
        if cells is None:
            return Column.blank(count)
        cut = cells.places(top, bottom)
        kinds, numbers, codes = cells.kinds[cut], cells.numbers[cut], cells.codes[cut]
        if len(kinds) == count:
            return Column(kinds, numbers, codes, self.texts)
        at = cells.rows[cut] - top
        spread = Cells.empty(np.zeros(count, np.int32))
        spread.kinds[at], spread.numbers[at], spread.codes[at] = kinds, numbers, codes
        return Column(spread.kinds, spread.numbers, spread.codes, self.texts)

    def rows_of(self, number: int, rows: Codes) -> Cells:
        """A column's cells in some rows; blank ones without a style where there is no cell."""
        cells = self.columns.get(number)
        if cells is not None and len(rows):
            cut = cells.places(int(rows[0]), int(rows[-1]))
            if cut.stop - cut.start == len(rows) and cells.rows[cut].tobytes() == rows.tobytes():
                return Cells(
                    rows, cells.kinds[cut], cells.numbers[cut], cells.codes[cut], cells.styles[cut], cells.formulas[cut]
                )
        found = Cells.empty(rows)
        if cells is not None and len(cells.rows):
            at = np.minimum(cells.rows.searchsorted(rows), len(cells.rows) - 1)
            there = np.flatnonzero(cells.rows[at] == rows)
            for into, values in zip(found.arrays(), cells.arrays(), strict=True):
                into[there] = values[at[there]]
        return found

    def gather(self, rows: Codes, columns: Codes) -> Column:
        """Values of cells anywhere, blanks where there is no cell."""
        spread = Cells.empty(rows)
        for number in np.unique(columns).tolist():
            cells = self.columns.get(number)
            if cells is None or not len(cells.rows):
                continue
            lanes = np.flatnonzero(columns == number)
            at = np.minimum(cells.rows.searchsorted(rows[lanes]), len(cells.rows) - 1)
            there = cells.rows[at] == rows[lanes]
            lanes, at = lanes[there], at[there]
            spread.kinds[lanes], spread.numbers[lanes], spread.codes[lanes] = (
                cells.kinds[at], cells.numbers[at], cells.codes[at],
            )  # fmt: skip
        return Column(spread.kinds, spread.numbers, spread.codes, self.texts)

    def value(self, row: int, column: int) -> Value:
        return self.column(column, row, row)[0]

    def style(self, row: int, column: int) -> int:
        """A cell's style number, 0 where there is no cell."""
        return int(self._styles(column, row, row)[0])

    def _styles(self, number: int, top: int, bottom: int) -> Codes:
        cells = self.columns.get(number)
        cut = slice(0, 0) if cells is None else cells.places(top, bottom)
        if cells is not None and cut.stop - cut.start == bottom - top + 1:
            return cells.styles[cut].copy()
        result = np.zeros(bottom - top + 1, np.int32)
        if cells is not None:
            result[cells.rows[cut] - top] = cells.styles[cut]
        return result

    def styles(self, number: int, top: int, bottom: int) -> Codes:
        """Style numbers of a column's cells."""
        return self._styles(number, top, bottom)

    def formula(self, row: int, column: int) -> Formula | None:
        cells = self.columns.get(column)
        if cells is None:
            return None
        cut = cells.places(row, row)
        number = int(cells.formulas[cut][0]) if cut.stop > cut.start else NO_FORMULA
        return None if number == NO_FORMULA else self.formulas[number]

    def formula_runs(self) -> Iterator[tuple[int, int, int, Formula]]:
        """Column, first row, last row and formula of every run of cells that share one formula."""
        for number in sorted(self.columns):
            for first, last, formula in self.columns[number].formula_runs():
                yield number, first, last, self.formulas[formula]

    def formula_count(self) -> int:
        runs = (run for cells in self.columns.values() for run in cells.formula_runs())
        return sum(last - first + 1 for first, last, _ in runs)

    # -- writing ---------------------------------------------------------------------------------------

    def frame(self) -> SheetFrame:
        """What stands around the cells now."""
        return SheetFrame(
            tuple(self.merged), dict(self.widths), dict(self.heights), frozenset(self.hidden_rows),
            frozenset(self.hidden_columns), self.frozen, self.gridlines, self.landscape, self.repeat_rows,
        )  # fmt: skip

    def stands_in(self, frame: SheetFrame | None) -> bool:
        """Whether what stands around the cells is as in a frame."""
        return frame is not None and (
            self.merged == list(frame.merged)
            and self.widths == frame.widths
            and self.heights == frame.heights
            and self.hidden_rows == frame.hidden_rows
            and self.hidden_columns == frame.hidden_columns
            and (self.frozen, self.repeat_rows) == (frame.frozen, frame.repeat_rows)
            and (self.gridlines, self.landscape) == (frame.gridlines, frame.landscape)
        )

    def put(
        self, row: int, column: int, values: Column, style: int | Codes | None = None, formula: Formula | None = None
    ) -> None:
        """Set a run of cells downwards from (row, column): values, and style and formula for all of them.

        Without a style the cells keep theirs; a formula replaces what was there, and no formula removes it.
        """
        cells, at = self._reach(row, column, len(values))
        cells.kinds[at] = values.kinds
        _set(cells.numbers, at, values.numbers)
        _set(cells.codes, at, self.coded(values))
        if style is not None:
            cells.styles[at] = style
        if formula is not None:
            formula = replace(formula, text=stored_text(formula.text))
        if self.loaded or len(values) == 1:  # results that spill must know of single cells that were set
            self._mark(cells, at, column, formula is not None)
        cells.set_formulas(at, NO_FORMULA if formula is None else self.add_formula(formula))

    def _mark(self, cells: Cells, at: slice, column: int, has_formula: bool) -> None:
        """Mark cells that get other values and formulas."""
        if cells._runs == []:
            self.formulas_moved |= has_formula
        else:
            self.formulas_moved |= bool(((cells.formulas[at] != NO_FORMULA) != has_formula).any())
        self.changed.add(column, cells.rows[at], formulas=True)

    def put_formula(self, formula: Formula, cells_below: Booleans) -> None:
        """Give a formula to those of the cells from its own place downwards for which the mask holds; they keep their
        values."""
        cells, at = self._reach(formula.row, formula.column, len(cells_below))
        number = self.add_formula(replace(formula, text=stored_text(formula.text)))
        if self.loaded:
            self.formulas_moved |= bool((cells.formulas[at][cells_below] == NO_FORMULA).any())
            self.changed.add(formula.column, cells.rows[at][cells_below], formulas=True)
        cells.set_formulas(at, np.where(cells_below, number, cells.formulas[at]))

    def store(self, row: int, column: int, values: Column, changed: Codes | None = None) -> None:
        """Set the results of formula cells, leaving formulas and styles; `changed` are the places, from zero, of those
        that are not as before (None for all)."""
        cells, at = self._reach(row, column, len(values))
        if self.loaded:
            rows = cells.rows[at]
            whole = changed is None or len(changed) == len(values)
            self.changed.add(column, rows if whole else rows[changed], formulas=False)
        cells.kinds[at] = values.kinds
        _set(cells.numbers, at, values.numbers)
        _set(cells.codes, at, self.coded(values))

    def store_beside(self, row: int, columns: Mapping[int, Column]) -> None:
        """Set the values of columns of one length, from one row downwards, leaving formulas and styles."""
        rows: Codes | None = None
        for column, values in columns.items():
            cells, at = self._reach(row, column, len(values))
            if rows is None:
                rows = cells.rows[at]
            if self.loaded:
                self.changed.add(column, rows, formulas=False)
            cells.kinds[at] = values.kinds
            _set(cells.numbers, at, values.numbers)
            _set(cells.codes, at, self.coded(values))

    def store_cells(self, column: int, rows: Codes, values: Column, changed: Codes) -> None:
        """Set the results of cells of a column that are there; `changed` are the rows of those that changed."""
        cells = self.columns[column]
        if self.loaded:
            self.changed.add(column, changed, formulas=False)
        at = cells.rows.searchsorted(rows)
        cells.kinds[at] = values.kinds
        cells.numbers[at] = values.numbers
        cells.codes[at] = self.coded(values)

    def dress(self, row: int, column: int, styles: int | Codes, count: int = 1) -> None:
        """Set the styles of a run of cells downwards, leaving what they hold."""
        cells, at = self._reach(row, column, count)
        if self.loaded:
            self.changed.add(column, cells.rows[at], formulas=False)
        cells.styles[at] = styles

    def refill(self, row: int, column: int, area: Area) -> None:
        """Say of a cell whose array formula spills that it fills another area now."""
        cells = self.columns[column]
        number = int(cells.formulas[cells.places(row, row)][0])
        self.formulas[number] = replace(self.formulas[number], array=area)
        if self.loaded:
            self.changed.add(column, np.array([row], np.int32), formulas=True)

    def reserve(self, row: int, column: int, count: int) -> None:
        """Make a run of cells downwards where there are none, so that setting them one by one is quick."""
        self._reach(row, column, count)

    def set(self, row: int, column: int, value: Value, style: int | None = None, formula: str | None = None) -> None:
        """Set one cell."""
        made = None if formula is None else Formula(formula, row, column)
        self.put(row, column, Column.from_values([value]), style, made)

    def set_spilling(self, row: int, column: int, formula: str, style: int | None = None) -> None:
        """Set one cell to a formula that fills as many cells as its result has."""
        made = Formula(formula, row, column, array=Area(row, column, row, column), spills=True)
        self.put(row, column, Column.blank(1), style, made)

    def add_formula(self, formula: Formula) -> int:
        self.formulas.append(formula)
        return len(self.formulas) - 1

    def _reach(self, row: int, column: int, count: int) -> tuple[Cells, slice]:
        """The column's arrays with cells at the given rows, and their places; cells are made where missing."""
        cells = self.columns.get(column)
        if cells is None:
            cells = self.columns[column] = Cells.empty(self._rows_from(row, count))
            return cells, slice(0, count)
        at = cells.places(row, row + count - 1)
        if at.stop - at.start == count:
            return cells, at
        wanted = self._rows_from(row, count)
        rows = np.concatenate([cells.rows[: at.start], wanted, cells.rows[at.stop :]])
        if int(rows[-1]) - int(rows[0]) == len(rows) - 1:
            rows = self._rows_from(int(rows[0]), len(rows))
        grown = Cells.empty(rows)
        within = cells.rows[at] - row + at.start
        for fresh, known in zip(grown.arrays(), cells.arrays(), strict=True):
            fresh[: at.start], fresh[at.start + count :] = known[: at.start], known[at.stop :]
            fresh[within] = known[at]
        self.columns[column] = grown
        return grown, grown.places(row, row + count - 1)

    def _rows_from(self, row: int, count: int) -> Codes:
        """So many rows from one on; columns that have the same share them, as they are never changed."""
        if count < _MANY_OWN:
            return np.arange(row, row + count, dtype=np.int32)
        if (row, count) not in self._rows:
            self._rows = {(row, count): np.arange(row, row + count, dtype=np.int32)}
        return self._rows[row, count]

    def coded(self, values: Column) -> Codes:
        """The codes of a column's texts in this sheet's pool; texts that are new are added to it."""
        if values.texts is self.texts or not len(values.texts):
            return values.codes
        if not values.holds(Kind.TEXT):
            return values.codes
        every = values.all_of(Kind.TEXT)
        if every and len(values) <= _FEW:
            return np.array(self.intern_all(texts_at(values.texts, values.codes)), np.int32)
        pool, is_text = len(values.texts), values.is_kind(Kind.TEXT)
        mine = values.codes if every else values.codes[is_text]
        used = used_codes(mine, pool)
        texts = texts_at(values.texts, used)
        if len(used) == len(mine) > _MANY_OWN:  # as good as surely met nowhere else: a pool may hold a text twice
            numbers: Sequence[int] = range(len(self.texts), len(self.texts) + len(texts))
            self.texts.extend(texts)
        else:
            numbers = self.intern_all(texts)
        if every:
            return recoded(mine, used, numbers, pool)
        codes = np.zeros(len(values), np.int32)
        codes[is_text] = recoded(mine, used, numbers, pool)
        return codes

    def forget_texts(self, count: int) -> None:
        """Forget the texts that came after so many; no cell has one of them."""
        for text in self.texts[count:]:
            self._interned.pop(text, None)
        del self.texts[count:]

    def intern(self, text: str) -> int:
        code = self._interned.get(text)
        if code is None:
            code = self._interned[text] = len(self.texts)
            self.texts.append(text)
        return code

    def intern_all(self, texts: Sequence[str]) -> list[int]:
        """The codes of texts, those that are new added."""
        return numbered(texts, self._interned, self.texts)


#: What a sheet holds that is changed in place.
_HELD = tuple(item.name for item in fields(Sheet) if item.default_factory is not MISSING and item.name != "columns")


def _set(own: NDArray[Any], at: slice, values: NDArray[Any]) -> None:
    """Set some places of an array. Many zeros are not written over zeros: memory never written takes no room."""
    if values.strides == (0,) and len(values) > _FEW and not (values[:1].any() or own[at].any()):
        return
    own[at] = values
