"""type: read columns into types."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import known_names
from tinquire.tables.steps.step import Step, StepContext, step
from tinquire.tables.table import Table, require
from tinquire.tables.types import TYPES, column_type, read_column


@step
@dataclass(frozen=True)
class Type(Step):
    """Read columns into types: heading = type."""

    __pydantic_config__ = {"extra": "forbid"}  # noqa: RUF012

    type: dict[str, str]

    def apply(self, table: Table, context: StepContext) -> Table:
        positions = require(table, list(self.type), context.stopped)
        for index, spec in zip(positions, self.type.values(), strict=True):
            if spec not in TYPES:
                why = f"'{spec}' is not a type: {known_names(spec, TYPES)}"
                raise UseError(Fault(context.stopped, why, context.where, "write one of the types"))
            reading = read_column(table.columns[index], spec)
            if reading.problems:
                raise DataError(
                    *(
                        Fault(context.stopped, f"{problem.why}", table.where(problem.place), "fix the value")
                        for problem in reading.problems
                    )
                )
            field = replace(table.fields[index], type=column_type(spec))
            table = table.with_column(field, reading.column)
        return table

    def says(self) -> str:
        return "type " + ", ".join(f"{name} as {spec}" for name, spec in self.type.items())
