"""A run that was broken off while it put its files in place: completed, or taken back."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from tinquire.base.faults import AccessError, DataError, Fault
from tinquire.base.placing import cannot_place, clear, complete, put_back, unplaced
from tinquire.press.record.daybook import Daybook, Publication, digest

__all__ = ["end_publication", "locked", "settle", "settle_one"]

#: A file that whoever puts files in place holds locked. It stays: taking it away would let two hold it.
_LOCK = ".daybook.lock"
#: How long another run that is putting its files in place is waited for, in seconds.
_PATIENCE = 30.0
_FREE = "close it in other programs, or make its folder writable; then give this command again"


def settle(base: Path, *, lossy: bool = False) -> list[str]:
    """Complete or take back what a run that was broken off left in a job's folder. Returns notes on what was done.

    Raises AccessError when files cannot be moved, or another run is putting its files in place; DataError when files
    aside are lost, so that the run has to be made again. With `lossy`, for who makes it again, that is a note.
    """
    book = Daybook(base)
    if not book.publications():
        return []
    with locked(base):
        return [settle_one(book, broken, lossy=lossy) for broken in book.publications()]


def settle_one(book: Daybook, broken: Publication, *, lossy: bool) -> str:
    """Settle one publication, and say what was done."""
    if broken.state != "placing":
        left = put_back(broken.placements)
        if left:
            raise AccessError(Fault("taking a run back", f"{left[0].name} could not be put back", str(left[0]), _FREE))
        end_publication(book, broken.number, broken.asides, placed=False)
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
    end_publication(book, broken.number, broken.asides, placed=not lost)
    if lost:
        return f"{began}; {lost[0].name} is lost: run {broken.period} again"
    return f"{began}; it was completed"


def end_publication(book: Daybook, number: int, asides: Sequence[Path], *, placed: bool) -> None:
    """Nothing is under way any more. The folders aside go first: while the daybook knows of them, they are found."""
    clear(asides, book.path.parent)
    book.end_publication(number, placed=placed)


@contextmanager
def locked(base: Path) -> Iterator[None]:
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
