"""What names and references mean in the formulas of a workbook."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Any

import numpy as np

from tinquire.cells.address import Area
from tinquire.cells.column import Booleans, Codes, Column, Floats
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError, Value
from tinquire.formula import parse_name
from tinquire.formula.engine.indexes import AreaIndexes
from tinquire.formula.engine.operands import Operand, Scalar, Span
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.stored import bare_text
from tinquire.formula.language.tree import Call, Node, RowsOf, TableReference, walk
from tinquire.workbook.calc.cell_info import cell_facts, reading_of
from tinquire.workbook.grid.cell_formulas import Trees, text_at
from tinquire.workbook.grid.dense import DenseValues
from tinquire.workbook.grid.sheet import Sheet, SheetTable
from tinquire.workbook.parts.external_links import OutsideBooks
from tinquire.workbook.parts.pivots import PivotCells, pivots_of
from tinquire.workbook.workbook import Workbook

__all__ = ["BookScope", "UnreadyError"]


class UnreadyError(Exception):
    """A formula asked for a cell that has to be run first: its (casefolded) sheet, column and row."""

    def __init__(self, cell: tuple[str, int, int]) -> None:
        super().__init__(cell)
        self.cell = cell


class BookScope:
    """The sheets, names and tables of one workbook, as formulas see them."""

    def __init__(self, book: Workbook, now: float | None = None, seed: int = 0) -> None:
        """`now` is the serial of the moment that counts as now; without it NOW and TODAY are not available."""
        self.book = book
        self._now = now
        self._seed = seed
        self.trees = Trees()
        self.indexes = AreaIndexes()
        self._sheets = {entry.name.casefold(): entry.name for entry in book.entries if entry.kind == "worksheet"}
        self._pivots: dict[str, list[tuple[Area, PivotCells]]] = {}
        self._opened: dict[str, Sheet] = {}
        self._dense: dict[str, DenseValues | None] = {}
        self._extents: dict[str, tuple[int, int]] = {}
        self._subtotals: dict[str, set[tuple[int, int]]] = {}
        #: Rows whose results are not known yet, by (casefolded) sheet and column, while cells are run one by one.
        self.unready: dict[tuple[str, int], set[int]] = {}

    @cached_property
    def _tables(self) -> dict[str, tuple[str, SheetTable]]:
        return self.book.tables()

    @cached_property
    def _names(self) -> dict[tuple[str, str], str]:
        return {((name.sheet or "").casefold(), name.name.casefold()): name.formula for name in self.book.names}

    @cached_property
    def outside(self) -> OutsideBooks:
        """Other workbooks' stored values, read when a formula asks for one."""
        return OutsideBooks(self.book.package, self.book.part)

    @property
    def date_system(self) -> DateSystem:
        return self.book.date_system

    def sheet(self, name: str) -> Sheet | None:
        if name.startswith("["):
            return self.outside.sheet(name)
        folded = name.casefold()
        if (opened := self._opened.get(folded)) is None and (known := self._sheets.get(folded)) is not None:
            opened = self._opened[folded] = self.book.sheet(known)
        return opened

    def let_go(self) -> None:
        """Forget the sheets and what was kept of them: whatever still points here must not hold them in memory."""
        self._opened.clear()
        self._dense.clear()
        self.indexes.clear()

    def renew(self, now: float) -> None:
        """Forget all values, and let another moment count as now."""
        self.let_go()
        self._now = now

    def extent(self, sheet: str) -> tuple[int, int] | None:
        known = self._extents.get(sheet)
        if known is None and (found := self.sheet(sheet)) is not None:
            known = self._extents[sheet] = found.extent()
        return known

    def _require_ready(self, sheet: str, column: int, top: int, bottom: int) -> None:
        """Raises UnreadyError for the first cell of a range whose result is not known yet."""
        rows = self.unready.get((sheet, column), ())
        wanted = [row for row in rows if top <= row <= bottom]
        if wanted:
            raise UnreadyError((sheet, column, min(wanted)))

    def grown(self) -> None:
        """Cells were stored where there were none."""
        self.indexes.clear()
        self._extents.clear()
        self._dense.clear()

    def column(self, sheet: str, column: int, top: int, bottom: int) -> Column:
        if self.unready:
            self._require_ready(sheet.casefold(), column, top, bottom)
        if (dense := self._dense.get(sheet.casefold())) is not None:
            return dense.column(column, top, bottom)
        found = self.sheet(sheet)
        return Column.blank(bottom - top + 1) if found is None else found.column(column, top, bottom)

    def gather(self, sheet: str, rows: Codes, columns: Codes) -> Column:
        if self.unready:
            for row, column in zip(rows.tolist(), columns.tolist(), strict=True):
                self._require_ready(sheet.casefold(), column, row, row)
        if (dense := self.dense(sheet)) is not None:
            return dense.gather(rows, columns)
        found = self.sheet(sheet)
        return Column.blank(len(rows)) if found is None else found.gather(rows, columns)

    def dense(self, sheet: str) -> DenseValues | None:
        """The values of a sheet of this workbook as one block, made when it is first asked for; None for a large sheet.

        From then on results that are set there and not in the sheet are seen, too.
        """
        folded = sheet.casefold()
        if folded not in self._dense:
            found = self.sheet(sheet) if folded in self._sheets else None
            self._dense[folded] = DenseValues(found) if found is not None and DenseValues.fits(found) else None
        return self._dense[folded]

    def stored(self, sheet: str, row: int, column: int, values: Column) -> None:
        """A run of results was stored in its sheet."""
        self.indexes.forget(sheet, Area(row, column, row + len(values) - 1, column))
        if (dense := self._dense.get(sheet.casefold())) is not None:
            dense.put(slice(row, row + len(values)), column, values)

    @property
    def moment(self) -> float | None:
        return self._now

    def random(self, count: int) -> Floats:
        return self._random.random(count)

    @cached_property
    def _random(self) -> np.random.Generator:
        return np.random.default_rng(self._seed)

    def sheets_between(self, first: str, last: str) -> list[str]:
        names = self.book.sheet_names()
        if not first and not last:
            return names
        folded = [name.casefold() for name in names]
        if first.casefold() not in folded or last.casefold() not in folded:
            return []
        ends = sorted((folded.index(first.casefold()), folded.index(last.casefold())))
        return names[ends[0] : ends[1] + 1]

    def formula_text(self, sheet: str, row: int, column: int) -> str | None:
        found = self.sheet(sheet)
        formula = None if found is None else found.formula(row, column)
        return None if formula is None else bare_text(text_at(formula, row, column))

    def pivot_value(self, sheet: str, row: int, column: int, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        entry, found = self.book.entry(sheet), self.sheet(sheet)
        if entry is None or entry.part is None or found is None:
            return CellError.REF
        try:
            if entry.part not in self._pivots:
                self._pivots[entry.part] = list(pivots_of(self.book.package, entry.part))
            here = next((pivot for area, pivot in self._pivots[entry.part] if area.holds(row, column)), None)
            position = CellError.REF if here is None else here.cell(data, items)
        except ValueError:
            return CellError.REF  # a damaged pivot shows nothing that could be read
        if isinstance(position, CellError):
            return position
        return self.column(sheet, position[1], position[0], position[0])[0]

    def named_pivot(self, name: str, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        return None  # a workbook's pivots are spoken of by their cells

    def cell_facts(self, sheet: str, row: int, column: int) -> Mapping[str, Value]:
        return {} if sheet.startswith("[") else cell_facts(self.book, sheet, row, column)

    def reading_of(self, sheet: str, row: int, column: int) -> str | None:
        return None if sheet.startswith("[") else reading_of(self.book, sheet, row, column)

    def filled_from(self, sheet: str, row: int, column: int) -> Area | None:
        found = self.sheet(sheet)
        formula = None if found is None else found.formula(row, column)
        return None if formula is None else formula.array

    def passed_over(self, sheet: str, area: Area, hidden: bool) -> Booleans | None:
        found = self.sheet(sheet)
        if found is None:
            return None
        positions = self._subtotal_cells(found)
        if hidden:
            positions = positions | {
                (row, column)
                for row in found.hidden_rows
                if area.top <= row <= area.bottom
                for column in range(area.left, area.right + 1)
            }
        mask = np.zeros((area.width, area.height), bool)
        for row, column in positions:
            if area.holds(row, column):
                mask[column - area.left, row - area.top] = True
        return mask.ravel() if mask.any() else None

    def _subtotal_cells(self, sheet: Sheet) -> set[tuple[int, int]]:
        """Cells whose formulas hold a SUBTOTAL, which other subtotals leave out (18.17.7)."""
        if sheet.name not in self._subtotals:
            self._subtotals[sheet.name] = {
                (row, column)
                for column, top, bottom, formula in sheet.formula_runs()
                if "SUBTOTAL" in formula.text.upper() and self._is_subtotal(formula)
                for row in range(top, bottom + 1)
            }
        return self._subtotals[sheet.name]

    def _is_subtotal(self, formula: Any) -> bool:
        try:
            tree = self.trees.tree(formula)
        except FormulaError:
            return False
        return any(isinstance(node, Call) and node.function == "SUBTOTAL" for node in walk(tree))

    def name(self, name: str, sheet: str | None, frame: Frame) -> Node | Operand | None:
        folded = name.casefold()
        if sheet is not None and sheet.startswith("["):
            return self.outside.name(name, sheet)
        for owner in ((sheet or frame.sheet).casefold(), ""):
            text = self._names.get((owner, folded))
            if text is not None:
                try:
                    return parse_name(text)
                except FormulaError:
                    return Scalar(CellError.NAME)
        if folded in self._tables:
            owner, table = self._tables[folded]
            return Span(owner, table.data)
        return None

    def table(self, reference: TableReference, frame: Frame) -> Operand | None:
        found = self._table(reference, frame)
        if found is None:
            return None
        sheet, table = found
        left, right = 0, len(table.columns) - 1
        if reference.first is not None and reference.last is not None:
            positions = table.index_of(reference.first), table.index_of(reference.last)
            if positions[0] is None or positions[1] is None:
                return None
            left, right = min(positions[0], positions[1]), max(positions[0], positions[1])
        left, right = table.area.left + left, table.area.left + right
        return _rows_of(reference, table, sheet, left, right, frame)

    def _table(self, reference: TableReference, frame: Frame) -> tuple[str, SheetTable] | None:
        if reference.table is not None:
            return self._tables.get(reference.table.casefold())
        for sheet, table in self._tables.values():
            if sheet == frame.sheet and table.area.holds(frame.row, frame.column):
                return sheet, table
        return None


def _rows_of(
    reference: TableReference, table: SheetTable, sheet: str, left: int, right: int, frame: Frame
) -> Operand | None:
    """The area of the rows that a reference asks for; this-row references move with the lane."""
    data = table.data
    if RowsOf.THIS in reference.rows:
        rows = frame.rows()
        if rows.min() < data.top or rows.max() > data.bottom:
            return Scalar(CellError.VALUE)
        moves = frame.count > 1
        return Span(sheet, Area(frame.row, left, frame.row, right), moves, moves, path=frame.path)
    tops, bottoms = [], []
    for part in reference.rows:
        if part is RowsOf.HEADERS and not table.headings:
            return Scalar(CellError.REF)
        if part is RowsOf.TOTALS and not table.totals:
            return Scalar(CellError.REF)
        top, bottom = data.top, data.bottom
        if part is RowsOf.ALL:
            top, bottom = table.area.top, table.area.bottom
        elif part is RowsOf.HEADERS:
            top = bottom = table.area.top
        elif part is RowsOf.TOTALS:
            top = bottom = table.area.bottom
        tops.append(top)
        bottoms.append(bottom)
    return Span(sheet, Area(min(tops), left, max(bottoms), right))
