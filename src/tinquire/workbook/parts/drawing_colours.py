"""Colours of drawings (ECMA-376 Part 1, 20.1.2.3): given as such, by theme, or by the system, with changes of
lightness."""

from __future__ import annotations

from collections.abc import Sequence

from lxml import etree

from tinquire.looks.palette import rgb, scaled_lightness
from tinquire.packages.xml import child, local

__all__ = ["drawing_colour", "opacity_of"]

#: The places of theme colours by their names (20.1.10.46); text and background are what the usual map makes of them.
_SCHEME = {
    "lt1": 0, "bg1": 0, "dk1": 1, "tx1": 1, "lt2": 2, "bg2": 2, "dk2": 3, "tx2": 3, "accent1": 4, "accent2": 5,
    "accent3": 6, "accent4": 7, "accent5": 8, "accent6": 9, "hlink": 10, "folHlink": 11,
}  # fmt: skip
#: Named colours that occur (20.1.10.48).
_PRESET = {
    "black": "000000", "white": "FFFFFF", "red": "FF0000", "green": "008000", "blue": "0000FF", "yellow": "FFFF00",
    "gray": "808080", "grey": "808080", "orange": "FFA500", "navy": "000080", "silver": "C0C0C0",
}  # fmt: skip
_PARTS = 100_000


def drawing_colour(fill: etree._Element | None, theme: Sequence[str]) -> str | None:
    """RGB of what holds a colour; `theme` are the theme's colours in the order of 18.8.3's attribute. None for none."""
    element = next((item for item in (() if fill is None else fill) if local(item).endswith("Clr")), None)
    if element is None:
        return None
    value, base = element.get("val", ""), None
    match local(element):
        case "srgbClr":
            base = rgb(value)
        case "schemeClr":
            place = _SCHEME.get(value)
            base = theme[place] if place is not None and place < len(theme) else None
        case "sysClr":
            base = rgb(element.get("lastClr", "000000"))
        case "prstClr":
            base = _PRESET.get(value)
    if base is None:
        return None
    return scaled_lightness(base, _share(element, "lumMod", 1.0), _share(element, "lumOff", 0.0))


def opacity_of(fill: etree._Element | None) -> float:
    """How opaque a colour is, from 0 to 1 (20.1.2.3.1)."""
    element = next((item for item in (() if fill is None else fill) if local(item).endswith("Clr")), None)
    return 1.0 if element is None else min(max(_share(element, "alpha", 1.0), 0.0), 1.0)


def _share(element: etree._Element, name: str, otherwise: float) -> float:
    found = child(element, name)
    try:
        return otherwise if found is None else float(found.get("val", "")) / _PARTS
    except ValueError:
        return otherwise
