"""Recalculation of a workbook: its formulas as column programs, in the order of what they read."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace

import numpy as np

from tinquire.cells.address import Area, cell_name, quoted_sheet
from tinquire.cells.column import Booleans, Codes, Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import NOTATION, Notation
from tinquire.formula.engine.dependency_order import Place, Work, batches, reads_itself
from tinquire.formula.engine.evaluate import blank_to_zero, evaluate, evaluate_column
from tinquire.formula.engine.operands import Grid, Lanes
from tinquire.formula.engine.recurrences import direction, run_recurrence
from tinquire.formula.engine.references import grid_of, single
from tinquire.formula.engine.running_totals import running_sums, running_total
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.problems import CycleError
from tinquire.formula.language.tree import Node
from tinquire.workbook.calc.column_formulas import (
    DYNAMIC,
    VOLATILE,
    CellNote,
    Program,
    Read,
    lanes_touched,
    programs,
    reads,
    work_of,
)
from tinquire.workbook.calc.scope import BookScope, UnreadyError
from tinquire.workbook.calc.spill import left_behind, obstacle
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.workbook import Workbook

__all__ = ["CellNote", "ChangedResults", "Recalculation", "recalculate"]

#: Of fewer rows than this, a loop is not worth being written.
_LOOP_ROWS = 8
#: Formulas that read what they do not name are run until nothing changes, at most this many times.
_PASSES = 10
#: Half a unit of the 15th significant digit, at most, in parts of the number.
_LAST_DIGIT = 5e-15


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
    errors: list[CellNote] = field(default_factory=list)
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


def recalculate(
    book: Workbook, *, now: float | None = None, seed: int = 0, changed: Iterable[Place] | None = None,
    notation: Notation | None = None,
) -> Recalculation:  # fmt: skip
    """Calculate every formula of a workbook and store the results in its sheets.

    With `changed`, only what depends on those areas. `now` is the serial of the moment that counts as now (NOW and
    TODAY are not available without it), `seed` starts the random numbers; `notation` is how texts spell numbers and
    days. Cells whose formulas cannot be read, or use functions that are not known, keep their stored results and
    are listed. Raises: CycleError, with the cells of the ring, unless the workbook asks for iteration (18.2.2).
    """
    stated = NOTATION.set(notation or NOTATION.get())
    try:
        return _recalculate(book, BookScope(book, now, seed), changed)
    finally:
        NOTATION.reset(stated)


def _recalculate(book: Workbook, scope: BookScope, changed: Iterable[Place] | None) -> Recalculation:
    report = Recalculation()
    known = [program for sheet in book.sheets() for program in programs(sheet, scope, report.skipped)]
    report.formulas = sum(sheet.formula_count() for sheet in book.sheets())
    runner = _Runner(book, scope, report)
    plan = _plan(known, scope)
    only = None if changed is None else list(changed)
    runner.pass_through(plan, only)
    first_pass = len(report.changes)
    again = any(program.calls & DYNAMIC for program in known)
    for _ in range(_PASSES):
        if runner.respilled:  # what reads the cells that are filled now, or are no longer, has to come after them
            known = [program for sheet in book.sheets() for program in programs(sheet, scope, [])]
            plan = _plan(known, scope)
        elif not again:
            break
        if not runner.pass_through(plan, only) and not runner.respilled:
            break
    else:
        runner.settle(plan, only, first_pass)
    report.changes = _net(report.changes)
    for program in known:
        _note_program(program, report)
    return report


def _net(changes: list[ChangedResults]) -> list[ChangedResults]:
    """Of cells that changed several times, what was there first and what is there last; each cell once."""
    columns: dict[tuple[str, int], list[ChangedResults]] = {}
    for change in changes:
        columns.setdefault((change.sheet, change.column), []).append(change)
    net = []
    for (sheet, column), several in columns.items():
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


def _note_program(program: Program, report: Recalculation) -> None:
    called = sorted(program.calls & VOLATILE)
    outside = program.outside
    if called or outside:
        name = cell_name(program.top, program.column)
        name += f":{cell_name(program.bottom, program.column)}" if program.bottom > program.top else ""
        position = (program.sheet, name, text_at(program.formula, program.top, program.column))
        if called:
            report.volatile.append(CellNote(*position, f"it depends on {', '.join(called)}"))
        if outside:
            report.outside.append(CellNote(*position, f"it reads stored values of {', '.join(outside)}"))


@dataclass(frozen=True, slots=True)
class _Plan:
    """Programs, what each reads, and the order in which they are run: those of a batch depend on each other."""

    programs: list[Program]
    reads: list[list[Read]]
    works: list[Work]
    order: list[tuple[int, ...]]


def _plan(known: list[Program], scope: BookScope) -> _Plan:
    read = [list(reads(program.tree, program.frame(scope))) for program in known]
    works = [work_of(program, scope, of_it) for program, of_it in zip(known, read, strict=True)]
    return _Plan(known, read, works, batches(works))


class _Runner:
    """Runs programs and keeps what they changed."""

    def __init__(self, book: Workbook, scope: BookScope, report: Recalculation) -> None:
        self.book = book
        self.scope = scope
        self.report = report
        self.iteration = book.iteration
        #: Areas of formulas that fill others than before, since the last pass began.
        self.respilled: list[Place] = []
        #: What is in the way of spilling formulas, by sheet, row and column.
        self.hindered: dict[tuple[str, int, int], str] = {}

    def pass_through(self, plan: _Plan, only: list[Place] | None) -> int:
        """Run programs in their order, all or those that what has changed touches; how many results changed."""
        before = self.report.changed
        self.report.errors.clear()
        changed = None if only is None else [*only, *self.respilled]
        self.respilled = []
        for batch in plan.order:
            members = [plan.programs[index] for index in batch]
            own = len(batch) > 1 or reads_itself(plan.works[batch[0]])
            if changed is not None:
                touched = [lanes_touched(plan.programs[index], plan.reads[index], changed) for index in batch]
                members = self._touched_programs(members, touched, own=own)
            if not members:
                continue
            if own:
                self._run_ring(members)
            else:
                self._run(members[0])
            if changed is not None:
                changed += [(member.sheet, member.area) for member in members]
        return self.report.changed - before

    def settle(self, plan: _Plan, only: list[Place] | None, first_pass: int) -> None:
        """Cells that still change, since formulas read what they do not name: each is run when another asks for it, in
        whatever order they read each other. `first_pass` is how many changes the first pass made.

        Raises CycleError for a ring, unless the workbook asks for iteration: then they are run through as often as it
        says, and listed with the rings.
        """
        times, still = self.iteration or (_PASSES, 0.0)
        moving: list[ChangedResults] = []
        for number in range(1, times + 1):  # noqa: B007 - it is used after the loop
            mark = len(self.report.changes)
            self.pass_through(plan, only)
            moving = self.report.changes[mark:]
            if not moving or max(map(_movement, moving)) <= still:
                break
            if self.iteration is None:
                since = self.report.changes[first_pass:]
                dynamic = [cell for program in plan.programs if program.calls & DYNAMIC for cell in program.cells()]
                self._run_as_asked([*dynamic, *_cells_of(plan.programs, since)])
        if self.iteration is None and moving and number == times:
            cells = [_place(cell) for cell in _cells_of(plan.programs, moving)]
            raise CycleError((*cells, cells[0]))
        if self.iteration is not None:
            ring = _cells_of(plan.programs, self.report.changes[first_pass:])
            self.report.rings.append((tuple(map(_place, ring)), number))

    @staticmethod
    def _touched_programs(members: list[Program], touched: list[tuple[int, int] | None], *, own: bool) -> list[Program]:
        """What must be run of the programs of a batch, whose rows between two that read what has changed are known."""
        if len(members) > 1:
            return members if any(touched) else []
        program, rows = members[0], touched[0]
        if rows is None:
            return []
        if program.formula.array is not None:
            return [program]
        return [program.rows(rows[0], program.bottom if own else rows[1])]

    def _run(self, program: Program) -> None:
        frame = program.frame(self.scope)
        if program.formula.array is not None:
            self._run_array(program, frame)
        else:
            self._store(program, program.top, program.column, evaluate_column(program.tree, frame))
        self.scope.indexes.clear()

    def _run_array(self, program: Program, frame: Frame) -> None:
        """An array formula: its result spread over its area, missing places not available (18.17.2.7)."""
        operand = single(evaluate(program.tree, frame), frame)
        grid: Grid = Grid((operand.column,), 1) if isinstance(operand, Lanes) else grid_of(operand, frame)
        area = program.area
        if program.formula.spills:
            area = Area(program.top, program.column, program.top + grid.height - 1, program.column + grid.width - 1)
            if hindered := obstacle(self.book.sheet(program.sheet), program.area, area):
                self.hindered[program.sheet, program.top, program.column] = hindered
                grid, area = Grid((Column.full(CellError.SPILL, 1),), 1), Area(*area[:2], *area[:2])
            if area != program.area:
                self._respill(program, area)
        for offset in range(area.width):
            index = offset if grid.width > 1 else 0
            column = grid.columns[index] if index < grid.width else Column.full(CellError.NA, 1)
            column = column.repeat(area.height) if len(column) == 1 else column.slice(0, area.height)
            if len(column) < area.height:
                column = Column.concat([column, Column.full(CellError.NA, area.height - len(column))])
            self._store(program, area.top, area.left + offset, column)

    def _respill(self, program: Program, area: Area) -> None:
        """A spilling formula fills another area than before: cells that it leaves are empty."""
        sheet, before = self.book.sheet(program.sheet), program.area
        for column in range(before.left, before.right + 1):
            first = area.bottom + 1 if column <= area.right else before.top
            for top, bottom in left_behind(sheet, column, first, before.bottom):
                self._store(program, top, column, Column.blank(bottom - top + 1), blanks=True)
        sheet.refill(program.top, program.column, area)
        self.scope.grown()
        self.respilled += [(program.sheet, before), (program.sheet, area)]

    # -- rings -----------------------------------------------------------------------------------------

    def _run_ring(self, members: list[Program]) -> None:
        """Programs that depend on each other or on themselves: a running total in one pass, all others cell by cell in
        the order of the cells. Raises CycleError when a cell depends on itself."""
        if (len(members) == 1 and self._run_total(members[0])) or self._run_loop(members):
            return
        self._run_cells(members)

    def _run_cells(self, members: list[Program]) -> None:
        """Programs cell by cell. Raises CycleError when a cell depends on itself."""
        cells = [cell for program in members for cell in program.cells()]
        works = [work_of(cell, self.scope) for cell in cells]
        for batch in batches(works):
            ring = [cells[index] for index in batch]
            if len(batch) == 1 and not reads_itself(works[batch[0]]):
                self._run(ring[0])
            elif self.iteration is None:
                self._run_as_asked(ring)
            else:
                self._iterate(ring)

    def _run_as_asked(self, ring: list[Program]) -> None:
        """Cells that name each other, but may read less than they name, as `SUM(C1:INDEX(C:C,ROW()-1))` does: each is
        run when another asks for it. Raises CycleError when one is asked for while it is being run."""
        cells = {(item.sheet.casefold(), item.column, item.top): item for item in ring}
        for sheet, column, row in cells:
            self.scope.unready.setdefault((sheet, column), set()).add(row)
        try:
            for first in cells:
                waiting = [first]
                while waiting:
                    sheet, column, row = waiting[-1]
                    if row not in self.scope.unready[sheet, column]:
                        waiting.pop()
                        continue
                    try:
                        self._run(cells[waiting[-1]])
                    except UnreadyError as asked:
                        self.scope.indexes.clear()
                        if asked.cell in waiting:
                            path = [_place(cells[item]) for item in waiting[waiting.index(asked.cell) :]]
                            raise CycleError((*path, path[0])) from None
                        waiting.append(asked.cell)
                    else:
                        self.scope.unready[sheet, column].discard(row)
        finally:
            self.scope.unready.clear()

    def _run_total(self, program: Program) -> bool:
        frame = program.frame(self.scope)
        found = running_total(program.tree, frame) if program.top > 1 and program.formula.array is None else None
        if found is None or any(self._reads_own(node, frame, program) for _, node in found[0]):
            return False
        self._store(program, program.top, program.column, running_sums(*found, frame))
        return True

    def _run_loop(self, members: list[Program]) -> bool:
        """Columns that depend on each other from row to row, in one loop over the rows that all of them have; the few
        rows before and after, which some have, cell by cell."""
        ring = {member.column: member.tree for member in members}
        top, bottom = max(member.top for member in members), min(member.bottom for member in members)
        first = members[0]
        alike = all(member.sheet == first.sheet and member.formula.array is None for member in members)
        if not alike or len(ring) < len(members) or bottom - top < _LOOP_ROWS:
            return False
        frame = replace(first.rows(top, bottom).frame(self.scope), column=0)
        heads = [member.rows(member.top, top - 1) for member in members if member.top < top]
        tails = [member.rows(bottom + 1, member.bottom) for member in members if member.bottom > bottom]
        way = direction(ring, frame)
        before, behind = (heads, tails) if way < 0 else (tails, heads)
        rest = sum(head.bottom - head.top + 1 for head in (*heads, *tails))
        if way == 0 or rest > bottom - top:
            return False
        own = [member.area for member in members]

        def outside(node: Node, frame: Frame) -> bool:
            found = reads(node, frame)
            return not any(
                sheet == first.sheet and any(area.overlaps(item) for item in own) for (sheet, area), _ in found
            )

        self._run_cells(before)
        results = run_recurrence(ring, frame, outside)
        if results is None:
            return False
        for program, values in zip(members, results, strict=True):
            self._store(program, top, program.column, values)
        self._run_cells(behind)
        return True

    @staticmethod
    def _reads_own(node: Node, frame: Frame, program: Program) -> bool:
        own = program.area
        return any(sheet == program.sheet and area.overlaps(own) for (sheet, area), _ in reads(node, frame))

    def _iterate(self, ring: list[Program]) -> None:
        """Cells of a ring run through again and again, until they are still or it was often enough."""
        assert self.iteration is not None
        times, still = self.iteration
        report = self.report
        errors, last_digits = len(report.errors), report.last_digits
        for number in range(1, times + 1):  # noqa: B007 - it is used after the loop
            del report.errors[errors:]
            report.last_digits = last_digits
            mark = len(report.changes)
            for cell in ring:
                self._run(cell)
            if max(map(_movement, report.changes[mark:]), default=0.0) <= still:
                break
        self.report.rings.append((tuple(_place(cell) for cell in ring), number))

    # -- results ---------------------------------------------------------------------------------------

    def _store(self, program: Program, row: int, column: int, values: Column, *, blanks: bool = False) -> None:
        """Keep results in the sheet; remember what changed and note what is in error."""
        sheet = self.book.sheet(program.sheet)
        values = values if blanks else blank_to_zero(values)
        before = sheet.column(column, row, row + len(values) - 1)
        differs = _differs(before, values)
        alike = differs & _same_digits(before, values)
        self.report.last_digits += int(alike.sum())
        different = np.flatnonzero(differs & ~alike)
        if len(different):
            self.report.changes.append(
                ChangedResults(sheet.name, column, different + row, before.take(different), values.take(different))
            )
        sheet.store(row, column, values, different)
        for index in np.flatnonzero(values.kinds == Kind.ERROR).tolist():
            text = text_at(program.formula, row + index, column)
            hindered = self.hindered.get((program.sheet, row + index, column), "")
            note = CellNote(sheet.name, cell_name(row + index, column), text, f"it gives {values[index]}{hindered}")
            self.report.errors.append(note)


def _movement(changed: ChangedResults) -> float:
    """How far the results of a column moved at most; without bounds where one is not a number."""
    numbers = (changed.before.kinds == Kind.NUMBER) & (changed.after.kinds == Kind.NUMBER)
    if not numbers.all():
        return float("inf")
    return float(np.abs(changed.after.numbers - changed.before.numbers).max(initial=0.0))


def _cells_of(known: list[Program], changes: list[ChangedResults]) -> list[Program]:
    """The cells that changed, each as a program of its own."""
    rows: dict[tuple[str, int], set[int]] = {}
    for change in changes:
        rows.setdefault((change.sheet, change.column), set()).update(change.rows.tolist())
    return [
        cell
        for program in known
        if (program.sheet, program.column) in rows
        for cell in program.cells()
        if cell.top in rows[program.sheet, program.column]
    ]


def _place(program: Program) -> str:
    return f"{quoted_sheet(program.sheet)}!{cell_name(program.top, program.column)}"


def _same_digits(before: Column, after: Column) -> Booleans:
    """Where two numbers are the same to 15 significant digits: programs add in other orders, and keep no more."""
    numbers = (before.kinds == Kind.NUMBER) & (after.kinds == Kind.NUMBER)
    with np.errstate(all="ignore"):
        apart = np.abs(before.numbers - after.numbers)
        return numbers & (apart < _LAST_DIGIT * np.maximum(np.abs(before.numbers), np.abs(after.numbers)))


def _differs(before: Column, after: Column) -> Booleans:
    differs = (before.kinds != after.kinds) | (before.numbers != after.numbers)
    texts = np.flatnonzero((before.kinds == Kind.TEXT) & (after.kinds == Kind.TEXT))
    old, new = before.texts, after.texts
    for index, a, b in zip(texts.tolist(), before.codes[texts].tolist(), after.codes[texts].tolist(), strict=True):
        differs[index] = old[a] != new[b]
    return differs
