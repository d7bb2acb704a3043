"""A small picture of the first page of each output."""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

from tinquire.base.faults import TinQuireError
from tinquire.base.processes import Workers
from tinquire.pages.document import Part, lay_out
from tinquire.pages.pdf import pdf_of
from tinquire.pages.sheet_layout import Asked
from tinquire.press.outputs.output import Made
from tinquire.workbook import Workbook

__all__ = ["small_pictures"]

#: Points across a picture, twice as many as it is shown with; and its colours.
_ACROSS, _COLOURS = 360, 64
#: Files of more bytes have no picture: to lay out a page of one would take longer than to make it.
_LARGEST = 8 << 20
#: Pictures of one output's files.
_MOST = 100
#: Rows of a sheet that are laid out for its first page.
_ROWS = 80


def small_pictures(outputs: Sequence[Made], moment: datetime, workers: Workers) -> dict[Path, bytes]:
    """PNG pictures by the outputs' paths. A document whose pages are an output, too, has theirs; one that cannot be
    drawn has none, nor has what comes after the first hundred files of one output: nobody would look at them."""
    pages = {one.path for one in outputs if one.path.suffix == ".pdf"}
    many: Counter[str] = Counter()
    begun: list[tuple[Path, Callable[[], bytes | None]]] = []
    for one in outputs:
        if one.path.suffix == ".docx" and one.path.with_suffix(".pdf") in pages:
            continue
        many[one.name] += 1
        if many[one.name] <= _MOST:
            plain = replace(one, sources=(), warnings=(), notes=())
            begun.append((one.path, workers.begin(_picture, (plain, moment))))
    found = {path: picture for path, result in begun if (picture := result()) is not None}
    for one in outputs:
        beside = one.path.with_suffix(".pdf")
        if one.path not in found and beside in found:
            found[one.path] = found[beside]
    return found


def _picture(_: Any, item: tuple[Made, datetime]) -> bytes | None:
    one, moment = item
    if one.size > _LARGEST:
        return None
    data = one.data
    try:
        if one.path.suffix == ".pdf":
            return _drawn(data)
        if one.path.suffix in (".xlsx", ".xlsm"):
            book = Workbook.from_bytes(data, one.path.name)
            first = next(entry.name for entry in book.entries if entry.state == "visible")
            asked = Asked(fit="wide", rows=_ROWS)
            pages = lay_out([Part(book, (first,), asked)], moment, one.path.stem)
            pages.pages[1:] = []
            return _drawn(pdf_of(pages, moment))
        if one.path.suffix == ".docx":
            from tinquire.document import Letter
            from tinquire.pages.letter_pages import lay_out_letter

            return _drawn(pdf_of(lay_out_letter(Letter.from_bytes(data, one.path.name), one.path.stem), moment))
        if one.path.suffix == ".png":
            return _small(data)
    except (TinQuireError, StopIteration):
        return None  # a blank sheet: there is nothing to be seen
    return None


def _drawn(pdf: bytes) -> bytes:
    """The first page of a PDF as a small picture."""
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        page = document[0]
        bitmap = page.render(scale=_ACROSS / max(page.get_width(), page.get_height()), rev_byteorder=True)
        image = bitmap.to_pil()
        stream = io.BytesIO()
        image.convert("RGB").quantize(_COLOURS, method=2).save(stream, "PNG")
        bitmap.close()
        page.close()
        return stream.getvalue()
    finally:
        document.close()


def _small(data: bytes) -> bytes:
    from PIL import Image

    with Image.open(io.BytesIO(data)) as image:
        image.thumbnail((_ACROSS, _ACROSS))
        stream = io.BytesIO()
        image.convert("RGB").quantize(_COLOURS, method=2).save(stream, "PNG")
        return stream.getvalue()
