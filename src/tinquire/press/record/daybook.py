"""The daybook: what was read, made and sent, kept in an SQLite file in the job's folder."""

from __future__ import annotations

import hashlib
import json
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, nullcontext
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, TypeAlias

from tinquire.base.faults import AccessError, Fault
from tinquire.base.file_names import path_below
from tinquire.base.placing import Placement
from tinquire.press.record.cell_sources import CellSources
from tinquire.press.record.packing import pack_cells, pack_origin, unpack_cells, unpack_origin
from tinquire.tables import Origin

__all__ = [
    "DAYBOOK_NAME", "Daybook", "KnownMail", "MailState", "Publication", "RunRecord", "digest", "files_digest",
    "mail_state",
]  # fmt: skip

DAYBOOK_NAME = "daybook.sqlite"
#: How long to wait for another run that is writing, in seconds.
_PATIENCE = 30.0
_VERSION = 8
#: The versions from which on there are facts, what cells are made of, files on their way to their places, approvals,
#: and pieces.
_FACTS_SINCE, _SOURCED_SINCE, _PUBLICATIONS_SINCE, _APPROVALS_SINCE, _PIECES_SINCE = 3, 5, 6, 7, 8
#: A run's files on their way to their places: folders aside and placements as JSON.
_PUBLICATIONS = """
CREATE TABLE publication (
    id INTEGER PRIMARY KEY, state TEXT NOT NULL, run INTEGER REFERENCES run, asides TEXT NOT NULL, plan TEXT NOT NULL
);
CREATE INDEX made_digest ON made (digest);
"""
#: What cells of outputs are made of, as it is packed; many of them are of rows of one table.
_SOURCED = """
DROP TABLE IF EXISTS origin;
DROP TABLE IF EXISTS rows_of;
CREATE TABLE rows_read (
    id INTEGER PRIMARY KEY, names TEXT NOT NULL, rows BLOB NOT NULL, groups BLOB
);
CREATE TABLE cells_of (
    digest TEXT NOT NULL, read INTEGER REFERENCES rows_read, sheet TEXT NOT NULL, top INTEGER NOT NULL,
    left INTEGER NOT NULL, bottom INTEGER NOT NULL, right INTEGER NOT NULL, says TEXT NOT NULL,
    whole INTEGER NOT NULL, lines BLOB, across BLOB, notes TEXT NOT NULL
);
CREATE INDEX cells_of_output ON cells_of (digest, sheet);
"""
#: Figures and values that the next period's checks look back on, as JSON.
_FACTS = """
CREATE TABLE fact (run INTEGER NOT NULL REFERENCES run, name TEXT NOT NULL, value TEXT NOT NULL);
"""
#: Who has approved the files of a run, which are known by the digest of their names and digests.
_APPROVALS = """
CREATE TABLE approval (
    docket TEXT NOT NULL, period TEXT NOT NULL, files TEXT NOT NULL, who TEXT NOT NULL, at TEXT NOT NULL
);
"""
#: The pieces of a run by the digest of all that they are made of, as JSON: what need not be made again.
_PIECES = """
CREATE TABLE piece (run INTEGER NOT NULL REFERENCES run, key TEXT NOT NULL, says TEXT NOT NULL);
CREATE INDEX piece_of_run ON piece (run);
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
_FILES = """
SELECT DISTINCT file FROM made JOIN run ON run.id = made.run WHERE docket = ? AND period = ? AND output = ?
"""
#: Of outputs that a run has written again, what was kept of the older.
_DELETE_OLDER = """
DELETE FROM cells_of WHERE digest IN (
    SELECT older.digest FROM made JOIN made AS older ON older.output = made.output AND older.file = made.file
    WHERE made.run = ? AND older.run < made.run
) AND digest NOT IN (SELECT digest FROM made WHERE run = ?)
"""
#: The pieces of older runs of the same docket and period: only the latest are asked for.
_DELETE_OLDER_PIECES = """
DELETE FROM piece WHERE run IN (
    SELECT older.id FROM run JOIN run AS older ON older.docket = run.docket AND older.period = run.period
    WHERE run.id = ? AND older.id < ?
)
"""
_LATEST_PIECES = """
SELECT key, says FROM piece WHERE run = (SELECT MAX(id) FROM run WHERE docket = ? AND period = ?)
"""
#: What was kept of a run's outputs, unless another run made the same.
_DELETE_OWN = """
DELETE FROM cells_of WHERE digest IN (SELECT digest FROM made WHERE run = ?)
AND digest NOT IN (SELECT digest FROM made WHERE run <> ?)
"""
_PUBLISHING = """
SELECT publication.id, state, publication.run, period, at, asides, plan
FROM publication LEFT JOIN run ON run.id = publication.run
ORDER BY publication.id
"""
_MADE = "SELECT file, digest FROM made WHERE run = ?"
_MAILS = "SELECT message_id, digest, state, at FROM sent ORDER BY at DESC"
_DELETE_UNUSED = "DELETE FROM rows_read WHERE id NOT IN (SELECT read FROM cells_of WHERE read IS NOT NULL)"
_CELL = """
SELECT sheet, top, left, bottom, right, says, whole, lines, across, cells_of.notes, read FROM cells_of
WHERE digest = ? AND sheet = ? AND ? BETWEEN top AND bottom AND ? BETWEEN left AND right ORDER BY cells_of.rowid
"""


def digest(*pieces: bytes) -> str:
    """SHA-256 of a content, of which pieces are given, in hexadecimal digits."""
    found = hashlib.sha256()
    for piece in pieces:
        found.update(piece)
    return found.hexdigest()


def files_digest(made: Iterable[tuple[str, str, str]]) -> str:
    """What tells the files of a run (output, file, digest) from all others."""
    return digest("\n".join(sorted(f"{file}\t{content}" for _, file, content in made)).encode())


@dataclass(frozen=True, slots=True)
class MailState:
    """What the daybook knows of a mail: `state` is 'sending', 'sent' or 'drafted'; `same` when its content is this
    one."""

    state: str
    at: str
    same: bool


@dataclass(frozen=True, slots=True)
class RunRecord:
    """What is kept of a run: sources (source, file, rows, digest), outputs (output, file, digest), what cells of
    outputs are made of, by the outputs' digests, and what checks of the next period look back on."""

    docket: str
    period: str
    at: datetime
    tool: str
    read: Sequence[tuple[str, str, int, str]]
    made: Sequence[tuple[str, str, str]]
    sourced: Iterable[tuple[str, Sequence[CellSources]]] = ()
    facts: Mapping[str, object] | None = None
    #: Its pieces by their keys, as JSON can hold them.
    pieces: Mapping[str, object] | None = None


