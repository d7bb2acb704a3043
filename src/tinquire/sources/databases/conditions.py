"""Conditions on rows, written as formulas, as expressions of a database: those that mean the same in both.

A comparison of a column with a number or a text; blanks are zero or no text, as formulas have them; texts are equal
without regard to case. What could mean something else there is refused, never sent.
"""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum
from typing import TYPE_CHECKING, Any

from tinquire.cells.values import Value
from tinquire.formula import parse
from tinquire.formula.language.tree import Binary, Call, Literal, Name, Node, TableReference, Unary
from tinquire.slots.slots import slot_name

if TYPE_CHECKING:
    from sqlalchemy import ColumnElement

__all__ = ["Holds", "RefusedError", "condition"]

_FLIPPED = {"=": "=", "<>": "<>", "<": ">", ">": "<", "<=": ">=", ">=": "<="}


class Holds(Enum):
    """What values a database's column holds."""

    NUMBERS = "numbers"
    TEXTS = "texts"
    FLAGS = "yes/no"
    DAYS = "days"
    #: The database does not say: each value has a kind of its own.
    ANY = "values of any kind"
    OTHER = "values of another kind"


class RefusedError(Exception):
    """A condition that a database cannot be asked, and why."""


def condition(
    text: str, columns: Mapping[str, tuple[ColumnElement[Any], Holds]], names: Mapping[str, Value]
) -> ColumnElement[bool]:
    """A formula over headings as an expression. Raises RefusedError with what the database cannot be asked, and
    FormulaError for text that is no formula."""
    return _Translator({name.casefold(): column for name, column in columns.items()}, names).truth(parse(text))


class _Translator:
    def __init__(self, columns: Mapping[str, tuple[ColumnElement[Any], Holds]], names: Mapping[str, Value]) -> None:
        self.columns = columns
        self.names = {slot_name(name): value for name, value in names.items()}

    def truth(self, node: Node) -> ColumnElement[bool]:
        from sqlalchemy import and_, false, func, not_, or_

        if isinstance(node, Call) and node.function in ("AND", "OR") and node.arguments:
            parts = [self.truth(argument) for argument in node.arguments]
            return and_(*parts) if node.function == "AND" else or_(*parts)
        if isinstance(node, Call) and node.function == "NOT" and len(node.arguments) == 1:
            return not_(self.truth(node.arguments[0]))
        if isinstance(node, Call) and node.function == "ISBLANK" and len(node.arguments) == 1:
            column, holds = self.column(node.arguments[0])
            return _blank(column, holds)
        if isinstance(node, Binary) and node.sign in _FLIPPED:
            if isinstance(node.right, TableReference):
                return self.compared(node.right, _FLIPPED[node.sign], node.left)
            return self.compared(node.left, node.sign, node.right)
        if isinstance(node, TableReference):
            column, holds = self.column(node)
            if holds is Holds.FLAGS:
                return func.coalesce(column, false()) == True  # noqa: E712
        raise RefusedError("it is more than comparisons of a column with a value, joined by AND, OR and NOT")

    def column(self, node: Node) -> tuple[ColumnElement[Any], Holds]:
        if not isinstance(node, TableReference) or node.table is not None or node.first is None:
            raise RefusedError("it compares something else than a column")
        found = self.columns.get(node.first.casefold())
        if found is None:
            raise RefusedError(f"the query has no column '{node.first}'")
        return found

    def value(self, node: Node) -> Value:
        if isinstance(node, Literal):
            return node.value
        if isinstance(node, Unary) and node.sign == "-":
            value = self.value(node.operand)
            if isinstance(value, float):
                return -value
        if isinstance(node, Name) and slot_name(node.name) in self.names:
            return self.names[slot_name(node.name)]
        raise RefusedError("it compares a column with something else than a value")

    def compared(self, left: Node, sign: str, right: Node) -> ColumnElement[bool]:
        column, holds = self.column(left)
        value = self.value(right)
        if holds in (Holds.DAYS, Holds.OTHER):
            raise RefusedError(f"it compares {holds.value}; bound them in the query, as with :period_first")
        if isinstance(value, bool):
            return _flag(column, holds, sign, value)
        if isinstance(value, float):
            return _number(column, holds, sign, value)
        if isinstance(value, str):
            return _text(column, holds, sign, value)
        raise RefusedError("it compares a column with an error or nothing")


def _signed(left: Any, sign: str, right: Any) -> ColumnElement[bool]:
    return left.op("=" if sign == "=" else sign, is_comparison=True)(right)


def _always(truth: bool) -> ColumnElement[bool]:
    from sqlalchemy import literal

    return literal(1) == (1 if truth else 0)


def _either(is_apart: Any, apart: bool, otherwise: ColumnElement[bool]) -> ColumnElement[bool]:
    """One truth for values of another kind, which come before or after all of this kind."""
    from sqlalchemy import and_, not_, or_

    return or_(is_apart, otherwise) if apart else and_(not_(is_apart), otherwise)


def _blank(column: ColumnElement[Any], holds: Holds) -> ColumnElement[bool]:
    from sqlalchemy import or_

    return or_(column.is_(None), column == "") if holds in (Holds.TEXTS, Holds.ANY) else column.is_(None)


def _flag(column: ColumnElement[Any], holds: Holds, sign: str, value: bool) -> ColumnElement[bool]:
    from sqlalchemy import false, func, literal

    if holds is not Holds.FLAGS or sign not in ("=", "<>"):
        raise RefusedError(f"it compares {holds.value} with TRUE or FALSE")
    return _signed(func.coalesce(column, false()), sign, literal(value))


def _number(column: ColumnElement[Any], holds: Holds, sign: str, value: float) -> ColumnElement[bool]:
    """Blanks are zero; texts, and yes/no, come after all numbers."""
    from sqlalchemy import func, literal

    behind = sign in (">", ">=", "<>")
    if holds is Holds.ANY:
        own = func.nullif(column, "")
        return _either(func.typeof(own) == "text", behind, _signed(func.coalesce(own, 0), sign, literal(value)))
    if holds is Holds.NUMBERS:
        return _signed(func.coalesce(column, 0), sign, literal(value))
    blank = _blank(column, holds)
    as_nought = {"=": value == 0, "<>": value != 0, "<": value > 0, "<=": value >= 0, ">": value < 0, ">=": value <= 0}
    return _either(blank, True, _always(behind)) if as_nought[sign] else _either(blank, False, _always(behind))


def _text(column: ColumnElement[Any], holds: Holds, sign: str, value: str) -> ColumnElement[bool]:
    """Equal without regard to case; how else texts stand to each other, databases say differently."""
    from sqlalchemy import func, literal, not_

    if sign not in ("=", "<>"):
        raise RefusedError(f"it asks which texts are {sign} another")
    if not value.isascii():
        raise RefusedError(f"it compares with '{value}', whose case databases see differently")
    if value == "":
        blank = _blank(column, holds)
        return blank if sign == "=" else not_(blank)
    if holds in (Holds.NUMBERS, Holds.FLAGS):
        return _always(sign == "<>")
    same = func.lower(func.coalesce(column, "")) == literal(value.lower())
    if holds is Holds.ANY:
        same = _either(func.typeof(column) != "text", False, same)
    return same if sign == "=" else not_(same)
