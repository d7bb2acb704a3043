"""A docket that was read: its content, its folder, and where each of its keys stands."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from tinquire.docket.lines import KeyPath
from tinquire.docket.schema.docket import DocketModel

__all__ = ["Docket"]


@dataclass(frozen=True)
class Docket:
    """A docket that was read, the folder it stands in, and where each of its keys stands."""

    model: DocketModel
    path: Path
    lines: Mapping[KeyPath, int]

    @property
    def base(self) -> Path:
        return self.path.parent

    def where(self, *path: str | int) -> str:
        """The position of a key, or of the nearest thing around it."""
        for length in range(len(path), 0, -1):
            if path[:length] in self.lines:
                return f"{self.path.name}, line {self.lines[path[:length]]}"
        return self.path.name
