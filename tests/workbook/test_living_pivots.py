"""Pivots worked out from their rows: layouts, filters, groups, ways of showing; what follows them; what they hold."""

import math
import re
import statistics
from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pivotbook import cache_xml, data_sheet, grid, pivot_book, pivot_xml, put_pivot, spelled
from tinquire.base.faults import DataError
from tinquire.cells.address import Area, area_name, parse_area
from tinquire.cells.column import Column
from tinquire.cells.dates import date_from_serial, serial_from_date
from tinquire.cells.values import CellError
from tinquire.looks.appearance import Appearance
from tinquire.packages.package import Package
from tinquire.press.outputs.finishing import finish_results
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.calc.stored_values import refresh_chart_parts
from tinquire.workbook.edit.names import set_name
from tinquire.workbook.inspect.audit import audit
from tinquire.workbook.inspect.conformance import conformance_findings
from tinquire.workbook.parts.pivots import pivot_area
from tinquire.workbook.pivots.caches import caches_of
from tinquire.workbook.pivots.definition import VALUES, read_definition, read_lines
from tinquire.workbook.pivots.refresh import refresh_pivots
from tinquire.workbook.pivots.stale import staleness
from tinquire.workbook.pivots.store import stored_items

H = ["Depot", "Item", "Day", "Pieces", "Charge"]
ROWS = [
    ("Harbour", "Sheet", 46000.0, 2.0, 10.0), ("Harbour", "Towel", 46030.0, 1.0, 5.0),
    ("Millrace", "Sheet", 46060.0, 4.0, 8.0), ("Uplands", "Apron", 46061.0, 3.0, 30.0),
    ("Harbour", "Sheet", 46062.0, 5.0, 20.0), ("Uplands", None, 46063.0, 1.0, 1.0),
]  # fmt: skip
P, C = ("P", 'fld="3"'), ("C", 'fld="4"')
TAB, OWN = 'compact="0" outline="0"', 'compact="0"'
PART = "xl/pivotTables/pivotTable1.xml"
CACHE, RECORDS = "xl/pivotCache/pivotCacheDefinition1.xml", "xl/pivotCache/pivotCacheRecords1.xml"
MONTHS = "".join(
    f'<s v="{month}"/>'
    for month in ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
)


def span(by, items, first="&lt;1/1/2025", base=2):
    return (
        f'<fieldGroup base="{base}"><rangePr groupBy="{by}" startDate="2025-01-01T00:00:00" '
        f'endDate="2026-01-01T00:00:00"/><groupItems><s v="{first}"/>{items}<s v="&gt;1/1/2026"/></groupItems></fieldGroup>'
    )


def bands(first, step="2", start="0", end="10"):
    return (
        f'<fieldGroup base="3"><rangePr startNum="{start}" endNum="{end}" groupInterval="{step}" autoStart="0" autoEnd="0"/>'
        f'<groupItems><s v="&lt;0"/><s v="{first}"/></groupItems></fieldGroup>'
    )


def filtered(kind, rest="", inside=""):
    return f'<filters count="1"><filter fld="0" type="{kind}" id="1" {rest}>{inside}</filter></filters>'


def top(value, kind="count", way=""):
    best = f'<top10 val="{value}" {way}/>'
    inside = f'<autoFilter ref="A1"><filterColumn colId="0">{best}</filterColumn></autoFilter>'
    return filtered(kind, 'iMeasureFld="0"', inside)


def by_value(way, data=0):
    scope = f'<autoSortScope><pivotArea><references><reference field="4294967294"><x v="{data}"/></reference></references></pivotArea></autoSortScope>'
    return (f'sortType="{way}"', scope)


def items(*marks):
    return (
        f'<items count="{len(marks)}">'
        + "".join(f'<item x="{n}" {mark}/>' for n, mark in enumerate(marks))
        + "</items>"
    )


