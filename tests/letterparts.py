"""Letters put together by hand, part by part."""

from __future__ import annotations

import random
from html import escape

from parts import OFFICE, PACKAGE, zipped

WORD = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml"


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
