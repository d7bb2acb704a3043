"""Date serials (ECMA-376 Part 1, 18.17.4): days since an epoch, the time of day as the fraction.

The 1900 system counts 1900-01-01 as 1 and has a 29 February 1900 that never was (serial 60), so serials up to
60 lie one day nearer to their epoch than later ones. The 1904 system counts 1904-01-01 as 0.
"""

from __future__ import annotations

import datetime
from enum import Enum
from typing import NamedTuple

import numpy as np

from tinquire.cells.column import Floats

__all__ = [
    "SYSTEMS_APART", "DateParts", "DateSystem", "date_from_serial", "date_parts", "serial_from_date",
    "serials_from_parts",
]  # fmt: skip

_DAY_SECONDS = 86_400
_EPOCH_1900 = np.datetime64("1899-12-30", "D")
_EPOCH_1904 = np.datetime64("1904-01-01", "D")
#: The last day the grid's programs can show, 9999-12-31, in the 1900 system.
LAST_SERIAL = 2_958_465
#: Serials of the 1904 system lie this many days below those of the 1900 system.
SYSTEMS_APART = 1462


class DateSystem(Enum):
    """Which day counts as the first; a workbook says it in `workbookPr/@date1904`."""

    FROM_1900 = 1900
    FROM_1904 = 1904


class DateParts(NamedTuple):
    """Year, month and day of serials, as float arrays of their shape; NaN where there is no such day."""

    year: Floats
    month: Floats
    day: Floats


def date_parts(serials: Floats, system: DateSystem = DateSystem.FROM_1900) -> DateParts:
    """Calendar parts of date serials; serial 0 of the 1900 system is the day before 1 January 1900."""
    days = np.floor(serials)
    good = (days >= 0) & (days <= LAST_SERIAL)
    whole = np.where(good, days, 1).astype(np.int64)
    if system is DateSystem.FROM_1904:
        dates = _EPOCH_1904 + whole
        ghost = start = np.zeros(whole.shape, bool)
    else:
        dates = _EPOCH_1900 + whole + (whole < 60)
        ghost, start = whole == 60, whole == 0
    months = dates.astype("datetime64[M]")
    year = months.astype("datetime64[Y]").astype(np.int64) + 1970
    month = months.astype(np.int64) % 12 + 1
    day = (dates - months.astype("datetime64[D]")).astype(np.int64) + 1
    year = np.where(ghost | start, 1900, year)
    month = np.where(ghost, 2, np.where(start, 1, month))
    day = np.where(ghost, 29, np.where(start, 0, day))
    return DateParts(*(np.where(good, part, np.nan) for part in (year, month, day)))


def serials_from_parts(year: Floats, month: Floats, day: Floats, system: DateSystem = DateSystem.FROM_1900) -> Floats:
    """Serials of calendar parts; months and days run over into the next year or month, as DATE does.

    Years 0 to 1899 count from 1900 (18.17.7). NaN where the result lies outside the calendar.
    """
    year, month, day = np.broadcast_arrays(*(np.trunc(part) for part in (year, month, day)))
    year = np.where((year >= 0) & (year < 1900), year + 1900, year)
    good = (year >= 1900) & (year < 10_000) & (np.abs(month) < 1e6) & (np.abs(day) < 1e8)
    months = np.where(good, (year - 1970) * 12 + month - 1, 0).astype(np.int64).astype("datetime64[M]")
    first = months.astype("datetime64[D]")
    if system is DateSystem.FROM_1904:
        serial = (first - _EPOCH_1904).astype(np.float64) + day - 1
    else:
        serial = (first - _EPOCH_1900).astype(np.float64)
        serial = serial - (serial < 61) + day - 1
    good &= (serial >= 0) & (serial <= LAST_SERIAL)
    return np.where(good, serial, np.nan)


def serial_from_date(moment: datetime.date | datetime.datetime, system: DateSystem = DateSystem.FROM_1900) -> float:
    """Serial of a day, or of a moment with its time of day."""
    epoch = datetime.date(1899, 12, 30) if system is DateSystem.FROM_1900 else datetime.date(1904, 1, 1)
    if isinstance(moment, datetime.datetime):
        midnight = datetime.datetime.combine(moment.date(), datetime.time(), tzinfo=moment.tzinfo)
        fraction = (moment - midnight).total_seconds() / _DAY_SECONDS
        day = moment.date()
    else:
        fraction, day = 0.0, moment
    whole = (day - epoch).days
    if system is DateSystem.FROM_1900 and whole < 61:
        whole -= 1
    return whole + fraction


def date_from_serial(serial: float, system: DateSystem = DateSystem.FROM_1900) -> datetime.date:
    """The calendar day of a serial. Raises ValueError where there is none (29 February 1900 among them)."""
    year, month, day = (float(part[0]) for part in date_parts(np.array([serial]), system))
    if np.isnan(year):
        raise ValueError(f"{serial} is not the serial of a day")
    return datetime.date(int(year), int(month), int(day))
