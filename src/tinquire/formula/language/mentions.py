"""References as a formula's text spells them, so that they can be changed and all else keeps its spelling.

This does not read formulas (`grammar` does): text that the grammar does not know, of other programs or other times,
goes through unharmed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from tinquire.cells.address import MAX_COLUMN, MAX_ROW, Area, column_name, column_number, quoted_sheet

__all__ = [
    "DownPattern",
    "Mention",
    "behind_bracket",
    "can_mislead",
    "change_mentions",
    "down_pattern",
    "mentions",
    "offset_text",
    "prefix_of",
    "relative_form",
]

OFF_GRID = "#REF!"
_CELL = r"\$?[A-Za-z]{1,3}\$?[0-9]{1,7}"
_AREA = rf"(?:{_CELL}(?::{_CELL})?|\$?[A-Za-z]{{1,3}}:\$?[A-Za-z]{{1,3}}|\$?[0-9]{{1,7}}:\$?[0-9]{{1,7}})(?![\w(.\[!])"
_WORD = r"[^\W\d][\w.\\?]*"
_PATTERN = re.compile(
    rf"""
    (?P<text>"(?:[^"]|"")*"?)
  | (?P<error>\#(?:NULL!|DIV/0!|VALUE!|REF!|NAME\?|NUM!|N/A)(?:{_CELL})?)
  | (?P<prefix>'(?:[^']|'')*'!|(?:\[[^\[\]]*\])?(?:[^\W\d][\w.]*|(?<=\])\d[\w.]*)(?::[^\W\d][\w.]*)?!|\[[^\[\]]*\]!)
    (?:(?P<there>{_AREA})|(?P<name>{_WORD})|)
  | (?P<area>(?<![\w.\\\]]){_AREA})
  | (?P<table>{_WORD})\[
  | (?P<word>{_WORD}|\d[\w.]*)
  | (?P<bracket>\[)
    """,
    re.VERBOSE,
)
_PART = re.compile(r"(\$?)([A-Za-z]*)(\$?)([0-9]*)\Z")


@dataclass(frozen=True, slots=True)
class Mention:
    """One reference in a text: its place, what stands before its exclamation mark, and its area as spelled.

    `sheets` is empty for the formula's own sheet, has one name, or two for a run of sheets; `outside` tells that
    they are another workbook's. Without an area, `name` is a name asked of a certain sheet, or a table's, whose
    reference in brackets is `inside`.
    """

    start: int
    end: int
    prefix: str = ""
    sheets: tuple[str, ...] = ()
    outside: bool = False
    spelled: str = ""
    name: str = ""
    inside: str = ""

    @property
    def corners(self) -> tuple[tuple[str, str, str, str], tuple[str, str, str, str]]:
        """Both corners as dollar sign, letters, dollar sign, digits; a part that is not written is empty."""
        first, _, last = self.spelled.partition(":")
        return _split_reference(first), _split_reference(last or first)

    @property
    def area(self) -> Area | None:
        """The area meant; None for what is beyond the grid, or is no area."""
        if not self.spelled:
            return None
        try:
            (_, left, _, top), (_, right, _, bottom) = self.corners
            columns = sorted((column_number(left), column_number(right))) if left else [1, MAX_COLUMN]
        except ValueError:
            return None
        rows = sorted((int(top), int(bottom))) if top else [1, MAX_ROW]
        if rows[0] < 1 or rows[1] > MAX_ROW:
            return None
        return Area(rows[0], columns[0], rows[1], columns[1])

    def text(self) -> str:
        """The mention written out."""
        return self.prefix + (self.spelled or self.name) + self.inside

    def over(self, area: Area | None) -> str:
        """The mention with another area, its dollar signs and form kept."""
        if area is None:
            return self.prefix + OFF_GRID
        (mark1, left, mark2, top), (mark3, _, mark4, _) = self.corners
        first = (mark1 + column_name(area.left) if left else "") + (mark2 or mark1 * (not left)) * bool(top)
        last = (mark3 + column_name(area.right) if left else "") + (mark4 or mark3 * (not left)) * bool(top)
        spelled = first + (str(area.top) if top else "")
        if ":" in self.spelled:
            spelled += ":" + last + (str(area.bottom) if top else "")
        return replace(self, spelled=spelled).text()


def _split_reference(corner: str) -> tuple[str, str, str, str]:
    match = _PART.match(corner)
    if match is None:
        raise ValueError(f"'{corner}' is not a corner of an area")
    return match[1], match[2], match[3], match[4]


def prefix_of(sheets: tuple[str, ...]) -> str:
    """What stands before a reference to other sheets, with its exclamation mark."""
    if not sheets:
        return ""
    if all(quoted_sheet(sheet) == sheet for sheet in sheets):
        return ":".join(sheets) + "!"
    return "'" + ":".join(sheets).replace("'", "''") + "'!"


@lru_cache(maxsize=4096)
def mentions(text: str) -> tuple[Mention, ...]:
    """All references in a formula's text, and the names it asks of certain sheets, in order."""
    return tuple(_found(text))


def _found(text: str) -> Iterator[Mention]:
    index = 0
    while match := _PATTERN.search(text, index):
        start, index = match.start(), max(match.end(), match.start() + 1)
        if match["bracket"]:
            index = behind_bracket(text, start) or len(text)
        elif match["table"]:
            index = behind_bracket(text, index - 1) or len(text)
            yield Mention(start, index, name=match["table"], inside=text[match.end() - 1 : index])
        elif match["area"]:
            yield Mention(start, index, spelled=match["area"])
        elif match["prefix"] and (match["there"] or match["name"]):
            outside, sheets = _sheets_of(match["prefix"][:-1])
            yield Mention(start, index, match["prefix"], sheets, outside, match["there"] or "", match["name"] or "")


def _sheets_of(prefix: str) -> tuple[bool, tuple[str, ...]]:
    """Whether a prefix (without its exclamation mark) is of another workbook, and the sheets it names."""
    if prefix.startswith("'"):
        prefix = prefix[1:-1].replace("''", "'")
    outside = "[" in prefix
    name = prefix.rpartition("]")[2]
    return outside, tuple(name.split(":")) if name else ()


def behind_bracket(text: str, start: int) -> int | None:
    """The position after the bracket that closes the one at `start`; an apostrophe escapes what follows it. None when
    it is not closed."""
    depth, index = 0, start
    while index < len(text):
        if text[index] == "'":
            index += 1
        elif text[index] == "[":
            depth += 1
        elif text[index] == "]":
            depth -= 1
            if not depth:
                return index + 1
        index += 1
    return None


def change_mentions(text: str, change: Callable[[Mention], str | None]) -> str:
    """The text with mentions exchanged where `change` gives another spelling."""
    pieces, index = [], 0
    for mention in mentions(text):
        fresh = change(mention)
        if fresh is not None:
            pieces += [text[index : mention.start], fresh]
            index = mention.end
    return "".join([*pieces, text[index:]]) if pieces else text


def offset_text(text: str, rows: int, columns: int) -> str:
    """A formula as it reads when it is filled by rows down and columns to the right."""
    if not rows and not columns:
        return text

    def moved(mention: Mention) -> str | None:
        if not mention.spelled or mention.area is None:
            return None
        corners = [_move_corner(corner, rows, columns) for corner in mention.corners]
        if None in corners:
            return mention.prefix + OFF_GRID
        spelled = ":".join(corner or "" for corner in corners[: 1 + (":" in mention.spelled)])
        return replace(mention, spelled=spelled).text()

    return change_mentions(text, moved)


def _move_corner(corner: tuple[str, str, str, str], rows: int, columns: int) -> str | None:
    mark1, letters, mark2, digits = corner
    if not letters:  # a whole row: its dollar sign was read as the first
        mark1, mark2 = "", mark1 or mark2
    if letters and not mark1:
        number = column_number(letters) + columns
        if not 1 <= number <= MAX_COLUMN:
            return None
        letters = column_name(number)
    if digits and not mark2:
        row = int(digits) + rows
        if not 1 <= row <= MAX_ROW:
            return None
        digits = str(row)
    return f"{mark1}{letters}{mark2}{digits}"


_ROW_DIGITS_MOST = len(str(MAX_ROW))
#: What a plain split could mistake: texts, quoted sheets, brackets, whole rows and columns, runs of sheets.
_TRICKY = re.compile(r"[\"'\[#\\{]|[A-Za-z]:|:\$?[0-9]|:[^\W\d][\w.]*!")
_CORNERS = re.compile(r"(?<![\w.$])(\$?)([A-Za-z]{1,3})(\$?)([0-9]{1,7})(?![\w(.!])")


def relative_form(text: str, row: int, column: int) -> tuple[object, ...]:
    """A formula's text with its references seen from the cell that holds it.

    Two cells whose forms are equal have equal trees, and `offset_text` gives the text of one from that of the other; a
    formula that was filled from another has its form. This is a pass over the text, without a parser: pieces of text,
    dollar signs, and columns and rows as distances where no dollar sign fixes them.
    """
    if _TRICKY.search(text):
        return _careful_form(text, row, column)
    form: list[object] = _CORNERS.split(text)
    for index in range(1, len(form), 5):
        number, line = _column_numbers(str(form[index + 1])), _row_number(str(form[index + 3]))
        if not number or not line:
            return _careful_form(text, row, column)
        form[index + 1] = number if form[index] else number - column
        form[index + 3] = line if form[index + 2] else line - row
    return tuple(form)


@lru_cache(maxsize=32_768)
def _column_numbers(letters: str) -> int:
    """A column's number, 0 for one beyond the grid or in small letters."""
    try:
        number = column_number(letters)
    except ValueError:
        return 0
    return number if number <= MAX_COLUMN and letters.isupper() else 0


def _row_number(digits: str) -> int:
    """A row's number, 0 for one beyond the grid or with leading zeros."""
    return int(digits) if digits[0] != "0" and len(digits) <= _ROW_DIGITS_MOST and int(digits) <= MAX_ROW else 0


def _careful_form(text: str, row: int, column: int) -> tuple[object, ...]:
    form: list[object] = []
    index = 0
    for mention in mentions(text):
        if not mention.spelled:
            continue
        start = mention.end - len(mention.spelled)
        form += (text[index:start], *_moving_parts(mention, row, column))
        index = mention.end
    form.append(text[index:])
    return tuple(form)


def _moving_parts(mention: Mention, row: int, column: int) -> Iterator[object]:
    """The parts of an area's corners; of one beyond the grid, which may be a name, its text and nothing that moves.

    One that is not spelled as `offset_text` spells it is kept with its cell, so that it is like no other.
    """
    if mention.area is None:
        yield mention.spelled
        return
    corners = mention.corners[: 1 + (":" in mention.spelled)]
    if any(letters.upper() != letters or digits.startswith("0") for _, letters, _, digits in corners):
        yield mention.spelled, row, column
        return
    for mark1, letters, mark2, digits in corners:
        falls = not (mark2 or (mark1 and not letters))
        yield mark1, bool(letters), column_number(letters) - column * (not mark1) if letters else 0
        yield falls, bool(digits), int(digits) - row * falls if digits else 0


#: Signs of a formula's markup in which a pattern may be misled: escapes, line breaks, and quotation marks spelled in
#: another way, between which an address would be text. Others, such as `&gt;`, do no harm.
_MISLEADING = ("_x", "\n", "&quot;", "&apos;", "&#")


def can_mislead(markup: str) -> bool:
    """Whether a formula's markup holds what makes its pattern unsafe."""
    return any(sign in markup for sign in _MISLEADING)


_ROW_DIGITS = re.compile(r"(\$?)([0-9]+)")


@dataclass(frozen=True, slots=True)
class DownPattern:
    """A formula's text with the rows that move when it is filled down left open: as bytes with `%d` in their places,
    and how far each lies from the formula's own row."""

    template: bytes
    distances: tuple[int, ...]

    def texts(self, first: int, count: int) -> bytes:
        """The texts for this many rows from `first` on, each with a line break after it."""
        if len(self.distances) == 1:
            numbers: Sequence[int] = range(first + self.distances[0], first + self.distances[0] + count)
        else:
            numbers = [row + distance for row in range(first, first + count) for distance in self.distances]
        return (self.template + b"\n") * count % tuple(numbers)


@lru_cache(maxsize=4096)
def down_pattern(text: str, row: int) -> DownPattern | None:
    """The pattern of a formula as the cell in a row writes it; None for a text that does not follow it exactly."""
    pieces: list[str] = []
    distances: list[int] = []
    index = 0
    for mention in mentions(text):
        start = mention.end - len(mention.inside) - len(mention.spelled)
        for found in _ROW_DIGITS.finditer(mention.spelled) if mention.area is not None else ():
            if not found[1]:
                pieces += [text[index : start + found.start(2)].replace("%", "%%"), "%d"]
                distances.append(int(found[2]) - row)
                index = start + found.end()
    pieces.append(text[index:].replace("%", "%%"))
    pattern = DownPattern("".join(pieces).encode(), tuple(distances))
    return pattern if pattern.texts(row, 1) == text.encode() + b"\n" else None
