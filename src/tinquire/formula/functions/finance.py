"""Loans, savings, depreciation, and rates of return (18.17.7; the sign of money paid out is minus)."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np

from tinquire.cells.column import Floats, Kind
from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, arrays, numbers_in, plain
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all

#: Steps that a search for a rate may take.
_STEPS = 200
_NEAR = 1e-12


def _check(*holds: bool) -> None:
    if not all(holds):
        raise ErrorValue(CellError.NUM)


# -- equal payments --------------------------------------------------------------------------------------


def _growth(rate: float, periods: float) -> tuple[float, float]:
    """What one grows to, and what payments of one at each period's end do."""
    if rate == 0:
        return 1.0, periods
    grown = (1 + rate) ** periods
    return grown, (grown - 1) / rate


def _fv(rate: float, periods: float, payment: float, now: float = 0.0, start: float = 0.0) -> float:
    grown, each = _growth(rate, periods)
    return -(now * grown + payment * (1 + rate * bool(start)) * each)


def _pv(rate: float, periods: float, payment: float, end: float = 0.0, start: float = 0.0) -> float:
    grown, each = _growth(rate, periods)
    return -(end + payment * (1 + rate * bool(start)) * each) / grown


def _pmt(rate: float, periods: float, now: float, end: float = 0.0, start: float = 0.0) -> float:
    _check(periods != 0)
    grown, each = _growth(rate, periods)
    return -(now * grown + end) / ((1 + rate * bool(start)) * each)


def _ipmt(rate: float, period: float, periods: float, now: float, end: float = 0.0, start: float = 0.0) -> float:
    _check(1 <= period < periods + 1)
    if start and period == 1:
        return 0.0
    payment = _pmt(rate, periods, now, end, start)
    owed = _fv(rate, period - 1 - bool(start), payment, now + (payment if start else 0.0))
    return owed * rate


def _ppmt(rate: float, period: float, periods: float, now: float, end: float = 0.0, start: float = 0.0) -> float:
    return _pmt(rate, periods, now, end, start) - _ipmt(rate, period, periods, now, end, start)


def _nper(rate: float, payment: float, now: float, end: float = 0.0, start: float = 0.0) -> float:
    if rate == 0:
        return -(now + end) / payment
    each = payment * (1 + rate * bool(start)) / rate
    return math.log((each - end) / (each + now)) / math.log1p(rate)


def _cumulated(part: Callable[..., float]) -> Callable[..., float]:
    def function(rate: float, periods: float, now: float, first: float, last: float, start: float) -> float:
        _check(rate > 0, periods > 0, now > 0, 1 <= first <= last <= periods, start in (0, 1), last - first < 100_000)
        return math.fsum(
            part(rate, period, periods, now, 0.0, start) for period in range(math.ceil(first), int(last) + 1)
        )

    return function


def root(value: Callable[[float], float], guess: float, low: float = -1 + 1e-9) -> float:
    """Where a function of a rate is zero: by secants from a guess, and by halving when these run away."""
    a, b = guess, guess + 0.01
    at_a, at_b = value(a), value(b)
    for _ in range(_STEPS):
        if abs(at_b) < _NEAR or a == b or at_a == at_b:
            break
        a, at_a, b = b, at_b, b - at_b * (b - a) / (at_b - at_a)
        if not low < b < 1e6:
            break
        at_b = value(b)
    scale = max(abs(value(0.0)), 1.0)
    if low < b < 1e6 and math.isfinite(at_b) and abs(at_b) < 1e-7 * scale:
        return b
    return _halved(value, low)


def _halved(value: Callable[[float], float], low: float) -> float:
    rates = [low, *(-0.99 + 0.01 * step for step in range(200)), *(1.0 * 1.3**step for step in range(1, 50))]
    known = [(tried, value(tried)) for tried in rates]
    around = (
        (*item, other[0])
        for item, other in pairwise(known)
        if math.isfinite(item[1]) and math.isfinite(other[1]) and item[1] * other[1] <= 0
    )
    found = next(around, None)
    if found is None:
        raise ErrorValue(CellError.NUM)
    left, at_left, right = found
    for _ in range(_STEPS):
        middle = (left + right) / 2
        at_middle = value(middle)
        left, at_left, right = (middle, at_middle, right) if at_left * at_middle > 0 else (left, at_left, middle)
    return (left + right) / 2


