"""Kinds of output: what a run makes, piece by piece, and what its files are. `kinds.py` lists the kinds in order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

from tinquire.base.faults import Fault, TinQuireError
from tinquire.cells.values import Value
from tinquire.press.compute.results import Results
from tinquire.press.record.cell_sources import CellSources
from tinquire.press.record.kept import StoredFile

__all__ = ["Made", "Making", "OutputKind", "Piece", "Progress"]

_Prepared = TypeVar("_Prepared")

#: Tells what is being done, and how many of how many pieces are done.
Progress = Callable[..., None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """A finished file, not yet in its place."""

    #: Its name in the docket.
    name: str
    path: Path
    #: Its bytes, or what makes pieces of them when they are written: of thousands of mails not all are in memory.
    content: bytes | StoredFile | Callable[[], Sequence[bytes]]
    #: A few words on what is in it.
    summary: str = ""
    #: What the cells of its sheets are made of.
    sources: tuple[CellSources, ...] = ()
    #: The column and value that a file of a split output is of.
    cut: tuple[str, Value] | None = None
    warnings: tuple[Fault, ...] = ()
    #: Whether it is from an earlier run, since nothing that it is made of has changed.
    again: bool = False
    #: What whoever reads about the run should know of it, without having to do anything.
    notes: tuple[str, ...] = ()

    @property
    def data(self) -> bytes:
        return self.content if isinstance(self.content, bytes) else b"".join(self.content())

    @property
    def size(self) -> int:
        """Bytes."""
        return self.content.size if isinstance(self.content, StoredFile) else len(self.data)

    def pieces(self) -> Sequence[bytes]:
        """The bytes in pieces, of which large ones may be parts of other files too."""
        return (self.content,) if isinstance(self.content, bytes) else self.content()


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """What is made by itself of one output: the files of one row of its `each`, of one value it is split by, or all."""

    #: Its output's name in the docket, and its place among the pieces of that output.
    name: str
    place: int
    #: Where its first file goes; of several pages as pictures each gets a number.
    path: Path
    #: What tells it from all others: a digest of all that it is made of, beside the files that it reads.
    key: str
    cut: tuple[str, Value] | None = None
    #: The row that it is made for, as `each` of a run can be held against it.
    row: int | None = None
    #: What its kind needs to make it, beside the results. It can be pickled.
    task: Any = None


@dataclass(frozen=True)
class Making:
    """What outputs are made from: the results of the run, its moment, its folders, and the files made so far."""

    results: Results
    moment: datetime
    out: Path
    outbox: Path
    #: A digest of all that decides the results.
    stamp: str = ""
    #: Files that may be attached, by their name in the docket; an empty list for one that failed.
    made: Mapping[str, Sequence[Made]] = field(default_factory=dict)
    #: Whether only a part of the pack is made: what misses files then is left out.
    partial: bool = False
    #: What kinds have made ready for all pieces of an output.
    ready: dict[tuple[str, str], Any] = field(default_factory=dict)

    def prepared(self, part: str, name: str, prepare: Callable[[], _Prepared]) -> _Prepared:
        """What all pieces of an output share, made once in each process."""
        if (part, name) not in self.ready:
            self.ready[part, name] = prepare()
        found: _Prepared = self.ready[part, name]
        return found


@dataclass(frozen=True)
class OutputKind:
    """One kind of output."""

    #: Its part of the docket.
    part: str
    #: One output of the kind in a message, and what a person reads while one is made.
    word: str
    progress: str
    #: The pieces of one output of the docket. Raises one error with all that is wrong.
    plan: Callable[[Making, str], Iterator[Piece]]
    #: The files of one piece. Raises one error with all that is wrong.
    make: Callable[[Making, Piece], Iterable[Made]]
    #: What is wrong with outputs of the kind whatever the data say, for when the data could not be read; beside the
    #: results it gets the names of all outputs that may be attached.
    foresee: Callable[[Results, Sequence[str]], Iterator[TinQuireError]]
    #: The names of the files that an output will have, without making any.
    names: Callable[[Making, str], Iterator[str]]
    #: The files that outputs of the kind are made from, beside the sources: none may be written over.
    inputs: Callable[[Results], Iterable[Path]] = lambda _: ()
    #: The outputs that one is made from.
    needs: Callable[[Results, str], Iterable[str]] = lambda _, __: ()
    #: Whether mails may attach outputs of the kind by their names. Those that may are made on all processors, and are
    #: kept when nothing that they are made of has changed.
    attachable: bool = True
    #: Whether files of earlier runs of the same docket and period go when this run does not make them.
    swept: bool = False
