"""A tree back into formula text, as it reads from a given cell."""

from __future__ import annotations

import re
from collections.abc import Callable

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, column_name, quoted_sheet
from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.formula.language.grammar import BINARY_RANKS, RANK_OF
from tinquire.formula.language.tree import (
    Apply,
    ArrayConstant,
    Binary,
    Call,
    Coordinate,
    Literal,
    Missing,
    Name,
    Node,
    Reference,
    RowsOf,
    TableReference,
    Unary,
    Union,
    Varying,
)

__all__ = ["escaped_column", "replace_nodes", "write", "write_value"]

_PREFIX_RANK = len(BINARY_RANKS)
_PERCENT_RANK = _PREFIX_RANK + 1
_OFF_GRID = "#REF!"


def write(node: Node, row: int = 1, column: int = 1) -> str:
    """The formula's text without `=`, as the cell at (row, column) writes it; brackets only where needed."""
    return _write(node, row, column, 0)


def _write(node: Node, row: int, column: int, outer: int) -> str:
    match node:
        case Literal(value):
            return write_value(value)
        case Varying(numbers, index):
            return write_value(numbers.one(index, row, column))
        case Missing():
            return ""
        case Name(name, sheet):
            return f"{quoted_sheet(sheet)}!{name}" if sheet else name
        case Reference():
            return _reference(node, row, column)
        case TableReference():
            return _table_reference(node)
        case ArrayConstant(rows):
            return (
                "{"
                + ";".join(",".join(write_value(constant.value) for constant in constants) for constants in rows)
                + "}"
            )
        case Call(function, arguments):
            return f"{function}({','.join(_write(argument, row, column, 0) for argument in arguments)})"
        case Union(parts):
            return f"({','.join(_write(part, row, column, 0) for part in parts)})"
        case Apply(called, arguments):
            inside = ",".join(_write(argument, row, column, 0) for argument in arguments)
            return f"{_write(called, row, column, _PERCENT_RANK)}({inside})"
        case Unary() | Binary():
            return _operator(node, row, column, outer)


def _operator(node: Unary | Binary, row: int, column: int, outer: int) -> str:
    if isinstance(node, Unary):
        if node.sign in "%#":
            return _write(node.operand, row, column, _PERCENT_RANK) + node.sign
        return _in_brackets(node.sign + _write(node.operand, row, column, _PREFIX_RANK), outer > _PREFIX_RANK)
    if node.sign in ": ":
        both = (_write(side, row, column, _PERCENT_RANK) for side in (node.left, node.right))
        return _in_brackets(node.sign.join(both), outer > _PERCENT_RANK)
    rank = RANK_OF[node.sign]
    text = _write(node.left, row, column, rank) + node.sign + _write(node.right, row, column, rank + 1)
    return _in_brackets(text, rank < outer)


def write_value(value: Value) -> str:
    """A constant as a formula writes it."""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, str):
        return '"' + value.replace('"', '""') + '"'
    if isinstance(value, CellError):
        return value.text
    return "" if value is None else general(value, 17) if float(general(value)) != value else general(value)


def _in_brackets(text: str, needed: bool) -> str:
    return f"({text})" if needed else text


def _reference(node: Reference, row: int, column: int) -> str:
    prefix = f"{quoted_sheet(node.sheet)}!" if node.sheet else ""
    rows = [_coordinate(corner, row, MAX_ROW, str) for corner in (node.top, node.bottom)]
    columns = [_coordinate(corner, column, MAX_COLUMN, column_name) for corner in (node.left, node.right)]
    if None in rows or None in columns:
        return prefix + _OFF_GRID
    if node.top == (1, True) and node.bottom == (MAX_ROW, True):
        return f"{prefix}{columns[0]}:{columns[1]}"
    if node.left == (1, True) and node.right == (MAX_COLUMN, True):
        return f"{prefix}{rows[0]}:{rows[1]}"
    first, last = f"{columns[0]}{rows[0]}", f"{columns[1]}{rows[1]}"
    return prefix + (first if first == last else f"{first}:{last}")


def _coordinate(corner: Coordinate, origin: int, most: int, spell: Callable[[int], str]) -> str | None:
    number = corner.at(origin)
    if not 1 <= number <= most:
        return None
    return ("$" if corner.fixed else "") + spell(number)


def _table_reference(node: TableReference) -> str:
    """The stored form of 18.17: `[#This Row]` is written out, as files hold it."""
    table = node.table or ""
    rows = [f"[{part.value}]" for part in node.rows if part is not RowsOf.DATA or len(node.rows) > 1]
    if node.first is None or node.last is None:
        inner = ",".join(rows)
        return f"{table}[{inner}]" if len(rows) > 1 else f"{table}{inner or '[]'}"
    first, last = escaped_column(node.first), escaped_column(node.last)
    columns = f"[{first}]" if first == last else f"[{first}]:[{last}]"
    if not rows and first == last:
        return f"{table}{columns}"
    return f"{table}[{','.join([*rows, columns])}]"


def escaped_column(name: str) -> str:
    """A column's name inside brackets: brackets, `#` and apostrophes are escaped (18.17)."""
    return re.sub(r"([\[\]#'])", r"'\1", name)


def replace_nodes(node: Node, change: Callable[[Node], Node | None]) -> Node:
    """The tree with nodes exchanged where `change` gives another one; what it returns is not walked again."""
    fresh = change(node)
    if fresh is not None:
        return fresh
    if isinstance(node, Unary):
        return Unary(node.sign, replace_nodes(node.operand, change))
    if isinstance(node, Binary):
        return Binary(node.sign, replace_nodes(node.left, change), replace_nodes(node.right, change))
    if isinstance(node, Call):
        return Call(node.function, tuple(replace_nodes(argument, change) for argument in node.arguments))
    if isinstance(node, Union):
        return Union(tuple(replace_nodes(part, change) for part in node.parts))
    if isinstance(node, Apply):
        return Apply(
            replace_nodes(node.function, change), tuple(replace_nodes(item, change) for item in node.arguments)
        )
    return node
