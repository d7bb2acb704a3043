"""Damaged and hostile files: every command ends in an answer or in a message, in bounded time, and writes all or nothing."""

from __future__ import annotations

import io
import re
import struct
import zipfile
import zlib

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from lxml import etree

from parts import MAIN, OFFICE, PACKAGE, zipped
from richbook import rich_parts
from tinquire.cells.address import MAX_COLUMN, MAX_ROW
from tinquire.cli.main import main
from tinquire.packages.package import Package
from tinquire.packages.xml import parse_xml
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.parts.drawn import read_drawn
from tinquire.workbook.parts.fonts import font_size
from tinquire.workbook.parts.page_setup import read_page_setup

RICH = rich_parts()
WHOLE = zipped(RICH)
PARTS = sorted(RICH)


def commands(path, folder):
    """Every command that opens a workbook, in ways that look at all of it."""
    return [
        ["show", path, "--json"],
        ["show", path, "--conformance"],
        ["values", path, "--out", folder / "values.xlsx"],
        ["amend", path, "--at", "Data!B3", "--value", "7", "--out", folder / "amended"],
        ["amend", path, "--heading", "Pieces", "--formula", "[Item]&1", "--out", folder / "filled"],
        ["split", path, "--out", folder / "split"],
        ["split", path, "--by-column", "Item", "--out", folder / "by item"],
        ["stack", path, "--into", "sheets", "--out", folder / "stacked.xlsx"],
        ["split", path, "--by-column", "Item", "--into", "sheets", "--out", folder / "sheets"],
        ["compare", path, path],
        ["learn", path, path],
        ["learn", path, "--sheets", "Data", "Lists"],
        ["print", path, "--to", folder / "page.html"],
    ]


def survives(data, folder):
    """Run all commands on a file's bytes; what they write is whole, and sound if the file was."""
    path = folder / "a.xlsx"
    path.write_bytes(data)
    was_sound = _sound(path)
    for command in commands(path, folder):
        assert main([str(word) for word in command]) in (0, 1, 2, 3), command
    for written in folder.rglob("*.xlsx") if was_sound else ():
        assert zipfile.ZipFile(written).testzip() is None
        assert _sound(written), f"{written} is not sound"
    assert path.read_bytes() == data, "inputs are read only"
    assert not list(folder.rglob(".*")), "nothing half-written is left behind"
    return was_sound


def _sound(path):
    try:
        return not conformance_findings(Package.open(path))
    except Exception:
        return False


@settings(max_examples=25, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.tuples(st.integers(0, len(WHOLE) - 1), st.integers(0, 255)), min_size=1, max_size=4))
@example([(WHOLE.rindex(b"xl/worksheets/_rels"), 0)])  # a name that ends before it begins
@example([(WHOLE.rindex(b"PK\x05\x06") + 18, 1)])  # a directory that begins before the file
def test_flipped_bytes(tmp_path_factory, changes):
    data = bytearray(WHOLE)
    for place, byte in changes:
        data[place] = byte
    survives(bytes(data), tmp_path_factory.mktemp("flipped"))


@settings(max_examples=25, suppress_health_check=[HealthCheck.too_slow])
@given(st.sampled_from(PARTS), st.data())
def test_damaged_parts(tmp_path_factory, part, data):
    """A part that is missing, cut short, blank, of another kind, or with a piece of it gone or doubled."""
    content = RICH[part]
    start = data.draw(st.integers(0, len(content)))
    stop = data.draw(st.integers(start, min(len(content), start + 40)))
    damaged = data.draw(st.sampled_from([
        None, "", "<x/>", content[:start], content[:start] + content[stop:], content[:stop] + content[start:],
        content.replace('"', "'"), content.encode("utf-16"), RICH["xl/workbook.xml"],
    ]))  # fmt: skip
    parts = {name: other for name, other in RICH.items() if name != part}
    if damaged is not None:
        parts[part] = damaged
    survives(zipped(parts), tmp_path_factory.mktemp("parts"))


