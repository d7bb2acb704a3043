"""Runs held against their record: are the files that were made, and those that were read, still the same?"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from tinquire.press.record.daybook import Daybook

__all__ = ["Verdict", "verify"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """A file of a run beside its record: `state` is 'same', 'changed' or 'missing'; `what` is the output that made it,
    or the source that it was read for."""

    run: int
    period: str
    what: str
    file: str
    state: str
    made: bool


def verify(folder: Path) -> Iterator[Verdict]:
    """The files of the latest run of each docket and period, made and read. Raises AccessError for a daybook that
    cannot be read."""
    book = Daybook(folder)
    seen: set[tuple[str, str]] = set()
    for number, docket, period, _ in book.runs():
        if (docket, period) in seen:
            continue  # what an older run made was made again
        seen.add((docket, period))
        for output, file, content in book.made_by(number):
            yield Verdict(number, period, output, file, _state(folder / file, content), made=True)
        for source, file, _, content in book.read_by(number):
            if content:
                yield Verdict(number, period, source, file, _state(folder / file, content), made=False)


def _state(path: Path, content: str) -> str:
    try:
        with path.open("rb") as stream:
            found = hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError:
        return "missing"
    return "same" if found == content else "changed"
