"""What tells the bytes that were read from all others, for the record of a run and to know a file that comes twice."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cache, cached_property
from pathlib import Path

from tinquire.base.faults import AccessError, Fault

__all__ = ["Digest"]


@cache
def _beside() -> ThreadPoolExecutor:
    """The one worker for digests, made when the first is begun."""
    return ThreadPoolExecutor(1)


class Digest:
    """A SHA-256 (FIPS 180-4), calculated when it is first asked for: of a large file it takes as long as reading it."""

    def __init__(self, work: Callable[[], str], size: int = 0) -> None:
        self._work = work
        self._begun: Future[str] | None = None
        #: Bytes of the file.
        self.size = size

    @classmethod
    def known(cls, text: str, size: int = 0) -> Digest:
        return cls(lambda: text, size)

    def __reduce__(self) -> tuple[Callable[[str, int], Digest], tuple[str, int]]:
        """Another process gets it worked out."""
        return Digest.known, (self.text, self.size)

    @classmethod
    def of_file(cls, path: Path) -> Digest:
        """Of a file that is about to be read. Raises OSError; what is asked for later raises AccessError when the file
        is no longer the one that was read."""
        seen = _state(path)

        def work() -> str:
            try:
                with path.open("rb") as stream:
                    found = hashlib.file_digest(stream, "sha256").hexdigest()
                changed = _state(path) != seen
            except OSError:
                changed = True
            if changed:
                why, do = "it was changed while the run went on", "run it again when nobody writes to the file"
                raise AccessError(Fault("keeping a record of what was read", why, path.name, do))
            return found

        return cls(work, seen[0])

    def begin(self) -> None:
        """Work it out beside other work."""
        self._begun = self._begun or _beside().submit(self._work)

    @cached_property
    def text(self) -> str:
        """The digest in hexadecimal digits; what prevents it comes as an exception."""
        return self._begun.result() if self._begun else self._work()


def _state(path: Path) -> tuple[int, int]:
    found = path.stat()
    return found.st_size, found.st_mtime_ns
