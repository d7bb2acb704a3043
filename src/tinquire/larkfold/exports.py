"""Workbooks as four depots' programs export them, each in its own way of writing the format.

Written by hand, part by part, and not with our own writer: what reads them must cope with what others write.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import TypeAlias
from xml.sax.saxutils import escape

__all__ = ["DIALECTS", "Dialect", "export", "table_workbook"]

Cell: TypeAlias = "str | float | date | None"

_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml"
_STAMP = (2026, 11, 2, 7, 0, 0)
_DATE_STYLE = 1


@dataclass(frozen=True, slots=True)
class Dialect:
    """How one program writes: texts shared or in place, cells with addresses or without, a prefix or none."""

    prefix: str = ""
    shared: bool = True
    addresses: bool = True
    absolute: bool = False


DIALECTS = {
    "northgate": Dialect(),
    "millrace": Dialect(prefix="x", shared=False),
    "harbour": Dialect(shared=False),
    "uplands": Dialect(addresses=False, absolute=True),
}


def export(rows: Sequence[Sequence[Cell]], sheet: str, dialect: Dialect) -> bytes:
    """A workbook of one sheet; dates become serials with a date format."""
    texts: dict[str, int] = {}
    data = _sheet_data(rows, dialect, texts)
    return _zipped(_parts(sheet, data, dialect, list(texts)))


def table_workbook(rows: Sequence[Sequence[Cell]], sheet: str, table: str, totals: bool = False) -> bytes:
    """A workbook whose sheet is one table, headings in the first row."""
    texts: dict[str, int] = {}
    dialect = DIALECTS["northgate"]
    last = f"{_letter(len(rows[0]))}{len(rows)}"
    data = _sheet_data(rows, dialect, texts) + '<tableParts count="1"><tablePart r:id="rId1"/></tableParts>'
    parts = _parts(sheet, data, dialect, list(texts))
    columns = "".join(f'<tableColumn id="{n}" name="{escape(str(name))}"/>' for n, name in enumerate(rows[0], start=1))
    parts["xl/tables/table1.xml"] = (
        f'{_HEAD}<table xmlns="{_MAIN}" id="1" name="{table}" displayName="{table}" ref="A1:{last}" '
        f'totalsRowShown="0"><autoFilter ref="A1:{last}"/>'
        f'<tableColumns count="{len(rows[0])}">{columns}</tableColumns></table>'
    )
    parts["xl/worksheets/_rels/sheet1.xml.rels"] = (
        f'{_HEAD}<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="rId1" '
        f'Type="{_OFFICE}/table" Target="../tables/table1.xml"/></Relationships>'
    )
    override = f'<Override PartName="/xl/tables/table1.xml" ContentType="{_TYPE}.table+xml"/></Types>'
    parts["[Content_Types].xml"] = parts["[Content_Types].xml"].replace("</Types>", override)
    return _zipped(parts)


def _letter(number: int) -> str:
    return chr(64 + number)


def _sheet_data(rows: Sequence[Sequence[Cell]], dialect: Dialect, texts: dict[str, int]) -> str:
    p = f"{dialect.prefix}:" if dialect.prefix else ""
    lines = []
    for number, row in enumerate(rows, start=1):
        cells = "".join(
            _cell(value, f"{_letter(column)}{number}", dialect, texts)
            for column, value in enumerate(row, start=1)
            if value is not None or not dialect.addresses
        )
        address = f' r="{number}"' if dialect.addresses else ""
        lines.append(f"<{p}row{address}>{cells}</{p}row>")
    return f"<{p}sheetData>{''.join(lines)}</{p}sheetData>"


def _cell(value: Cell, address: str, dialect: Dialect, texts: dict[str, int]) -> str:
    p = f"{dialect.prefix}:" if dialect.prefix else ""
    at = f' r="{address}"' if dialect.addresses else ""
    if value is None:
        return f"<{p}c{at}/>"
    if isinstance(value, date):
        serial = (value - date(1899, 12, 30)).days
        return f'<{p}c{at} s="{_DATE_STYLE}"><{p}v>{serial}</{p}v></{p}c>'
    if isinstance(value, str) and dialect.shared:
        return f'<{p}c{at} t="s"><{p}v>{texts.setdefault(value, len(texts))}</{p}v></{p}c>'
    if isinstance(value, str):
        return f'<{p}c{at} t="inlineStr"><{p}is><{p}t>{escape(value)}</{p}t></{p}is></{p}c>'
    return f"<{p}c{at}><{p}v>{value:.15g}</{p}v></{p}c>"


def _parts(sheet: str, data: str, dialect: Dialect, texts: list[str]) -> dict[str, str]:
    p = f"{dialect.prefix}:" if dialect.prefix else ""
    space = f'xmlns:{dialect.prefix}="{_MAIN}"' if dialect.prefix else f'xmlns="{_MAIN}"'
    root = "/xl/" if dialect.absolute else ""
    kinds = {"worksheets/sheet1": "worksheet", "styles": "styles", "sharedStrings": "sharedStrings"}
    if not dialect.shared:
        del kinds["sharedStrings"]
    overrides = "".join(
        f'<Override PartName="/xl/{part}.xml" ContentType="{_TYPE}.{kind}+xml"/>' for part, kind in kinds.items()
    )
    relations = "".join(
        f'<Relationship Id="rId{n}" Type="{_OFFICE}/{kind}" Target="{root}{part}.xml"/>'
        for n, (part, kind) in enumerate(kinds.items(), start=1)
    )
    parts = {
        "[Content_Types].xml": f'{_HEAD}<Types xmlns="{_PACKAGE}/content-types">'
        f'<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        f'<Default Extension="xml" ContentType="application/xml"/>'
        f'<Override PartName="/xl/workbook.xml" ContentType="{_TYPE}.sheet.main+xml"/>{overrides}</Types>',
        "_rels/.rels": f'{_HEAD}<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="rId1" '
        f'Type="{_OFFICE}/officeDocument" Target="{"/" if dialect.absolute else ""}xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'{_HEAD}<{p}workbook {space} xmlns:r="{_OFFICE}"><{p}sheets>'
        f'<{p}sheet name="{escape(sheet)}" sheetId="1" r:id="rId1"/></{p}sheets></{p}workbook>',
        "xl/_rels/workbook.xml.rels": f'{_HEAD}<Relationships xmlns="{_PACKAGE}/relationships">'
        f"{relations}</Relationships>",
        "xl/styles.xml": f'{_HEAD}<{p}styleSheet {space}><{p}numFmts count="1"><{p}numFmt numFmtId="164" '
        f'formatCode="dd/mm/yyyy"/></{p}numFmts><{p}fonts count="1"><{p}font><{p}sz val="10"/></{p}font></{p}fonts>'
        f'<{p}fills count="2"><{p}fill><{p}patternFill patternType="none"/></{p}fill><{p}fill>'
        f'<{p}patternFill patternType="gray125"/></{p}fill></{p}fills><{p}borders count="1"><{p}border/></{p}borders>'
        f'<{p}cellStyleXfs count="1"><{p}xf/></{p}cellStyleXfs><{p}cellXfs count="2"><{p}xf xfId="0"/>'
        f'<{p}xf numFmtId="164" applyNumberFormat="1" xfId="0"/></{p}cellXfs></{p}styleSheet>',
        "xl/worksheets/sheet1.xml": f'{_HEAD}<{p}worksheet {space} xmlns:r="{_OFFICE}">{data}</{p}worksheet>',
    }
    if dialect.shared:
        items = "".join(f"<{p}si><{p}t>{escape(text)}</{p}t></{p}si>" for text in texts)
        parts["xl/sharedStrings.xml"] = f"{_HEAD}<{p}sst {space}>{items}</{p}sst>"
    return parts


def _zipped(parts: dict[str, str]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in parts.items():
            archive.writestr(zipfile.ZipInfo(name, _STAMP), content.encode(), zipfile.ZIP_DEFLATED)
    return out.getvalue()
