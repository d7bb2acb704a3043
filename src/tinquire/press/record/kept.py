"""Finished pieces of a pack: written aside as they are done, found again when nothing that they are made of changed.

A piece is known by its key, a digest of all that it is made of. What a run that was broken off has finished lies in a
folder of its own, told line by line in a journal; what an earlier run has put in its place is known from the daybook.
Whatever is found is held against its digest before it is taken.
"""

from __future__ import annotations

import base64
import hashlib
import json
import shutil
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tinquire.base.faults import AccessError, Fault
from tinquire.base.file_names import path_below
from tinquire.press.record.cell_sources import CellSources
from tinquire.press.record.packing import pack_cells, pack_origin, unpack_cells, unpack_origin

__all__ = ["FinishedFile", "FinishedPiece", "Kept", "StoredFile", "file_digest", "key_of", "store"]

_JOURNAL = "finished"


@dataclass(frozen=True, slots=True)
class StoredFile:
    """A content that lies on disk, with its digest and its size in bytes. Called, it gives the content in pieces."""

    path: Path
    digest: str
    size: int

    def __call__(self) -> Sequence[bytes]:
        """Raises AccessError when it is no longer there."""
        try:
            return (self.path.read_bytes(),)
        except OSError as error:
            do = "run it again, while no other run of this docket goes on"
            raise AccessError(Fault("putting the pack together", str(error), str(self.path), do)) from None

    @property
    def is_whole(self) -> bool:
        """Whether the content is what it was."""
        try:
            return self.path.stat().st_size == self.size and file_digest(self.path) == self.digest
        except OSError:
            return False


@dataclass(frozen=True, slots=True)
class FinishedFile:
    """A file of a piece: where it belongs, its content, and what is told of it."""

    path: Path
    content: StoredFile
    summary: str = ""
    notes: tuple[str, ...] = ()
    warnings: tuple[Fault, ...] = ()
    sources: tuple[CellSources, ...] = ()

    def says(self, base: Path) -> dict[str, Any]:
        """All but the content and its sources, for a record below a folder."""
        return {
            "path": path_below(self.path, base), "digest": self.content.digest, "size": self.content.size,
            "summary": self.summary, "notes": self.notes, "warnings": [one.as_dict() for one in self.warnings],
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class FinishedPiece:
    """The files of a piece, and the digests of files that it was made from beside what its key tells."""

    files: tuple[FinishedFile, ...]
    read: Mapping[Path, str]

    def says(self, base: Path, *, sources: bool = False) -> dict[str, Any]:
        """It for a record, with paths below a folder; with what its cells are made of, or without."""
        files = [file.says(base) | ({"sources": _packed(file.sources)} if sources else {}) for file in self.files]
        return {"files": files, "read": {path_below(path, base): digest for path, digest in self.read.items()}}


class Kept:
    """The pieces that need not be made again."""

    def __init__(
        self, folder: Path | None = None, base: Path = Path(), placed: Mapping[str, dict[str, Any]] | None = None,
        *, fresh: bool = False,
    ) -> None:  # fmt: skip
        """`folder` is where pieces are written aside; without one they stay in memory. `placed` are those of an earlier
        run by their keys, as `FinishedPiece.says`, with paths below `base`."""
        self._folder, self._base = folder, base
        if fresh:
            self.clear()
        self._placed = placed or {}
        self._finished = dict(_read_journal(folder))

    @property
    def folder(self) -> Path | None:
        return self._folder

    def find(self, key: str) -> FinishedPiece | None:
        """A piece that was finished before, if all of its files are what they were."""
        for line, aside in ((self._finished.get(key), True), (self._placed.get(key), False)):
            if line is not None:
                try:
                    files = tuple(self._file(one, aside) for one in line["files"])
                    read = {self._base / str(path): str(digest) for path, digest in line["read"].items()}
                except (AttributeError, KeyError, TypeError, ValueError):
                    continue  # the record is damaged: the piece is made again
                if all(file.content.is_whole for file in files):
                    return FinishedPiece(files, read)
        return None

    def _file(self, line: Mapping[str, Any], aside: bool) -> FinishedFile:
        path = self._base / str(line["path"])
        at = path
        if aside:
            assert self._folder is not None
            at = self._folder / str(line["digest"])
        stored = StoredFile(at, str(line["digest"]), int(line["size"]))
        warnings = tuple(Fault(**one) for one in line["warnings"])
        return FinishedFile(
            path, stored, str(line["summary"]), tuple(map(str, line["notes"])), warnings, _unpacked(line.get("sources"))
        )

    def put(self, key: str, piece: FinishedPiece) -> None:
        """Note that a piece is finished. Raises AccessError when that cannot be written."""
        if self._folder is None:
            return
        try:
            with (self._folder / _JOURNAL).open("a", encoding="utf-8") as journal:
                journal.write(json.dumps([key, piece.says(self._base, sources=True)]) + "\n")
        except OSError as error:
            raise _no_room(error, self._folder) from None

    def clear(self) -> None:
        """Take away what is aside, since all of it is in its place."""
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)


