"""Searching, replacing, joining and splitting texts; texts as numbers and numbers as texts (18.17.7)."""

from __future__ import annotations

import math
import re
import unicodedata
from collections.abc import Callable, Sequence
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from tinquire.cells.display import show
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from, grid_rows, plain
from tinquire.formula.engine.conversions import MAX_TEXT, Notation, number_from_text, text_of
from tinquire.formula.engine.criteria import wildcard_pattern
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.language.writing import write_value


def _kept(text: str) -> str:
    """A text that a cell can hold. Raises ErrorValue for a longer one."""
    if len(text) > MAX_TEXT:
        raise ErrorValue(CellError.VALUE)
    return text


def _place(wanted: str, text: str, start: float) -> int:
    """Where a search begins. Raises ErrorValue outside the text."""
    if not 1 <= start <= len(text) + 1:
        raise ErrorValue(CellError.VALUE)
    return int(start) - 1


def _find(wanted: str, text: str, start: float = 1.0) -> float:
    found = text.find(wanted, _place(wanted, text, start))
    if found < 0:
        raise ErrorValue(CellError.VALUE)
    return found + 1.0


def _search(wanted: str, text: str, start: float = 1.0) -> float:
    place = _place(wanted, text, start)
    pattern = re.compile(wildcard_pattern(wanted).pattern.removesuffix(r"\Z"), re.IGNORECASE | re.DOTALL)
    found = pattern.search(text, place)
    if found is None:
        raise ErrorValue(CellError.VALUE)
    return found.start() + 1.0


def _substitute(text: str, old: str, new: str, which: float | None = None) -> str:
    if not old:
        return text
    if which is None:
        if len(text) + text.count(old) * (len(new) - len(old)) > MAX_TEXT:
            raise ErrorValue(CellError.VALUE)
        return text.replace(old, new)
    if which < 1:
        raise ErrorValue(CellError.VALUE)
    place = -len(old)
    for _ in range(int(which)):
        place = text.find(old, place + len(old))
        if place < 0:
            return text
    return _kept(text[:place] + new + text[place + len(old) :])


def _replace(text: str, start: float, count: float, new: str) -> str:
    if start < 1 or count < 0:
        raise ErrorValue(CellError.VALUE)
    place = int(start) - 1
    return _kept(text[:place] + new + text[place + int(count) :])


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


def _value(value: Value) -> float:
    if isinstance(value, float):
        return value
    found = number_from_text(value) if isinstance(value, str) else 0.0 if value is None else None
    if found is None:
        raise ErrorValue(value if isinstance(value, CellError) else CellError.VALUE)
    return found


def _numbervalue(text: str, point: str = ".", given: str | None = None) -> float:
    """A number whose decimal point and group mark are stated; blanks anywhere are left out."""
    group = "," if given is None else given
    bare = "".join(text.split())
    if not bare:
        return 0.0
    if not point or point[0] == group[:1]:
        raise ErrorValue(CellError.VALUE)
    whole, mark, rest = bare.partition(point[0])
    if group and group[0] in rest:
        raise ErrorValue(CellError.VALUE)
    bare = (whole.replace(group[0], "") if group else whole) + ("." if mark else "") + rest
    percents = len(bare) - len(bare.rstrip("%"))
    found = number_from_text(bare.rstrip("%"), Notation())
    if found is None or not re.fullmatch(r"[-+.0-9Ee]*", bare.rstrip("%")):
        raise ErrorValue(CellError.VALUE)
    return found / 100**percents


def _fixed(number: float, digits: float = 2.0, plain_: bool = False) -> str:
    places = int(digits)
    if abs(places) > 127:
        raise ErrorValue(CellError.VALUE)
    unit = 10.0**-places
    # Halves go away from zero, as the digits show them.
    rounded = number if places >= 0 else math.copysign(math.floor(abs(number) / unit + 0.5) * unit, number)
    form = ("0" if plain_ else "#,##0") + ("." + "0" * min(places, 30) if places > 0 else "")
    return show(rounded, form).text


def _dollar(number: float, digits: float = 2.0) -> str:
    shown = f"${_fixed(abs(number), digits)}"
    return f"({shown})" if number < 0 else shown


