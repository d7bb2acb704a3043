"""Column widths that fit their content.

A file states a width in characters: how many of the widest digit fit (ECMA-376 Part 1, 18.3.1.13). Letters are
narrower or wider than digits; the classes below are those of a sans serif such as Verdana, in digit widths.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from tinquire.cells.column import Codes, Column, Kind, texts_at
from tinquire.looks.fonts import STAND_IN, Letters

__all__ = ["DIGIT_POINTS", "column_pixels", "fitting_width", "line_count", "widest_values"]

#: Pixels of the widest digit for each point of a font's size, at 96 pixels an inch; and in points.
_DIGIT_PIXELS = 0.85
DIGIT_POINTS = _DIGIT_PIXELS * 0.75
_PADDING_PIXELS = 5
#: Columns are no wider (18.3.1.13), whatever a file says.
_STATED_AT_MOST = 255.0

#: Room on both sides of the text, and the standard's five pixels, in digit widths.
PADDING = 1.7
#: The button that a filter puts into its heading.
FILTER_BUTTON = 2.4
NARROWEST, WIDEST = 5.0, 60.0
#: Up to this many values are all looked at; of more, this many of the longest texts, of the numbers at each end, and of
#: those in between.
_ALL, _LONGEST, _AT_ENDS, _BETWEEN = 5_000, 1_000, 200, 2_000


def widest_values(column: Column) -> Column:
    """The values that decide how wide a column must be: of many texts the longest, of many numbers those at both ends,
    which have the most digits, and some from all over. Whole numbers of few kinds, such as days, are all there."""
    if len(column) <= _ALL:
        return column
    texts = np.flatnonzero(column.kinds == Kind.TEXT)
    numbers = np.flatnonzero(column.kinds == Kind.NUMBER)
    others = np.flatnonzero((column.kinds == Kind.BOOL) | (column.kinds == Kind.ERROR))
    found = [_of_texts(column, texts), _of_numbers(column.numbers[numbers], numbers), others[:_BETWEEN]]
    return column.take(np.concatenate(found))


def _of_texts(column: Column, rows: Codes) -> Codes:
    """Rows that have the longest texts."""
    one_of_each = np.full(len(column.texts), -1)
    one_of_each[column.codes[rows]] = rows
    used = np.flatnonzero(one_of_each >= 0)
    if len(used) > _LONGEST:
        lengths = np.array(list(map(len, texts_at(column.texts, used))))
        used = used[np.argpartition(lengths, -_LONGEST)[-_LONGEST:]]
    return one_of_each[used]


def _of_numbers(numbers: np.ndarray, rows: Codes) -> Codes:
    """Rows that have the numbers of most digits, and others."""
    if len(rows) <= _ALL:
        return rows
    low, high = float(numbers.min()), float(numbers.max())
    if high - low < _ALL and np.array_equal(np.rint(numbers), numbers):
        one_of_each = np.full(int(high - low) + 1, -1)
        one_of_each[(numbers - low).astype(np.int64)] = rows
        return one_of_each[one_of_each >= 0]
    order = np.argpartition(numbers, [_AT_ENDS, len(rows) - _AT_ENDS])
    between = np.linspace(0, len(rows) - 1, _BETWEEN).astype(np.int64)
    return rows[np.concatenate([order[:_AT_ENDS], order[-_AT_ENDS:], between])]


def fitting_width(
    texts: Iterable[str], *, heading: str = "", bold: bool = False, button: bool = False, scale: float = 1.0,
    letters: Letters = STAND_IN,
) -> float:  # fmt: skip
    """A column's width for texts and a heading; a heading may break between its words.

    `scale` is the size of the letters' digits over that of the workbook's plain font, in which widths are stated.
    """
    widest = max((letters.width(text, bold=bold) for text in texts), default=0.0)
    longest_word = max((letters.width(word, bold=True) for word in heading.split()), default=0.0)
    needed = max(widest, longest_word + (FILTER_BUTTON if button else 0.0)) * scale + PADDING
    # 18.3.1.13 states widths in 256ths of a character.
    return round(min(max(needed, NARROWEST), WIDEST) * 256) / 256


def column_pixels(width: float, size: float) -> int:
    """A column's width in characters as pixels, in a plain font of a size in points (18.3.1.13)."""
    return round(min(width, _STATED_AT_MOST) * size * _DIGIT_PIXELS) + _PADDING_PIXELS


def line_count(text: str, width: float, *, bold: bool = False, letters: Letters = STAND_IN) -> int:
    """Into how many lines a text breaks at a width (in digit widths), breaking between words only."""
    room = max(width - PADDING, 1.0)
    lines, used = 1, 0.0
    for word in text.split():
        wide = letters.width(word, bold=bold)
        if used and used + letters.width(" ") + wide > room:
            lines, used = lines + 1, wide
        else:
            used += wide + (letters.width(" ") if used else 0.0)
    return lines
