"""`Column`: many cell values as typed arrays, the shape in which all values travel through Tin Quire.

A column of n values keeps three arrays of length n and a pool of texts:

    kinds    uint8    which of the five kinds each value is
    numbers  float64  the number; 1.0 or 0.0 for a yes/no; the code of an error value
    codes    int32    for a text, its place in the pool

Texts are coded so that sorting, grouping and looking up work on whole numbers; a pool may hold a text twice
and texts that nobody points to, and is shared between columns that were cut from one another. Columns are
never changed after they are made.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache
from math import isfinite
from typing import Any, Final, TypeAlias

import numpy as np
from numpy.typing import NDArray

from tinquire.cells.ranks import rank_numbers, rank_texts
from tinquire.cells.values import CellError, Value

__all__ = [
    "Booleans", "Codes", "Column", "Floats", "Kind", "Kinds", "no_codes", "numbered", "recoded", "sequence_of",
    "texts_at", "used_codes",
]  # fmt: skip

Floats: TypeAlias = NDArray[np.float64]
Booleans: TypeAlias = NDArray[np.bool_]
#: Whole numbers: places in a pool, rows, groups.
Codes: TypeAlias = NDArray[Any]
Kinds: TypeAlias = NDArray[np.uint8]


class Kind:
    """What a value is. The order is that of comparison between kinds: numbers, texts, yes/no.

    Plain numbers, not an enumeration: they are asked for with every step of every formula, and compared with arrays.
    """

    BLANK: Final = 0
    NUMBER: Final = 1
    TEXT: Final = 2
    BOOL: Final = 3
    ERROR: Final = 4


_NO_TEXTS: Sequence[str] = ()
_NUMBER = np.uint8(Kind.NUMBER)
_NO_CODE = np.int32(0)
#: Each kind as a byte: bytes are compared and searched sooner than arrays, of a few values many times sooner.
_BYTES: Final = tuple(bytes([kind]) for kind in range(5))
#: A pool with more texts than this for each value is not gone through whole.
_LARGE_POOL = 16
#: Of fewer values than this it does not matter how much room they take.
_MANY = 10_000
#: A pool of which not more than one in so many texts is used is made anew.
_SHARE = 4
#: So few numbers are looked at one by one.
_FEW = 64


@lru_cache
def no_codes(count: int) -> Codes:
    """Codes of a column without texts: one zero, seen `count` times."""
    return np.broadcast_to(_NO_CODE, count)


def _without_zeros(values: NDArray[Any]) -> NDArray[Any]:
    """The same, many zeros (of numbers where all are texts, of codes where none is) being one seen many times."""
    if len(values) < _MANY or values.any() or (values.dtype == np.float64 and np.signbit(values).any()):
        return values
    return np.broadcast_to(values[:1].copy(), len(values))


def sequence_of(texts: Sequence[str], asked: int) -> Sequence[str]:
    """The texts of a pool, of which this many are asked for: a pool that has to make them makes most of them faster all
    at once."""
    return texts if isinstance(texts, (list, tuple)) or 2 * asked <= len(texts) else list(texts)


def texts_at(texts: Sequence[str], codes: Codes) -> list[str]:
    """The texts of some codes, in their order."""
    return list(map(sequence_of(texts, len(codes)).__getitem__, codes.tolist()))


def numbered(texts: Sequence[str], places: dict[str, int], pool: list[str]) -> list[int]:
    """The places of texts in a pool; those that are new are added to it, and to its `places` by text."""
    number = len(pool)
    for text in dict.fromkeys(texts):
        if text not in places:
            places[text] = number
            pool.append(text)
            number += 1
    return [places[text] for text in texts]


def used_codes(codes: Codes, pool: int) -> Codes:
    """The codes that occur, in order; marking them in the pool is many times faster than sorting."""
    if pool > _LARGE_POOL * (len(codes) + 1):
        return np.unique(codes)
    marks = np.zeros(pool, np.bool_)
    marks[codes] = True
    return np.flatnonzero(marks)


def recoded(codes: Codes, used: Codes, fresh: Sequence[int], pool: int) -> Codes:
    """Codes of a pool with those of another one for them: `fresh` are the numbers of the `used` ones there."""
    numbers = np.array(fresh, np.int32)
    if pool > _LARGE_POOL * (len(codes) + 1):
        return numbers[np.searchsorted(used, codes)]
    table = np.zeros(pool, np.int32)
    table[used] = numbers
    return table[codes]


class Column:
    """An immutable run of cell values; see the module's words for its shape."""

    __slots__ = ("codes", "kinds", "numbers", "texts")

    def __init__(self, kinds: Kinds, numbers: Floats, codes: Codes, texts: Sequence[str] = _NO_TEXTS) -> None:
        self.kinds = kinds
        self.numbers = numbers
        self.codes = codes
        self.texts = texts

    # -- making ----------------------------------------------------------------------------------------

    @classmethod
    def from_values(cls, values: Iterable[Value | int]) -> Column:
        """A column from Python values; `int` becomes a number, equal texts share one place in the pool."""
        kinds = bytearray()
        numbers: list[float] = []
        codes: list[int] = []
        pool: dict[str, int] = {}
        for value in values:
            kind, number, code = _parts_of(value, pool)
            kinds.append(kind)
            numbers.append(number)
            codes.append(code)
        return cls(
            np.frombuffer(bytes(kinds), np.uint8), np.array(numbers, np.float64), np.array(codes, np.int32), list(pool)
        )

    @classmethod
    def of_numbers(cls, numbers: Any) -> Column:
        """A column of numbers; values that are not finite become the error value for a number out of range."""
        array = np.asarray(numbers, np.float64)
        count = len(array)
        if count <= _FEW and isfinite(sum(map(abs, array.tolist()))):
            return cls(np.frombuffer(_BYTES[Kind.NUMBER] * count, np.uint8), array, no_codes(count))
        kinds = np.full(count, _NUMBER, np.uint8)
        # A sum of squares is finite only if every number is, and is had many times faster than asking each.
        with np.errstate(over="ignore", invalid="ignore"):
            squares = np.dot(array, array)
        if not isfinite(squares):
            wrong = ~np.isfinite(array)
            kinds[wrong] = Kind.ERROR
            array = np.where(wrong, float(CellError.NUM.code), array)
        return cls(kinds, array, no_codes(count))

    @classmethod
    def of_texts(cls, texts: Sequence[str]) -> Column:
        """A column of texts, each in its own place of the pool."""
        count = len(texts)
        return cls.of_codes(np.arange(count, dtype=np.int32), texts)

    @classmethod
    def pooled(cls, texts: Sequence[str]) -> Column:
        """A column of texts, equal ones in one place of the pool; empty ones are blanks."""
        pool = {text: index for index, text in enumerate(dict.fromkeys(texts))}
        codes = np.fromiter(map(pool.__getitem__, texts), np.int32, len(texts))
        kinds = np.full(len(texts), Kind.TEXT, np.uint8)
        if (blank := pool.get("")) is not None:
            kinds[codes == blank] = Kind.BLANK
        return cls(kinds, np.zeros(len(texts)), codes, list(pool))

    @classmethod
    def of_codes(cls, codes: Codes, texts: Sequence[str]) -> Column:
        """A column of texts given by their places in a pool."""
        count = len(codes)
        return cls(np.full(count, Kind.TEXT, np.uint8), np.zeros(count), codes, texts)

    @classmethod
    def of_booleans(cls, flags: Booleans) -> Column:
        count = len(flags)
        return cls(np.full(count, Kind.BOOL, np.uint8), flags.astype(np.float64), no_codes(count))

    @classmethod
    def full(cls, value: Value | int, count: int) -> Column:
        """The same value `count` times."""
        pool: dict[str, int] = {}
        kind, number, code = _parts_of(value, pool)
        return cls(np.full(count, kind, np.uint8), np.full(count, number), np.full(count, code, np.int32), list(pool))

    @classmethod
    def blank(cls, count: int) -> Column:
        return cls.full(None, count)

    @classmethod
    def concat(cls, columns: Sequence[Column]) -> Column:
        """One column after the other; columns cut from one pool keep sharing it."""
        if len(columns) == 1:
            return columns[0]
        if not columns:
            return cls.blank(0)
        texts, codes = _one_pool(columns)
        return cls(
            np.concatenate([column.kinds for column in columns]),
            _without_zeros(np.concatenate([column.numbers for column in columns])),
            _without_zeros(np.concatenate(codes)),
            texts,
        )

    @classmethod
    def where(cls, mask: Booleans, yes: Column, no: Column) -> Column:
        """Values of `yes` where the mask holds, of `no` elsewhere; lengths are equal, or one."""
        texts, (yes_codes, no_codes) = _one_pool((yes, no))
        return cls(
            np.where(mask, yes.kinds, no.kinds),
            np.where(mask, yes.numbers, no.numbers),
            np.where(mask, yes_codes, no_codes),
            texts,
        )

    # -- reading ---------------------------------------------------------------------------------------

    def __len__(self) -> int:
        return len(self.kinds)

    def __getitem__(self, index: int) -> Value:
        """The value at a place; numbers are `float`, a blank is `None`."""
        kind = self.kinds[index]
        if kind == Kind.NUMBER:
            return float(self.numbers[index])
        if kind == Kind.TEXT:
            return self.texts[self.codes[index]]
        if kind == Kind.BLANK:
            return None
        if kind == Kind.BOOL:
            return bool(self.numbers[index])
        return CellError.from_code(int(self.numbers[index]))

    def __iter__(self) -> Iterator[Value]:
        texts = self.texts
        for kind, number, code in zip(self.kinds.tolist(), self.numbers.tolist(), self.codes.tolist(), strict=True):
            if kind == 1:
                yield number
            elif kind == 2:
                yield texts[code]
            elif kind == 0:
                yield None
            elif kind == 3:
                yield number != 0
            else:
                yield CellError.from_code(int(number))

    def to_list(self) -> list[Value]:
        if self.all_of(Kind.NUMBER):  # as most columns that are no texts
            return self.numbers.tolist()
        if self.all_of(Kind.TEXT):
            texts = self.texts
            return [texts[code] for code in self.codes.tolist()]
        return list(self)

    def __repr__(self) -> str:
        shown = ", ".join(repr(self[index]) for index in range(min(len(self), 4)))
        return f"Column({shown}{', ...' if len(self) > 4 else ''}; {len(self)} values)"

    def is_kind(self, kind: int) -> Booleans:
        return self.kinds == kind

    def all_of(self, kind: int) -> bool:
        return self.kinds.tobytes() == _BYTES[kind] * len(self.kinds)

    def holds(self, kind: int) -> bool:
        """Whether any value is of a kind."""
        return kind in self.kinds.tobytes()

    # -- cutting ---------------------------------------------------------------------------------------

    def slice(self, start: int, stop: int) -> Column:
        """Values from place `start` up to, not with, `stop`; arrays are views."""
        return Column(self.kinds[start:stop], self.numbers[start:stop], self.codes[start:stop], self.texts)

    def take(self, places: NDArray[Any]) -> Column:
        """Values at the given places (indexes or a mask)."""
        kinds = self.kinds[places]
        # Of one code seen many times (`no_codes`) there is nothing to look up.
        codes = self.codes[places] if self.codes.strides != (0,) else np.broadcast_to(self.codes[:1], len(kinds))
        return Column(kinds, _without_zeros(self.numbers[places]), _without_zeros(codes), self.texts)

    def repeat(self, count: int) -> Column:
        """A column of one value, `count` times; longer columns come back as they are."""
        if len(self) == count:
            return self
        return Column(
            np.broadcast_to(self.kinds, count),
            np.broadcast_to(self.numbers, count),
            np.broadcast_to(self.codes, count),
            self.texts,
        )

    # -- coding ----------------------------------------------------------------------------------------

    def compact(self) -> Column:
        """The same values; texts that none of them is, where they are most of the pool, are let go."""
        pool = len(self.texts)
        if pool < _MANY:
            return self
        is_text = self.is_kind(Kind.TEXT)
        own = self.codes[is_text]
        if not len(own):
            return Column(self.kinds, self.numbers, no_codes(len(self)), _NO_TEXTS)
        used = used_codes(own, pool)
        if _SHARE * len(used) > pool:
            return self
        codes = np.zeros(len(self), np.int32)
        codes[is_text] = recoded(own, used, range(len(used)), pool)
        return Column(self.kinds, self.numbers, codes, texts_at(self.texts, used))

    def ranked_texts(self, key: Any = str.casefold) -> tuple[Codes, list[str]]:
        """Codes in which equal texts (under `key`) are equal and the order of codes is that of the texts.

        Returns the codes (meaningless where the value is not a text) and the distinct keys in order.
        """
        is_text = self.is_kind(Kind.TEXT)
        every = bool(is_text.all())
        codes = self.codes if every else self.codes[is_text]
        used = used_codes(codes, len(self.texts))
        texts = texts_at(self.texts, used)
        ranks, distinct = rank_texts(texts if key is str else list(map(key, texts)))
        table = np.zeros(len(self.texts) + 1, np.int32)
        table[used] = ranks
        if every:
            return table[codes], distinct
        return np.where(is_text, table[np.where(is_text, self.codes, 0)], 0), distinct

    def groups(self) -> tuple[Codes, Column]:
        """A group number for every value, and the distinct values in order: numbers, texts, yes/no, errors, blank.

        Texts are distinguished to the letter. Group numbers follow that order, so sorting by them sorts the values.
        """
        groups = np.zeros(len(self), np.int32)
        count = 0
        for kind in (Kind.NUMBER, Kind.TEXT, Kind.BOOL, Kind.ERROR, Kind.BLANK):
            here = self.kinds == kind
            if not here.any():
                continue
            if kind == Kind.TEXT:
                ranks, distinct = self.ranked_texts(key=str)
                if here.all():
                    return ranks, Column.of_texts(distinct)
                groups[here] = ranks[here] + count
                count += len(distinct)
                continue
            if kind == Kind.NUMBER and here.all():
                positions, uniques = rank_numbers(self.numbers)
                return positions.astype(np.int32, copy=False), Column.of_numbers(uniques)
            positions, uniques = rank_numbers(np.zeros(int(here.sum())) if kind == Kind.BLANK else self.numbers[here])
            groups[here] = positions + count
            count += len(uniques)
        first = np.zeros(count, np.int64)
        first[groups[::-1]] = np.arange(len(self) - 1, -1, -1)  # the last writer is the first of its group
        return groups, self.take(first)


