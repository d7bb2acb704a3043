"""Steps: changes to a table, one file each. A docket writes a step as its keys: `{ sort = ["Depot", "-Charge"] }`.

A step is a dataclass whose first field carries the step's name, and whose `apply` makes the new table. To add one,
write its file and name its module in `_MODULES`.
"""

from __future__ import annotations

import importlib

from tinquire.tables.steps.step import Step, StepContext, StepReport, apply_steps, step_classes

__all__ = ["Step", "StepContext", "StepReport", "apply_steps", "step_kinds"]

_MODULES = (
    "derive", "drop", "drop_rows", "fill", "group", "join", "keep", "keep_rows", "limit", "match", "move", "rename",
    "replace", "sample", "sort", "split", "stack", "subtract", "type", "unique", "unpivot", "window",
)  # fmt: skip


def step_kinds() -> dict[str, type[Step]]:
    """The steps' classes by the key that names each."""
    for module in _MODULES:
        importlib.import_module(f"{__name__}.{module}")
    return step_classes()
