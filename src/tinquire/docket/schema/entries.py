"""Entry rules in the docket: what may be entered in cells of a workbook that a run makes."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model

__all__ = ["EntryModel", "EntryRuleModel", "InputModel"]

_BOUNDS = ("above", "at_least", "below", "at_most", "equal", "unequal", "between")
Bound = float | str


class EntryRuleModel(Model):
    """What may be entered."""

    one_of: list[float | str] | str | None = Field(
        None,
        description="Values to choose from, or the column of a table that an earlier sheet shows: `managers[Name]`.",
    )
    kind: Literal["whole", "number", "date", "time", "length"] | None = Field(
        None, description="What is entered, for a rule with bounds; `length` is that of a text."
    )
    where: str | None = Field(None, description="A formula over headings that must hold: `[Pieces] <= [Booked]`.")
    above: Bound | None = Field(None, description="More than a number, or than a formula over headings gives.")
    at_least: Bound | None = Field(None, description="Not less.")
    below: Bound | None = Field(None, description="Less.")
    at_most: Bound | None = Field(None, description="Not more.")
    equal: Bound | None = Field(None, description="Equal to it.")
    unequal: Bound | None = Field(None, description="Not equal to it.")
    between: list[Bound] | None = Field(
        None, min_length=2, max_length=2, description="Two bounds, both of them among the values."
    )
    blank: bool = Field(True, description="Whether a cell may be emptied.")
    otherwise: Literal["stop", "warn", "tell"] = Field(
        "stop", description="What happens to another entry: it is refused, asked about, or let in with a word."
    )
    prompt: str = Field("", max_length=255, description="Shown beside a cell that is chosen.")
    message: str = Field("", max_length=255, description="Shown when another entry is made.")

    def conditions(self) -> list[str]:
        """The keys of the conditions that are given."""
        return [name for name in ("one_of", "where", *_BOUNDS) if getattr(self, name) is not None]

    @model_validator(mode="after")
    def _one_condition(self) -> EntryRuleModel:
        given = self.conditions()
        if len(given) > 1:
            raise ValueError(f"an entry rule has one condition, and this one has {len(given)}: {', '.join(given)}")
        if given and (self.kind is None) == (given[0] in _BOUNDS):
            raise ValueError("kind says what the bounds are of: whole, number, date, time or length")
        return self


class EntryModel(EntryRuleModel):
    """What may be entered in the cells of some columns. It lives in the workbook."""

    on: list[str] = Field(min_length=1, description="Columns whose cells it is about.")

    @model_validator(mode="after")
    def _some_condition(self) -> EntryModel:
        if not self.conditions():
            raise ValueError("an entry rule has one condition, and this one has 0: none")
        return self


class InputModel(EntryRuleModel):
    """A cell for people to enter a value, which has a name in the workbook: formulas and marks read it."""

    label: str | None = Field(None, description="What stands beside it, with slots; made of its name if not given.")
    value: float | str | None = Field(None, description="What it holds at first; a text with slots.")
    format: str | None = Field(None, description="A number format, or a column type.")
