"""Text that is split over runs of its own letters: its marks are found whatever way it is split, and what takes the
place of one stands in the run in which it begins."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from itertools import accumulate

from lxml import etree

__all__ = ["fill_runs"]

_SPACE = "{http://www.w3.org/XML/1998/namespace}space"


def fill_runs(
    runs: Sequence[etree._Element], opened: str, closed: str, filled: Callable[[str], str], *, keep_spaces: bool = False
) -> bool:
    """Let what stands between two signs, with them, become what `filled` makes of it, in elements whose texts follow
    each other. Returns whether any has changed. With `keep_spaces` a run that got a text says that its spaces count,
    whatever the text is; else where it begins or ends with one."""
    texts = [run.text or "" for run in runs]
    starts = [0, *accumulate(map(len, texts))]
    whole = "".join(texts)
    fresh = [""] * len(runs)
    marked: set[int] = set()
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
            marked.add(run_at(start))
            fresh[run_at(start)] += filled(whole[start : end + len(closed)])
            position = end + len(closed)
    changed = False
    for number, (run, text) in enumerate(zip(runs, fresh, strict=True)):
        if run.text != text and (run.text or text):
            changed = True
            run.text = text or None  # an empty element is written in one way, also after it was read again
            if text != text.strip() or (keep_spaces and number in marked):
                run.set(_SPACE, "preserve")
    return changed