def store(folder: Path, pieces: Sequence[bytes]) -> StoredFile:
    """Write a content aside, under its digest. Raises AccessError when there is no room for it."""
    found = hashlib.sha256()
    for piece in pieces:
        found.update(piece)
    path = folder / found.hexdigest()
    size = sum(map(len, pieces))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with path.open("wb") as stream:
            stream.writelines(pieces)
    except OSError as error:
        raise _no_room(error, path) from None
    return StoredFile(path, path.name, size)


def key_of(*words: object) -> str:
    """A key made of words: they are told apart wherever one ends and the next begins."""
    found = hashlib.sha256()
    for word in words:
        text = str(word).encode()
        found.update(b"%d:" % len(text) + text)
    return found.hexdigest()


def file_digest(path: Path) -> str:
    """SHA-256 of a file in hexadecimal digits; nothing for one that is not there."""
    try:
        with path.open("rb") as stream:
            return hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError:
        return ""


def _no_room(error: OSError, path: Path) -> AccessError:
    why = (error.strerror or str(error)).strip()
    do = "make room on that disk, or its folder writable; what is finished need not be made again"
    return AccessError(Fault("writing files aside", f"{why[:1].lower()}{why[1:]}", str(path), do))


def _read_journal(folder: Path | None) -> Iterable[tuple[str, dict[str, Any]]]:
    """The pieces of a journal. A line that broke off, or is damaged, counts as none."""
    if folder is None:
        return
    try:
        lines = (folder / _JOURNAL).read_text("utf-8").splitlines()
    except (OSError, UnicodeDecodeError):
        return
    for line in lines:
        try:
            key, piece = json.loads(line)
        except (TypeError, ValueError):
            continue
        if isinstance(key, str) and isinstance(piece, dict):
            yield key, piece


def _packed(sources: Sequence[CellSources]) -> list[Any]:
    """What cells are made of as JSON: origins, each once, and lines with the number of theirs."""
    origins: dict[int, int] = {}
    packed: list[Any] = []
    lines: list[Any] = []
    for one in sources:
        if one.origin is not None and id(one.origin) not in origins:
            origins[id(one.origin)] = len(packed)
            packed.append([_text(part) for part in pack_origin(one.origin)])
        at = None if one.origin is None else origins[id(one.origin)]
        lines.append([at, *map(_text, pack_cells(one))])
    return [packed, lines] if lines else []


def _unpacked(found: Any) -> tuple[CellSources, ...]:
    if not found:
        return ()
    origins = [unpack_origin(*(_bytes(part) for part in one)) for one in found[0]]
    return tuple(
        unpack_cells([_bytes(part) for part in line], None if at is None else origins[at]) for at, *line in found[1]
    )


def _text(part: object) -> object:
    return {"bytes": base64.b64encode(part).decode()} if isinstance(part, bytes) else part


def _bytes(part: Any) -> Any:
    return base64.b64decode(part["bytes"]) if isinstance(part, dict) else part
