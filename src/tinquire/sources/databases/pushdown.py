"""Rows that stay in their database: it filters and groups them, and only the summary travels."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tinquire.base.faults import DataError, Fault, UseError
from tinquire.base.wording import counted, known_names
from tinquire.cells.column import Codes, Column, Kind
from tinquire.cells.numberformat import Moment
from tinquire.cells.values import Value
from tinquire.sources.databases.conditions import Holds, RefusedError, condition
from tinquire.sources.databases.query import bind_parameters, connect_read_only, raw_table
from tinquire.sources.digest import Digest
from tinquire.sources.spec import Password
from tinquire.tables import Field, Origin, Table
from tinquire.tables.addable import ADDING
from tinquire.tables.aggregation import Aggregation, Summary
from tinquire.tables.keys import key_groups
from tinquire.tables.pivots.groups import PivotValue
from tinquire.tables.types import NUMERIC, column_type, read_column

if TYPE_CHECKING:
    from sqlalchemy import ColumnElement, Connection, Subquery

__all__ = ["PUSHED", "RemoteGroups", "RemoteRows"]

#: Aggregations that a database calculates as we do, and the parts of a summary that each is made of.
PUSHED: dict[Aggregation | None, tuple[str, ...]] = {
    Aggregation.SUM: ("sum", "numbers"), Aggregation.AVERAGE: ("sum", "numbers"), Aggregation.COUNT: ("filled",),
    Aggregation.NUMBERS: ("numbers",), Aggregation.SMALLEST: ("smallest", "numbers"),
    Aggregation.LARGEST: ("largest", "numbers"),
}  # fmt: skip
#: Types of PostgreSQL's catalogue, pg_type, by their numbers.
_POSTGRES = {
    **dict.fromkeys((20, 21, 23, 700, 701, 1700), Holds.NUMBERS), **dict.fromkeys((25, 1043, 19), Holds.TEXTS),
    16: Holds.FLAGS, **dict.fromkeys((1082, 1114, 1184), Holds.DAYS),
}  # fmt: skip
#: Databases in which rows may stay.
_KINDS = ("sqlite", "postgresql")
_MISSING = {"smallest": np.inf, "largest": -np.inf}
_MOMENTS = (1114, 1184)
_DO = 'write rows = "travel" in the source'


@dataclass(frozen=True)
class RemoteRows:
    """The rows of a query, of which some are left out by conditions: formulas, each with the words of its step."""

    name: str
    url: str
    query: str
    parameters: Mapping[str, str | datetime.date]
    base: Path
    password: Password | None = None
    types: Mapping[str, str] = field(default_factory=dict)
    names: Mapping[str, Value] = field(default_factory=dict)
    #: Formulas, whether rows are kept for which they hold or dropped, and how messages name the step.
    conditions: tuple[tuple[str, bool, str, str], ...] = ()

    def where(self, formula: str, keeps: bool, stopped: str, where: str) -> RemoteRows:
        """The rows for which a formula holds, or the others."""
        return replace(self, conditions=(*self.conditions, (formula, keeps, stopped, where)))

    def grouped(
        self, fields: Mapping[str, bool], values: Iterable[tuple[str, Aggregation | None]], stopped: str
    ) -> RemoteGroups:
        """The rows brought together by columns (days without their time where that is asked), with what the values
        need. Raises DataError for what the database cannot calculate as we do, and what `connect_read_only` raises."""
        with connect_read_only(self.url, self.base, self.password) as (connection, shown):
            asking = _RemoteQuery(self, connection, shown, stopped)
            return asking.grouped(fields, list(values))


@dataclass(frozen=True)
class RemoteGroups:
    """Groups of rows that were brought together by their database; `Grouped`, as a pivot wants them."""

    labels: Table
    shown: str
    rows: int
    types: Mapping[str, str]
    parts: Mapping[tuple[str, str], np.ndarray]
    #: Of the summary that travelled.
    digest: Digest = field(default_factory=lambda: Digest.known(""))

    def field(self, column: str) -> Field:
        return Field(column, self.types[column.casefold()])

    def summary(self, column: str) -> Summary:
        return Summary(self.labels.height, lambda name: self.parts[(column.casefold(), name)])

    def origin(self) -> Origin | None:
        return None  # the rows themselves never came here

    def worked_out(self, value: PivotValue, groups: Codes, count: int) -> Column:
        raise DataError(_not_pushed(value.how, value.name, f"pivot '{self.labels.name}'"))


def _not_pushed(how: Aggregation | None, name: str, stopped: str) -> Fault:
    what = "a formula" if how is None else how.value
    known = ", ".join(item.value for item in PUSHED if item is not None)
    return Fault(stopped, f"'{name}' is {what}, which is not worked out in the database: that does {known}", do=_DO)


class _RemoteQuery:
    """One question to a database."""

    def __init__(self, rows: RemoteRows, connection: Connection, shown: str, stopped: str) -> None:
        from sqlalchemy import column, select, text

        self.rows, self.connection, self.shown, self.stopped = rows, connection, shown, stopped
        if connection.dialect.name not in _KINDS:  # what groups mean there, nobody has tried
            own = connection.dialect.name
            why = f"rows stay in databases of the kinds {' and '.join(_KINDS)} only; this one is {own}"
            raise UseError(Fault(stopped, why, shown, _DO))
        self.binary = self._binary()
        query = rows.query.strip().rstrip(";")
        asked = bind_parameters(connection, query, rows.parameters, shown)
        empty = connection.execute(
            select(text("*")).select_from(asked.columns().subquery("its_rows")).where(text("1 = 0"))
        )
        described: Sequence[Any] = empty.cursor.description if empty.cursor is not None else ()
        names, kinds = list(empty.keys()), [item[1] for item in described]
        empty.close()
        source: Subquery = asked.columns(*(column(name) for name in names)).subquery("its_rows")
        self.source = source
        self.holds = {
            name.casefold(): self._holding(kind) for name, kind in zip(names, kinds or [None] * len(names), strict=True)
        }
        self.moments = {name.casefold() for name, kind in zip(names, kinds, strict=False) if kind in _MOMENTS}
        self.names = {name.casefold(): name for name in names}

    def _binary(self) -> str | None:
        """The collation to group by, where a column's own may hold different texts for equal. PostgreSQL's never do,
        unless somebody made such a one (from version 12 on); to name one then costs time, so it is not done in vain."""
        from sqlalchemy import text

        if self.connection.dialect.name == "sqlite":
            return "BINARY"
        asked = "SELECT count(*) FROM pg_collation WHERE NOT collisdeterministic"
        version = self.connection.dialect.server_version_info or (0,)
        return "C" if version >= (12,) and self.connection.execute(text(asked)).scalar() else None

    def _holding(self, kind: Any) -> Holds:
        if self.connection.dialect.name == "postgresql":
            return _POSTGRES.get(kind, Holds.OTHER)
        return Holds.ANY

    def column(self, heading: str) -> tuple[ColumnElement[Any], Holds]:
        name = self.names.get(heading.casefold())
        if name is None:
            why = f"the query has no column '{heading}': {known_names(heading, list(self.names.values()))}"
            raise DataError(Fault(self.stopped, why, self.shown, "write it as the query names it"))
        return self.source.c[name], self.holds[heading.casefold()]

    def grouped(self, fields: Mapping[str, bool], values: list[tuple[str, Aggregation | None]]) -> RemoteGroups:
        from sqlalchemy import Date, cast, collate, func, select

        wanted: dict[tuple[str, str], Any] = {}
        for heading, how in values:
            if how not in PUSHED:
                raise DataError(_not_pushed(how, heading, self.stopped))
            one, holds = self.column(heading)
            told = holds in (Holds.ANY, Holds.TEXTS) or self.stated(heading) in NUMERIC
            for part in (*PUSHED[how], *(("filled", "numbers") if told else ())):
                wanted[(heading.casefold(), part)] = self.part(part, one, holds)
        labels = []
        for heading, by_day in fields.items():
            one, holds = self.column(heading)
            if holds is Holds.OTHER:
                why = f"column '{heading}' holds {holds.value}, which may be told apart otherwise there than here"
                raise DataError(Fault(self.stopped, why, self.shown, f"cast it in the query, or {_DO}"))
            if holds in (Holds.TEXTS, Holds.ANY):  # whatever the column's own idea of equal texts
                one = one if self.binary is None else collate(one, self.binary)
            labels.append(cast(one, Date) if by_day and heading.casefold() in self.moments else one)
        asked = select(*labels, func.count(), *wanted.values()).select_from(self.source).where(*self.filters())
        if labels:
            asked = asked.group_by(*labels)
        found = self.connection.execute(asked).fetchall()
        raw = raw_table(self.shown, [*fields, "", *(" ".join(key) for key in wanted)], found)
        table = self.labelled(raw.columns[: len(fields)], raw.moments, list(fields), len(found))
        # A group without numbers has no smallest one: what is brought together with it must not see a zero.
        missing = [0.0, *(_MISSING.get(part, 0.0) for _, part in wanted)]
        numbers = [
            np.where(column.kinds == Kind.NUMBER, column.numbers, nothing)
            for column, nothing in zip(raw.columns[len(fields) :], missing, strict=True)
        ]
        order = np.arange(len(found))
        if fields:  # which order the database gives them in is its own affair
            order = np.argsort(key_groups(table.columns)[0], kind="stable")
        if not fields and numbers[0][0] == 0:
            order = order[:0]  # no rows at all make no group
        parts = {key: values[order] for key, values in zip(wanted, numbers[1:], strict=True)}
        self.check(parts, values)
        types = {heading.casefold(): self.type_of(heading, parts) for heading, _ in values}
        return RemoteGroups(table.take(order), self.shown, int(numbers[0].sum()), types, parts, raw.digest)

    def stated(self, heading: str) -> str | None:
        types = {name.casefold(): kind for name, kind in self.rows.types.items()}
        return types.get(heading.casefold())

    def type_of(self, heading: str, parts: Mapping[tuple[str, str], np.ndarray]) -> str:
        """The type of a column whose values were brought together."""
        stated, holds, key = self.stated(heading), self.column(heading)[1], heading.casefold()
        if stated is not None:
            return column_type(stated)
        if holds is Holds.ANY:
            filled, numbers = parts[(key, "filled")].sum(), parts[(key, "numbers")].sum()
            return "number" if filled == numbers else "text"
        return {Holds.NUMBERS: "number", Holds.DAYS: "date"}.get(holds, "text")

    def filters(self) -> list[ColumnElement[bool]]:
        from sqlalchemy import not_

        columns = {name: self.column(name) for name in self.names.values()}
        found = []
        for formula, keeps, stopped, where in self.rows.conditions:
            try:
                one = condition(formula, columns, self.rows.names)
            except RefusedError as error:
                why = f"the database cannot be asked for {formula}: {error}"
                raise UseError(Fault(stopped, why, where, f"{_DO}, or put the condition in its query")) from None
            found.append(one if keeps else not_(one))
        return found

    def part(self, name: str, column: ColumnElement[Any], holds: Holds) -> Any:
        """The expression of a part of a summary; over values of any kind only numbers are worked with."""
        from sqlalchemy import case, func, literal

        if name == "filled":
            return func.count(func.nullif(column, "") if holds in (Holds.TEXTS, Holds.ANY) else column)
        if holds in (Holds.TEXTS, Holds.FLAGS) or (holds is Holds.DAYS and name == "sum"):
            if holds is Holds.DAYS:
                raise DataError(Fault(self.stopped, "days are not added up in a database", self.shown, _DO))
            return literal(0)
        if holds is Holds.ANY:
            column = case((func.typeof(column).in_(["integer", "real"]), column))
        works: dict[str, Any] = {"numbers": func.count, "sum": func.sum, "smallest": func.min, "largest": func.max}
        return works[name](column)

    def labelled(self, columns: Sequence[Column], moments: Sequence[Moment], names: list[str], height: int) -> Table:
        """The groups' labels, read into the types that are stated."""
        fields, made, faults = [], [], []
        for name, column, moment in zip(names, columns, moments, strict=False):
            kind = self.stated(name) or (moment or _kind_of(column))
            reading = read_column(column, kind)
            for problem in reading.problems[:3]:
                stopped = f"source '{self.rows.name}', column '{name}' as {kind}"
                faults.append(Fault(stopped, problem.why, self.shown, "fix it in the query"))
            fields.append(Field(name, column_type(kind)))
            made.append(reading.column)
        if faults:
            raise DataError(*faults)
        if not names:
            fields, made = [Field("")], [Column.blank(height)]
        return Table(self.rows.name, tuple(fields), tuple(made))

    def check(self, parts: Mapping[tuple[str, str], np.ndarray], values: list[tuple[str, Aggregation | None]]) -> None:
        """Stop at texts in columns that are to be numbers, or to be added up: a database passes them over."""
        for heading, how in values:
            key = heading.casefold()
            asked = self.stated(heading) in NUMERIC or (how in ADDING and (key, "filled") in parts)
            if asked and (parts[(key, "filled")] != parts[(key, "numbers")]).any():
                many = int((parts[(key, "filled")] - parts[(key, "numbers")]).sum())
                why = f"column '{heading}' has {counted(many, 'value')} that are not numbers in the database"
                raise DataError(Fault(self.stopped, why, self.shown, f"cast them in the query, or {_DO}"))


def _kind_of(column: Column) -> str:
    filled = column.kinds[column.kinds != Kind.BLANK]
    return "number" if len(filled) and (filled == Kind.NUMBER).all() else "text"
