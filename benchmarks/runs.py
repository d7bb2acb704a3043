"""Runs: whole packs beside their parts one after the other, runs of which nothing changed beside the first, the proof
beside what its pictures cost alone."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import pypdfium2

from benchmarks.letters import pdfs
from benchmarks.measure import Measure
from tinquire.base.processes import Workers, processors
from tinquire.cells.periods import Period
from tinquire.docket import Docket, load_docket, parse_period
from tinquire.press.make import Pack, make
from tinquire.press.outputs.output import Made
from tinquire.press.proof.page import ProofPage, proof_html
from tinquire.press.proof.pictures import small_pictures
from tinquire.press.proof.standing import changes_of, figure_changes, moved_most, standing

__all__ = ["measures"]

NOW = datetime(2026, 11, 3, 9, tzinfo=UTC)
FILES = 40
#: Points across a picture, as the proof draws it.
_ACROSS = 360


def measures(job: Path) -> Iterator[Measure]:
    """The lines of the table for runs, of the demo in a folder."""
    docket, period = load_docket(job / "docket.toml"), parse_period("2026-10")
    pack = make(docket, period)
    count = processors()
    yield Measure(
        f"the demo's pack of {len(pack.outputs) + len(pack.mails)} files on {count} processors",
        "its parts one after the other on one", 1.6 / count,
        partial(_made, docket, period, job, count), partial(_made, docket, period, job, 1),
    )  # fmt: skip
    command = [sys.executable, "-m", "tinquire", "run", str(job / "docket.toml"), "--period", "2026-10"]
    subprocess.run(command, check=True, capture_output=True)
    yield Measure(
        "a run of the demo in which nothing changed", "the run that made it all", 0.1,
        partial(subprocess.run, command, check=True, capture_output=True),
        partial(subprocess.run, [*command, "--fresh"], check=True, capture_output=True),
    )  # fmt: skip
    files = [Made(name="letters", path=Path(f"{number}.pdf"), content=pdf) for number, pdf in enumerate(pdfs(FILES))]
    yield Measure(
        f"the proof page with {FILES} small pictures", "pdfium renders them at that size", 3,
        partial(_proof, pack, files), partial(_rendered, files),
    )  # fmt: skip


def _made(docket: Docket, period: Period, job: Path, count: int) -> Pack:
    return make(docket, period, kept=job / ".kept", processes=count, fresh=True)


def _proof(pack: Pack, files: list[Made]) -> bytes:
    results = pack.results
    before = standing(results, "")
    summaries = list(changes_of(results, before))
    figures, moved = list(figure_changes(results, before)), moved_most(results, before, summaries)
    pictures = small_pictures(files, NOW, Workers(None, 1))
    return proof_html(
        ProofPage(results, "", figures, summaries, moved, (), files, pictures, (), (), Path(), known=True)
    )


def _rendered(files: list[Made]) -> int:
    found = 0
    for one in files:
        document = pypdfium2.PdfDocument(one.data)
        page = document[0]
        bitmap = page.render(scale=_ACROSS / max(page.get_width(), page.get_height()))
        found += bitmap.width
        bitmap.close()
        page.close()
        document.close()
    return found
