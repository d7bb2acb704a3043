"""Where the pieces of a pack are made: on all processors, each written aside as it is done. Those that an earlier run
has made are taken from there."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from tinquire.base.faults import TinQuireError, merge_errors
from tinquire.base.noted_reads import noted_reads
from tinquire.base.processes import Workers
from tinquire.press.outputs.kinds import OUTPUTS
from tinquire.press.outputs.output import Made, Making, OutputKind, Piece, Progress
from tinquire.press.record.kept import FinishedFile, FinishedPiece, Kept, file_digest, store

__all__ = ["Workshop"]

_KINDS = {kind.part: kind for kind in OUTPUTS}


@dataclass(frozen=True)
class _Bench:
    """What each process knows."""

    making: Making
    #: Where contents are written aside; None to keep them in memory.
    folder: Path | None


@dataclass(frozen=True)
class _Done:
    """What came of a piece: its files, what else it was made from (digests by path), or what stopped it."""

    files: tuple[Made, ...] = ()
    read: Mapping[Path, str] | None = None
    error: TinQuireError | None = None


class Workshop:
    """Makes pieces; used as a context, whose end stops what is still under way."""

    def __init__(self, making: Making, kept: Kept, processes: int, progress: Progress) -> None:
        self._making, self._kept, self._progress = making, kept, progress
        bench = _Bench(replace(making, made={}), kept.folder)
        self.workers = Workers(bench, processes)
        self._begun: dict[str, list[tuple[OutputKind, Piece, Callable[[], _Done]]]] = {}
        self._count = self._finished = 0
        #: The digests of files that pieces are held against, worked out once.
        self._seen: dict[Path, str] = {}
        #: The pieces of this run, for its record.
        self.pieces: dict[str, FinishedPiece] = {}

    def __enter__(self) -> Workshop:
        return self

    def __exit__(self, *_: object) -> None:
        self.workers.__exit__()

    def is_kept(self, piece: Piece) -> bool:
        """Whether a piece need not be made again."""
        return self._found(piece) is not None

    def begin(self, kind: OutputKind, name: str, pieces: Iterable[Piece]) -> None:
        """Have the pieces of an output made."""
        todo = self._begun.setdefault(name, [])
        for piece in pieces:
            found = self._found(piece)
            if found is not None:
                self.pieces[piece.key] = found
                again = _Done(tuple(_again(piece, one) for one in found.files))
                todo.append((kind, piece, lambda again=again: again))  # type: ignore[misc]
                continue
            self._count += 1
            todo.append((kind, piece, self.workers.begin(_work, (kind.part, piece))))

    def finished(self, name: str) -> list[Made]:
        """The files of an output, once all of its pieces are made. Raises one error with all that went wrong."""
        errors: list[TinQuireError] = []
        made: list[Made] = []
        for kind, piece, result in self._begun.pop(name, ()):
            if piece.key not in self.pieces:
                self._progress(kind.progress.format(name), self._finished + 1, self._count)
            done = result()
            if done.error is not None:
                errors.append(done.error)
                continue
            if piece.key not in self.pieces:
                self._finished += 1
                self._note(piece, done)
            made += done.files
        if errors:
            raise merge_errors(errors)
        return made

    def _found(self, piece: Piece) -> FinishedPiece | None:
        """A piece that was made before of exactly the same, if its files are what they were."""
        found = self._kept.find(piece.key)
        if found is None or any(self._digest(path) != digest for path, digest in found.read.items()):
            return None
        # A record is a file like others: it must not lead anywhere else.
        return found if all(file.path.parent == piece.path.parent for file in found.files) else None

    def _digest(self, path: Path) -> str:
        if path not in self._seen:
            self._seen[path] = file_digest(path)
        return self._seen[path]

    def _note(self, piece: Piece, done: _Done) -> None:
        """Remember a piece that is finished, so that no later run has to make it again."""
        if any(not hasattr(one.content, "digest") for one in done.files):
            return  # it is in memory alone
        files = tuple(
            FinishedFile(one.path, one.content, one.summary, one.notes, one.warnings, one.sources)  # type: ignore[arg-type]
            for one in done.files
        )
        self.pieces[piece.key] = FinishedPiece(files, done.read or {})
        self._kept.put(piece.key, self.pieces[piece.key])


def _again(piece: Piece, one: FinishedFile) -> Made:
    return Made(
        name=piece.name, path=one.path, content=one.content, summary=one.summary, sources=one.sources, cut=piece.cut,
        warnings=one.warnings, again=True, notes=one.notes,
    )  # fmt: skip


def _work(bench: _Bench, item: tuple[str, Piece]) -> _Done:
    """Make a piece, in whatever process."""
    part, piece = item
    try:
        with noted_reads() as read:
            made = list(_KINDS[part].make(bench.making, piece))
    except TinQuireError as error:
        return _Done(error=error)
    if bench.folder is not None:
        made = [replace(one, content=store(bench.folder, one.pieces())) for one in made]
    return _Done(tuple(made), read)
