"""A sheet of a finished pack that sums up rows: its fields, values, order and totals, found by matching its numbers."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from tinquire.base.faults import TinQuireError
from tinquire.cells.total_words import begins_total
from tinquire.cells.values import Value
from tinquire.tables import Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import PivotField, PivotValue, make_pivot

__all__ = ["pivot_of"]

_WAYS = ("sum", "count", "average", "smallest", "largest", "distinct")
_COUNTS = ("count", "distinct")
_CLOSE = 1e-7
_Key = tuple[Value, ...]


def pivot_of(
    table: Table, headings: Sequence[str], lines: Sequence[Sequence[Value]], above: Sequence[str] = ()
) -> dict[str, Any] | None:
    """A block of cells as a pivot of a table's rows, in the words of a docket; None where it is none. `above` are the
    labels over the headings of values, where it has two rows of them."""
    if above:
        return _of_two_rows(table, headings, lines, above)
    for count in (1, 2, 3):
        fields = list(headings[:count])
        if len(headings) <= count or any(name not in table.headings for name in fields):
            return None
        last = lines[-1][0]
        named = isinstance(last, str) and (begins_total(last) or last.casefold().startswith("all "))
        # A last line may be the total, or the rest under a name like one.
        for total in (str(last), None) if named and len(lines) > 1 else (None,):
            body, end = (lines[:-1], lines[-1]) if total is not None else (lines, None)
            found = _Block(table, fields, headings[count:], list(body), end, total).pivot()
            if found is not None:
                return found
    return None


class _Block:
    """Lines with labels under some fields, values under other headings, and perhaps a line of totals."""

    def __init__(
        self, table: Table, fields: Sequence[str], heads: Sequence[str], body: Sequence[Sequence[Value]],
        totals: Sequence[Value] | None, total: str | None,
    ) -> None:  # fmt: skip
        self.table, self.fields, self.heads, self.body, self.totals, self.total = (
            table,
            fields,
            heads,
            body,
            totals,
            total,
        )
        self.labels = [tuple(line[: len(fields)]) for line in body]
        self.rest: _Key | None = None
        self._made: dict[tuple[str, str], dict[_Key, Value]] = {}

    def pivot(self) -> dict[str, Any] | None:
        there = set(zip(*(self.table.column(name).to_list() for name in self.fields), strict=True))
        shown = set(self.labels)
        # Of rows that have no label twice there is nothing to be summed up.
        if len(shown) < len(self.labels) or len(there) == self.table.height:
            return None
        if shown != there:
            # The first so many, and the rest together under a name of its own.
            cut = len(self.fields) == 1 and shown - {self.labels[-1]} < there and self.labels[-1] not in there
            if not cut or len(self.labels) < 3:
                return None
            self.rest = self.labels[-1]
        keys = self._values() or self._across()
        if keys is None or not self._adds_up(keys):
            return None
        totals = {"totals": self.total} if self.total is not None else {}
        return {"rows": self._rows(keys), **keys, **totals}

    def _adds_up(self, keys: Mapping[str, Any]) -> bool:
        """Whether the line of totals is what the lines above come to, of values that can be added."""
        if self.totals is None:
            return True
        added = [one for one in keys["values"] for way in one if way in ("sum", "count")]
        if len(added) < len(keys["values"]):
            return True
        columns = zip(*(line[len(self.fields) :] for line in self.body), strict=True)
        sums = [sum(value for value in column if isinstance(value, float)) for column in columns]
        return all(_is(one, other) for one, other in zip(sums, self.totals[len(self.fields) :], strict=True))

    # -- values --------------------------------------------------------------------------------------------

    def _values(self) -> dict[str, Any] | None:
        found: list[dict[str, str]] = []
        for place, heading in enumerate(self.heads):
            column = [line[len(self.fields) + place] for line in self.body]
            value = self._value(heading, column) or self._share(column, found, heading)
            if value is None:
                return None
            found.append(value)
        return {"values": found} if found else None

    def _value(self, heading: str, wanted: Sequence[Value]) -> dict[str, str] | None:
        for way, column in self._ways(heading):
            groups = self._grouped(way, column)
            if groups and all(_is(groups.get(label), value) for label, value in zip(self.labels, wanted, strict=True)):
                return {way: column, **({"as": heading} if heading != column else {})}
        return None

    def _share(
        self, wanted: Sequence[Value], before: Sequence[Mapping[str, str]], heading: str
    ) -> dict[str, str] | None:
        """Of all that a value before it comes to."""
        for value in before:
            ((way, column),) = ((key, one) for key, one in value.items() if key != "as")
            groups = self._grouped(way, column)
            whole = sum(one for one in groups.values() if isinstance(one, float))
            shares = [one / whole if isinstance(one, float) and whole else None for one in map(groups.get, self.labels)]
            if all(_is(one, other) for one, other in zip(shares, wanted, strict=True)):
                return {way: column, "as": heading, "show": "share"}
        return None

    def _ways(self, heading: str) -> Iterator[tuple[str, str]]:
        """Ways and columns to try: columns that the heading speaks of first, and counts of what tells rows apart."""
        said = heading.casefold()
        order = sorted(self.table.headings, key=lambda name: (name.casefold() != said, name.casefold()[:4] != said[:4]))
        yield from (
            (way, column) for column in order if column not in self.fields for way in _WAYS if way not in _COUNTS
        )
        different = {name: len(set(self.table.column(name).to_list())) for name in order}
        for way in _COUNTS:
            yield from ((way, column) for column in sorted(order, key=lambda name: -different[name]))

    def _grouped(self, way: str, column: str, across: str | None = None) -> dict[_Key, Value]:
        """A value of each group, by its labels."""
        key = way, f"{column}\0{across or ''}"
        if key not in self._made:
            names = [*self.fields, *([across] if across else [])]
            try:
                made = make_pivot(
                    self.table, [PivotField(name) for name in names], [], [PivotValue(column, Aggregation(way), "\0")]
                ).as_table()
            except TinQuireError:
                self._made[key] = {}
                return {}
            columns = [one.to_list() for one in made.columns]
            groups = dict(zip(zip(*columns[:-1], strict=True), columns[-1], strict=True))
            self._made[key] = self._with_rest(groups, way) if self.rest is not None and across is None else groups
        return self._made[key]

    def _with_rest(self, groups: dict[_Key, Value], way: str) -> dict[_Key, Value]:
        """What the groups that are not shown come to, added."""
        assert self.rest is not None
        others = [value for label, value in groups.items() if label not in set(self.labels)]
        kept = {label: value for label, value in groups.items() if label in set(self.labels)}
        if way in ("sum", "count"):
            kept[self.rest] = sum(value for value in others if isinstance(value, float))
        return kept

    def _across(self) -> dict[str, Any] | None:
        """A column for each value of another column, and perhaps one of totals."""
        last = self.heads[-1]
        totals = last if begins_total(last) or last.casefold().startswith("all ") else None
        heads = list(self.heads[:-1] if totals is not None else self.heads)
        for name in self.table.headings:
            values = {_spelled(value): value for value in self.table.column(name).to_list()}
            if name in self.fields or set(values) != set(heads):
                continue
            for column in self.table.headings:
                for way in _WAYS[:3]:
                    groups = self._grouped(way, column, name)
                    if groups and self._fits(groups, [values[head] for head in heads]):
                        empty = (
                            0 if any(value == 0.0 for line in self.body for value in line[len(self.fields) :]) else None
                        )
                        return {
                            "columns": [name], "values": [{way: column}],
                            **({"empty": empty} if empty is not None else {}),
                            **({"totals_across": totals} if totals is not None else {}),
                        }  # fmt: skip
        return None

    def _fits(self, groups: Mapping[_Key, Value], heads: Sequence[Value]) -> bool:
        start = len(self.fields)
        return all(
            _is(groups.get((*label, head)) or 0.0, line[start + place] or 0.0)
            for label, line in zip(self.labels, self.body, strict=True)
            for place, head in enumerate(heads)
        )

    # -- order ---------------------------------------------------------------------------------------------

    def _rows(self, keys: Mapping[str, Any]) -> list[Any]:
        """The row fields, the first with its order where that is not the usual one."""
        if len(self.fields) > 1:
            return list(self.fields)
        (field,) = self.fields
        labels = [label[0] for label in self.labels]
        if self.rest is not None:
            return [{"field": field, "top": len(labels) - 1, "rest": labels[-1]}]
        if labels == sorted(
            labels, key=lambda one: (isinstance(one, str), one is None, one if one is not None else "")
        ):
            return [field]
        first = [line[1] for line in self.body]
        if all(isinstance(value, float) for value in first) and "columns" not in keys:
            column = next(one for key, one in keys["values"][0].items() if key not in ("as", "show"))
            name = keys["values"][0].get("as", column)
            if first == sorted(first, reverse=True):  # type: ignore[type-var]
                return [{"field": field, "sort": f"-{name}"}]
            if first == sorted(first):  # type: ignore[type-var]
                return [{"field": field, "sort": name}]
        return [{"field": field, "order": labels}]


def _of_two_rows(
    table: Table, headings: Sequence[str], lines: Sequence[Sequence[Value]], above: Sequence[str]
) -> dict[str, Any] | None:
    """A pivot with several values for each value of a column."""
    field, names = headings[0], list(dict.fromkeys(headings[1:]))
    if field not in table.headings:
        return None
    found: dict[str, Any] | None = None
    values: list[dict[str, str]] = []
    for name in names:
        places = [place for place in range(1, len(headings)) if headings[place] == name]
        cut = [[line[0], *(line[place] for place in places)] for line in lines]
        one = pivot_of(table, [field, *(above[place - 1] for place in places)], cut)
        if one is None or "columns" not in one or (found is not None and one["columns"] != found["columns"]):
            return None
        ((way, column),) = one["values"][0].items()
        values.append({way: column, **({"as": name} if name != column else {})})
        found = found or one
    return None if found is None else {**found, "values": values}


def _spelled(value: Value) -> str:
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


def _is(one: Value, other: Value) -> bool:
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= _CLOSE * max(1.0, abs(other))
    return not isinstance(one, float) and not isinstance(other, float) and (one or None) == (other or None)
