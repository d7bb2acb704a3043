"""Recalculation of a workbook: its formulas as column programs, in the order of what they read."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from tinquire.cells.address import MAX_ROW, Area, cell_name, quoted_sheet
from tinquire.cells.column import Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.evaluate import blank_to_zero, evaluate, evaluate_column, grid_of, single, span_of
from tinquire.formula.operands import Grid, Lanes, Span
from tinquire.formula.order import Place, Work, batches, reads_itself
from tinquire.formula.problems import CycleError, FormulaError
from tinquire.formula.registry import functions, unknown_function
from tinquire.formula.scope import Frame
from tinquire.formula.tree import Call, Name, Node, Reference, TableReference, walk
from tinquire.workbook.book import Workbook
from tinquire.workbook.formulas import text_at
from tinquire.workbook.scope import BookScope
from tinquire.workbook.sheet import Formula, Sheet

__all__ = ["CellNote", "Recalculation", "recalculate"]

#: A name may stand for a formula that holds names; deeper chains than this are taken for a loop.
_NAME_DEPTH = 32


@dataclass(frozen=True, slots=True)
class CellNote:
    """Something to say of one formula cell."""

    sheet: str
    cell: str
    formula: str
    says: str

    @property
    def place(self) -> str:
        return f"sheet '{self.sheet}', cell {self.cell}"


@dataclass
class Recalculation:
    """What a recalculation did. `formulas` and `changed` count cells; `skipped` kept their stored results."""

    formulas: int = 0
    changed: int = 0
    errors: list[CellNote] = field(default_factory=list)
    skipped: list[CellNote] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Program:
    """One tree for a run of cells below each other."""

    sheet: str
    column: int
    top: int
    bottom: int
    tree: Node
    formula: Formula

    @property
    def area(self) -> Area:
        return self.formula.array or Area(self.top, self.column, self.bottom, self.column)

    def frame(self, scope: BookScope) -> Frame:
        count = self.bottom - self.top + 1
        return Frame(scope, self.sheet, self.top, self.column, count, arrays=self.formula.array is not None)

    def cells(self) -> Iterator[Program]:
        for row in range(self.top, self.bottom + 1):
            yield Program(self.sheet, self.column, row, row, self.tree, self.formula)


def recalculate(book: Workbook) -> Recalculation:
    """Work out every formula of a workbook and store the results in its sheets.

    Cells whose formulas cannot be read, or use functions that are not known, keep their stored results and are
    listed. Raises: CycleError, with the cells of the ring.
    """
    scope = BookScope(book)
    report = Recalculation()
    programs = [program for sheet in book.sheets() for program in _programs(sheet, scope, report)]
    for batch in batches([_work(program, scope) for program in programs]):
        members = [programs[place] for place in batch]
        if len(members) == 1 and not reads_itself(_work(members[0], scope)):
            _run(members[0], scope, report)
        else:
            _run_ring(members, scope, report)
    return report


def _programs(sheet: Sheet, scope: BookScope, report: Recalculation) -> Iterator[Program]:
    """Runs of cells with one tree, as long as they go."""
    waiting: Program | None = None
    for column, top, bottom, formula in sheet.formula_runs():
        report.formulas += bottom - top + 1
        tree = _readable(sheet, column, top, formula, scope, report)
        if tree is None:
            continue
        follows = (
            waiting is not None
            and waiting.column == column
            and waiting.bottom == top - 1
            and formula.array is None
            and waiting.formula.array is None
            and waiting.tree == tree
        )
        if waiting is not None and follows:
            waiting = Program(sheet.name, column, waiting.top, bottom, tree, waiting.formula)
            continue
        if waiting is not None:
            yield waiting
        waiting = Program(sheet.name, column, top, bottom, tree, formula)
    if waiting is not None:
        yield waiting


def _readable(
    sheet: Sheet, column: int, row: int, formula: Formula, scope: BookScope, report: Recalculation
) -> Node | None:
    """The formula's tree; None, and a note, when it cannot be run."""
    place = (sheet.name, cell_name(row, column), text_at(formula, row, column))
    if formula.kept:
        report.skipped.append(CellNote(*place, "a data table, kept as it is"))
        return None
    try:
        tree = scope.trees.tree(formula)
    except FormulaError as error:
        report.skipped.append(CellNote(*place, error.faults[0].why))
        return None
    known = functions()
    for node in walk(tree):
        if isinstance(node, Call) and node.function not in known:
            report.skipped.append(CellNote(*place, unknown_function(node.function)))
            return None
        if isinstance(node, Reference | Name) and "[" in (node.sheet or ""):
            report.skipped.append(CellNote(*place, "it reads another workbook, which is never opened"))
            return None
    return tree


