"""The demo's letters: a statement for a customer, and the board's letter, as templates with slots."""

from __future__ import annotations

import io
from collections.abc import Sequence
from html import escape

from tinquire.packages.package import Package

__all__ = ["board_template", "statement_template"]

_W = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
_R = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_A = "http://schemas.openxmlformats.org/drawingml/2006/"
_TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml."
_INK, _TIN, _LINEN, _WOAD = "27343A", "8A979C", "F4EFE6", "2F5D7C"
_FONT = "Verdana"
_POINT, _WIDE = 12_700, 9_638  # units of a drawing in a point; twentieths of a point between the margins
_STYLES = f"""<w:styles xmlns:w="{_W}"><w:docDefaults><w:rPrDefault><w:rPr><w:rFonts w:ascii="{_FONT}" w:hAnsi="{_FONT}"/>
<w:color w:val="{_INK}"/><w:sz w:val="19"/></w:rPr></w:rPrDefault><w:pPrDefault><w:pPr><w:spacing w:after="120" w:line="276"
 w:lineRule="auto"/></w:pPr></w:pPrDefault></w:docDefaults>
<w:style w:type="paragraph" w:default="1" w:styleId="Text"><w:name w:val="Text"/></w:style>
<w:style w:type="paragraph" w:styleId="Heading1"><w:name w:val="heading 1"/><w:basedOn w:val="Text"/><w:pPr><w:keepNext/>
<w:spacing w:before="240" w:after="120"/><w:outlineLvl w:val="0"/></w:pPr><w:rPr><w:b/><w:color w:val="{_WOAD}"/><w:sz w:val="32"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Heading2"><w:name w:val="heading 2"/><w:basedOn w:val="Heading1"/><w:pPr>
<w:outlineLvl w:val="1"/></w:pPr><w:rPr><w:sz w:val="23"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Cell"><w:name w:val="Cell"/><w:basedOn w:val="Text"/><w:pPr><w:spacing w:before="30"
 w:after="30" w:line="240"/></w:pPr><w:rPr><w:sz w:val="17"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Small"><w:name w:val="Small"/><w:basedOn w:val="Text"/><w:pPr><w:tabs>
<w:tab w:val="right" w:pos="{_WIDE}"/></w:tabs><w:spacing w:after="0"/></w:pPr><w:rPr><w:color w:val="{_TIN}"/><w:sz w:val="16"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="ListItem"><w:name w:val="List Item"/><w:basedOn w:val="Text"/><w:pPr><w:numPr>
<w:numId w:val="1"/></w:numPr><w:spacing w:after="60"/></w:pPr></w:style>
<w:style w:type="table" w:styleId="Lines"><w:name w:val="Lines"/><w:tblPr><w:tblBorders><w:bottom w:val="single" w:sz="6" w:color="{_INK}"/>
<w:insideH w:val="single" w:sz="2" w:color="{_TIN}"/></w:tblBorders></w:tblPr><w:tblStylePr w:type="firstRow"><w:rPr><w:b/>
<w:color w:val="FFFFFF"/></w:rPr><w:tcPr><w:shd w:val="clear" w:fill="{_INK}"/></w:tcPr></w:tblStylePr><w:tblStylePr w:type="lastRow"><w:rPr><w:b/></w:rPr>
<w:tcPr><w:tcBorders><w:top w:val="single" w:sz="6" w:color="{_INK}"/></w:tcBorders><w:shd w:val="clear" w:fill="{_LINEN}"/></w:tcPr></w:tblStylePr></w:style></w:styles>"""
_NUMBERING = f"""<w:numbering xmlns:w="{_W}"><w:abstractNum w:abstractNumId="0"><w:lvl w:ilvl="0"><w:start w:val="1"/>
<w:numFmt w:val="bullet"/><w:lvlText w:val="•"/><w:pPr><w:ind w:left="360" w:hanging="360"/></w:pPr></w:lvl></w:abstractNum>
<w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num></w:numbering>"""
_FOOTER = f"""<w:ftr xmlns:w="{_W}"><w:p><w:pPr><w:pStyle w:val="Small"/></w:pPr><w:r><w:t>Larkfold Linen</w:t></w:r><w:r><w:tab/></w:r>
<w:fldSimple w:instr="PAGE"><w:r><w:t>1</w:t></w:r></w:fldSimple><w:r><w:t xml:space="preserve"> / </w:t></w:r>
<w:fldSimple w:instr="NUMPAGES"><w:r><w:t>1</w:t></w:r></w:fldSimple></w:p></w:ftr>"""


