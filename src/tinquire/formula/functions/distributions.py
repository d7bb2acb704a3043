"""Statistical distributions and tests (18.17.7). The numerics are SciPy's, which is imported when one is first used."""

from __future__ import annotations

import math
import warnings
from collections.abc import Callable
from typing import Any

import numpy as np

from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, arrays, numbers_in, plain
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.functions.regression import pairs


def _stats() -> Any:
    from scipy import stats

    return stats


_LARGEST_LOT = 1e9
#: Whole numbers up to here are exact; of more tries nothing sensible can be said.
_EXACT = 2.0**53


def _check(*holds: bool) -> None:
    if not all(holds):
        raise ErrorValue(CellError.NUM)


def _whole(number: float) -> float:
    """The whole part, as the kind of number that arrays hold: Python's own whole numbers may be too large for them."""
    return float(int(number))


def _either(
    dist: Callable[..., Any], x: float, whole: bool, *given: float, discrete: bool = False, **more: float
) -> float:
    """The distribution up to x, or its density at x there."""
    known = dist(*given, **more)
    if whole:
        return float(known.cdf(x))
    return float(known.pmf(x) if discrete else known.pdf(x))


def _normal(x: float, mean: float, deviation: float, whole: bool) -> float:
    _check(deviation > 0)
    return _either(_stats().norm, x, whole, mean, deviation)


def _normal_back(share: float, mean: float = 0.0, deviation: float = 1.0) -> float:
    _check(0 < share < 1, deviation > 0)
    return float(_stats().norm.ppf(share, mean, deviation))


def _lognormal(x: float, mean: float, deviation: float, whole: bool = True) -> float:
    _check(x > 0, deviation > 0)
    return _either(_stats().lognorm, x, whole, deviation, scale=math.exp(mean))


def _lognormal_back(share: float, mean: float, deviation: float) -> float:
    return math.exp(_normal_back(share, mean, deviation))


def _binomial(done: float, tries: float, chance: float, whole: bool) -> float:
    _check(0 <= int(done) <= int(tries) <= _EXACT, 0 <= chance <= 1)
    return _either(_stats().binom, _whole(done), whole, _whole(tries), chance, discrete=True)


def _binomial_range(tries: float, chance: float, low: float, high: float | None = None) -> float:
    high = low if high is None else high
    _check(0 <= low <= high <= tries <= _EXACT, 0 <= chance <= 1)
    known = _stats().binom(_whole(tries), chance)
    return float(known.cdf(int(high)) - known.cdf(int(low) - 1))


def _binomial_back(tries: float, chance: float, share: float) -> float:
    _check(0 <= tries <= _EXACT, 0 < chance < 1, 0 < share < 1)
    return float(_stats().binom.ppf(share, _whole(tries), chance))


def _negative_binomial(failed: float, done: float, chance: float, whole: bool = False) -> float:
    _check(0 <= failed <= _EXACT, 1 <= done <= _EXACT, 0 <= chance <= 1)
    return _either(_stats().nbinom, _whole(failed), whole, _whole(done), chance, discrete=True)


def _hypergeometric(done: float, tries: float, marked: float, all_: float, whole: bool = False) -> float:
    # The time that the sum takes grows with the size of the lot, and what is left of its share soon is nothing.
    _check(done >= 0, 0 < tries <= all_ <= _LARGEST_LOT, 0 < marked <= all_, done <= min(tries, marked))
    return _either(_stats().hypergeom, _whole(done), whole, _whole(all_), _whole(marked), _whole(tries), discrete=True)


def _poisson(x: float, mean: float, whole: bool) -> float:
    _check(0 <= x <= _EXACT, mean >= 0)
    return _either(_stats().poisson, _whole(x), whole, mean, discrete=True)


def _exponential(x: float, rate: float, whole: bool) -> float:
    _check(x >= 0, rate > 0)
    return 1 - math.exp(-rate * x) if whole else rate * math.exp(-rate * x)


def _gamma(x: float, shape: float, scale: float, whole: bool) -> float:
    _check(x >= 0, shape > 0, scale > 0)
    return _either(_stats().gamma, x, whole, shape, scale=scale)


def _gamma_back(share: float, shape: float, scale: float) -> float:
    _check(0 <= share < 1, shape > 0, scale > 0)
    return float(_stats().gamma.ppf(share, shape, scale=scale))


def _beta(x: float, a: float, b: float, whole: bool, low: float = 0.0, high: float = 1.0) -> float:
    _check(a > 0, b > 0, low < high, low <= x <= high)
    return _either(_stats().beta, x, whole, a, b, loc=low, scale=high - low)


