"""A value as the text a reader sees, under a number format (ECMA-376 Part 1, 18.8.31)."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from decimal import ROUND_HALF_UP, Context, Decimal
from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from tinquire.cells.column import Column
from tinquire.cells.dates import SYSTEMS_APART, DateSystem, date_parts
from tinquire.cells.daynames import DayNames, day_names
from tinquire.cells.languages import ENGLISH, Language
from tinquire.cells.numberformat import FormatCode, Section, SectionKind, Token, parse_format
from tinquire.cells.values import CellError, Value

__all__ = ["Shown", "general", "show", "show_column", "texts_in"]

#: A cell in General form shows a number in at most this many characters (sign apart).
GENERAL_WIDTH = 11
#: What a date format shows for a number that is not a day.
NO_DAY = "########"
#: Longer times than this many days are not spelled out.
MOST_DAYS = 1e8

#: The largest double has 309 digits before the point, the smallest 324 places after it; formats add hundreds.
_EXACT = Context(prec=4000)
#: A format code has at most this many characters; a longer one is ignored.
MAX_CODE = 255


class Shown(NamedTuple):
    """The text, and the colour (RGB) that the format itself asks for, if any."""

    text: str
    colour: str | None = None


def show(
    value: Value, code: str = "General", system: DateSystem = DateSystem.FROM_1900, language: Language = ENGLISH
) -> Shown:
    """A value as displayed under a format code; a blank shows nothing, an error its name. Marks and names are those of
    the language, unless the code states one for names.

    A code longer than `MAX_CODE` is no code: values show in General form.
    """
    code = code if len(code) <= MAX_CODE else "General"
    if value is None:
        return Shown("")
    if isinstance(value, bool):
        return Shown("TRUE" if value else "FALSE")
    if isinstance(value, CellError):
        return Shown(value.text)
    if isinstance(value, str):
        return _show_text(value, parse_format(code))
    return _show_number(float(value), parse_format(code), system, language)


def show_column(
    column: Column, code: str, system: DateSystem = DateSystem.FROM_1900, language: Language = ENGLISH
) -> list[str]:
    """Each value as displayed; equal numbers and texts are rendered once."""
    cache: dict[Value | tuple[str, Value], str] = {}
    result = []
    for value in column:
        key = (type(value).__name__, value)
        if key not in cache:
            cache[key] = show(value, code, system, language).text
        result.append(cache[key])
    return result


@lru_cache(maxsize=16)
def texts_in(language: Language) -> Callable[[Value, str], str]:
    """The texts that `show` gives of values under formats, for what many files show: equal ones are rendered once."""

    @lru_cache(maxsize=16_384, typed=True)
    def text(value: Value, code: str) -> str:
        return show(value, code, language=language).text

    return text


@lru_cache(maxsize=8_192)
def general(number: float, digits: int = 15) -> str:
    """A number in General form with at most `digits` significant digits: 0.1, 1234567, 1E+21."""
    if number == 0:
        return "0"
    text = f"{number:.{digits}G}"
    mantissa, _, exponent = text.partition("E")
    if exponent:
        power = int(exponent)
        if -5 <= power < 0 or 0 <= power < 21:
            text = format(Decimal(text), "f")
            return text.rstrip("0").rstrip(".") if "." in text else text
        mantissa = mantissa.rstrip("0").rstrip(".") if "." in mantissa else mantissa
        return f"{mantissa}E{'+' if power >= 0 else '-'}{abs(power):02d}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def _general_in_cell(number: float) -> str:
    """General form as a cell shows it: cut to its width by rounding, or in powers of ten."""
    text = general(number)
    if len(text.lstrip("-")) <= GENERAL_WIDTH:
        return text
    size = abs(number)
    if 1e-4 <= size < 1e11:
        whole = len(str(int(size)))
        return general(float(f"{number:.{max(0, GENERAL_WIDTH - 1 - whole)}f}"))
    mantissa, _, exponent = f"{number:.5E}".partition("E")
    return f"{mantissa.rstrip('0').rstrip('.')}E{int(exponent):+03d}"


def _show_text(text: str, code: FormatCode) -> Shown:
    """Text goes through the fourth section, or the last one that has an `@`; otherwise it stays."""
    for section in reversed(code.sections):
        if section.kind is SectionKind.TEXT:
            pieces = (text if token.kind == "text" else token.text for token in section.tokens)
            return Shown("".join(pieces), section.colour)
    if len(code.sections) == 4:
        return Shown(_literals(code.sections[3]), code.sections[3].colour)
    return Shown(text)


def _show_number(number: float, code: FormatCode, system: DateSystem, language: Language) -> Shown:
    section, unsigned = _choose(number, code)
    if section is None:
        return Shown("#" * 8)
    shown = abs(number) if unsigned else number
    match section.kind:
        case SectionKind.GENERAL:
            return Shown(_around(section, "general", language.number(_general_in_cell(shown))), section.colour)
        case SectionKind.TEXT:
            return Shown(_around(section, "text", language.number(general(shown))), section.colour)
        case SectionKind.DATE:
            return Shown(_show_date(shown, section, system, language), section.colour)
        case SectionKind.FRACTION:
            return Shown(_show_fraction(shown, section), section.colour)
        case _:
            return Shown(_show_digits(shown, section, language), section.colour)


def _choose(number: float, code: FormatCode) -> tuple[Section | None, bool]:
    """The section for a number, and whether the section itself stands for the minus sign."""
    only = code.sections[0]
    if len(code.sections) == 1 and only.condition is None and only.kind is not SectionKind.TEXT:
        return only, False
    numeric = [section for section in code.sections[:3] if section.kind is not SectionKind.TEXT]
    if not numeric:
        return code.sections[0], False
    if any(section.condition for section in numeric):
        for index, section in enumerate(numeric):
            if section.condition is None:
                if index == 1 and len(numeric) == 3 and number >= 0:
                    continue
                return section, index > 0 and number < 0
            if section.condition.holds(number):
                return section, section.condition.only_negative
        return None, False
    if len(numeric) == 1 or number > 0:
        return numeric[0], False
    if number < 0:
        rounds_to_zero = len(numeric) == 3 and _is_zero(number, numeric[1])
        return (numeric[2], True) if rounds_to_zero else (numeric[1], True)
    return (numeric[2] if len(numeric) == 3 else numeric[0]), False


def _is_zero(number: float, section: Section) -> bool:
    return section.kind is SectionKind.NUMBER and not any(
        character in "123456789" for character in _show_digits(abs(number), section)
    )


def _around(section: Section, kind: str, text: str) -> str:
    """A section's literals with `text` where its token of that kind stands."""
    return "".join(text if token.kind == kind else token.text for token in section.tokens)


