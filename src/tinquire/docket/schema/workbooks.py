"""Workbooks and their sheets in the docket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model
from tinquire.docket.schema.blocks import BlockModel, RowsModel
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.own import OwnModel
from tinquire.docket.schema.pages import PageModel

__all__ = ["RepeatedSheetModel", "SheetModel", "TemplateRowsModel", "WorkbookModel"]


class SheetModel(RowsModel):
    """A sheet of a workbook made by a run: one table, pivot or statement, or blocks."""

    name: str = Field(description="The sheet's name; with `split`, slots of the column split by.")
    onto_template: bool = Field(
        False, description="Put its texts, figures, charts and pictures onto the template's sheet of this name."
    )
    blocks: list[BlockModel] = Field(default_factory=list, description="What stands on it, in order.")
    split: str | None = Field(
        None, description="A column of the table, or of the one that the pivot sums up: one sheet for each value."
    )
    pages: str | None = Field(
        None,
        description='A column: one sheet for each of its values, on each the pivot of `formulas = "pivot"` with that '
        "value chosen above it, all over the same rows.",
    )
    rows_per_sheet: int | None = Field(
        None,
        ge=1,
        description="Continue on another sheet after this many rows; without it, a table too long stops the run.",
    )
    freeze: bool = Field(True, description="Freeze the heading rows.")
    freeze_columns: int | None = Field(
        None, ge=1, le=50, description="Freeze the first columns, too; of pivots and statements the labels are."
    )
    zoom: int = Field(100, ge=10, le=400, description="Per cent.")
    tab: str | None = Field(None, description="The colour of its tab: a name of [colours], or #RRGGBB.")
    hidden: bool | Literal["deep"] = Field(
        False, description="Not shown; whoever looks for it finds it. `deep`: not offered among hidden sheets, either."
    )
    protect: bool = Field(
        False, description="Lock all cells but those of an input look, against mistakes; it keeps no secret."
    )
    order: int | None = Field(None, ge=1, description="Its place among the sheets, from one on; the template's count.")
    landscape: bool = Field(False, description="Print in landscape.")
    page: PageModel = Field(default_factory=PageModel, description="How it is printed.")

    @model_validator(mode="after")
    def _one_content(self) -> SheetModel:
        shown = sum(item is not None for item in (self.table, self.pivot, self.statement))
        if shown + bool(self.blocks) != 1:
            raise ValueError("a sheet shows either a table, a pivot or a statement, or has blocks")
        odd = {block.content for block in self.blocks} - {"text", "figures", "chart", "picture"}
        if self.onto_template and (not self.blocks or odd or any(block.names for block in self.blocks)):
            raise ValueError("onto a template's sheet go texts, figures without names, charts and pictures")
        if self.onto_template and not all(block.at or block.beside for block in self.blocks):
            raise ValueError("onto a template's sheet each block goes at a cell, or beside the one before")
        if self.table is None and self.rows_per_sheet:
            raise ValueError("rows_per_sheet is for sheets of one table")
        if self.table is None and not self.blocks and self.page.breaks:
            raise ValueError("page.breaks is for sheets of tables")
        if self.pages is not None and (self.pivot is None or self.formulas != "pivot" or self.split is not None):
            raise ValueError('pages is for sheets of one pivot with formulas = "pivot", and without split')
        if self.statement is not None and self.split:
            raise ValueError("split is for sheets of tables and pivots")
        return self

    def parts(self) -> list[BlockModel]:
        """The blocks of the sheet; a table, pivot or statement of its own is one, its title that of the sheet."""
        if self.blocks:
            return self.blocks
        own = {name: getattr(self, name) for name in RowsModel.model_fields if name != "title"}
        return [BlockModel.model_construct(**{**BlockModel.model_construct().__dict__, **own})]

    def split_by(self) -> str | None:
        """The column of which each value has a sheet of its own."""
        blocks = (block.per for block in self.blocks if block.arrange == "sheets")
        return self.split or self.pages or next(blocks, None)


class TemplateRowsModel(Model):
    """Rows of a table in place of a template's sample rows."""

    table: str = Field(description="The table whose rows they are.")
    at: str | None = Field(
        None, description="The first cell of the sample rows, below their headings, where the target is a sheet: `A5`."
    )
    columns: dict[str, str] = Field(
        default_factory=dict, description="Columns by the template's headings, where these differ."
    )
    by_position: bool = Field(False, description="Columns in their order, whatever the headings say.")
    below: Literal["move", "stay"] = Field("move", description="What becomes of that which stands below the rows.")


class RepeatedSheetModel(Model):
    """A template's sheet, once for each row of a table or for each value of a column."""

    each: str = Field(description="The table: one sheet for each of its rows, whose columns its slots may name.")
    by: str | None = Field(None, description="A column of the table: one sheet for each of its values instead.")
    name: str = Field(description="The sheets' name, with slots: `[:Depot:]`.")
    rows: dict[str, TemplateRowsModel] = Field(
        default_factory=dict, description="Rows in place of the sheet's sample rows, as for the workbook."
    )
    own: str | None = Field(
        None,
        description="Of `rows`, those that have the sheet's value in this column; the column of `by` if not given.",
    )


class WorkbookModel(Model):
    """A workbook made by a run."""

    name: str = Field(description="The file's name, with slots.")
    template: str | None = Field(None, description="A workbook whose slots are filled and whose sheets come first.")
    rows: dict[str, TemplateRowsModel] = Field(
        default_factory=dict,
        description="Rows in place of the template's sample rows, by the name of a table, a name or a sheet of it.",
    )
    repeat: dict[str, RepeatedSheetModel] = Field(
        default_factory=dict, description="Sheets of the template to repeat, by their names; they go themselves."
    )
    pictures: dict[str, str | ChartModel] = Field(
        default_factory=dict,
        description="What stands for the template's pictures whose alternative text is a slot, by the slot's name: a "
        "file, with slots, or a chart, drawn to the frame's size.",
    )
    split: str | None = Field(
        None,
        description="A column: one file for each of its values, with the rows of that value in every sheet; its slot "
        "stands in the name. A mail attaches the file of its own row, by the column of the same heading.",
    )
    each: str | None = Field(
        None, description="The table that repeats the workbook: a file for each of its rows, whose columns slots name."
    )
    own: dict[str, OwnModel] = Field(
        default_factory=dict,
        description="Tables of a row's own rows, by the names that rows, slots and sheets use for them.",
    )
    key: str | None = Field(
        None, description="A column of `each`: a mail gets the files that have its own row's value there."
    )
    sheets: list[SheetModel] = Field(default_factory=list, description="Sheets to add, in order.")

    def split_by(self) -> str | None:
        """The column of which each value has a workbook of its own."""
        blocks = [block for sheet in self.sheets for block in sheet.blocks if block.arrange == "workbooks"]
        return self.split or next((block.per for block in blocks), None)

    @model_validator(mode="after")
    def _has_template(self) -> WorkbookModel:
        if (self.rows or self.repeat or self.pictures) and self.template is None:
            raise ValueError("rows, repeat and pictures are for a template, and there is none")
        if self.each is None and (self.own or self.key):
            raise ValueError("own and key need each, a table with a file for each of its rows")
        if self.each is not None and self.split_by() is not None:
            raise ValueError("each makes a file for each row, split for each value: choose one")
        return self
