"""Whole files of several kinds, and the ways in which they are damaged: bytes, members, markup, formulas and numbers."""

from __future__ import annotations

import io
import re
import zipfile
from functools import cache

from books import full_book
from hardsheet import hard_book
from letterparts import WORD, letter_parts, paragraph
from parts import MAIN, parts_of, zipped
from pivotbook import cache_xml, data_sheet, pivot_xml, put_pivot
from richbook import rich_parts
from tinquire.larkfold.dashboard import dashboard_template
from tinquire.larkfold.letters import board_template
from tinquire.workbook import Sheet, Workbook
from tinquire.workbook.calc.recalculate import recalculate
from tinquire.workbook.pivots.refresh import refresh_pivots

VALUES = [
    "", "0", "-1", "1", "2", "3.5", "+5", " 5 ", "NaN", "INF", "-INF", "1e999", "1e308", "-1e-320", "9" * 4_300, "0x10",
    "1_000", "１", "²", "1048576", "1048577", "16384", "16385", "2147483648", "4294967296", "9223372036854775808",
    "A1", "XFD1048576", "A1:XFD1048576", "A0", "A00", "ZZZZ1", "$A$1", "B2:A1", "E2", "1E2", "A:A", "1:1", "A1 A1:B2 C3",
    "true", "false", "s", "e", "d", "b", "str", "inlineStr", "shared", "array", "dataTable", "formula", "&#xFFFE;", "&#0;",
    "_x0000_", "_x0041_", "é", "𝔘", "Data!A1", "#REF!", "[1]Data!A1", "../../x", "/", "/xl/workbook.xml", "workbook.xml",
    "0001-01-01", "9999-12-31T23:59:59", "10000-01-01", "FFFFFFFF", "x" * 40_000, "rId1", "rId2", "Things", "General",
    "[<>]0;;;@;;", "dd/mm/yyyy hh", "[h]:mm:ss.000", "# ??/??", "0.00E+00", "\n", "'", "&quot;", "&lt;", "-0", ".", "1.",
]  # fmt: skip
FORMULAS = [
    "(" * 300 + "1" + ")" * 300, "(" * 5_000 + "1" + ")" * 5_000, "-" * 9_000 + "1", "IF(1," * 400 + "1" + ")" * 400,
    "A1&" * 4_000 + "A1", "1" + "+1" * 5_000, "SUM(" * 200 + "A1" + ")" * 200, "A1" + "%" * 3_000, "{" + "1," * 9_000 + "1}",
    "SUM(", ")", "SUM(A1:B2", "A1:XFD1048576", "SUM(A:XFD)", "A:A*A:A", "1:1", "A1#", "@A1", "'", '"', "Data!", "E2", "1E400",
    "'Da''ta'!A1", "[1]X!A1", "9" * 400, "MMULT(A1:Z900,A1:Z900)", "OFFSET(A1,1048575,0,1048576,1)", "OFFSET(A1,-1,0)",
    'INDIRECT("A1:XFD1048576")', 'INDIRECT("R1C1",FALSE)', 'REPT("x",40000)', 'REPT(REPT("x",32767),32767)',
    "SEQUENCE(1048576,16384)", "SEQUENCE(99999,9)", "SUM(SEQUENCE(1048576,99))", "RANDARRAY(1048576,40)", "MUNIT(5000)",
    "LAMBDA(x,x)(1)", "LET(f,LAMBDA(f,n,f(f,n+1)),f(f,1))", "REDUCE(0,SEQUENCE(9999),LAMBDA(a,b,a+b))",
    'COUNTIF(A1:C9,"*a*b*c*d*e*f*g*h*?*")', 'TEXT(1,"[<>]0;;;@;;")', "FILTER(A:A,A:A>0)", "SORT(A:XFD)", "10^308*10",
    "FACT(1E9)", "COMBIN(1E300,1E299)", "BINOM.DIST(1E300,1E300,0.5,TRUE)", "DATE(1E300,1,1)", "DATE(-1E9,0,0)",
    "EDATE(1E9,1E9)", "CHAR(-1)", "UNICHAR(55296)", "BASE(1E15,2,9999)", "A1 B2", "A1,B2", "(A1,B2)", "#REF!", "#N/A",
    "Things[[#This Row],[Pieces]]", "Things[", "Things[[Item]:[Twice]]", "Things[#All]", "A1:B2:C3", "SUM(Data:Lists!A1)",
    "Name.With.Dots", "äö", "IF(,,)", "SUM(,)", "CONCAT(1E15, )", "CHOOSECOLS( ,2)", "A1%%%", "1 2", "=1", "{=1}", " ", "A1*",
    "WORKDAY(1,1E9)", "NETWORKDAYS(0,1E9)", "ROMAN(1E9)", "REPT(A1,1E9)", 'SUBSTITUTE(REPT("a",9999),"a",REPT("b",99))',
    "XFD1048577", "AAAA1", "SUM(XFD1048576:XFD1048577)", "B6", "C2:C4", "TOCOL(A:Z)", "TEXTJOIN(A1:Z9999,,A1:Z9999)", "\x0b",
    "NORM.INV(1E-320,0,1)", "PDURATION(1E-9,1,1E300)", "RATE(1E9,1,1,1)", "IRR(A1:A9,-2)", "CELL(\"width\",XFD1)",
]  # fmt: skip
#: Elements whose absence, repetition or strangeness matters, put in anywhere.
ELEMENTS = [
    "<x/>", "<!-- c -->", "<?p q?>", "<![CDATA[1]]>", "<c/>", "<c r=\"A1\"><v>1</v></c>", '<row r="3"/>', "<f>A1</f>", "text",
    "<v>E2</v>", "<is><t>x</t></is>", "<f t='shared' si='0'/>", "<row><c><v>1</v></c></row>", "<extLst/>", "<sheetData/>",
    f'<c xmlns="{MAIN}" r="XFD1048576"><v>1</v></c>', "<si><t>x</t></si>", "&amp;", "&lt;", "<a:b/>", "<mergeCell ref='A1:B2'/>",
]  # fmt: skip
_TAG = re.compile(r"<[^!?<>][^<>]*>")
_ATTRIBUTE = re.compile(r'([\w:]+)="([^"]*)"')
_TEXT = re.compile(r">([^<>]+)<")
_FORMULA = re.compile(r"<(f|formula1?|xm:f|definedName|calculatedColumnFormula|c:f)\b[^<>]*>([^<>]*)<")


