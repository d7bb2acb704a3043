"""What a pivot table of the file format is to show of a pivot: its fields, items, values, or why it cannot."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from tinquire.cells.column import Column, Kind
from tinquire.cells.values import Value
from tinquire.layout.dresser import Dresser
from tinquire.tables import Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.compute import Subtotals
from tinquire.tables.pivots.fields import PivotField
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook.pivots.making import NewPivot, NewStore, NewValue
from tinquire.workbook.pivots.store import Rows

__all__ = ["AskedPivot", "as_shown", "hindrances", "new_pivot", "rows_of_table"]

#: Aggregations by their names in the file format (18.18.17).
_HOW = {
    Aggregation.SUM: "sum", Aggregation.AVERAGE: "average", Aggregation.COUNT: "count",
    Aggregation.NUMBERS: "countNums", Aggregation.SMALLEST: "min", Aggregation.LARGEST: "max",
    Aggregation.PRODUCT: "product", Aggregation.DEVIATION: "stdDev", Aggregation.VARIANCE: "var",
}  # fmt: skip
#: Ways of showing values by their names there (18.18.70).
_SHOWN = {None: "normal", "share": "percentOfTotal", "share of row": "percentOfRow", "share of column": "percentOfCol"}


@dataclass(frozen=True)
class AskedPivot:
    """How a pivot was asked for: fields down and across, what rows are cut to, subtotals, totals by their names, and
    what stands where a combination has no rows. `where` says that it leaves rows out."""

    down: Sequence[PivotField]
    across: Sequence[PivotField]
    pages: Sequence[tuple[str, Value]] = ()
    subtotals: Subtotals | None = None
    total: str | None = None
    total_across: str | None = None
    empty: Value = None
    where: bool = False


def rows_of_table(table: Table, headings: Sequence[str]) -> Rows:
    """The columns of a table that a sheet shows, as rows of a store."""
    places = [table.index_of(heading) for heading in headings]
    found = [place for place in places if place is not None]
    return Rows(
        tuple(headings), tuple(table.columns[place] for place in found),
        tuple(table.fields[place].type in ("date", "time") for place in found),
    )  # fmt: skip


def new_pivot(asked: AskedPivot, pivot: Pivot, name: str, store: NewStore, dresser: Dresser) -> NewPivot:
    """A pivot, which nothing hinders, as a pivot table over a store of its rows."""
    fields = {one.name.casefold() for one in store.store.fields}
    values = []
    for value, kind in zip(pivot.values, pivot.value_types, strict=True):
        assert value.how is not None
        # The format has no value of a column's own name; a space sets it apart, and shows nowhere.
        shown = f"{value.name} " if value.name.casefold() in fields else value.name
        code = dresser.plain("rows", kind).format
        values.append(NewValue(shown, value.column, _HOW[value.how], _SHOWN[value.shown], code))
    groups = (pivot.depths == len(pivot.row_fields)).nonzero()[0]
    orders: dict[str, list[Value]] = {}
    for field, column in zip(asked.down, pivot.labels, strict=True):
        orders[field.column] = list(dict.fromkeys(column.take(groups).to_list()))
    for field, column in zip(asked.across, pivot.across, strict=True):
        orders[field.column] = list(dict.fromkeys(column.to_list()))
    return NewPivot(
        name, [one.column for one in asked.down], [one.column for one in asked.across], values, orders,
        tuple(asked.pages), _sorts(asked, pivot), asked.subtotals is not None, asked.total, asked.total_across,
        asked.empty,
    )  # fmt: skip


def as_shown(pivot: Pivot, blank: str) -> Pivot:
    """A pivot with the cells that a pivot table has for it: a blank label is called `blank`, and a count of nothing is
    no number."""
    labels = tuple(
        Column.where((pivot.depths > at) & (column.kinds == Kind.BLANK), Column.full(blank, 1), column)
        for at, column in enumerate(pivot.labels)
    )
    counted = [value.how in (Aggregation.COUNT, Aggregation.NUMBERS) for value in pivot.values]

    def shown(columns: Sequence[Column]) -> tuple[Column, ...]:
        return tuple(
            Column.where((column.kinds == Kind.NUMBER) & (column.numbers == 0), Column.blank(1), column)
            if is_count
            else column
            for column, is_count in zip(columns, counted, strict=True)
        )

    return replace(
        pivot, labels=labels, cells=shown(pivot.cells), row_totals=shown(pivot.row_totals),
        column_totals=shown(pivot.column_totals), grand=shown(pivot.grand),
    )  # fmt: skip


def _sorts(asked: AskedPivot, pivot: Pivot) -> Mapping[str, tuple[int, bool]]:
    names = [value.name for value in pivot.values]
    return {
        field.column: (names.index(field.sort.removeprefix("-")), field.sort.startswith("-"))
        for field in (*asked.down, *asked.across)
        if field.sort is not None
    }


def hindrances(asked: AskedPivot, pivot: Pivot, headings: Sequence[str]) -> Iterator[str]:
    """Why a pivot table over rows with some headings cannot show what a pivot does."""
    fields, pages = [*asked.down, *asked.across], [name for name, _ in asked.pages]
    shown = {heading.casefold() for heading in headings}
    if asked.where:
        yield "it leaves rows out by 'where', and a pivot table sums up all rows of its table"
    if asked.subtotals is not None and asked.subtotals.above:
        yield "its subtotals stand above their groups"
    if asked.total and asked.total_across and asked.total != asked.total_across:
        yield f"its totals are called '{asked.total}' and '{asked.total_across}', and a pivot table has one name"
    for field in fields:
        if field.by is not None or field.bands:
            yield f"its field '{field.column}' is put into groups; derive a column of these"
        if field.top is not None:
            yield f"its field '{field.column}' is cut to the first ones"
        if field.sort is not None and field.sort.removeprefix("-") not in [value.name for value in pivot.values]:
            yield f"its field '{field.column}' is sorted by '{field.sort}', which it does not show"
    yield from _value_hindrances(pivot)
    own = [field.column for field in fields]
    for heading in (*own, *pages, *(value.column for value in pivot.values if value.column)):
        if heading.casefold() not in shown:
            yield f"the sheet of its rows does not show the column '{heading}'"
    for heading in {one for one in own if [*own, *pages].count(one) > 1}:
        yield f"its column '{heading}' stands on two sides of it"


def _value_hindrances(pivot: Pivot) -> Iterator[str]:
    for value in pivot.values:
        if value.how not in _HOW:
            yield f"its value '{value.name}' is {'a formula' if value.how is None else value.how.value}"
        if value.shown not in _SHOWN:
            yield f"its value '{value.name}' is shown as {value.shown}"
    for field, column in zip((*pivot.row_fields, *pivot.column_fields), (*pivot.labels, *pivot.across), strict=True):
        texts = [str(one) for one in column if isinstance(one, str)]
        if len({text.casefold() for text in texts}) < len(set(texts)):
            yield f"its field '{field.name}' has labels that differ in capital letters alone"
        if (column.kinds == Kind.ERROR).any():
            yield f"its field '{field.name}' has an error value"
