"""Figures of earlier periods in formulas: `BEFORE(figure, periods, otherwise)` and `YEAR_SO_FAR(figure)`.

They stand for values that the daybook has, and are put into the formula before it is worked out; so a formula over
another period means the same as one over this.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.periods import Period
from tinquire.cells.values import Value
from tinquire.docket.review import LOOKING_BACK
from tinquire.formula import FormulaError, parse, write
from tinquire.formula.language.tree import Binary, Call, Literal, Name, Node, Unary
from tinquire.formula.language.writing import replace_nodes
from tinquire.press.compute.run import Run
from tinquire.slots.slots import slot_name

__all__ = ["with_earlier"]

_CALLS = re.compile(rf"\b(?:{'|'.join(LOOKING_BACK)})\s*\(", re.IGNORECASE)
#: More periods than these are no comparison any more.
_LONGEST = 1000


def with_earlier(text: str, run: Run, stopped: str, where: str) -> str:
    """A formula with the figures of earlier periods put in.

    Raises UseError for figures that the docket does not have and for other arguments, DataError for a period that was
    not run where the formula does not say what counts then.
    """
    if not _CALLS.search(text):
        return text
    try:
        tree = parse(text)
    except FormulaError as error:
        raise error.at(stopped, where) from None
    look = _Look(run, stopped, where)
    return write(replace_nodes(tree, look.replaced))


class _Look:
    """One formula's look back."""

    def __init__(self, run: Run, stopped: str, where: str) -> None:
        self._run, self._stopped, self._where = run, stopped, where

    def replaced(self, node: Node) -> Node | None:
        if not isinstance(node, Call) or node.function.upper() not in LOOKING_BACK:
            return None
        name = node.function.upper()
        if not node.arguments or len(node.arguments) > (3 if name == "BEFORE" else 1):
            raise self._wrong(f"{name} takes a figure" + (", periods and another value" * (name == "BEFORE")))
        figure = self._figure(node.arguments[0])
        if name == "YEAR_SO_FAR":
            total: Node = Name(figure)
            for period in self._of_year():
                total = Binary("+", total, Literal(self._value(figure, period)))
            return total
        periods = self._periods(node.arguments[1]) if len(node.arguments) > 1 else 1
        period = self._run.period
        for _ in range(periods):
            period = period.previous
        found = self._run.earlier(period.text, figure)
        if found is None and len(node.arguments) > 2:
            return node.arguments[2]
        return Literal(self._value(figure, period) if found is None else found)

    def _figure(self, node: Node) -> str:
        """The figure that an argument names, as the docket spells it."""
        known = list(self._run.docket.model.figures)
        named = node.name if isinstance(node, Name) else ""
        found = next((one for one in known if slot_name(one) == slot_name(named)), None)
        if found is None:
            written = named or write(node)
            raise self._wrong(f"'{written}' is no figure of the docket: {known_names(written, known)}")
        return found

    def _periods(self, node: Node) -> int:
        value = node.value if isinstance(node, Literal) else None
        if not isinstance(value, float) or value != int(value) or not 1 <= value <= _LONGEST:
            if isinstance(node, Unary) or isinstance(value, float):
                raise self._wrong(f"'{write(node)}' is no number of periods from 1 to {_LONGEST:,}")
            raise self._wrong("the number of periods is written as a number")
        return int(value)

    def _of_year(self) -> Iterator[Period]:
        """The periods before this one that end in the same year, the latest first."""
        period = self._run.period.previous
        while period.last.year == self._run.period.last.year:
            yield period
            period = period.previous

    def _value(self, figure: str, period: Period) -> Value:
        found = self._run.earlier(period.text, figure)
        if found is None:
            why = f"'{figure}' is not known for {period.text}: no run of that period has made it"
            do = f"run {period.text}, or say what counts in its place: BEFORE({figure}, 1, 0)"
            raise DataError(Fault(self._stopped, why, self._where, do))
        return found

    def _wrong(self, why: str) -> UseError:
        return UseError(Fault(self._stopped, why, self._where, "write it like BEFORE(total_charged, 1)"))
