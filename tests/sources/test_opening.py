"""Files that are not what their names say, OpenDocument sheets and web pages: read, or told what they are."""

from __future__ import annotations

import pytest

from parts import zipped
from tinquire.base.faults import TinQuireError
from tinquire.cells import CellError
from tinquire.packages.package import Package
from tinquire.sources import SourceSpec, gather
from tinquire.sources.readers.detect import FileKind, open_sheets
from tinquire.workbook.inspect.conformance import conformance_findings

ODF = "urn:oasis:names:tc:opendocument:xmlns"
NAMES = f'xmlns:office="{ODF}:office:1.0" xmlns:table="{ODF}:table:1.0" xmlns:text="{ODF}:text:1.0"'
TYPE = "application/vnd.oasis.opendocument.spreadsheet"


def cell(kind="", text="", **attributes):
    stated = "".join(
        f' {"table" if "number" in key or key == "formula" else "office"}:{key.replace("_", "-")}="{value}"'
        for key, value in attributes.items()
    )
    typed = f' office:value-type="{kind}"' if kind else ""
    return f"<table:table-cell{typed}{stated}>{f'<text:p>{text}</text:p>' if text else ''}</table:table-cell>"


def document(*rows, name="Linen", extra="", flat=False):
    body = "".join(
        row if row.startswith("<table:table-row") else f"<table:table-row>{row}</table:table-row>" for row in rows
    )
    root = "document" if flat else "document-content"
    return (
        f'<?xml version="1.0"?><office:{root} {NAMES}><office:body><office:spreadsheet><table:table table:name="{name}">'
        f"{body}</table:table>{extra}</office:spreadsheet></office:body></office:{root}>"
    )


def ods(content, manifest="<m/>"):
    return zipped({"mimetype": TYPE, "content.xml": content, "META-INF/manifest.xml": manifest}, method=0)


#: Cells of one row, and what they are read as.
CELLS = [
    (cell("float", "1,5", value="1.5"), [1.5]),
    (cell("string", "bed <text:s text:c=\"2\"/>x<text:line-break/>y").replace("text:c", "text:c"), ["bed   x\ny"]),
    (cell("string", "a</text:p><text:p>b"), ["a\nb"]),
    (cell("string") .replace("/>", "/>"), [""]),
    (cell("boolean", "WAHR", boolean_value="true"), [True]),
    (cell("percentage", "5 %", value="0.05"), [0.05]),
    (cell("date", "1.10.26", date_value="2026-10-01"), [46296.0]),
    (cell("date", "", date_value="2026-10-01T12:00:00"), [46296.5]),
    (cell("time", "", time_value="PT36H00M00S"), [1.5]),
    (cell("string", "#N/A", formula="of:=NA()"), [CellError.NA]),
    (cell("float", value="2", formula="of:=1+1"), [2.0]),
    (cell("float", value="7", number_columns_repeated="3"), [7.0, 7.0, 7.0]),
    (cell() + cell("float", value="1"), [None, 1.0]),
    ("<table:covered-table-cell/>" + cell("float", value="1"), [None, 1.0]),
    ("<table:table-cell office:value-type='string'><office:annotation><text:p>note</text:p></office:annotation><text:p>own</text:p></table:table-cell>", ["own"]),
    (cell(number_columns_repeated="16384"), []),
]  # fmt: skip


@pytest.mark.parametrize(("cells", "expected"), CELLS)
def test_open_document_cells(cells, expected, tmp_path):
    for flat in (False, True):
        path = tmp_path / "a.ods"
        content = document(cells, flat=flat)
        path.write_bytes(content.encode() if flat else ods(content))
        book, kind = open_sheets(path)
        assert kind is (FileKind.FLAT_DOCUMENT if flat else FileKind.OPEN_DOCUMENT)
        sheet = book.sheet("Linen")
        assert [sheet.value(1, n + 1) for n in range(len(expected))] == expected
        assert sheet.used is None or sheet.used.right == len(expected)


