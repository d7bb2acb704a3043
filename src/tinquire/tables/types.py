"""Column types, and values read into them by stated rules. Nothing is guessed in silence.

    text       numbers are written out in General form
    whole      a number without a fraction
    number     any number
    money      any number; a currency sign may stand before or after
    percent    any number; `5%` is 0.05
    date       a day: a date cell, or text in ISO 8601 order; `date dmy`, `date mdy`, `date ymd` state another order
    time       a time of day
    duration   hours and minutes that went by, as many as there are: `38:45`; `-0:30` too
    yes/no     TRUE/FALSE, yes/no, y/n, 1/0

In number texts spaces and thousands marks may stand between digits; a minus may stand before or after, or be
written as brackets. An exponent has a sign, or its number a fraction (1E+3, 1.5e3): 2E3 is a code. The decimal mark is
the one that the source states, or that other numbers of the column or file show; where nothing does, a number that can
be read two ways (1.000) is a problem, as a day is that could be another.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal, Protocol, TypeAlias, get_args, runtime_checkable

import numpy as np

from tinquire.cells.column import Booleans, Codes, Column, Floats, Kind, no_codes, sequence_of
from tinquire.cells.dates import serial_from_date
from tinquire.cells.display import general, show
from tinquire.cells.values import CellError, Value
from tinquire.tables.marks import any_two_readings, has_two_readings, mark_of_column

__all__ = [
    "AMOUNTS",
    "NUMERIC",
    "TYPES",
    "Problem",
    "Reading",
    "SpelledTexts",
    "column_type",
    "duration_in",
    "number_in",
    "read_column",
    "sum_type",
]

#: The types that a table's columns have.
ColumnType: TypeAlias = Literal["text", "whole", "number", "money", "percent", "date", "time", "duration", "yes/no"]
#: The same with the orders of days in texts, as a source states them.
TYPES: tuple[str, ...] = (*get_args(ColumnType), "date dmy", "date mdy", "date ymd")

#: The types of numbers that are added up.
NUMERIC = ("whole", "number", "money", "percent")
#: The types of amounts, which stand on the right with their headings: numbers and durations.
AMOUNTS = (*NUMERIC, "duration")
_DATE = re.compile(r"(\d{1,4})\s*[-/. ]\s*(\d{1,2})\s*[-/. ]\s*(\d{1,4})\Z")
_ISO = re.compile(r"(\d{4})-(\d{2})-(\d{2})\Z")
#: A day and a time of it, with seconds or without, of twelve hours or twenty-four.
_MOMENT = re.compile(r"(.*\d)(?:T|,?\s+)(\d{1,2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?(?:\s*([AaPp])\.?[Mm]\.?)?\Z")
_CLOCK = re.compile(
    r"(?P<minus>-)?(?P<hours>\d{1,5}):(?P<minutes>\d{2})(?::(?P<seconds>\d{2}(?:[.,]\d+)?))?(?:\s*(?P<half>[AaPp])\.?[Mm]\.?)?\Z"
)
_CURRENCY = re.compile(r"^[^\W\d_]{3}\s|\s[^\W\d_]{3}$|[$£€¥₹₣₤]")
#: Numbers by their decimal mark: as most are written, and all that are understood once signs and currency are off.
_COMMON, _SPELLED = (
    {mark: re.compile(spelled % {"mark": rf"\{mark}", "group": rf"\{group}"}) for mark, group in (".,", ",.")}
    for spelled in (
        r"(?:[$£€¥₹₣₤] ?)?(-?(?:[0-9]{1,3}(?:%(group)s[0-9]{3})+|[0-9]{1,15})(?:%(mark)s[0-9]{1,15})?)(?: ?[$£€¥₹₣₤])?",
        r"(?:\d{1,3}(?:[ %(group)s]\d{3})+|\d+)?(?:%(mark)s\d*)?",
    )
)
#: A number with an exponent: one that only looks so, like the code 2E3, has neither a fraction nor a signed exponent.
_EXPONENT = {mark: re.compile(rf"(?:\d+\{mark}\d+[Ee][+-]?|\d+\{mark}?[Ee][+-])\d{{1,3}}") for mark in ".,"}
_YES_NO = {"true": True, "yes": True, "y": True, "1": True, "false": False, "no": False, "n": False, "0": False}
#: Two-digit years up to this one are of this century.
_CENTURY_BREAK = 50


@runtime_checkable
class SpelledTexts(Protocol):
    """A pool of texts that are not available one by one, but can be read into numbers together."""

    def plain_numbers(self, codes: Codes, point: str) -> tuple[Floats, Booleans]:
        """The numbers of the texts at these places, with that decimal mark, and which of them are spelled plainly."""

    def with_leading_zeros(self) -> Iterable[str]:
        """The texts that begin with a zero and another digit."""

    def trimmed(self) -> bool:
        """Whether no text is empty, or has spaces at its ends."""


@dataclass(frozen=True, slots=True)
class Problem:
    """A value that cannot be read, by its place in the column; `readings` holds both where there are two."""

    place: int
    value: str
    why: str
    readings: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Reading:
    """A column read into a type; values with problems are blank in it."""

    column: Column
    problems: tuple[Problem, ...]


def sum_type(kind: str) -> str:
    """The type of a sum: times of a day add up to a duration."""
    return "duration" if kind == "time" else kind


_Read: TypeAlias = "Value | Problem"
_NOT_MET = Problem(0, "", "")
_NO_NUMBER = float("nan")


def column_type(spec: str) -> str:
    """The type a specification gives, without the order of its texts: 'date dmy' -> 'date'."""
    return spec.partition(" ")[0] if spec.startswith("date") else spec


def read_column(
    column: Column, spec: str, *, replacements: Mapping[str, Value] | None = None, decimal: str | None = "."
) -> Reading:
    """Read a column into a type. Each distinct value is read once.

    `replacements` maps texts (without regard to case) to the value they stand for. Without a decimal mark, that of the
    column's own numbers is meant; where none shows it, numbers that can be read two ways are problems. Raises
    ValueError for an unknown type.
    """
    if spec not in TYPES:
        raise ValueError(f"'{spec}' is not a type")
    numeric = spec in NUMERIC and column.all_of(Kind.NUMBER)
    if numeric and (spec != "whole" or np.array_equal(np.rint(column.numbers), column.numbers)):
        return Reading(column, ())
    stand_ins = {text.strip().casefold(): value for text, value in (replacements or {}).items()}
    if decimal is None and spec in NUMERIC:
        decimal = mark_of_column(column)
        if decimal is None and any_two_readings(column):
            return _one_by_one(column, lambda value: _unless_two_readings(value, spec), stand_ins)
    decimal = decimal or "."
    # What stands for a number that is plain would not be found where plain numbers are read together.
    by_words = all(number_in(text, decimal) is None for text in stand_ins)
    quick = _plain_texts(column, spec, decimal, stand_ins) if by_words else None
    if quick is not None:
        return quick
    return _one_by_one(column, _reader(spec, decimal), stand_ins)


def _one_by_one(column: Column, read: Callable[[Value], _Read], stand_ins: Mapping[str, Value]) -> Reading:
    """Each distinct value of a column read."""
    groups, distinct = column.groups()
    results: list[Value] = []
    wrong: dict[int, Problem] = {}
    for number, value in enumerate(distinct):
        result = _one(value, read, stand_ins)
        if isinstance(result, Problem):
            wrong[number] = result
            result = None
        results.append(result)
    problems = (
        tuple(
            Problem(index, wrong[group].value, wrong[group].why, wrong[group].readings)
            for index, group in enumerate(groups.tolist())
            if group in wrong
        )
        if wrong
        else ()
    )
    return Reading(Column.from_values(results).take(groups), problems)


#: Numbers and days as most files spell them, which need no second look.
_PLAIN_NUMBERS = re.compile(r"(?:-?[0-9]{1,15}(?:\.[0-9]{1,15})?\n)*+")
_PLAIN_WHOLES = re.compile(r"(?:-?[0-9]{1,15}\n)*+")


def _plain_texts(column: Column, spec: str, decimal: str, stand_ins: Mapping[str, Value]) -> Reading | None:
    """A column whose texts are all or mostly spelled plainly, read at once; None for all others."""
    is_text = column.kinds == Kind.TEXT
    if not ((column.kinds == Kind.BLANK) | is_text).all():
        return None
    pool = column.texts
    if spec == "text" and stand_ins:
        return None
    if spec == "text":
        if isinstance(pool, SpelledTexts):
            return Reading(column, ()) if pool.trimmed() else None
        return Reading(column, ()) if "" not in pool and list(map(str.strip, pool)) == list(pool) else None
    if spec not in ("whole", "number", "money"):
        return None
    if isinstance(pool, SpelledTexts):
        return _spelled_numbers(column, pool, is_text, spec, decimal, stand_ins)
    if decimal != ".":
        return None
    used = np.zeros(len(column.texts), bool)
    used[column.codes[is_text]] = True
    texts = [column.texts[code] for code in np.flatnonzero(used).tolist()]
    plain = _PLAIN_WHOLES if spec == "whole" else _PLAIN_NUMBERS
    if not plain.fullmatch("\n".join([*texts, ""])):  # one look at all of them
        return None
    values = np.zeros(max(len(column.texts), 1))
    values[np.flatnonzero(used)] = np.fromiter(map(float, texts), np.float64, len(texts))
    numbers = np.where(is_text, values[np.where(is_text, column.codes, 0)], 0.0)
    kinds = np.where(is_text, np.uint8(Kind.NUMBER), column.kinds)
    return Reading(Column(kinds, numbers, no_codes(len(column))), ())


def _spelled_numbers(
    column: Column, texts: SpelledTexts, is_text: Booleans, spec: str, decimal: str, stand_ins: Mapping[str, Value]
) -> Reading | None:
    """The numbers of texts that can read themselves; those that are not spelled plainly are read one by one. None when
    one of them stands for something that is no number."""
    here = None if is_text.all() else np.flatnonzero(is_text)
    codes = column.codes if here is None else column.codes[here]
    found, plain = texts.plain_numbers(codes, decimal)
    if spec == "whole":
        plain = plain & (np.rint(found) == found)
    rest = np.flatnonzero(~plain)
    if here is None and not len(rest):
        return Reading(Column.of_numbers(found), ())
    rows = np.arange(len(column)) if here is None else here
    kinds, numbers = column.kinds.copy(), np.zeros(len(column))
    kinds[rows], numbers[rows] = Kind.NUMBER, found
    read = _reader(spec, decimal)
    met: dict[str, _Read] = {}
    problems, one_by_one = [], []
    pool = sequence_of(column.texts, len(rest))
    for row, code in zip(rows[rest].tolist(), codes[rest].tolist(), strict=True):
        text = pool[code]
        value = met.get(text, _NOT_MET)
        if value is _NOT_MET:
            value = met[text] = _one(text, read, stand_ins)
            if isinstance(value, (str, bool, CellError)):
                return None
        if isinstance(value, Problem):
            problems.append(replace(value, place=row))
        one_by_one.append(float(value) if isinstance(value, (float, int)) else _NO_NUMBER)
    others = np.array(one_by_one, np.float64)
    kinds[rows[rest]] = np.where(np.isnan(others), np.uint8(Kind.BLANK), np.uint8(Kind.NUMBER))
    numbers[rows[rest]] = np.nan_to_num(others)
    return Reading(Column(kinds, numbers, no_codes(len(column))), tuple(problems))


def _one(value: Value, read: Callable[[Value], _Read], stand_ins: Mapping[str, Value]) -> _Read:
    if isinstance(value, str):
        bare = value.strip()
        if bare.casefold() in stand_ins:
            return stand_ins[bare.casefold()]
        if not bare:
            return None
    if value is None:
        return None
    if isinstance(value, CellError):
        return Problem(0, value.text, "the cell holds an error")
    return read(value)


def _reader(spec: str, decimal: str) -> Callable[[Value], _Read]:
    if spec == "text":
        return _text
    if spec == "whole":
        return lambda value: _whole(value, decimal)
    if spec in NUMERIC:
        return lambda value: _number(value, decimal)
    if spec.startswith("date"):
        return lambda value: _date(value, spec.partition(" ")[2])
    if spec in ("time", "duration"):
        return lambda value: _time(value, of_day=spec == "time")
    return _yes_no


def _problem(value: Value, why: str, *readings: str) -> Problem:
    shown = general(value) if isinstance(value, float) else str(value)
    return Problem(0, shown, why, readings)


def _text(value: Value) -> _Read:
    if isinstance(value, float):
        return general(value)
    return "TRUE" if value is True else "FALSE" if value is False else value


def _unless_two_readings(value: Value, spec: str) -> _Read:
    """A number, unless it is written so that it could be another."""
    if isinstance(value, str) and has_two_readings(value):
        readings = [general(number) for mark in ".," if (number := number_in(value, mark)) is not None]
        return _problem(value, f"'{value}' could be {' or '.join(readings)}", *readings)
    return _reader(spec, ".")(value)


def _number(value: Value, decimal: str) -> _Read:
    if isinstance(value, float) and not isinstance(value, bool):
        return value
    number = None if isinstance(value, bool) else number_in(str(value), decimal)
    return _problem(value, f"'{value}' is not a number") if number is None else number


def _whole(value: Value, decimal: str) -> _Read:
    number = _number(value, decimal)
    if isinstance(number, float) and number != int(number):
        return _problem(value, f"{general(number)} is not a whole number")
    return number


def number_in(text: str, decimal: str = ".") -> float | None:
    """The number that a text spells by the rules above, or None."""
    grouping = "." if decimal == "," else ","
    if match := _COMMON[decimal].fullmatch(text):
        return float(match[1].replace(grouping, "").replace(decimal, "."))
    bare = _CURRENCY.sub("", text.strip()).strip()
    negative = False
    if bare.startswith("(") and bare.endswith(")"):
        negative, bare = True, bare[1:-1].strip()
    if bare.endswith(("-", "−")):
        negative, bare = not negative, bare[:-1].rstrip()
    elif bare.startswith(("-", "−")):
        negative, bare = not negative, bare[1:].lstrip()
    bare = bare.removeprefix("+")
    scale = 1.0
    if bare.endswith("%"):
        scale, bare = 100.0, bare[:-1].rstrip()
    bare = bare.replace("\u00a0", " ").replace("\u202f", " ").replace("'", " ")
    has_digit = any(character in "0123456789" for character in bare)
    if not (has_digit and _SPELLED[decimal].fullmatch(bare)) and not _EXPONENT[decimal].fullmatch(bare):
        return None
    number = float(bare.replace(grouping, "").replace(" ", "").replace(decimal, "."))
    if number == float("inf"):
        return None
    return (-number if negative else number) / scale


def _date(value: Value, order: str) -> _Read:
    if isinstance(value, float):
        if 1 <= value < 2_958_466:
            return value
        return _problem(value, f"{general(value)} is not the serial of a day")
    text = str(value).strip()
    if match := _MOMENT.match(text):
        return _moment(text, order, match)
    if match := _ISO.match(text):
        return _day(value, *(int(part) for part in match.groups()))
    match = _DATE.match(text)
    if not match:
        return _problem(value, f"'{text}' is not a date")
    parts = [int(part) for part in match.groups()]
    if order:
        named = dict(zip(order, parts, strict=True))
        return _day(value, named["y"], named["m"], named["d"])
    return _either_way(value, match, parts)


def _moment(text: str, order: str, found: re.Match[str]) -> _Read:
    """A day with a time: the part of the day that has gone by is the number's fraction."""
    day = _date(found[1], order)
    hour, minute, second = int(found[2]), int(found[3]), float((found[4] or "0").replace(",", "."))
    if found[5] is not None and 1 <= hour <= 12:
        hour = hour % 12 + (12 if found[5] in "pP" else 0)
    elif found[5] is not None:
        hour = 24
    if isinstance(day, Problem):
        return replace(day, value=text)
    if hour > 23 or minute > 59 or second >= 60 or not isinstance(day, float):
        return _problem(text, f"'{text}' is not a time of a day")
    return day + (hour * 3600 + minute * 60 + second) / 86_400


