"""Days and times in texts, as far as no notation makes them ambiguous."""

from __future__ import annotations

import re
from datetime import date

from tinquire.cells.dates import serial_from_date

__all__ = ["moment_from_text"]

_MONTHS = {
    name: number
    for number, names in enumerate(
        (
            "january", "february", "march", "april", "may", "june", "july", "august", "september", "october",
            "november", "december",
        ),
        start=1,
    )
    for name in (names, names[:3], names[:4] if names == "september" else names)
}  # fmt: skip
_TIME = re.compile(
    r"(?:(?P<hours>[0-9]{1,4}):(?P<minutes>[0-9]{2})(?::(?P<seconds>[0-9]{2}(?:\.[0-9]+)?))?(?:\s*(?P<half>[AaPp])[Mm])?"
    r"|(?P<hour>[0-9]{1,2})\s*(?P<only>[AaPp])[Mm])\Z"
)
_YEAR_FIRST = re.compile(r"([0-9]{4})([-/.])([0-9]{1,2})\2([0-9]{1,2})\Z")
_TWO_ORDERS = re.compile(r"([0-9]{1,2})([./-])([0-9]{1,2})\2([0-9]{4}|[0-9]{2})\Z")
_DAY_MONTH = re.compile(r"([0-9]{1,2})[\s.-]+([A-Za-z]{3,9})[\s.,-]+([0-9]{4}|[0-9]{2})\Z")
_MONTH_DAY = re.compile(r"([A-Za-z]{3,9})\.?\s+([0-9]{1,2}),?\s+([0-9]{4})\Z")


def moment_from_text(text: str, order: str = "") -> float | None:
    """The serial (1900 system) of a day, a time, or a day with a time; None for other texts.

    Days are read with the year first, or with the name of their month; others, as 3/11/2026, in the stated order only:
    'day-first' or 'month-first'. Years of two digits are those from 1930 to 2029.
    """
    bare = text.strip()
    match = _TIME.search(bare)
    time = 0.0
    if match and (match.start() == 0 or bare[match.start() - 1] in " T"):
        part = _time(match)
        if part is None:
            return None
        time, bare = part, bare[: match.start()].rstrip(" T").rstrip(",")
        if not bare:
            return time
    day = _day(bare, order)
    return None if day is None else day + time


def _time(found: re.Match[str]) -> float | None:
    hours, half = int(found["hours"] or found["hour"]), found["half"] or found["only"]
    minutes, seconds = int(found["minutes"] or 0), float(found["seconds"] or 0)
    if half and not 1 <= hours <= 12:
        return None
    if half:
        hours = hours % 12 + (12 if half in "pP" else 0)
    return (hours * 3600 + minutes * 60 + seconds) / 86_400


def _day(text: str, order: str) -> float | None:
    if match := _YEAR_FIRST.match(text):
        parts = (match[1], match[3], match[4])
    elif (match := _TWO_ORDERS.match(text)) and order:
        first, second, year = match[1], match[3], match[4]
        parts = (year, second, first) if order == "day-first" else (year, first, second)
    elif match := _DAY_MONTH.match(text):
        parts = (match[3], str(_MONTHS.get(match[2].casefold(), 0)), match[1])
    elif match := _MONTH_DAY.match(text):
        parts = (match[3], str(_MONTHS.get(match[1].casefold(), 0)), match[2])
    else:
        return None
    year = parts[0] if len(parts[0]) == 4 else ("20" if parts[0] < "30" else "19") + parts[0]
    try:
        return serial_from_date(date(int(year), int(parts[1]), int(parts[2])))
    except ValueError:
        return None
