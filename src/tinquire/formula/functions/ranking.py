"""Ranks, percentiles and frequencies (18.17.7)."""

from __future__ import annotations

import math

import numpy as np

from tinquire.cells.values import CellError
from tinquire.formula.engine.adapters import ErrorValue, arrays, grid_from, numbers_in
from tinquire.formula.engine.operands import Grid
from tinquire.formula.engine.registry import declare_all
from tinquire.formula.functions.regression import pairs
from tinquire.formula.functions.spread import require_count

# -- places in a sample ----------------------------------------------------------------------------------


def _nth(grid: Grid, place: float, largest: bool) -> float:
    numbers = np.sort(numbers_in(grid))
    rank = math.ceil(place)
    if not 1 <= rank <= len(numbers):
        raise ErrorValue(CellError.NUM)
    return float(numbers[-rank] if largest else numbers[rank - 1])


def _percentile(grid: Grid, share: float, exclusive: bool = False) -> float:
    """The number below which a share of the sample lies, between neighbours in proportion."""
    numbers = np.sort(require_count(numbers_in(grid), 1, CellError.NUM))
    position = share * (len(numbers) + 1) - 1 if exclusive else share * (len(numbers) - 1)
    if not 0 <= share <= 1 or position < -1e-12 or position > len(numbers) - 1 + 1e-12:
        raise ErrorValue(CellError.NUM)
    low = min(max(math.floor(position + 1e-12), 0), len(numbers) - 1)
    high = min(low + 1, len(numbers) - 1)
    return float(numbers[low] + (numbers[high] - numbers[low]) * max(position - low, 0.0))


def _quartile(grid: Grid, quarter: float, exclusive: bool = False) -> float:
    if not 0 <= int(quarter) <= 4:
        raise ErrorValue(CellError.NUM)
    return _percentile(grid, int(quarter) / 4, exclusive)


def _percent_rank(grid: Grid, number: float, digits: float | None, exclusive: bool = False) -> float:
    """Which share of the sample lies below a number, cut (not rounded) to n digits."""
    numbers = np.sort(require_count(numbers_in(grid), 1, CellError.NUM))
    if not numbers[0] <= number <= numbers[-1]:
        raise ErrorValue(CellError.NA)
    below = int(np.searchsorted(numbers, number))
    position = float(below)
    if numbers[below] != number:
        position = below - 1 + (number - numbers[below - 1]) / (numbers[below] - numbers[below - 1])
    share = (position + 1) / (len(numbers) + 1) if exclusive else position / max(len(numbers) - 1, 1)
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


_OF = "{3,5,7,9,11}"


declare_all(
    arrays,
    __name__,
    [
        ("LARGE(array: cells, place: number)", lambda a, k: _nth(a, k, True), "The nth largest number (18.17.7).", f"LARGE({_OF}, 2)", "9"),
        ("SMALL(array: cells, place: number)", lambda a, k: _nth(a, k, False), "The nth smallest number (18.17.7).", f"SMALL({_OF}, 2)", "5"),
        ("PERCENTILE(array: cells, share: number)", _percentile, "The percentile of a sample (18.17.7).", f"PERCENTILE({_OF}, 0.3)", "5.4"),
        ("PERCENTILE.INC(array: cells, share: number)", _percentile, "The percentile of a sample, ends included.", f"PERCENTILE.INC({_OF}, 0.25)", "5"),
        ("PERCENTILE.EXC(array: cells, share: number)", lambda a, s: _percentile(a, s, True), "The percentile of a sample, ends left out.", f"PERCENTILE.EXC({_OF}, 0.25)", "4"),
        ("QUARTILE(array: cells, quarter: number)", _quartile, "The nth quartile of a sample (18.17.7).", f"QUARTILE({_OF}, 1)", "5"),
        ("QUARTILE.INC(array: cells, quarter: number)", _quartile, "The nth quartile, ends included.", f"QUARTILE.INC({_OF}, 3)", "9"),
        ("QUARTILE.EXC(array: cells, quarter: number)", lambda a, q: _quartile(a, q, True), "The nth quartile, ends left out.", f"QUARTILE.EXC({_OF}, 1)", "4"),
        ("PERCENTRANK(array: cells, number: number, digits?: number)", lambda a, n, d=None: _percent_rank(a, n, d), "The share of a sample below a number (18.17.7).", f"PERCENTRANK({_OF}, 8)", "0.625"),
        ("PERCENTRANK.INC(array: cells, number: number, digits?: number)", lambda a, n, d=None: _percent_rank(a, n, d), "The share of a sample below a number, ends included.", f"PERCENTRANK.INC({_OF}, 7)", "0.5"),
        ("PERCENTRANK.EXC(array: cells, number: number, digits?: number)", lambda a, n, d=None: _percent_rank(a, n, d, True), "The share of a sample below a number, ends left out.", f"PERCENTRANK.EXC({_OF}, 3)", "0.166"),
        ("RANK(number: number, array: cells, ascending: number = 0)", _rank, "A number's rank among others, the largest first (18.17.7).", f"RANK(9, {_OF})", "2"),
        ("RANK.EQ(number: number, array: cells, ascending: number = 0)", _rank, "A number's rank among others; equal ones share the first.", f"RANK.EQ(9, {_OF}, 1)", "4"),
        ("RANK.AVG(number: number, array: cells, ascending: number = 0)", lambda n, a, o=0: _rank(n, a, o, True), "A number's rank among others; equal ones share the mean.", "RANK.AVG(5, {5,5,1})", "1.5"),
    ],
)  # fmt: skip


@arrays("FREQUENCY(array: cells, bounds: cells)")
def frequency(array: Grid, bounds: Grid) -> Grid:
    """Counts of numbers up to each bound and above the one before, and last of those above all bounds (18.17.7).

    >>> SUM(FREQUENCY({1,2,3,4,5}, {2,4}) * {1;10;100})
    122
    """
    edges = numbers_in(bounds)
    order = np.argsort(edges, kind="stable")
    positions = np.searchsorted(edges[order], numbers_in(array), side="left")
    counts = np.bincount(positions, minlength=len(edges) + 1).astype(np.float64)
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
