"""The scalar values a cell can hold, and the order in which values of different kinds compare."""

from __future__ import annotations

from enum import Enum
from typing import TypeAlias

__all__ = ["ERROR_NAMES", "CellError", "Value"]


class CellError(Enum):
    """The error values of ECMA-376 Part 1, 18.17.3, and the two that came with spilling results.

    A member's `text` is what a cell shows; its `code` is what a `Column` keeps in its number array.
    """

    NULL = "#NULL!"
    DIV0 = "#DIV/0!"
    VALUE = "#VALUE!"
    REF = "#REF!"
    NAME = "#NAME?"
    NUM = "#NUM!"
    NA = "#N/A"
    SPILL = "#SPILL!"
    CALC = "#CALC!"

    @property
    def text(self) -> str:
        return self.value

    @property
    def code(self) -> int:
        return _CODES[self]

    @classmethod
    def from_code(cls, code: int) -> CellError:
        return _MEMBERS[code]

    def __str__(self) -> str:
        return self.value


_MEMBERS: tuple[CellError, ...] = tuple(CellError)
_CODES = {member: code for code, member in enumerate(_MEMBERS)}

#: Error value by the text that a formula or a file writes for it.
ERROR_NAMES: dict[str, CellError] = {member.value: member for member in CellError}

#: A single cell's value; `None` is a blank cell, which is neither zero nor empty text.
Value: TypeAlias = "float | str | bool | CellError | None"