def _beta_back(share: float, a: float, b: float, low: float = 0.0, high: float = 1.0) -> float:
    _check(0 < share <= 1, a > 0, b > 0, low < high)
    return float(_stats().beta.ppf(share, a, b, loc=low, scale=high - low))


def _weibull(x: float, shape: float, scale: float, whole: bool) -> float:
    _check(x >= 0, shape > 0, scale > 0)
    return _either(_stats().weibull_min, x, whole, shape, scale=scale)


def _chi(x: float, freedom: float, whole: bool) -> float:
    _check(x >= 0, 1 <= freedom <= 1e10)
    return _either(_stats().chi2, x, whole, _whole(freedom))


def _chi_right(x: float, freedom: float) -> float:
    _check(x >= 0, 1 <= freedom <= 1e10)
    return float(_stats().chi2.sf(x, _whole(freedom)))


def _chi_back(share: float, freedom: float, right: bool = False) -> float:
    _check(0 <= share <= 1, 1 <= freedom <= 1e10)
    known = _stats().chi2(_whole(freedom))
    return float(known.isf(share) if right else known.ppf(share))


def _f(x: float, above: float, below: float, whole: bool) -> float:
    _check(x >= 0, above >= 1, below >= 1)
    return _either(_stats().f, x, whole, _whole(above), _whole(below))


def _f_right(x: float, above: float, below: float) -> float:
    _check(x >= 0, above >= 1, below >= 1)
    return float(_stats().f.sf(x, _whole(above), _whole(below)))


def _f_back(share: float, above: float, below: float, right: bool = False) -> float:
    _check(0 <= share <= 1, above >= 1, below >= 1)
    known = _stats().f(_whole(above), _whole(below))
    return float(known.isf(share) if right else known.ppf(share))


def _t(x: float, freedom: float, whole: bool) -> float:
    _check(freedom >= 1)
    return _either(_stats().t, x, whole, _whole(freedom))


def _t_tails(x: float, freedom: float, tails: float) -> float:
    _check(freedom >= 1, int(tails) in (1, 2), x >= 0)
    return float(_stats().t.sf(x, _whole(freedom))) * int(tails)


def _t_back(share: float, freedom: float, tails: int = 1) -> float:
    _check(0 < share <= 1, freedom >= 1)
    known = _stats().t(_whole(freedom))
    return float(known.isf(share / 2) if tails == 2 else known.ppf(share))


def _confidence(alpha: float, deviation: float, size: float) -> float:
    _check(0 < alpha < 1, deviation > 0, size >= 1)
    return float(_stats().norm.isf(alpha / 2)) * deviation / math.sqrt(_whole(size))


def _confidence_t(alpha: float, deviation: float, size: float) -> float:
    _check(0 < alpha < 1, deviation > 0, size >= 1)
    if int(size) == 1:
        raise ErrorValue(CellError.DIV0)
    return float(_stats().t.isf(alpha / 2, _whole(size) - 1)) * deviation / math.sqrt(_whole(size))


def _standard(x: float, mean: float, deviation: float) -> float:
    _check(deviation > 0)
    return (x - mean) / deviation


def _error_function(low: float, high: float | None = None) -> float:
    return math.erf(low) if high is None else math.erf(high) - math.erf(low)


def _gamma_function(x: float) -> float:
    _check(x > 0 or x != int(x))
    return math.gamma(x)


def _log_gamma(x: float) -> float:
    _check(x > 0)
    return math.lgamma(x)