def _literals(section: Section) -> str:
    return "".join(token.text for token in section.tokens if token.kind in ("literal", "pad"))


# -- numbers ---------------------------------------------------------------------------------------------


def _show_digits(number: float, section: Section, language: Language = ENGLISH) -> str:
    """A number through digit places: scaling, grouping, rounding half away from zero at 15 digits."""
    usual = _usual(section) if language is ENGLISH else None
    if usual is not None and abs(number) < usual.below and round(number, usual.decimals) == number:
        # It has no more places than are shown, so that there is nothing to be rounded.
        sign = "-" if number < 0 else ""
        return f"{sign}{usual.before}{abs(number):{usual.code}}{usual.after}"
    tokens = section.tokens
    exponent_at = next((index for index, token in enumerate(tokens) if token.kind == "exponent"), None)
    point_at = next((index for index, token in enumerate(tokens) if token.kind == "point"), len(tokens))
    end = len(tokens) if exponent_at is None else exponent_at
    whole_at = [index for index in range(min(point_at, end)) if tokens[index].kind == "digit"]
    part_at = [index for index in range(point_at, end) if tokens[index].kind == "digit"]
    if not whole_at and not part_at:
        return ("-" if number < 0 else "") + _literals_and_signs(tokens)
    grouping, thousands = _commas(tokens, whole_at, part_at)
    percents = sum(token.kind == "percent" for token in tokens)
    value = Decimal(general(abs(number))).scaleb(2 * percents - 3 * thousands, context=_EXACT)
    power = 0
    if exponent_at is not None:
        value, power = _scale(value, max(1, len(whole_at)), len(part_at))
    value = _round(value, len(part_at))
    whole, _, part = format(value, "f").partition(".")
    texts = _whole_texts(tokens, whole_at, whole.lstrip("0"), language.group if grouping else "")
    texts |= _part_texts(tokens, part_at, part)
    if exponent_at is not None:
        texts |= _exponent_texts(tokens, exponent_at, power)
    sign = "-" if number < 0 and value != 0 else ""
    if point_at < len(tokens):
        texts[point_at] = language.decimal
    return sign + "".join(
        texts.get(index, "" if token.kind in ("comma", "digit") else token.text) for index, token in enumerate(tokens)
    )


