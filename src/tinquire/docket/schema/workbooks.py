"""Workbooks and their sheets in the docket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model
from tinquire.docket.schema.entries import EntryModel
from tinquire.docket.schema.marks import MarkModel
from tinquire.docket.schema.pages import PageModel
from tinquire.tables.totals import TotalKind

__all__ = ["SheetModel", "WorkbookModel"]


class DressModel(Model):
    """How one column of a table looks; what it does not say is as the other columns have it."""

    look: str | None = Field(None, description="A look for its rows.")
    format: str | None = Field(None, description="Its number format.")
    align: Literal["left", "center", "right"] | None = None
    wrap: bool | None = Field(None, description="Break long texts into lines.")
    width: float | None = Field(None, gt=0, le=255, description="In characters; fitted to the content if not given.")
    hidden: bool = False


class SheetModel(Model):
    """A sheet of a workbook made by a run."""

    name: str = Field(description="The sheet's name; with `split`, slots of the column split by.")
    table: str | None = Field(None, description="The table it shows.")
    pivot: str | None = Field(None, description="The pivot it shows.")
    statement: str | None = Field(None, description="The statement it shows.")
    title: str | None = Field(None, description="A line above the headings, with slots.")
    columns: list[str] = Field(default_factory=list, description="Columns to show, in order; all if not given.")
    split: str | None = Field(
        None, description="A column of the table, or of the one that the pivot sums up: one sheet for each value."
    )
    rows_per_sheet: int | None = Field(
        None,
        ge=1,
        description="Continue on another sheet after this many rows; without it, a table too long stops the run.",
    )
    totals: dict[str, TotalKind] = Field(default_factory=dict, description="Totals under columns.")
    total_label: str | None = Field(None, description="The word in the totals row; `Total` if not given.")
    formulas: Literal["living", "living only", "values"] = Field(
        "values",
        description="Derived columns, totals, amounts of statements and cells of pivots as formulas, or values. "
        "Where a later step made a formula untrue `living` has values, and says so; `living only` stops.",
    )
    freeze: bool = Field(True, description="Freeze the heading rows.")
    freeze_columns: int | None = Field(
        None, ge=1, le=50, description="Freeze the first columns, too; of pivots and statements the labels are."
    )
    dress: dict[str, DressModel] = Field(default_factory=dict, description="How single columns of a table look.")
    zoom: int = Field(100, ge=10, le=400, description="Per cent.")
    tab: str | None = Field(None, description="The colour of its tab: a name of [colours], or #RRGGBB.")
    hidden: bool = Field(False, description="Not shown; whoever looks for it finds it.")
    filter: bool = Field(True, description="Show filter buttons in the heading.")
    landscape: bool = Field(False, description="Print in landscape.")
    marks: list[MarkModel] = Field(
        default_factory=list, description="Rules that give cells or rows of a table a look; earlier ones go first."
    )
    entries: list[EntryModel] = Field(
        default_factory=list, description="Rules for what may be entered in columns of a table."
    )
    page: PageModel = Field(default_factory=PageModel, description="How it is printed.")
    looks: dict[Literal["title", "heading", "rows", "subtotal", "total"], str] = Field(
        default_factory=dict, description="Looks to use instead of those with these names."
    )

    @model_validator(mode="after")
    def _one_content(self) -> SheetModel:
        if sum(item is not None for item in (self.table, self.pivot, self.statement)) != 1:
            raise ValueError("a sheet shows either a table, a pivot or a statement")
        if self.table is None and (self.columns or self.totals or self.rows_per_sheet):
            raise ValueError("columns, totals and rows_per_sheet are for sheets of tables; a pivot says its own totals")
        if self.table is None and (self.marks or self.entries or self.dress):
            raise ValueError("marks, entries and dress are for sheets of tables")
        if self.table is None and self.page.breaks:
            raise ValueError("page.breaks is for sheets of tables")
        if self.statement is not None and self.split:
            raise ValueError("split is for sheets of tables and pivots")
        return self


class WorkbookModel(Model):
    """A workbook made by a run."""

    name: str = Field(description="The file's name, with slots.")
    template: str | None = Field(None, description="A workbook whose slots are filled and whose sheets come first.")
    split: str | None = Field(
        None,
        description="A column: one file for each of its values, with the rows of that value in every sheet; its slot "
        "stands in the name. A mail attaches the file of its own row, by the column of the same heading.",
    )
    sheets: list[SheetModel] = Field(default_factory=list, description="Sheets to add, in order.")
