"""Texts in a buffer looked at eight bytes at a time: a word at every byte, and keys that tell texts from each other."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["LONGEST_KEY", "WORD", "Words", "keys_of", "words_of"]

#: Eight bytes each, the first of them lowest.
Words = NDArray[np.uint64]
#: Bytes of a word.
WORD = 8
#: Texts of more bytes are not distinguished by words.
LONGEST_KEY = 64
_MASKS = np.array([(1 << 8 * count) - 1 for count in range(WORD + 1)], np.uint64)


def words_of(array: NDArray[np.uint8]) -> Words:
    """At every byte of a buffer the eight bytes from it on: one look instead of eight. Nothing is copied."""
    return np.ndarray((len(array) - WORD,), np.dtype("<u8"), array.data, strides=(1,))


def keys_of(words: Words, starts: NDArray[Any], lengths: NDArray[Any]) -> list[Words]:
    """The bytes of each text, eight to a word, with zeros after its end: no byte of a text is zero."""
    keys = []
    longest, shortest = int(lengths.max(initial=0)), int(lengths.min(initial=LONGEST_KEY))
    last = int(starts.max(initial=0))
    for first in range(0, max(longest, 1), WORD):
        near = last + first < len(words)
        found = words[first:][starts] if near else words[np.minimum(starts + first, len(words) - 1)]
        if longest == shortest:  # all texts are as long: days, codes
            found &= _MASKS[min(longest - first, WORD)]
        elif shortest < first + WORD:
            left = lengths - first if first else lengths
            if shortest < first or longest > first + WORD:
                left = np.minimum(np.maximum(left, 0), WORD)
            found &= _MASKS[left]
        keys.append(found)
    return keys
