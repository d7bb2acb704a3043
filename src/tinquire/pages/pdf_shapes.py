"""PDFs of pages that differ from others in some texts alone: the objects of the first with other contents of pages.

A PDF is a row of objects (ISO 32000-1, 7.5). Of pages alike (`Alike`) all but the contents are the same, as long as the
texts need the same letters beyond ASCII in the same order; what shows a text is a line of its page's content, with one
before it where letters become narrower or wider. Where anything else would differ, the PDF is written the plain way.
"""

from __future__ import annotations

import re
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import accumulate
from typing import Any

from tinquire.pages.document_fonts import DocumentFonts, escaped, escaped_text, measured_runs
from tinquire.pages.primitives import Alike, Pages, Text

__all__ = ["WatchedTexts", "pdf_like", "watched_texts"]

#: So many PDFs are kept of pages that are alike, and texts of each.
_MOST, _MOST_TEXTS = 4, 500
#: What ReportLab writes around the parts of a file (7.5).
_START = re.compile(rb"startxref\n(\d+)\n%%EOF\n\Z")
_CONTENTS = re.compile(rb"/Contents (\d+) 0 R")
_PAGE = re.compile(rb"/Type /Page\s")
_STREAM = b"%d 0 obj\n<<\n/Filter [ /FlateDecode ] /Length %d\n>>\nstream\n%bendstream\nendobj\n"
_NARROWED = re.compile(r"[\d.]+ Tz\Z")
#: How texts are told from saving and restoring in what a page does in order.
_SAVES, _RESTORES, _OTHER = -3, -2, -1


@dataclass(frozen=True)
class _Shown:
    """How a text is shown: whether its place has a line of its own, the font's letters by code, and the part of the
    font that the text is in."""

    apart: bool
    codes: dict[int, int]
    subset: int


@dataclass
class _Content:
    """A page's content: its lines, and what in them follows each other by line: texts and how narrow their letters are,
    by the number of a watched one; saving and restoring."""

    lines: list[str] = field(default_factory=list)
    whole: str = ""
    steps: list[tuple[int, int, float]] = field(default_factory=list)


@dataclass
class WatchedTexts:
    """The texts of pages that are watched while a PDF is written: what shows each."""

    alike: Alike
    places: dict[int, int]
    by_place: dict[int, _Shown] = field(default_factory=dict)
    contents: list[_Content] = field(default_factory=lambda: [_Content()])

    def shown(self, text: Text, out: Sequence[str], start: int, stretch: float, fonts: DocumentFonts) -> None:
        """Note the lines of a run of a text, which were added from one on."""
        place = self.places.get(id(text), _OTHER)
        self.contents[-1].steps.append((start, place, stretch))
        if place < 0 or text.angle or not _is_one_run(text) or place in self.by_place:
            self.by_place.pop(place, None)
            return
        codes = fonts.codes(text.face.face)
        subsets = {codes.get(_code(letter), -1) >> 8 for letter in text.text}
        lines = [line for line in out[start:] if not _NARROWED.match(line)]
        apart = len(lines) > 1
        if (
            len(subsets) == 1
            and lines[0].startswith("1 0 0 1 ")
            and len(lines) <= (3 if lines[1:2] and lines[1].endswith(" Tf") else 2)
        ):
            self.by_place[place] = _Shown(apart, codes, subsets.pop())

    def saved(self, line: int, *, ends: bool = False) -> None:
        self.contents[-1].steps.append((line, _RESTORES if ends else _SAVES, 0.0))

    def end_page(self, lines: list[str], content: str) -> None:
        """Note a page's lines, and its whole content with what ReportLab puts around them."""
        self.contents[-1].lines, self.contents[-1].whole = lines, content
        self.contents.append(_Content())

    def learn(self, document: Pages, moment: datetime, pdf: bytes, signature: Any) -> None:
        """Keep a PDF for those like it, if all that differs in them can be told. `signature` is the digest of what all
        PDFs of the moment begin with."""
        if len(self.by_place) < len(self.places):
            return
        shown = [self.by_place[place] for place in range(len(self.places))]
        pages = [_Cut.of(content, shown) for content in self.contents[:-1]]
        if (shape := _shape(document, self.alike, shown, pages, pdf, signature)) is not None:
            known = self.alike.kept
            if len(known) >= _MOST:
                known.clear()
            known[moment, _letters(document, self.alike)] = shape


def watched_texts(document: Pages) -> WatchedTexts | None:
    """What is watched of pages that others may be like."""
    if document.like is None:
        return None
    found = {id(text): number for number, text in enumerate(_texts(document, document.like))}
    return WatchedTexts(document.like, found) if len(found) == len(document.like.places) else None


