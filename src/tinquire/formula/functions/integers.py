"""Whole numbers: factorials, choices, divisors, even and odd (18.17.7)."""

from __future__ import annotations

import math
import sys

import numpy as np

from tinquire.cells.column import Floats
from tinquire.formula.engine.adapters import plain, sample
from tinquire.formula.engine.registry import declare_all, elementwise

#: Factors beyond this cannot be distinguished by a double.
_LARGEST = 2.0**53


declare_all(
    elementwise,
    __name__,
    [
        ("ISEVEN(number: number)", lambda n: np.trunc(n) % 2 == 0, "Whether a number's whole part is even.", "ISEVEN(4.7)", "TRUE"),
        ("ISODD(number: number)", lambda n: np.trunc(n) % 2 != 0, "Whether a number's whole part is odd.", "ISODD(4.7)", "FALSE"),
        ("DELTA(number: number, other: number = 0)", lambda a, b: (a == b).astype(float), "1 where two numbers are equal, else 0.", "DELTA(5, 5)", "1"),
        ("GESTEP(number: number, step: number = 0)", lambda a, b: (a >= b).astype(float), "1 where a number reaches a step, else 0.", "GESTEP(5, 6)", "0"),
    ],
)  # fmt: skip


def whole_part(number: float, least: float = 0) -> int:
    """A number's whole part. Raises ValueError below a least."""
    if number < least or number > _LARGEST:
        raise ValueError
    return int(number)


def _sized(logarithm: float) -> None:
    """Raises OverflowError before a number is calculated that no double holds."""
    if logarithm > math.log(sys.float_info.max):
        raise OverflowError


def _double_factorial(number: float) -> float:
    if number < -1:
        raise ValueError
    whole = int(number)
    if whole > 300:
        raise OverflowError
    return float(math.prod(range(whole, 0, -2)))


def _combin(number: float, chosen: float) -> float:
    if number < chosen:
        raise ValueError
    n, k = whole_part(number), whole_part(chosen)
    _sized(math.lgamma(n + 1) - math.lgamma(k + 1) - math.lgamma(n - k + 1))
    return float(math.comb(n, k))


def _permut(number: float, chosen: float) -> float:
    if number < chosen:
        raise ValueError
    n, k = whole_part(number), whole_part(chosen)
    _sized(math.lgamma(n + 1) - math.lgamma(n - k + 1))
    return float(math.perm(n, k))


def _fact(number: float) -> float:
    if number > 170:
        raise OverflowError
    return float(math.factorial(whole_part(number)))


def _combina(number: float, chosen: float) -> float:
    n, k = whole_part(number), whole_part(chosen)
    return 1.0 if n == k == 0 else _combin(n + k - 1.0, k)


declare_all(
    plain,
    __name__,
    [
        ("FACT(number: number)", _fact, "The product of the whole numbers up to n.", "FACT(5)", "120"),
        ("FACTDOUBLE(number: number)", _double_factorial, "The product of every second whole number up to n.", "FACTDOUBLE(7)", "105"),
        ("COMBIN(number: number, chosen: number)", _combin, "The number of combinations of n items.", "COMBIN(6, 3)", "20"),
        ("COMBINA(number: number, chosen: number)", _combina, "The number of combinations with repetition.", "COMBINA(3, 2)", "6"),
        ("PERMUT(number: number, chosen: number)", _permut, "The number of permutations.", "PERMUT(6, 2)", "30"),
        ("PERMUTATIONA(number: number, chosen: number)", lambda n, k: float(whole_part(n)) ** whole_part(k), "The number of permutations with repetition.", "PERMUTATIONA(3, 2)", "9"),
    ],
)  # fmt: skip


def _whole_parts(numbers: Floats) -> list[int]:
    return [whole_part(float(number)) for number in numbers]


def _multinomial(numbers: Floats) -> float:
    parts = _whole_parts(numbers)
    if sum(parts) > 300:
        raise OverflowError
    return float(math.factorial(sum(parts)) // math.prod(map(math.factorial, parts)))


declare_all(
    sample,
    __name__,
    [
        ("GCD(number: cells, number...: cells)", lambda n: float(math.gcd(*_whole_parts(n))), "The greatest common divisor.", "GCD(24, 36)", "12"),
        ("LCM(number: cells, number...: cells)", lambda n: float(math.lcm(*_whole_parts(n))), "The least common multiple.", "LCM(24, 36)", "72"),
        ("MULTINOMIAL(number: cells, number...: cells)", _multinomial, "The factorial of a sum, divided by the factorials of its parts.", "MULTINOMIAL(1, 2, 3)", "60"),
    ],
)  # fmt: skip
