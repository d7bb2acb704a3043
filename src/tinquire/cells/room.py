"""How much of a rectangle may be empty before it is not built at all: one cell far out makes one of billions."""

from __future__ import annotations

__all__ = ["mostly_empty"]

#: A rectangle of at most so many cells is built whatever it holds; a larger one when one cell in so many is filled.
ROOM, SPREAD = 4_000_000, 100


def mostly_empty(size: int, filled: int) -> bool:
    """Whether a rectangle of `size` cells, of which some are filled, would take memory out of all proportion."""
    return size > ROOM + SPREAD * filled