declare_all(
    plain,
    __name__,
    [
        ("NORMDIST(x: number, mean: number, deviation: number, whole: logical)", _normal, "The normal distribution up to x, or its density at x (18.17.7).", "ROUND(NORMDIST(46, 44, 1.8, TRUE), 6)", "0.86674"),
        ("NORM.DIST(x: number, mean: number, deviation: number, whole: logical)", _normal, "The normal distribution up to x, or its density at x.", "ROUND(NORM.DIST(46, 44, 1.8, FALSE), 6)", "0.119551"),
        ("NORMINV(share: number, mean: number, deviation: number)", _normal_back, "The x up to which a share of a normal distribution lies (18.17.7).", "ROUND(NORMINV(0.8179, 44, 1.8), 4)", "45.6333"),
        ("NORM.INV(share: number, mean: number, deviation: number)", _normal_back, "The x up to which a share of a normal distribution lies.", "ROUND(NORM.INV(0.877, 0, 1), 4)", "1.1601"),
        ("NORMSDIST(x: number)", lambda x: _normal(x, 0, 1, True), "The standard normal distribution up to x (18.17.7).", "NORMSDIST(0)", "0.5"),
        ("NORM.S.DIST(x: number, whole: logical)", lambda x, w: _normal(x, 0, 1, w), "The standard normal distribution up to x, or its density at x.", "ROUND(NORM.S.DIST(0, FALSE), 6)", "0.398942"),
        ("NORMSINV(share: number)", _normal_back, "The x up to which a share of the standard normal distribution lies (18.17.7).", "ROUND(NORMSINV(0.8795), 4)", "1.1725"),
        ("NORM.S.INV(share: number)", _normal_back, "The x up to which a share of the standard normal distribution lies.", "NORM.S.INV(0.5)", "0"),
        ("PHI(x: number)", lambda x: _normal(x, 0, 1, False), "The density of the standard normal distribution.", "ROUND(PHI(0), 6)", "0.398942"),
        ("GAUSS(x: number)", lambda x: math.erf(x / math.sqrt(2)) / 2, "The share of the standard normal distribution between the mean and x.", "ROUND(GAUSS(2), 5)", "0.47725"),
        ("LOGNORMDIST(x: number, mean: number, deviation: number)", _lognormal, "The lognormal distribution up to x (18.17.7).", "ROUND(LOGNORMDIST(4, 4.2, 1.4), 6)", "0.022227"),
        ("LOGNORM.DIST(x: number, mean: number, deviation: number, whole: logical)", _lognormal, "The lognormal distribution up to x, or its density at x.", "ROUND(LOGNORM.DIST(4, 4.2, 1.4, TRUE), 6)", "0.022227"),
        ("LOGINV(share: number, mean: number, deviation: number)", _lognormal_back, "The x up to which a share of a lognormal distribution lies (18.17.7).", "ROUND(LOGINV(0.0352, 4.2, 1.4), 3)", "5.296"),
        ("LOGNORM.INV(share: number, mean: number, deviation: number)", _lognormal_back, "The x up to which a share of a lognormal distribution lies.", "ROUND(LOGNORM.INV(0.5, 0, 1), 6)", "1"),
        ("BINOMDIST(done: number, tries: number, chance: number, whole: logical)", _binomial, "The probability of n successes in independent trials, or of at most n (18.17.7).", "ROUND(BINOMDIST(7, 10, 0.5, FALSE), 6)", "0.117188"),
        ("BINOM.DIST(done: number, tries: number, chance: number, whole: logical)", _binomial, "The probability of n successes in independent trials, or of at most n.", "BINOM.DIST(1, 2, 0.5, TRUE)", "0.75"),
        ("BINOM.DIST.RANGE(tries: number, chance: number, low: number, high?: number)", _binomial_range, "The probability of between n and m successes.", "ROUND(BINOM.DIST.RANGE(64, 0.68, 52), 4)", "0.0074"),
        ("CRITBINOM(tries: number, chance: number, share: number)", _binomial_back, "The fewest successes up to which a share of the distribution lies (18.17.7).", "CRITBINOM(7, 0.5, 0.68)", "4"),
        ("BINOM.INV(tries: number, chance: number, share: number)", _binomial_back, "The fewest successes up to which a share of the distribution lies.", "BINOM.INV(7, 0.5, 0.68)", "4"),
        ("NEGBINOMDIST(failed: number, done: number, chance: number)", _negative_binomial, "The probability of n failures before m successes (18.17.7).", "ROUND(NEGBINOMDIST(10, 6, 0.23), 6)", "0.032571"),
        ("NEGBINOM.DIST(failed: number, done: number, chance: number, whole: logical)", _negative_binomial, "The probability of n failures before m successes, or of at most n.", "ROUND(NEGBINOM.DIST(10, 6, 0.23, TRUE), 6)", "0.140499"),
        ("HYPGEOMDIST(done: number, tries: number, marked: number, all: number)", _hypergeometric, "The probability of n marked items in a sample (18.17.7).", "ROUND(HYPGEOMDIST(1, 4, 9, 21), 6)", "0.330827"),
        ("HYPGEOM.DIST(done: number, tries: number, marked: number, all: number, whole: logical)", _hypergeometric, "The probability of n marked items in a sample, or of at most n.", "ROUND(HYPGEOM.DIST(1, 4, 9, 21, TRUE), 6)", "0.413534"),
        ("POISSON(x: number, mean: number, whole: logical)", _poisson, "The Poisson distribution up to a count, or the probability of that count (18.17.7).", "ROUND(POISSON(2, 6, TRUE), 6)", "0.061969"),
        ("POISSON.DIST(x: number, mean: number, whole: logical)", _poisson, "The Poisson distribution up to a count, or the probability of that count.", "ROUND(POISSON.DIST(2, 6, FALSE), 6)", "0.044618"),
        ("EXPONDIST(x: number, rate: number, whole: logical)", _exponential, "The exponential distribution up to x, or its density at x (18.17.7).", "ROUND(EXPONDIST(0.2, 10, TRUE), 6)", "0.864665"),
        ("EXPON.DIST(x: number, rate: number, whole: logical)", _exponential, "The exponential distribution up to x, or its density at x.", "ROUND(EXPON.DIST(0.2, 10, FALSE), 6)", "1.353353"),
        ("GAMMADIST(x: number, shape: number, scale: number, whole: logical)", _gamma, "The gamma distribution up to x, or its density at x (18.17.7).", "ROUND(GAMMADIST(10, 10, 2, TRUE), 6)", "0.031828"),
        ("GAMMA.DIST(x: number, shape: number, scale: number, whole: logical)", _gamma, "The gamma distribution up to x, or its density at x.", "ROUND(GAMMA.DIST(10, 10, 2, FALSE), 6)", "0.018133"),
        ("GAMMAINV(share: number, shape: number, scale: number)", _gamma_back, "The x up to which a share of a gamma distribution lies (18.17.7).", "ROUND(GAMMAINV(0.0613, 10, 2), 3)", "11.278"),
        ("GAMMA.INV(share: number, shape: number, scale: number)", _gamma_back, "The x up to which a share of a gamma distribution lies.", "ROUND(GAMMA.INV(0.0613, 10, 2), 3)", "11.278"),
        ("GAMMA(x: number)", _gamma_function, "The gamma function.", "GAMMA(6)", "120"),
        ("GAMMALN(x: number)", _log_gamma, "The natural logarithm of the gamma function (18.17.7).", "ROUND(GAMMALN(4), 6)", "1.791759"),
        ("GAMMALN.PRECISE(x: number)", _log_gamma, "The natural logarithm of the gamma function.", "GAMMALN.PRECISE(1)", "0"),
        ("BETADIST(x: number, a: number, b: number, low: number = 0, high: number = 1)", lambda x, a, b, low, high: _beta(x, a, b, True, low, high), "The beta distribution up to x (18.17.7).", "ROUND(BETADIST(2, 9, 10, 1, 3), 6)", "0.592735"),
        ("BETA.DIST(x: number, a: number, b: number, whole: logical, low: number = 0, high: number = 1)", _beta, "The beta distribution up to x, or its density at x.", "ROUND(BETA.DIST(2, 9, 10, TRUE, 1, 3), 6)", "0.592735"),
        ("BETAINV(share: number, a: number, b: number, low: number = 0, high: number = 1)", _beta_back, "The x up to which a share of a beta distribution lies (18.17.7).", "ROUND(BETAINV(0.6169, 9, 10, 1, 3), 4)", "2.0146"),
        ("BETA.INV(share: number, a: number, b: number, low: number = 0, high: number = 1)", _beta_back, "The x up to which a share of a beta distribution lies.", "ROUND(BETA.INV(0.5, 2, 2), 6)", "0.5"),
        ("WEIBULL(x: number, shape: number, scale: number, whole: logical)", _weibull, "The Weibull distribution up to x, or its density at x (18.17.7).", "ROUND(WEIBULL(131, 21, 125, TRUE), 6)", "0.931205"),
        ("WEIBULL.DIST(x: number, shape: number, scale: number, whole: logical)", _weibull, "The Weibull distribution up to x, or its density at x.", "ROUND(WEIBULL.DIST(131, 21, 125, FALSE), 6)", "0.029518"),
        ("CHIDIST(x: number, freedom: number)", _chi_right, "The chi-square distribution above x (18.17.7).", "ROUND(CHIDIST(21.968, 10), 6)", "0.015268"),
        ("CHISQ.DIST(x: number, freedom: number, whole: logical)", _chi, "The chi-square distribution up to x, or its density at x.", "ROUND(CHISQ.DIST(0.5, 1, TRUE), 6)", "0.5205"),
        ("CHISQ.DIST.RT(x: number, freedom: number)", _chi_right, "The chi-square distribution above x.", "ROUND(CHISQ.DIST.RT(21.968, 10), 6)", "0.015268"),
        ("CHIINV(share: number, freedom: number)", lambda p, n: _chi_back(p, n, True), "The x above which a share of a chi-square distribution lies (18.17.7).", "ROUND(CHIINV(0.045, 10), 3)", "18.646"),
        ("CHISQ.INV(share: number, freedom: number)", _chi_back, "The x up to which a share of a chi-square distribution lies.", "ROUND(CHISQ.INV(0.84, 1), 6)", "1.974226"),
        ("CHISQ.INV.RT(share: number, freedom: number)", lambda p, n: _chi_back(p, n, True), "The x above which a share of a chi-square distribution lies.", "ROUND(CHISQ.INV.RT(0.045, 10), 3)", "18.646"),
        ("FDIST(x: number, above: number, below: number)", _f_right, "The F distribution above x (18.17.7).", "ROUND(FDIST(18.2482, 7, 4), 6)", "0.006899"),
        ("F.DIST(x: number, above: number, below: number, whole: logical)", _f, "The F distribution up to x, or its density at x.", "ROUND(F.DIST(18.2482, 7, 4, TRUE), 6)", "0.993101"),
        ("F.DIST.RT(x: number, above: number, below: number)", _f_right, "The F distribution above x.", "ROUND(F.DIST.RT(18.2482, 7, 4), 6)", "0.006899"),
        ("FINV(share: number, above: number, below: number)", lambda p, a, b: _f_back(p, a, b, True), "The x above which a share of an F distribution lies (18.17.7).", "ROUND(FINV(0.01, 7, 4), 4)", "14.9758"),
        ("F.INV(share: number, above: number, below: number)", _f_back, "The x up to which a share of an F distribution lies.", "ROUND(F.INV(0.01, 7, 4), 6)", "0.127443"),
        ("F.INV.RT(share: number, above: number, below: number)", lambda p, a, b: _f_back(p, a, b, True), "The x above which a share of an F distribution lies.", "ROUND(F.INV.RT(0.01, 7, 4), 4)", "14.9758"),
        ("TDIST(x: number, freedom: number, tails: number)", _t_tails, "Student's distribution above x, in one tail or both (18.17.7).", "ROUND(TDIST(2.352, 64, 2), 6)", "0.021761"),
        ("T.DIST(x: number, freedom: number, whole: logical)", _t, "Student's distribution up to x, or its density at x.", "ROUND(T.DIST(64, 1, TRUE), 6)", "0.995027"),
        ("T.DIST.RT(x: number, freedom: number)", lambda x, n: 1 - _t(x, n, True), "Student's distribution above x.", "ROUND(T.DIST.RT(2.352, 64), 6)", "0.010881"),
        ("T.DIST.2T(x: number, freedom: number)", lambda x, n: _t_tails(x, n, 2), "Student's distribution beyond x on both sides.", "ROUND(T.DIST.2T(2.352, 64), 6)", "0.021761"),
        ("TINV(share: number, freedom: number)", lambda p, n: _t_back(p, n, 2), "The x beyond which a share of Student's distribution lies on both sides (18.17.7).", "ROUND(TINV(0.0492, 64), 3)", "2.005"),
        ("T.INV(share: number, freedom: number)", _t_back, "The x up to which a share of Student's distribution lies.", "ROUND(T.INV(0.68, 2), 6)", "0.545705"),
        ("T.INV.2T(share: number, freedom: number)", lambda p, n: _t_back(p, n, 2), "The x beyond which a share of Student's distribution lies on both sides.", "ROUND(T.INV.2T(0.4918, 64), 6)", "0.691424"),
        ("CONFIDENCE(alpha: number, deviation: number, size: number)", _confidence, "Half the width of the interval around a mean, by the normal distribution (18.17.7).", "ROUND(CONFIDENCE(0.05, 3, 54), 6)", "0.800152"),
        ("CONFIDENCE.NORM(alpha: number, deviation: number, size: number)", _confidence, "Half the width of the interval around a mean, by the normal distribution.", "ROUND(CONFIDENCE.NORM(0.05, 3, 54), 6)", "0.800152"),
        ("CONFIDENCE.T(alpha: number, deviation: number, size: number)", _confidence_t, "Half the width of the interval around a mean, by Student's distribution.", "ROUND(CONFIDENCE.T(0.05, 1, 54), 6)", "0.272947"),
        ("STANDARDIZE(x: number, mean: number, deviation: number)", _standard, "How many deviations a number lies from a mean (18.17.7).", "ROUND(STANDARDIZE(46, 44, 1.8), 6)", "1.111111"),
        ("FISHER(x: number)", math.atanh, "Fisher's transformation of a correlation (18.17.7).", "ROUND(FISHER(0.68), 6)", "0.829114"),
        ("FISHERINV(y: number)", math.tanh, "The correlation that has a Fisher transformation (18.17.7).", "ROUND(FISHERINV(0.8757), 5)", "0.70426"),
        ("ERF(low: number, high?: number)", _error_function, "The error function from zero, or from a number, to a number (18.17.7).", "ROUND(ERF(0.67), 6)", "0.656628"),
        ("ERF.PRECISE(number: number)", math.erf, "The error function from zero to a number.", "ROUND(ERF.PRECISE(1), 6)", "0.842701"),
        ("ERFC(number: number)", math.erfc, "The complement of the error function (18.17.7).", "ROUND(ERFC(1), 6)", "0.157299"),
        ("ERFC.PRECISE(number: number)", math.erfc, "The complement of the error function.", "ROUND(ERFC.PRECISE(1), 6)", "0.157299"),
    ],
)  # fmt: skip


