"""A run made, and not yet in its place: everything or nothing. A pack is whole, or there is none."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, time, timedelta
from functools import partial
from pathlib import Path

from tinquire import __version__
from tinquire.base.faults import Fault, TinQuireError, UseError, merge_errors
from tinquire.base.noted_reads import noted_reads
from tinquire.base.parallel import give_back
from tinquire.cells.periods import Period
from tinquire.docket import Docket
from tinquire.docket.house import load_house
from tinquire.press.compute.compute import compute
from tinquire.press.compute.results import Results
from tinquire.press.compute.run import Run
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.outputs.mails import MadeMail
from tinquire.press.outputs.output import Made, Making, OutputKind, Progress
from tinquire.press.part import WHOLE, Part
from tinquire.press.proof.make import PROOF, make_proof
from tinquire.press.proof.standing import FACT, earlier_figure, standing
from tinquire.press.record.daybook import Daybook
from tinquire.press.record.kept import FinishedPiece, Kept, file_digest, key_of
from tinquire.press.workshop import Workshop

__all__ = ["Pack", "begin_making", "make", "names_made"]

#: Parts of a docket that decide nothing of what is calculated.
_NOT_CALCULATED = {
    "checks", "workbooks", "letters", "prints", "mails", "deliveries", "proof", "approve", "post",
    "drafts", "watch",
}  # fmt: skip


@dataclass(frozen=True)
class Pack:
    """All that a run made, not yet in its place: files by their part of the docket. Warnings stop nothing."""

    results: Results
    files: Mapping[str, tuple[Made, ...]]
    out: Path
    outbox: Path
    #: The proof as a page, and on paper if it is asked for.
    proofs: tuple[Made, ...]
    #: What is kept of it aside, and its pieces by their keys, for the next run.
    kept: Kept = field(default_factory=Kept)
    pieces: Mapping[str, FinishedPiece] = field(default_factory=dict)
    #: Files that were read beside the sources, by the digests of their contents.
    read: Mapping[Path, str] = field(default_factory=dict)
    #: How many pieces of which outputs were left out, where only a part was asked for.
    left_out: Mapping[str, int] = field(default_factory=dict)

    @property
    def proof(self) -> Made:
        """The page to look at."""
        return self.proofs[0]

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
    part: Part = WHOLE, fresh: bool = False, calculated: Callable[[Results], None] = lambda _: None,
) -> Pack:  # fmt: skip
    """Make a period's pack without putting anything in its place.

    `now` dates the mails, and is NOW in workbooks; without it that is eight o'clock (UTC) on the day after the period,
    so that the same sources give the same bytes. `environment` holds the passwords of databases. Outputs are written
    aside into the folder `kept` as `processes` make them, and stay in memory without one; what an earlier run has made
    of the same is taken from there, unless the pack is to be `fresh`. `calculated` hears of the results before outputs
    are made of them. Raises one error with all that is wrong.
    """
    making = begin_making(docket, period, now=now, environment=environment, progress=progress)
    results = making.results
    calculated(results)
    book = Daybook(docket.base)
    placed = {} if fresh else book.pieces(docket.model.title, period.text)
    store = Kept(kept, docket.base, placed, fresh=fresh)
    part.require_known(results)
    making = replace(making, partial=part.is_some)
    with noted_reads() as read, Workshop(making, store, processes, progress) as shop:
        files, errors, left_out = _make_all(making, shop, part, progress)
        if errors:
            raise merge_errors([*errors, *_collisions(results, files)])
        progress("drawing the proof")
        text = _docket_text(docket)
        last = book.fact(docket.model.title, period.previous.text, FACT)
        proofs = make_proof(making, files, text, last if isinstance(last, dict) else None, left_out, shop.workers)
    if errors := _collisions(results, {**files, PROOF: proofs}):
        raise merge_errors(errors)
    stood = {**standing(results, text), "moment": making.moment.isoformat()}
    kept_facts = replace(results, facts={**results.facts, FACT: stood})
    for piece in shop.pieces.values():
        read.update(piece.read)
    return Pack(kept_facts, files, making.out, making.outbox, proofs, store, shop.pieces, read, left_out)


def begin_making(
    docket: Docket, period: Period, *, now: datetime | None = None, environment: Mapping[str, str] | None = None,
    progress: Progress = lambda text, done=0, count=0: None,
) -> Making:  # fmt: skip
    """Read and calculate all that outputs are made from. Raises one error with all that is wrong."""
    style = docket.base / docket.model.style if docket.model.style else None
    house = load_house(style)
    book = Daybook(docket.base)
    before = partial(book.fact, docket.model.title, period.previous.text)
    run = Run(docket, period, house, environment or {}, partial(earlier_figure, book, docket.model.title))
    results = compute(run, before, progress)
    if results.errors:
        raise merge_errors([*results.errors, *_foreseen(results)])
    give_back()  # what is made now has other sizes than what was read
    moment = now or datetime.combine(period.last + timedelta(days=1), time(8), tzinfo=UTC)
    read = [
        (name, file.shown, file.digest.text) for name, gathered in results.sources.items() for file in gathered.files
    ]
    calculated = docket.model.model_dump_json(exclude=_NOT_CALCULATED)
    style_digest = "" if style is None else file_digest(style)
    stamp = key_of(__version__, calculated, style_digest, period.text, moment, read, sorted(results.figures.items()))
    return Making(results, moment, _folder(results, "out"), _folder(results, "outbox"), stamp)


def names_made(making: Making, progress: Progress) -> dict[str, list[str]]:
    """The names of all files and the recipients of all mails that a run would make, by output, without making any.
    Raises one error with all that is wrong."""
    errors: list[TinQuireError] = []
    found: dict[str, list[str]] = {}
    for kind in OUTPUTS:
        for name in _names(making.results, kind):
            progress(f"naming {name}")
            try:
                found[f"{kind.word} {name}"] = list(kind.names(making, name))
            except TinQuireError as error:
                errors.append(error)
    if errors:
        raise merge_errors(errors)
    return found


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


def _make_all(
    making: Making, shop: Workshop, part: Part, progress: Progress
) -> tuple[dict[str, tuple[Made, ...]], list[TinQuireError], dict[str, int]]:
    """Every output of every kind, what stopped some of them, and how much was left out."""
    errors: list[TinQuireError] = []
    files: dict[str, list[Made]] = {kind.part: [] for kind in OUTPUTS}
    made: dict[str, list[Made]] = {}
    left_out: dict[str, int] = {}
    making = replace(making, made=made)

    def finish(name: str) -> None:
        # An output that fails is known by name, so that a mail does not call it missing as well.
        if name not in made:
            made[name] = []
            try:
                made[name] = shop.finished(name)
            except TinQuireError as error:
                errors.append(error)

    aside = [kind for kind in OUTPUTS if kind.attachable]
    for kind in aside:
        for name in _names(making.results, kind):
            for needed in kind.needs(making.results, name):
                finish(needed)
            try:
                pieces = list(kind.plan(making, name))
                chosen = [one for one in pieces if part.has(making, one) or shop.is_kept(one)]
                shop.begin(kind, name, chosen)
                # A print whose workbook is left out has no pieces: its files are told by their names.
                wanted = len(pieces) if pieces or not making.partial else len(list(kind.names(making, name)))
                if len(chosen) < wanted:
                    left_out[name] = wanted - len(chosen)
            except TinQuireError as error:
                errors.append(error)
    for kind in OUTPUTS:
        for name in _names(making.results, kind):
            if kind.attachable:
                finish(name)
                files[kind.part] += made[name]
                continue
            progress(kind.progress.format(name))
            try:
                for piece in kind.plan(making, name):
                    files[kind.part] += kind.make(making, piece)
            except TinQuireError as error:
                errors.append(error)
    return _each_note_once(files), errors, left_out


def _each_note_once(files: Mapping[str, Sequence[Made]]) -> dict[str, tuple[Made, ...]]:
    """The files without notes that one before them has, too: of fonts and the like, which are the same for each."""
    told: set[str] = set()
    found: dict[str, tuple[Made, ...]] = {}
    for kind, made in files.items():
        fresh = []
        for one in made:
            notes = tuple(note for note in one.notes if note not in told)
            told.update(notes)
            fresh.append(one if notes == one.notes else replace(one, notes=notes))
        found[kind] = tuple(fresh)
    return found


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
