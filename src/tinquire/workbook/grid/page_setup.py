"""How a sheet is printed, as a value (ECMA-376 Part 1, 18.3.1.62 to .64, .46, .74)."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["PageSetup"]


@dataclass(frozen=True, slots=True)
class PageSetup:
    """How a sheet is printed: `paper` is a number of 18.18.50; margins are in inches, left, right, top, bottom, header
    and footer; `fit` is pages across and down, 0 for any; headers and footers are in the codes of 18.3.1.46."""

    orientation: str = "default"
    paper: int = 0
    scale: int = 100
    fit: tuple[int, int] | None = None
    margins: tuple[float, ...] = ()
    header: str = ""
    footer: str = ""
    #: Pages end after these rows and columns.
    row_breaks: tuple[int, ...] = ()
    column_breaks: tuple[int, ...] = ()
    #: Whether what is printed stands in the middle, across and down.
    centred: tuple[bool, bool] = (False, False)
    gridlines: bool = False
    #: Whether pages follow each other across first, and then down.
    across_first: bool = False
