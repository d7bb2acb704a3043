"""All values of a run, before anything is drawn from them; and what was wrong on the way."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from tinquire.base.faults import Fault, TinQuireError
from tinquire.cells.periods import Period
from tinquire.cells.values import Value
from tinquire.docket import Docket
from tinquire.looks import House
from tinquire.press.compute.run import Run, formula_names
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.sources import RemoteRows, SourceRead
from tinquire.tables import Table
from tinquire.tables.checks.conditions import CheckResult
from tinquire.tables.pivots.pivot import Pivot
from tinquire.tables.scope import TableScope
from tinquire.tables.statement import Statement
from tinquire.tables.steps import StepReport

__all__ = ["Results"]


@dataclass(frozen=True)
class Results:
    """What the stages of a run gave; outputs are made from it, and change nothing in it."""

    run: Run
    sources: Mapping[str, SourceRead]
    tables: Mapping[str, Table]
    #: Sources, and tables made of them, whose rows stay in their database.
    remote: Mapping[str, RemoteRows] = field(default_factory=dict)
    steps: Mapping[str, list[StepReport]] = field(default_factory=dict)
    pivots: Mapping[str, Pivot] = field(default_factory=dict)
    statements: Mapping[str, Statement] = field(default_factory=dict)
    figures: Mapping[str, Value] = field(default_factory=dict)
    figure_types: Mapping[str, str] = field(default_factory=dict)
    checks: tuple[CheckResult, ...] = ()
    #: What the checks of the next period compare with.
    facts: Mapping[str, object] = field(default_factory=dict)
    errors: tuple[TinQuireError, ...] = ()
    warnings: tuple[Fault, ...] = ()

    @property
    def docket(self) -> Docket:
        return self.run.docket

    @property
    def period(self) -> Period:
        return self.run.period

    @property
    def house(self) -> House:
        return self.run.house

    @property
    def names(self) -> dict[str, Value]:
        """The values that formulas and slots know by name: figures, and what is known of the run."""
        files = sum(len(gathered.files) for gathered in self.sources.values())
        return {**self.run.known, "files_read": float(files), **self.figures}

    def slots(self) -> SlotScope:
        """The scope of slots, once all is calculated."""
        dates = {"period.first": "date", "period.last": "date", "files_read": "whole"}
        return SlotScope(self.house, self.names, {**dates, **self.figure_types}, self._formula_tables())

    def scope(self) -> TableScope:
        """The scope of formulas."""
        return TableScope(self._formula_tables(), formula_names(self.names))

    def _formula_tables(self) -> dict[str, Table]:
        summed: dict[str, Pivot | Statement] = {**self.pivots, **self.statements}
        return {**self.tables, **{name: item.as_table() for name, item in summed.items()}}
