"""Colour arithmetic: the indexed palette of ECMA-376 Part 1, 18.8.27, and tints of 18.8.19."""

from __future__ import annotations

import colorsys
from string import hexdigits

__all__ = ["INDEXED", "luminance", "rgb", "scaled_lightness", "tint"]

_DIGITS = 6

_EIGHT = "000000 FFFFFF FF0000 00FF00 0000FF FFFF00 FF00FF 00FFFF"
_REST = (
    "800000 008000 000080 808000 800080 008080 C0C0C0 808080 9999FF 993366 FFFFCC CCFFFF 660066 FF8080 0066CC CCCCFF "
    "000080 FF00FF FFFF00 00FFFF 800080 800000 008080 0000FF 00CCFF CCFFFF CCFFCC FFFF99 99CCFF FF99CC CC99FF FFCC99 "
    "3366FF 33CCCC 99CC00 FFCC00 FF9900 FF6600 666699 969696 003366 339966 003300 333300 993300 993366 333399 333333"
)
#: Colours that a file names by number: eight, the same eight again, and forty-eight more.
INDEXED: tuple[str, ...] = (*_EIGHT.split(), *_EIGHT.split(), *_REST.split())


def rgb(text: str | None) -> str | None:
    """A colour in six hex digits, the last of eight; None for what is no colour."""
    digits = "" if text is None else text[-_DIGITS:]
    return digits.upper() if len(digits) == _DIGITS and set(digits) <= set(hexdigits) else None


def tint(colour: str, tint: float) -> str:
    """A colour made lighter (tint above 0) or darker (below), by its lightness (18.8.19)."""
    return scaled_lightness(colour, 1 + tint, 0.0) if tint < 0 else scaled_lightness(colour, 1 - tint, tint)


def scaled_lightness(colour: str, factor: float, added: float) -> str:
    """A colour whose lightness is multiplied, and then added to (20.1.2.3.20 and .21)."""
    if factor == 1 and not added:
        return colour
    red, green, blue = (int(colour[index : index + 2], 16) / 255 for index in (0, 2, 4))
    hue, light, saturation = colorsys.rgb_to_hls(red, green, blue)
    light = min(max(light * factor + added, 0.0), 1.0)
    return "".join(f"{round(part * 255):02X}" for part in colorsys.hls_to_rgb(hue, light, saturation))


def luminance(colour: str) -> float:
    """How light a colour is to the eye, 0 to 1 (ITU-R BT.709 weights on its plain components)."""
    red, green, blue = (int(colour[index : index + 2], 16) / 255 for index in (0, 2, 4))
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue
