"""Many files put in their places at once: all of them, or none."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path

from tinquire.faults import AccessError, Fault

__all__ = ["write_all"]


def write_all(files: Sequence[tuple[Path, bytes]]) -> None:
    """Write files into folders aside on the same disks, then move each to its place; what was there is kept aside until
    the last one stands.

    Raises: AccessError when one cannot be written or moved. All that was moved is moved back; what cannot be is said,
    and stays in the folder aside.
    """
    asides: dict[Path, Path] = {}
    moved: list[tuple[Path, Path | None]] = []
    place = Path()
    try:
        staged = []
        for number, (place, data) in enumerate(files):
            if place.parent not in asides:
                place.parent.mkdir(parents=True, exist_ok=True)
                asides[place.parent] = Path(tempfile.mkdtemp(prefix=".making-", dir=place.parent))
            if place.exists():
                # A file that is locked by a program, or marked read-only, stops us before the first move.
                with place.open("r+b"):
                    pass
            staged.append((_written(asides[place.parent] / f"{number}-new", data), place))
        for number, (aside, place) in enumerate(staged):
            before = asides[place.parent] / f"{number}-before" if place.exists() else None
            if before is not None:
                os.replace(place, before)  # noqa: PTH105 - one name for all moves here
            moved.append((place, before))
            os.replace(aside, place)  # noqa: PTH105
    except OSError as error:
        why = (error.strerror or str(error)).strip()
        left = _moved_back(moved)
        if left:
            asides.clear()  # they hold the only copies
        do = "close it where it is open, or make its folder writable; "
        do += (
            f"{', '.join(left)} could not be put back: see the folders .making-* beside"
            if left
            else "nothing was changed"
        )
        raise AccessError(Fault("writing the pack", f"{why[:1].lower()}{why[1:]}", str(place), do)) from None
    finally:
        for folder in asides.values():
            shutil.rmtree(folder, ignore_errors=True)


def _written(path: Path, data: bytes) -> Path:
    """A file on the disk, not only on its way there."""
    with path.open("xb") as stream:
        stream.write(data)
        stream.flush()
        os.fsync(stream.fileno())
    return path


def _moved_back(moved: Sequence[tuple[Path, Path | None]]) -> list[str]:
    """Put everything back as it was, the last first; the names of what could not be."""
    left = []
    for place, before in reversed(moved):
        try:
            if before is not None:
                os.replace(before, place)  # noqa: PTH105
            else:
                place.unlink(missing_ok=True)
        except OSError:
            left.append(place.name)
    return left
