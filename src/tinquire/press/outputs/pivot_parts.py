"""Pivots of a docket as pivot tables of the file format: what these can show, and where their rows stand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from tinquire.base.faults import Fault, UseError
from tinquire.cells.column import Kind
from tinquire.docket.schema.pivots import PivotModel
from tinquire.layout.dresser import Dresser
from tinquire.layout.living_pivots import lay_living_pivot
from tinquire.layout.plans import BlockPlan, Laid
from tinquire.press.compute.results import Results
from tinquire.press.outputs.shown_rows import Cut, WorkbookRows
from tinquire.tables import Table
from tinquire.tables.aggregation import Aggregation
from tinquire.tables.pivots.fields import PivotField
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import Sheet
from tinquire.workbook.parts.styles import StyleBook
from tinquire.workbook.pivots.making import MadePivot, NewPivot, NewStore, NewValue, make_pivot, make_store
from tinquire.workbook.pivots.store import Rows

__all__ = ["lay_pivot_part", "rows_of_table"]

#: Aggregations by their names in the file format (18.18.17).
_HOW = {
    Aggregation.SUM: "sum", Aggregation.AVERAGE: "average", Aggregation.COUNT: "count",
    Aggregation.NUMBERS: "countNums", Aggregation.SMALLEST: "min", Aggregation.LARGEST: "max",
    Aggregation.PRODUCT: "product", Aggregation.DEVIATION: "stdDev", Aggregation.VARIANCE: "var",
}  # fmt: skip
#: Ways of showing values by their names there (18.18.70).
_SHOWN = {None: "normal", "share": "percentOfTotal", "share of row": "percentOfRow", "share of column": "percentOfCol"}


def lay_pivot_part(
    results: Results, shown: WorkbookRows, sheet: Sheet, styles: StyleBook, name: str, pivot: Pivot,
    cuts: Sequence[Cut], spot: tuple[int, int], plan: BlockPlan,
) -> tuple[Laid, MadePivot]:  # fmt: skip
    """Lay a pivot of the file format, its first cell at a spot, over the table part that shows its rows; what its rows
    are cut to is chosen above it. Raises UseError with all that the format's pivots cannot show."""
    asked = results.docket.model.pivots[name]
    source = results.tables[asked.from_]
    part = shown.table(asked.from_, plan)
    headings = [column.name for column in part.columns]
    pages = [cut for cut in cuts if source.index_of(cut[0]) is not None]
    faults = [
        Fault(plan.stopped, why, plan.where, 'write formulas = "values", or "living"')
        for why in _hindrances(results, asked, pivot, [name for name, _ in pages], headings)
    ]
    if faults:
        raise UseError(*faults)
    if asked.from_ not in shown.stores:
        shown.stores[asked.from_] = make_store(part.name, rows_of_table(source, headings), _axes(results, asked.from_))
    dresser = Dresser(results.house, styles, plan)
    store = shown.stores[asked.from_]
    own = _new_pivot(results, asked, pivot, _free_name(name, shown.pivot_names), pages, store, dresser)
    top = spot[0] + len(pages) + bool(pages)
    made = make_pivot(own, store, (top, spot[1]), styles)
    words = results.house.language.words
    subtotal = words.group_total if asked.subtotals is None else asked.subtotals.name or words.group_total
    return lay_living_pivot(sheet, made, pivot, made.words(subtotal, words.blank), pages, dresser), made


def rows_of_table(table: Table, headings: Sequence[str]) -> Rows:
    """The columns of a table that a sheet shows, as rows of a store."""
    places = [table.index_of(heading) for heading in headings]
    found = [place for place in places if place is not None]
    return Rows(
        tuple(headings), tuple(table.columns[place] for place in found),
        tuple(table.fields[place].type in ("date", "time") for place in found),
    )  # fmt: skip


def _axes(results: Results, source: str) -> set[str]:
    """The columns by which any pivot of the docket may tell rows of a table apart, casefolded."""
    words = results.house.language.words
    fields: list[str] = []
    for model in results.docket.model.pivots.values():
        if model.from_ == source:
            fields += [one.column for one in (*model.row_fields(words), *model.column_fields(words))]
    for workbook in results.docket.model.workbooks.values():
        fields += [column for sheet in workbook.sheets if (column := sheet.split_by()) is not None]
        fields += [block.per for sheet in workbook.sheets for block in sheet.blocks if block.per is not None]
    return {field.casefold() for field in fields}


def _free_name(name: str, taken: set[str]) -> str:
    own, count = name, 1
    while own.casefold() in taken:
        count += 1
        own = f"{name} {count}"
    taken.add(own.casefold())
    return own


def _new_pivot(
    results: Results, asked: PivotModel, pivot: Pivot, name: str, pages: Sequence[Cut], store: NewStore,
    dresser: Dresser,
) -> NewPivot:  # fmt: skip
    words = results.house.language.words
    down, across = asked.row_fields(words), asked.column_fields(words)
    fields = {one.name.casefold() for one in store.store.fields}
    values = []
    for value, kind in zip(pivot.values, pivot.value_types, strict=True):
        assert value.how is not None
        # The format has no value of a column's own name; a space sets it apart, and shows nowhere.
        shown = f"{value.name} " if value.name.casefold() in fields else value.name
        code = dresser.plain("rows", kind).format
        values.append(NewValue(shown, value.column, _HOW[value.how], _SHOWN[value.shown], code))
    labels = zip((*down, *across), (*pivot.labels, *pivot.across), strict=True)
    groups = pivot.depths == len(pivot.row_fields)
    orders = {}
    for field, column in labels:
        own = column if len(column) != len(groups) or field in across else column.take(groups.nonzero()[0])
        orders[field.column] = list(dict.fromkeys(own.to_list()))
    return NewPivot(
        name, [one.column for one in down], [one.column for one in across], values, orders, tuple(pages),
        _sorts(asked, pivot, (*down, *across)), asked.subtotals is not None, asked.totals, asked.totals_across,
        asked.empty_value(),
    )  # fmt: skip


def _sorts(asked: PivotModel, pivot: Pivot, fields: Sequence[PivotField]) -> Mapping[str, tuple[int, bool]]:
    names = [value.name for value in pivot.values]
    return {
        field.column: (names.index(field.sort.removeprefix("-")), field.sort.startswith("-"))
        for field in fields
        if field.sort is not None
    }


def _hindrances(
    results: Results, asked: PivotModel, pivot: Pivot, pages: Sequence[str], headings: Sequence[str]
) -> Iterator[str]:
    """Why a pivot of the file format cannot show what a pivot of the docket does."""
    words = results.house.language.words
    fields = [*asked.row_fields(words), *asked.column_fields(words)]
    shown = {heading.casefold() for heading in headings}
    if asked.where is not None:
        yield "it leaves rows out by 'where', and a pivot table sums up all rows of its table"
    if asked.subtotals is not None and asked.subtotals.where == "above":
        yield "its subtotals stand above their groups"
    if asked.totals and asked.totals_across and asked.totals != asked.totals_across:
        yield f"its totals are called '{asked.totals}' and '{asked.totals_across}', and a pivot table has one name"
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