# -- order -----------------------------------------------------------------------------------------------


def _work(program: Program, scope: BookScope) -> Work:
    frame = program.frame(scope)
    return Work((program.sheet, program.area), tuple(_reads(program.tree, frame, 0)))


def _reads(tree: Node, frame: Frame, depth: int) -> Iterator[Place]:
    """The areas that a tree reads, over all lanes of its frame."""
    for node in walk(tree):
        operand: object = None
        if isinstance(node, Reference):
            operand = span_of(node, frame)
        elif isinstance(node, TableReference):
            operand = frame.scope.table(node, frame)
        elif isinstance(node, Name):
            operand = frame.scope.name(node.name, node.sheet, frame)
            if operand is not None and not isinstance(operand, Span) and depth < _NAME_DEPTH:
                yield from _reads(operand, frame, depth + 1)  # type: ignore[arg-type]
        if isinstance(operand, Span):
            first, last = operand.at(0), operand.at(frame.count - 1)
            whole = Area(
                min(first.top, last.top), first.left, min(max(first.bottom, last.bottom), MAX_ROW), first.right
            )
            yield operand.sheet, whole


# -- running ---------------------------------------------------------------------------------------------


def _run(program: Program, scope: BookScope, report: Recalculation) -> None:
    sheet = scope.book.sheet(program.sheet)
    frame = program.frame(scope)
    if program.formula.array is not None:
        _run_array(program, sheet, frame, report)
    else:
        _store(sheet, program.top, program.column, evaluate_column(program.tree, frame), program, report)
    scope.indexes.clear()


def _run_array(program: Program, sheet: Sheet, frame: Frame, report: Recalculation) -> None:
    """An array formula: its result spread over its area, missing places not available (18.17.2.7)."""
    area = program.area
    operand = single(evaluate(program.tree, frame), frame)
    grid: Grid = Grid((operand.column,), 1) if isinstance(operand, Lanes) else grid_of(operand, frame)
    for offset in range(area.width):
        place = offset if grid.width > 1 else 0
        column = grid.columns[place] if place < grid.width else Column.full(CellError.NA, 1)
        column = column.repeat(area.height) if len(column) == 1 else column.slice(0, area.height)
        if len(column) < area.height:
            column = Column.concat([column, Column.full(CellError.NA, area.height - len(column))])
        _store(sheet, area.top, area.left + offset, column, program, report)


def _run_ring(members: list[Program], scope: BookScope, report: Recalculation) -> None:
    """Programs that depend on each other or on themselves: cell by cell, in the order of the cells.

    Raises: CycleError when a cell depends on itself.
    """
    cells = [cell for program in members for cell in program.cells()]
    works = [_work(cell, scope) for cell in cells]
    for batch in batches(works):
        if len(batch) > 1 or reads_itself(works[batch[0]]):
            path = tuple(_place(cells[place]) for place in batch)
            raise CycleError((*path, path[0]))
        _run(cells[batch[0]], scope, report)


def _place(program: Program) -> str:
    return f"{quoted_sheet(program.sheet)}!{cell_name(program.top, program.column)}"


def _store(sheet: Sheet, row: int, column: int, values: Column, program: Program, report: Recalculation) -> None:
    """Keep results in the sheet; count what changed and note what is in error."""
    values = blank_to_zero(values)
    before = sheet.column(column, row, row + len(values) - 1)
    different = np.flatnonzero(_differs(before, values))
    report.changed += len(different)
    sheet.store(row, column, values)
    sheet.changed.update((row + place, column) for place in different.tolist())
    for place in np.flatnonzero(values.kinds == Kind.ERROR).tolist():
        value: Value = values[place]
        text = text_at(program.formula, row + place, column)
        note = CellNote(sheet.name, cell_name(row + place, column), text, f"it gives {value}")
        report.errors.append(note)


def _differs(before: Column, after: Column) -> np.ndarray:
    differs = (before.kinds != after.kinds) | (before.numbers != after.numbers)
    texts = (before.kinds == Kind.TEXT) & (after.kinds == Kind.TEXT)
    for place in np.flatnonzero(texts).tolist():
        differs[place] = before[place] != after[place]
    return differs
