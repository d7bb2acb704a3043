"""The docket's schema. What stands here is what `tinquire docket --schema` publishes and `docs/docket.md` lists."""

from __future__ import annotations

from functools import cache
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, TypeAdapter, model_validator

from tinquire.base.faults import known_names
from tinquire.cells.languages import Words
from tinquire.cells.values import Value
from tinquire.docket.sourcemodel import CellValue, Model, SourceModel, cell_value
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import PivotField, PivotValue
from tinquire.tables.steps import Step, step_kinds
from tinquire.tables.types import ColumnType

__all__ = [
    "CheckModel", "DocketModel", "FigureModel", "MailModel", "PivotModel", "PostModel", "SheetModel", "SourceModel",
    "TableModel", "WorkbookModel", "cell_value", "json_schema", "step_keys",
]  # fmt: skip

Shown = Literal["share", "share of row", "share of column", "share of group", "difference", "growth", "running", "rank"]
TotalKind = Literal["sum", "average", "count", "smallest", "largest"]
PeriodKind = Literal["year", "quarter", "month", "week", "day"]


def _step(raw: Any) -> Step:
    """A step from its keys: the one that names a kind of step decides."""
    kinds = step_kinds()
    if not isinstance(raw, dict):
        raise ValueError('a step is written in braces, like { sort = ["Depot"] }')
    first = next(iter(raw), "")
    name = first if first in kinds else next((key for key in raw if _all_options(raw, kinds.get(key))), None)
    if name is None:
        raise ValueError(f"there is no step '{first}': {known_names(first, sorted(kinds))}")
    return _adapter(kinds[name]).validate_python(raw)


@cache
def _adapter(kind: type[Step]) -> TypeAdapter[Step]:
    return TypeAdapter(kind)


def _all_options(raw: dict[str, Any], kind: type[Step] | None) -> bool:
    """Whether all keys are those of one kind of step; steps share names of options, so its own key is not enough."""
    return kind is not None and set(raw) <= step_keys(kind)


def step_keys(kind: type[Step]) -> set[str]:
    """The keys that a kind of step knows, as a docket writes them."""
    return {name.removesuffix("_") for name in kind.__dataclass_fields__}  # type: ignore[attr-defined]


class TableModel(Model):
    """A table made from a source or another table by steps."""

    from_: str = Field(alias="from", description="The source or table it is made from.")
    steps: list[Annotated[Any, BeforeValidator(_step)]] = Field(default_factory=list, description="Changes, in order.")


class PivotValueModel(Model):
    """One value of a pivot: an aggregation and its column."""

    sum: str | None = Field(None, description="The column whose numbers are added up.")
    average: str | None = Field(None, description="... averaged.")
    count: str | None = Field(None, description="... whose values are counted, blanks apart.")
    numbers: str | None = Field(None, description="... whose numbers are counted.")
    distinct: str | None = Field(None, description="... whose different values are counted.")
    smallest: str | None = Field(None, description="... whose smallest number is taken.")
    largest: str | None = Field(None, description="... whose largest number is taken.")
    median: str | None = Field(None, description="... whose middle number is taken.")
    product: str | None = Field(None, description="... whose numbers are multiplied.")
    deviation: str | None = Field(None, description="... whose standard deviation is taken, as of a sample.")
    variance: str | None = Field(None, description="... whose variance is taken, as of a sample.")
    first: str | None = Field(None, description="... whose first value is taken, blanks apart.")
    last: str | None = Field(None, description="... whose last value is taken, blanks apart.")
    formula: str | None = Field(
        None, description="A formula over the rows of each group: `SUM([Charge])/SUM([Pieces])`; it needs a name."
    )
    show: Shown | None = Field(
        None,
        description="What it is shown in relation to; differences, growth, running totals and ranks go from "
        "column to column, or down the rows of a pivot without columns.",
    )
    as_: str | None = Field(None, alias="as", description="The name it goes by; the column's own if not given.")

    @model_validator(mode="after")
    def _one_aggregation(self) -> PivotValueModel:
        if len(self.stated()) + (self.formula is not None) != 1:
            words = [*(how.value for how in Aggregation), "formula"]
            raise ValueError(f"a value says one aggregation, of {', '.join(words)}")
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
    by: Literal["day", "week", "month", "quarter", "year"] | None = Field(None, description="Days brought together.")
    bands: list[float] = Field(default_factory=list, description="Limits between which numbers are brought together.")
    order: list[CellValue] = Field(default_factory=list, description="Labels in their order; others come behind.")
    sort: str | None = Field(None, description="The value to sort by, with `-` the largest first.")
    top: int | None = Field(None, ge=1, description="Only so many groups, by `sort` or the largest of the first value.")
    rest: str | Literal[True] | None = Field(
        None,
        description="The name of all other groups together, `true` for the usual one; without it they are left out.",
    )

    def field_of(self, words: Words) -> PivotField:
        return PivotField(
            self.field, self.by, tuple(self.bands), tuple(cell_value(one) for one in self.order), self.sort, self.top,
            words.others if self.rest is True else self.rest,
        )  # fmt: skip