def _p(text: str, style: str = "", align: str = "", bold: bool = False) -> str:
    """A paragraph of one run."""
    settings = (f'<w:pStyle w:val="{style}"/>' if style else "") + (f'<w:jc w:val="{align}"/>' if align else "")
    look = "<w:rPr><w:b/></w:rPr>" if bold else ""
    head = f"<w:pPr>{settings}</w:pPr>" if settings else ""
    return f'<w:p>{head}<w:r>{look}<w:t xml:space="preserve">{escape(text, quote=False)}</w:t></w:r></w:p>'


def _table(widths: tuple[int, ...], rows: Sequence[tuple[str, ...]], numbers: int) -> str:
    """A table in the house's lines: headings that are repeated, rows, a last row of totals; the last so many columns are
    numbers."""
    grid = "".join(f'<w:gridCol w:w="{width}"/>' for width in widths)
    lines = []
    for number, row in enumerate(rows):
        cells = "".join(
            f'<w:tc><w:tcPr><w:tcW w:w="{width}" w:type="dxa"/></w:tcPr>'
            + _p(text, "Cell", "right" if place >= len(row) - numbers else "")
            + "</w:tc>"
            for place, (text, width) in enumerate(zip(row, widths, strict=True))
        )
        lines.append(f"<w:tr><w:trPr>{'<w:tblHeader/>' if number == 0 else '<w:cantSplit/>'}</w:trPr>{cells}</w:tr>")
    look = '<w:tblLook w:firstRow="1" w:lastRow="1" w:noHBand="1" w:noVBand="1"/>'
    return f'<w:tbl><w:tblPr><w:tblStyle w:val="Lines"/><w:tblW w:w="{sum(widths)}" w:type="dxa"/><w:tblInd w:w="0" w:type="dxa"/>{look}</w:tblPr><w:tblGrid>{grid}</w:tblGrid>{"".join(lines)}</w:tbl>'


def _band(title: str, subtitle: str) -> str:
    """The band with the firm's name at the head of a letter."""
    cell = (
        f'<w:tc><w:tcPr><w:tcW w:w="{_WIDE}" w:type="dxa"/><w:shd w:val="clear" w:fill="{_INK}"/></w:tcPr>'
        f'<w:p><w:pPr><w:spacing w:before="120" w:after="0"/></w:pPr><w:r><w:rPr><w:b/><w:color w:val="FFFFFF"/><w:sz w:val="34"/></w:rPr><w:t>{title}</w:t></w:r></w:p>'
        f'<w:p><w:pPr><w:spacing w:after="140"/></w:pPr><w:r><w:rPr><w:color w:val="{_LINEN}"/></w:rPr><w:t>{subtitle}</w:t></w:r></w:p></w:tc>'
    )
    settings = f'<w:tblPr><w:tblW w:w="{_WIDE}" w:type="dxa"/><w:tblInd w:w="0" w:type="dxa"/></w:tblPr>'
    return f'<w:tbl>{settings}<w:tblGrid><w:gridCol w:w="{_WIDE}"/></w:tblGrid><w:tr>{cell}</w:tr></w:tbl>'


def statement_template() -> bytes:
    """A statement of a customer's pickups: `lines` are the customer's own rows."""
    rows = [
        ("Collected", "Ticket", "Item", "Pieces", "Charge"),
        ("[:lines.Collected as d mmm yyyy:]", "[:lines.Ticket:]", "[:lines.Item:]", "[:lines.Pieces as whole:]", "[:lines.Charge as money:]"),
        ("In all", "", "", "[:SUM(lines[Pieces]) as whole:]", "[:SUM(lines[Charge]) as money:]"),
    ]  # fmt: skip
    body = (
        _band("Larkfold Linen", "Statement for [:period.long:]")
        + _p("")
        + _p("[:Name:]", bold=True)
        + _p("Customer [:Number:], depot [:Depot:]", "Small")
        + _p("Statement of your linen", "Heading1")
        + _p("Dear customer,")
        + _p("[:only if ROWS(lines) > 0:]In [:period.long:] we collected [:SUM(lines[Pieces]) as whole:] pieces from you in [:ROWS(lines) as whole:] pickups and charged [:SUM(lines[Charge]) as money:]. Each pickup is listed below.")
        + _p("[:only if ROWS(lines) = 0:]In [:period.long:] we collected nothing from you, and nothing is charged.")
        + _table((1_700, 1_900, 3_038, 1_300, 1_700), rows, 2)
        + _p("")
        + _p("Thank you for your custom.")
        + _p("The linen desk")
    )  # fmt: skip
    return _written(body)


