"""One job's independent pieces worked on by several processes, their results in the order of the pieces."""

from __future__ import annotations

import multiprocessing
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

from tinquire.base.faults import AccessError, Fault

__all__ = ["map_in_processes", "processors"]

_Item = TypeVar("_Item")
_Result = TypeVar("_Result")

#: Pieces that are handed out ahead to each process: results that wait fill memory.
_AHEAD = 2
#: What a process remembers of the whole job.
_SHARED: list[Any] = []


def processors() -> int:
    """How many processes may work at a time on this machine."""
    try:
        return len(os.sched_getaffinity(0))
    except AttributeError:  # not every system can tell
        return os.cpu_count() or 1


def map_in_processes(
    work: Callable[[Any, _Item], _Result], shared: Any, items: Iterable[_Item], workers: int
) -> Iterator[_Result]:
    """What `work` gives for `shared` and each item, in their order. `work` is a function of a module, and everything
    can be pickled; `shared` goes to each process once.

    With one worker it is done here. Exceptions of the work come where its result would have. Raises AccessError when a
    process ends by itself, as one does that the system stops for want of memory.
    """
    if workers < 2:
        for item in items:
            yield work(shared, item)
        return
    context = multiprocessing.get_context("spawn")
    waiting: deque[Future[_Result]] = deque()
    with ProcessPoolExecutor(workers, context, initializer=_begin, initargs=(shared,)) as pool:
        try:
            for item in items:
                waiting.append(pool.submit(_run, work, item))
                if len(waiting) > workers * _AHEAD:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        except BrokenProcessPool:
            why = "one of its processes ended by itself, perhaps for want of memory"
            raise AccessError(
                Fault("working on several processors", why, do="run it again on one: --processes 1")
            ) from None
        finally:
            for one in waiting:
                one.cancel()


def _begin(shared: Any) -> None:
    _SHARED[:] = [shared]


def _run(work: Callable[[Any, _Item], _Result], item: _Item) -> _Result:
    return work(_SHARED[0], item)
