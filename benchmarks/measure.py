"""One line of the table: work, the limit measured beside it, and the ratio of the two."""

from __future__ import annotations

import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

__all__ = ["Measure", "command", "memory", "python"]

RUNS = 5


@dataclass(frozen=True)
class Measure:
    """Work, the limit beside it, how many times the limit it may take (None: not promised), and both to run.

    `clock` is wall time, or processor time where many files are opened.
    """

    work: str
    limit: str
    at_most: float | None
    run: Callable[[], object]
    beside: Callable[[], object]
    clock: Callable[[], float] = time.perf_counter
    #: What a thousandth of what the clock counts is called.
    unit: str = "ms"

    def ratio(self) -> tuple[float, float]:
        """Median of the ratios of runs in turn, and the work's median seconds."""
        self.run()
        self.beside()
        ratios, seconds = [], []
        for _ in range(RUNS):
            limit, work = self._timed(self.beside), self._timed(self.run)
            ratios.append(work / limit)
            seconds.append(work)
        return statistics.median(ratios), statistics.median(seconds)

    def _timed(self, work: Callable[[], object]) -> float:
        start = self.clock()
        work()
        return self.clock() - start


def python(*words: str) -> Callable[[], object]:
    """A Python process."""
    return lambda: subprocess.run([sys.executable, *words], check=True, capture_output=True)


def command(*words: str) -> Callable[[], object]:
    """A command of ours, as a process."""
    tool = Path(sys.executable).parent / "tinquire"
    return lambda: subprocess.run([tool, *words], check=True, capture_output=True)


def memory(work: str, limit: str, at_most: float, script: str, many: int, few: int) -> Measure:
    """The most memory that a script takes for many and for few: told as if megabytes were seconds."""

    def peak(count: int) -> Callable[[], object]:
        def run() -> object:
            words = [sys.executable, "-c", script + _TELL_PEAK, str(count)]
            done = subprocess.run(words, check=True, capture_output=True, text=True)
            _PEAK.append(float(done.stdout))
            return None

        return run

    return Measure(work, limit, at_most, peak(many), peak(few), _memory_clock, "MB")


#: What the system counts for a process since it began; other counts go back to the process that it came from.
_TELL_PEAK = """
print(next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""
_PEAK: list[float] = []
_TOLD = [0.0]


def _memory_clock() -> float:
    """A clock that counts what processes took of memory at most."""
    while _PEAK:
        _TOLD[0] += _PEAK.pop(0) / 1024 / 1000  # of kilobytes, a thousandth of a megabyte
    return _TOLD[0]
