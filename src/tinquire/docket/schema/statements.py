"""Statements and figures in the docket."""

from __future__ import annotations

from pydantic import Field, model_validator

from tinquire.docket.schema.base import Model
from tinquire.tables.types import ColumnType

__all__ = ["FigureModel", "StatementModel"]


class LineColumnsModel(Model):
    """The headings of a table of statement lines; those that are not there say nothing."""

    line: str = Field("Line", description="The line's name.")
    order: str = Field("Order", description="Its position; without it, lines are in the order of the table.")
    kind: str = Field("Kind", description="sum, subtotal, total, formula, heading or blank; sum if not given.")
    category: str = Field("Category", description="What a subtotal sums up: the lines of its category.")
    sign: str = Field("Sign", description="1 or -1: how the accounts' amounts count.")
    formula: str = Field("Formula", description="Of a formula line: `[Total assets] - [Loans]`.")


class MappingModel(Model):
    """Which line each account belongs to."""

    table: str = Field(description="The table that maps.")
    account: str = Field("Account", description="Its column of accounts.")
    line: str = Field("Line", description="Its column of lines.")


class AmountsModel(Model):
    """A column of a statement."""

    as_: str = Field(alias="as", description="Its heading, with slots.")
    table: str = Field(description="The table of accounts that it comes from.")
    account: str = Field("Account", description="The column of accounts there.")
    amount: str = Field("Amount", description="The column of amounts there.")


class StatementModel(Model):
    """Accounts mapped to the lines of a report."""

    lines: str = Field(description="The table of lines.")
    columns: LineColumnsModel = Field(LineColumnsModel(), description="Its headings.")
    map: MappingModel = Field(description="The line of each account.")
    amounts: list[AmountsModel] = Field(min_length=1, description="Columns: this period, the one before, budget, ...")
    difference: str | None = Field(None, description="Heading of the first column less the second.")
    percent: str | None = Field(None, description="Heading of that difference as a share of the second.")
    balance: list[str] = Field(default_factory=list, description="Two lines that must be equal in the first column.")

    @model_validator(mode="after")
    def _columns_to_compare(self) -> StatementModel:
        if len(self.amounts) < 2 and (self.difference or self.percent):
            raise ValueError("difference and percent compare the first two columns of amounts")
        if len(self.balance) not in (0, 2):
            raise ValueError("balance names two lines")
        return self


class FigureModel(Model):
    """A named value."""

    is_: str = Field(alias="is", description="A formula over tables and other figures.")
    type: ColumnType | None = Field(
        None, description="How it is written in texts: the house's number format of this type."
    )
