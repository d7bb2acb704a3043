"""Workbook packages put together by hand, part by part, so that odd forms can be tried."""

from __future__ import annotations

import io
import zipfile

MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006"
TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml"


#: A style sheet with a date format, a dressed style, a theme colour and an indexed one.
STYLES = (
    f'<styleSheet xmlns="{MAIN}"><numFmts count="1"><numFmt numFmtId="164" formatCode="dd/mm/yyyy"/></numFmts>'
    '<fonts count="2"><font/><font><b/><sz val="14"/><color theme="4" tint="0.5"/><name val="Georgia"/></font></fonts>'
    '<fills count="3"><fill><patternFill/></fill><fill><patternFill patternType="gray125"/></fill>'
    '<fill><patternFill patternType="solid"><fgColor indexed="10"/></patternFill></fill></fills>'
    '<borders count="2"><border/><border><start style="thin"><color rgb="FF112233"/></start><top style="none"/></border>'
    '</borders><cellXfs count="3"><xf/><xf numFmtId="164"/><xf numFmtId="9" fontId="1" fillId="2" borderId="1">'
    '<alignment horizontal="center" wrapText="1" indent="2"/></xf></cellXfs></styleSheet>'
)


def parts_of(rows, *, shared=(), styles="", before="", after="", extra=None, workbook="", sheets=None):
    """The parts of a workbook whose first sheet has the given `sheetData` content."""
    names = sheets or ["Sheet1"]
    entries = "".join(f'<sheet name="{name}" sheetId="{n}" r:id="rId{n}"/>' for n, name in enumerate(names, 1))
    relations = "".join(
        f'<Relationship Id="rId{n}" Type="{OFFICE}/worksheet" Target="worksheets/sheet{n}.xml"/>'
        for n in range(1, len(names) + 1)
    )
    kinds = {"sharedStrings": shared, "styles": styles}
    for n, (kind, content) in enumerate(kinds.items(), start=50):
        if content:
            relations += f'<Relationship Id="rId{n}" Type="{OFFICE}/{kind}" Target="{kind}.xml"/>'
    overrides = "".join(
        f'<Override PartName="/xl/{k}.xml" ContentType="{TYPE}.{k}+xml"/>' for k, c in kinds.items() if c
    )
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{PACKAGE}/content-types"><Default Extension="rels" '
        'ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" '
        f'ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="{TYPE}.sheet.main+xml"/>'
        f"{overrides}</Types>",
        "_rels/.rels": f'<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="rId1" '
        f'Type="{OFFICE}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook xmlns="{MAIN}" xmlns:r="{OFFICE}">{workbook.partition("|")[0]}<sheets>{entries}'
        f"</sheets>{workbook.partition('|')[2]}</workbook>",
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{PACKAGE}/relationships">{relations}</Relationships>',
    }
    for n in range(1, len(names) + 1):
        content = rows if n == 1 else ""
        parts[f"xl/worksheets/sheet{n}.xml"] = (
            f'<worksheet xmlns="{MAIN}" xmlns:r="{OFFICE}">{before if n == 1 else ""}'
            f"<sheetData>{content}</sheetData>{after if n == 1 else ''}</worksheet>"
        )
    if shared:
        items = "".join(item if item.startswith("<si") else f"<si><t>{item}</t></si>" for item in shared)
        parts["xl/sharedStrings.xml"] = f'<sst xmlns="{MAIN}">{items}</sst>'
    if styles:
        parts["xl/styles.xml"] = styles
    return {**parts, **(extra or {})}


def zipped(parts, method=zipfile.ZIP_DEFLATED):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        for name, content in parts.items():
            archive.writestr(zipfile.ZipInfo(name), content, method)
    return out.getvalue()


def written(path, *args, **kwargs):
    """Write a workbook by hand, and give its path."""
    path.write_bytes(zipped(parts_of(*args, **kwargs)))
    return path


def members(data):
    """Content of every part of a package."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}
