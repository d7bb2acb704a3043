"""Tens of thousands of random jobs: `python tests/jobs/many.py 25000 7` runs so many, from a seed on.

The jobs are drawn by chance alone, which is quicker than by Hypothesis, and the folder is best in memory (TMPDIR). Each
kind of failure is told with its smallest docket; the exit code is 1 where there is one.
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import tomlkit

sys.path.insert(0, str(Path(__file__).parent.parent))
from jobs.maker import Draw, made_job
from jobs.test_generated_jobs import hold


class Chance(Draw):
    """Choices by chance."""

    def __init__(self, seed):
        super().__init__(None)
        self.random = random.Random(seed)

    def of(self, choices):
        return self.random.choice(list(choices))

    def number(self, low, high):
        return self.random.randint(low, high)

    def chance(self, percent):
        return self.random.randint(1, 100) > 100 - percent


def main(count, seed):
    failures, smallest, start = Counter(), {}, time.monotonic()
    with tempfile.TemporaryDirectory() as place:
        for number in range(count):
            job = made_job(Chance(f"{seed}-{number}"))
            (Path(place) / "job").mkdir(exist_ok=True)
            try:
                hold(Path(place) / "job", job)
            except Exception as error:
                trace = error.__traceback__
                while trace.tb_next is not None:
                    trace = trace.tb_next
                kind = f"{type(error).__name__} in {trace.tb_frame.f_code.co_name}, line {trace.tb_lineno}"
                failures[kind] += 1
                told = f"job {seed}-{number}: {kind}: {str(error)[:1500]}\n{tomlkit.dumps(job.docket)}"
                smallest[kind] = min(smallest.get(kind, told), told, key=len)
                print(f"job {seed}-{number}: {kind}", flush=True)
            if (number + 1) % 1000 == 0:
                print(f"{number + 1:,} jobs, {time.monotonic() - start:,.0f} s, {dict(failures)}", flush=True)
    print(*smallest.values(), sep="\n\n")
    return int(bool(failures))


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), sys.argv[2]))