def _rate(
    periods: float, payment: float, now: float, end: float = 0.0, start: float = 0.0, guess: float = 0.1
) -> float:
    _check(periods > 0)
    return root(lambda rate: _fv(rate, periods, payment, now, start) - end, guess)


def _effect(rate: float, periods: float) -> float:
    _check(rate > 0, periods >= 1)
    return (1 + rate / int(periods)) ** int(periods) - 1


def _nominal(rate: float, periods: float) -> float:
    _check(rate > 0, periods >= 1)
    return int(periods) * ((1 + rate) ** (1 / int(periods)) - 1)


_LOAN = "end: number = 0, start: number = 0"
declare_all(
    plain,
    __name__,
    [
        ("FV(rate: number, periods: number, payment: number, now: number = 0, start: number = 0)", _fv, "The future value of equal payments and a sum.", "ROUND(FV(0.05/12, 10, -250, -625, 1), 2)", "3209.55"),
        (f"PV(rate: number, periods: number, payment: number, {_LOAN})", _pv, "The present value of equal payments.", "ROUND(PV(0.07/12, 300, 625), 2)", "-88429.31"),
        (f"PMT(rate: number, periods: number, now: number, {_LOAN})", _pmt, "The payment of a loan with equal payments.", "ROUND(PMT(0.07/12, 10, 12500), 2)", "-1290.45"),
        (f"IPMT(rate: number, period: number, periods: number, now: number, {_LOAN})", _ipmt, "The interest in one of the equal payments.", "ROUND(IPMT(0.1/12, 1, 40, 10000), 2)", "-83.33"),
        (f"PPMT(rate: number, period: number, periods: number, now: number, {_LOAN})", _ppmt, "The repayment in one of the equal payments.", "ROUND(PPMT(0.1/12, 1, 24, 2018), 2)", "-76.3"),
        (f"NPER(rate: number, payment: number, now: number, {_LOAN})", _nper, "The number of equal payments of a loan.", "ROUND(NPER(0.11/12, -125, -1250, 12500, 1), 4)", "61.2928"),
        (f"RATE(periods: number, payment: number, now: number, {_LOAN}, guess: number = 0.1)", _rate, "The interest rate of a loan with equal payments.", "ROUND(RATE(52, -250, 10000), 6)", "0.010409"),
        ("CUMIPMT(rate: number, periods: number, now: number, first: number, last: number, start: number)", _cumulated(_ipmt), "The interest in several of the equal payments.", "ROUND(CUMIPMT(0.08/12, 450, 156250, 14, 24, 0), 2)", "-11381.1"),
        ("CUMPRINC(rate: number, periods: number, now: number, first: number, last: number, start: number)", _cumulated(_ppmt), "The repayment in several of the equal payments.", "ROUND(CUMPRINC(0.08/12, 450, 156250, 14, 24, 0), 2)", "-683.92"),
        ("ISPMT(rate: number, period: number, periods: number, now: number)", lambda r, p, n, now: -now * r * (1 - p / n), "The interest in a period when the repayments are equal.", "ROUND(ISPMT(0.1/12, 1, 40, 10000000), 2)", "-81250"),
        ("EFFECT(rate: number, periods: number)", _effect, "The effective yearly rate, with compound interest.", "ROUND(EFFECT(0.0473, 4), 6)", "0.048146"),
        ("NOMINAL(rate: number, periods: number)", _nominal, "The nominal yearly rate.", "ROUND(NOMINAL(0.0482, 4), 4)", "0.0474"),
        ("RRI(periods: number, now: number, end: number)", lambda n, now, end: (end / now) ** (1 / n) - 1, "The rate per period at which a sum grows to another.", "ROUND(RRI(100, 12500, 13750), 6)", "0.000954"),
        ("PDURATION(rate: number, now: number, end: number)", lambda r, now, end: math.log(end / now) / math.log1p(r), "How many periods a sum needs to grow to another.", "ROUND(PDURATION(0.023, 2018, 2750), 2)", "13.61"),
        ("DOLLARDE(price: number, parts: number)", lambda p, n: _fraction(p, n, False), "A price in parts as a decimal number.", "DOLLARDE(1.22, 17)", "2.294117647"),
        ("DOLLARFR(price: number, parts: number)", lambda p, n: _fraction(p, n, True), "A decimal price in parts.", "DOLLARFR(1.35, 17)", "1.0595"),
    ],
)  # fmt: skip


