"""A run of which nothing has changed: known from its record, without reading a row."""

from __future__ import annotations

import glob
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tinquire import __version__
from tinquire.base.faults import Fault
from tinquire.cells.periods import Period
from tinquire.docket import Docket
from tinquire.press.compute.earlier import looks_back
from tinquire.press.record.daybook import Daybook
from tinquire.press.record.kept import file_digest, key_of

if TYPE_CHECKING:  # a run of which nothing has changed needs nothing of what makes one
    from tinquire.press.compute.results import Results
    from tinquire.press.make import Pack

__all__ = ["Unchanged", "inputs_of", "unchanged"]

#: The fact under which the daybook keeps what a run was made from.
_INPUTS = "inputs"


@dataclass(frozen=True, slots=True)
class Unchanged:
    """The latest run of a period, of which nothing has changed: when it was, its files, and what it warned of."""

    at: str
    #: Output, file, digest.
    made: list[tuple[str, str, str]]
    warnings: tuple[Fault, ...]


def inputs_of(pack: Pack, docket: Docket, period: Period, now: datetime | None) -> dict[str, Any]:
    """What the daybook is to keep of what a run was made from; nothing where that cannot be told without making it
    again: of a part, and of rows that come from a database."""
    results = pack.results
    if pack.left_out or any(model.database is not None for model in docket.model.sources.values()):
        return {}
    base = docket.base
    files = {
        _written(file.path, base): file.digest.text for gathered in results.sources.values() for file in gathered.files
    }
    files |= {_written(path, base): content for path, content in pack.read.items()}
    warnings = [one.as_dict() for one in pack.warnings]
    return {
        _INPUTS: {"stamp": _stamp(docket, period, now), "lists": _lists(results), "files": files, "warnings": warnings}
    }


def unchanged(docket: Docket, period: Period, now: datetime | None) -> Unchanged | None:
    """The latest run of a period, if it would come out the same: the same docket, house, version and period before, the
    same files read, and those that it made still as they were."""
    book = Daybook(docket.base)
    kept = book.fact(docket.model.title, period.text, _INPUTS)
    latest = book.latest_run(docket.model.title, period.text)
    if not isinstance(kept, dict) or latest is None or kept.get("stamp") != _stamp(docket, period, now):
        return None
    base = docket.base
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
    return Unchanged(latest[0], latest[1], warnings)


def _stamp(docket: Docket, period: Period, now: datetime | None) -> str:
    """A digest of all that decides a run beside the files that it reads."""
    style = docket.base / docket.model.style if docket.model.style else None
    book, title = Daybook(docket.base), docket.model.title
    others: dict[str, object] = {period.previous.text: book.latest_run(title, period.previous.text)}
    if looks_back(docket.model.model_dump_json()):
        # The latest run of each period but this one: whichever the formulas ask for is among them.
        runs = [(text, number) for number, named, text, _ in reversed(book.runs()) if named == title]
        others |= {text: number for text, number in runs if text != period.text}
    return key_of(
        __version__, file_digest(docket.path), "" if style is None else file_digest(style), period.text, now,
        sorted(others.items()),
    )  # fmt: skip


def _lists(results: Results) -> dict[str, list[str]]:
    """The files that each pattern of the sources finds."""
    scope, base = results.run.slots(), results.docket.base
    found: dict[str, list[str]] = {}
    for name, model in results.docket.model.sources.items():
        if model.files is not None:
            pattern = scope.filled(model.files, f"source '{name}'", results.docket.where("sources", name))
            found[pattern] = [_written(path, base) for path in _matching(base, pattern)]
    return found


def _matching(base: Path, pattern: str) -> Iterator[Path]:
    for found in glob.glob(str(base / pattern), recursive=True):  # noqa: PTH207 - absolute patterns, too
        yield Path(found)


def _written(path: Path, base: Path) -> str:
    try:
        return path.relative_to(base).as_posix()
    except ValueError:
        return str(path)
