"""Checks in the docket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.docket.schema.base import CellValue, Model

__all__ = ["CheckModel"]


class KeysModel(Model):
    """Columns of a table."""

    table: str = Field(description="The table.")
    columns: list[str] = Field(min_length=1, description="Its columns.")


class RowCountModel(Model):
    """How many rows a table may have."""

    table: str = Field(description="The table.")
    at_least: int | None = Field(None, description="The fewest rows.")
    at_most: int | None = Field(None, description="The most rows.")


class ValuesModel(Model):
    """What a column may hold: listed values, or numbers between limits, these included."""

    table: str = Field(description="The table.")
    column: str = Field(description="Its column.")
    among: list[CellValue] | str | None = Field(
        None, description="The values, or another table's column that lists them: `rates[Band]`."
    )
    at_least: float | None = Field(None, description="The smallest number.")
    at_most: float | None = Field(None, description="The largest number.")


class NearModel(Model):
    """A figure that may not be far from what it was in the period before, as the daybook knows it."""

    figure: str = Field(description="The figure.")
    percent: float = Field(gt=0, description="How far away it may be.")


class MissingModel(Model):
    """A column whose values of the period before, as the daybook knows them, must all be there again."""

    table: str = Field(description="The table.")
    column: str = Field(description="Its column.")


class FreshModel(Model):
    """A source whose files must have been written late enough."""

    source: str = Field(description="The source.")
    since: Literal["start", "end"] = Field("end", description="Not before the period's first day, or its last.")


class CheckModel(Model):
    """What must hold before the pack goes out: one formula, or one of the ready-made conditions."""

    that: str | None = Field(None, description="A formula over tables and figures.")
    agree: list[str] = Field(default_factory=list, description="Formulas that give the same number.")
    within: float = Field(0.0, ge=0, description="How far apart the numbers of `agree` may be.")
    rows: RowCountModel | None = Field(None, description="A table has this many rows.")
    no_repeats: KeysModel | None = Field(None, description="No two rows have the same key.")
    complete: KeysModel | None = Field(None, description="No cell of these columns is blank.")
    values: ValuesModel | None = Field(None, description="A column holds allowed values only.")
    near_last: NearModel | None = Field(None, description="A figure is near to that of the period before.")
    none_missing: MissingModel | None = Field(None, description="No value of the period before is missing.")
    fresh: FreshModel | None = Field(None, description="A source's files are not older than the period.")
    otherwise: Literal["stop", "warn"] = Field("stop", description="What to do if it does not hold.")
    says: str | None = Field(None, description="The message if it does not hold.")

    @model_validator(mode="after")
    def _one_condition(self) -> CheckModel:
        stated = [key for key in CONDITIONS if getattr(self, key) not in (None, [])]
        if len(stated) != 1:
            raise ValueError(f"a check needs exactly one of {', '.join(CONDITIONS)}")
        if self.agree and len(self.agree) < 2:
            raise ValueError("agree takes two formulas or more")
        return self


#: The keys of a check that say what it asks.
CONDITIONS = ("that", "agree", "rows", "no_repeats", "complete", "values", "near_last", "none_missing", "fresh")
