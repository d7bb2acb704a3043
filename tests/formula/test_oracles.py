"""Functions against independent ways to the same numbers: SciPy's distributions, sums written out, NumPy."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import optimize, stats

from tinquire.formula.language.writing import write_value
from worlds import value

#: A formula of x, SciPy's answer, and the places to compare at.
DISTRIBUTIONS = [
    ("NORM.DIST({},1,2,TRUE)", stats.norm(1, 2).cdf, (-3, 0, 1, 4.5)),
    ("NORM.DIST({},1,2,FALSE)", stats.norm(1, 2).pdf, (-3, 0, 1, 4.5)),
    ("NORM.INV({},1,2)", stats.norm(1, 2).ppf, (0.01, 0.5, 0.99)),
    ("LOGNORM.DIST({},0.5,2,TRUE)", stats.lognorm(2, scale=math.exp(0.5)).cdf, (0.1, 1, 20)),
    ("LOGNORM.DIST({},0.5,2,FALSE)", stats.lognorm(2, scale=math.exp(0.5)).pdf, (0.1, 1, 20)),
    ("BINOM.DIST({},9,0.3,TRUE)", stats.binom(9, 0.3).cdf, (0, 3, 9)),
    ("BINOM.DIST({},9,0.3,FALSE)", stats.binom(9, 0.3).pmf, (0, 3, 9)),
    ("BINOM.INV(9,0.3,{})", stats.binom(9, 0.3).ppf, (0.1, 0.5, 0.9)),
    ("NEGBINOM.DIST({},4,0.3,FALSE)", stats.nbinom(4, 0.3).pmf, (0, 3, 20)),
    ("HYPGEOM.DIST({},5,6,20,TRUE)", stats.hypergeom(20, 6, 5).cdf, (0, 2, 5)),
    ("POISSON.DIST({},2.5,TRUE)", stats.poisson(2.5).cdf, (0, 3, 9)),
    ("EXPON.DIST({},2.5,TRUE)", stats.expon(scale=1 / 2.5).cdf, (0, 0.3, 9)),
    ("GAMMA.DIST({},2.5,3,TRUE)", stats.gamma(2.5, scale=3).cdf, (0.1, 3, 30)),
    ("GAMMA.INV({},2.5,3)", stats.gamma(2.5, scale=3).ppf, (0.1, 0.5, 0.9)),
    ("BETA.DIST({},2,3,TRUE)", stats.beta(2, 3).cdf, (0.1, 0.5, 0.9)),
    ("BETA.INV({},2,3)", stats.beta(2, 3).ppf, (0.1, 0.5, 0.9)),
    ("WEIBULL.DIST({},2,3,TRUE)", stats.weibull_min(2, scale=3).cdf, (0.1, 3, 9)),
    ("CHISQ.DIST({},4,TRUE)", stats.chi2(4).cdf, (0.1, 3, 30)),
    ("CHISQ.DIST.RT({},4)", stats.chi2(4).sf, (0.1, 3, 30)),
    ("CHISQ.INV({},4)", stats.chi2(4).ppf, (0.1, 0.5, 0.9)),
    ("CHISQ.INV.RT({},4)", stats.chi2(4).isf, (0.1, 0.5, 0.9)),
    ("F.DIST({},4,7,TRUE)", stats.f(4, 7).cdf, (0.1, 1, 9)),
    ("F.DIST.RT({},4,7)", stats.f(4, 7).sf, (0.1, 1, 9)),
    ("F.INV({},4,7)", stats.f(4, 7).ppf, (0.1, 0.5, 0.9)),
    ("F.INV.RT({},4,7)", stats.f(4, 7).isf, (0.1, 0.5, 0.9)),
    ("T.DIST({},5,TRUE)", stats.t(5).cdf, (-2, 0, 3)),
    ("T.DIST.RT({},5)", stats.t(5).sf, (-2, 0, 3)),
    ("T.INV({},5)", stats.t(5).ppf, (0.1, 0.5, 0.9)),
    ("T.INV.2T({},5)", lambda p: stats.t(5).isf(p / 2), (0.1, 0.5, 0.9)),
]


@pytest.mark.parametrize(("formula", "oracle", "places"), DISTRIBUTIONS, ids=[case[0] for case in DISTRIBUTIONS])
def test_a_distribution_is_scipys(formula, oracle, places):
    for x in places:
        assert value(formula.format(x)) == pytest.approx(float(oracle(x)), rel=1e-9, abs=1e-12)


SAMPLES = st.lists(st.integers(-1000, 1000).map(lambda n: n / 8), min_size=4, max_size=30)


def spelled(numbers):
    return "{" + ",".join(map(write_value, map(float, numbers))) + "}"


@settings(max_examples=60)
@given(SAMPLES)
def test_measures_of_a_sample_are_numpys_and_scipys(numbers):
    array = spelled(numbers)
    for formula, expected in (
        ("MEDIAN", np.median(numbers)),
        ("STDEV.S", np.std(numbers, ddof=1)),
        ("VAR.P", np.var(numbers)),
        ("AVEDEV", np.mean(np.abs(np.array(numbers) - np.mean(numbers)))),
    ):
        assert value(f"{formula}({array})") == pytest.approx(float(expected), rel=1e-9, abs=1e-9)
    assert value(f"PERCENTILE.INC({array},0.3)") == pytest.approx(float(np.percentile(numbers, 30)), rel=1e-9, abs=1e-9)
    assert value(f"LARGE({array},2)") == sorted(numbers)[-2]
    if np.std(numbers) > 1e-6:
        assert value(f"SKEW({array})") == pytest.approx(float(stats.skew(numbers, bias=False)), rel=1e-6, abs=1e-9)
        assert value(f"KURT({array})") == pytest.approx(float(stats.kurtosis(numbers, bias=False)), rel=1e-6, abs=1e-9)


@settings(max_examples=60)
@given(SAMPLES, st.data())
def test_sorting_filtering_and_cutting_arrays_lose_nothing(numbers, data):
    array = spelled(numbers)
    place = data.draw(st.integers(1, len(numbers)))
    assert value(f"INDEX(SORT({array},1,1,TRUE),{place})") == sorted(numbers)[place - 1]
    assert value(f"COLUMNS(UNIQUE({array},TRUE))") == len(set(numbers))
    total = value(f"SUM(TAKE({array},,{place}))") + (
        0 if place == len(numbers) else value(f"SUM(DROP({array},,{place}))")
    )
    assert total == pytest.approx(sum(numbers), abs=1e-9)
    assert value(f"SUM(TOCOL(WRAPROWS({array},3,0)))") == pytest.approx(sum(numbers), abs=1e-9)
    key = data.draw(st.sampled_from(numbers))
    assert value(f"XMATCH({write_value(key)},{array})") == numbers.index(key) + 1
    assert value(f"XMATCH({write_value(key)},{array},0,-1)") == len(numbers) - numbers[::-1].index(key)


@settings(max_examples=60)
@given(st.floats(0.0005, 0.05), st.integers(2, 240), st.floats(100, 1e6), st.sampled_from([0, 1]))
def test_a_loan_is_paid_off_by_its_payments(rate, periods, loan, start):
    payment = value(f"PMT({rate!r},{periods},{loan!r},0,{start})")
    owed = loan
    for number in range(1, periods + 1):
        interest = 0 if start and number == 1 else owed * rate
        if number in (1, periods):
            assert value(f"IPMT({rate!r},{number},{periods},{loan!r},0,{start})") == pytest.approx(
                -interest, rel=1e-6, abs=1e-6
            )
        owed = owed + interest + payment
    assert owed == pytest.approx(0, abs=loan * 1e-6)
    assert value(f"RATE({periods},{payment!r},{loan!r},0,{start})") == pytest.approx(rate, rel=1e-6)
    assert value(f"NPER({rate!r},{payment!r},{loan!r},0,{start})") == pytest.approx(periods, rel=1e-6)


@settings(max_examples=60)
@given(st.lists(st.integers(-1000, 3000).map(float), min_size=2, max_size=12))
def test_an_internal_rate_is_where_the_worth_is_nothing(flows):
    flows = [-5000.0, *flows]
    if sum(flows) <= 100:
        return
    rate = value(f"IRR({spelled(flows)})")
    assert value(f"{flows[0]!r}+NPV({rate!r},{spelled(flows[1:])})") == pytest.approx(0, abs=1e-4)
    worth = np.polynomial.Polynomial(flows)
    if all(flow >= 0 for flow in flows[1:]):
        expected = 1 / optimize.brentq(worth, 1e-9, 1.0) - 1
        assert rate == pytest.approx(expected, rel=1e-6, abs=1e-9)


@settings(max_examples=100)
@given(st.integers(-(2**39), 2**39 - 1))
def test_numbers_come_back_from_other_bases(number):
    assert value(f"HEX2DEC(DEC2HEX({number}))") == number
    if abs(number) < 2**28:
        assert value(f"OCT2DEC(DEC2OCT({number}))") == number
    if number >= 0:
        assert value(f"DECIMAL(BASE({number},7),7)") == number


@settings(max_examples=100)
@given(st.integers(1, 3999), st.integers(0, 4))
def test_roman_numerals_come_back(number, brevity):
    assert value(f"ARABIC(ROMAN({number}))") == number
    assert len(value(f"ROMAN({number},{brevity})")) <= len(value(f"ROMAN({number})"))


@settings(max_examples=100)
@given(st.integers(92, 100_000), st.integers(-400, 400))
def test_days_and_months_add_up(day, months):
    there = value(f"EDATE({day},{months})")
    if isinstance(there, float):
        assert value(f"(YEAR({there!r})-YEAR({day}))*12+MONTH({there!r})-MONTH({day})") == months
        assert value(f"DAY({there!r})") <= value(f"DAY({day})")
    assert value(f"WORKDAY({day},NETWORKDAYS({day}+1,{day}+30))") <= day + 30
    assert value(f"EOMONTH({day},0)-EOMONTH({day},-1)") in (28, 29, 30, 31)
    assert value(f"MOD(WEEKDAY({day})-WEEKDAY({day}+7),7)") == 0


@pytest.mark.parametrize(
    "formula",
    [
        'REPT(REPT("x",30000),30000)',
        "SEQUENCE(1000000,1000000)",
        "LET(f,LAMBDA(g,n,g(g,n+1)),f(f,1))",
        'REDUCE("x",SEQUENCE(40),LAMBDA(t,n,t&t))',
        "FACT(1E300)",
        "COMBIN(1E15,5E14)",
        "BASE(1E300,2)",
        "MAKEARRAY(100000,100000,LAMBDA(r,c,r))",
        "10^10^10^10",
        "MULTINOMIAL(300,300,300)",
        'SUBSTITUTE(REPT("a",30000),"a",REPT("b",30000))',
        "CUMIPMT(0.1,1E12,1,1,1E12,0)",
        "VDB(1,0,1E12,0,1E12)",
    ],
)
def test_a_hostile_formula_ends_in_an_error_value(formula):
    from tinquire.cells import CellError

    assert isinstance(value(formula), CellError)
