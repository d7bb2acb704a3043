"""Why rows are gone, and how they were sorted: the shortest words that explain it, and others that would, too."""

from __future__ import annotations

import operator
from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations, pairwise
from os.path import commonprefix

import numpy as np

from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.learn.lists import keyed

__all__ = ["conditions", "literal", "repeated_under", "sort_keys", "unique_by"]

#: Values that a condition lists at most, keys that rows are sorted by at most.
_LISTED, _KEYS = 3, 3
_MARKS = {"<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge}


def unique_by(values: Mapping[str, Sequence[Value]], gone: frozenset[int]) -> list[list[str]]:
    """Headings under which the rows that are gone repeat an earlier row, and no other does; all headings first."""
    names = list(values)
    # All of them first: rows that are the same throughout are what is usually meant.
    return [asked for asked in (names, *([name] for name in names)) if repeated_under(values, asked) == gone]


def repeated_under(values: Mapping[str, Sequence[Value]], asked: Sequence[str]) -> frozenset[int]:
    """The rows that have the values of an earlier row under some headings."""
    seen: set[object] = set()
    repeated = set()
    for row, key in enumerate(zip(*(keyed(values[name]) for name in asked), strict=True)):
        if key in seen:
            repeated.add(row)
        seen.add(key)
    return frozenset(repeated)


def conditions(values: Mapping[str, Sequence[Value]], gone: frozenset[int]) -> list[str]:
    """Formulas over headings that are true for the rows that are gone and for no other, the plainest first."""
    found: list[tuple[int, str]] = []
    partial: list[tuple[str, frozenset[int]]] = []
    for name, column in values.items():
        for rank, text, rows in _of_column(name, column, gone):
            if rows == gone:
                found.append((rank, text))
            elif rows > gone:
                partial.append((text, rows))
    if not found:
        found += [(9, f"AND({one}, {other})") for (one, a), (other, b) in combinations(partial, 2) if a & b == gone]
    return [text for _, text in sorted(found, key=lambda item: item[0])]


def _of_column(name: str, column: Sequence[Value], gone: frozenset[int]) -> Iterator[tuple[int, str, frozenset[int]]]:
    """Conditions on one column that hold for all rows that are gone: how far from plain, the words, and their rows."""
    typed = keyed(column)
    lost = {typed[row] for row in gone}
    head = f"[{name}]"

    def rows_of(keys: set[tuple[type, Value]]) -> frozenset[int]:
        return frozenset(row for row, key in enumerate(typed) if key in keys)

    # Several values of which each stands once are a list of rows, and no condition.
    if (
        len(lost) <= _LISTED
        and (len(lost) == 1 or len(lost) < len(gone))
        and all(isinstance(value, str | float | bool | None) for _, value in lost)
    ):
        parts = [f"{head} = {literal(value)}" for _, value in sorted(lost, key=str)]
        yield len(parts) * 2 - 1, parts[0] if len(parts) == 1 else f"OR({', '.join(parts)})", rows_of(lost)
    kept = {key for row, key in enumerate(typed) if row not in gone}
    if len(kept) == 1 and (value := next(iter(kept))[1]) is not None and isinstance(value, str | float | bool):
        yield 4, f"{head} <> {literal(value)}", frozenset(row for row, key in enumerate(typed) if key not in kept)
    numbers = [value for _, value in lost if isinstance(value, float)]
    if numbers and len(numbers) == len(lost):
        others = [value for value in column if isinstance(value, float)]
        low, high = min(numbers), max(numbers)
        above = min((value for value in others if value > high), default=None)
        below = max((value for value in others if value < low), default=None)
        # Nought tells more than the outermost number that happened to be there.
        low_mark = ("<", 0.0) if high < 0 and (above is None or above >= 0) else ("<=", high)
        high_mark = (">", 0.0) if low > 0 and (below is None or below <= 0) else (">=", low)
        for mark, limit in (low_mark, high_mark):
            hit = frozenset(
                row for row, value in enumerate(column) if isinstance(value, float) and _MARKS[mark](value, limit)
            )
            yield 2, f"{head} {mark} {literal(limit)}", hit
    texts = [value for _, value in lost if isinstance(value, str)]
    prefix = commonprefix(texts) if len(texts) == len(lost) and len(texts) > 1 else ""  # noqa: RUF071 - letter by letter
    if prefix.strip():
        rows = frozenset(row for row, value in enumerate(column) if isinstance(value, str) and value.startswith(prefix))
        yield 6, f"LEFT({head}, {len(prefix)}) = {literal(prefix)}", rows


def literal(value: Value) -> str:
    if value is None:
        return '""'
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, float):
        return repr(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return '"' + str(value).replace('"', '""') + '"'


def sort_keys(values: Mapping[str, Sequence[Value]], order: Sequence[int]) -> list[str] | None:
    """Headings (`-` for falling) by which rows were sorted: the rows before, in their order, sorted by them give the
    order after. None where no three do."""
    rows = np.array(sorted(order), np.int64)
    codes = {name: Column.from_values([column[row] for row in rows]).groups()[0] for name, column in values.items()}
    place = {row: number for number, row in enumerate(rows.tolist())}
    wanted = np.array([place[row] for row in order], np.int64)

    def gives(keys: Sequence[str]) -> bool:
        columns = [codes[key.removeprefix("-")] * (-1 if key.startswith("-") else 1) for key in reversed(keys)]
        return bool(np.array_equal(np.lexsort(columns), wanted))

    keys: list[str] = []
    for _ in range(_KEYS):
        rising = [
            sign + name for name in values for sign in ("", "-") if _monotone(codes, [*keys, sign + name], wanted)
        ]
        for key in rising:
            if gives([*keys, key]):
                return [*keys, key]
        if not rising:
            return None
        # Of several that fit, the one that leaves fewest ties goes on.
        keys.append(max(rising, key=lambda key: len(set(codes[key.removeprefix("-")].tolist()))))
    return None


def _monotone(codes: Mapping[str, np.ndarray], keys: Sequence[str], wanted: np.ndarray) -> bool:
    """Whether rows in the wanted order rise by all keys together."""
    if len({key.removeprefix("-") for key in keys}) < len(keys):
        return False
    columns = [codes[key.removeprefix("-")] * (-1 if key.startswith("-") else 1) for key in keys]
    lines = list(zip(*(column[wanted].tolist() for column in columns), strict=True))
    return all(one <= other for one, other in pairwise(lines))
