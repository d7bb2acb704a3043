"""Workbooks with pivots written by hand, for tests that refresh them."""

from lxml import etree

from tinquire.cells.address import area_name
from tinquire.cells.column import Column
from tinquire.looks.appearance import Appearance
from tinquire.packages.xml import MAIN, RELATIONS
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.new_sheet import CONTENT_TYPE

OFFICE = RELATIONS
DAY = Appearance(format="yyyy-mm-dd")


def data_sheet(book, headings, rows, days=()):
    sheet = Sheet("Data")
    for number, heading in enumerate(headings, start=1):
        sheet.set(1, number, heading)
        style = book.styles.number(DAY) if heading in days else 0
        sheet.put(2, number, Column.from_values([row[number - 1] for row in rows]), style)
    return sheet


def pivot_xml(headings, *, down=(), across=(), values=(), fields=None, pages=(), attributes="", first=None, after=""):
    """A pivot's part without items or lines: `fields` are attributes and what is inside by heading (or 'a' and 'b' as a
    pair), `values` pairs of a name and the rest of a data field."""
    several = len(values) > 1 and "Values" not in down
    place = {heading: number for number, heading in enumerate(headings)}
    axes = dict.fromkeys(down, "axisRow") | dict.fromkeys(across, "axisCol") | {one[0]: "axisPage" for one in pages}
    columns = [*across, *(["Values"] if several else [])]
    labels = len(down) if first is None else first[2]
    first = first or (1, 1 + len(columns), labels)
    inside = ""
    for heading in headings:
        given = (fields or {}).get(heading, "")
        own, within = given if isinstance(given, tuple) else (given, "")
        axis = f' axis="{axes[heading]}"' if heading in axes else ""
        own = own if "showAll" in own else f'{own} showAll="0"'
        inside += f"<pivotField{axis} {own}>{within}</pivotField>"

    def group(name, item, entries):
        return f'<{name} count="{len(entries)}">{"".join(entries)}</{name}>' if entries else ""

    def listed(names):
        return [f'<field x="{-2 if name == "Values" else place[name]}"/>' for name in names]

    return (
        f'<pivotTableDefinition xmlns="{MAIN}" name="P" cacheId="1" dataCaption="Values" {attributes}>'
        f'<location ref="A3" firstHeaderRow="{first[0]}" firstDataRow="{first[1]}" firstDataCol="{first[2]}"/>'
        f'<pivotFields count="{len(headings)}">{inside}</pivotFields>'
        + group("rowFields", "field", listed(down))
        + group("colFields", "field", listed(columns))
        + group("pageFields", "pageField", [f'<pageField fld="{place[name]}" {rest}/>' for name, rest in pages])
        + group("dataFields", "dataField", [f'<dataField name="{name}" {rest}/>' for name, rest in values])
        + after
        + "</pivotTableDefinition>"
    )


def cache_xml(headings, source="Data!A1:Z1000", groups=None, derived="", rows=()):
    """A cache's definition; texts of `rows` are listed as items."""
    sheet, _, ref = source.partition("!")
    fields = ""
    for number, heading in enumerate(headings):
        values = dict.fromkeys(row[number] for row in rows)
        if any(isinstance(value, float) for value in values):
            values = {}
        items = "".join("<m/>" if value is None else f'<s v="{value}"/>' for value in values)
        own = (groups or {}).get(heading, "")
        fields += f'<cacheField name="{heading}" numFmtId="0"><sharedItems>{items}</sharedItems>{own}</cacheField>'
    return (
        f'<pivotCacheDefinition xmlns="{MAIN}" xmlns:r="{OFFICE}" r:id="rId1"><cacheSource type="worksheet">'
        f'<worksheetSource ref="{ref}" sheet="{sheet}"/></cacheSource><cacheFields>{fields}{derived}</cacheFields>'
        "</pivotCacheDefinition>"
    )


def put_pivot(book, sheet, cache, pivots):
    """Write the parts of pivots over one cache, all onto one sheet."""
    package, space = book.package, book.relation_space
    book.settle()
    entry = book.entry(sheet)
    definition, records = "xl/pivotCache/pivotCacheDefinition1.xml", "xl/pivotCache/pivotCacheRecords1.xml"
    package.put(definition, cache.encode())
    package.put(records, f'<pivotCacheRecords xmlns="{MAIN}" count="0"/>'.encode())
    identity = package.relate(definition, f"{space}/pivotCacheRecords", records)
    package.put(definition, cache.replace('r:id="rId1"', f'r:id="{identity}"').encode())
    package.set_types({
        definition: f"{CONTENT_TYPE}pivotCacheDefinition+xml", records: f"{CONTENT_TYPE}pivotCacheRecords+xml",
    })  # fmt: skip
    group = etree.SubElement(book.root, f"{{{MAIN}}}pivotCaches")
    one = etree.SubElement(group, f"{{{MAIN}}}pivotCache", cacheId="1")
    one.set(f"{{{OFFICE}}}id", package.relate(book.part, f"{space}/pivotCacheDefinition", definition))
    for number, pivot in enumerate(pivots, start=1):
        part = f"xl/pivotTables/pivotTable{number}.xml"
        package.put(part, pivot.encode())
        package.set_type(part, f"{CONTENT_TYPE}pivotTable+xml")
        package.relate(part, f"{space}/pivotCacheDefinition", definition)
        package.relate(entry.part, f"{space}/pivotTable", part)
    book.root_changed()


def pivot_book(headings, rows, pivot, *, days=(), groups=None, derived="", before=None):
    """A workbook with rows on sheet Data and a pivot from A3 of sheet Pivot; nothing of it is worked out yet."""
    book = Workbook.new()
    book.add_sheet(data_sheet(book, headings, rows, days))
    sheet = Sheet("Pivot")
    for (row, column), value in (before or {}).items():
        sheet.set(row, column, value)
    if not before:
        sheet.set(1, 1, None)
    book.add_sheet(sheet)
    put_pivot(book, "Pivot", cache_xml(headings, groups=groups, derived=derived, rows=rows), [pivot])
    return book


def grid(sheet, area):
    """The values of an area, row by row; blanks as ''."""
    rows = range(area.top, area.bottom + 1)
    columns = [sheet.column(number, area.top, area.bottom).to_list() for number in range(area.left, area.right + 1)]
    return [["" if column[row - area.top] is None else column[row - area.top] for column in columns] for row in rows]


def spelled(sheet, area):
    """The same, a line of text for each row."""

    def text(value):
        return f"{value:.10g}" if isinstance(value, float) else str(value)

    return [" | ".join(text(value) for value in row).rstrip(" |") for row in grid(sheet, area)]


__all__ = ["area_name", "cache_xml", "data_sheet", "grid", "pivot_book", "pivot_xml", "put_pivot", "spelled"]
