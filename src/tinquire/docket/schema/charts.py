"""Charts in the docket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.charts.chart import KINDS
from tinquire.docket.schema.base import Model

__all__ = ["ChartModel", "ChartSeriesModel"]

ChartKind = Literal["bars", "columns", "lines", "areas", "pie", "ring", "points", "bubbles"]
assert set(ChartKind.__args__) == set(KINDS)  # type: ignore[attr-defined]


class ChartSeriesModel(Model):
    """One series of a chart."""

    column: str = Field(description="The column of its values, with slots.")
    as_: str | None = Field(
        None, alias="as", description="What the legend calls it, with slots; its heading if not given."
    )
    kind: ChartKind | None = Field(None, description="Drawn otherwise than the rest: lines over columns, say.")
    second: bool = Field(False, description="On an axis of its own, at the right.")
    colour: str | None = Field(None, description="A name of [colours], or #RRGGBB.")
    size: str | None = Field(None, description="Of bubbles: the column of their sizes.")


class ChartModel(Model):
    """A chart of a table, pivot, statement or figures that a block of the workbook shows."""

    kind: ChartKind = Field("columns", description="How values are drawn: bars lie, columns stand.")
    of: str = Field(description="The table, pivot or statement; `figures` for those of the sheet.")
    labels: str | None = Field(
        None, description="The column of labels (of points and bubbles: of numbers across); the first if not given."
    )
    series: list[str | ChartSeriesModel] = Field(
        default_factory=list,
        description="Columns of values; of a pivot also a value's name, for all its columns. All numbers if not given.",
    )
    stack: Literal["no", "stacked", "share"] = Field(
        "no", description="Series upon each other; `share` fills to 100 %."
    )
    most: int | None = Field(None, ge=1, le=1000, description="At most the first so many rows.")
    title: str | None = Field(None, description="With slots.")
    labels_title: str | None = Field(None, description="Of the axis of labels, with slots.")
    values_title: str | None = Field(None, description="Of the axis of values, with slots.")
    second_title: str | None = Field(None, description="Of the axis at the right, with slots.")
    format: str | None = Field(
        None, description="Number format of values, or a column type; that of their column if not given."
    )
    second_format: str | None = Field(None, description="That of the axis at the right.")
    legend: Literal["auto", "no", "right", "bottom", "top", "left"] = Field(
        "auto", description="Where series are named; `auto`: below, for two and more."
    )
    values: bool = Field(False, description="Write each value beside its mark.")
    gap: int | None = Field(None, ge=0, le=500, description="Space between bars, in per cent of a bar.")
    limits: list[float | None] | None = Field(
        None, min_length=2, max_length=2, description="Where the axis of values begins and ends."
    )
    log: bool = Field(False, description="A logarithmic axis of values.")
    target: float | str | None = Field(None, description="A line at a value: a number, or a figure or formula.")
    target_label: str | None = Field(None, description="What the line is called, with slots.")
    pick: str | None = Field(None, description="The label whose mark stands out; with slots.")
    alt: str | None = Field(
        None, description="What it shows, for those who cannot see it; made from title and labels if not given."
    )

    @model_validator(mode="after")
    def _possible(self) -> ChartModel:
        whole = self.kind in ("pie", "ring")
        if whole and (len(self.series) > 1 or self.stack != "no" or self.log or self.target is not None):
            raise ValueError(f"a {self.kind} has one series, and neither axes nor a target")
        if self.limits is not None and None not in self.limits and self.limits[0] >= self.limits[1]:  # type: ignore[operator]
            raise ValueError("limits rise")
        if self.log and self.limits is not None and any(limit is not None and limit <= 0 for limit in self.limits):
            raise ValueError("a logarithmic axis begins above zero")
        return self
