"""Many files put in place at once: written aside on the same disks, then moved, and moved back when one cannot be."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import count
from pathlib import Path

from tinquire.base.faults import AccessError, Fault

__all__ = ["Placement", "clear", "complete", "free_aside", "place", "put_back", "stage", "unplaced", "write_all"]

#: How folders aside begin; a file's name there is its number and one of these.
_ASIDE, _NEW, _BEFORE = ".making-", "new", "before"


@dataclass(frozen=True, slots=True)
class Placement:
    """One file on its way to its place, or from there when there is no new one."""

    path: Path
    #: The folder aside, on the disk of the place.
    aside: Path
    number: int
    #: Whether a file stood there before, and whether a new one comes.
    stood: bool
    new: bool = True

    @property
    def fresh(self) -> Path:
        """The new file, until it is in its place."""
        return self.aside / f"{self.number}-{_NEW}"

    @property
    def before(self) -> Path:
        """The file that stood there, once it has made way."""
        return self.aside / f"{self.number}-{_BEFORE}"


def free_aside(folder: Path) -> Path:
    """The name of a folder aside that is not there yet. Nothing is made."""
    return next(aside for number in count() if not (aside := folder / f"{_ASIDE}{os.getpid():x}-{number:x}").exists())


def stage(
    files: Iterable[tuple[Path, Sequence[bytes] | Path]], removed: Iterable[Path], aside_for: Callable[[Path], Path]
) -> Iterator[Placement]:
    """Write each file aside, from the pieces of its content or the file that holds it, and yield where it will go; then
    the files that are to be taken away.

    `aside_for` names the folder aside for a folder; it is asked once for each, and the folder is made after. Raises
    OSError, its `filename` the path that cannot be written.
    """
    asides: dict[Path, Path] = {}
    number = 0
    for new, paths in ((True, files), (False, ((path, ()) for path in removed))):
        for path, pieces in paths:
            folder = path.parent
            with _about(path):
                if folder not in asides:
                    asides[folder] = aside_for(folder)
                    asides[folder].mkdir(parents=True)
                if stood := path.exists():
                    # A file that is locked by a program, or marked read-only, stops us before the first move.
                    with path.open("r+b"):
                        pass
                placement = Placement(path, asides[folder], number, stood, new)
                if new:
                    _write_synced(placement.fresh, pieces)
            yield placement
            number += 1


def place(placements: Iterable[Placement]) -> None:
    """Move each file to its place; what stood there is kept aside. Raises OSError, its `filename` the place."""
    for one in placements:
        with _about(one.path):
            if one.stood:
                os.replace(one.path, one.before)  # noqa: PTH105 - one name for all moves here
            if one.new:
                os.replace(one.fresh, one.path)  # noqa: PTH105
    _sync_folders(placements)


def complete(placements: Iterable[Placement]) -> None:
    """Do what is left of `place` after it broke off. Raises OSError, its `filename` the place."""
    for one in placements:
        with _about(one.path):
            if one.new and one.fresh.exists():
                os.replace(one.fresh, one.path)  # noqa: PTH105
            elif not one.new and not one.before.exists():
                one.path.unlink(missing_ok=True)
    _sync_folders(placements)


def put_back(placements: Sequence[Placement]) -> list[Path]:
    """Put everything back as it was before `place`, the last first, wherever that broke off. Returns what cannot be."""
    left = []
    for one in reversed(placements):
        try:
            if one.before.exists():
                os.replace(one.before, one.path)  # noqa: PTH105
            elif one.new and not one.stood and not one.fresh.exists():
                one.path.unlink(missing_ok=True)
        except OSError:
            left.append(one.path)
    return left


def unplaced(placements: Iterable[Placement], is_new: Callable[[Path], bool]) -> list[Path]:
    """Places whose new file is lost: it is not aside, and what is there, if anything, is not it, as `is_new` tells."""
    waiting = (one.path for one in placements if one.new and not one.fresh.exists())
    return [path for path in waiting if not path.is_file() or not is_new(path)]


def clear(asides: Iterable[Path], kept: Path) -> None:
    """Take folders aside away, and the folders that are empty then, below `kept`."""
    for aside in asides:
        shutil.rmtree(aside, ignore_errors=True)
        for folder in aside.parents:
            if folder == kept or kept not in folder.parents:
                break
            try:
                folder.rmdir()
            except OSError:  # it is not there, or not empty
                if folder.exists():
                    break


def write_all(files: Iterable[tuple[Path, bytes]]) -> None:
    """Write files into folders aside on the same disks, one after the other as they come, then move each to its place;
    what was there is kept aside until the last one stands.

    Raises: AccessError when one cannot be written or moved, and what making the files raises. All that was moved is
    moved back; what cannot be is said, and stays in the folder aside.
    """
    asides: dict[Path, Path] = {}
    placements: list[Placement] = []

    def aside_for(folder: Path) -> Path:
        aside = free_aside(folder)
        asides[aside] = next((known for known in (folder, *folder.parents) if known.exists()), folder)
        return aside

    left: list[Path] = []
    try:
        placements.extend(stage(((path, (data,)) for path, data in files), (), aside_for))
        place(placements)
    except BaseException as error:  # whoever breaks it off from the keyboard gets the files as they were, too
        left = put_back(placements)
        if isinstance(error, OSError):
            raise cannot_place(error, left) from None
        raise
    finally:
        if not left:  # otherwise they hold the only copies
            for aside, kept in asides.items():
                clear((aside,), kept)


def cannot_place(error: OSError, left: Sequence[Path]) -> AccessError:
    """What a person reads when files cannot be put in place; `left` could not be put back."""
    why = (error.strerror or str(error)).strip()
    do = "close it in other programs, or make its folder writable; "
    names = ", ".join(path.name for path in left)
    do += f"{names} could not be put back: see the folders {_ASIDE}* beside" if left else "nothing was changed"
    return AccessError(Fault("writing files", f"{why[:1].lower()}{why[1:]}", str(error.filename or ""), do))


@contextlib.contextmanager
def _about(path: Path) -> Iterator[None]:
    """An error of the system is about the place, not about a name aside."""
    try:
        yield
    except OSError as error:
        raise OSError(error.errno, (error.strerror or str(error)).strip(), str(path)) from None


def _write_synced(path: Path, pieces: Sequence[bytes] | Path) -> None:
    """A file on the disk, not only on its way there."""
    if isinstance(pieces, Path):
        try:
            os.link(pieces, path)
        except OSError:  # another disk, or one that knows no links
            shutil.copyfile(pieces, path)
        with path.open("rb") as stream:
            os.fsync(stream.fileno())
        return
    with path.open("xb") as stream:
        stream.writelines(pieces)
        stream.flush()
        os.fsync(stream.fileno())


def _sync_folders(placements: Iterable[Placement]) -> None:
    """Have the moves on the disk, too, where a system can: elsewhere it does so by itself."""
    if not hasattr(os, "O_DIRECTORY"):
        return
    for folder in dict.fromkeys(one.path.parent for one in placements):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
