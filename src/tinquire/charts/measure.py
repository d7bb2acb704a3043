"""How wide text is in a font, and how it breaks into lines."""

from __future__ import annotations

import logging
import os
from collections.abc import Callable
from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.ft2font import FT2Font

__all__ = ["Type", "families", "text_width", "wrapped"]

#: The font that stands in where a house's own is not on the machine; Matplotlib brings it along.
STAND_IN = "DejaVu Sans"
#: Fonts that have letters of many scripts, where they are on the machine: for what a house's own lacks.
_WIDE = ("Noto Sans CJK SC", "Noto Sans CJK JP", "Noto Sans", "Droid Sans Fallback", "Unifont")
_SIZE = 100.0


@lru_cache(maxsize=64)
def families(family: str) -> tuple[str, ...]:
    """A font family, the stand-in for it, and those that have what both lack; of them those that are there."""
    from matplotlib import font_manager

    # It tells of every font that has no bold letters; theirs are drawn plain.
    logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)
    known = {entry.name.casefold(): entry.name for entry in font_manager.fontManager.ttflist}
    wanted = (family, STAND_IN, *_WIDE)
    return tuple(dict.fromkeys(known[name.casefold()] for name in wanted if name.casefold() in known))


@lru_cache(maxsize=64)
def _face(family: str, bold: bool) -> FT2Font:
    from matplotlib import font_manager

    weight = "bold" if bold else "normal"
    properties = [font_manager.FontProperties(family=name, weight=weight) for name in families(family)]
    return font_manager.get_font([font_manager.fontManager.findfont(one) for one in properties])


if hasattr(os, "register_at_fork"):  # a copy of this process would read from the same open file, at the same place
    os.register_at_fork(after_in_child=_face.cache_clear)


@lru_cache(maxsize=8192)
def text_width(text: str, size: float, family: str, *, bold: bool = False) -> float:
    """The width of one line of text in points."""
    from matplotlib.ft2font import LoadFlags

    face = _face(family, bold)
    face.set_size(_SIZE, 72)
    face.set_text(text, 0.0, flags=LoadFlags.NO_HINTING)
    width, _ = face.get_width_height()
    return float(width) / 64 * size / _SIZE


class Type:
    """A font family in which lines are measured and broken."""

    def __init__(self, family: str) -> None:
        self.family = family

    def width(self, text: str, size: float, *, bold: bool = False) -> float:
        return text_width(text, size, self.family, bold=bold)

    def lines(self, text: str, size: float, room: float, *, bold: bool = False, most: int = 99) -> list[str]:
        """A text in lines no wider than there is room for: broken between words, long words within."""
        return wrapped(text, lambda part: self.width(part, size, bold=bold), room, most)


#: A text longer than this is seen to be too wide by as much of it.
_LONG = 200


def wrapped(text: str, width: Callable[[str], float], room: float, most: int = 99) -> list[str]:
    """A text in lines no wider than there is room for, at most so many; what is left out is shown by an ellipsis."""

    def fits(part: str) -> bool:
        return not (len(part) > _LONG and width(part[:_LONG]) > room) and width(part) <= room

    lines: list[str] = []
    current = ""
    for word in text.split():
        longer = f"{current} {word}".strip()
        if fits(longer):
            current = longer
            continue
        if current:
            lines.append(current)
        current = word
        # Once there are more lines than are shown, the rest is not looked at: a word may be as long as a cell's text.
        while len(lines) <= most and len(current) > 1 and not fits(current):
            cut = _fitting(current, fits)
            lines.append(current[:cut])
            current = current[cut:]
        if len(lines) > most:
            break
    if current or not lines:
        lines.append(current)
    if len(lines) > most:
        last = lines[most - 1]
        while last and width(last + "…") > room:
            last = last[:-1]
        lines = [*lines[: most - 1], last.rstrip() + "…"]
    return lines


def _fitting(word: str, fits: Callable[[str], bool]) -> int:
    """How many letters of a word that is too wide fit, at least one; found without measuring all of a long one."""
    low, high = 1, 2
    while high < len(word) and fits(word[:high]):
        low, high = high, 2 * high
    high = min(high, len(word))  # so many do not fit
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if fits(word[:middle]) else (low, middle)
    return low
