"""Parts of looks in amendments."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from tinquire.looks import Edges, House, Variation
from tinquire.looks.appearance import EDGE_STYLES

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

    strike: bool | None = None
    turned: int | None = Field(None, ge=-90, le=90, description="Degrees, counter-clockwise.")
    line_above: str | None = Field(None, description="A line at the upper edge: a style and a colour, `thin #27343A`.")
    line_below: str | None = None
    line_left: str | None = None
    line_right: str | None = None

    @model_validator(mode="after")
    def _lines(self) -> LookChange:
        for text in (self.line_above, self.line_below, self.line_left, self.line_right):
            if text is not None and text.partition(" ")[0] not in EDGE_STYLES:
                raise ValueError(f"'{text}' is not a line: write, for example, thin #27343A")
        return self

    def variation(self, format_code: str | None) -> Variation:
        return Variation(**self.parts(), format=format_code)  # type: ignore[arg-type]

    def parts(self) -> dict[str, object]:
        """What is given, as parts of an appearance."""
        names = {"line_above": "top", "line_below": "bottom", "line_left": "left", "line_right": "right"}
        given = self.model_dump(exclude_none=True)
        lines = {names[key]: House().edge(given.pop(key)) for key in list(given) if key in names}
        return {**given, "edges": Edges(**lines)} if lines else given
