"""What a run makes: finished files, not yet written."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from tinquire.cells.values import Value
from tinquire.press.record.sourced import Sourced

__all__ = ["Made"]


@dataclass(frozen=True, slots=True)
class Made:
    """A finished output: its name in the docket, its place, its bytes, a few words on what is in it, and what the
    cells of its sheets are made of."""

    name: str
    path: Path
    data: bytes
    says: str
    sourced: tuple[Sourced, ...] = ()
    #: The column and value that a file of a split workbook is of.
    cut: tuple[str, Value] | None = None
