"""Cells that depend on each other, level by level: all whose inputs are ready at once."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Booleans

__all__ = ["levels", "reached"]

Numbers = NDArray[np.int64]


def levels(count: int, sources: Numbers, readers: Numbers) -> Iterator[Numbers]:
    """Numbers from 0 to `count`, in ascending order, that read nothing that was not given before.

    There is an edge from each of the sources to its reader. What is on a ring, or reads it, is never given.
    """
    waiting = np.bincount(readers, minlength=count)
    follow = _Followers(count, sources, readers)
    ready = np.flatnonzero(waiting == 0)
    while len(ready):
        yield ready
        found, times = np.unique(follow.of(ready), return_counts=True)
        waiting[found] -= times
        ready = found[waiting[found] == 0]


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
