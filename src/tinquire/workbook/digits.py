"""Numbers read from many places of a buffer at once: eight characters are one word, and their digits are put together
by three multiplications of it instead of one for each digit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Booleans, Codes, Floats

__all__ = ["EXACT_DIGITS", "Whole", "Words", "decimals", "whole_numbers", "words_of"]

#: Eight bytes each, the first of them lowest.
Words = NDArray[np.uint64]
#: Digits of a number that fit a double's 53 bits whatever they are, so that one division rounds as the standard asks.
EXACT_DIGITS = 15
_U = np.uint64
_ONES = _U(0x0101010101010101)
_HIGHS = _U(0x8080808080808080)
_ZEROS = _U(0x3030303030303030)
#: Added to a byte above nine, it sets the byte's highest bit.
_ABOVE_NINE = _U(0x7676767676767676)
#: What is left of a point when the sign of zero is taken from it, in every byte.
_POINTS = _U(0x1E1E1E1E1E1E1E1E)
_POINT = 0x1E
_TENS = 10.0 ** np.arange(17)
_MINUS = 45


def words_of(array: NDArray[np.uint8]) -> Words:
    """At every byte of a buffer the eight bytes from it on: one look instead of eight. Nothing is copied."""
    return np.ndarray((len(array) - 8,), np.dtype("<u8"), array.data, strides=(1,))


@dataclass(frozen=True, slots=True)
class Whole:
    """Whole numbers of one to seven digits, how many digits each has, and which places hold no such number."""

    numbers: Codes
    lengths: Codes
    wrong: Booleans


def whole_numbers(words: Words) -> Whole:
    """The whole numbers with which words begin."""
    found = words ^ _ZEROS
    others = ((found + _ABOVE_NINE) | found) & _HIGHS
    below = (others & (~others + _U(1))) - _U(1)
    counts = ((below & _ONES) * _ONES) >> _U(56)  # one more than the digits; eight also when there is no other byte
    wrong = (counts == 1) | (others == 0)
    found &= below >> _U(7)
    found <<= np.minimum(_U(72) - (counts << _U(3)), _U(63))
    return Whole(_joined(found).view(np.int64), counts.view(np.int64) - 1, wrong)


def _joined(digits: Words) -> Words:
    """The number that eight digits make, the first in the lowest byte."""
    pairs = (digits * _U(2561) >> _U(8)) & _U(0x00FF00FF00FF00FF)
    fours = (pairs * _U(6553601) >> _U(16)) & _U(0x0000FFFF0000FFFF)
    return (fours * _U(42949672960001)) >> _U(32)


def decimals(
    array: NDArray[np.uint8], words: Words, starts: Codes, ends: Codes, *, alike: bool = False
) -> tuple[Floats, Booleans]:
    """Numbers between places (digits, at most one point, a minus in front), and which were plain enough to be exact.
    With `alike` they may well all have as many digits behind the point."""
    minus = array[starts] == _MINUS
    starts = starts + minus
    lengths = ends - starts
    found = _alike(words, starts, lengths) if alike else None
    if found is not None:
        values, plain = found, np.ones(len(starts), bool)
    else:
        values, plain = _short(words, starts, lengths)
    rest = np.flatnonzero((lengths > 8) & (lengths <= EXACT_DIGITS + 1))
    if len(rest):
        values[rest], plain[rest] = _long(words, starts[rest], lengths[rest])
    np.negative(values, out=values, where=minus)
    values += 0.0  # no number is minus zero
    return values, plain


def _alike(words: Words, starts: Codes, lengths: Codes) -> Floats | None:
    """Numbers of at most eight characters that all have as many digits behind the point, as amounts have; else None."""
    if not len(lengths) or lengths.min() < 1 or lengths.max() > 8:
        return None
    found = (words[starts] ^ _ZEROS) << (_U(64) - (lengths.view(np.uint64) << _U(3)))
    first = int(found[0]).to_bytes(8, "little")  # the last character is the last byte
    place = first.rfind(bytes([_POINT]), 8 - int(lengths[0]))
    behind = 0
    if place >= 0:
        behind, shift = 7 - place, 8 * place
        if not ((found >> _U(shift)) & _U(255) == _POINT).all() or (behind == 0 and lengths.min() < 2):
            return None
        below = _U((1 << shift) - 1)
        found = (found & ~(below | _U(255 << shift))) | ((found & below) << _U(8))
    if (((found + _ABOVE_NINE) | found) & _HIGHS).any():
        return None
    return _joined(found).view(np.int64) / _TENS[behind]


def _short(words: Words, starts: Codes, lengths: Codes) -> tuple[Floats, Booleans]:
    """Numbers of at most eight characters."""
    plain = (lengths > 0) & (lengths <= 8)
    numbers, behind, digits = _parts(words[starts], np.where(plain, lengths, 1))
    plain &= digits
    return numbers.astype(np.float64) / _TENS.take(np.maximum(behind, 0)), plain & ((lengths > 1) | (behind < 0))


def _long(words: Words, starts: Codes, lengths: Codes) -> tuple[Floats, Booleans]:
    """Numbers of nine to sixteen characters: the first ones, and the last eight."""
    first, first_behind, first_digits = _parts(words[starts], lengths - 8)
    last, last_behind, last_digits = _parts(words[starts + lengths - 8], np.full(len(starts), 8))
    points = (first_behind >= 0).astype(np.int64) + (last_behind >= 0)
    plain = first_digits & last_digits & (points <= 1) & (lengths - points <= EXACT_DIGITS)
    numbers = first * _TENS.take(8 - (last_behind >= 0)) + last
    behind = np.where(first_behind >= 0, first_behind + 8, np.maximum(last_behind, 0))
    return numbers / _TENS.take(np.where(plain, behind, 0)), plain


def _parts(words: Words, lengths: Codes) -> tuple[Codes, Codes, Booleans]:
    """Of the first so many (one to eight) characters of words: the number that the digits make, how many stand behind
    a point (-1 when there is none), and whether all are digits but for that."""
    found = (words ^ _ZEROS) << (_U(64) - (lengths.view(np.uint64) << _U(3)))
    points = found ^ _POINTS
    points = (points - _ONES) & ~points & _HIGHS
    lowest = (points & (~points + _U(1))) - _U(1)
    counts = ((lowest & _ONES) * _ONES) >> _U(56)  # one more than the characters in front of the point
    without = points == 0
    low = np.where(without, _U(0), lowest >> _U(7))
    high = np.where(without, ~_U(0), ~(lowest | (lowest + _U(1))))
    joined = (found & high) | ((found & low) << _U(8))
    digits = ((joined + _ABOVE_NINE) | joined) & _HIGHS == 0
    behind = np.where(without, -1, 8 - counts.view(np.int64))
    return _joined(joined).view(np.int64), behind, digits
