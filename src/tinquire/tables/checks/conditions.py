"""Checks: conditions over tables and figures that must hold before a pack goes out."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.base.faults import Fault
from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import boolean_of
from tinquire.formula.language.tree import Binary, Literal, Node
from tinquire.formula.language.writing import write
from tinquire.tables.scope import TableScope, read_formula, scalar_value

__all__ = ["CheckResult", "check_formula"]

_COMPARISONS = frozenset({"=", "<>", "<", "<=", ">", ">="})


@dataclass(frozen=True, slots=True)
class CheckResult:
    """What came of one check. `sides` says what was compared: 'ROWS(charges) is 2516, ROWS(tickets) is 2516'."""

    name: str
    formula: str
    holds: bool
    sides: str
    stops: bool
    sentence: str | None = None
    #: A condition in words, not a formula: what was found says all.
    worded: bool = False

    @property
    def says(self) -> str:
        """The formula and its sides; when it does not hold, after the analyst's own sentence."""
        if self.holds:
            return f"{self.formula} ({self.sides})" if self.sides else self.formula
        if self.worded:
            return f"{self.sentence} ({self.sides})" if self.sentence else self.sides
        found = f"{self.formula} does not hold" + (f": {self.sides}" if self.sides else "")
        return f"{self.sentence} ({found})" if self.sentence else found

    def fault(self, where: str) -> Fault:
        do = "find the rows that differ, or fix the check" if self.stops else ""
        return Fault(f"check '{self.name}'", self.says, where, do, warning=not self.stops)


def check_formula(
    name: str, formula: str, scope: TableScope, *, stops: bool, says: str | None, where: str
) -> CheckResult:
    """Work a check out. Raises UseError when its formula cannot be read."""
    tree = read_formula(formula, scope, f"check '{name}'", where)
    value = scalar_value(tree, scope)
    holds = boolean_of(value)
    if isinstance(holds, CellError):
        return CheckResult(name, formula, False, f"it gives {_display(value)}", stops, says)
    return CheckResult(name, formula, holds, _sides(tree, scope), stops, says)


def _sides(tree: Node, scope: TableScope) -> str:
    """The values on both sides of a comparison; constants say enough by themselves."""
    if not isinstance(tree, Binary) or tree.sign not in _COMPARISONS:
        return ""
    shown = [
        f"{write(side)} is {_display(scalar_value(side, scope))}"
        for side in (tree.left, tree.right)
        if not isinstance(side, Literal)
    ]
    return ", ".join(shown)


def _display(value: Value) -> str:
    if isinstance(value, float):
        return general(round(value, 6))
    return "blank" if value is None else str(value)
