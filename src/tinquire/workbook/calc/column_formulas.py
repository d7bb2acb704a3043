"""The formulas of a workbook as programs: runs of cells below each other that share one tree, and what each reads."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import TypeAlias

from tinquire.cells.address import MAX_ROW, Area, cell_name
from tinquire.formula.engine.dependency_order import Place, Work
from tinquire.formula.engine.operands import Areas, Operand, Span
from tinquire.formula.engine.references import span_of
from tinquire.formula.engine.registry import functions, unknown_function
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.tree import Call, Name, Node, Reference, TableReference, children, walk
from tinquire.workbook.calc.scope import BookScope
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.sheet import Formula, Sheet

__all__ = [
    "DYNAMIC",
    "VOLATILE",
    "CellNote",
    "Program",
    "Read",
    "lanes_touched",
    "outside_names",
    "program_of",
    "programs",
    "readable_tree",
    "reads",
    "work_of",
]

#: A name may stand for a formula that holds names; deeper chains than this are treated as a loop.
_NAME_DEPTH = 32
#: Functions whose results may differ although nothing they read has changed.
VOLATILE = frozenset({"NOW", "TODAY", "RAND", "RANDBETWEEN", "RANDARRAY", "OFFSET", "INDIRECT", "INFO", "CELL"})
#: Functions that read cells which their formula does not name.
DYNAMIC = frozenset({"OFFSET", "INDIRECT"})


@dataclass(frozen=True, slots=True)
class CellNote:
    """Something to say of one formula cell."""

    sheet: str
    cell: str
    #: The formula as the cell writes it, or what spells it: of a million cells in error a few are told.
    written: str | Callable[[], str]
    says: str

    @property
    def formula(self) -> str:
        return self.written if isinstance(self.written, str) else self.written()

    @property
    def place(self) -> str:
        return f"sheet '{self.sheet}', cell {self.cell}"


@dataclass(frozen=True, slots=True)
class Program:
    """One tree for a run of cells below each other."""

    sheet: str
    column: int
    top: int
    bottom: int
    tree: Node
    formula: Formula
    #: The names of the functions that it calls, and the sheets of other workbooks that it reads, as `[1]Sheet`.
    calls: frozenset[str] = frozenset()
    outside: tuple[str, ...] = ()

    @property
    def area(self) -> Area:
        return self.formula.array or Area(self.top, self.column, self.bottom, self.column)

    def frame(self, scope: BookScope) -> Frame:
        count = self.bottom - self.top + 1
        return Frame(scope, self.sheet, self.top, self.column, count, arrays=self.formula.array is not None)

    def rows(self, top: int, bottom: int) -> Program:
        """The part of it that fills some of its rows."""
        return replace(self, top=top, bottom=bottom)

    def runs(self) -> Iterator[tuple[int, int, int]]:
        """Column, first and last row."""
        yield self.column, self.top, self.bottom

    def cells(self) -> Iterator[Program]:
        for row in range(self.top, self.bottom + 1):
            yield self.rows(row, row)


def programs(sheet: Sheet, scope: BookScope, skipped: list[CellNote]) -> Iterator[Program]:
    """Runs of cells with one tree, as long as they go; what cannot be run is noted."""
    waiting: Program | None = None
    for column, top, bottom, formula in sheet.formula_runs():
        tree = readable_tree(sheet, column, top, formula, scope, skipped)
        if tree is None:
            continue
        if waiting is not None:
            follows = waiting.column == column and waiting.bottom == top - 1 and waiting.tree == tree
            if follows and formula.array is None and waiting.formula.array is None:
                waiting = replace(waiting, bottom=bottom)
                continue
            yield waiting
        waiting = program_of(sheet.name, column, top, bottom, tree, formula, scope)
    if waiting is not None:
        yield waiting


def program_of(
    sheet: str, column: int, top: int, bottom: int, tree: Node, formula: Formula, scope: BookScope
) -> Program:  # fmt: skip
    """A program, with what its tree calls."""
    nodes = scope.trees.nodes(tree)
    calls = frozenset(node.function for node in nodes if isinstance(node, Call))
    return Program(sheet, column, top, bottom, tree, formula, calls, tuple(_outside_names(nodes)))


def readable_tree(
    sheet: Sheet, column: int, row: int, formula: Formula, scope: BookScope, skipped: list[CellNote]
) -> Node | None:
    """The formula's tree; None, and a note, when it cannot be run."""
    position = (sheet.name, cell_name(row, column), text_at(formula, row, column))
    if formula.kept:
        skipped.append(CellNote(*position, "a data table, kept as it is"))
        return None
    try:
        tree = scope.trees.tree(formula)
    except FormulaError as error:
        skipped.append(CellNote(*position, error.faults[0].why))
        return None
    unknown = _unknown_call(tree, scope, sheet.name)
    if unknown is not None:
        skipped.append(CellNote(*position, unknown_function(unknown)))
        return None
    if not _outside_known(tree, scope, sheet.name):
        skipped.append(CellNote(*position, "it reads another workbook, of which no values are stored"))
        return None
    return tree


def _outside_known(tree: Node, scope: BookScope, sheet: str, depth: int = 0) -> bool:
    """Whether values are stored of all cells of other workbooks that a tree names, or reaches by their names."""
    for node in scope.trees.nodes(tree):
        if isinstance(node, Reference) and "[" in (node.sheet or "") and scope.extent(node.sheet or "") is None:
            return False
        if isinstance(node, Name) and "[" in (node.sheet or ""):
            meant = scope.name(node.name, node.sheet, Frame(scope, sheet))
            if meant is None or depth > _NAME_DEPTH:
                return False
            if not isinstance(meant, Span | Areas) and not _outside_known(meant, scope, sheet, depth + 1):  # type: ignore[arg-type]
                return False
    return True


