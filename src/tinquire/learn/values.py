"""What became of the values of a column: typed to another kind, a part replaced, worked out anew, one value for
another, a value where a condition holds, or single cells."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from tinquire.cells.column import Column
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError, Value
from tinquire.learn.derive import rewritten
from tinquire.learn.lists import Key, keyed
from tinquire.learn.rows import conditions
from tinquire.tables.types import read_column

__all__ = ["Found", "in_toml", "is_plain", "said_value", "value_steps"]

#: More values than these that became others, one by one, are no mapping but another column.
_MAPPED, _SINGLE, _CONDITIONS = 40, 25, 8
#: Types that cells may have been typed to, the plainest first.
_TYPES = ("number", "text", "date", "date dmy", "date mdy", "yes/no", "time")


@dataclass(frozen=True, slots=True)
class Found:
    """A step: its keys, what it says, how many cells it explains, other readings; `at` is the place of a single cell
    that it is about, among the rows."""

    keys: dict[str, Any]
    says: str
    cells: int
    others: tuple[tuple[dict[str, Any], str], ...] = ()
    at: int | None = None


def value_steps(
    name: str, before: Sequence[Value], after: Sequence[Value], columns: Mapping[str, Sequence[Value]],
    system: DateSystem,
) -> list[Found]:  # fmt: skip
    """Steps for a column's cells, in the order of their rows; `columns` are all columns as they are before the step."""
    olds, news = keyed(before), keyed(after)
    changed = [row for row, (old, new) in enumerate(zip(olds, news, strict=True)) if old != new]
    if not changed:
        return []
    for find in (_typed, _part_replaced, _rewritten):
        found = find(name, before, after, changed, system)
        if found is not None:
            return [found]
    mapped = _mapped(name, olds, news, changed)
    single = _single(before, after, changed)
    if len(changed) == 1 and single and not isinstance(before[changed[0]], str):
        # One number typed over is first of all that: what else it could be is for a further pair to say.
        more = [*mapped, *_where(name, news, changed, columns)]
        others = [other for found in more for other in ((found.keys, found.says), *found.others)]
        return [replace(single[0], others=tuple(others))]
    where = _where(name, news, changed, columns)
    # Three numbers that all become nought are one condition rather than three replacements.
    return where if where and len(where) < len(mapped) else mapped or where or single


def _typed(
    name: str, before: Sequence[Value], after: Sequence[Value], changed: Sequence[int], system: DateSystem
) -> Found | None:
    if all(type(before[row]) is type(after[row]) for row in changed):
        return None
    for kind in _TYPES:
        reading = read_column(Column.from_values(before), kind, decimal=None)
        if not reading.problems and keyed(reading.column.to_list()) == keyed(after):
            says = f"what stands under '{name}' is of the type {kind}"
            return Found({"heading": name, "type": kind}, says, len(changed))
    return None


def _part_replaced(
    name: str, before: Sequence[Value], after: Sequence[Value], changed: Sequence[int], system: DateSystem
) -> Found | None:
    touched = {(before[row], after[row]) for row in changed}
    part = _part(list(zip(before, after, strict=True))) if len(touched) > 1 else None
    if part is None:
        return None
    says = f"in '{name}', '{part[0]}' becomes '{part[1]}'" if part[1] else f"'{part[0]}' goes from '{name}'"
    return Found({"heading": name, "replace": dict([part])}, says, len(changed))


def _rewritten(
    name: str, before: Sequence[Value], after: Sequence[Value], changed: Sequence[int], system: DateSystem
) -> Found | None:
    if set("[]@#:'") & set(name) or len({after[row] for row in changed}) < 2 <= len(changed):
        return None
    formula = rewritten(name, before, after, system)
    if formula is None:
        return None
    return Found({"heading": name, "becomes": formula}, f"'{name}' becomes {formula}", len(changed))


def _mapped(name: str, olds: Sequence[Key], news: Sequence[Key], changed: Sequence[int]) -> list[Found]:
    """One value for another, wherever it stood."""
    became: dict[Key, set[Key]] = {}
    for old, new in zip(olds, news, strict=True):
        became.setdefault(old, set()).add(new)
    touched = {old: next(iter(found)) for old, found in became.items() if found != {old}}
    whole = all(len(became[old]) == 1 for old in touched) and len(touched) <= _MAPPED
    plain = all(is_plain(value) for pair in touched.items() for _, value in pair)
    # Done one after the other, values that become such as become others would run into each other.
    if not whole or not plain or any(new in touched for new in touched.values()):
        return []
    if len(touched) > _CONDITIONS and len(touched) * 2 > len(changed):
        return []  # every cell was typed over
    counts = {old: sum(1 for row in changed if olds[row] == old) for old in touched}
    found = []
    for (kind, a), (_, b) in touched.items():
        says = f"in '{name}', {said_value(a)} becomes {said_value(b)}"
        found.append(Found({"heading": name, "matching": _match(a), "value": in_toml(b)}, says, counts[kind, a]))
    return found


