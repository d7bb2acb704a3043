"""What the cells of a run's outputs are made of: the table, pivot, statement or figure, and the rows of the sources."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from tinquire.cells.address import Area
from tinquire.docket.schema.statements import FigureModel
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.tree import TableReference, walk
from tinquire.layout.plans import Laid
from tinquire.layout.tables import TableOnSheet
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.record.cell_sources import CellSources
from tinquire.slots.slots import slot_name, split_slots
from tinquire.tables import Members, Origin, Table
from tinquire.tables.pivots.pivot import Pivot, PivotTable
from tinquire.tables.reads import RowsRead, names_read, rows_read
from tinquire.tables.statement import Statement, StatementRows

__all__ = ["sources_of_pivot", "sources_of_slots", "sources_of_statement", "sources_of_table"]

#: At most this many accounts of a line are listed.
_LISTED = 12


def sources_of_table(shown: TableOnSheet) -> Iterator[CellSources]:
    """The rows of a table on a sheet, and those of its totals."""
    table, origin, body = shown.table, shown.table.origin, shown.laid.body
    if origin is None or not table.height or body is None:
        return
    lines = None if shown.outline is None else shown.outline.rows
    yield CellSources(shown.sheet.name, body, f"table '{table.name}'", origin, lines)
    for number, field in enumerate(table.fields, start=body.left):
        if (kind := shown.totals.get(field.name)) is not None:
            says = f"the {kind} of {field.name} of table '{table.name}'"
            total = Area(body.bottom + 1, number, body.bottom + 1, number)
            yield CellSources(shown.sheet.name, total, says, origin, whole=True)


def sources_of_pivot(sheet: str, laid: Laid, pivot: Pivot) -> Iterator[CellSources]:
    """The rows in each cell of a pivot; its labels are of none."""
    rows = pivot.rows
    origin = None if rows is None else rows.origin()
    if rows is None or origin is None:
        return
    assert laid.body is not None
    lines = rows.lines if pivot.totals is None else rows.with_total()
    across = rows.across.take(np.repeat(np.arange(pivot.width), len(pivot.values)))
    if pivot.totals_across is not None:
        every = Members.of_lists([np.unique(rows.across.places)] * len(pivot.values))
        across = Members.concat([across, every])
    top, left = laid.body.top, laid.body.left + len(pivot.row_fields)
    area = Area(top, left, top + len(lines) - 1, left + len(across) - 1)
    yield CellSources(sheet, area, f"pivot '{pivot.name}'", origin, lines, across)


def sources_of_statement(sheet: str, laid: Laid, statement: Statement) -> Iterator[CellSources]:
    """The accounts and rows in each line of a statement; its labels are of none."""
    assert laid.body is not None
    top, left = laid.body.top, laid.body.left
    bottom = top + len(statement.lines) - 1
    notes = _accounts(statement)
    for number in range(len(statement.fields)):
        # Differences and shares come after the amounts, and are of the first two.
        own = statement.rows[number : number + 1] or statement.rows[:2]
        origins = [item.table.origin for item in own if item.table.origin is not None]
        if len(origins) < len(own):
            continue
        area = Area(top, left + 1 + number, bottom, left + 1 + number)
        lines, says = _lines(own, len(statement.lines)), f"statement '{statement.name}'"
        yield CellSources(sheet, area, says, Origin.concat(origins), lines, notes=notes)


def _lines(columns: Sequence[StatementRows], count: int) -> Members:
    """The rows of each line, of several columns of amounts whose tables' rows stand one after the other."""
    starts = np.cumsum([0, *(column.table.height for column in columns[:-1])]).tolist()
    lists = [
        np.concatenate([item.lines.of(line) + start for item, start in zip(columns, starts, strict=True)])
        for line in range(count)
    ]
    return Members.of_lists(lists)


