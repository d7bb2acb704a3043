"""Prints in the docket: pages of a workbook, once or for each row of a table."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import CellValue, Model
from tinquire.docket.schema.own import OwnModel

__all__ = ["PrintModel"]


class PrintModel(Model):
    """Pages made of sheets, or with `each` of a variant of them for each row of a table."""

    from_: str | list[str] = Field(
        alias="from",
        description="A workbook of this docket by its name, or a file; a list of them becomes one document.",
    )
    name: str = Field(description="The file's name with slots; its ending says the form: .pdf, .png or .html.")
    each: str | None = Field(None, description="The table that repeats the print.")
    own: dict[str, OwnModel] = Field(
        default_factory=dict, description="Tables of a row's own rows, by the names that slots use for them."
    )
    key: str | None = Field(
        None, description="A column of `each`: a mail gets the prints that have its own row's value there."
    )
    set: dict[str, str | CellValue] = Field(
        default_factory=dict,
        description="Values of cells, with slots, by address (`Report!J4`), name, or the heading beside which the cell "
        "stands.",
    )
    pairs: tuple[str, str] | None = Field(
        None, description="Two columns of `each` that hold cells and their values as lists, in place of `set`."
    )
    separator: str = Field(";", min_length=1, description="What stands between the entries of such lists.")
    words: dict[str, CellValue] = Field(
        default_factory=dict, description='What words of the list mean, such as { "*" = "All depots" }.'
    )
    sheets: list[str] = Field(
        default_factory=list, description="The sheets that are printed; all visible ones if none."
    )
    areas: list[str] = Field(default_factory=list, description="Cells in place of the sheets' print areas: `A1:H40`.")
    fit: Literal["wide", "page"] | None = Field(None, description="Onto the width of a page, or onto one page.")
    paper: str | None = Field(None, description="A4, Letter, A3, A5, Legal or Tabloid, in place of what sheets say.")
    landscape: bool | None = Field(None, description="On lying or standing paper, in place of what sheets say.")
    cover: bool = Field(False, description="Begin with a page that has the title, the author and the day.")
    contents: bool = Field(False, description="Begin with a list of contents.")
    title: str = Field("", description="The document's title, with slots; the file's name if empty.")
    author: str = Field("", description="Who made it.")
    dpi: float = Field(150, ge=24, le=1200, description="Points an inch of a PNG.")
    for_mail: bool = Field(False, description="Of .html, the form that mail programs show.")
    allow_empty: bool = Field(False, description="Make variants in which no number is other than zero, too.")

    @model_validator(mode="after")
    def _fits(self) -> PrintModel:
        ending = self.name.rpartition(".")[2].casefold()
        if ending not in ("pdf", "png", "html"):
            raise ValueError("the name ends in .pdf, .png or .html")
        if self.each is None and (self.set or self.pairs or self.own or self.key):
            raise ValueError("set, pairs, own and key need each, a table whose rows are the variants")
        if self.set and self.pairs:
            raise ValueError("cells are set by set or by pairs, not by both")
        if not isinstance(self.from_, str) and (not self.from_ or self.each is not None or ending == "html"):
            raise ValueError("several workbooks in one document need a name that ends in .pdf or .png, and no each")
        return self

    def sources(self) -> list[str]:
        """The workbooks and files that are printed."""
        return [self.from_] if isinstance(self.from_, str) else self.from_