def _fraction(price: float, parts: float, into_parts: bool) -> float:
    _check(parts >= 0)
    count = int(parts)
    whole = math.trunc(price)
    scale = 10.0 ** math.ceil(math.log10(count))  # no parts at all divide by zero
    rest = price - whole
    return whole + (rest * count / scale if into_parts else rest * scale / count)


# -- wear ------------------------------------------------------------------------------------------------


def _sln(cost: float, salvage: float, life: float) -> float:
    return (cost - salvage) / life


def _syd(cost: float, salvage: float, life: float, period: float) -> float:
    _check(life > 0, 1 <= period <= life)
    return (cost - salvage) * (life - period + 1) * 2 / (life * (life + 1))


def _db(cost: float, salvage: float, life: float, period: float, months: float = 12.0) -> float:
    _check(cost >= 0, salvage >= 0, life > 0, 1 <= period <= life + 1, 1 <= months <= 12, life <= 10_000)
    if cost == 0:
        return 0.0
    rate = round(1 - (salvage / cost) ** (1 / life), 3)
    worn = first = cost * rate * int(months) / 12
    if int(period) == 1:
        return first
    for _ in range(2, min(int(period), int(life)) + 1):
        last = (cost - worn) * rate
        worn += last
    if int(period) > life:
        return (cost - worn) * rate * (12 - int(months)) / 12
    return last


def _ddb(cost: float, salvage: float, life: float, period: float, factor: float = 2.0) -> float:
    _check(cost >= 0, salvage >= 0, life > 0, 1 <= period <= life, factor > 0)
    rate = min(factor / life, 1.0)
    left = cost * (1 - rate) ** (period - 1)
    after = cost * (1 - rate) ** period
    return max(left - max(after, salvage), 0.0)


def _vdb(
    cost: float, salvage: float, life: float, first: float, last: float, factor: float = 2.0, stay: bool = False
) -> float:
    """Wear between two moments; changes to equal parts when these are larger, unless told to stay."""
    _check(cost >= 0, salvage >= 0, life > 0, 0 <= first <= last <= life, factor > 0, life <= 10_000)
    total, left, equal, straight = 0.0, cost, 0.0, False
    for period in range(math.ceil(last)):
        share = max(0.0, min(last, period + 1) - max(first, period))
        falling = max(min(left * factor / life, left - salvage), 0.0)
        if not stay and not straight:
            equal = max(left - salvage, 0.0) / (life - period)
            straight = equal > falling
        worn = equal if straight else falling
        left -= worn
        total += worn * share
    return total


declare_all(
    plain,
    __name__,
    [
        ("SLN(cost: number, salvage: number, life: number)", _sln, "Straight-line depreciation of a period.", "SLN(37500, 9375, 10)", "2812.5"),
        ("SYD(cost: number, salvage: number, life: number, period: number)", _syd, "The depreciation of a period by the sum of the years' digits.", "ROUND(SYD(37500, 9375, 10, 1), 2)", "5113.64"),
        ("DB(cost: number, salvage: number, life: number, period: number, months: number = 12)", _db, "The depreciation of a period at a fixed rate of the book value.", "ROUND(DB(1250000, 125000, 7, 1, 8), 2)", "233333.33"),
        ("DDB(cost: number, salvage: number, life: number, period: number, factor: number = 2)", _ddb, "The depreciation of a period at a multiple of the straight-line rate.", "ROUND(DDB(3000, 375, 10, 2), 2)", "480"),
        ("VDB(cost: number, salvage: number, life: number, first: number, last: number, factor: number = 2, stay: logical = FALSE)", _vdb, "The depreciation between two times at a multiple of the straight-line rate.", "ROUND(VDB(3000, 375, 10, 0, 1), 2)", "600"),
    ],
)  # fmt: skip