def pdf_like(document: Pages, moment: datetime) -> bytes | None:
    """The PDF of pages that are like others whose PDF is known; None where it is to be written the plain way."""
    if document.like is None or not document.like.kept:
        return None
    known = document.like.kept.get((moment, _letters(document, document.like)))
    return known.pdf(document) if isinstance(known, _Shape) else None


def _texts(document: Pages, alike: Alike) -> list[Text]:
    """The texts of pages in which others may differ."""
    found = [document.pages[page].items[item] for page, item in alike.places]
    return [text for text in found if isinstance(text, Text)]


def _letters(document: Pages, alike: Alike) -> tuple[str, ...]:
    """The letters beyond ASCII of each text that differs, in the order in which they are first needed."""
    return tuple([
        "" if text.text.isascii() else "".join(dict.fromkeys(c for c in text.text if not c.isascii()))
        for text in _texts(document, alike)
    ])  # fmt: skip


# -- contents of pages -----------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Cut:
    """A page's content cut where texts are shown: pieces between which lines on the width of letters may stand, and
    those that show watched texts. A step has the place of the former, the number of a watched text or what it is else,
    how narrow the letters are, and the place of the latter."""

    pieces: tuple[str, ...]
    steps: tuple[tuple[int, int, float, int], ...]

    @classmethod
    def of(cls, content: _Content, shown: Sequence[_Shown]) -> _Cut:
        pieces: list[str] = []
        steps: list[tuple[int, int, float, int]] = []
        at = 0
        body = "".join(f"{one}\n" for one in content.lines)
        before, _, after = content.whole.partition(body) if body else (content.whole, "", "")
        pieces.append(before)
        for line, place, stretch in content.steps:
            pieces.append("".join(f"{one}\n" for one in content.lines[at:line]))
            at = line
            if place in (_SAVES, _RESTORES):
                steps.append((0, place, 0.0, 0))
                continue
            pieces.append("")
            at += bool(_NARROWED.match(content.lines[at]))
            steps.append((len(pieces) - 1, place, stretch, len(pieces)))
            if place >= 0:
                own = content.lines[at : at + 1 + shown[place].apart * 2]
                font = f"{own[1]}\n" if shown[place].apart and own[1].endswith(" Tf") else ""
                at += 1 + shown[place].apart + bool(font)
                pieces += ["", font if shown[place].apart else "", ""]
        pieces += ["".join(f"{one}\n" for one in content.lines[at:]), after]
        return cls(tuple(pieces), tuple(steps))

    def filled(self, operators: Sequence[tuple[str, str]], stretches: Sequence[float]) -> str:
        """The content with what shows watched texts, and how narrow their letters are."""
        pieces, state, kept = list(self.pieces), 100.0, []
        for hole, place, stretch, own in self.steps:
            if place == _SAVES:
                kept.append(state)
            elif place == _RESTORES:
                state = kept.pop()
            else:
                if place >= 0:
                    pieces[own], pieces[own + 2] = operators[place]
                wanted = stretch if place < 0 else stretches[place]
                if wanted != state:
                    pieces[hole], state = f"{wanted:g} Tz\n", wanted
        return "".join(pieces)


def _is_one_run(text: Text) -> bool:
    """Whether a text is shown as it is written, with letters of its own face alone."""
    if text.face.is_plain(text.text):
        return True
    runs = text.face.runs(text.text)
    return len(runs) == 1 and runs[0].face is text.face.face and runs[0].text == text.text


def _code(letter: str) -> int:
    return 32 if letter == "\xa0" else ord(letter)