def _chi_test(found: Grid, expected: Grid) -> float:
    a, e = pairs(found, expected)
    if (e == 0).any():
        raise ErrorValue(CellError.DIV0)
    rows, columns = found.height, found.width
    freedom = (rows - 1) * (columns - 1) if rows > 1 and columns > 1 else rows * columns - 1
    if freedom < 1:
        raise ErrorValue(CellError.NA)
    return float(_stats().chi2.sf(np.sum((a - e) ** 2 / e), freedom))


def _f_test(first: Grid, second: Grid) -> float:
    a, b = numbers_in(first), numbers_in(second)
    if min(len(a), len(b)) < 2 or not a.var() or not b.var():
        raise ErrorValue(CellError.DIV0)
    share = float(_stats().f.cdf(a.var(ddof=1) / b.var(ddof=1), len(a) - 1, len(b) - 1))
    return 2 * min(share, 1 - share)


def _t_test(first: Grid, second: Grid, tails: float, kind: float) -> float:
    _check(int(tails) in (1, 2), int(kind) in (1, 2, 3))
    one, two = pairs(first, second) if int(kind) == 1 else (numbers_in(first), numbers_in(second))
    if min(len(one), len(two)) < 2:
        raise ErrorValue(CellError.DIV0)
    with warnings.catch_warnings():  # of samples that are all alike: what comes of them says enough
        warnings.simplefilter("ignore")
        if int(kind) == 1:
            share = float(_stats().ttest_rel(one, two).pvalue)
        else:
            share = float(_stats().ttest_ind(one, two, equal_var=int(kind) == 2).pvalue)
    return share if int(tails) == 2 else share / 2


