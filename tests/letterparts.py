"""Letters put together by hand, part by part."""

from __future__ import annotations

import io
import random
from dataclasses import replace
from html import escape

from PIL import Image

from parts import OFFICE, PACKAGE, zipped
from tinquire.cells import Column
from tinquire.looks import House
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.letters import LetterScope
from tinquire.tables import Field, Table
from tinquire.workbook.grid.frames import PictureFile

WORD = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml"


STYLES = f"""<w:styles xmlns:w="{WORD}"><w:docDefaults><w:rPrDefault><w:rPr><w:rFonts w:ascii="DejaVu Sans"/><w:sz w:val="20"/></w:rPr>
</w:rPrDefault></w:docDefaults><w:style w:type="paragraph" w:default="1" w:styleId="T"/><w:style w:type="paragraph" w:styleId="Heading1">
<w:basedOn w:val="T"/><w:pPr><w:keepNext/><w:outlineLvl w:val="0"/></w:pPr><w:rPr><w:b/><w:sz w:val="32"/></w:rPr></w:style>
<w:style w:type="paragraph" w:styleId="Round"><w:basedOn w:val="Round"/></w:style></w:styles>"""
LEVELS = "".join(
    f'<w:lvl w:ilvl="{level}"><w:start w:val="{start}"/><w:numFmt w:val="{form}"/><w:lvlText w:val="{text}"/><w:pPr><w:ind w:left="{720 * (level + 1)}" w:hanging="360"/></w:pPr></w:lvl>'
    for level, (start, form, text) in enumerate(
        [(1, "decimal", "%1."), (3, "lowerLetter", "%1%2)"), (1, "upperRoman", "%3")]
    )
)
NUMBERING = f'<w:numbering xmlns:w="{WORD}"><w:abstractNum w:abstractNumId="0">{LEVELS}</w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num></w:numbering>'
EXTRA = {"styles.xml": ("styles", STYLES), "numbering.xml": ("numbering", NUMBERING)}
PAGE = '<w:pgMar w:top="720" w:bottom="720" w:left="1000" w:right="1000" w:header="300" w:footer="300"/>'


def paragraph(text, *, style="", numbered=False, cut=0, look=""):
    """A paragraph; with `cut` its text is split into that many runs at places that look chosen by chance."""
    settings = (f'<w:pStyle w:val="{style}"/>' if style else "") + (
        '<w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr>' if numbered else ""
    )
    chance = random.Random(text)
    places = sorted(chance.sample(range(1, len(text)), min(cut, len(text) - 1))) if cut and len(text) > 1 else []
    pieces = [text[start:end] for start, end in zip([0, *places], [*places, len(text)], strict=True)]
    runs = "".join(f'<w:r>{look}<w:t xml:space="preserve">{escape(piece)}</w:t></w:r>' for piece in pieces)
    return f"<w:p>{f'<w:pPr>{settings}</w:pPr>' if settings else ''}{runs}</w:p>"


def table(*rows, cut=0):
    lines = "".join(
        f"<w:tr>{''.join(f'<w:tc>{paragraph(cell, cut=cut)}</w:tc>' for cell in row)}</w:tr>" for row in rows
    )
    return f"<w:tbl><w:tblPr/><w:tblGrid/>{lines}</w:tbl>"


