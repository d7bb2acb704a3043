"""The type that a column's values have, when nobody states one: it is said which, and two readings stay text."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Sequence

import numpy as np

from tinquire.cells.column import Codes, Column, Kind, sequence_of
from tinquire.cells.numberformat import Moment
from tinquire.cells.values import CellError
from tinquire.tables.types import NUMERIC, SpelledTexts, read_column

__all__ = ["MIXED", "infer_type"]

#: Not a type: the column holds values of several kinds, which stay what they are.
MIXED = ""
#: Numbers that are names: codes with leading zeros, and such as are longer than a number is exact.
_CODE = re.compile(r"0\d+|\d{16,}")
_HAS_CURRENCY = re.compile(r"[$£€¥₹₣₤]|^[^\W\d_]{3}\s|\s[^\W\d_]{3}$")
#: Numbers that are spelled with decimals are not meant as whole ones: next month's `612,50` is of their kind.
_DECIMALS = re.compile(r"[.,]\d{1,2}(?!\d)")
_YEAR_FIRST = re.compile(r"\d{4}[-/. ]")
#: So many texts from all over tell at once what a column is not.
_SOME = 500
_YES_NO = frozenset({"true", "false", "yes", "no"})


def infer_type(
    columns: Sequence[Column], decimal: str | None = None, *, moments: Sequence[Moment] = (),
    stand_ins: Collection[str] = (),
) -> tuple[str, str]:  # fmt: skip
    """The type of a column, of which each file has a part, by its values ('text' where texts have none in common,
    `MIXED` where they are of several kinds), and a remark where there is one to make.

    `moments` says of each part as what its numbers are shown; `stand_ins` are texts (casefolded) that stand for a value
    and say nothing of the type. Texts that are numbers of fixed length or with leading zeros are codes, and stay
    text; dates are read in an order only when some of them can be read in no other.
    """
    kinds = {kind for column in columns for kind in np.unique(column.kinds).tolist()} - {Kind.BLANK}
    if kinds == {Kind.TEXT}:
        return _text_type(columns, decimal, stand_ins)
    if not kinds:
        return "text", ""
    if kinds == {Kind.BOOL}:
        return "yes/no", ""
    number = _type_of_numbers(columns, moments)
    if kinds == {Kind.NUMBER}:
        return number, ""
    texts = [text for text in _texts(columns) if text.casefold() not in stand_ins]
    if kinds == {Kind.NUMBER, Kind.TEXT}:
        kind = _type_of(texts, decimal)[0] if texts else number
        if kind in NUMERIC and number in NUMERIC:
            return (kind if kind != "whole" else number), ""
        if kind == number:
            return kind, ""
    odd = [value for column in columns for value in column if isinstance(value, bool | CellError)]
    first = f"'{texts[0]}'" if texts else str(odd[0])
    return MIXED, f"{first} stands among values of other kinds; all stay as they are"


def _type_of_numbers(columns: Sequence[Column], moments: Sequence[Moment]) -> str:
    """Days, times or durations, where all numbers are shown so; else whole numbers or others."""
    filled = [(column, index) for index, column in enumerate(columns) if (column.kinds == Kind.NUMBER).any()]
    shown = {moments[index] if moments else "" for _, index in filled}
    if shown == {"time", "duration"}:
        return "duration"
    if len(shown) == 1 and (one := shown.pop()):
        return one
    numbers = [column.numbers[column.kinds == Kind.NUMBER] for column, _ in filled]
    return "whole" if all(np.array_equal(np.rint(part), part) for part in numbers) else "number"


def _texts(columns: Sequence[Column]) -> list[str]:
    return _distinct((column.texts, column.codes[column.kinds == Kind.TEXT]) for column in columns)


def _text_type(columns: Sequence[Column], decimal: str | None, stand_ins: Collection[str]) -> tuple[str, str]:
    if stand_ins:
        texts = [text for text in _texts(columns) if text.casefold() not in stand_ins]
        return _type_of(texts, decimal)
    parts = [(column.texts, column.codes[column.kinds == Kind.TEXT]) for column in columns]
    found = _type_of(_distinct((texts, codes[:: len(codes) // _SOME + 1]) for texts, codes in parts), decimal)
    if found == ("text", "") or all(len(codes) <= _SOME for _, codes in parts):
        return found  # what some of them are not, all of them are not
    if found[0] in ("whole", "number", "money"):
        kind, says = _number_type(parts, decimal)
        return (found[0] if kind == "whole" else kind), says
    return _type_of(_distinct(parts), decimal)


def _distinct(parts: Iterable[tuple[Sequence[str], Codes]]) -> list[str]:
    """The texts at some places of pools, without the spaces around them."""
    found: set[str] = set()
    for texts, codes in parts:
        pool = sequence_of(texts, len(codes))
        found.update(pool[code].strip() for code in np.unique(codes).tolist())
    return sorted(found - {""})


def _number_type(parts: Sequence[tuple[Sequence[str], Codes]], decimal: str | None) -> tuple[str, str]:
    """The type of many texts that are numbers, as far as is known: of those that can be read together, only the ones
    that are not plain are looked at."""
    if decimal is None:  # only all of them can tell whether one has two readings
        return _type_of(_distinct(parts), decimal)
    whole = True
    rest: list[tuple[Sequence[str], Codes]] = []
    for texts, codes in parts:
        if not isinstance(texts, SpelledTexts):
            rest.append((texts, codes))
            continue
        if any(_CODE.fullmatch(text) for text in texts.with_leading_zeros()):
            return "text", ""
        values, plain = texts.plain_numbers(codes, decimal)
        whole &= np.array_equal(np.rint(values[plain]), values[plain])
        rest.append((texts, codes[~plain]))
    others = _distinct(rest)
    kind = _type_of(others, decimal)[0] if others else "whole"
    if kind == "percent" or (kind == "whole" and not whole):
        return "number", ""
    return (kind if kind in ("whole", "number", "money") else "text"), ""


def _type_of(texts: Sequence[str], decimal: str | None) -> tuple[str, str]:
    """The type that different texts have in common, and a remark."""
    if not texts:
        return "text", ""
    distinct = Column.of_texts(texts)

    def reads(kind: str) -> bool:
        return not read_column(distinct, kind, decimal=decimal).problems

    if all(text.casefold() in _YES_NO for text in texts):
        return "yes/no", ""
    if not any(any(sign.isdigit() for sign in text) for text in texts):
        return "text", ""
    if any(_CODE.fullmatch(text) for text in texts):
        return "text", ""
    problems = read_column(distinct, "number", decimal=decimal).problems
    if problems and all(problem.readings for problem in problems):
        return "text", f"{problems[0].why}: state the decimal mark"
    if not problems:
        if all(text.endswith("%") for text in texts):
            return "percent", ""
        if any(_HAS_CURRENCY.search(text) for text in texts):
            return "money", ""
        fine = any(_DECIMALS.search(text) for text in texts if decimal is None or decimal in text)
        return ("whole" if reads("whole") and not fine else "number"), ""
    days = _type_of_days(texts, reads)
    if days[0] != "text" or days[1]:
        return days
    if reads("duration"):
        return _clock_type(distinct), ""
    return "text", ""


def _type_of_days(texts: Sequence[str], reads: Callable[[str], bool]) -> tuple[str, str]:
    """Days, in the one order in which all of them can be read."""
    if reads("date") and all(_YEAR_FIRST.match(text) for text in texts):
        return "date", ""
    ways = [kind for kind in ("date dmy", "date mdy") if reads(kind)]
    if len(ways) == 2 and reads("date"):
        return "date", f"'{texts[0]}' and all others do not show whether the day or the month is first"
    if len(ways) == 1:
        order = "day" if ways[0] == "date dmy" else "month"
        return ways[0], f"its days are written with the {order} first"
    if ways:
        return "text", f"'{texts[0]}' and all others could have the day first or the month first: state the type"
    return "text", ""


def _clock_type(distinct: Column) -> str:
    """Times of a day, unless one of them runs past it."""
    numbers = read_column(distinct, "duration").column.numbers
    return "time" if ((numbers >= 0) & (numbers < 1)).all() else "duration"
