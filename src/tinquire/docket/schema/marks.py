"""Marks in the docket: rules that give cells or rows a look while a condition holds."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model

__all__ = ["MarkModel"]

#: Keys of which a mark has one.
CONDITIONS = (
    "where", "above", "at_least", "below", "at_most", "equal", "unequal", "between", "contains", "begins", "ends",
    "blank", "error", "repeated", "unique", "largest", "smallest", "average", "time", "scale", "bars", "signs",
)  # fmt: skip
Bound = float | str


class MarkModel(Model):
    """A look for the cells of some columns, or for whole rows, while a condition holds. It lives in the workbook."""

    on: list[str] = Field(
        default_factory=list, description="Columns whose cells are looked at and dressed; whole rows if not given."
    )
    look: str | None = Field(None, description="The look they take; a scale, bars and signs need none.")
    where: str | None = Field(None, description="A formula over headings: `[Charge] > 100`.")
    above: Bound | None = Field(None, description="More than a number, or than a formula over headings gives.")
    at_least: Bound | None = Field(None, description="Not less.")
    below: Bound | None = Field(None, description="Less.")
    at_most: Bound | None = Field(None, description="Not more.")
    equal: bool | float | str | None = Field(None, description="Equal to a value.")
    unequal: bool | float | str | None = Field(None, description="Not equal to a value.")
    between: list[Bound] | None = Field(
        None, min_length=2, max_length=2, description="Two bounds, both of them among the values."
    )
    contains: str | None = Field(None, description="Texts with this in them, whatever its case.")
    begins: str | None = Field(None, description="Texts that begin with this.")
    ends: str | None = Field(None, description="Texts that end with this.")
    blank: Literal[True] | None = Field(None, description="Blank cells.")
    error: Literal[True] | None = Field(None, description="Cells in error.")
    repeated: Literal[True] | None = Field(None, description="Values that stand in more than one cell.")
    unique: Literal[True] | None = Field(None, description="Values that stand in one cell alone.")
    largest: int | None = Field(None, ge=1, le=1000, description="So many of the largest numbers.")
    smallest: int | None = Field(None, ge=1, le=1000, description="So many of the smallest numbers.")
    percent: bool = Field(False, description="`largest` and `smallest` are per cent of the cells.")
    average: Literal["above", "at or above", "below", "at or below"] | None = Field(
        None, description="Where a number lies beside the average of all."
    )
    time: (
        Literal[
            "today", "yesterday", "tomorrow", "last seven days", "this week", "last week", "next week", "this month",
            "last month", "next month",
        ]
        | None
    ) = Field(None, description="Days, as seen from the day on which the workbook is opened.")  # fmt: skip
    scale: list[str] | None = Field(
        None,
        min_length=2,
        max_length=3,
        description="Fills from the lowest number to the highest: two or three colours.",
    )
    bars: str | None = Field(None, description="Bars in the cells, in this colour.")
    signs: Literal["arrows", "lights", "flags", "ratings", "quarters"] | None = Field(
        None, description="Signs in the cells, by limits."
    )
    limits: list[float] = Field(
        default_factory=list, description="Where the next sign begins, rising; parts of equal size if not given."
    )
    stop: bool = Field(False, description="No later mark counts where this one holds.")

    @model_validator(mode="after")
    def _one_condition(self) -> MarkModel:
        given = [name for name in CONDITIONS if getattr(self, name) is not None]
        if len(given) != 1:
            raise ValueError(f"a mark has one condition, and this one has {len(given)}: {', '.join(given) or 'none'}")
        drawn = given[0] in ("scale", "bars", "signs")
        if drawn != (self.look is None):
            raise ValueError("a scale, bars and signs take no look" if drawn else "it says no look")
        if given[0] != "where" and not self.on:
            raise ValueError(f"'{given[0]}' compares cells: name their columns with on")
        if self.percent and given[0] not in ("largest", "smallest"):
            raise ValueError("percent is for largest and smallest")
        if self.limits and (self.signs is None or self.limits != sorted(set(self.limits))):
            raise ValueError("limits are for signs, and rise")
        return self
