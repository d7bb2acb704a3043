"""The second stage of a run: tables made from sources and from each other, by their steps."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from tinquire.base.faults import Fault, TinQuireError
from tinquire.docket.review import table_order
from tinquire.docket.schema.tables import TableModel
from tinquire.docket.usage import tables_needed
from tinquire.press.compute.pushdown import remote_table
from tinquire.press.compute.run import Run, formula_names
from tinquire.press.compute.sources import Fetched, Sources
from tinquire.sources import RemoteRows
from tinquire.tables import Table
from tinquire.tables.steps import StepContext, StepReport, apply_steps

__all__ = ["Tables", "make_tables", "remote_source"]


@dataclass(frozen=True)
class Tables:
    """Sources and tables by name, those whose rows stay in their database, what each step did, and what failed."""

    tables: Mapping[str, Table]
    remote: Mapping[str, RemoteRows]
    steps: Mapping[str, list[StepReport]]
    fetched: tuple[Fetched, ...] = ()
    errors: tuple[TinQuireError, ...] = ()

    def has_all(self, names: Iterable[str]) -> bool:
        """Whether all of them were made; one that failed has said why already."""
        return all(name in self.tables for name in names)


def make_tables(run: Run, sources: Sources) -> Tables:
    """Make every table after those it is made from; one that is made from a failed one is left out."""
    order = table_order(run.docket)
    assert not isinstance(order, Fault)  # the docket was reviewed when it was loaded
    made = Tables({name: item.table for name, item in sources.gathered.items()}, sources.remote, {})
    for name in order:
        model = run.docket.model.tables[name]
        try:
            made = _with_remote(run, made, name, model) if model.from_ in made.remote else _with(run, made, name, model)
        except TinQuireError as error:
            made = replace(made, errors=(*made.errors, error))
    return made


def _with(run: Run, made: Tables, name: str, model: TableModel) -> Tables:
    """The tables with one more, unless one that it needs failed."""
    others = [other for step in model.steps for other in tables_needed(step, run.docket.model.tables)]
    stated = [other for step in model.steps for other in step.other_tables]
    if not made.has_all([model.from_, *stated, *(item for item in others if item != name)]):
        return made
    start = replace(made.tables[model.from_], name=name)
    context = StepContext(dict(made.tables), formula_names(run.known))
    table, reports = apply_steps(start, model.steps, context, _step_places(run, name, model))
    return replace(made, tables={**made.tables, name: table}, steps={**made.steps, name: reports})


def _with_remote(run: Run, made: Tables, name: str, model: TableModel) -> Tables:
    """The tables with one more that is made of rows in a database."""
    rows = replace(made.remote[model.from_], name=name)
    context = StepContext(dict(made.tables), rows.names)
    table, reports, groups = remote_table(rows, model.steps, context, _step_places(run, name, model))
    if groups is not None:
        made = replace(made, fetched=(*made.fetched, Fetched(remote_source(run, model.from_), groups)))
    if isinstance(table, Table):
        return replace(made, tables={**made.tables, name: table}, steps={**made.steps, name: reports})
    return replace(made, remote={**made.remote, name: table})


def _step_places(run: Run, name: str, model: TableModel) -> list[str]:
    return [run.docket.where("tables", name, "steps", number) for number in range(len(model.steps))]


def remote_source(run: Run, name: str) -> str:
    """The source that a table of rows in a database is made of."""
    while name in run.docket.model.tables:
        name = run.docket.model.tables[name].from_
    return name
