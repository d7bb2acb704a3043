"""The proof on paper: what its page says, as a document of ours laid out in pages. It is made from the page itself, so
that both say the same."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from xml.sax.saxutils import escape, quoteattr

from lxml import etree, html

from tinquire.document import Letter
from tinquire.packages.package import Package
from tinquire.pages.letter_pages import lay_out_letter
from tinquire.pages.pdf import pdf_of

__all__ = ["proof_pdf"]

_W = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
_R = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_A = "http://schemas.openxmlformats.org/drawingml/2006/"
_TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml."
#: Twentieths of a point between the margins of lying A4, and beside a cell's text; units of a drawing in a point.
_WIDE, _BESIDE, _POINT = 15_478, 90, 12_700
_FONT, _LINE = "DejaVu Sans", "D9DEE0"
#: Twentieths of a point that a letter takes; letters for which a column is made wide, at least and at most.
_LETTER, _NARROWEST, _WIDEST = 108, 4, 60
#: Pictures beside one another, and the room for each in points.
_ACROSS, _PICTURE = 5, (142.0, 120.0)
_COLOURS = {
    "good": "2F6B4F", "new": "2F6B4F", "bad": "A6402F", "down": "A6402F", "gone": "A6402F", "up": "2F5D7C",
    "none": "5F6E75",
}  # fmt: skip
_STYLES = f"""<w:styles xmlns:w="{_W}"><w:docDefaults><w:rPrDefault><w:rPr>
<w:rFonts w:ascii="{_FONT}" w:hAnsi="{_FONT}"/><w:color w:val="27343A"/><w:sz w:val="16"/></w:rPr></w:rPrDefault>
</w:docDefaults><w:style w:type="paragraph" w:default="1" w:styleId="Plain"><w:name w:val="Normal"/>
<w:pPr><w:spacing w:before="16" w:after="16"/></w:pPr></w:style>
<w:style w:type="paragraph" w:styleId="Title"><w:name w:val="Title"/><w:pPr><w:spacing w:after="60"/></w:pPr>
<w:rPr><w:b/><w:sz w:val="36"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Heading1"><w:name w:val="heading 1"/><w:pPr><w:keepNext/>
<w:spacing w:before="240" w:after="80"/><w:pBdr><w:bottom w:val="single" w:sz="8" w:color="27343A"/></w:pBdr>
<w:outlineLvl w:val="0"/></w:pPr><w:rPr><w:b/><w:sz w:val="22"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Heading2"><w:name w:val="heading 2"/><w:pPr><w:keepNext/>
<w:spacing w:before="120" w:after="60"/><w:outlineLvl w:val="1"/></w:pPr><w:rPr><w:b/></w:rPr></w:style></w:styles>"""

#: A text, whether it is strong, and its colour.
_Piece = tuple[str, bool, str]


def proof_pdf(page: bytes, title: str, moment: datetime) -> bytes:
    """The pages of a proof, from its page as `proof_html` writes it."""
    root = html.document_fromstring(page.decode())
    writer = _Writer()
    for part in root.iterfind(".//main/*"):
        writer.part(part)
    letter = Letter.from_bytes(writer.package(), "proof.docx")
    return pdf_of(lay_out_letter(letter, title), moment)


@dataclass
class _Writer:
    """Paragraphs and tables, in order, and the pictures that they show."""

    body: list[str] = field(default_factory=list)
    pictures: list[bytes] = field(default_factory=list)

    def part(self, part: html.HtmlElement) -> None:
        """One element of the page: what it holds, whatever folds it away on a screen."""
        kind, names = part.tag, part.get("class") or ""
        if kind == "h1":
            self.body.append(_paragraph(_runs(part), "Title"))
        elif kind == "h2":
            self.body.append(_paragraph(_runs(part), "Heading1"))
        elif kind in ("h3", "summary"):
            self.body.append(_paragraph(_runs(part), "Heading2"))
        elif kind == "table":
            self._table(part)
        elif kind == "ul" and "strip" in names.split():
            self._strip(part)
        elif kind == "div" and "cards" in names.split():
            self._cards(part)
        elif kind in ("p", "li", "pre"):
            self.body += [_paragraph(_look(line)) for line in _pieces(part)]
        else:
            for inner in part:
                self.part(inner)

    def _strip(self, part: html.HtmlElement) -> None:
        cells = []
        for item in part:
            number, label = item
            colour = _COLOURS.get(item.get("class") or "", "")
            cells.append(
                _paragraph(_run(number.text_content(), bold=True, size=28, colour=colour)) + _paragraph(_runs(label))
            )
        self._rows([_WIDE // len(cells)] * len(cells), [cells])

    def _cards(self, part: html.HtmlElement) -> None:
        cards = [self._card(card) for card in part]
        rows = [cards[start : start + _ACROSS] for start in range(0, len(cards), _ACROSS)]
        rows[-1] += [_paragraph("")] * (_ACROSS - len(rows[-1]))
        self._rows([_WIDE // _ACROSS] * _ACROSS, rows)

    def _card(self, card: html.HtmlElement) -> str:
        found = []
        for item in card:
            picture = item.find(".//img")
            if picture is not None:
                data = base64.b64decode(picture.get("src").partition(",")[2])
                found.append(self._picture(data, picture.get("alt") or ""))
            elif item.text_content().strip():
                found.append(_paragraph(_run(item.text_content(), bold=item.tag == "a", size=14)))
        return "".join(found) or _paragraph("")

    def _picture(self, data: bytes, alt: str) -> str:
        from PIL import Image

        with Image.open(io.BytesIO(data)) as image:
            share = min(_PICTURE[0] / image.width, _PICTURE[1] / image.height)
            width, height = (round(length * share * _POINT) for length in image.size)
        self.pictures.append(data)
        number = len(self.pictures)
        size = f'cx="{width}" cy="{height}"'
        return (
            f'<w:p><w:r><w:drawing><wp:inline xmlns:wp="{_A}wordprocessingDrawing"><wp:extent {size}/>'
            f'<wp:docPr id="{number}" name="Picture {number}" descr={quoteattr(alt)}/><a:graphic xmlns:a="{_A}main">'
            f'<a:graphicData uri="{_A}picture"><pic:pic xmlns:pic="{_A}picture"><pic:nvPicPr>'
            f'<pic:cNvPr id="{number}" name="Picture {number}"/><pic:cNvPicPr/></pic:nvPicPr><pic:blipFill>'
            f'<a:blip r:embed="rIdP{number}" xmlns:r="{_R}"/><a:stretch><a:fillRect/></a:stretch></pic:blipFill>'
            f'<pic:spPr><a:xfrm><a:off x="0" y="0"/><a:ext {size}/></a:xfrm><a:prstGeom prst="rect"/></pic:spPr>'
            "</pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r></w:p>"
        )

    def _table(self, table: html.HtmlElement) -> None:
        rows = [list(row) for row in table.iter("tr")]
        count = max(map(len, rows), default=0)
        letters = [_NARROWEST] * count
        for row in rows:
            for place, cell in enumerate(row):
                longest = max((len("".join(text for text, _, _ in line)) for line in _pieces(cell)), default=0)
                letters[place] = max(letters[place], min(longest, _WIDEST))
        natural = [one * _LETTER + 3 * _BESIDE for one in letters]
        share = min(1.0, _WIDE / max(sum(natural), 1))
        widths = [int(one * share) for one in natural]
        heads = len(list(table.iterfind("thead/tr")))
        self._rows(widths, [[_cell(cell) for cell in row] for row in rows], heads)

    def _rows(self, widths: Sequence[int], rows: Sequence[Sequence[str]], heads: int = 0) -> None:
        grid = "".join(f'<w:gridCol w:w="{width}"/>' for width in widths)
        line = "".join(f'<w:{side} w:val="single" w:sz="4" w:color="{_LINE}"/>' for side in ("bottom", "insideH"))
        sides = "".join(f'<w:{side} w:w="{_BESIDE}" w:type="dxa"/>' for side in ("left", "right"))
        made = "".join(
            f"<w:tr><w:trPr><w:cantSplit/>{'<w:tblHeader/>' if number < heads else ''}</w:trPr>"
            + "".join(
                f'<w:tc><w:tcPr><w:tcW w:w="{width}" w:type="dxa"/></w:tcPr>{cell}</w:tc>'
                for width, cell in zip(widths, row, strict=False)
            )
            + "</w:tr>"
            for number, row in enumerate(rows)
        )
        self.body.append(
            f'<w:tbl><w:tblPr><w:tblW w:w="{sum(widths)}" w:type="dxa"/><w:tblBorders>{line}</w:tblBorders>'
            f'<w:tblLayout w:type="fixed"/><w:tblCellMar>{sides}</w:tblCellMar></w:tblPr>'
            f"<w:tblGrid>{grid}</w:tblGrid>{made}</w:tbl>" + _paragraph("")
        )

    def package(self) -> bytes:
        package = Package()
        package.start()
        page = (
            '<w:sectPr><w:pgSz w:w="16838" w:h="11906" w:orient="landscape"/><w:pgMar w:top="680" w:right="680" '
            'w:bottom="680" w:left="680" w:header="340" w:footer="340"/></w:sectPr>'
        )
        document = f'<w:document xmlns:w="{_W}"><w:body>{"".join(self.body)}{page}</w:body></w:document>'
        for name, kind, content in (("document", "document.main", document), ("styles", "styles", _STYLES)):
            text = f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n{content}'
            package.put(f"word/{name}.xml", text.encode())
            package.set_type(f"word/{name}.xml", f"{_TYPE}{kind}+xml")
        package.relate("", f"{_R}/officeDocument", "word/document.xml")
        package.relate("word/document.xml", f"{_R}/styles", "word/styles.xml")
        related = etree.fromstring(package.read("word/_rels/document.xml.rels"))
        for number, data in enumerate(self.pictures, start=1):
            name = f"media/image{number}.png"
            package.put(f"word/{name}", data)
            package.set_type(f"word/{name}", "image/png")
            attributes = {"Id": f"rIdP{number}", "Type": f"{_R}/image", "Target": name}
            etree.SubElement(related, f"{{{related.nsmap[None]}}}Relationship", attributes)
        package.put("word/_rels/document.xml.rels", etree.tostring(related, xml_declaration=True, encoding="UTF-8"))
        return package.to_bytes()


def _cell(cell: html.HtmlElement) -> str:
    align = "right" if "n" in (cell.get("class") or "").split() else ""
    lines = [_paragraph(_look(line, cell.tag == "th"), align=align) for line in _pieces(cell)]
    return "".join(lines) or _paragraph("")


def _look(line: Sequence[_Piece], strong: bool = False) -> str:
    return "".join(_run(text, bold=bold or strong, colour=colour) for text, bold, colour in line)


def _pieces(part: html.HtmlElement) -> list[list[_Piece]]:
    """The lines of an element, each of pieces of text with one look."""
    lines: list[list[_Piece]] = [[]]

    def walk(one: html.HtmlElement, strong: bool, colour: str) -> None:
        names = (one.get("class") or "").split()
        colour = next((_COLOURS[name] for name in names if name in _COLOURS), colour)
        colour = _COLOURS["none"] if one.tag == "small" else colour
        strong = strong or one.tag == "b"
        if one.tag in ("br", "small", "div") and lines[-1]:
            lines.append([])
        put(one.text, strong, colour)
        for inner in one:
            walk(inner, strong, colour)
            put(inner.tail, strong, colour)
        if one.tag in ("small", "div") and lines[-1]:
            lines.append([])

    def put(text: str | None, strong: bool, colour: str) -> None:
        for number, line in enumerate((text or "").split("\n")):
            if number and lines[-1]:
                lines.append([])
            if line.strip():
                lines[-1].append((line, strong, colour))

    walk(part, False, "")
    return [line for line in lines if line]


def _runs(part: html.HtmlElement) -> str:
    """An element's text in one line."""
    pieces = [piece for line in _pieces(part) for piece in line]
    spaced = [(f"{text}  ", False, colour) for text, _, colour in pieces[:-1]]
    return _look([*spaced, *((text, False, colour) for text, _, colour in pieces[-1:])])


def _run(text: str, *, bold: bool = False, size: int = 0, colour: str = "") -> str:
    look = ("<w:b/>" if bold else "") + (f'<w:color w:val="{colour}"/>' if colour else "")
    look += f'<w:sz w:val="{size}"/>' if size else ""
    clean = "".join(sign for sign in text if sign >= " ")
    return f'<w:r><w:rPr>{look}</w:rPr><w:t xml:space="preserve">{escape(clean)}</w:t></w:r>'


def _paragraph(runs: str, style: str = "", align: str = "") -> str:
    look = (f'<w:pStyle w:val="{style}"/>' if style else "") + (f'<w:jc w:val="{align}"/>' if align else "")
    return f"<w:p><w:pPr>{look}</w:pPr>{runs}</w:p>"