TREE = ["Harbour", "Sheet", "Towel", "Millrace", "Sheet", "Uplands", "Apron", "(blank)"]
COMPACT = [
    "Harbour | 8",
    "Sheet | 7",
    "Towel | 1",
    "Millrace | 4",
    "Sheet | 4",
    "Uplands | 4",
    "Apron | 3",
    "(blank) | 1",
    "Grand Total | 16",
]
LAYOUTS = {
    "compact": (dict(down=["Depot", "Item"], values=[P], first=(1, 1, 1)), COMPACT),
    "sums below": (dict(down=["Depot", "Item"], values=[P], first=(1, 1, 1), fields={"Depot": 'subtotalTop="0"'}), [
        "Harbour", "Sheet | 7", "Towel | 1", "Harbour Total | 8", "Millrace", "Sheet | 4", "Millrace Total | 4", "Uplands",
        "Apron | 3", "(blank) | 1", "Uplands Total | 4", "Grand Total | 16"]),
    "outline": (dict(down=["Depot", "Item"], values=[P], fields={"Depot": OWN, "Item": OWN}), [
        "Harbour |  | 8", "| Sheet | 7", "| Towel | 1", "Millrace |  | 4", "| Sheet | 4", "Uplands |  | 4", "| Apron | 3",
        "| (blank) | 1", "Grand Total |  | 16"]),
    "a table": (dict(down=["Depot", "Item"], values=[P], fields={"Depot": TAB, "Item": TAB}), [
        "Harbour | Sheet | 7", "| Towel | 1", "Harbour Total |  | 8", "Millrace | Sheet | 4", "Millrace Total |  | 4",
        "Uplands | Apron | 3", "| (blank) | 1", "Uplands Total |  | 4", "Grand Total |  | 16"]),
    "other sums": (dict(down=["Depot", "Item"], values=[P], attributes='colGrandTotals="0"', fields={
        "Depot": TAB + ' defaultSubtotal="0" maxSubtotal="1" countASubtotal="1" insertBlankRow="1"', "Item": TAB}), [
        "Harbour | Sheet | 7", "| Towel | 1", "Harbour Count |  | 3", "Harbour Max |  | 5", "", "Millrace | Sheet | 4",
        "Millrace Count |  | 1", "Millrace Max |  | 4", "", "Uplands | Apron | 3", "| (blank) | 1", "Uplands Count |  | 2",
        "Uplands Max |  | 3", ""]),
    "no sums, every item": (dict(down=["Depot", "Item"], values=[P], attributes='colGrandTotals="0"', fields={
        "Depot": TAB + ' defaultSubtotal="0"', "Item": TAB + ' showAll="1"'}), [
        "Harbour | Sheet | 7", "| Towel | 1", "| Apron", "| (blank)", "Millrace | Sheet | 4", "| Towel", "| Apron", "| (blank)",
        "Uplands | Sheet", "| Towel", "| Apron | 3", "| (blank) | 1"]),
    "across": (dict(down=["Depot"], across=["Item"], values=[P]), [
        "| Sheet | Towel | Apron | (blank) | Grand Total", "Harbour | 7 | 1 |  |  | 8", "Millrace | 4 |  |  |  | 4",
        "Uplands |  |  | 3 | 1 | 4", "Grand Total | 11 | 1 | 3 | 1 | 16"]),
    "several values": (dict(down=["Item"], across=["Depot"], values=[P, ("M", 'fld="4" subtotal="max"')], attributes='missingCaption="-"'), [
        "| Harbour |  | Millrace |  | Uplands |  | Total P | Total M", "| P | M | P | M | P | M", "Sheet | 7 | 20 | 4 | 8 | - | - | 11 | 20",
        "Towel | 1 | 5 | - | - | - | - | 1 | 5", "Apron | - | - | - | - | 3 | 30 | 3 | 30", "(blank) | - | - | - | - | 1 | 1 | 1 | 1",
        "Grand Total | 8 | 20 | 4 | 8 | 4 | 30 | 16 | 30"]),
    "three fields": (dict(down=["Depot", "Item", "Pieces"], values=[C], fields=dict.fromkeys(["Depot", "Item", "Pieces"], TAB)), [
        "Harbour | Sheet | 2 | 10", "|  | 5 | 20", "| Sheet Total |  | 30", "| Towel | 1 | 5", "| Towel Total |  | 5",
        "Harbour Total |  |  | 35", "Millrace | Sheet | 4 | 8", "| Sheet Total |  | 8", "Millrace Total |  |  | 8",
        "Uplands | Apron | 3 | 30", "| Apron Total |  | 30", "| (blank) | 1 | 1", "| (blank) Total |  | 1",
        "Uplands Total |  |  | 31", "Grand Total |  |  | 74"]),
    "values on rows": (dict(down=["Depot", "Values"], values=[P, ("A", 'fld="4" subtotal="average"')], first=(1, 1, 1), attributes='outlineData="1"'), [
        "Harbour", "P | 8", "A | 11.66666667", "Millrace", "P | 4", "A | 8", "Uplands", "P | 4", "A | 15.5", "Total P | 16",
        "Total A | 12.33333333"]),
    "values above": (dict(down=["Values", "Depot"], values=[P, C], first=(1, 1, 1), attributes='outlineData="1" colGrandTotals="0"'), [
        "P", "Harbour | 8", "Millrace | 4", "Uplands | 4", "C", "Harbour | 35", "Millrace | 8", "Uplands | 31"]),
    "values without columns": (dict(down=["Depot"], values=[P, ("N", 'fld="1" subtotal="count"'), ("V", 'fld="3" subtotal="countNums"')]), [
        "| P | N | V", "Harbour | 8 | 3 | 3", "Millrace | 4 | 1 | 1", "Uplands | 4 | 1 | 2", "Grand Total | 16 | 5 | 6"]),
    "closed": (dict(down=["Depot", "Item"], values=[P], first=(1, 1, 1), fields={"Depot": ("", items('sd="0"', "", 'sd="0"'))}), [
        "Harbour | 8", "Millrace | 4", "Sheet | 4", "Uplands | 4", "Grand Total | 16"]),
    "hidden": (dict(down=["Depot"], values=[P], fields={"Depot": ("", items("", 'h="1"', 'n="Up"'))}), ["Harbour | 8", "Up | 4", "Grand Total | 12"]),
    "a page": (dict(down=["Depot"], values=[P], pages=[("Item", 'item="0"')]), ["Harbour | 7", "Millrace | 4", "Grand Total | 11"]),
    "several pages": (dict(down=["Depot"], values=[P], pages=[("Item", "")], fields={"Item": ("", items("", 'h="1"', 'h="1"', ""))}), [
        "Harbour | 7", "Millrace | 4", "Uplands | 1", "Grand Total | 12"]),
    "sorted": (dict(down=["Item"], values=[P], fields={"Item": 'sortType="descending"'}), ["(blank) | 1", "Towel | 1", "Sheet | 11", "Apron | 3", "Grand Total | 16"]),
    "sorted by value": (dict(down=["Depot"], values=[P], fields={"Depot": by_value("descending")}), ["Harbour | 8", "Millrace | 4", "Uplands | 4", "Grand Total | 16"]),
    "sorted within": (dict(down=["Depot", "Item"], values=[P], fields={"Depot": TAB + ' defaultSubtotal="0"', "Item": by_value("ascending")}), [
        "Harbour | Towel | 1", "| Sheet | 7", "Millrace | Sheet | 4", "Uplands | (blank) | 1", "| Apron | 3", "Grand Total |  | 16"]),
    "the best": (dict(down=["Depot"], values=[P], after=top(1)), ["Harbour | 8", "Grand Total | 8"]),
    "the least, equal ones": (dict(down=["Depot"], values=[P], after=top(1, way='top="0"')), ["Millrace | 4", "Uplands | 4", "Grand Total | 8"]),
    "half": (dict(down=["Depot"], values=[C], after=top(50, "percent")), ["Harbour | 35", "Uplands | 31", "Grand Total | 66"]),
    "up to a sum": (dict(down=["Depot"], values=[C], after=top(35, "sum")), ["Harbour | 35", "Grand Total | 35"]),
    "labels": (dict(down=["Depot"], values=[P], after=filtered("captionContains", 'stringValue1="R"')), ["Harbour | 8", "Millrace | 4", "Grand Total | 12"]),
    "other labels": (dict(down=["Depot"], values=[P], after=filtered("captionNotBeginsWith", 'stringValue1="h"')), ["Millrace | 4", "Uplands | 4", "Grand Total | 8"]),
    "label between": (dict(down=["Depot"], values=[P], after=filtered("captionBetween", 'stringValue1="i" stringValue2="n"')), ["Millrace | 4", "Grand Total | 4"]),
    "values filtered": (dict(down=["Depot"], values=[P, C], after=filtered("valueGreaterThanOrEqual", 'iMeasureFld="1" stringValue1="31"')), [
        "| P | C", "Harbour | 8 | 35", "Uplands | 4 | 31", "Grand Total | 12 | 66"]),
    "of a row": (dict(down=["Depot"], across=["Item"], values=[("S", 'fld="3" showDataAs="percentOfRow"')], attributes='rowGrandTotals="0"'), [
        "| Sheet | Towel | Apron | (blank)", "Harbour | 0.875 | 0.125 | 0 | 0", "Millrace | 1 | 0 | 0 | 0", "Uplands | 0 | 0 | 0.75 | 0.25",
        "Grand Total | 0.6875 | 0.0625 | 0.1875 | 0.0625"]),
    "of a column, of all": (dict(down=["Depot"], values=[("S", 'fld="3" showDataAs="percentOfCol"'), ("A", 'fld="4" showDataAs="percentOfTotal"')]), [
        "| S | A", "Harbour | 0.5 | 0.472972973", "Millrace | 0.25 | 0.1081081081", "Uplands | 0.25 | 0.4189189189", "Grand Total | 1 | 1"]),
    "of the group": (dict(down=["Depot", "Item"], first=(1, 1, 1), values=[("S", 'fld="3" showDataAs="percentOfParentRow"')]), [
        "Harbour | 0.5", "Sheet | 0.875", "Towel | 0.125", "Millrace | 0.25", "Sheet | 1", "Uplands | 0.25", "Apron | 0.75", "(blank) | 0.25", "Grand Total | 1"]),
    "along": (dict(down=["Depot"], fields={"Depot": ("", items("", "", ""))}, values=[
        ("R", 'fld="3" showDataAs="runTotal" baseField="0"'), ("D", 'fld="3" showDataAs="difference" baseField="0" baseItem="1048828"'),
        ("G", 'fld="3" showDataAs="percentDiff" baseField="0" baseItem="0"'), ("H", 'fld="4" showDataAs="percent" baseField="0" baseItem="1048829"')]), [
        "| R | D | G | H", "Harbour | 8 |  |  | 4.375", "Millrace | 12 | -4 | -0.5 | 0.2580645161", "Uplands | 16 | 0 | -0.5 | 1", "Grand Total"]),
    "ranks": (dict(down=["Depot"], across=["Item"], attributes='rowGrandTotals="0"', values=[("K", 'fld="3" showDataAs="rankDescending" baseField="0"')]), [
        "| Sheet | Towel | Apron | (blank)", "Harbour | 1 | 1", "Millrace | 2", "Uplands |  |  | 1 | 1", "Grand Total"]),
    "index": (dict(down=["Depot"], across=["Item"], values=[("I", 'fld="3" showDataAs="index"')], attributes='rowGrandTotals="0" colGrandTotals="0"'), [
        "| Sheet | Towel | Apron | (blank)", "Harbour | 1.272727273 | 2", "Millrace | 1.454545455", "Uplands |  |  | 4 | 4"]),
    "months": (dict(down=["Day"], values=[P], groups={"Day": span("months", MONTHS)}), ["Jan | 1", "Feb | 13", "Dec | 2", "Grand Total | 16"]),
    "quarters": (dict(down=["Day"], values=[P], groups={"Day": span("quarters", "".join(f'<s v="Q{n}"/>' for n in range(1, 5)))}), ["Q1 | 14", "Q4 | 2", "Grand Total | 16"]),
    "years": (dict(down=["Day"], values=[P], groups={"Day": span("years", '<s v="2025"/>')}), ["2025 | 2", "2026 | 14", "Grand Total | 16"]),
    "weeks": (dict(down=["Day"], values=[P], groups={"Day": span("days", "", "&lt;01.01.2025").replace('"days"', '"days" groupInterval="30"')}), [
        "09.12.2025 - 07.01.2026 | 2", "08.01.2026 - 06.02.2026 | 1", "07.02.2026 - 08.03.2026 | 13", "Grand Total | 16"]),
    "bands of whole numbers": (dict(down=["Pieces"], values=[C], groups={"Pieces": bands("0-1")}), ["0-1 | 6", "2-3 | 40", "4-5 | 28", "Grand Total | 74"]),
    "bands": (dict(down=["Pieces"], values=[C], groups={"Pieces": bands("0-2")}), ["0-2 | 6", "2-4 | 40", "4-6 | 28", "Grand Total | 74"]),
    "beyond the bands": (dict(down=["Pieces"], values=[C], groups={"Pieces": bands("2-3", start="2", end="3")}), ["<2 | 6", "2-3 | 40", ">4 | 28", "Grand Total | 74"]),
    "reckoned": (dict(down=["Depot"], values=[("R", 'fld="5"')], derived='<cacheField name="Unit rate" formula="Charge /\'Pieces\'" databaseField="0"/>'), [
        "Harbour | 4.375", "Millrace | 2", "Uplands | 7.75", "Grand Total | 4.625"]),
    "sets": (dict(down=["Area"], values=[P], derived='<cacheField name="Area" databaseField="0"><fieldGroup base="0"><discretePr count="2">'
        '<x v="0"/><x v="0"/></discretePr><groupItems count="1"><s v="Coast"/></groupItems></fieldGroup></cacheField>'), ["Coast | 12", "Uplands | 4", "Grand Total | 16"]),
    "deviations": (dict(down=["Depot"], values=[("S", 'fld="4" subtotal="stdDev"'), ("W", 'fld="4" subtotal="varp"'), ("X", 'fld="3" subtotal="product"')]), [
        "| S | W | X", "Harbour | 7.637626158 | 38.88888889 | 10", "Millrace | #DIV/0! | 0 | 4", "Uplands | 20.50609665 | 210.25 | 3", "Grand Total | 10.74554171 | 96.22222222 | 120"]),
}  # fmt: skip


