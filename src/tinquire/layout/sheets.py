"""Sheets made of blocks: their title, where each block stands, and what lies around them all."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from tinquire.base.faults import Fault, UseError
from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, area_name, parse_area
from tinquire.cells.column import Column
from tinquire.layout.dresser import Dresser, text_height
from tinquire.layout.living_pivots import lay_living_pivot
from tinquire.layout.pages import set_pages
from tinquire.layout.pivot_tables import AskedPivot, new_pivot, rows_of_table
from tinquire.layout.pivots import lay_pivot
from tinquire.layout.plans import BlockPlan, Laid, SheetPlan
from tinquire.layout.tables import TableOnSheet, lay_table
from tinquire.looks import House
from tinquire.tables import Table
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import Sheet
from tinquire.workbook.parts.styles import StyleBook
from tinquire.workbook.pivots.making import MadePivot, make_pivot, make_store

__all__ = ["Canvas", "Placed", "pivot_sheet", "pivot_table_sheet", "put_heading", "table_sheet"]

_TITLE_ROOM, _HEADING_ROOM = 8.0, 8.0
#: A heading below this row is not frozen of itself: too little would be left of the window.
_FROZEN_AT_MOST = 12


@dataclass(frozen=True)
class Placed:
    """A block on its sheet, and what messages call it."""

    says: str
    laid: Laid


class Canvas:
    """A sheet while blocks are put on it."""

    def __init__(
        self, plan: SheetPlan, house: House, styles: StyleBook, gaps: tuple[int, int] = (1, 1),
        onto: Sheet | None = None,
    ) -> None:  # fmt: skip
        """A sheet with its title, or one that is there already. `gaps` are the rows and columns left free between
        blocks."""
        self.plan, self.house, self.styles, self.gaps = plan, house, styles, gaps
        self.onto = onto
        self.sheet = onto or Sheet(plan.name, landscape=plan.landscape, gridlines=False)
        self.blocks: list[Placed] = []
        self.row_breaks: list[int] = []
        #: Blocks that are not printed.
        self.left_out: list[Placed] = []
        #: What is done once all columns have their widths.
        self.later: list[Callable[[], None]] = []
        if plan.title is not None and onto is None:
            look = Dresser(house, styles, plan).plain("title")
            self.sheet.put(1, 1, Column.from_values([plan.title]), styles.number(look))
            self.sheet.heights[1] = text_height(look.size, room=_TITLE_ROOM)

    @property
    def first_row(self) -> int:
        return 1 if self.plan.title is None else 3

    def spot(
        self, at: tuple[int, int] | None = None, *, beside: bool = False, gap: int | None = None, since: int = 0,
        left: int = 1,
    ) -> tuple[int, int]:  # fmt: skip
        """Row and column where the next block stands: at a cell, beside the block before, or below those from the
        number `since` on, from the column `left`."""
        gap_below = self.gaps[0] if gap is None else gap
        if at is not None:
            return at
        own = self.blocks[since:]
        if not own:
            return (self.bottom + 1 + gap_below if self.blocks else self.first_row), left
        if beside:
            last = self.blocks[-1].laid.area
            return last.top, last.right + 1 + (self.gaps[1] if gap is None else gap)
        return max(block.laid.area.bottom for block in own) + 1 + gap_below, left

    @property
    def bottom(self) -> int:
        """The last row that a block covers."""
        return max((block.laid.area.bottom for block in self.blocks), default=self.first_row - 1)

    def add(self, says: str, laid: Laid, where: str, *, printed: bool = True) -> None:
        """Take a block that was laid on the sheet. Raises UseError when it runs into another, or off the grid."""
        stopped = f"sheet '{self.plan.name}'"
        if laid.area.bottom > MAX_ROW or laid.area.right > MAX_COLUMN:
            why = f"{says} would cover {area_name(laid.area)}, and a sheet ends before"
            raise UseError(Fault(stopped, why, where, "let it stand elsewhere, or give it a sheet of its own"))
        for other in self.blocks:
            if _overlap(other.laid.area, laid.area) and not _frames_side_by_side(other.laid, laid):
                why = f"{says} in {area_name(laid.area)} runs into {other.says} in {area_name(other.laid.area)}"
                raise UseError(Fault(stopped, why, where, "let it stand below, beside, or at another cell"))
        self.blocks.append(Placed(says, laid))
        if not printed:
            self.left_out.append(self.blocks[-1])
        self.row_breaks += laid.row_breaks

    def finished(self) -> Sheet:
        """The sheet with all that lies around its blocks. Raises UseError."""
        sheet, plan = self.sheet, self.plan
        for step in self.later:
            step()
        if self.onto is not None:
            return sheet
        headed = [block.laid for block in self.blocks if block.laid.head is not None]
        columns = plan.freeze_columns or 0
        if len(headed) == 1 and headed[0].head is not None:
            sheet.repeat_rows = headed[0].head
            if plan.freeze and headed[0].head[1] <= _FROZEN_AT_MOST:
                own = headed[0].area.left + headed[0].labels - 1 if headed[0].labels else 0
                sheet.frozen = (headed[0].head[1], columns or own)
        if sheet.frozen == (0, 0):
            sheet.frozen = (0, columns)
        if self.left_out:
            top = [Area(1, 1, 1, max(block.laid.area.right for block in self.blocks))] * (plan.title is not None)
            sheet.print_areas = [*top, *(block.laid.area for block in self.blocks if block not in self.left_out)]
        if plan.page.area is not None:
            sheet.print_areas = [parse_area(plan.page.area)]
        set_pages(sheet, plan, sorted(set(self.row_breaks)))
        return sheet


def _overlap(one: Area, other: Area) -> bool:
    return (
        one.top <= other.bottom and other.top <= one.bottom and one.left <= other.right and other.left <= one.right
    )  # fmt: skip


def _frames_side_by_side(one: Laid, other: Laid) -> bool:
    """Whether two frames share no more than the column in which one ends and the other begins."""
    if one.frame_width is None or other.frame_width is None:
        return False
    return one.area.right <= other.area.left or other.area.right <= one.area.left


def put_heading(canvas: Canvas, spot: tuple[int, int], text: str, plan: BlockPlan | SheetPlan) -> tuple[int, int]:
    """Write the heading line of a block, and return the cell below it."""
    look = Dresser(canvas.house, canvas.styles, plan).plain("section")
    canvas.sheet.put(*spot, Column.from_values([text]), canvas.styles.number(look))
    height = text_height(look.size, room=_HEADING_ROOM)
    canvas.sheet.heights[spot[0]] = max(height, canvas.sheet.heights.get(spot[0], 0.0))
    return spot[0] + 1, spot[1]


# -- sheets of one block ---------------------------------------------------------------------------------


def table_sheet(
    plan: SheetPlan, block: BlockPlan, table: Table, house: House, styles: StyleBook, table_name: str
) -> TableOnSheet:
    """A sheet of one table. Raises as `lay_table`."""
    canvas = Canvas(plan, house, styles)
    shown = lay_table(canvas.sheet, canvas.spot(), block, table, Dresser(house, styles, block), table_name)
    canvas.add("the table", shown.laid, plan.where)
    canvas.finished()
    return shown


def pivot_sheet(plan: SheetPlan, pivot: Pivot, house: House, styles: StyleBook) -> Sheet:
    """A sheet of one pivot."""
    canvas = Canvas(plan, house, styles)
    canvas.add("the pivot", lay_pivot(canvas.sheet, canvas.spot(), pivot, Dresser(house, styles, plan)), plan.where)
    return canvas.finished()


def pivot_table_sheet(
    plan: SheetPlan, pivot: Pivot, asked: AskedPivot, rows: tuple[Table, str], house: House, styles: StyleBook
) -> tuple[Sheet, MadePivot]:  # fmt: skip
    """A sheet of one pivot table over rows, which stand in a table part of the name given with them."""
    canvas = Canvas(plan, house, styles)
    table, part = rows
    axes = {field.column.casefold() for field in (*asked.down, *asked.across)}
    store = make_store(part, rows_of_table(table, table.headings), axes)
    dresser = Dresser(house, styles, plan)
    made = make_pivot(new_pivot(asked, pivot, pivot.name or part, store, dresser), store, canvas.spot(), styles)
    canvas.add("the pivot", lay_living_pivot(canvas.sheet, made, pivot, asked, dresser), plan.where)
    return canvas.finished(), made
