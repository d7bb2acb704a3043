"""Texts that run from right to left, as they are drawn: in the order of the eye (Unicode's bidirectional algorithm, UAX
9), Arabic letters in the forms that they take beside each other."""

from __future__ import annotations

import re
from functools import lru_cache

__all__ = ["as_drawn", "runs_leftwards"]

#: Letters of Hebrew, Arabic, Syriac and others that run from right to left, with their forms.
_LEFTWARDS = re.compile("[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufefc]")
_ARABIC = re.compile("[\u0600-\u06ff\u0750-\u077f\u08a0-\u08ff]")


def runs_leftwards(text: str) -> bool:
    """Whether a text has letters that run from right to left."""
    return not text.isascii() and _LEFTWARDS.search(text) is not None


@lru_cache(maxsize=8192)
def as_drawn(text: str) -> str:
    """A line of text with its letters from left to right; the first letter that has a direction gives that of the
    line."""
    if not runs_leftwards(text):
        return text
    from bidi import get_display

    if _ARABIC.search(text):
        from arabic_reshaper import reshape

        text = reshape(text)
    drawn: str = get_display(text)
    return drawn
