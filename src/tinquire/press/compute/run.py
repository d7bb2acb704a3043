"""What a run is about: a docket, a period and a house."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from tinquire.cells.periods import Period
from tinquire.cells.values import Value
from tinquire.docket import Docket
from tinquire.looks import House
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.sources.spec import Password

__all__ = ["Run", "formula_names"]


@dataclass(frozen=True)
class Run:
    """A docket for one period, in a house's style."""

    docket: Docket
    period: Period
    house: House
    #: The environment's variables, which hold passwords.
    environment: Mapping[str, str] = field(default_factory=dict)
    #: The value of a figure (its name) in an earlier period (its text), as the daybook has it; None if it has none.
    earlier: Callable[[str, str], Value | None] = lambda period, name: None

    @property
    def known(self) -> dict[str, Value]:
        """The values that are known before anything is read."""
        return {**self.period.values(self.house.language), "title": self.docket.model.title}

    def password(self, variable: str | None) -> Password | None:
        """The password that a variable of the environment holds; None when none is needed."""
        return None if variable is None else Password(variable, self.environment.get(variable))

    def slots(self) -> SlotScope:
        """The slots that can be filled before anything is read."""
        return SlotScope(self.house, self.known)


def formula_names(names: Mapping[str, Value]) -> dict[str, Value]:
    """Names as formulas write them, without full stops: `period_first`."""
    return {name.replace(".", "_"): value for name, value in names.items()}
