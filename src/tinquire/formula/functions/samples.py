"""Measures of samples: spread, place, shape, and how two samples go together (18.17.7)."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from tinquire.cells.column import Column, Floats, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from, numbers_in, sample
from tinquire.formula.engine.matrix import Matrix
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import aggregate, declare_all


def _least(numbers: Floats, count: int, error: CellError = CellError.DIV0) -> Floats:
    """The numbers. Raises ErrorValue when there are fewer than a sample needs."""
    if len(numbers) < count:
        raise ErrorValue(error)
    return numbers


def _variance(degrees: int) -> Callable[[Floats], float]:
    return lambda numbers: float(np.var(_least(numbers, 1 + degrees), ddof=degrees))


def _deviation(degrees: int) -> Callable[[Floats], float]:
    return lambda numbers: float(np.std(_least(numbers, 1 + degrees), ddof=degrees))


def _mode(numbers: Floats) -> float:
    """The number that comes most often; of several, the one that comes first."""
    return float(_modes(numbers)[0])


def _modes(numbers: Floats) -> Floats:
    values, first, counts = np.unique(numbers, return_index=True, return_counts=True)
    if len(values) == 0 or counts.max() < 2:
        raise ErrorValue(CellError.NA)
    best = np.flatnonzero(counts == counts.max())
    return values[best[np.argsort(first[best])]]


def _skew(numbers: Floats) -> float:
    n, deviation = len(_least(numbers, 3)), np.std(numbers, ddof=1)
    if deviation == 0:
        raise ErrorValue(CellError.DIV0)
    return float(n / ((n - 1) * (n - 2)) * np.sum(((numbers - numbers.mean()) / deviation) ** 3))


def _skew_of_all(numbers: Floats) -> float:
    deviation = np.std(_least(numbers, 3))
    if deviation == 0:
        raise ErrorValue(CellError.DIV0)
    return float(np.mean(((numbers - numbers.mean()) / deviation) ** 3))


def _kurtosis(numbers: Floats) -> float:
    n, deviation = len(_least(numbers, 4)), np.std(numbers, ddof=1)
    if deviation == 0:
        raise ErrorValue(CellError.DIV0)
    total = np.sum(((numbers - numbers.mean()) / deviation) ** 4)
    return float(n * (n + 1) / ((n - 1) * (n - 2) * (n - 3)) * total - 3 * (n - 1) ** 2 / ((n - 2) * (n - 3)))


def _positive_mean(work: Callable[[Floats], Any]) -> Callable[[Floats], float]:
    def function(numbers: Floats) -> float:
        if len(_least(numbers, 1, CellError.NUM)) and (numbers <= 0).any():
            raise ErrorValue(CellError.NUM)
        return float(work(numbers))

    return function


_SPREAD = [
    ("STDEV", _deviation(1), "The standard deviation of a population, guessed from a sample", "2.138"),
    ("STDEV.S", _deviation(1), "The standard deviation of a population, guessed from a sample", "2.138"),
    ("STDEVP", _deviation(0), "The standard deviation of a whole population", "2"),
    ("STDEV.P", _deviation(0), "The standard deviation of a whole population", "2"),
    ("VAR", _variance(1), "The variance of a population, guessed from a sample", "4.571"),
    ("VAR.S", _variance(1), "The variance of a population, guessed from a sample", "4.571"),
    ("VARP", _variance(0), "The variance of a whole population", "4"),
    ("VAR.P", _variance(0), "The variance of a whole population", "4"),
    ("DEVSQ", lambda n: float(np.sum((_least(n, 1, CellError.NUM) - n.mean()) ** 2)), "The sum of the squares of the distances from the mean", "32"),
    ("AVEDEV", lambda n: float(np.mean(np.abs(_least(n, 1, CellError.NUM) - n.mean()))), "The mean distance from the mean", "1.5"),
    ("MEDIAN", lambda n: float(np.median(_least(n, 1, CellError.NUM))), "The number in the middle; of two, their mean", "4.5"),
    ("MODE", _mode, "The number that comes most often", "4"),
    ("MODE.SNGL", _mode, "The number that comes most often", "4"),
    ("SKEW", _skew, "How far a sample leans to one side", "0.818"),
    ("SKEW.P", _skew_of_all, "How far a whole population leans to one side", "0.656"),
    ("KURT", _kurtosis, "How peaked a sample is, beside a normal distribution", "0.941"),
    ("GEOMEAN", _positive_mean(lambda n: np.exp(np.mean(np.log(n)))), "The geometric mean of positive numbers", "4.603"),
    ("HARMEAN", _positive_mean(lambda n: len(n) / np.sum(1 / n)), "The harmonic mean of positive numbers", "4.202"),
]  # fmt: skip

declare_all(
    sample,
    __name__,
    [
        (f"{name}(number: cells, number...: cells)", work, f"{says} (18.17.7).", f"ROUND({name}(2,4,4,4,5,5,7,9), 3)", result)
        for name, work, says, result in _SPREAD
    ],
)  # fmt: skip


def _with_texts(work: Callable[[Floats], float]) -> Callable[[Matrix], Column]:
    """The functions that end in A: texts in ranges count as nought, yes/no as one and nought."""

    def function(cells: Matrix) -> Column:
        faults = cells.first_errors()
        results: list[Value] = []
        for lane in range(cells.lanes):
            kinds = cells.kinds[:, lane]
            numbers = np.where(kinds == Kind.TEXT, 0.0, cells.numbers[:, lane])[kinds != Kind.BLANK]
            try:
                wrong = faults is not None and faults[lane]
                results.append(
                    CellError.from_code(int(faults[lane]) - 1) if wrong and faults is not None else work(numbers)
                )
            except ErrorValue as fault:
                results.append(fault.error)
        return Column.from_values(results)

    return function


declare_all(
    aggregate,
    __name__,
    [
        (f"{name}(value: cells, value...: cells)", _with_texts(work), f"{says}; texts count as nought, yes as one (18.17.7).", f'{name}({{1,"x",5}})', result)
        for name, work, says, result in (
            ("AVERAGEA", lambda n: float(_least(n, 1).mean()), "The mean of all values", "2"),
            ("MAXA", lambda n: float(n.max()) if len(n) else 0.0, "The largest value", "5"),
            ("MINA", lambda n: float(n.min()) if len(n) else 0.0, "The smallest value", "0"),
            ("STDEVA", _deviation(1), "The standard deviation guessed from a sample", "2.645751311"),
            ("STDEVPA", _deviation(0), "The standard deviation of a population", "2.160246899"),
            ("VARA", _variance(1), "The variance guessed from a sample", "7"),
            ("VARPA", _variance(0), "The variance of a population", "4.666666667"),
        )
    ],
)  # fmt: skip


# -- places in a sample ----------------------------------------------------------------------------------


def _nth(grid: Grid, place: float, largest: bool) -> float:
    numbers = np.sort(numbers_in(grid))
    rank = math.ceil(place)
    if not 1 <= rank <= len(numbers):
        raise ErrorValue(CellError.NUM)
    return float(numbers[-rank] if largest else numbers[rank - 1])


def _percentile(grid: Grid, share: float, exclusive: bool = False) -> float:
    """The number below which a share of the sample lies, between neighbours in proportion."""
    numbers = np.sort(_least(numbers_in(grid), 1, CellError.NUM))
    place = share * (len(numbers) + 1) - 1 if exclusive else share * (len(numbers) - 1)
    if not 0 <= share <= 1 or place < -1e-12 or place > len(numbers) - 1 + 1e-12:
        raise ErrorValue(CellError.NUM)
    low = min(max(math.floor(place + 1e-12), 0), len(numbers) - 1)
    high = min(low + 1, len(numbers) - 1)
    return float(numbers[low] + (numbers[high] - numbers[low]) * max(place - low, 0.0))


def _quartile(grid: Grid, quarter: float, exclusive: bool = False) -> float:
    if not 0 <= int(quarter) <= 4:
        raise ErrorValue(CellError.NUM)
    return _percentile(grid, int(quarter) / 4, exclusive)


def _percent_rank(grid: Grid, number: float, digits: float | None, exclusive: bool = False) -> float:
    """Which share of the sample lies below a number, cut (not rounded) to so many digits."""
    numbers = np.sort(_least(numbers_in(grid), 1, CellError.NUM))
    if not numbers[0] <= number <= numbers[-1]:
        raise ErrorValue(CellError.NA)
    below = int(np.searchsorted(numbers, number))
    place = float(below)
    if numbers[below] != number:
        place = below - 1 + (number - numbers[below - 1]) / (numbers[below] - numbers[below - 1])
    share = (place + 1) / (len(numbers) + 1) if exclusive else place / max(len(numbers) - 1, 1)
    if len(numbers) == 1 and not exclusive:
        share = 1.0
    scale = 10.0 ** (3 if digits is None else int(digits))
    return math.floor(share * scale + 1e-9) / scale


def _rank(number: float, grid: Grid, ascending: float, average: bool = False) -> float:
    numbers = numbers_in(grid)
    equal = int((numbers == number).sum())
    if not equal:
        raise ErrorValue(CellError.NA)
    before = int((numbers < number).sum() if ascending else (numbers > number).sum())
    return before + 1 + (equal - 1) / 2 * average


def _trimmed(grid: Grid, share: float) -> float:
    numbers = np.sort(numbers_in(grid))
    if not 0 <= share < 1 or not len(numbers):
        raise ErrorValue(CellError.NUM)
    cut = int(len(numbers) * share / 2)
    return float(numbers[cut : len(numbers) - cut].mean())


_OF = "{3,5,7,9,11}"
declare_all(
    arrays,
    __name__,
    [
        ("LARGE(array: cells, place: number)", lambda a, k: _nth(a, k, True), "The largest number but so many (18.17.7).", f"LARGE({_OF}, 2)", "9"),
        ("SMALL(array: cells, place: number)", lambda a, k: _nth(a, k, False), "The smallest number but so many (18.17.7).", f"SMALL({_OF}, 2)", "5"),
        ("PERCENTILE(array: cells, share: number)", _percentile, "The number below which a share of a sample lies (18.17.7).", f"PERCENTILE({_OF}, 0.3)", "5.4"),
        ("PERCENTILE.INC(array: cells, share: number)", _percentile, "The number below which a share of a sample lies, ends included.", f"PERCENTILE.INC({_OF}, 0.25)", "5"),
        ("PERCENTILE.EXC(array: cells, share: number)", lambda a, s: _percentile(a, s, True), "The number below which a share of a sample lies, ends left out.", f"PERCENTILE.EXC({_OF}, 0.25)", "4"),
        ("QUARTILE(array: cells, quarter: number)", _quartile, "The number below which so many quarters of a sample lie (18.17.7).", f"QUARTILE({_OF}, 1)", "5"),
        ("QUARTILE.INC(array: cells, quarter: number)", _quartile, "The number below which so many quarters lie, ends included.", f"QUARTILE.INC({_OF}, 3)", "9"),
        ("QUARTILE.EXC(array: cells, quarter: number)", lambda a, q: _quartile(a, q, True), "The number below which so many quarters lie, ends left out.", f"QUARTILE.EXC({_OF}, 1)", "4"),
        ("PERCENTRANK(array: cells, number: number, digits?: number)", lambda a, n, d=None: _percent_rank(a, n, d), "Which share of a sample lies below a number (18.17.7).", f"PERCENTRANK({_OF}, 8)", "0.625"),
        ("PERCENTRANK.INC(array: cells, number: number, digits?: number)", lambda a, n, d=None: _percent_rank(a, n, d), "Which share of a sample lies below a number, ends included.", f"PERCENTRANK.INC({_OF}, 7)", "0.5"),
        ("PERCENTRANK.EXC(array: cells, number: number, digits?: number)", lambda a, n, d=None: _percent_rank(a, n, d, True), "Which share of a sample lies below a number, ends left out.", f"PERCENTRANK.EXC({_OF}, 3)", "0.166"),
        ("RANK(number: number, array: cells, ascending: number = 0)", _rank, "A number's place among others, the largest first (18.17.7).", f"RANK(9, {_OF})", "2"),
        ("RANK.EQ(number: number, array: cells, ascending: number = 0)", _rank, "A number's place among others; equal ones share the first.", f"RANK.EQ(9, {_OF}, 1)", "4"),
        ("RANK.AVG(number: number, array: cells, ascending: number = 0)", lambda n, a, o=0: _rank(n, a, o, True), "A number's place among others; equal ones share the mean.", "RANK.AVG(5, {5,5,1})", "1.5"),
        ("TRIMMEAN(array: cells, share: number)", _trimmed, "The mean without a share of the numbers, half of it at each end (18.17.7).", "TRIMMEAN({1,2,3,4,100}, 0.4)", "3"),
        ("MODE.MULT(array: cells)", lambda a: grid_from(_modes(numbers_in(a))[:, None]), "The numbers that come most often, below each other.", "SUM(MODE.MULT({1,2,2,3,3}))", "5"),
    ],
)  # fmt: skip


@arrays("FREQUENCY(array: cells, bounds: cells)")
def frequency(array: Grid, bounds: Grid) -> Grid:
    """How many numbers lie up to each bound and above the one before, and last how many above all (18.17.7).

    >>> SUM(FREQUENCY({1,2,3,4,5}, {2,4}) * {1;10;100})
    122
    """
    edges = numbers_in(bounds)
    order = np.argsort(edges, kind="stable")
    places = np.searchsorted(edges[order], numbers_in(array), side="left")
    counts = np.bincount(places, minlength=len(edges) + 1).astype(np.float64)
    found = np.zeros(len(edges) + 1)
    found[order], found[-1] = counts[:-1], counts[-1]
    return grid_from(found[:, None])


@arrays("PROB(values: cells, shares: cells, from: number, to?: number)")
def prob(values: Grid, shares: Grid, low: float, high: float | None = None) -> float:
    """The probability of values between two bounds, from the probability of each (18.17.7).

    >>> PROB({0,1,2,3}, {0.2,0.3,0.1,0.4}, 1, 3)
    0.8
    """
    numbers, chances = pairs(values, shares)
    if (chances <= 0).any() or (chances > 1).any() or abs(chances.sum() - 1) > 1e-9:
        raise ErrorValue(CellError.NUM)
    inside = (numbers >= low) & (numbers <= (low if high is None else high))
    return float(chances[inside].sum())


# -- two samples -----------------------------------------------------------------------------------------


def pairs(first: Grid, second: Grid) -> tuple[Floats, Floats]:
    """The numbers that stand in equal places of two arrays. Raises ErrorValue for unlike sizes, and for errors."""
    if first.height * first.width != second.height * second.width:
        raise ErrorValue(CellError.NA)
    a, b = first.flat(), second.flat()
    for column in (a, b):
        wrong = np.flatnonzero(column.kinds == Kind.ERROR)
        if len(wrong):
            raise ErrorValue(CellError.from_code(int(column.numbers[wrong[0]])))
    both = (a.kinds == Kind.NUMBER) & (b.kinds == Kind.NUMBER)
    return a.numbers[both], b.numbers[both]


def _line(ys: Grid, xs: Grid) -> tuple[Floats, Floats, float, float]:
    """Both samples, and the slope and height of the straight line nearest to their points."""
    y, x = pairs(ys, xs)
    across = np.sum((_least(x, 1) - x.mean()) ** 2)
    if across == 0:
        raise ErrorValue(CellError.DIV0)
    slope = float(np.sum((x - x.mean()) * (y - y.mean())) / across)
    return y, x, slope, float(y.mean() - slope * x.mean())


def _correlation(ys: Grid, xs: Grid) -> float:
    y, x = pairs(ys, xs)
    below = math.sqrt(np.sum((_least(x, 1) - x.mean()) ** 2) * np.sum((y - y.mean()) ** 2))
    return float(np.sum((x - x.mean()) * (y - y.mean()))) / below


def _covariance(ys: Grid, xs: Grid, degrees: int = 0) -> float:
    y, x = pairs(ys, xs)
    return float(np.sum((_least(x, 1 + degrees) - x.mean()) * (y - y.mean())) / (len(x) - degrees))


def _line_error(ys: Grid, xs: Grid) -> float:
    y, x, slope, height = _line(ys, xs)
    return math.sqrt(float(np.sum((_least(y, 3) - slope * x - height) ** 2)) / (len(y) - 2))


def _forecast(x: float, ys: Grid, xs: Grid) -> float:
    _, _, slope, height = _line(ys, xs)
    return height + slope * x


_TWO = "{2,4,5,9}, {1,2,3,4}"
declare_all(
    arrays,
    __name__,
    [
        ("SLOPE(ys: cells, xs: cells)", lambda y, x: _line(y, x)[2], "How steep the line through points is (18.17.7).", f"SLOPE({_TWO})", "2.2"),
        ("INTERCEPT(ys: cells, xs: cells)", lambda y, x: _line(y, x)[3], "Where the line through points crosses the y axis (18.17.7).", f"INTERCEPT({_TWO})", "-0.5"),
        ("FORECAST(x: number, ys: cells, xs: cells)", _forecast, "The point of the line through points at a place (18.17.7).", f"FORECAST(5, {_TWO})", "10.5"),
        ("FORECAST.LINEAR(x: number, ys: cells, xs: cells)", _forecast, "The point of the line through points at a place.", f"FORECAST.LINEAR(5, {_TWO})", "10.5"),
        ("CORREL(ys: cells, xs: cells)", _correlation, "How closely two samples go together, from -1 to 1 (18.17.7).", f"ROUND(CORREL({_TWO}), 4)", "0.9648"),
        ("PEARSON(ys: cells, xs: cells)", _correlation, "How closely two samples go together, from -1 to 1 (18.17.7).", f"ROUND(PEARSON({_TWO}), 4)", "0.9648"),
        ("RSQ(ys: cells, xs: cells)", lambda y, x: _correlation(y, x) ** 2, "The square of the correlation (18.17.7).", f"ROUND(RSQ({_TWO}), 4)", "0.9308"),
        ("STEYX(ys: cells, xs: cells)", _line_error, "The standard error of the line through points (18.17.7).", f"ROUND(STEYX({_TWO}), 4)", "0.9487"),
        ("COVAR(ys: cells, xs: cells)", _covariance, "The covariance of two populations (18.17.7).", f"COVAR({_TWO})", "2.75"),
        ("COVARIANCE.P(ys: cells, xs: cells)", _covariance, "The covariance of two populations.", f"COVARIANCE.P({_TWO})", "2.75"),
        ("COVARIANCE.S(ys: cells, xs: cells)", lambda y, x: _covariance(y, x, 1), "The covariance guessed from two samples.", f"ROUND(COVARIANCE.S({_TWO}), 4)", "3.6667"),
        ("SUMX2MY2(xs: cells, ys: cells)", lambda x, y: _squares(x, y, lambda a, b: a * a - b * b), "The sum of the differences of squares (18.17.7).", "SUMX2MY2({3,4}, {1,2})", "20"),
        ("SUMX2PY2(xs: cells, ys: cells)", lambda x, y: _squares(x, y, lambda a, b: a * a + b * b), "The sum of the sums of squares (18.17.7).", "SUMX2PY2({3,4}, {1,2})", "30"),
        ("SUMXMY2(xs: cells, ys: cells)", lambda x, y: _squares(x, y, lambda a, b: (a - b) ** 2), "The sum of the squares of the differences (18.17.7).", "SUMXMY2({3,4}, {1,2})", "8"),
    ],
)  # fmt: skip


def _squares(xs: Grid, ys: Grid, work: Callable[[Floats, Floats], Floats]) -> float:
    x, y = pairs(xs, ys)
    return float(work(x, y).sum())


# -- lines through many points ---------------------------------------------------------------------------


def _matrix(grid: Grid) -> Floats:
    """An array of numbers alone. Raises ErrorValue for anything else in it."""
    for column in grid.columns:
        if not column.all_of(Kind.NUMBER):
            wrong = np.flatnonzero(column.kinds == Kind.ERROR)
            raise ErrorValue(CellError.from_code(int(column.numbers[wrong[0]])) if len(wrong) else CellError.VALUE)
    return np.column_stack([column.numbers for column in grid.columns])


def _fitted(ys: Grid, xs: Grid | None, height: bool, log: bool) -> tuple[Floats, Floats, Floats]:
    """Least squares: the points' ys, the matrix of xs (ones last when the line has a height of its own), and the
    factors in its order."""
    y = _matrix(ys)
    across = y.shape[0] == 1 and y.shape[1] > 1
    flat = y.ravel()
    if xs is None:
        x = np.arange(1.0, len(flat) + 1)[:, None]
    else:
        x = _matrix(xs)
        x = x.reshape(-1, 1) if x.shape == y.shape else x.T if across else x
    if len(x) != len(flat):
        raise ErrorValue(CellError.REF)
    if log:
        if (flat <= 0).any():
            raise ErrorValue(CellError.NUM)
        flat = np.log(flat)
    if height:
        x = np.column_stack([x, np.ones(len(x))])
    factors, *_ = np.linalg.lstsq(x, flat, rcond=None)
    return flat, x, factors


def _estimate(ys: Grid, xs: Grid | None, height: bool | None, details: bool | None, log: bool) -> Grid:
    own = height is None or height
    y, x, factors = _fitted(ys, xs, own, log)
    shown = np.append(factors[:-1][::-1], factors[-1]) if own else np.append(factors[::-1], 0.0)
    first = np.exp(shown) if log else shown
    if not details:
        return grid_from(first[None, :])
    left = y - x @ factors
    freedom = len(y) - x.shape[1]
    rest = float(left @ left)
    explained = float(np.sum((y - y.mean()) ** 2) if own else y @ y) - rest
    error = math.sqrt(rest / freedom) if freedom else 0.0
    spread = np.sqrt(np.maximum(np.diag(np.linalg.pinv(x.T @ x)), 0)) * error
    errors = np.append(spread[:-1][::-1], spread[-1]) if own else np.append(spread[::-1], np.nan)
    known = x.shape[1] - own
    rows: list[list[Value]] = [
        list(map(float, first)),
        [CellError.NA if math.isnan(one) else float(one) for one in errors],
        [explained / (explained + rest) if explained + rest else 1.0, error],
        [explained / known / (rest / freedom) if rest and freedom else CellError.NUM, float(freedom)],
        [explained, rest],
    ]
    return grid_from([row + [CellError.NA] * (len(first) - len(row)) for row in rows])


def _continued(ys: Grid, xs: Grid | None, new: Grid | None, height: bool | None, log: bool) -> Grid:
    own = height is None or height
    _, x, factors = _fitted(ys, xs, own, log)
    if new is None:
        places = x
        shape = (ys.height, ys.width)
    else:
        values = _matrix(new)
        known = x.shape[1] - own
        across = values.shape[0] == known and values.shape[1] != known
        places = values.reshape(-1, 1) if known == 1 else values.T if across else values
        shape = values.shape if known == 1 else (1, len(places)) if across else (len(places), 1)
        places = np.column_stack([places, np.ones(len(places))]) if own else places
    found = places @ factors
    return grid_from((np.exp(found) if log else found).reshape(shape))


declare_all(
    arrays,
    __name__,
    [
        ("LINEST(ys: cells, xs?: cells, height?: logical, details?: logical)", lambda y, x=None, h=None, d=None: _estimate(y, x, h, d, False), "The factors of the straight line (or plane) nearest to points, last first, and its height; with `details`, what statistics say of it (18.17.7).", "ROUND(INDEX(LINEST({2,4,5,9}, {1,2,3,4}), 1), 9)", "2.2"),
        ("LOGEST(ys: cells, xs?: cells, height?: logical, details?: logical)", lambda y, x=None, h=None, d=None: _estimate(y, x, h, d, True), "The bases of the exponential curve nearest to points (18.17.7).", "ROUND(INDEX(LOGEST({2,4,8,16}, {1,2,3,4}), 1), 9)", "2"),
        ("TREND(ys: cells, xs?: cells, new?: cells, height?: logical)", lambda y, x=None, n=None, h=None: _continued(y, x, n, h, False), "The straight line nearest to points, at new places (18.17.7).", "ROUND(SUM(TREND({2,4,6}, {1,2,3}, {4,5})), 9)", "18"),
        ("GROWTH(ys: cells, xs?: cells, new?: cells, height?: logical)", lambda y, x=None, n=None, h=None: _continued(y, x, n, h, True), "The exponential curve nearest to points, at new places (18.17.7).", "ROUND(SUM(GROWTH({2,4,8}, {1,2,3}, {4,5})), 9)", "48"),
        ("MMULT(first: cells, second: cells)", lambda a, b: _multiplied(_matrix(a), _matrix(b)), "The product of two matrices (18.17.7).", "SUM(MMULT({1,2;3,4}, {1;1}))", "10"),
        ("MDETERM(matrix: cells)", lambda a: _determinant(_matrix(a)), "The determinant of a square matrix (18.17.7).", "MDETERM({3,6;1,1})", "-3"),
        ("MINVERSE(matrix: cells)", lambda a: _inverse(_matrix(a)), "The inverse of a square matrix (18.17.7).", "SUM(MINVERSE({4,0;0,2}))", "0.75"),
        ("MUNIT(size: number)", lambda n: grid_from(np.eye(_size(n))), "The unit matrix of a size (OpenFormula 6.6.7).", "SUM(MUNIT(3))", "3"),
    ],
)  # fmt: skip


def _size(number: float) -> int:
    if not 1 <= number <= 4000:
        raise ErrorValue(CellError.VALUE)
    return int(number)


def _multiplied(a: Floats, b: Floats) -> Grid:
    if a.shape[1] != b.shape[0]:
        raise ErrorValue(CellError.VALUE)
    return grid_from(a @ b)


def _square(matrix: Floats) -> Floats:
    if matrix.shape[0] != matrix.shape[1]:
        raise ErrorValue(CellError.VALUE)
    return matrix


def _determinant(matrix: Floats) -> float:
    """Of a matrix of whole numbers the determinant is whole; rounding errors are not shown."""
    found = float(np.linalg.det(_square(matrix)))
    whole = (matrix == np.rint(matrix)).all() and abs(found) < 2**40
    return float(round(found)) if whole else found


def _inverse(matrix: Floats) -> Grid:
    try:
        found = np.linalg.inv(_square(matrix))
    except np.linalg.LinAlgError:
        raise ErrorValue(CellError.NUM) from None
    return grid_from(found)
