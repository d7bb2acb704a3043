"""Damaged files by the hundred thousand: `python tests/fuzz/many.py 100000 7` makes so many, from a seed on.

Each kind of finding is told with its command; the damaged files go to the folder named third, one of each kind. The
exit code is 1 when there is a finding.
"""

from __future__ import annotations

import os
import pickle
import random
import subprocess
import sys
import tempfile
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent))
from fuzz.hold import SECONDS, attempt, limit

#: Files that one process damages before it gives way to a fresh one.
PIECE = 500


def piece(seed: str, first: int, count: int, told: Path) -> None:
    """Damage so many files, and write what was found to a file after each."""
    limit()
    with tempfile.TemporaryDirectory() as folder, told.open("wb") as out:
        for number in range(first, first + count):
            place = Path(folder) / str(number)
            place.mkdir()
            for kind, detail, data in attempt(random.Random(f"{seed} {number}"), place):
                pickle.dump((kind, f"file {number}: {detail}", data), out)
            out.flush()


def found_in(seed: str, first: int, count: int) -> list[tuple[str, str, bytes]]:
    """What a process of its own finds; one that dies or hangs is a finding, too."""
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "told"
        words = [sys.executable, __file__, "piece", seed, str(first), str(count), str(told)]
        try:
            done = subprocess.run(words, capture_output=True, text=True, timeout=count * SECONDS // 10, check=False)
            end = "" if done.returncode == 0 else done.stderr[-2000:] or f"it ended with {done.returncode}"
        except subprocess.TimeoutExpired:
            end = "it hangs"
        found = []
        with told.open("rb") as lines:
            while lines.peek(1):
                found.append(pickle.load(lines))
    return found + ([("a process died", f"among the files from {first} on: {end}", b"")] if end else [])


def main(count: int, seed: str, kept: Path | None = None) -> int:
    tally: Counter[str] = Counter()
    began = time.monotonic()
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        jobs = [pool.submit(found_in, seed, first, min(PIECE, count - first)) for first in range(0, count, PIECE)]
        for number, job in enumerate(as_completed(jobs), start=1):
            for kind, detail, data in job.result():
                tally[kind] += 1
                if tally[kind] == 1:
                    print(f"\n{kind}\n  {detail}", flush=True)
                    if kept is not None:
                        kept.mkdir(parents=True, exist_ok=True)
                        (kept / f"{len(tally)}.bin").write_bytes(data)
            if number % 20 == 0:
                print(f"{number * PIECE:,} files, {time.monotonic() - began:,.0f} s", flush=True)
    print(f"\n{count:,} damaged files: {sum(tally.values()):,} findings of {len(tally)} kinds")
    for kind, times in tally.most_common():
        print(f"{times:7,}  {kind}")
    return int(bool(tally))


if __name__ == "__main__":
    if sys.argv[1] == "piece":
        piece(sys.argv[2], int(sys.argv[3]), int(sys.argv[4]), Path(sys.argv[5]))
    else:
        sys.exit(main(int(sys.argv[1]), sys.argv[2], Path(sys.argv[3]) if len(sys.argv) > 3 else None))
