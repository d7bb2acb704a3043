"""Addresses and ranges of the grid, in A1 notation (ECMA-376 Part 1, 18.17.2.3). Rows and columns count from one."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

__all__ = [
    "MAX_COLUMN",
    "MAX_ROW",
    "Area",
    "area_name",
    "cell_name",
    "column_name",
    "column_number",
    "parse_area",
    "parse_cell",
    "quoted_sheet",
]

#: The grid's edge: 2^20 rows and 2^14 columns, up to XFD1048576.
MAX_ROW = 1_048_576
MAX_COLUMN = 16_384

_CELL = re.compile(r"\$?([A-Za-z]{1,3})\$?([1-9][0-9]{0,6})\Z")
_WHOLE = re.compile(
    r"(?:\$?(?P<left>[A-Za-z]{1,3}):\$?(?P<right>[A-Za-z]{1,3})|\$?(?P<top>[0-9]{1,7}):\$?(?P<bottom>[0-9]{1,7}))\Z"
)
_PLAIN_SHEET = re.compile(r"[^\W\d][\w.]*\Z")
_LOOKS_LIKE_CELL = re.compile(r"(?:[A-Za-z]{1,3}[0-9]+|[Rr][0-9]*(?:[Cc][0-9]*)?|[Cc][0-9]*)\Z")


class Area(NamedTuple):
    """A rectangle of cells: first row, first column, last row, last column, all inclusive, from one."""

    top: int
    left: int
    bottom: int
    right: int

    @property
    def height(self) -> int:
        return self.bottom - self.top + 1

    @property
    def width(self) -> int:
        return self.right - self.left + 1

    def overlaps(self, other: Area) -> bool:
        return (
            self.top <= other.bottom
            and other.top <= self.bottom
            and self.left <= other.right
            and other.left <= self.right
        )

    def holds(self, row: int, column: int) -> bool:
        return self.top <= row <= self.bottom and self.left <= column <= self.right

    def cropped(self, rows: int, columns: int) -> Area:
        """The part within the first `rows` rows and `columns` columns, at least one cell."""
        bottom = max(self.top, min(self.bottom, rows))
        return Area(self.top, self.left, bottom, max(self.left, min(self.right, columns)))


@lru_cache(maxsize=MAX_COLUMN)
def column_name(number: int) -> str:
    """Letters of a column: 1 -> 'A', 27 -> 'AA', 16384 -> 'XFD'. Raises ValueError beyond the grid."""
    if not 1 <= number <= MAX_COLUMN:
        raise ValueError(f"column {number} is beyond the grid")
    letters = ""
    while number:
        number, digit = divmod(number - 1, 26)
        letters = chr(65 + digit) + letters
    return letters


@lru_cache(maxsize=MAX_COLUMN)
def column_number(letters: str) -> int:
    """Number of a column: 'A' -> 1, 'XFD' -> 16384. Raises ValueError for anything else."""
    number = 0
    for letter in letters.upper():
        if not "A" <= letter <= "Z":
            raise ValueError(f"'{letters}' is not a column")
        number = number * 26 + ord(letter) - 64
    if not 1 <= number <= MAX_COLUMN:
        raise ValueError(f"'{letters}' is not a column")
    return number


def cell_name(row: int, column: int) -> str:
    return f"{column_name(column)}{row}"


def area_name(area: Area) -> str:
    """A1 notation of an area: 'B4' for one cell, otherwise 'B4:F20'."""
    first = cell_name(area.top, area.left)
    last = cell_name(area.bottom, area.right)
    return first if first == last else f"{first}:{last}"


def parse_cell(text: str) -> tuple[int, int]:
    """Row and column of one address; dollar signs are allowed. Raises ValueError."""
    match = _CELL.match(text)
    if not match or int(match[2]) > MAX_ROW:
        raise ValueError(f"'{text}' is not a cell address")
    return int(match[2]), column_number(match[1])


def parse_area(text: str) -> Area:
    """An area from 'B4' or 'B4:F20', in whichever order the corners stand, or whole columns 'B:F' or rows '4:20'.

    Raises ValueError.
    """
    first, _, last = text.partition(":")
    if whole := _WHOLE.match(text):
        if whole["left"]:
            left, right = sorted((column_number(whole["left"]), column_number(whole["right"])))
            return Area(1, left, MAX_ROW, right)
        top, bottom = sorted((int(whole["top"]), int(whole["bottom"])))
        if top >= 1 and bottom <= MAX_ROW:
            return Area(top, 1, bottom, MAX_COLUMN)
        raise ValueError(f"'{text}' is beyond the grid")
    row1, column1 = parse_cell(first)
    row2, column2 = parse_cell(last) if last else (row1, column1)
    return Area(min(row1, row2), min(column1, column2), max(row1, row2), max(column1, column2))


def quoted_sheet(name: str) -> str:
    """A sheet's name as a formula must write it: in single quotes unless it reads as a plain word."""
    if _PLAIN_SHEET.match(name) and not _LOOKS_LIKE_CELL.match(name) and name.upper() not in ("TRUE", "FALSE"):
        return name
    return "'" + name.replace("'", "''") + "'"
