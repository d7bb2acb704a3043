"""The parts of a store after it was made anew: its definition and its records (ECMA-376 Part 1, 18.10.1.67, .68)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from functools import lru_cache

import numpy as np
from lxml import etree

from tinquire.base.parallel import map_in_order
from tinquire.cells.column import Column, Kind
from tinquire.cells.display import show
from tinquire.cells.values import CellError, Value
from tinquire.packages.xml import MAIN, RELATIONS, child, children, escape_attribute, escape_controls, flag, tag
from tinquire.workbook.pivots.groupings import Grouping
from tinquire.workbook.pivots.store import Store, StoreField
from tinquire.workbook.sheet_xml.row_writer import choose, constant, joined, number_text, numbers, whole_digits

__all__ = ["records_part", "write_store"]

#: Records put together at a time.
_CHUNK = 1 << 14
#: Of so few items, the whole tag of each is kept.
_FEW = 512
#: Serials of days of which each is one more than the day before, and the day from which they count (18.17.4.1).
_PLAIN_DAYS, _EPOCH = (61.0, 2958465.0), date(1899, 12, 30).toordinal()
#: Texts longer than this are said to be there (18.10.1.90).
_LONG = 255


def write_store(root: etree._Element, store: Store) -> None:
    """Bring a store's definition up to date: items, groups, bounds, and how many records there are."""
    for element, field in zip(children(child(root, "cacheFields"), "cacheField"), store.fields, strict=True):
        if flag(element, "databaseField", True):
            old = child(element, "sharedItems")
            fresh = _shared_items(element, field)
            if old is not None:
                element.replace(old, fresh)
            else:
                element.insert(0, fresh)
        if field.grouping is not None:
            _write_groups(element, field, field.grouping)
    if "invalid" in root.attrib:
        del root.attrib["invalid"]
    root.set("recordCount", str(store.height))


def _shared_items(element: etree._Element, field: StoreField) -> etree._Element:
    """What a field's values are, and the distinct ones where they are listed (18.10.1.90)."""
    fresh = etree.Element(tag(element, "sharedItems"))
    values = field.values
    assert values is not None
    items = _own_items(field)
    for name, stated in _facts(values, is_date=field.is_date).items():
        fresh.set(name, stated)
    if items is None:
        return fresh
    used = np.zeros(len(items), bool)
    if field.grouping is None:
        used[field.codes] = True
    else:
        used[:] = True
    tags = {name: tag(element, name) for name in "bdemns"}
    for value, is_used in zip(items, used.tolist(), strict=True):
        name, text = _spelled(value, is_date=field.is_date)
        one = etree.SubElement(fresh, tags[name])
        if text is not None:
            one.set("v", escape_controls(text))
        if not is_used:
            one.set("u", "1")
    fresh.set("count", str(len(items)))
    if any(isinstance(value, str) and len(value) > _LONG for value in items):
        fresh.set("longText", "1")
    return fresh


def _own_items(field: StoreField) -> Sequence[Value] | None:
    """A field's own distinct values where it lists them: not the groups made of them."""
    return (field.base_items if field.grouping is not None else field.items) if field.listed else None


def _facts(values: Column, *, is_date: bool) -> dict[str, str]:
    kinds = {kind for kind in range(Kind.ERROR + 1) if values.holds(kind)}
    known = values.numbers if kinds == {Kind.NUMBER} else values.numbers[values.kinds == Kind.NUMBER]
    texts, blank = bool(kinds & {Kind.TEXT, Kind.BOOL, Kind.ERROR}), Kind.BLANK in kinds
    found: dict[str, str] = {}
    if not texts and not blank:
        found["containsSemiMixedTypes"] = "0"
    if is_date and not texts and (len(known) or blank):
        found["containsNonDate"] = "0"
    if not len(known) and not texts and blank:
        found["containsNonDate"] = "0"
    if is_date and len(known):
        found["containsDate"] = "1"
    if not texts:
        found["containsString"] = "0"
    if blank:
        found["containsBlank"] = "1"
    if texts and len(known):
        found["containsMixedTypes"] = "1"
    if len(known) and not is_date:
        found["containsNumber"] = "1"
        if bool((known == np.rint(known)).all()):
            found["containsInteger"] = "1"
        found |= {"minValue": number_text(float(known.min())), "maxValue": number_text(float(known.max()))}
    elif len(known):
        found |= {"minDate": _moment(float(known.min())), "maxDate": _moment(float(known.max()))}
    return found


