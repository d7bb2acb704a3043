"""Entry rules over a block of rows: in the words of a docket, as rules of a sheet (ECMA-376 Part 1, 18.3.1.33)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tinquire.base.faults import Fault, UseError
from tinquire.cells.address import Area
from tinquire.cells.display import general
from tinquire.formula.language.writing import write_value
from tinquire.layout.row_block import RowBlock, all_made
from tinquire.workbook.grid.entry_rules import EntryRule

__all__ = ["EntryPlan", "entry_rules_over"]

#: A list of texts in a rule may be so long (18.3.1.34); a text with a comma would be two.
_LONGEST_LIST = 255
_KINDS = {"whole": "whole", "number": "decimal", "date": "date", "time": "time", "length": "textLength"}
_SEVERITIES = {"stop": "stop", "warn": "warning", "tell": "information"}


@dataclass(frozen=True, kw_only=True)
class EntryPlan:
    """An entry rule as it is asked for; `one_of` are values, or a formula that gives them."""

    on: Sequence[str]
    one_of: Sequence[float | str] | str | None = None
    kind: str | None = None
    where: str | None = None
    above: float | str | None = None
    at_least: float | str | None = None
    below: float | str | None = None
    at_most: float | str | None = None
    equal: float | str | None = None
    unequal: float | str | None = None
    between: Sequence[float | str] | None = None
    blank: bool = True
    otherwise: str = "stop"
    prompt: str = ""
    message: str = ""
    place: str = ""


def entry_rules_over(
    plans: Sequence[EntryPlan], headings: Sequence[str], rows: Sequence[Area], stopped: str
) -> list[EntryRule]:
    """The entry rules of a block whose columns have these headings and whose rows lie in these areas.

    Raises one UseError with all columns that are missing, formulas that cannot be read and lists that do not fit.
    """

    def rule(number: int, plan: EntryPlan) -> EntryRule:
        block = RowBlock(headings, rows, f"{stopped}, entry rule {number}", plan.place)
        kind, operator, formulas = _condition(plan, block)
        severity, prompt, message = _SEVERITIES[plan.otherwise], ("", plan.prompt), ("", plan.message)
        return EntryRule(block.areas(plan.on), kind, operator, formulas, plan.blank, severity, prompt, message)

    return all_made(rule, plans)


def _condition(plan: EntryPlan, block: RowBlock) -> tuple[str, str, tuple[str, ...]]:
    """Kind, operator and bounds of a rule. Raises UseError."""
    if plan.where is not None:
        return "custom", "between", (block.formula(plan.where),)
    if plan.one_of is not None:
        return "list", "between", (_list(plan.one_of, block),)
    kind = _KINDS[plan.kind or "number"]
    if plan.between is not None:
        low, high = plan.between
        return kind, "between", (block.bound(low), block.bound(high))
    for bound, operator in (
        (plan.above, "greaterThan"), (plan.at_least, "greaterThanOrEqual"), (plan.below, "lessThan"),
        (plan.at_most, "lessThanOrEqual"), (plan.equal, "equal"), (plan.unequal, "notEqual"),
    ):  # fmt: skip
        if bound is not None:
            return kind, operator, (block.bound(bound),)
    raise UseError(Fault(block.stopped, "it has no condition", block.where, "say what may be entered"))


def _list(one_of: Sequence[float | str] | str, block: RowBlock) -> str:
    if isinstance(one_of, str):
        return block.formula(one_of)
    words = [word if isinstance(word, str) else general(float(word)) for word in one_of]
    text = ",".join(words)
    do = 'keep the list in a table, and write one_of = "table[Column]"'
    if odd := next((word for word in words if "," in word or word != word.strip()), None):
        why = f"'{odd}' has a comma, or a blank at an end, and a list in a rule cannot hold it"
        raise UseError(Fault(block.stopped, why, block.where, do))
    if len(text) > _LONGEST_LIST:
        why = f"the list has {len(text)} characters, and a rule holds {_LONGEST_LIST}"
        raise UseError(Fault(block.stopped, why, block.where, do))
    return write_value(text)
