"""How sheets are printed, in the docket and in the house file."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tinquire.cells.address import parse_area

__all__ = ["HousePageModel", "PageModel"]

_PARTS = "left, centre and right; with slots, and [:page:], [:pages:] and [:sheet:]"


class HousePageModel(BaseModel):
    """How sheets are printed, where a sheet does not say otherwise."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    paper: Literal["A3", "A4", "A5", "letter", "legal", "tabloid"] | None = Field(
        None, description="`A4` if not given."
    )
    landscape: bool | None = Field(None, description="The paper lies on its long side.")
    margins: list[float] | None = Field(
        None, min_length=4, max_length=6, description="Millimetres: left, right, top, bottom, of header and footer."
    )
    scale: int | None = Field(None, ge=10, le=400, description="Per cent.")
    fit: list[int] | None = Field(
        None, min_length=2, max_length=2, description="So many pages across and down at most, 0 for any: `[1, 0]`."
    )
    centre: Literal["across", "down", "both", "no"] | None = Field(None, description="In the middle of the page.")
    header: list[str] | None = Field(None, max_length=3, description=f"Up to three texts: {_PARTS}.")
    footer: list[str] | None = Field(None, max_length=3, description=f"Up to three texts: {_PARTS}.")
    order: Literal["down first", "across first"] | None = Field(None, description="How pages follow each other.")
    grid_lines: bool | None = Field(None, description="Print the grid.")

    @model_validator(mode="after")
    def _possible(self) -> HousePageModel:
        if self.scale is not None and self.fit is not None:
            raise ValueError("a page is scaled, or made to fit")
        if any(millimetres < 0 or millimetres > 200 for millimetres in self.margins or ()):
            raise ValueError("margins are millimetres from 0 to 200")
        if any(pages < 0 or pages > 32_767 for pages in self.fit or ()):
            raise ValueError("fit counts pages across and down")
        return self


class PageModel(HousePageModel):
    """How a sheet is printed; what it does not say is as the house file has it."""

    repeat_columns: int | None = Field(None, ge=1, le=100, description="The first columns stand on every page.")
    breaks: str | None = Field(None, description="A page ends where the value of this column changes.")
    area: str | None = Field(None, description="The cells that are printed, `A1:F40`; all if not given.")

    @model_validator(mode="after")
    def _has_cells(self) -> PageModel:
        if self.area is not None:
            try:
                parse_area(self.area)
            except ValueError:
                raise ValueError(f"'{self.area}' is no range of cells: write, for example, A1:F40") from None
        return self
