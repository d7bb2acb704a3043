"""Formulas of a sheet: their trees in relative form, and their text as another cell reads it."""

from __future__ import annotations

from functools import lru_cache

from tinquire.formula import parse
from tinquire.formula.language.mentions import offset_text
from tinquire.formula.language.tree import Node, Reference, walk
from tinquire.workbook.grid.sheet import Formula

__all__ = ["Trees", "stays", "text_at"]


class Trees:
    """Trees of formulas, read once per text where the text means the same in every cell."""

    def __init__(self) -> None:
        self._anywhere: dict[str, Node] = {}
        self._nodes: dict[int, tuple[Node, ...]] = {}

    def nodes(self, tree: Node) -> tuple[Node, ...]:
        """All nodes of a tree, itself first, in the order of the text; walked once."""
        known = self._nodes.get(id(tree))
        if known is None:  # they keep the tree, so that no other takes its place
            known = self._nodes[id(tree)] = tuple(walk(tree))
        return known

    def tree(self, formula: Formula) -> Node:
        """The tree as seen from the formula's own cell. Raises FormulaError."""
        known = self._anywhere.get(formula.text)
        if known is None:
            known = parse(formula.text, formula.row, formula.column)
            if _means_the_same_everywhere(known):
                self._anywhere[formula.text] = known
        return known


def _means_the_same_everywhere(tree: Node) -> bool:
    """Whether a tree has no reference that moves with its cell."""
    return all(
        corner.fixed
        for node in walk(tree)
        if isinstance(node, Reference)
        for corner in (node.top, node.left, node.bottom, node.right)
    )


def text_at(formula: Formula, row: int, column: int) -> str:
    """The formula's text as the cell at (row, column) writes it."""
    return offset_text(formula.text, row - formula.row, column - formula.column)


def stays(formula: Formula) -> bool:
    """Whether a formula reads the same in every cell."""
    return _stays(formula.text, formula.row, formula.column)


@lru_cache(maxsize=4096)
def _stays(text: str, row: int, column: int) -> bool:
    """Whether a formula written in one cell reads the same in every other."""
    return _means_the_same_everywhere(parse(text, row, column))
