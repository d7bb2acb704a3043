"""What a value is, and what is known of one cell beside its value (18.17.7)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tinquire.cells.address import Area, column_name
from tinquire.cells.column import Booleans, Column, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.engine.evaluate import evaluate, fixed_value, lift
from tinquire.formula.engine.operands import Closure, Grid, Operand, Scalar, Span
from tinquire.formula.engine.references import PerLane, single
from tinquire.formula.engine.registry import declare_all, elementwise, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node


def _content(span: Span, frame: Frame) -> Value:
    return frame.scope.column(span.sheet, span.area.left, span.area.top, span.area.top)[0]


def _address(span: Span, frame: Frame) -> Value:
    return f"${column_name(span.area.left)}${span.area.top}"


def _type(span: Span, frame: Frame) -> Value:
    content = _content(span, frame)
    return "b" if content is None else "l" if isinstance(content, str) else "v"


_DESCRIBED: dict[str, Callable[[Span, Frame], Value]] = {
    "address": _address,
    "row": lambda span, frame: float(span.area.top),
    "col": lambda span, frame: float(span.area.left),
    "contents": _content,
    "type": _type,
}


@special("CELL(about: text, reference?: cells)")
def cell(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A property of a cell: `address`, `row`, `col`, `contents`, `type`, or of its look `format`, `color`,
    `parentheses`, `prefix`, `protect`, `width`; `filename` would differ from machine to machine, and is not available
    (18.17.7).

    >>> CELL("address", B7)
    $B$7
    """
    about = text_of(fixed_value(arguments[0], frame))
    if len(arguments) == 1 and frame.count > 1:
        raise PerLane
    operand = (
        evaluate(arguments[1], frame)
        if len(arguments) > 1
        else Span(frame.sheet, Area(frame.row, frame.column, frame.row, frame.column))
    )
    if isinstance(operand, Span) and operand.moves:
        raise PerLane
    word = str(about).casefold()
    if not isinstance(operand, Span):
        return Scalar(CellError.VALUE)
    if word in _DESCRIBED:
        return Scalar(_DESCRIBED[word](operand, frame))
    facts = frame.scope.cell_facts(operand.sheet, operand.area.top, operand.area.left)
    return Scalar(facts.get(word, CellError.NA))


