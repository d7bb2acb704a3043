"""Colours of series: an order in which neighbours differ in grey print and to colour-blind readers too.

Distances are those of CIE 1976 L*a*b* (D65); colour blindness is that of Viénot, Brettel and Mollon, "Digital video
colourmaps for checking the legibility of displays by dichromats" (1999).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from tinquire.looks.palette import luminance, tint

__all__ = ["distance", "neutral", "series_colours"]

#: Linear RGB as people without long-wave or medium-wave cones see it.
_PROTAN = ((0.11238, 0.88762, 0.0), (0.11238, 0.88762, 0.0), (0.00401, -0.00401, 1.0))
_DEUTAN = ((0.29275, 0.70725, 0.0), (0.29275, 0.70725, 0.0), (-0.02234, 0.02234, 1.0))
_SAME = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
_GREY = ((0.2126, 0.7152, 0.0722),) * 3
#: sRGB (IEC 61966-2-1) to XYZ, and the white of D65.
_XYZ = ((0.4124, 0.3576, 0.1805), (0.2126, 0.7152, 0.0722), (0.0193, 0.1192, 0.9505))
_WHITE = (0.9505, 1.0, 1.089)
#: Lighter ones are lost on white paper, darker ones look like text.
_DARKEST, _LIGHTEST = 0.22, 0.72
#: Differences of grey count this much: bars beside each other are mostly told apart by hue.
_GREY_SHARE = 1.6
#: A colour that is no farther from its grey than this is a grey to most.
_GREYISH = 14.0
#: Colours of the house that are nearer than this to one before them come after shades that are not.
_APART = 12.0
Triple = tuple[float, float, float]


def series_colours(colours: Sequence[str], count: int = 8) -> tuple[str, ...]:
    """So many colours out of a house's, lighter and darker ones of them where they do not suffice, the first of them
    first and each of the others the one that is farthest from all before it."""
    usable = [colour for colour in dict.fromkeys(colours) if _DARKEST <= luminance(colour) <= _LIGHTEST]
    usable = usable or ["2F5D7C", "C99A2E", "A6402F"]
    shades = [tint(colour, change) for change in (0.45, -0.35) for colour in usable]
    pool = usable + [shade for shade in shades if _DARKEST / 2 <= luminance(shade) <= _LIGHTEST + 0.08]
    chosen = [usable[0]]
    while len(chosen) < min(count, len(pool)):
        rest = [colour for colour in pool if colour not in chosen]
        if not rest:
            break
        apart = {colour: min(distance(colour, other) for other in chosen) for colour in rest}
        own = [colour for colour in rest if colour in usable and apart[colour] >= _APART]
        chosen.append(max(own or rest, key=lambda colour: apart[colour]))
    return tuple(chosen)


def distance(one: str, other: str) -> float:
    """How far apart two colours are to the reader for whom they are nearest: with full sight, without long-wave or
    medium-wave cones, or in grey print."""
    seen = [math.dist(_lab(one, sight), _lab(other, sight)) for sight in (_SAME, _PROTAN, _DEUTAN)]
    return min(*seen, _GREY_SHARE * math.dist(_lab(one, _GREY), _lab(other, _GREY)))


def _lab(colour: str, sight: Sequence[Triple]) -> Triple:
    linear = [_linear(int(colour[index : index + 2], 16) / 255) for index in (0, 2, 4)]
    seen = [min(max(sum(a * b for a, b in zip(row, linear, strict=True)), 0.0), 1.0) for row in sight]
    x, y, z = (
        _cube(sum(a * b for a, b in zip(row, seen, strict=True)) / white)
        for row, white in zip(_XYZ, _WHITE, strict=True)
    )
    return 116 * y - 16, 500 * (x - y), 200 * (y - z)


def _linear(part: float) -> float:
    return part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4


def _cube(share: float) -> float:
    return share ** (1 / 3) if share > (6 / 29) ** 3 else share / (3 * (6 / 29) ** 2) + 4 / 29


def neutral(colours: Sequence[str]) -> str:
    """The colour of a house for what stays in the background: of those neither light nor dark the greyest."""
    middle = [colour for colour in colours if 0.2 <= luminance(colour) <= 0.6]
    greyest = min(middle, key=lambda colour: math.dist(_lab(colour, _SAME), _lab(colour, _GREY)), default="8A979C")
    return greyest if math.dist(_lab(greyest, _SAME), _lab(greyest, _GREY)) < _GREYISH else "8A979C"
