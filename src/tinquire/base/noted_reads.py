"""Which files a piece of work reads beside what it was given: noted as they are read, so that it is known later whether
the piece would come out the same again."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

__all__ = ["note_read", "noted_reads"]

_NOTED: ContextVar[dict[Path, str] | None] = ContextVar("_NOTED", default=None)


@contextmanager
def noted_reads() -> Iterator[dict[Path, str]]:
    """The files that are read meanwhile, with the digests of their contents (SHA-256, in hexadecimal digits)."""
    noted: dict[Path, str] = {}
    token = _NOTED.set(noted)
    try:
        yield noted
    finally:
        _NOTED.reset(token)


def note_read(path: Path, content: bytes) -> bytes:
    """Note a file that was read, if anybody keeps notes; returns its content."""
    noted = _NOTED.get()
    if noted is not None:
        noted[path] = hashlib.sha256(content).hexdigest()
    return content