def board_template() -> bytes:
    """The board's letter: figures in the text, a list and a small table of the depots, and a chart."""
    rows = [
        ("Depot", "Manager", "Pickups", "Charged", "Share"),
        ("[:standing.Depot:]", "[:standing.Manager:]", "[:standing.Pickups as whole:]", "[:standing.Charged as money:]", "[:standing.Share as 0.0%:]"),
        ("All depots", "", "[:pickups charged as whole:]", "[:total charged as money:]", "100.0%"),
    ]  # fmt: skip
    picture = (
        f'<w:p><w:pPr><w:jc w:val="center"/></w:pPr><w:r><w:drawing><wp:inline xmlns:wp="{_A}wordprocessingDrawing" distT="0" distB="0" distL="0" distR="0"><wp:extent cx="{440 * _POINT}" cy="{200 * _POINT}"/>'
        f'<wp:docPr id="1" name="Chart" descr="[:chart:]"/><a:graphic xmlns:a="{_A}main"><a:graphicData uri="{_A}picture"><pic:pic xmlns:pic="{_A}picture"><pic:nvPicPr><pic:cNvPr id="1" name="Chart"/><pic:cNvPicPr/></pic:nvPicPr>'
        f'<pic:blipFill><a:blip r:embed="rIdP" xmlns:r="{_R}"/><a:stretch><a:fillRect/></a:stretch></pic:blipFill><pic:spPr><a:xfrm><a:off x="0" y="0"/><a:ext cx="{440 * _POINT}" cy="{200 * _POINT}"/></a:xfrm><a:prstGeom prst="rect"/></pic:spPr>'
        "</pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r></w:p>"
    )
    body = (
        _band("Larkfold Linen", "To the board, on [:period.long:]")
        + _p("How the month went", "Heading1")
        + _p("We charged [:total charged as money:] for [:pickups charged as whole:] pickups, on average [:average charge as money:] a pickup. The charges agree with the ledger.")
        + _p("Charged by depot", "Heading2")
        + picture
        + _p("[:standing.Depot:] charged [:standing.Charged as money:], [:standing.Share as 0.0%:] of all.", "ListItem")
        + _p("The depots and who answers for them", "Heading2")
        + _table((1_900, 3_038, 1_400, 1_800, 1_500), rows, 3)
        + _p("")
        + _p("The linen desk")
    )  # fmt: skip
    return _written(body, _stand_in())


def _stand_in() -> bytes:
    """The picture in whose place a chart goes."""
    from PIL import Image

    stream = io.BytesIO()
    Image.new("RGB", (44, 20), f"#{_LINEN}").save(stream, "PNG")
    return stream.getvalue()


def _written(body: str, picture: bytes | None = None) -> bytes:
    package = Package()
    package.start()
    page = (
        f'<w:sectPr><w:footerReference w:type="default" r:id="rIdF" xmlns:r="{_R}"/><w:pgSz w:w="11906" w:h="16838"/>'
        '<w:pgMar w:top="1134" w:right="1134" w:bottom="1134" w:left="1134" w:header="567" w:footer="567"/></w:sectPr>'
    )
    document = f'<w:document xmlns:w="{_W}"><w:body>{body}{page}</w:body></w:document>'
    parts = (
        ("document", "document.main", document),
        ("styles", "styles", _STYLES),
        ("numbering", "numbering", _NUMBERING),
        ("footer1", "footer", _FOOTER),
    )
    for name, kind, content in parts:
        package.put(f"word/{name}.xml", f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n{content}'.encode())
        package.set_type(f"word/{name}.xml", f"{_TYPE}{kind}+xml")
    package.relate("", f"{_R}/officeDocument", "word/document.xml")
    for name, kind in (("styles", "styles"), ("numbering", "numbering")):
        package.relate("word/document.xml", f"{_R}/{kind}", f"word/{name}.xml")
    wanted = {"rIdF": ("footer", "word/footer1.xml")}
    if picture is not None:
        package.put("word/media/image1.png", picture)
        package.set_type("word/media/image1.png", "image/png")
        wanted["rIdP"] = ("image", "word/media/image1.png")
    written = package.read("word/document.xml")
    for key, (kind, target) in wanted.items():
        written = written.replace(
            f'"{key}"'.encode(), f'"{package.relate("word/document.xml", f"{_R}/{kind}", target)}"'.encode()
        )
    package.put("word/document.xml", written)
    return package.to_bytes()
