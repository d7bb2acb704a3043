"""How sheets are printed, as a house or a docket asks for it: what is None is left to whoever asks after it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields

__all__ = ["PAPERS", "PagePlan"]

#: Papers by name, and their numbers in files (ECMA-376 Part 1, 18.18.50).
PAPERS = {"letter": 1, "tabloid": 3, "legal": 5, "A3": 8, "A4": 9, "A5": 11}


@dataclass(frozen=True, kw_only=True)
class PagePlan:
    """Margins are millimetres: left, right, top, bottom, and those of the header and the footer. `fit` is pages across
    and down, 0 for any. Headers and footers have up to three parts: left, centre, right."""

    paper: str | None = None
    landscape: bool | None = None
    margins: Sequence[float] | None = None
    scale: int | None = None
    fit: Sequence[int] | None = None
    centre: str | None = None
    header: Sequence[str] | None = None
    footer: Sequence[str] | None = None
    order: str | None = None
    grid_lines: bool | None = None
    repeat_columns: int | None = None
    #: A page ends where the value of this column changes.
    breaks: str | None = None
    #: The cells that are printed.
    area: str | None = None

    def over(self, other: PagePlan) -> PagePlan:
        """What this plan says, and the other's word where it says nothing. A scale and a fit exclude each other."""
        given = {one.name: value for one in fields(self) if (value := getattr(self, one.name)) is not None}
        below = {one.name: value for one in fields(other) if (value := getattr(other, one.name)) is not None}
        if "scale" in given or "fit" in given:
            below = {name: value for name, value in below.items() if name not in ("scale", "fit")}
        return PagePlan(**{**below, **given})