@pytest.mark.parametrize("name", LAYOUTS)
def test_layouts(name):
    asked, wanted = LAYOUTS[name]
    given = dict(asked)
    book_options = {key: given.pop(key) for key in ("groups", "derived") if key in given}
    headings = [*H, *re.findall(r'cacheField name="([^"]*)"', book_options.get("derived", ""))]
    book = pivot_book(H, ROWS, pivot_xml(headings, **given), days=("Day",), **book_options)
    done = refresh_pivots(book)
    assert done.left == [] and done.changed
    lines = spelled(book.sheet("Pivot"), pivot_area(book.package.root(PART)))
    assert [line.lstrip() for line in lines if line or name == "other sums"][-len(wanted) :] == wanted
    assert conformance_findings(Package.from_bytes(book.to_bytes(), "p.xlsx")) == []
    parts = [book.package.read(part) for part in (PART, CACHE, RECORDS)]
    assert not refresh_pivots(book).changed
    assert parts == [book.package.read(part) for part in (PART, CACHE, RECORDS)]


# -- held against a plain reading of every cell ----------------------------------------------------------

NAMES = ["Depot", "Item", "Band", "Pieces", "Charge"]
HOW = {
    "sum": math.fsum, "count": len, "average": statistics.fmean, "max": max, "min": min, "countNums": len,
    "product": math.prod, "stdDevp": statistics.pstdev,
}  # fmt: skip
KEYS = st.sampled_from(["Harbour", "Millrace", "Uplands", "harbour", None, 7.0, True])
NUMBERS = st.one_of(st.none(), st.integers(-50, 50).map(float), st.floats(-1e3, 1e3).map(lambda one: round(one, 2)))


