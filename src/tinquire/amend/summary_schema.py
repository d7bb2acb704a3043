"""What an amendment says of a summary: rows summed up by their values, on a sheet of its own or at a place."""

from __future__ import annotations

from pydantic import Field, field_validator, model_validator

from tinquire.amend.look_schema import AmendModel
from tinquire.cells.address import parse_cell
from tinquire.docket.schema.pivots import PivotValueModel

__all__ = ["SummaryChange"]


class SummaryChange(AmendModel):
    """The rows below headings summed up: a line for each group, as values or by formulas."""

    to: str = Field(description="The sheet it stands on; a new one if there is none of this name.")
    at: str = Field("A1", description="Its first cell: the heading of the first row field.")
    rows: list[str] = Field(min_length=1, description="The headings whose values make the lines, in order.")
    columns: list[str] = Field(
        default_factory=list, max_length=1, description="The heading whose values make columns, one for each."
    )
    values: list[PivotValueModel] = Field(
        default_factory=list, description='Values: `{ sum = "Pieces" }`, `{ count = "Ticket", as = "Tickets" }`.'
    )
    formulas: dict[str, str] = Field(
        default_factory=dict,
        description="Or columns of formulas, by heading: `[Depot]` is the line's own, `rows[Depot]` are all rows.",
    )
    totals: str | None = Field(None, description="Name of a line of totals; without it there is none.")
    first_met: bool = Field(False, description="Lines in the order in which their values are met, not sorted.")

    @field_validator("at")
    @classmethod
    def _is_cell(cls, text: str) -> str:
        try:
            parse_cell(text)
        except ValueError:
            raise ValueError(f"'{text}' is not a cell: write, for example, A3") from None
        return text

    @model_validator(mode="after")
    def _one_way(self) -> SummaryChange:
        if bool(self.values) == bool(self.formulas):
            raise ValueError("a summary has values, or formulas: one of both")
        if self.columns and (self.formulas or len(self.values) > 1):
            raise ValueError("a summary with columns has one value")
        if self.first_met and len(self.rows) > 1:
            raise ValueError("lines in the order in which they are met have one row field")
        return self
