"""Files of a run put into folders and onto servers, all of a delivery or nothing, and each at most once.

Unlike a mail, a file that is put there again changes nothing. So a delivery that broke off is simply made again, and
only a file that would replace another one is held back. What was put onto a server is not looked for again: whoever
fetches it may take it away.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path, PurePath, PurePosixPath
from typing import Any, Protocol

from tinquire.base.faults import AccessError, DataError, Fault, UseError
from tinquire.base.file_names import safe_file_name
from tinquire.base.placing import write_all
from tinquire.cells.periods import Period
from tinquire.docket import Docket
from tinquire.docket.schema.deliveries import DeliveryModel
from tinquire.post.file_server import FileServer, file_session
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.record.daybook import Daybook, MailState, digest, mail_state

__all__ = ["Delivered", "Parcel", "deliver", "parcels"]


@dataclass(frozen=True, slots=True)
class Parcel:
    """A file on its way to a folder, or to one of a server: of which delivery, its content's digest, and what the
    daybook knows of it."""

    delivery: str
    source: Path
    target: PurePath
    digest: str
    known: MailState | None
    server: FileServer | None = None

    @property
    def shown(self) -> str:
        """The place that it goes to."""
        return str(self.target) if self.server is None else f"{self.server} {self.target}"

    @property
    def identity(self) -> str:
        """Under which the daybook keeps it."""
        return _identity(self.server, self.target)

    @property
    def done(self) -> bool:
        """Whether exactly this was delivered, and is still there if it can be seen."""
        known = self.known
        if known is None or known.state != "sent" or not known.same:
            return False
        return self.server is not None or _content(Path(self.target)) == self.digest


def _identity(server: FileServer | None, target: PurePath) -> str:
    return f"folder {target}" if server is None else f"server {server} {target}"


@dataclass(frozen=True, slots=True)
class Delivered:
    """Files delivered now, those that had been before, and those held back with the reason."""

    done: tuple[Parcel, ...]
    before: tuple[Parcel, ...]
    held: tuple[Fault, ...]


def parcels(
    docket: Docket, period: Period, scope: SlotScope, password: Callable[[DeliveryModel, str], str | None]
) -> list[Parcel]:
    """What the docket's deliveries would put where, of the latest run of a period. `password` gives that of a login.

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
        asked = scope.filled(model.folder, stopped, where)
        server = _server(docket, model, password(model, f"[deliveries.{name}]"))
        folder: PurePath = PurePosixPath(asked) if server else docket.base / Path(asked).expanduser()
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
                target = folder / safe_file_name(given)
                target = type(target)(os.path.normpath(target)) if server is None else target
                key = _identity(server, target).casefold()
                if (other := taken.setdefault(key, source.name)) != source.name:
                    why = f"'{target.name}' would be both {other} and {source.name}"
                    raise UseError(Fault(stopped, why, where, "give one of them another name"))
                if _content(source) != content:
                    why = f"'{source.name}' is not what the latest run made"
                    raise DataError(Fault(stopped, why, str(source), "run the docket again"))
                state = mail_state(known, _identity(server, target), content)
                found.append(Parcel(name, source, target, content, state, server))
    return found


def _server(docket: Docket, model: DeliveryModel, password: str | None) -> FileServer | None:
    if model.server is None:
        return None
    key, hosts = (
        None if text is None else docket.base / Path(text).expanduser() for text in (model.key, model.known_hosts)
    )
    return FileServer(model.server, model.port, model.user or "", key, password, hosts, model.host_key)


def deliver(
    asked: Sequence[Parcel], base: Path, period: str, clock: Callable[[], datetime], *, again: bool = False
) -> Delivered:  # fmt: skip
    """Put files where they belong, all of a delivery or nothing. `again` also replaces files that were delivered with
    other content. Raises AccessError when a folder cannot be written; what came before is delivered and recorded."""
    book = Daybook(base)
    before = [one for one in asked if one.done and not again]
    done: list[Parcel] = []
    held: list[Parcel] = []
    for name in dict.fromkeys(one.delivery for one in asked):
        mine = [one for one in asked if one.delivery == name and one not in before]
        if not mine:
            continue
        with _place(mine[0], base) as place:
            strange = [] if again else [one for one in mine if _differs(one, place)]
            held += strange
            if strange:
                continue  # all of it, or nothing
            for one in mine:
                book.claim(one.identity, one.digest, period, one.shown, one.source.name, clock(), again=True)
            try:
                place.put_all([(one.target, one.source) for one in mine])
            except (AccessError, OSError) as error:
                for one in mine:
                    book.settle(one.identity, one.digest, sent=False, at=clock())
                if isinstance(error, AccessError):
                    raise
                fault = Fault(f"delivery '{name}'", str(error), str(mine[0].source), "run it again")
                raise AccessError(fault) from None
            for one in mine:
                book.settle(one.identity, one.digest, sent=True, at=clock())
            done += mine
    return Delivered(tuple(done), tuple(before), tuple(map(_held_back, held)))


class _Place(Protocol):
    """Where files are put."""

    def content(self, path: Any) -> str | None: ...
    def put_all(self, files: Sequence[tuple[Any, Path]]) -> None: ...


class _Folders:
    """Folders of this machine."""

    def content(self, path: PurePath) -> str | None:
        return _content(Path(path)) or None

    def put_all(self, files: Sequence[tuple[PurePath, Path]]) -> None:
        write_all((Path(target), source.read_bytes()) for target, source in files)


@contextmanager
def _place(one: Parcel, base: Path) -> Iterator[_Place]:
    """Where a delivery's files go, open. Raises AccessError."""
    if one.server is None:
        _require_folder(one, base)
        yield _Folders()
        return
    with file_session(one.server) as session:
        yield session


def _differs(one: Parcel, place: _Place) -> bool:
    """Whether another file was delivered there, or stands there."""
    other = one.known is not None and one.known.state == "sent" and not one.known.same
    return other or place.content(one.target) not in (None, one.digest)


def _require_folder(one: Parcel, base: Path) -> None:
    """A folder whose share is not mounted must not be made on this machine's own disk. Raises AccessError."""
    folder = Path(one.target).parent
    if not folder.parent.is_dir() and not folder.is_relative_to(base):
        why = f"neither '{folder}' nor the folder around it is there"
        raise AccessError(Fault(f"delivery '{one.delivery}'", why, str(folder), "mount the share, or make the folder"))


def _held_back(one: Parcel) -> Fault:
    if one.known is not None and one.known.state == "sent":
        why = f"a file of another content was delivered there on {one.known.at}"
    else:
        why = "another file of this name stands there, which is not from this job"
    return Fault(f"delivery '{one.delivery}'", why, one.shown, "to replace it, use --again")


def _content(path: Path) -> str:
    """The digest of a file; nothing for one that is not there."""
    try:
        return digest(path.read_bytes())
    except OSError:
        return ""