def _parts_of(value: Value | int, pool: dict[str, int]) -> tuple[int, float, int]:
    """Kind, number and text code of one Python value; a new text is added to the pool. A number that is not finite is
    the error value for one out of range."""
    if value is None:
        return Kind.BLANK, 0.0, 0
    if isinstance(value, str):
        return Kind.TEXT, 0.0, pool.setdefault(value, len(pool))
    if isinstance(value, bool):
        return Kind.BOOL, float(value), 0
    if isinstance(value, CellError):
        return Kind.ERROR, float(value.code), 0
    number = float(value)
    return (Kind.NUMBER, number, 0) if isfinite(number) else (Kind.ERROR, float(CellError.NUM.code), 0)


def _one_pool(columns: Sequence[Column]) -> tuple[Sequence[str], list[Codes]]:
    """A pool that serves all the columns, and each column's codes in it."""
    pools: dict[int, int] = {}
    texts: list[str] = []
    codes: list[Codes] = []
    kept = [column.texts for column in columns if len(column.texts)]
    if all(pool is kept[0] for pool in kept):
        return (kept[0] if kept else _NO_TEXTS), [column.codes for column in columns]
    for column in columns:
        if len(column.texts) == 0:
            codes.append(column.codes)
            continue
        start = pools.get(id(column.texts))
        if start is None:
            start = pools[id(column.texts)] = len(texts)
            texts.extend(column.texts)
        shifted = column.codes + np.int32(start)
        codes.append(np.where(column.kinds == Kind.TEXT, shifted, 0).astype(np.int32))
    return texts, codes
