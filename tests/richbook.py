"""A workbook by hand in which everything hangs on something: rules, links, comments, a chart, a pivot, names, tables."""

from __future__ import annotations

from parts import MAIN, OFFICE, PACKAGE, TYPE, parts_of, zipped

DRAW = "http://schemas.openxmlformats.org/drawingml/2006"
X14 = "urn:example:newer-rules"


def _rels(*relations):
    entries = "".join(
        f'<Relationship Id="rId{n}" Type="{OFFICE}/{kind}" Target="{target}"{mode}/>'
        for n, (kind, target, mode) in enumerate(relations, 1)
    )
    return f'<Relationships xmlns="{PACKAGE}/relationships">{entries}</Relationships>'


ROWS = (
    '<row r="1"><c r="A1" t="inlineStr"><is><t>Item</t></is></c><c r="B1" t="inlineStr"><is><t>Pieces</t></is></c>'
    '<c r="C1" t="inlineStr"><is><t>Twice</t></is></c></row>'
    '<row r="2" spans="1:4" x="kept"><c r="A2" t="inlineStr"><is><t>Sheet</t></is></c><c r="B2"><v>2</v></c>'
    '<c r="C2"><f t="shared" ref="C2:C4" si="0">B2*2</f><v>4</v></c></row>'
    '<row r="3"><c r="A3" t="inlineStr"><is><t>Towel</t></is></c><c r="B3"><v>3</v></c>'
    '<c r="C3"><f t="shared" si="0"/><v>6</v></c></row>'
    '<row r="4"><c r="A4" t="inlineStr"><is><t>Apron</t></is></c><c r="B4"><v>4</v></c>'
    '<c r="C4"><f t="shared" si="0"/><v>8</v></c></row>'
    '<row r="6"><c r="B6"><f>SUM(B2:B4)+SUM(Data!$B$2:$B$4)</f><v>18</v></c><c r="E6"><f t="array" ref="E6:E7">B3:B4</f>'
    '<v>3</v></c></row><row r="7"><c r="E7"><v>4</v></c></row>'
)
BEFORE = (
    '<dimension ref="A1:E7"/><sheetViews><sheetView workbookViewId="0" topLeftCell="A1"><pane ySplit="1" '
    'topLeftCell="A2" activePane="bottomLeft" state="frozen"/><selection pane="bottomLeft" activeCell="B3" sqref="B3"/>'
    '</sheetView></sheetViews><cols><col min="1" max="1" width="20" customWidth="1"/>'
    '<col min="2" max="3" width="9" customWidth="1"/></cols>'
)
AFTER = (
    '<sheetProtection sheet="1"/><mergeCells count="2"><mergeCell ref="A9:C9"/><mergeCell ref="G2:H3"/></mergeCells>'
    '<conditionalFormatting sqref="B2:B4"><cfRule type="expression" dxfId="0" priority="1"><formula>B2&gt;B$6</formula>'
    "</cfRule></conditionalFormatting>"
    '<dataValidations count="1"><dataValidation type="list" sqref="A2:A4 D3"><formula1>Lists!$A$1:$A$3</formula1>'
    "</dataValidation></dataValidations>"
    '<hyperlinks><hyperlink ref="A3" location="Lists!A2"/><hyperlink ref="A4" location="Data!B4"/></hyperlinks>'
    '<pageMargins left="1" right="1" top="1" bottom="1" header="1" footer="1"/><pageSetup orientation="landscape"/>'
    '<headerFooter><oddFooter>&amp;P</oddFooter></headerFooter><rowBreaks count="1" manualBreakCount="1">'
    '<brk id="4" max="16383" man="1"/></rowBreaks><drawing r:id="rId1"/><legacyDrawing r:id="rId3"/>'
    '<tableParts count="1"><tablePart r:id="rId4"/></tableParts>'
    f'<extLst><ext xmlns:x14="{X14}" uri="one"><x14:conditionalFormattings><x14:conditionalFormatting '
    'xmlns:xm="urn:example:newer-areas"><x14:cfRule type="expression" priority="2" id="{0}">'
    "<xm:f>Lists!$A$1=B2</xm:f></x14:cfRule><xm:sqref>B2:B4</xm:sqref></x14:conditionalFormatting>"
    "</x14:conditionalFormattings></ext></extLst>"
)
NAMES = (
    "<definedNames><definedName name=\"_xlnm.Print_Area\" localSheetId=\"0\">Data!$A$1:$C$6</definedName>"
    '<definedName name="Both">Data!$B$2:$B$4*Lists!$B$1</definedName><definedName name="Rate">0.2</definedName>'
    '</definedNames><calcPr calcId="1"/><pivotCaches><pivotCache cacheId="1" r:id="rId80"/></pivotCaches>'
)  # fmt: skip
CHART = (
    f'<c:chartSpace xmlns:c="{DRAW}/chart"><c:chart><c:plotArea><c:barChart><c:ser><c:val><c:numRef>'
    "<c:f>Data!$B$2:$B$4</c:f></c:numRef></c:val></c:ser></c:barChart></c:plotArea></c:chart></c:chartSpace>"
)
DRAWING = (
    f'<xdr:wsDr xmlns:xdr="{DRAW}/spreadsheetDrawing" xmlns:a="{DRAW}/main"><xdr:twoCellAnchor><xdr:from><xdr:col>3'
    "</xdr:col><xdr:colOff>0</xdr:colOff><xdr:row>2</xdr:row><xdr:rowOff>0</xdr:rowOff></xdr:from><xdr:to><xdr:col>6"
    "</xdr:col><xdr:colOff>0</xdr:colOff><xdr:row>9</xdr:row><xdr:rowOff>0</xdr:rowOff></xdr:to><xdr:graphicFrame>"
    '<xdr:nvGraphicFramePr><xdr:cNvPr id="2" name="Chart"/></xdr:nvGraphicFramePr><a:graphic><a:graphicData '
    f'uri="{DRAW}/chart"><c:chart xmlns:c="{DRAW}/chart" xmlns:r="{OFFICE}" r:id="rId1"/></a:graphicData></a:graphic>'
    "</xdr:graphicFrame><xdr:clientData/></xdr:twoCellAnchor></xdr:wsDr>"
)
NOTES = (
    '<xml xmlns:v="urn:example:shapes" xmlns:x="urn:example:notes"><v:shape id="a">'
    "<x:ClientData ObjectType=\"Note\"><x:Anchor>1, 15, 2, 2, 3, 31, 5, 1</x:Anchor><x:Row>2</x:Row><x:Column>1"
    "</x:Column></x:ClientData></v:shape></xml>"
)  # fmt: skip
LISTS = (
    '<row r="1"><c r="A1"><v>1</v></c><c r="B1"><f>SUM(Data!B2:B4)+SUM(Things[Pieces])</f><v>18</v></c></row>'
    '<row r="2"><c r="B2"><f>COUNT(Data:Lists!A1)+[1]Data!B2</f><v>2</v></c><c r="C2" t="str"><f>"Data!B2"&amp;A1</f>'
    "<v>Data!B21</v></c></row>"
)


