"""Entry rules as values: what may be entered in cells (ECMA-376 Part 1, 18.3.1.33)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tinquire.cells.address import Area
from tinquire.workbook.grid.marks import comparison_in_words

__all__ = ["EntryRule", "entry_in_words"]


@dataclass(frozen=True, slots=True)
class EntryRule:
    """What may be entered: `kind` is a type of 18.18.21, `formulas` its one or two bounds, as the first cell of its
    areas reads them. `severity` (18.18.18) says what happens to other entries."""

    areas: tuple[Area, ...]
    kind: str
    operator: str = "between"
    formulas: tuple[str, ...] = ()
    blank: bool = False
    severity: str = "stop"
    #: What is shown beside a cell that is chosen, and when an entry is refused; each a title and a text.
    prompt: tuple[str, str] = ("", "")
    message: tuple[str, str] = ("", "")

    @property
    def words(self) -> str:
        return entry_in_words(self.kind, self.operator, self.formulas)


_ENTRIES = {
    "whole": "whole numbers", "decimal": "numbers", "date": "days", "time": "times", "textLength": "texts of a length",
}  # fmt: skip


def entry_in_words(kind: str, operator: str, formulas: Sequence[str]) -> str:
    """What may be entered."""
    if kind == "list" and formulas:
        return f"one of {formulas[0]}"
    if kind == "custom" and formulas:
        return f"what makes {formulas[0]} true"
    if kind in _ENTRIES and formulas:
        return f"{_ENTRIES[kind]} {comparison_in_words(operator, formulas)}"
    return "anything, with a prompt" if kind == "none" else _ENTRIES.get(kind, kind)