@pytest.mark.parametrize("length", [0, 3, 30, 500, len(WHOLE) // 2, len(WHOLE) - 30, len(WHOLE) - 1])
def test_truncated_files(length, tmp_path):
    assert not survives(WHOLE[:length], tmp_path)


def with_part(name, content):
    return zipped({**RICH, name: content})


def relations(*pairs):
    entries = "".join(
        f'<Relationship Id="rId{n}" Type="{OFFICE}/{kind}" Target="{target}"/>'
        for n, (kind, target) in enumerate(pairs, 1)
    )
    return f'<Relationships xmlns="{PACKAGE}/relationships">{entries}</Relationships>'


def false_size(data):
    """A file whose directory claims that its first sheet is larger than it is."""
    at = data.rindex(b"xl/worksheets/sheet1.xml") - 46
    return data[: at + 24] + struct.pack("<L", 1 << 30) + data[at + 28 :]


def zeros(size):
    """A part of so many blanks in a file a thousandth as large."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in RICH.items():
            if name == "xl/worksheets/sheet1.xml":
                with archive.open(name, "w", force_zip64=True) as stream:
                    for _ in range(size >> 20):
                        stream.write(bytes(1 << 20))
            else:
                archive.writestr(name, content)
    return out.getvalue()


BOMB = "<!DOCTYPE x [<!ENTITY a 'aaaaaaaaaa'>" + "".join(f"<!ENTITY {b} '&{a};&{a};&{a};&{a};&{a};&{a};&{a};&{a};'>" for a, b in zip("abcdefgh", "bcdefghi", strict=True)) + "]>"  # fmt: skip
SHEET = f'<worksheet xmlns="{MAIN}"><sheetData>%s</sheetData>%s</worksheet>'
HOSTILE = {
    "entities that unfold": with_part("xl/worksheets/sheet1.xml", BOMB + SHEET % ('<row r="1"><c r="A1" t="str"><v>&i;</v></c></row>', "")),
    "entities in the shared texts": with_part("xl/workbook.xml", BOMB + RICH["xl/workbook.xml"]),
    "an outside entity": with_part("xl/worksheets/sheet1.xml", '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]>' + SHEET % ('<row r="1"><c r="A1" t="str"><v>&a;</v></c></row>', "")),
    "a part that is its own relation": with_part("xl/worksheets/_rels/sheet1.xml.rels", relations(("drawing", "sheet1.xml"), ("table", "sheet1.xml"))),
    "relations in a ring": with_part("xl/drawings/_rels/drawing1.xml.rels", relations(("chart", "../worksheets/sheet1.xml"), ("worksheet", "../workbook.xml"))),
    "a drawing that relates to a pivot": zipped({
        **RICH, "xl/drawings/_rels/drawing1.xml.rels": relations(("chart", "../charts/chart1.xml"), ("pivotTable", "../pivotTables/pivotTable1.xml")),
        "xl/worksheets/_rels/sheet1.xml.rels": RICH["xl/worksheets/_rels/sheet1.xml.rels"].replace("</Relationships>", f'<Relationship Id="rId99" Type="{OFFICE}/pivotTable" Target="../pivotTables/pivotTable1.xml"/></Relationships>'),
        "xl/worksheets/_rels/sheet3.xml.rels": relations(),
    }),
    "drawings in a ring": with_part("xl/drawings/_rels/drawing1.xml.rels", relations(("chart", "../charts/chart1.xml"), ("drawing", "drawing1.xml"))),
    "a drawing below the grid": with_part("xl/drawings/drawing1.xml", re.sub(r"(<xdr:to>.*?<xdr:row>)\d+", r"\g<1>2147483648", RICH["xl/drawings/drawing1.xml"], count=1)),
    "a drawing before the grid": with_part("xl/drawings/drawing1.xml", re.sub(r"(<xdr:(row|col)>)\d+", r"\g<1>-7", RICH["xl/drawings/drawing1.xml"])),
    "a column before the grid": with_part("xl/worksheets/sheet1.xml", RICH["xl/worksheets/sheet1.xml"].replace('<col min="1"', '<col min="-2"')),
    "targets above the file": with_part("xl/worksheets/_rels/sheet1.xml.rels", relations(("drawing", "../../../../etc/passwd"), ("table", "/../../x"))),
    "members above the folder": zipped({**RICH, "../../evil.xlsx": "x", "/etc/evil": "x"}),
    "a member twice": WHOLE[: WHOLE.index(b"PK\x01\x02")] + WHOLE[WHOLE.index(b"PK\x01\x02") :].replace(b"xl/worksheets/sheet2.xml", b"xl/worksheets/sheet1.xml"),
    "a false size": false_size(WHOLE),
    "an eighth of a gigabyte of nothing": zeros(1 << 27),
    "twenty thousand merged cells": with_part("xl/worksheets/sheet1.xml", SHEET % ("", "<mergeCells>" + "".join(f'<mergeCell ref="A{n}:B{n}"/>' for n in range(1, 20_000)) + "</mergeCells>")),
    "cells at the grid's ends": with_part("xl/worksheets/sheet1.xml", SHEET % ('<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>2</v></c></row>', "")),
    "rows beyond the grid": with_part("xl/worksheets/sheet1.xml", SHEET % ('<row r="99999999"><c r="A99999999"><v>1</v></c></row>', "")),
    "areas that are none": with_part("xl/worksheets/sheet1.xml", SHEET % ("", '<mergeCells><mergeCell ref="ZZZZ1:!!"/></mergeCells><hyperlinks><hyperlink ref=""/></hyperlinks>')),
    "a table as wide as the grid": with_part("xl/tables/table1.xml", RICH["xl/tables/table1.xml"].replace("A1:C4", "A1:XFD1048576")),
    "a table without columns": with_part("xl/tables/table1.xml", RICH["xl/tables/table1.xml"].partition("<tableColumns")[0] + "</table>"),
    "a deep formula": with_part("xl/worksheets/sheet1.xml", SHEET % (f'<row r="1"><c r="A1"><f>{"(" * 3000}1{")" * 3000}</f></c><c r="B1"><f>{"-" * 5000}1</f></c></row>', "")),
    "a name for itself": with_part("xl/workbook.xml", RICH["xl/workbook.xml"].replace(">0.2<", ">Rate+Both<").replace("Data!$B$2:$B$4*", "Rate*")),
    "shared formulas without a master": with_part("xl/worksheets/sheet1.xml", RICH["xl/worksheets/sheet1.xml"].replace("B2*2", "")),
    "styles that are not there": with_part("xl/worksheets/sheet1.xml", RICH["xl/worksheets/sheet1.xml"].replace('<c r="B2">', '<c r="B2" s="99999">')),
    "markup twenty thousand deep": with_part("xl/worksheets/sheet1.xml", SHEET % ("", "<extLst>" + "<a>" * 20_000 + "</a>" * 20_000 + "</extLst>")),
    "compressed nonsense": WHOLE.replace(zlib.compress(b"x")[:2], b"\x00\x00"),
}  # fmt: skip


@pytest.mark.parametrize("label", HOSTILE)
def test_hostile_files(label, tmp_path):
    survives(HOSTILE[label], tmp_path)
    assert {path.name for path in tmp_path.parent.iterdir()} == {tmp_path.name} or not (
        tmp_path.parent / "evil.xlsx"
    ).exists()


@pytest.mark.parametrize(
    ("stated", "size"),
    [("INF", 0.0), ("1e999", 0.0), ("nan", 0.0), ("-3", 0.0), ("x", 0.0), ("", 0.0), ("9999", 409.0), ("10.5", 10.5)],
)
def test_sizes_of_letters_that_are_none(stated, size):
    assert font_size(etree.fromstring(f'<font xmlns="{MAIN}"><sz val="{stated}"/></font>')) == size


@pytest.mark.parametrize("stated", ["INF", "1e999", "nan", "x", "1000", "-1e5"])
def test_margins_wider_than_any_paper_are_damage(stated):
    def of(left):
        frame = f'<worksheet xmlns="{MAIN}"><pageMargins left="{left}" right="0.5"/></worksheet>'
        return read_page_setup(etree.fromstring(frame)).margins

    assert of("-0.5")[:2] == (-0.5, 0.5)
    with pytest.raises(ValueError, match=r"wider than any paper|could not convert"):
        of(stated)


@pytest.mark.parametrize(
    ("line", "row", "column"),
    [("2147483648", MAX_ROW, MAX_COLUMN), ("-7", 1, 1), ("0", 1, 1), ("16384", 16385, MAX_COLUMN)],
)
def test_corners_of_drawings_are_on_the_grid(line, row, column):
    drawing = re.sub(r"(<xdr:(row|col)>)\d+", rf"\g<1>{line}", RICH["xl/drawings/drawing1.xml"])
    package = Package.from_bytes(with_part("xl/drawings/drawing1.xml", drawing), "a.xlsx")
    (chart,) = [one for one in read_drawn(package, "xl/drawings/drawing1.xml") if one.anchor.end is not None]
    assert [(corner.row, corner.column) for corner in (chart.anchor.start, chart.anchor.end)] == [(row, column)] * 2


@pytest.mark.parametrize(
    ("name", "space", "whole"),
    [("x:w:r", "x", False), ("x:r", "x", False), ("r", "x", True), ("x:r", "preserve", False)],
)
def test_names_without_their_namespace_are_damage(name, space, whole):
    data = f'<w xmlns="u"><{name}/><t xml:space="{space}">text</t></w>'.encode()
    if whole:
        assert parse_xml(data)[1].text == "text"
        return
    with pytest.raises(ValueError, match="its markup is damaged"):
        parse_xml(data)
