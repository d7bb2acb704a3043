"""How sheets are dressed: the plan of a sheet, the styles of its cells, titles and column widths."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from tinquire.cells.column import Codes, Column, Kind
from tinquire.cells.display import show_column
from tinquire.layout.entry_rules import EntryPlan
from tinquire.layout.marks import MarkPlan
from tinquire.looks import Appearance, House, Variation
from tinquire.looks.pages import PagePlan
from tinquire.looks.widths import fitting_width, line_count, widest_values
from tinquire.tables import Field
from tinquire.tables.types import AMOUNTS
from tinquire.workbook import Sheet
from tinquire.workbook.parts.styles import StyleBook

__all__ = [
    "ColumnDress", "Dresser", "SheetPlan", "align_of", "fit_width", "heading_height", "heading_row", "put_title",
    "safe_table_name",
]  # fmt: skip

#: A line of text is this many times as high as its letters.
_LINE_HEIGHT = 1.45
_TITLE_ROOM = 8.0


@dataclass(frozen=True, kw_only=True)
class ColumnDress:
    """How one column looks: what is None is as in the other columns. Widths are in characters."""

    look: str | None = None
    format: str | None = None
    align: str | None = None
    wrap: bool | None = None
    width: float | None = None
    hidden: bool = False


@dataclass(frozen=True)
class SheetPlan:
    """The plan of a sheet, its slots filled; `where` is its place in the docket, for messages."""

    name: str
    title: str | None = None
    columns: Sequence[str] = ()
    totals: Mapping[str, str] = field(default_factory=dict)
    total_label: str = "Total"
    living: bool = False
    #: A derived column that cannot be a formula in every row stops the run.
    living_only: bool = False
    freeze: bool = True
    filter: bool = True
    landscape: bool = False
    looks: Mapping[str, str] = field(default_factory=dict)
    freeze_columns: int | None = None
    #: How single columns look, by heading.
    dress: Mapping[str, ColumnDress] = field(default_factory=dict)
    zoom: int = 100
    tab: str | None = None
    hidden: bool = False
    marks: Sequence[MarkPlan] = ()
    entries: Sequence[EntryPlan] = ()
    page: PagePlan = field(default_factory=PagePlan)
    #: Fills the slots of a text, for headers and footers.
    filled: Callable[[str], str] = str
    where: str = ""

    def look(self, part: str) -> str:
        return self.looks.get(part, part)


class Dresser:
    """Style numbers of a house's looks in one workbook."""

    def __init__(self, house: House, styles: StyleBook, plan: SheetPlan) -> None:
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

    def number(
        self, part: str, kind: str | None, *, first: bool, last: bool, top: bool = True, bottom: bool = True,
        align: str | None = None,
    ) -> int:  # fmt: skip
        """The style of a cell in a block: `first` and `last` column, `top` and `bottom` row."""
        key = (part, kind, first, last, top, bottom, align)
        if key not in self._numbers:
            look = self.plain(part, kind)
            rule = self.house.borders(self.plan.look(part))
            edges = rule.edges(first_row=top, last_row=bottom, first_column=first, last_column=last)
            self._numbers[key] = self.styles.number(replace(look.bordered(edges), align=look.align or align))
        return self._numbers[key]

    def run(self, part: str, kind: str | None, height: int, *, first: bool, last: bool, align: str | None) -> Codes:
        """The styles of a column of a block, downwards: its first and last row carry the outside lines."""
        styles = np.full(height, self.number(part, kind, first=first, last=last, top=False, bottom=False, align=align))
        if height == 1:
            styles[0] = self.number(part, kind, first=first, last=last, align=align)
        elif height:
            styles[0] = self.number(part, kind, first=first, last=last, bottom=False, align=align)
            styles[-1] = self.number(part, kind, first=first, last=last, top=False, align=align)
        return styles.astype(np.int32)

    def dressed(self, style: int | Codes, dress: ColumnDress | None, *, look: bool) -> Any:
        """A style, or styles of cells, as a column's dress changes them; with `look`, its look too."""
        if dress is None:
            return style
        change = Variation(format=dress.format, align=dress.align, wrap=dress.wrap)
        if look and dress.look is not None:
            own = self.house.look(dress.look)
            own_places = Variation(align=own.align, valign=own.valign, wrap=own.wrap, indent=own.indent)
            change = change.over(self.house.change(dress.look)).over(own_places)
        if isinstance(style, int):
            return self.styles.vary(style, change)
        known, places = np.unique(style, return_inverse=True)
        return np.array([self.styles.vary(int(one), change) for one in known], np.int32)[places]

    @property
    def scale(self) -> float:
        """The size of the rows' letters over that of the workbook's plain font."""
        return self.plain("rows").size / self.styles.plain_font[1]


def align_of(kind: str) -> str | None:
    return "right" if kind in AMOUNTS else "left" if kind in ("date", "time") else None


def put_title(sheet: Sheet, plan: SheetPlan, dresser: Dresser) -> int:
    """Write the title, if there is one, and return the heading's row."""
    if plan.title is not None:
        look = dresser.plain("title")
        sheet.put(1, 1, Column.from_values([plan.title]), dresser.styles.number(look))
        sheet.heights[1] = round(look.size * _LINE_HEIGHT + _TITLE_ROOM, 1)
    return heading_row(plan)


def heading_row(plan: SheetPlan) -> int:
    return 1 if plan.title is None else 3


def fit_width(sheet: Sheet, number: int, one: Field, column: Column, dresser: Dresser, *, button: bool) -> None:
    """Set a column's width from what it shows, heading and total included."""
    code = dresser.plain("rows", one.type).format
    texts = set(show_column(widest_values(column), code))
    numbers = column.numbers[column.kinds == Kind.NUMBER]
    if one.type in ("whole", "number", "money") and len(numbers):
        texts.update(show_column(Column.of_numbers([float(numbers.sum())]), code))
    sheet.widths[number] = fitting_width(
        texts, heading=one.name, bold=bool(dresser.plain("total").bold), button=button, scale=dresser.scale
    )


def heading_height(sheet: Sheet, row: int, headings: Sequence[str], dresser: Dresser) -> None:
    """Make the heading row high enough for headings that break into lines."""
    look = dresser.plain("heading")
    lines = [
        line_count(heading, sheet.widths[number] / dresser.scale, bold=True)
        for number, heading in enumerate(headings, start=1)
        if number in sheet.widths
    ]
    if look.wrap:
        sheet.heights[row] = round(max(lines, default=1) * look.size * _LINE_HEIGHT + 6, 1)


# -- names -----------------------------------------------------------------------------------------------


def safe_table_name(name: str, taken: set[str]) -> str:
    """A name for a table part: letters, digits and underscores, no cell address, unlike all others (18.5.1.2)."""
    base = re.sub(r"\W+", "_", name).strip("_") or "Table"
    if base[0].isdecimal() or re.fullmatch(r"[A-Za-z]{1,3}\d+|[RrCc]|[Rr]\d*[Cc]\d*", base):
        base = f"_{base}"
    candidate, number = base, 2
    while candidate.casefold() in taken:
        candidate, number = f"{base}_{number}", number + 1
    return candidate
