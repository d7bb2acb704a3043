"""What names and references mean in the formulas of a docket: tables, figures, and the columns of the current row."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol, runtime_checkable

import numpy as np

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import counted, known_names
from tinquire.cells.column import Column, Floats
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError, Value
from tinquire.formula import FormulaError, Frame, evaluate, evaluate_column, evaluate_scalar, parse, write
from tinquire.formula.engine.indexes import AreaIndexes
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar
from tinquire.formula.engine.registry import functions, unknown_function
from tinquire.formula.engine.scope import NoCells
from tinquire.formula.language.tree import Call, Name, Node, Reference, RowsOf, TableReference, bound_names, walk
from tinquire.slots.slots import slot_name
from tinquire.tables.addable import text_among_numbers
from tinquire.tables.table import Table

__all__ = ["GroupScope", "TableScope", "read_formula", "scalar_value", "table_values"]


@runtime_checkable
class Summed(Protocol):
    """A table that is a pivot, whose cells are known by the labels of their lines and columns."""

    def shown(self, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        """The value named `data` for items of fields, given as pairs; an error value when there is no such cell."""


@dataclass
class TableScope(NoCells):
    """Tables by name, named values, and the table whose rows a formula runs over, if it does.

    Names are found without regard to case, with spaces and underscores alike.
    """

    tables: Mapping[str, Table]
    names: Mapping[str, Value] = field(default_factory=dict)
    rows: Table | None = None
    date_system: DateSystem = DateSystem.FROM_1900
    indexes: AreaIndexes = field(default_factory=AreaIndexes)

    @property
    def moment(self) -> float | None:
        return None  # a docket's result depends on its sources and its period alone

    def random(self, count: int) -> Floats:
        return np.random.default_rng(0).random(count)

    def named_pivot(self, name: str, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        table = self.find_table(name)
        return table.shown(data, items) if isinstance(table, Summed) else None

    def name(self, name: str, sheet: str | None, frame: Frame) -> Node | Operand | None:
        wanted = slot_name(name)
        for known, value in self.names.items():
            if slot_name(known) == wanted:
                return Scalar(value)
        table = self.find_table(name)
        return Grid(table.columns, table.height) if table is not None and table.columns else None

    def table(self, reference: TableReference, frame: Frame) -> Operand | None:
        of_row = RowsOf.THIS in reference.rows or reference.bare
        table = self.rows if reference.table is None else self.find_table(reference.table)
        if table is None:
            return None
        positions = self._places(table, reference)
        if positions is None:
            return None
        columns = table.columns[positions[0] : positions[1] + 1]
        if of_row and table is self.rows:
            start = frame.row - 1
            cut = [column.slice(start, start + frame.count) for column in columns]
            return Lanes(cut[0]) if len(cut) == 1 else None
        return Grid(columns, table.height)

    def find_table(self, name: str) -> Table | None:
        wanted = slot_name(name)
        return next((table for known, table in self.tables.items() if slot_name(known) == wanted), None)

    @staticmethod
    def _places(table: Table, reference: TableReference) -> tuple[int, int] | None:
        if reference.first is None or reference.last is None:
            return 0, len(table.columns) - 1
        first, last = table.index_of(reference.first), table.index_of(reference.last)
        return None if first is None or last is None else (min(first, last), max(first, last))

    def knows(self, name: str) -> bool:
        return any(slot_name(known) == slot_name(name) for known in self.names) or self.find_table(name) is not None


@dataclass
class GroupScope(TableScope):
    """A scope in which a heading stands for all values of a group's rows: for formulas that give one value a group."""

    def over(self, table: Table) -> GroupScope:
        """The same scope over a group's rows."""
        return GroupScope(self.tables, self.names, table, self.date_system)

    def table(self, reference: TableReference, frame: Frame) -> Operand | None:
        table = self.rows if reference.table is None else self.find_table(reference.table)
        positions = None if table is None else self._places(table, reference)
        if table is None or positions is None:
            return None
        return Grid(table.columns[positions[0] : positions[1] + 1], table.height)


def read_formula(text: str, scope: TableScope, stopped: str, where: str = "") -> Node:
    """The tree of a docket's formula, with all that it names known to the scope.

    Raises: UseError for text that is no formula, DataError for names, columns and functions that are not known.
    """
    try:
        tree = parse(text)
    except FormulaError as error:
        raise error.at(stopped, where) from None
    bound = bound_names(tree)
    faults = [
        Fault(stopped, why, where, "fix the formula")
        for node in walk(tree)
        if (why := _unknown(node, scope, bound)) is not None
    ]
    if faults:
        raise UseError(*dict.fromkeys(faults))
    if texts := [
        fault for node in walk(tree) if isinstance(node, Call) for fault in _texts(node, scope, stopped, where)
    ]:
        raise DataError(*dict.fromkeys(texts))
    return tree


