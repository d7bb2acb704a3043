"""A run's checks: formulas, ready-made conditions, and what the daybook knows of the period before."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from typing import TYPE_CHECKING

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, known_names
from tinquire.cells.values import CellError, Value
from tinquire.docket.schema.base import cell_value
from tinquire.docket.schema.checks import CheckModel, FreshModel, MissingModel, NearModel, ValuesModel
from tinquire.press.record.daybook import Daybook
from tinquire.tables import Table
from tinquire.tables.checks.conditions import CheckResult, checked
from tinquire.tables.checks.ready_made import (
    Verdict,
    agreeing,
    allowed,
    complete,
    counted,
    distinct_values,
    inside,
    near,
    none_missing,
    unrepeated,
)
from tinquire.tables.scope import TableScope
from tinquire.tables.statement import Statement, balance

if TYPE_CHECKING:
    from tinquire.press.compute.compute import Reckoning

__all__ = ["make_checks"]


def make_checks(work: Reckoning) -> None:
    """Work all checks out; what does not hold becomes an error or a warning of the run."""
    for name, model in work.docket.model.checks.items():
        where = work.docket.where("checks", name)
        _settle(work, partial(_checked, work, name, model, where), where)
    for name, statement in work.docket.model.statements.items():
        if statement.balance and name in work.statements:
            where = work.docket.where("statements", name, "balance")
            _settle(work, partial(_balanced, work, work.statements[name], statement.balance, where), where)


def _settle(work: Reckoning, check: Callable[[], CheckResult], where: str) -> None:
    try:
        result = check()
    except TinQuireError as error:
        work.errors.append(error)
        return
    work.checks.append(result)
    if not result.holds and result.stops:
        work.errors.append(DataError(result.fault(where)))
    elif not result.holds:
        work.warnings.append(result.fault(where))


def _balanced(work: Reckoning, made: Statement, lines: Sequence[str], where: str) -> CheckResult:
    """A statement's two sides as a check of their own. Raises UseError for lines that are not there."""
    known = [line.name for line in made.lines if line.name]
    for line in lines:
        if line.casefold() not in {one.casefold() for one in known}:
            why = f"statement '{made.name}' has no line '{line}': {known_names(line, known)}"
            raise UseError(Fault(f"statement '{made.name}'", why, where, "mend the name in balance"))
    asked, found = balance(made, *lines)
    return CheckResult(f"{made.name} balances", asked, not found, found, True, worded=True)


def _checked(work: Reckoning, name: str, model: CheckModel, where: str) -> CheckResult:
    stops = model.otherwise == "stop"
    if model.that is not None:
        return checked(name, model.that, work.scope(), stops=stops, says=model.says, where=where)
    asking = _Asking(work, work.scope(), f"check '{name}'", where)
    asked, found = asking.verdict(model)
    return CheckResult(name, asked, not found, found, stops, model.says, worded=True)


@dataclass(frozen=True, slots=True)
class _Asking:
    """A check on its way to a verdict."""

    work: Reckoning
    scope: TableScope
    stopped: str
    where: str

    def verdict(self, model: CheckModel) -> Verdict:
        if model.agree:
            return agreeing(model.agree, model.within, self.scope, self.stopped, self.where)
        if (rows := model.rows) is not None:
            return counted(self.table(rows.table), rows.at_least, rows.at_most)
        if (keys := model.no_repeats) is not None:
            return unrepeated(self.table(keys.table), keys.columns, self.stopped)
        if (filled := model.complete) is not None:
            return complete(self.table(filled.table), filled.columns, self.stopped)
        if model.values is not None:
            return self.values(model.values)
        if model.near_last is not None:
            return self.near_last(model.near_last)
        if model.none_missing is not None:
            return self.none_missing(model.none_missing)
        assert model.fresh is not None
        return self.fresh(model.fresh)

    def table(self, name: str) -> Table:
        found = self.scope.find_table(name)
        if found is None:
            raise self.unknown("table", name, list(self.scope.tables))
        return found

    def unknown(self, what: str, name: str, known: list[str]) -> UseError:
        why = f"there is no {what} '{name}': {known_names(name, known)}"
        return UseError(Fault(self.stopped, why, self.where, f"name a {what} of the docket"))

    def values(self, asked: ValuesModel) -> Verdict:
        table = self.table(asked.table)
        if asked.among is None:
            return inside(table, asked.column, asked.at_least, asked.at_most, self.stopped)
        if not isinstance(asked.among, str):
            return allowed(table, asked.column, [cell_value(one) for one in asked.among], self.stopped)
        name, bracket, heading = asked.among.rstrip("]").partition("[")
        if not bracket:
            why = f"'{asked.among}' names no column of a table"
            do = 'write it like among = "rates[Band]", or list the values'
            raise UseError(Fault(self.stopped, why, self.where, do))
        return allowed(table, asked.column, self.table(name).column(heading, self.stopped), self.stopped)

    def near_last(self, asked: NearModel) -> Verdict:
        figures = self.work.figures
        name = next((known for known in figures if known.casefold() == asked.figure.casefold()), None)
        if name is None:
            raise self.unknown("figure", asked.figure, list(figures))
        value = figures[name]
        if not isinstance(value, CellError):
            self.work.facts[f"figure {name}"] = value
        before, period = self.before(f"figure {name}"), self.work.period.previous.text
        if before is None:
            return f"{name} has nothing to be near to: the daybook has no run of {period}", ""
        return near(name, value, _number(before), asked.percent, period)

    def none_missing(self, asked: MissingModel) -> Verdict:
        table = self.table(asked.table)
        fact, period = f"values {table.name} {asked.column}", self.work.period.previous.text
        now = distinct_values(table.column(asked.column, self.stopped))
        self.work.facts[fact] = [value for value in now if not isinstance(value, CellError)]
        before = self.before(fact)
        if not isinstance(before, list):
            return f"no {asked.column} can be missing: the daybook has no run of {period}", ""
        return none_missing(table, asked.column, [_number(value) for value in before], period, self.stopped)

    def before(self, name: str) -> object | None:
        """What the run of the period before kept under a name."""
        title, period = self.work.docket.model.title, self.work.period.previous.text
        return Daybook(self.work.docket.base).fact(title, period, name)

    def fresh(self, asked: FreshModel) -> Verdict:
        gathered = self.work.sources.get(asked.source)
        if gathered is None:
            raise self.unknown("source", asked.source, list(self.work.sources))
        least = self.work.period.last if asked.since == "end" else self.work.period.first
        old = []
        for file in gathered.files:
            if not file.path.is_file():
                continue  # a database answers of today
            written = datetime.fromtimestamp(file.path.stat().st_mtime, UTC).date()
            if written < least:
                old.append(f"{file.shown} was last written on {written.isoformat()}")
        return f"no file of {asked.source} is older than {least.isoformat()}", "; ".join(old)


def _number(value: object) -> Value:
    """A value as JSON kept it: whole numbers came from cells, too."""
    if isinstance(value, bool) or value is None or isinstance(value, str):
        return value
    return float(value)  # type: ignore[arg-type]
