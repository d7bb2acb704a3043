"""Names of months and weekdays in the language that a number format asks for (ECMA-376 Part 1, 18.8.31: `[$-407]`)."""

from __future__ import annotations

import locale as locales
from functools import lru_cache
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from babel import Locale

__all__ = ["ENGLISH", "DayNames", "day_names", "names_of"]


class DayNames(NamedTuple):
    """Months from January on and weekdays from Saturday on (the order of serials), in full and short; months also as
    they stand beside a day, which some languages inflect."""

    months: tuple[str, ...]
    months_with_day: tuple[str, ...]
    short_months: tuple[str, ...]
    weekdays: tuple[str, ...]
    short_weekdays: tuple[str, ...]


_MONTHS = (
    "January", "February", "March", "April", "May", "June", "July",
    "August", "September", "October", "November", "December",
)  # fmt: skip
_WEEKDAYS = ("Saturday", "Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday")
ENGLISH = DayNames(
    _MONTHS, _MONTHS, tuple(name[:3] for name in _MONTHS), _WEEKDAYS, tuple(name[:3] for name in _WEEKDAYS)
)
#: The low half of a language number names the language; the rest are calendars and shapes of digits.
_LANGUAGE = 0xFFFF


@lru_cache(maxsize=64)
def day_names(language: int | None) -> DayNames:
    """The names of a language by its number; English for numbers that name none that is known."""
    name = locales.windows_locale.get((language or 0) & _LANGUAGE)
    if name is None or name.startswith("en"):
        return ENGLISH
    from babel import Locale, UnknownLocaleError

    try:
        return names_of(Locale.parse(name))
    except (UnknownLocaleError, ValueError):
        return ENGLISH


def names_of(locale: Locale) -> DayNames:
    """The names of a locale of Babel."""
    months, weekdays = locale.months, locale.days
    order = (5, 6, 0, 1, 2, 3, 4)
    return DayNames(
        tuple(months["stand-alone"]["wide"][month] for month in range(1, 13)),
        tuple(months["format"]["wide"][month] for month in range(1, 13)),
        tuple(months["stand-alone"]["abbreviated"][month].rstrip(".") for month in range(1, 13)),
        tuple(weekdays["format"]["wide"][day] for day in order),
        tuple(weekdays["stand-alone"]["abbreviated"][day].rstrip(".") for day in order),
    )
