"""Rows of a database: one query, with the period as bound parameters. Nothing is ever written."""

from __future__ import annotations

import datetime
import hashlib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tinquire.base.faults import AccessError, DataError, Fault, TinQuireError, UseError
from tinquire.cells.column import Column
from tinquire.cells.dates import serial_from_date
from tinquire.cells.numberformat import Moment
from tinquire.cells.values import Value
from tinquire.sources.digest import Digest
from tinquire.sources.raw_table import RawTable
from tinquire.sources.spec import Password

if TYPE_CHECKING:
    from sqlalchemy import URL, Connection, TextClause

__all__ = ["bind_parameters", "connect_read_only", "raw_table", "read_query"]

_DAY_SECONDS = 86_400
#: Statements by which a connection refuses to write, by the database's kind.
_READ_ONLY = {"sqlite": "PRAGMA query_only = ON", "postgresql": "SET TRANSACTION READ ONLY"}


def read_query(
    url: str, query: str, parameters: Mapping[str, str | datetime.date], base: Path, *, password: Password | None = None
) -> RawTable:
    """A query's rows. `url` is a database URL of SQLAlchemy's kind; a file in it lies in the `base` folder.

    Raises: UseError for an invalid URL or a query without rows, AccessError when the database cannot be reached,
    DataError for a query that fails, and for values that no cell can hold.
    """
    with connect_read_only(url, base, password) as (connection, shown):
        result = connection.execute(bind_parameters(connection, query, parameters, shown))
        if not result.returns_rows:
            raise UseError(Fault("asking a database", "the query gives no rows", shown, "write a SELECT"))
        return raw_table(shown, list(result.keys()), result.fetchall())


@contextmanager
def connect_read_only(url: str, base: Path, password: Password | None) -> Iterator[tuple[Connection, str]]:
    """A connection that only reads, and the URL as it is shown; what goes wrong is raised as ours."""
    from sqlalchemy import create_engine
    from sqlalchemy.exc import DBAPIError, SQLAlchemyError

    found, shown = _url(url, base, password)
    try:
        engine = create_engine(found)
    except (SQLAlchemyError, ImportError) as error:
        do = "check the URL; PostgreSQL needs 'pip install tin-quire[postgres]'"
        raise UseError(Fault("opening a database", _first_line(error), shown, do)) from None
    try:
        with engine.connect() as connection:
            _only_read(connection)
            yield connection, shown
    except DBAPIError as error:
        raise _failure(error, shown) from None
    except SQLAlchemyError as error:
        raise DataError(Fault("asking a database", _first_line(error), shown, "fix the query")) from None
    finally:
        engine.dispose()


def bind_parameters(
    connection: Connection, query: str, parameters: Mapping[str, str | datetime.date], shown: str
) -> TextClause:
    """A query with its parameters. Raises UseError for one that is not known."""
    from sqlalchemy import text

    statement = text(query)
    asked = list(statement.compile().params)
    missing = [name for name in asked if name not in parameters]
    if missing:
        why = f"nothing is known as ':{missing[0]}'; there is {', '.join(f':{name}' for name in parameters)}"
        raise UseError(Fault("asking a database", why, shown, "fix the parameter's name"))
    wanted: dict[str, Any] = {name: parameters[name] for name in asked}
    if connection.dialect.name == "sqlite":  # which has no days, but texts
        wanted = {name: str(value) for name, value in wanted.items()}
    return statement.bindparams(**wanted) if wanted else statement


def _url(text: str, base: Path, password: Password | None) -> tuple[URL, str]:
    """The URL to open, and as it is shown: as it was written, without a password."""
    from sqlalchemy import make_url
    from sqlalchemy.exc import ArgumentError

    try:
        url = make_url(text)
    except (ArgumentError, ValueError):
        why = "it is no database URL"
        raise UseError(Fault("opening a database", why, do="write it like sqlite:///till.sqlite")) from None
    shown = url.render_as_string(hide_password=True)
    if password is not None:
        if password.text is None:
            why = f"the environment variable {password.variable}, which holds the password, is not set"
            raise UseError(Fault("opening a database", why, shown, "set it, and run again"))
        url = url.set(password=password.text)
    if url.get_backend_name() == "sqlite" and url.database not in (None, "", ":memory:"):
        path = base / str(url.database)
        if not path.is_file():  # it would be made
            why = f"there is no file '{url.database}'"
            raise AccessError(Fault("opening a database", why, do="put it there, or fix its name in the docket"))
        url = url.set(database=str(path))
    return url, shown


def _only_read(connection: Connection) -> None:
    statement = _READ_ONLY.get(connection.dialect.name)
    if statement is not None:
        connection.exec_driver_sql(statement)


def _failure(error: Any, shown: str) -> TinQuireError:
    from sqlalchemy.exc import InterfaceError, OperationalError

    why = _first_line(error.orig or error)
    unreached = isinstance(error, OperationalError | InterfaceError) and error.statement is None
    if error.connection_invalidated or unreached:
        return AccessError(Fault("opening a database", why, shown, "check its address, and that it runs"))
    return DataError(Fault("asking a database", why, shown, "fix the query"))


def _first_line(error: BaseException) -> str:
    return next(iter(str(error).strip().splitlines()), type(error).__name__)


def raw_table(shown: str, names: Sequence[str], rows: Sequence[Sequence[Any]]) -> RawTable:
    """Rows of a result under the names of its columns. Raises DataError for values that no cell can hold."""
    columns: list[Column] = []
    moments: list[Moment] = []
    for index, name in enumerate(names):
        raw = [row[index] for row in rows]
        columns.append(Column.from_values(_value(value, name, number, shown) for number, value in enumerate(raw, 1)))
        filled = [value for value in raw if value is not None]
        moments.append(next((moment for kind, moment in _MOMENTS if filled and _all_of(filled, kind)), ""))
    digest = hashlib.sha256(repr([tuple(row) for row in rows]).encode()).hexdigest()
    return RawTable(
        shown, "", [str(name) for name in names], columns, np.arange(1, len(rows) + 1, dtype=np.int32),
        list(range(1, len(names) + 1)), by_line=True, moments=moments, digest=Digest.known(digest),
    )  # fmt: skip


#: What columns of a database's own types hold.
_MOMENTS: tuple[tuple[type, Moment], ...] = (
    (datetime.date, "date"), (datetime.time, "time"), (datetime.timedelta, "duration"),
)  # fmt: skip


def _all_of(values: Sequence[Any], kind: type) -> bool:
    return all(isinstance(value, kind) for value in values)


def _value(value: Any, name: str, row: int, shown: str) -> Value:
    match value:
        case None | bool():
            return value
        case str():
            return value or None
        case int() | float() | Decimal():
            return float(value)
        case datetime.datetime() | datetime.date():
            moment = value.replace(tzinfo=None) if isinstance(value, datetime.datetime) else value
            return serial_from_date(moment)
        case datetime.timedelta():
            return value.total_seconds() / _DAY_SECONDS
        case datetime.time():
            return (value.hour * 3600 + value.minute * 60 + value.second + value.microsecond / 1e6) / _DAY_SECONDS
    why = f"column '{name}' holds a {type(value).__name__}, which no cell can hold"
    raise DataError(Fault("reading a query", why, f"{shown}, row {row}", "cast it in the query"))