@dataclass(frozen=True, slots=True)
class Publication:
    """A run's files on their way to their places: `state` is 'writing' (aside), 'placing' or 'undoing'."""

    number: int
    state: str
    #: Of the run, once it is known.
    period: str | None
    at: str | None
    asides: tuple[Path, ...]
    placements: tuple[Placement, ...]
    #: Of the new files' contents, by their places.
    digests: Mapping[Path, str]


#: A mail's content's digest, its state and when it came to that.
KnownMail: TypeAlias = tuple[str, str, str]


def mail_state(mails: Mapping[str, Sequence[KnownMail]], message_id: str, content: str) -> MailState | None:
    """What is known of a mail; a record of the same content comes before others."""
    known = sorted(mails.get(message_id, ()), key=lambda mail: mail[0] != content)
    return MailState(known[0][1], known[0][2], known[0][0] == content) if known else None


class Daybook:
    """One job's daybook. Each method is one transaction, so two runs at once cannot spoil it."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / DAYBOOK_NAME
        #: Those asked for, by output and number: a trace asks for many cells of few tables.
        self._origins: dict[tuple[str, int], Origin] = {}
        self._kept: sqlite3.Connection | None = None

    @contextmanager
    def kept_open(self) -> Iterator[None]:
        """Meanwhile one connection serves all that is written: for who writes thousands of lines one by one."""
        with self._connected() as connection:
            self._kept = connection
            try:
                yield
            finally:
                self._kept = None

    @contextmanager
    def _open(self) -> Iterator[sqlite3.Connection]:
        """One transaction."""
        with nullcontext(self._kept) if self._kept is not None else self._connected() as connection:
            try:
                connection.execute("BEGIN IMMEDIATE")
                version = connection.execute("PRAGMA user_version").fetchone()[0]
                if version < _VERSION:
                    lacking = "".join((_TABLES, "", _FACTS, "", _SOURCED, _PUBLICATIONS, _APPROVALS, _PIECES)[version:])
                    for statement in filter(str.strip, lacking.split(";")):
                        connection.execute(statement)
                    connection.execute(f"PRAGMA user_version = {_VERSION}")
                yield connection
                connection.execute("COMMIT")
            except sqlite3.Error as error:
                raise self._unwritable(error) from None
            finally:
                if connection.in_transaction:
                    connection.execute("ROLLBACK")

    @contextmanager
    def _connected(self) -> Iterator[sqlite3.Connection]:
        try:
            connection = sqlite3.connect(self.path, timeout=_PATIENCE, isolation_level=None)
        except sqlite3.Error as error:
            raise self._unwritable(error) from None
        try:
            yield connection
        finally:
            connection.close()

    def _unwritable(self, error: sqlite3.Error) -> AccessError:
        do = "make its folder writable, or move a damaged daybook away"
        return AccessError(Fault("writing the daybook", str(error), str(self.path), do))

    def begin_publication(self) -> int:
        """Note that files are about to be written aside; the number of the publication."""
        with self._open() as connection:
            cursor = connection.execute("INSERT INTO publication VALUES (NULL, 'writing', NULL, '[]', '[]')")
            return int(cursor.lastrowid or 0)

    def note_asides(self, publication: int, asides: Sequence[Path]) -> None:
        """Keep the folders aside, before they are made: whatever breaks off, they are found and cleared."""
        with self._open() as connection:
            line = (json.dumps([self._written(aside) for aside in asides]), publication)
            connection.execute("UPDATE publication SET asides = ? WHERE id = ?", line)

    def plan_publication(self, publication: int, record: RunRecord, placements: Sequence[Placement]) -> None:
        """Keep a run and the moves that put its files in place, before the first of them: from now on a run that breaks
        off is completed."""
        plan = [
            [self._written(one.path), self._written(one.aside), one.number, one.stood, one.new] for one in placements
        ]
        with self._open() as connection:
            run = _record_run(connection, record)
            line = (run, json.dumps(plan), publication)
            connection.execute("UPDATE publication SET state = 'placing', run = ?, plan = ? WHERE id = ?", line)

    def undo_publication(self, publication: int) -> None:
        """Note that files are about to be put back: whatever breaks off, that is completed."""
        with self._open() as connection:
            connection.execute("UPDATE publication SET state = 'undoing' WHERE id = ?", (publication,))

    def end_publication(self, publication: int, *, placed: bool) -> None:
        """The files of a publication are in their places, or nothing of it is there: then its run is forgotten."""
        with self._open() as connection:
            (run,) = connection.execute("SELECT run FROM publication WHERE id = ?", (publication,)).fetchone()
            if run is not None and placed:
                connection.execute(_DELETE_OLDER, (run, run))
                connection.execute(_DELETE_OLDER_PIECES, (run, run))
            elif run is not None:
                connection.execute(_DELETE_OWN, (run, run))
                for table in ("read", "made", "fact", "piece"):
                    connection.execute(f"DELETE FROM {table} WHERE run = ?", (run,))
                connection.execute("DELETE FROM run WHERE id = ?", (run,))
            connection.execute(_DELETE_UNUSED)
            connection.execute("DELETE FROM publication WHERE id = ?", (publication,))

    def publications(self) -> list[Publication]:
        """Publications that have not ended: broken off, or under way in another process."""
        found = self._read(_PUBLISHING, since=_PUBLICATIONS_SINCE)
        folder = self.path.parent
        return [
            Publication(
                number,
                state,
                period,
                at,
                tuple(folder / aside for aside in json.loads(asides)),
                tuple(Placement(folder / path, folder / aside, *rest) for path, aside, *rest in json.loads(plan)),
                {folder / file: content for file, content in self._read(_MADE, (run,))},
            )
            for number, state, run, period, at, asides, plan in found
        ]

    def _written(self, path: Path) -> str:
        """A path as it is kept: from the daybook's folder on when it is in it, so that the folder may be moved."""
        return path_below(path, self.path.parent)

    def _read(self, query: str, values: Sequence[object] = (), *, since: int = 1) -> list[tuple[Any, ...]]:
        """The lines of a question, asked of a connection that cannot write; none where there is no daybook, or one of a
        version before the table was there. Raises AccessError."""
        if not self.path.exists():
            return []
        if self.path.with_name(f"{DAYBOOK_NAME}-journal").exists():
            with self._open():  # a writer was killed: what it left half done is taken back
                pass
        try:
            with closing(
                sqlite3.connect(f"{self.path.absolute().as_uri()}?mode=ro", timeout=_PATIENCE, uri=True)
            ) as one:
                if one.execute("PRAGMA user_version").fetchone()[0] < since:
                    return []
                return one.execute(query, values).fetchall()
        except sqlite3.Error as error:
            do = "make it readable, or move a damaged daybook away"
            raise AccessError(Fault("reading the daybook", str(error), str(self.path), do)) from None

    def fact(self, docket: str, period: str, name: str) -> object | None:
        """What the latest run of a docket's period kept under a name; None when there is none."""
        found = self._read(_FACT, (docket, period, name), since=_FACTS_SINCE)
        return json.loads(found[0][0]) if found else None

    def sourced(self, content: str, sheet: str, row: int, column: int) -> list[CellSources]:
        """What a cell of an output is made of; the output is known by its content's digest."""
        found = self._read(_CELL, (content, sheet, row, column), since=_SOURCED_SINCE)
        for *_, read in found:
            if read is not None and (content, read) not in self._origins:
                (line,) = self._read("SELECT names, rows, groups FROM rows_read WHERE id = ?", (read,))
                self._origins[content, read] = unpack_origin(*line)
        return [unpack_cells(line, self._origins.get((content, read))) for *line, read in found]

    def files_made(self, docket: str, period: str, output: str) -> list[str]:
        """The files that runs of a docket's period made for an output, as they were recorded."""
        return [file for (file,) in self._read(_FILES, (docket, period, output))]

    def latest_run(self, docket: str, period: str) -> tuple[str, list[tuple[str, str, str]]] | None:
        """When the latest run of a docket's period was made, and its files (output, file, digest); None without one."""
        found = self._read(
            "SELECT id, at FROM run WHERE docket = ? AND period = ? ORDER BY id DESC LIMIT 1", (docket, period)
        )
        if not found:
            return None
        number, at = found[0]
        return at, self.made_by(number)

    def pieces(self, docket: str, period: str) -> dict[str, Any]:
        """The pieces of the latest run of a docket's period, by their keys."""
        found = self._read(_LATEST_PIECES, (docket, period), since=_PIECES_SINCE)
        return {key: json.loads(says) for key, says in found}

    def approve(self, docket: str, period: str, files: str, who: str, at: datetime) -> None:
        """Keep that somebody has approved files, by the digest of them all."""
        with self._open() as connection:
            connection.execute("INSERT INTO approval VALUES (?, ?, ?, ?, ?)", (docket, period, files, who, _moment(at)))

    def approved(self, docket: str, period: str, files: str) -> tuple[str, str] | None:
        """Who has approved these files, and when; the latest, where several have."""
        query = "SELECT who, at FROM approval WHERE docket = ? AND period = ? AND files = ? ORDER BY rowid DESC LIMIT 1"
        found = self._read(query, (docket, period, files), since=_APPROVALS_SINCE)
        return found[0] if found else None

    def knows(self, content: str) -> bool:
        """Whether a run made an output with this content."""
        return bool(self._read("SELECT 1 FROM made WHERE digest = ? LIMIT 1", (content,)))

    def runs(self) -> list[tuple[int, str, str, str]]:
        """Number, docket, period and time of every run, newest first."""
        return self._read("SELECT id, docket, period, at FROM run ORDER BY id DESC")

    def run(self, number: int) -> tuple[str, str, str, str] | None:
        """Docket, period, time and tool of a run by its number; None without one."""
        found = self._read("SELECT docket, period, at, tool FROM run WHERE id = ?", (number,))
        return found[0] if found else None

    def fact_of(self, run: int, name: str) -> object | None:
        """What a run kept under a name."""
        found = self._read("SELECT value FROM fact WHERE run = ? AND name = ?", (run, name), since=_FACTS_SINCE)
        return json.loads(found[0][0]) if found else None

    def read_by(self, run: int) -> list[tuple[str, str, int, str]]:
        """What a run read: source, file, rows, digest."""
        return self._read("SELECT source, file, rows, digest FROM read WHERE run = ? ORDER BY rowid", (run,))

    def made_by(self, run: int) -> list[tuple[str, str, str]]:
        """What a run made: output, file, digest."""
        return self._read("SELECT output, file, digest FROM made WHERE run = ? ORDER BY rowid", (run,))

    def sent(self) -> list[tuple[str, str, str, str, str, str]]:
        """Every mail that was claimed: digest, period, recipients, subject, state and time, in their order."""
        return self._read("SELECT digest, period, recipients, subject, state, at FROM sent ORDER BY at, rowid")

    def mails(self) -> dict[str, list[KnownMail]]:
        """What is known of all mails, by their Message-ID: content's digest, state and time, the latest first."""
        found: dict[str, list[KnownMail]] = {}
        for identity, content, state, at in self._read(
            "SELECT message_id, digest, state, at FROM sent ORDER BY at DESC"
        ):
            found.setdefault(identity, []).append((content, state, at))
        return found

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

    def settle(self, message_id: str, content: str, sent: bool, at: datetime, *, state: str = "sent") -> None:
        """Mark a claimed mail as sent (or put among drafts), or give the claim back when the server did not take it."""
        with self._open() as connection:
            if sent:
                connection.execute(
                    "UPDATE sent SET state = ?, at = ? WHERE message_id = ? AND digest = ?",
                    (state, _moment(at), message_id, content),
                )
            else:
                connection.execute(
                    "DELETE FROM sent WHERE message_id = ? AND digest = ? AND state = 'sending'", (message_id, content)
                )


