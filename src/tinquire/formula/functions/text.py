"""Pieces of texts, their characters, and texts joined (18.17.7)."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Sequence

import numpy as np

from tinquire.cells.column import Floats
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_rows, plain
from tinquire.formula.engine.conversions import MAX_TEXT, text_of
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all, elementwise


def fitting_text(text: str) -> str:
    """A text that a cell can hold. Raises ErrorValue for a longer one."""
    if len(text) > MAX_TEXT:
        raise ErrorValue(CellError.VALUE)
    return text


def _rept(text: str, count: float) -> str:
    if count < 0 or len(text) * int(count) > MAX_TEXT:
        raise ErrorValue(CellError.VALUE)
    return text * int(count)


def _char(number: float) -> str:
    if not 1 <= number < 256:
        raise ErrorValue(CellError.VALUE)
    return bytes([int(number)]).decode("cp1252", "replace")


def _code(text: str) -> float:
    if not text:
        raise ErrorValue(CellError.VALUE)
    return float(text[0].encode("cp1252", "replace")[0])


def _unichar(number: float) -> str:
    if not 1 <= number <= 0x10FFFF or 0xD800 <= number <= 0xDFFF:
        raise ErrorValue(CellError.VALUE if number < 1 or number > 0x10FFFF else CellError.NA)
    return chr(int(number))


def _unicode(text: str) -> float:
    if not text:
        raise ErrorValue(CellError.VALUE)
    return float(ord(text[0]))


def _wide(text: str) -> str:
    """Half-width letters and marks as full-width ones."""
    return "".join(
        "\u3000" if item == " " else chr(ord(item) + 0xFEE0) if "!" <= item <= "~" else item for item in text
    )


def _narrow(text: str) -> str:
    return "".join(
        unicodedata.normalize("NFKC", item) if "\uff01" <= item <= "\uff5e" or item == "\u3000" else item
        for item in text
    )


def _proper(text: str) -> str:
    return re.sub(r"[^\W\d_]+", lambda found: found[0][:1].upper() + found[0][1:].lower(), text)


def _bytes_of(text: str) -> bytes:
    return text.encode("cp1252", "replace")


def _count(number: float) -> int:
    if number < 0:
        raise ErrorValue(CellError.VALUE)
    return int(number)


def _quoted(text: str) -> str:
    from urllib.parse import quote

    return quote(text, safe="")


declare_all(
    plain,
    __name__,
    [
        ("REPT(text: text, count: number)", _rept, "A text several times.", 'REPT("-", 3)', "---"),
        ("EXACT(first: text, second: text)", lambda a, b: a == b, "Whether two texts are the same to the letter.", 'EXACT("Tin", "tin")', "FALSE"),
        ("PROPER(text: text)", _proper, "A capital at the start of each word.", 'PROPER("harbour depot")', "Harbour Depot"),
        ("CLEAN(text: text)", lambda text: "".join(one for one in text if one >= " "), "The text without control characters.", 'CLEAN("a"&CHAR(7)&"b")', "ab"),
        ("CHAR(number: number)", _char, "The character of a number of the Windows character set.", "CHAR(65)", "A"),
        ("CODE(text: text)", _code, "The number of a text's first character in the Windows character set.", 'CODE("A")', "65"),
        ("UNICHAR(number: number)", _unichar, "The character of a Unicode number.", "UNICHAR(8364)", "€"),
        ("UNICODE(text: text)", _unicode, "The Unicode number of a text's first character.", 'UNICODE("€")', "8364"),
        ("T(value: value)", lambda value: value if isinstance(value, str | CellError) else "", "A value if it is text, else empty text.", 'T("tin")', "tin"),
        ("ASC(text: text)", _narrow, "Full-width letters as half-width ones.", 'ASC("ＡＢ")', "AB"),
        ("JIS(text: text)", _wide, "Half-width letters as full-width ones.", 'JIS("AB")', "ＡＢ"),
        ("DBCS(text: text)", _wide, "Half-width letters as full-width ones.", 'DBCS("AB")', "ＡＢ"),
        ("LENB(text: text)", lambda text: float(len(_bytes_of(text))), "The number of bytes in a single-byte character set.", 'LENB("linen")', "5"),
        ("LEFTB(text: text, count: number = 1)", lambda text, n: text[: _count(n)], "The first bytes of a text in a single-byte character set.", 'LEFTB("linen", 3)', "lin"),
        ("RIGHTB(text: text, count: number = 1)", lambda text, n: text[len(text) - min(_count(n), len(text)) :], "The last bytes of a text in a single-byte character set.", 'RIGHTB("linen", 2)', "en"),
        ("MIDB(text: text, start: number, count: number)", lambda text, start, n: text[_count(start - 1) :][: _count(n)], "Bytes from a position on in a single-byte character set.", 'MIDB("linen", 2, 3)', "ine"),
        ("ENCODEURL(text: text)", _quoted, "A text as part of a web address (RFC 3986).", 'ENCODEURL("tea towel")', "tea%20towel"),
    ],
)  # fmt: skip


# -- texts of arrays -------------------------------------------------------------------------------------


def text_or_error(value: Value) -> str:
    found = text_of(value)
    if isinstance(found, CellError):
        raise ErrorValue(found)
    return found


def values_of(grids: Sequence[Grid]) -> list[Value]:
    """The values of arrays, row after row."""
    return [value for grid in grids for row in grid_rows(grid) for value in row]


def _textjoin(between: Grid, skip: bool, *grids: Grid) -> str:
    marks = [text_or_error(value) for value in values_of([between])]
    texts = [text_or_error(value) for value in values_of(grids)]
    if skip:
        texts = [text for text in texts if text]
    pieces: list[str] = []
    for number, text in enumerate(texts):
        pieces += [marks[(number - 1) % len(marks)], text] if number else [text]
    return fitting_text("".join(pieces))


declare_all(
    arrays,
    __name__,
    [
        ("CONCAT(text: cells, text...: cells)", lambda *grids: fitting_text("".join(text_or_error(v) for v in values_of(grids))), "All texts one after the other, those of ranges row by row.", 'CONCAT({"a","b";"c","d"}, 1)', "abcd1"),
        ("TEXTJOIN(between: cells, skip: logical, text: cells, text...: cells)", _textjoin, "All texts with another between them; empty ones may be skipped.", 'TEXTJOIN(", ", TRUE, {"a","","b"})', "a, b"),
    ],
)  # fmt: skip


@elementwise("LEFT(text: text, count: number = 1)")
def left(text: list[str], count: Floats) -> Iterable[Value]:
    """The first characters (18.17.7).

    >>> LEFT("Northgate", 5)
    North
    """
    return _cut(text, count, lambda whole, many: whole[:many])


@elementwise("RIGHT(text: text, count: number = 1)")
def right(text: list[str], count: Floats) -> Iterable[Value]:
    """The last characters (18.17.7).

    >>> RIGHT("Northgate", 4)
    gate
    """
    return _cut(text, count, lambda whole, many: whole[-many:] if many else "")


def _cut(text: list[str], count: Floats, piece: Callable[[str, int], str]) -> Iterable[Value]:
    return [
        CellError.VALUE if many < 0 else piece(whole, int(many))
        for whole, many in zip(text, count.tolist(), strict=True)
    ]


@elementwise("MID(text: text, start: number, count: number)")
def mid(text: list[str], start: Floats, count: Floats) -> Iterable[Value]:
    """Characters from a position on, counted from one (18.17.7).

    >>> MID("Northgate", 6, 4)
    gate
    """
    return [
        CellError.VALUE if first < 1 or many < 0 else whole[int(first) - 1 : int(first) - 1 + int(many)]
        for whole, first, many in zip(text, start.tolist(), count.tolist(), strict=True)
    ]


@elementwise("LEN(text: text)")
def len_(text: list[str]) -> Floats:
    """The number of characters (18.17.7).

    >>> LEN("linen")
    5
    """
    return np.array([len(whole) for whole in text], np.float64)


@elementwise("TRIM(text: text)")
def trim(text: list[str]) -> list[str]:
    """The text without outer spaces, and with single ones between words (18.17.7).

    >>> TRIM("  tea   towel ")
    tea towel
    """
    return [" ".join(part for part in whole.split(" ") if part) for whole in text]


@elementwise("UPPER(text: text)")
def upper(text: list[str]) -> list[str]:
    """In capitals (18.17.7).

    >>> UPPER("tin")
    TIN
    """
    return [whole.upper() for whole in text]


@elementwise("LOWER(text: text)")
def lower(text: list[str]) -> list[str]:
    """In small letters (18.17.7).

    >>> LOWER("TIN")
    tin
    """
    return [whole.lower() for whole in text]


@elementwise("CONCATENATE(text: text, text...: text)")
def concatenate(*parts: list[str]) -> Iterable[Value]:
    """All texts one after the other (18.17.7).

    >>> CONCATENATE("tin", " ", "quire")
    tin quire
    """
    joined = ("".join(pieces) for pieces in zip(*parts, strict=True))
    return [whole if len(whole) <= MAX_TEXT else CellError.VALUE for whole in joined]