def _either_way(value: Value, found: re.Match[str], parts: list[int]) -> _Read:
    """A date in an order that nobody stated: read only if there is one way to read it."""
    if len(found[1]) == 4:
        return _day(value, *parts)
    readings = [
        reading
        for year, month, day in ((parts[2], parts[1], parts[0]), (parts[2], parts[0], parts[1]))
        if isinstance(reading := _day(value, year, month, day), float)
    ]
    if len(set(readings)) == 2:
        both = tuple(_spelled(serial) for serial in readings)
        return _problem(value, f"'{value}' could be {both[0]} or {both[1]}", *both)
    return readings[0] if readings else _problem(value, f"'{value}' is not a date")


def _spelled(serial: float) -> str:
    return show(serial, "d mmmm yyyy").text


def _day(value: Value, year: int, month: int, day: int) -> _Read:
    if year < 100:
        year += 2000 if year <= _CENTURY_BREAK else 1900
    try:
        return serial_from_date(date(year, month, day))
    except ValueError:
        return _problem(value, f"'{value}' is not a date in the stated order")


def _time(value: Value, *, of_day: bool) -> _Read:
    """A time as a part of a day; one of a day, or one that went by."""
    if isinstance(value, float):
        return value
    match = _CLOCK.match(str(value).strip())
    if not match:
        return _problem(value, f"'{value}' is not a {'time' if of_day else 'duration'}")
    hours, minutes = int(match["hours"]), int(match["minutes"])
    seconds = float((match["seconds"] or "0").replace(",", "."))
    if match["half"]:
        hours = hours % 12 + (12 if match["half"] in "pP" else 0) if 1 <= hours <= 12 else -1
    if hours < 0 or minutes > 59 or seconds >= 60:
        return _problem(value, f"'{value}' is not a {'time' if of_day else 'duration'}")
    return (-1 if match["minus"] else 1) * (hours * 3600 + minutes * 60 + seconds) / 86_400


def duration_in(text: str) -> float | None:
    """The hours and minutes that a text spells, as a part of a day, or None."""
    found = _time(text, of_day=False)
    return found if isinstance(found, float) else None


def _yes_no(value: Value) -> _Read:
    if isinstance(value, bool):
        return value
    text = general(value) if isinstance(value, float) else str(value)
    known = _YES_NO.get(text.strip().casefold())
    return _problem(value, f"'{text}' is neither yes nor no") if known is None else known
