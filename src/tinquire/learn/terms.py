"""Formulas in general terms: headings in place of the addresses of a list's cells."""

from __future__ import annotations

import re
from collections.abc import Callable

from tinquire.formula.language.mentions import Mention, change_mentions
from tinquire.learn.lists import SheetList, seen_list
from tinquire.workbook import Workbook

__all__ = ["Terms"]

#: What a table says of its own row, and of all its rows (18.17.6.1).
_THIS_ROW = r"{}\[(?:\[#This Row\],\[([^\[\]]+)\]|@(?:\[([^\[\]]+)\]|([^\[\]@]+)))\]"
_ALL_ROWS = r"{}\[([^\[\]@#]+)\]"
_NO_HEADING = frozenset("[]@#:'")


class Terms:
    """How formulas of a workbook are said over the headings of its lists."""

    def __init__(self, book: Workbook) -> None:
        self.book = book
        self._lists: dict[str, SheetList | None] = {}

    def know(self, found: SheetList) -> None:
        """A sheet's rows, where they are known better than by looking: without what was put below them."""
        self._lists[found.sheet.casefold()] = found

    def seen(self, name: str) -> SheetList | None:
        if name.casefold() not in self._lists:
            entry = self.book.entry(name)
            known = entry is not None and entry.kind == "worksheet"
            self._lists[name.casefold()] = seen_list(self.book, name) if known else None
        return self._lists[name.casefold()]

    def general(
        self, text: str, home: str, row: int | None, own: SheetList | None, *, unnamed: str = ""
    ) -> tuple[str, bool]:
        """A formula of a cell over headings, and whether all that moves with the cell could be said so. `own` is the
        list whose row the cell lies in, or would; rows of the sheet `unnamed` are meant without a sheet's name."""
        whole = True

        def said(mention: Mention) -> str | None:
            nonlocal whole
            area = mention.area
            if area is None or mention.outside or len(mention.sheets) > 1:
                return None
            sheet = mention.sheets[0] if mention.sheets else home
            if own is not None and row is not None and sheet.casefold() == own.sheet.casefold():
                heading = _own_cell(mention, row, own)
                if heading is not None:
                    return f"[{heading}]"
            below = own if own is not None and sheet.casefold() == own.sheet.casefold() else self.seen(sheet)
            headings = None if below is None else _all_rows(mention, below)
            if headings is not None:
                prefix = "" if sheet.casefold() == (unnamed or home).casefold() else mention.prefix or f"{sheet}!"
                return f"{prefix}rows[{headings}]"
            whole = whole and _stays(mention, below, row is None)
            return None

        if own is not None and own.below.table is not None:
            text = _of_table(text, own.below.table.name)
        return change_mentions(text, said), whole


def _own_cell(mention: Mention, row: int, own: SheetList) -> str | None:
    """The heading of a single cell of the formula's own row."""
    area = mention.area
    assert area is not None
    fixed = any(corner[2] for corner in mention.corners)
    if fixed or (area.top, area.height, area.width) != (row, 1, 1):
        return None
    return own.headed(area.left)


def _all_rows(mention: Mention, below: SheetList) -> str | None:
    """Headings of a mention of all rows of one column, or of several beside each other."""
    area, rows = mention.area, below.below.rows
    assert area is not None
    if (area.top, area.bottom) != (rows[0], rows[-1]) or (area.height == 1 and ":" not in mention.spelled):
        return None
    first, last = below.headed(area.left), below.headed(area.right)
    if first is None or last is None:
        return None
    return first if area.left == area.right else f"{first}:{last}"


def _stays(mention: Mention, below: SheetList | None, apart: bool) -> bool:
    """Whether an address means the same whatever the number of rows: above the headings, or whole columns; for a cell
    apart from the list also what stands beside it, or above its headings."""
    area = mention.area
    assert area is not None
    if not mention.corners[0][3] or (apart and below is None):
        return True
    if below is not None and apart:
        columns = below.below.columns
        return area.right < min(columns) or area.left > max(columns) or area.bottom < below.head
    fixed = all(corner[2] for corner in mention.corners)
    return fixed and (below is None or area.bottom < below.head)


def _of_table(text: str, table: str) -> str:
    this: Callable[[re.Match[str]], str] = lambda found: f"[{found[1] or found[2] or found[3]}]"  # noqa: E731
    name = f"(?:{re.escape(table)})"
    return re.sub(_ALL_ROWS.format(rf"\b{name}"), r"rows[\1]", re.sub(_THIS_ROW.format(f"{name}?"), this, text))
