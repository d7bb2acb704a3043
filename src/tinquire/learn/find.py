"""The steps that lead from one state of a workbook to another, in general terms: by heading before address, to the last
row instead of to row 217, by conditions instead of lists of rows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from tinquire.base.wording import listed
from tinquire.cells.address import cell_name, column_name
from tinquire.cells.values import CellError, Value
from tinquire.formula.language.mentions import change_mentions, offset_text
from tinquire.learn.dress import dress_steps, look_change
from tinquire.learn.lists import Key, SheetList, keyed, matched_rows, seen_list
from tinquire.learn.prove import differences, has_formulas
from tinquire.learn.rows import conditions, repeated_under, sort_keys, unique_by
from tinquire.learn.steps import Learned, Step
from tinquire.tables.totals import TOTALS
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.grid.cell_formulas import text_at

__all__ = ["find_steps"]

#: More values than these that became others, one by one, are no mapping but another column.
_MAPPED, _SINGLE = 40, 25


def find_steps(before: Workbook, after: Workbook) -> Learned:
    """What was done. Sheets are those of the same name, or, where one is gone and one is new, that of the same
    headings."""
    learned = Learned()
    names = dict(_renamed(before, after))
    for old, new in names.items():
        learned.steps.append(Step({"sheet": old, "rename_sheet": new}, f"the sheet '{old}' is called '{new}'", 1))
    common = [name for name in before.sheet_names() if name in after.sheet_names()]
    pairs = [(name, name) for name in common] + list(names.items())
    changed = [(one, other) for one, other in pairs if _differ(before, after, one, other)]
    for old, new in changed:
        # Of several sheets a step has to say which it means; of one it holds for whatever sheet has the headings.
        where = {} if len(changed) == 1 and not names else {"sheet": new}
        learned.steps += _SheetSteps(before, after, old, new, where).all()
    return learned


def _renamed(before: Workbook, after: Workbook) -> Iterator[tuple[str, str]]:
    gone = [name for name in before.sheet_names() if name not in after.sheet_names()]
    new = [name for name in after.sheet_names() if name not in before.sheet_names()]
    for name in gone:
        one = seen_list(before, name)
        for other in new:
            seen = seen_list(after, other)
            if one is not None and seen is not None and set(one.headings) & set(seen.headings):
                new.remove(other)
                yield name, other
                break


def _differ(before: Workbook, after: Workbook, old: str, new: str) -> bool:
    """Whether a sheet's cells, looks or set-up are others than before."""
    return next(iter(differences(before, after, old, new, 0)), None) is not None


