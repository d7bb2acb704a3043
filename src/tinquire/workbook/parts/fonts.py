"""Letters, alignment and protection of a style (ECMA-376 Part 1, 18.8.22, 18.8.1, 18.8.33) with some parts
exchanged."""

from __future__ import annotations

import copy
import math

from lxml import etree

from tinquire.looks import Variation
from tinquire.packages.xml import child, insert_child

__all__ = ["font_size", "turn_code", "turned_by", "vary_alignment", "vary_font", "vary_protection"]

#: Children of a font in the order that files keep.
_FONT_ORDER = (
    "b", "i", "strike", "condense", "extend", "outline", "shadow", "u", "vertAlign", "sz", "color", "name", "family",
    "charset", "scheme",
)  # fmt: skip
_XF_ORDER = ("alignment", "protection", "extLst")
#: No letters are larger, in points, whatever a file says.
_LARGEST = 409.0


def font_size(font: etree._Element | None) -> float:
    """The size that a font states (18.4.11), in points; 0 where it states none, or what is no size."""
    stated = child(font, "sz")
    try:
        size = float("" if stated is None else stated.get("val", ""))
    except ValueError:
        return 0.0
    return min(max(size, 0.0), _LARGEST) if math.isfinite(size) else 0.0


def vary_font(font: etree._Element | None, change: Variation, empty: etree._Element) -> etree._Element | None:
    """A font with the letters of a change; None when the change says nothing of letters."""
    flags = (("b", change.bold), ("i", change.italic), ("u", change.underline), ("strike", change.strike))
    values = {
        "sz": None if change.size is None else {"val": f"{change.size:g}"},
        "name": None if change.font is None else {"val": change.font},
        "color": None if change.colour is None else {"rgb": f"FF{change.colour}"},
    }
    if all(given is None for _, given in flags) and not any(values.values()):
        return None
    fresh = empty if font is None else copy.deepcopy(font)
    fresh.tail = None
    for name, given in flags:
        if given is not None:
            _replace(fresh, name, {} if given else None)
    for name, attributes in values.items():
        if attributes is not None:
            _replace(fresh, name, attributes)
    if change.font is not None:
        _replace(fresh, "scheme", None)  # a theme's font would win over the name
    return fresh


def _replace(font: etree._Element, name: str, attributes: dict[str, str] | None) -> None:
    known = child(font, name)
    if known is not None:
        font.remove(known)
    if attributes is not None:
        fresh = insert_child(font, name, _FONT_ORDER)
        for key, value in attributes.items():
            fresh.set(key, value)


def vary_alignment(xf: etree._Element, change: Variation) -> None:
    """Set the parts of a style's alignment that a change names."""
    given = {
        "horizontal": change.align,
        "vertical": change.valign,
        "wrapText": None if change.wrap is None else str(int(change.wrap)),
        "indent": None if change.indent is None else str(change.indent),
        "textRotation": None if change.turned is None else str(turn_code(change.turned)),
        "shrinkToFit": None if change.shrink is None else str(int(change.shrink)),
    }
    stated = {name: value for name, value in given.items() if value is not None}
    if not stated:
        return
    alignment = child(xf, "alignment")
    if alignment is None:
        alignment = insert_child(xf, "alignment", _XF_ORDER)
    for name, value in stated.items():
        alignment.set(name, value)
    xf.set("applyAlignment", "1")


def vary_protection(xf: etree._Element, change: Variation) -> None:
    """Lock or unlock the cells of a style (18.8.33)."""
    if change.locked is None:
        return
    protection = child(xf, "protection")
    if protection is None:
        protection = insert_child(xf, "protection", _XF_ORDER)
    protection.set("locked", str(int(change.locked)))
    xf.set("applyProtection", "1")


def turn_code(degrees: int) -> int:
    """Degrees from -90 to 90 as `textRotation` counts them (18.8.1): those below zero go on after 90."""
    return degrees if degrees >= 0 else 90 - degrees


def turned_by(code: int) -> int:
    """What `textRotation` says in degrees; letters below each other (255) are not turned."""
    return code if 0 <= code <= 90 else 90 - code if code <= 180 else 0