class SubtotalsModel(Model):
    """Lines that sum up the groups of all row fields but the last."""

    where: Literal["below", "above"] = Field("below", description="Below a group's lines, or above them.")
    name: str | None = Field(None, description="Their name, with `{}` for the group's label; `{} total` if not given.")


class PivotModel(Model):
    """A table summed up by the values of its columns."""

    from_: str = Field(alias="from", description="The table to sum up.")
    where: str | None = Field(None, description="A formula over the headings: only rows for which it holds count.")
    rows: list[str | PivotFieldModel] = Field(min_length=1, description="Row fields: names, or fields with settings.")
    columns: list[str | PivotFieldModel] = Field(default_factory=list, description="Column fields, likewise.")
    values: list[PivotValueModel] = Field(min_length=1, description="Values; each says its aggregation.")
    empty: CellValue | None = Field(None, description="What stands where a combination has no rows.")
    subtotals: SubtotalsModel | None = Field(None, description="Lines that sum up groups; `{}` for the usual ones.")
    totals: str | None = Field(None, description="Name of the totals row; without it there is none.")
    totals_across: str | None = Field(None, description="Name of the totals columns; without it there are none.")

    def row_fields(self, words: Words) -> list[PivotField]:
        return [PivotField(one) if isinstance(one, str) else one.field_of(words) for one in self.rows]

    def column_fields(self, words: Words) -> list[PivotField]:
        return [PivotField(one) if isinstance(one, str) else one.field_of(words) for one in self.columns]

    def empty_value(self) -> Value:
        return None if self.empty is None else cell_value(self.empty)


class LineColumnsModel(Model):
    """The headings of a table of statement lines; those that are not there say nothing."""

    line: str = Field("Line", description="The line's name.")
    order: str = Field("Order", description="Its place; without it lines stand as in the table.")
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
    rows: RowCountModel | None = Field(None, description="A table has so many rows.")
    no_repeats: KeysModel | None = Field(None, description="No two rows have the same key.")
    complete: KeysModel | None = Field(None, description="No cell of these columns is blank.")
    values: ValuesModel | None = Field(None, description="A column holds allowed values only.")
    near_last: NearModel | None = Field(None, description="A figure is near to that of the period before.")
    none_missing: MissingModel | None = Field(None, description="No value of the period before is missing.")
    fresh: FreshModel | None = Field(None, description="A source's files are not older than the period.")
    otherwise: Literal["stop", "warn"] = Field("stop", description="What to do when it does not hold.")
    says: str | None = Field(None, description="What to say then, in the analyst's words.")

    @model_validator(mode="after")
    def _one_condition(self) -> CheckModel:
        stated = [key for key in CONDITIONS if getattr(self, key) not in (None, [])]
        if len(stated) != 1:
            raise ValueError(f"a check asks one thing, of {', '.join(CONDITIONS)}")
        if self.agree and len(self.agree) < 2:
            raise ValueError("agree takes two formulas or more")
        return self


#: The keys of a check that say what it asks.
CONDITIONS = ("that", "agree", "rows", "no_repeats", "complete", "values", "near_last", "none_missing", "fresh")


