"""Whole numbers: rounding to them, counting with them, writing them to other bases (18.17.7)."""

from __future__ import annotations

import math
import re
import sys
from collections.abc import Callable

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_rows, plain, sample
from tinquire.formula.engine.conversions import with_faults
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all, elementwise

#: Factors beyond this cannot be told apart by a double.
_LARGEST = 2.0**53


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
        ("CEILING(number: number, step: number)", lambda n, s: _legacy(n, s, np.ceil, False), "The next multiple of a step away from nought; for both below nought, too.", "CEILING(2.5, 1)", "3"),
        ("FLOOR(number: number, step: number)", lambda n, s: _legacy(n, s, np.floor, True), "The next multiple of a step towards nought.", "FLOOR(2.5, 1)", "2"),
        ("CEILING.MATH(number: number, step: number = 1, away: number = 0)", _mathematical(True), "The next multiple of a step above; with `away`, away from nought below it.", "CEILING.MATH(-5.5, 2)", "-4"),
        ("FLOOR.MATH(number: number, step: number = 1, away: number = 0)", _mathematical(False), "The next multiple of a step below; with `away`, towards nought below it.", "FLOOR.MATH(-5.5, 2)", "-6"),
        ("CEILING.PRECISE(number: number, step: number = 1)", lambda n, s: _steps(n, np.abs(s), np.ceil), "The next multiple of a step above.", "CEILING.PRECISE(-4.1)", "-4"),
        ("ISO.CEILING(number: number, step: number = 1)", lambda n, s: _steps(n, np.abs(s), np.ceil), "The next multiple of a step above.", "ISO.CEILING(4.1)", "5"),
        ("ECMA.CEILING(number: number, step: number)", lambda n, s: _steps(n, np.abs(s), np.ceil), "The next multiple of a step above.", "ECMA.CEILING(4.1, 2)", "6"),
        ("FLOOR.PRECISE(number: number, step: number = 1)", lambda n, s: _steps(n, np.abs(s), np.floor), "The next multiple of a step below.", "FLOOR.PRECISE(-4.1)", "-5"),
        ("EVEN(number: number)", lambda n: _even(n, 0.0), "The next even number away from nought.", "EVEN(1.5)", "2"),
        ("ODD(number: number)", lambda n: _even(n, 1.0), "The next odd number away from nought.", "ODD(1.5)", "3"),
        ("ISEVEN(number: number)", lambda n: np.trunc(n) % 2 == 0, "Whether a number's whole part is even.", "ISEVEN(4.7)", "TRUE"),
        ("ISODD(number: number)", lambda n: np.trunc(n) % 2 != 0, "Whether a number's whole part is odd.", "ISODD(4.7)", "FALSE"),
        ("DELTA(number: number, other: number = 0)", lambda a, b: (a == b).astype(float), "1 where two numbers are equal, else 0.", "DELTA(5, 5)", "1"),
        ("GESTEP(number: number, step: number = 0)", lambda a, b: (a >= b).astype(float), "1 where a number reaches a step, else 0.", "GESTEP(5, 6)", "0"),
    ],
)  # fmt: skip


@elementwise("TRUNC(number: number, digits: number = 0)")
def trunc(number: Floats, digits: Floats) -> Floats:
    """The number without its digits behind a place (18.17.7).

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
    """How often a number goes into another (18.17.7).

    >>> QUOTIENT(-10, 3)
    -3
    """
    column = Column.of_numbers(np.trunc(number / np.where(divisor == 0, 1.0, divisor)))
    return with_faults(column, np.where(divisor == 0, CellError.DIV0.code + 1, 0).astype(np.uint8))


def _whole(number: float, least: float = 0) -> int:
    """A number's whole part. Raises ValueError below a least."""
    if number < least or number > _LARGEST:
        raise ValueError
    return int(number)


def _sized(logarithm: float) -> None:
    """Raises OverflowError before a number is worked out that no double holds."""
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
    n, k = _whole(number), _whole(chosen)
    _sized(math.lgamma(n + 1) - math.lgamma(k + 1) - math.lgamma(n - k + 1))
    return float(math.comb(n, k))


def _permut(number: float, chosen: float) -> float:
    if number < chosen:
        raise ValueError
    n, k = _whole(number), _whole(chosen)
    _sized(math.lgamma(n + 1) - math.lgamma(n - k + 1))
    return float(math.perm(n, k))


def _fact(number: float) -> float:
    if number > 170:
        raise OverflowError
    return float(math.factorial(_whole(number)))


