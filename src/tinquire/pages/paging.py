"""Which lines of a sheet come on which page: plain arithmetic over sizes in points."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Collection
from dataclasses import dataclass
from itertools import accumulate

__all__ = ["Cut", "Repeated", "Span", "cut_lines", "fitting_scale"]

#: Two sizes are the same when they differ by less: sums of fractions of a point.
_NOTHING = 0.01
#: Scales in per cent (18.3.1.63).
_LEAST, _MOST = 10, 100


@dataclass(frozen=True, slots=True)
class Span:
    """Lines from first to last that stand on a page, after the repeated ones if there are any."""

    first: int
    last: int
    repeats: bool = False


@dataclass(frozen=True, slots=True)
class Repeated:
    """Lines that stand again on every page after their own, and how much room they take."""

    first: int
    last: int
    size: float


@dataclass(frozen=True, slots=True)
class Cut:
    """Lines to be cut into pages: `sizes` of those from `first` on; pages end after the lines in `breaks`, and if they
    can elsewhere than after those in `kept`, which would part what belongs together."""

    first: int
    sizes: list[float]
    breaks: Collection[int] = ()
    kept: Collection[int] = ()
    repeated: Repeated | None = None


def cut_lines(lines: Cut, room: float) -> list[Span]:
    """Pages of at most so much room. Every line is on exactly one; a line that is larger than a page has one alone.
    Pages of which nothing would be seen are left out, save that there is always one."""
    ends = list(accumulate(lines.sizes))
    last = len(ends) - 1
    stops = sorted(number - lines.first for number in lines.breaks if lines.first <= number < lines.first + last)
    spans: list[Span] = []
    start, passed = 0, 0
    while start <= last:
        before = ends[start - 1] if start else 0.0
        repeated = lines.repeated
        repeats = repeated is not None and lines.first + start > repeated.last
        free = room - (repeated.size if repeats and repeated is not None else 0.0)
        if free <= 0:
            repeats, free = False, room
        stop = bisect_right(ends, before + free + _NOTHING) - 1
        stop = min(max(stop, start), last)
        while passed < len(stops) and stops[passed] < start:
            passed += 1
        if passed < len(stops) and stops[passed] <= stop:
            stop = stops[passed]
        elif stop < last:
            stop = _unparted(lines, start, stop)
        if ends[stop] - before > _NOTHING:
            spans.append(Span(lines.first + start, lines.first + stop, repeats))
        start = stop + 1
    return spans or [Span(lines.first, lines.first + last)]


def _unparted(lines: Cut, start: int, stop: int) -> int:
    """The last line up to one after which a page may end without parting what belongs together; if there is none, that
    one."""
    kept = lines.kept
    if not kept:
        return stop
    place = stop
    while place >= start and lines.first + place in kept:
        place -= 1
    return place if place >= start else stop


def fitting_scale(pages: Callable[[float], tuple[int, int]], across: int, down: int) -> int:
    """The largest scale in per cent, at most 100, at which a sheet takes no more pages across and down than wanted (0
    for any). `pages` tells how many it takes at a scale; at 10 per cent there is no smaller one."""

    def fits(percent: int) -> bool:
        wide, high = pages(percent / 100)
        return (not across or wide <= across) and (not down or high <= down)

    low, high = _LEAST, _MOST
    if fits(high):
        return high
    while low < high - 1:
        middle = (low + high) // 2
        if fits(middle):
            low = middle
        else:
            high = middle
    return low
