"""Pivots of a docket as pivot tables of the file format, over the table of their workbook that shows their rows."""

from __future__ import annotations

from collections.abc import Sequence

from tinquire.base.faults import Fault, UseError
from tinquire.layout.dresser import Dresser
from tinquire.layout.living_pivots import lay_living_pivot
from tinquire.layout.pivot_tables import AskedPivot, hindrances, new_pivot, rows_of_table
from tinquire.layout.plans import BlockPlan, Laid
from tinquire.press.compute.results import Results
from tinquire.press.outputs.shown_rows import Cut, WorkbookRows
from tinquire.tables.pivots.compute import Subtotals
from tinquire.tables.pivots.pivot import Pivot
from tinquire.workbook import Sheet
from tinquire.workbook.parts.styles import StyleBook
from tinquire.workbook.pivots.making import MadePivot, make_pivot, make_store

__all__ = ["lay_pivot_part"]


def lay_pivot_part(
    results: Results, shown: WorkbookRows, sheet: Sheet, styles: StyleBook, name: str, pivot: Pivot,
    cuts: Sequence[Cut], spot: tuple[int, int], plan: BlockPlan,
) -> tuple[Laid, MadePivot]:  # fmt: skip
    """Lay a pivot of the file format, its first cell at a spot, over the table part that shows its rows; what its rows
    are cut to is chosen above it. Raises UseError with all that the format's pivots cannot show."""
    model, words = results.docket.model.pivots[name], results.house.language.words
    source, part = results.tables[model.from_], shown.table(model.from_, plan)
    headings = [column.name for column in part.columns]
    subtotals = model.subtotals
    asked = AskedPivot(
        model.row_fields(words), model.column_fields(words),
        [cut for cut in cuts if source.index_of(cut[0]) is not None],
        None if subtotals is None else Subtotals(subtotals.where == "above", subtotals.name),
        model.totals, model.totals_across, model.empty_value(), model.where is not None,
    )  # fmt: skip
    do = 'write formulas = "values", or "living"'
    if faults := [Fault(plan.stopped, why, plan.where, do) for why in hindrances(asked, pivot, headings)]:
        raise UseError(*faults)
    if model.from_ not in shown.stores:
        shown.stores[model.from_] = make_store(part.name, rows_of_table(source, headings), _axes(results, model.from_))
    store, dresser = shown.stores[model.from_], Dresser(results.house, styles, plan)
    own = new_pivot(asked, pivot, _free_name(name, shown.pivot_names), store, dresser)
    top = spot[0] + len(asked.pages) + bool(asked.pages)
    made = make_pivot(own, store, (top, spot[1]), styles)
    return lay_living_pivot(sheet, made, pivot, asked, dresser), made


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