@st.composite
def layouts(draw):
    rows = draw(st.lists(st.tuples(KEYS, KEYS, KEYS, NUMBERS, NUMBERS), min_size=1, max_size=25))
    axes = draw(st.permutations(NAMES[:3]))
    down = list(axes[: draw(st.integers(1, 2))])
    across = list(axes[len(down) : len(down) + draw(st.integers(0, 1))])
    values = [(f"V{n}", f'fld="{draw(st.sampled_from([3, 4]))}" subtotal="{draw(st.sampled_from(list(HOW)))}"') for n in range(draw(st.integers(1, 2)))]  # fmt: skip
    if len(values) > 1 and draw(st.booleans()):
        down.insert(draw(st.integers(0, len(down))), "Values")
    fields = {
        name: " ".join((
            draw(st.sampled_from(['outline="0" compact="0"', 'compact="0"', ""])), draw(st.sampled_from(["", 'subtotalTop="0"', 'defaultSubtotal="0"'])),
            draw(st.sampled_from(["", 'sortType="ascending"', 'sortType="descending"'])),
        ))
        for name in NAMES[:3]
    }  # fmt: skip
    flags = " ".join(
        f'{name}="{draw(st.integers(0, 1))}"' for name in ("rowGrandTotals", "colGrandTotals", "outlineData")
    )
    several = len(values) > 1 and "Values" not in down
    first = (1, 1 + len(across) + several, len(down))
    return rows, pivot_xml(NAMES, down=down, across=across, values=values, fields=fields, attributes=flags, first=first)


def plain(rows, wanted, number, how):
    """What rows that have certain items come to, one by one."""
    own = [row[number] for row in rows if all(key(row[field]) == item for field, item in wanted.items())]
    filled = [value for value in own if value is not None]
    return float(HOW[how](filled)) if filled else ""


def key(value):
    return value.casefold() if isinstance(value, str) else (type(value), value)


