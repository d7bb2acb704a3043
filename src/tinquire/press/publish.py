"""A pack written in one go: outputs, then mails, then the record."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from tinquire import __version__
from tinquire.base.atomic_files import write_all
from tinquire.press.make import Pack
from tinquire.press.record.daybook import Daybook, digest

__all__ = ["publish"]

# -- writing ---------------------------------------------------------------------------------------------


def publish(pack: Pack, at: datetime) -> list[str]:
    """Write outputs, then mails, then the record. Returns notes on what was taken away.

    Everything is written aside first; only when all of it is on disk does anything take its place. Raises
    AccessError, with nothing changed, when something cannot be written, or a source is no longer what was read.
    """
    read = [
        (name, file.shown, file.rows, file.digest.text)
        for name, gathered in pack.work.sources.items()
        for file in gathered.files
    ]
    outputs = [(output.path, output.data) for output in pack.outputs]
    mails = [(pack.outbox / mail.file, mail.data) for mail in pack.mails]
    write_all([*outputs, *mails])
    notes = _without_old_mails(pack)
    base = pack.work.docket.base
    made = [(output.name, _shown(output.path, base), digest(output.data)) for output in pack.outputs]
    made += [("mail", _shown(pack.outbox / mail.file, base), digest(mail.data)) for mail in pack.mails]
    sourced = [(digest(output.data), output.sourced) for output in pack.outputs]
    Daybook(base).record_run(
        pack.work.docket.model.title,
        pack.work.period.text,
        at,
        f"tinquire {__version__}",
        read,
        made,
        sourced,
        pack.work.facts,
    )
    return notes


def _without_old_mails(pack: Pack) -> list[str]:
    """Take mails that earlier runs of this docket and period made out of the outbox: what this run did not make must
    not be sent. Mails of other dockets, and those placed by hand, stay."""
    base, made = pack.work.docket.base, {mail.file for mail in pack.mails}
    known = Daybook(base).files_made(pack.work.docket.model.title, pack.work.period.text, "mail")
    old = sorted(path for path in (base / file for file in known) if path.parent == pack.outbox and path.is_file())
    old = [path for path in old if path.name not in made]
    for path in old:
        path.unlink()
    return [f"{path.name} of an earlier run was taken out of the outbox" for path in old]


def _shown(path: Path, base: Path) -> str:
    try:
        return path.relative_to(base).as_posix()
    except ValueError:
        return str(path)
