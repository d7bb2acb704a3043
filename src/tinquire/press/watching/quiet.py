"""Files that somebody may still be writing: they are quiet once their sizes and times have stayed for a while."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TypeAlias

__all__ = ["Quiet", "Seen", "seen"]

#: Size and time of change of files, by their paths.
Seen: TypeAlias = Mapping[Path, tuple[int, int]]


def seen(paths: Iterable[Path]) -> dict[Path, tuple[int, int]]:
    """How files look now; those that are gone meanwhile are left out."""
    found = {}
    for path in paths:
        try:
            state = path.stat()
        except OSError:
            continue
        found[path] = (state.st_size, state.st_mtime_ns)
    return found


class Quiet:
    """Remembers since when files have looked the same."""

    def __init__(self, seconds: float) -> None:
        self._seconds = seconds
        self._since: dict[Path, tuple[tuple[int, int], float]] = {}

    def of(self, files: Seen, now: float) -> list[Path]:
        """Those of some files that are quiet at a moment (in seconds that only grow), in their order. Files that are
        not among them any more are forgotten."""
        fresh = {}
        for path, look in files.items():
            known = self._since.get(path)
            fresh[path] = known if known is not None and known[0] == look else (look, now)
        self._since = fresh
        return [path for path, (_, since) in fresh.items() if now - since >= self._seconds]

    def left(self, now: float) -> float:
        """How many seconds it takes at least until another one is quiet; `seconds` where none waits."""
        waiting = [since + self._seconds - now for _, since in self._since.values() if now - since < self._seconds]
        return min(waiting, default=self._seconds)
