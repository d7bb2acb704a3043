"""Criteria of the conditional functions (ECMA-376 Part 1, 18.17.7 and its kin; OpenFormula 4.11.8).

A criterion is a value, or a text that may begin with a comparison. Texts compare without regard to case; in an
equality `*` stands for any characters, `?` for one, `~` takes away the meaning of the next.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np

from tinquire.cells.column import Booleans, Column, Kind, recoded, texts_at, used_codes
from tinquire.cells.values import ERROR_NAMES, CellError, Value
from tinquire.formula.engine.conversions import NOTATION, Notation, number_from_text
from tinquire.formula.language.tree import Call, Node

__all__ = [
    "CONDITIONAL",
    "Criterion",
    "criteria_pairs",
    "criterion",
    "has_wildcards",
    "wildcard_pattern",
    "wildcard_search",
]

_SIGN = re.compile(r"(<=|>=|<>|<|>|=)(.*)\Z", re.DOTALL)
#: Texts of up to so many characters are remembered as they were read.
_SHORT = 100
_COMPARE: dict[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Criterion:
    """A comparison sign and the value to compare with; hashable, so that equal criteria share one mask."""

    sign: str
    value: Value
    #: Python holds TRUE and 1 for equal; criteria must not share a mask for it.
    kind: str = field(init=False, default="")

    def __post_init__(self) -> None:
        object.__setattr__(self, "kind", type(self.value).__name__)

    def mask(self, column: Column) -> Booleans:
        """Which values of a column meet the criterion."""
        if self.sign == "=":
            return self._equal(column)
        if self.sign == "<>":
            return ~self._equal(column)
        return self._ordered(column)

    def _equal(self, column: Column) -> Booleans:
        kinds = column.kinds
        value = self.value
        if value is None:
            return kinds == Kind.BLANK
        if isinstance(value, CellError):
            return (kinds == Kind.ERROR) & (column.numbers == value.code)
        if isinstance(value, bool):
            return (kinds == Kind.BOOL) & (column.numbers == value)
        if isinstance(value, str):
            matches = wildcard_pattern(value).match
            found = _text_mask(column, lambda text: bool(matches(text)))
            return found | (kinds == Kind.BLANK) if value == "" else found
        found = (kinds == Kind.NUMBER) & (column.numbers == value)
        return found | _text_mask(column, lambda text: number_from_text(text) == value)

    def _ordered(self, column: Column) -> Booleans:
        compare = _COMPARE[self.sign]
        value = self.value
        if isinstance(value, str):
            folded = value.casefold()
            return _text_mask(column, lambda text: compare(text.casefold(), folded))
        if isinstance(value, CellError) or value is None:
            return np.zeros(len(column), bool)
        kind = Kind.BOOL if isinstance(value, bool) else Kind.NUMBER
        return (column.kinds == kind) & compare(column.numbers, float(value))


def criterion(value: Value) -> Criterion:
    """Read a criterion. A blank one means zero."""
    if value is None:
        return Criterion("=", 0.0)
    if not isinstance(value, str):
        return Criterion("=", value)
    return _read_again(value, NOTATION.get()) if len(value) <= _SHORT else _read(value, NOTATION.get())


def _read(value: str, _notation: Notation) -> Criterion:
    """A criterion that is a text, as a notation spells its numbers and days."""
    match = _SIGN.match(value)
    sign, operand = (match[1], match[2]) if match else ("=", value)
    if match and operand == "":
        return Criterion(sign, None if sign in ("=", "<>") else "")
    number = number_from_text(operand)
    if number is not None:
        return Criterion(sign, number)
    if operand.upper() in ("TRUE", "FALSE"):
        return Criterion(sign, operand.upper() == "TRUE")
    return Criterion(sign, ERROR_NAMES.get(operand.upper(), operand))


_read_again = lru_cache(1 << 12)(_read)


def has_wildcards(text: str) -> bool:
    return "*" in text or "?" in text or "~" in text


def wildcard_pattern(text: str) -> re.Pattern[str]:
    """A whole-text pattern for a text with wildcards, without regard to case.

    Each piece between two `*` is taken where it comes first, and never looked for again: a piece that comes earlier
    leaves more of the text to what follows. So a match takes time linear in the text, times the pattern.
    """
    first, *others = _pieces(text)
    if not others:
        return re.compile(rf"{first}\Z", re.IGNORECASE | re.DOTALL)
    between = "".join(f"(?>.*?{piece})" for piece in others[:-1] if piece)
    return re.compile(rf"{first}{between}.*{others[-1]}\Z", re.IGNORECASE | re.DOTALL)


def wildcard_search(wanted: str, text: str, start: int) -> int:
    """Where a text with wildcards is first found in another, from a place on, without regard to case; -1 if nowhere."""
    first, *others = _pieces(wanted)
    found = re.compile(first, re.IGNORECASE | re.DOTALL).search(text, start)
    if found is None:
        return -1
    rest = "".join(f"(?>.*?{piece})" for piece in others if piece)
    # What does not follow the first place of the first piece follows none of its later places either.
    return found.start() if re.compile(rest, re.IGNORECASE | re.DOTALL).match(text, found.end()) else -1


def _pieces(text: str) -> list[str]:
    """The pieces between the `*` of a text with wildcards, as regular expressions."""
    pieces = [""]
    index = 0
    while index < len(text):
        character = text[index]
        if character == "~" and index + 1 < len(text):
            index += 1
            pieces[-1] += re.escape(text[index])
        elif character == "*":
            pieces.append("")
        else:
            pieces[-1] += "." if character == "?" else re.escape(character)
        index += 1
    return pieces


def _text_mask(column: Column, test: Callable[[str], bool]) -> Booleans:
    """A test on texts, made once for each text of the pool that is used."""
    is_text = column.kinds == Kind.TEXT
    every = bool(is_text.all())
    codes = column.codes if every else column.codes[is_text]
    if not len(codes):
        return is_text
    used = used_codes(codes, len(column.texts))
    passed = recoded(codes, used, [test(text) for text in texts_at(column.texts, used)], len(column.texts)) > 0
    if every:
        return passed
    mask = np.zeros(len(column), bool)
    mask[is_text] = passed
    return mask


#: Conditional functions, and at which argument their pairs of range and criterion begin.
CONDITIONAL = {
    "SUMIFS": 1, "AVERAGEIFS": 1, "MAXIFS": 1, "MINIFS": 1, "COUNTIFS": 0, "SUMIF": 0, "AVERAGEIF": 0, "COUNTIF": 0,
}  # fmt: skip
_ONE_PAIR = frozenset({"SUMIF", "AVERAGEIF", "COUNTIF"})


def criteria_pairs(call: Call) -> tuple[Node, ...]:
    """The arguments of a conditional function that are ranges and criteria, in turn."""
    start = CONDITIONAL[call.function]
    return call.arguments[start : start + 2] if call.function in _ONE_PAIR else call.arguments[start:]
