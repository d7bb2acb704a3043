"""How what refers to cells follows a change: of rows and columns, of sheets, of tables."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from tinquire.cells.address import Area
from tinquire.cells.shifting import Moves
from tinquire.formula.language.mentions import OFF_GRID, Mention, change_mentions, mentions, offset_text, prefix_of
from tinquire.formula.language.writing import escaped_column

__all__ = [
    "GoneSheets",
    "MovedColumn",
    "ReferenceChange",
    "RenamedSheet",
    "RenamedTables",
    "ShiftedLines",
    "TableColumns",
    "may_differ",
    "may_mention",
]


class ReferenceChange(Protocol):
    """What a change means for references; `home` is the sheet on which a formula or area stands ('' for none)."""

    def formula(self, text: str, home: str) -> str:
        """A formula's text after the change."""
        ...

    def area(self, area: Area, home: str) -> Area | None:
        """Where an area of a sheet lies after the change; None when nothing is left of it."""
        ...

    def may_change(self, data: bytes, home: str) -> bool:
        """Whether a part could hold anything that changes. May say yes too often, never no too often."""
        ...

    def moved_sheets(self) -> tuple[str, ...]:
        """The sheets of which some cells are in another place, so that a reference may change in one cell and stay in
        the next one."""
        ...


@dataclass(frozen=True, slots=True)
class MovedColumn:
    """What stood in one column of a sheet stands in another: areas within the column go along, wider ones stay."""

    sheet: str
    old: int
    new: int

    def formula(self, text: str, home: str) -> str:
        return change_mentions(text, lambda mention: self._moved(mention, home))

    def _moved(self, mention: Mention, home: str) -> str | None:
        meant = _meant(mention, home)
        if meant is None:
            return None
        sheet, area = meant
        moved = self.area(area, sheet)
        return None if moved == area else mention.over(moved)

    def area(self, area: Area, home: str) -> Area:
        if home.casefold() != self.sheet.casefold() or (area.left, area.right) != (self.old, self.old):
            return area
        return area._replace(left=self.new, right=self.new)

    def may_change(self, data: bytes, home: str) -> bool:
        return home.casefold() == self.sheet.casefold() or may_mention(self.sheet, data)

    def moved_sheets(self) -> tuple[str, ...]:
        return (self.sheet,)


def _meant(mention: Mention, home: str) -> tuple[str, Area] | None:
    """The sheet and the area that a mention means; None for other workbooks, and for a run of sheets, which stays where
    it is: the other sheets of the run have not moved."""
    if mention.outside or len(mention.sheets) > 1 or mention.area is None:
        return None
    return mention.sheets[0] if mention.sheets else home, mention.area


def may_differ(change: ReferenceChange, text: str, home: str) -> bool:
    """Whether a formula that is filled into several cells may change in some of them alone, or in all: one with a
    reference that moves with its cell, to a sheet of which some cells are in another place."""
    if change.formula(text, home) != text:
        return True
    moved = {sheet.casefold() for sheet in change.moved_sheets()}
    if not moved or offset_text(text, 1, 1) == text:
        return False
    meant = (_meant(mention, home) for mention in mentions(text))
    return any(one is not None and one[0].casefold() in moved for one in meant)


def may_mention(name: str, data: bytes) -> bool:
    """Whether a part could mention a name; names that markup may spell in several ways are always treated as there."""
    if re.search(r"[^\w .-]", name) or not name.isascii():
        return True
    return name.lower().encode() in data.lower()


#: The innermost brackets of a table reference, with escapes (18.17): a column, or a word such as #Headers.
_COLUMN = re.compile(r"\[((?:'.|[^\[\]'])*)\]")
_COLUMN_ESCAPE = re.compile(r"'(.)")


@dataclass(frozen=True, slots=True)
class ShiftedLines:
    """Rows or columns of one sheet put in or taken out."""

    sheet: str
    shift: Moves

    def formula(self, text: str, home: str) -> str:
        return change_mentions(text, lambda mention: self._moved(mention, home))

    def _moved(self, mention: Mention, home: str) -> str | None:
        if (mention.sheets[0] if mention.sheets else home).casefold() != self.sheet.casefold():
            return None
        meant = _meant(mention, home)
        if meant is None:
            return None
        area = meant[1]
        moved = self.shift.area(area)
        return None if moved == area else mention.over(moved)

    def area(self, area: Area, home: str) -> Area | None:
        return self.shift.area(area) if home.casefold() == self.sheet.casefold() else area

    def may_change(self, data: bytes, home: str) -> bool:
        return home.casefold() == self.sheet.casefold() or may_mention(self.sheet, data)

    def moved_sheets(self) -> tuple[str, ...]:
        return (self.sheet,)


