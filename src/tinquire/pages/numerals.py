"""Numbers of list items and pages in the formats of ECMA-376 Part 1, 17.18.59."""

from __future__ import annotations

__all__ = ["numeral"]

_ROMAN = ((1000, "m"), (900, "cm"), (500, "d"), (400, "cd"), (100, "c"), (90, "xc"), (50, "l"), (40, "xl"), (10, "x"),
          (9, "ix"), (5, "v"), (4, "iv"), (1, "i"))  # fmt: skip
_LETTERS = "abcdefghijklmnopqrstuvwxyz"
_MOST_LETTERS = 40


def numeral(number: int, form: str) -> str:
    """A number from one on; forms that are not known are written in digits."""
    match form:
        case "none" | "bullet":
            return ""
        case "lowerRoman" | "upperRoman":
            text = _roman(number)
            return text.upper() if form == "upperRoman" else text
        case "lowerLetter" | "upperLetter":
            times = min((number - 1) // 26 + 1, _MOST_LETTERS)
            text = _LETTERS[(number - 1) % 26] * times if number > 0 else ""
            return text.upper() if form == "upperLetter" else text
        case "decimalZero":
            return f"{number:02}"
        case "ordinal":
            ending = {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th") if number % 100 not in (11, 12, 13) else "th"
            return f"{number}{ending}"
        case _:
            return str(number)


def _roman(number: int) -> str:
    text, rest = "", number
    for size, sign in _ROMAN:
        while rest >= size and len(text) < _MOST_LETTERS:
            text, rest = text + sign, rest - size
    return text
