"""Signs of marks (ECMA-376 Part 1, 18.18.42) as letters: the form by their set, the colour by their place."""

from __future__ import annotations

from tinquire.workbook.grid.marks import SIGN_SETS

__all__ = ["sign_of"]

#: Forms from the lowest to the highest; sets that are told apart by colour alone have one.
_SHAPES = {
    "Arrows": "▼◢▶◥▲", "ArrowsGray": "▼◢▶◥▲", "Flags": "⚑", "Signs": "◆▲●", "Symbols": "✗!✓", "Rating": "▁▃▅▇█",
    "Quarters": "○◔◑◕●",
}  # fmt: skip
_COLOURS = ("A6402F", "B9722F", "C99A2E", "7F9145", "4C7A4F")
_GREY, _FLAT = frozenset({"Rating", "Quarters"}), "5F6B70"


def sign_of(name: str, place: int) -> tuple[str, str]:
    """The letter and the colour of a sign: the set's name, and its place in it from the lowest on."""
    count = SIGN_SETS[name]
    bare = name.lstrip("345").rstrip("12")
    shapes = _SHAPES.get(bare, "●")
    shape = shapes[round(place * (len(shapes) - 1) / (count - 1))]
    return shape, _FLAT if bare.endswith("Gray") or bare in _GREY else _COLOURS[round(place * 4 / (count - 1))]
