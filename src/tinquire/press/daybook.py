"""The daybook: what was read, made and sent, kept in an SQLite file in the job's folder."""

from __future__ import annotations

import hashlib
import json
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from tinquire.faults import AccessError, Fault
from tinquire.press.origins import origin_at, packed
from tinquire.tables import Origin

__all__ = ["DAYBOOK_NAME", "Daybook", "MailState", "digest"]

DAYBOOK_NAME = "daybook.sqlite"
#: How long to wait for another run that is writing, in seconds.
_PATIENCE = 30.0
_VERSION = 4
#: Where rows of outputs came from; `names` and `origins` as they are packed. The table of the second version is let go.
_ORIGINS = """
DROP TABLE IF EXISTS origin;
CREATE TABLE rows_of (
    run INTEGER NOT NULL REFERENCES run, output TEXT NOT NULL, sheet TEXT NOT NULL, top INTEGER NOT NULL,
    rows INTEGER NOT NULL, names TEXT NOT NULL, origins BLOB NOT NULL
);
CREATE INDEX rows_of_output ON rows_of (run, output, sheet, top);
"""
#: Figures and values that the next period's checks look back on, as JSON.
_FACTS = """
CREATE TABLE fact (run INTEGER NOT NULL REFERENCES run, name TEXT NOT NULL, value TEXT NOT NULL);
"""
_TABLES = """
CREATE TABLE run (
    id INTEGER PRIMARY KEY, docket TEXT NOT NULL, period TEXT NOT NULL, at TEXT NOT NULL, tool TEXT NOT NULL
);
CREATE TABLE read (
    run INTEGER NOT NULL REFERENCES run, source TEXT NOT NULL, file TEXT NOT NULL, rows INTEGER NOT NULL,
    digest TEXT NOT NULL
);
CREATE TABLE made (
    run INTEGER NOT NULL REFERENCES run, output TEXT NOT NULL, file TEXT NOT NULL, digest TEXT NOT NULL
);
CREATE TABLE sent (
    message_id TEXT NOT NULL, digest TEXT NOT NULL, period TEXT NOT NULL, recipients TEXT NOT NULL,
    subject TEXT NOT NULL, state TEXT NOT NULL, at TEXT NOT NULL,
    PRIMARY KEY (message_id, digest)
);
"""


_FACT = """
SELECT value FROM fact JOIN run ON run.id = fact.run WHERE docket = ? AND period = ? AND name = ?
ORDER BY run.id DESC LIMIT 1
"""
_LET_GO = """
DELETE FROM rows_of WHERE run < ?1 AND output = ?2 AND run IN (SELECT run FROM made WHERE output = ?2 AND file = ?3)
"""
_ORIGIN = """
SELECT names, origins, ?3 - top FROM rows_of JOIN made USING (run, output)
WHERE digest = ?1 AND sheet = ?2 AND top <= ?3 AND ?3 < top + rows ORDER BY run DESC LIMIT 1
"""


def digest(data: bytes) -> str:
    """SHA-256 in hexadecimal digits."""
    return hashlib.sha256(data).hexdigest()


@dataclass(frozen=True, slots=True)
class MailState:
    """What the daybook knows of a mail: `state` is 'sending' or 'sent'; `same` when its content is this one."""

    state: str
    at: str
    same: bool