@given(layouts())
def test_every_cell_is_what_its_rows_come_to(asked):
    rows, pivot = asked
    book = pivot_book(NAMES, rows, pivot)
    refresh_pivots(book)
    root, cache = book.package.root(PART), book.package.root(CACHE)
    definition, shared = read_definition(root), stored_items(cache)

    def met(fields, line):
        pairs = zip(fields, () if line.kind == "grand" else line.path, strict=False)
        return {n: key(shared[n][definition.fields[n].items[at].shared]) for n, at in pairs if n != VALUES}

    cells = grid(book.sheet("Pivot"), definition.area)
    lines, columns = read_lines(root, "row"), read_lines(root, "col")
    for at, line in enumerate(lines):
        inner = len(line.path) < len(definition.rows) and line.kind == ""
        for across, column in enumerate(columns):
            value = definition.data[line.data if VALUES in definition.rows else column.data]
            shown = cells[definition.first[1] + at][definition.first[2] + across]
            if inner and shown == "":
                continue  # its sums stand below, or its values do
            wanted = plain(rows, met(definition.rows, line) | met(definition.columns, column), value.field, value.how)
            assert shown == wanted or math.isclose(shown, wanted, rel_tol=1e-9, abs_tol=1e-6), (line, column)
    groups = {tuple(key(row[n]) for n in definition.rows if n != VALUES) for row in rows}
    several = len(definition.data) if VALUES in definition.rows else 1
    assert len(groups) * several == sum(line.kind == "" and len(line.path) == len(definition.rows) for line in lines)


# -- what was there before -------------------------------------------------------------------------------


def grown(book, *rows):
    """Other rows on the data sheet."""
    sheet = book.sheet("Data")
    for number in range(1, 6):
        sheet.put(2, number, Column.blank(20))
        sheet.put(2, number, Column.from_values([row[number - 1] for row in rows]))
    return refresh_pivots(book)


MORE = [*ROWS, ("Quay", "Bib", 46070.0, 9.0, 90.0)]


def test_items_keep_their_place_and_new_ones_are_as_the_field_says():
    for fresh, wanted in (("", ["Harbour | 8", "Grand Total | 8"]), ('includeNewItemsInFilter="1"', ["Harbour | 8", "Quay | 9", "Grand Total | 17"])):  # fmt: skip
        fields = {"Depot": (fresh, items("", 'h="1"', 'h="1"'))}
        book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], values=[P], fields=fields), days=("Day",))
        grown(book, *MORE)
        assert spelled(book.sheet("Pivot"), pivot_area(book.package.root(PART)))[1:] == wanted
        grown(book, *[row for row in MORE if row[0] in ("Quay", "Harbour")])
        held = stored_items(book.package.root(CACHE))[0]
        assert held[:3] == ["Harbour", "Millrace", "Uplands"]  # hidden ones stay, so that they stay hidden
        assert book.package.read(CACHE).count(b'u="1"') == 2


def test_words_of_totals_are_those_of_the_file():
    """What a file calls its totals in its own language goes on."""
    asked = pivot_xml(H, down=["Depot", "Item"], values=[P], fields={"Depot": TAB, "Item": TAB})
    book = pivot_book(H, ROWS, asked, days=("Day",))
    refresh_pivots(book)
    sheet = book.sheet("Pivot")
    for row, text in (
        (6, "Summe Harbour"),
        (8, "Summe Millrace"),
        (11, "Summe Uplands"),
        (10, "(leer)"),
        (12, "Gesamt"),
    ):
        sheet.set(row, 2 if text == "(leer)" else 1, text)
    grown(book, *MORE)
    shown = spelled(book.sheet("Pivot"), pivot_area(book.package.root(PART)))
    assert {"Summe Quay |  | 9", "| (leer) | 1", "Gesamt |  | 25"} <= {line.strip() for line in shown}


@pytest.mark.parametrize(
    ("way", "before", "new", "wanted"),
    [
        ("ascending", ["Élan", "Fox"], "Eden", ["Eden", "Élan", "Fox"]),
        ("ascending", ["Coal", "Co-op"], "Cob", ["Coal", "Cob", "Co-op"]),
        ("ascending", ["Co-op", "Coal"], "Co-z", ["Co-op", "Co-z", "Coal"]),
        ("ascending", ["_x", "1", "a"], "-y", ["_x", "-y", "1", "a"]),
        ("descending", ["b", "a", None], "c", ["c", "b", "a", "(blank)"]),
        ("descending", [None, "b", "a"], "c", ["(blank)", "c", "b", "a"]),
        ("ascending", ["b", "a", "\U0010ffff"], "Á", ["a", "b", "Á", "\U0010ffff"]),
    ],
)  # fmt: skip
def test_items_are_sorted_as_the_file_sorts_its_own(way, before, new, wanted):
    """By code, by words, or without hyphens; in the plain way, if it did not sort them at all."""
    rows = [(name, "Sheet", 46000.0, 1.0, 1.0) for name in before]
    fields = {"Depot": (f'sortType="{way}"', items(*[""] * len(before)))}
    book = pivot_book(H, rows, pivot_xml(H, down=["Depot"], values=[P], fields=fields), days=("Day",))
    grown(book, *rows, (new, *rows[0][1:]))
    shown = grid(book.sheet("Pivot"), pivot_area(book.package.root(PART)))
    assert [row[0] for row in shown[1:-1]] == wanted


def test_days_in_names_of_totals_are_written_as_in_the_file():
    asked = pivot_xml(H, down=["Day", "Item"], values=[P], fields={"Day": TAB})
    book = pivot_book(H, ROWS, asked, days=("Day",))
    refresh_pivots(book)
    for at, day in enumerate(row[2] for row in ROWS):
        book.sheet("Pivot").set(5 + 2 * at, 1, f"Summe {date_from_serial(day):%d.%m.%Y}")
    grown(book, ("Quay", "Bib", 46070.0, 9.0, 90.0))
    assert spelled(book.sheet("Pivot"), Area(5, 1, 5, 3)) == ["Summe 17.02.2026 |  | 9"]


