"""Whether a period's sources are all there."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from tinquire.base.faults import TinQuireError
from tinquire.base.wording import counted
from tinquire.cells.periods import Period
from tinquire.docket import Docket
from tinquire.docket.house import load_house
from tinquire.press.compute.run import Run
from tinquire.press.record.daybook import Daybook
from tinquire.sources.find_files import matching_files

__all__ = ["Arrival", "arrived"]


@dataclass(frozen=True, slots=True)
class Arrival:
    """The files of a period that are there, and in words what is missing still."""

    files: tuple[Path, ...]
    missing: tuple[str, ...]


def arrived(docket: Docket, period: Period) -> Arrival:
    """Look for the files of all sources. Of a pattern there must be as many as the docket expects, or as many as the
    period before had, if that was run; otherwise one."""
    house = load_house(docket.base / docket.model.style if docket.model.style else None)
    scope = Run(docket, period, house).slots()
    before = _counts(docket, period.previous)
    files: list[Path] = []
    missing: list[str] = []
    for name, model in docket.model.sources.items():
        where = docket.where("sources", name)
        if model.file is not None:
            path = docket.base / scope.filled(model.file, f"source '{name}'", where)
            if path.is_file():
                files.append(path)
            else:
                missing.append(f"{name}: {model.file}")
        elif model.files is not None:
            pattern = scope.filled(model.files, f"source '{name}'", where)
            try:
                found, _ = matching_files(pattern, docket.base, f"source '{name}'", where)
            except TinQuireError:
                found = []
            expected = docket.model.watch.expect.get(name) or before.get(name, 1)
            files += found
            if len(found) < expected:
                missing.append(f"{name}: {len(found)} of {counted(expected, 'file')} ({pattern})")
    return Arrival(tuple(files), tuple(missing))


def _counts(docket: Docket, period: Period) -> dict[str, int]:
    """How many files each source had in the latest run of a period."""
    book = Daybook(docket.base)
    key = (docket.model.title, period.text)
    number = next((one for one, title, text, _ in book.runs() if (title, text) == key), None)
    counts: dict[str, int] = {}
    for source, *_ in () if number is None else book.read_by(number):
        counts[source] = counts.get(source, 0) + 1
    return counts
