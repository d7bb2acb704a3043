"""Runs: the proof, beside what its pictures cost alone."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import pypdfium2

from benchmarks.letters import pdfs
from benchmarks.measure import Measure
from tinquire.press.make import Pack
from tinquire.press.outputs.output import Made
from tinquire.press.proof.page import ProofPage, proof_html
from tinquire.press.proof.pictures import small_pictures
from tinquire.press.proof.standing import changes_of, figure_changes, moved_most, standing

__all__ = ["measures"]

NOW = datetime(2026, 11, 3, 9, tzinfo=UTC)
FILES = 40
#: Points across a picture, as the proof draws it.
_ACROSS = 360


def measures(pack: Pack) -> Iterator[Measure]:
    """The lines of the table for runs; `pack` is a run of the demo."""
    files = [Made(name="letters", path=Path(f"{number}.pdf"), content=pdf) for number, pdf in enumerate(pdfs(FILES))]
    yield Measure(
        f"the proof page with {FILES} small pictures", "pdfium renders them at that size", 3,
        partial(_proof, pack, files), partial(_rendered, files),
    )  # fmt: skip


def _proof(pack: Pack, files: list[Made]) -> bytes:
    results = pack.results
    before = standing(results, "")
    summaries = list(changes_of(results, before))
    figures, moved = list(figure_changes(results, before)), moved_most(results, before, summaries)
    pictures = small_pictures(files, NOW)
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
