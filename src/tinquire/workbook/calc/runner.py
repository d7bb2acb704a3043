"""Runs a workbook's programs and scattered cells in the order of what they read."""

from __future__ import annotations

from collections.abc import Iterable

from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import CellError
from tinquire.formula.engine.dependency_order import Place
from tinquire.formula.engine.evaluate import evaluate, evaluate_column
from tinquire.formula.engine.operands import Grid, Lanes
from tinquire.formula.engine.plain_numbers import NotPlain, is_plain, plain_number
from tinquire.formula.engine.references import grid_of, single
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.problems import CycleError
from tinquire.workbook.calc.column_formulas import DYNAMIC, Program
from tinquire.workbook.calc.forms import Scatter
from tinquire.workbook.calc.plain_cells import CellReader
from tinquire.workbook.calc.plan import Plan
from tinquire.workbook.calc.results import ChangedResults, Recalculation, ResultStore, movement
from tinquire.workbook.calc.rings import Rings, place_of
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.calc.spill import left_behind, obstacle
from tinquire.workbook.workbook import Workbook

__all__ = ["PASSES", "Runner"]

#: Formulas that read what they do not name are run until nothing changes, at most this many times.
PASSES = 10
#: Up to this many cells of a form are run on plain numbers: of more, columns are faster.
_FEW_CELLS = 12


