"""Workbooks read with the standard library alone: values and formulas by sheet, row and column."""

from __future__ import annotations

import io
import re
import zipfile
from xml.etree import ElementTree

_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_ID = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"


def read(data):
    """(name, {(row, column): value}, {(row, column): formula}) of each sheet, in order."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        part = {name: archive.read(name) for name in archive.namelist()}
    texts = []
    if "xl/sharedStrings.xml" in part:
        for item in ElementTree.fromstring(part["xl/sharedStrings.xml"]).iter(f"{_MAIN}si"):
            texts.append("".join(piece.text or "" for piece in item.iter(f"{_MAIN}t")))
    relations = ElementTree.fromstring(part["xl/_rels/workbook.xml.rels"])
    targets = {one.get("Id"): one.get("Target").removeprefix("/xl/") for one in relations}
    for entry in ElementTree.fromstring(part["xl/workbook.xml"]).iter(f"{_MAIN}sheet"):
        yield entry.get("name"), *_sheet(ElementTree.fromstring(part["xl/" + targets[entry.get(_ID)]]), texts)


def _sheet(root, texts):
    values, formulas, shared = {}, {}, {}
    for cell in root.iter(f"{_MAIN}c"):
        letters, row = re.fullmatch(r"([A-Z]+)(\d+)", cell.get("r")).groups()
        column = 0
        for letter in letters:
            column = column * 26 + ord(letter) - 64
        place = int(row), column
        found, formula = cell.find(f"{_MAIN}v"), cell.find(f"{_MAIN}f")
        if formula is not None:
            if formula.get("t") == "shared" and formula.text:
                shared[formula.get("si")] = formula.text
            formulas[place] = formula.text or shared[formula.get("si")]
        kind, raw = cell.get("t", "n"), None if found is None else found.text or ""
        if kind == "inlineStr":
            values[place] = "".join(piece.text or "" for piece in cell.iter(f"{_MAIN}t"))
        elif raw is not None:
            values[place] = (
                texts[int(raw)]
                if kind == "s"
                else raw == "1"
                if kind == "b"
                else raw
                if kind in ("str", "e")
                else float(raw)
            )
    return values, formulas
