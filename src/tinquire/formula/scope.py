"""The protocol through which a formula meets the world, and the frame in which it runs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Protocol

from tinquire.cells.address import Area
from tinquire.cells.column import Booleans, Column
from tinquire.cells.dates import DateSystem
from tinquire.formula.operands import Operand
from tinquire.formula.tree import Node, TableReference

__all__ = ["Frame", "Scope"]


class Scope(Protocol):
    """What names and references mean. Sheets of a workbook and tables of a docket each implement it."""

    @property
    def date_system(self) -> DateSystem: ...

    @property
    def indexes(self) -> dict[Any, Any]:
        """A place for look-up indexes over areas; the scope empties it when values change."""
        ...

    def extent(self, sheet: str) -> tuple[int, int] | None:
        """Last used row and column of a sheet (at least 1, 1); None when there is no such sheet."""
        ...

    def column(self, sheet: str, column: int, top: int, bottom: int) -> Column:
        """Values of the cells of one column, from row `top` to row `bottom`."""
        ...

    def passed_over(self, sheet: str, area: Area, hidden: bool) -> Booleans | None:
        """Cells (column after column) that SUBTOTAL leaves out: other subtotals, filtered rows, with `hidden`
        also rows hidden by hand. None when there are none."""
        ...

    def name(self, name: str, sheet: str | None, frame: Frame) -> Node | Operand | None:
        """What a name stands for: a tree, a value, or nothing."""
        ...

    def table(self, reference: TableReference, frame: Frame) -> Operand | None:
        """What a table reference stands for in a frame, or nothing."""
        ...


@dataclass(frozen=True, slots=True)
class Frame:
    """Where a program runs: `count` cells below each other, from (row, column) of a sheet.

    With `arrays`, ranges where one value is wanted become arrays (an array formula, or a docket's formula);
    without, the value of the lane's own row or column is taken (implicit intersection).
    """

    scope: Scope
    sheet: str = ""
    row: int = 1
    column: int = 1
    count: int = 1
    arrays: bool = False

    def lane(self, lane: int) -> Frame:
        return replace(self, row=self.row + lane, count=1)