def _spelled(value: Value, *, is_date: bool) -> tuple[str, str | None]:
    """An item's element and text (18.10.1.17, .27, .50, .60, .85, .4)."""
    if value is None:
        return "m", None
    if isinstance(value, bool):
        return "b", str(int(value))
    if isinstance(value, float):
        return ("d", _moment(value)) if is_date else ("n", number_text(value))
    return ("e", value.text) if isinstance(value, CellError) else ("s", value)


@lru_cache(1 << 12)
def _moment(serial: float) -> str:
    """A day or moment as the standard spells it (22.9.2.6)."""
    if float(serial).is_integer() and _PLAIN_DAYS[0] <= serial <= _PLAIN_DAYS[1]:
        return f"{date.fromordinal(_EPOCH + int(serial)).isoformat()}T00:00:00"
    return show(serial, 'yyyy-mm-dd"T"hh:mm:ss').text


def _write_groups(element: etree._Element, field: StoreField, grouping: Grouping) -> None:
    group = child(element, "fieldGroup")
    assert group is not None
    ranges, sets = child(group, "rangePr"), child(group, "discretePr")
    if ranges is not None and grouping.by == "range":
        ranges.set("startNum", number_text(grouping.start))
        ranges.set("endNum", number_text(grouping.end))
    elif ranges is not None:
        ranges.set("startDate", _moment(grouping.start))
        ranges.set("endDate", _moment(grouping.end))
    if sets is not None:
        for one in list(sets):
            sets.remove(one)
        for place in grouping.sets:
            etree.SubElement(sets, tag(sets, "x"), v=str(place))
        sets.set("count", str(len(grouping.sets)))
    listed = child(group, "groupItems")
    if listed is None:
        return
    for one in list(listed):
        listed.remove(one)
    for value in field.items:
        name, text = _spelled(value, is_date=False)
        one = etree.SubElement(listed, tag(listed, name))
        if text is not None:
            one.set("v", escape_controls(text))
    listed.set("count", str(len(field.items)))


# -- records ---------------------------------------------------------------------------------------------


def records_part(store: Store) -> Iterator[bytes]:
    """The records of a store (18.10.1.68), piece by piece."""
    yield (
        f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<pivotCacheRecords xmlns="{MAIN}" '
        f'xmlns:r="{RELATIONS}" count="{store.height}">'
    ).encode()
    fields = [_Pieces(field) for field in store.fields if field.values is not None]

    def chunk(start: int) -> bytes:
        stop = min(start + _CHUNK, store.height)
        pieces = [constant(b"<r>", stop - start)]
        for field in fields:
            pieces += field.pieces(start, stop)
        pieces.append(constant(b"</r>", stop - start))
        return joined(pieces)

    yield from map_in_order(chunk, range(0, store.height, _CHUNK))
    yield b"</pivotCacheRecords>"


class _Pieces:
    """A field's part of each record: the place of its item, or its value."""

    def __init__(self, field: StoreField) -> None:
        assert field.values is not None
        self._values, self._is_date = field.values, field.is_date
        self._codes = field.base_codes if field.listed else None
        self._tags: list[bytes] = []
        if field.listed and len(_own_items(field) or ()) <= _FEW:
            self._tags = [b'<x v="%d"/>' % place for place in range(len(_own_items(field) or ()))]

    def pieces(self, start: int, stop: int) -> Iterator[np.ndarray]:
        if self._codes is not None:
            codes = self._codes[start:stop]
            if self._tags:
                yield choose(self._tags, codes)
                return
            yield constant(b'<x v="', stop - start)
            yield whole_digits(codes)
            yield constant(b'"/>', stop - start)
            return
        values = self._values.slice(start, stop)
        if bool((values.kinds == Kind.NUMBER).all()) and not self._is_date:
            yield constant(b'<n v="', stop - start)
            yield numbers(values.numbers)
            yield constant(b'"/>', stop - start)
            return
        groups, distinct = values.groups()
        yield choose([self._tag(value) for value in distinct], groups.astype(np.int64))

    def _tag(self, value: Value) -> bytes:
        name, text = _spelled(value, is_date=self._is_date)
        return f"<{name}/>".encode() if text is None else f'<{name} v="{escape_attribute(text)}"/>'.encode()
