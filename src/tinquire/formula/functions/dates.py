"""Days, times and shares of years (18.17.7), in the date system of the scope."""

from __future__ import annotations

import calendar
import datetime
import math
import re
from collections.abc import Callable
from typing import Any

import numpy as np

from tinquire.cells.column import Column, Floats
from tinquire.cells.dates import (
    LAST_SERIAL,
    SYSTEMS_APART,
    DateParts,
    DateSystem,
    date_from_serial,
    date_parts,
    serial_from_date,
    serials_from_parts,
)
from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, arrays, plain
from tinquire.formula.engine.conversions import Faulty, first_fault, number_from_text, numbers, with_faults
from tinquire.formula.engine.evaluate import evaluate, lift
from tinquire.formula.engine.operands import Operand, Scalar
from tinquire.formula.engine.references import single
from tinquire.formula.engine.registry import declare_all, special
from tinquire.formula.engine.scope import Frame
from tinquire.formula.language.tree import Node

_DAY_SECONDS = 86_400


def framed(signature: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    return arrays(signature, framed=True)


def date_of(frame: Frame, serial: float) -> datetime.date:
    """The day of a serial; the 29 February 1900 that never was is the day after. Raises ErrorValue off the calendar."""
    try:
        return date_from_serial(math.floor(serial), frame.scope.date_system)
    except (ValueError, OverflowError):
        if frame.scope.date_system is DateSystem.FROM_1900 and math.floor(serial) in (0, 60):
            return datetime.date(1900, 3, 1) if serial >= 60 else datetime.date(1899, 12, 31)
        raise ErrorValue(CellError.NUM) from None


def serial(frame: Frame, day: datetime.date) -> float:
    """A day's serial. Raises ErrorValue off the calendar, which NumPy's days may leave: they are numbers then."""
    if not isinstance(day, datetime.date):
        raise ErrorValue(CellError.NUM)
    found = serial_from_date(day, frame.scope.date_system)
    if found < 0:
        raise ErrorValue(CellError.NUM)
    return found


def _clock(serial: float) -> int:
    """The second of the day, rounded as programs show it."""
    if serial < 0:
        raise ErrorValue(CellError.NUM)
    return round((serial - math.floor(serial)) * _DAY_SECONDS) % _DAY_SECONDS


def _moved(frame: Frame, serial: float, months: float) -> datetime.date:
    """The same day n months later, or the last of its month."""
    day = date_of(frame, serial)
    month = day.year * 12 + day.month - 1 + int(months)
    year, month = divmod(month, 12)
    if not 1899 <= year <= 9999:
        raise ErrorValue(CellError.NUM)
    return datetime.date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))


def _edate(frame: Frame, day: float, months: float) -> float:
    return serial(frame, _moved(frame, day, months))


def _eomonth(frame: Frame, day: float, months: float) -> float:
    first = _moved(frame, day, months)
    return serial(frame, first.replace(day=calendar.monthrange(first.year, first.month)[1]))


def _weekday(frame: Frame, serial: float, kind: float = 1.0) -> float:
    """The place in a week that begins on Sunday (1, 17), Monday (2, 11; from zero: 3), Tuesday (12), ..."""
    monday = (_days_since_1900(frame, serial) + 5) % 7
    number = int(kind)
    if number == 3:
        return float(monday)
    first = {1: 6, 2: 0, 17: 6}.get(number, number - 11 if 11 <= number <= 17 else None)
    if first is None:
        raise ErrorValue(CellError.NUM)
    return float((monday - first) % 7 + 1)


def _days_since_1900(frame: Frame, serial: float) -> int:
    """A serial of the 1900 system, in which the days of the week count on through the day that never was."""
    found = math.floor(serial) + (SYSTEMS_APART if frame.scope.date_system is DateSystem.FROM_1904 else 0)
    if not 0 <= found <= LAST_SERIAL:
        raise ErrorValue(CellError.NUM)
    return found