class Daybook:
    """One job's daybook. Each method is one transaction, so two runs at once cannot spoil it."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / DAYBOOK_NAME

    @contextmanager
    def _open(self) -> Iterator[sqlite3.Connection]:
        try:
            connection = sqlite3.connect(self.path, timeout=_PATIENCE, isolation_level=None)
            try:
                connection.execute("BEGIN IMMEDIATE")
                version = connection.execute("PRAGMA user_version").fetchone()[0]
                if version < _VERSION:
                    lacking = "".join((_TABLES, "", _FACTS, _ORIGINS)[version:])
                    for statement in filter(str.strip, lacking.split(";")):
                        connection.execute(statement)
                    connection.execute(f"PRAGMA user_version = {_VERSION}")
                yield connection
                connection.execute("COMMIT")
            finally:
                # Closing takes back what was not committed.
                connection.close()
        except sqlite3.Error as error:
            do = "make its folder writable, or move a damaged daybook away"
            raise AccessError(Fault("writing the daybook", str(error), str(self.path), do)) from None

    def record_run(
        self,
        docket: str,
        period: str,
        at: datetime,
        tool: str,
        read: Sequence[tuple[str, str, int, str]],
        made: Sequence[tuple[str, str, str]],
        origins: Iterable[tuple[str, str, int, Origin]] = (),
        facts: Mapping[str, object] | None = None,
    ) -> int:
        """Keep a run and return its number: sources (source, file, rows, digest), outputs (output, file, digest), and
        where rows of outputs came from (output, sheet, its first data row, and their origin). Of an output that is
        written anew, the older origins are let go. `facts` are what checks of the next period look back on."""
        with self._open() as connection:
            cursor = connection.execute(
                "INSERT INTO run (docket, period, at, tool) VALUES (?, ?, ?, ?)", (docket, period, _moment(at), tool)
            )
            number = int(cursor.lastrowid or 0)
            connection.executemany("INSERT INTO read VALUES (?, ?, ?, ?, ?)", [(number, *line) for line in read])
            connection.executemany("INSERT INTO made VALUES (?, ?, ?, ?)", [(number, *line) for line in made])
            connection.executemany(_LET_GO, [(number, output, file) for output, file, _ in made])
            lines = [
                (number, output, sheet, top, len(origin.row), *packed(origin)) for output, sheet, top, origin in origins
            ]
            connection.executemany("INSERT INTO rows_of VALUES (?, ?, ?, ?, ?, ?, ?)", lines)
            kept = [(number, name, json.dumps(value)) for name, value in (facts or {}).items()]
            connection.executemany("INSERT INTO fact VALUES (?, ?, ?)", kept)
            return number

    def fact(self, docket: str, period: str, name: str) -> object | None:
        """What the latest run of a docket's period kept under a name; None when there is none."""
        if not self.path.exists():
            return None
        with self._open() as connection:
            found = connection.execute(_FACT, (docket, period, name)).fetchone()
        return None if found is None else json.loads(found[0])

    def origin(self, content: str, sheet: str, row: int) -> tuple[str, str, int] | None:
        """File, sheet and row from which a row of an output came; the output is known by its content's digest."""
        if not self.path.exists():
            return None
        with self._open() as connection:
            found = connection.execute(_ORIGIN, (content, sheet, row)).fetchone()
        return None if found is None else origin_at(*found)

    def knows(self, content: str) -> bool:
        """Whether a run made an output with this content."""
        if not self.path.exists():
            return False
        with self._open() as connection:
            return connection.execute("SELECT 1 FROM made WHERE digest = ?", (content,)).fetchone() is not None

    def runs(self) -> list[tuple[int, str, str, str]]:
        """Number, docket, period and time of every run, newest first."""
        if not self.path.exists():
            return []
        with self._open() as connection:
            return connection.execute("SELECT id, docket, period, at FROM run ORDER BY id DESC").fetchall()

    def mail(self, message_id: str, content: str) -> MailState | None:
        """What is known of a mail; a record of the same content comes before others."""
        if not self.path.exists():
            return None
        with self._open() as connection:
            row = connection.execute(
                "SELECT state, at, digest = ? FROM sent WHERE message_id = ? ORDER BY digest = ? DESC, at DESC LIMIT 1",
                (content, message_id, content),
            ).fetchone()
        return None if row is None else MailState(row[0], row[1], bool(row[2]))

    def claim(
        self, message_id: str, content: str, period: str, to: str, subject: str, at: datetime, again: bool
    ) -> bool:
        """Mark a mail as being sent; False when another sender has it. Written before the mail leaves, so that a
        breakdown on the way can never lead to a second mail in silence."""
        with self._open() as connection:
            known = connection.execute("SELECT 1 FROM sent WHERE message_id = ?", (message_id,)).fetchone()
            if known and not again:
                return False
            connection.execute(
                "INSERT OR REPLACE INTO sent VALUES (?, ?, ?, ?, ?, 'sending', ?)",
                (message_id, content, period, to, subject, _moment(at)),
            )
            return True

    def settle(self, message_id: str, content: str, sent: bool, at: datetime) -> None:
        """Mark a claimed mail as sent, or give the claim back when the server did not take it."""
        with self._open() as connection:
            if sent:
                connection.execute(
                    "UPDATE sent SET state = 'sent', at = ? WHERE message_id = ? AND digest = ?",
                    (_moment(at), message_id, content),
                )
            else:
                connection.execute(
                    "DELETE FROM sent WHERE message_id = ? AND digest = ? AND state = 'sending'", (message_id, content)
                )


def _moment(at: datetime) -> str:
    return at.isoformat(timespec="seconds")
