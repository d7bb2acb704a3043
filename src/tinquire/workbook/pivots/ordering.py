"""A field's items in order, as its own settings say (ECMA-376 Part 1, 18.10.1.69)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

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


def sort_key(value: Value) -> tuple[int, float, str]:
    """Numbers before texts before yes/no before errors before blanks."""
    if isinstance(value, bool):
        return 2, float(value), ""
    if isinstance(value, float):
        return 0, value, ""
    if isinstance(value, str):
        return 1, 0.0, value.casefold()
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
        keys = _keys(field, store, states, custom_lists=custom_lists)
        # Of a field sorted by values this is the order of those that are equal.
        order.sort(key=lambda place: keys[place], reverse=field.sort == "descending" and field.sort_by is None)
    if field.items is None:  # nothing was listed yet: positions are spoken of as they come
        came_from = list(range(len(states)))
    moved = {old: now for now, place in enumerate(order) if (old := came_from[place]) is not None}
    return Items(tuple(states[place] for place in order), moved)


def _keys(
    field: PivotField, store: StoreField, states: Sequence[ItemState], *, custom_lists: bool
) -> list[tuple[int, float, str]]:  # fmt: skip
    if store.grouping is not None and store.grouping.by != "sets":
        return [(0, float(state.shared), "") for state in states]
    values = [store.items[state.shared] if state.caption is None else state.caption for state in states]
    known = next(
        (names for names in _LISTS if any(isinstance(one, str) and one.casefold() in names for one in values)), None
    )
    keys = [sort_key(value) for value in values]
    if custom_lists and known is not None:
        for place, value in enumerate(values):
            if isinstance(value, str) and value.casefold() in known:
                keys[place] = (1, known[value.casefold()] - len(known), "")
    return keys
