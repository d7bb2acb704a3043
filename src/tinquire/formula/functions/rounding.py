"""Rounding, remainders and signs (18.17.7)."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.values import CellError
from tinquire.formula.engine.conversions import with_faults
from tinquire.formula.engine.registry import declare_all, elementwise


def _steps(number: Floats, step: Floats, work: Callable[[Floats], Floats]) -> Floats:
    """A number brought to a multiple of a step; what is a multiple but for the last bits is one."""
    size = np.where(step == 0, 1.0, step)
    quotient = number / size
    near = np.rint(quotient)
    whole = np.where(np.abs(quotient - near) < 1e-10 * np.maximum(np.abs(quotient), 1), near, work(quotient))
    return np.where(step == 0, 0.0, whole * size) + 0.0


def _mathematical(round_up: bool) -> Callable[[Floats, Floats, Floats], Floats]:
    def function(number: Floats, step: Floats, away: Floats) -> Floats:
        up = np.full(number.shape, round_up) ^ ((number < 0) & (away != 0))
        size = np.abs(step)
        return np.where(up, _steps(number, size, np.ceil), _steps(number, size, np.floor))

    return function


def _legacy(number: Floats, step: Floats, work: Callable[[Floats], Floats], floor: bool) -> Column:
    """CEILING and FLOOR: a number and a step of unlike signs make no sense when the number is positive."""
    result = Column.of_numbers(np.where((number > 0) & (step < 0), np.nan, _steps(number, step, work)))
    if not floor:
        return result
    return with_faults(result, np.where((step == 0) & (number != 0), CellError.DIV0.code + 1, 0).astype(np.uint8))


def _even(number: Floats, add: float) -> Floats:
    size = np.abs(number)
    whole = 2 * np.ceil((size + add - _tiny(size)) / 2) - add
    return np.copysign(np.where(whole < 0, add, whole), number) + 0.0


def _tiny(size: Floats) -> Floats:
    return size * 1e-15


declare_all(
    elementwise,
    __name__,
    [
        ("CEILING(number: number, step: number)", lambda n, s: _legacy(n, s, np.ceil, False), "The next multiple of a step away from zero; for both below zero, too.", "CEILING(2.5, 1)", "3"),
        ("FLOOR(number: number, step: number)", lambda n, s: _legacy(n, s, np.floor, True), "The next multiple of a step towards zero.", "FLOOR(2.5, 1)", "2"),
        ("CEILING.MATH(number: number, step: number = 1, away: number = 0)", _mathematical(True), "The next multiple of a step above; with `away`, away from zero below it.", "CEILING.MATH(-5.5, 2)", "-4"),
        ("FLOOR.MATH(number: number, step: number = 1, away: number = 0)", _mathematical(False), "The next multiple of a step below; with `away`, towards zero below it.", "FLOOR.MATH(-5.5, 2)", "-6"),
        ("CEILING.PRECISE(number: number, step: number = 1)", lambda n, s: _steps(n, np.abs(s), np.ceil), "The next multiple of a step above.", "CEILING.PRECISE(-4.1)", "-4"),
        ("ISO.CEILING(number: number, step: number = 1)", lambda n, s: _steps(n, np.abs(s), np.ceil), "The next multiple of a step above.", "ISO.CEILING(4.1)", "5"),
        ("ECMA.CEILING(number: number, step: number)", lambda n, s: _steps(n, np.abs(s), np.ceil), "The next multiple of a step above.", "ECMA.CEILING(4.1, 2)", "6"),
        ("FLOOR.PRECISE(number: number, step: number = 1)", lambda n, s: _steps(n, np.abs(s), np.floor), "The next multiple of a step below.", "FLOOR.PRECISE(-4.1)", "-5"),
        ("EVEN(number: number)", lambda n: _even(n, 0.0), "The next even number away from zero.", "EVEN(1.5)", "2"),
        ("ODD(number: number)", lambda n: _even(n, 1.0), "The next odd number away from zero.", "ODD(1.5)", "3"),
    ],
)  # fmt: skip


@elementwise("TRUNC(number: number, digits: number = 0)")
def trunc(number: Floats, digits: Floats) -> Floats:
    """The number without the digits after a decimal place (18.17.7).

    >>> TRUNC(-8.97, 1)
    -8.9
    """
    scale = np.power(10.0, np.clip(np.trunc(digits), -20, 20))
    scaled = number * scale
    near = np.rint(scaled)
    return np.where(np.abs(scaled - near) < 1e-12 * np.abs(scaled), near, np.trunc(scaled)) / scale + 0.0


@elementwise("MROUND(number: number, step: number)")
def mround(number: Floats, step: Floats) -> Floats:
    """The nearest multiple of a step; both must have one sign (18.17.7).

    >>> MROUND(7, 3)
    6
    """
    rounded = _steps(number, step, lambda quotient: np.floor(quotient + 0.5))
    return np.where(number * step < 0, np.nan, rounded)


@elementwise("QUOTIENT(number: number, divisor: number)")
def quotient(number: Floats, divisor: Floats) -> Column:
    """The whole part of a division (18.17.7).

    >>> QUOTIENT(-10, 3)
    -3
    """
    column = Column.of_numbers(np.trunc(number / np.where(divisor == 0, 1.0, divisor)))
    return with_faults(column, np.where(divisor == 0, CellError.DIV0.code + 1, 0).astype(np.uint8))


#: Digits beyond these change nothing in a double, and powers of ten must stay exact.
_MOST_DIGITS = 20
#: Powers of ten up to this are finite, and had as the arrays have them.
_PLAIN_POWERS = 308
_POWERS: list[float] = np.power(10.0, np.arange(_PLAIN_POWERS + 1)).tolist()


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


def _half_up(scaled: Floats) -> Floats:
    return np.floor(scaled + 0.5)


def _one_rounded(many: Callable[[Floats], Floats], work: Callable[[float], float]) -> Callable[[float, float], float]:
    """`_rounded` for one number, in the same steps; `work` does for one size what `many` does for arrays."""

    def rounded(number: float, digits: float) -> float:
        size = abs(number)
        if not (math.isfinite(size) and math.isfinite(digits)):
            return float(_rounded(np.array([number]), np.array([digits]), many)[0])
        decimals = int(min(max(digits, -_MOST_DIGITS), _MOST_DIGITS))
        scale = _POWERS[abs(decimals)]
        scaled = size * scale if decimals >= 0 else size / scale
        if decimals >= 0 and scaled >= 2.0**53:
            return number
        if scaled <= 0.0:
            return 0.0
        places = 14 - math.floor(math.log10(scaled))
        if places > _PLAIN_POWERS:
            return float(_rounded(np.array([number]), np.array([digits]), many)[0])
        power = _POWERS[abs(places)]
        near = round(scaled * power) / power if places >= 0 else round(scaled / power) * power
        whole = float(work(near))
        return math.copysign(whole / scale if decimals >= 0 else whole * scale, number) + 0.0

    return rounded


@elementwise("ROUND(number: number, digits: number)", _one_rounded(_half_up, lambda size: math.floor(size + 0.5)))
def round_(number: Floats, digits: Floats) -> Floats:
    """Round half away from zero, to decimal places, or to tens, hundreds, ... when `digits` is negative (18.17.7).

    >>> ROUND(2.345, 2)
    2.35
    """
    return _rounded(number, digits, _half_up)


@elementwise("ROUNDUP(number: number, digits: number)", _one_rounded(np.ceil, math.ceil))
def roundup(number: Floats, digits: Floats) -> Floats:
    """Round away from zero (18.17.7).

    >>> ROUNDUP(2.341, 2)
    2.35
    """
    return _rounded(number, digits, np.ceil)


@elementwise("ROUNDDOWN(number: number, digits: number)", _one_rounded(np.floor, math.floor))
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
    decimals = np.clip(np.trunc(digits), -_MOST_DIGITS, _MOST_DIGITS)
    scale = np.power(10.0, np.abs(decimals))
    size = np.abs(number)
    scaled = np.where(decimals >= 0, size * scale, size / scale)
    result = work(_fifteen_digits(scaled))
    result = np.where(decimals >= 0, result / scale, result * scale)
    beyond = ~np.isfinite(scaled) | (scaled >= 2.0**53)
    return np.where(beyond & (decimals >= 0), number, np.copysign(result, number) + 0.0)


def _fifteen_digits(size: Floats) -> Floats:
    """Sizes rounded to 15 significant digits."""
    exponent = np.floor(np.log10(np.where(size > 0, size, 1.0)))
    decimals = 14 - exponent
    scale = np.power(10.0, np.abs(decimals))
    whole = np.rint(np.where(decimals >= 0, size * scale, size / scale))
    return np.where(size > 0, np.where(decimals >= 0, whole / scale, whole * scale), 0.0)


declare_all(
    elementwise,
    __name__,
    [
        ("SIGN(number: number)", np.sign, "1, 0 or -1, as a number is above, at or below zero.", "SIGN(-7)", "-1"),
    ],
)  # fmt: skip
