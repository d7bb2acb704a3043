"""Pivots in the docket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tinquire.cells.languages import Words
from tinquire.cells.values import Value
from tinquire.docket.schema.base import CellValue, Model, cell_value
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import PivotField, PivotValue

__all__ = ["PeriodKind", "PivotModel"]

Shown = Literal["share", "share of row", "share of column", "share of group", "difference", "growth", "running", "rank"]


PeriodKind = Literal["year", "quarter", "month", "week", "day"]


class PivotValueModel(Model):
    """One value of a pivot: an aggregation and its column."""

    sum: str | None = Field(None, description="The column whose numbers are added up.")
    average: str | None = Field(None, description="... averaged.")
    count: str | None = Field(None, description="... whose values are counted, without blanks.")
    numbers: str | None = Field(None, description="... whose numbers are counted.")
    distinct: str | None = Field(None, description="... whose different values are counted.")
    smallest: str | None = Field(None, description="... whose smallest number is taken.")
    largest: str | None = Field(None, description="... whose largest number is taken.")
    median: str | None = Field(None, description="... whose middle number is taken.")
    product: str | None = Field(None, description="... whose numbers are multiplied.")
    deviation: str | None = Field(None, description="... whose standard deviation is taken, as of a sample.")
    variance: str | None = Field(None, description="... whose variance is taken, as of a sample.")
    first: str | None = Field(None, description="... whose first value is taken, without blanks.")
    last: str | None = Field(None, description="... whose last value is taken, without blanks.")
    formula: str | None = Field(
        None, description="A formula over the rows of each group: `SUM([Charge])/SUM([Pieces])`; it needs a name."
    )
    show: Shown | None = Field(
        None,
        description="What it is shown in relation to; differences, growth, running totals and ranks go from "
        "column to column, or down the rows of a pivot without columns.",
    )
    as_: str | None = Field(None, alias="as", description="Its name; the column's own if not given.")

    @model_validator(mode="after")
    def _one_aggregation(self) -> PivotValueModel:
        if len(self.stated()) + (self.formula is not None) != 1:
            words = [*(how.value for how in Aggregation), "formula"]
            raise ValueError(f"a value needs exactly one aggregation of {', '.join(words)}")
        if self.formula is not None and self.as_ is None:
            raise ValueError("a value that is a formula needs a name: as = ...")
        return self

    def stated(self) -> dict[Aggregation, str]:
        given = {how: getattr(self, how.value) for how in Aggregation}
        return {how: column for how, column in given.items() if column is not None}

    def value(self) -> PivotValue:
        if self.formula is not None:
            return PivotValue("", None, self.as_ or "", self.formula, self.show)
        ((how, column),) = self.stated().items()
        return PivotValue(column, how, self.as_ or column, None, self.show)


class PivotFieldModel(Model):
    """A row or column field of a pivot, when it is more than a column's name."""

    field: str = Field(description="The column.")
    by: Literal["day", "week", "month", "quarter", "year"] | None = Field(None, description="Group days by this unit.")
    bands: list[float] = Field(default_factory=list, description="Group numbers between these limits.")
    order: list[CellValue] = Field(default_factory=list, description="Labels in their order; others come after them.")
    sort: str | None = Field(None, description="The value to sort by, with `-` the largest first.")
    top: int | None = Field(None, ge=1, description="Only the first n groups, by `sort` or by the largest first value.")
    rest: str | Literal[True] | None = Field(
        None,
        description="The name of all other groups together, `true` for the usual one; without it they are left out.",
    )

    def field_of(self, words: Words) -> PivotField:
        return PivotField(
            self.field, self.by, tuple(self.bands), tuple(cell_value(item) for item in self.order), self.sort, self.top,
            words.others if self.rest is True else self.rest,
        )  # fmt: skip


class SubtotalsModel(Model):
    """Lines that sum up the groups of all row fields but the last."""

    where: Literal["below", "above"] = Field("below", description="Below a group's lines, or above them.")
    name: str | None = Field(None, description="Their name, with `{}` for the group's label; `{} total` if not given.")


class PivotModel(Model):
    """A table summed up by the values of its columns."""

    from_: str = Field(alias="from", description="The table to sum up.")
    where: str | None = Field(None, description="A formula over the headings: only rows for which it is true count.")
    rows: list[str | PivotFieldModel] = Field(min_length=1, description="Row fields: names, or fields with settings.")
    columns: list[str | PivotFieldModel] = Field(default_factory=list, description="Column fields, likewise.")
    values: list[PivotValueModel] = Field(min_length=1, description="Values, each with its aggregation.")
    empty: CellValue | None = Field(None, description="The value where a combination has no rows.")
    subtotals: SubtotalsModel | None = Field(None, description="Lines that sum up groups; `{}` for the usual ones.")
    totals: str | None = Field(None, description="Name of the totals row; without it there is none.")
    totals_across: str | None = Field(None, description="Name of the totals columns; without it there are none.")

    def row_fields(self, words: Words) -> list[PivotField]:
        return [PivotField(row) if isinstance(row, str) else row.field_of(words) for row in self.rows]

    def column_fields(self, words: Words) -> list[PivotField]:
        return [PivotField(column) if isinstance(column, str) else column.field_of(words) for column in self.columns]

    def empty_value(self) -> Value:
        return None if self.empty is None else cell_value(self.empty)