LOOKS = (
    f'<styleSheet xmlns="{MAIN}"><fonts count="1"><font/></fonts><fills count="1"><fill/></fills><borders count="1">'
    '<border/></borders><cellXfs count="1"><xf/></cellXfs><dxfs count="1"><dxf><font><b/></font></dxf></dxfs>'
    "</styleSheet>"
)


def rich_parts():
    """The parts of the workbook: sheets Data and Lists, and Pivot that sums Data."""
    parts = parts_of(
        ROWS, before=BEFORE, after=AFTER, styles=LOOKS, sheets=["Data", "Lists", "Pivot"], workbook=f"|{NAMES}"
    )
    main = f'xmlns="{MAIN}" xmlns:r="{OFFICE}"'
    parts["xl/worksheets/sheet2.xml"] = f"<worksheet {main}><sheetData>{LISTS}</sheetData></worksheet>"
    parts["xl/worksheets/_rels/sheet1.xml.rels"] = _rels(
        ("drawing", "../drawings/drawing1.xml", ""),
        ("comments", "../comments1.xml", ""),
        ("vmlDrawing", "../drawings/vmlDrawing1.vml", ""),
        ("table", "../tables/table1.xml", ""),
    )
    parts["xl/drawings/drawing1.xml"] = DRAWING
    parts["xl/drawings/_rels/drawing1.xml.rels"] = _rels(("chart", "../charts/chart1.xml", ""))
    parts["xl/charts/chart1.xml"] = CHART
    parts["xl/drawings/vmlDrawing1.vml"] = NOTES
    parts["xl/comments1.xml"] = (
        f'<comments xmlns="{MAIN}"><authors><author>Ann</author></authors><commentList><comment ref="B3" authorId="0">'
        "<text><t>why three?</t></text></comment></commentList></comments>"
    )
    parts["xl/tables/table1.xml"] = (
        f'<table xmlns="{MAIN}" id="1" name="Things" displayName="Things" ref="A1:C4" totalsRowShown="0"><autoFilter '
        'ref="A1:C4"><filterColumn colId="1"/></autoFilter><tableColumns count="3"><tableColumn id="1" name="Item"/>'
        '<tableColumn id="2" name="Pieces"/><tableColumn id="3" name="Twice"><calculatedColumnFormula>B2*2'
        "</calculatedColumnFormula></tableColumn></tableColumns></table>"
    )
    parts["xl/worksheets/_rels/sheet3.xml.rels"] = _rels(("pivotTable", "../pivotTables/pivotTable1.xml", ""))
    parts["xl/pivotTables/pivotTable1.xml"] = (
        f'<pivotTableDefinition xmlns="{MAIN}" name="P" cacheId="1"><location ref="A3:B6" firstHeaderRow="1" '
        'firstDataRow="1" firstDataCol="1"/></pivotTableDefinition>'
    )
    cache = ("pivotCacheDefinition", "../pivotCache/pivotCacheDefinition1.xml", "")
    parts["xl/pivotTables/_rels/pivotTable1.xml.rels"] = _rels(cache)
    parts["xl/pivotCache/pivotCacheDefinition1.xml"] = (
        f'<pivotCacheDefinition {main}><cacheSource type="worksheet"><worksheetSource ref="A1:C4" sheet="Data"/>'
        '</cacheSource><cacheFields count="1"><cacheField name="Item"/></cacheFields></pivotCacheDefinition>'
    )
    parts["xl/_rels/workbook.xml.rels"] = parts["xl/_rels/workbook.xml.rels"].replace(
        "</Relationships>",
        f'<Relationship Id="rId80" Type="{OFFICE}/pivotCacheDefinition" Target="pivotCache/pivotCacheDefinition1.xml"/>'
        "</Relationships>",
    )
    drawing = "application/vnd.openxmlformats-officedocument.drawing"
    kinds = {
        **{f"xl/worksheets/sheet{n}.xml": f"{TYPE}.worksheet+xml" for n in (1, 2, 3)},
        "xl/drawings/drawing1.xml": f"{drawing}+xml", "xl/charts/chart1.xml": f"{drawing}ml.chart+xml",
        "xl/comments1.xml": f"{TYPE}.comments+xml", "xl/tables/table1.xml": f"{TYPE}.table+xml",
        "xl/pivotTables/pivotTable1.xml": f"{TYPE}.pivotTable+xml",
        "xl/pivotCache/pivotCacheDefinition1.xml": f"{TYPE}.pivotCacheDefinition+xml",
        "xl/drawings/vmlDrawing1.vml": "application/vnd.openxmlformats-officedocument.vmlDrawing",
    }  # fmt: skip
    stated = "".join(f'<Override PartName="/{part}" ContentType="{kind}"/>' for part, kind in kinds.items())
    parts["[Content_Types].xml"] = parts["[Content_Types].xml"].replace("</Types>", f"{stated}</Types>")
    return parts


def rich_file(path):
    path.write_bytes(zipped(rich_parts()))
    return path
