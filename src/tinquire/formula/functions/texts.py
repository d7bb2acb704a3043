"""Pieces of text, and numbers as text."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.display import MAX_CODE, show
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import MAX_TEXT, first_fault, number_from_text, texts, with_faults
from tinquire.formula.engine.evaluate import evaluate, lift, single
from tinquire.formula.engine.operands import Operand
from tinquire.formula.engine.registry import elementwise, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node


@elementwise("LEFT(text: text, count: number = 1)")
def left(text: list[str], count: Floats) -> Iterable[Value]:
    """The first characters (18.17.7).

    >>> LEFT("Northgate", 5)
    North
    """
    return _cut(text, count, lambda whole, many: whole[:many])


@elementwise("RIGHT(text: text, count: number = 1)")
def right(text: list[str], count: Floats) -> Iterable[Value]:
    """The last characters (18.17.7).

    >>> RIGHT("Northgate", 4)
    gate
    """
    return _cut(text, count, lambda whole, many: whole[-many:] if many else "")


def _cut(text: list[str], count: Floats, piece: Callable[[str, int], str]) -> Iterable[Value]:
    return [
        CellError.VALUE if many < 0 else piece(whole, int(many))
        for whole, many in zip(text, count.tolist(), strict=True)
    ]


@elementwise("MID(text: text, start: number, count: number)")
def mid(text: list[str], start: Floats, count: Floats) -> Iterable[Value]:
    """Characters from a place on, counted from one (18.17.7).

    >>> MID("Northgate", 6, 4)
    gate
    """
    return [
        CellError.VALUE if first < 1 or many < 0 else whole[int(first) - 1 : int(first) - 1 + int(many)]
        for whole, first, many in zip(text, start.tolist(), count.tolist(), strict=True)
    ]


@elementwise("LEN(text: text)")
def len_(text: list[str]) -> Floats:
    """How many characters a text has (18.17.7).

    >>> LEN("linen")
    5
    """
    return np.array([len(whole) for whole in text], np.float64)


@elementwise("TRIM(text: text)")
def trim(text: list[str]) -> list[str]:
    """The text without outer spaces, and with single ones between words (18.17.7).

    >>> TRIM("  tea   towel ")
    tea towel
    """
    return [" ".join(part for part in whole.split(" ") if part) for whole in text]


@elementwise("UPPER(text: text)")
def upper(text: list[str]) -> list[str]:
    """In capitals (18.17.7).

    >>> UPPER("tin")
    TIN
    """
    return [whole.upper() for whole in text]


@elementwise("LOWER(text: text)")
def lower(text: list[str]) -> list[str]:
    """In small letters (18.17.7).

    >>> LOWER("TIN")
    tin
    """
    return [whole.lower() for whole in text]


@elementwise("CONCATENATE(text: text, text...: text)")
def concatenate(*parts: list[str]) -> Iterable[Value]:
    """All texts one after the other (18.17.7).

    >>> CONCATENATE("tin", " ", "quire")
    tin quire
    """
    joined = ("".join(pieces) for pieces in zip(*parts, strict=True))
    return [whole if len(whole) <= MAX_TEXT else CellError.VALUE for whole in joined]


@special("TEXT(value: value, format: text)")
def text(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A value as it is displayed under a number format (18.17.7).

    >>> TEXT(1234.5, "#,##0.00")
    1,234.50
    """
    operands = [single(evaluate(argument, frame), frame) for argument in arguments]

    def work(values: Column, codes: Column) -> Column:
        count = max(len(values), len(codes))
        values = values.repeat(count)
        read, faults = texts(codes.repeat(count))
        shown = [_shown(value, code, frame) for value, code in zip(values, read, strict=True)]
        return with_faults(Column.from_values(shown), first_fault(faults))

    return lift(operands, work)


def _shown(value: Value, code: str, frame: Frame) -> Value:
    if isinstance(value, CellError):
        return value
    if len(code) > MAX_CODE:
        return CellError.VALUE
    if not code:
        return ""
    if isinstance(value, str) and (number := number_from_text(value)) is not None:
        value = number
    return show(0.0 if value is None else value, code, frame.scope.date_system).text
