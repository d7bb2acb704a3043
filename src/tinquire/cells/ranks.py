"""Ranks of numbers and texts: codes in which equal ones are equal and the order of codes is theirs, mostly had without
sorting, or without comparing texts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.words import keys_of, words_of

__all__ = ["dense", "rank_numbers", "rank_texts"]

#: Whole numbers that reach no further than this many times their count are marked in a row of flags, and not sorted.
_SPARSE = 16
#: How many numbers tell whether all of them may be whole, or amounts with this many parts in a unit.
_PROBE = 1_000
_PARTS = (1.0, 100.0)
#: So many texts, of no more letters than this, are sorted as words of eight bytes.
_MANY_TEXTS, _SHORT_TEXT = 2_000, 24


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


def rank_texts(texts: Sequence[str]) -> tuple[NDArray[np.int32], list[str]]:
    """Each text's rank by the numbers of its letters, and the different texts in that order."""
    found = _rank_words(texts) if len(texts) >= _MANY_TEXTS else None
    if found is not None:
        return found
    distinct = sorted(set(texts))
    rank_of = {text: rank for rank, text in enumerate(distinct)}
    return np.fromiter(map(rank_of.__getitem__, texts), np.int32, len(texts)), distinct


def _rank_words(texts: Sequence[str]) -> tuple[NDArray[np.int32], list[str]] | None:
    """Ranks of short texts of ASCII, of which no letter is zero: as words their order is the same; None for others."""
    lengths = np.fromiter(map(len, texts), np.int64, len(texts))
    if int(lengths.max()) > _SHORT_TEXT:
        return None
    joined = "".join(texts)
    if not joined.isascii() or "\0" in joined:
        return None
    buffer = np.frombuffer(joined.encode() + bytes(16), np.uint8)
    keys = [key.byteswap() for key in keys_of(words_of(buffer), np.cumsum(lengths) - lengths, lengths)]
    order = np.lexsort(keys[::-1])
    new = np.zeros(len(texts), np.bool_)
    new[0] = True
    for key in keys:
        ordered = key[order]
        new[1:] |= ordered[1:] != ordered[:-1]
    ranks = np.empty(len(texts), np.int32)
    ranks[order] = np.cumsum(new, dtype=np.int32) - np.int32(1)
    return ranks, list(map(texts.__getitem__, order[new].tolist()))
