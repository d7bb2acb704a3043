"""One job's independent pieces worked on by several processes."""

from __future__ import annotations

import multiprocessing
import os
import signal
import sys
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing.sharedctypes import Synchronized
from typing import Any, TypeVar

from tinquire.base.faults import AccessError, Fault
from tinquire.base.parallel import work_here_alone

__all__ = ["Workers", "map_in_processes", "processors"]

_Item = TypeVar("_Item")
_Result = TypeVar("_Result")

#: Pieces that are handed out ahead to each process: results that wait fill memory.
_AHEAD = 2
#: Seconds after which a process looks whether the one that began it is still there.
_LOOK = 0.5
#: What a process remembers of the whole job.
_SHARED: list[Any] = []


def processors() -> int:
    """How many processes may work at a time on this machine."""
    try:
        return len(os.sched_getaffinity(0))
    except AttributeError:  # not every system can tell
        return os.cpu_count() or 1


class Workers:
    """Processes that work on pieces, begun with the first of them; `shared` goes to each process once.

    Where the system can, they begin as copies of this process, which takes no time and little memory; elsewhere
    `shared`, the work (a function of a module), the pieces and the results are pickled.
    """

    def __init__(self, shared: Any, count: int) -> None:
        """With one worker, or none, everything is done here."""
        self._shared, self._count = shared, count
        self._pool: ProcessPoolExecutor | None = None
        self._given: list[Future[Any]] = []

    def __enter__(self) -> Workers:
        return self

    def __exit__(self, *_: object) -> None:
        for one in self._given:
            one.cancel()
        if self._pool is not None:
            self._pool.shutdown()

    def begin(self, work: Callable[[Any, _Item], _Result], item: _Item) -> Callable[[], _Result]:
        """Have a piece worked on; what is returned gives its result, and raises what the work raises. Done here, the
        work begins when its result is asked for."""
        if self._count < 2:
            return lambda: work(self._shared, item)
        if self._pool is None:
            # Copies of a process are safe where the system's own libraries allow for them.
            method = "fork" if sys.platform == "linux" else "spawn"
            context = multiprocessing.get_context(method)
            begin = (self._shared, context.Value("i", 0), self._count)
            self._pool = ProcessPoolExecutor(self._count, context, initializer=_begin, initargs=begin)
        future = self._pool.submit(_run, work, item)
        self._given.append(future)
        return lambda: _result(future)


def map_in_processes(
    work: Callable[[Any, _Item], _Result], shared: Any, items: Iterable[_Item], workers: int
) -> Iterator[_Result]:
    """What `work` gives for `shared` and each item, in their order.

    With one worker it is done here. Exceptions of the work come where its result would have. Raises AccessError when a
    process ends by itself, as one does that the system stops for want of memory.
    """
    waiting: deque[Callable[[], _Result]] = deque()
    with Workers(shared, workers) as crew:
        for item in items:
            waiting.append(crew.begin(work, item))
            if len(waiting) > (workers * _AHEAD if workers > 1 else 0):
                yield waiting.popleft()()
        while waiting:
            yield waiting.popleft()()


def _begin(shared: Any, at_work: Synchronized[int], count: int) -> None:
    _SHARED[:] = [shared, at_work]
    # The last large piece is worked on with the processors of those that have finished theirs.
    work_here_alone(unless=lambda: at_work.value < count)
    # Who breaks it off from the keyboard means the process that began this one, which ends it.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    if hasattr(os, "fork"):
        threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()


def _end_with(parent: int) -> None:
    """End this process once the one that began it is gone: it would wait for work for ever, and hold what that held."""
    while os.getppid() == parent:
        time.sleep(_LOOK)
    os._exit(1)


def _run(work: Callable[[Any, _Item], _Result], item: _Item) -> _Result:
    shared, at_work = _SHARED
    with at_work.get_lock():
        at_work.value += 1
    try:
        return work(shared, item)
    finally:
        with at_work.get_lock():
            at_work.value -= 1


def _result(future: Future[_Result]) -> _Result:
    try:
        return future.result()
    except BrokenProcessPool:
        why = "one of its processes ended by itself, perhaps for want of memory"
        do = "run it again on one: --processes 1"
        raise AccessError(Fault("working on several processors", why, do=do)) from None
