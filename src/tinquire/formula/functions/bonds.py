"""Bonds and bills (18.17.7): coupon days, prices, yields, accrued interest."""

from __future__ import annotations

import calendar
import datetime
import math
from collections.abc import Callable
from dataclasses import dataclass

from tinquire.cells.dates import date_from_serial, serial_from_date
from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, plain
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.functions.dates import thirty_days, year_share
from tinquire.formula.functions.finance import root


def check(*holds: bool) -> None:
    if not all(holds):
        raise ErrorValue(CellError.NUM)


def day_of(serial: float) -> datetime.date:
    return date_from_serial(math.floor(serial))


def days_between(a: datetime.date, b: datetime.date, basis: int) -> float:
    if basis in (0, 4):
        return float(thirty_days(a, b, basis == 4))
    return float((b - a).days)


def _year(basis: int) -> float:
    """Days of a year as a basis counts them."""
    return 365.0 if basis in (1, 3) else 360.0


def months_before(day: datetime.date, months: int) -> datetime.date:
    """So many months before a day; the last of a month stays the last."""
    last = day.day == calendar.monthrange(day.year, day.month)[1]
    year, month = divmod(day.year * 12 + day.month - 1 - months, 12)
    most = calendar.monthrange(year, month + 1)[1]
    return datetime.date(year, month + 1, most if last else min(day.day, most))


@dataclass(frozen=True, slots=True)
class Coupons:
    """The coupon days around a settlement: the one before (or on) it, the next, and how many are still to come."""

    settled: datetime.date
    before: datetime.date
    next: datetime.date
    left: int
    frequency: int
    basis: int

    @property
    def run(self) -> float:
        """Days from the last coupon to the settlement."""
        return days_between(self.before, self.settled, self.basis)

    @property
    def length(self) -> float:
        """Days of the coupon's whole run."""
        if self.basis == 1:
            return float((self.next - self.before).days)
        return (365.0 if self.basis == 3 else 360.0) / self.frequency

    @property
    def to_come(self) -> float:
        """Days from the settlement to the next coupon."""
        if self.basis in (0, 4):
            return self.length - self.run
        return float((self.next - self.settled).days)


