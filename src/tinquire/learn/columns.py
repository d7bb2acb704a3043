"""Columns renamed, dropped, moved, added; and how the order of some things became another by moving few of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from tinquire.learn.lists import SheetList, keyed

__all__ = ["gone_columns", "moves", "place_keys", "same_columns"]


def same_columns(one: SheetList, other: SheetList) -> dict[str, str]:
    """The headings after, with what they were before; new ones are not among them."""
    was = {name: name for name in other.headings if name in one.headings}
    gone = [name for name in one.headings if name not in was]
    for name in [name for name in other.headings if name not in was]:
        held = Counter(keyed(other.values[name]))
        same = next((old for old in gone if not held - Counter(keyed(one.values[old]))), None)
        beside = next((old for old in gone if one.headings.index(old) == other.headings.index(name)), None)
        old = same if len(held) > 1 else None
        if old is None and len(one.headings) == len(other.headings) and len(gone) == 1:
            old = beside
        if old is not None:
            was[name] = old
            gone.remove(old)
    return {name: was[name] for name in other.headings if name in was}


def gone_columns(one: SheetList, was: Mapping[str, str]) -> list[str]:
    return [name for name in one.headings if name not in was.values()]


def moves(now: Sequence[str], wanted: Sequence[str]) -> Iterator[tuple[str, dict[str, str]]]:
    """The fewest names to move, each after another one or before it, for one order to become another of the same
    names."""
    order = list(now)
    stay = _longest_rising([now.index(name) for name in wanted])
    staying = {now[place] for place in stay}
    for place, name in enumerate(wanted):
        if name in staying:
            continue
        order.remove(name)
        if place:
            order.insert(order.index(wanted[place - 1]) + 1, name)
            yield name, {"after": wanted[place - 1]}
        else:
            # Before what stands first now: what comes before that in the end has not been moved yet.
            yield name, {"before": order[0]}
            order.insert(0, name)


def _longest_rising(numbers: Sequence[int]) -> list[int]:
    best: list[list[int]] = []
    for number in numbers:
        found = max((run for run in best if run[-1] < number), key=len, default=[])
        best.append([*found, number])
    return max(best, key=len, default=[])


def place_keys(other: SheetList, place: int) -> dict[str, Any]:
    """Where a new column comes: nothing for the last one of rows that are no table."""
    if place and (place < len(other.headings) - 1 or other.below.table is not None):
        return {"after": other.headings[place - 1]}
    if not place and len(other.headings) > 1:
        return {"before": other.headings[1]}
    return {}
