"""Arithmetic and rounding."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import with_faults
from tinquire.formula.engine.registry import elementwise

#: Digits beyond these change nothing in a double, and powers of ten must stay exact.
_MOST_DIGITS = 20


@elementwise("ABS(number: number)")
def abs_(number: Floats) -> Floats:
    """The number without its sign (18.17.7).

    >>> ABS(-2.5)
    2.5
    """
    return np.abs(number)


@elementwise("INT(number: number)")
def int_(number: Floats) -> Floats:
    """The next whole number below (18.17.7).

    >>> INT(-2.5)
    -3
    """
    return np.floor(number)


@elementwise("MOD(number: number, divisor: number)")
def mod(number: Floats, divisor: Floats) -> Column:
    """The remainder of a division; it has the sign of the divisor (18.17.7).

    >>> MOD(-7, 3)
    2
    """
    safe = np.where(divisor == 0, 1.0, divisor)
    column = Column.of_numbers(number - safe * np.floor(number / safe))
    zero = np.where(divisor == 0, CellError.DIV0.code + 1, 0).astype(np.uint8)
    return with_faults(column, zero)


@elementwise("ROUND(number: number, digits: number)")
def round_(number: Floats, digits: Floats) -> Floats:
    """Round half away from zero, to places behind the point, or before it when negative (18.17.7).

    >>> ROUND(2.345, 2)
    2.35
    """
    return _rounded(number, digits, lambda scaled: np.floor(scaled + 0.5))


@elementwise("ROUNDUP(number: number, digits: number)")
def roundup(number: Floats, digits: Floats) -> Floats:
    """Round away from zero (18.17.7).

    >>> ROUNDUP(2.341, 2)
    2.35
    """
    return _rounded(number, digits, np.ceil)


@elementwise("ROUNDDOWN(number: number, digits: number)")
def rounddown(number: Floats, digits: Floats) -> Floats:
    """Round towards zero (18.17.7).

    >>> ROUNDDOWN(-2.349, 2)
    -2.34
    """
    return _rounded(number, digits, np.floor)


def _rounded(number: Floats, digits: Floats, work: Callable[[Floats], Floats]) -> Floats:
    """Round sizes at a decimal place.

    The scaled size is first brought to 15 significant digits, those a cell holds: 2.345 is stored a hair below
    itself, and must still round up.
    """
    places = np.clip(np.trunc(digits), -_MOST_DIGITS, _MOST_DIGITS)
    scale = np.power(10.0, np.abs(places))
    size = np.abs(number)
    scaled = np.where(places >= 0, size * scale, size / scale)
    result = work(_fifteen_digits(scaled))
    result = np.where(places >= 0, result / scale, result * scale)
    beyond = ~np.isfinite(scaled) | (scaled >= 2.0**53)
    return np.where(beyond & (places >= 0), number, np.copysign(result, number) + 0.0)


def _fifteen_digits(size: Floats) -> Floats:
    """Sizes rounded to 15 significant digits."""
    exponent = np.floor(np.log10(np.where(size > 0, size, 1.0)))
    places = 14 - exponent
    scale = np.power(10.0, np.abs(places))
    whole = np.rint(np.where(places >= 0, size * scale, size / scale))
    return np.where(size > 0, np.where(places >= 0, whole / scale, whole * scale), 0.0)
