"""The fourth stage of a run: statements of accounts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tinquire.base.faults import TinQuireError
from tinquire.docket.schema.statements import AmountsModel
from tinquire.press.compute.run import Run
from tinquire.press.compute.tables import Tables
from tinquire.tables import Table
from tinquire.tables.statement import Amounts, LineColumns, Statement, make_statement

__all__ = ["Statements", "make_statements"]


@dataclass(frozen=True)
class Statements:
    """Statements by name, and what failed."""

    statements: Mapping[str, Statement]
    errors: tuple[TinQuireError, ...] = ()

    @property
    def accounts(self) -> dict[str, Table]:
        """The accounts in each statement's lines, as tables that sheets may show."""
        return {f"{name}_accounts": statement.accounts for name, statement in self.statements.items()}


def make_statements(run: Run, tables: Tables) -> Statements:
    """Calculate every statement whose tables were made."""
    made: dict[str, Statement] = {}
    errors: list[TinQuireError] = []
    for name, model in run.docket.model.statements.items():
        if not tables.has_all([model.lines, model.map.table, *(amount.table for amount in model.amounts)]):
            continue
        where = run.docket.where("statements", name)
        try:
            made[name] = make_statement(
                name,
                tables.tables[model.lines],
                LineColumns(**model.columns.model_dump()),
                tables.tables[model.map.table],
                model.map.account,
                model.map.line,
                [_amounts(run, tables, amount, name, where) for amount in model.amounts],
                difference=model.difference,
                percent=model.percent,
                where=where,
            )
        except TinQuireError as error:
            errors.append(error)
    return Statements(made, tuple(errors))


def _amounts(run: Run, tables: Tables, model: AmountsModel, name: str, where: str) -> Amounts:
    heading = run.slots().filled(model.as_, f"statement '{name}'", where)
    return Amounts(heading, tables.tables[model.table], model.account, model.amount)
