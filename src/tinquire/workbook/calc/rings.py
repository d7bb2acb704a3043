"""Programs and cells that depend on each other, or on themselves."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from tinquire.cells.address import cell_name, quoted_sheet
from tinquire.formula.engine.dependency_order import batches, ordered, reads_itself
from tinquire.formula.engine.recurrences import direction, run_recurrence
from tinquire.formula.engine.running_totals import running_sums, running_total
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.problems import CycleError
from tinquire.formula.language.tree import Node
from tinquire.workbook.calc.column_formulas import Program, reads, work_of
from tinquire.workbook.calc.dependencies import TooManyError
from tinquire.workbook.calc.forms import Scatter
from tinquire.workbook.calc.levels import FREE, Numbers, reached, steps
from tinquire.workbook.calc.plan import Plan
from tinquire.workbook.calc.results import ResultStore, movement
from tinquire.workbook.calc.scope import BookScope, UnreadyError

__all__ = ["Rings", "place_of"]

#: Of fewer rows than this, a loop is not worth being written.
_LOOP_ROWS = 8


def place_of(program: Program) -> str:
    """A cell as a message names it."""
    return f"{quoted_sheet(program.sheet)}!{cell_name(program.top, program.column)}"


class Rings:
    """Runs what depends on itself. `run` runs a program or scattered cells whose inputs are ready."""

    def __init__(
        self, scope: BookScope, store: ResultStore, iteration: tuple[int, float] | None,
        run: Callable[[Program | Scatter], None],
    ) -> None:  # fmt: skip
        self.scope = scope
        self.store = store
        self.report = store.report
        self.iteration = iteration
        self.run = run

    def run_batch(
        self, plan: Plan, batch: Sequence[int], touched: Sequence[Program | Scatter | None] | None = None
    ) -> None:
        """Members of a plan that depend on each other, or what depends on the parts that are `touched`.

        Raises CycleError when a cell depends on itself.
        """
        members = [plan.members[index] for index in batch]
        programs = [member for member in members if isinstance(member, Program)]
        if len(programs) == len(members):
            self.run_programs(programs)
            return
        try:
            levelled = _Levels(plan, batch)
        except TooManyError:
            self.run_cells(members)
            return
        for step in levelled.steps(touched):
            if isinstance(step, Scatter):
                self.run(step)
            else:
                self.run_programs(step)
        if left := levelled.left():
            self.store.flush()
            self.run_cells(left)

    def run_programs(self, members: list[Program]) -> None:
        """Programs that may depend on each other or on themselves: a running total in one pass, columns that read each
        other in a loop, all others cell by cell in the order of the cells."""
        if len(members) == 1 and not reads_itself(work_of(members[0], self.scope)):
            self.run(members[0])
        elif not (len(members) == 1 and self._run_total(members[0])) and not self._run_loop(members):
            self.run_cells(members)

    def run_cells(self, members: Sequence[Program | Scatter]) -> None:
        """Cell by cell. Raises CycleError when a cell depends on itself."""
        cells = [cell for member in members for cell in member.cells()]
        works = [work_of(cell, self.scope) for cell in cells]
        for batch in batches(works):
            ring = [cells[index] for index in batch]
            if len(batch) == 1 and not reads_itself(works[batch[0]]):
                self.run(ring[0])
            elif self.iteration is None:
                self.run_as_asked(ring)
            else:
                self._iterate(ring)

    def run_as_asked(self, ring: list[Program]) -> None:
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
                        self.run(cells[waiting[-1]])
                    except UnreadyError as asked:
                        self.scope.indexes.clear()
                        if asked.cell in waiting:
                            path = [place_of(cells[item]) for item in waiting[waiting.index(asked.cell) :]]
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
        self.store.store(program, program.top, program.column, running_sums(*found, frame))
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

        self.run_cells(before)
        results = run_recurrence(ring, frame, outside)
        if results is None:
            return False
        for program, values in zip(members, results, strict=True):
            self.store.store(program, top, program.column, values)
        self.run_cells(behind)
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
        errors, last_digits = len(report.noted), report.last_digits
        for number in range(1, times + 1):  # noqa: B007 - it is used after the loop
            del report.noted[errors:]
            report.last_digits = last_digits
            mark = len(report.changes)
            for cell in ring:
                self.run(cell)
            if max(map(movement, report.changes[mark:]), default=0.0) <= still:
                break
        self.report.rings.append((tuple(place_of(cell) for cell in ring), number))


class _Levels:
    """A batch of a plan cut into what can run one after the other: whole programs, and parts of scattered cells."""

    def __init__(self, plan: Plan, batch: Sequence[int]) -> None:
        """Raises TooManyError when the cells have too many inputs to be counted one by one."""
        self.plan = plan
        self.batch = np.array(sorted(batch))
        filled = plan.filled
        counts = filled.bases[self.batch + 1] - filled.bases[self.batch]
        #: The first local number of each member, and the end; local numbers follow the batch's order.
        self.starts = np.concatenate([[0], np.cumsum(counts)])
        local = np.full(len(filled.member), -1, np.int64)
        for start, base, count in zip(self.starts, filled.bases[self.batch], counts, strict=False):
            local[base : base + count] = np.arange(start, start + count)
        self.rings = self._rings_of_programs(local)
        for ring in self.rings:
            local[filled.bases[self.batch[ring]]] = self.starts[ring[0]]
        self.local = local
        self.total = int(self.starts[-1])
        self.done = np.zeros(self.total, bool)

    def _rings_of_programs(self, local: Numbers) -> list[tuple[int, ...]]:
        """The programs of the batch, by their places in it: those together that depend on each other directly."""
        plan = self.plan
        at = [n for n, index in enumerate(self.batch.tolist()) if isinstance(plan.members[index], Program)]
        numbers = {int(plan.filled.bases[self.batch[n]]): order for order, n in enumerate(at)}
        needs = []
        for n in at:
            read = set(plan.filled.read_by(plan.reads[self.batch[n]]).tolist())
            needs.append([numbers[number] for number in read if number in numbers])
        return [tuple(at[order] for order in ring) for ring in ordered(needs)]

    def _edges(self) -> tuple[Numbers, Numbers, int]:
        """What is read and by whom, in local numbers, and their count.

        An area that all cells of a form read has a number of its own, beyond those of the members.
        """
        nothing = np.zeros(0, np.int64)  # members of a ring of forms need not read each other cell by cell
        sources, readers, extra = [nothing], [nothing], self.total
        for n, index in enumerate(self.batch.tolist()):
            member, known = self.plan.members[index], self.plan.reads[index]
            start, end = int(self.starts[n]), int(self.starts[n + 1])
            if isinstance(member, Program):
                number = int(self.local[self.plan.filled.bases[index]])
                found = self._inside(self.plan.filled.read_by(known))
                found = found[found != number]
                sources.append(found)
                readers.append(np.full(len(found), number, np.int64))
                continue
            for read, reading in self.plan.filled.edges(known):
                inside = self.local[read] >= 0
                found, lanes = self.local[read[inside]], reading[inside]
                if not len(found):
                    continue
                if lanes[0] >= 0:
                    sources.append(found)
                    readers.append(lanes + start)
                else:
                    sources += [np.unique(found), np.full(end - start, extra, np.int64)]
                    readers += [np.full(len(sources[-2]), extra, np.int64), np.arange(start, end, dtype=np.int64)]
                    extra += 1
        return np.concatenate(sources), np.concatenate(readers), extra

    def _inside(self, numbers: Numbers) -> Numbers:
        found = self.local[numbers]
        return np.unique(found[found >= 0])

    def steps(self, touched: Sequence[Program | Scatter | None] | None) -> Iterator[list[Program] | Scatter]:
        """What can run, one after the other: programs that depend on each other, and parts of scattered cells.

        Only what depends on the parts that are touched, if any are given.
        """
        sources, readers, count = self._edges()
        wanted = None if touched is None else reached(count, sources, readers, self._numbers_of(touched))
        ring_at = {int(self.starts[ring[0]]): ring for ring in self.rings}
        # Programs of a ring but for its first are not run under their own number.
        others = {int(self.starts[n]) for ring in self.rings for n in ring[1:]}
        groups = np.full(count, FREE)
        groups[: self.total] = np.repeat(np.arange(len(self.batch)), np.diff(self.starts))
        for n, ready in steps(count, sources, readers, groups):
            if n == FREE:
                continue
            self.done[ready] = True
            numbers = ready if wanted is None else ready[wanted[ready]]
            member, start = self.plan.members[self.batch[n]], int(self.starts[n])
            if isinstance(member, Scatter):
                if len(numbers):
                    yield member if len(numbers) == len(member) else member.part(numbers - start)
            elif start not in others:
                ring = ring_at[start]
                self.done[self.starts[list(ring)]] = True
                if len(numbers):
                    yield [self._program(item) for item in ring]

    def _program(self, n: int) -> Program:
        member = self.plan.members[self.batch[n]]
        assert isinstance(member, Program)
        return member

    def _numbers_of(self, touched: Sequence[Program | Scatter | None]) -> Numbers:
        """The local numbers of parts of the batch's members."""
        found = []
        for n, (index, part) in enumerate(zip(self.batch.tolist(), touched, strict=True)):
            member, start = self.plan.members[index], int(self.starts[n])
            if isinstance(part, Program):
                found.append(np.array([self.local[self.plan.filled.bases[index]]]))
            elif part is not None and isinstance(member, Scatter):
                found.append(start + member.lanes_of(part))
        return np.concatenate(found)

    def left(self) -> list[Program | Scatter]:
        """What is on a ring, or reads it."""
        left: list[Program | Scatter] = []
        first_of = {int(self.starts[n]): int(self.starts[ring[0]]) for ring in self.rings for n in ring}
        for n, index in enumerate(self.batch.tolist()):
            member, start = self.plan.members[index], int(self.starts[n])
            if isinstance(member, Program):
                if not self.done[first_of[start]]:
                    left.append(member)
            elif not (done := self.done[start : int(self.starts[n + 1])]).all():
                left.append(member.part(~done))
        return left
