"""Letters: many documents from one template, and their pages."""

from __future__ import annotations

import io
import random
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from functools import cache, partial
from html import escape

from PIL import Image

from benchmarks.measure import Measure, memory
from tinquire.cells import Column
from tinquire.document import Letter
from tinquire.document.forms import Forms
from tinquire.larkfold.letters import board_template
from tinquire.looks import House
from tinquire.pages.laid_before import LaidBefore
from tinquire.pages.letter_pages import lay_out_letter
from tinquire.pages.pdf import pdf_of
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.letters import LetterScope
from tinquire.tables import Field, Table
from tinquire.workbook.grid.frames import PictureFile

__all__ = ["measures", "pdfs"]

NOW = datetime(2026, 11, 3, 9, tzinfo=UTC)
LETTERS, SLOTS, LINES = 1_000, 12, 6


def measures() -> Iterator[Measure]:
    """The lines of the table for letters."""
    template = _template()
    limit = "zipfile reads and writes the template's members"
    yield Measure(
        f"{LETTERS:,} letters filled: {SLOTS} slots over split runs, {LINES} rows of a table, a picture", limit, 0.15,
        partial(_filled, template, LETTERS), partial(_copied, template, LETTERS),
    )  # fmt: skip
    yield Measure(
        "the same letters as PDFs of one page",
        limit,
        1.5,
        partial(_as_pages, template, LETTERS),
        partial(_copied, template, LETTERS),
    )
    yield memory("memory for 10,000 letters, every tenth also as PDF", "that for 100", 1.2, _MEMORY, 10_000, 100)


_MEMORY = """
import sys
from benchmarks.letters import some
some(int(sys.argv[1]))
"""


def some(count: int) -> None:
    """Letters filled and written, every tenth as PDF, none of which is kept."""
    template, before = _template(), LaidBefore()
    for number, letter in enumerate(_letters(template, count)):
        letter.to_bytes()
        if number % 10 == 0:
            pdf_of(lay_out_letter(letter, "letter", before=before), NOW)


def _template() -> bytes:
    """The board's letter of the demo with other slots, each split over runs, and parts that make it some 15 kB."""
    letter = Letter.from_bytes(board_template(), "letter.docx")
    chance = random.Random(7)
    text = letter.package.read("word/document.xml").decode()
    for name in (
        "standing.Depot",
        "standing.Manager",
        "standing.Pickups as whole",
        "standing.Charged as money",
        "standing.Share as 0.0%",
    ):
        text = text.replace(f"[:{name}:]", f"[:lines.{name.partition('.')[2].partition(' ')[0]}:]")
    slots = "".join(
        _paragraph(f"Line {number}: [:value {number}:] and [:value {number + 1}:].", chance)
        for number in range(0, SLOTS, 2)
    )  # so few that a letter is one page
    start, end = (
        text.index('<w:p><w:r><w:t xml:space="preserve">We charged'),
        text.index('<w:p><w:pPr><w:pStyle w:val="Heading2"/>'),
    )
    text = text[:start] + slots + text[end:]
    for name in ("period.long", "pickups charged as whole", "total charged as money"):
        text = text.replace(f"[:{name}:]", "[:value 0:]")
    start = text.index('<w:p><w:pPr><w:pStyle w:val="ListItem"/>')
    text = text[:start] + text[text.index("</w:p>", start) + 6 :]
    letter.package.put("word/document.xml", text.encode())
    letter.package.put("docProps/thumbnail.bin", chance.randbytes(9_000))
    letter.package.set_type("docProps/thumbnail.bin", "application/octet-stream")
    return letter.to_bytes()


def _paragraph(text: str, chance: random.Random) -> str:
    """A paragraph whose text is split over runs."""
    return f"<w:p>{''.join(f'<w:r><w:t>{escape(piece)}</w:t></w:r>' for piece in _split(text, chance))}</w:p>"


def _split(text: str, chance: random.Random) -> list[str]:
    places = sorted(chance.sample(range(1, len(text)), 4))
    return [text[start:end] for start, end in zip([0, *places], [*places, len(text)], strict=True)]


def _scopes(count: int) -> Iterator[LetterScope]:
    """What fills letters: each has other values, and other charges in its rows."""
    row: dict[str, str | float] = {
        "Depot": "Harbour",
        "Manager": "Imke Soto",
        "Pickups": 12.0,
        "Charged": 1234.5,
        "Share": 0.25,
    }
    types = {"Pickups": "whole", "Charged": "money"}
    fields = tuple(Field(name, types.get(name, "text")) for name in row)
    lines = Table("lines", fields, tuple(Column.from_values([value] * LINES) for value in row.values()))
    scope = SlotScope(House(), {}, tables={"lines": lines})
    charged = list(row).index("Charged")
    for number in range(count):
        columns = list(lines.columns)
        columns[charged] = Column.from_values([1234.5 + number + line for line in range(LINES)])
        names = {f"value {slot}": 10.0 * number + slot for slot in range(SLOTS)}
        yield LetterScope(replace(scope, names=names, tables={"lines": replace(lines, columns=tuple(columns))}))


@cache
def _known_scopes() -> list[LetterScope]:
    return list(_scopes(LETTERS))


def _letters(template: bytes, count: int) -> Iterator[Letter]:
    stream = io.BytesIO()
    Image.new("RGB", (60, 30), "#2F5D7C").save(stream, "PNG")
    picture = PictureFile(stream.getvalue(), "png")
    forms = Forms(Letter.from_bytes(template, "letter.docx"))
    for scope in _known_scopes()[:count] if count <= LETTERS else _scopes(count):
        yield forms.fill(scope, lambda _: (picture, "a picture"), "filling")[0]


def _filled(template: bytes, count: int) -> int:
    return sum(len(letter.to_bytes()) for letter in _letters(template, count))


def _as_pages(template: bytes, count: int) -> int:
    return sum(map(len, _pdfs(template, count)))


def pdfs(count: int) -> Iterator[bytes]:
    """Letters as PDFs, for other measures."""
    return _pdfs(_template(), count)


def _pdfs(template: bytes, count: int) -> Iterator[bytes]:
    before = LaidBefore()
    return (pdf_of(lay_out_letter(letter, "letter", before=before), NOW) for letter in _letters(template, count))


def _copied(template: bytes, count: int) -> int:
    written = 0
    for _ in range(count):
        stream = io.BytesIO()
        with (
            zipfile.ZipFile(io.BytesIO(template)) as source,
            zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as target,
        ):
            for name in source.namelist():
                target.writestr(name, source.read(name))
        written += len(stream.getvalue())
    return written
