"""Values turned into what an operator or a function wants (ECMA-376 Part 1, 18.17.2.6; OpenFormula 6).

A conversion that fails gives an error value; the arrays of error codes here hold 0 for none, otherwise the
error's code plus one, so that they can be merged with `np.where`.
"""

from __future__ import annotations

import re
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Booleans, Column, Floats, Kind
from tinquire.cells.display import general
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.date_texts import moment_from_text

__all__ = [
    "MAX_TEXT",
    "NOTATION",
    "Faulty",
    "Notation",
    "boolean_of",
    "first_fault",
    "logicals",
    "number_from_text",
    "number_of",
    "numbers",
    "text_of",
    "texts",
    "with_faults",
]

Faulty: TypeAlias = NDArray[np.uint8]

#: A cell holds at most this many characters; longer results are an error.
MAX_TEXT = 32_767

_VALUE_FAULT = CellError.VALUE.code + 1
_NUMBER = re.compile(r"[+-]?(?:[0-9]{1,3}(?:,[0-9]{3})+|[0-9]+|(?=\.[0-9]))(?:\.[0-9]*)?(?:[Ee][+-]?[0-9]{1,3})?\Z")
_SWAPPED = str.maketrans(".,", ",.")


@dataclass(frozen=True, slots=True)
class Notation:
    """How texts spell numbers and days: the decimal mark (the other of point and comma groups thousands), and which
    comes first in a day such as 03/11/2026: 'day-first', 'month-first', or '' where such days are not read."""

    decimal: str = "."
    dates: str = ""


_PLAIN = Notation()
#: The notation that is stated for the run that is under way.
NOTATION: ContextVar[Notation] = ContextVar("notation", default=_PLAIN)


def number_from_text(text: str, notation: Notation | None = None) -> float | None:
    """The number a text spells, or None.

    Read are: digits with a decimal mark and marks between thousands, powers of ten, a percent sign, and days and times
    (see `moment_from_text`), whose order the notation states, by default that of the run.
    """
    notation = notation or NOTATION.get()
    bare = text.strip()
    percent = bare.endswith("%")
    body = bare[:-1].rstrip() if percent else bare
    if notation.decimal == ",":
        body = body.translate(_SWAPPED)
    if _NUMBER.match(body):
        number = float(body.replace(",", ""))
        return (number / 100 if percent else number) if abs(number) != float("inf") else None
    return moment_from_text(bare, notation.dates)


def number_of(value: Value) -> float | CellError:
    """One value as a number."""
    if value is None:
        return 0.0
    if isinstance(value, str):
        number = number_from_text(value)
        return CellError.VALUE if number is None else number
    return value if isinstance(value, CellError) else float(value)


def text_of(value: Value) -> str | CellError:
    """One value as text; a number in General form."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, float):
        return general(value)
    return value


def boolean_of(value: Value) -> bool | CellError:
    """One value as yes or no; texts other than TRUE and FALSE have none."""
    if isinstance(value, str):
        known = {"TRUE": True, "FALSE": False}.get(value.upper())
        return CellError.VALUE if known is None else known
    if isinstance(value, CellError):
        return value
    return bool(value)


def faults_in(column: Column) -> Faulty:
    """Error codes of the values that are errors."""
    return np.where(column.kinds == Kind.ERROR, column.numbers + 1, 0).astype(np.uint8)


def numbers(column: Column) -> tuple[Floats, Faulty | None]:
    """Every value as a number, and where that failed (None: nowhere). Blanks are zero."""
    kinds = column.kinds
    if kinds.size and kinds.max() <= Kind.NUMBER:
        return column.numbers, None
    faults = faults_in(column)
    values = np.where(kinds == Kind.ERROR, 0.0, column.numbers)
    indexes = np.flatnonzero(kinds == Kind.TEXT)
    if len(indexes):
        used, inverse = np.unique(column.codes[indexes], return_inverse=True)
        read = [number_from_text(column.texts[code]) for code in used.tolist()]
        table = np.array([0.0 if number is None else number for number in read])
        failed = np.array([_VALUE_FAULT if number is None else 0 for number in read], np.uint8)
        values[indexes] = table[inverse]
        faults[indexes] = failed[inverse]
    return values, (faults if faults.any() else None)


def logicals(column: Column) -> tuple[Booleans, Faulty | None]:
    """Every value as yes or no, and where that failed."""
    kinds = column.kinds
    flags = column.numbers != 0
    if kinds.size and not ((kinds == Kind.TEXT) | (kinds == Kind.ERROR)).any():
        return flags, None
    faults = faults_in(column)
    for index in np.flatnonzero(kinds == Kind.TEXT).tolist():
        known = boolean_of(column[index])
        if isinstance(known, CellError):
            faults[index] = known.code + 1
        else:
            flags[index] = known
    return flags, (faults if faults.any() else None)


def texts(column: Column) -> tuple[list[str], Faulty | None]:
    """Every value as text, and where that failed (errors alone fail)."""
    faults = faults_in(column)
    result = []
    for value in column:
        text = text_of(value)
        result.append("" if isinstance(text, CellError) else text)
    return result, (faults if faults.any() else None)


def first_fault(*faults: Faulty | None) -> Faulty | None:
    """The faults of several arguments together: where more than one failed, the first counts."""
    merged: Faulty | None = None
    for fault in faults:
        if fault is not None:
            merged = fault if merged is None else np.where(merged == 0, fault, merged).astype(np.uint8)
    return merged


def with_faults(column: Column, faults: Faulty | None) -> Column:
    """The column with error values where there are faults."""
    if faults is None or not faults.any():
        return column
    wrong: Any = faults != 0
    return Column(
        np.where(wrong, np.uint8(Kind.ERROR), column.kinds),
        np.where(wrong, faults - 1.0, column.numbers),
        np.where(wrong, np.int32(0), column.codes),
        column.texts,
    )
