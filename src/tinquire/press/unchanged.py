"""A run of which nothing has changed: known from its record, without reading a row."""

from __future__ import annotations

import glob
import re
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire import __version__
from tinquire.base.faults import Fault
from tinquire.base.file_names import path_below
from tinquire.cells.periods import KINDS, Period, parse_period
from tinquire.press.record.daybook import Daybook
from tinquire.press.record.kept import file_digest, key_of

if TYPE_CHECKING:  # a run of which nothing has changed needs nothing of what makes one
    from tinquire.docket import Docket
    from tinquire.press.compute.results import Results
    from tinquire.press.make import Pack

__all__ = ["INPUTS", "Unchanged", "inputs_of", "unchanged"]

#: The fact under which the daybook keeps what a run was made from.
INPUTS = "inputs"
#: What asks for figures of earlier periods, wherever it may stand.
_BACK = re.compile(r"\b(?:BEFORE|YEAR_SO_FAR)\s*\(", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Unchanged:
    """The latest run of a period, of which nothing has changed: when it was, its files, and what it warned of."""

    title: str
    period: Period
    base: Path
    at: str
    #: Output, file, digest.
    made: list[tuple[str, str, str]]
    warnings: tuple[Fault, ...]


def inputs_of(pack: Pack, docket: Docket, period: Period, now: datetime | None) -> dict[str, Any]:
    """What the daybook is to keep of what a run was made from; nothing where that cannot be told without making it
    again: of a part, and of rows that come from a database."""
    results, job = pack.results, _job(docket.path)
    if job is None or pack.left_out or any(model.database is not None for model in docket.model.sources.values()):
        return {}
    files = {
        path_below(file.path, job.base): file.digest.text
        for gathered in results.sources.values()
        for file in gathered.files
    }
    files |= {path_below(path, job.base): content for path, content in pack.read.items()}
    if job.style is not None:
        files[job.style] = file_digest(job.base / job.style)
    warnings = [one.as_dict() for one in pack.warnings]
    return {INPUTS: {"stamp": job.stamp(period, now), "lists": _lists(results), "files": files, "warnings": warnings}}


def unchanged(path: Path, period_text: str, now: datetime | None) -> Unchanged | None:
    """The latest run of a docket's period, if it would come out the same: the same docket, house, version and period
    before, the same files read, and those that it made still as they were.

    The docket is not looked at any closer: it was when that run was made. Raises UseError for what is no period.
    """
    job = _job(path)
    if job is None or not job.book.path.exists():
        return None
    period = parse_period(period_text, job.kind)
    kept = job.book.fact(job.title, period.text, INPUTS)
    latest = job.book.latest_run(job.title, period.text)
    if not isinstance(kept, dict) or latest is None or kept.get("stamp") != job.stamp(period, now):
        return None
    base = job.base
    try:
        lists = all(
            sorted(_matching(base, pattern)) == sorted(base / one for one in found)
            for pattern, found in kept["lists"].items()
        )
        same = lists and all(file_digest(base / path) == content for path, content in kept["files"].items())
        warnings = tuple(Fault(**one) for one in kept["warnings"])
    except (AttributeError, KeyError, TypeError):
        return None  # a damaged record is none
    if not same or any(file_digest(base / path) != content for _, path, content in latest[1]):
        return None
    return Unchanged(job.title, period, base, latest[0], latest[1], warnings)


@dataclass(frozen=True)
class _Job:
    """What has to be known of a docket to find its runs: read without its schema, which takes longer than all else."""

    path: Path
    title: str
    kind: str
    style: str | None
    #: Whether formulas ask for figures of any earlier period.
    looks_back: bool

    @property
    def base(self) -> Path:
        return self.path.parent

    @property
    def book(self) -> Daybook:
        return Daybook(self.base)

    def stamp(self, period: Period, now: datetime | None) -> str:
        """A digest of all that decides a run beside the files that it reads."""
        book, before = self.book, period.previous.text
        others: dict[str, object] = {before: book.latest_run(self.title, before)}
        if self.looks_back:
            # The latest run of each period but this one: whichever the formulas ask for is among them.
            runs = [(text, number) for number, named, text, _ in reversed(book.runs()) if named == self.title]
            others |= {text: number for text, number in runs if text != period.text}
        style = "" if self.style is None else file_digest(self.base / self.style)
        return key_of(__version__, file_digest(self.path), style, period.text, now, sorted(others.items()))


def _job(path: Path) -> _Job | None:
    """None for a docket that cannot be read: whoever makes the run says why."""
    try:
        text = path.read_text("utf-8-sig")
        raw = tomllib.loads(text)
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError):
        return None
    title, kind, style = raw.get("title"), raw.get("period"), raw.get("style")
    if not isinstance(title, str) or kind not in KINDS or not isinstance(style, str | None):
        return None
    return _Job(path.absolute(), title, str(kind), style, _BACK.search(text) is not None)


def _lists(results: Results) -> dict[str, list[str]]:
    """The files that each pattern of the sources finds."""
    scope, base = results.run.slots(), results.docket.base
    found: dict[str, list[str]] = {}
    for name, model in results.docket.model.sources.items():
        if model.files is not None:
            pattern = scope.filled(model.files, f"source '{name}'", results.docket.where("sources", name))
            found[pattern] = [path_below(path, base) for path in _matching(base, pattern)]
    return found


def _matching(base: Path, pattern: str) -> Iterator[Path]:
    for found in glob.glob(str(base / pattern), recursive=True):  # noqa: PTH207 - absolute patterns, too
        yield Path(found)
