"""Decimal marks as numbers show them: `24,00` has a comma, `1.205,71` too, and `1.000` could be read both ways."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Protocol, runtime_checkable

import numpy as np

from tinquire.cells.column import Column, Kind, sequence_of

__all__ = ["any_two_readings", "decimal_mark", "has_two_readings", "mark_of_column", "own_mark", "sample_texts"]

#: What may stand around a number: a sign, a currency, a per cent, brackets.
_AROUND = r"[^\d.,]{0,5}"
#: Spaces and apostrophes between digits tell thousands apart, and nothing of the decimal mark.
_THOUSANDS = re.compile(r"(?<=\d)[ '\u2019\u00a0\u202f](?=\d{3})")
#: A number whose decimal mark is plain to see: not three digits after it, more than three or a zero before it, or
#: thousands distinguished by the other mark.
_PLAIN_TO_SEE = re.compile(
    rf"{_AROUND}(?:\d*(?P<mark>[.,])(?!\d{{3}}(?!\d))\d+|(?:0|\d{{4,}})(?P<long>[.,])\d{{3}}"
    rf"|\d{{1,3}}(?:(?P<group>[.,])\d{{3}})+(?!(?P=group))(?P<other>[.,])\d+|\d{{1,3}}(?:(?P<only>[.,])\d{{3}}){{2,}})"
    + _AROUND
)
_TWO_READINGS = re.compile(rf"{_AROUND}[1-9]\d{{0,2}}[.,]\d{{3}}{_AROUND}")
_OTHER = {".": ",", ",": "."}
#: So many texts from all over a large column tell its decimal mark.
_SAMPLE = 400


@runtime_checkable
class SampledTexts(Protocol):
    """A pool of texts that are not available one by one."""

    def sample(self, count: int) -> list[str]:
        """Some of the texts, from all over."""


def decimal_mark(texts: Iterable[str]) -> str | None:
    """The decimal mark that most of the texts show; None where none shows one, or as many show one as the other."""
    points, commas = marks_in(texts)
    return None if points == commas else "." if points > commas else ","


def marks_in(texts: Iterable[str]) -> tuple[int, int]:
    """How many texts show a point as decimal mark, and how many a comma."""
    counts = {".": 0, ",": 0}
    for text in set(texts):  # a text that repeats itself says no more than once
        if "." not in text and "," not in text:
            continue
        match = _PLAIN_TO_SEE.fullmatch(_THOUSANDS.sub("", text.strip()))
        if match:
            mark = match["mark"] or match["long"] or match["other"]
            counts[mark or _OTHER[match["only"]]] += 1
    return counts["."], counts[","]


def has_two_readings(text: str) -> bool:
    """Whether a number could have thousands, or three decimals: `1.000`, `2,500 EUR`."""
    return _TWO_READINGS.fullmatch(text.strip()) is not None


def mark_of_column(column: Column) -> str | None:
    """The decimal mark that a column's texts show; of many, some from all over are looked at."""
    return decimal_mark(sample_texts(column))


def own_mark(column: Column, around: str | None) -> str | None:
    """The decimal mark of a column: the one that it shows itself, else that of what stands around it. In a column that
    is too long to be at hand, the latter comes first: texts that do not fit it cannot be read."""
    if around is not None and isinstance(column.texts, SampledTexts):
        return around
    return mark_of_column(column) or around


def sample_texts(column: Column) -> Sequence[str]:
    """Texts of a column from all over."""
    if isinstance(column.texts, SampledTexts):
        return column.texts.sample(_SAMPLE)
    used = np.zeros(len(column.texts), bool)  # a pool may hold texts of other columns, as a sheet's does
    used[column.codes[column.kinds == Kind.TEXT]] = True
    codes = np.flatnonzero(used)
    return [column.texts[code] for code in codes[:: len(codes) // _SAMPLE + 1].tolist()]


def any_two_readings(column: Column) -> bool:
    """Whether any text of a column is a number that could be another."""
    codes = np.unique(column.codes[column.kinds == Kind.TEXT])
    pool = sequence_of(column.texts, len(codes))
    joined = "\n".join([pool[code] for code in codes.tolist()])
    return ("." in joined or "," in joined) and any(map(has_two_readings, joined.split("\n")))