class _SheetSteps:
    """The steps of one sheet, found one after the other as they will be done."""

    def __init__(self, before: Workbook, after: Workbook, old: str, new: str, where: Mapping[str, str]) -> None:
        self.before, self.after = before, after
        self.old, self.new = before.sheet(old), after.sheet(new)
        self.where = dict(where)
        self.steps: list[Step] = []

    def step(
        self, keys: dict[str, Any], says: str, cells: int, others: Sequence[tuple[dict[str, Any], str]] = ()
    ) -> None:
        more = tuple(({**self.where, **other}, words) for other, words in others)
        self.steps.append(Step({**self.where, **keys}, says, cells, more))

    def all(self) -> list[Step]:
        one = seen_list(self.before, self.old.name)
        other = seen_list(self.after, self.new.name, one.headings if one else ())
        if one is None or other is None:
            self._single_cells({})
            return self.steps
        was = self._columns(one, other)
        kept = {old: other.values[new] for new, old in was.items()}
        order = matched_rows(one.values, kept, (one.height, other.height))
        if order is None:
            return self.steps  # rows are new: nothing below the headings can be told apart
        self._rows(one, order, was)
        self._values(one, other, order, was)
        self._new_columns(one, other, was)
        self._sorted(one, order, was)
        self.steps += dress_steps(self.before, self.after, one, other, order, was, self.where)
        self._totals(one, other)
        self._around(one, other)
        return self.steps

    # -- columns -----------------------------------------------------------------------------------------

    def _columns(self, one: SheetList, other: SheetList) -> dict[str, str]:
        """The headings after, with what they were before; new ones are not among them."""
        was = {name: name for name in other.headings if name in one.headings}
        gone = [name for name in one.headings if name not in was]
        for name in [name for name in other.headings if name not in was]:
            held = Counter(keyed(other.values[name]))
            same = next((old for old in gone if not held - Counter(keyed(one.values[old]))), None)
            beside = next((old for old in gone if one.headings.index(old) == other.headings.index(name)), None)
            old = (
                same
                if same is not None and len(held) > 1
                else beside
                if len(one.headings) == len(other.headings)
                else None
            )
            if old is not None and (same is not None or len(gone) == 1):
                was[name] = old
                gone.remove(old)
                self.step({"rename": {old: name}}, f"the heading '{old}' becomes '{name}'", 1)
        if gone:
            names = listed([f"'{name}'" for name in gone])
            self.step(
                {"drop": gone},
                f"without the {'column' if len(gone) == 1 else 'columns'} {names}",
                one.height * len(gone),
            )
        return was

    def _new_columns(self, one: SheetList, other: SheetList, was: Mapping[str, str]) -> None:
        for place, name in enumerate(other.headings):
            if name in was:
                continue
            keys: dict[str, Any] = {"add": name}
            if (place and place < len(other.headings) - 1) or (place and one.below.table is not None):
                keys["after"] = other.headings[place - 1]
            formula = self._formula(other, name)
            values = set(keyed(other.values[name]))
            if formula is not None:
                keys["formula"] = formula
                says = f"a new column '{name}': {formula}"
            elif len(values) == 1 and (value := next(iter(values))[1]) is not None and _is_plain(value):
                keys["value"] = _toml(value)
                says = f"a new column '{name}', with {value!r} in every row"
            else:
                says = f"a new column '{name}'"
            self.step(keys, says, other.height + 1)

    def _formula(self, other: SheetList, name: str) -> str | None:
        """The formula that all rows of a column have, over headings; None where they differ or there is none."""
        column, rows = other.column(name), other.below.rows
        if not has_formulas(self.new, column):
            return None
        texts = []
        for row in rows:
            formula = self.new.formula(row, column)
            if formula is None or formula.array is not None:
                return None
            texts.append(text_at(formula, row, column))
        if any(offset_text(texts[0], row - rows[0], 0) != text for row, text in zip(rows, texts, strict=True)):
            return None
        known = {number: heading for heading, number in zip(other.headings, other.below.columns, strict=True)}
        return "=" + _over_headings(texts[0], rows[0], known)

    # -- rows --------------------------------------------------------------------------------------------

    def _rows(self, one: SheetList, order: Sequence[int], was: Mapping[str, str]) -> None:
        """Rows that are gone: repeated ones, or those of which a condition is true."""
        gone = frozenset(range(one.height)) - set(order)
        if not gone:
            return
        now = {old: name for name, old in was.items()}
        values = {now[old]: column for old, column in one.values.items() if old in now}
        readings = [*_repeats(unique_by(values, gone), values), *_conditions(conditions(values, gone))]
        if readings:
            self.step(*readings[0], len(gone), readings[1:])
            return
        # Neither alone: repeated rows first, then those of which a condition is true.
        for asked in (list(values), *([name] for name in values)):
            repeated = repeated_under(values, asked)
            left = [row for row in range(one.height) if row not in repeated]
            rest = frozenset(place for place, row in enumerate(left) if row in gone)
            if repeated and repeated < gone:
                found = conditions({name: [column[row] for row in left] for name, column in values.items()}, rest)
                if found:
                    ((keys, says),) = _repeats([asked], values)
                    self.step(keys, says, len(repeated))
                    first, *more = _conditions(found)
                    self.step(*first, len(rest), more)
                    return

    def _sorted(self, one: SheetList, order: Sequence[int], was: Mapping[str, str]) -> None:
        if list(order) == sorted(order):
            return
        other = seen_list(self.after, self.new.name)
        assert other is not None
        place = {row: number for number, row in enumerate(order)}
        straight = sorted(order)
        # By what the rows hold when they are sorted, which is what they hold in the end.
        values = {name: [column[place[row]] for row in straight] for name, column in other.values.items()}
        numbers = [straight.index(row) for row in order] if len(order) < 3_000 else _ranks(order)
        keys = sort_keys(values, numbers)
        if keys is not None:
            self.step({"sort": keys}, f"sorted by {listed(keys)}", len(order))

    # -- values ------------------------------------------------------------------------------------------

    def _values(self, one: SheetList, other: SheetList, order: Sequence[int], was: Mapping[str, str]) -> None:
        """What became of the values of columns that are there still."""
        for name, old in was.items():
            formula = self._formula(other, name)
            if formula is not None and self._had(one, old) != formula:
                self.step({"heading": name, "formula": formula}, f"'{name}' is worked out: {formula}", other.height)
            if formula is not None:
                continue
            pairs = [(one.values[old][row], value) for row, value in zip(order, other.values[name], strict=True)]
            changed = [(a, b) for a, b in pairs if (type(a), a) != (type(b), b)]
            if changed:
                self._changed(name, pairs, changed, one, other, order)

    def _had(self, one: SheetList, name: str) -> str | None:
        rows, column = one.below.rows, one.column(name)
        formula = self.old.formula(rows[0], column)
        if formula is None:
            return None
        known = {number: heading for heading, number in zip(one.headings, one.below.columns, strict=True)}
        return "=" + _over_headings(text_at(formula, rows[0], column), rows[0], known)

    def _changed(
        self, name: str, pairs: Sequence[tuple[Value, Value]], changed: Sequence[tuple[Value, Value]], one: SheetList,
        other: SheetList, order: Sequence[int],
    ) -> None:  # fmt: skip
        mapping: dict[Key, set[Key]] = {}
        for a, b in pairs:
            mapping.setdefault((type(a), a), set()).add((type(b), b))
        touched = [(key, next(iter(found))) for key, found in mapping.items() if found != {key}]
        whole = all(len(mapping[key]) == 1 for key, _ in touched)
        part = _part(pairs)
        if part is not None and len(touched) > 1:
            self.step(
                {"heading": name, "replace": dict([part])},
                f"in '{name}', '{part[0]}' becomes '{part[1]}'",
                len(changed),
            )
        elif (
            whole
            and len(touched) <= _MAPPED
            and all(_is_plain(value) for pair in touched for _, value in pair)
            and not _chained(touched)
        ):
            for (_, a), (_, b) in touched:
                count = sum(1 for pair in changed if (type(pair[0]), pair[0]) == (type(a), a))
                says = f"in '{name}', {_said(a)} becomes {_said(b)}"
                self.step({"heading": name, "matching": _match(a), "value": _toml(b)}, says, count)
        elif len(changed) <= _SINGLE:
            for number, (a, b) in enumerate(pairs):
                if (type(a), a) != (type(b), b) and _is_plain(a) and _is_plain(b):
                    at = cell_name(
                        one.below.rows[order[number]], one.column(name) if name in one.headings else other.column(name)
                    )
                    keys = {"sheet": self.old.name, "at": at, "expect": _toml(a), "value": _toml(b)}
                    self.steps.append(Step(keys, f"{at} becomes {_said(b)}", 1))

    # -- totals, and what stands around --------------------------------------------------------------------

    def _totals(self, one: SheetList, other: SheetList) -> None:
        """Totals in the cells below columns, which were blank before."""
        row = other.below.rows[-1] + 1
        for name, column in zip(other.headings, other.below.columns, strict=True):
            formula = self.new.formula(row, column)
            if formula is None:
                continue
            letters, text = column_name(column), text_at(formula, row, column)
            span = f"({letters}{other.below.rows[0]}:{letters}{row - 1})"
            kind = next(
                (key for key, total in TOTALS.items() if text.replace("$", "") == f"{total.function}{span}"), None
            )
            if kind is not None:
                # It is dressed as the last row; what it has beside that goes with it.
                look = look_change(self.after, self.new.style(row - 1, column), self.new.style(row, column))
                self.step({"heading": name, "total": kind, **look}, f"a total below '{name}': {kind}", 1)

    def _around(self, one: SheetList, other: SheetList) -> None:
        """Cells above the headings, which stay where they are."""
        above = min(one.head, other.head)
        if one.head == other.head:
            self._single_cells({"rows": range(1, above)})

    def _single_cells(self, within: Mapping[str, range]) -> None:
        used = [area for area in (self.old.used, self.new.used) if area is not None]
        if not used:
            return
        rows = within.get("rows", range(1, max(area.bottom for area in used) + 1))
        for row in rows:
            for column in range(1, max(area.right for area in used) + 1):
                if len(self.steps) > 200:
                    return
                self._single(row, column)

    def _single(self, row: int, column: int) -> None:
        at = cell_name(row, column)
        formula, had = _text(self.new, row, column), _text(self.old, row, column)
        value, old = self.new.value(row, column), self.old.value(row, column)
        keys: dict[str, Any] = {"sheet": self.old.name, "at": f"{at}:{at}" if formula else at}
        if formula is not None and formula != had:
            self.steps.append(Step({**keys, "formula": f"={formula}"}, f"{at} is worked out: ={formula}", 1))
        elif formula is None and (type(value), value) != (type(old), old) and _is_plain(value) and _is_plain(old):
            guard = {"expect_formula": f"={had}"} if had is not None else {"expect": _toml(old)}
            self.steps.append(Step({**keys, **guard, "value": _toml(value)}, f"{at} becomes {_said(value)}", 1))


