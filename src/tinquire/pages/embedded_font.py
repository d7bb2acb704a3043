"""A font as PDFs embed it: what many documents take of it is made once (ISO 32000-1, 9.6 to 9.10)."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from typing import Any

from reportlab.lib.rl_accel import fp_str
from reportlab.pdfbase import pdfdoc
from reportlab.pdfbase.ttfonts import FF_NONSYMBOLIC, FF_SYMBOLIC, SUBSETN, TTFont, makeToUnicodeCMap

__all__ = ["EmbeddedFont"]

#: So many sets of letters of a font are kept ready.
_MOST = 64


@dataclass(frozen=True)
class _Letters:
    """The file of a set of letters, packed, and its size; which letters its codes mean, packed; how wide they are."""

    file: bytes
    size: int
    meanings: bytes
    widths: bytes


class _Ready(pdfdoc.PDFObject):  # type: ignore[misc]  # ReportLab has no types
    """Bytes of the file that are written as they are."""

    def __init__(self, content: bytes) -> None:
        self._content = content

    def format(self, document: Any) -> bytes:
        return self._content


class EmbeddedFont(TTFont):  # type: ignore[misc]
    """ReportLab's font, which makes the letters of each document anew, with those that are known."""

    def __init__(self, name: str, file: Any) -> None:
        super().__init__(name, file, asciiReadable=True)
        self._known: dict[tuple[str, tuple[int, ...]], _Letters] = {}

    def addObjects(self, doc: Any) -> None:  # noqa: N802  # ReportLab calls it
        """Put the font into a document, a part for each 256 letters."""
        state = self.state.get(doc) or TTFont.State(self._asciiReadable)
        state.frozen = 1
        for number, subset in enumerate(state.subsets):
            internal = self.getSubsetInternalName(number, doc)[1:]
            name = b"".join((SUBSETN(number), b"+", self.face.name, self.face.subfontNameX)).decode("pdfdoc")
            letters = self._letters(name, subset)
            font = pdfdoc.PDFTrueTypeFont()
            font.Name, font.BaseFont = internal, name
            font.FirstChar, font.LastChar = 0, len(subset) - 1
            font.Widths = _Ready(letters.widths)
            font.ToUnicode = doc.Reference(_packed(letters.meanings), f"toUnicodeCMap:{name}")
            font.FontDescriptor = self._descriptor(doc, name, letters)
            doc.Reference(font, internal)
            doc.idToObject["BasicFonts"].dict[internal] = font
        del self.state[doc]

    def _letters(self, name: str, subset: list[int]) -> _Letters:
        key = (name, tuple(subset))  # the meanings say the name
        if (known := self._known.get(key)) is None:
            if len(self._known) >= _MOST:
                self._known.clear()
            file, face = self.face.makeSubset(subset), self.face
            widths = " ".join(fp_str(face.getCharWidth(code)) for code in subset)
            meanings = makeToUnicodeCMap(name, subset)
            packed = zlib.compress(meanings.encode() if isinstance(meanings, str) else meanings)
            known = self._known[key] = _Letters(zlib.compress(file), len(file), packed, f"[ {widths} ]".encode())
        return known

    def _descriptor(self, doc: Any, name: str, letters: _Letters) -> Any:
        face = self.face
        file = _packed(letters.file)
        file.dictionary["Length1"] = letters.size
        descriptor = pdfdoc.PDFDictionary({
            "Type": "/FontDescriptor", "Ascent": face.ascent, "CapHeight": face.capHeight, "Descent": face.descent,
            "Flags": face.flags & ~FF_NONSYMBOLIC | FF_SYMBOLIC, "FontBBox": pdfdoc.PDFArray(face.bbox),
            "FontName": pdfdoc.PDFName(name), "ItalicAngle": face.italicAngle, "StemV": face.stemV,
            "FontFile2": doc.Reference(file, f"fontFile:{face.filename}({name})"), "MissingWidth": face.defaultWidth,
        })  # fmt: skip
        return doc.Reference(descriptor, f"fontDescriptor:{name}")


def _packed(content: bytes) -> Any:
    """A stream of the file whose content is packed already."""
    stream = pdfdoc.PDFStream(content=content)
    stream.dictionary["Filter"] = pdfdoc.PDFName("FlateDecode")
    return stream
