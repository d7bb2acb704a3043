"""What a cell shows, as it is drawn: with the blank that a format makes as wide as a letter, and the letter with which
it fills a cell (ECMA-376 Part 1, 18.8.31)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from tinquire.cells.dates import DateSystem
from tinquire.cells.display import general, show
from tinquire.cells.values import CellError, Value

__all__ = ["Displayed", "displayed", "shortened"]

#: Signs of our own in a text while it is put together: what follows is a blank as wide as this letter, or fills.
_PAD, _FILL = "\ue000", "\ue001"
_PIECE = re.compile(r'"[^"]*"|\\.|\[[^\]]*\]|([_*])(.)|.', re.DOTALL)
#: What stands for an error in print (18.18.60).
_ERRORS = {"blank": "", "dash": "--", "NA": "#N/A"}
_WHOLE = 1e11


@dataclass(frozen=True, slots=True)
class Displayed:
    """A text, blanks that stand before and after it as wide as the letters given, its colour if the format has one, and
    where a letter fills the cell: the text before it, and the letter."""

    text: str
    before: str = ""
    after: str = ""
    colour: str | None = None
    fills: tuple[str, str] | None = None


@lru_cache(maxsize=512)
def _marked(code: str) -> str | None:
    """A format code with signs of ours where it pads or fills; None for one that does neither."""
    found = False

    def replaced(match: re.Match[str]) -> str:
        nonlocal found
        if match[1] is None:
            return match[0]
        found = True
        sign = _PAD if match[1] == "_" else _FILL
        return f'"{sign}"\\{match[2]}'

    marked = _PIECE.sub(replaced, code)
    return marked if found else None


def displayed(value: Value, code: str, system: DateSystem, errors: str = "displayed") -> Displayed:
    """A value as a page shows it; `errors` is what stands for errors in print."""
    if isinstance(value, CellError) and errors in _ERRORS:
        return Displayed(_ERRORS[errors])
    marked = _marked(code) if ("_" in code or "*" in code) and not isinstance(value, bool | CellError) else None
    if marked is None:
        shown = show(value, code, system)
        return Displayed(shown.text, colour=shown.colour)
    shown = show(value, marked, system)
    return _taken_apart(shown.text, shown.colour)


def _taken_apart(text: str, colour: str | None) -> Displayed:
    """A text without signs: blanks at its ends apart, those within it as blanks."""
    fills = None
    if (at := text.find(_FILL)) >= 0:
        head, letter, text = text[:at], text[at + 1 : at + 2], text[at + 2 :]
        fills = (_plain(head), letter)
        text = text.replace(_FILL, "")
    before = after = ""
    while text.startswith(_PAD):
        before, text = before + text[1:2], text[2:]
    while len(text) > 1 and text[-2] == _PAD:
        after, text = text[-1] + after, text[:-2]
    return Displayed(_plain(text), before, after, colour, fills)


def _plain(text: str) -> str:
    return re.sub(f"{_PAD}.", " ", text, flags=re.DOTALL)


def shortened(number: float, most: int) -> str | None:
    """A number in General form in at most so many characters: rounded, or in powers of ten; None when none will do."""
    for digits in range(10, -1, -1):
        text = general(float(f"{number:.{digits}f}")) if abs(number) < _WHOLE else ""
        # What rounds to nothing says less than powers of ten.
        if text and len(text) <= most and (number == 0 or text not in ("0", "-0")):
            return text
    for digits in range(5, -1, -1):
        mantissa, _, power = f"{number:.{digits}E}".partition("E")
        text = f"{mantissa.rstrip('0').rstrip('.') if '.' in mantissa else mantissa}E{int(power):+03d}"
        if len(text) <= most:
            return text
    return None