def letter_parts(body, *, header="", footnotes="", extra=None, links=None, settings=""):
    relations = "".join(
        f'<Relationship Id="{key}" Type="{OFFICE}/hyperlink" Target="{escape(target)}" TargetMode="External"/>'
        for key, target in (links or {}).items()
    )
    overrides = f'<Override PartName="/word/document.xml" ContentType="{TYPE}.document.main+xml"/>'
    parts = {}
    for name, kind, content in (("header1", "header", header), ("footnotes", "footnotes", footnotes)):
        if content:
            tag = {"header": "hdr", "footnotes": "footnotes"}[kind]
            inner = content if kind == "header" else f'<w:footnote w:id="2">{content}</w:footnote>'
            parts[f"word/{name}.xml"] = f'<w:{tag} xmlns:w="{WORD}">{inner}</w:{tag}>'
            relations += f'<Relationship Id="r{name}" Type="{OFFICE}/{kind}" Target="{name}.xml"/>'
            overrides += f'<Override PartName="/word/{name}.xml" ContentType="{TYPE}.{kind}+xml"/>'
    for name, (kind, content) in (extra or {}).items():
        parts[f"word/{name}"] = content
        relations += (
            f'<Relationship Id="x{name.rpartition("/")[2].partition(".")[0]}" Type="{OFFICE}/{kind}" Target="{name}"/>'
        )
    space = f'xmlns:w="{WORD}" xmlns:r="{OFFICE}" xmlns:wp="http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing" xmlns:a="http://schemas.openxmlformats.org/drawingml/2006/main" xmlns:pic="http://schemas.openxmlformats.org/drawingml/2006/picture"'
    return {
        "[Content_Types].xml": f'<Types xmlns="{PACKAGE}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        f'<Default Extension="xml" ContentType="application/xml"/><Default Extension="png" ContentType="image/png"/>{overrides}'
        '<Override PartName="/docProps/core.xml" ContentType="application/vnd.openxmlformats-package.core-properties+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" Type="{OFFICE}/officeDocument" Target="word/document.xml"/>'
        '<Relationship Id="rId2" Type="http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties" Target="docProps/core.xml"/></Relationships>',
        "docProps/core.xml": '<cp:coreProperties xmlns:cp="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:title>For [:Name:]</dc:title></cp:coreProperties>',
        "word/document.xml": f'<w:document {space}><w:body>{body}<w:sectPr><w:pgSz w:w="11906" w:h="16838"/>{settings}</w:sectPr></w:body></w:document>',
        "word/_rels/document.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships">{relations}</Relationships>',
        **parts,
    }  # fmt: skip


def letter_bytes(body, **more):
    return zipped(letter_parts(body, **more))


def p(text, settings="", run=""):
    return f'<w:p><w:pPr>{settings}</w:pPr><w:r>{f"<w:rPr>{run}</w:rPr>" if run else ""}<w:t xml:space="preserve">{text}</w:t></w:r></w:p>'


FRAME = (
    '<w:p><w:r><w:drawing><wp:inline><wp:extent cx="1270000" cy="635000"/><wp:docPr id="1" name="P" descr="[:logo:]"/><a:graphic><a:graphicData>'
    '<pic:pic><pic:blipFill><a:blip r:embed="ximage1"/><a:stretch><a:fillRect/></a:stretch></pic:blipFill></pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r></w:p>'
)
BOX = '<w:p><w:r><w:drawing><wp:{kind}>{place}<wp:extent cx="1270000" cy="635000"/>{wrap}<wp:docPr id="1" name="b"/><a:graphic><a:graphicData><wps xmlns="urn:x"><spPr><a:solidFill><a:srgbClr val="F4EFE6"/></a:solidFill></spPr><w:txbxContent>{inner}</w:txbxContent></wps></a:graphicData></a:graphic></wp:{kind}></w:drawing></w:r></w:p>'


# -- what fills them ----------------------------------------------------------------------------------

HOUSE, TYPES, LINES = House(), {"total": "money"}, (Field("Item"), Field("Charge"))
WHO = Table("who", (Field("Name"),), (Column.blank(1),))


def scope(name, total, rows, depots, way=0):
    """A letter's scope; the `way` gives the name as a column of a row, and another name that hides a column."""
    items, charges = ([row[place] for row in rows] for place in (0, 1))
    lines = Table("lines", LINES, (Column.from_values(items), Column.from_values(charges)))
    names = {"Name": name, "total": total, "month": "October"} | ({"Item": "a"} if way == 1 else {})
    own = SlotScope(HOUSE, names, TYPES, {"lines": lines, "depots": depots})
    return LetterScope(own if way < 2 else own.at(replace(WHO, columns=(Column.from_values([name[:way]]),)), 0))


def png(size):
    stream = io.BytesIO()
    Image.new("RGB", size).save(stream, "PNG")
    return stream.getvalue()


PICTURES = [PictureFile(png((2, 2)), "png"), PictureFile(png((9, 4)), "png"), None]