@special("PHONETIC(text: cells)")
def phonetic(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The pronunciation of a cell's text, where that is stored beside it; otherwise the text itself (18.17.7).

    >>> PHONETIC("tin")
    tin
    """
    operand = evaluate(arguments[0], frame)
    if isinstance(operand, Span):
        if operand.moves:
            raise PerLane
        found = frame.scope.reading_of(operand.sheet, operand.area.top, operand.area.left)
        text = text_of(_content(operand, frame) if found is None else found)
        return Scalar(text)
    return Scalar(text_of(fixed_value(arguments[0], frame)))


def _formula(arguments: tuple[Node, ...], frame: Frame) -> str | CellError | None:
    """The formula in the first cell of a reference; an error for what is no reference."""
    operand = evaluate(arguments[0], frame)
    if not isinstance(operand, Span):
        return CellError.NA
    if operand.moves:
        raise PerLane
    return frame.scope.formula_text(operand.sheet, operand.area.top, operand.area.left)


@special("FORMULATEXT(reference: cells)")
def formulatext(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The formula of a cell as text; a cell without one is not available.

    >>> FORMULATEXT(A1)
    #N/A
    """
    found = _formula(arguments, frame)
    return Scalar(f"={found}" if isinstance(found, str) else CellError.NA)


@special("ISFORMULA(reference: cells)")
def isformula(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """Whether a cell holds a formula.

    >>> ISFORMULA(A1)
    FALSE
    """
    found = _formula(arguments, frame)
    return Scalar(CellError.VALUE if isinstance(found, CellError) else found is not None)


@elementwise("ISBLANK(value: value)")
def isblank(value: Column) -> Booleans:
    """Whether a cell is blank (18.17.7).

    >>> ISBLANK("")
    FALSE
    """
    return value.is_kind(Kind.BLANK)


@elementwise("ISNUMBER(value: value)")
def isnumber(value: Column) -> Booleans:
    """Whether a value is a number (18.17.7).

    >>> ISNUMBER("1")
    FALSE
    """
    return value.is_kind(Kind.NUMBER)


@elementwise("ISTEXT(value: value)")
def istext(value: Column) -> Booleans:
    """Whether a value is text (18.17.7).

    >>> ISTEXT("1")
    TRUE
    """
    return value.is_kind(Kind.TEXT)


@elementwise("ISERROR(value: value)")
def iserror(value: Column) -> Booleans:
    """Whether a value is an error (18.17.7).

    >>> ISERROR(1/0)
    TRUE
    """
    return value.is_kind(Kind.ERROR)


@special("NA()")
def na(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The error value for something that is not available (18.17.7).

    >>> NA()
    #N/A
    """
    return Scalar(CellError.NA)


_TYPES = {Kind.BLANK: 1.0, Kind.NUMBER: 1.0, Kind.TEXT: 2.0, Kind.BOOL: 4.0, Kind.ERROR: 16.0}


#: The numbers of the error values (18.17.7, ERROR.TYPE).
_ERRORS = {
    CellError.NULL: 1.0, CellError.DIV0: 2.0, CellError.VALUE: 3.0, CellError.REF: 4.0, CellError.NAME: 5.0,
    CellError.NUM: 6.0, CellError.NA: 7.0, CellError.SPILL: 9.0, CellError.CALC: 14.0,
}  # fmt: skip


def _error_type(value: Column) -> list[Value]:
    return [_ERRORS[item] if isinstance(item, CellError) else CellError.NA for item in value]


def _number(value: Column) -> Column:
    """Numbers and yes/no as numbers, errors as they are, all else as zero."""
    counted = (value.kinds == Kind.NUMBER) | (value.kinds == Kind.BOOL)
    numbers = Column.of_numbers(np.where(counted, value.numbers, 0.0))
    return Column.where(value.kinds == Kind.ERROR, value, numbers)


declare_all(
    elementwise,
    __name__,
    [
        ("ISERR(value: value)", lambda v: v.is_kind(Kind.ERROR) & (v.numbers != CellError.NA.code), "Whether a value is an error other than not available (18.17.7).", "ISERR(NA())", "FALSE"),
        ("ISNA(value: value)", lambda v: v.is_kind(Kind.ERROR) & (v.numbers == CellError.NA.code), "Whether a value is not available (18.17.7).", "ISNA(NA())", "TRUE"),
        ("ISLOGICAL(value: value)", lambda v: v.is_kind(Kind.BOOL), "Whether a value is yes or no (18.17.7).", "ISLOGICAL(TRUE)", "TRUE"),
        ("ISNONTEXT(value: value)", lambda v: ~v.is_kind(Kind.TEXT), "Whether a value is not text (18.17.7).", "ISNONTEXT(1)", "TRUE"),
        ("ERROR.TYPE(value: value)", _error_type, "The number of an error value (18.17.7).", "ERROR.TYPE(1/0)", "2"),
        ("N(value: value)", _number, "A value as a number; texts are zero (18.17.7).", "N(TRUE)", "1"),
    ],
)  # fmt: skip


@special("TYPE(value: value)")
def type_(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The type of a value: 1 number, 2 text, 4 yes/no, 16 error, 64 array, 128 function (18.17.7).

    >>> TYPE("tin")
    2
    """
    operand = evaluate(arguments[0], frame)
    if isinstance(operand, Closure):
        return Scalar(128.0)
    found = single(operand, frame)
    if isinstance(found, Grid):
        return Scalar(64.0)
    return lift([found], lambda column: Column.of_numbers([_TYPES[kind] for kind in column.kinds.tolist()]))


@special("INFO(about: text)")
def info(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """A property of the workbook: `numfile`, how many sheets there are; nothing that would differ from one machine to another
    (18.17.7).

    >>> INFO("numfile")
    2
    """
    about = str(fixed_value(arguments[0], frame)).casefold()
    if about == "numfile":
        return Scalar(float(len(frame.scope.sheets_between("", ""))))
    return Scalar(CellError.NA)
