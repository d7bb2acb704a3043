"""The type that a column's texts have, when nobody states one: it is said which, and two readings stay text."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import numpy as np

from tinquire.cells.column import Codes, Column, Kind, at_hand
from tinquire.tables.types import SpelledTexts, typed

__all__ = ["inferred_type"]

#: Numbers that are names: codes with noughts in front, and such as are longer than a number is exact.
_CODE = re.compile(r"0\d+|\d{16,}")
_HAS_CURRENCY = re.compile(r"[$£€¥₹₣₤]|^[^\W\d_]{3}\s|\s[^\W\d_]{3}$")
#: So many texts from all over tell at once what a column is not.
_SOME = 500
_YES_NO = frozenset({"true", "false", "yes", "no"})


def inferred_type(columns: Sequence[Column], decimal: str = ".") -> tuple[str, str]:
    """The type of a column, of which each file has a part, by its texts ('text' where they have none in common), and a
    remark where there is one to make.

    Texts that are numbers of fixed length or with noughts in front are codes, and stay text; dates are read in an order
    only when some of them can be read in no other.
    """
    if any((one.kinds[one.kinds != Kind.BLANK] != Kind.TEXT).any() for one in columns):
        return "text", ""
    parts = [(one.texts, one.codes[one.kinds == Kind.TEXT]) for one in columns]
    found = _type_of(_distinct((texts, codes[:: len(codes) // _SOME + 1]) for texts, codes in parts), decimal)
    if found == ("text", "") or all(len(codes) <= _SOME for _, codes in parts):
        return found  # what some of them are not, all of them are not
    if found[0] in ("whole", "number", "money"):
        return _number_type(parts, decimal), ""
    return _type_of(_distinct(parts), decimal)


def _distinct(parts: Iterable[tuple[Sequence[str], Codes]]) -> list[str]:
    """The texts at some places of pools, without the spaces around them."""
    found: set[str] = set()
    for texts, codes in parts:
        pool = at_hand(texts, len(codes))
        found.update(pool[code].strip() for code in np.unique(codes).tolist())
    return sorted(found - {""})


def _number_type(parts: Sequence[tuple[Sequence[str], Codes]], decimal: str) -> str:
    """The type of many texts that are numbers, as far as is known: of those that can be read together, only the ones
    that are not plain are looked at."""
    whole = True
    rest: list[tuple[Sequence[str], Codes]] = []
    for texts, codes in parts:
        if not isinstance(texts, SpelledTexts):
            rest.append((texts, codes))
            continue
        if any(_CODE.fullmatch(text) for text in texts.with_noughts()):
            return "text"
        values, plain = texts.plain_numbers(codes, decimal)
        whole &= np.array_equal(np.rint(values[plain]), values[plain])
        rest.append((texts, codes[~plain]))
    others = _distinct(rest)
    kind = _type_of(others, decimal)[0] if others else "whole"
    if kind == "percent" or (kind == "whole" and not whole):
        return "number"
    return kind if kind in ("whole", "number", "money") else "text"


def _type_of(texts: Sequence[str], decimal: str) -> tuple[str, str]:
    """The type that different texts have in common, and a remark."""
    if not texts:
        return "text", ""
    distinct = Column.of_texts(texts)

    def reads(kind: str) -> bool:
        return not typed(distinct, kind, decimal=decimal).problems

    if all(text.casefold() in _YES_NO for text in texts):
        return "yes/no", ""
    if not any(any(sign.isdigit() for sign in text) for text in texts):
        return "text", ""
    if any(_CODE.fullmatch(text) for text in texts):
        return "text", ""
    if reads("number"):
        if all(text.endswith("%") for text in texts):
            return "percent", ""
        if any(_HAS_CURRENCY.search(text) for text in texts):
            return "money", ""
        return ("whole" if reads("whole") else "number"), ""
    if reads("date"):
        return "date", ""
    ways = [kind for kind in ("date dmy", "date mdy") if reads(kind)]
    if len(ways) == 1:
        order = "day" if ways[0] == "date dmy" else "month"
        return ways[0], f"its days are written with the {order} first"
    if ways:
        return "text", f"'{texts[0]}' and all others could have the day first or the month first: state the type"
    return ("time", "") if reads("time") else ("text", "")
