"""Blocks of sheets in the docket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.cells.address import parse_cell
from tinquire.docket.schema.base import Model
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.entries import EntryModel, InputModel
from tinquire.docket.schema.marks import MarkModel
from tinquire.tables.totals import TotalKind

__all__ = ["BlockModel", "DressModel", "OutlineModel", "RowsModel"]

Part = Literal["title", "section", "heading", "rows", "subtotal", "total", "note", "input", "link"]


class DressModel(Model):
    """How one column of a table looks; what it does not say is as the other columns have it."""

    look: str | None = Field(None, description="A look for its rows.")
    format: str | None = Field(None, description="Its number format.")
    align: Literal["left", "center", "right"] | None = None
    wrap: bool | None = Field(None, description="Break long texts into lines.")
    width: float | None = Field(None, gt=0, le=255, description="In characters; fitted to the content if not given.")
    hidden: bool = False
    fold: Literal["open", "closed"] | None = Field(
        None, description="Group it in the outline of columns, open or closed."
    )
    link: str | None = Field(
        None, description="A formula over headings that gives each row's link: an address, a file, or `#Sheet!A1`."
    )
    note: str | None = Field(None, description="A formula over headings that gives a note on each row's cell.")


class OutlineModel(Model):
    """Rows of a table grouped by columns, with a row of totals for each group; people fold groups away."""

    by: list[str] = Field(min_length=1, max_length=7, description="Columns, the outermost group first.")
    totals: Literal["below", "above"] = Field("below", description="Where a group's totals stand.")
    collapsed: bool = Field(False, description="Fold the rows away, so that the totals alone are seen.")
    label: str | None = Field(
        None, description="What a row of totals is called; `{}` stands for the group: `All of {}`."
    )


class RowsModel(Model):
    """What a block of rows shows, and how."""

    table: str | None = Field(None, description="The table it shows.")
    pivot: str | None = Field(None, description="The pivot it shows.")
    statement: str | None = Field(None, description="The statement it shows.")
    title: str | None = Field(None, description="A line above it, with slots.")
    columns: list[str] = Field(default_factory=list, description="Columns to show, in order; all if not given.")
    totals: dict[str, TotalKind] = Field(default_factory=dict, description="Totals under columns.")
    total_label: str | None = Field(None, description="The word in the totals row; `Total` if not given.")
    outline: OutlineModel | None = Field(None, description="Rows of a table by groups, with their totals.")
    formulas: Literal["living", "living only", "values", "pivot"] = Field(
        "values",
        description="Derived columns, totals, amounts of statements and cells of pivots as formulas, or values. "
        "Where a later step made a formula untrue `living` has values, and says so; `living only` stops. `pivot` makes "
        "a pivot table of the file format, which people go on working with, over the sheet's table of its rows.",
    )
    dress: dict[str, DressModel] = Field(default_factory=dict, description="How single columns of a table look.")
    filter: bool = Field(True, description="Show filter buttons in the heading.")
    marks: list[MarkModel] = Field(
        default_factory=list, description="Rules that give cells or rows a look; earlier ones go first."
    )
    entries: list[EntryModel] = Field(
        default_factory=list, description="Rules for what may be entered in columns of a table."
    )
    looks: dict[Part, str] = Field(default_factory=dict, description="Looks to use instead of those with these names.")

    @model_validator(mode="after")
    def _of_tables(self) -> RowsModel:
        asked = {
            "columns": self.columns, "totals": self.totals, "outline": self.outline, "entries": self.entries,
            "dress": self.dress,
        }  # fmt: skip
        odd = [name for name, given in asked.items() if given]
        if self.table is None and odd:
            pivot = "; a pivot says its own totals" if self.pivot is not None else ""
            raise ValueError(f"{', '.join(odd)}: for tables only{pivot}")
        if self.formulas == "pivot" and self.pivot is None and not getattr(self, "blocks", None):
            raise ValueError("formulas: 'pivot' is for pivots")
        if self.outline is not None and not self.totals:
            raise ValueError("an outline sums up: say the totals of its columns")
        return self


#: What a block may hold; of these it has one.
CONTENTS = ("table", "pivot", "statement", "figures", "inputs", "text", "chart", "picture", "contents")


class BlockModel(RowsModel):
    """A part of a sheet: a table, pivot, statement, figures, text, chart, picture or contents list."""

    figures: dict[str, str] | list[str] | None = Field(
        None, description='Figures with their labels: `{ "Charged" = "total_charged" }`, or their names alone.'
    )
    names: bool = Field(False, description="The cells of figures have the figures' names, for formulas and people.")
    across: int = Field(1, ge=1, le=12, description="Figures beside each other, in so many pairs of columns.")
    inputs: dict[str, InputModel] | None = Field(
        None, min_length=1, description="Cells to enter values in, by the names that formulas and marks call them by."
    )
    text: str | None = Field(None, description="A text with slots; lines are broken where it breaks them.")
    look: str | None = Field(None, description="The look of a text; that named `note` if not given.")
    link: str | None = Field(
        None, description="Where a text leads: an address, a file, or `#Sheet!A1`; with slots. Its look is `link`."
    )
    chart: ChartModel | None = Field(None, description="A chart.")
    picture: str | None = Field(None, description="The file of a picture, PNG or JPEG.")
    alt: str | None = Field(None, description="What a picture shows, for those who cannot see it.")
    contents: Literal[True] | None = Field(None, description="A link to each sheet that is seen, with its title.")
    columns_wide: int | None = Field(
        None, ge=1, le=50, description="Columns that a text covers; up to the block above if not given."
    )
    size: list[float] | None = Field(
        None, min_length=1, max_length=2, description="Width and height of a chart or picture, in millimetres."
    )
    beside: bool = Field(False, description="It stands beside the block before, not below.")
    at: str | None = Field(None, description="The cell where it stands: `F3`.")
    gap: int | None = Field(
        None, ge=0, le=100, description="Free rows (or columns, beside) before it; those of the house if not given."
    )
    new_page: bool = Field(False, description="It begins a page.")
    printed: bool = Field(True, description="Whether it is printed; if one is not, the others are the print area.")
    per: str | None = Field(
        None, description="A column: the block is repeated for each of its values, whose slots its texts may use."
    )
    arrange: Literal["below", "beside", "pages", "sheets", "workbooks"] = Field(
        "below",
        description="Where copies stand: below or beside one another, each on a page, on a sheet or in a workbook.",
    )

    @model_validator(mode="after")
    def _one_content(self) -> BlockModel:
        given = [name for name in CONTENTS if getattr(self, name) is not None]
        if len(given) != 1:
            raise ValueError(f"a block has one of {', '.join(CONTENTS)}, and this one has {', '.join(given) or 'none'}")
        if self.at is not None:
            if self.beside:
                raise ValueError("a block stands at a cell, or beside the one before")
            try:
                parse_cell(self.at)
            except ValueError:
                raise ValueError(f"'{self.at}' is not a cell: write, for example, F3") from None
        if self.per is not None and given[0] not in ("table", "pivot", "chart", "text", "figures"):
            raise ValueError(f"a {given[0]} cannot be repeated per value")
        if self.marks and given[0] not in ("table", "pivot", "statement"):
            raise ValueError("marks are for tables, pivots and statements")
        if any(size <= 5 or size > 2000 for size in self.size or ()):
            raise ValueError("size is millimetres, from 5 to 2000")
        return self

    @property
    def content(self) -> str:
        """What it holds: one of `CONTENTS`."""
        return next(name for name in CONTENTS if getattr(self, name) is not None)

    @property
    def says(self) -> str:
        """What messages call it."""
        value = getattr(self, self.content)
        return (
            f"the {self.content} '{value}'"
            if isinstance(value, str) and self.content != "text"
            else f"the {self.content}"
        )
