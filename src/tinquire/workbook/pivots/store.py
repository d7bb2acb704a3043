"""The rows of pivots as these keep them (ECMA-376 Part 1, 18.10.1.67): each field's items, and the item of every row.

Items that are alike but for capital letters are one. An item keeps its place while rows have it; new ones follow in the
order in which the rows bring them; those without rows go, unless someone has hidden or chosen them.
"""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from lxml import etree

from tinquire.cells.column import Column, Kind
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import ERROR_NAMES, CellError, Value
from tinquire.formula.engine.conversions import number_from_text
from tinquire.packages.xml import child, children, flag, local
from tinquire.workbook.pivots.groupings import Codes, Grouping, read_grouping, spread

__all__ = ["Rows", "Store", "StoreField", "item_key", "read_item", "same_rows", "store_of", "stored_items"]


@dataclass(frozen=True)
class Rows:
    """The rows that a store is made of: headings as fields are named, columns, and which of them are dates, in the 1900
    system whatever the workbook's own is."""

    headings: tuple[str, ...]
    columns: tuple[Column, ...]
    dates: tuple[bool, ...]
    system: DateSystem = DateSystem.FROM_1900

    @property
    def height(self) -> int:
        return len(self.columns[0]) if self.columns else 0


def same_rows(one: Rows, other: Rows) -> bool:
    """Whether rows have the same values under the same headings."""
    if one.headings != other.headings or one.height != other.height:
        return False
    return all(_same(left, right) for left, right in zip(one.columns, other.columns, strict=True))


def _same(one: Column, other: Column) -> bool:
    if not np.array_equal(one.kinds, other.kinds) or not np.array_equal(one.numbers, other.numbers):
        return False
    texts = one.kinds == Kind.TEXT
    if one.texts is other.texts and np.array_equal(one.codes[texts], other.codes[texts]):
        return True
    own, its = (column.take(texts.nonzero()[0]).to_list() for column in (one, other))
    return own == its


@dataclass(frozen=True)
class StoreField:
    """A field of a store.

    `values` are its rows' own values, none for a field that is reckoned. `items` are the distinct values (or groups),
    `codes` the item of each row; of a field with groups, `base_items` and `base_codes` are its own. `kept` says where
    items that were there before are now.
    """

    name: str
    values: Column | None
    items: tuple[Value, ...]
    codes: Codes
    is_date: bool = False
    listed: bool = False
    formula: str | None = None
    grouping: Grouping | None = None
    kept: Mapping[int, int] | None = None
    base_items: tuple[Value, ...] = ()
    base_codes: Codes = field(default_factory=lambda: np.zeros(0, np.int64))


@dataclass(frozen=True)
class Store:
    """The fields of pivots over the same rows; how many rows there are, and how the workbook counts days."""

    fields: tuple[StoreField, ...]
    height: int
    system: DateSystem = DateSystem.FROM_1900


def read_item(element: etree._Element) -> Value:
    """A shared item (18.10.1.17, .27, .50, .60, .85, .4)."""
    text = element.get("v", "")
    match local(element):
        case "n":
            return float(text)
        case "d":
            return number_from_text(text.replace("T", " ").removesuffix("Z"))
        case "b":
            return text in ("1", "true")
        case "e":
            return ERROR_NAMES.get(text, CellError.VALUE)
        case "m":
            return None
        case _:
            return text


def stored_items(root: etree._Element) -> list[list[Value]]:
    """The items of each field of a definition as they are stored: its groups, where it has any."""
    found = []
    for element in children(child(root, "cacheFields"), "cacheField"):
        groups = child(child(element, "fieldGroup"), "groupItems")
        held = child(element, "sharedItems") if groups is None else groups
        found.append([] if held is None else [read_item(one) for one in held])
    return found


def item_key(value: Value) -> Value | tuple[bool]:
    """What equal items have in common: a yes is no one."""
    if isinstance(value, str):
        return value.casefold()
    return (value,) if isinstance(value, bool) else value


