"""Names of files made from data: always valid, never a path."""

from __future__ import annotations

import re
import unicodedata
from pathlib import Path

__all__ = ["path_below", "safe_file_name"]

#: What no common file system takes in a name, path separators first of all.
_FORBIDDEN = re.compile(r'[/\\:*?"<>|\x00-\x1f\x7f]')
#: Names that some systems keep for devices, whatever their ending.
_DEVICES = re.compile(r"(?:con|prn|aux|nul|com[1-9]|lpt[1-9])(?:\.|\Z)", re.IGNORECASE)
#: Most file systems end at 255 bytes; a name is cut well below that, before its ending.
_LONGEST = 180


def safe_file_name(name: str) -> str:
    """The name with forbidden characters as dashes, without dots and spaces at its ends, and not too long."""
    text = _FORBIDDEN.sub("-", unicodedata.normalize("NFC", name)).strip(" .")
    if not text or _DEVICES.match(text):
        text = f"_{text}"
    stem, dot, ending = text.rpartition(".")
    if len(text.encode()) > _LONGEST:
        stem = (stem or text).encode()[: _LONGEST - len(ending.encode()) - 1].decode(errors="ignore")
        text = f"{stem.rstrip(' .')}{dot}{ending}" if dot else stem
    return text


def path_below(path: Path, base: Path) -> str:
    """A path as records and messages write it: from a folder on when it lies inside, with strokes on every system."""
    try:
        return path.relative_to(base).as_posix()
    except ValueError:
        return str(path)
