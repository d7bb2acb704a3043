"""What a pivot's values come to: rows summed up over groups of two axes (ECMA-376 Part 1, 18.18.17)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.dates import DateSystem
from tinquire.cells.values import CellError, Value
from tinquire.formula import Frame, evaluate_column, parse
from tinquire.formula.engine.indexes import AreaIndexes
from tinquire.formula.engine.operands import Lanes, Operand
from tinquire.formula.engine.scope import NoCells
from tinquire.formula.language.problems import FormulaError
from tinquire.formula.language.tree import Node, TableReference

__all__ = ["HOW", "Block", "Formula", "read_field_formula", "reckoned", "summed"]

Codes: TypeAlias = NDArray[np.int64]
#: Groups of a row axis by groups of a column axis.
Grid: TypeAlias = NDArray[np.float64]


@dataclass(frozen=True)
class Block:
    """Values of groups by groups. `there` says where any row has a value at all, `errors` where one is in error: its
    code and one more, 0 elsewhere."""

    values: Grid
    there: NDArray[np.bool_]
    errors: NDArray[np.int64]


@dataclass(frozen=True)
class _Rows:
    """The rows of a data field that count: their group, of so many, and their numbers."""

    groups: Codes
    count: int
    numbers: Floats
    has: NDArray[np.float64]

    def total(self, numbers: Floats) -> Floats:
        return np.bincount(self.groups, weights=numbers, minlength=self.count).astype(np.float64, copy=False)

    def spread(self, *, sample: bool) -> Floats:
        """The variance, around each group's own mean."""
        mean = np.divide(self.total(self.numbers), self.has, out=np.zeros(self.count), where=self.has > 0)
        squares = self.total((self.numbers - mean[self.groups]) ** 2)
        below = self.has - sample
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(below > 0, squares / below, np.nan)

    def extreme(self, ufunc: Any, start: float) -> Floats:
        found = np.full(self.count, start)
        ufunc.at(found, self.groups, self.numbers)
        return found


def _average(rows: _Rows) -> Floats:
    with np.errstate(invalid="ignore"):
        return rows.total(rows.numbers) / rows.has


def _product(rows: _Rows) -> Floats:
    found: Floats = np.ones(rows.count)
    np.multiply.at(found, rows.groups, rows.numbers)
    return found


#: How numbers of a group come to one, by the names of 18.18.17 and, where these differ, of 18.18.43.
HOW: Mapping[str, Callable[[_Rows], Floats]] = {
    "sum": lambda rows: rows.total(rows.numbers),
    "average": _average,
    "avg": _average,
    "max": lambda rows: rows.extreme(np.maximum, -np.inf),
    "min": lambda rows: rows.extreme(np.minimum, np.inf),
    "product": _product,
    "countNums": lambda rows: rows.has,
    "stdDev": lambda rows: np.sqrt(rows.spread(sample=True)),
    "stdDevp": lambda rows: np.sqrt(rows.spread(sample=False)),
    "stdDevP": lambda rows: np.sqrt(rows.spread(sample=False)),
    "var": lambda rows: rows.spread(sample=True),
    "varp": lambda rows: rows.spread(sample=False),
    "varP": lambda rows: rows.spread(sample=False),
}  # fmt: skip


def summed(values: Column, how: str, groups: Codes, shape: tuple[int, int]) -> Block:
    """A data field over groups: `groups` is, row by row, row group times the number of column groups, plus column
    group. Texts count, and are no numbers; errors make their group one."""
    size = shape[0] * shape[1]
    is_number = values.kinds == Kind.NUMBER
    every = bool(is_number.all())
    filled = groups if every else groups[values.kinds != Kind.BLANK]
    counted = np.bincount(filled, minlength=size).astype(np.float64)
    errors = np.zeros(size, np.int64)
    if how in ("count", "countA"):
        return Block(counted.reshape(shape), (counted > 0).reshape(shape), errors.reshape(shape))
    if not every:
        where = np.flatnonzero(values.kinds == Kind.ERROR)[::-1]  # the first error of a group is told
        errors[groups[where]] = values.numbers[where].astype(np.int64) + 1
    own = groups if every else groups[is_number]
    has = counted if every else np.bincount(own, minlength=size).astype(np.float64)
    found = HOW[how](_Rows(own, size, values.numbers if every else values.numbers[is_number], has))
    if how in ("max", "min", "product"):
        found = np.where(has > 0, found, 0.0)
    divided = (has == 0) if how in ("average", "avg") else np.isnan(found)
    there = has > 0 if how == "countNums" else counted > 0
    errors = np.where((errors == 0) & divided & there, CellError.DIV0.code + 1, errors)
    return Block(np.where(divided, 0.0, found).reshape(shape), there.reshape(shape), errors.reshape(shape))


