"""Working days (18.17.7)."""

from __future__ import annotations

import datetime
import math
from typing import Any, Literal

import numpy as np

from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, numbers_in
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.engine.scope import Frame
from tinquire.formula.functions.dates import date_of, framed, serial

# -- working days ----------------------------------------------------------------------------------------


def _mask(weekend: Value) -> list[bool]:
    """Which weekdays, Monday first, are worked; a weekend is a number (18.17.7) or seven digits."""
    if weekend is None:
        weekend = 1.0
    if isinstance(weekend, str):
        if len(weekend) != 7 or set(weekend) - {"0", "1"} or weekend == "1111111":
            raise ErrorValue(CellError.VALUE)
        return [digit == "0" for digit in weekend]
    if isinstance(weekend, CellError):
        raise ErrorValue(weekend)
    number = int(weekend)
    if 1 <= number <= 7:
        free = {(number + 4) % 7, (number + 5) % 7}
    elif 11 <= number <= 17:
        free = {(number - 12) % 7}
    else:
        raise ErrorValue(CellError.NUM)
    return [day not in free for day in range(7)]


def _days(frame: Frame, holidays: Grid | None) -> Any:
    """Holidays as NumPy days."""
    serials = [] if holidays is None else np.floor(numbers_in(holidays)).tolist()
    return np.array([date_of(frame, serial) for serial in serials], "datetime64[D]")


def _networkdays(frame: Frame, start: float, end: float, weekend: Value = 1.0, holidays: Grid | None = None) -> float:
    a, b = date_of(frame, start), date_of(frame, end)
    if weekend == "1111111":
        return 0.0
    sign = 1 if a <= b else -1
    first, last = sorted((a, b))
    found = np.busday_count(
        first, last + datetime.timedelta(1), weekmask=_mask(weekend), holidays=_days(frame, holidays)
    )
    return float(sign * int(found))


def _workday(frame: Frame, start: float, days: float, weekend: Value = 1.0, holidays: Grid | None = None) -> float:
    a, steps = date_of(frame, start), int(days)
    if steps == 0:
        return float(math.floor(start))
    # A first day that is free counts as the working day before it (or after, when going back).
    roll: Literal["backward", "forward"] = "backward" if steps > 0 else "forward"
    found = np.busday_offset(a, steps, roll=roll, weekmask=_mask(weekend), holidays=_days(frame, holidays))
    return serial(frame, found.astype(datetime.date))


declare_all(
    framed,
    __name__,
    [
        ("NETWORKDAYS(start: number, end: number, holidays?: cells)", lambda f, a, b, h=None: _networkdays(f, a, b, 1.0, h), "How many working days lie from one day to another, both counted.", "NETWORKDAYS(DATE(2026,10,1), DATE(2026,10,31))", "22"),
        ("NETWORKDAYS.INTL(start: number, end: number, weekend: value = 1, holidays?: cells)", _networkdays, "The same, with the weekend as a number (1 Saturday and Sunday, 11 Sunday alone) or as seven digits from Monday on.", 'NETWORKDAYS.INTL(DATE(2026,10,1), DATE(2026,10,31), "0000001")', "27"),
        ("WORKDAY(start: number, days: number, holidays?: cells)", lambda f, a, n, h=None: _workday(f, a, n, 1.0, h), "The working day n working days later.", "WORKDAY(DATE(2026,10,30), 1) = DATE(2026,11,2)", "TRUE"),
        ("WORKDAY.INTL(start: number, days: number, weekend: value = 1, holidays?: cells)", _workday, "The same, with the weekend as a number or as seven digits from Monday on.", "WORKDAY.INTL(DATE(2026,10,30), 1, 11) = DATE(2026,10,31)", "TRUE"),
    ],
)  # fmt: skip
