"""How sheets are dressed: the styles of their cells, titles and column widths."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Protocol

import numpy as np

from tinquire.cells.column import Codes, Column, Kind, recoded, used_codes
from tinquire.cells.display import show_column
from tinquire.layout.plans import ColumnDress
from tinquire.looks import Appearance, House, Variation
from tinquire.looks.fonts import Letters, letters_of
from tinquire.looks.house import BorderRule
from tinquire.looks.widths import DIGIT_POINTS, fitting_width, line_count, widest_values
from tinquire.tables import Field
from tinquire.tables.types import AMOUNTS
from tinquire.workbook import Sheet
from tinquire.workbook.grid.sheet_names import safe_defined_name
from tinquire.workbook.parts.styles import StyleBook

__all__ = ["Dresser", "Looks", "align_of", "fit_width", "heading_height", "safe_table_name", "text_height"]

#: A line of text is this many times as high as its letters.
_LINE_HEIGHT = 1.45


class Looks(Protocol):
    """What says which look stands for each part."""

    def look(self, part: str) -> str: ...


class Dresser:
    """Style numbers of a house's looks in one workbook."""

    def __init__(self, house: House, styles: StyleBook, plan: Looks) -> None:
        self.house = house
        self.styles = styles
        self.plan = plan
        #: Appearances and styles that were asked for before: a sheet has thousands of cells and a few looks.
        self._plain: dict[tuple[str, str | None], Appearance] = {}
        self._numbers: dict[tuple[object, ...], int] = {}

    def plain(self, part: str, kind: str | None = None) -> Appearance:
        if (part, kind) not in self._plain:
            self._plain[part, kind] = self.house.appearance(self.plan.look(part), kind)
        return self._plain[part, kind]

    def rule(self, part: str) -> BorderRule:
        """The lines of the look that stands for a part."""
        return self.house.borders(self.plan.look(part))

    def number(
        self, part: str, kind: str | None, *, first: bool, last: bool, top: bool = True, bottom: bool = True,
        align: str | None = None,
    ) -> int:  # fmt: skip
        """The style of a cell in a block: `first` and `last` column, `top` and `bottom` row."""
        key = (part, kind, first, last, top, bottom, align)
        if key not in self._numbers:
            look = self.plain(part, kind)
            edges = self.rule(part).edges(first_row=top, last_row=bottom, first_column=first, last_column=last)
            self._numbers[key] = self.styles.number(replace(look.bordered(edges), align=look.align or align))
        return self._numbers[key]

    def run(self, part: str, kind: str | None, height: int, *, first: bool, last: bool, align: str | None) -> Codes:
        """The styles of a column of a block, downwards: its first and last row carry the outside lines."""
        styles = np.full(height, self.number(part, kind, first=first, last=last, top=False, bottom=False, align=align))
        if height > 2 and self.band(part) is not None:
            styles[1::2] = self.styles.vary(int(styles[1]), Variation(fill=self.band(part)))
        if height == 1:
            styles[0] = self.number(part, kind, first=first, last=last, align=align)
        elif height:
            styles[0] = self.number(part, kind, first=first, last=last, bottom=False, align=align)
            end = self.number(part, kind, first=first, last=last, top=False, align=align)
            banded = height % 2 == 0 and self.band(part) is not None
            styles[-1] = self.styles.vary(end, Variation(fill=self.band(part))) if banded else end
        return styles.astype(np.int32)

    def band(self, part: str) -> str | None:
        """The fill of every second row of a part."""
        name = self.house.look(self.plan.look(part)).band
        return None if name is None else self.house.colour(name)

    def height(self, part: str) -> float | None:
        """The height of each row of a part, in points, where its look states one."""
        return self.house.look(self.plan.look(part)).height

    def dressed(self, style: int | Codes, dress: ColumnDress | None, *, look: bool) -> Any:
        """A style, or styles of cells, as a column's dress changes them; with `look`, its look too."""
        if dress is None:
            return style
        change = Variation(format=dress.format, align=dress.align, wrap=dress.wrap)
        if look and dress.look is not None:
            own = self.house.look(dress.look)
            own_places = Variation(
                align=own.align, valign=own.valign, wrap=own.wrap, indent=own.indent, turned=own.turned,
                shrink=own.shrink, locked=own.locked,
            )  # fmt: skip
            change = change.over(self.house.change(dress.look)).over(own_places)
        if isinstance(style, int):
            return self.styles.vary(style, change)
        pool = int(style.max(initial=0)) + 1
        known = used_codes(style, pool)
        return recoded(style, known, [self.styles.vary(one, change) for one in known.tolist()], pool)

    @property
    def letters(self) -> Letters:
        """The letters of the rows' font."""
        return letters_of(self.plain("rows").font)

    @property
    def scale(self) -> float:
        """The size of the rows' digits over those of the workbook's plain font, in which widths are stated."""
        family, size = self.styles.plain_font
        return self.plain("rows").size * self.letters.digit / (size * letters_of(family).digit)


def align_of(kind: str) -> str | None:
    return "right" if kind in AMOUNTS else "left" if kind in ("date", "time") else None


def text_height(size: float, lines: int = 1, room: float = 6.0) -> float:
    """How high a row of text lines of a size is, in points."""
    return round(lines * size * _LINE_HEIGHT + room, 1)


def fit_width(sheet: Sheet, number: int, one: Field, column: Column, dresser: Dresser, *, button: bool) -> None:
    """Make a column wide enough for what a block shows there, heading and total included."""
    code = dresser.plain("rows", one.type).format
    texts = set(show_column(widest_values(column), code))
    numbers = column.numbers[column.kinds == Kind.NUMBER]
    if one.type in ("whole", "number", "money") and len(numbers):
        texts.update(show_column(Column.of_numbers([float(numbers.sum())]), code))
    width = fitting_width(
        texts,
        heading=one.name,
        bold=bool(dresser.plain("total").bold),
        button=button,
        scale=dresser.scale,
        letters=dresser.letters,
    )
    sheet.widths[number] = max(width, sheet.widths.get(number, 0.0))


def heading_height(sheet: Sheet, row: int, left: int, headings: Sequence[str], dresser: Dresser) -> None:
    """Make the heading row high enough for headings that break into lines."""
    look = dresser.plain("heading")
    lines = [
        line_count(heading, sheet.widths[number] / dresser.scale, bold=True, letters=dresser.letters)
        for number, heading in enumerate(headings, start=left)
        if number in sheet.widths
    ]
    if (stated := dresser.height("heading")) is not None:
        sheet.heights[row] = stated
    elif look.turned:
        longest = max(dresser.letters.width(heading, bold=True) for heading in headings)
        sheet.heights[row] = max(_turned_height(longest, look.turned, look.size), sheet.heights.get(row, 0.0))
    elif look.wrap:
        sheet.heights[row] = max(text_height(look.size, max(lines, default=1)), sheet.heights.get(row, 0.0))


def _turned_height(width: float, degrees: int, size: float) -> float:
    """How high a turned text is in points; `width` is in digits."""
    angle = math.radians(abs(degrees))
    return round(width * size * DIGIT_POINTS * math.sin(angle) + size * _LINE_HEIGHT * math.cos(angle) + 8, 1)


# -- names -----------------------------------------------------------------------------------------------


def safe_table_name(name: str, taken: set[str]) -> str:
    """A name for a table part, unlike all others (18.5.1.2)."""
    base = safe_defined_name(name, "Table")
    candidate, number = base, 2
    while candidate.casefold() in taken:
        candidate, number = f"{base}_{number}", number + 1
    return candidate
