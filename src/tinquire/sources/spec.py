"""What a source is asked for, and what comes of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path

from tinquire.base.faults import Fault
from tinquire.cells.values import Value
from tinquire.sources.digest import Digest
from tinquire.tables import Table

__all__ = ["FileRead", "Password", "RowNote", "SourceRead", "SourceSpec"]


@dataclass(frozen=True, slots=True)
class RowNote:
    """A note on one row of a file; `{}` in its words stands for the row's number."""

    words: str
    row: int

    def __str__(self) -> str:
        return self.words.format(self.row)

    @property
    def general(self) -> str:
        """The note without the row, so that the same in many files is said once."""
        return self.words.replace(" {}", "")


@dataclass(frozen=True, slots=True)
class Password:
    """A password, with the variable of the environment that should hold it; None when that is not set."""

    variable: str
    text: str | None = field(repr=False)


@dataclass(frozen=True)
class SourceSpec:
    """Where rows come from and how to read them; paths and patterns are relative to `base`."""

    name: str
    base: Path
    #: The place that asks for the source, for messages about files that are not there.
    where: str = ""
    files: str | None = None
    file: str | None = None
    #: A database's URL, the query asked of it, its parameters, and its password.
    database: str | None = None
    query: str = ""
    parameters: Mapping[str, str | date] = field(default_factory=dict)
    password: Password | None = None
    #: Files given one by one, instead of a pattern.
    paths: Sequence[Path] = ()
    #: Values stay what they are in the file; only columns with a stated type are read into it.
    as_they_are: bool = False
    #: Columns of texts without a stated type get the one that their texts have; which, is noted.
    infer: bool = False
    sheet: str | None = None
    table: str | None = None
    #: An area of a workbook, or the name of one.
    area: str | None = None
    #: 'find', the heading's row, or the first and last of several rows that are joined.
    header: str | int | Sequence[int] = "find"
    totals_row: str = "agree"
    types: Mapping[str, str] = field(default_factory=dict)
    read_as: Mapping[str, Mapping[str, Value]] = field(default_factory=dict)
    #: The same for the columns of every heading.
    read_everywhere: Mapping[str, Value] = field(default_factory=dict)
    #: What stands for values that cannot be read: 'stop', 'blank', or by heading a value ("" for a blank).
    unreadable: str | Mapping[str, Value] = "stop"
    #: Other names under which a heading is known.
    known_as: Mapping[str, Sequence[str]] = field(default_factory=dict)
    #: 'stop', 'blank' (what a file lacks is blank) or 'keep' (what all files have is kept).
    differing: str = "stop"
    #: What to do with a file that is another one byte for byte: 'stop', 'once' or 'keep'.
    same_file: str = "keep"
    separator: str | None = None
    decimal: str | None = None
    encoding: str | None = None
    #: Columns added to every row, calculated for each file and sheet.
    stamps: Mapping[str, Callable[[Path, str], str]] = field(default_factory=dict)

    def stand_ins(self, heading: str) -> Mapping[str, Value]:
        """The texts of a column that stand for a value."""
        return {**self.read_everywhere, **self.own_stand_ins(heading)}

    def own_stand_ins(self, heading: str) -> Mapping[str, Value]:
        """Those that are stated for this heading."""
        return next((texts for name, texts in self.read_as.items() if name.casefold() == heading.casefold()), {})


@dataclass(frozen=True, slots=True)
class FileRead:
    """One file that was read, for the record; `digest` is that of its bytes when it was read."""

    path: Path
    shown: str
    rows: int
    notes: tuple[str | RowNote, ...]
    digest: Digest
    sheet: str = ""


@dataclass(frozen=True, slots=True)
class SourceRead:
    """A source's table, what was read for it, and things worth saying that stop nothing."""

    table: Table
    files: tuple[FileRead, ...]
    warnings: tuple[Fault, ...]
    #: The type of each column as it was read, with the order of its days: stated, or detected.
    types: Mapping[str, str] = field(default_factory=dict)
