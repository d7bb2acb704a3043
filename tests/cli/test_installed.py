"""The command that was installed, run as a process of its own: exit codes, both streams, and files."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

COMMAND = Path(sys.executable).parent / "tinquire"
PACK = "out/2026-10/Linen pack 2026-10.xlsx"
#: In one folder, one after the other: words, exit code, what stands on standard output, and on the error stream.
STEPS = [
    ("--version", 0, "tinquire ", ""),
    ("check --period 2026-10", 0, "no errors", ""),
    ("run --period 2026-10 --now 2026-11-03T17:45", 0, PACK, ""),
    ("run --period 2026-13", 2, "", "2026-13"),
    ("history", 0, "2026-10", ""),
    (f"show|{PACK}", 0, "By depot and band", ""),
    (f"trace|{PACK}|Pivot!B4", 2, "", "it has no sheet 'Pivot'"),
    (f"trace|{PACK}|By depot and band!B4", 0, "Charged", ""),
    (f"values|{PACK}|--out|copy.xlsx", 0, "copy.xlsx", ""),
    ("recalc copy.xlsx --check", 0, "", ""),
    (f"compare|{PACK}|copy.xlsx", 0, "formulas", ""),
    ("audit copy.xlsx", 0, "", ""),
    ("send --period 2026-10 --list", 0, "northgate", ""),
    ("shwo x.xlsx", 2, "", "show"),
    ("show missing.xlsx", 3, "", "missing.xlsx"),
]


def run(folder, *words, **more):
    environment = {**os.environ, "COLUMNS": "120", "PYTHONUTF8": "1"}
    return subprocess.run(
        [str(COMMAND), *words],
        cwd=folder,
        env=environment,
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
        **more,
    )


def test_a_day_with_the_command(job):
    told = []
    for step, _, out, err in STEPS:
        done = run(job, *(step.split("|") if "|" in step else step.split()))
        told.append((step, done.returncode, out in done.stdout, err in done.stderr, "Traceback" in done.stderr))
        assert "\x1b" not in done.stdout + done.stderr, step
    assert told == [(step, code, True, True, False) for step, code, _, _ in STEPS]


def test_json_is_all_that_stands_on_standard_output(job):
    done = run(job, "run", "--period", "2026-10", "--json")
    assert json.loads(done.stdout)["period"] == "2026-10"


@pytest.mark.parametrize("words", [["show", PACK], ["--help"], ["check", "--period", "2026-10"]])
def test_a_reader_that_goes_away_is_no_fault(job, words):
    if PACK in words:
        run(job, "run", "--period", "2026-10")
    with subprocess.Popen([str(COMMAND), *words], cwd=job, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
        process.stdout.close()
        assert b"Traceback" not in process.stderr.read()
