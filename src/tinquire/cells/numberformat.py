"""Number format codes, read into sections of tokens (ECMA-376 Part 1, 18.8.30 and 18.8.31).

This module only reads; `tinquire.cells.display` renders values with what it finds.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache
from typing import Literal, TypeAlias

__all__ = ["BUILT_IN_FORMATS", "Condition", "FormatCode", "Moment", "Section", "SectionKind", "Token", "parse_format"]

#: The formats that a file names by number alone (18.8.30), in their all-languages reading.
BUILT_IN_FORMATS: dict[int, str] = {
    0: "General", 1: "0", 2: "0.00", 3: "#,##0", 4: "#,##0.00", 9: "0%", 10: "0.00%", 11: "0.00E+00",
    12: "# ?/?", 13: "# ??/??", 14: "mm-dd-yy", 15: "d-mmm-yy", 16: "d-mmm", 17: "mmm-yy",
    18: "h:mm AM/PM", 19: "h:mm:ss AM/PM", 20: "h:mm", 21: "h:mm:ss", 22: "m/d/yy h:mm",
    37: "#,##0 ;(#,##0)", 38: "#,##0 ;[Red](#,##0)", 39: "#,##0.00;(#,##0.00)",
    40: "#,##0.00;[Red](#,##0.00)", 45: "mm:ss", 46: "[h]:mm:ss", 47: "mmss.0", 48: "##0.0E+0", 49: "@",
}  # fmt: skip

#: The eight named colours of 18.8.31, as RGB.
_COLOURS = {
    "black": "000000", "blue": "0000FF", "cyan": "00FFFF", "green": "00FF00",
    "magenta": "FF00FF", "red": "FF0000", "white": "FFFFFF", "yellow": "FFFF00",
}  # fmt: skip

_COMPARISONS: dict[str, Callable[[float, float], bool]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
    "=": operator.eq, "<>": operator.ne,
}  # fmt: skip
_CONDITION = re.compile(r"(<=|>=|<>|<|>|=)\s*(-?[0-9.]+(?:[Ee][+-]?[0-9]+)?)\Z")
_ELAPSED = re.compile(r"h+\Z|m+\Z|s+\Z", re.I)
_LANGUAGE = re.compile(r"[0-9A-Fa-f]{1,8}\Z")
_AMPM = re.compile(r"am/pm|a/p", re.I)


class SectionKind(Enum):
    GENERAL = "general"
    NUMBER = "number"
    FRACTION = "fraction"
    DATE = "date"
    TEXT = "text"


@dataclass(frozen=True, slots=True)
class Token:
    """One piece of a section. `kind` is one of: literal, pad, digit, point, comma, percent, exponent, slash,
    text, general, date, elapsed, ampm, subsecond; `text` is its characters."""

    kind: str
    text: str


@dataclass(frozen=True, slots=True)
class Condition:
    """A test such as `[>=100]` before a section."""

    sign: str
    bound: float

    def holds(self, number: float) -> bool:
        return _COMPARISONS[self.sign](number, self.bound)

    @property
    def only_negative(self) -> bool:
        return self.sign in ("<", "<=") and self.bound <= 0 and not (self.sign == "<=" and self.bound == 0)


@dataclass(frozen=True, slots=True)
class Section:
    tokens: tuple[Token, ...]
    kind: SectionKind
    condition: Condition | None = None
    colour: str | None = None
    #: The number of the language for names of months and weekdays, if the section states one.
    language: int | None = None


#: What a number under a format code is: a day, a time of a day, a duration, or a plain number.
Moment: TypeAlias = Literal["", "date", "time", "duration"]


@dataclass(frozen=True, slots=True)
class FormatCode:
    """A whole code: up to four sections, in the order written."""

    code: str
    sections: tuple[Section, ...]

    @property
    def is_date(self) -> bool:
        """Whether numbers shown with this code are dates or times."""
        return self.sections[0].kind is SectionKind.DATE

    @property
    def moment(self) -> Moment:
        """What numbers shown with this code are: days, times of a day, hours that went by, or none of these."""
        if not self.is_date:
            return ""
        tokens = self.sections[0].tokens
        if any(token.kind == "elapsed" for token in tokens):
            return "duration"
        letters = {token.text[0].casefold() for token in tokens if token.kind == "date"}
        return "time" if letters <= {"h", "m", "s", "n"} and letters & {"h", "s"} else "date"


@lru_cache(maxsize=4096)
def parse_format(code: str) -> FormatCode:
    """Read a format code. Anything can be read: characters without a meaning stand for themselves."""
    sections = tuple(_section(part) for part in _split_sections(code or "General"))
    return FormatCode(code, sections[:4])


def _split_sections(code: str) -> list[str]:
    """Cut at the semicolons that stand outside quotes, brackets and escapes."""
    parts, start, index = [], 0, 0
    while index < len(code):
        character = code[index]
        if character in "\\_*":
            index += 1
        elif character == '"':
            index = _after(code, '"', index + 1) - 1
        elif character == "[":
            index = _after(code, "]", index + 1) - 1
        elif character == ";":
            parts.append(code[start:index])
            start = index + 1
        index += 1
    return [*parts, code[start:]]


def _after(code: str, mark: str, start: int) -> int:
    """The position after the next `mark`, or the end when it is missing."""
    found = code.find(mark, start)
    return len(code) if found < 0 else found + 1


def _section(text: str) -> Section:
    tokens: list[Token] = []
    condition: Condition | None = None
    colour: str | None = None
    language: int | None = None
    index = 0
    while index < len(text):
        character = text[index]
        if character == "[":
            end = _after(text, "]", index + 1)
            inner = text[index + 1 : end].removesuffix("]")
            if match := _CONDITION.match(inner.strip()):
                condition = Condition(match[1], float(match[2]))
            elif inner.casefold() in _COLOURS:
                colour = _COLOURS[inner.casefold()]
            elif _ELAPSED.match(inner):
                tokens.append(Token("elapsed", inner.lower()))
            elif inner.startswith("$"):
                sign, mark, stated = inner[1:].rpartition("-")
                tokens.append(Token("literal", sign if mark else inner[1:]))
                if _LANGUAGE.match(stated):
                    language = int(stated, 16)
            index = end
        else:
            token, index = _token(text, index)
            tokens.append(token)
    kind = _kind(tokens)
    if kind is SectionKind.DATE:
        tokens = _with_minutes(tokens)
    return Section(tuple(tokens), kind, condition, colour, language)


def _token(text: str, place: int) -> tuple[Token, int]:
    """One token outside brackets, and the position after it."""
    character = text[place]
    if character == '"':
        end = _after(text, '"', place + 1)
        return Token("literal", text[place + 1 : end].removesuffix('"')), end
    if character == "\\":
        return Token("literal", text[place + 1 : place + 2]), place + 2
    if character == "_":
        return Token("pad", " "), place + 2
    if character == "*":
        return Token("pad", ""), place + 2
    if text[place : place + 7].casefold() == "general":
        return Token("general", ""), place + 7
    if match := _AMPM.match(text, place):
        return Token("ampm", match[0]), match.end()
    if character in "0#?":
        return Token("digit", character), place + 1
    if character in "eE" and text[place + 1 : place + 2] in ("+", "-"):
        return Token("exponent", text[place : place + 2].upper()), place + 2
    if character.lower() in "ymdhse":
        end = place
        while end < len(text) and text[end].lower() == character.lower():
            end += 1
        return Token("date", text[place:end].lower()), end
    single = {".": "point", ",": "comma", "%": "percent", "/": "slash", "@": "text"}
    return Token(single.get(character, "literal"), character), place + 1


def _kind(tokens: list[Token]) -> SectionKind:
    kinds = {token.kind for token in tokens}
    if kinds & {"date", "elapsed", "ampm"}:
        return SectionKind.DATE
    if "text" in kinds:
        return SectionKind.TEXT
    if "general" in kinds:
        return SectionKind.GENERAL
    if "slash" in kinds and "digit" in kinds:
        return SectionKind.FRACTION
    return SectionKind.NUMBER


def _with_minutes(tokens: list[Token]) -> list[Token]:
    """Tell minutes from months: m or mm is minutes right after hours or right before seconds (18.8.31).

    Points and zeros after seconds become parts of a second.
    """
    result: list[Token] = []
    clock = [index for index, token in enumerate(tokens) if token.kind in ("date", "elapsed")]
    for index, token in enumerate(tokens):
        if token.kind == "date" and token.text in ("m", "mm"):
            rank = clock.index(index)
            before = tokens[clock[rank - 1]].text[0] if rank else ""
            after = tokens[clock[rank + 1]].text[0] if rank + 1 < len(clock) else ""
            if before == "h" or after == "s":
                token = Token("date", "n" * len(token.text))  # noqa: PLW2901
        if token.kind == "digit" and result and result[-1].kind in ("point", "subsecond"):
            previous = result.pop()
            token = Token("subsecond", previous.text.removeprefix(".") + "0")  # noqa: PLW2901
        result.append(token)
    return result
