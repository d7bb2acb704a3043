"""A sheet with all that is hard to draw: each cell with an xf of its own, described in a few words."""

from __future__ import annotations

from html import escape

from parts import MAIN, parts_of, zipped
from tinquire.cells.address import cell_name

ACCOUNTING = '_(* #,##0.00_);_(* (#,##0.00);_(* "-"??_);_(@_)'
FORMATS = {164: ACCOUNTING, 165: "#,##0.00;[Red]-#,##0.00", 166: '"£"* #,##0', 167: "d mmmm yyyy", 168: "@*."}
FONTS = (
    '<font><sz val="11"/><name val="Calibri"/></font>', '<font><b/><sz val="11"/><color rgb="FFA6402F"/><name val="Calibri"/></font>',
    '<font><i/><u val="double"/><sz val="11"/><name val="Times New Roman"/></font>', '<font><strike/><sz val="18"/><name val="Arial"/></font>',
    '<font><sz val="11"/><vertAlign val="superscript"/><name val="Calibri"/></font>', '<font><u val="singleAccounting"/><sz val="11"/><name val="Calibri"/></font>',
)  # fmt: skip
FILLS = (
    '<patternFill/>', '<patternFill patternType="gray125"/>', '<patternFill patternType="solid"><fgColor rgb="FFF2E2BC"/></patternFill>',
    '<patternFill patternType="darkUp"><fgColor rgb="FF2F5D7C"/><bgColor rgb="FFE4E9EC"/></patternFill>',
    '<patternFill patternType="lightGrid"><fgColor rgb="FFA6402F"/></patternFill>', '<patternFill patternType="lightGray"><fgColor rgb="FF27343A"/></patternFill>',
    '<gradientFill degree="90"><stop position="0"><color rgb="FFFFFFFF"/></stop><stop position="1"><color rgb="FF2F5D7C"/></stop></gradientFill>',
    '<gradientFill type="path" left="0.5" right="0.5" top="0.5" bottom="0.5"><stop position="0"><color rgb="FFC99A2E"/></stop><stop position="1"><color rgb="FFFFFFFF"/></stop></gradientFill>',
)  # fmt: skip
STYLES = ("hair", "dotted", "dashed", "dashDot", "dashDotDot", "thin", "mediumDashed", "mediumDashDot", "mediumDashDotDot", "slantDashDot", "medium", "double", "thick")  # fmt: skip


def _border(style, diagonal=""):
    sides = "".join(
        f'<{side} style="{style}"><color rgb="FF27343A"/></{side}>' for side in ("left", "right", "top", "bottom")
    )
    return (
        f"<border{diagonal}>{sides}"
        + (f'<diagonal style="{style}"><color rgb="FFA6402F"/></diagonal>' if diagonal else "")
        + "</border>"
    )


