"""Periods: what one run covers, in ISO 8601 spelling."""

from __future__ import annotations

import calendar
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

from tinquire.base.faults import Fault, UseError
from tinquire.cells.dates import serial_from_date
from tinquire.cells.languages import ENGLISH, Language
from tinquire.cells.values import Value

__all__ = ["KINDS", "Period", "parse_period", "period_of"]

KINDS = ("year", "quarter", "month", "week", "day")
_MONTHS = (
    "January", "February", "March", "April", "May", "June", "July",
    "August", "September", "October", "November", "December",
)  # fmt: skip
_EXAMPLES = {"year": "2026", "quarter": "2026-Q4", "month": "2026-10", "week": "2026-W43", "day": "2026-10-31"}


@dataclass(frozen=True, slots=True)
class Period:
    """A year, quarter, month, week or day: its spelling, its kind, its first and last day."""

    text: str
    kind: str
    first: date
    last: date

    @property
    def long(self) -> str:
        """As a letter writes it: 'October 2026', 'week 43 of 2026', '31 October 2026'."""
        month = _MONTHS[self.first.month - 1]
        match self.kind:
            case "year":
                return str(self.first.year)
            case "quarter":
                return f"quarter {(self.first.month + 2) // 3} of {self.first.year}"
            case "month":
                return f"{month} {self.first.year}"
            case "week":
                year, week, _ = self.first.isocalendar()
                return f"week {week} of {year}"
            case _:
                return f"{self.first.day} {month} {self.first.year}"

    @property
    def previous(self) -> Period:
        return period_of(self.kind, self.first - timedelta(days=1))

    @property
    def next(self) -> Period:
        return period_of(self.kind, self.last + timedelta(days=1))

    def spelled(self, language: Language) -> str:
        """As a letter in a language writes it."""
        return self.long if language.spelled is None else language.spelled(self.kind, self.first)

    def values(self, language: Language = ENGLISH) -> dict[str, Value]:
        """What slots and formulas may say of the period, by name."""
        return {
            "period": self.text,
            "period.long": self.spelled(language),
            "period.year": float(self.first.year),
            "period.month": float(self.first.month),
            "period.first": serial_from_date(self.first),
            "period.last": serial_from_date(self.last),
            "period.previous": self.previous.text,
            "period.next": self.next.text,
        }


def parse_period(text: str, kind: str | None = None) -> Period:
    """A period from its spelling. Raises UseError when it is not a period, or not of the kind asked for."""
    for known, (pattern, build) in _READERS.items():
        match = re.fullmatch(pattern, text.strip())
        if not match:
            continue
        try:
            period = build(*(int(part) for part in match.groups()))
        except ValueError:
            break
        if kind is not None and known != kind:
            why = f"'{text}' is a {known}, the docket wants a {kind}"
            raise UseError(Fault("reading the period", why, do=f"write it like {_EXAMPLES[kind]}"))
        return period
    example = _EXAMPLES[kind] if kind in _EXAMPLES else ", ".join(_EXAMPLES.values())
    raise UseError(Fault("reading the period", f"'{text}' is not a period", do=f"write it like {example}"))


def period_of(kind: str, day: date) -> Period:
    """The period of a kind that holds a day."""
    match kind:
        case "year":
            return _year(day.year)
        case "quarter":
            return _quarter(day.year, (day.month + 2) // 3)
        case "month":
            return _month(day.year, day.month)
        case "week":
            return _week(*day.isocalendar()[:2])
        case _:
            return _day(day.year, day.month, day.day)


def _year(year: int) -> Period:
    return Period(f"{year:04d}", "year", date(year, 1, 1), date(year, 12, 31))


def _quarter(year: int, quarter: int) -> Period:
    first = date(year, 3 * quarter - 2, 1)
    return Period(f"{year:04d}-Q{quarter}", "quarter", first, _month_end(year, 3 * quarter))


def _month(year: int, month: int) -> Period:
    return Period(f"{year:04d}-{month:02d}", "month", date(year, month, 1), _month_end(year, month))


def _week(year: int, week: int) -> Period:
    first = date.fromisocalendar(year, week, 1)
    return Period(f"{year:04d}-W{week:02d}", "week", first, first + timedelta(days=6))


def _day(year: int, month: int, day: int) -> Period:
    one = date(year, month, day)
    return Period(one.isoformat(), "day", one, one)


def _month_end(year: int, month: int) -> date:
    return date(year, month, calendar.monthrange(year, month)[1])


_READERS: dict[str, tuple[str, Callable[..., Period]]] = {
    "year": (r"(\d{4})", _year),
    "quarter": (r"(\d{4})-Q([1-4])", _quarter),
    "month": (r"(\d{4})-(\d{2})", _month),
    "week": (r"(\d{4})-W(\d{2})", _week),
    "day": (r"(\d{4})-(\d{2})-(\d{2})", _day),
}
