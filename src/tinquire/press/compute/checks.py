"""A run's checks: formulas, ready-made conditions, and what the daybook knows of the period before."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import partial
from typing import TypeAlias

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError
from tinquire.base.wording import known_names
from tinquire.cells.values import CellError, Value
from tinquire.docket.schema.base import cell_value
from tinquire.docket.schema.checks import CheckModel, FreshModel, MissingModel, NearModel, ValuesModel
from tinquire.press.compute.earlier import with_earlier
from tinquire.press.compute.results import Results
from tinquire.tables import Table
from tinquire.tables.checks.conditions import CheckResult, check_formula
from tinquire.tables.checks.ready_made import (
    Verdict,
    check_agreement,
    check_allowed,
    check_complete,
    check_near,
    check_no_repeats,
    check_none_missing,
    check_range,
    check_row_count,
    distinct_values,
)
from tinquire.tables.scope import TableScope
from tinquire.tables.statement import Statement, balance

__all__ = ["Before", "Checks", "make_checks"]


#: What the run of the period before kept under a name; None when there is no such run.
Before: TypeAlias = Callable[[str], object | None]


@dataclass(frozen=True)
class Checks:
    """What each check found, what the next period's checks compare with, and what stops the run or warns."""

    results: tuple[CheckResult, ...]
    facts: Mapping[str, object]
    errors: tuple[TinQuireError, ...]
    warnings: tuple[Fault, ...]


@dataclass(frozen=True, slots=True)
class _Outcome:
    """What a check found, and what it keeps for the next period."""

    result: CheckResult
    facts: Mapping[str, object] = field(default_factory=dict)


def make_checks(values: Results, before: Before) -> Checks:
    """Work all checks out; what does not hold becomes an error or a warning of the run."""
    results: list[CheckResult] = []
    facts: dict[str, object] = {}
    errors: list[TinQuireError] = []
    warnings: list[Fault] = []
    for where, check in _all_checks(values, before):
        try:
            answer = check()
        except TinQuireError as error:
            errors.append(error)
            continue
        result = answer.result
        results.append(result)
        facts.update(answer.facts)
        if not result.holds and result.stops:
            errors.append(DataError(result.fault(where)))
        elif not result.holds:
            warnings.append(result.fault(where))
    return Checks(tuple(results), facts, tuple(errors), tuple(warnings))


def _all_checks(values: Results, before: Before) -> Iterator[tuple[str, Callable[[], _Outcome]]]:
    """Each check with its position in the docket: those that it states, and the statements that must balance."""
    for name, model in values.docket.model.checks.items():
        where = values.docket.where("checks", name)
        yield where, partial(_check, values, before, name, model, where)
    for name, statement in values.docket.model.statements.items():
        if statement.balance and name in values.statements:
            where = values.docket.where("statements", name, "balance")
            yield where, partial(_check_balance, values.statements[name], statement.balance, where)


def _check_balance(made: Statement, lines: Sequence[str], where: str) -> _Outcome:
    """A statement's two sides as a check of their own. Raises UseError for lines that are not there."""
    known = [line.name for line in made.lines if line.name]
    for line in lines:
        if line.casefold() not in {item.casefold() for item in known}:
            why = f"statement '{made.name}' has no line '{line}': {known_names(line, known)}"
            raise UseError(Fault(f"statement '{made.name}'", why, where, "fix the name in balance"))
    asked, found = balance(made, *lines)
    return _Outcome(CheckResult(f"{made.name} balances", asked, not found, found, True, worded=True))


def _check(values: Results, before: Before, name: str, model: CheckModel, where: str) -> _Outcome:
    stops = model.otherwise == "stop"
    if model.that is not None:
        formula = with_earlier(model.that, values.run, f"check '{name}'", where)
        return _Outcome(check_formula(name, formula, values.scope(), stops=stops, says=model.says, where=where))
    ready_made = _ReadyMade(values, before, values.scope(), f"check '{name}'", where)
    (asked, found), facts = ready_made.verdict(model)
    return _Outcome(CheckResult(name, asked, not found, found, stops, model.says, worded=True), facts)


@dataclass(frozen=True, slots=True)
class _ReadyMade:
    """A ready-made check on its way to a verdict, and to what it keeps for the next period."""

    results: Results
    last: Before
    scope: TableScope
    stopped: str
    where: str

    def verdict(self, model: CheckModel) -> tuple[Verdict, Mapping[str, object]]:
        if model.near_last is not None:
            return self.near_last(model.near_last)
        if model.none_missing is not None:
            return self.none_missing(model.none_missing)
        return self.of_this_period(model), {}

    def of_this_period(self, model: CheckModel) -> Verdict:
        if model.agree:
            return check_agreement(model.agree, model.within, self.scope, self.stopped, self.where)
        if (rows := model.rows) is not None:
            return check_row_count(self.table(rows.table), rows.at_least, rows.at_most)
        if (keys := model.no_repeats) is not None:
            return check_no_repeats(self.table(keys.table), keys.columns, self.stopped)
        if (filled := model.complete) is not None:
            return check_complete(self.table(filled.table), filled.columns, self.stopped)
        if model.values is not None:
            return self.values(model.values)
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
            return check_range(table, asked.column, asked.at_least, asked.at_most, self.stopped)
        if not isinstance(asked.among, str):
            return check_allowed(table, asked.column, [cell_value(item) for item in asked.among], self.stopped)
        name, bracket, heading = asked.among.rstrip("]").partition("[")
        if not bracket:
            why = f"'{asked.among}' names no column of a table"
            do = 'write it like among = "rates[Band]", or list the values'
            raise UseError(Fault(self.stopped, why, self.where, do))
        return check_allowed(table, asked.column, self.table(name).column(heading, self.stopped), self.stopped)

    def near_last(self, asked: NearModel) -> tuple[Verdict, Mapping[str, object]]:
        figures = self.results.figures
        name = next((known for known in figures if known.casefold() == asked.figure.casefold()), None)
        if name is None:
            raise self.unknown("figure", asked.figure, list(figures))
        value, fact = figures[name], f"figure {name}"
        facts = {} if isinstance(value, CellError) else {fact: value}
        before, period = self.last(fact), self.results.period.previous.text
        if before is None:
            return (f"{name} cannot be compared: the daybook has no run of {period}", ""), facts
        return check_near(name, value, _number(before), asked.percent, period), facts

    def none_missing(self, asked: MissingModel) -> tuple[Verdict, Mapping[str, object]]:
        table = self.table(asked.table)
        fact, period = f"values {table.name} {asked.column}", self.results.period.previous.text
        now = distinct_values(table.column(asked.column, self.stopped))
        facts = {fact: [value for value in now if not isinstance(value, CellError)]}
        before = self.last(fact)
        if not isinstance(before, list):
            return (f"no {asked.column} can be compared: the daybook has no run of {period}", ""), facts
        return check_none_missing(
            table, asked.column, [_number(value) for value in before], period, self.stopped
        ), facts

    def fresh(self, asked: FreshModel) -> Verdict:
        gathered = self.results.sources.get(asked.source)
        if gathered is None:
            raise self.unknown("source", asked.source, list(self.results.sources))
        least = self.results.period.last if asked.since == "end" else self.results.period.first
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
