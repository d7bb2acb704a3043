"""Files by pattern, in an order that does not depend on the machine."""

from __future__ import annotations

import glob
import re
from pathlib import Path

from tinquire.base.atomic_files import ORIGINALS
from tinquire.base.faults import AccessError, Fault
from tinquire.base.wording import nearest

__all__ = ["LOCK_PREFIX", "WORKBOOK_ENDINGS", "matching_files", "named_as_workbook"]

#: Programs leave files of this kind beside a workbook that is open.
LOCK_PREFIX = "~$"
#: Endings of the files that hold sheets.
WORKBOOK_ENDINGS = frozenset({".xlsx", ".xlsm", ".xltx", ".xltm", ".ods", ".fods", ".xls"})


def named_as_workbook(path: Path) -> bool:
    """Whether a file's name claims that it is a workbook."""
    return path.suffix.lower() in WORKBOOK_ENDINGS


def matching_files(pattern: str, base: Path, stopped: str, where: str = "") -> tuple[list[Path], list[str]]:
    """Files that match a pattern (`*`, `?`, `[...]`, `**`) below a folder, in natural order, and notes on those
    passed over. Raises AccessError when there is none."""
    found = [Path(path) for path in glob.glob(str(base / pattern), recursive=True)]  # noqa: PTH207 - absolute patterns, too
    files = [path for path in found if path.is_file() and ORIGINALS not in path.relative_to(base).parts]
    locks = [path for path in files if path.name.startswith(LOCK_PREFIX)]
    notes = [f"{path.name} passed over: a program's lock file" for path in sorted(locks)]
    files = sorted((path for path in files if path not in locks), key=_natural)
    if not files:
        raise AccessError(Fault(stopped, f"no file matches '{pattern}'", where, _hint(pattern, base)))
    return files, notes


def _natural(path: Path) -> list[tuple[int, int, str]]:
    """Numbers in names compare as numbers: `part 2` comes before `part 10`."""
    pieces = re.split(r"(\d+)", str(path).casefold())
    return [(1, int(piece), "") if piece.isdecimal() else (0, 0, piece) for piece in pieces]


def _hint(pattern: str, base: Path) -> str:
    """What to do: the first folder on the way that is missing, or files that are there."""
    folder = base
    for step in Path(pattern).parent.parts:
        if not (folder / step).is_dir():
            near = nearest(step, [entry.name for entry in folder.iterdir() if entry.is_dir()])
            beside = f", but there is '{near[0]}'" if near else ""
            inside = folder.relative_to(base).as_posix() if folder.is_relative_to(base) else str(folder)
            shown = "the job's folder" if inside == "." else f"'{inside}'"
            return f"put the files there: {shown} has no folder '{step}'{beside}"
        folder = folder / step
    there = sorted(entry.name for entry in folder.iterdir() if entry.is_file())[:3]
    if there:
        return f"put the files there, or fix the pattern (the folder holds {', '.join(there)})"
    return "put the files there: the folder is empty"
