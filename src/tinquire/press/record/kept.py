"""Finished pieces of a run that was broken off, by the digest of all that they were made from."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path

from tinquire.base.atomic_files import open_atomic

__all__ = ["Kept"]

_DIGEST = 32


class Kept:
    """A folder of finished variants by the digest of all that they were made from."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder
        self._used: set[str] = set()

    def find(self, digest: str) -> tuple[bytes, ...] | None:
        """The files of a variant that was made before; a damaged one counts as none."""
        self._used.add(digest)
        if self._folder is None:
            return None
        found = []
        for path in sorted(self._folder.glob(f"{digest}-*")):
            content = path.read_bytes()
            check, rest = content[:_DIGEST], content[_DIGEST:]
            if hashlib.sha256(rest).digest() != check:
                return None
            found.append(rest)
        return tuple(found) or None

    def put(self, digest: str, contents: Sequence[bytes]) -> None:
        if self._folder is None:
            return
        self._folder.mkdir(parents=True, exist_ok=True)
        # The last goes first: a variant is there when its first file is, so one broken off is made again.
        for number, content in reversed(list(enumerate(contents))):
            with open_atomic(self._folder / f"{digest}-{number:05}") as stream:
                stream.write(hashlib.sha256(content).digest() + content)

    def prune(self) -> None:
        """Remove what was neither found nor put since."""
        if self._folder is None or not self._folder.is_dir():
            return
        for path in self._folder.iterdir():
            if path.is_file() and path.name.partition("-")[0] not in self._used:
                path.unlink(missing_ok=True)
