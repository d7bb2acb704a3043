"""Numbers read from many places of a buffer at once: eight characters are one word, and their digits are put together
by three multiplications of it instead of one for each digit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tinquire.cells.column import Booleans, Codes, Floats
from tinquire.cells.words import WORD, Words

__all__ = ["EXACT_DIGITS", "Whole", "decimals", "whole_numbers"]

#: Digits of a number that fit a double's 53 bits whatever they are, so that one division rounds as the standard asks.
EXACT_DIGITS = 15
_U = np.uint64
_ONES = _U(0x0101010101010101)
_HIGHS = _U(0x8080808080808080)
_ZEROS = _U(0x3030303030303030)
#: Added to a byte above nine, it sets the byte's highest bit.
_ABOVE_NINE = _U(0x7676767676767676)
#: What joins digits to pairs, pairs to fours, fours to eights: a factor, a shift, and what is kept.
_JOINTS = (
    (_U(2561), _U(8), _U(0x00FF00FF00FF00FF)),
    (_U(6553601), _U(16), _U(0x0000FFFF0000FFFF)),
    (_U(42949672960001), _U(32), _U(0xFFFFFFFF)),
)
_LOW = _U(7)
_BYTE = _U(8)
_TENS = 10.0 ** np.arange(17)
_MINUS = 45
_POINT = ord(".")
_united = np.bitwise_or.reduce


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
    return Whole(_eight_digits(found), counts.view(np.int64) - 1, wrong)


def _eight_digits(digits: Words) -> Codes:
    """The number that eight digits make, the first in the lowest byte. The digits are used up: arrays of this size are
    worked on in place, as new ones cost more than the work."""
    for factor, shift, mask in _JOINTS:
        digits *= factor
        digits >>= shift
        digits &= mask
    return digits.view(np.int64)


def decimals(words: Words, starts: Codes, ends: Codes, point: int = _POINT) -> tuple[Floats, Booleans]:
    """Numbers between places (digits, at most one point, a minus first), and which were plain enough to be exact."""
    found = words[starts]
    minus = found.view(np.uint8)[::8] == _MINUS
    signed = bool(minus.any())
    if signed:
        starts = starts + minus
        found = words[starts]
    lengths = ends - starts
    mark = point ^ ord("0")  # what is left of a point when the sign of zero is taken from it
    shortest, longest = int(lengths.min(initial=WORD)), int(lengths.max(initial=0))
    values = _alike(found, lengths, mark) if 0 < shortest <= longest <= WORD else None
    if values is not None:
        plain = np.ones(len(starts), bool)
    else:
        values, plain = _short(words[starts], lengths, mark)
    rest = np.flatnonzero((lengths > WORD) & (lengths <= EXACT_DIGITS + 1)) if longest > WORD else ()
    if len(rest):
        values[rest], plain[rest] = _long(words, starts[rest], lengths[rest], mark)
    if signed:
        np.negative(values, out=values, where=minus)
        values += 0.0  # no number is minus zero
    return values, plain


def _alike(found: Words, lengths: Codes, mark: int) -> Floats | None:
    """Numbers of one to eight characters that all have as many digits after the point, as amounts have; else None.
    The words are used up."""
    other = _up_to_end(found, lengths)
    first = int(found[0]).to_bytes(WORD, "little")  # the last character is the last byte
    position = first.rfind(bytes([mark]), WORD - int(lengths[0]))
    behind = 0
    if position >= 0:
        behind, shift = WORD - 1 - position, 8 * position
        np.right_shift(found, _U(shift), out=other)
        other ^= _U(mark)
        if int(_united(other)) & 255 or (behind == 0 and int(lengths.min()) < 2):
            return None
        in_front = (1 << shift) - 1
        np.bitwise_and(found, _U(in_front), out=other)
        other <<= _BYTE
        found &= ~_U(in_front | 255 << shift)
        found |= other
    np.add(found, _ABOVE_NINE, out=other)
    other |= found
    if int(_united(other)) & int(_HIGHS):
        return None
    return _eight_digits(found) / _TENS[behind]


def _up_to_end(found: Words, lengths: Codes) -> Words:
    """Put the first n (one to eight) characters at the words' ends, as digits with zeros before them, in
    place. Gives an array of the same size whose contents do not matter."""
    shifts: Words = lengths.astype(np.uint64)
    shifts <<= _U(3)
    np.subtract(_U(64), shifts, out=shifts)
    found ^= _ZEROS
    found <<= shifts
    return shifts


def _short(found: Words, lengths: Codes, mark: int) -> tuple[Floats, Booleans]:
    """Numbers of at most eight characters. The words are used up."""
    plain = (lengths > 0) & (lengths <= WORD)
    numbers, behind, digits = _parts(found, np.where(plain, lengths, 1), mark)
    plain &= digits
    plain &= (lengths > 1) | (behind < 0)
    return numbers / _TENS.take(np.maximum(behind, 0)), plain


def _long(words: Words, starts: Codes, lengths: Codes, mark: int) -> tuple[Floats, Booleans]:
    """Numbers of nine to sixteen characters: the first ones, and the last eight."""
    first, first_behind, first_digits = _parts(words[starts], lengths - WORD, mark)
    last, last_behind, last_digits = _parts(words[starts + lengths - WORD], np.full(len(starts), WORD), mark)
    points = (first_behind >= 0).astype(np.int64) + (last_behind >= 0)
    plain = first_digits & last_digits & (points <= 1) & (lengths - points <= EXACT_DIGITS)
    numbers = first * _TENS.take(WORD - (last_behind >= 0)) + last
    behind = np.where(first_behind >= 0, first_behind + WORD, np.maximum(last_behind, 0))
    return numbers / _TENS.take(np.where(plain, behind, 0)), plain


def _parts(found: Words, lengths: Codes, mark: int) -> tuple[Codes, Codes, Booleans]:
    """Of the first n (one to eight) characters of words: the number that the digits make, how many stand behind
    a point (-1 when there is none), and whether all are digits but for that. The words are used up."""
    other = _up_to_end(found, lengths)
    points = found ^ _U(mark * int(_ONES))
    np.subtract(points, _ONES, out=other)
    np.invert(points, out=points)
    points &= other
    points &= _HIGHS
    without = points == 0
    behind = np.full(len(found), -1)
    if not without.all():
        below = points - _U(1)
        np.invert(points, out=points)
        below &= points  # of the first point's byte the lower seven bits, and all bytes before it
        behind = 7 - (np.bitwise_count(below).astype(np.int64) >> 3)
        behind[without] = -1
        np.right_shift(below, _LOW, out=points)
        points[without] = 0
        points &= found
        points <<= _BYTE
        below |= below + _U(1)
        np.invert(below, out=below)
        below[without] = ~_U(0)
        found &= below
        found |= points
    np.add(found, _ABOVE_NINE, out=other)
    other |= found
    other &= _HIGHS
    return _eight_digits(found), behind, other == 0
