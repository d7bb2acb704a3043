"""The programs and scattered cells of a workbook, and the order in which they run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.formula.engine.dependency_order import Place, ordered
from tinquire.workbook.calc.column_formulas import CellNote, Program, Read, lanes_touched, reads
from tinquire.workbook.calc.dependencies import Filled
from tinquire.workbook.calc.forms import Scatter, sheet_forms
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.workbook import Workbook

__all__ = ["Plan", "make_plan"]


@dataclass(frozen=True, slots=True)
class Plan:
    """What runs, what each member reads and whether it may read itself, and the order: members of a batch depend on
    each other."""

    members: list[Program | Scatter]
    reads: list[list[Read]]
    own: list[bool]
    order: list[tuple[int, ...]]
    filled: Filled

    def touched(self, index: int, changed: Sequence[Place]) -> Program | Scatter | None:
        """The part of a member that reads what has changed; None when nothing of it does."""
        member, known = self.members[index], self.reads[index]
        if isinstance(member, Scatter):
            return member.touched(known, changed)
        rows = lanes_touched(member, known, list(changed))
        if rows is None or member.formula.array is not None:
            return None if rows is None else member
        return member.rows(rows[0], member.bottom if self.own[index] else rows[1])


def make_plan(book: Workbook, scope: BookScope, skipped: list[CellNote]) -> Plan:
    """The plan of a workbook; what cannot run is noted."""
    members: list[Program | Scatter] = []
    for sheet in book.sheets():
        programs, scatters = sheet_forms(sheet, scope, skipped)
        members += [*programs, *scatters]
    known = [list(reads(member.tree, member.frame(scope), nodes=scope.trees.nodes(member.tree))) for member in members]
    filled = Filled(members)
    needs, own = [], []
    for index, of_it in enumerate(known):
        needed = np.unique(filled.member[filled.read_by(of_it)]).tolist()
        own.append(index in needed)
        needs.append([other for other in needed if other != index])
    return Plan(members, known, own, ordered(needs), filled)
