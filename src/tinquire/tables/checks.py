"""Checks: conditions over tables and figures that must hold before a pack goes out."""

from __future__ import annotations

from dataclasses import dataclass

from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.faults import Fault
from tinquire.formula.coerce import boolean_of
from tinquire.formula.tree import Binary, Literal, Node
from tinquire.formula.writing import write
from tinquire.tables.scope import TableScope, read_formula, scalar_value

__all__ = ["CheckResult", "checked"]

_COMPARISONS = frozenset({"=", "<>", "<", "<=", ">", ">="})


@dataclass(frozen=True, slots=True)
class CheckResult:
    """What came of one check: whether it holds, and what both sides of its comparison were."""

    name: str
    formula: str
    holds: bool
    says: str
    stops: bool

    def fault(self, where: str) -> Fault:
        why = self.says
        do = "find the rows that differ, or mend the check" if self.stops else ""
        return Fault(f"check '{self.name}'", why, where, do, warning=not self.stops)


def checked(name: str, formula: str, scope: TableScope, *, stops: bool, says: str | None, where: str) -> CheckResult:
    """Work a check out. Raises UseError when its formula cannot be read."""
    tree = read_formula(formula, scope, f"check '{name}'", where)
    value = scalar_value(tree, scope)
    holds = boolean_of(value)
    if isinstance(holds, CellError):
        found = f"{formula} gives {value}"
        holds = False
    else:
        found = (
            f"{formula} does not hold" + _sides(tree, scope) if not holds else f"{formula} holds" + _sides(tree, scope)
        )
    text = found if holds or says is None else f"{says} ({found})"
    return CheckResult(name, formula, holds, text, stops)


def _sides(tree: Node, scope: TableScope) -> str:
    """The values on both sides of a comparison, for the message."""
    if not isinstance(tree, Binary) or tree.sign not in _COMPARISONS:
        return ""
    shown = [
        f"{write(side)} is {_shown(scalar_value(side, scope))}"
        for side in (tree.left, tree.right)
        if not isinstance(side, Literal)
    ]
    return ": " + ", ".join(shown) if shown else ""


def _shown(value: Value) -> str:
    if isinstance(value, float):
        return general(round(value, 6))
    return "blank" if value is None else str(value)