@dataclass(frozen=True, slots=True)
class RenamedSheet:
    """A sheet with another name."""

    old: str
    new: str

    def formula(self, text: str, home: str) -> str:
        return change_mentions(text, self._renamed)

    def _renamed(self, mention: Mention) -> str | None:
        folded = self.old.casefold()
        if mention.outside or all(sheet.casefold() != folded for sheet in mention.sheets):
            return None
        sheets = tuple(self.new if sheet.casefold() == folded else sheet for sheet in mention.sheets)
        return replace(mention, prefix=prefix_of(sheets)).text()

    def area(self, area: Area, home: str) -> Area | None:
        return area

    def may_change(self, data: bytes, home: str) -> bool:
        return may_mention(self.old, data)

    def moved_sheets(self) -> tuple[str, ...]:
        return ()


@dataclass(frozen=True, slots=True)
class GoneSheets:
    """Sheets and their tables that are no longer there; `order` are the names of all sheets as they stood."""

    sheets: Sequence[str]
    order: Sequence[str]
    tables: Sequence[str] = ()

    def formula(self, text: str, home: str) -> str:
        return change_mentions(text, self._without)

    def mentioned(self, text: str) -> bool:
        """Whether a formula needs what is gone."""
        return any(self._without(mention) is not None for mention in mentions(text))

    def _without(self, mention: Mention) -> str | None:
        gone = {sheet.casefold() for sheet in self.sheets}
        if mention.inside:
            return OFF_GRID if mention.name.casefold() in {table.casefold() for table in self.tables} else None
        if mention.outside or all(sheet.casefold() not in gone for sheet in mention.sheets):
            return None
        left = self._left_of(mention.sheets, gone) if len(mention.sheets) == 2 else ()
        return replace(mention, prefix=prefix_of(left)).text() if left else OFF_GRID

    def _left_of(self, run: Sequence[str], gone: set[str]) -> tuple[str, ...]:
        """The first and last sheet that are left of a run; none when all are gone."""
        order = [sheet.casefold() for sheet in self.order]
        try:
            first, last = sorted(order.index(sheet.casefold()) for sheet in run)
        except ValueError:
            return ()
        left = [self.order[index] for index in range(first, last + 1) if order[index] not in gone]
        return (left[0], left[-1]) if len(left) > 1 else tuple(left)

    def area(self, area: Area, home: str) -> Area | None:
        return area

    def may_change(self, data: bytes, home: str) -> bool:
        return any(may_mention(name, data) for name in (*self.sheets, *self.tables))

    def moved_sheets(self) -> tuple[str, ...]:
        return ()


@dataclass(frozen=True, slots=True)
class RenamedTables:
    """Tables with other names, by the old one without regard to case; and, on a copy, a sheet's own name."""

    tables: Mapping[str, str]
    sheet: RenamedSheet | None = None

    def formula(self, text: str, home: str) -> str:
        text = change_mentions(text, self._renamed)
        return text if self.sheet is None else self.sheet.formula(text, home)

    def _renamed(self, mention: Mention) -> str | None:
        fresh = self.tables.get(mention.name.casefold()) if mention.inside else None
        return None if fresh is None else replace(mention, name=fresh).text()

    def area(self, area: Area, home: str) -> Area | None:
        return area

    def may_change(self, data: bytes, home: str) -> bool:
        return True

    def moved_sheets(self) -> tuple[str, ...]:
        return ()


@dataclass(frozen=True, slots=True)
class TableColumns:
    """Columns of one table with other names, by the old one without regard to case; None for those that are gone."""

    table: str
    columns: Mapping[str, str | None]

    def formula(self, text: str, home: str) -> str:
        return change_mentions(text, self._renamed)

    def _renamed(self, mention: Mention) -> str | None:
        if not mention.inside or mention.name.casefold() != self.table.casefold():
            return None
        lost = False

        def renamed(found: re.Match[str]) -> str:
            nonlocal lost
            name = _COLUMN_ESCAPE.sub(r"\1", found[1])
            if name.casefold() not in self.columns:
                return found[0]
            fresh = self.columns[name.casefold()]
            lost = lost or fresh is None
            return f"[{escaped_column(fresh or '')}]"

        inside = _COLUMN.sub(renamed, mention.inside)
        return OFF_GRID if lost else None if inside == mention.inside else replace(mention, inside=inside).text()

    def area(self, area: Area, home: str) -> Area | None:
        return area

    def may_change(self, data: bytes, home: str) -> bool:
        return may_mention(self.table, data)

    def moved_sheets(self) -> tuple[str, ...]:
        return ()
