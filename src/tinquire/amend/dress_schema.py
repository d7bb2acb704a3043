"""What an amendment says of how a sheet is dressed: marks, entry rules, columns, panes, filter, outline, order, lines,
pages."""

from __future__ import annotations

import re
from typing import Any

from pydantic import Field, model_validator

from tinquire.amend.look_schema import AmendModel, Colour, LookChange
from tinquire.cells.address import parse_cell
from tinquire.docket.schema.entries import EntryModel
from tinquire.docket.schema.marks import MarkModel
from tinquire.docket.schema.pages import HousePageModel
from tinquire.looks.appearance import EDGE_STYLES

__all__ = ["BordersChange", "EntryChange", "MarkChange", "OutlineChange", "PageChange", "SheetDress"]

_ROWS = re.compile(r"[0-9]{1,7}:[0-9]{1,7}\Z")
_COLUMNS = re.compile(r"[A-Za-z]{1,3}(:[A-Za-z]{1,3})?\Z")


class MarkChange(MarkModel):
    """A mark over the rows of a sheet, with its look."""

    look: LookChange | None = Field(None, description="The look that cells take; a scale, bars and signs need none.")  # type: ignore[assignment]
    at: str | None = Field(None, description="An area instead of rows below headings: `B2:B9`.")


class EntryChange(EntryModel):
    """An entry rule for columns, or for an area of its own."""

    on: list[str] = Field(default_factory=list, description="Columns whose cells it is about.")
    at: str | None = Field(
        None, description="Or an area, `B2`, `B2:B9`; its formulas are as its first cell reads them."
    )

    @model_validator(mode="after")
    def _one_place(self) -> EntryChange:
        if bool(self.on) == (self.at is not None):
            raise ValueError("an entry rule is for columns, or at an area: one of both")
        return self


class BordersChange(AmendModel):
    """Lines of a block of rows, to its last row: a style and a colour, `thin #27343A`."""

    outside: str | None = Field(None, description="The line around them.")
    between_rows: str | None = Field(None, description="The line between rows.")
    between_columns: str | None = Field(None, description="The line between columns.")
    headings: bool = Field(False, description="Whether the row of headings is one of the rows.")

    @model_validator(mode="after")
    def _are_lines(self) -> BordersChange:
        for text in (self.outside, self.between_rows, self.between_columns):
            if text is not None and text.partition(" ")[0] not in EDGE_STYLES:
                raise ValueError(f"'{text}' is not a line: write, for example, thin #27343A")
        return self


class OutlineChange(AmendModel):
    """Rows or columns grouped, to be folded away."""

    by: str | None = Field(None, description="A heading: rows with one value after each other are a group.")
    rows: list[str] = Field(default_factory=list, description="Rows of each group: `5:20`.")
    columns: list[str] = Field(default_factory=list, description="Columns of each group: `C:E`.")
    collapsed: bool = Field(False, description="Fold them away.")

    @model_validator(mode="after")
    def _one_way(self) -> OutlineChange:
        if (self.by is not None) == bool(self.rows) and not self.columns:
            raise ValueError("an outline is by a heading, or of rows or columns that are named")
        if any(not _ROWS.match(text) for text in self.rows) or any(not _COLUMNS.match(text) for text in self.columns):
            raise ValueError("groups are written like 5:20 or C:E")
        return self


class PageChange(HousePageModel):
    """How a sheet is printed; what is not named stays."""

    repeat_rows: str | None = Field(None, pattern=r"^[0-9]{1,7}:[0-9]{1,7}$", description="Rows on every page: `3:4`.")
    repeat_columns: str | None = Field(None, description="Columns on every page: `A:B`.")
    area: str | None = Field(None, description="The cells that are printed: `A1:F40`.")
    breaks: list[int] = Field(default_factory=list, description="Rows after which a page ends.")


class SheetDress(AmendModel):
    """A change of how a sheet is dressed. Headings are those of the sheet's rows, found wherever they stand."""

    marks: list[MarkChange] = Field(default_factory=list, description="Marks over the rows below headings.")
    entries: list[EntryChange] = Field(default_factory=list, description="Entry rules for columns.")
    widths: dict[str, float | str] = Field(
        default_factory=dict, description='Widths of columns, by heading or letter: `{ A = 12, Customer = "fit" }`.'
    )
    hide_columns: list[str] = Field(default_factory=list, description="Columns to hide, by heading or letter.")
    freeze: str | None = Field(
        None,
        description="The first cell that moves, `B4`; or what stays: `headings`, `[Depot]` for the columns up to it as "
        "well. `A1` frees all.",
    )
    filter: bool | None = Field(None, description="Filter buttons in the heading, or none.")
    outline: OutlineChange | None = Field(None, description="Groups of rows or columns.")
    sort: list[str] = Field(default_factory=list, description="Headings to sort the rows by, `-` for falling.")
    borders: BordersChange | None = Field(None, description="Lines around and between the rows, to the last one.")
    page: PageChange | None = Field(None, description="How the sheet is printed.")
    zoom: int | None = Field(None, ge=10, le=400, description="Per cent.")
    grid_lines: bool | None = Field(None, description="Whether the grid is shown.")
    tab: Colour = Field(None, description="The colour of the tab, `#RRGGBB`.")
    protect: bool | None = Field(None, description="Lock cells against mistakes, or no longer.")

    @model_validator(mode="after")
    def _dress_is_possible(self) -> SheetDress:
        for text in self.widths.values():
            if isinstance(text, str) and text != "fit":
                raise ValueError(f"'{text}' is not a width: write a number of characters, or fit")
            if isinstance(text, float) and not 0 < text <= 255:
                raise ValueError("a width is a number of characters up to 255")
        if self.freeze is not None and self.freeze != "headings" and not self.freeze.startswith("["):
            try:
                parse_cell(self.freeze)
            except ValueError:
                raise ValueError(f"'{self.freeze}' is not a cell: write, for example, B4") from None
        return self

    def dress(self) -> dict[str, Any]:
        """What is given of the dress, by key."""
        given = {name: getattr(self, name) for name in SheetDress.model_fields}
        return {name: value for name, value in given.items() if value is not None and value not in ([], {})}