def test_looks_follow_the_parts_of_a_pivot():
    book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], values=[P]), days=("Day",))
    refresh_pivots(book)
    sheet = book.sheet("Pivot")
    strong, money = (book.styles.number(Appearance(bold=bold, format=code)) for bold, code in ((True, "0"), (False, "0.00")))  # fmt: skip
    sheet.dress(4, 2, money, 3)
    sheet.dress(7, 1, strong)
    sheet.dress(7, 2, strong)
    grown(book, *MORE)
    sheet = book.sheet("Pivot")
    assert [sheet.style(row, 2) for row in range(4, 9)] == [money] * 4 + [strong] and sheet.style(8, 1) == strong
    grown(book, *ROWS[:1])
    sheet = book.sheet("Pivot")
    assert [sheet.style(row, 2) for row in range(4, 9)] == [money, strong, 0, 0, 0] and sheet.value(7, 1) is None


def test_merged_labels_follow_their_groups():
    """Labels are merged over their groups; those of sums over as many columns as they were."""
    fields = dict.fromkeys(["Depot", "Item"], TAB)
    asked = pivot_xml(H, down=["Depot", "Item", "Pieces"], values=[C], fields=fields, attributes='mergeItem="1"')
    book = pivot_book(H, ROWS, asked, days=("Day",))
    refresh_pivots(book)
    assert [area_name(one) for one in book.sheet("Pivot").merged] == ["A4:A8", "B4:B5", "A10:A11", "A13:A16"]
    book.sheet("Pivot").merged += [parse_area("A9:C9"), parse_area("B6:C6"), parse_area("F4:G4")]
    grown(book, *ROWS[:3], ("Millrace", "Sheet", 46060.0, 7.0, 1.0))
    assert sorted(area_name(one) for one in book.sheet("Pivot").merged) == [
        "A12:C12", "A4:A7", "A8:C8", "A9:A11", "B11:C11", "B5:C5", "B7:C7", "B9:B10", "F4:G4"
    ]  # fmt: skip
    text = Workbook.from_bytes(book.to_bytes(), "p.xlsx")
    assert len(text.sheet("Pivot").merged) == 9 and conformance_findings(text.package) == []
    across = pivot_xml(H, down=["Item"], across=["Depot"], values=[P, C], fields=fields, attributes='mergeItem="1"')
    book = pivot_book(H, ROWS, across, days=("Day",))
    refresh_pivots(book)
    assert [area_name(one) for one in book.sheet("Pivot").merged] == ["B4:C4", "D4:E4", "F4:G4"]


def test_cells_in_the_way_stop_it():
    book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], values=[P]), days=("Day",), before={(7, 2): "mine"})
    with pytest.raises(DataError, match=r"needs A3:B7 now, and cell B7 is in its way"):
        refresh_pivots(book)


@pytest.mark.parametrize(
    ("change", "why"),
    {
        "outside": (lambda text: text.replace('type="worksheet"', 'type="external"'), "the range of its rows is not there"),
        "reckoned items": (lambda text: text.replace("</pivotCacheDefinition>", "<calculatedItems/></pivotCacheDefinition>"), "reckoned items"),
        "no such sheet": (lambda text: text.replace('sheet="Data"', 'sheet="Gone"'), "the range of its rows is not there"),
        "no such heading": (lambda text: text.replace('name="Depot"', 'name="Yard"'), "its rows have no heading 'Yard'"),
        "itself": (lambda text: text.replace("</cacheFields>", '<cacheField name="R" formula="R+1" databaseField="0"/></cacheFields>'),
            "its field 'R' is reckoned from itself"),
        "merged": (lambda text: text, "its labels are merged, and repeated on every line"),
        "weeks": (lambda text: text, "its filter 'thisWeek' depends on more than its rows"),
        "days in groups": (lambda text: text.replace("</sharedItems></cacheField><cacheField name=\"Pieces\"", "</sharedItems>"
            + span("months", MONTHS) + '</cacheField><cacheField name="Pieces"'), "its filter 'M1' is about days, and the field has"),
        "texts in bands": (lambda text: text.replace("</sharedItems></cacheField><cacheField name=\"Item\"", "</sharedItems>"
            + bands("0-1").replace('base="3"', 'base="0"') + '</cacheField><cacheField name="Item"'), "a text stands among"),
    }.values(),
)  # fmt: skip
def test_what_is_not_reckoned_is_left_and_said(change, why):
    kind = re.search("its filter '(.*)' ", why)
    after = filtered(kind[1]).replace('fld="0"', 'fld="2"') if kind else ""
    repeated = '<extLst><ext><pivotField fillDownLabels="1"/></ext></extLst>' if "merged" in why else ""
    fields, merged = {"Depot": ("", repeated)}, 'mergeItem="1"' if repeated else ""
    headings, values = ([*H, "R"], [P, ("X", 'fld="5"')]) if "itself" in why else (H, [P])
    asked = pivot_xml(headings, down=["Depot"], values=values, after=after, fields=fields, attributes=merged)
    book = pivot_book(H, ROWS, asked, days=("Day",))
    book.package.put(CACHE, change(book.package.read(CACHE).decode()).encode())
    before = book.package.read(PART)
    done = refresh_pivots(book)
    assert why in done.left[0][1] and done.pivots == [] and book.package.read(PART) == before
    assert b'refreshOnLoad="1"' in book.package.read(CACHE)


