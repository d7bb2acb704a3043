"""Times of the calendar as an office says them: `working day 3 08:00`, `monday 7:30`, `last working day 17:00`."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from tinquire.base.faults import Fault, UseError

__all__ = ["CalendarTime", "parse_time"]

_DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_FORM = re.compile(
    rf"(?:(?P<each>every day|every working day|{'|'.join(_DAYS)})|(?P<last>last )?(?P<working>working )?day"
    r"(?: (?P<number>\d{1,2}))?) (?P<hour>\d{1,2}):(?P<minute>\d\d)"
)
#: Days looked at before a rule counts as one that never comes.
_LONGEST = 800


@dataclass(frozen=True, slots=True)
class CalendarTime:
    """A rule for days, and the time of the day. Days that are no working days are weekends and holidays."""

    text: str
    #: 'every day', 'every working day', the name of a weekday; or, of a month, 'day' and 'working day'.
    kind: str
    #: Which day of the month, from 1 on; -1 for the last.
    number: int
    at: time

    def next_after(self, moment: datetime, holidays: Collection[date] = ()) -> datetime:
        """The first such time after a moment; both without a zone, as the clock on the wall shows them. Raises UseError
        when there is none, as with holidays on all days."""
        return self._first(moment, 1, holidays)

    def last_until(self, moment: datetime, holidays: Collection[date] = ()) -> datetime:
        """The last such time that is not after a moment."""
        return self._first(moment, -1, holidays)

    def _first(self, moment: datetime, step: int, holidays: Collection[date]) -> datetime:
        for ahead in range(_LONGEST):
            day = moment.date() + timedelta(days=ahead * step)
            found = datetime.combine(day, self.at)
            if (found > moment if step > 0 else found <= moment) and self._is_day(day, holidays):
                return found
        raise UseError(Fault("reading --at", f"'{self.text}' never comes", do="look at the list of holidays"))

    def _is_day(self, day: date, holidays: Collection[date]) -> bool:
        if self.kind == "every day":
            return True
        if self.kind == "every working day":
            return _works(day, holidays)
        if self.kind in _DAYS:
            return _DAYS[day.weekday()] == self.kind
        days = [one for one in _month(day) if self.kind == "day" or _works(one, holidays)]
        place = self.number if self.number < 0 else self.number - 1
        return -len(days) <= place < len(days) and days[place] == day

    def crontab(self) -> str:
        """The five fields of a crontab line (POSIX, crontab) for all days on which it may come."""
        days = "1-5" if "working" in self.kind else str((_DAYS.index(self.kind) + 1) % 7) if self.kind in _DAYS else "*"
        of_month = str(self.number) if self.kind == "day" and self.number > 0 else "*"
        return f"{self.at.minute} {self.at.hour} {of_month} * {days}"


def parse_time(text: str) -> CalendarTime:
    """Raises UseError for what is no time of the calendar."""
    found = _FORM.fullmatch(" ".join(text.casefold().split()))
    if found is not None:
        hour, minute, number = int(found["hour"]), int(found["minute"]), int(found["number"] or 0)
        if hour < 24 and minute < 60:
            at = time(hour, minute)
            if found["each"]:
                return CalendarTime(text, found["each"], 0, at)
            if (found["last"] and not found["number"]) or (not found["last"] and 1 <= number <= 31):
                return CalendarTime(
                    text, "working day" if found["working"] else "day", -1 if found["last"] else number, at
                )
    forms = ("working day 3 08:00", "last working day 17:00", "day 5 07:00", "monday 08:00", "every day 6:00")
    do = f"write it like {', '.join(map(repr, forms))}"
    raise UseError(Fault("reading --at", f"'{text}' is no time of the calendar", do=do))


def _works(day: date, holidays: Collection[date]) -> bool:
    return day.weekday() < 5 and day not in holidays


def _month(day: date) -> Iterator[date]:
    one = day.replace(day=1)
    while one.month == day.month:
        yield one
        one += timedelta(days=1)
