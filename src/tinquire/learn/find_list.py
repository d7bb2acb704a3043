"""What was done to one sheet: its rows and columns, their values and looks, and what stands around them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

from tinquire.base.wording import listed
from tinquire.cells.address import cell_name, column_name
from tinquire.cells.values import Value
from tinquire.learn.around import above_headings, around, below_rows, beside_rows
from tinquire.learn.columns import gone_columns, moves, place_keys, same_columns
from tinquire.learn.derive import derived
from tinquire.learn.dress import dress_steps
from tinquire.learn.lists import SheetList, keyed, matched_rows, seen_list
from tinquire.learn.outfit import outfit_steps, rule_steps
from tinquire.learn.prove import has_formulas, same_formula
from tinquire.learn.rows import conditions, repeated_under, sort_keys, unique_by
from tinquire.learn.session import Session
from tinquire.learn.terms import Terms
from tinquire.learn.values import in_toml, is_plain, said_value, value_steps
from tinquire.workbook import Sheet
from tinquire.workbook.grid.cell_formulas import text_at

__all__ = ["ListFinder"]

#: So many rows below the list at most may be totals and notes that were put there.
_BELOW = 8


class ListFinder:
    """The steps of one sheet, found one after the other as they will be done; `where` says which sheet it is, in each
    of them."""

    def __init__(self, session: Session, name: str, where: Mapping[str, str]) -> None:
        self.session, self.name, self.where = session, name, dict(where)
        self.terms = Terms(session.after)
        #: The list after, without what was put below it, once it is known.
        self.list: SheetList | None = None

    @property
    def old(self) -> Sheet:
        return self.session.work.sheet(self.name)

    @property
    def new(self) -> Sheet:
        return self.session.after.sheet(self.name)

    def do(
        self, keys: dict[str, Any], says: str, cells: int, others: Sequence[tuple[dict[str, Any], str]] = ()
    ) -> bool:
        more = [({**self.where, **other}, words) for other, words in others]
        return self.session.do({**self.where, **keys}, says, cells, more)

    def find(self) -> None:
        one = seen_list(self.session.work, self.name)
        other = seen_list(self.session.after, self.name, one.headings if one else ())
        if one is not None and other is not None and self._typed_rows(one, other.near(one.headings)):
            one = seen_list(self.session.work, self.name, one.headings)
        found = None if one is None or other is None else self._matched(one, other)
        if found is None:
            self.cells_alone()
            return
        one, other, was, order = found
        self.terms.know(other)
        self.list = other
        if other.head != one.head:
            above_headings(self, one, other)
        self._rows(one, order)
        self._columns(one, other, was)
        self._values(one, other, order, was)
        self._new_columns(other, was)
        self._sorted(other, order)
        dress_steps(self, other)
        rule_steps(self, other)
        beside_rows(self, other)

    def finish(self) -> None:
        """What comes after all else: the cells below the rows, and how the sheet is seen."""
        if self.list is not None:
            below_rows(self, self.list)
            outfit_steps(self, self.list)

    def _typed_rows(self, one: SheetList, other: SheetList) -> bool:
        """Rows put in among the others and typed: a step for each, and for what it holds. False where that does not
        explain which rows are there."""
        other = other.cut(self._first_sum(other))
        common = [name for name in other.headings if name in one.headings]
        waiting = Counter(zip(*(keyed(one.values[name]) for name in common), strict=True)) if common else Counter()
        new = []
        for place, key in enumerate(zip(*(keyed(other.values[name]) for name in common), strict=True)):
            if not waiting[key]:
                new.append(place)
            waiting[key] -= 1
        within = 0 < len(new) <= _BELOW and new[0] < other.height - len(new)  # what comes last is put below the rows
        if one.head != other.head or not within or other.height - len(new) != one.height:
            return False
        for place in new:
            row = other.rows[place]
            if not self.session.do({"sheet": self.name, "insert_rows": str(row)}, f"a row put in before row {row}", 1):
                return False
            for name in common:
                value, at = other.values[name][place], cell_name(row, one.column(name))
                if is_plain(value) and value is not None:
                    keys = {"sheet": self.name, "at": at, "expect": "", "value": in_toml(value)}
                    self.session.do(keys, f"{at} becomes {said_value(value)}", 1)
        return True

    def cells_alone(self) -> None:
        """Steps for a sheet on which no list is seen, or one of which no row is known any more."""
        around(self, None)
        outfit_steps(self, None)

    def _matched(
        self, one: SheetList, other: SheetList
    ) -> tuple[SheetList, SheetList, dict[str, str], list[int]] | None:
        """Both lists, the headings after with those before, and for each row after the row that became it. What was put
        below the rows after is no part of them."""
        other = other.near(one.headings)
        most = self._first_sum(other)
        for height in range(min(most, other.height), max(most - _BELOW, 0), -1):
            cut = other.cut(height)
            was = same_columns(one, cut)
            kept = {old: cut.values[new] for new, old in was.items()}
            order = matched_rows(one.values, kept, (one.height, height)) if kept else None
            if order is not None:
                return one, cut, was, order
        return None

    def _first_sum(self, other: SheetList) -> int:
        """The place of the first row that has a formula over all rows above it, in a column that begins without one;
        the number of rows where there is none."""
        first, places = other.rows[0], {row: place for place, row in enumerate(other.rows)}
        found = [other.height]
        for column in other.below.columns:
            cells, letters = self.new.columns.get(column), column_name(column)
            if cells is None or self.new.formula(first, column) is not None:
                continue
            for row, _, number in cells.formula_runs():
                place = places.get(row, 0)
                if not place:
                    continue
                text = text_at(self.new.formulas[number], row, column).replace("$", "")
                if f"{letters}{first}:{letters}{other.rows[place - 1]}" in text or other.below.table is not None:
                    found.append(place)
                    break
        return min(found)

    # -- rows --------------------------------------------------------------------------------------------

    def _rows(self, one: SheetList, order: Sequence[int]) -> None:
        """Rows that are gone: repeated ones, or those of which a condition is true."""
        gone = frozenset(range(one.height)) - set(order)
        if not gone:
            return
        readings = [*_repeats(unique_by(one.values, gone), one), *_conditions(conditions(one.values, gone))]
        if readings:
            self.do(*readings[0], len(gone), readings[1:])
            return
        # Neither alone: repeated rows first, then those of which a condition is true.
        for asked in (list(one.headings), *([name] for name in one.headings)):
            repeated = repeated_under(one.values, asked)
            left = [row for row in range(one.height) if row not in repeated]
            rest = frozenset(place for place, row in enumerate(left) if row in gone)
            if repeated and repeated < gone:
                found = conditions({name: [column[row] for row in left] for name, column in one.values.items()}, rest)
                if found:
                    ((keys, says),) = _repeats([asked], one)
                    self.do(keys, says, len(repeated))
                    first, *more = _conditions(found)
                    self.do(*first, len(rest), more)
                    return
        if len(gone) <= _BELOW:
            for line in [one.rows[row] for row in sorted(gone, reverse=True)]:
                keys = {"sheet": self.name, "delete_rows": str(line)}
                self.session.do(keys, f"without row {line}, whatever it holds", len(one.headings))

    def _sorted(self, other: SheetList, order: Sequence[int]) -> None:
        if list(order) == sorted(order):
            return
        place = {row: number for number, row in enumerate(order)}
        straight = sorted(order)
        # By what the rows hold when they are sorted, which is what they hold in the end.
        values = {name: [column[place[row]] for row in straight] for name, column in other.values.items()}
        keys = sort_keys(values, _ranks(order))
        if keys is not None:
            self.do({"sort": keys}, f"sorted by {listed(keys)}", len(order))

    # -- columns -----------------------------------------------------------------------------------------

    def _columns(self, one: SheetList, other: SheetList, was: Mapping[str, str]) -> None:
        for name, old in was.items():
            if name != old:
                self.do({"rename": {old: name}}, f"the heading '{old}' becomes '{name}'", 1)
        if gone := gone_columns(one, was):
            names = listed([f"'{name}'" for name in gone])
            says = f"without the {'column' if len(gone) == 1 else 'columns'} {names}"
            self.do({"drop": gone}, says, one.height * len(gone))
        now = {old: name for name, old in was.items()}
        left = [now[old] for old in one.headings if old in now]
        for name, beside in moves(left, list(was)):
            ((key, heading),) = beside.items()
            self.do({"move": name, **beside}, f"'{name}' moves {key} '{heading}'", other.height + 1)

    def _new_columns(self, other: SheetList, was: Mapping[str, str]) -> None:
        for place, name in enumerate(other.headings):
            if name in was:
                continue
            keys: dict[str, Any] = {"add": name, **place_keys(other, place)}
            formula, whole = self.formula(other, name)
            values = set(keyed(other.values[name]))
            before = {heading: other.values[heading] for heading in [*was, *other.headings[:place]]}
            says, filled = f"a new column '{name}'", {}
            if formula is not None and whole:
                filled, says = {"formula": formula}, f"a new column '{name}': {formula}"
            elif len(values) == 1 and (value := next(iter(values))[1]) is not None and is_plain(value):
                filled, says = {"value": in_toml(value)}, f"a new column '{name}', with {value!r} in every row"
            elif formula is None and not has_formulas(self.new, other.column(name)):
                found = derived(other.values[name], before, self.session.after.date_system)
                if found is not None:
                    filled, says = {"becomes": found}, f"a new column '{name}', with the values of {found}"
            self.do({**keys, **filled}, says, other.height + 1)
            if formula is not None and not whole:
                self.bound_column(other, name, formula)

    def formula(self, other: SheetList, name: str) -> tuple[str | None, bool]:
        """The formula that all rows of a column have, over headings, and whether that says all of it; None where they
        differ or there is none."""
        column, rows = other.column(name), other.rows
        if not has_formulas(self.new, column):
            return None, False
        text = same_formula(self.new, column, rows)
        if text is None:
            return None, False
        text, whole = self.terms.general(text, self.name, rows[0], other)
        return f"={text}", whole

    def bound_column(self, other: SheetList, name: str, formula: str) -> None:
        """A formula that reads other rows than its own: it is said for the cells in which it stands."""
        column, rows = column_name(other.column(name)), other.rows
        first = self.new.formula(rows[0], other.column(name))
        assert first is not None
        at = f"{column}{rows[0]}:{column}{rows[-1]}"
        keys = {"sheet": self.name, "at": at, "formula": f"={text_at(first, rows[0], other.column(name))}"}
        self.session.do(keys, f"{at} is worked out by {formula}, in these cells", len(rows))

    # -- values ------------------------------------------------------------------------------------------

    def _values(self, one: SheetList, other: SheetList, order: Sequence[int], was: Mapping[str, str]) -> None:
        """What became of the values of columns that are there still, row by row as they stand now."""
        place = {rank: number for number, rank in enumerate(_ranks(order))}
        straight = [place[rank] for rank in range(len(order))]
        kept = sorted(order)
        columns: dict[str, Sequence[Value]] = {}
        for name, old in was.items():
            columns[name] = [one.values[old][row] for row in kept]
        now = self._now()
        for name in was:
            formula, whole = self.formula(other, name)
            if formula is not None:
                there = same_formula(self.new, other.column(name), other.rows)
                if there == same_formula(self.old, now.column(name), now.rows) or self._had(now, name) == formula:
                    continue
                if whole:
                    self.do({"heading": name, "formula": formula}, f"'{name}' is worked out: {formula}", other.height)
                else:
                    self.bound_column(other, name, formula)
                continue
            after = [other.values[name][row] for row in straight]
            for found in value_steps(name, columns[name], after, columns, self.session.after.date_system):
                if found.at is None:
                    self.do(found.keys, found.says, found.cells, found.others)
                else:
                    at = cell_name(now.rows[found.at], now.column(name))
                    self.do({"at": at, **found.keys}, f"{at} becomes {found.says}", 1, found.others)
            columns[name] = after

    def _now(self) -> SheetList:
        found = seen_list(self.session.work, self.name)
        assert found is not None
        return found

    def _had(self, now: SheetList, name: str) -> str | None:
        """The formula that a column has had, over headings."""
        row, column = now.rows[0], now.column(name)
        formula = self.old.formula(row, column)
        if formula is None:
            return None
        text, _ = Terms(self.session.work).general(text_at(formula, row, column), self.name, row, now)
        return f"={text}"


def _repeats(found: Sequence[list[str]], one: SheetList) -> list[tuple[dict[str, Any], str]]:
    """Readings of rows that are gone as repeated ones."""
    named = [
        (asked, "all headings" if len(asked) == len(one.headings) else listed([f"'{name}'" for name in asked]))
        for asked in found
    ]
    return [({"unique": asked}, f"without rows that repeat an earlier one under {names}") for asked, names in named]


def _conditions(found: Sequence[str]) -> list[tuple[dict[str, Any], str]]:
    return [({"drop_rows": text}, f"without rows where {text}") for text in found]


def _ranks(order: Sequence[int]) -> list[int]:
    rank = {row: number for number, row in enumerate(sorted(order))}
    return [rank[row] for row in order]
