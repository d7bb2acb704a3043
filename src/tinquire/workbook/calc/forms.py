"""The formulas of a sheet by their relative form: long runs down a column, and all other cells of a form together.

People fill formulas down, across, in blocks, and here and there. Whatever shape the cells of one form make, they share
a tree, and are lanes of one evaluation as far as they do not depend on each other.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, cell_name, parse_cell
from tinquire.cells.column import Booleans, Codes
from tinquire.formula.engine.dependency_order import Place
from tinquire.formula.engine.operands import LanePath
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.mentions import relative_form
from tinquire.formula.language.tree import Node, Reference
from tinquire.workbook.calc.column_formulas import CellNote, Program, Read, program_of, readable_tree
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.calc.typed_numbers import Shape, alike
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Formula, Sheet

__all__ = ["Scatter", "sheet_forms"]

#: A run down a column of at least this many cells is a program of its own: loops and running totals run along it.
LONG_RUN = 24
#: Columns with no more runs of formulas than this are taken run by run, without a look at each cell.
_FEW_RUNS = 64
#: Of more scattered cells than this, what reads them is asked of the area around them.
_FEW_CELLS = 64


@dataclass(frozen=True, slots=True, eq=False)
class Scatter:
    """Cells of one relative form anywhere on a sheet, column by column and downwards."""

    sheet: str
    rows: Codes
    columns: Codes
    tree: Node
    formula: Formula
    calls: frozenset[str] = frozenset()
    outside: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.rows)

    def frame(self, scope: BookScope) -> Frame:
        row, column, count = int(self.rows[0]), int(self.columns[0]), len(self.rows)
        path = LanePath(self.rows - row, self.columns - column) if count > 1 else None
        return Frame(scope, self.sheet, row, column, count, path=path)

    def part(self, lanes: Codes | Booleans) -> Scatter:
        rows, columns = self.rows[lanes], self.columns[lanes]
        return Scatter(self.sheet, rows, columns, self.tree, self.formula, self.calls, self.outside)

    def lanes_of(self, part: Scatter) -> Codes:
        """Where the cells of a part lie among all."""
        own, wanted = (item.columns.astype(np.int64) * (MAX_ROW + 1) + item.rows for item in (self, part))
        return np.searchsorted(own, wanted)

    def by_column(self) -> Iterator[tuple[int, slice]]:
        """Each column, and where its cells lie among all."""
        bounds = np.flatnonzero(np.concatenate([[True], np.diff(self.columns) != 0, [True]])).tolist()
        for first, last in pairwise(bounds):
            yield int(self.columns[first]), slice(first, last)

    def runs(self) -> Iterator[tuple[int, int, int]]:
        """Column, first and last row of every run of cells below each other."""
        breaks = np.flatnonzero((np.diff(self.columns) != 0) | (np.diff(self.rows) != 1)) + 1
        starts, ends = [0, *breaks.tolist()], [*breaks.tolist(), len(self.rows)]
        for start, end in zip(starts, ends, strict=True):
            yield int(self.columns[start]), int(self.rows[start]), int(self.rows[end - 1])

    def areas(self) -> Iterator[Area]:
        """The runs as areas; of many, the one around them."""
        if len(self) <= _FEW_CELLS:
            for column, top, bottom in self.runs():
                yield Area(top, column, bottom, column)
        else:
            yield Area(int(self.rows.min()), int(self.columns[0]), int(self.rows.max()), int(self.columns[-1]))

    def touched(self, known: Sequence[Read], changed: Sequence[Place]) -> Scatter | None:
        """The cells that read any of the changed areas; None when none does. `known` is what all cells read."""
        lanes = np.zeros(len(self), bool)
        for (sheet, whole), span in known:
            for other, area in changed:
                if other.casefold() != sheet.casefold() or not whole.overlaps(area):
                    continue
                if span.path is None:
                    return self
                top, left, bottom, right = span.edges()
                lanes |= (top <= area.bottom) & (bottom >= area.top) & (left <= area.right) & (right >= area.left)
        return self.part(lanes) if lanes.any() else None

    def cells(self) -> Iterator[Program]:
        """Each cell as a program of its own."""
        for row, column in zip(self.rows.tolist(), self.columns.tolist(), strict=True):
            yield Program(self.sheet, column, row, row, self.tree, self.formula, self.calls, self.outside)


def sheet_forms(sheet: Sheet, scope: BookScope, skipped: list[CellNote]) -> tuple[list[Program], list[Scatter]]:
    """Long runs, array formulas and what means another table in another cell as programs; all other cells by form. What
    cannot be run is noted."""
    notes: list[CellNote] = []
    known = _FormsOf(sheet, scope, notes)
    programs: list[Program] = []
    cells_of: dict[int, list[tuple[Codes, int]]] = defaultdict(list)
    for column in sorted(sheet.columns):
        cells = sheet.columns[column]
        headings = _heading_rows(sheet, column)
        runs = cells.formula_runs()
        if not headings and len(runs) <= _FEW_RUNS:
            for top, bottom, number in known.long_runs(runs):
                form = known.form(number)
                if bottom - top + 1 >= LONG_RUN or known.is_own[form]:
                    program = known.program(form, column, top, bottom, sheet.formulas[number])
                    programs += [] if program is None else [program]
                else:
                    cells_of[form].append((np.arange(top, bottom + 1), column))
            continue
        at = np.flatnonzero(cells.formulas != NO_FORMULA)
        for row in headings:
            for place in at[cells.rows[at] == row].tolist():
                text = text_at(sheet.formulas[cells.formulas[place]], row, column)
                notes.append(CellNote(sheet.name, cell_name(row, column), text, "a table's heading, kept as it is"))
            at = at[cells.rows[at] != row]
        if not len(at):
            continue
        rows, ids = cells.rows[at], cells.formulas[at]
        forms = known.of(ids)
        starts = np.flatnonzero(np.concatenate([[True], (np.diff(rows) != 1) | (np.diff(forms) != 0)]))
        lengths = np.diff(np.append(starts, len(rows)))
        apart = (lengths >= LONG_RUN) | known.is_own[forms[starts]]
        for start, length in zip(starts[apart].tolist(), lengths[apart].tolist(), strict=True):
            first = sheet.formulas[ids[start]]
            program = known.program(int(forms[start]), column, int(rows[start]), int(rows[start]) + length - 1, first)
            if program is not None:
                programs.append(program)
        short = np.repeat(~apart, lengths)
        if short.any():
            rows, forms = rows[short], forms[short]
            order = np.argsort(forms, kind="stable")
            bounds = np.flatnonzero(np.concatenate([[True], np.diff(forms[order]) != 0, [True]]))
            for first_at, last_at in zip(bounds[:-1].tolist(), bounds[1:].tolist(), strict=True):
                cells_of[int(forms[order[first_at]])].append((rows[order[first_at:last_at]], column))
    scatters = [item for form, parts in cells_of.items() for item in known.scatter(form, parts)]
    skipped += sorted(notes, key=lambda note: parse_cell(note.cell)[::-1])
    return programs, scatters


def _headings(sheet: Sheet) -> Iterator[Area]:
    """The headings of a sheet's tables. They are texts that name the tables' columns (18.5.1.3): no formula must give
    them another."""
    return (table.area._replace(bottom=table.area.top) for table in sheet.tables if table.headings)


def _heading_rows(sheet: Sheet, column: int) -> set[int]:
    """The rows in which a column has headings of tables."""
    return {area.top for area in _headings(sheet) if area.left <= column <= area.right}


class _FormsOf:
    """The forms of a sheet's formulas, numbered, with the tree of each."""

    def __init__(self, sheet: Sheet, scope: BookScope, skipped: list[CellNote]) -> None:
        self.sheet = sheet
        self.scope = scope
        self.skipped = skipped
        numbers: dict[object, int] = {}
        keys: dict[int, tuple[object, ...]] = {}
        self._form = np.zeros(len(sheet.formulas), np.int32)
        self._first: list[Formula] = []
        own = []
        for number, formula in enumerate(sheet.formulas):
            apart = formula.array is not None or formula.kept
            key = None if apart else relative_form(formula.text, formula.row, formula.column)
            form = numbers.setdefault(number if key is None else key, len(self._first))
            if form == len(self._first):
                self._first.append(formula)
                own.append(apart or "[" in formula.text)
                if key is not None and not own[-1]:
                    keys[form] = key
            self._form[number] = form
        self.is_own = np.array(own or [False])
        #: The trees of forms that stand for others, which differ from them in nothing but numbers.
        self._shared: dict[int, Node] = {}
        for shape in alike(keys, self._first, scope.trees):
            self._join(shape)

    def _join(self, shape: Shape) -> None:
        """Take forms for one, with a tree over all their cells."""
        rank_of = np.full(len(self._first), -1, np.int64)
        rank_of[shape.forms] = np.arange(len(shape.forms))
        ranks_of = rank_of[self._form]
        found: list[tuple[Codes, Codes, Codes]] = []
        for column, cells in self.sheet.columns.items():
            at = np.flatnonzero(cells.formulas != NO_FORMULA)
            ranks = ranks_of[cells.formulas[at]]
            own = ranks >= 0
            if own.any():
                rows = cells.rows[at[own]]
                found.append((rows, np.full(len(rows), column, np.int32), ranks[own]))
        if found:
            rows, columns, ranks = (np.concatenate(part) for part in zip(*found, strict=True))
            self._shared[shape.forms[0]] = shape.tree_over(rows, columns, ranks)
            self._form[ranks_of >= 0] = shape.forms[0]

    def form(self, number: int) -> int:
        """The form of a formula's number."""
        return int(self._form[number])

    def long_runs(self, runs: Sequence[tuple[int, int, int]]) -> Iterator[tuple[int, int, int]]:
        """Runs of one form down a column, by first row, last row and formula: those that follow each other together."""
        waiting: tuple[int, int, int] | None = None
        for top, bottom, number in runs:
            if waiting is not None and waiting[1] == top - 1 and self.form(waiting[2]) == self.form(number):
                waiting = (waiting[0], bottom, waiting[2])
                continue
            if waiting is not None:
                yield waiting
            waiting = (top, bottom, number)
        if waiting is not None:
            yield waiting

    def of(self, ids: Codes) -> Codes:
        forms: Codes = self._form[ids]
        return forms

    def program(self, form: int, column: int, top: int, bottom: int, formula: Formula) -> Program | None:
        tree = self._tree(form, column, top, formula)
        return None if tree is None else program_of(self.sheet.name, column, top, bottom, tree, formula, self.scope)

    def scatter(self, form: int, parts: list[tuple[Codes, int]]) -> Iterator[Scatter]:
        formula = self._first[form]
        rows = np.concatenate([rows for rows, _ in parts]).astype(np.int32)
        columns = np.repeat(np.array([column for _, column in parts], np.int32), [len(rows) for rows, _ in parts])
        row, column = int(rows[0]), int(columns[0])
        tree = self._tree(form, column, row, formula)
        if tree is None:
            self._note_others(formula, rows, columns)
            return
        single = program_of(self.sheet.name, column, row, row, tree, formula, self.scope)
        made = Scatter(self.sheet.name, rows, columns, tree, formula, single.calls, single.outside)
        beyond = _beyond_grid(self.scope.trees.nodes(tree), rows, columns)
        if beyond is None:
            yield made
            return
        for lane in np.flatnonzero(beyond):
            yield made.part(np.array([lane]))
        if not beyond.all():
            yield made.part(~beyond)

    def _tree(self, form: int, column: int, row: int, formula: Formula) -> Node | None:
        """The tree of a form; None, and a note, when it cannot be run."""
        if formula.array is not None and any(area.overlaps(formula.array) for area in _headings(self.sheet)):
            text = text_at(formula, row, column)
            why = "it fills a table's heading, kept as it is"
            self.skipped.append(CellNote(self.sheet.name, cell_name(row, column), text, why))
            return None
        tree = readable_tree(self.sheet, column, row, formula, self.scope, self.skipped)
        return None if tree is None else self._shared.get(form, tree)

    def _note_others(self, formula: Formula, rows: Codes, columns: Codes) -> None:
        """A note for the first cell of every other run down a column."""
        breaks = (np.diff(rows) != 1) | (np.diff(columns) != 0)
        for index in (np.flatnonzero(breaks) + 1).tolist():
            readable_tree(self.sheet, int(columns[index]), int(rows[index]), formula, self.scope, self.skipped)


def _beyond_grid(nodes: Sequence[Node], rows: Codes, columns: Codes) -> Booleans | None:
    """The cells whose references would lie beyond the grid, as those of damaged shared formulas do; None for none."""
    references = [node for node in nodes if isinstance(node, Reference)]
    falls = [corner.number for node in references for corner in (node.top, node.bottom) if not corner.fixed]
    goes = [corner.number for node in references for corner in (node.left, node.right) if not corner.fixed]
    if not (falls or goes):
        return None
    if len(rows) == 1:
        row, column = int(rows[0]), int(columns[0])
        within = (not falls or (row + min(falls) >= 1 and row + max(falls) <= MAX_ROW)) and (
            not goes or (column + min(goes) >= 1 and column + max(goes) <= MAX_COLUMN)
        )
        return None if within else np.ones(1, bool)
    beyond = np.zeros(len(rows), bool)
    for distances, own, most in ((falls, rows, MAX_ROW), (goes, columns, MAX_COLUMN)):
        if distances:
            beyond |= (own + min(distances) < 1) | (own + max(distances) > most)
    return beyond if beyond.any() else None
