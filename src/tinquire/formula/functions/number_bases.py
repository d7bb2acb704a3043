"""Numbers written to other bases, and in Roman numerals (18.17.7)."""

from __future__ import annotations

import re

from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, plain
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.functions.integers import whole_part

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
    """A whole number's digits to a base, with at least n digits (OpenFormula 6.19.2).

    >>> BASE(15, 2, 6)
    001111
    """
    if not 2 <= base < 37 or not 0 <= least < 256:
        raise ValueError
    return spelled(whole_part(number), int(base)).rjust(int(least), "0")


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


#: What each level of brevity may use besides: the signs that may stand before a larger one.
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