class SheetModel(Model):
    """A sheet of a workbook made by a run."""

    name: str = Field(description="The sheet's name; with `split`, slots of the column split by.")
    table: str | None = Field(None, description="The table it shows.")
    pivot: str | None = Field(None, description="The pivot it shows.")
    statement: str | None = Field(None, description="The statement it shows.")
    title: str | None = Field(None, description="A line above the headings, with slots.")
    columns: list[str] = Field(default_factory=list, description="Columns to show, in order; all if not given.")
    split: str | None = Field(
        None, description="A column of the table, or of the one that the pivot sums up: one sheet for each value."
    )
    rows_per_sheet: int | None = Field(
        None,
        ge=1,
        description="Go on on a further sheet after so many rows; without it a table that is too long stops.",
    )
    totals: dict[str, TotalKind] = Field(default_factory=dict, description="Totals under columns.")
    total_label: str | None = Field(None, description="The word in the totals row; `Total` if not given.")
    formulas: Literal["living", "living only", "values"] = Field(
        "values",
        description="Derived columns, totals, amounts of statements and cells of pivots as formulas, or values. "
        "Where a later step made a formula untrue `living` has values, and says so; `living only` stops.",
    )
    freeze: bool = Field(True, description="The heading stays in sight.")
    filter: bool = Field(True, description="The heading has filter buttons.")
    landscape: bool = Field(False, description="Printed on its side.")
    looks: dict[Literal["title", "heading", "rows", "subtotal", "total"], str] = Field(
        default_factory=dict, description="Looks other than those of these names."
    )

    @model_validator(mode="after")
    def _one_content(self) -> SheetModel:
        if sum(one is not None for one in (self.table, self.pivot, self.statement)) != 1:
            raise ValueError("a sheet shows either a table, a pivot or a statement")
        if self.table is None and (self.columns or self.totals or self.rows_per_sheet):
            raise ValueError("columns, totals and rows_per_sheet are for sheets of tables; a pivot says its own totals")
        if self.statement is not None and self.split:
            raise ValueError("split is for sheets of tables and pivots")
        return self


class WorkbookModel(Model):
    """A workbook made by a run."""

    name: str = Field(description="The file's name, with slots.")
    template: str | None = Field(None, description="A workbook whose slots are filled and whose sheets come first.")
    split: str | None = Field(
        None,
        description="A column: one file for each of its values, with the rows of that value in every sheet; its slot "
        "stands in the name. A mail attaches the file of its own row, by the column of the same heading.",
    )
    sheets: list[SheetModel] = Field(default_factory=list, description="Sheets to add, in order.")


class MailModel(Model):
    """A mail, or with `each` one for each row of a table."""

    each: str | None = Field(None, description="The table that repeats the mail.")
    from_: str = Field(alias="from", description="The sender: Name <address>.")
    to: str = Field(description="Recipients, separated by commas, with slots.")
    cc: str = Field("", description="Further recipients.")
    reply_to: str | None = Field(None, description="Where answers go, if not to the sender.")
    subject: str = Field(description="The subject line, with slots.")
    body: str = Field(description="The text: paragraphs with blank lines between, lists with '- ', slots.")
    attach: list[str] = Field(default_factory=list, description="Outputs of this docket by name, or files, with slots.")


class PostModel(Model):
    """The mail server that `send` gives the outbox to."""

    server: str = Field("localhost", description="The server's name or address.")
    port: int = Field(25, ge=1, le=65535, description="Its port.")
    security: Literal["none", "starttls", "tls"] = Field("none", description="How the line is secured.")
    user: str | None = Field(None, description="Who logs in; nobody if not given.")
    password_from: str | None = Field(None, description="The environment variable that holds the password.")


class DocketModel(Model):
    """The job file of one recurring pack."""

    title: str = Field(description="What the pack is called.")
    period: PeriodKind = Field(description="What one run covers.")
    out: str = Field("out/[:period:]", description="The folder of the outputs.")
    outbox: str = Field("outbox/[:period:]", description="The folder of the finished mails.")
    style: str | None = Field(None, description="The house file.")
    sources: dict[str, SourceModel] = Field(default_factory=dict, description="Where rows come from, by name.")
    tables: dict[str, TableModel] = Field(default_factory=dict, description="Rows shaped by steps, by name.")
    pivots: dict[str, PivotModel] = Field(default_factory=dict, description="Summaries, by name.")
    statements: dict[str, StatementModel] = Field(default_factory=dict, description="Reports of accounts, by name.")
    figures: dict[str, str | FigureModel] = Field(default_factory=dict, description="Named values: formulas.")
    checks: dict[str, CheckModel] = Field(default_factory=dict, description="What must hold, by name.")
    workbooks: dict[str, WorkbookModel] = Field(default_factory=dict, description="Workbooks to make, by name.")
    mails: dict[str, MailModel] = Field(default_factory=dict, description="Mails to write, by name.")
    post: PostModel = Field(PostModel(), description="The mail server.")


def json_schema() -> dict[str, Any]:
    """The docket's JSON Schema (draft 2020-12), steps included."""
    schema = DocketModel.model_json_schema(by_alias=True)
    definitions = schema["$defs"]
    choices = []
    for name, kind in sorted(step_kinds().items()):
        step_schema = TypeAdapter(kind).json_schema(by_alias=True, ref_template="#/$defs/{model}")
        definitions.update(step_schema.pop("$defs", {}))
        definitions[f"Step_{name}"] = step_schema
        choices.append({"$ref": f"#/$defs/Step_{name}"})
    definitions["TableModel"]["properties"]["steps"]["items"] = {"anyOf": choices}
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