@pytest.mark.parametrize(
    ("kind", "wanted"),
    {
        "M1": "a d e", "M12": "b", "M2": "", "Q1": "a c d e", "Q4": "b", "yesterday": "d", "today": "e", "tomorrow": "",
        "thisMonth": "a d e", "lastMonth": "b", "nextMonth": "", "thisQuarter": "a c d e", "lastQuarter": "b",
        "nextQuarter": "", "thisYear": "a c d e", "lastYear": "b", "nextYear": "f", "yearToDate": "a d e",
    }.items(),
)  # fmt: skip
@pytest.mark.parametrize("pages", [[("Day", "")], []])
def test_filters_of_days_lie_to_today(kind, wanted, pages):
    """Days of any year, and those that are near to 2026-01-20 at noon; also of a field that stands nowhere."""
    days = ("2026-01-03", "2025-12-31", "2026-03-31", "2026-01-19", "2026-01-20", "2027-05-01")
    serials = [serial_from_date(date.fromisoformat(day)) + 0.25 for day in days]
    rows = [(name, "Sheet", day, 1.0, 1.0) for name, day in zip("abcdef", serials, strict=True)]
    after = filtered(kind).replace('fld="0"', 'fld="2"')
    book = pivot_book(H, rows, pivot_xml(H, down=["Depot"], values=[P], pages=pages, after=after), days=("Day",))
    done = refresh_pivots(book, today=serial_from_date(date(2026, 1, 20)) + 0.5)
    assert done.left == []
    area = pivot_area(book.package.root(PART))
    assert [row[0] for row in grid(book.sheet("Pivot"), area)[1:-1]] == wanted.split()
    assert bool(refresh_pivots(book).left) == (kind[0] not in "MQ")


def counted_from(apart, asked):
    """A pivot over rows with the same days, counted from 1904 where they are `apart`."""
    rows = [(*row[:2], row[2] - apart, *row[3:]) for row in ROWS]
    book = pivot_book(H, rows, asked, days=("Day",))
    system = b"<workbookPr%s/>" % (b' date1904="1"' if apart else b"")
    book.package.put(book.part, re.sub(rb"(<workbook [^>]*>)", rb"\1" + system, book.package.read(book.part)))
    return Workbook.from_bytes(book.to_bytes(), "p.xlsx")


def test_days_counted_from_1904_make_the_same_pivot():
    made = []
    for apart in (0.0, 1462.0):
        after = filtered("lastMonth").replace('fld="0"', 'fld="2"')
        asked = pivot_xml(H, down=["Day", "Depot"], values=[P], fields={"Day": TAB}, after=after)
        book = counted_from(apart, asked)
        assert refresh_pivots(book, today=46090.0 - apart).left == [] and staleness(book, caches_of(book)[0]) is None
        lines = [[one + apart if isinstance(one, float) and one > 9999 else one for one in row]
                 for row in grid(book.sheet("Pivot"), pivot_area(book.package.root(PART)))]  # fmt: skip
        made.append((lines, [book.package.read(part) for part in (PART, CACHE, RECORDS)]))
    assert made[0] == made[1] and len(made[0][0]) == 10
    summed = pivot_xml(H, down=["Depot"], values=[("D", 'fld="2" subtotal="max"')])
    assert "counts days from 1904" in refresh_pivots(counted_from(1462.0, summed)).left[0][1]


def test_stale_pivots_are_told():
    book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], values=[P]), days=("Day",))
    refresh_pivots(book)
    (cache,) = caches_of(book)
    assert staleness(book, cache) is None
    book.sheet("Data").set(3, 4, 99.0)
    assert staleness(book, cache) == "its cache has other values than its source, first in row 2, column 'Pieces'"
    book.sheet("Data").set(8, 1, "Quay")
    assert staleness(book, cache) == "its cache has 6 rows, its source 7"
    assert [(one.kind, one.cell) for one in audit(book) if one.kind == "stale"] == [("stale", "A3:B7")]


# -- what stands over a pivot ----------------------------------------------------------------------------

CHART = (
    '<c:chartSpace xmlns:c="http://schemas.openxmlformats.org/drawingml/2006/chart"><c:pivotSource><c:name>[t.xlsx]Pivot!P'
    '</c:name><c:fmtId val="0"/></c:pivotSource><c:chart><c:plotArea><c:barChart><c:barDir val="col"/><c:ser><c:idx val="0"/>'
    '<c:order val="0"/><c:tx><c:strRef><c:f>Pivot!$B$4</c:f></c:strRef></c:tx><c:spPr/><c:cat><c:strRef><c:f>Pivot!$A$5:$A$7'
    "</c:f></c:strRef></c:cat><c:val><c:numRef><c:f>Pivot!$B$5:$B$7</c:f></c:numRef></c:val></c:ser></c:barChart></c:plotArea>"
    "</c:chart></c:chartSpace>"
)
BUTTONS = (
    '<slicerCacheDefinition xmlns="http://schemas.microsoft.com/office/spreadsheetml/2009/9/main" name="B" sourceName="Depot">'
    '<pivotTables><pivotTable tabId="2" name="P"/></pivotTables><data><tabular pivotCacheId="1"><items count="3">'
    '<i x="0" s="1"/><i x="1" s="{0}"/><i x="2" s="1"/></items></tabular></data></slicerCacheDefinition>'
)


def put_part(book, part, content, kind):
    book.package.put(part, content.encode())
    book.package.set_type(part, kind)