def _where(
    name: str, news: Sequence[Key], changed: Sequence[int], columns: Mapping[str, Sequence[Value]]
) -> list[Found]:  # fmt: skip
    """A value where a condition over the columns holds."""
    by_value: dict[Key, list[int]] = {}
    for row in changed:
        by_value.setdefault(news[row], []).append(row)
    if len(by_value) > _CONDITIONS:
        return []
    if len(by_value) > 1:  # done one after the other, conditions on the column itself would run into each other
        columns = {one: values for one, values in columns.items() if one != name}
    found = []
    for (_, value), rows in by_value.items():
        # Cells that have the value already may be among those of which the condition is true.
        same = frozenset(row for row, key in enumerate(news) if key == news[rows[0]])
        texts = conditions(columns, frozenset(rows)) or (conditions(columns, same) if len(same) > len(rows) else [])
        if not texts or not is_plain(value):
            return []
        readings = [
            ({"heading": name, "where": text, "value": in_toml(value)}, f"'{name}' is {said_value(value)} where {text}")
            for text in texts
        ]
        found.append(Found(*readings[0], len(rows), tuple(readings[1:])))
    return found


def _single(before: Sequence[Value], after: Sequence[Value], changed: Sequence[int]) -> list[Found]:
    """Cells that were typed over, one by one."""
    if len(changed) > _SINGLE:
        return []
    return [
        Found({"expect": in_toml(before[row]), "value": in_toml(after[row])}, said_value(after[row]), 1, (), row)
        for row in changed
        if is_plain(before[row]) and is_plain(after[row])
    ]


def _part(pairs: Sequence[tuple[Value, Value]]) -> tuple[str, str] | None:
    """A part of texts that became another wherever it stood; None where that does not explain all pairs."""
    texts = [(a, b or "") for a, b in pairs if isinstance(a, str)]
    differing = [(a, b) for a, b in texts if a != b]
    if not differing or not all(isinstance(b, str) for _, b in differing):
        return None
    if any(a != b for a, b in pairs if not isinstance(a, str)):
        return None
    a, b = min(differing, key=lambda pair: len(pair[0]))
    for old, new in _parts(a, str(b)):
        if all(x.replace(old, new) == y for x, y in texts):
            return old, new
    return None


def _parts(a: str, b: str) -> Iterator[tuple[str, str]]:
    """Parts of a text that may have been replaced to make it another, whole words first."""
    start = next((n for n, (x, y) in enumerate(zip(a, b, strict=False)) if x != y), min(len(a), len(b)))
    end = 0
    while end < min(len(a), len(b)) - start and a[len(a) - 1 - end] == b[len(b) - 1 - end]:
        end += 1
    lead = next((n for n in range(start) if not a[start - 1 - n].isalnum()), start)
    tail = next((n for n in range(end) if not a[len(a) - end + n].isalnum()), end)
    # Whole words first: what was typed over is seldom the middle of one.
    for left, right in ((lead, tail), (0, 0), (lead, 0), (0, tail)):
        first, last = start - left, len(a) - end + right
        old, new = a[first:last], b[first : len(b) - end + right]
        if old and (first, last) != (0, len(a)):
            yield old, new


def is_plain(value: Value) -> bool:
    return value is None or (isinstance(value, str | float | bool) and not isinstance(value, CellError))


def _match(value: Value) -> Any:
    """A criterion that matches a value alone: signs that mean something in one are put aside."""
    if not isinstance(value, str):
        return in_toml(value)
    escaped = "".join(f"~{sign}" if sign in "*?~" else sign for sign in value)
    return f"={escaped}" if value[:1] in ("=", "<", ">") else escaped


def in_toml(value: Value) -> Any:
    """A value as an amendment writes it."""
    if value is None:
        return ""
    return int(value) if isinstance(value, float) and not isinstance(value, bool) and value.is_integer() else value


def said_value(value: Value) -> str:
    return "a blank" if value is None else f"'{value}'" if isinstance(value, str) else str(in_toml(value))
