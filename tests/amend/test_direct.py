"""The short way to set a cell gives what the long way gives, or says that it does not suit."""

from __future__ import annotations

from xml.etree.ElementTree import canonicalize

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from books import full_book
from parts import members, parts_of, zipped
from richbook import rich_parts
from tinquire.amend import Amendment, NotAsExpectedError, amend_file, apply_amendments
from tinquire.amend.direct import amend_bytes, suits
from tinquire.base.faults import AccessError
from tinquire.cells import cell_name
from tinquire.packages.package import Package
from tinquire.packages.raw_xml import Unusual
from tinquire.workbook import Workbook
from tinquire.workbook.direct_workbook import DirectBook
from tinquire.workbook.inspect.conformance import conformance_findings

ROWS = (
    '<row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" s="1"><v>2.5</v></c><c r="C1"/></row>'
    '<row r="2" spans="1:3"><c r="A2" t="str"><v>a &amp; b</v></c><c r="B2" t="b"><v>1</v></c><c r="C2" t="e"><v>#N/A</v></c></row>'
    '<row r="40"><c r="A40" t="s"><v>1</v></c><c r="B40"><f>B1*2</f><v>5</v></c></row>'
)
STYLES = (
    '<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><fonts count="1"><font/></fonts><fills '
    'count="2"><fill/><fill/></fills><borders count="1"><border/></borders><cellStyleXfs count="1"><xf/></cellStyleXfs>'
    '<cellXfs count="2"><xf/><xf numFmtId="10"/></cellXfs></styleSheet>'
)


def plain_book(**kwargs):
    return zipped(parts_of(ROWS, shared=["linen", "<si><r><t>ri</t></r><r><t>ch</t></r></si>"], styles=STYLES,
                           workbook='|<calcPr calcId="1"/>', sheets=["Data", "Other"], **kwargs))  # fmt: skip


BOOKS = {"plain": plain_book(), "stored": plain_book(), "ours": full_book().to_bytes(), "rich": zipped(rich_parts())}
cells = st.tuples(
    st.sampled_from(["Data", "Other", "Lists", "Second", "Sheet1"]), st.integers(1, 41), st.integers(1, 4)
)
values = st.one_of(
    st.floats(allow_nan=False, allow_infinity=False),
    st.integers(-99, 99),
    st.booleans(),
    st.text("a<&=é \n", max_size=5),
)


def the_long_way(path, amendments):
    book = Workbook.open(path)
    changes = apply_amendments(book, amendments)
    if changes and book.may_hold_formulas():
        book.mark_stale()
    return changes, book.to_bytes()


@settings(max_examples=150)
@given(st.sampled_from(sorted(BOOKS)), cells, values, st.one_of(st.none(), values))
def test_the_short_way_is_the_long_way(tmp_path_factory, name, cell, value, expect):
    sheet, row, column = cell
    stated = {} if expect is None else {"expect": expect}
    amendment = Amendment(at=f"{sheet}!{cell_name(row, column)}", value=value, **stated)
    assert suits(amendment)
    try:
        changes, data = amend_bytes(BOOKS[name], [amendment])
    except (Unusual, ValueError):
        return
    folder = tmp_path_factory.mktemp("direct")
    (folder / "a.xlsx").write_bytes(BOOKS[name])
    expected, long = the_long_way(folder / "a.xlsx", [amendment])
    assert changes == expected
    (folder / "b.xlsx").write_bytes(data)
    assert conformance_findings(Package.open(folder / "b.xlsx")) == []
    ours, theirs = members(data), members(long)
    if changes:
        frames = [canonicalize(parts.pop("xl/workbook.xml").decode()) for parts in (ours, theirs)]
        assert frames[0] == frames[1] and ours == theirs, "part for part, byte for byte"


SUITED = [
    ("Data!B1", 2.5, 7),
    ("Data!A1", "linen", "new"),
    ("Data!A40", "rich", "linen"),
    ("Data!D9", "", 1),
    ("Other!A1", "", "x"),
]


@pytest.mark.parametrize(("place", "expect", "value"), SUITED)
def test_plain_files_are_amended_the_short_way(place, expect, value):
    changes, data = amend_bytes(BOOKS["plain"], [Amendment(at=place, expect=expect, value=value)])
    assert len(changes) == 1
    book = DirectBook(data)
    assert b'fullCalcOnLoad="1"' in book.read("xl/workbook.xml")
    untouched = [part for part, content in members(BOOKS["plain"]).items() if members(data)[part] == content]
    assert len(untouched) >= 4


UNSUITED = {
    "a table's sheet": (zipped(rich_parts()), {"at": "Data!B3", "value": 1}),
    "a formula": (BOOKS["plain"], {"at": "Data!B40", "value": 1}),
    "not as expected": (BOOKS["plain"], {"at": "Data!B1", "expect": 3, "value": 1}),
    "no such sheet": (BOOKS["plain"], {"at": "Date!B1", "value": 1}),
    "cells without addresses": (zipped(parts_of("<row><c><v>1</v></c></row>")), {"at": "Sheet1!A1", "value": 2}),
    "a comment among cells": (zipped(parts_of('<!-- x --><row r="1"><c r="A1"><v>1</v></c></row>')), {"at": "Sheet1!A1", "value": 2}),
    "cut short": (BOOKS["plain"][:-40], {"at": "Data!B1", "value": 1}),
    "a wrong sum": (BOOKS["plain"].replace(b"PK\x01\x02", b"PK\x01\x03", 1), {"at": "Data!B1", "value": 1}),
}  # fmt: skip


@pytest.mark.parametrize("label", UNSUITED)
def test_what_is_unusual_goes_the_long_way(label):
    data, amendment = UNSUITED[label]
    with pytest.raises(Unusual):
        amend_bytes(data, [Amendment(**amendment)])


@settings(max_examples=80)
@given(st.integers(0, len(BOOKS["plain"]) - 1), st.integers(0, 255))
@example(place=BOOKS["plain"].rindex(b"PK\x01\x02") + 30, byte=1)  # the last entry runs into the directory's end
def test_damaged_files_end_in_a_report(tmp_path_factory, place, byte):
    """A byte changed anywhere: the file is amended, left alone or told to be damaged; nothing half-written."""
    data = bytearray(BOOKS["plain"])
    data[place] = byte
    folder = tmp_path_factory.mktemp("damaged")
    (folder / "a.xlsx").write_bytes(bytes(data))
    report = amend_file(folder / "a.xlsx", [Amendment(at="Data!B1", value=7)], folder / "out" / "a.xlsx")
    written = list(folder.glob("out/*"))
    assert (report.written is not None) == bool(written)
    if written:
        try:
            assert Workbook.open(written[0]).sheet("Data").value(1, 2) == 7.0
        except AccessError:  # damage in a part that nothing touched: it is copied as it lay
            with pytest.raises(AccessError):
                Workbook.open(folder / "a.xlsx").sheet("Data")


def test_amendments_that_say_more_do_not_suit():
    for more in (
        {"format": "0"},
        {"look": {"bold": True}},
        {"matching": "x"},
        {"expect_formula": "A1"},
        {"expect_cells": 1},
    ):
        assert not suits(Amendment(at="S!A1", value=1, **more))
    for place in ("A1", "S!A1:A2", "S!A:A", "A:B!A1", "[1]S!A1"):
        assert not suits(Amendment(at=place, value=1))
    assert suits(Amendment(at="A1", sheet="S", value=1)) and not suits(Amendment(at="A1", sheet="S*", value=1))
    with pytest.raises(NotAsExpectedError):
        apply_amendments(full_book(), [Amendment(at="Nowhere!A1", value=1)])
