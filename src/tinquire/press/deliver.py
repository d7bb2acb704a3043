"""Files of a run put into folders, all of a delivery or nothing, and each at most once.

A folder is told from a server by one thing: putting the same file there again changes nothing. So a delivery that broke
off is simply made again, and only a file that would replace another one that was delivered is held back.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from tinquire.base.faults import AccessError, DataError, Fault, UseError
from tinquire.base.file_names import safe_file_name
from tinquire.base.placing import write_all
from tinquire.cells.periods import Period
from tinquire.docket import Docket
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.record.daybook import Daybook, MailState, digest, mail_state

__all__ = ["Delivered", "Parcel", "deliver", "parcels"]


@dataclass(frozen=True, slots=True)
class Parcel:
    """A file on its way to a folder: of which delivery, its content's digest, and what the daybook knows of it."""

    delivery: str
    source: Path
    target: Path
    digest: str
    known: MailState | None

    @property
    def identity(self) -> str:
        """Under which the daybook keeps it: the place that it goes to."""
        return f"folder {self.target}"

    @property
    def done(self) -> bool:
        """Whether exactly this was delivered, and is still there."""
        known = self.known
        return known is not None and known.state == "sent" and known.same and _content(self.target) == self.digest


@dataclass(frozen=True, slots=True)
class Delivered:
    """Files delivered now, those that had been before, and those held back with the reason."""

    done: tuple[Parcel, ...]
    before: tuple[Parcel, ...]
    held: tuple[Fault, ...]


def parcels(docket: Docket, period: Period, scope: SlotScope) -> list[Parcel]:
    """What the docket's deliveries would put where, of the latest run of a period.

    Raises DataError when there is no run, when a file is no longer what it made, and for two files of one place.
    """
    book = Daybook(docket.base)
    latest = book.latest_run(docket.model.title, period.text)
    if latest is None:
        why, do = f"the daybook has no run of {period.text}", f"tinquire run {docket.path.name} --period {period.text}"
        raise DataError(Fault("delivering files", why, str(docket.path), do))
    known = book.mails()
    found: list[Parcel] = []
    taken: dict[str, str] = {}
    for name, model in docket.model.deliveries.items():
        stopped, where = f"delivery '{name}'", docket.where("deliveries", name)
        folder = docket.base / Path(scope.filled(model.folder, stopped, where)).expanduser()
        for output in model.files:
            made = [(file, content) for what, file, content in latest[1] if what == output]
            if not made:
                raise DataError(Fault(stopped, f"the latest run made no '{output}'", where, "run the docket again"))
            if output in model.names and len(made) > 1:
                why = f"'{output}' has {len(made)} files, which cannot all have one name"
                raise UseError(Fault(stopped, why, where, "leave it out of names"))
            for file, content in made:
                source = docket.base / file
                given = scope.filled(model.names[output], stopped, where) if output in model.names else source.name
                target = Path(os.path.normpath(folder / safe_file_name(given)))
                if (other := taken.setdefault(str(target).casefold(), source.name)) != source.name:
                    why = f"'{target.name}' would be both {other} and {source.name}"
                    raise UseError(Fault(stopped, why, where, "give one of them another name"))
                if _content(source) != content:
                    why = f"'{source.name}' is not what the latest run made"
                    raise DataError(Fault(stopped, why, str(source), "run the docket again"))
                found.append(Parcel(name, source, target, content, mail_state(known, f"folder {target}", content)))
    return found


def deliver(
    asked: Sequence[Parcel], base: Path, period: str, clock: Callable[[], datetime], *, again: bool = False
) -> Delivered:  # fmt: skip
    """Put files where they belong, all of a delivery or nothing. `again` also replaces files that were delivered with
    other content. Raises AccessError when a folder cannot be written; what came before is delivered and recorded."""
    book = Daybook(base)
    before = [one for one in asked if one.done and not again]
    held = [one for one in asked if not again and one not in before and _differs(one)]
    ready = [one for one in asked if one not in before and one not in held]
    done: list[Parcel] = []
    for name in dict.fromkeys(one.delivery for one in ready):
        mine = [one for one in ready if one.delivery == name]
        if any(one.delivery == name for one in held):
            continue  # all of it, or nothing
        _require_folder(mine[0], base)
        for one in mine:
            book.claim(one.identity, one.digest, period, str(one.target), one.source.name, clock(), again=True)
        try:
            write_all((one.target, one.source.read_bytes()) for one in mine)
        except (AccessError, OSError) as error:
            for one in mine:
                book.settle(one.identity, one.digest, sent=False, at=clock())
            if isinstance(error, AccessError):
                raise
            raise AccessError(Fault(f"delivery '{name}'", str(error), str(mine[0].source), "run it again")) from None
        for one in mine:
            book.settle(one.identity, one.digest, sent=True, at=clock())
        done += mine
    return Delivered(tuple(done), tuple(before), tuple(map(_held_back, held)))


def _differs(one: Parcel) -> bool:
    """Whether another file was delivered there, or stands there."""
    other = one.known is not None and one.known.state == "sent" and not one.known.same
    return other or _content(one.target) not in ("", one.digest)


def _require_folder(one: Parcel, base: Path) -> None:
    """A folder whose share is not mounted must not be made on this machine's own disk. Raises AccessError."""
    folder = one.target.parent
    if not folder.parent.is_dir() and not folder.is_relative_to(base):
        why = f"neither '{folder}' nor the folder around it is there"
        raise AccessError(Fault(f"delivery '{one.delivery}'", why, str(folder), "mount the share, or make the folder"))


def _held_back(one: Parcel) -> Fault:
    if one.known is not None and one.known.state == "sent":
        why = f"a file of another content was delivered there on {one.known.at}"
    else:
        why = "another file of this name stands there, which is not from this job"
    return Fault(f"delivery '{one.delivery}'", why, str(one.target), "to replace it, use --again")


def _content(path: Path) -> str:
    """The digest of a file; nothing for one that is not there."""
    try:
        return digest(path.read_bytes())
    except OSError:
        return ""
