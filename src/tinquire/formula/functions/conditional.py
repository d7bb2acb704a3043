"""Sums, counts and averages of what meets criteria."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import TypeAlias, TypeVar

import numpy as np

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area
from tinquire.cells.column import Booleans, Codes, Column, Kind, texts_at
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import NOTATION, Notation, with_faults
from tinquire.formula.engine.criteria import Criterion, criterion, has_wildcards
from tinquire.formula.engine.evaluate import evaluate
from tinquire.formula.engine.operands import Grid, Lanes, Operand, Scalar, Span
from tinquire.formula.engine.references import PerLane, crop_together, grid_of, single
from tinquire.formula.engine.registry import special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node


@special("SUMIFS(sums: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def sumifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The sum of the numbers whose rows meet all criteria (OpenFormula 6).

    >>> SUMIFS({10;20;30}, {"a";"b";"a"}, "a")
    40
    """
    return _conditional(evaluate(arguments[0], frame), arguments[1:], frame, _sum, _group_sums)


@special("AVERAGEIFS(means: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def averageifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The mean of the numbers whose rows meet all criteria; without numbers a division by zero (OpenFormula 6).

    >>> AVERAGEIFS({10;20;30}, {"a";"b";"a"}, "a")
    20
    """
    return _conditional(evaluate(arguments[0], frame), arguments[1:], frame, _mean, _group_means)


@special("COUNTIFS(range: cells, criterion: value, range...: cells, criterion...: value)")
def countifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many rows meet all criteria (OpenFormula 6).

    >>> COUNTIFS({10;20;30}, ">15")
    2
    """
    return _conditional(
        evaluate(arguments[0], frame), arguments, frame, lambda _values, mask: float(mask.sum()), _group_counts
    )


@special("SUMIF(range: cells, criterion: value, sums?: cells)")
def sumif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The sum of the numbers that meet a criterion, or that are in the same position as those that do (18.17.7).

    >>> SUMIF({10;20;30}, ">15")
    50
    """
    return _beside(arguments, frame, _sum, _group_sums)


@special("AVERAGEIF(range: cells, criterion: value, means?: cells)")
def averageif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The mean of the numbers that meet a criterion, or that are in the same position as those that do (18.17.7).

    >>> AVERAGEIF({10;20;30}, ">15")
    25
    """
    return _beside(arguments, frame, _mean, _group_means)


@special("MAXIFS(values: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def maxifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The largest of the numbers whose rows meet all criteria; zero when there is none.

    >>> MAXIFS({10;20;30}, {"a";"b";"a"}, "a")
    30
    """
    return _conditional(
        evaluate(arguments[0], frame), arguments[1:], frame, lambda values, mask: _extreme(values, mask, np.max)
    )


@special("MINIFS(values: cells, range: cells, criterion: value, range...: cells, criterion...: value)")
def minifs(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The smallest of the numbers whose rows meet all criteria; zero when there is none.

    >>> MINIFS({10;20;30}, {"a";"b";"a"}, "a")
    10
    """
    return _conditional(
        evaluate(arguments[0], frame), arguments[1:], frame, lambda values, mask: _extreme(values, mask, np.min)
    )


@special("COUNTIF(range: cells, criterion: value)")
def countif(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """How many values meet a criterion (18.17.7).

    >>> COUNTIF({"bed","bath","table"}, "b*")
    2
    """
    return countifs(arguments, frame)


def _beside(
    arguments: tuple[Node, ...], frame: Frame, work: Callable[[Column, Booleans], Value], grouped: _Grouped
) -> Operand:
    """A range and its criterion, with what is summed beside it: an area of the same size from where that begins."""
    if len(arguments) < 3:
        return _conditional(evaluate(arguments[0], frame), arguments[:2], frame, work, grouped)
    tested, beside = evaluate(arguments[0], frame), evaluate(arguments[2], frame)
    if isinstance(tested, Span) and isinstance(beside, Span) and not tested.moves and not beside.moves:
        size, corner = tested.area, beside.area
        bottom, right = corner.top + size.height - 1, corner.left + size.width - 1
        if bottom > MAX_ROW or right > MAX_COLUMN:
            return Scalar(CellError.REF)
        beside = Span(beside.sheet, Area(corner.top, corner.left, bottom, right))
    return _conditional(beside, arguments[:2], frame, work, grouped)


def _extreme(values: Column, mask: Booleans, pick: Callable[..., np.float64]) -> Value:
    wrong = mask & (values.kinds == Kind.ERROR)
    if wrong.any():
        return values[int(wrong.argmax())]
    numbers = values.numbers[mask & (values.kinds == Kind.NUMBER)]
    return float(pick(numbers)) if len(numbers) else 0.0


def _sum(values: Column, mask: Booleans) -> Value:
    wrong = mask & (values.kinds == Kind.ERROR)
    if wrong.any():
        return values[int(wrong.argmax())]
    numbers = values.numbers[mask & (values.kinds == Kind.NUMBER)]
    with np.errstate(over="ignore"):  # what is out of range becomes an error value
        return float(np.cumsum(numbers)[-1]) if len(numbers) else 0.0  # in the order of the rows, as groups are summed


def _mean(values: Column, mask: Booleans) -> Value:
    total = _sum(values, mask)
    many = int((mask & (values.kinds == Kind.NUMBER)).sum())
    if not isinstance(total, float):
        return total
    return total / many if many else CellError.DIV0


def _conditional(
    values: Operand, pairs: tuple[Node, ...], frame: Frame, work: Callable[[Column, Booleans], Value],
    grouped: _Grouped | None = None,
) -> Operand:  # fmt: skip
    """Ranges and criteria in pairs; one mask for each distinct criterion, one result for each distinct set."""
    if len(pairs) % 2:
        return Scalar(CellError.VALUE)
    operands = [values, *(evaluate(node, frame) for node in pairs[::2])]
    wanted = [_criteria(single(evaluate(node, frame), frame)) for node in pairs[1::2]]
    # Blanks beyond the used part of a sheet add nothing, but they can be counted.
    counted = grouped is _group_counts and all(any(map(_meets_blank, asked.distinct)) for asked in wanted)
    target, *ranges = [grid_of(operand, frame) for operand in operands] if counted else crop_together(operands, frame)
    if any((grid.height, grid.width) != (target.height, target.width) for grid in ranges):
        return Scalar(CellError.VALUE)
    flat_target = target.flat()
    tested = [_Tested(grid, grid.flat(), operand, frame) for grid, operand in zip(ranges, operands[1:], strict=True)]
    results: dict[tuple[Criterion, ...], Value] = {}
    lanes = max(len(asked.places) for asked in wanted)

    def result(criteria: tuple[Criterion, ...]) -> Value:
        if criteria not in results:
            mask = np.ones(len(flat_target), bool)
            for one, item in zip(tested, criteria, strict=True):
                mask = mask & one.mask(item, alone=lanes == 1)
            results[criteria] = work(flat_target, mask)
        return results[criteria]

    if lanes > _MANY and grouped is not None:
        if len(flat_target) <= _FEW and (few := _of_few(flat_target, tested, wanted, lanes, grouped)) is not None:
            return Lanes(few)
        distinct = tuple(asked.distinct for asked in wanted)
        sums = _kept(
            frame, operands, ("groups", grouped, target.height, target.width, distinct), len(flat_target),
            lambda: _by_group(flat_target, tested, distinct, grouped),
        )  # fmt: skip
        if sums is not None:
            return Lanes(sums.take(_lane_groups(wanted, lanes)))
    if lanes == 1:
        return Scalar(result(tuple(asked.distinct[0] for asked in wanted)))
    spread = [asked.of_lanes(lanes) for asked in wanted]
    return Lanes(Column.from_values(result(criteria) for criteria in zip(*spread, strict=True)))


#: From this many formulas on, rows are grouped by the criteria that they meet instead of looked through for each.
_MANY = 12
#: Of so few values each is looked at by itself, sooner than it is known which are the same; so few rows are gone
#: through one by one.
_FEW = 64
#: More groups than this are not made.
_MOST_GROUPS = 4_000_000
#: Criteria with so many letters together are kept in mind.
_SHORT = 4_096
#: What a function gives for each group: from the target, the group of each row (-1 for none) and how many there are.
_Grouped: TypeAlias = Callable[[Column, Codes, int], Column]
_Made = TypeVar("_Made")


def _by_group(
    target: Column, ranges: Sequence[_Tested], distinct: Sequence[Sequence[Criterion]], grouped: _Grouped
) -> Column | None:
    """The results of many formulas by one pass over the rows: each row belongs to one group, that of the criteria
    which it meets. None where a row may meet several of one range's criteria."""
    row_groups = np.zeros(len(target), np.int64)
    inside = np.ones(len(target), bool)
    total = 1
    for one, criteria in zip(ranges, distinct, strict=True):
        positions = one.met_once(criteria)
        total *= len(criteria)
        if positions is None or total > _MOST_GROUPS:
            return None
        inside &= positions >= 0
        row_groups = row_groups * len(criteria) + np.maximum(positions, 0)
    return grouped(target, np.where(inside, row_groups, -1), total)


def _of_few(
    target: Column, ranges: Sequence[_Tested], wanted: Sequence[_Wanted], lanes: int, grouped: _Grouped
) -> Column | None:
    """What `_by_group` gives for each formula, of few rows, without a step on arrays for each; None for criteria that
    are not texts of plain letters, for cells beside them that are something else, and for errors."""
    if grouped not in (_group_sums, _group_counts) or target.holds(Kind.ERROR):
        return None
    row_groups: list[int] = []
    lane_groups: Sequence[int] = ()
    total = 1
    for one, asked in zip(ranges, wanted, strict=True):
        plain = asked.plain
        met = _met_plain(plain, one.column) if plain is not None and one.column.all_of(Kind.TEXT) else None
        size, places = len(asked.distinct), asked.places_of_lanes(lanes)
        total *= size
        if met is None or total > _MANY * _FEW:
            return None
        if not lane_groups:
            row_groups, lane_groups = met, places
            continue
        row_groups = [
            group * size + place if group >= 0 <= place else -1 for group, place in zip(row_groups, met, strict=True)
        ]
        lane_groups = [group * size + place for group, place in zip(lane_groups, places, strict=True)]
    sums, addends = [0.0] * total, [1.0] * len(target)
    if grouped is _group_sums:
        addends = target.numbers.tolist()
        if not target.all_of(Kind.NUMBER):  # what is no number adds nothing
            kinds = target.kinds.tolist()
            addends = [number if kind == Kind.NUMBER else 0.0 for kind, number in zip(kinds, addends, strict=True)]
    for group, addend in zip(row_groups, addends, strict=True):
        if group >= 0:
            sums[group] += addend
    return Column.of_numbers([sums[group] for group in lane_groups])


def _lane_groups(wanted: Sequence[_Wanted], lanes: int) -> Codes:
    """The group that each formula asks for, numbered as `_by_group` numbers those of the rows."""
    groups = np.zeros(lanes, np.int64)
    for asked in wanted:
        groups = groups * len(asked.distinct) + np.array(asked.places)
    return groups


def _kept(
    frame: Frame, operands: Sequence[Operand], what: Hashable, cells: int, make: Callable[[], _Made]
) -> _Made:  # fmt: skip
    """What was made of some ranges before, by this formula or another; of other operands it is made anew."""
    spans = [operand for operand in operands if isinstance(operand, Span) and not operand.moves]
    return make() if len(spans) < len(operands) else frame.scope.indexes.made(what, tuple(spans), cells, make)


@dataclass(frozen=True, slots=True)
class _Tested:
    """The values of a range, which criteria are held against."""

    grid: Grid
    column: Column
    operand: Operand
    frame: Frame
    masks: dict[Criterion, Booleans] = field(default_factory=dict)

    def _kept(self, what: Hashable, make: Callable[[], _Made]) -> _Made:
        # Of a range more or less is read, as large as those are that it is read with.
        key = (what, self.grid.height, self.grid.width)
        return _kept(self.frame, (self.operand,), key, len(self.column), make)

    def mask(self, item: Criterion, *, alone: bool) -> Booleans:
        """Which values meet a criterion; of one formula `alone` it is kept for others, of many for these."""
        if alone:
            return self._kept(item, lambda: item.mask(self.column))
        if item not in self.masks:
            self.masks[item] = item.mask(self.column)
        return self.masks[item]

    def met_once(self, criteria: Sequence[Criterion]) -> Codes | None:
        """For each value which of the criteria it meets, -1 for none; None when one meets two."""
        plain = _plain_texts(criteria)
        if plain is not None and len(self.column) <= _FEW and self.column.all_of(Kind.TEXT):
            own = _met_plain(plain, self.column)
            if own is not None:
                return np.array(own)
        found = np.full(len(self.column), -1)
        for here, groups, values in self._kept("distinct", lambda: list(_distinct_by_kind(self.column))):
            own = None if plain is None else _met_plain(plain, values)
            if own is not None:
                found[here] = np.array(own)[groups]
                continue
            met = np.full(len(values), -1)
            for number, item in enumerate(criteria):
                mask = item.mask(values)
                if (met[mask] >= 0).any():
                    return None
                met[mask] = number
            found[here] = met[groups]
        return found


def _plain_texts(criteria: Sequence[Criterion]) -> dict[str, int] | None:
    """The numbers of criteria by their texts in small letters, where all of them are for equal texts of plain letters,
    and no two are the same."""
    found = {
        item.value.lower(): number
        for number, item in enumerate(criteria)
        if item.sign == "=" and isinstance(item.value, str) and item.value.isascii() and not has_wildcards(item.value)
    }
    found.pop("", None)  # which blank cells meet
    return found if len(found) == len(criteria) else None


def _met_plain(plain: Mapping[str, int], values: Column) -> list[int] | None:
    """For each of distinct values of one kind which text it is; None where other letters than plain ones may be
    the same in capitals."""
    if len(values) and values.kinds[0] != Kind.TEXT:
        return [-1] * len(values)
    texts = texts_at(values.texts, values.codes)
    return [plain.get(text.lower(), -1) for text in texts] if all(map(str.isascii, texts)) else None


def _distinct_by_kind(column: Column) -> Iterator[tuple[slice | Booleans, Codes, Column]]:
    """For each kind of values where they are, their places among the distinct ones, and these."""
    for kind in np.flatnonzero(np.bincount(column.kinds, minlength=1)).tolist():
        here = slice(None) if column.all_of(kind) else column.kinds == kind
        yield here, *_distinct(column if isinstance(here, slice) else column.take(here), kind)


def _distinct(column: Column, kind: int) -> tuple[Codes, Column]:
    """For values of one kind their places among the distinct ones, and these; without sorting where it can be."""
    if kind == Kind.BLANK:
        return np.zeros(len(column), np.int64), column.slice(0, 1)
    keys = column.codes if kind == Kind.TEXT else column.numbers
    low, high = keys.min(), keys.max()
    if kind == Kind.TEXT or (high - low < len(keys) * 4 and (keys == np.rint(keys)).all()):
        indexes = (keys - low).astype(np.int64)
        used = np.bincount(indexes) > 0
        first = np.zeros(len(used), np.int64)
        first[indexes] = np.arange(len(indexes))
        return (np.cumsum(used) - 1)[indexes], column.take(first[used])
    _, first, groups = np.unique(keys, return_index=True, return_inverse=True)
    return groups, column.take(first)


def _group_counts(target: Column, groups: Codes, total: int) -> Column:
    return Column.of_numbers(np.bincount(groups[groups >= 0], minlength=total).astype(np.float64))


def _group_sums(target: Column, groups: Codes, total: int) -> Column:
    counted = (groups >= 0) & (target.kinds == Kind.NUMBER)
    sums = Column.of_numbers(np.bincount(groups[counted], target.numbers[counted], total))
    return _with_first_errors(sums, target, groups)


def _group_means(target: Column, groups: Codes, total: int) -> Column:
    counted = (groups >= 0) & (target.kinds == Kind.NUMBER)
    counts = np.bincount(groups[counted], minlength=total)
    sums = np.bincount(groups[counted], target.numbers[counted], total)
    means = Column.where(counts == 0, Column.full(CellError.DIV0, 1), Column.of_numbers(sums / np.maximum(counts, 1)))
    return _with_first_errors(means, target, groups)


def _with_first_errors(results: Column, target: Column, groups: Codes) -> Column:
    """Results, of groups that hold an error that error."""
    wrong = np.flatnonzero((groups >= 0) & (target.kinds == Kind.ERROR))[::-1]
    if not len(wrong):
        return results
    faults = np.zeros(len(results), np.uint8)
    faults[groups[wrong]] = (target.numbers[wrong] + 1).astype(np.uint8)  # the last writer is the first of its group
    return with_faults(results, faults)


def _meets_blank(one: Criterion) -> bool:
    return bool(one.mask(Column.blank(1))[0])


@dataclass(frozen=True)
class _Wanted:
    """The criteria of one range: those that differ, and for each formula (or all alike) which of them it asks for."""

    distinct: tuple[Criterion, ...]
    places: Sequence[int]

    @cached_property
    def plain(self) -> dict[str, int] | None:
        return _plain_texts(self.distinct)

    def of_lanes(self, lanes: int) -> list[Criterion]:
        return [self.distinct[place] for place in self.places_of_lanes(lanes)]

    def places_of_lanes(self, lanes: int) -> Sequence[int]:
        return self.places if len(self.places) == lanes else [0] * lanes


@lru_cache(64)
def _of_texts(texts: tuple[str, ...], _notation: Notation) -> _Wanted:
    """The criteria that are few texts, as a notation spells their numbers and days."""
    numbers: dict[Criterion, int] = {}
    place_of = {text: numbers.setdefault(criterion(text), len(numbers)) for text in dict.fromkeys(texts)}
    return _Wanted(tuple(numbers), [place_of[text] for text in texts])


def _criteria(operand: Scalar | Lanes | Grid) -> _Wanted:
    if isinstance(operand, Grid):
        raise PerLane
    if isinstance(operand, Scalar):
        return _Wanted((criterion(operand.value),), (0,))
    column = operand.column
    if len(column) <= _FEW and column.all_of(Kind.TEXT):
        texts = tuple(texts_at(column.texts, column.codes))
        # The copies of a template ask for the same.
        known = _of_texts if sum(map(len, texts)) <= _SHORT else _of_texts.__wrapped__
        return known(texts, NOTATION.get())
    found, values = column.groups()
    groups = found.tolist()
    read = dict(enumerate(map(criterion, values)))
    numbers: dict[Criterion, int] = {}
    place_of = {group: numbers.setdefault(item, len(numbers)) for group, item in read.items()}
    return _Wanted(tuple(numbers), [place_of[group] for group in groups])