BORDERS = ("<border/>", *map(_border, STYLES), _border("thin", ' diagonalUp="1" diagonalDown="1"'))
LONG = "A text that is longer than its column is wide"
#: Row, column, value, and attributes: font, fill, border, format, alignment.
CELLS = [
    (1, 1, LONG, {}), (2, 1, LONG, {}), (2, 2, "next", {}), (3, 3, LONG, {"align": 'horizontal="right"'}), (4, 3, LONG, {"align": 'horizontal="center"'}),
    (5, 1, LONG, {"align": 'wrapText="1" vertical="top"'}), (5, 2, "top", {"align": 'vertical="top"'}), (5, 3, "centre", {"align": 'vertical="center" horizontal="center"'}),
    (5, 4, "two\nlines", {"align": 'wrapText="1" horizontal="right"'}), (5, 5, f"{LONG} and so it is spread", {"align": 'horizontal="justify"'}),
    (6, 1, "rises", {"align": 'textRotation="45"'}), (6, 2, "up", {"align": 'textRotation="90"'}), (6, 3, "down", {"align": 'textRotation="180"'}),
    (6, 4, "LIFT", {"align": 'textRotation="255"'}), (6, 5, "falls away", {"align": 'textRotation="120"'}),
    (7, 1, LONG, {"align": 'shrinkToFit="1"'}), (7, 2, "ab", {"align": 'horizontal="fill"'}), (7, 3, "indented", {"align": 'horizontal="left" indent="2"'}),
    (7, 4, "over three", {"align": 'horizontal="centerContinuous"'}), (7, 5, None, {"align": 'horizontal="centerContinuous"'}), (7, 6, None, {"align": 'horizontal="centerContinuous"'}),
    (8, 1, 1234.5, {"format": 164}), (8, 2, -1234.5, {"format": 164}), (8, 3, 0, {"format": 164}), (8, 4, -5, {"format": 165}), (8, 5, 1200, {"format": 166}), (8, 6, "ends", {"format": 168}),
    (9, 1, 123456789.123, {}), (9, 2, 123456789.123, {"format": 165}), (9, 3, 46322, {"format": 167}), (9, 4, 0.000012345678, {}), (9, 5, True, {}), (9, 6, "#N/A", {"error": True}),
    (10, 1, "bold red", {"font": 1}), (10, 2, "double", {"font": 2}), (10, 3, "struck", {"font": 3}), (10, 4, "raised", {"font": 4}), (10, 5, "under", {"font": 5}), (10, 6, "漢字 ✓ é", {}),
    *[(11, n + 1, f"fill {n}", {"fill": n}) for n in range(2, 8)],
    *[(13 + n // 6 * 2, 1 + n % 6, STYLES[n], {"border": n + 1}) for n in range(13)],
    (19, 1, "crossed", {"border": 14}), (19, 3, "merged over two by two", {"border": 6, "fill": 2, "align": 'horizontal="center" vertical="center" wrapText="1"'}),
    (19, 4, None, {"border": 6}), (20, 3, None, {"border": 6}), (20, 4, None, {"border": 6}),
]  # fmt: skip
RICH = '<r><t>plain </t></r><r><rPr><b/><sz val="14"/><color rgb="FF2F5D7C"/><rFont val="Georgia"/></rPr><t>bold</t></r><r><rPr><vertAlign val="subscript"/></rPr><t>low</t></r>'


def hard_book(*, sheet_view="", after="", before="", workbook=""):
    """The bytes of a workbook whose sheet holds `CELLS`, and a text with runs in A22."""
    styles, xfs = {}, ["<xf/>"]
    rows = {}
    shared = []
    for row, column, value, look in CELLS:
        align = f"<alignment {look['align']}/>" if "align" in look else ""
        xf = f'<xf numFmtId="{look.get("format", 0)}" fontId="{look.get("font", 0)}" fillId="{look.get("fill", 0)}" borderId="{look.get("border", 0)}">{align}</xf>'
        if xf not in styles:
            styles[xf] = len(xfs)
            xfs.append(xf)
        head = f'<c r="{cell_name(row, column)}" s="{styles[xf]}"'
        if value is None:
            cell = f"{head}/>"
        elif isinstance(value, bool):
            cell = f'{head} t="b"><v>{int(value)}</v></c>'
        elif look.get("error"):
            cell = f'{head} t="e"><v>{value}</v></c>'
        elif isinstance(value, str):
            shared.append(f'<si><t xml:space="preserve">{escape(value)}</t></si>')
            cell = f'{head} t="s"><v>{len(shared) - 1}</v></c>'
        else:
            cell = f"{head}><v>{value!r}</v></c>"
        rows.setdefault(row, []).append(cell)
    shared.append(f"<si>{RICH}</si>")
    rows[22] = [f'<c r="A22" t="s"><v>{len(shared) - 1}</v></c>']
    heights = {5: ' ht="60" customHeight="1"', 6: ' ht="60" customHeight="1"', 12: ' hidden="1"'}
    data = "".join(
        f'<row r="{row}"{heights.get(row, "")}>{"".join(cells)}</row>' for row, cells in sorted(rows.items())
    )
    group = lambda name, items: f'<{name} count="{len(items)}">{"".join(items)}</{name}>'  # noqa: E731
    sheet = (
        f'<styleSheet xmlns="{MAIN}">' + group("numFmts", [f'<numFmt numFmtId="{n}" formatCode="{escape(code)}"/>' for n, code in FORMATS.items()])
        + group("fonts", FONTS) + group("fills", [f"<fill>{one}</fill>" for one in FILLS]) + group("borders", BORDERS) + group("cellXfs", xfs) + "</styleSheet>"
    )  # fmt: skip
    view = f'<sheetViews><sheetView workbookViewId="0"{sheet_view}/></sheetViews>'
    return zipped(parts_of(
        data, shared=shared, styles=sheet, before=before or f'{view}<sheetFormatPr defaultRowHeight="15"/><cols><col min="1" max="6" width="14.7109375" customWidth="1"/></cols>',
        after=f'<mergeCells count="1"><mergeCell ref="C19:D20"/></mergeCells>{after}', workbook=workbook,
    ))  # fmt: skip
