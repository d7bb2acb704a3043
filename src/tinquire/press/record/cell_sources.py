"""Cells of an output, and the rows of the sources that they are made of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tinquire.cells.address import Area
from tinquire.tables import Members, Origin

__all__ = ["CellSources"]


@dataclass(frozen=True, slots=True)
class CellSources:
    """Cells of a sheet, what they are of in words, and the rows that they are made of: rows of `origin`.

    `lines` has those of each row of the area, `across` those of each of its columns: a cell is made of the rows that
    are in both. Without `lines`, row by row of the area is a row of the origin, or with `whole` every cell is of all of
    them. `notes` are more words, row by row.
    """

    sheet: str
    area: Area
    says: str
    origin: Origin | None = None
    lines: Members | None = None
    across: Members | None = None
    whole: bool = False
    notes: tuple[str, ...] = ()

    def rows_at(self, row: int, column: int) -> Origin | None:
        """The rows that a cell is made of."""
        if self.origin is None:
            return None
        if self.whole:
            return self.origin.of(np.arange(self.origin.height))
        line = row - self.area.top
        positions = np.array([line]) if self.lines is None else self.lines.of(line)
        if self.across is not None:
            positions = np.intersect1d(positions, self.across.of(column - self.area.left))
        return self.origin.of(positions)
