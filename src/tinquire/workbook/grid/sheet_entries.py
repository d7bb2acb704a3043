"""The list of a workbook's sheets (ECMA-376 Part 1, 18.2.19, .20)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tinquire.base.faults import AccessError, Fault
from tinquire.packages.package import Package
from tinquire.packages.raw_xml import has_formula
from tinquire.workbook.grid.sheet import Sheet, SheetFrame

__all__ = ["SheetEntry", "entry_of", "may_hold_formulas", "require_distinct"]

#: Sheets are looked through for formulas while they are smaller than this when packed; of larger ones it is assumed.
_LOOKED_THROUGH = 1 << 20


@dataclass(slots=True)
class SheetEntry:
    """A sheet's place in the workbook; `part` is None until a new sheet is saved."""

    name: str
    part: str | None
    kind: str = "worksheet"
    state: str = "visible"
    loaded: Sheet | None = None
    #: What stood around its cells when they were read or written last.
    frame: SheetFrame | None = None

    def copy(self) -> SheetEntry:
        """The same place in a copy of the workbook."""
        loaded = None if self.loaded is None else self.loaded.copy()
        return SheetEntry(self.name, self.part, self.kind, self.state, loaded, self.frame)

    def is_written(self) -> bool:
        """Whether its part is as the sheet is: nothing was changed since it was read or written."""
        sheet = self.loaded
        return sheet is None or not (sheet.changed or sheet.frames or not sheet.stands_in(self.frame))


def entry_of(entries: Sequence[SheetEntry], name: str) -> SheetEntry | None:
    """The entry of a name, without regard to case."""
    for entry in entries:
        if entry.name == name:  # as most ask
            return entry
    folded = name.casefold()
    return next((entry for entry in entries if entry.name.casefold() == folded), None)


def may_hold_formulas(entry: SheetEntry, package: Package) -> bool:
    """Whether a sheet may hold formulas; a large one that was not read is not read for it."""
    if entry.loaded is not None:
        return entry.loaded.formula_count() > 0
    part = entry.part
    if part is None or not package.has(part):
        return False
    return package.packed_size(part) > _LOOKED_THROUGH or has_formula(package.read(part))


def require_distinct(entries: Sequence[SheetEntry], others: set[str], file: str) -> None:
    """Raises AccessError when two sheets are one part or have one name, or one is a part with another role."""
    parts = [entry.part.casefold() for entry in entries if entry.part is not None]
    if len({entry.name.casefold() for entry in entries}) < len(entries):
        why = "two of its sheets have one name"
    elif len(set(parts)) < len(parts):
        why = "two of its sheets are one part"
    elif shared := next((part for part in others if part.casefold() in parts), None):
        why = f"one of its sheets is '{shared}', which is its part of another kind"
    else:
        return
    raise AccessError(Fault("opening a workbook", why, file, "get the file again from its source"))
