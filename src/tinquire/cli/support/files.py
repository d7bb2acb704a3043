"""Files named on the command line: one by one, by pattern, or by folder."""

from __future__ import annotations

import glob
import os
from collections.abc import Iterator, Sequence
from pathlib import Path

from tinquire.base.faults import AccessError, Fault
from tinquire.cli.support.terminal import Terminal

__all__ = ["find_files"]

_PACKAGES = (".xlsx", ".xlsm", ".xltx", ".xltm")


def find_files(words: Sequence[str], terminal: Terminal, *, workbooks_only: bool = True) -> tuple[list[Path], Path]:
    """The files meant, each once, and the folder that they have in common; of folders the workbooks only.

    Lock files are passed over, and said so.

    Raises: AccessError when a word means no file.
    """
    from tinquire.sources.find_files import LOCK_PREFIX

    found: dict[Path, None] = {}
    for word in words:
        meant = sorted(path for path in _meant(word) if path.is_file())
        paths = [path for path in meant if not path.name.startswith(LOCK_PREFIX)]
        for lock in meant:
            if lock not in paths:
                terminal.line("left", f"{lock.as_posix()}: a program's lock file, passed over")
        if not paths:
            why = f"there is no {'workbook' if workbooks_only else 'file'} '{word}'"
            raise AccessError(Fault("finding the files", why, do="check the name, or quote the pattern"))
        found.update(dict.fromkeys(paths))
    files = list(found)
    return files, Path(os.path.commonpath([path.absolute().parent for path in files]))


def _meant(word: str) -> Iterator[Path]:
    """The files that a word means; of folders and patterns none of the originals that commands keep."""
    from tinquire.base.atomic_files import ORIGINALS

    path = Path(word)
    if path.is_dir():
        inside = (item for item in path.rglob("*") if ORIGINALS not in item.relative_to(path).parts)
        candidates = [item for item in inside if item.suffix.lower() in _PACKAGES]
    elif path.is_file():
        candidates = [path]
    else:
        found = [Path(item) for item in glob.glob(word, recursive=True)]  # noqa: PTH207 - absolute patterns, too
        candidates = [item for item in found if ORIGINALS in path.parts or ORIGINALS not in item.parts]
    return iter(candidates)
