"""Changes of the rows and columns below a sheet's headings, in the words of a docket's steps."""

from __future__ import annotations

from pydantic import Field

from tinquire.amend.look_schema import AmendModel

__all__ = ["ListChange"]


class ListChange(AmendModel):
    """A change of the rows below headings, wherever these stand; references in the whole workbook follow."""

    rename: dict[str, str] = Field(default_factory=dict, description="New headings, by the old ones.")
    drop: list[str] = Field(default_factory=list, description="Columns to delete, by their headings.")
    add: str | None = Field(None, description="A new column of this heading; `value` or `formula` fills its cells.")
    after: str | None = Field(None, description="The heading after which it comes; the last one if not given.")
    drop_rows: str | None = Field(None, description="Delete the rows for which a formula over headings is true.")
    unique: list[str] = Field(
        default_factory=list, description="Delete rows that have the values of an earlier row under these headings."
    )

    def listed(self) -> dict[str, object]:
        """What is given of the list, by key."""
        given = {name: getattr(self, name) for name in ListChange.model_fields}
        return {name: value for name, value in given.items() if value not in (None, [], {})}
