"""A folder in which files arrive: each is taken once, and ends among those done or among those failed, with what was
said of it beside it.

A file is taken by moving it: of two who want it one gets it. One that is found taken when nobody is at work was broken
off, and whether its command had done its work nobody knows: it fails, and a person decides.
"""

from __future__ import annotations

import fnmatch
import os
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import count
from pathlib import Path

from tinquire.base.faults import AccessError, Fault
from tinquire.sources.find_files import LOCK_PREFIX

__all__ = ["Inbox"]

_TAKEN, _DONE, _FAILED, _LOCK = ".taken", "done", "failed", ".watch.lock"
#: Endings that programs give to files they are still writing.
_UNFINISHED = (".part", ".partial", ".tmp", ".temp", ".download", ".crdownload", ".filepart")
_BROKEN = "It was broken off while its command ran. See what came of it before you try it again."


class Inbox:
    """A folder, of whose files those of a pattern are taken."""

    def __init__(self, folder: Path, pattern: str = "*") -> None:
        self._folder, self._pattern = folder, pattern

    @contextmanager
    def watched(self) -> Iterator[list[Path]]:
        """Nobody else watches the folder meanwhile. Gives what another watch had taken when it was broken off, which
        has failed now. Raises AccessError."""
        from filelock import FileLock, Timeout

        if not self._folder.is_dir():
            raise AccessError(Fault("watching a folder", "it is not there", str(self._folder), "make it"))
        lock = FileLock(self._folder / _LOCK)
        try:
            lock.acquire(timeout=0)
        except Timeout:
            why = "another watch is at work there"
            raise AccessError(Fault("watching a folder", why, str(self._folder), "stop that one first")) from None
        except OSError as error:
            raise _trouble(error, self._folder) from None
        try:
            yield [self.end(path, _BROKEN, done=False) for path in sorted((self._folder / _TAKEN).glob("*"))]
        finally:
            lock.release()

    def waiting(self) -> list[Path]:
        """The files that are there, by name; hidden ones, and those that a program is writing, are not among them."""
        try:
            found = [Path(entry.path) for entry in os.scandir(self._folder) if entry.is_file()]
        except OSError as error:
            raise _trouble(error, self._folder) from None
        return sorted(path for path in found if self._is_meant(path.name))

    def _is_meant(self, name: str) -> bool:
        if name.startswith((".", LOCK_PREFIX)) or name.casefold().endswith(_UNFINISHED):
            return False
        return fnmatch.fnmatch(name.casefold(), self._pattern.casefold())

    def take(self, path: Path) -> Path | None:
        """Take a file for its command, and say where it is now; None when it is gone. Raises AccessError."""
        taken = self._folder / _TAKEN / path.name
        try:
            taken.parent.mkdir(exist_ok=True)
            path.replace(taken)
        except FileNotFoundError:
            return None
        except OSError as error:
            raise _trouble(error, path) from None
        return taken

    def end(self, taken: Path, told: str, *, done: bool) -> Path:
        """Put a file that was taken among those done or failed, with what was told beside it; where it is now. A file
        of the same name that is there already stays. Raises AccessError."""
        folder = self._folder / (_DONE if done else _FAILED)
        try:
            folder.mkdir(exist_ok=True)
            names = (taken.name if number == 0 else f"{taken.stem} ({number + 1}){taken.suffix}" for number in count())
            target = next(folder / name for name in names if not (folder / name).exists())
            if told.strip():
                target.with_name(f"{target.name}.txt").write_text(told.rstrip() + "\n", "utf-8")
            taken.replace(target)
        except OSError as error:
            raise _trouble(error, taken) from None
        return target


def _trouble(error: OSError, path: Path) -> AccessError:
    why = (error.strerror or str(error)).strip()
    return AccessError(Fault("watching a folder", f"{why[:1].lower()}{why[1:]}", str(path), "make it writable"))