def _repeats(found: Sequence[list[str]], values: Mapping[str, Sequence[Value]]) -> list[tuple[dict[str, Any], str]]:
    """Readings of rows that are gone as repeated ones."""
    named = [
        (asked, "all headings" if len(asked) == len(values) else listed([f"'{name}'" for name in asked]))
        for asked in found
    ]
    return [({"unique": asked}, f"without rows that repeat an earlier one under {names}") for asked, names in named]


def _conditions(found: Sequence[str]) -> list[tuple[dict[str, Any], str]]:
    return [({"drop_rows": text}, f"without rows where {text}") for text in found]


def _ranks(order: Sequence[int]) -> list[int]:
    rank = {row: number for number, row in enumerate(sorted(order))}
    return [rank[row] for row in order]


def _text(sheet: Sheet, row: int, column: int) -> str | None:
    formula = sheet.formula(row, column)
    return None if formula is None else text_at(formula, row, column)


def _over_headings(text: str, row: int, known: Mapping[int, str]) -> str:
    """A formula's text with the cells of its own row by their headings."""

    def heading(mention: Any) -> str | None:
        area = mention.area
        fixed = any("$" in corner[0] or "$" in corner[2] for corner in mention.corners)
        if mention.sheets or area is None or fixed or (area.top, area.height, area.width) != (row, 1, 1):
            return None
        found = known.get(area.left)
        return None if found is None or any(sign in found for sign in "[]@#") else f"[{found}]"

    return change_mentions(text, heading)