# -- files -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Shape:
    """A PDF in pieces: its objects in their order, of which some are contents of pages, by their numbers."""

    alike: Alike
    shown: tuple[_Shown, ...]
    pages: tuple[_Cut, ...]
    objects: tuple[bytes, ...]
    contents: dict[int, int]
    #: The place of what is said about the document among the objects, and that around its title.
    told: tuple[int, bytes, bytes]
    about: tuple[str, str]
    head: bytes
    trailer: tuple[bytes, bytes]
    signature: Any
    #: Codes of texts that were shown before, by which one it is; how much of the width and how wide by nature.
    known: dict[tuple[int, str], tuple[str, float, float] | None] = field(default_factory=dict)

    def pdf(self, document: Pages) -> bytes | None:
        """The PDF of pages alike; None where a text cannot be shown as the first one was."""
        from tinquire.pages.pdf import stretch_of

        if (document.author, document.subject) != self.about:
            return None
        operators, stretches = [], []
        kept = self.known
        for number, (text, shown) in enumerate(zip(_texts(document, self.alike), self.shown, strict=True)):
            x, y, words, _, size, _, width, *_ = text
            key = (number, words)
            if key not in kept:
                if len(kept) >= _MOST_TEXTS:
                    kept.clear()
                kept[key] = _prepared(text, shown)
            if (known := kept[key]) is None:
                return None
            codes, share, natural = known
            stretches.append(stretch_of(width * share, natural * size))
            if shown.apart:
                operators.append((f"1 0 0 1 {x:.2f} {y:.2f} Tm\n", f"({codes} ) Tj\n"))
            else:
                operators.append((f"1 0 0 1 {x:.2f} {y:.2f} Tm({codes} )Tj\n", ""))
        objects = list(self.objects)
        for page in {page for page, _ in self.alike.places}:
            packed = zlib.compress(self.pages[page].filled(operators, stretches).encode())
            place = self.contents[page]
            objects[place] = _STREAM % (place + 1, len(packed), packed)
        place, before, after = self.told
        objects[place] = before + _string(document.title) + after
        return self._file(objects, document)

    def _file(self, objects: Sequence[bytes], document: Pages) -> bytes:
        """A file of objects, with the places of all of them (7.5.4)."""
        *offsets, at = accumulate(map(len, objects), initial=len(self.head))
        listed = ("%010d 00000 n \n" * len(offsets)) % tuple(offsets)
        table = f"xref\n0 {len(offsets) + 1}\n0000000000 65535 f \n{listed}".encode()
        before, after = self.trailer
        identity = _identity(document, self.signature)
        end = b"%b%b%b%d\n%%%%EOF\n" % (before, identity, after, at)
        return b"".join((self.head, *objects, table, end))


def _prepared(text: Text, shown: _Shown) -> tuple[str, float, float] | None:
    """The codes of a text, the share of its width and how wide it is by nature; None where it is shown in pieces."""
    runs = measured_runs(text.face, text.text)
    if len(runs) != 1 or not _is_one_run(text):
        return None
    _, _, share, natural = runs[0]
    if text.text.isascii() and text.text.isprintable():
        return (escaped_text(text.text), share, natural) if not shown.subset else None
    codes = [shown.codes.get(_code(letter), -1) for letter in text.text]
    if any(code >> 8 != shown.subset for code in codes):
        return None
    return escaped(bytes([code & 0xFF for code in codes])), share, natural


def _string(text: str) -> bytes:
    from reportlab.pdfbase.pdfdoc import DummyDoc, PDFString

    made: bytes = PDFString(text).format(DummyDoc())
    return made


def _identity(document: Pages, signature: Any) -> bytes:
    """What a file is told apart by (14.4), as ReportLab works it out: of the time, a digest so far, and of what is said
    about the document."""
    from reportlab.lib.utils import bytestr
    from reportlab.pdfbase.pdfdoc import DummyDoc, PDFText

    digest = signature.copy()
    for one in (document.title, document.author, document.subject, ""):
        digest.update(bytestr(one))
    made: bytes = PDFText(digest.digest(), enc="raw").format(DummyDoc())
    return made + made


def _shape(
    document: Pages, alike: Alike, shown: Sequence[_Shown], pages: Sequence[_Cut], pdf: bytes, signature: Any
) -> _Shape | None:  # fmt: skip
    """A PDF in pieces, which put together again give the same; None where they do not."""
    end = _START.search(pdf)
    if end is None:
        return None
    table = int(end[1])
    count = int(pdf[table : table + 40].split(b"\n", 2)[1].split()[1]) - 1
    first = table + len(b"xref\n0 %d\n" % (count + 1)) + 20
    offsets = [int(pdf[first + 20 * n : first + 20 * n + 10]) for n in range(count)]
    objects = [pdf[a:b] for a, b in zip(offsets, [*offsets[1:], table], strict=True)]
    found = [_CONTENTS.search(one) for one in objects if _PAGE.search(one) and _CONTENTS.search(one)]
    trailer = tuple(pdf[first + 20 * count : end.start(1)].split(_identity(document, signature)))
    title = b"/Title " + _string(document.title)
    info = next((n for n, one in enumerate(objects) if title in one and b"/Producer" in one), None)
    if info is None or len(trailer) != 2 or len(found) != len(pages):
        return None
    before, _, after = objects[info].partition(title)
    shape = _Shape(
        alike, tuple(shown), tuple(pages), tuple(objects),
        {page: int(one[1]) - 1 for page, one in enumerate(found) if one is not None},
        (info, before + b"/Title ", after), (document.author, document.subject), pdf[: offsets[0]], trailer, signature,
    )  # fmt: skip
    return shape if shape.pdf(document) == pdf else None
