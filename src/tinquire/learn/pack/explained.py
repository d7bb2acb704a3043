"""A list of a finished pack explained by the rows that it was made of: which it shows, which columns come from which
source, by which keys, and which formulas derive the others."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tinquire.cells.dates import DateSystem
from tinquire.cells.values import Value
from tinquire.learn.derive import derived, rewritten
from tinquire.learn.lists import keyed, matched_rows
from tinquire.learn.pack.known import Known
from tinquire.learn.rows import conditions, sort_keys, unique_by
from tinquire.learn.values import said_value
from tinquire.tables.types import number_in

__all__ = ["Explained", "Shown", "explained"]

#: Texts that stand for other values, at most.
_REPLACED = 20


@dataclass(frozen=True)
class Shown:
    """A list as a sheet of the pack shows it: values by heading, and the formulas over headings that columns have."""

    values: Mapping[str, Sequence[Value]]
    formulas: Mapping[str, str] = field(default_factory=dict)

    @property
    def height(self) -> int:
        return len(next(iter(self.values.values()), ()))


@dataclass
class Explained:
    """What a list is made of: steps on the rows of `base`, stamps of the source, where each column comes from in words,
    and the columns that nothing explains."""

    base: Known
    steps: list[dict[str, Any]] = field(default_factory=list)
    stamps: dict[str, str] = field(default_factory=dict)
    words: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    types: dict[str, str] = field(default_factory=dict)
    #: What stands in the source for a value that the list shows, by column: `{ Pieces = { none = 0 } }`.
    read_as: dict[str, dict[str, Value]] = field(default_factory=dict)
    #: Types that columns of the source turn out to have.
    retyped: dict[str, str] = field(default_factory=dict)
    #: All conditions that tell which rows are left out, and how many columns told which rows there are.
    readings: list[str] = field(default_factory=list)
    #: Types that keys of other tables must have to be found: table, column, type.
    key_types: list[tuple[str, str, str]] = field(default_factory=list)
    told_by: int = 0


def explained(shown: Shown, known: Sequence[Known], system: DateSystem) -> Explained | None:
    """The list's explanation by the rows that explain most of its columns in the fewest steps; None where no rows are
    those of the list."""
    found = [one for base in known if (one := _by_rows(shown, base, known, system)) is not None]
    return min(found, key=lambda one: (len(one.left), one.told_by < 2, len(one.steps)), default=None)


def _by_rows(shown: Shown, base: Known, known: Sequence[Known], system: DateSystem) -> Explained | None:
    names = dict(_same(shown, base))
    if not names or base.height < shown.height:
        return None
    order = matched_rows(
        base.values, {old: shown.values[new] for new, old in names.items()}, (base.height, shown.height)
    )
    if order is None or len(set(order)) < len(order):
        return None
    names = {
        new: old for new, old in names.items() if _equal([base.values[old][row] for row in order], shown.values[new])
    }
    alone = len(names) == 1 and (shown.height != base.height or not set(names.values()) & set(base.keys))
    if not names or (alone and len(shown.values) > 1):
        return None
    return _Explainer(shown, base, known, system, names, order).all()


def _same(shown: Shown, base: Known) -> Iterator[tuple[str, str]]:
    """Headings of the list with columns of the rows that have all of its values: of the same name first."""
    taken: set[str] = set()
    for name, values in shown.values.items():
        held = Counter(keyed(values))
        order = sorted(base.values, key=lambda one: (one.casefold() != name.casefold(), one in shown.values))
        for one in order:
            if one in taken or (len(held) < 2 and one.casefold() != name.casefold()):
                continue
            if not held - Counter(keyed(base.values[one])):
                taken.add(one)
                yield name, one
                break


def _equal(one: Sequence[Value], other: Sequence[Value]) -> bool:
    return keyed(one) == keyed(other)


class _Explainer:
    """One list explained by one set of rows; `names` are its headings with their columns, `order` the row of each of
    its rows."""

    def __init__(
        self, shown: Shown, base: Known, known: Sequence[Known], system: DateSystem, names: Mapping[str, str],
        order: Sequence[int],
    ) -> None:  # fmt: skip
        self.shown, self.base, self.known, self.system, self.order = shown, base, known, system, order
        self.names = dict(names)
        self.found = Explained(base)
        #: All columns that are there, for all rows of the base, under the names they have once renamed.
        self.columns: dict[str, list[Value]] = {}

    def all(self) -> Explained:
        found = self.found
        found.told_by = len(self.names)
        renames = {old: new for new, old in self.names.items() if old != new and new not in self.base.values}
        self.columns = {renames.get(old, old): list(values) for old, values in self.base.values.items()}
        found.types = {renames.get(old, old): kind for old, kind in self.base.types.items()}
        for new, old in self.names.items():
            if renames.get(old) == new:
                found.words.append(f"'{new}' is '{old}'")
        wanted = [name for name in self.shown.values if name not in self.columns or not self._is_here(name)]
        changes = list(self._changed([name for name in wanted if name in self.columns]))
        self._stamped(wanted)
        before = self._rows()
        matches = list(self._matched(wanted))
        after = [] if before is not None else self._rows_by_brought()
        derives = list(self._derived(wanted))
        found.steps += [{"rename": renames}] if renames else []
        found.steps += before or []
        found.steps += changes
        found.steps += matches
        found.steps += after
        found.steps += derives
        found.steps += self._sorted()
        found.left += [name for name in wanted if name not in self.columns]
        return found

    def _cut(self, name: str) -> list[Value]:
        """A column in the rows of the list."""
        return [self.columns[name][row] for row in self.order]

    def _is_here(self, name: str) -> bool:
        return _equal(self._cut(name), self.shown.values[name])

    # -- columns -------------------------------------------------------------------------------------------

    def _changed(self, names: Sequence[str]) -> Iterator[dict[str, Any]]:
        """Columns whose values became others: texts read as a value, values replaced, or worked out anew. Those that
        nothing explains are no longer there."""
        for name in names:
            before, after = self._cut(name), self.shown.values[name]
            became: dict[tuple[type, Value], set[tuple[type, Value]]] = {}
            for one, other in zip(keyed(before), keyed(after), strict=True):
                became.setdefault(one, set()).add(other)
            others = {one: next(iter(found)) for one, found in became.items() if found != {one}}
            texts = all(isinstance(value, str) for _, value in others)
            mapping = {str(one[1]): other[1] for one, other in others.items()}
            if texts and all(len(became[one]) == 1 for one in others):
                mapping = self._retyped(name, mapping)
            if texts and len(mapping) <= _REPLACED and all(len(became[one]) == 1 for one in others):
                self.columns[name] = [
                    mapping.get(one, one) if isinstance(one, str) else one for one in self.columns[name]
                ]
                words = ", ".join(f"'{old}' is {said_value(new)}" for old, new in mapping.items())
                if not mapping:
                    continue
                self.found.words.append(f"in '{name}' {words}")
                if any(isinstance(value, float) for value in mapping.values()):
                    self.found.read_as[name] = mapping
                else:
                    yield {"replace": name, "values": {old: "" if new is None else new for old, new in mapping.items()}}
                continue
            formula = None if set("[]@#:'") & set(name) else rewritten(name, before, after, self.system)
            if formula is None:
                del self.columns[name]
                continue
            filled: list[Value] = [None] * self.base.height
            for place, row in enumerate(self.order):
                filled[row] = after[place]
            self.columns[name] = filled
            self.found.words.append(f"'{name}' becomes {formula}")
            yield {"derive": name, "as": formula}

    def _retyped(self, name: str, mapping: dict[str, Value]) -> dict[str, Value]:
        """Of texts that became values, those that are no number of themselves, where most are: the column is one of
        numbers, with texts that stand for some."""
        plain = {
            text: value for text, value in mapping.items() if isinstance(value, float) and number_in(text) == value
        }
        if not plain or not all(isinstance(value, float) for value in mapping.values()):
            return mapping
        self.columns[name] = [plain.get(one, one) if isinstance(one, str) else one for one in self.columns[name]]
        whole = all(value.is_integer() for value in plain.values() if isinstance(value, float))
        self.found.types[name] = self.found.retyped[name] = "whole" if whole else "number"
        return {text: value for text, value in mapping.items() if text not in plain}

    def _stamped(self, wanted: Sequence[str]) -> None:
        """Columns that say which file a row came from."""
        if len(set(self.base.stems)) < 2:
            return
        ways: dict[str, Callable[[str], str]] = {
            "": str, " as title": str.title, " as upper": str.upper, " as lower": str.lower,
        }  # fmt: skip
        for name in wanted:
            for words, way in ways.items():
                every: list[Value] = [way(stem) for stem in self.base.stems]
                if name not in self.columns and _equal([every[row] for row in self.order], self.shown.values[name]):
                    self.columns[name] = every
                    self.found.stamps[name] = self.base.stem_slot.replace(":]", f"{words}:]")
                    self.found.words.append(f"'{name}' is the file's name")

    def _matched(self, wanted: Sequence[str]) -> Iterator[dict[str, Any]]:
        """Columns brought from other rows by a key."""
        for other in self.known:
            if other is self.base:
                continue
            open_names = [name for name in wanted if name not in self.columns]
            best = max(self._brought(other, open_names), key=lambda found: len(found[2]), default=None)
            if best is None:
                continue
            here, key, bring, clean, rows = best
            for name, column in bring.items():
                values = other.values[column]
                self.columns[name] = [None if row is None else values[row] for row in rows]
                if column in other.types:
                    self.found.types[name] = other.types[column]
            same = all(name == column for name, column in bring.items())
            step: dict[str, Any] = {
                "match": other.name,
                "on": {here: key},
                **self._as_one_type(other, key, here, clean),
            }
            step["bring"] = list(bring) if same else {column: name for name, column in bring.items()}
            brought = ", ".join(f"'{name}'" for name in bring)
            self.found.words.append(
                f"{brought} from '{other.name}', by '{here}'" + (f" = '{key}'" if here != key else "")
            )
            # A key that some rows lack leaves blanks, as it did in the pack.
            if any(rows[row] is None for row in self.order):
                step["unmatched"] = "blank"
            yield step

    def _as_one_type(self, other: Known, key: str, here: str, clean: bool) -> dict[str, Any]:
        """What makes keys of two types one: the other table's is read as the type that the key has here."""
        own, there = (one in ("whole", "number") for one in (self.found.types.get(here), other.types.get(key)))
        if own != there:
            self.found.key_types.append((other.name, key, "whole" if own else "text"))
        return {"clean": ["zeros"]} if clean and (there or not own) else {}

    def _brought(
        self, other: Known, wanted: Sequence[str]
    ) -> Iterator[tuple[str, str, dict[str, str], bool, list[int | None]]]:  # fmt: skip
        """Keys by which another table gives columns that are wanted: key here and there, columns by the name they get,
        whether zeros before numbers are left out of account, and the row of each row."""
        for key, places in other.keys.items():
            for here, values in self.columns.items():
                for clean in (False, True):
                    rows = _rows_by_key(values, places, clean=clean)
                    if sum(rows[row] is not None for row in self.order) * 10 < 9 * len(self.order):
                        continue
                    bring = dict(self._columns_by(other, key, rows, wanted))
                    if bring:
                        yield here, key, bring, clean, rows
                    break

    def _columns_by(
        self, other: Known, key: str, rows: Sequence[int | None], wanted: Sequence[str]
    ) -> Iterator[tuple[str, str]]:  # fmt: skip
        cut = [rows[row] for row in self.order]
        for name in wanted:
            order = sorted(other.values, key=lambda one: one.casefold() != name.casefold())
            for column in order:
                values = other.values[column]
                if column != key and _equal(
                    [None if row is None else values[row] for row in cut], self.shown.values[name]
                ):
                    yield name, column
                    break

    def _derived(self, wanted: Sequence[str]) -> Iterator[dict[str, Any]]:
        """Columns that a formula gives: the one that stands in the pack, or one that is found. Columns that other
        tables could bring, though the pack does not show them, are tried as well."""
        for _ in wanted:
            for name in [one for one in wanted if one not in self.columns]:
                formula = self._formula(name)
                if formula is None:
                    continue
                yield from self._hidden_matches(formula)
                kind = self.found.types.get(name)
                yield {"derive": name, "as": formula, **({"type": kind} if kind else {})}
                self.found.words.append(f"'{name}' = {formula}")
                filled: list[Value] = [None] * self.base.height
                for place, row in enumerate(self.order):
                    filled[row] = self.shown.values[name][place]
                self.columns[name] = filled

    def _formula(self, name: str) -> str | None:
        stated = self.shown.formulas.get(name)
        if stated is not None and all(f"[{one}]" not in stated for one in self.shown.values if one not in self.columns):
            return stated.lstrip("=")
        near = {one: self._cut(one) for one in self.columns}
        found = derived(self.shown.values[name], near, self.system)
        if found is not None:
            return found
        more = {**near, **{one: values for one, (*_, values) in self._reachable().items()}}
        found = derived(self.shown.values[name], more, self.system) if len(more) > len(near) else None
        return found or self._summed(name)

    def _summed(self, name: str) -> str | None:
        """A count or a sum over the rows of another table that have the row's own value, or a share of all of them."""
        wanted = self.shown.values[name]
        if not all(isinstance(value, float) for value in wanted):
            return None
        for other in self.known:
            for key, there in other.values.items():
                for here in [one for one in self.columns if set(keyed(self._cut(one))) <= set(keyed(there))]:
                    found = self._summed_by(other, key, here, wanted)
                    if found is not None:
                        return found
        return self._share(wanted)

    def _summed_by(self, other: Known, key: str, here: str, wanted: Sequence[Value]) -> str | None:
        own, places = keyed(self._cut(here)), keyed(other.values[key])
        counts = Counter(places)
        if _close([float(counts[one]) for one in own], wanted):
            return f"COUNTIFS({other.name}[{key}], [{here}])"
        for column, values in other.values.items():
            if not any(isinstance(value, float) for value in values):
                continue
            sums: dict[object, float] = {}
            for place, value in zip(places, values, strict=True):
                sums[place] = sums.get(place, 0.0) + (value if isinstance(value, float) else 0.0)
            if _close([sums.get(one, 0.0) for one in own], wanted):
                return f"SUMIFS({other.name}[{column}], {other.name}[{key}], [{here}])"
        return None

    def _share(self, wanted: Sequence[Value]) -> str | None:
        """A column's part of what all rows of a table come to."""
        for name in self.shown.values:
            if name not in self.columns:
                continue
            values = self._cut(name)
            numbers = [value for value in values if isinstance(value, float)]
            if len(numbers) < len(values):
                continue
            for other in self.known:
                for column, every in other.values.items():
                    whole = sum(value for value in every if isinstance(value, float))
                    if whole and _close([number / whole for number in numbers], wanted):
                        return f"[{name}] / SUM({other.name}[{column}])"
        return None

    def _reachable(self) -> dict[str, tuple[Known, str, str, bool, list[Value]]]:
        """Columns that other tables could bring by keys that are there: the table, its key and that here, whether zeros
        before numbers are left out of account, and the values in the rows of the list."""
        found: dict[str, tuple[Known, str, str, bool, list[Value]]] = {}
        for other in self.known:
            for key, places in other.keys.items() if other is not self.base else ():
                for here in list(self.columns):
                    ways = ((clean, _rows_by_key(self.columns[here], places, clean=clean)) for clean in (False, True))
                    for clean, rows in ways:
                        own = [place for row in self.order if (place := rows[row]) is not None]
                        if len(own) < len(self.order):
                            continue
                        for column, values in other.values.items():
                            if column not in self.columns:
                                found.setdefault(column, (other, key, here, clean, [values[place] for place in own]))
                        break
        return found

    def _hidden_matches(self, formula: str) -> Iterator[dict[str, Any]]:
        for column, (other, key, here, clean, cut) in self._reachable().items():
            if f"[{column}]" in formula:
                filled: list[Value] = [None] * self.base.height
                for row, value in zip(self.order, cut, strict=True):
                    filled[row] = value
                self.columns[column] = filled
                self.found.words.append(f"'{column}' from '{other.name}', by '{here}', not shown")
                more = self._as_one_type(other, key, here, clean)
                yield {"match": other.name, "on": {here: key}, **more, "bring": [column]}

    # -- rows ----------------------------------------------------------------------------------------------

    def _rows(self) -> list[dict[str, Any]] | None:
        """Steps for the rows that the list does not have, by what the rows held at first; None where nothing tells."""
        gone = frozenset(range(self.base.height)) - set(self.order)
        if not gone:
            return []
        repeated = unique_by(self.columns, gone)
        if repeated:
            # The fewest headings that tell: a ticket that comes twice, not a row that does.
            asked = min(repeated, key=len)
            self.found.words.append(f"rows that repeat an earlier one under {', '.join(asked)} are left out")
            return [{"unique": asked, "keep": "first"}]
        texts = self.found.readings = conditions(self.columns, gone)
        if texts:
            self.found.words.append(f"rows where {texts[0]} are left out")
            return [{"drop_rows": texts[0]}]
        return None

    def _rows_by_brought(self) -> list[dict[str, Any]]:
        """The same by the columns that were brought."""
        gone = frozenset(range(self.base.height)) - set(self.order)
        texts = conditions(self.columns, gone)
        if texts:
            self.found.words.append(f"rows where {texts[0]} are left out")
            return [{"drop_rows": texts[0]}]
        self.found.left.append(f"which rows are left out ({len(gone)} of {self.base.height})")
        return []

    def _sorted(self) -> list[dict[str, Any]]:
        if list(self.order) == sorted(self.order):
            return []
        straight = sorted(self.order)
        place = {row: number for number, row in enumerate(straight)}
        values = {
            name: [self.columns[name][row] for row in straight] for name in self.shown.values if name in self.columns
        }
        keys = sort_keys(values, [place[row] for row in self.order])
        if keys is None:
            self.found.left.append("the order of the rows")
            return []
        self.found.words.append(f"sorted by {', '.join(keys)}")
        return [{"sort": keys}]


def _close(one: Sequence[float], other: Sequence[Value]) -> bool:
    pairs = zip(one, other, strict=True)
    return all(isinstance(b, float) and abs(a - b) <= 1e-7 * max(1.0, abs(b)) for a, b in pairs)


def _rows_by_key(values: Sequence[Value], places: Mapping[tuple[type, Value], int], *, clean: bool) -> list[int | None]:
    """The row of a key for each value; `clean` leaves zeros before numbers out of account."""
    if not clean:
        return [places.get(key) for key in keyed(values)]
    bare = {_bare(key[1]): row for key, row in places.items()}
    if len(bare) < len(places):
        return [None] * len(values)
    return [bare.get(_bare(value)) if value is not None else None for value in values]


def _bare(value: Value) -> str:
    text = str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)
    return text.strip().lstrip("0").casefold() if text.strip().isdigit() else text.strip().casefold()
