"""Formulas that differ in nothing but the numbers typed into them, taken as one form.

`B2*1.07+200`, `B3*1.12+150` and so on down a list are as many forms, and would be as many trees, plans and runs. Here
the numbers become columns beside the cells, and the formulas one tree. That is done only where a number is one value
among others (of operators, and of functions that take them lane by lane): what a function looks up by, or counts by,
stays in the tree, and formulas that differ in it stay apart.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from tinquire.cells.address import MAX_ROW
from tinquire.cells.column import Codes, Floats
from tinquire.formula.engine.operators import BINARY
from tinquire.formula.engine.registry import Mode, functions
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.tree import Binary, Call, Literal, Node, Unary, Varying, children
from tinquire.formula.language.writing import replace_nodes
from tinquire.workbook.calc.column_formulas import VOLATILE
from tinquire.workbook.grid.cell_formulas import Trees
from tinquire.workbook.grid.sheet import Formula

__all__ = ["NumbersByCell", "Shape", "alike"]

#: Of fewer forms than this on a sheet, or in a group, nothing is gained.
_MANY = 24
#: Trees with more nodes are left: they are sums of a hundred terms, that nobody fills.
_LARGEST_TREE = 200

_QUOTED = r"\"(?:[^\"]|\"\")*\"|'(?:[^']|'')*'"
_NUMBER = r"(?<![\w.$!:?\\])(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[Ee][+-]?[0-9]+)?(?![\w.(!:?\\])"
_TYPED = re.compile(_NUMBER)
_TYPED_OR_QUOTED = re.compile(rf"{_QUOTED}|(?P<number>{_NUMBER})")
#: Between pieces of a text that references cut, and for a number that was taken out.
_CUT, _TAKEN = "\x1e", "\x1f"


class NumbersByCell:
    """Numbers of cells of a sheet, by the cells' places: one row of numbers for each cell."""

    def __init__(self, rows: Codes, columns: Codes, numbers: Floats) -> None:
        keys = _keys(rows, columns)
        order = np.argsort(keys, kind="stable")
        self._keys = keys[order]
        self._numbers = numbers[order]

    def one(self, index: int, row: int, column: int) -> float:
        at = int(self._keys.searchsorted(column * (MAX_ROW + 1) + row))
        return float(self._numbers[at, index])

    def many(self, index: int, rows: Codes, columns: Codes) -> Floats:
        found: Floats = self._numbers[self._keys.searchsorted(_keys(rows, columns)), index]
        return found


def _keys(rows: Codes, columns: Codes) -> Codes:
    keys: Codes = columns.astype(np.int64) * (MAX_ROW + 1) + rows
    return keys


class Shape:
    """Forms that are one but for numbers: the tree that they share, and each one's numbers."""

    def __init__(self, forms: Sequence[int], tree: Node, places: Mapping[int, int], numbers: Floats) -> None:
        self.forms = forms
        self._tree = tree
        #: Which of the tree's numbers, counted in the order of the text, is which column of `numbers`.
        self._places = places
        self._numbers = numbers

    def tree_over(self, rows: Codes, columns: Codes, ranks: Codes) -> Node:
        """The tree for these cells; the form of each is the one at its rank in `forms`."""
        table = NumbersByCell(rows, columns, self._numbers[ranks])
        count = iter(range(_LARGEST_TREE))

        def change(node: Node) -> Node | None:
            if not _is_number(node):
                return None
            place = self._places.get(next(count))
            return node if place is None else Varying(table, place)

        return replace_nodes(self._tree, change)


def alike(keys: Mapping[int, tuple[object, ...]], first: Sequence[Formula], trees: Trees) -> list[Shape]:
    """Forms, given by their numbers, that are one but for typed numbers. `keys` are their relative forms, and `first`
    has a formula of each."""
    if len(keys) < _MANY:
        return []
    groups: dict[object, list[tuple[int, list[str]]]] = defaultdict(list)
    for form, key in keys.items():
        shape, numbers = _taken_out(key)
        if numbers:
            groups[shape].append((form, numbers))
    return [shape for group in groups.values() if len(group) >= _MANY for shape in _shapes(group, first, trees)]


def _taken_out(key: tuple[object, ...]) -> tuple[object, list[str]]:
    """A relative form without its numbers, and these as they are spelled."""
    text = _CUT.join([piece for piece in key if type(piece) is str])
    fixed = tuple([piece for piece in key if type(piece) is not str])
    if _TAKEN in text:
        return key, []
    if '"' not in text and "'" not in text:
        return (_TYPED.sub(_TAKEN, text), fixed), _TYPED.findall(text)
    numbers: list[str] = []

    def take(found: re.Match[str]) -> str:
        if found["number"] is None:
            return found[0]
        numbers.append(found[0])
        return _TAKEN

    return (_TYPED_OR_QUOTED.sub(take, text), fixed), numbers


def _shapes(group: Sequence[tuple[int, list[str]]], first: Sequence[Formula], trees: Trees) -> Iterator[Shape]:
    """The forms of one shape, apart by the numbers that must stay in the tree."""
    numbers = np.array([list(map(float, spelled)) for _, spelled in group])
    safe = _free_numbers(first[group[0][0]], numbers[0], trees)
    if safe is None or not np.isfinite(numbers).all():
        return
    fixed = [index for index, free in enumerate(safe) if not free]
    parts: dict[bytes, list[int]] = defaultdict(list)
    for rank, kept in enumerate(np.ascontiguousarray(numbers[:, fixed])):
        parts[kept.tobytes()].append(rank)
    for ranks in parts.values():
        own = numbers[ranks]
        moving = np.flatnonzero((own != own[0]).any(axis=0)).tolist()
        if len(ranks) >= _MANY and moving:
            tree = trees.tree(first[group[ranks[0]][0]])
            places = {index: place for place, index in enumerate(moving)}
            yield Shape([group[rank][0] for rank in ranks], tree, places, own[:, moving])


def _free_numbers(formula: Formula, numbers: Floats, trees: Trees) -> list[bool] | None:
    """Whether each number of a formula's text may be another for each cell; None where text and tree do not agree in
    their numbers, or there is no tree."""
    try:
        tree = trees.tree(formula)
    except FormulaError:
        return None
    nodes = trees.nodes(tree)
    found = [node for node in nodes if _is_number(node)]
    if len(nodes) > _LARGEST_TREE or any(isinstance(node, Call) and node.function in VOLATILE for node in nodes):
        return None
    if [node.value for node in found if isinstance(node, Literal)] != numbers.tolist():
        return None
    return list(_free(tree, free=True))


def _free(node: Node, *, free: bool) -> Iterator[bool]:
    """For each number below a node, in the order of the text, whether it is one value among others."""
    if _is_number(node):
        yield free
    below = free and _takes_values(node)
    for child in children(node):
        yield from _free(child, free=below)


def _takes_values(node: Node) -> bool:
    """Whether what stands right below a node is taken lane by lane."""
    match node:
        case Unary(sign="-" | "+" | "%"):
            return True
        case Binary(sign=sign):
            return sign in BINARY
        case Call(function="IF"):
            return True
        case Call(function=name):
            known = functions().get(name)
            return known is not None and known.mode is not Mode.SPECIAL
    return False


def _is_number(node: Node) -> bool:
    return isinstance(node, Literal) and isinstance(node.value, float)