def outside_names(tree: Node) -> list[str]:
    """The sheets of other workbooks that a tree reads, as `[1]Sheet`."""
    return _outside_names(walk(tree))


def _outside_names(nodes: Iterable[Node]) -> list[str]:
    found = [node.sheet or "" for node in nodes if isinstance(node, Reference | Name) and "[" in (node.sheet or "")]
    return list(dict.fromkeys(found))


def _unknown_call(tree: Node, scope: BookScope, sheet: str) -> str | None:
    """The first function that is called and not known: not ours, nor a name of the formula or of the workbook."""
    known = functions()
    nodes = scope.trees.nodes(tree)
    calls = [node.function for node in nodes if isinstance(node, Call) and node.function not in known]
    if not calls:
        return None
    own = {node.name.casefold() for node in walk(tree) if isinstance(node, Name)}
    own |= {node.first.casefold() for node in walk(tree) if isinstance(node, TableReference) and node.first}
    frame = Frame(scope, sheet)
    return next((name for name in calls if name.casefold() not in own and scope.name(name, None, frame) is None), None)


# -- what is read ----------------------------------------------------------------------------------------


def work_of(program: Program, scope: BookScope, known: Iterable[Read] | None = None) -> Work:
    """What a program fills and reads; `known` is what `reads` says of it, if that is known."""
    found = reads(program.tree, program.frame(scope)) if known is None else known
    return Work((program.sheet, program.area), tuple(position for position, _ in found))


#: An area that is read, and the span that it comes from.
Read: TypeAlias = tuple[Place, Span]


def reads(
    tree: Node, frame: Frame, depth: int = 0, nodes: Iterable[Node] | None = None
) -> Iterator[tuple[Place, Span]]:
    """The areas that a tree reads over all lanes of its frame, each with the span that it comes from; `nodes` are all
    nodes of the tree, if they are known."""
    for node in _reading(tree, list(walk(tree) if nodes is None else nodes)):
        operand: object = None
        if isinstance(node, Reference):
            operand = span_of(node, frame)
        elif isinstance(node, TableReference):
            operand = frame.scope.table(node, frame)
        elif isinstance(node, Name | Call):
            name, sheet = (node.name, node.sheet) if isinstance(node, Name) else (node.function, None)
            if isinstance(node, Call) and node.function in functions():
                continue
            operand = frame.scope.name(name, sheet, frame)
            if depth < _NAME_DEPTH and operand is not None and not isinstance(operand, Span | Areas):
                yield from reads(operand, frame, depth + 1)  # type: ignore[arg-type]
        for span in _spans(operand):
            yield (span.sheet, _whole(span, frame.count)), span


#: Functions that ask a reference for its place or size, and not for what it holds.
_PLACES = frozenset({"ROW", "COLUMN", "ROWS", "COLUMNS", "AREAS", "SHEET", "SHEETS", "ISREF"})


def _reading(tree: Node, nodes: list[Node]) -> Iterator[Node]:
    """The nodes of a tree whose values count: not a reference that is only asked where it lies."""
    if not any(isinstance(node, Call) and node.function in _PLACES for node in nodes):
        yield from nodes
        return
    waiting = [tree]
    while waiting:
        here = waiting.pop()
        yield here
        of_places = isinstance(here, Call) and here.function in _PLACES
        below = [child for child in children(here) if not (of_places and isinstance(child, Reference | TableReference))]
        waiting.extend(reversed(below))


def _spans(operand: object) -> Iterator[Span]:
    if isinstance(operand, Span):
        yield operand
    elif isinstance(operand, Areas):
        parts: tuple[Operand, ...] = operand.parts
        for part in parts:
            yield from _spans(part)


def _whole(span: Span, count: int) -> Area:
    """The area of all lanes together."""
    if span.path is not None:
        tops, lefts, bottoms, rights = span.edges()
        return Area(int(tops.min()), int(lefts.min()), int(bottoms.max()), int(rights.max()))
    if not span.moves:
        area = span.area
        return area if area.bottom <= MAX_ROW else area._replace(bottom=MAX_ROW)
    first, last = span.at(0), span.at(count - 1)
    top, bottom = min(first.top, last.top), min(max(first.bottom, last.bottom), MAX_ROW)
    return Area(top, first.left, bottom, first.right)


def lanes_touched(program: Program, known: Iterable[Read], changed: list[Place]) -> tuple[int, int] | None:
    """The first and last row of a program's cells that read any of the changed areas; None when none does. `known` is
    what `reads` says of the program.

    Rows between two that do are taken with them.
    """
    rows: list[int] = []
    last = program.bottom - program.top
    if program.formula.array is not None:
        last = 0
    for (sheet, whole), span in known:
        for other, area in changed:
            if other.casefold() != sheet.casefold() or not whole.overlaps(area):
                continue
            if not (span.top_moves and span.bottom_moves):
                return program.top, program.bottom
            first_lane = max(area.top - span.area.bottom, 0)
            last_lane = min(area.bottom - span.area.top, last)
            if first_lane <= last_lane:
                rows += [program.top + first_lane, program.top + last_lane]
    return (min(rows), max(rows)) if rows else None
