"""The formulas of one workbook worked out again and again, while nothing but values of its cells changes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from tinquire.formula.language.problems import CycleError
from tinquire.workbook.calc.column_formulas import VOLATILE, CellNote, Program
from tinquire.workbook.calc.forms import Scatter
from tinquire.workbook.calc.plan import Plan, make_plan
from tinquire.workbook.calc.results import Recalculation
from tinquire.workbook.calc.runner import Runner
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.cells import NO_FORMULA, Cells
from tinquire.workbook.workbook import Workbook

__all__ = ["SteadyFormulas"]

#: Of the functions that may give something else each time, those that hang on the moment alone.
_OF_THE_MOMENT = frozenset({"NOW", "TODAY"})


@dataclass(frozen=True, slots=True)
class _Stored:
    """The results that a column of formulas came with, and where in its arrays they lie."""

    cells: Cells
    at: NDArray[Any]
    kept: tuple[NDArray[Any], NDArray[Any], NDArray[Any]]

    @classmethod
    def of(cls, cells: Cells) -> _Stored:
        at = (cells.formulas != NO_FORMULA).nonzero()[0]
        return cls(cells, at, (cells.kinds[at], cells.numbers[at], cells.codes[at]))

    def restore(self) -> None:
        self.cells.kinds[self.at], self.cells.numbers[self.at], self.cells.codes[self.at] = self.kept


class SteadyFormulas:
    """The formulas of a workbook of which each always fills the same cells, and reads the cells that it names."""

    def __init__(self, book: Workbook, scope: BookScope, plan: Plan) -> None:
        self._book, self._scope, self._plan = book, scope, plan
        self._stored = [
            _Stored.of(cells) for sheet in book.sheets() for cells in sheet.columns.values() if cells.formula_runs()
        ]

    @classmethod
    def of(cls, book: Workbook) -> SteadyFormulas | None:
        """Those of a workbook as it is now; None where one cannot be run, spills, or reads what it does not name.
        Raises ValueError for damage."""
        skipped: list[CellNote] = []
        scope = BookScope(book)
        if book.iteration is not None:
            return None
        plan = make_plan(book, scope, skipped)
        if skipped or not all(map(_is_steady, plan.members)):
            return None
        return cls(book, scope, plan)

    def read(self, sheet: str, column: int) -> bool:
        """Whether a formula reads cells of a column."""
        folded = sheet.casefold()
        return any(
            place[0].casefold() == folded and place[1].left <= column <= place[1].right for place in self._places()
        )

    def _places(self) -> Iterator[Any]:
        return (place for known in self._plan.reads for place, _ in known)

    def run(self, now: float) -> Recalculation | None:
        """Work all results out anew, from those that the workbook came with, as `recalculate` does; `now` is the serial
        of the moment. None where one is in error."""
        for stored in self._stored:
            stored.restore()
        self._scope.renew(now)
        report = Recalculation()
        try:
            Runner(self._book, self._scope, report).pass_through(self._plan, None)
        except CycleError:
            return None
        return None if report.noted else report


def _is_steady(member: Program | Scatter) -> bool:
    changes = member.calls & VOLATILE - _OF_THE_MOMENT
    return not changes and not member.outside and member.formula.array is None
