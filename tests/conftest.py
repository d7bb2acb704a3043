"""Shared fixtures: the demo's job folder, and the command line run in this process."""

from __future__ import annotations

import os
import re
import shutil
from dataclasses import dataclass
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from tinquire.cli.commands.demo import lay_out
from tinquire.cli.main import main

PERIOD = "2026-10"

# Shared machines are slow now and then: no example is timed. Where a run decides about a change, the examples are the
# same every time; at a desk they vary, so that new ones are tried.
settings.register_profile(
    "steady", deadline=None, derandomize="CI" in os.environ, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("steady")


@dataclass
class Outcome:
    code: int
    out: str
    err: str


@pytest.fixture(scope="session")
def shipped_job(tmp_path_factory) -> Path:
    """The demo's job without its letters, which take longer than all else of it; tests that change it take `job`."""
    folder = tmp_path_factory.mktemp("shipped") / "larkfold"
    lay_out(folder)
    docket = folder / "docket.toml"
    text, left_out = re.subn(
        r"^\[(?:letters\.\w+|mails\.customers)\].*?(?=^\[)", "", docket.read_text("utf-8"), flags=re.M | re.S
    )
    assert left_out == 3
    docket.write_text(text, "utf-8")
    return folder


@pytest.fixture
def job(shipped_job, tmp_path) -> Path:
    """A job folder of the test's own."""
    folder = tmp_path / "larkfold"
    shutil.copytree(shipped_job, folder)
    return folder


@pytest.fixture
def tinquire(capsys):
    """Run a command: `tinquire("check", path, "-p", "2026-10")`."""

    def run(*words) -> Outcome:
        try:
            code = main([str(word) for word in words])
        except SystemExit as stop:
            code = int(stop.code or 0)
        said = capsys.readouterr()
        return Outcome(code, said.out, said.err)

    return run


@pytest.fixture
def edit_docket(job):
    """Change the docket's text: pairs of what stands there and what shall."""

    def edit(*changes: tuple[str, str]) -> Path:
        path = job / "docket.toml"
        text = path.read_text("utf-8")
        for old, new in changes:
            assert old in text, f"the demo's docket has no {old!r}"
            text = text.replace(old, new)
        path.write_text(text, "utf-8")
        return path

    return edit
