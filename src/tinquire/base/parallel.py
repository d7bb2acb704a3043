"""Pieces of one job worked on by two processors, their results in the order of the pieces."""

from __future__ import annotations

import ctypes
import threading
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from functools import cache
from typing import TypeVar

import numpy as np

__all__ = ["give_back", "map_in_order", "work_here_alone"]

_Item = TypeVar("_Item")
_Result = TypeVar("_Result")

#: Work on large arrays leaves the interpreter free; more workers than two would mostly wait for it.
_WORKERS = 2
#: Results that may wait to be taken: more of them would only fill memory.
_WAITING = 2
#: Bytes of the largest block of memory that most allocators keep to be used again.
_KEPT = 31 << 20
#: GNU's allocator: larger blocks than so many bytes are given back at once, and so many are held; and how it calls the
#: two (mallopt, in its malloc.h).
_APART, _HELD = 256 << 20, 512 << 20
_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3
_HERE = threading.local()


def work_here_alone(unless: Callable[[], bool] | None = None) -> None:
    """Have this thread do all of its work itself, since the other processors have work of their own; `unless` tells
    when they have none."""
    _HERE.is_alone = (lambda: True) if unless is None else (lambda: not unless())


def _alone() -> bool:
    alone: Callable[[], bool] | None = getattr(_HERE, "is_alone", None)
    return alone is not None and alone()


@cache
def _warm_allocator() -> None:
    """Have memory of arrays used again. The common allocators give a large block that is freed back to the system, to
    take it again page by page: a sixth of the time that a folder of files takes. GNU's is told what to keep; others
    keep what is of the size of a block that they have seen freed. It is never touched, and so takes nothing."""
    try:
        tune = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError, TypeError):  # another system's library
        np.empty(_KEPT, np.uint8)
        return
    tune(_MMAP_THRESHOLD, _APART)
    tune(_TRIM_THRESHOLD, _HELD)


def give_back() -> None:
    """Give memory that is free back to the system, where it was held to be used again: between two parts of a job that
    need it for different things."""
    with suppress(OSError, AttributeError, TypeError):
        ctypes.CDLL(None).malloc_trim(0)


def map_in_order(
    work: Callable[[_Item], _Result], items: Iterable[_Item], waiting_most: int = _WAITING
) -> Iterator[_Result]:
    """What `work` gives for each item, in their order; the next ones are worked on while a result is used.

    An exception, of the work or of the items, comes where its result would have; what was begun is given up.
    A single item is worked on in place, since to start a worker takes longer than most small jobs; so is everything
    that comes up within such work, as there are no more processors for it. `waiting_most` results may wait to be
    taken: where they are small, more of them keep the workers from waiting.
    """
    if _alone():
        yield from map(work, items)
        return
    waiting: deque[Future[_Result]] = deque()
    source = iter(items)
    held = [item for _, item in zip(range(2), source, strict=False)]
    if len(held) < 2:
        yield from map(work, held)
        return
    _warm_allocator()
    with ThreadPoolExecutor(_WORKERS, initializer=work_here_alone) as pool:
        try:
            waiting.extend(pool.submit(work, item) for item in held)
            held.clear()
            for item in source:
                waiting.append(pool.submit(work, item))
                if len(waiting) > waiting_most:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            for one in waiting:
                one.cancel()
