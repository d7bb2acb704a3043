"""Parts of a workbook hold nothing of the others' rows."""

from __future__ import annotations

import re
import zipfile

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tinquire.sources.readers.headings import rows_by_value
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.transform.split import keep_rows, keep_sheets
from tinquire.workbook.transform.values_only import keep_values

DEPOTS = ["North", "South", "West"]


def laid_out(rows, totals, folder):
    """Rows of depot and amount below a title, with totals as asked: as values or formulas, between and below."""
    book, sheet = Workbook.new(), Sheet("Charges")
    sheet.set(1, 1, "Charges of October")
    sheet.set(3, 1, "Depot")
    sheet.set(3, 2, "Amount")
    rows = sorted(rows)
    row = 4
    for place, (depot, amount) in enumerate(rows):
        sheet.set(row, 1, depot)
        sheet.set(row, 2, amount)
        row += 1
        if "between" in totals and (place + 1 == len(rows) or rows[place + 1][0] != depot):
            sheet.set(row, 1, f"{depot} total")
            sheet.set(row, 2, sum(a for d, a in rows if d == depot))
            row += 1
    total = sum(amount for _, amount in rows)
    if "value" in totals:
        sheet.set(row, 1, "Total")
        sheet.set(row, 2, total)
    if "formula" in totals:
        sheet.set(row, 1, "Total")
        sheet.set(row, 2, total, None, f"SUM(B4:B{row - 1})")
    if "beside" in totals:
        sheet.set(1, 5, total)
        sheet.set(2, 5, f"In all {total:,.2f}")
        sheet.set(5, 7, rows[0][1] + rows[-1][1] + 0.25)
        sheet.set(6, 7, total, None, "Other!A1")
    book.add_sheet(sheet)
    other = Sheet("Other")
    other.set(1, 1, total)
    book.add_sheet(other)
    book.save(folder / "all.xlsx")
    return rows


def test_a_name_that_begins_like_a_total_is_no_total(tmp_path):
    book, sheet = Workbook.new(), Sheet("A")
    for row, (item, pieces) in enumerate(
        [("Item", "Pieces"), ("Lamp", 2.0), ("Total eclipse", 5.0), ("Lamp", 3.0), ("Total", 10.0)], start=1
    ):
        sheet.set(row, 1, item)
        sheet.set(row, 2, pieces)
    book.add_sheet(sheet)
    groups = rows_by_value(book, "Item")
    assert groups.rows == {"Lamp": (2, 4), "Total eclipse": (3,)} and groups.sums == {}


# Amounts that no sum of others makes: each has a decimal place of its own.
ROWS = st.lists(st.sampled_from(DEPOTS), min_size=2, max_size=9).map(
    lambda depots: [(depot, 1000.0 * (n + 1) + 2.0**n / 1024) for n, depot in enumerate(depots)]
)
TOTALS = st.sets(st.sampled_from(["between", "value", "formula", "beside"]))


@settings(max_examples=60)
@given(rows=ROWS, totals=TOTALS)
def test_no_number_of_anothers_rows_is_in_a_part(tmp_path_factory, rows, totals):
    folder = tmp_path_factory.mktemp("split")
    rows = laid_out(rows, totals, folder)
    groups = rows_by_value(Workbook.open(folder / "all.xlsx"), "Depot")
    assert set(groups.rows) == {depot for depot, _ in rows}
    for depot, own in groups.rows.items():
        book = Workbook.open(folder / "all.xlsx")
        keep_rows(book, groups.sheet, own, groups.every, groups.columns, groups.sums)
        recalculate(book)
        book.save(folder / f"{depot}.xlsx")
        mine = [amount for other, amount in rows if other == depot]
        allowed = {*mine, sum(mine), 2 * sum(mine), float(len(mine))}  # a total over subtotals, too, counts twice
        with zipfile.ZipFile(folder / f"{depot}.xlsx") as archive:
            text = b"".join(archive.read(n) for n in archive.namelist() if "sheet" in n or "Strings" in n).decode()
        for number in re.findall(r"<v>([0-9.]+)</v>", text):
            assert float(number) < 100 or any(float(number) == pytest.approx(one, rel=1e-12) for one in allowed)
        if {depot for depot, _ in rows} != {depot}:
            assert f"{sum(amount for _, amount in rows):,.2f}" not in text


def test_connections_and_empty_formula_elements_do_not_stay(tmp_path):
    """Paths of other people's folders go with the queries that used them; an array's cells become plain values."""
    book = Workbook.new()
    for name in ("A", "B"):
        sheet = Sheet(name)
        sheet.set(1, 1, 1.0)
        sheet.set_spilling(1, 2, "SEQUENCE(2)")
        book.add_sheet(sheet)
    recalculate(book)
    book.save(tmp_path / "plain.xlsx")
    kind = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/connections"
    with zipfile.ZipFile(tmp_path / "plain.xlsx") as source, zipfile.ZipFile(tmp_path / "all.xlsx", "w") as target:
        for name in source.namelist():
            text = source.read(name).decode()
            if name == "xl/_rels/workbook.xml.rels":
                text = text.replace(
                    "</Relationships>",
                    f'<Relationship Id="rId77" Type="{kind}" Target="connections.xml"/></Relationships>',
                )
            if name == "[Content_Types].xml":
                text = text.replace(
                    "</Types>",
                    '<Override PartName="/xl/connections.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.connections+xml"/></Types>',
                )
            target.writestr(name, re.sub(r'<c r="B2"([^>]*)><v>', r'<c r="B2"\1><f ca="1"/><v>', text))
        target.writestr(
            "xl/connections.xml",
            '<connections xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><connection id="1" odcFile="C:/Users/ada/till.odc"/></connections>',
        )
    book = Workbook.open(tmp_path / "all.xlsx")
    keep_sheets(book, ["A"])
    keep_values(book)
    book.save(tmp_path / "part.xlsx")
    with zipfile.ZipFile(tmp_path / "part.xlsx") as archive:
        assert not [name for name in archive.namelist() if "connections" in name]
        assert b"connections" not in archive.read("[Content_Types].xml") + archive.read("xl/_rels/workbook.xml.rels")
        sheets = [archive.read(name) for name in archive.namelist() if "worksheets/sheet" in name]
    assert len(sheets) == 1 and b"<f" not in sheets[0] and sheets[0].count(b"<v>") == 3


def test_a_part_that_is_something_else_as_well_stays():
    """A relationship of another kind that leads to the sheet's drawing goes, and the drawing stays."""
    book, sheet = Workbook.new(), Sheet("A")
    sheet.set(1, 1, 1.0)
    book.add_sheet(sheet)
    book.add_sheet(Sheet("B"))
    book.settle()
    package, part = book.package, book.entries[0].part
    kinds = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package.put("xl/drawings/drawing1.xml", b"<wsDr/>")
    package.put("xl/drawings/drawing2.xml", b"<wsDr/>")
    for kind, number in (("drawing", 1), ("pivotTable", 1), ("pivotTable", 2)):
        package.relate(part, f"{kinds}/{kind}", f"xl/drawings/drawing{number}.xml")
    keep_sheets(book, ["A"])
    assert [(one.kind, one.target) for one in package.relations(part)] == [("drawing", "xl/drawings/drawing1.xml")]
    assert package.has("xl/drawings/drawing1.xml") and not package.has("xl/drawings/drawing2.xml")