def coupons(settlement: float, maturity: float, frequency: float, basis: float = 0.0) -> Coupons:
    """Raises ErrorValue where these make no sense."""
    check(math.floor(settlement) < math.floor(maturity), int(frequency) in (1, 2, 4), 0 <= int(basis) <= 4)
    settled, end, often = day_of(settlement), day_of(maturity), int(frequency)
    left = max(((end.year - settled.year) * 12 + end.month - settled.month) * often // 12 - 1, 0)
    while months_before(end, left * 12 // often) > settled:
        left += 1
    return Coupons(
        settled,
        months_before(end, left * 12 // often),
        months_before(end, (left - 1) * 12 // often),
        left,
        often,
        int(basis),
    )


def _coupon(work: Callable[[Coupons], float]) -> Callable[..., float]:
    return lambda settlement, maturity, frequency, basis=0.0: float(
        work(coupons(settlement, maturity, frequency, basis))
    )


def _price_of(known: Coupons, rate: float, yield_: float, redemption: float) -> float:
    often, coupon = known.frequency, 100 * rate / known.frequency
    share, run = known.to_come / known.length, known.run / known.length
    if known.left == 1:
        return (redemption + coupon) / (1 + share * yield_ / often) - coupon * run
    step = 1 + yield_ / often
    flows = sum(coupon / step ** (index + share) for index in range(known.left))
    return redemption / step ** (known.left - 1 + share) + flows - coupon * run


def _price(
    settlement: float,
    maturity: float,
    rate: float,
    yield_: float,
    redemption: float,
    frequency: float,
    basis: float = 0.0,
) -> float:
    check(rate >= 0, yield_ >= 0, redemption > 0)
    return _price_of(coupons(settlement, maturity, frequency, basis), rate, yield_, redemption)


def _yield(
    settlement: float,
    maturity: float,
    rate: float,
    price: float,
    redemption: float,
    frequency: float,
    basis: float = 0.0,
) -> float:
    check(rate >= 0, price > 0, redemption > 0)
    known = coupons(settlement, maturity, frequency, basis)
    return root(lambda guess: _price_of(known, rate, guess, redemption) - price, 0.05)


def _duration(
    settlement: float, maturity: float, rate: float, yield_: float, frequency: float, basis: float = 0.0
) -> float:
    check(rate >= 0, yield_ >= 0)
    known = coupons(settlement, maturity, frequency, basis)
    often, share = known.frequency, known.to_come / known.length
    step = 1 + yield_ / often
    flows = [
        (index + share, (100 * rate / often + (100 if index == known.left - 1 else 0)) / step ** (index + share))
        for index in range(known.left)
    ]
    return sum(when * worth for when, worth in flows) / sum(worth for _, worth in flows) / often


def _modified(
    settlement: float, maturity: float, rate: float, yield_: float, frequency: float, basis: float = 0.0
) -> float:
    return _duration(settlement, maturity, rate, yield_, frequency, basis) / (1 + yield_ / int(frequency))


def _share(a: float, b: float, basis: float) -> float:
    check(math.floor(a) < math.floor(b), 0 <= int(basis) <= 4)
    return year_share(day_of(a), day_of(b), int(basis))


def _accrued(
    issue: float,
    first: float,
    settlement: float,
    rate: float,
    par: float,
    frequency: float,
    basis: float = 0.0,
    from_issue: bool = True,
) -> float:
    check(rate > 0, par > 0, int(frequency) in (1, 2, 4))
    start = issue if from_issue or settlement <= first else first
    return par * rate * _share(start, settlement, basis)


def _price_maturity(
    settlement: float, maturity: float, issue: float, rate: float, yield_: float, basis: float = 0.0
) -> float:
    check(rate >= 0, yield_ >= 0)
    whole, run, rest = (
        _share(issue, maturity, basis),
        _share(issue, settlement, basis),
        _share(settlement, maturity, basis),
    )
    return 100 * (1 + whole * rate) / (1 + rest * yield_) - 100 * run * rate


def _yield_maturity(
    settlement: float, maturity: float, issue: float, rate: float, price: float, basis: float = 0.0
) -> float:
    check(rate >= 0, price > 0)
    whole, run, rest = (
        _share(issue, maturity, basis),
        _share(issue, settlement, basis),
        _share(settlement, maturity, basis),
    )
    return ((1 + whole * rate) / (price / 100 + run * rate) - 1) / rest


def _bill(settlement: float, maturity: float) -> float:
    days = math.floor(maturity) - math.floor(settlement)
    check(0 < days <= 366)
    return float(days)


def _bill_price(settlement: float, maturity: float, discount: float) -> float:
    check(discount > 0)
    price = 100 * (1 - discount * _bill(settlement, maturity) / 360)
    check(price > 0)
    return price


def _bill_bond(settlement: float, maturity: float, discount: float) -> float:
    """The yield of a bond that is worth as much; beyond half a year it has a coupon on the way."""
    days = _bill(settlement, maturity)
    price = _bill_price(settlement, maturity, discount) / 100
    if days <= 182:
        return 365 * discount / (360 - discount * days)
    share = days / 366 if days == 366 else days / 365
    return (-2 * share + 2 * math.sqrt(share * share - (2 * share - 1) * (1 - 1 / price))) / (2 * share - 1)


def _amortised(declining: bool) -> Callable[..., float]:
    def function(
        cost: float, bought: float, first: float, salvage: float, period: float, rate: float, basis: float = 0.0
    ) -> float:
        check(cost > 0, 0 <= salvage <= cost, period >= 0, rate > 0, int(basis) in (0, 1, 3, 4), bought <= first)
        share = year_share(day_of(bought), day_of(first), int(basis))
        return (
            _declining(cost, salvage, int(period), rate, share)
            if declining
            else _linear(cost, salvage, int(period), rate, share)
        )

    return function


def _linear(cost: float, salvage: float, period: int, rate: float, share: float) -> float:
    left = cost - salvage
    for number in range(period + 1):
        worn = min(cost * rate * (share if number == 0 and share else 1.0), left)
        left -= worn
        if worn <= 0:
            break  # nothing is left for this period and those after it
    return max(worn, 0.0)


def _declining(cost: float, salvage: float, period: int, rate: float, share: float) -> float:
    """The French way: the rate times a factor by the life, whole amounts, half and the rest in the last two."""
    life = 1 / rate
    factor = 1.0 if life < 3 else 1.5 if life < 5 else 2.0 if life <= 6 else 2.5
    quick = rate * factor
    worn = math.floor(share * quick * cost + 0.5)
    left = cost - worn
    rest = left - salvage
    for number in range(period):
        worn = math.floor(quick * left + 0.5)
        if not worn:
            return 0.0  # nor anything in the periods after it
        rest -= worn
        if rest < 0:
            return math.floor(left * 0.5 + 0.5) if period - number in (1, 2) else 0.0
        left -= worn
    return float(worn)


_DAYS = "DATE(2026,3,10), DATE(2026,9,30), 2, 1"
_BOND = "settlement: number, maturity: number, frequency: number, basis: number = 0"


_RATED = "settlement: number, maturity: number, rate: number"


declare_all(
    plain,
    __name__,
    [
        (f"COUPDAYBS({_BOND})", _coupon(lambda c: c.run), "Days from the last coupon to the settlement.", f"COUPDAYBS({_DAYS})", "161"),
        (f"COUPDAYS({_BOND})", _coupon(lambda c: c.length), "Days in the coupon period of the settlement.", f"COUPDAYS({_DAYS})", "182"),
        (f"COUPDAYSNC({_BOND})", _coupon(lambda c: c.to_come), "Days from the settlement to the next coupon.", f"COUPDAYSNC({_DAYS})", "21"),
        (f"COUPNCD({_BOND})", _coupon(lambda c: serial_from_date(c.next)), "The day of the next coupon.", f"COUPNCD({_DAYS}) = DATE(2026,3,31)", "TRUE"),
        (f"COUPPCD({_BOND})", _coupon(lambda c: serial_from_date(c.before)), "The day of the last coupon.", f"COUPPCD({_DAYS}) = DATE(2025,9,30)", "TRUE"),
        (f"COUPNUM({_BOND})", _coupon(lambda c: c.left), "The number of coupons until maturity.", "COUPNUM(DATE(2025,1,26), DATE(2026,12,15), 2, 1)", "4"),
        (f"PRICE({_RATED}, yield: number, redemption: number, frequency: number, basis: number = 0)", _price, "A bond's price for 100, from its yield.", "ROUND(PRICE(DATE(2026,3,10), DATE(2034,9,30), 0.04, 0.045, 100, 2), 5)", "96.47958"),
        (f"YIELD({_RATED}, price: number, redemption: number, frequency: number, basis: number = 0)", _yield, "A bond's yield, from its price for 100.", "ROUND(YIELD(DATE(2026,3,10), DATE(2034,9,30), 0.04, 96.5, 100, 2), 6)", "0.04497"),
        (f"DURATION({_RATED}, yield: number, frequency: number, basis: number = 0)", _duration, "The Macaulay duration of a bond, in years.", "ROUND(DURATION(DATE(2026,3,10), DATE(2034,9,30), 0.04, 0.045, 2), 5)", "7.1704"),
        (f"MDURATION({_RATED}, yield: number, frequency: number, basis: number = 0)", _modified, "The modified Macaulay duration: how far a bond's price moves with its yield.", "ROUND(MDURATION(DATE(2026,3,10), DATE(2034,9,30), 0.04, 0.045, 2), 5)", "7.01262"),
        ("ACCRINT(issue: number, first: number, settlement: number, rate: number, par: number = 1000, frequency: number = 1, basis: number = 0, fromissue: logical = TRUE)", _accrued, "The interest accrued since the issue.", "ROUND(ACCRINT(45508, 45691, 45569, 0.1, 1250, 2, 0), 5)", "20.83333"),
        ("ACCRINTM(issue: number, settlement: number, rate: number, par: number = 1000, basis: number = 0)", lambda i, s, r, par, basis: par * r * _share(i, s, basis), "The accrued interest of a security that pays at maturity.", "ROUND(ACCRINTM(45539, 45614, 0.1, 1250, 3), 5)", "25.68493"),
        ("DISC(settlement: number, maturity: number, price: number, redemption: number, basis: number = 0)", lambda s, m, p, r, b: (r - p) / r / _share(s, m, b), "A security's discount.", "ROUND(DISC(DATE(2026,3,10), DATE(2026,9,30), 98.4, 100), 6)", "0.0288"),
        ("INTRATE(settlement: number, maturity: number, paid: number, redemption: number, basis: number = 0)", lambda s, m, p, r, b: (r - p) / p / _share(s, m, b), "The rate of a fully invested security.", "ROUND(INTRATE(DATE(2026,2,15), DATE(2026,6,15), 1250000, 1268025, 2), 5)", "0.04326"),
        ("RECEIVED(settlement: number, maturity: number, paid: number, discount: number, basis: number = 0)", lambda s, m, p, d, b: p / (1 - d * _share(s, m, b)), "What a fully invested security pays at maturity.", "ROUND(RECEIVED(DATE(2026,2,15), DATE(2026,6,15), 1250000, 0.0518, 2), 2)", "1271962.55"),
        ("PRICEDISC(settlement: number, maturity: number, discount: number, redemption: number, basis: number = 0)", lambda s, m, d, r, b: r * (1 - d * _share(s, m, b)), "A discounted security's price for 100.", "ROUND(PRICEDISC(DATE(2026,3,10), DATE(2026,9,30), 0.03, 100), 5)", "98.33333"),
        ("YIELDDISC(settlement: number, maturity: number, price: number, redemption: number, basis: number = 0)", lambda s, m, p, r, b: (r - p) / p / _share(s, m, b), "A discounted security's yield.", "ROUND(YIELDDISC(DATE(2026,3,10), DATE(2026,9,30), 98.4, 100), 6)", "0.029268"),
        ("PRICEMAT(settlement: number, maturity: number, issue: number, rate: number, yield: number, basis: number = 0)", _price_maturity, "The price for 100 of a security that pays at maturity.", "ROUND(PRICEMAT(DATE(2026,2,15), DATE(2026,4,14), DATE(2025,12,12), 0.055, 0.055, 0), 5)", "99.9914"),
        ("YIELDMAT(settlement: number, maturity: number, issue: number, rate: number, price: number, basis: number = 0)", _yield_maturity, "The yield of a security that pays at maturity.", "ROUND(YIELDMAT(DATE(2026,3,10), DATE(2026,9,30), DATE(2025,9,30), 0.04, 99.8), 6)", "0.042923"),
        ("TBILLPRICE(settlement: number, maturity: number, discount: number)", _bill_price, "A treasury bill's price for 100.", "ROUND(TBILLPRICE(DATE(2026,3,31), DATE(2026,7,1), 0.08), 5)", "97.95556"),
        ("TBILLYIELD(settlement: number, maturity: number, price: number)", lambda s, m, p: (100 - p) / p * 360 / _bill(s, m), "A treasury bill's yield.", "ROUND(TBILLYIELD(DATE(2026,3,31), DATE(2026,7,1), 98.1), 6)", "0.075788"),
        ("TBILLEQ(settlement: number, maturity: number, discount: number)", _bill_bond, "The yield of a bond equivalent to a treasury bill.", "ROUND(TBILLEQ(DATE(2026,3,31), DATE(2026,7,1), 0.0823), 6)", "0.085236"),
        ("AMORLINC(cost: number, bought: number, first: number, salvage: number, period: number, rate: number, basis: number = 0)", _amortised(False), "Straight-line depreciation of a period, the first in proportion.", "AMORLINC(3000, 45679, 45813, 375, 1, 0.14, 1)", "420"),
        ("AMORDEGRC(cost: number, bought: number, first: number, salvage: number, period: number, rate: number, basis: number = 0)", _amortised(True), "The depreciation of a period on the book value, with a factor that depends on the life.", "AMORDEGRC(3000, 45679, 45813, 375, 1, 0.14, 1)", "915"),
    ],
)  # fmt: skip