def _parts_of_file(data):
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        read = {name: archive.read(name) for name in archive.namelist()}
    return {
        name: data.decode("utf-8", "surrogateescape") if name.endswith(("xml", "rels")) else data
        for name, data in read.items()
    }


def _model():
    """Formulas across and down, arrays, names, dates and a circle."""
    book = Workbook.new()
    sheet = Sheet("Data")
    for column, text in enumerate(("Item", "Pieces", "Day", "Rate", "Charge"), 1):
        sheet.set(1, column, text)
    for row in range(2, 14):
        sheet.set(row, 1, "abc"[row % 3])
        sheet.set(row, 2, float(row))
        sheet.set(row, 3, 46_000.0 + row)
        sheet.set(row, 4, "1,5" if row == 7 else row / 8)
        sheet.set(row, 5, None, formula=f'B{row}*IF(A{row}="a",D{row},2)+N(E{row - 1})')
    for column in range(7, 15):
        sheet.set(2, column, None, formula=f'SUMIFS($B$2:$B$13,$A$2:$A$13,"a")*COLUMN()+N({"FGHIJKLMNO"[column - 7]}2)')
        sheet.set(
            3, column, None, formula=f"SUM(OFFSET($B$2,0,0,COLUMN(),1))+INDEX($B$2:$B$13,MATCH({column},$B$2:$B$13,0))"
        )
    book.add_sheet(sheet)
    other = Sheet("Lists")
    for row, text in enumerate(("VLOOKUP(\"b\",Data!A:E,5,FALSE)", "TEXTJOIN(\",\",TRUE,Data!A2:A13)", "SUMPRODUCT((Data!A2:A13=\"c\")*Data!B2:B13)",
                                "COUNTIF(Data!A:A,\"a*\")", "SORT(Data!B2:B13,,-1)", "TODAY()", "Data!E13&\"\"", "INDIRECT(\"Data!B\"&ROW())"), 1):  # fmt: skip
        other.set(row, 1, None, formula=text)
    book.add_sheet(other)
    recalculate(book, now=46_320.0)
    return book.to_bytes()


