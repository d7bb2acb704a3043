"""The tree of a formula. Nodes are immutable and compare by content.

References are kept in relative form: a coordinate without a dollar sign is a distance from the cell that holds
the formula. Formulas that were filled down a column therefore have equal trees, and equal trees are one program.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import Enum
from typing import NamedTuple, Protocol, TypeAlias

from tinquire.cells.column import Codes, Floats
from tinquire.cells.values import Value

__all__ = [
    "Apply",
    "ArrayConstant",
    "Binary",
    "Call",
    "CellNumbers",
    "Coordinate",
    "Literal",
    "Missing",
    "Name",
    "Node",
    "Reference",
    "RowsOf",
    "TableReference",
    "Unary",
    "Union",
    "Varying",
    "children",
    "walk",
]


class Coordinate(NamedTuple):
    """A row or column: its number if fixed by a dollar sign, otherwise the distance from the formula's cell."""

    number: int
    fixed: bool

    def at(self, origin: int) -> int:
        return self.number if self.fixed else self.number + origin


class RowsOf(Enum):
    """Which rows of a table a reference means (18.17)."""

    DATA = "#Data"
    THIS = "#This Row"
    HEADERS = "#Headers"
    TOTALS = "#Totals"
    ALL = "#All"


@dataclass(frozen=True, slots=True)
class Literal:
    """A constant. Its kind is part of its identity: Python holds TRUE and 1 for equal, a formula must not."""

    value: Value
    kind: str = field(init=False, default="")

    def __post_init__(self) -> None:
        object.__setattr__(self, "kind", type(self.value).__name__)


class CellNumbers(Protocol):
    """Numbers of cells, several of each, by their places."""

    def one(self, index: int, row: int, column: int) -> float: ...

    def many(self, index: int, rows: Codes, columns: Codes) -> Floats: ...


@dataclass(frozen=True, slots=True)
class Varying:
    """A constant that is another number in each cell: formulas that differ in nothing else share a tree."""

    numbers: CellNumbers
    index: int


@dataclass(frozen=True, slots=True)
class Missing:
    """An argument left empty between commas."""


@dataclass(frozen=True, slots=True)
class Reference:
    """An area of a sheet; `sheet` is None for the formula's own."""

    sheet: str | None
    top: Coordinate
    left: Coordinate
    bottom: Coordinate
    right: Coordinate


@dataclass(frozen=True, slots=True)
class Name:
    name: str
    sheet: str | None = None


@dataclass(frozen=True, slots=True)
class TableReference:
    """Columns `first` to `last` of a table (all when None); `table` is None inside the table itself."""

    table: str | None
    first: str | None
    last: str | None
    rows: tuple[RowsOf, ...] = (RowsOf.DATA,)
    #: Written without `@` or table name: `[Charge]`. In a docket that is this row's value.
    bare: bool = False


@dataclass(frozen=True, slots=True)
class ArrayConstant:
    rows: tuple[tuple[Literal, ...], ...]


@dataclass(frozen=True, slots=True)
class Unary:
    """Prefix `-`, `+` or `@` (the one value of an array that belongs to the cell), or postfix `%` or `#` (the area
    that a cell's array fills)."""

    sign: str
    operand: Node


@dataclass(frozen=True, slots=True)
class Binary:
    """An operator between values, or between references: `:` spans both, a blank is what both cover (18.17.2.2)."""

    sign: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Call:
    function: str
    arguments: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Union:
    """References in brackets with commas between them: several areas as one argument (18.17.2.2)."""

    parts: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Apply:
    """A function value called where it stands: `LAMBDA(x, x + 1)(2)`."""

    function: Node
    arguments: tuple[Node, ...]


Node: TypeAlias = (
    Literal
    | Varying
    | Missing
    | Reference
    | Name
    | TableReference
    | ArrayConstant
    | Unary
    | Binary
    | Call
    | Union
    | Apply
)


def children(node: Node) -> tuple[Node, ...]:
    """The nodes right below a node."""
    if isinstance(node, Unary):
        return (node.operand,)
    if isinstance(node, Binary):
        return (node.left, node.right)
    if isinstance(node, Call):
        return node.arguments
    if isinstance(node, Union):
        return node.parts
    if isinstance(node, Apply):
        return (node.function, *node.arguments)
    return ()


def walk(node: Node) -> Iterator[Node]:
    """The node and all below it, in the order of the text."""
    waiting = [node]
    while waiting:
        here = waiting.pop()
        yield here
        waiting.extend(reversed(children(here)))


def bound_names(tree: Node) -> frozenset[str]:
    """The names, casefolded, that a formula gives itself by LET and LAMBDA."""
    found = set()
    for node in walk(tree):
        if isinstance(node, Call) and node.function in ("LET", "LAMBDA"):
            named = node.arguments[:-1:2] if node.function == "LET" else node.arguments[:-1]
            found |= {item.name.casefold() for item in named if isinstance(item, Name)}
    return frozenset(found)
