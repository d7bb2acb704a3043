"""Rows that stay in their database: which tables they are, and pivots and groups over them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from tinquire.cells.languages import Language
from tinquire.docket.schema.pivots import PivotModel
from tinquire.sources import RemoteGroups, RemoteRows
from tinquire.tables import Table
from tinquire.tables.pivots.compute import Subtotals, pivot_of_groups
from tinquire.tables.pivots.pivot import Pivot
from tinquire.tables.steps import Step, StepContext, StepReport, apply_steps
from tinquire.tables.steps.drop_rows import DropRows
from tinquire.tables.steps.group import Group
from tinquire.tables.steps.keep_rows import KeepRows

__all__ = ["remote_pivot", "remote_table"]


def remote_table(
    rows: RemoteRows, steps: Sequence[Step], context: StepContext, places: Sequence[str]
) -> tuple[RemoteRows | Table, list[StepReport], RemoteGroups | None]:
    """A table made of rows that stay: fewer such rows, or from its first `group` on a table here; with what its steps
    did, and what travelled. The docket's review saw to it that no other step comes before."""
    name = rows.name
    for number, step in enumerate(steps):
        stopped, where = f"table '{name}', step {number + 1} ({step.says()})", places[number]
        if isinstance(step, KeepRows):
            rows = rows.where(step.keep_rows, True, stopped, where)
        elif isinstance(step, DropRows):
            rows = rows.where(step.drop_rows, False, stopped, where)
        elif isinstance(step, Group):
            context.stopped, context.where = stopped, where
            asked = [(column, how) for _, how, column in step.asked(context)]
            groups = rows.grouped(dict.fromkeys(step.group, False), asked, stopped)
            made = step.of_groups(groups, context)
            report = StepReport(step.says(), groups.rows, made.height, ("in the database",))
            rest = number + 1
            table, more = apply_steps(
                Table(name, made.fields, made.columns), steps[rest:], context, places[rest:], first=rest
            )
            return table, [report, *more], groups
    return rows, [], None


def remote_pivot(
    name: str, model: PivotModel, rows: RemoteRows, where: str, language: Language
) -> tuple[Pivot, RemoteGroups]:
    """A pivot over rows that stay, and what travelled for it."""
    stopped = f"pivot '{name}'"
    if model.where is not None:
        rows = rows.where(model.where, True, stopped, where)
    down, across = model.row_fields(language.words), model.column_fields(language.words)
    fields: dict[str, bool] = {}
    for item in (*down, *across):  # a column that is wanted as it is keeps its time of day
        key = next((known for known in fields if known.casefold() == item.column.casefold()), item.column)
        fields[key] = fields.get(key, True) and item.by is not None
    values = [value.value() for value in model.values]
    groups = rows.grouped(fields, [(value.column, value.how) for value in values], stopped)
    labels = Table(name, groups.labels.fields, groups.labels.columns)
    subtotals = model.subtotals
    made = pivot_of_groups(
        replace(groups, labels=labels),
        down,
        across,
        values,
        empty=model.empty_value(),
        totals=model.totals,
        totals_across=model.totals_across,
        subtotals=None if subtotals is None else Subtotals(subtotals.where == "above", subtotals.name),
        language=language,
    )
    return made, groups
