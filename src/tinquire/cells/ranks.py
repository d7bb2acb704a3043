"""Ranks of numbers: codes in which equal numbers are equal and the order of codes is that of the numbers, mostly had
without sorting."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["dense", "rank_numbers"]

#: Whole numbers that reach no further than this many times their count are marked in a row of flags, and not sorted.
_SPARSE = 16
#: How many numbers tell whether all of them may be whole, or amounts with this many parts in a unit.
_PROBE = 1_000
_PARTS = (1.0, 100.0)


def dense(numbers: NDArray[Any]) -> tuple[NDArray[Any], int]:
    """Whole numbers from zero on numbered again in their order without gaps, and how many different ones there are."""
    if not len(numbers):
        return numbers.astype(np.int32), 0
    highest = int(numbers.max())
    if highest > _SPARSE * len(numbers) + _PROBE:
        known, positions = np.unique(numbers, return_inverse=True)
        return positions.astype(np.int32), len(known)
    met = _seen(numbers, highest)
    if highest < len(numbers) and met.all():
        return numbers.astype(np.int32, copy=False), highest + 1
    positions = np.cumsum(met, dtype=np.int32) - np.int32(1)
    return positions[numbers], int(positions[-1]) + 1


def _seen(numbers: NDArray[Any], highest: int) -> NDArray[np.bool_]:
    met = np.zeros(highest + 1, np.bool_)
    met[numbers] = True
    return met


def rank_numbers(numbers: NDArray[np.float64]) -> tuple[NDArray[Any], NDArray[np.float64]]:
    """Each number's rank, and the different numbers in order."""
    for parts in _PARTS if len(numbers) else ():
        found = _rank_steps(numbers, parts)
        if found is not None:
            return found
    distinct, inverse = np.unique(numbers, return_inverse=True)
    return inverse, np.asarray(distinct, np.float64)


def _rank_steps(numbers: NDArray[np.float64], parts: float) -> tuple[NDArray[Any], NDArray[np.float64]] | None:
    """Ranks of numbers that are a whole count of parts of a unit, close together; None for others.

    Where dividing the counts gives the very numbers back, no two different numbers have the same count.
    """
    with np.errstate(over="ignore", invalid="ignore"):
        counts = np.rint(numbers[:_PROBE] * parts)
        if not np.array_equal(counts / parts, numbers[:_PROBE]):
            return None
        counts = np.rint(numbers * parts)
        lowest, highest = float(counts.min()), float(counts.max())
        if not highest - lowest <= _SPARSE * len(numbers) + _PROBE or not np.array_equal(counts / parts, numbers):
            return None
    whole = (counts - lowest).astype(np.int64)
    met = _seen(whole, int(highest - lowest))
    positions = np.cumsum(met, dtype=np.int32) - np.int32(1)
    return positions[whole], (np.flatnonzero(met).astype(np.float64) + lowest) / parts
