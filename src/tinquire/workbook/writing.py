"""A sheet in memory as a part (ECMA-376 Part 1, 18.3.1), elements in the order of the schema."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from tinquire.cells.address import area_name, cell_name, column_name
from tinquire.cells.column import Kind
from tinquire.cells.values import CellError
from tinquire.workbook.formulas import text_at
from tinquire.workbook.markup import MAIN, RELATIONS, escaped
from tinquire.workbook.sheet import NO_FORMULA, Cells, Formula, Sheet

__all__ = ["formula_markup", "number_text", "sheet_part", "stored_value"]


def number_text(number: float) -> str:
    """A number with the fewest digits that read back the same; whole numbers without a point."""
    if number == int(number) and abs(number) < 1e15:
        return str(int(number))
    return repr(float(number))


def sheet_part(sheet: Sheet, place_of: Callable[[str], int], table_ids: Sequence[str] = ()) -> bytes:
    """The part's bytes. `place_of` gives a text's place among the shared strings; `table_ids` are relationships."""
    used = sheet.used
    pieces = [
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n',
        f'<worksheet xmlns="{MAIN}" xmlns:r="{RELATIONS}">',
        '<sheetPr><pageSetUpPr fitToPage="1"/></sheetPr>',
        f'<dimension ref="{area_name(used) if used else "A1"}"/>',
        _view(sheet),
        '<sheetFormatPr defaultRowHeight="15"/>',
        _columns(sheet),
        "<sheetData>",
        *_rows(sheet, place_of),
        "</sheetData>",
    ]
    if sheet.merged:
        cells = "".join(f'<mergeCell ref="{area_name(area)}"/>' for area in sheet.merged)
        pieces.append(f'<mergeCells count="{len(sheet.merged)}">{cells}</mergeCells>')
    pieces.append('<pageMargins left="0.5" right="0.5" top="0.6" bottom="0.6" header="0.3" footer="0.3"/>')
    orientation = ' orientation="landscape"' if sheet.landscape else ""
    pieces.append(f'<pageSetup paperSize="9"{orientation} fitToHeight="0"/>')
    pieces.append("<headerFooter><oddFooter>&amp;L&amp;A&amp;R&amp;P / &amp;N</oddFooter></headerFooter>")
    if table_ids:
        parts = "".join(f'<tablePart r:id="{identity}"/>' for identity in table_ids)
        pieces.append(f'<tableParts count="{len(table_ids)}">{parts}</tableParts>')
    pieces.append("</worksheet>")
    return "".join(pieces).encode()


def _view(sheet: Sheet) -> str:
    lines = "" if sheet.gridlines else ' showGridLines="0"'
    rows, columns = sheet.frozen
    if not rows and not columns:
        return f'<sheetViews><sheetView workbookViewId="0"{lines}/></sheetViews>'
    pane = "bottomRight" if rows and columns else "bottomLeft" if rows else "topRight"
    splits = (f' xSplit="{columns}"' if columns else "") + (f' ySplit="{rows}"' if rows else "")
    corner = cell_name(rows + 1, columns + 1)
    return (
        f'<sheetViews><sheetView workbookViewId="0"{lines}>'
        f'<pane{splits} topLeftCell="{corner}" activePane="{pane}" state="frozen"/>'
        f'<selection pane="{pane}" activeCell="{corner}" sqref="{corner}"/></sheetView></sheetViews>'
    )


def _columns(sheet: Sheet) -> str:
    if not sheet.widths:
        return ""
    each = "".join(
        f'<col min="{number}" max="{number}" width="{sheet.widths[number]:.8g}" customWidth="1"/>'
        for number in sorted(sheet.widths)
    )
    return f"<cols>{each}</cols>"


def _rows(sheet: Sheet, place_of: Callable[[str], int]) -> list[str]:
    """The rows' markup: cells are made column by column, then put together row by row."""
    pieces: dict[int, list[str]] = {}
    for number in sorted(sheet.columns):
        cells = sheet.columns[number]
        for row, text in zip(cells.rows.tolist(), _cells(sheet, number, cells, place_of), strict=True):
            pieces.setdefault(row, []).append(text)
    result = []
    for row in sorted(pieces.keys() | sheet.heights.keys()):
        height = f' ht="{sheet.heights[row]:g}" customHeight="1"' if row in sheet.heights else ""
        hidden = ' hidden="1"' if row in sheet.hidden_rows else ""
        result.append(f'<row r="{row}"{height}{hidden}>{"".join(pieces.get(row, ()))}</row>')
    return result


def _cells(sheet: Sheet, number: int, cells: Cells, place_of: Callable[[str], int]) -> list[str]:
    letters = column_name(number)
    places = {
        code: place_of(sheet.texts[code])
        for code in np.unique(cells.codes[(cells.kinds == Kind.TEXT) & (cells.formulas == NO_FORMULA)]).tolist()
    }
    result = []
    for row, kind, value, code, style, formula in zip(
        cells.rows.tolist(), cells.kinds.tolist(), cells.numbers.tolist(), cells.codes.tolist(),
        cells.styles.tolist(), cells.formulas.tolist(), strict=True,
    ):  # fmt: skip
        dress = f' s="{style}"' if style else ""
        if formula == NO_FORMULA:
            if kind == Kind.TEXT:
                result.append(f'<c r="{letters}{row}"{dress} t="s"><v>{places[code]}</v></c>')
            else:
                form, content = stored_value(kind, value, "")
                result.append(f'<c r="{letters}{row}"{dress}{form}>{content}</c>')
            continue
        form, content = stored_value(kind, value, sheet.texts[code] if kind == Kind.TEXT else "")
        text = formula_markup(sheet.formulas[formula], row, number)
        result.append(f'<c r="{letters}{row}"{dress}{form}>{text}{content}</c>')
    return result


def stored_value(kind: int, number: float, text: str) -> tuple[str, str]:
    """The `t` attribute and the value element of a cell; a text is stored in the cell, as a formula's result is."""
    if kind == Kind.NUMBER:
        return "", f"<v>{number_text(number)}</v>"
    if kind == Kind.TEXT:
        return ' t="str"', f"<v>{escaped(text)}</v>"
    if kind == Kind.BOOL:
        return ' t="b"', f"<v>{int(number)}</v>"
    if kind == Kind.ERROR:
        return ' t="e"', f"<v>{escaped(CellError.from_code(int(number)).text)}</v>"
    return "", ""


def formula_markup(formula: Formula, row: int, column: int) -> str:
    """A formula as the cell at (row, column) writes it: its own text, moved there when another cell wrote it."""
    if formula.array is not None:
        return f'<f t="array" ref="{area_name(formula.array)}">{escaped(formula.text)}</f>'
    return f"<f>{escaped(text_at(formula, row, column))}</f>"
