"""Text that is split over runs of its own letters: its marks are found whatever way it is split, and what takes the
place of one stands in the run in which it begins."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from itertools import accumulate

from lxml import etree

__all__ = ["fill_runs"]

_SPACE = "{http://www.w3.org/XML/1998/namespace}space"


def fill_runs(runs: Sequence[etree._Element], opened: str, closed: str, filled: Callable[[str], str]) -> bool:
    """Let what stands between two signs, with them, become what `filled` makes of it, in elements whose texts follow
    each other. Returns whether any has changed."""
    texts = [run.text or "" for run in runs]
    starts = [0, *accumulate(map(len, texts))]
    whole = "".join(texts)
    fresh = [""] * len(runs)
    filled_runs = [n for n, text in enumerate(texts) if text] or [0]
    begins = [starts[n] for n in filled_runs]

    def run_at(position: int) -> int:
        return filled_runs[max(bisect_right(begins, position) - 1, 0)]

    position = 0
    while position < len(whole):
        start = whole.find(opened, position)
        end = whole.find(closed, start) if start >= 0 else -1
        stop = start if end >= 0 else len(whole)
        while position < stop:  # what stands before the mark stays in its runs
            number = run_at(position)
            last = min(stop, starts[number] + len(texts[number]))
            fresh[number] += whole[position:last]
            position = last
        if end >= 0:
            fresh[run_at(start)] += filled(whole[start : end + len(closed)])
            position = end + len(closed)
    changed = False
    for run, text in zip(runs, fresh, strict=True):
        if run.text != text and (run.text or text):
            changed = True
            run.text = text
            if text != text.strip():
                run.set(_SPACE, "preserve")
    return changed