def _pivots():
    """Pivots over one store: merged labels, sets, months, bands, a reckoned field, filters, ways of showing, pages."""
    headings, tab = ["Item", "Pieces", "Day", "Depot", "Charge", "Unit", "Area"], 'compact="0" outline="0"'
    rows = [("abc"[n % 3], float(n), 46_000.0 + 9 * n, "xyz"[n % 2], n / 4 if n % 5 else None) for n in range(1, 14)]
    months = "".join(f'<s v="M{n}"/>' for n in range(1, 13))
    groups = {
        "Day": f'<fieldGroup base="2"><rangePr groupBy="months" startDate="2025-12-01T00:00:00" endDate="2026-05-01T00:00:00"/><groupItems><s v="&lt;12/1/2025"/>{months}<s v="&gt;5/1/2026"/></groupItems></fieldGroup>',
        "Pieces": '<fieldGroup base="1"><rangePr startNum="0" endNum="14" groupInterval="5"/><groupItems><s v="&lt;0"/><s v="0-4"/></groupItems></fieldGroup>',
    }
    derived = '<cacheField name="Unit" formula="Charge/Pieces" databaseField="0"/><cacheField name="Area" databaseField="0"><fieldGroup base="3"><discretePr count="2"><x v="0"/><x v="0"/></discretePr><groupItems count="1"><s v="Coast"/></groupItems></fieldGroup></cacheField>'
    best = '<filters count="1"><filter fld="0" type="count" id="1" iMeasureFld="0"><autoFilter ref="A1"><filterColumn colId="0"><top10 val="2"/></filterColumn></autoFilter></filter></filters>'
    sort = '<autoSortScope><pivotArea><references><reference field="4294967294"><x v="0"/></reference></references></pivotArea></autoSortScope>'
    asked = (
        dict(down=["Area", "Depot", "Item"], values=[("P", 'fld="1"'), ("U", 'fld="5"')], attributes='mergeItem="1"',
             fields={"Area": tab, "Depot": tab, "Item": (tab + ' sortType="descending"', sort)}, after=best),
        dict(down=["Day", "Pieces"], across=["Item"], values=[("S", 'fld="4" showDataAs="percentOfParentRow"')], first=(1, 2, 1)),
        dict(down=["Depot"], values=[("R", 'fld="4" subtotal="average" showDataAs="runTotal" baseField="3"')], pages=[("Item", 'item="0"')]),
    )  # fmt: skip
    book = Workbook.new()
    book.add_sheet(data_sheet(book, headings[:5], rows, ("Day",)))
    sheet = Sheet("Lists")
    sheet.set(1, 1, None, formula='GETPIVOTDATA("P",A3,"Depot","x")')
    book.add_sheet(sheet)
    made = [
        pivot_xml(headings, **one).replace('ref="A3"', f'ref="{at}"').replace('name="P"', f'name="P{at}"', 1)
        for one, at in zip(asked, ("A3", "H3", "P3"), strict=True)
    ]
    put_pivot(book, "Lists", cache_xml(headings[:5], "Data!A1:E14", groups, derived, rows), made)
    refresh_pivots(book)
    recalculate(book, now=46_320.0)
    return book.to_bytes()


def _odd_strings():
    rows = "".join(
        f'<row r="{row}"><c r="A{row}" t="s"><v>{row % 4}</v></c><c r="B{row}" s="{row % 3}"><v>{row}</v></c></row>'
        for row in range(1, 9)
    )
    from parts import STYLES

    shared = ["Item", "<si><r><t>rich </t></r><r><rPr><b/></rPr><t>text</t></r></si>", "E2", "2026-10-01"]
    return parts_of(rows, shared=shared, styles=STYLES, after='<autoFilter ref="A1:B8"/>')


