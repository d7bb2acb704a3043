"""Many variants of a workbook made into files: on all processors, each one kept, so that what was made once is not made
again."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Protocol

from tinquire import __version__
from tinquire.base.faults import TinQuireError
from tinquire.base.processes import map_in_processes, processors
from tinquire.cells.dates import serial_from_date
from tinquire.pages.document import Part, lay_out
from tinquire.pages.html import html_page
from tinquire.pages.pdf import pdf_of
from tinquire.pages.png import page_pictures
from tinquire.pages.primitives import Pages
from tinquire.pages.variants import PrintPlan, Variant, variant_book, variant_pages
from tinquire.workbook import Workbook

__all__ = ["Finished", "VariantDigests", "VariantJob", "made_variant", "made_variants", "plain_pages"]

#: Fewer variants than these are made sooner by one process than by several that have to be started first.
_FEW = 6
#: What a workbook may hang on beside its cells: the day and the time.
_TIMED = re.compile(rb"\b(?:NOW|TODAY)\s*\(|&amp;[DT]|timePeriod")


class Keeps(Protocol):
    """Remembers finished variants by the digest of what they were made from."""

    def find(self, digest: str) -> tuple[bytes, ...] | None: ...

    def put(self, digest: str, contents: Sequence[bytes]) -> None: ...


@dataclass(frozen=True)
class VariantJob:
    """What all variants share: the workbook's bytes and name, what is printed of it, and in which form ('pdf', 'png',
    'html')."""

    data: bytes
    name: str
    plan: PrintPlan
    moment: datetime
    form: str
    resolution: float = 150.0
    #: Of HTML, the form that mail programs show.
    for_mail: bool = False


@dataclass(frozen=True)
class Finished:
    """What came of one variant: its files' contents (of pictures one a page), notes, or what stopped it."""

    contents: tuple[bytes, ...] = ()
    notes: tuple[str, ...] = ()
    error: TinQuireError | None = None
    #: Whether it was made by an earlier run.
    again: bool = False
    digest: str = ""


def made_variants(
    job: VariantJob, variants: Sequence[Variant], titles: Sequence[str], kept: Keeps | None = None,
    progress: Callable[[int, int], None] = lambda done, count: None, workers: int | None = None,
) -> Iterator[Finished]:  # fmt: skip
    """Each variant finished, in their order: from those kept, or made. One that fails stops no other."""
    of_job = VariantDigests(job)
    digests = [of_job.of(variant, title) for variant, title in zip(variants, titles, strict=True)]
    found = [None if kept is None else kept.find(digest) for digest in digests]
    wanted = [place for place, one in enumerate(found) if one is None]
    several = processors() if workers is None else workers
    made = map_in_processes(
        _made, job, [(variants[place], titles[place]) for place in wanted], several if len(wanted) >= _FEW else 1
    )
    for place, one in enumerate(found):
        finished = next(made) if one is None else Finished(one, again=True)
        finished = replace(finished, digest=digests[place])
        if one is None and finished.error is None and kept is not None:
            kept.put(digests[place], finished.contents)
        progress(place + 1, len(variants))
        yield finished


def _made(job: VariantJob, item: tuple[Variant, str]) -> Finished:
    return made_variant(job, *item)


def made_variant(job: VariantJob, variant: Variant, title: str) -> Finished:
    """One variant finished, or what stopped it."""
    notes: list[str] = []
    try:
        if job.form == "html":
            book = variant_book(job.data, job.name, variant, job.plan, job.moment)
            return Finished((_html(job, book, title, notes),), tuple(notes))
        plan = replace(job.plan, about=replace(job.plan.about, title=title))
        pages = variant_pages(job.data, job.name, variant, plan, job.moment, notes.append)
        return Finished(written_pages(pages, job.form, job.moment, job.resolution), tuple(notes))
    except TinQuireError as error:
        return Finished(error=error, notes=tuple(notes))


def written_pages(pages: Pages, form: str, moment: datetime, resolution: float) -> tuple[bytes, ...]:
    """Pages in a form: one PDF, or a picture each."""
    pdf = pdf_of(pages, moment)
    return (pdf,) if form == "pdf" else tuple(page_pictures(pdf, resolution))


def plain_pages(
    job: VariantJob, others: Sequence[tuple[str, bytes]], title: str, notes: list[str]
) -> tuple[bytes, ...]:
    """The files of a workbook as it is, and of others after it in the same document, by name and bytes."""
    book = Workbook.from_bytes(job.data, job.name)
    if job.form == "html":
        return (_html(job, book, title, notes),)
    more = [(name, Workbook.from_bytes(data, name)) for name, data in others]
    parts = [
        Part(one, job.plan.sheets, job.plan.asked, name.rpartition(".")[0]) for name, one in ((job.name, book), *more)
    ]
    pages = lay_out(parts, job.moment, replace(job.plan.about, title=title), notes.append)
    return written_pages(pages, job.form, job.moment, job.resolution)


def _html(job: VariantJob, book: Workbook, title: str, notes: list[str]) -> bytes:
    now = serial_from_date(job.moment.replace(tzinfo=None), book.date_system)
    return html_page(
        book, title, job.plan.sheets, job.plan.asked.rows, now, notes.append, for_mail=job.for_mail
    ).encode()


class VariantDigests:
    """What variants' files hang on, as one word each. The moment counts where the workbook asks for it."""

    def __init__(self, job: VariantJob) -> None:
        moment = job.moment.isoformat() if _timed(job.data) else ""
        self._shared = hashlib.sha256(job.data)
        for piece in (__version__, job.name, repr(job.plan), job.form, repr((job.resolution, job.for_mail)), moment):
            self._shared.update(piece.encode() + b"\0")

    def of(self, variant: Variant, title: str) -> str:
        whole = self._shared.copy()
        cells = [(setting.cell, type(value).__name__, repr(value)) for setting, value in variant.values]
        whole.update(f"{title}\0{cells!r}".encode())
        return whole.hexdigest()


def _timed(data: bytes) -> bool:
    """Whether a workbook asks for the day or the time anywhere."""
    package = Workbook.from_bytes(data, "").package
    return any(_TIMED.search(package.read(part)) for part in package.names() if part.endswith(".xml"))
