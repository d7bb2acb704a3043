"""Searching, replacing and splitting texts (18.17.7)."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from, plain
from tinquire.formula.engine.conversions import MAX_TEXT
from tinquire.formula.engine.criteria import wildcard_search
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.functions.text import fitting_text, text_or_error, values_of


def _place(wanted: str, text: str, start: float) -> int:
    """Where a search begins. Raises ErrorValue outside the text."""
    if not 1 <= start <= len(text) + 1:
        raise ErrorValue(CellError.VALUE)
    return int(start) - 1


def _find(wanted: str, text: str, start: float = 1.0) -> float:
    found = text.find(wanted, _place(wanted, text, start))
    if found < 0:
        raise ErrorValue(CellError.VALUE)
    return found + 1.0


def _search(wanted: str, text: str, start: float = 1.0) -> float:
    found = wildcard_search(wanted, text, _place(wanted, text, start))
    if found < 0:
        raise ErrorValue(CellError.VALUE)
    return found + 1.0


def _substitute(text: str, old: str, new: str, which: float | None = None) -> str:
    if not old:
        return text
    if which is None:
        if len(text) + text.count(old) * (len(new) - len(old)) > MAX_TEXT:
            raise ErrorValue(CellError.VALUE)
        return text.replace(old, new)
    if which < 1:
        raise ErrorValue(CellError.VALUE)
    index = -len(old)
    for _ in range(int(which)):
        index = text.find(old, index + len(old))
        if index < 0:
            return text
    return fitting_text(text[:index] + new + text[index + len(old) :])


def _replace(text: str, start: float, count: float, new: str) -> str:
    if start < 1 or count < 0:
        raise ErrorValue(CellError.VALUE)
    index = int(start) - 1
    return fitting_text(text[:index] + new + text[index + int(count) :])


declare_all(
    plain,
    __name__,
    [
        ("FIND(wanted: text, text: text, start: number = 1)", _find, "The position of a text in another; capitals matter.", 'FIND("n", "Linen")', "3"),
        ("SEARCH(wanted: text, text: text, start: number = 1)", _search, "The position of a text in another; capitals do not matter, `*` and `?` are wildcards.", 'SEARCH("l?n", "Fine linen")', "6"),
        ("SUBSTITUTE(text: text, old: text, new: text, which?: number)", _substitute, "A text with another text in place of one, everywhere or the nth time.", 'SUBSTITUTE("Q1 2026 Q1", "Q1", "Q2", 2)', "Q1 2026 Q2"),
        ("REPLACE(text: text, start: number, count: number, new: text)", _replace, "A text with another in place of some characters.", 'REPLACE("2025", 3, 2, "26")', "2026"),
        ("FINDB(wanted: text, text: text, start: number = 1)", _find, "The position of a text in another, in bytes of a single-byte character set.", 'FINDB("n", "linen")', "3"),
        ("SEARCHB(wanted: text, text: text, start: number = 1)", _search, "The position of a text in another, in bytes of a single-byte character set.", 'SEARCHB("N", "linen")', "3"),
        ("REPLACEB(text: text, start: number, count: number, new: text)", _replace, "A text with another in place of some bytes of a single-byte character set.", 'REPLACEB("linen", 1, 1, "L")', "Linen"),
    ],
)  # fmt: skip


def _delimiters(grid: Grid, fold: float) -> re.Pattern[str]:
    texts = [text_or_error(value) for value in values_of([grid])]
    if not any(texts):
        raise ErrorValue(CellError.VALUE)
    flags = re.IGNORECASE if fold else re.NOFLAG
    return re.compile("|".join(re.escape(text) for text in sorted(texts, key=len, reverse=True) if text), flags)


def _side(text: str, delimiter: Grid, which: float, fold: float, end: float, missing: Value, after: bool) -> Value:
    """The part of a text before the nth delimiter, or after it; from the end when that is negative."""
    number = int(which)
    if number == 0 or abs(number) > len(text) + 1:
        raise ErrorValue(CellError.VALUE)
    found = [(item.start(), item.end()) for item in _delimiters(delimiter, fold).finditer(text)]
    if end:
        found = [*found, (len(text), len(text))] if number > 0 else [(0, 0), *found]
    try:
        start, stop = found[number - 1 if number > 0 else number]
    except IndexError:
        if missing is None:
            raise ErrorValue(CellError.NA) from None
        return missing
    return text[stop:] if after else text[:start]


def _part(after: bool) -> Callable[..., Value]:
    return lambda text, delimiter, which=1.0, fold=0.0, end=0.0, missing=None: _side(
        text, delimiter, which, fold, end, missing, after
    )


def _textsplit(
    text: str,
    columns: Grid | None,
    rows: Grid | None = None,
    skip: bool = False,
    fold: float = 0.0,
    pad: Value = CellError.NA,
) -> Grid:
    lines = [text] if rows is None else _delimiters(rows, fold).split(text)
    split = [[line] if columns is None else _delimiters(columns, fold).split(line) for line in lines]
    if skip:
        split = [row for row in ([part for part in row if part] for row in split) if row]
    width = max((len(row) for row in split), default=0)
    return grid_from([[*row, *([pad] * (width - len(row)))] for row in split])


_WHICH = "which: number = 1, fold: number = 0, end: number = 0, missing?: value"


declare_all(
    arrays,
    __name__,
    [
        (f"TEXTBEFORE(text: text, delimiter: cells, {_WHICH})", _part(False), "The part of a text before another; from the end when `which` is negative.", 'TEXTBEFORE("a-b-c", "-", -1)', "a-b"),
        (f"TEXTAFTER(text: text, delimiter: cells, {_WHICH})", _part(True), "The part of a text after another; from the end when `which` is negative.", 'TEXTAFTER("a-b-c", "-")', "b-c"),
        ("TEXTSPLIT(text: text, columns?: cells, rows?: cells, skip: logical = FALSE, fold: number = 0, pad: value = '#N/A')", lambda *given: _textsplit(*_padded(given)), "A text cut into columns and rows.", 'INDEX(TEXTSPLIT("a,b;c,d", ",", ";"), 2, 1)', "c"),
    ],
)  # fmt: skip


def _padded(given: Sequence[Any]) -> list[Any]:
    """Arguments of TEXTSPLIT, in which the text for what is missing is the error value it spells."""
    last = given[-1]
    return [*given[:-1], CellError.NA if last == CellError.NA.text else last]
