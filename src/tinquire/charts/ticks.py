"""Where an axis of values begins, ends and is divided: pure arithmetic."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

__all__ = ["Scale", "axis_format", "linear_scale", "log_scale", "matching_scale"]

#: A narrower range of values is one value: steps of it could not be told apart.
_NARROWEST = 1e-200
#: An axis with a stated step has no more divisions than this.
_MOST_TICKS = 24
_STEPS = (1.0, 2.0, 2.5, 5.0, 10.0)


@dataclass(frozen=True, slots=True)
class Scale:
    """An axis from `low` to `high`, divided at `ticks`."""

    low: float
    high: float
    ticks: tuple[float, ...]
    log: bool = False

    def share(self, value: float) -> float:
        """Where a value lies, from 0 (low) to 1 (high); limits are kept to."""
        low, high = self.low, self.high
        if self.log:
            value, low, high = math.log10(max(value, 1e-300)), math.log10(low), math.log10(high)
        return min(max((value - low) / (high - low), 0.0), 1.0)


def linear_scale(
    values: Sequence[float], low: float | None = None, high: float | None = None, *, zero: bool = True, most: int = 6,
    step: float | None = None,
) -> Scale:  # fmt: skip
    """The scale for values, with round divisions; with `zero`, zero is on it. Limits that are given are kept, and a
    step that is not too small."""
    smallest, largest = min(values, default=0.0), max(values, default=1.0)
    if zero:
        smallest, largest = min(smallest, 0.0), max(largest, 0.0)
    smallest, largest = smallest if low is None else low, largest if high is None else high
    if largest - smallest < _NARROWEST:
        largest = smallest + max(abs(smallest), 1.0)
    least = (largest - smallest) / max(most - 1, 1)
    step = step if step is not None and step * _MOST_TICKS > largest - smallest else round_step(least)
    start = low if low is not None else math.floor(smallest / step + 1e-9) * step
    stop = high if high is not None else math.ceil(largest / step - 1e-9) * step
    first = math.ceil(start / step - 1e-9)
    ticks = [number * step for number in range(first, math.floor(stop / step + 1e-9) + 1)]
    return Scale(start, stop, tuple(0.0 if abs(tick) < step * 1e-9 else tick for tick in ticks))


def round_step(least: float) -> float:
    """The smallest round step that is not below a number: 1, 2, 2.5 or 5 times a power of ten."""
    size = 10.0 ** math.floor(math.log10(least))
    return next(step * size for step in _STEPS if step * size >= least * (1 - 1e-9))


def log_scale(values: Sequence[float], low: float | None = None, high: float | None = None) -> Scale:
    """A logarithmic scale in powers of ten; values are above zero."""
    smallest, largest = low or min(values, default=1.0), high or max(values, default=10.0)
    first = math.floor(math.log10(smallest) + 1e-9) if low is None else math.log10(low)
    last = math.ceil(math.log10(largest) - 1e-9) if high is None else math.log10(high)
    if last <= first:
        last = first + 1
    whole = range(math.ceil(first - 1e-9), math.floor(last + 1e-9) + 1)
    every = max(1, math.ceil(len(whole) / 7))
    return Scale(10.0**first, 10.0**last, tuple(10.0**power for power in whole)[::every], log=True)


def matching_scale(values: Sequence[float], first: Scale, low: float | None, high: float | None) -> Scale:
    """A scale at the right whose divisions lie on those of the first."""
    own = linear_scale(values, low, high, most=len(first.ticks))
    if first.log or low is not None or high is not None or len(first.ticks) < 2:
        return own
    whole = (first.high - first.low) / (first.ticks[1] - first.ticks[0])
    below = -first.low / (first.ticks[1] - first.ticks[0])
    if abs(whole - round(whole)) > 1e-6 or abs(below - round(below)) > 1e-6:
        return own
    above = round(whole) - round(below)
    if above < 0 or round(below) < 0:  # zero is not on the first
        return own
    needs = [max(values, default=1.0) / above if above else 0.0]
    needs += [-min(values, default=0.0) / round(below)] if round(below) else []
    if (not round(below) and min(values, default=0.0) < 0) or (not above and max(values, default=0.0) > 0):
        return own
    step = round_step(max(*needs, 1e-12))
    ticks = tuple(step * number for number in range(-round(below), above + 1))
    return Scale(ticks[0], ticks[-1], ticks)


def axis_format(code: str, ticks: Sequence[float]) -> str:
    """The number format of an axis: that of its values, with no more places than its divisions need."""
    percent = 100.0 if "%" in code else 1.0
    needed = 0
    while needed < 6 and any(
        abs(tick * percent * 10**needed - round(tick * percent * 10**needed)) > 1e-6 for tick in ticks
    ):
        needed += 1
    if code in ("General", "") or not re.search(r"[0#]", code):
        return code

    def places(found: re.Match[str]) -> str:
        return found[0] if len(found[1]) <= needed else "." + "0" * needed if needed else ""

    return re.sub(r"\.([0#?]+)(?=[^\"]*(?:\"[^\"]*\"[^\"]*)*$)", places, code)
