"""Rows of other tables that belong to a row, for outputs that are repeated."""

from __future__ import annotations

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model

__all__ = ["OwnModel"]


class OwnModel(Model):
    """The rows of another table that belong to a row: `{ from = "charges", "Customer no" = "Number" }`."""

    model_config = Model.model_config | {"extra": "allow"}

    from_: str = Field(alias="from", description="The table whose rows they are; keys are its columns, by their names.")

    def keys(self) -> dict[str, str]:
        """The columns of the table and the columns of the row whose values they have."""
        return {name: str(value) for name, value in (self.model_extra or {}).items()}

    @model_validator(mode="after")
    def _has_keys(self) -> OwnModel:
        if not self.keys() or not all(isinstance(value, str) for value in (self.model_extra or {}).values()):
            raise ValueError('it says by which columns rows belong: { from = "charges", "Customer no" = "Number" }')
        return self