ODS = (
    '<office:document xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0">'
    '<office:body><office:spreadsheet><table:table table:name="Data"><table:table-row>'
    '<table:table-cell office:value-type="string"><text:p>Item</text:p></table:table-cell>'
    '<table:table-cell office:value-type="string"><text:p>Pieces</text:p></table:table-cell></table:table-row>'
    '<table:table-row table:number-rows-repeated="3"><table:table-cell office:value-type="string"><text:p>Sheet</text:p>'
    '</table:table-cell><table:table-cell office:value-type="float" office:value="3"/>'
    '<table:table-cell office:value-type="date" office:date-value="2026-10-01" table:number-columns-repeated="2"/>'
    "</table:table-row></table:table></office:spreadsheet></office:body></office:document>"
)
TEXTS = {
    "csv": "Item;Pieces;Day;Share\n" + "".join(f"{'abc'[n % 3]};{n},5;0{n}.10.2026;{n} %\n" for n in range(1, 9)),
    "json": '[{"Item": "a", "Pieces": 1, "Day": "2026-10-01", "More": [1, 2]}, {"Item": "b", "Pieces": 2.5, "On": true},'
    ' {"Item": null, "Pieces": 1e3, "In": {"x": 1, "y": [{"z": 2}]}}]',
    "fods": ODS,
}
PIECES = [
    "", '"', ";", ",", "\n", "\r", "\t", "\x00", "\ufeff", "[", "]", "{", "}", "[]", "{}", "[[", "null", "1e999", "-1e999", "NaN",
    "\\ud800", '"\\ud800"', "9" * 5_000, "=1+1", "é", "\u2028", "0001-01-01", "10000-01-01", "31.02.2026", "E2", "1E2",
    "a" * 40_000, "\x1a", "01", "1,000.5", "-", "%", ":", '{"a":{"a":{"a":[]}}}', "[" * 3_000, ";" * 3_000, "<x/>", "&x;",
]  # fmt: skip


def _letter():
    """A letter with lists, a table, a note, a text box, columns, a header, fields and slots."""
    box = (
        '<w:p><w:r><w:drawing><wp:anchor><wp:positionH relativeFrom="page"><wp:posOffset>635000</wp:posOffset></wp:positionH><wp:positionV relativeFrom="margin"><wp:align>top</wp:align></wp:positionV><wp:extent cx="1270000" cy="635000"/><wp:wrapNone/><wp:docPr id="1" name="b"/><a:graphic><a:graphicData><w:txbxContent>'
        + paragraph("boxed [:Name:]", cut=2)
        + "</w:txbxContent></a:graphicData></a:graphic></wp:anchor></w:drawing></w:r></w:p>"
    )
    grid = (
        '<w:tbl><w:tblPr><w:tblStyle w:val="Grid"/><w:tblW w:w="5000" w:type="dxa"/><w:jc w:val="center"/><w:tblLook w:val="04A0"/></w:tblPr><w:tblGrid><w:gridCol w:w="2500"/><w:gridCol w:w="2500"/></w:tblGrid><w:tr><w:trPr><w:tblHeader/></w:trPr><w:tc><w:tcPr><w:gridSpan w:val="2"/><w:shd w:fill="F4EFE6"/></w:tcPr>'
        + paragraph("Head")
        + '</w:tc></w:tr><w:tr><w:trPr><w:trHeight w:val="600"/></w:trPr><w:tc><w:tcPr><w:vMerge w:val="restart"/><w:vAlign w:val="center"/></w:tcPr>'
        + paragraph("a")
        + "</w:tc><w:tc>"
        + paragraph("b")
        + "</w:tc></w:tr></w:tbl>"
    )
    text = '<w:p><w:pPr><w:jc w:val="both"/><w:ind w:left="300" w:hanging="200"/><w:spacing w:before="100" w:line="300"/><w:tabs><w:tab w:val="right" w:pos="6000" w:leader="dot"/></w:tabs><w:sectPr><w:cols w:num="2"/><w:pgNumType w:start="3" w:fmt="lowerRoman"/></w:sectPr></w:pPr><w:bookmarkStart w:id="0" w:name="m"/><w:r><w:rPr><w:b/><w:sz w:val="24"/><w:color w:val="2F5D7C"/></w:rPr><w:t>one two [:Name:]</w:t><w:tab/><w:t>3</w:t><w:footnoteReference w:id="2"/></w:r><w:hyperlink w:anchor="m"><w:r><w:t>back</w:t></w:r></w:hyperlink></w:p>'
    styles = f'<w:styles xmlns:w="{WORD}"><w:docDefaults><w:rPrDefault><w:rPr><w:sz w:val="20"/></w:rPr></w:rPrDefault></w:docDefaults><w:style w:type="paragraph" w:default="1" w:styleId="T"/><w:style w:type="table" w:styleId="Grid"><w:basedOn w:val="T"/><w:tblPr><w:tblBorders><w:top w:val="single" w:sz="4"/></w:tblBorders></w:tblPr><w:tblStylePr w:type="firstRow"><w:rPr><w:b/></w:rPr></w:tblStylePr></w:style></w:styles>'
    numbering = f'<w:numbering xmlns:w="{WORD}"><w:abstractNum w:abstractNumId="0"><w:lvl w:ilvl="0"><w:start w:val="1"/><w:numFmt w:val="lowerLetter"/><w:lvlText w:val="%1."/></w:lvl></w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num></w:numbering>'
    header = '<w:p><w:fldSimple w:instr="PAGE"><w:r><w:t>1</w:t></w:r></w:fldSimple></w:p>'
    extra = {"styles.xml": ("styles", styles), "numbering.xml": ("numbering", numbering)}
    return letter_parts(
        text + paragraph("item", numbered=True) + grid + box, header=header, footnotes=paragraph("a note"), extra=extra
    )


