"""sample: some of the rows, by chance."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tinquire.base.wording import counted
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Sample(Step):
    """Keep n random rows, in their order: the same ones each time from the same seed."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    sample: int
    seed: int = 0

    def apply(self, table: Table, context: StepContext) -> Table:
        count = min(max(self.sample, 0), table.height)
        chosen = np.random.default_rng(self.seed).permutation(table.height)[:count]
        return table.take(np.sort(chosen))

    def says(self) -> str:
        return f"sample {counted(self.sample, 'row')}"