def test_open_document_sheets(tmp_path, tinquire):
    """Repeated rows, merged cells, hidden rows, names of ranges; what was read is sound when it is kept."""
    header = cell("string", "Item") + cell("string", "Day") + cell("string", "Pieces")
    line = cell("string", "Sheet") + cell("date", date_value="2026-10-02") + cell("float", value="3")
    rows = (
        f"<table:table-row>{header}</table:table-row>",
        f'<table:table-row table:number-rows-repeated="3" table:visibility="collapse">{line}</table:table-row>',
        '<table:table-row table:number-rows-repeated="1048000"><table:table-cell/></table:table-row>',
    )
    names = '<table:named-expressions><table:named-range table:name="counts" table:cell-range-address="$Linen.$C$2:.$C$4"/></table:named-expressions>'
    path = tmp_path / "pickups.ods"
    path.write_bytes(ods(document(*rows, extra=names)))
    book, _ = open_sheets(path)
    sheet = book.sheet("Linen")
    assert sheet.used.bottom == 4 and sheet.hidden_rows == {2, 3, 4}
    assert [one.formula for one in book.names] == ["Linen!$C$2:$C$4"]
    assert book.styles.number_format(sheet.style(3, 2)) == "yyyy-mm-dd"
    book.save(tmp_path / "kept.xlsx")
    assert conformance_findings(Package.open(tmp_path / "kept.xlsx")) == []
    table = gather(SourceSpec("pickups", tmp_path, file="pickups.ods")).table
    assert [field.type for field in table.fields] == ["text", "date", "number"] and table.height == 3
    shown = tinquire("show", path)
    assert shown.code == 0 and "an OpenDocument sheet; its values were read" in shown.out and "2026-10-02" in shown.out


PAGE = (
    "<html><body><h1>Export</h1><table><tr><th>Item</th><th>Pieces</th><th>Note</th></tr>"
    "<tr><td rowspan=2>Sheet &amp; towel</td><td>3</td><td>a<br>b</td></tr><tr><td>4</td></tr></table></body></html>"
)
#: A file named .xls, .xlsx or .csv; a column that is read from it, or why it is not.
LYING = {
    "a page": (PAGE.encode(), ["Sheet & towel", None]),
    "a page in UTF-16": (PAGE.replace("<html>", '<html><meta charset="utf-16">').encode("utf-16"), ["Sheet & towel", None]),
    "text": (b"Item;Pieces\nSheet;3\nTowel;4\n", ["Sheet", "Towel"]),
    "an OpenDocument sheet": (ods(document(cell("string", "Item") + cell("string", "Pieces"), cell("string", "Sheet") + cell("float", value="3"))), ["Sheet"]),
    "XML": (b'<?xml version="1.0"?><export><row/></export>', "it is XML of another kind"),
    "an empty page": (b"<html><p>nothing</p></html>", "a web page without tables"),
    "an old workbook": (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600), "of the old binary kind"),
    "a locked workbook": (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(600) + "EncryptedPackage".encode("utf-16-le"), "locked with a password"),
    "a locked OpenDocument sheet": (ods(document(), manifest="<m><encryption-data/></m>"), "locked with a password"),
    "an OpenDocument sheet without content": (zipped({"mimetype": TYPE}, method=0), "is missing"),
    "a damaged OpenDocument sheet": (ods(document()[:-30]), "its markup is damaged"),
    "a billion cells": (ods(document('<table:table-row table:number-rows-repeated="1000000">' + cell("float", value="1", number_columns_repeated="1000") + "</table:table-row>")), "claims"),
    "cells beyond the grid": (ods(document(cell("float", value="1", number_columns_repeated="99999"))), "runs beyond the grid"),
    "no date": (ods(document(cell("date", date_value="soon"))), "soon"),
    "pictures": (b"\x89PNG\r\n\x1a\n" + bytes(400), "not a workbook"),
}  # fmt: skip


@pytest.mark.parametrize("ending", ["xls", "xlsx", "ods"])
@pytest.mark.parametrize("label", LYING)
def test_files_that_lie_about_their_ending(label, ending, tmp_path):
    data, expected = LYING[label]
    (tmp_path / f"export.{ending}").write_bytes(data)
    spec = SourceSpec("export", tmp_path, file=f"export.{ending}")
    if isinstance(expected, str):
        with pytest.raises(TinQuireError) as caught:
            gather(spec)
        assert expected in str(caught.value)
        return
    gathered = gather(spec)
    assert list(gathered.table.columns[0])[: len(expected)] == expected
    assert any(str(note).startswith("it is ") for note in gathered.files[0].notes), "what it is, is said"


def test_show_says_what_a_text_is(tmp_path, tinquire):
    (tmp_path / "a.xlsx").write_text("Item;Pieces\n")
    outcome = tinquire("show", tmp_path / "a.xlsx")
    assert outcome.code == 0 and "it is delimited text, whatever its name says" in outcome.out
