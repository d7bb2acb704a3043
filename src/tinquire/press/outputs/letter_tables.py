"""Tables, pivots and statements of a docket as tables of letters: laid out and dressed as on a sheet, then taken from
there, so that a letter shows what a workbook shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime

from tinquire.cells.address import Area
from tinquire.cells.display import show
from tinquire.cells.values import CellError
from tinquire.docket.schema.workbooks import SheetModel
from tinquire.document.laid_tables import LaidCell, LaidTable
from tinquire.looks import Appearance
from tinquire.pages.typefaces import Typefaces
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.finishing import finish_results
from tinquire.press.outputs.sheets import lay_sheet
from tinquire.slots.slots import slot_name
from tinquire.tables import Table
from tinquire.workbook import Sheet, Workbook

__all__ = ["laid_table"]

#: Widths in points: of a column at least, of one of texts at most, beside a text; and the size of letters of no size.
_NARROWEST, _WIDEST, _BESIDE, _SIZE = 24.0, 170.0, 8.0, 10.0
_NAME = "Table"


def laid_table(results: Results, name: str, scope: SlotScope, moment: datetime, where: str) -> LaidTable | str | None:
    """A table, pivot or statement by its name, with its values; why there is none, or None for one without rows. Tables
    of the scope hide those of the run. Raises UseError and DataError for what cannot be laid out."""
    wanted = slot_name(name)
    summed = {"pivot": results.pivots, "statement": results.statements}
    tables = {key: table for key, table in scope.tables.items() if not any(key in known for known in summed.values())}
    known: Mapping[str, Mapping[str, object]] = {"table": {**results.tables, **tables}, **summed}
    found = [(kind, key) for kind, items in known.items() for key in items if slot_name(key) == wanted]
    if len(found) != 1:
        kinds = " and ".join(f"a {kind}" for kind, _ in found)
        return f"'{name}' is {kinds}" if found else f"there is no table, pivot or statement '{name}'"
    ((kind, key),) = found
    if kind == "table" and not _table(known, key).height:
        return None
    own = replace(results, tables={**results.tables, **tables})
    book = Workbook.new()
    model = SheetModel.model_validate({"name": _NAME, kind: key, "filter": False})
    made = lay_sheet(own, book, model, scope, where)
    finish_results(book, f"[:table {name}:]", moment, made.claims)
    return _taken(results, book, book.sheet(_NAME))


def _table(known: Mapping[str, Mapping[str, object]], key: str) -> Table:
    table = known["table"][key]
    assert isinstance(table, Table)
    return table


def _taken(results: Results, book: Workbook, sheet: Sheet) -> LaidTable | None:
    """What a sheet shows, as rows of cells."""
    area = sheet.used
    if area is None:
        return None
    columns = [n for n in range(area.left, area.right + 1) if n not in sheet.hidden_columns]
    rows: list[list[LaidCell]] = []
    for row in range(area.top, area.bottom + 1):
        cells = []
        for column in columns:
            merged = next((one for one in sheet.merged if one.holds(row, column)), None)
            if merged is not None and column != merged.left:
                continue
            cells.append(_cell(results, book, sheet, row, column, merged))
        rows.append(cells)
    widths = _fitted(rows, len(columns))
    last = sheet.repeat_rows[1] if sheet.repeat_rows is not None else sheet.frozen[0]
    return LaidTable(widths, rows, max(last - area.top + 1, 0))


def _fitted(rows: Sequence[Sequence[LaidCell]], columns: int) -> list[float]:
    """Widths in points that hold the texts in one line, up to one at which texts may break."""
    faces = Typefaces()
    widths = [_NARROWEST] * columns
    for cells in rows:
        place = 0
        for cell in cells:
            if cell.columns == 1 and cell.text:
                look = cell.look
                wide = faces.of(look.font, look.bold, look.italic).width(cell.text) * (look.size or _SIZE) + _BESIDE
                widths[place] = max(widths[place], wide if cell.align == "right" else min(wide, _WIDEST))
            place += cell.columns
    return widths


def _cell(results: Results, book: Workbook, sheet: Sheet, row: int, column: int, merged: Area | None) -> LaidCell:
    value, look = sheet.value(row, column), book.styles.appearance(sheet.style(row, column))
    shown = show(value, look.format, language=results.house.language)
    align = _across(look, is_number=isinstance(value, float), is_middle=isinstance(value, bool | CellError))
    look = replace(look, colour=shown.colour or look.colour)
    if merged is None:
        return LaidCell(shown.text, look, align)
    merge = None if merged.top == merged.bottom else "restart" if row == merged.top else "continue"
    return LaidCell(shown.text if row == merged.top else "", look, align, merged.right - merged.left + 1, merge)


def _across(look: Appearance, *, is_number: bool, is_middle: bool) -> str:
    """Where a value stands in its cell (18.18.40)."""
    if look.align in ("left", "right", "center"):
        return look.align
    if look.align in ("centerContinuous", "distributed"):
        return "center"
    return "center" if is_middle else "right" if is_number else "left"
