"""A run made in memory: everything or nothing. A pack is whole, or there is none."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, time, timedelta
from functools import partial
from pathlib import Path

from tinquire.base.faults import Fault, TinQuireError, UseError, merge_errors
from tinquire.cells.periods import Period
from tinquire.docket import Docket
from tinquire.docket.house import load_house
from tinquire.press.compute.compute import compute
from tinquire.press.compute.results import Results
from tinquire.press.compute.run import Run
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.outputs.mails import MadeMail
from tinquire.press.outputs.output import Made, Making, OutputKind, Progress
from tinquire.press.proof.make import PROOF, make_proof
from tinquire.press.proof.standing import FACT, standing
from tinquire.press.record.daybook import Daybook
from tinquire.press.record.kept import Kept

__all__ = ["Pack", "make"]


@dataclass(frozen=True)
class Pack:
    """All that a run made, not yet written: files by their part of the docket. Warnings stop nothing."""

    results: Results
    files: Mapping[str, tuple[Made, ...]]
    out: Path
    outbox: Path
    proof: Made

    @property
    def outputs(self) -> list[Made]:
        """All files but mails."""
        return [made for files in self.files.values() for made in files if not isinstance(made, MadeMail)]

    @property
    def mails(self) -> list[MadeMail]:
        return [made for files in self.files.values() for made in files if isinstance(made, MadeMail)]

    @property
    def warnings(self) -> list[Fault]:
        of_files = (warning for files in self.files.values() for made in files for warning in made.warnings)
        return [*self.results.warnings, *of_files]

    @property
    def first_to_open(self) -> Path | None:
        return self.outputs[0].path if self.outputs else None


def make(
    docket: Docket, period: Period, *, now: datetime | None = None, environment: Mapping[str, str] | None = None,
    progress: Progress = lambda text, done=0, count=0: None, kept: Path | None = None, processes: int = 1,
) -> Pack:  # fmt: skip
    """Make a period's pack without writing anything.

    `now` dates the mails, and is NOW in workbooks; without it that is eight o'clock (UTC) on the day after the period,
    so that the same sources give the same bytes. `environment` holds the passwords of databases, `kept` is the folder
    where a run that is broken off leaves what it has finished, which `processes` make. Raises one error with all that
    is wrong.
    """
    house = load_house(docket.base / docket.model.style if docket.model.style else None)
    before = partial(Daybook(docket.base).fact, docket.model.title, period.previous.text)
    results = compute(Run(docket, period, house, environment or {}), before, progress)
    if results.errors:
        raise merge_errors([*results.errors, *_foreseen(results)])
    for gathered in results.sources.values():
        for file in gathered.files:
            file.digest.begin()  # beside the making of workbooks, since only the record needs it
    moment = now or datetime.combine(period.last + timedelta(days=1), time(8), tzinfo=UTC)
    folders = _folder(results, "out"), _folder(results, "outbox")
    making = Making(results, moment, *folders, kept=Kept(kept), processes=processes, progress=progress)
    files, errors = _make_all(making, progress)
    if errors:
        raise merge_errors([*errors, *_collisions(results, files)])
    progress("drawing the proof")
    text = _docket_text(docket)
    last = before(FACT)
    proof = make_proof(making, files, text, last if isinstance(last, dict) else None)
    if errors := _collisions(results, {**files, PROOF: (proof,)}):
        raise merge_errors(errors)
    making.kept.prune()
    kept_facts = replace(results, facts={**results.facts, FACT: standing(results, text)})
    return Pack(kept_facts, files, making.out, making.outbox, proof)


def _docket_text(docket: Docket) -> str:
    """The docket as it is written; nothing when it is no longer there."""
    try:
        return docket.path.read_text("utf-8-sig")
    except (OSError, UnicodeDecodeError):
        return ""


def _folder(results: Results, key: str) -> Path:
    """A folder of the docket with its slots filled. Raises UseError."""
    text = getattr(results.docket.model, key)
    return results.docket.base / results.slots().filled(text, f"the folder '{key}'", results.docket.where(key))


def _names(results: Results, kind: OutputKind) -> Sequence[str]:
    """The names of all outputs of a kind."""
    return list(getattr(results.docket.model, kind.part))


def _foreseen(results: Results) -> Iterator[TinQuireError]:
    """What is wrong with outputs whatever the data say: a run that stops at its sources makes none of them, and their
    faults would come to light one run later."""
    attachable = [name for kind in OUTPUTS if kind.attachable for name in _names(results, kind)]
    for kind in OUTPUTS:
        yield from kind.foresee(results, attachable)


def _make_all(making: Making, progress: Progress) -> tuple[dict[str, tuple[Made, ...]], list[TinQuireError]]:
    """Every output of every kind, and what stopped some of them."""
    errors: list[TinQuireError] = []
    files: dict[str, tuple[Made, ...]] = {}
    made: dict[str, list[Made]] = {}
    for kind in OUTPUTS:
        of_kind: list[Made] = []
        for name in _names(making.results, kind):
            progress(kind.progress.format(name))
            # An output that fails is known by name, so that a mail does not call it missing as well.
            own = made.setdefault(name, []) if kind.attachable else []
            try:
                for item in kind.make(replace(making, made=made), name):
                    own.append(item)
                    of_kind.append(item)
            except TinQuireError as error:
                errors.append(error)
        files[kind.part] = tuple(of_kind)
    return files, errors


def _collisions(results: Results, files: Mapping[str, Sequence[Made]]) -> list[TinQuireError]:
    """Outputs with one name, or with the name of an input."""
    inputs = {file.path.resolve() for gathered in results.sources.values() for file in gathered.files}
    inputs |= {path.resolve() for kind in OUTPUTS for path in kind.inputs(results)}
    errors: list[TinQuireError] = []
    seen: dict[str, str] = {}
    words = {kind.part: kind.word for kind in OUTPUTS}
    for part, items in files.items():
        for item in items:
            where = results.docket.where(part, *([] if part == PROOF else [item.name]), "name")
            path = item.path.resolve()
            own = "the proof" if part == PROOF else f"{words[part]} '{item.name}'"
            if path in inputs:
                why = f"'{item.path.name}' would be written over one of its own inputs"
                errors.append(UseError(Fault(own, why, where, "give it another name or folder")))
            if (other := seen.get(str(path).casefold())) is not None:
                why = f"'{item.path.name}' is the name of {other} too"
                errors.append(UseError(Fault(own, why, where, "give it another name")))
            seen[str(path).casefold()] = own
    return errors
