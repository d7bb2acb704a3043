"""Column widths that fit their content.

A file states a width in characters: how many of the widest digit fit (ECMA-376 Part 1, 18.3.1.13). Letters are
narrower or wider than digits; the classes below are those of a sans serif such as Verdana, in digit widths.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

__all__ = ["fitting_width", "text_width", "wrapped_lines"]

_NARROW = frozenset("ijlI.,:;'|!()[]{} -/\\`\"ftr")
_WIDE = frozenset("mwMW@%&—…")
_CLASS_WIDTH = {"narrow": 0.62, "wide": 1.5, "capital": 1.13, "plain": 0.98, "east": 1.85}
#: Room on both sides of the text, and the standard's five pixels, in digit widths.
PADDING = 1.7
#: The button that a filter puts into its heading.
FILTER_BUTTON = 2.4
NARROWEST, WIDEST = 5.0, 60.0
_BOLD = 1.1


@lru_cache(maxsize=65_536)
def text_width(text: str) -> float:
    """Width of one line of text in digit widths of its own size; of several lines the widest."""
    if "\n" in text:
        return max(text_width(line) for line in text.split("\n"))
    return sum(_CLASS_WIDTH[_class_of(character)] for character in text)


@lru_cache(maxsize=4096)
def _class_of(character: str) -> str:
    if character in _NARROW:
        return "narrow"
    if character in _WIDE:
        return "wide"
    if ord(character) >= 0x1100:
        return "east"
    return "capital" if character.isupper() else "plain"


def fitting_width(
    texts: Iterable[str], *, heading: str = "", bold: bool = False, button: bool = False, scale: float = 1.0
) -> float:
    """A column's width for texts and a heading; a heading may break between its words.

    `scale` is the letters' size over that of the workbook's plain font, in whose digits widths are stated.
    """
    widest = max((text_width(text) for text in texts), default=0.0) * (_BOLD if bold else 1.0)
    longest_word = max((text_width(word) for word in heading.split()), default=0.0) * _BOLD
    needed = max(widest, longest_word + (FILTER_BUTTON if button else 0.0)) * scale + PADDING
    # 18.3.1.13 states widths in 256ths of a character.
    return round(min(max(needed, NARROWEST), WIDEST) * 256) / 256


def wrapped_lines(text: str, width: float, *, bold: bool = False) -> int:
    """Into how many lines a text breaks at a width (in digit widths), breaking between words only."""
    room = max(width - PADDING, 1.0)
    lines, used = 1, 0.0
    for word in text.split():
        wide = text_width(word) * (_BOLD if bold else 1.0)
        if used and used + text_width(" ") + wide > room:
            lines, used = lines + 1, wide
        else:
            used += wide + (text_width(" ") if used else 0.0)
    return lines