@cache
def seeds():
    """Whole files by name: parts of packages, or a text."""
    return {
        "rich.xlsx": rich_parts(), "model.xlsx": _parts_of_file(_model()), "full.xlsx": _parts_of_file(full_book().to_bytes()),
        "strings.xlsx": _odd_strings(), "rows.csv": TEXTS["csv"], "rows.json": TEXTS["json"], "rows.fods": TEXTS["fods"],
        "board.xlsx": _parts_of_file(dashboard_template()), "pivots.xlsx": _parts_of_file(_pivots()), "hard.xlsx": _parts_of_file(hard_book()),
        "letter.docx": _letter(), "board.docx": _parts_of_file(board_template()),
    }  # fmt: skip


def damaged(chance):
    """A file's name and bytes, damaged in one to three ways."""
    name = chance.choices(list(seeds()), (6, 6, 3, 3, 2, 2, 2, 6, 4, 6, 5, 2))[0]
    whole = seeds()[name]
    if isinstance(whole, str):
        for _ in range(chance.choice((1, 1, 2, 3))):
            whole = (
                _damaged_text(whole, chance)
                if chance.random() < 0.5 or "fods" not in name
                else _damaged_markup(whole, chance)
            )
        return name, _damaged_bytes(whole.encode("utf-8", "surrogatepass"), chance, 0.2)
    parts = dict(whole)
    for _ in range(chance.choice((1, 1, 1, 2, 3))):
        part = chance.choice(sorted(parts) or ["xl/workbook.xml"])
        if chance.random() < 0.4:
            part = next((known for known in sorted(parts) if known.endswith(("sheet1.xml", "document.xml"))), part)
        chance.choices((_damage_member, _damage_part), (1, 9))[0](parts, part, chance)
    return name, _damaged_bytes(zipped(parts), chance, 0.12)


def _damage_member(parts, part, chance):
    other = chance.choice(sorted(parts) or [part])
    way = chance.randrange(5)
    if way == 0:
        parts.pop(part, None)
    elif way == 1 and part in parts and other in parts:
        parts[part], parts[other] = parts[other], parts[part]
    elif way == 2:
        parts[part] = ""
    elif way == 3 and part in parts:
        parts[part.upper() if chance.random() < 0.5 else f"xl/{part}"] = parts.pop(part)
    else:
        parts[part] = parts.get(other, "<x/>")


