"""Steps that were found: amendments, each with a sentence and the number of cells it explains."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from tinquire.amend.schema import Amendment

__all__ = ["Learned", "Step", "bound"]


def bound(amendments: Sequence[Amendment], home: str | None) -> list[Amendment]:
    """Amendments for one sheet, where they do not name one."""
    return [
        one
        if home is None or one.sheet is not None or one.table is not None or one.add_sheet or "!" in (one.at or "")
        else one.model_copy(update={"sheet": home})
        for one in amendments
    ]


@dataclass(frozen=True, slots=True)
class Step:
    """One step in general terms: the keys of its amendment, what it does in a sentence, the cells that it explains, and
    other readings that explain the same."""

    keys: dict[str, Any]
    says: str
    cells: int
    #: Other keys, with what they say, that explain the same here and mean something else elsewhere.
    others: tuple[tuple[dict[str, Any], str], ...] = ()

    @property
    def amendment(self) -> Amendment:
        return Amendment.model_validate({"say": self.says, **self.keys})

    def readings(self) -> list[Step]:
        """All readings of it, this one first; each has the rest as its others."""
        every = [(self.keys, self.says), *self.others]
        return [
            Step(keys, says, self.cells, tuple(other for other in every if other[0] is not keys))
            for keys, says in every
        ]


@dataclass
class Learned:
    """What two states of a workbook tell: steps in the order in which they are done, and what is not explained."""

    steps: list[Step] = field(default_factory=list)
    #: Places and what they became, of what no step explains; found when the steps were replayed.
    unexplained: list[str] = field(default_factory=list)
    #: The sheet on which the steps were done that do not name one.
    home: str | None = None

    @property
    def is_whole(self) -> bool:
        return not self.unexplained
