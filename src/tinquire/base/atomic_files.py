"""Files that appear whole or not at all, and originals kept before they are changed."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Iterator
from datetime import date
from itertools import count
from pathlib import Path
from typing import BinaryIO

from tinquire.base.faults import AccessError, Fault

__all__ = ["ORIGINALS", "discard_original", "keep_original", "open_atomic", "write_atomic"]

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


def discard_original(copy: Path) -> None:
    """Take away a copy that `keep_original` made of a file that was not changed after all, and folders that are empty
    then."""
    copy.unlink(missing_ok=True)
    for folder in (copy.parent, copy.parent.parent):
        if folder.is_dir() and not any(folder.iterdir()):
            folder.rmdir()


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