#: Functions that add numbers up and pass texts over, and which of their arguments they add (from, to).
_ADDING_CALLS = {
    **dict.fromkeys(("SUM", "AVERAGE", "MIN", "MAX", "PRODUCT", "MEDIAN", "SUMSQ"), (0, None)),
    **dict.fromkeys(("STDEV", "STDEV.S", "STDEV.P", "VAR", "VAR.S", "VAR.P"), (0, None)),
    **dict.fromkeys(("SUMIFS", "AVERAGEIFS", "MINIFS", "MAXIFS", "LARGE", "SMALL"), (0, 1)),
    "SUBTOTAL": (1, None), "AGGREGATE": (2, None),
}  # fmt: skip


def _texts(call: Call, scope: TableScope, stopped: str, where: str) -> Iterator[Fault]:
    """Columns with texts among what a call adds up."""
    first, last = _ADDING_CALLS.get(call.function, (0, 0))
    if call.function in ("SUMIF", "AVERAGEIF"):
        first, last = (2, 3) if len(call.arguments) > 2 else (0, 1)
    for node in call.arguments[first:last]:
        if isinstance(node, TableReference) and node.first is not None and node.first == node.last:
            table = scope.rows if node.table is None else scope.find_table(node.table)
            fault = None if table is None else text_among_numbers(table, node.first, stopped, where)
            if fault is not None:
                yield fault


def _unknown(node: Node, scope: TableScope, bound: frozenset[str]) -> str | None:
    """Why a node means nothing in the scope; None when it does. `bound` are names that the formula gives itself."""
    if isinstance(node, Name | Call) and (node.name if isinstance(node, Name) else node.function).casefold() in bound:
        return None
    if isinstance(node, Call):
        function = functions().get(node.function)
        if function is None:
            return unknown_function(node.function)
        if not function.takes(len(node.arguments)):
            return f"{function.signature} cannot take {counted(len(node.arguments), 'value')}"
    if isinstance(node, Reference):
        return "a docket's formula knows tables and columns, not cell addresses"
    if isinstance(node, Name) and not scope.knows(node.name):
        return f"'{node.name}' is neither a figure nor a table: {known_names(node.name, [*scope.names, *scope.tables])}"
    if isinstance(node, TableReference):
        return _unknown_table(node, scope)
    return None


def _unknown_table(node: TableReference, scope: TableScope) -> str | None:
    table = scope.rows if node.table is None else scope.find_table(node.table)
    if table is None:
        if node.table is None:
            return f"'[{node.first}]' stands for a row's value, but no rows are at hand here; write table[{node.first}]"
        return f"there is no table '{node.table}': {known_names(node.table, list(scope.tables))}"
    for heading in (node.first, node.last):
        if heading is not None and table.index_of(heading) is None:
            return f"table '{table.name}' has no column '{heading}': {known_names(heading, table.headings)}"
    return None


def table_values(tree: Node, scope: TableScope, table: Table) -> Column:
    """A formula's value for every row of a table."""
    if table.height == 0:
        return Column.blank(0)
    inner = TableScope(scope.tables, scope.names, table, scope.date_system, scope.indexes)
    return evaluate_column(tree, Frame(inner, count=table.height, arrays=True))


def scalar_value(tree: Node, scope: TableScope, stopped: str = "working a formula out", where: str = "") -> Value:
    """A formula's one value. Raises DataError when it has several."""
    found = evaluate(tree, Frame(scope, arrays=True))
    if isinstance(found, Grid) and found.height * found.width != 1:
        many = found.height * found.width
        why = f"{write(tree)} gives {counted(many, 'value')}, but one is needed"
        raise DataError(Fault(stopped, why, where, "reduce them to one: SUM, MAX, COUNTA, INDEX, TEXTJOIN"))
    return evaluate_scalar(tree, Frame(scope, arrays=True))


def require_no_error(value: Value, text: str, stopped: str, where: str = "") -> Value:
    """The value itself. Raises DataError when it is an error value."""
    if isinstance(value, CellError):
        why = f"{text} gives {value}"
        raise DataError(Fault(stopped, why, where, "fix the formula, or the rows it reads"))
    return value
