"""Files that appear whole or not at all: one, or many at once; and originals kept before they are changed."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from datetime import date
from itertools import count
from pathlib import Path
from typing import BinaryIO

from tinquire.base.faults import AccessError, Fault

__all__ = ["ORIGINALS", "keep_original", "open_atomic", "write_all", "write_atomic"]

_NEW_FILE = os.O_RDWR | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)
#: Of a long name only this much goes into the name of the file beside it; four bytes a character, 255 are allowed.
_LONG_NAME = 40


@contextlib.contextmanager
def open_atomic(path: Path) -> Iterator[BinaryIO]:
    """A file that appears whole or not at all: written beside its place, then renamed.

    Raises: AccessError when it cannot be written.
    """
    try:
        if os.access(path, os.F_OK) and not os.access(path, os.W_OK):
            raise PermissionError("it is marked read-only")
        handle, aside = _aside(path)
    except OSError as error:
        raise _unwritable(path, error) from None
    try:
        with os.fdopen(handle, "wb") as stream:
            yield stream
            stream.flush()
            os.fsync(stream.fileno())
        os.replace(aside, path)  # noqa: PTH105 - the aside name is a plain string
    except OSError as error:
        Path(aside).unlink(missing_ok=True)
        raise _unwritable(path, error) from None
    except BaseException:
        Path(aside).unlink(missing_ok=True)
        raise


def write_atomic(path: Path, data: bytes) -> None:
    """Write a file whole or not at all, as `open_atomic` does, at the least cost for many small ones.

    Raises: AccessError when it cannot be written.
    """
    aside = ""
    try:
        if not os.access(path, os.W_OK) and os.access(path, os.F_OK):
            raise PermissionError("it is marked read-only")
        handle, aside = _aside(path)
        try:
            done = os.write(handle, data)
            while done < len(data):
                done += os.write(handle, memoryview(data)[done:])
            os.fsync(handle)
        finally:
            os.close(handle)
        os.replace(aside, path)  # noqa: PTH105 - the aside name is a plain string
    except BaseException as error:
        if aside:
            Path(aside).unlink(missing_ok=True)
        if isinstance(error, OSError):
            raise _unwritable(path, error) from None
        raise


def _aside(path: Path) -> tuple[int, str]:
    """A new file beside a path, open for writing, in a folder that is made if it is not there."""
    folder, name = os.path.split(path)  # many small files: plain strings take a fraction of the time
    if len(name) > _LONG_NAME:
        name = name.encode()[:_LONG_NAME].decode(errors="ignore")
    stem = os.path.join(folder, f".{name}-{os.getpid():x}")  # noqa: PTH118
    for number in count():
        aside = f"{stem}-{number:x}"
        try:
            return os.open(aside, _NEW_FILE, 0o666), aside
        except FileExistsError:
            continue
        except FileNotFoundError:
            if path.parent.is_dir():
                raise
            path.parent.mkdir(parents=True, exist_ok=True)
    raise AssertionError("counting never ends")


def _unwritable(path: Path, error: OSError) -> AccessError:
    why = error.strerror or str(error)
    do = "close it in other programs, or make its folder writable"
    return AccessError(Fault("writing a file", f"{why[:1].lower()}{why[1:]}", str(path), do))


#: The folder in which originals are kept; whoever reads a folder passes it over.
ORIGINALS = "originals"


def keep_original(path: Path) -> Path:
    """Copy a file into the folder `originals` beside it, by the day that it was last written, under a name that is free
    there, before it is changed. Raises AccessError."""
    copy = path
    try:
        day = date.fromtimestamp(path.stat().st_mtime).isoformat()
        folder = path.parent / ORIGINALS / day
        folder.mkdir(parents=True, exist_ok=True)
        copy, number = folder / path.name, 2
        while copy.exists():
            copy, number = folder / f"{path.stem} ({number}){path.suffix}", number + 1
        shutil.copy2(path, copy)
    except OSError as error:
        why = error.strerror or str(error)
        raise AccessError(Fault("keeping the original", why, str(copy), "make its folder writable")) from None
    return copy


def write_all(files: Sequence[tuple[Path, bytes]]) -> None:
    """Write files into folders aside on the same disks, then move each to its place; what was there is kept aside until
    the last one stands.

    Raises: AccessError when one cannot be written or moved. All that was moved is moved back; what cannot be is said,
    and stays in the folder aside.
    """
    asides: dict[Path, Path] = {}
    moved: list[tuple[Path, Path | None]] = []
    path = Path()
    try:
        staged = []
        for number, (path, data) in enumerate(files):
            if path.parent not in asides:
                path.parent.mkdir(parents=True, exist_ok=True)
                asides[path.parent] = Path(tempfile.mkdtemp(prefix=".making-", dir=path.parent))
            if path.exists():
                # A file that is locked by a program, or marked read-only, stops us before the first move.
                with path.open("r+b"):
                    pass
            staged.append((_write_synced(asides[path.parent] / f"{number}-new", data), path))
        for number, (aside, path) in enumerate(staged):
            before = asides[path.parent] / f"{number}-before" if path.exists() else None
            if before is not None:
                os.replace(path, before)  # noqa: PTH105 - one name for all moves here
            moved.append((path, before))
            os.replace(aside, path)  # noqa: PTH105
    except OSError as error:
        why = (error.strerror or str(error)).strip()
        left = _move_back(moved)
        if left:
            asides.clear()  # they hold the only copies
        do = "close it in other programs, or make its folder writable; "
        do += (
            f"{', '.join(left)} could not be put back: see the folders .making-* beside"
            if left
            else "nothing was changed"
        )
        raise AccessError(Fault("writing the pack", f"{why[:1].lower()}{why[1:]}", str(path), do)) from None
    finally:
        for folder in asides.values():
            shutil.rmtree(folder, ignore_errors=True)


def _write_synced(path: Path, data: bytes) -> Path:
    """A file on the disk, not only on its way there."""
    with path.open("xb") as stream:
        stream.write(data)
        stream.flush()
        os.fsync(stream.fileno())
    return path


def _move_back(moved: Sequence[tuple[Path, Path | None]]) -> list[str]:
    """Put everything back as it was, the last first; the names of what could not be."""
    left = []
    for path, before in reversed(moved):
        try:
            if before is not None:
                os.replace(before, path)  # noqa: PTH105
            else:
                path.unlink(missing_ok=True)
        except OSError:
            left.append(path.name)
    return left
