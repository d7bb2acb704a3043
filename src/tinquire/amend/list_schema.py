"""Changes of the rows and columns below a sheet's headings, in the words of a docket's steps."""

from __future__ import annotations

from pydantic import Field, field_validator

from tinquire.amend.look_schema import AmendModel, LookChange
from tinquire.tables.types import TYPES

__all__ = ["BelowCell", "ListChange"]


class BelowCell(AmendModel):
    """A cell below the rows that looks otherwise than those above it."""

    value: str | float | None = Field(
        None, description="A text, a number, or a formula that begins with `=`; what is there stays without it."
    )
    format: str | None = Field(None, description="A number format.")
    look: LookChange = Field(LookChange(), description="Parts of a look.")


class ListChange(AmendModel):
    """A change of the rows below headings, wherever these stand; references in the whole workbook follow."""

    rename: dict[str, str] = Field(default_factory=dict, description="New headings, by the old ones.")
    drop: list[str] = Field(default_factory=list, description="Columns to delete, by their headings.")
    add: str | None = Field(None, description="A new column of this heading; `value` or `formula` fills its cells.")
    move: str | None = Field(None, description="A column to move, by its heading: `after` or `before` another one.")
    after: str | None = Field(None, description="The heading after which it comes; the last one if not given.")
    before: str | None = Field(None, description="The heading before which it comes.")
    drop_rows: str | None = Field(None, description="Delete the rows for which a formula over headings is true.")
    unique: list[str] = Field(
        default_factory=list, description="Delete rows that have the values of an earlier row under these headings."
    )

    below: list[dict[str, str | float | BelowCell]] = Field(
        default_factory=list,
        description="Rows below the last one, by heading: texts, numbers, and formulas that begin with `=`, in which "
        "`rows[Pieces]` are all cells of that column; with a look, `{ value = ..., look = { bold = true } }`.",
    )
    type: str | None = Field(None, description="Read the cells under `heading` as this type, and store them so.")

    @field_validator("type")
    @classmethod
    def _known_type(cls, value: str | None) -> str | None:
        if value is not None and value not in TYPES:
            raise ValueError(f"'{value}' is not a type: {', '.join(TYPES)}")
        return value

    def listed(self) -> dict[str, object]:
        """What is given of the list, by key."""
        given = {name: getattr(self, name) for name in ListChange.model_fields}
        return {name: value for name, value in given.items() if value not in (None, [], {})}