class _Usual(NamedTuple):
    """A section of the usual form, `#,##0.00` between literals: what stands around the digits, how many places they
    have, below which numbers all digits are exact, and the format that Python knows."""

    before: str
    after: str
    decimals: int
    below: float
    code: str


#: Sections that were looked at, by identity, since to hash one takes longer than to format a number.
_KNOWN_SECTIONS: dict[int, tuple[Section, _Usual | None]] = {}
_MOST_SECTIONS = 4096


def _usual(section: Section) -> _Usual | None:
    """A section of the usual form; None for any other."""
    known = _KNOWN_SECTIONS.get(id(section))
    if known is None or known[0] is not section:
        if len(_KNOWN_SECTIONS) > _MOST_SECTIONS:
            _KNOWN_SECTIONS.clear()
        known = _KNOWN_SECTIONS[id(section)] = (section, _usual_form(section))
    return known[1]


def _usual_form(section: Section) -> _Usual | None:
    text = "".join({"digit": "d", "point": ".", "comma": ","}.get(token.kind, "l") for token in section.tokens)
    found = _USUAL_FORM.fullmatch(text)
    if found is None or any(
        token.kind not in ("literal", "pad", "digit", "point", "comma") for token in section.tokens
    ):
        return None
    start, point, end = found.start(2), found.end(2), found.start(4)
    digits = [token.text for token in section.tokens[start:point] if token.kind == "digit"]
    places = [token.text for token in section.tokens[point:end] if token.kind == "digit"]
    if digits[-1] != "0" or set(digits[:-1]) - {"#"} or set(places) - {"0"}:
        return None
    before, after = ("".join(token.text for token in part) for part in (section.tokens[:start], section.tokens[end:]))
    comma = "," if "," in found[2] else ""
    return _Usual(before, after, len(places), 10.0 ** (15 - len(places)), f"{comma}.{len(places)}f")


#: Literals, digits with or without one comma between them, a point and places, literals.
_USUAL_FORM = re.compile(r"(l*)(d|d+,?d+)(\.d+)?(l*)")


def _round(value: Decimal, decimals: int) -> Decimal:
    """Rounded half away from zero at this many decimals."""
    return value.quantize(Decimal(1).scaleb(-decimals), rounding=ROUND_HALF_UP, context=_EXACT)


def _literals_and_signs(tokens: tuple[Token, ...]) -> str:
    return "".join(token.text for token in tokens if token.kind in ("literal", "pad", "percent", "point"))


def _commas(tokens: tuple[Token, ...], whole_at: list[int], part_at: list[int]) -> tuple[bool, int]:
    """Whether commas group the thousands, and how many trailing ones divide by a thousand."""
    last = (part_at or whole_at)[-1]
    thousands = 0
    while last + 1 + thousands < len(tokens) and tokens[last + 1 + thousands].kind == "comma":
        thousands += 1
    if part_at and whole_at:
        after = whole_at[-1] + 1
        while after < len(tokens) and tokens[after].kind == "comma":
            thousands += 1
            after += 1
    inner = tokens[whole_at[0] : whole_at[-1]] if whole_at else ()
    return any(token.kind == "comma" for token in inner), thousands


