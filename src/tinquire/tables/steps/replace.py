"""replace: values of a column by a list, or parts of its texts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from tinquire.base.faults import DataError, Fault
from tinquire.cells.column import Column
from tinquire.cells.values import Value
from tinquire.formula.engine.conversions import text_of
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table


@step
@dataclass(frozen=True)
class Replace(Step):
    """Replace values of a column: whole ones by `values` (old = new) or by the table `by`, whose first column has the
    old and whose second the new values; or `parts` of its texts. Texts are compared to the letter."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    replace: str
    values: dict[str, bool | float | str] = field(default_factory=dict)
    parts: dict[str, str] = field(default_factory=dict)
    by: str | None = None

    def __post_init__(self) -> None:
        if not self.values and not self.parts and self.by is None:
            raise ValueError("replace needs values, parts or by")
        if "" in self.parts:
            raise ValueError("a part to replace needs at least one character")

    @property
    def other_tables(self) -> Sequence[str]:
        return () if self.by is None else (self.by,)

    def apply(self, table: Table, context: StepContext) -> Table:
        index = table.find(self.replace, context.stopped)
        groups, distinct = table.columns[index].groups()
        listed = self._listed(context)
        fresh = [self._fresh(value, listed) for value in distinct]
        changed = np.array([not _same(old, new) for old, new in zip(distinct, fresh, strict=True)], bool)
        context.notes.append(f"{int(changed.sum())} of {len(distinct)} distinct values replaced")
        return table.with_values(index, Column.from_values(fresh).take(groups), changed[groups])

    def _listed(self, context: StepContext) -> dict[str, Value]:
        """New values by the text of the old ones."""
        listed: dict[str, Value] = dict(self.values)
        if self.by is not None:
            other = context.table(self.by)
            if len(other.columns) < 2:
                why = f"table '{self.by}' has no two columns: the old values and the new ones"
                raise DataError(Fault(context.stopped, why, context.where, "give it a second column"))
            for old, new in zip(other.columns[0], other.columns[1], strict=True):
                listed.setdefault(str(text_of(old)), new)
        return listed

    def _fresh(self, value: Value, listed: dict[str, Value]) -> Value:
        key = str(text_of(value))
        if key in listed:
            found = listed[key]
            return float(found) if isinstance(found, int) and not isinstance(found, bool) else found
        if isinstance(value, str):
            for old, new in self.parts.items():
                value = value.replace(old, new)
            return value or None
        return value

    def says(self) -> str:
        return f"replace in {self.replace}"


def _same(old: Value, new: Value) -> bool:
    return type(old) is type(new) and old == new
