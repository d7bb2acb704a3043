"""The rows of tables that a formula's result is made of: those that conditions let through, those that lookups find,
and all rows of what is read otherwise."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from tinquire.cells.column import Booleans, Codes
from tinquire.cells.values import CellError
from tinquire.formula import Frame, evaluate_scalar, write
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.engine.criteria import CONDITIONAL, criteria_pairs, criterion
from tinquire.formula.language.tree import Call, Name, Node, TableReference, children
from tinquire.slots.slots import slot_name
from tinquire.tables.pivots.pivot import PivotTable
from tinquire.tables.scope import TableScope
from tinquire.tables.table import Table

__all__ = ["RowsRead", "names_read", "rows_read"]

#: Lookups by one key: where XMATCH's own two options stand among their arguments.
_LOOKUPS = {"XLOOKUP": 4, "XMATCH": 2}


@dataclass(frozen=True, slots=True)
class RowsRead:
    """The part of a formula that reads, the table, and the rows of it that it used (None: all); of a pivot that is
    asked by labels, the line and the column group (None for totals)."""

    call: str
    table: Table
    rows: Codes | None = None
    cell: tuple[int | None, int | None] | None = None


def names_read(tree: Node) -> Iterator[str]:
    """The names in a formula, such as those of figures."""
    if isinstance(tree, Name):
        yield tree.name
    for child in children(tree):
        yield from names_read(child)


def rows_read(tree: Node, scope: TableScope) -> Iterator[RowsRead]:
    """The rows that a docket's formula reads, in the order in which it names them; no rows of figures."""
    yield from {(item.call, id(item.table)): item for item in _read(tree, tree, scope)}.values()


def _read(node: Node, around: Node, scope: TableScope) -> Iterator[RowsRead]:
    if isinstance(node, Call):
        around = node
        if (found := _chosen(node, scope)) is not None:
            yield found
            return
    if isinstance(node, TableReference | Name):
        wanted = node.table if isinstance(node, TableReference) else node.name
        own = any(slot_name(known) == slot_name(wanted or "") for known in scope.names)
        table = None if wanted is None or own else scope.find_table(wanted)
        if table is not None:
            yield RowsRead(write(around), table)
    for child in children(node):
        yield from _read(child, around, scope)


def _chosen(node: Call, scope: TableScope) -> RowsRead | None:
    """The rows of a call that chooses some; None for all others, and where the choice is not one for all rows."""
    if node.function in CONDITIONAL:
        return _conditional_rows(node, scope)
    if node.function == "GETPIVOTDATA":
        return _pivot_cell(node, scope)
    if node.function in _LOOKUPS and len(node.arguments) > 1:
        start = _LOOKUPS[node.function]
        found = evaluate_scalar(
            Call("XMATCH", (*node.arguments[:2], *node.arguments[start : start + 2])), Frame(scope, arrays=True)
        )
        table = _table_of(node.arguments[1], scope)
        if table is None:
            return None
        rows = [int(found) - 1] if isinstance(found, float) else []
        return RowsRead(write(node), table, np.array(rows, np.int64))
    return None


def _pivot_cell(node: Call, scope: TableScope) -> RowsRead | None:
    """The cell of a pivot that is asked for by its labels."""
    named = node.arguments[1] if len(node.arguments) > 1 else None
    table = scope.find_table(named.name) if isinstance(named, Name) else None
    if not isinstance(table, PivotTable) or table.pivot is None:
        return None
    values = [evaluate_scalar(one, Frame(scope, arrays=True)) for one in (node.arguments[0], *node.arguments[2:])]
    items = [(str(text_of(field)), item) for field, item in zip(values[1::2], values[2::2], strict=False)]
    found = table.pivot.position(str(text_of(values[0])), items)
    return None if found is None else RowsRead(write(node), table, None, found[1:])


def _conditional_rows(node: Call, scope: TableScope) -> RowsRead | None:
    """The rows that meet a conditional function's criteria."""
    pairs = criteria_pairs(node)
    table = _table_of(pairs[0], scope) if pairs else None
    if table is None or len(pairs) % 2:
        return None
    mask: Booleans = np.ones(table.height, bool)
    for given, wanted in zip(pairs[::2], pairs[1::2], strict=True):
        if not isinstance(given, TableReference) or given.first is None or _table_of(given, scope) is not table:
            return None
        value = evaluate_scalar(wanted, Frame(scope, arrays=True))
        if isinstance(value, CellError):
            return None
        mask &= criterion(value).mask(table.column(given.first))
    return RowsRead(write(node), table, np.flatnonzero(mask))


def _table_of(node: Node, scope: TableScope) -> Table | None:
    if not isinstance(node, TableReference) or node.first is None or node.first != node.last or node.table is None:
        return None
    return scope.find_table(node.table)