def _damage_part(parts, part, chance):
    text = parts.get(part, "")
    if isinstance(text, bytes):
        return
    if chance.random() < 0.05:
        coding = chance.choice(("utf-16", "utf-16-le", "latin-1", "cp1252", "utf-32"))
        parts[part] = text.encode(coding, "replace")
    else:
        parts[part] = _damaged_markup(text, chance)


def _damaged_markup(text, chance):
    way = chance.randrange(10)
    if way <= 2 and (found := list(_ATTRIBUTE.finditer(text))):
        one = chance.choice(found)
        new = chance.choice(
            (
                f'{one[1]}="{chance.choice(VALUES)}"',
                f'{one[1]}="{chance.choice(found)[2]}"',
                "",
                f'{one[1]}x="{one[2]}"',
                one[0] + " " + one[0],
            )
        )
        return text[: one.start()] + new + text[one.end() :]
    if way <= 4 and (found := list(_FORMULA.finditer(text))):
        one = chance.choice(found)
        new = chance.choice(FORMULAS).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        return text[: one.start(2)] + new + text[one.end(2) :]
    if way == 5 and (found := list(_TEXT.finditer(text))):
        one = chance.choice(found)
        return text[: one.start(1)] + chance.choice(VALUES) + text[one.end(1) :]
    if way <= 8 and (found := list(_TAG.finditer(text))):
        return _damaged_element(text, found, chance)
    return _damaged_text(text, chance)


def _damaged_element(text, tags, chance):
    """A tag or a whole element gone, doubled, moved, renamed, or a strange one put in."""
    one, other = chance.choice(tags), chance.choice(tags)
    name = re.match(r"</?([\w:]+)", one[0])
    close = text.find(f"</{name[1]}>", one.end()) if name and not one[0].endswith("/>") and one[0][1] != "/" else -1
    start, stop = one.start(), one.end() if close < 0 else close + len(name[1]) + 3
    piece = text[start:stop]
    way = chance.randrange(6)
    if way == 0:
        return text[:start] + text[stop:]
    if way == 1:
        return text[:stop] + piece * chance.choice((1, 1, 2, 300)) + text[stop:]
    if way == 2:
        without = text[:start] + text[stop:]
        at = min(other.start(), len(without))
        return without[:at] + piece + without[at:]
    if way == 3 and name:
        new = chance.choice((name[1] + "x", "row", "c", "v", "f", "x:" + name[1], name[1].upper(), "t"))
        return text[:start] + piece.replace(name[1], new) + text[stop:]
    if way == 4:
        return text[: one.end()] + chance.choice(ELEMENTS) + text[one.end() :]
    return text[: one.start()] + text[one.end() :]


def _damaged_text(text, chance):
    start = chance.randint(0, len(text))
    stop = min(len(text), start + chance.choice((0, 1, 2, 9, 40)))
    way = chance.randrange(5)
    if way == 0:
        return text[:start]
    if way == 1:
        return text[:start] + text[stop:]
    if way == 2:
        return text[:stop] + text[start:]
    return text[:start] + chance.choice(PIECES) + text[stop:]


def _damaged_bytes(data, chance, share):
    """Bytes flipped or cut off, in a share of the files."""
    if chance.random() > share or not data:
        return data
    if chance.random() < 0.3:
        return data[: chance.randrange(len(data))]
    changed = bytearray(data)
    # Half of the flips hit the structure of the archive, where few bytes lie.
    marks = [at for sign in (b"PK\x01\x02", b"PK\x03\x04", b"PK\x05\x06") if (at := data.rfind(sign)) >= 0]
    for _ in range(chance.randint(1, 4)):
        at = (
            chance.choice(marks) + chance.randrange(46)
            if marks and chance.random() < 0.5
            else chance.randrange(len(data))
        )
        changed[min(at, len(data) - 1)] = chance.choice((0, 1, 255, chance.randrange(256)))
    return bytes(changed)
