"""Bonds whose first or last interest period is longer or shorter than the others (18.17.7)."""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable, Iterator
from itertools import count

from tinquire.formula.engine.adapters import plain
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.functions.bonds import check, coupons, day_of, days_between, months_before
from tinquire.formula.functions.finance import root

_Day = datetime.date


_BOND = "rate: number, {}: number, redemption: number, frequency: number, basis: number = 0"


def _periods(start: _Day, end: _Day, anchor: _Day, frequency: int) -> Iterator[tuple[_Day, _Day]]:
    """Regular periods that touch the days from `start` to `end`, counted from the `anchor`, which is one of the two;
    latest first when it is the end."""
    months, forwards = 12 // frequency, anchor == start
    for number in count():
        near, far = (
            months_before(anchor, position * months * (-1 if forwards else 1)) for position in (number, number + 1)
        )
        begin, stop = (near, far) if forwards else (far, near)
        if begin >= end or stop <= start:
            return
        yield begin, stop


def _share(start: _Day, end: _Day, anchor: _Day, frequency: int, basis: int, cut: tuple[_Day, _Day]) -> float:
    """How many regular periods lie between two days `cut` out of an odd one."""
    shares = 0.0
    for begin, stop in _periods(start, end, anchor, frequency):
        first, last = max(begin, cut[0]), min(stop, cut[1])
        if first < last:
            whole = float((stop - begin).days) if basis == 1 else (365.0 if basis == 3 else 360.0) / frequency
            shares += days_between(first, last, basis) / whole
    return shares


def _checked(settlement: float, maturity: float, rate: float, redemption: float, frequency: float, basis: float) -> int:
    check(rate >= 0, redemption > 0, int(frequency) in (1, 2, 4), 0 <= int(basis) <= 4, settlement < maturity)
    return int(frequency)


def _first_price(
    settlement: float, maturity: float, issue: float, first: float, rate: float, yield_: float, redemption: float,
    frequency: float, basis: float = 0.0,
) -> float:  # fmt: skip
    often = _checked(settlement, maturity, rate, redemption, frequency, basis)
    check(yield_ >= 0, *(math.floor(a) < math.floor(b) for a, b in ((issue, settlement), (settlement, first))))
    check(math.floor(first) < math.floor(maturity))
    issued, settled, paid = day_of(issue), day_of(settlement), day_of(first)

    def share(start: _Day, end: _Day) -> float:
        return _share(issued, paid, paid, often, int(basis), (start, end))

    later = coupons(first, maturity, frequency, basis).left
    coupon, step = 100 * rate / often, 1 + yield_ / often
    # Days of a year of 360 do not add up: what is to come is what has not run.
    thirties = int(basis) in (0, 4)
    wait = share(issued, paid) - share(issued, settled) if thirties else share(settled, paid)
    flows = share(issued, paid) / step**wait + sum(step ** -(wait + index) for index in range(1, later + 1))
    return redemption / step ** (wait + later) + coupon * flows - coupon * share(issued, settled)


def _first_yield(
    settlement: float, maturity: float, issue: float, first: float, rate: float, price: float, redemption: float,
    frequency: float, basis: float = 0.0,
) -> float:  # fmt: skip
    check(price > 0)

    def off(guess: float) -> float:
        return (
            _first_price(settlement, maturity, issue, first, rate, max(guess, 0.0), redemption, frequency, basis)
            - price
        )

    return root(off, 0.05)


def _last(work: Callable[..., float]) -> Callable[..., float]:
    """A price or yield in the last period, from the shares of it that have run, that are to come, and that it has."""

    def function(
        settlement: float, maturity: float, last: float, rate: float, given: float, redemption: float,
        frequency: float, basis: float = 0.0,
    ) -> float:  # fmt: skip
        often = _checked(settlement, maturity, rate, redemption, frequency, basis)
        check(math.floor(last) < math.floor(settlement) < math.floor(maturity))
        paid, settled, end = day_of(last), day_of(settlement), day_of(maturity)
        run, rest, whole = (
            _share(paid, end, paid, often, int(basis), cut) for cut in ((paid, settled), (settled, end), (paid, end))
        )
        rest = whole - run if int(basis) in (0, 4) else rest
        coupon = 100 * rate / often
        return work(given, redemption + coupon * whole, coupon * run, rest / often)

    return function


def _last_price(yield_: float, at_end: float, accrued: float, years: float) -> float:
    check(yield_ >= 0)
    return at_end / (1 + yield_ * years) - accrued


def _last_yield(price: float, at_end: float, accrued: float, years: float) -> float:
    check(price > 0)
    return (at_end / (price + accrued) - 1) / years


_FIRST = "settlement: number, maturity: number, issue: number, first: number, " + _BOND
_LAST = "settlement: number, maturity: number, last: number, " + _BOND


_DAYS = "DATE(2026,3,10), DATE(2034,9,30)"


declare_all(
    plain,
    __name__,
    [
        (f"ODDFPRICE({_FIRST.format('yield')})", _first_price, "The price for 100 of a bond with an odd first period (18.17.7).", f"ROUND(ODDFPRICE({_DAYS}, DATE(2025,12,1), DATE(2026,9,30), 0.04, 0.045, 100, 2), 5)", "96.45101"),
        (f"ODDFYIELD({_FIRST.format('price')})", _first_yield, "The yield of a bond with an odd first period, from its price for 100 (18.17.7).", f"ROUND(ODDFYIELD({_DAYS}, DATE(2025,12,1), DATE(2026,9,30), 0.04, 96.5, 100, 2), 6)", "0.044929"),
        (f"ODDLPRICE({_LAST.format('yield')})", _last(_last_price), "The price for 100 of a bond with an odd last period (18.17.7).", "ROUND(ODDLPRICE(DATE(2026,3,10), DATE(2026,9,30), DATE(2025,12,31), 0.04, 0.045, 100, 2), 5)", "99.71003"),
        (f"ODDLYIELD({_LAST.format('price')})", _last(_last_yield), "The yield of a bond with an odd last period, from its price for 100 (18.17.7).", "ROUND(ODDLYIELD(DATE(2026,3,10), DATE(2026,9,30), DATE(2025,12,31), 0.04, 99.8, 100, 2), 6)", "0.04335"),
    ],
)  # fmt: skip
