"""A field's items in order, as its own settings say (ECMA-376 Part 1, 18.10.1.69)."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from typing import TypeAlias

from tinquire.cells.values import CellError, Value
from tinquire.workbook.pivots.definition import ItemState, PivotField
from tinquire.workbook.pivots.store import StoreField

__all__ = ["Items", "ordered_items", "sort_key"]

#: The names of days and months, which stand in their own order where a pivot sorts by lists (18.10.1.73,
#: customListSort).
_LISTS = tuple(
    {name.casefold(): place for place, name in enumerate(names.split())}
    for names in (
        "Sun Mon Tue Wed Thu Fri Sat",
        "Sunday Monday Tuesday Wednesday Thursday Friday Saturday",
        "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec",
        "January February March April May June July August September October November December",
    )
)
#: What texts are ordered by: marks before digits before letters, in the order of Unicode's collation (UTS #10).
_MARKS = " _-,;:!?.'\"()[]{}@*/\\&#%`^+<=>|~$"
_PLACES = {ord(mark): place for place, mark in enumerate(_MARKS, start=1)} | {
    ord(digit): 100 + int(digit) for digit in "0123456789"
}
_BELOW_LETTERS, _LAST = 200, 0x10FFFF

SortKey: TypeAlias = tuple[int, float, str]
TextKey: TypeAlias = Callable[[str], str]


@dataclass(frozen=True)
class Items:
    """A field's items in order, and where the one of each former position is now."""

    states: tuple[ItemState, ...]
    moved: dict[int, int]

    def positions(self, count: int) -> list[int]:
        """The position of each shared item."""
        found = [0] * count
        for position, state in enumerate(self.states):
            found[state.shared] = position
        return found


def sort_key(value: Value, text: TextKey = str.casefold) -> SortKey:
    """Numbers before texts before yes/no before errors before blanks."""
    if isinstance(value, bool):
        return 2, float(value), ""
    if isinstance(value, float):
        return 0, value, ""
    if isinstance(value, str):
        return 1, 0.0, text(value)
    return (3, float(value.code), "") if isinstance(value, CellError) else (4, 0.0, "")


def ordered_items(field: PivotField, store: StoreField, *, custom_lists: bool) -> Items:
    """The items of a field now. Those that were there keep their order and state, unless the field sorts itself; new
    ones come last, hidden where someone hid some and did not ask for new ones."""
    before = field.items or ()
    kept = store.kept
    states: list[ItemState] = []
    came_from: list[int | None] = []
    seen: set[int] = set()
    for position, state in enumerate(before):
        shared = state.shared if kept is None else kept.get(state.shared, -1)
        if 0 <= shared < len(store.items) and shared not in seen:
            seen.add(shared)
            states.append(replace(state, shared=shared))
            came_from.append(position)
    hide = field.filtered and field.hide_new
    for shared in range(len(store.items)):
        if shared not in seen:
            states.append(ItemState(shared, hidden=hide))
            came_from.append(None)
    order = list(range(len(states)))
    if field.sort in ("ascending", "descending"):
        # Of a field sorted by values this is the order of those that are equal.
        falling = field.sort == "descending" and field.sort_by is None
        known = sum(place is not None for place in came_from) if field.sort_by is None else 0
        keys = _keys(field, store, states, known, custom_lists=custom_lists, falling=falling)
        order.sort(key=lambda place: keys[place], reverse=falling)
    if field.items is None:  # nothing was listed yet: positions are spoken of as they come
        came_from = list(range(len(states)))
    moved = {old: now for now, place in enumerate(order) if (old := came_from[place]) is not None}
    return Items(tuple(states[place] for place in order), moved)


def _keys(
    field: PivotField, store: StoreField, states: Sequence[ItemState], known: int, *, custom_lists: bool, falling: bool
) -> list[SortKey]:  # fmt: skip
    """What items are sorted by. The first so many are `known`: they stand as the file sorted them, so texts are ordered
    in the manner in which these are in order; in the plain one, if there is none."""
    if store.grouping is not None and store.grouping.by != "sets":
        return [(0, float(state.shared), "") for state in states]
    values = [store.items[state.shared] if state.caption is None else state.caption for state in states]
    names = next(
        (one for one in _LISTS if custom_lists and any(isinstance(v, str) and v.casefold() in one for v in values)), {}
    )

    def key(value: Value, text: TextKey, blank: int) -> SortKey:
        if value is None:
            return blank, 0.0, ""
        if isinstance(value, str) and value.casefold() in names:
            return 1, names[value.casefold()] - len(names), ""
        return sort_key(value, text)

    for text in (str.casefold, _collated, partial(_collated, without="-'")):
        for blank in (4, -1) if falling else (4,):
            keys = [key(value, text, blank) for value in values[:known]]
            if all(one >= other if falling else one <= other for one, other in pairwise(keys)):
                return keys + [key(value, text, blank) for value in values[known:]]
    return [key(value, str.casefold, 4) for value in values]


def _collated(text: str, without: str = "") -> str:
    """A text by which others sort as words do: letters without their accents, marks before digits before letters; only
    of equal ones the rest counts."""
    plain = [
        letter
        for letter in unicodedata.normalize("NFKD", text.casefold())
        if not unicodedata.combining(letter) and letter not in without
    ]
    main = "".join(chr(_PLACES.get(ord(letter), min(_BELOW_LETTERS + ord(letter), _LAST))) for letter in plain)
    return f"{main}\0{text.casefold()}"
