"""What a step is, where steps are declared, and the loop that applies them."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import TypeVar

from tinquire.base.faults import Fault, UseError
from tinquire.base.wording import known_names
from tinquire.cells.values import Value
from tinquire.tables.scope import TableScope
from tinquire.tables.table import Table

__all__ = ["Step", "StepContext", "StepReport", "apply_steps", "step", "step_classes"]


@dataclass
class StepContext:
    """What steps may look at beside their table: other tables, named values; and the words for their messages."""

    tables: Mapping[str, Table]
    names: Mapping[str, Value]
    #: 'table 'charges', step 2 (match with 'rates')': how a message names the current step.
    stopped: str = "a step"
    #: The place in the docket that wrote the step, if known.
    where: str = ""
    notes: list[str] = field(default_factory=list)

    def scope(self, table: Table | None = None) -> TableScope:
        return TableScope(self.tables, self.names, table)

    def table(self, name: str) -> Table:
        """Another table of the docket. Raises UseError when it does not exist."""
        found = self.scope().find_table(name)
        if found is None:
            why = f"there is no table '{name}': {known_names(name, list(self.tables))}"
            raise UseError(Fault(self.stopped, why, self.where, "name a source or table of the docket"))
        return found


class Step(ABC):
    """A change to a table."""

    @abstractmethod
    def apply(self, table: Table, context: StepContext) -> Table:
        """The changed table. Raises DataError and UseError with the context's words."""

    @abstractmethod
    def says(self) -> str:
        """The step in a few words, for messages."""

    @property
    def other_tables(self) -> Sequence[str]:
        """The other tables that the step names."""
        return ()

    @property
    def formulas(self) -> Sequence[str]:
        """The formulas of the step."""
        return ()


@dataclass(frozen=True, slots=True)
class StepReport:
    """What one step did, in rows."""

    says: str
    rows_in: int
    rows_out: int
    notes: tuple[str, ...] = ()


_Class = TypeVar("_Class", bound=type[Step])
_DECLARED: dict[str, type[Step]] = {}


def step(cls: _Class) -> _Class:
    """Declare a dataclass as a step under the name of its first field."""
    _DECLARED[fields(cls)[0].name] = cls  # type: ignore[arg-type]
    return cls


def step_classes() -> dict[str, type[Step]]:
    return _DECLARED


def apply_steps(
    table: Table, steps: Sequence[Step], context: StepContext, places: Sequence[str] = (), *, first: int = 0
) -> tuple[Table, list[StepReport]]:
    """Apply steps in order; `places` says where the docket writes each, `first` how many came before. Raises what a
    step raises."""
    reports = []
    for number, item in enumerate(steps):
        context.stopped = f"table '{table.name}', step {first + number + 1} ({item.says()})"
        context.where = places[number] if places else ""
        context.notes = []
        before = table
        table = _noted(item.apply(table, context), f"step {first + number + 1} ({item.says()})")
        reports.append(StepReport(item.says(), before.height, table.height, tuple(context.notes)))
    return table, reports


def _noted(after: Table, step: str) -> Table:
    """The table after a step, with the formulas that the step made untrue noted as broken by it."""
    formulas = dict(after.formulas)
    for index, item in enumerate(after.fields):
        derived = after.row_formula(index)
        if derived is None or derived[0].rows is None or derived[0].rows.all() or derived[0].broken:
            continue
        formulas[item.identity] = replace(derived[0], broken=step)
    return replace(after, formulas=formulas) if formulas else after
