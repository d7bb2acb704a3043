"""The order in which programs must run, so that each finds its inputs ready.

A program fills a run of cells in one column; what it reads is a set of areas. Dependencies are found between runs
and areas without expanding either to cells. Programs that depend on each other in a ring, or on their own cells,
are put together into one batch; whoever runs the batch takes its cells one by one.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from tinquire.cells.address import Area

__all__ = ["Place", "Work", "batches", "ordered", "reads_itself"]

#: An area on a named sheet.
Place = tuple[str, Area]


@dataclass(frozen=True, slots=True)
class Work:
    """One program: where its results go, and which areas it reads."""

    fills: Place
    reads: tuple[Place, ...]


def batches(works: Sequence[Work]) -> list[tuple[int, ...]]:
    """Indexes of the works in an order in which inputs come first.

    A batch of one index is a program that can run at once; a larger batch, or one whose program reads its own
    cells (see `reads_itself`), is a ring. Order is stable: of two free works the earlier comes first.

    This is Tarjan's algorithm for strongly connected components, without recursion (R. Tarjan, Depth-first search
    and linear graph algorithms, SIAM J. Comput. 1 (1972) 146-160).
    """
    return ordered(_needs(works))


def ordered(needs: Sequence[Sequence[int]]) -> list[tuple[int, ...]]:
    """The same of numbers, for each of which it is known which others it needs."""
    order: dict[int, int] = {}
    low: dict[int, int] = {}
    on_stack: set[int] = set()
    stack: list[int] = []
    result: list[tuple[int, ...]] = []
    for root in range(len(needs)):
        if root in order:
            continue
        path: list[tuple[int, Iterable[int]]] = []
        _enter(root, order, low, stack, on_stack)
        path.append((root, iter(needs[root])))
        while path:
            node, following = path[-1]
            following = iter(following)
            for need in following:
                if need not in order:
                    _enter(need, order, low, stack, on_stack)
                    path[-1] = (node, following)
                    path.append((need, iter(needs[need])))
                    break
                if need in on_stack:
                    low[node] = min(low[node], order[need])
            else:
                path.pop()
                if path:
                    low[path[-1][0]] = min(low[path[-1][0]], low[node])
                if low[node] == order[node]:
                    result.append(_component(node, stack, on_stack))
    return result


def _enter(node: int, order: dict[int, int], low: dict[int, int], stack: list[int], on_stack: set[int]) -> None:
    order[node] = low[node] = len(order)
    stack.append(node)
    on_stack.add(node)


def _component(root: int, stack: list[int], on_stack: set[int]) -> tuple[int, ...]:
    members = []
    while True:
        node = stack.pop()
        on_stack.discard(node)
        members.append(node)
        if node == root:
            return tuple(sorted(members))


def reads_itself(work: Work) -> bool:
    """Whether a program's inputs may lie among its own results."""
    sheet, area = work.fills
    return any(other == sheet and area.overlaps(read) for other, read in work.reads)


def _needs(works: Sequence[Work]) -> list[list[int]]:
    """For each work the works whose results it reads, by sheet and column so that few pairs are compared."""
    by_column: dict[tuple[str, int], list[tuple[int, int, int]]] = defaultdict(list)  # runs of a column never overlap
    widest: dict[str, set[int]] = defaultdict(set)
    for index, work in enumerate(works):
        sheet, area = work.fills
        for column in range(area.left, area.right + 1):
            by_column[sheet, column].append((area.top, area.bottom, index))
            widest[sheet].add(column)
    ends = {}
    for key, runs in by_column.items():
        runs.sort()
        ends[key] = [bottom for _, bottom, _ in runs]
    result = []
    for index, work in enumerate(works):
        found: set[int] = set()
        for sheet, area in work.reads:
            columns = widest.get(sheet, ())
            span = (
                range(area.left, area.right + 1)
                if area.width <= len(columns)
                else [column for column in columns if area.left <= column <= area.right]
            )
            for column in span:
                runs = by_column.get((sheet, column), [])
                first = bisect_left(ends.get((sheet, column), ()), area.top)
                for top, _, other in (runs[number] for number in range(first, len(runs))):
                    if top > area.bottom:
                        break
                    if other != index:
                        found.add(other)
        result.append(sorted(found))
    return result