def _record_run(connection: sqlite3.Connection, record: RunRecord) -> int:
    """Keep a run and return its number."""
    line = (record.docket, record.period, _moment(record.at), record.tool)
    cursor = connection.execute("INSERT INTO run (docket, period, at, tool) VALUES (?, ?, ?, ?)", line)
    number = int(cursor.lastrowid or 0)
    connection.executemany("INSERT INTO read VALUES (?, ?, ?, ?, ?)", [(number, *line) for line in record.read])
    connection.executemany("INSERT INTO made VALUES (?, ?, ?, ?)", [(number, *line) for line in record.made])
    _keep_sourced(connection, record.sourced)
    for table, kept in (("fact", record.facts), ("piece", record.pieces)):
        lines = [(number, name, json.dumps(value)) for name, value in (kept or {}).items()]
        connection.executemany(f"INSERT INTO {table} VALUES (?, ?, ?)", lines)
    return number


def _keep_sourced(connection: sqlite3.Connection, sourced: Iterable[tuple[str, Sequence[CellSources]]]) -> None:
    """Keep what cells of outputs are made of; rows that several of them are of are kept once."""
    kept: dict[int, int] = {}
    for content, cells in sourced:
        connection.execute("DELETE FROM cells_of WHERE digest = ?", (content,))
        for cell in cells:
            if cell.origin is not None and id(cell.origin) not in kept:
                rows = pack_origin(cell.origin)
                cursor = connection.execute("INSERT INTO rows_read (names, rows, groups) VALUES (?, ?, ?)", rows)
                kept[id(cell.origin)] = int(cursor.lastrowid or 0)
            read = None if cell.origin is None else kept[id(cell.origin)]
            line = (content, read, *pack_cells(cell))
            connection.execute(f"INSERT INTO cells_of VALUES ({', '.join('?' * len(line))})", line)


def _moment(at: datetime) -> str:
    return at.isoformat(timespec="seconds")