def _accounts(statement: Statement) -> tuple[str, ...]:
    """The accounts in each line, in words."""
    named = statement.accounts.columns[0].to_list()
    accounts = statement.accounts.columns[1].to_list()
    own: dict[str, list[str]] = {}
    for line, account in zip(named, accounts, strict=True):
        own.setdefault(str(line), []).append(str(account))
    notes = []
    for index in range(len(statement.lines)):
        found = [
            account
            for member in sorted(statement.made_of[index])
            for account in own.get(statement.lines[member].name, [])
        ]
        more = f" and {len(found) - _LISTED:,} more" if len(found) > _LISTED else ""
        notes.append(f"account{'' if len(found) == 1 else 's'} {', '.join(found[:_LISTED])}{more}" if found else "")
    return tuple(notes)


# -- slots and figures -----------------------------------------------------------------------------------


def sources_of_slots(results: Results, scope: SlotScope, sheet: str, area: Area, text: str) -> Iterator[CellSources]:
    """What a cell with slots in it was filled from: figures with their formulas, and the rows that these read."""
    for slot in split_slots(text):
        if isinstance(slot, str) or slot.living is not None:
            continue
        yield from (replace(item, sheet=sheet, area=area) for item in _of_text(results, scope, slot.inside))


def _of_text(results: Results, scope: SlotScope, text: str) -> Iterator[CellSources]:
    nowhere = Area(1, 1, 1, 1)
    named = {slot_name(name): name for name in results.docket.model.figures}
    if (figure := named.get(slot_name(text))) is not None:
        model = results.docket.model.figures[figure]
        formula = model.is_ if isinstance(model, FigureModel) else str(model)
        yield CellSources("", nowhere, f"figure '{figure}' = {formula}")
        yield from _of_formula(results, scope, formula)
    elif scope.row is not None and (index := scope.row.index_of(text)) is not None:
        says = f"column '{scope.row.fields[index].name}' of table '{scope.row.name}'"
        yield CellSources("", nowhere, says, scope.row.origin, whole=True)
    elif slot_name(text) in {slot_name(name) for name in scope.names}:
        yield CellSources("", nowhere, f"'{text}' of the run")
    else:
        yield from _of_formula(results, scope, text)


def _of_formula(results: Results, scope: SlotScope, formula: str) -> Iterator[CellSources]:
    try:
        tree = parse(formula)
    except FormulaError:
        return  # filling the slot says what is wrong with it
    figures = {slot_name(name) for name in results.docket.model.figures}
    for name in dict.fromkeys(slot_name(name) for name in names_read(tree)):
        if name in figures:
            yield from _of_text(results, scope, name)
    if scope.row is not None and any(isinstance(item, TableReference) and item.table is None for item in walk(tree)):
        yield CellSources("", Area(1, 1, 1, 1), f"a row of table '{scope.row.name}'", scope.row.origin, whole=True)
    for read in rows_read(tree, results.scope()):
        yield _of_rows(results, read)


def _of_rows(results: Results, read: RowsRead) -> CellSources:
    if read.cell is not None and isinstance(read.table, PivotTable) and read.table.pivot and read.table.pivot.rows:
        rows = read.table.pivot.rows
        groups = rows.origin()
        origin = None if groups is None else groups.take(rows.at(*read.cell))
        return CellSources("", Area(1, 1, 1, 1), read.call, origin, whole=True)
    origin = _origin(results, read.table)
    if origin is not None and read.rows is not None:
        origin = origin.take(read.rows)
    return CellSources("", Area(1, 1, 1, 1), read.call, origin, whole=True)


def _origin(results: Results, table: Table) -> Origin | None:
    """Where the rows of a table came from that formulas read: of a pivot or statement, those of its lines."""
    if isinstance(table, PivotTable) and table.pivot is not None and table.pivot.rows is not None:
        rows = table.pivot.rows
        lines = rows.lines if table.pivot.totals is None else rows.with_total()
        origin = rows.origin()
        return None if origin is None else origin.brought_together(lines)
    statement = results.statements.get(table.name)
    if statement is not None and statement.rows and table.origin is None:
        origins = [row.table.origin for row in statement.rows if row.table.origin is not None]
        if len(origins) == len(statement.rows):
            return Origin.concat(origins).brought_together(_lines(statement.rows, len(statement.lines)))
    return table.origin
