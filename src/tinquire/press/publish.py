"""A pack put in place as one transaction: written aside, planned in the daybook, moved, and recorded.

Where it breaks off, the next command finds the plan: before it was complete nothing had been moved, and what was
written aside is cleared; afterwards the rest of it is done. A person never finds half of a pack, or old mails beside
a new one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path

from tinquire import __version__
from tinquire.base.faults import AccessError
from tinquire.base.file_names import path_below
from tinquire.base.placing import Placement, cannot_place, free_aside, place, put_back, stage
from tinquire.press.make import Pack
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.outputs.output import Made, OutputKind
from tinquire.press.record.daybook import Daybook, RunRecord, digest
from tinquire.press.record.kept import StoredFile, file_digest
from tinquire.press.settle import end_publication, locked, settle_one

__all__ = ["publish"]


def publish(pack: Pack, at: datetime, inputs: Mapping[str, object] | None = None) -> list[str]:
    """Write outputs, mails and the record. Returns notes on what was taken away, or settled first.

    Everything is written aside first; only when all of it is on disk does anything take its place. `inputs` is what
    the record keeps of what the pack was made from. Raises AccessError, with nothing changed, when something cannot be
    written, or a source is no longer what was read.
    """
    base = pack.results.docket.base
    read = [
        (name, file.shown, file.rows, file.digest.text)
        for name, gathered in pack.results.sources.items()
        for file in gathered.files
    ]
    book = Daybook(base)
    with locked(base):
        notes = [settle_one(book, broken, lossy=True) for broken in book.publications()]
        old = [path for kind in OUTPUTS if kind.swept for path in _outdated(pack, kind)]
        number = book.begin_publication()
        asides: list[Path] = []
        placements: list[Placement] = []
        try:
            record = _stage(pack, at, inputs or {}, read, old, partial(_next_aside, book, number, asides), placements)
        except BaseException as error:
            end_publication(book, number, asides, placed=False)
            if isinstance(error, OSError):
                raise cannot_place(error, ()) from None
            raise
        book.plan_publication(number, record, placements)
        try:
            place(placements)
        except OSError as error:
            raise _undone(book, number, placements, asides, error) from None
        end_publication(book, number, asides, placed=True)
        pack.kept.clear()
    return [*notes, *(f"{path.name} of an earlier run was taken out of the outbox" for path in old)]


def _next_aside(book: Daybook, number: int, asides: list[Path], folder: Path) -> Path:
    """A folder aside that the daybook knows before it is there."""
    asides.append(free_aside(folder))
    book.note_asides(number, asides)
    return asides[-1]


def _stage(
    pack: Pack, at: datetime, inputs: Mapping[str, object], read: Sequence[tuple[str, str, int, str]],
    old: Sequence[Path],
    aside_for: Callable[[Path], Path], placements: list[Placement],
) -> RunRecord:  # fmt: skip
    """Write all files of a pack aside, one after the other, and return what is kept of the run. Raises OSError."""
    docket = pack.results.docket
    made_files: list[tuple[str, str, str]] = []
    sourced = []

    def contents() -> Iterator[tuple[Path, Sequence[bytes] | Path]]:
        for kind in OUTPUTS:
            for made in pack.files[kind.part]:
                content, pieces = _content(made)
                made_files.append((_record_name(kind, made), path_below(made.path, docket.base), content))
                if made.sources:
                    sourced.append((content, made.sources))
                if pieces is not None and file_digest(made.path) != content:
                    yield made.path, pieces
        for made in pack.proofs:
            content, pieces = _content(made)
            made_files.append((made.name, path_below(made.path, docket.base), content))
            if pieces is not None:
                yield made.path, pieces

    placements.extend(stage(contents(), old, aside_for))
    tool = f"tinquire {__version__}"
    period, facts = pack.results.period.text, {**pack.results.facts, **inputs}
    pieces = {key: piece.says(docket.base) for key, piece in pack.pieces.items()}
    return RunRecord(docket.model.title, period, at, tool, read, made_files, sourced, facts, pieces)


def _content(made: Made) -> tuple[str, Sequence[bytes] | Path | None]:
    """The digest of a file, and its content or where that lies; nothing for one that is in its place already."""
    if isinstance(made.content, StoredFile):
        return made.content.digest, None if made.content.path == made.path else made.content.path
    pieces = made.pieces()
    return digest(*pieces), pieces


def _undone(
    book: Daybook, number: int, placements: list[Placement], asides: list[Path], error: OSError
) -> AccessError:  # fmt: skip
    """Put everything back. What could not be stays planned, for the next command."""
    book.undo_publication(number)
    left = put_back(placements)
    if not left:
        end_publication(book, number, asides, placed=False)
    return cannot_place(error, left)


def _record_name(kind: OutputKind, made: Made) -> str:
    """The name under which the daybook keeps a file: swept kinds by their word, so that old files are found by it."""
    return kind.word if kind.swept else made.name


def _outdated(pack: Pack, kind: OutputKind) -> list[Path]:
    """Files that earlier runs of this docket and period made and this run did not: old mails must not be sent. Files of
    other dockets, and those placed by hand, are not among them."""
    base = pack.results.docket.base
    made = {item.path for item in pack.files[kind.part]}
    known = Daybook(base).files_made(pack.results.docket.model.title, pack.results.period.text, kind.word)
    old = sorted(path for path in (base / file for file in known) if path.parent == pack.outbox and path.is_file())
    return [path for path in old if path not in made]
