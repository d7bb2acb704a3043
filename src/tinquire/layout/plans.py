"""Plans: what a sheet and a block are asked to look like, their slots filled; and where a block came to stand."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from tinquire.cells.address import Area
from tinquire.layout.entry_rules import EntryPlan
from tinquire.layout.marks import MarkPlan
from tinquire.looks.pages import PagePlan

__all__ = ["BlockPlan", "ColumnDress", "Laid", "OutlinePlan", "SheetPlan"]


@dataclass(frozen=True, kw_only=True)
class ColumnDress:
    """How one column looks: what is None is as in the other columns. Widths are in characters."""

    look: str | None = None
    format: str | None = None
    align: str | None = None
    wrap: bool | None = None
    width: float | None = None
    hidden: bool = False
    #: 'open' or 'closed' in the outline of columns.
    fold: str | None = None
    #: Formulas over headings that give each row's link and note.
    link: str | None = None
    note: str | None = None


@dataclass(frozen=True, kw_only=True)
class OutlinePlan:
    """Rows grouped by columns, the outermost first, each group with a row of its totals."""

    by: Sequence[str]
    #: Whether the totals stand above their rows.
    above: bool = False
    collapsed: bool = False
    #: What a row of totals is called: `{}` stands for the group's value.
    label: str = "{}"


@dataclass(frozen=True, kw_only=True)
class BlockPlan:
    """The plan of a block on the sheet of this name; `where` is its place in the docket, for messages."""

    sheet: str
    columns: Sequence[str] = ()
    totals: Mapping[str, str] = field(default_factory=dict)
    total_label: str = "Total"
    living: bool = False
    #: A derived column that cannot be a formula in every row stops the run.
    living_only: bool = False
    filter: bool = True
    looks: Mapping[str, str] = field(default_factory=dict)
    #: How single columns look, by heading.
    dress: Mapping[str, ColumnDress] = field(default_factory=dict)
    marks: Sequence[MarkPlan] = ()
    entries: Sequence[EntryPlan] = ()
    outline: OutlinePlan | None = None
    #: A page ends where the value of this column changes.
    breaks: str | None = None
    where: str = ""

    def look(self, part: str) -> str:
        return self.looks.get(part, part)

    @property
    def stopped(self) -> str:
        """What messages say is stopped by the block."""
        return f"sheet '{self.sheet}'"


@dataclass(frozen=True, kw_only=True)
class SheetPlan:
    """The plan of what lies around a sheet's blocks; `where` is its place in the docket, for messages."""

    name: str
    title: str | None = None
    #: Whether the heading of its only block is frozen; None freezes it where it stands near the top.
    freeze: bool = True
    freeze_columns: int | None = None
    landscape: bool = False
    zoom: int = 100
    tab: str | None = None
    hidden: bool | str = False
    protect: bool = False
    page: PagePlan = field(default_factory=PagePlan)
    #: Fills the slots of a text, for headers and footers.
    filled: Callable[[str], str] = str
    looks: Mapping[str, str] = field(default_factory=dict)
    where: str = ""

    def look(self, part: str) -> str:
        return self.looks.get(part, part)


@dataclass(frozen=True, slots=True)
class Laid:
    """A block on its sheet: all its cells, and of one with headings its heading rows and its rows below them without
    totals. `labels` counts the columns at its left that name its rows."""

    area: Area
    head: tuple[int, int] | None = None
    body: Area | None = None
    labels: int = 0
    row_breaks: tuple[int, ...] = ()
    #: Of a frame how far it reaches, in points from the left edge of its first column.
    frame_width: float | None = None