def _z_test(array: Grid, mean: float, deviation: float | None = None) -> float:
    numbers = numbers_in(array)
    if len(numbers) < (2 if deviation is None else 1):
        raise ErrorValue(CellError.DIV0)
    spread = float(numbers.std(ddof=1)) if deviation is None else deviation
    return float(_stats().norm.sf((numbers.mean() - mean) / (spread / math.sqrt(len(numbers)))))


_SAMPLES = "{7,9,6,8}, {5,8,6,4}"
declare_all(
    arrays,
    __name__,
    [
        (f"{name}({signature})", work, f"{says}{clause}.", f"ROUND({name}({given}), 6)", result)
        for names, signature, work, says, given, result in (
            (("CHITEST", "CHISQ.TEST"), "found: cells, expected: cells", _chi_test, "The probability that counts differ this much from those expected by chance", "{30,12;9,21}, {22,20;17,13}", "0.00012"),
            (("FTEST", "F.TEST"), "first: cells, second: cells", _f_test, "The probability that the variances of two samples differ this much by chance", "{4,9,2,7}, {3,12,20,1}", "0.122849"),
            (("TTEST", "T.TEST"), "first: cells, second: cells, tails: number, kind: number", _t_test, "The probability that the means of two samples differ this much by chance; kind 1 pairs, 2 equal variances, 3 unequal ones", f"{_SAMPLES}, 2, 1", "0.132842"),
            (("ZTEST", "Z.TEST"), "array: cells, mean: number, deviation?: number", _z_test, "The probability of a mean above that of a sample", "{5,7,6,8,4}, 5", "0.07865"),
        )
        for name, clause in zip(names, (" (18.17.7)", ""), strict=True)
    ],
)  # fmt: skip
