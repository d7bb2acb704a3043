"""Kinds of output: what a run makes, how each kind is made, and what its files are. `kinds.py` lists them in order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from tinquire.base.faults import Fault, TinQuireError
from tinquire.cells.values import Value
from tinquire.press.compute.results import Results
from tinquire.press.record.cell_sources import CellSources
from tinquire.press.record.kept import Kept

__all__ = ["Made", "Making", "OutputKind", "Progress"]


#: Tells what is being done, and how many of how many pieces are done.
Progress = Callable[..., None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """A finished file, not yet written."""

    #: Its name in the docket.
    name: str
    path: Path
    #: Its bytes, or what makes pieces of them when they are written: of thousands of mails not all are in memory.
    content: bytes | Callable[[], Sequence[bytes]]
    #: A few words on what is in it.
    summary: str = ""
    #: What the cells of its sheets are made of.
    sources: tuple[CellSources, ...] = ()
    #: The column and value that a file of a split output is of.
    cut: tuple[str, Value] | None = None
    warnings: tuple[Fault, ...] = ()
    #: Whether it is from a run that was broken off, since nothing that it is made of has changed.
    again: bool = False
    #: What whoever reads about the run should know of it, without having to do anything.
    notes: tuple[str, ...] = ()

    @property
    def data(self) -> bytes:
        return self.content if isinstance(self.content, bytes) else b"".join(self.content())

    def pieces(self) -> Sequence[bytes]:
        """The bytes in pieces, of which large ones may be parts of other files too."""
        return (self.content,) if isinstance(self.content, bytes) else self.content()


@dataclass(frozen=True)
class Making:
    """What outputs are made from: the results of the run, its moment, its folders, and the files made so far."""

    results: Results
    moment: datetime
    out: Path
    outbox: Path
    #: Files that may be attached, by their name in the docket; an empty list for one that failed.
    made: Mapping[str, Sequence[Made]] = field(default_factory=dict)
    #: Where finished variants are kept for a run that is broken off, and how many processes may make them.
    kept: Kept = field(default_factory=Kept)
    processes: int = 1
    progress: Progress = lambda text, done=0, count=0: None
    #: What was told already, of fonts and the like, which is the same for each print.
    told: set[str] = field(default_factory=set)


@dataclass(frozen=True)
class OutputKind:
    """One kind of output."""

    #: Its part of the docket.
    part: str
    #: One output of the kind in a message, and what a person reads while one is made.
    word: str
    progress: str
    #: The files of one output of the docket. Raises one error with all that is wrong.
    make: Callable[[Making, str], Iterator[Made]]
    #: What is wrong with outputs of the kind whatever the data say, for when the data could not be read; beside the
    #: results it gets the names of all outputs that may be attached.
    foresee: Callable[[Results, Sequence[str]], Iterator[TinQuireError]]
    #: The files that outputs of the kind are made from, beside the sources: none may be written over.
    inputs: Callable[[Results], Iterable[Path]] = lambda _: ()
    #: Whether mails may attach outputs of the kind by their names.
    attachable: bool = True
    #: Whether files of earlier runs of the same docket and period go when this run does not make them.
    swept: bool = False
