"""A pack put in place as one transaction: written aside, planned in the daybook, moved, and recorded.

Where it breaks off, the next command finds the plan: before it was complete nothing had been moved, and what was
written aside is cleared; afterwards the rest of it is done. A person never finds half of a pack, or old mails beside
a new one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from functools import partial
from pathlib import Path

from tinquire import __version__
from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.base.placing import Placement, cannot_place, clear, complete, free_aside, place, put_back, stage, unplaced
from tinquire.press.make import Pack
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.outputs.output import Made, OutputKind
from tinquire.press.record.daybook import Daybook, Publication, RunRecord, digest

__all__ = ["publish", "settle"]

#: A file that whoever puts files in place holds locked. It stays: taking it away would let two hold it.
_LOCK = ".daybook.lock"
#: How long another run that is putting its files in place is waited for, in seconds.
_PATIENCE = 30.0
_FREE = "close it in other programs, or make its folder writable; then give this command again"


def publish(pack: Pack, at: datetime) -> list[str]:
    """Write outputs, mails and the record. Returns notes on what was taken away, or settled first.

    Everything is written aside first; only when all of it is on disk does anything take its place. Raises
    AccessError, with nothing changed, when something cannot be written, or a source is no longer what was read.
    """
    base = pack.results.docket.base
    read = [
        (name, file.shown, file.rows, file.digest.text)
        for name, gathered in pack.results.sources.items()
        for file in gathered.files
    ]
    book = Daybook(base)
    with _locked(base):
        notes = [_settle(book, broken, lossy=True) for broken in book.publications()]
        old = [path for kind in OUTPUTS if kind.swept for path in _outdated(pack, kind)]
        number = book.begin_publication()
        asides: list[Path] = []
        placements: list[Placement] = []
        try:
            record = _stage(pack, at, read, old, partial(_next_aside, book, number, asides), placements)
        except BaseException as error:
            _end(book, number, asides, placed=False)
            if isinstance(error, OSError):
                raise cannot_place(error, ()) from None
            raise
        book.plan_publication(number, record, placements)
        try:
            place(placements)
        except OSError as error:
            raise _undone(book, number, placements, asides, error) from None
        _end(book, number, asides, placed=True)
    return [*notes, *(f"{path.name} of an earlier run was taken out of the outbox" for path in old)]


def _next_aside(book: Daybook, number: int, asides: list[Path], folder: Path) -> Path:
    """A folder aside that the daybook knows before it is there."""
    asides.append(free_aside(folder))
    book.note_asides(number, asides)
    return asides[-1]


def _stage(
    pack: Pack, at: datetime, read: Sequence[tuple[str, str, int, str]], old: Sequence[Path],
    aside_for: Callable[[Path], Path], placements: list[Placement],
) -> RunRecord:  # fmt: skip
    """Write all files of a pack aside, one after the other, and return what is kept of the run. Raises OSError."""
    docket = pack.results.docket
    made_files: list[tuple[str, str, str]] = []
    sourced = []

    def contents() -> Iterator[tuple[Path, Sequence[bytes]]]:
        for kind in OUTPUTS:
            for made in pack.files[kind.part]:
                pieces = made.pieces()
                content = digest(*pieces)
                made_files.append((_record_name(kind, made), _relative_path(made.path, docket.base), content))
                if made.sources:
                    sourced.append((content, made.sources))
                yield made.path, pieces
        pieces = pack.proof.pieces()
        made_files.append((pack.proof.name, _relative_path(pack.proof.path, docket.base), digest(*pieces)))
        yield pack.proof.path, pieces

    placements.extend(stage(contents(), old, aside_for))
    tool = f"tinquire {__version__}"
    period, facts = pack.results.period.text, pack.results.facts
    return RunRecord(docket.model.title, period, at, tool, read, made_files, sourced, facts)


def settle(base: Path, *, lossy: bool = False) -> list[str]:
    """Complete or take back what a run that was broken off left in a job's folder. Returns notes on what was done.

    Raises AccessError when files cannot be moved, or another run is putting its files in place; DataError when files
    aside are lost, so that the run has to be made again. With `lossy`, for who makes it again, that is a note.
    """
    book = Daybook(base)
    if not book.publications():
        return []
    with _locked(base):
        return [_settle(book, broken, lossy=lossy) for broken in book.publications()]


def _settle(book: Daybook, broken: Publication, *, lossy: bool) -> str:
    """Settle one publication, and say what was done."""
    if broken.state != "placing":
        left = put_back(broken.placements)
        if left:
            raise AccessError(Fault("taking a run back", f"{left[0].name} could not be put back", str(left[0]), _FREE))
        _end(book, broken.number, broken.asides, placed=False)
        return "a run was broken off before it put files in place; what it had written aside was cleared"
    moment = (broken.at or "").replace("T", " ").replace("+00:00", " UTC")
    began = f"the run of {broken.period}, begun on {moment}, was broken off while it put files in place"
    lost = unplaced(broken.placements, lambda path: digest(path.read_bytes()) == broken.digests.get(path))
    if lost and not lossy:
        why = f"{began}, and its {lost[0].name} is lost: it is neither in its place nor aside"
        do = f"run the docket for {broken.period} again"
        raise DataError(Fault("completing a run", why, str(lost[0].parent), do))
    try:
        complete(broken.placements)
    except OSError as error:
        why = (error.strerror or str(error)).strip()
        raise AccessError(
            Fault("completing a run", f"{began}: {why[:1].lower()}{why[1:]}", str(error.filename or ""), _FREE)
        ) from None
    _end(book, broken.number, broken.asides, placed=not lost)
    if lost:
        return f"{began}; {lost[0].name} is lost: run {broken.period} again"
    return f"{began}; it was completed"


def _end(book: Daybook, number: int, asides: Sequence[Path], *, placed: bool) -> None:
    """Nothing is under way any more. The folders aside go first: while the daybook knows of them, they are found."""
    clear(asides, book.path.parent)
    book.end_publication(number, placed=placed)


def _undone(
    book: Daybook, number: int, placements: list[Placement], asides: list[Path], error: OSError
) -> AccessError:  # fmt: skip
    """Put everything back. What could not be stays planned, for the next command."""
    book.undo_publication(number)
    left = put_back(placements)
    if not left:
        _end(book, number, asides, placed=False)
    return cannot_place(error, left)


@contextmanager
def _locked(base: Path) -> Iterator[None]:
    """Nobody else puts files in place in this folder. Raises AccessError."""
    from filelock import FileLock, Timeout

    lock = FileLock(base / _LOCK)
    try:
        lock.acquire(timeout=_PATIENCE)
    except Timeout:
        why = "another run is putting its files in place"
        raise AccessError(Fault("writing files", why, str(base), "wait until it is done, and try again")) from None
    except OSError as error:
        raise cannot_place(error, ()) from None
    try:
        yield
    finally:
        lock.release()


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


def _relative_path(path: Path, base: Path) -> str:
    try:
        return path.relative_to(base).as_posix()
    except ValueError:
        return str(path)
