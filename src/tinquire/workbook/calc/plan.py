"""The programs and scattered cells of a workbook, and the order in which they run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from tinquire.formula.engine.dependency_order import Place, ordered
from tinquire.workbook.calc.column_formulas import CellNote, Program, Read, lanes_touched, reads
from tinquire.workbook.calc.dependencies import Filled
from tinquire.workbook.calc.forms import Scatter, sheet_forms
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.cell_formulas import Trees
from tinquire.workbook.grid.sheet import Formula, SheetTable
from tinquire.workbook.parts.defined_names import DefinedName
from tinquire.workbook.workbook import Workbook

__all__ = ["Plan", "make_plan"]

#: The plan of a workbook with no more formulas than this is kept for its copies: to hold on to larger ones takes
#: memory, and saves little.
_KEPT_FORMULAS = 10_000


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


class _Formulas(NamedTuple):
    """All that a plan is made of: the sheets with their formulas, where these stand, and tables, and the names."""

    sheets: list[tuple[str, list[Formula], dict[int, list[tuple[int, int, int]]], list[SheetTable]]]
    names: list[DefinedName]


@dataclass(frozen=True, slots=True)
class _Kept:
    formulas: _Formulas
    plan: Plan
    trees: Trees


def make_plan(book: Workbook, scope: BookScope, skipped: list[CellNote]) -> Plan:
    """The plan of a workbook; what cannot run is noted. Of one whose formulas stand as they stood in a workbook that it
    is a copy of, that one's plan."""
    if sum(len(sheet.formulas) for sheet in book.sheets()) > _KEPT_FORMULAS:
        return _made(book, scope, skipped)
    formulas, kept = _formulas_of(book), book.worked_out.get(_Kept)
    if isinstance(kept, _Kept) and kept.formulas == formulas:
        scope.trees = kept.trees
        return kept.plan
    before = len(skipped)
    plan = _made(book, scope, skipped)
    # What is said of a cell is said each time; what stands in other workbooks may be missing the next time.
    if len(skipped) == before and not any(member.outside for member in plan.members):
        book.worked_out[_Kept] = _Kept(formulas, plan, scope.trees)
    return plan


def _formulas_of(book: Workbook) -> _Formulas:
    sheets = [
        (
            sheet.name,
            list(sheet.formulas),
            {number: runs for number, cells in sheet.columns.items() if (runs := cells.formula_runs())},
            list(sheet.tables),
        )
        for sheet in book.sheets()
    ]
    return _Formulas(sheets, list(book.names))


def _made(book: Workbook, scope: BookScope, skipped: list[CellNote]) -> Plan:
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