# -- flows -----------------------------------------------------------------------------------------------


def _worth(rate: float, flows: Floats) -> float:
    """The worth now of flows of which the first is now."""
    if rate <= -1:
        return math.nan
    return float(np.sum(flows / np.power(1.0 + rate, np.arange(len(flows)))))


def _signs(flows: Floats) -> Floats:
    _check(bool((flows > 0).any()), bool((flows < 0).any()))
    return flows


def _irr(flows: Grid, guess: float = 0.1) -> float:
    numbers = _signs(numbers_in(flows))
    return root(lambda rate: _worth(rate, numbers), guess)


def _mirr(flows: Grid, paid: float, earned: float) -> float:
    numbers = numbers_in(flows)
    count = len(numbers)
    if not (numbers > 0).any() or not (numbers < 0).any():
        raise ErrorValue(CellError.DIV0)
    gains = _worth(earned, np.where(numbers > 0, numbers, 0)) * (1 + earned) ** (count - 1)
    costs = -_worth(paid, np.where(numbers < 0, numbers, 0))
    return (gains / costs) ** (1 / (count - 1)) - 1


def _dated(flows: Grid, days: Grid) -> tuple[Floats, Floats]:
    """Flows, and how many years after the first each comes."""
    a, d = flows.flat(), days.flat()
    if len(a) != len(d):
        raise ErrorValue(CellError.NUM)
    if not (a.all_of(Kind.NUMBER) and d.all_of(Kind.NUMBER)):
        raise ErrorValue(CellError.VALUE)
    when = np.floor(d.numbers)
    _check(bool((when >= when[0]).all()))
    return a.numbers, (when - when[0]) / 365


def _xnpv(rate: float, flows: Grid, days: Grid) -> float:
    _check(rate > -1)
    numbers, years = _dated(flows, days)
    return float(np.sum(numbers / np.power(1 + rate, years)))


def _xirr(flows: Grid, days: Grid, guess: float = 0.1) -> float:
    numbers, years = _dated(flows, days)
    _signs(numbers)
    return root(lambda rate: float(np.sum(numbers / np.power(1 + rate, years))) if rate > -1 else math.nan, guess)


declare_all(
    arrays,
    __name__,
    [
        ("IRR(flows: cells, guess: number = 0.1)", _irr, "The internal rate of return: the rate at which the net present value is zero.", "ROUND(IRR({-87500,15000,18750,22500,26250}), 6)", "-0.021245"),
        ("MIRR(flows: cells, paid: number, earned: number)", _mirr, "The internal rate of return with one rate for costs and another for reinvested gains.", "ROUND(MIRR({-150000,45000,37500,26250,43000,52000}, 0.1, 0.11), 6)", "0.109044"),
        ("XNPV(rate: number, flows: cells, days: cells)", _xnpv, "The net present value, on the first day, of payments on given days.", "ROUND(XNPV(0.08, {-12500,3437,5312,4062,3437}, {45448,45508,45751,45859,45904}), 2)", "2723.77"),
        ("XIRR(flows: cells, days: cells, guess: number = 0.1)", _xirr, "The yearly internal rate of return of payments on given days.", "ROUND(XIRR({-12500,3437,5312,4062,3437}, {45448,45508,45751,45859,45904}), 6)", "0.373151"),
        ("FVSCHEDULE(now: number, rates: cells)", lambda now, rates: now * float(np.prod(1 + numbers_in(rates))), "What a sum grows to at changing rates.", "ROUND(FVSCHEDULE(1, {0.08,0.1,0.1}), 5)", "1.3068"),
        ("NPV(rate: number, flow: cells, flow...: cells)", lambda rate, *flows: _npv(rate, flows), "The net present value of payments in equal periods, one period before the first.", "ROUND(NPV(0.1, -12500, 3750, 5250, 8500), 2)", "1485.55"),
    ],
)  # fmt: skip


def _npv(rate: float, flows: Sequence[Grid]) -> float:
    numbers = np.concatenate([numbers_in(flow) for flow in flows])
    return _worth(rate, np.concatenate([[0.0], numbers]))