# -- fields that are reckoned ----------------------------------------------------------------------------


@dataclass(frozen=True)
class Formula:
    """A reckoned field's formula (18.10.1.3), and the places of the fields that it names."""

    tree: Node
    fields: Mapping[str, int]


@dataclass
class _Sums(NoCells):
    """Fields as their sums, group by group; nothing else has a name in a field's formula."""

    sums: Mapping[str, Column]
    date_system: DateSystem = DateSystem.FROM_1900
    moment: float | None = None
    indexes: AreaIndexes = field(default_factory=AreaIndexes)

    def table(self, reference: TableReference, frame: Frame) -> Operand | None:
        found = self.sums.get((reference.first or "").casefold())
        return None if found is None else Lanes(found)

    def name(self, name: str, sheet: str | None, frame: Frame) -> Node | Operand | None:
        return None

    def named_pivot(self, name: str, data: str, items: Sequence[tuple[str, Value]]) -> Value:
        return None

    def random(self, count: int) -> Floats:
        return np.random.default_rng(0).random(count)


def read_field_formula(text: str, names: list[str]) -> Formula:
    """A reckoned field's formula: fields stand by their names, in quotes where these are more than a word. Raises
    ValueError."""
    found: dict[str, int] = {}
    places = {name.casefold(): place for place, name in reversed(list(enumerate(names)))}
    pieces, at = [], 0
    longest = sorted(names, key=len, reverse=True)
    while at < len(text):
        if text[at] == '"':
            end = text.find('"', at + 1)
            piece, taken = text[at : end + 1 if end >= 0 else len(text)], None
        elif text[at] == "'":
            end = at + 1
            while end < len(text) and (text[end] != "'" or text[end : end + 2] == "''"):
                end += 2 if text[end : end + 2] == "''" else 1
            piece = text[at : end + 1]
            taken = piece.strip("'").replace("''", "'")
        else:
            taken = None if at and _in_word(text[at - 1]) else _word_at(text, at, longest)
            piece = text[at : at + len(taken)] if taken else text[at]
        if taken is not None:
            if taken.casefold() not in places:
                raise ValueError(f"the formula ={text} names '{taken}', which is no field")
            found[taken.casefold()] = places[taken.casefold()]
            inside = "".join(f"'{letter}" if letter in "[]#'@" else letter for letter in taken)
            pieces.append(f"[@[{inside}]]")
        else:
            pieces.append(piece)
        at += len(piece)
    try:
        return Formula(parse("".join(pieces)), found)
    except FormulaError as error:
        raise ValueError(f"the formula ={text} cannot be read: {error}") from None


def _in_word(letter: str) -> bool:
    return letter.isalnum() or letter in "_."


def _word_at(text: str, at: int, names: list[str]) -> str | None:
    for name in names:
        end = at + len(name)
        if name and text[at:end].casefold() == name.casefold() and not (end < len(text) and _in_word(text[end])):
            return name
    return None


def reckoned(formula: Formula, sums: Mapping[str, Block], there: NDArray[np.bool_]) -> Block:
    """A reckoned field: its formula over the sums of the fields that it names, where there are rows."""
    columns = {name: _column(block) for name, block in sums.items()}
    result = evaluate_column(formula.tree, Frame(_Sums(columns), count=there.size))
    if len(result) == 1 and there.size != 1:
        result = result.repeat(there.size)
    is_number = result.kinds == Kind.NUMBER
    wrong = np.where(result.kinds == Kind.ERROR, result.numbers.astype(np.int64) + 1, CellError.VALUE.code + 1)
    errors = np.where(is_number, 0, wrong).reshape(there.shape)
    return Block(np.where(is_number, result.numbers, 0.0).reshape(there.shape), there, np.where(there, errors, 0))


def _column(block: Block) -> Column:
    errors = block.errors.ravel()
    kinds = np.where(errors > 0, Kind.ERROR, Kind.NUMBER).astype(np.uint8)
    numbers = np.where(errors > 0, errors - 1, block.values.ravel()).astype(np.float64)
    return Column(kinds, numbers, np.zeros(len(kinds), np.int32))
