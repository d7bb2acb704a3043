"""The fonts of a PDF: which letters it needs of them, and texts as codes of these (ISO 32000-1, 9.6 to 9.10)."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any

from tinquire.charts.shapes import Path
from tinquire.pages.outlines import with_quadratic_outlines
from tinquire.pages.primitives import Chart, Page, Text, all_items, words_text
from tinquire.pages.typefaces import Face, Typeface

__all__ = ["DocumentFonts", "Prepared", "escaped", "escaped_text", "measured_runs"]

#: Of each run of a text the share of its width, how wide its letters are by nature, and fonts with escaped codes.
Prepared = tuple[tuple[float, float, tuple[tuple[str, str], ...]], ...]
_PLAIN = re.compile(r"[ !#-'*-\[\]-~]*\Z")


class DocumentFonts:
    """The fonts of one document."""

    def __init__(self, doc: Any, pages: Sequence[Page]) -> None:
        self._doc, self._letters = doc, _cubic_letters(pages)
        self._made: dict[Face, Any] = {}
        self._plain_names: dict[int, str] = {}

    def prepared(self, typeface: Typeface, text: str) -> Prepared:
        """A text's runs: the share of its width that each takes, how wide its letters are by nature in parts of the
        size, and its pieces: a font's name in the file and escaped codes."""
        whole = typeface.width(text)
        if whole and typeface.is_natural and typeface.is_plain(text):  # most texts, of which there may be many
            return ((1.0, whole, ((self._plain_name(typeface.face), escaped_text(text)),)),)
        return tuple(
            [(share, natural, self._pieces(face, own)) for face, own, share, natural in measured_runs(typeface, text)]
        )

    def _pieces(self, face: Face, text: str) -> tuple[tuple[str, str], ...]:
        """A text of one face: names of the parts of its font, with escaped codes."""
        if text.isascii() and text.isprintable():
            return ((self._plain_name(face), escaped_text(text)),)
        font = self._font_of(face)
        return tuple(
            (font.getSubsetInternalName(subset, self._doc), escaped(codes))
            for subset, codes in font.splitString(text, self._doc)
        )

    def _font_of(self, face: Face) -> Any:
        """A face as ReportLab embeds it; of one with cubic outlines a font with the letters that the document needs."""
        if not face.cubic:
            return _embedded(face)
        if face not in self._made:
            from tinquire.pages.embedded_font import EmbeddedFont

            content = with_quadratic_outlines(face.path, self._letters.get(face, ()))
            self._made[face] = EmbeddedFont(f"{face.name}:{face.path}", io.BytesIO(content))
        return self._made[face]

    def codes(self, face: Face) -> dict[int, int]:
        """The codes that the document's letters of a face have so far, those of each 256 in a part of its own."""
        font = self._font_of(face)
        state = font.state.get(self._doc)
        return {} if state is None else dict(state.assignments)

    def _plain_name(self, face: Face) -> str:
        """The name in the file of the part of a font that has the letters of ASCII."""
        name = self._plain_names.get(id(face))
        if name is None:
            font = self._font_of(face)
            font._assignState(self._doc)
            name = self._plain_names[id(face)] = str(font.getSubsetInternalName(0, self._doc))
        return name


def measured_runs(typeface: Typeface, text: str) -> list[tuple[Face, str, float, float]]:
    """A text's runs: their faces and texts as drawn, the share of the text's width that each takes, and how wide its
    letters are by nature, in parts of the size."""
    whole = typeface.width(text)
    if whole and typeface.is_plain(text):  # one run of a face, and as wide as it
        if typeface.is_natural:
            return [(typeface.face, text, 1.0, whole)]
        natural = sum(map(typeface.face.advances.__getitem__, map(ord, text)))
        return [(typeface.face, text, 1.0, natural or 0.5 * len(text))]
    found = []
    for run in typeface.runs(text) if whole else ():
        natural = run.width
        if not typeface.is_natural or run.face is not typeface.face:
            advances = run.face.advances
            natural = sum(advances.get(code, 0.0) for code in map(ord, run.text)) or 0.5 * len(run.text)
        found.append((run.face, run.text, run.width / whole, natural))
    return found


@cache
def _embedded(face: Face) -> Any:
    """A face as ReportLab embeds it; each document takes the letters that it needs."""
    from tinquire.pages.embedded_font import EmbeddedFont

    return EmbeddedFont(f"{face.name}:{face.path}", str(face.path))


def _cubic_letters(pages: Sequence[Page]) -> dict[Face, set[int]]:
    """The letters that pages need of faces with cubic outlines."""
    found: dict[Face, set[int]] = {}
    for text in _every_text(pages):
        if text.face.face.cubic or not text.text.isascii():
            for run in text.face.runs(text.text):
                if run.face.cubic:
                    found.setdefault(run.face, set()).update(map(ord, run.text))
    return found


def _every_text(pages: Sequence[Page]) -> Iterator[Text]:
    for item in (item for page in pages for item in all_items(page.items)):
        if isinstance(item, Text):
            yield item
        elif isinstance(item, Chart):
            yield from (words_text(shape, item.faces) for shape in item.drawing.shapes if not isinstance(shape, Path))


def escaped_text(text: str) -> str:
    return text if _PLAIN.match(text) else text.replace("\\", "\\\\").replace("(", "\\(").replace(")", "\\)")


def escaped(codes: bytes) -> str:
    """Codes of letters as a string of a PDF (7.3.4.2)."""
    return "".join(
        f"\\{code:03o}" if code < 32 or code > 126 else f"\\{chr(code)}" if code in b"()\\" else chr(code)
        for code in codes
    )