class Runner:
    """Runs a plan, as often as it takes."""

    def __init__(self, book: Workbook, scope: BookScope, report: Recalculation) -> None:
        self.book = book
        self.scope = scope
        self.report = report
        self.iteration = book.iteration
        self.store = ResultStore(book, scope, report)
        self.rings = Rings(scope, self.store, self.iteration, self.run)
        #: Areas of formulas that fill others than before, since the last pass began.
        self.respilled: list[Place] = []
        #: Whether a tree can be run on plain numbers.
        self._plain: dict[int, bool] = {}

    def pass_through(self, plan: Plan, only: list[Place] | None) -> int:
        """Run members in their order, all or those that what has changed touches; how many results changed."""
        before = self.report.changed
        self.report.noted.clear()
        changed = None if only is None else [*only, *self.respilled]
        self.respilled = []
        for batch in plan.order:
            parts = [plan.members[index] if changed is None else plan.touched(index, changed) for index in batch]
            if not any(parts):
                continue
            own = self._run_parts(plan, batch, parts, whole=changed is None)
            if changed is not None:
                for index, part in zip(batch, parts, strict=True):
                    changed += _areas(plan.members[index] if own or part is None else part)
        self.store.flush()
        return self.report.changed - before

    def pass_again(self, plan: Plan) -> int:
        """Run what reads cells that it does not name, and what reads a result that changes by that; how many change."""
        before = self.report.changed
        changed = self.respilled
        self.respilled = []
        for batch in plan.order:
            moving = any(plan.members[index].calls & DYNAMIC for index in batch)
            parts = [plan.members[index] if moving else plan.touched(index, changed) for index in batch]
            if not any(parts):
                continue
            mark = len(self.report.changes)
            self._run_parts(plan, batch, parts, whole=moving)
            self.store.flush()
            changed += [
                (change.sheet, Area(int(change.rows[0]), change.column, int(change.rows[-1]), change.column))
                for change in self.report.changes[mark:]
            ]
        return self.report.changed - before

    def _run_parts(
        self, plan: Plan, batch: tuple[int, ...], parts: list[Program | Scatter | None], *, whole: bool
    ) -> bool:
        """Run parts of a batch; whether it depends on itself, so that more may have been run."""
        own = len(batch) > 1 or plan.own[batch[0]]
        if own:
            self._run_own(plan, batch, None if whole else parts)
        else:
            self.run(parts[0])  # type: ignore[arg-type]
        return own

    def _run_own(self, plan: Plan, batch: tuple[int, ...], parts: list[Program | Scatter | None] | None) -> None:
        """Members that depend on each other: all of them, or what depends on the parts that are touched."""
        if len(batch) == 1 and parts is not None and isinstance(parts[0], Program):
            self.rings.run_programs([parts[0]])
        else:
            self.rings.run_batch(plan, batch, parts)

    def settle(self, plan: Plan, only: list[Place] | None, first_pass: int) -> None:
        """Cells that still change, since formulas read what they do not name: each is run when another asks for it, in
        whatever order they read each other. `first_pass` is how many changes the first pass made.

        Raises CycleError for a ring, unless the workbook asks for iteration: then they are run through as often as it
        says, and listed with the rings.
        """
        times, still = self.iteration or (PASSES, 0.0)
        moving: list[ChangedResults] = []
        for number in range(1, times + 1):  # noqa: B007 - it is used after the loop
            mark = len(self.report.changes)
            self.pass_through(plan, only)
            moving = self.report.changes[mark:]
            if not moving or max(map(movement, moving)) <= still:
                break
            if self.iteration is None:
                since = self.report.changes[first_pass:]
                dynamic = [cell for member in plan.members if member.calls & DYNAMIC for cell in member.cells()]
                self.rings.run_as_asked([*dynamic, *_cells_of(plan.members, since)])
        if self.iteration is None and moving and number == times:
            cells = [place_of(cell) for cell in _cells_of(plan.members, moving)]
            raise CycleError((*cells, cells[0]))
        if self.iteration is not None:
            ring = _cells_of(plan.members, self.report.changes[first_pass:])
            self.report.rings.append((tuple(map(place_of, ring)), number))

    def run(self, member: Program | Scatter) -> None:
        """Run what does not depend on itself, its inputs being ready."""
        if isinstance(member, Scatter) and len(member) <= _FEW_CELLS and self._run_plain(member):
            return
        frame = member.frame(self.scope)
        if isinstance(member, Scatter):
            self.store.put(member, evaluate_column(member.tree, frame))
        elif member.formula.array is not None:
            self._run_array(member, frame)
        else:
            self.store.store(member, member.top, member.column, evaluate_column(member.tree, frame))

    def _run_plain(self, cells: Scatter) -> bool:
        """Run few cells on plain numbers, one after the other; False where that cannot be."""
        plain = self._plain.get(id(cells.tree))
        if plain is None:
            plain = self._plain[id(cells.tree)] = is_plain(cells.tree)
        if not plain or self.scope.unready:
            return False
        reader = CellReader(self.scope, cells.sheet)
        results = []
        try:
            for row, column in zip(cells.rows.tolist(), cells.columns.tolist(), strict=True):
                reader.row, reader.column = row, column
                results.append(plain_number(cells.tree, reader))
        except NotPlain:
            return False
        self.store.put_numbers(cells, results)
        return True

    def _run_array(self, program: Program, frame: Frame) -> None:
        """An array formula: its result spread over its area, missing places not available (18.17.2.7)."""
        operand = single(evaluate(program.tree, frame), frame)
        grid: Grid = Grid((operand.column,), 1) if isinstance(operand, Lanes) else grid_of(operand, frame)
        area = program.area
        if program.formula.spills:
            area = Area(program.top, program.column, program.top + grid.height - 1, program.column + grid.width - 1)
            if hindered := obstacle(self.book.sheet(program.sheet), program.area, area):
                self.store.hindered[program.sheet, program.top, program.column] = hindered
                grid, area = Grid((Column.full(CellError.SPILL, 1),), 1), Area(*area[:2], *area[:2])
            if area != program.area:
                self._respill(program, area)
        for offset in range(area.width):
            index = offset if grid.width > 1 else 0
            column = grid.columns[index] if index < grid.width else Column.full(CellError.NA, 1)
            column = column.repeat(area.height) if len(column) == 1 else column.slice(0, area.height)
            if len(column) < area.height:
                column = Column.concat([column, Column.full(CellError.NA, area.height - len(column))])
            self.store.store(program, area.top, area.left + offset, column)

    def _respill(self, program: Program, area: Area) -> None:
        """A spilling formula fills another area than before: cells that it leaves are empty."""
        self.store.flush()
        sheet, before = self.book.sheet(program.sheet), program.area
        for column in range(before.left, before.right + 1):
            first = area.bottom + 1 if column <= area.right else before.top
            for top, bottom in left_behind(sheet, column, first, before.bottom):
                self.store.store(program, top, column, Column.blank(bottom - top + 1), blanks=True)
        sheet.refill(program.top, program.column, area)
        self.scope.grown()
        self.respilled += [(program.sheet, before), (program.sheet, area)]


def _areas(member: Program | Scatter) -> Iterable[Place]:
    if isinstance(member, Program):
        return [(member.sheet, member.area)]
    return [(member.sheet, area) for area in member.areas()]


def _cells_of(known: Iterable[Program | Scatter], changes: list[ChangedResults]) -> list[Program]:
    """The cells that changed, each as a program of its own."""
    rows: dict[tuple[str, int], set[int]] = {}
    for change in changes:
        rows.setdefault((change.sheet, change.column), set()).update(change.rows.tolist())
    return [
        cell
        for member in known
        if any((member.sheet, column) in rows for column in _columns(member))
        for cell in member.cells()
        if cell.top in rows.get((cell.sheet, cell.column), ())
    ]


def _columns(member: Program | Scatter) -> Iterable[int]:
    return (member.column,) if isinstance(member, Program) else (column for column, _ in member.by_column())
