"""The state before on its way to the state after: each step that is found is done at once, so that the next ones are
looked for in what is left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import ValidationError

from tinquire.amend.change import NotAsExpectedError, apply_amendments
from tinquire.learn.steps import Learned, Step, bound
from tinquire.workbook import Workbook

__all__ = ["Session"]

_Other = tuple[dict[str, Any], str]


class Session:
    """A workbook being led from one state to another. `work` is the state before with the steps done that were found;
    it must be asked for anew after each of them."""

    def __init__(self, data: bytes, name: str, after: Workbook) -> None:
        self.data, self.name, self.after = data, name, after
        self.work = Workbook.from_bytes(data, name)
        self.learned = Learned()
        #: The sheet that steps are about which do not name one.
        self.home: str | None = None
        self._done: list[Step] = []

    def do(self, keys: Mapping[str, Any], says: str, cells: int, others: Sequence[_Other] = ()) -> bool:
        """Do a step and note it; one that cannot be done is not noted."""
        step = Step(dict(keys), says, cells, tuple(others))
        try:
            amendment = step.amendment
        except ValidationError:  # a value that an amendment cannot write
            return False
        try:
            apply_amendments(self.work, bound([amendment], self.home))
        except NotAsExpectedError:
            # What was done in part is undone by doing all others again.
            self.work = Workbook.from_bytes(self.data, self.name)
            apply_amendments(self.work, bound([one.amendment for one in self._done], self.home))
            return False
        self._done.append(step)
        self.learned.steps.append(step)
        return True