def _scale(value: Decimal, places: int, decimals: int) -> tuple[Decimal, int]:
    """Mantissa with at most `places` digits before the point, and its power, a multiple of `places`."""
    if value == 0:
        return value, 0
    power = value.adjusted()
    power -= power % places if places > 1 else 0
    mantissa = value.scaleb(-power)
    if _round(mantissa, decimals) >= Decimal(10) ** places:
        power += places
        mantissa = value.scaleb(-power)
    return mantissa, power


def _whole_texts(tokens: tuple[Token, ...], at: list[int], digits: str, mark: str) -> dict[int, str]:
    """Texts of the digit places before the point: digits from the right, the rest at the leftmost place."""
    texts: dict[int, str] = {}
    left = digits
    count = 0
    for rank, index in enumerate(reversed(at)):
        is_leftmost = rank == len(at) - 1
        take = left if is_leftmost else left[-1:]
        left = "" if is_leftmost else left[:-1]
        if not take:
            take = {"0": "0", "?": " ", "#": ""}[tokens[index].text]
        text = ""
        for digit in reversed(take):
            if mark and count and count % 3 == 0:
                text = (mark if digit.isdecimal() else " ") + text
            text = digit + text
            count += 1
        texts[index] = text
    return texts


def _part_texts(tokens: tuple[Token, ...], at: list[int], digits: str) -> dict[int, str]:
    """Texts of the digit places after the point; trailing zeros give way to `#` and `?` places."""
    texts: dict[int, str] = {}
    trailing = True
    for index, digit in reversed(list(zip(at, digits, strict=False))):
        trailing = trailing and digit == "0" and tokens[index].text != "0"
        texts[index] = {"#": "", "?": " "}[tokens[index].text] if trailing else digit
    return texts


def _exponent_texts(tokens: tuple[Token, ...], at: int, power: int) -> dict[int, str]:
    digits_at = [index for index in range(at + 1, len(tokens)) if tokens[index].kind == "digit"]
    sign = "-" if power < 0 else ("+" if tokens[at].text.endswith("+") else "")
    texts = _whole_texts(tokens, digits_at, str(abs(power)) if power else "", "")
    return {at: "E" + sign} | texts


def _show_fraction(number: float, section: Section) -> str:
    """`# ?/?` and its kin: the nearest fraction whose denominator fits the digits, or a stated denominator."""
    tokens = section.tokens
    slash = next(index for index, token in enumerate(tokens) if token.kind == "slash")
    above = slash
    while above and tokens[above - 1].kind == "digit":
        above -= 1
    below = slash + 1
    while below < len(tokens) and (tokens[below].kind == "digit" or tokens[below].text.isdecimal()):
        below += 1
    whole_at = [index for index in range(above) if tokens[index].kind == "digit"]
    stated = "".join(token.text for token in tokens[slash + 1 : below])
    whole, numerator, denominator = _fraction(number, stated, mixed=bool(whole_at))
    blank = bool(whole_at) and numerator == 0
    pieces = ["-" if number < 0 else ""]
    for index, token in enumerate(tokens):
        text = token.text if token.kind in ("literal", "pad", "percent", "slash") else ""
        if whole_at and index == whole_at[-1]:
            text = str(whole) if whole or blank else ""
        elif index == above < slash:
            text = f"{numerator:>{slash - above if whole_at else 1}}"
        elif index == slash + 1 < below:
            text = f"{denominator:<{below - slash - 1}}"
        elif slash + 1 < index < below:
            text = ""
        in_fraction = bool(whole_at) and whole_at[-1] < index < below
        pieces.append(" " * len(text) if blank and in_fraction else text)
    return "".join(pieces)


