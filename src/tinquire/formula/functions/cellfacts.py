"""What is known of one cell beside its value: its place, its look, its formula, how its text is read (18.17.7)."""

from __future__ import annotations

from collections.abc import Callable

from tinquire.cells.address import Area, column_name
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.conversions import text_of
from tinquire.formula.engine.evaluate import evaluate, fixed_value
from tinquire.formula.engine.operands import Operand, Scalar, Span
from tinquire.formula.engine.references import PerLane
from tinquire.formula.engine.registry import special
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
    """What is known of a cell: `address`, `row`, `col`, `contents`, `type`, or of its look `format`, `color`,
    `parentheses`, `prefix`, `protect`, `width`; `filename` would differ from machine to machine, and is not available
    (18.17.7).

    >>> CELL("address", B7)
    $B$7
    """
    about = text_of(fixed_value(arguments[0], frame))
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
    """How a cell's text is read, where that is stored beside it; otherwise the text itself (18.17.7).

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
