"""Changed cells written into a sheet's part; all else in the part stays as it was read."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence

from lxml import etree

from tinquire.cells.address import area_name, cell_name, parse_cell
from tinquire.cells.column import Column
from tinquire.packages.raw_xml import Unusual
from tinquire.packages.xml import children, escape_controls, local, parse_xml, remove_attribute, serialise_xml, tag
from tinquire.workbook.grid.cell_formulas import text_at
from tinquire.workbook.grid.cells import NO_FORMULA
from tinquire.workbook.grid.sheet import Sheet
from tinquire.workbook.sheet_xml.cell_splice import CellPatch, splice_cells
from tinquire.workbook.sheet_xml.cell_values import stored_value

__all__ = ["changed_cells", "patch_cells"]


def changed_cells(sheet: Sheet, place_of: Callable[[str], int]) -> Iterator[CellPatch]:
    """The changed cells of a sheet, column by column; `place_of` gives a text's place among the shared ones."""
    for column, (rows, formulas_set) in sheet.changed.by_column().items():
        cells = sheet.rows_of(column, rows)
        values = Column(cells.kinds, cells.numbers, cells.codes, sheet.texts)
        lists = (rows.tolist(), values, cells.styles.tolist(), cells.formulas.tolist(), formulas_set.tolist())
        for row, value, style, number, fresh in zip(*lists, strict=True):
            formula = None if number == NO_FORMULA else sheet.formulas[number]
            form, stored = stored_value(value, place_of, formula=formula is not None)
            written = text_at(formula, row, column) if formula is not None and fresh else None
            area = area_name(formula.array) if formula is not None and formula.array and fresh else ""
            yield CellPatch(row, column, form, stored, style, written, area, keep_formula=not fresh)


def patch_cells(data: bytes, patches: Iterable[CellPatch]) -> bytes:
    """The part with cells set; rows and cells are made where missing, in their order (18.3.1.73).

    Bytes outside the changed cells stay as they are. A part in an odd form is parsed and written again, which keeps
    its content but not its spelling.
    """
    ordered = sorted(patches, key=lambda item: (item.row, item.column))
    try:
        return splice_cells(data, ordered)
    except Unusual:
        return _rebuild(data, ordered)


def _rebuild(data: bytes, patches: Sequence[CellPatch]) -> bytes:
    root = parse_xml(data)
    sheet_data = children(root, "sheetData")[0]
    rows = _rows(sheet_data)
    for patch in patches:
        row = rows.get(patch.row)
        if row is None:
            row = rows[patch.row] = _insert_row(sheet_data, patch.row)
        _apply(_cell(row, patch.row, patch.column), patch)
    return serialise_xml(root)


def _rows(sheet_data: etree._Element) -> dict[int, etree._Element]:
    found: dict[int, etree._Element] = {}
    number = 0
    for row in children(sheet_data, "row"):
        number = int(row.get("r") or number + 1)
        found[number] = row
    return found


def _insert_row(sheet_data: etree._Element, number: int) -> etree._Element:
    row = etree.Element(tag(sheet_data, "row"), r=str(number))
    position = sum(1 for other in children(sheet_data, "row") if int(other.get("r") or 0) < number)
    sheet_data.insert(position, row)
    return row


def _cell(row: etree._Element, number: int, column: int) -> etree._Element:
    """The cell element of a column, made in its place when missing; cells may stand in any order."""
    at, after = 0, None
    for index, cell in enumerate(row):
        if local(cell) != "c":
            continue
        reference = cell.get("r")
        at = parse_cell(reference)[1] if reference else at + 1
        if at == column:
            return cell
        if at > column and after is None:
            after = index
    if after is not None:
        fresh = etree.Element(tag(row, "c"), r=cell_name(number, column))
        row.insert(after, fresh)
        return fresh
    return etree.SubElement(row, tag(row, "c"), r=cell_name(number, column))


def _apply(cell: etree._Element, patch: CellPatch) -> None:
    for part in list(cell):
        if local(part) in ("v", "is") or (local(part) == "f" and not patch.keep_formula):
            cell.remove(part)
    remove_attribute(cell, "t")
    if patch.form:
        cell.set("t", patch.form)
    if patch.style:
        cell.set("s", str(patch.style))
    else:
        remove_attribute(cell, "s")
    if patch.formula is not None:
        formula = etree.SubElement(cell, tag(cell, "f"))
        formula.text = escape_controls(patch.formula)
        if patch.array:
            formula.set("t", "array")
            formula.set("ref", patch.array)
    if patch.value is not None:
        value = etree.Element(tag(cell, "v"))
        value.text = escape_controls(patch.value)
        after_formula = 1 if len(cell) and local(cell[0]) == "f" else 0
        cell.insert(after_formula, value)