def test_charts_and_click_filters_follow_their_pivot():
    fields = {"Depot": ("", items("", "", ""))}
    book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], across=["Item"], values=[P], fields=fields), days=("Day",))
    sheet = Sheet("Board")
    sheet.set(1, 1, None, formula='GETPIVOTDATA("P",Pivot!A3,"Depot","Quay")')
    sheet.set(2, 1, None, formula="SUM(Pivot!F5:F7)")
    book.add_sheet(sheet)
    put_part(book, "xl/charts/chart1.xml", CHART, "application/vnd.openxmlformats-officedocument.drawingml.chart+xml")
    put_part(book, "xl/slicerCaches/slicerCache1.xml", BUTTONS.format("1"), "application/vnd.ms-excel.slicerCache+xml")
    refresh_pivots(book)
    grown(book, *MORE)
    recalculate(book)
    assert [book.sheet("Board").value(row, 1) for row in (1, 2)] == [9.0, 9.0]
    refresh_chart_parts(book)
    text = book.package.read("xl/charts/chart1.xml").decode()
    assert re.findall(r"<c:f>(.*?)</c:f>", text)[-3:] == ["Pivot!$F$4:$F$4", "Pivot!$A$5:$A$8", "Pivot!$F$5:$F$8"]
    assert text.count("<c:ser>") == 5 and text.count("<c:spPr/>") == 1 and "<c:v>Quay</c:v>" in text
    buttons = book.package.read("xl/slicerCaches/slicerCache1.xml").decode()
    assert re.findall(r"<i [^>]*>", buttons)[-2:] == ['<i x="3" s="1"/>', '<i x="2" s="1"/>'] and 'count="4"' in buttons
    grown(book, MORE[-1])
    buttons = re.findall(r"<i [^>]*>", book.package.read("xl/slicerCaches/slicerCache1.xml").decode())
    assert buttons == ['<i x="0" s="1"/>']  # those that are gone are no buttons any more


def test_click_filters_that_are_off_keep_new_items_off():
    fields = {"Depot": ("", items("", 'h="1"', ""))}
    book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], values=[P], fields=fields), days=("Day",))
    put_part(book, "xl/slicerCaches/slicerCache1.xml", BUTTONS.format("0"), "application/vnd.ms-excel.slicerCache+xml")
    grown(book, *MORE)
    buttons = re.findall(r"<i [^>]*>", book.package.read("xl/slicerCaches/slicerCache1.xml").decode())
    assert buttons == ['<i x="0" s="1"/>', '<i x="1" s="0"/>', '<i x="3"/>', '<i x="2" s="1"/>']


def test_sources_by_name_table_and_reckoned_range():
    """A pivot's rows may be a table, a name, or what a name's formula comes to."""
    for name, formula in (("Plain", "Data!$A$1:$E$7"), ("Reckoned", "OFFSET(Data!$A$1,0,0,COUNTA(Data!$A$1:$A$99),5)")):
        book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], values=[P]), days=("Day",))
        set_name(book, name, formula)
        cache = re.sub(
            r"<worksheetSource[^>]*>", f'<worksheetSource name="{name}"/>', book.package.read(CACHE).decode()
        )
        book.package.put(CACHE, cache.encode())
        assert refresh_pivots(book).left == []
        assert grid(book.sheet("Pivot"), Area(7, 1, 7, 2)) == [["Grand Total", 16.0]]


def test_errors_in_rows_are_errors_in_their_groups():
    rows = [("Harbour", "Sheet", 46000.0, CellError.NA, 1.0), ("Harbour", "Towel", 46000.0, 2.0, 1.0), ("Quay", "Towel", 46000.0, 5.0, 2.0)]  # fmt: skip
    book = pivot_book(H, rows, pivot_xml(H, down=["Depot"], values=[P], attributes='showError="1" errorCaption="?"'), days=("Day",))  # fmt: skip
    refresh_pivots(book)
    assert grid(book.sheet("Pivot"), Area(4, 1, 6, 2)) == [["Harbour", "?"], ["Quay", 5.0], ["Grand Total", "?"]]


def test_pivots_over_one_cache_share_its_items():
    book = Workbook.new()
    book.add_sheet(data_sheet(book, H, ROWS, ("Day",)))
    sheet = Sheet("Pivot")
    sheet.set(1, 1, None)
    book.add_sheet(sheet)
    other = pivot_xml(H, down=["Item"], values=[C]).replace('ref="A3"', 'ref="E3"').replace('name="P"', 'name="Q"', 1)
    put_pivot(book, "Pivot", cache_xml(H), [pivot_xml(H, down=["Depot"], values=[P]), other])
    refresh_pivots(book)
    assert spelled(book.sheet("Pivot"), Area(4, 1, 8, 6))[1] == "Millrace | 4 |  |  | Towel | 5"
    assert stored_items(book.package.root(CACHE))[:2] == [["Harbour", "Millrace", "Uplands"], ["Sheet", "Towel", "Apron", None]]  # fmt: skip


def test_formulas_over_a_pivot_may_wait_for_it():
    """What reads an item that only the new rows have is in error until the pivot is worked out, and not after it."""
    fields = {"Depot": ("", items("", "", ""))}
    book = pivot_book(H, ROWS, pivot_xml(H, down=["Depot"], values=[P], fields=fields), days=("Day",))
    board, moment = Sheet("Board"), datetime(2026, 11, 3, tzinfo=UTC)
    for row, formula in enumerate(('GETPIVOTDATA("P",Pivot!A3,"Depot","Quay")', "A1*2", "SUM(Data!D2:D7)"), start=1):
        board.set(row, 1, None, formula=formula)
    book.add_sheet(board)
    refresh_pivots(book)
    data, area = book.sheet("Data"), Area(2, 1, 7, 5)
    data.set(2, 1, "Quay")
    assert finish_results(book, "w", moment, [], [("Data", area)]) == []
    assert [book.sheet("Board").value(row, 1) for row in (1, 2, 3)] == [2.0, 4.0, 16.0]
    data = book.sheet("Data")
    data.set(2, 1, "Harbour")
    with pytest.raises(DataError) as stopped:
        finish_results(book, "w", moment, [], [("Data", area)])
    assert [fault.where for fault in stopped.value.faults] == [f"sheet 'Board', cell A{row}" for row in (1, 2)]
