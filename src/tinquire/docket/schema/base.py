"""What all models of the docket share."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from tinquire.cells.values import Value

__all__ = ["CellValue", "Model", "cell_value"]

#: A value that a docket writes where a cell's value is meant.
CellValue = bool | int | float | str


def cell_value(value: CellValue) -> Value:
    """A docket's value as a cell's."""
    return value if isinstance(value, bool | str) else float(value)


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid", populate_by_name=True, frozen=True)
