"""Rows under headings on a sheet, for rules over them: their columns by heading, and formulas over headings."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.address import Area
from tinquire.formula import FormulaError, parse, write
from tinquire.formula.language.tree import Coordinate, Node, Reference, TableReference
from tinquire.formula.language.writing import replace_nodes, write_value

__all__ = ["RowBlock", "all_made"]

_Plan = TypeVar("_Plan")
_Made = TypeVar("_Made")


def all_made(make: Callable[[int, _Plan], _Made], plans: Sequence[_Plan]) -> list[_Made]:
    """What is made of each plan and its number, from one on. Raises one UseError with all that is wrong."""
    made: list[_Made] = []
    faults: list[Fault] = []
    for number, plan in enumerate(plans, start=1):
        try:
            made.append(make(number, plan))
        except UseError as error:
            faults += error.faults
    if faults:
        raise UseError(*faults)
    return made


@dataclass(frozen=True)
class RowBlock:
    """Headings, the areas of the rows under them, one below the other, and what messages say of them."""

    headings: Sequence[str]
    parts: Sequence[Area]
    stopped: str
    where: str

    @property
    def area(self) -> Area:
        """The first of the areas, whose first row formulas are written for."""
        return self.parts[0]

    def column(self, heading: str) -> int:
        """A column by its heading. Raises UseError."""
        for number, known in enumerate(self.headings):
            if known.casefold() == heading.casefold():
                return self.area.left + number
        why = f"there is no column '{heading}': {known_names(heading, self.headings)}"
        raise UseError(Fault(self.stopped, why, self.where, "name a column that the sheet shows"))

    def areas(self, on: Sequence[str]) -> tuple[Area, ...]:
        """The cells of some columns, those beside each other together; all cells without any."""
        if not on:
            return tuple(self.parts)
        spans: list[tuple[int, int]] = []
        for column in sorted({self.column(heading) for heading in on}):
            if spans and spans[-1][1] == column - 1:
                spans[-1] = (spans[-1][0], column)
            else:
                spans.append((column, column))
        return tuple(part._replace(left=left, right=right) for part in self.parts for left, right in spans)

    def formula(self, text: str) -> str:
        """A formula over headings as the block's first row reads it: a heading is the cell of its column. Raises
        UseError."""

        def cell(node: Node) -> Node | None:
            if not isinstance(node, TableReference) or node.table is not None or node.first is None:
                return None
            row, column = Coordinate(0, False), Coordinate(self.column(node.first), True)
            last = Coordinate(self.column(node.last or node.first), True)
            return Reference(None, row, column, row, last)

        try:
            return write(replace_nodes(parse(text), cell), self.area.top, self.area.left)
        except FormulaError as error:
            raise UseError(Fault(self.stopped, error.faults[0].why, self.where, "correct the formula")) from None

    def bound(self, value: float | str) -> str:
        return self.formula(value) if isinstance(value, str) else write_value(float(value))
