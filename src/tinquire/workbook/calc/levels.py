"""Cells that depend on each other, in as few steps as they allow: of each form all cells whose inputs are ready."""

from __future__ import annotations

from collections.abc import Iterator
from heapq import heappop, heappush
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Booleans

__all__ = ["FREE", "Numbers", "reached", "steps"]

Numbers = NDArray[np.int64]

#: The group of numbers that stand for no cell: they take no time, and come first.
FREE = -1


def steps(count: int, sources: Numbers, readers: Numbers, groups: Numbers) -> Iterator[tuple[int, Numbers]]:
    """Numbers from 0 to `count` of one group after the other, ascending, that read nothing that was not given before.

    There is an edge from each of the sources to its reader. Of the groups the one comes first that has most numbers
    ready: the others gain by waiting. What is on a ring, or reads it, is never given.
    """
    waiting = np.bincount(readers, minlength=count)
    follow = _Followers(count, sources, readers)
    ready: dict[int, list[Numbers]] = {}
    sizes: dict[int, int] = {}
    heap: list[tuple[int, int, int]] = []
    turn = 0

    def add(numbers: Numbers) -> None:
        nonlocal turn
        own = groups[numbers]
        if (len(numbers) > 1 and own[0] != own[-1]) or (own != own[0]).any():
            order = np.argsort(own, kind="stable")
            numbers, own = numbers[order], own[order]
            bounds = np.flatnonzero(np.concatenate([[True], np.diff(own) != 0, [True]])).tolist()
        else:
            bounds = [0, len(numbers)]
        for start, end in pairwise(bounds):
            group = int(own[start])
            ready.setdefault(group, []).append(numbers[start:end])
            sizes[group] = sizes.get(group, 0) + end - start
            turn += 1
            heappush(heap, (-count if group == FREE else -sizes[group], turn, group))

    first = np.flatnonzero(waiting == 0)
    if len(first):
        add(first)
    while heap:
        size, _, group = heappop(heap)
        if not sizes.get(group) or (group != FREE and -size != sizes[group]):
            continue  # given since, or in the heap again with more
        parts = ready.pop(group)
        sizes[group] = 0
        numbers = parts[0] if len(parts) == 1 else np.sort(np.concatenate(parts))
        yield group, numbers
        found, times = np.unique(follow.of(numbers), return_counts=True)
        waiting[found] -= times
        found = found[waiting[found] == 0]
        if len(found):
            add(found)


def reached(count: int, sources: Numbers, readers: Numbers, first: Numbers) -> Booleans:
    """Which numbers depend on some of them, these among them."""
    follow = _Followers(count, sources, readers)
    found = np.zeros(count, bool)
    found[first] = True
    while len(first):
        first = np.unique(follow.of(first))
        first = first[~found[first]]
        found[first] = True
    return found


class _Followers:
    """The readers of each number."""

    def __init__(self, count: int, sources: Numbers, readers: Numbers) -> None:
        self._readers = readers[np.argsort(sources, kind="stable")]
        self._starts = np.concatenate([[0], np.cumsum(np.bincount(sources, minlength=count))])

    def of(self, numbers: Numbers) -> Numbers:
        """All that read any of some numbers, once for each reading."""
        first, size = self._starts[numbers], self._starts[numbers + 1] - self._starts[numbers]
        # The positions of all edges that begin in these numbers, without a loop over them.
        before = np.concatenate([[0], np.cumsum(size)])
        at = np.arange(int(before[-1])) + np.repeat(first - before[:-1], size)
        found: Numbers = self._readers[at]
        return found