def _wide(text: str) -> str:
    """Half-width letters and marks as full-width ones."""
    return "".join("\u3000" if one == " " else chr(ord(one) + 0xFEE0) if "!" <= one <= "~" else one for one in text)


def _narrow(text: str) -> str:
    return "".join(
        unicodedata.normalize("NFKC", one) if "\uff01" <= one <= "\uff5e" or one == "\u3000" else one for one in text
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


_THAI_DIGITS = ["ศูนย์", "หนึ่ง", "สอง", "สาม", "สี่", "ห้า", "หก", "เจ็ด", "แปด", "เก้า"]
_THAI_PLACES = ["", "สิบ", "ร้อย", "พัน", "หมื่น", "แสน"]


def _thai_words(number: int) -> str:
    """A whole number in Thai words: six places, then millions, of which there may again be millions."""
    millions, rest = divmod(number, 1_000_000)
    words = _thai_words(millions) + "ล้าน" if millions else ""
    digits = str(rest)
    for place, digit in zip(range(len(digits) - 1, -1, -1), digits, strict=True):
        if digit == "0":
            continue
        if place == 0 and digit == "1" and number > 10:
            words += "เอ็ด"
        elif place == 1 and digit in "12":
            words += ("" if digit == "1" else "ยี่") + _THAI_PLACES[1]
        else:
            words += _THAI_DIGITS[int(digit)] + _THAI_PLACES[place]
    return words


def _baht(number: float) -> str:
    if abs(number) >= 1e15:
        raise ErrorValue(CellError.VALUE)
    whole, part = divmod(int(Decimal(repr(abs(number))).scaleb(2).to_integral_value(ROUND_HALF_UP)), 100)
    words = _thai_words(whole) + "บาท" if whole else "" if part else _THAI_DIGITS[0] + "บาท"
    words += _thai_words(part) + "สตางค์" if part else "ถ้วน"
    return ("ลบ" if number < 0 and (whole or part) else "") + words


declare_all(
    plain,
    __name__,
    [
        ("FIND(wanted: text, text: text, start: number = 1)", _find, "Where a text stands in another, capitals told apart.", 'FIND("n", "Linen")', "3"),
        ("SEARCH(wanted: text, text: text, start: number = 1)", _search, "Where a text stands in another; capitals are alike, `*` and `?` stand for others.", 'SEARCH("l?n", "Fine linen")', "6"),
        ("SUBSTITUTE(text: text, old: text, new: text, which?: number)", _substitute, "A text with another text in place of one, everywhere or the so-manieth time.", 'SUBSTITUTE("Q1 2026 Q1", "Q1", "Q2", 2)', "Q1 2026 Q2"),
        ("REPLACE(text: text, start: number, count: number, new: text)", _replace, "A text with another in place of some characters.", 'REPLACE("2025", 3, 2, "26")', "2026"),
        ("REPT(text: text, count: number)", _rept, "A text several times.", 'REPT("-", 3)', "---"),
        ("EXACT(first: text, second: text)", lambda a, b: a == b, "Whether two texts are the same to the letter.", 'EXACT("Tin", "tin")', "FALSE"),
        ("PROPER(text: text)", _proper, "A capital at the start of each word.", 'PROPER("harbour depot")', "Harbour Depot"),
        ("CLEAN(text: text)", lambda text: "".join(one for one in text if one >= " "), "The text without control characters.", 'CLEAN("a"&CHAR(7)&"b")', "ab"),
        ("CHAR(number: number)", _char, "The character of a number of the Windows character set.", "CHAR(65)", "A"),
        ("CODE(text: text)", _code, "The number of a text's first character in the Windows character set.", 'CODE("A")', "65"),
        ("UNICHAR(number: number)", _unichar, "The character of a Unicode number.", "UNICHAR(8364)", "€"),
        ("UNICODE(text: text)", _unicode, "The Unicode number of a text's first character.", 'UNICODE("€")', "8364"),
        ("VALUE(text: value)", _value, "The number that a text spells, with a decimal point and ISO 8601 days.", 'VALUE("1,234.5")', "1234.5"),
        ("NUMBERVALUE(text: text, point: text = '.', group?: text)", _numbervalue, "The number that a text spells, its decimal point and group mark stated.", 'NUMBERVALUE("1.204,50", ",", ".")', "1204.5"),
        ("FIXED(number: number, digits: number = 2, plain: logical = FALSE)", _fixed, "A number as text with so many digits behind the point.", "FIXED(1234.567, 1)", "1,234.6"),
        ("DOLLAR(number: number, digits: number = 2)", _dollar, "A sum of money as text.", "DOLLAR(-1234.567)", "($1,234.57)"),
        ("USDOLLAR(number: number, digits: number = 2)", _dollar, "A sum of money as text.", "USDOLLAR(1234.5)", "$1,234.50"),
        ("BAHTTEXT(number: number)", _baht, "A sum of money in Thai words (18.17.7).", "BAHTTEXT(21.5)", "ยี่สิบเอ็ดบาทห้าสิบสตางค์"),
        ("T(value: value)", lambda value: value if isinstance(value, str | CellError) else "", "A value if it is text, else empty text.", 'T("tin")', "tin"),
        ("ASC(text: text)", _narrow, "Full-width letters as half-width ones.", 'ASC("ＡＢ")', "AB"),
        ("JIS(text: text)", _wide, "Half-width letters as full-width ones.", 'JIS("AB")', "ＡＢ"),
        ("DBCS(text: text)", _wide, "Half-width letters as full-width ones.", 'DBCS("AB")', "ＡＢ"),
        ("LENB(text: text)", lambda text: float(len(_bytes_of(text))), "How many bytes a text has in a single-byte character set.", 'LENB("linen")', "5"),
        ("LEFTB(text: text, count: number = 1)", lambda text, n: text[: _count(n)], "The first bytes of a text in a single-byte character set.", 'LEFTB("linen", 3)', "lin"),
        ("RIGHTB(text: text, count: number = 1)", lambda text, n: text[len(text) - min(_count(n), len(text)) :], "The last bytes of a text in a single-byte character set.", 'RIGHTB("linen", 2)', "en"),
        ("MIDB(text: text, start: number, count: number)", lambda text, start, n: text[_count(start - 1) :][: _count(n)], "Bytes from a place on in a single-byte character set.", 'MIDB("linen", 2, 3)', "ine"),
        ("FINDB(wanted: text, text: text, start: number = 1)", _find, "Where a text stands in another, in bytes of a single-byte character set.", 'FINDB("n", "linen")', "3"),
        ("SEARCHB(wanted: text, text: text, start: number = 1)", _search, "Where a text stands in another, in bytes of a single-byte character set.", 'SEARCHB("N", "linen")', "3"),
        ("REPLACEB(text: text, start: number, count: number, new: text)", _replace, "A text with another in place of some bytes of a single-byte character set.", 'REPLACEB("linen", 1, 1, "L")', "Linen"),
        ("ENCODEURL(text: text)", _quoted, "A text as part of a web address (RFC 3986).", 'ENCODEURL("tea towel")', "tea%20towel"),
    ],
)  # fmt: skip


# -- texts of arrays -------------------------------------------------------------------------------------


def _spelled(value: Value) -> str:
    found = text_of(value)
    if isinstance(found, CellError):
        raise ErrorValue(found)
    return found


def _values(grids: Sequence[Grid]) -> list[Value]:
    """The values of arrays, row after row."""
    return [value for grid in grids for row in grid_rows(grid) for value in row]


def _textjoin(between: Grid, skip: bool, *grids: Grid) -> str:
    marks = [_spelled(value) for value in _values([between])]
    texts = [_spelled(value) for value in _values(grids)]
    if skip:
        texts = [text for text in texts if text]
    pieces: list[str] = []
    for number, text in enumerate(texts):
        pieces += [marks[(number - 1) % len(marks)], text] if number else [text]
    return _kept("".join(pieces))


def _delimiters(grid: Grid, fold: float) -> re.Pattern[str]:
    texts = [_spelled(value) for value in _values([grid])]
    if not any(texts):
        raise ErrorValue(CellError.VALUE)
    flags = re.IGNORECASE if fold else re.NOFLAG
    return re.compile("|".join(re.escape(text) for text in sorted(texts, key=len, reverse=True) if text), flags)


def _side(text: str, delimiter: Grid, which: float, fold: float, end: float, missing: Value, after: bool) -> Value:
    """The part of a text in front of the so-manieth delimiter, or behind it; from the end when that is negative."""
    number = int(which)
    if number == 0 or abs(number) > len(text) + 1:
        raise ErrorValue(CellError.VALUE)
    found = [(one.start(), one.end()) for one in _delimiters(delimiter, fold).finditer(text)]
    if end:
        found = [*found, (len(text), len(text))] if number > 0 else [(0, 0), *found]
    try:
        start, stop = found[number - 1 if number > 0 else number]
    except IndexError:
        if missing is None:
            raise ErrorValue(CellError.NA) from None
        return missing
    return text[stop:] if after else text[:start]


def _part(after: bool) -> Callable[..., Value]:
    return lambda text, delimiter, which=1.0, fold=0.0, end=0.0, missing=None: _side(
        text, delimiter, which, fold, end, missing, after
    )


def _textsplit(
    text: str,
    columns: Grid | None,
    rows: Grid | None = None,
    skip: bool = False,
    fold: float = 0.0,
    pad: Value = CellError.NA,
) -> Grid:
    lines = [text] if rows is None else _delimiters(rows, fold).split(text)
    split = [[line] if columns is None else _delimiters(columns, fold).split(line) for line in lines]
    if skip:
        split = [row for row in ([part for part in row if part] for row in split) if row]
    width = max((len(row) for row in split), default=0)
    return grid_from([[*row, *([pad] * (width - len(row)))] for row in split])


def _array_text(grid: Grid, form: float = 0.0) -> str:
    if int(form) not in (0, 1):
        raise ErrorValue(CellError.VALUE)
    if not form:
        return _kept(", ".join(_spelled_or_error(value, False) for value in _values([grid])))
    rows = (",".join(_spelled_or_error(value, True) for value in row) for row in grid_rows(grid))
    return _kept("{" + ";".join(rows) + "}")


def _spelled_or_error(value: Value, strict: bool) -> str:
    if isinstance(value, CellError):
        return value.text
    return write_value(value) if strict else str(text_of(value))


_WHICH = "which: number = 1, fold: number = 0, end: number = 0, missing?: value"
declare_all(
    arrays,
    __name__,
    [
        ("CONCAT(text: cells, text...: cells)", lambda *grids: _kept("".join(_spelled(v) for v in _values(grids))), "All texts one after the other, those of ranges row by row.", 'CONCAT({"a","b";"c","d"}, 1)', "abcd1"),
        ("TEXTJOIN(between: cells, skip: logical, text: cells, text...: cells)", _textjoin, "All texts with another between them; empty ones may be skipped.", 'TEXTJOIN(", ", TRUE, {"a","","b"})', "a, b"),
        (f"TEXTBEFORE(text: text, delimiter: cells, {_WHICH})", _part(False), "The part of a text in front of another; from the end when `which` is negative.", 'TEXTBEFORE("a-b-c", "-", -1)', "a-b"),
        (f"TEXTAFTER(text: text, delimiter: cells, {_WHICH})", _part(True), "The part of a text behind another; from the end when `which` is negative.", 'TEXTAFTER("a-b-c", "-")', "b-c"),
        ("TEXTSPLIT(text: text, columns?: cells, rows?: cells, skip: logical = FALSE, fold: number = 0, pad: value = '#N/A')", lambda *given: _textsplit(*_padded(given)), "A text cut into columns and rows.", 'INDEX(TEXTSPLIT("a,b;c,d", ",", ";"), 2, 1)', "c"),
        ("ARRAYTOTEXT(array: cells, form: number = 0)", _array_text, "An array's values as one text; with form 1, as a formula writes them.", 'ARRAYTOTEXT({1,"a";TRUE,2}, 1)', '{1,"a";TRUE,2}'),
        ("VALUETOTEXT(value: value, form: number = 0)", lambda value, form=0.0: _spelled_or_error(value, bool(form)), "A value as text; with form 1, as a formula writes it.", 'VALUETOTEXT("a", 1)', '"a"'),
    ],
)  # fmt: skip


def _padded(given: Sequence[Any]) -> list[Any]:
    """Arguments of TEXTSPLIT, in which the text for what is missing is the error value it spells."""
    last = given[-1]
    return [*given[:-1], CellError.NA if last == CellError.NA.text else last]