def _part(pairs: Sequence[tuple[Value, Value]]) -> tuple[str, str] | None:
    """A part of texts that became another wherever it stood; None where that does not explain all pairs."""
    texts = [(a, b) for a, b in pairs if isinstance(a, str)]
    differing = [(a, b) for a, b in texts if a != b]
    if not differing or not all(isinstance(b, str) for _, b in differing):
        return None
    a, b = min(differing, key=lambda pair: len(pair[0]))
    assert isinstance(b, str)
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
        if old and (first, last) != (0, len(a)) and all(x.replace(old, new) == y for x, y in texts):
            return old, new
    return None


def _chained(touched: Sequence[tuple[Key, Key]]) -> bool:
    """Whether a value becomes one that becomes another: done one after the other, they would run into each other."""
    olds = {key for key, _ in touched}
    return any(new in olds for _, new in touched)


def _is_plain(value: Value) -> bool:
    return value is None or (isinstance(value, str | float | bool) and not isinstance(value, CellError))


def _match(value: Value) -> Any:
    """A criterion that matches a value alone: signs that mean something in one are put aside."""
    if not isinstance(value, str):
        return _toml(value)
    escaped = "".join(f"~{sign}" if sign in "*?~" else sign for sign in value)
    return f"={escaped}" if value[:1] in ("=", "<", ">") else escaped


def _toml(value: Value) -> Any:
    if value is None:
        return ""
    return int(value) if isinstance(value, float) and not isinstance(value, bool) and value.is_integer() else value


def _said(value: Value) -> str:
    return "a blank" if value is None else f"'{value}'" if isinstance(value, str) else str(_toml(value))
