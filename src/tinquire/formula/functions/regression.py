"""How two samples go together, and lines through points (18.17.7)."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from tinquire.cells.column import Floats, Kind
from tinquire.cells.values import CellError, Value
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.functions.matrices import matrix_of
from tinquire.formula.functions.spread import require_count

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
    across = np.sum((require_count(x, 1) - x.mean()) ** 2)
    if across == 0:
        raise ErrorValue(CellError.DIV0)
    slope = float(np.sum((x - x.mean()) * (y - y.mean())) / across)
    return y, x, slope, float(y.mean() - slope * x.mean())


def _correlation(ys: Grid, xs: Grid) -> float:
    y, x = pairs(ys, xs)
    below = math.sqrt(np.sum((require_count(x, 1) - x.mean()) ** 2) * np.sum((y - y.mean()) ** 2))
    return float(np.sum((x - x.mean()) * (y - y.mean()))) / below


def _covariance(ys: Grid, xs: Grid, degrees: int = 0) -> float:
    y, x = pairs(ys, xs)
    return float(np.sum((require_count(x, 1 + degrees) - x.mean()) * (y - y.mean())) / (len(x) - degrees))


def _line_error(ys: Grid, xs: Grid) -> float:
    y, x, slope, height = _line(ys, xs)
    return math.sqrt(float(np.sum((require_count(y, 3) - slope * x - height) ** 2)) / (len(y) - 2))


def _forecast(x: float, ys: Grid, xs: Grid) -> float:
    _, _, slope, height = _line(ys, xs)
    return height + slope * x


_TWO = "{2,4,5,9}, {1,2,3,4}"


declare_all(
    arrays,
    __name__,
    [
        ("SLOPE(ys: cells, xs: cells)", lambda y, x: _line(y, x)[2], "The slope of the straight line fitted to points (18.17.7).", f"SLOPE({_TWO})", "2.2"),
        ("INTERCEPT(ys: cells, xs: cells)", lambda y, x: _line(y, x)[3], "The intercept of the straight line fitted to points (18.17.7).", f"INTERCEPT({_TWO})", "-0.5"),
        ("FORECAST(x: number, ys: cells, xs: cells)", _forecast, "The value at x of the straight line fitted to points (18.17.7).", f"FORECAST(5, {_TWO})", "10.5"),
        ("FORECAST.LINEAR(x: number, ys: cells, xs: cells)", _forecast, "The value at x of the straight line fitted to points.", f"FORECAST.LINEAR(5, {_TWO})", "10.5"),
        ("CORREL(ys: cells, xs: cells)", _correlation, "The correlation of two samples, from -1 to 1 (18.17.7).", f"ROUND(CORREL({_TWO}), 4)", "0.9648"),
        ("PEARSON(ys: cells, xs: cells)", _correlation, "The correlation of two samples, from -1 to 1 (18.17.7).", f"ROUND(PEARSON({_TWO}), 4)", "0.9648"),
        ("RSQ(ys: cells, xs: cells)", lambda y, x: _correlation(y, x) ** 2, "The square of the correlation (18.17.7).", f"ROUND(RSQ({_TWO}), 4)", "0.9308"),
        ("STEYX(ys: cells, xs: cells)", _line_error, "The standard error of the straight line fitted to points (18.17.7).", f"ROUND(STEYX({_TWO}), 4)", "0.9487"),
        ("COVAR(ys: cells, xs: cells)", _covariance, "The covariance of two populations (18.17.7).", f"COVAR({_TWO})", "2.75"),
        ("COVARIANCE.P(ys: cells, xs: cells)", _covariance, "The covariance of two populations.", f"COVARIANCE.P({_TWO})", "2.75"),
        ("COVARIANCE.S(ys: cells, xs: cells)", lambda y, x: _covariance(y, x, 1), "The covariance estimated from two samples.", f"ROUND(COVARIANCE.S({_TWO}), 4)", "3.6667"),
        ("SUMX2MY2(xs: cells, ys: cells)", lambda x, y: _squares(x, y, lambda a, b: a * a - b * b), "The sum of the differences of squares (18.17.7).", "SUMX2MY2({3,4}, {1,2})", "20"),
        ("SUMX2PY2(xs: cells, ys: cells)", lambda x, y: _squares(x, y, lambda a, b: a * a + b * b), "The sum of the sums of squares (18.17.7).", "SUMX2PY2({3,4}, {1,2})", "30"),
        ("SUMXMY2(xs: cells, ys: cells)", lambda x, y: _squares(x, y, lambda a, b: (a - b) ** 2), "The sum of the squares of the differences (18.17.7).", "SUMXMY2({3,4}, {1,2})", "8"),
    ],
)  # fmt: skip


def _squares(xs: Grid, ys: Grid, work: Callable[[Floats, Floats], Floats]) -> float:
    x, y = pairs(xs, ys)
    return float(work(x, y).sum())


def _fitted(ys: Grid, xs: Grid | None, height: bool, log: bool) -> tuple[Floats, Floats, Floats]:
    """Least squares: the points' ys, the matrix of xs (ones last when the line has a height of its own), and the
    factors in its order."""
    y = matrix_of(ys)
    across = y.shape[0] == 1 and y.shape[1] > 1
    flat = y.ravel()
    if xs is None:
        x = np.arange(1.0, len(flat) + 1)[:, None]
    else:
        x = matrix_of(xs)
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
        [CellError.NA if math.isnan(item) else float(item) for item in errors],
        [explained / (explained + rest) if explained + rest else 1.0, error],
        [explained / known / (rest / freedom) if rest and freedom else CellError.NUM, float(freedom)],
        [explained, rest],
    ]
    return grid_from([row + [CellError.NA] * (len(first) - len(row)) for row in rows])


def _continued(ys: Grid, xs: Grid | None, new: Grid | None, height: bool | None, log: bool) -> Grid:
    own = height is None or height
    _, x, factors = _fitted(ys, xs, own, log)
    if new is None:
        points = x
        shape = (ys.height, ys.width)
    else:
        values = matrix_of(new)
        known = x.shape[1] - own
        across = values.shape[0] == known and values.shape[1] != known
        points = values.reshape(-1, 1) if known == 1 else values.T if across else values
        shape = values.shape if known == 1 else (1, len(points)) if across else (len(points), 1)
        points = np.column_stack([points, np.ones(len(points))]) if own else points
    found = points @ factors
    return grid_from((np.exp(found) if log else found).reshape(shape))


declare_all(
    arrays,
    __name__,
    [
        ("LINEST(ys: cells, xs?: cells, height?: logical, details?: logical)", lambda y, x=None, h=None, d=None: _estimate(y, x, h, d, False), "The slopes of the straight line (or plane) fitted to points, last first, and the intercept; with `details`, its statistics (18.17.7).", "ROUND(INDEX(LINEST({2,4,5,9}, {1,2,3,4}), 1), 9)", "2.2"),
        ("LOGEST(ys: cells, xs?: cells, height?: logical, details?: logical)", lambda y, x=None, h=None, d=None: _estimate(y, x, h, d, True), "The bases of the exponential curve fitted to points (18.17.7).", "ROUND(INDEX(LOGEST({2,4,8,16}, {1,2,3,4}), 1), 9)", "2"),
        ("TREND(ys: cells, xs?: cells, new?: cells, height?: logical)", lambda y, x=None, n=None, h=None: _continued(y, x, n, h, False), "The values at new xs of the straight line fitted to points (18.17.7).", "ROUND(SUM(TREND({2,4,6}, {1,2,3}, {4,5})), 9)", "18"),
        ("GROWTH(ys: cells, xs?: cells, new?: cells, height?: logical)", lambda y, x=None, n=None, h=None: _continued(y, x, n, h, True), "The values at new xs of the exponential curve fitted to points (18.17.7).", "ROUND(SUM(GROWTH({2,4,8}, {1,2,3}, {4,5})), 9)", "48"),
    ],
)  # fmt: skip
