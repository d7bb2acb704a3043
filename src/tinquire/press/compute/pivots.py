"""The third stage of a run: pivots over its tables."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from tinquire.base.faults import TinQuireError
from tinquire.press.compute.pushdown import remote_pivot
from tinquire.press.compute.run import Run, formula_names
from tinquire.press.compute.sources import Fetched
from tinquire.press.compute.tables import Tables, remote_source
from tinquire.tables import Table
from tinquire.tables.pivots.compute import Subtotals, make_pivot
from tinquire.tables.pivots.pivot import Pivot
from tinquire.tables.scope import GroupScope
from tinquire.tables.steps import StepContext
from tinquire.tables.steps.keep_rows import KeepRows

__all__ = ["Pivots", "make_pivots", "pivot_over"]


@dataclass(frozen=True)
class Pivots:
    """Pivots by name, what databases calculated for them, and what failed."""

    pivots: Mapping[str, Pivot]
    fetched: tuple[Fetched, ...] = ()
    errors: tuple[TinQuireError, ...] = ()


def make_pivots(run: Run, tables: Tables) -> Pivots:
    """Calculate every pivot whose table was made."""
    pivots: dict[str, Pivot] = {}
    fetched: list[Fetched] = []
    errors: list[TinQuireError] = []
    for name, model in run.docket.model.pivots.items():
        try:
            if model.from_ in tables.remote:
                where = run.docket.where("pivots", name, "where")
                rows = tables.remote[model.from_]
                pivots[name], groups = remote_pivot(name, model, rows, where, run.house.language)
                fetched.append(Fetched(remote_source(run, model.from_), groups))
            elif model.from_ in tables.tables:
                pivots[name] = pivot_over(run, tables.tables, name, tables.tables[model.from_])
        except TinQuireError as error:
            errors.append(error)
    return Pivots(pivots, tuple(fetched), tuple(errors))


def pivot_over(run: Run, tables: Mapping[str, Table], name: str, rows: Table) -> Pivot:
    """A pivot of the docket over rows of the table that it sums up; its formulas may read the other tables."""
    model, words = run.docket.model.pivots[name], run.house.language.words
    names = formula_names(run.known)
    context = StepContext(dict(tables), names, f"pivot '{name}'", run.docket.where("pivots", name, "where"))
    rows = replace(rows, name=name)
    if model.where is not None:
        rows = KeepRows(model.where).apply(rows, context)
    subtotals = model.subtotals
    return make_pivot(
        rows,
        model.row_fields(words),
        model.column_fields(words),
        [value.value() for value in model.values],
        empty=model.empty_value(),
        totals=model.totals,
        totals_across=model.totals_across,
        subtotals=None if subtotals is None else Subtotals(subtotals.where == "above", subtotals.name),
        scope=GroupScope(dict(tables), names),
        language=run.house.language,
    )
