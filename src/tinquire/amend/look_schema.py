"""Parts of looks in amendments."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from tinquire.looks import Variation

__all__ = ["AmendModel", "Colour", "LookChange"]

_COLOUR = re.compile(r"#?([0-9A-Fa-f]{6})\Z")


def _colour(value: object) -> object:
    if isinstance(value, str):
        match = _COLOUR.match(value)
        if match is None:
            raise ValueError("a colour is written like #27343A")
        return match[1].upper()
    return value


Colour = Annotated[str | None, BeforeValidator(_colour)]


class AmendModel(BaseModel):
    """What all models of amendments share."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class LookChange(AmendModel):
    """Parts of a look that change; what is not named stays."""

    font: str | None = None
    size: float | None = Field(None, gt=0, le=409, description="Points.")
    bold: bool | None = None
    italic: bool | None = None
    underline: bool | None = None
    colour: Colour = Field(None, description="Text colour, `#RRGGBB`.")
    fill: Colour = Field(None, description="Background colour, `#RRGGBB`.")
    align: Literal["left", "center", "right"] | None = None
    valign: Literal["top", "center", "bottom"] | None = None
    wrap: bool | None = None
    indent: int | None = Field(None, ge=0, le=15)

    def variation(self, format_code: str | None) -> Variation:
        return Variation(**self.model_dump(), format=format_code)
