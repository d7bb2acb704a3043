"""A pack written in one go: outputs, then mails, then the record."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from tinquire import __version__
from tinquire.base.atomic_files import write_all
from tinquire.press.make import Pack
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.outputs.output import Made, OutputKind
from tinquire.press.record.daybook import Daybook, digest

__all__ = ["publish"]


def publish(pack: Pack, at: datetime) -> list[str]:
    """Write outputs, then mails, then the record. Returns notes on what was taken away.

    Everything is written aside first; only when all of it is on disk does anything take its place. Raises
    AccessError, with nothing changed, when something cannot be written, or a source is no longer what was read.
    """
    docket, base = pack.results.docket, pack.results.docket.base
    read = [
        (name, file.shown, file.rows, file.digest.text)
        for name, gathered in pack.results.sources.items()
        for file in gathered.files
    ]
    files = [(kind, made) for kind in OUTPUTS for made in pack.files[kind.part]]
    write_all([(made.path, made.data) for _, made in files])
    notes = [note for kind in OUTPUTS if kind.swept for note in _sweep(pack, kind)]
    Daybook(base).record_run(
        docket.model.title,
        pack.results.period.text,
        at,
        f"tinquire {__version__}",
        read,
        [(_record_name(kind, made), _relative_path(made.path, base), digest(made.data)) for kind, made in files],
        [(digest(made.data), made.sources) for _, made in files if made.sources],
        pack.results.facts,
    )
    return notes


def _record_name(kind: OutputKind, made: Made) -> str:
    """The name under which the daybook keeps a file: swept kinds by their word, so that old files are found by it."""
    return kind.word if kind.swept else made.name


def _sweep(pack: Pack, kind: OutputKind) -> list[str]:
    """Take away files that earlier runs of this docket and period made and this run did not: old mails must not be
    sent. Files of other dockets, and those placed by hand, stay."""
    base = pack.results.docket.base
    made = {item.path for item in pack.files[kind.part]}
    known = Daybook(base).files_made(pack.results.docket.model.title, pack.results.period.text, kind.word)
    old = sorted(path for path in (base / file for file in known) if path.parent == pack.outbox and path.is_file())
    old = [path for path in old if path not in made]
    for path in old:
        path.unlink()
    return [f"{path.name} of an earlier run was taken out of the outbox" for path in old]


def _relative_path(path: Path, base: Path) -> str:
    try:
        return path.relative_to(base).as_posix()
    except ValueError:
        return str(path)