def _weeknum(frame: Frame, serial: float, kind: float = 1.0) -> float:
    number = int(kind)
    day = date_of(frame, serial)
    if number == 21:
        return float(day.isocalendar().week)
    first = {1: 6, 2: 0}.get(number, number - 11 if 11 <= number <= 17 else None)
    if first is None:
        raise ErrorValue(CellError.NUM)
    start = datetime.date(day.year, 1, 1)
    return float(((day - start).days + (start.weekday() - first) % 7) // 7 + 1)


def _datedif(frame: Frame, start: float, end: float, unit: str) -> float:
    """Whole years, months or days between two days; `YM`, `YD`, `MD` leave out years, years, and years and months."""
    a, b = date_of(frame, start), date_of(frame, end)
    if a > b:
        raise ErrorValue(CellError.NUM)
    months = (b.year - a.year) * 12 + b.month - a.month - (b.day < a.day)
    match unit.upper():
        case "Y":
            return float(months // 12)
        case "M":
            return float(months)
        case "D":
            return float((b - a).days)
        case "YM":
            return float(months % 12)
        case "MD":
            before = date_of(frame, _edate(frame, start, months))
            return float((b - before).days)
        case "YD":
            year = b.year if (b.month, b.day) >= (a.month, a.day) else b.year - 1
            near = a.replace(year=year, day=min(a.day, calendar.monthrange(year, a.month)[1]))
            return float((b - near).days)
    raise ErrorValue(CellError.NUM)


def thirty_days(a: datetime.date, b: datetime.date, european: bool) -> int:
    """Days between two days in years of twelve months of thirty days (the American way changes ends of February)."""
    first, last = a.day, b.day
    if european:
        first, last = min(first, 30), min(last, 30)
    else:
        if _is_last_of_february(a):
            if _is_last_of_february(b):
                last = 30
            first = 30
        if last == 31 and first >= 30:
            last = 30
        first = min(first, 30)
    return (b.year - a.year) * 360 + (b.month - a.month) * 30 + last - first


def _is_last_of_february(day: datetime.date) -> bool:
    return day.month == 2 and (day + datetime.timedelta(1)).month == 3


def _days360(frame: Frame, start: float, end: float, european: bool = False) -> float:
    a, b = date_of(frame, start), date_of(frame, end)
    if european:
        return float(thirty_days(a, b, True))
    first, last = min(a.day, 30), b.day
    if _is_last_of_february(a):
        first = 30
    if last == 31:
        last = 30 if first == 30 else 31
    return float((b.year - a.year) * 360 + (b.month - a.month) * 30 + last - first)


def year_share(a: datetime.date, b: datetime.date, basis: int) -> float:
    """The fraction of a year between two days: basis 0 American 30/360, 1 actual, 2 actual/360, 3 actual/365, 4 European
    30/360. Raises ErrorValue for another."""
    if a > b:
        a, b = b, a
    days = (b - a).days
    match basis:
        case 0:
            return thirty_days(a, b, False) / 360
        case 1:
            return days / _mean_year(a, b)
        case 2:
            return days / 360
        case 3:
            return days / 365
        case 4:
            return thirty_days(a, b, True) / 360
    raise ErrorValue(CellError.NUM)


def _mean_year(a: datetime.date, b: datetime.date) -> float:
    """How many days a year has between two days: of one year, or the mean of all that are touched."""
    a_year_on = (b.year, b.month, b.day) <= (a.year + 1, a.month, a.day)
    if not a_year_on:
        years = range(a.year, b.year + 1)
        return sum(366 if calendar.isleap(year) else 365 for year in years) / len(years)
    leap_days = [datetime.date(year, 2, 29) for year in {a.year, b.year} if calendar.isleap(year)]
    whole = a.year == b.year and calendar.isleap(a.year)
    return 366.0 if whole or any(a <= day <= b for day in leap_days) else 365.0


def _yearfrac(frame: Frame, start: float, end: float, basis: float = 0.0) -> float:
    return year_share(date_of(frame, start), date_of(frame, end), int(basis))


declare_all(
    framed,
    __name__,
    [
        ("EDATE(day: number, months: number)", _edate, "The same day some months later, or the last of that month.", "EDATE(DATE(2026,1,31), 1) = DATE(2026,2,28)", "TRUE"),
        ("EOMONTH(day: number, months: number)", _eomonth, "The last day of the month, some months later.", "EOMONTH(DATE(2026,10,5), 1) = DATE(2026,11,30)", "TRUE"),
        ("WEEKDAY(day: number, kind: number = 1)", _weekday, "A day's number in the week: from Sunday (1), from Monday (2, or 3 from zero), or from another day (11 to 17).", "WEEKDAY(DATE(2026,10,31))", "7"),
        ("WEEKNUM(day: number, kind: number = 1)", _weeknum, "The week of the year: from Sunday (1), Monday (2), another day (11 to 17), or by ISO 8601 (21).", "WEEKNUM(DATE(2026,3,9))", "11"),
        ("ISOWEEKNUM(day: number)", lambda frame, day: _weeknum(frame, day, 21), "The week of the year by ISO 8601.", "ISOWEEKNUM(DATE(2026,1,1))", "1"),
        ("DATEDIF(start: number, end: number, unit: text)", _datedif, 'Whole years ("Y"), months ("M") or days ("D") between two days; "YM", "YD" and "MD" leave out years, or years and months.', 'DATEDIF(DATE(2024,3,15), DATE(2026,10,31), "M")', "31"),
        ("DAYS(end: number, start: number)", lambda frame, b, a: float(math.floor(b) - math.floor(a)), "Days between two days.", "DAYS(DATE(2026,10,31), DATE(2026,10,1))", "30"),
        ("DAYS360(start: number, end: number, european: logical = FALSE)", _days360, "Days between two days, with months of 30 days.", "DAYS360(DATE(2026,1,30), DATE(2026,2,1))", "1"),
        ("YEARFRAC(start: number, end: number, basis: number = 0)", _yearfrac, "The fraction of a year between two days.", "YEARFRAC(DATE(2026,1,1), DATE(2026,7,1))", "0.5"),
    ],
)  # fmt: skip


# -- times -----------------------------------------------------------------------------------------------


def _time(hour: float, minute: float, second: float) -> float:
    total = int(hour) * 3600 + int(minute) * 60 + int(second)
    if total < 0 or max(hour, minute, second) > 32767:
        raise ErrorValue(CellError.NUM)
    return total % _DAY_SECONDS / _DAY_SECONDS


#: A text that is a number, and neither a day nor a time.
_ONLY_NUMBER = re.compile(r"\s*[-+]?[0-9]*[.,]?[0-9]*(?:[Ee][-+]?[0-9]+)?\s*%?\s*")


def _from_text(text: str) -> float:
    found = None if _ONLY_NUMBER.fullmatch(text) else number_from_text(text)
    if found is None:
        raise ErrorValue(CellError.VALUE)
    return found


declare_all(
    plain,
    __name__,
    [
        ("HOUR(moment: number)", lambda t: float(_clock(t) // 3600), "The hour of a time of day.", "HOUR(0.75)", "18"),
        ("MINUTE(moment: number)", lambda t: float(_clock(t) // 60 % 60), "The minute of a time of day.", 'MINUTE("12:45:30")', "45"),
        ("SECOND(moment: number)", lambda t: float(_clock(t) % 60), "The second of a time of day.", 'SECOND("12:45:30")', "30"),
        ("TIME(hour: number, minute: number, second: number)", _time, "A time of day as a fraction of a day.", "TIME(12, 0, 0)", "0.5"),
        ("TIMEVALUE(text: text)", lambda text: _from_text(text) % 1, "The time of day that a text spells (ISO 8601).", 'TIMEVALUE("18:00")', "0.75"),
    ],
)  # fmt: skip


@arrays("DATEVALUE(text: text)", framed=True)
def datevalue(frame: Frame, text: str) -> float:
    """The day that a text spells (ISO 8601; other orders are not guessed) (18.17.7).

    >>> DATEVALUE("2026-10-31") = DATE(2026, 10, 31)
    TRUE
    """
    found = math.floor(_from_text(text))
    return float(found - (SYSTEMS_APART if frame.scope.date_system is DateSystem.FROM_1904 else 0))


@special("TODAY()")
def today(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The day of calculation, given to the recalculation (18.17.7).

    >>> TODAY() = INT(NOW())
    TRUE
    """
    moment = frame.scope.moment
    return Scalar(CellError.NA if moment is None else float(math.floor(moment)))


@special("NOW()")
def now(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The moment of calculation, given to the recalculation (18.17.7).

    >>> NOW() > DATE(2000, 1, 1)
    TRUE
    """
    return Scalar(CellError.NA if frame.scope.moment is None else frame.scope.moment)


@plain("EASTERSUNDAY(year: number)")
def eastersunday(year: float) -> float:
    """Easter Sunday of a year, as a serial of the 1900 system (OpenFormula 6.10.9).

    >>> EASTERSUNDAY(2026) = DATE(2026, 4, 5)
    TRUE
    """
    number = int(year) + (1900 if year < 100 else 0)
    if not 1583 <= number <= 9956:
        raise ErrorValue(CellError.NUM)
    a, b, c = number % 19, *divmod(number, 100)
    e, d = b % 4, b // 4
    g = (8 * b + 13) // 25
    h = (19 * a + b - d - g + 15) % 30
    m = (a + 11 * h) // 319
    rest = (2 * e + 2 * (c // 4) - c % 4 - h + m + 32) % 7
    month = (h - m + rest + 90) // 25
    return serial_from_date(datetime.date(number, month, (h - m + rest + month + 19) % 32))


@special("DATE(year: number, month: number, day: number)")
def date(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The serial of a day; months and days run over into the next (18.17.7).

    >>> DATE(2026, 14, 1)
    46419
    """
    operands = [single(evaluate(argument, frame), frame) for argument in arguments]

    def work(*columns: Column) -> Column:
        read = [numbers(column) for column in columns]
        year, month, day = (values for values, _ in read)
        with np.errstate(all="ignore"):  # what is out of range becomes an error value
            serials = serials_from_parts(year, month, day, frame.scope.date_system)
        return with_faults(Column.of_numbers(serials), _spread(first_fault(*(f for _, f in read)), serials))

    return lift(operands, work)


def _spread(faults: Faulty | None, values: Floats) -> Faulty | None:
    return None if faults is None else np.broadcast_to(faults, values.shape)


def _part(arguments: tuple[Node, ...], frame: Frame, part: str) -> Operand:
    def work(column: Column) -> Column:
        values, faults = numbers(column)
        parts: DateParts = date_parts(values, frame.scope.date_system)
        return with_faults(Column.of_numbers(parts._asdict()[part]), faults)

    return lift([single(evaluate(arguments[0], frame), frame)], work)


@special("YEAR(day: number)")
def year(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The year of a day (18.17.7).

    >>> YEAR(DATE(2026, 10, 31))
    2026
    """
    return _part(arguments, frame, "year")


@special("MONTH(day: number)")
def month(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The month of a day, 1 to 12 (18.17.7).

    >>> MONTH("2026-10-31")
    10
    """
    return _part(arguments, frame, "month")


@special("DAY(day: number)")
def day(arguments: tuple[Node, ...], frame: Frame) -> Operand:
    """The day of the month, 1 to 31 (18.17.7).

    >>> DAY(DATE(2026, 10, 31))
    31
    """
    return _part(arguments, frame, "day")
