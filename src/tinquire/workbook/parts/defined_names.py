"""Defined names (18.2.5) as values."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["DefinedName"]

_BUILT_IN_NAMES = {
    "_xlnm.Print_Titles": "print titles",
    "_xlnm.Print_Area": "print area",
    "_xlnm._FilterDatabase": "filtered area",
}


@dataclass(frozen=True, slots=True)
class DefinedName:
    """A name, the formula it stands for, and the sheet it belongs to (None for the whole workbook)."""

    name: str
    formula: str
    sheet: str | None = None
    hidden: bool = False

    @property
    def shown(self) -> str:
        """The name as a person says it: those that the standard keeps for itself (18.2.5) in words."""
        return _BUILT_IN_NAMES.get(self.name, self.name)
