"""The proof made from all that a run made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import partial
from typing import Any

from tinquire.base.file_names import safe_file_name
from tinquire.base.processes import Workers
from tinquire.press.outputs.mails import MadeMail
from tinquire.press.outputs.output import Made, Making
from tinquire.press.proof.page import Mail, ProofPage, proof_html
from tinquire.press.proof.pictures import small_pictures
from tinquire.press.proof.standing import changed_lines, changes_of, figure_changes, moved_most

__all__ = ["PROOF", "PROOF_PAGES", "make_proof"]

#: The names of the proof among a run's files: the page, and the same on paper.
PROOF, PROOF_PAGES = "proof", "proof_pdf"


def make_proof(
    making: Making, files: Mapping[str, Sequence[Made]], docket_text: str, before: Mapping[str, Any] | None,
    left_out: Mapping[str, int], workers: Workers,
) -> tuple[Made, ...]:  # fmt: skip
    """The proof of a run, as a page and, if asked for, on paper; `before` is how the period before stood, as the
    daybook kept it, and `left_out` how many pieces of which outputs were not made. `workers` draw the pictures."""
    results = making.results
    model = results.docket.model.proof
    name = safe_file_name(results.slots().filled(model.name, "naming the proof", results.docket.where("proof", "name")))
    every = [made for of_kind in files.values() for made in of_kind]
    outputs = [made for made in every if not isinstance(made, MadeMail)]
    summaries = list(changes_of(results, before))
    page = ProofPage(
        results=results,
        made_at=f"{making.moment:%Y-%m-%d %H:%M}",
        figures=list(figure_changes(results, before)),
        summaries=summaries,
        moved=moved_most(results, before, summaries),
        warnings=[*results.warnings, *(warning for made in every for warning in made.warnings)],
        outputs=outputs,
        pictures=small_pictures(outputs, making.moment, workers) if model.pictures else {},
        mails=[
            Mail(mail.name, mail.to, mail.subject, mail.attachments) for mail in every if isinstance(mail, MadeMail)
        ],
        docket=None if before is None else changed_lines(before["docket"], docket_text),
        folder=making.out,
        known=before is not None,
        left_out=left_out,
    )
    content, path = proof_html(page), making.out / name
    made = [Made(name=PROOF, path=path, content=content, summary="to be looked at before sending")]
    if model.pdf:
        title = f"Proof: {results.docket.model.title}, {results.period.long}"
        pages = partial(_pages, content, title, making.moment)
        made.append(Made(name=PROOF_PAGES, path=path.with_suffix(".pdf"), content=pages, summary="the same on paper"))
    return tuple(made)


def _pages(page: bytes, title: str, moment: datetime) -> tuple[bytes]:
    from tinquire.press.proof.document import proof_pdf

    return (proof_pdf(page, title, moment),)