def _combina(number: float, chosen: float) -> float:
    n, k = _whole(number), _whole(chosen)
    return 1.0 if n == k == 0 else _combin(n + k - 1.0, k)


declare_all(
    plain,
    __name__,
    [
        ("FACT(number: number)", _fact, "The product of the whole numbers up to one.", "FACT(5)", "120"),
        ("FACTDOUBLE(number: number)", _double_factorial, "The product of every second whole number up to one.", "FACTDOUBLE(7)", "105"),
        ("COMBIN(number: number, chosen: number)", _combin, "How many choices of so many there are.", "COMBIN(6, 3)", "20"),
        ("COMBINA(number: number, chosen: number)", _combina, "How many choices there are when each may be chosen again.", "COMBINA(3, 2)", "6"),
        ("PERMUT(number: number, chosen: number)", _permut, "How many ordered choices there are.", "PERMUT(6, 2)", "30"),
        ("PERMUTATIONA(number: number, chosen: number)", lambda n, k: float(_whole(n)) ** _whole(k), "How many ordered choices there are when each may be chosen again.", "PERMUTATIONA(3, 2)", "9"),
    ],
)  # fmt: skip


def _whole_parts(numbers: Floats) -> list[int]:
    return [_whole(float(number)) for number in numbers]


def _multinomial(numbers: Floats) -> float:
    parts = _whole_parts(numbers)
    if sum(parts) > 300:
        raise OverflowError
    return float(math.factorial(sum(parts)) // math.prod(map(math.factorial, parts)))


declare_all(
    sample,
    __name__,
    [
        ("GCD(number: cells, number...: cells)", lambda n: float(math.gcd(*_whole_parts(n))), "The largest whole number that goes into all.", "GCD(24, 36)", "12"),
        ("LCM(number: cells, number...: cells)", lambda n: float(math.lcm(*_whole_parts(n))), "The smallest whole number into which all go.", "LCM(24, 36)", "72"),
        ("MULTINOMIAL(number: cells, number...: cells)", _multinomial, "The factorial of a sum, divided by the factorials of its parts.", "MULTINOMIAL(1, 2, 3)", "60"),
        ("PRODUCT(number: cells, number...: cells)", lambda n: float(np.prod(n)) if len(n) else 0.0, "All numbers multiplied.", "PRODUCT(2, 3, 4)", "24"),
        ("SUMSQ(number: cells, number...: cells)", lambda n: float(np.dot(n, n)), "The sum of the squares.", "SUMSQ(3, 4)", "25"),
    ],
)  # fmt: skip


# -- other bases -----------------------------------------------------------------------------------------

_BASES = {"BIN": (2, "binary"), "OCT": (8, "octal"), "HEX": (16, "hexadecimal")}
_DIGITS = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"
#: Numbers of these functions have ten digits; a first digit in the upper half makes them negative.
_PLACES = 10


def _from_base(text: str, base: int) -> int:
    if len(text) > _PLACES or not re.fullmatch(f"[{_DIGITS[:base]}]*", text.upper()):
        raise ValueError
    number = int(text or "0", base)
    whole = base**_PLACES
    return number - whole if number >= whole // 2 else number


def _in_base(number: int, base: int, places: float | None) -> str:
    whole = base**_PLACES
    if not -whole // 2 <= number < whole // 2:
        raise ValueError
    digits = spelled(number + whole if number < 0 else number, base)
    if places is None or number < 0:
        return digits
    if not len(digits) <= int(places) <= _PLACES:
        raise ValueError
    return digits.rjust(int(places), "0")


def spelled(number: int, base: int) -> str:
    """A whole number's digits to a base from 2 to 36."""
    digits = ""
    while number:
        number, digit = divmod(number, base)
        digits = _DIGITS[digit] + digits
    return digits or "0"


def _declare_bases() -> None:
    for name, (base, says) in _BASES.items():
        _declare_to_decimal(name, base, says)
        _declare_from_decimal(name, base, says)
        for other, (target, other_says) in _BASES.items():
            if other != name:
                _declare_between(name, base, says, other, target, other_says)


def _declare_to_decimal(name: str, base: int, says: str) -> None:
    example = (f'{name}2DEC("11")', str(base + 1))
    row = (f"{name}2DEC(digits: text)", lambda digits: float(_from_base(digits, base)), f"The number that up to ten {says} digits spell.", *example)  # fmt: skip
    declare_all(plain, __name__, [row])


def _declare_from_decimal(name: str, base: int, says: str) -> None:
    example = (f"DEC2{name}({base + 1}, 4)", "0011")
    row = (f"DEC2{name}(number: number, places?: number)", lambda number, places=None: _in_base(int(number), base, places), f"A whole number in {says} digits.", *example)  # fmt: skip
    declare_all(plain, __name__, [row])


def _declare_between(name: str, base: int, says: str, other: str, target: int, other_says: str) -> None:
    row = (
        f"{name}2{other}(digits: text, places?: number)",
        lambda digits, places=None: _in_base(_from_base(digits, base), target, places),
        f"A number in {says} digits, in {other_says} ones.",
        f'{name}2{other}("1", 3)',
        "001",
    )
    declare_all(plain, __name__, [row])


_declare_bases()


@plain("BASE(number: number, base: number, least: number = 0)")
def base_(number: float, base: float, least: float) -> str:
    """A whole number's digits to a base, with at least so many places (OpenFormula 6.19.2).

    >>> BASE(15, 2, 6)
    001111
    """
    if not 2 <= base < 37 or not 0 <= least < 256:
        raise ValueError
    return spelled(_whole(number), int(base)).rjust(int(least), "0")


@plain("DECIMAL(digits: text, base: number)")
def decimal(digits: str, base: float) -> float:
    """The number that digits to a base spell (OpenFormula 6.19.10).

    >>> DECIMAL("FF", 16)
    255
    """
    if not 2 <= base < 37 or not digits.strip().isalnum():
        raise ValueError
    return float(int(digits, int(base)))


_ROMAN = (
    (1000, "M"), (900, "CM"), (500, "D"), (400, "CD"), (100, "C"), (90, "XC"), (50, "L"), (40, "XL"), (10, "X"),
    (9, "IX"), (5, "V"), (4, "IV"), (1, "I"),
)  # fmt: skip
#: What each level of brevity may use besides: the signs that may stand in front of a larger one.
_BRIEF: tuple[tuple[tuple[int, str], ...], ...] = (
    (),
    ((450, "LD"), (45, "VL"), (950, "LM"), (95, "VC")),
    ((490, "XD"), (49, "IL"), (990, "XM"), (99, "IC")),
    ((495, "VD"), (995, "VM")),
    ((499, "ID"), (999, "IM")),
)  # fmt: skip


@plain("ROMAN(number: number, brevity: value = 0)")
def roman(number: float, brevity: object) -> str:
    """A number from 0 to 3999 in Roman numerals, the briefer the higher `brevity` is (18.17.7).

    >>> ROMAN(2026)
    MMXXVI
    """
    level = (0 if brevity else 4) if isinstance(brevity, bool) else int(float(str(brevity or 0)))
    if not 0 <= number < 4000 or not 0 <= level <= 4:
        raise ErrorValue(CellError.VALUE)
    signs = sorted((*_ROMAN, *(sign for known in _BRIEF[: level + 1] for sign in known)), reverse=True)
    rest, digits = int(number), ""
    for value, sign in signs:
        while rest >= value:
            rest, digits = rest - value, digits + sign
    return digits


@plain("ARABIC(numeral: text)")
def arabic(numeral: str) -> float:
    """The number that Roman numerals spell (OpenFormula 6.16.4).

    >>> ARABIC("MMXXVI")
    2026
    """
    text = numeral.strip().upper()
    if not text:
        return 0.0
    sign, text = (-1, text[1:]) if text.startswith("-") else (1, text)
    values = dict.fromkeys("", 0) | {mark: value for value, mark in _ROMAN if len(mark) == 1}
    if len(text) > 255 or any(mark not in values for mark in text):
        raise ErrorValue(CellError.VALUE)
    each = [values[mark] for mark in text]
    return float(sign * sum(-a if a < b else a for a, b in zip(each, [*each[1:], 0], strict=True)))


@arrays("SERIESSUM(x: number, first: number, step: number, coefficients: cells)")
def seriessum(x: float, first: float, step: float, coefficients: Grid) -> float:
    """A power series: each coefficient times the number to the next power (18.17.7).

    >>> SERIESSUM(2, 1, 1, {1,2,3})
    34
    """
    factors = [value for row in grid_rows(coefficients) for value in row]
    if any(not isinstance(factor, float) for factor in factors):
        raise ErrorValue(CellError.VALUE)
    powers = (x ** (first + step * place) for place in range(len(factors)))
    return sum(factor * power for factor, power in zip(factors, powers, strict=True) if isinstance(factor, float))