def _fraction(number: float, stated: str, *, mixed: bool) -> tuple[int, int, int]:
    """A number's size as whole, numerator and denominator; the whole is zero unless the fraction is mixed."""
    value = Fraction(Decimal(general(abs(number))))
    whole = math.floor(value) if mixed else 0
    rest = value - whole
    if stated.isdecimal() and stated.strip("0"):
        denominator = int(stated)
        numerator = math.floor(rest * denominator + Fraction(1, 2))
    else:
        nearest = rest.limit_denominator(10 ** max(1, len(stated)) - 1)
        numerator, denominator = nearest.numerator, nearest.denominator
    if mixed and numerator == denominator:
        return whole + 1, 0, denominator
    return whole, numerator, denominator


# -- dates -----------------------------------------------------------------------------------------------


def _show_date(serial: float, section: Section, system: DateSystem, language: Language) -> str:
    if abs(serial) > MOST_DAYS:
        return NO_DAY
    decimals = max((len(token.text) for token in section.tokens if token.kind == "subsecond"), default=0)
    unit = 10**decimals
    ticks = math.floor(serial * 86_400 * unit + 0.5)
    if any(token.kind == "elapsed" for token in section.tokens):
        sign, ticks = ("-" if ticks < 0 else ""), abs(ticks)
    else:
        sign = ""
        if serial < 0:
            return NO_DAY
    days, rest = divmod(ticks, 86_400 * unit)
    seconds, parts = divmod(rest, unit)
    calendar = date_parts(np.array([float(days)]), system)
    year, month, day = (float(part[0]) for part in calendar)
    if math.isnan(year):
        # An elapsed time may run past the calendar; a day may not.
        if any(token.kind == "date" and token.text[0] in "ymde" for token in section.tokens):
            return NO_DAY
        year = month = day = 0.0
    half_day = any(token.kind == "ampm" for token in section.tokens)
    shift = 0 if system is DateSystem.FROM_1900 else SYSTEMS_APART
    fields = _DateFields(int(year), int(month), int(day), (days + shift) % 7, days, seconds, half_day)
    names = language.names if section.language is None else day_names(section.language)
    if any(token.kind == "date" and token.text in ("d", "dd") for token in section.tokens):
        names = names._replace(months=names.months_with_day)
    pieces = [_date_piece(token, fields, parts, names, language.decimal) for token in section.tokens]
    return sign + "".join(pieces)


class _DateFields(NamedTuple):
    year: int
    month: int
    day: int
    weekday: int
    days: int
    seconds: int
    half_day: bool


def _date_piece(token: Token, at: _DateFields, parts: int, names: DayNames, decimal: str) -> str:
    """The text of one token of a date section."""
    if token.kind == "subsecond":
        return f"{decimal}{parts:0{len(token.text)}d}"
    if token.kind == "ampm":
        marks = token.text.split("/")
        return marks[at.seconds >= 43_200]
    if token.kind == "elapsed":
        total = at.days * 86_400 + at.seconds
        count = {"h": total // 3600, "m": total // 60, "s": total}[token.text[0]]
        return f"{count:0{len(token.text)}d}"
    if token.kind != "date":
        return token.text
    width = len(token.text)
    hour, minute, second = at.seconds // 3600, at.seconds // 60 % 60, at.seconds % 60
    match token.text[0]:
        case "y" | "e":
            return f"{at.year % 100:02d}" if width <= 2 and token.text[0] == "y" else f"{at.year:04d}"
        case "m":
            name, short = names.months[at.month - 1], names.short_months[at.month - 1]
            return (str(at.month), f"{at.month:02d}", short, name, name[0])[min(width, 5) - 1]
        case "d":
            name, short = names.weekdays[at.weekday], names.short_weekdays[at.weekday]
            return (str(at.day), f"{at.day:02d}", short, name)[min(width, 4) - 1]
        case "h":
            shown = (hour + 11) % 12 + 1 if at.half_day else hour
            return f"{shown:0{min(width, 2)}d}"
        case "n":
            return f"{minute:0{min(width, 2)}d}"
        case _:
            return f"{second:0{min(width, 2)}d}"
