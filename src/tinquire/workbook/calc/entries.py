"""Which cells hold what their entry rules would not let in (ECMA-376 Part 1, 18.3.1.33)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from tinquire.formula import FormulaError
from tinquire.formula.language.tree import Binary, Call, Coordinate, Literal, Node, Reference
from tinquire.workbook.calc.conditions import Conditions
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.entry_rules import EntryRule
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.workbook import Workbook

__all__ = ["BrokenRule", "broken_rules"]

_HERE = Coordinate(0, False)
_CELL = Reference(None, _HERE, _HERE, _HERE, _HERE)


@dataclass(frozen=True, slots=True)
class BrokenRule:
    """An entry rule and the cells (row, column) that break it, row by row; `why` of one that cannot be evaluated."""

    rule: EntryRule
    cells: tuple[tuple[int, int], ...] = ()
    why: str = ""


def broken_rules(
    book: Workbook, sheet: Sheet, rules: Sequence[EntryRule], now: float | None = None
) -> Iterator[BrokenRule]:
    """The rules that filled cells break, and those that cannot be evaluated; blank cells break none, for nothing was
    entered there. `now` is the serial of the moment that counts as now."""
    scope = BookScope(book, now)
    try:
        for rule in rules:
            cells = Conditions(scope, sheet, rule.areas)
            try:
                tree = _allowed(rule, cells)
            except FormulaError as error:
                yield BrokenRule(rule, why=error.faults[0].why)
                continue
            except ValueError as error:
                yield BrokenRule(rule, why=str(error))
                continue
            if tree is None:
                continue
            broken = [
                (top + place, column)
                for (column, top, _), holds, filled in zip(cells.runs, cells.where(tree), cells.filled(), strict=True)
                for place in np.flatnonzero(filled & ~holds).tolist()
            ]
            if broken:
                yield BrokenRule(rule, tuple(sorted(broken)))
    finally:
        scope.let_go()


def _allowed(rule: EntryRule, cells: Conditions) -> Node | None:
    """The condition under which an entry is let in; None where all are. Raises FormulaError, and ValueError for rules
    that are not as their kind asks."""
    if rule.kind == "none":
        return None
    if not rule.formulas:
        raise ValueError(f"its kind '{rule.kind}' has no formula")
    if rule.kind == "custom":
        return cells.parse(rule.formulas[0])
    if rule.kind == "list":
        return _listed(cells.parse(rule.formulas[0]))
    length = Call("LEN", (_CELL,))
    if rule.kind == "textLength":
        return cells.comparison(rule.operator, rule.formulas, length)
    if rule.kind not in ("whole", "decimal", "date", "time"):
        raise ValueError(f"its kind '{rule.kind}' is not known")
    conditions: list[Node] = [Call("ISNUMBER", (_CELL,)), cells.comparison(rule.operator, rule.formulas)]
    if rule.kind == "whole":
        conditions.insert(1, Binary("=", Call("INT", (_CELL,)), _CELL))
    return Call("AND", tuple(conditions))


def _listed(allowed: Node) -> Node:
    """Whether a cell is one of a list: of a range or array, or of texts with commas between them."""
    if isinstance(allowed, Literal) and isinstance(allowed.value, str):
        # What is entered is compared as it is typed: 5 is the text 5 of the list.
        words = [word.strip() for word in allowed.value.split(",")]
        typed = Binary("&", _CELL, Literal(""))
        return Call("OR", tuple(Binary("=", typed, Literal(word)) for word in words))
    return Call("ISNUMBER", (Call("MATCH", (_CELL, allowed, Literal(0.0))),))