def store_of(root: etree._Element, rows: Rows, used: set[int], held: Mapping[int, Container[int]]) -> Store:
    """The store of a definition, worked out anew from rows.

    `used` are the fields that stand on an axis of any pivot, `held` the items by field that stay though no row has
    them. Raises ValueError, saying what is wrong, for fields that the rows do not have and groupings that cannot be.
    """
    places = {heading.casefold(): index for index, heading in reversed(list(enumerate(rows.headings)))}
    fields: list[StoreField] = []
    elements = children(child(root, "cacheFields"), "cacheField")
    for number, element in enumerate(elements):
        name, formula = element.get("name", ""), element.get("formula")
        grouped = child(element, "fieldGroup")
        if formula is not None and not flag(element, "databaseField", True):
            fields.append(StoreField(name, None, (), np.zeros(0, np.int64), formula=formula))
        elif flag(element, "databaseField", True):
            index = places.get(name.casefold())
            if index is None:
                raise ValueError(f"its rows have no heading '{name}'")
            fields.append(_own(element, name, rows, index, held.get(number, set()), listed=number in used))
        else:
            fields.append(StoreField(name, None, (), np.zeros(0, np.int64)))
        if grouped is not None and len(grouped):
            fields[number] = _grouped(fields, number, grouped)
    # Groups may stand before the field that they are of.
    for number, element in enumerate(elements):
        grouped = child(element, "fieldGroup")
        if grouped is not None and len(grouped) and fields[number].grouping is None:
            fields[number] = _grouped(fields, number, grouped)
            if fields[number].grouping is None:
                raise ValueError(f"the groups of '{fields[number].name}' are of no field")
    return Store(tuple(fields), rows.height, rows.system)


def _own(
    element: etree._Element, name: str, rows: Rows, index: int, held: Container[int], *, listed: bool
) -> StoreField:  # fmt: skip
    """A field that the rows have."""
    shared = child(element, "sharedItems")
    before = [] if shared is None else [read_item(one) for one in shared]
    grouped = child(element, "fieldGroup")
    values, is_date = rows.columns[index], rows.dates[index]
    own_groups = grouped is not None and child(grouped, "rangePr") is not None and not before
    texts = bool(values.is_kind(Kind.TEXT).any())
    if not before and not texts and (own_groups or not listed):
        return StoreField(name, values, (), np.zeros(0, np.int64), is_date)
    items, codes, kept = _merged(values, before, held)
    return StoreField(name, values, items, codes, is_date, True, None, None, kept, items, codes)


def _merged(
    values: Column, before: Sequence[Value], held: Container[int]
) -> tuple[tuple[Value, ...], Codes, dict[int, int]]:  # fmt: skip
    """Items of a column's values: those that were there before, then new ones as the rows bring them."""
    groups, distinct = values.groups()
    first = np.full(len(distinct), len(values), np.int64)
    first[groups[::-1]] = np.arange(len(values) - 1, -1, -1)
    found: dict[object, int] = {}
    order = np.argsort(first, kind="stable").tolist()
    listed = distinct.to_list()
    met = {item_key(listed[place]) for place in order}
    items: list[Value] = []
    kept: dict[int, int] = {}
    for place, value in enumerate(before):
        key = item_key(value)
        if key in found:
            kept[place] = found[key]
        elif key in met or place in held:
            kept[place] = found[key] = len(items)
            items.append(value)
    table = np.zeros(len(listed), np.int64)
    for place in order:
        key = item_key(listed[place])
        if key not in found:
            found[key] = len(items)
            items.append(listed[place])
        table[place] = found[key]
    return tuple(items), table[groups], kept


def _grouped(fields: Sequence[StoreField], number: int, element: etree._Element) -> StoreField:
    """A field with its groups; unchanged while the field that they are of is not known yet. Raises ValueError."""
    own = fields[number]
    grouping = read_grouping(element, number)
    if grouping.base >= len(fields):
        return own
    base = fields[grouping.base]
    if grouping.base != number and base.values is None and base.grouping is None:
        return own
    held = child(element, "groupItems")
    groups = [] if held is None else [read_item(one) for one in held]
    made = spread(grouping, groups, base)
    return replace(own, items=made.items, codes=made.codes, grouping=made.grouping, kept=None)
