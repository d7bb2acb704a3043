"""Who has approved a run's files: exactly these, by their digests."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from tinquire.base.faults import DataError, Fault
from tinquire.cells.periods import Period
from tinquire.docket import Docket
from tinquire.press.proof.make import PROOF
from tinquire.press.record.daybook import Daybook, digest, files_digest

__all__ = ["Standing", "approve", "require_approval", "standing_of"]

_CHANGED = 5


@dataclass(frozen=True, slots=True)
class Standing:
    """The latest run of a period: its proof, a digest of all its files, those that are not what it made, and who has
    approved these files, and when."""

    made_at: str
    proof: Path | None
    files: tuple[Path, ...]
    digest: str
    changed: tuple[Path, ...]
    approved: tuple[str, str] | None


def standing_of(docket: Docket, period: Period) -> Standing:
    """Raises DataError when there is no run of the period."""
    book, title = Daybook(docket.base), docket.model.title
    found = book.latest_run(title, period.text)
    if found is None:
        why = f"the daybook has no run of {period.text}"
        do = f"run it first: tinquire run {docket.path.name} --period {period.text}"
        raise DataError(Fault("looking for the proof", why, str(docket.path), do))
    made_at, made = found
    whole = files_digest(made)
    paths = [docket.base / file for _, file, _ in made]
    changed = [path for path, (_, _, content) in zip(paths, made, strict=True) if _content(path) != content]
    proof = next((path for path, (output, _, _) in zip(paths, made, strict=True) if output == PROOF), None)
    approved = book.approved(title, period.text, whole)
    return Standing(made_at, proof, tuple(paths), whole, tuple(changed), approved)


def approve(docket: Docket, period: Period, who: str, at: datetime) -> Standing:
    """Keep in the daybook that somebody has approved the files of the latest run. Raises DataError when they are no
    longer what the run made."""
    found = standing_of(docket, period)
    if not who.strip():
        raise DataError(Fault("approving a pack", "nobody is named", do="say who approves: --approve 'Ada Lind'"))
    if found.changed:
        raise DataError(_changed("approving a pack", docket, period, found.changed))
    Daybook(docket.base).approve(docket.model.title, period.text, found.digest, " ".join(who.split()), at)
    return standing_of(docket, period)


def require_approval(docket: Docket, period: Period, mails: Iterable[Path]) -> None:
    """Raises DataError when the docket asks for approval, and these mails have none."""
    if docket.model.approve != "needed":
        return
    found = standing_of(docket, period)
    stopped, where = "sending mails", docket.where("approve")
    name = f"{docket.path.name} --period {period.text}"
    if found.approved is None:
        do = f"look through the proof, then: tinquire proof {name} --approve 'your name'"
        raise DataError(Fault(stopped, "nobody has approved what the latest run made", where, do))
    if found.changed:
        raise DataError(_changed(stopped, docket, period, found.changed))
    known = {path.resolve() for path in found.files}
    if other := [path for path in mails if path.resolve() not in known]:
        why = f"{other[0].name} is none of the files that {found.approved[0]} approved"
        raise DataError(Fault(stopped, why, str(other[0].parent), "take it out of the outbox"))


def _changed(stopped: str, docket: Docket, period: Period, changed: Iterable[Path]) -> Fault:
    names = [path.name for path in changed]
    told = ", ".join(names[:_CHANGED]) + (f" and {len(names) - _CHANGED} more" if len(names) > _CHANGED else "")
    why = f"what the run made is not what lies there now: {told}"
    return Fault(
        stopped, why, str(docket.base), f"run it again: tinquire run {docket.path.name} --period {period.text}"
    )


def _content(path: Path) -> str:
    """The digest of a file; nothing for one that cannot be read."""
    try:
        return digest(path.read_bytes())
    except OSError:
        return ""
