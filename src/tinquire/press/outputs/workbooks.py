"""Workbooks of a run: a template filled, sheets added, everything recalculated, nothing in error."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from hashlib import sha256
from pathlib import Path

import numpy as np

from tinquire.base.faults import DataError, Fault, TinQuireError, UseError, merge_errors
from tinquire.base.noted_reads import note_read
from tinquire.base.parallel import give_back
from tinquire.base.wording import counted, known_names
from tinquire.cells.address import Area
from tinquire.cells.values import Value
from tinquire.charts.chart import Chart
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.workbooks import WorkbookModel
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope, unfilled_fault
from tinquire.press.outputs.blocks import rows_cut
from tinquire.press.outputs.each_row import EachRow, row_pieces
from tinquire.press.outputs.finishing import finish_results
from tinquire.press.outputs.output import Made, Making, OutputKind, Piece
from tinquire.press.outputs.own_rows import error_of_row
from tinquire.press.outputs.paths import output_path
from tinquire.press.outputs.provenance import sources_of_slots
from tinquire.press.outputs.refilled import refilled
from tinquire.press.outputs.repeated_sheets import Pictures, repeat_sheets
from tinquire.press.outputs.sheets import SheetsMade, add_sheets
from tinquire.press.outputs.shown_rows import Cut
from tinquire.press.outputs.slot_rows import SlotRows, repeat_rows, settle_conditions
from tinquire.press.outputs.template_pictures import chart_of_results, put_pictures
from tinquire.press.outputs.template_rows import RowsFilled, fill_rows
from tinquire.press.record.cell_sources import CellSources
from tinquire.press.record.kept import key_of
from tinquire.slots.slots import Slot, UnfilledSlot, slot_name, split_slots
from tinquire.tables import Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit.templates import Template
from tinquire.workbook.transform.fill_slots import fill, slots_of, slotted_cells
from tinquire.workbook.transform.fill_texts import fill_texts

__all__ = ["WORKBOOKS", "cuts_of"]

#: A slot's inside that is a name and nothing else; formulas need their tables to be judged.
_NAME = re.compile(r"[\w. ]+\Z")
#: A workbook with more formulas than this takes memory that is worth giving back.
_MANY = 100_000


def plan_workbooks(making: Making, name: str) -> Iterator[Piece]:
    """The pieces of one workbook of the docket. Raises one error with all that is wrong."""
    model = making.results.docket.model.workbooks[name]
    stopped = f"naming workbook '{name}'"
    key = key_of(making.stamp, "workbooks", name, model.model_dump_json())
    if model.each is not None:
        yield from row_pieces(making, name, _rows(making, name), model.name, stopped, key)
        return
    where = making.results.docket.where("workbooks", name, "name")
    for place, (scope, cut) in enumerate(_all_cuts(making, name)):
        path = output_path(making.out, model.name, scope, stopped, where)
        yield Piece(name=name, place=place, path=path, key=key_of(key, place), cut=cut)


def _rows(making: Making, name: str) -> EachRow:
    results = making.results
    stopped, where = f"workbook '{name}'", results.docket.where("workbooks", name)
    model = results.docket.model.workbooks[name]
    return making.prepared("workbooks", name, lambda: EachRow(results, model, stopped, where))


def _all_cuts(making: Making, name: str) -> list[tuple[SlotScope, Cut | None]]:
    results = making.results
    return making.prepared(
        "workbooks", name, lambda: list(cuts_of(results, name, results.docket.model.workbooks[name]))
    )


def make_workbook(making: Making, piece: Piece) -> Iterator[Made]:
    """The file of one piece, recalculated and without errors in its cells. Raises one error with all that is wrong."""
    results, name = making.results, piece.name
    if piece.row is None:
        scope, cut = _all_cuts(making, name)[piece.place]
        yield _make(making, results, piece, scope, cut)
        return
    rows = _rows(making, name)
    scope = rows.scope(piece.row)
    own = results.docket.model.workbooks[name].own
    theirs = replace(results, tables={**results.tables, **{key: scope.tables[key] for key in own}})
    try:
        yield _make(making, theirs, piece, scope, None)
    except TinQuireError as error:
        raise error_of_row(error, rows.where(piece.row)) from None


def _make(making: Making, results: Results, piece: Piece, scope: SlotScope, cut: Cut | None) -> Made:
    """One file; with `cut`, of the rows that have a value in a column."""
    name = piece.name
    template = _template(making, name)
    if (again := _again(making, results, piece, scope, cut, template)) is not None:
        return again
    book = Workbook.new(results.house.font, results.house.size) if template is None else template.book()
    filled = _add_sheets(results, book, name, scope, cut, template)
    warnings = finish_results(book, name, making.moment, filled.claims, filled.areas)
    formulas = _formulas(book)
    if formulas > _MANY:
        give_back()  # what was reckoned with is no longer needed, and what is packed takes as much
    summary = _summary(book, formulas, filled)
    return Made(
        name=name,
        path=piece.path,
        content=book.finish(),
        summary=summary,
        sources=tuple(filled.sources),
        cut=piece.cut,
        warnings=(*filled.warnings, *warnings),
    )


def _again(
    making: Making, results: Results, piece: Piece, scope: SlotScope, cut: Cut | None, template: Template | None
) -> Made | None:
    """The file by what is known of those before it; None where more goes into it than rows and slots, or the plain way
    has to make it."""
    model = results.docket.model.workbooks[piece.name]
    if template is None or model.sheets or model.repeat or model.pictures:
        return None
    tables, where = _rows_asked(results, piece.name, cut)
    slotted = {**results.tables, **tables}
    found = refilled(template, model.rows, tables, scope, piece.name, making.moment, where, slotted)
    if found is None:
        return None
    from_slots = [
        source for cell in found.slots for source in sources_of_slots(results, scope, cell.sheet, cell.area, cell.text)
    ]
    return Made(
        name=piece.name,
        path=piece.path,
        content=found.content,
        summary=_summary(found.book, _formulas(found.book), found.rows),
        sources=(*from_slots, *found.rows.sources),
        cut=piece.cut,
        warnings=tuple(found.rows.warnings),
    )


def _summary(book: Workbook, formulas: int, filled: RowsFilled) -> str:
    return "; ".join([f"{counted(len(book.entries), 'sheet')}, {counted(formulas, 'formula')}", *filled.notes])


def _formulas(book: Workbook) -> int:
    return sum(sheet.formula_count() for sheet in book.sheets())


def _names(making: Making, name: str) -> Iterator[str]:
    return (piece.path.relative_to(making.out).as_posix() for piece in plan_workbooks(making, name))


def _add_sheets(
    results: Results, book: Workbook, name: str, scope: SlotScope, cut: Cut | None, template: Template | None
) -> RowsFilled:
    """Fill a workbook's template and add its sheets: what cells are made of, what they must show, warnings, notes."""
    model = results.docket.model.workbooks[name]
    tables, where = _rows_asked(results, name, cut)
    rows = fill_rows(book, model.rows, tables, name, where, template)
    repeated = SlotRows()
    pictures = _picture_filler(results, name)
    if model.repeat:
        every = dict(results.tables) if cut is None else _cut_tables(results, model, cut)
        repeats = {sheet: results.docket.where("workbooks", name, "repeat", sheet) for sheet in model.repeat}
        sheets = repeat_sheets(book, model.repeat, every, scope, name, repeats, pictures)
        rows = RowsFilled(*(own + others for own, others in zip(rows.parts(), sheets.parts(), strict=True)))
    if model.template is not None:
        stopped = f"filling workbook '{name}'"
        settle_conditions(book, scope, stopped)
        repeated = repeat_rows(book, _tables_for_slots(results, book, cut, name), scope, stopped)
    filled_from, errors = _fill(results, name, book, scope)
    if model.template is not None:
        try:
            pictures(book, scope, () if cut is None else (cut,), None)
        except TinQuireError as error:
            errors.append(error)
    made = SheetsMade()
    try:
        made = add_sheets(results, book, name, scope, cut)
    except TinQuireError as error:
        errors.append(error)
    if errors:
        raise merge_errors(errors)
    return replace(
        rows,
        claims=[*rows.claims, *made.claims],
        sources=[*filled_from, *rows.sources, *repeated.sources, *made.sources],
        warnings=[*rows.warnings, *repeated.warnings, *made.warnings],
    )


def _rows_asked(results: Results, name: str, cut: Cut | None) -> tuple[dict[str, Table], dict[str, str]]:
    """The tables whose rows go into a template, of a split workbook its own rows of them, and where they are asked for.
    Raises UseError."""
    model = results.docket.model.workbooks[name]
    tables = {one.table: results.tables[one.table] for one in model.rows.values()}
    if cut is not None:
        tables = {key: _own_rows(table, cut, name) for key, table in tables.items()}
    return tables, {target: results.docket.where("workbooks", name, "rows", target) for target in model.rows}


def _picture_filler(results: Results, name: str) -> Pictures:
    """What puts pictures in the place of those of a template, on some of its sheets or on all."""
    model = results.docket.model.workbooks[name]
    base = results.docket.base
    at = results.docket.where("workbooks", name, "pictures") if model.pictures else ""

    def put(book: Workbook, scope: SlotScope, cuts: Sequence[Cut], sheets: Sequence[str] | None) -> None:
        def charts(asked: ChartModel) -> Chart:
            return chart_of_results(results, asked, scope, cuts, at)

        put_pictures(book, model.pictures, scope, base, f"filling workbook '{name}'", at, charts, sheets)

    return put


def _cut_tables(results: Results, model: WorkbookModel, cut: Cut) -> dict[str, Table]:
    """The tables of a split workbook: of those that have the column, its own rows."""
    named = {one.each for one in model.repeat.values()}
    named |= {rows.table for one in model.repeat.values() for rows in one.rows.values()}
    return {key: rows_cut(table, (cut,)) for key, table in results.tables.items() if key in named}


def _tables_for_slots(results: Results, book: Workbook, cut: Cut | None, name: str) -> dict[str, Table]:
    """The tables whose columns the slots of a template may name; of a split workbook, its own rows of them."""
    texts = "".join(text for _, _, text in slotted_cells(book)).casefold()
    named = {key: table for key, table in results.tables.items() if f"{key.casefold()}." in texts}
    return named if cut is None else {key: _own_rows(table, cut, name) for key, table in named.items()}


def _own_rows(table: Table, cut: Cut, name: str) -> Table:
    """The rows of a table that belong into a file of a split workbook. Raises UseError for a table without the column
    that it is split by."""
    if table.index_of(cut[0]) is None:
        why = f"it is split by '{cut[0]}', which table '{table.name}' does not have"
        raise UseError(Fault(f"workbook '{name}'", why, do="bring that column over by a match"))
    return rows_cut(table, (cut,))


def _fill(
    results: Results, name: str, book: Workbook, scope: SlotScope
) -> tuple[list[CellSources], list[TinQuireError]]:
    """Fill the slots of a template: what their cells are made of now, and the slots that nothing fills."""
    slotted = [(item.name, *cell) for item in book.sheets() for cell in slots_of(item)]
    errors: list[TinQuireError] = []
    for item in fill(book, scope.resolve, scope.format_of):
        where = f"{book.name}, sheet '{item.sheet}', cell {item.cell}"
        errors.append(DataError(unfilled_fault(item.unfilled, f"filling workbook '{name}'", where)))
    for text in fill_texts(book, scope.resolve):
        fault = unfilled_fault(text.unfilled, f"filling workbook '{name}'", f"{book.name}, {text.place}")
        errors.append(DataError(fault))
    if errors:
        return [], errors
    return [
        source
        for sheet, row, column, text in slotted
        for source in sources_of_slots(results, scope, sheet, Area(row, column, row, column), text)
    ], []


def cuts_of(results: Results, name: str, model: WorkbookModel) -> Iterator[tuple[SlotScope, Cut | None]]:
    """The files of a workbook: one, or one for each value of the column that it is split by, each with the slots that
    its texts may use. Raises UseError when no sheet has that column."""
    split = model.split_by()
    if split is None:
        yield results.slots(), None
        return
    where = results.docket.where("workbooks", name, "split")
    stopped = f"workbook '{name}'"
    sources = dict.fromkeys(
        block.table or results.docket.model.pivots[block.pivot or ""].from_
        for sheet in model.sheets
        for block in sheet.parts()
        if block.table is not None or block.pivot is not None
    )
    tables = [results.tables[source] for source in sources]
    tables = [table for table in tables if table.index_of(split) is not None]
    if not tables:
        why = f"it is split by '{split}', and no table of its sheets has such a column"
        raise UseError(Fault(stopped, why, where, "name a column of a table that it shows"))
    seen: set[tuple[type, Value]] = set()
    for table in tables:
        groups, distinct = table.column(split).groups()
        for group, value in enumerate(distinct):
            if (type(value), value) not in seen:
                seen.add((type(value), value))
                yield results.slots().at(table, int(np.flatnonzero(groups == group)[0])), (split, value)


def _template(making: Making, name: str) -> Template | None:
    """The template of an output, if it has one, opened once for all of its files. Raises UseError and AccessError."""
    content = _template_file(making.results, name)
    if content is None:
        return None
    shown = making.results.docket.model.workbooks[name].template or ""
    part = f"template {sha256(content).hexdigest()}"  # another one, if it is changed while files are made
    return making.prepared(part, name, lambda: Template(lambda: Workbook.from_bytes(content, shown)))


def _template_file(results: Results, name: str) -> bytes | None:
    """The file of an output's template; None without one. Raises UseError."""
    template = results.docket.model.workbooks[name].template
    if template is None:
        return None
    path = results.docket.base / template
    if not path.is_file():
        where = results.docket.where("workbooks", name, "template")
        why = f"there is no template '{template}'"
        raise UseError(Fault(f"workbook '{name}'", why, where, "put it there, or fix its name"))
    return note_read(path, path.read_bytes())


def _foresee(results: Results, attachable: Sequence[str]) -> Iterator[TinQuireError]:
    """Templates that are missing, and slots whose names nothing will ever fill."""
    for name, model in results.docket.model.workbooks.items():
        try:
            yield from _unknown_slots(results, name, model)
        except TinQuireError as error:
            yield error


def _unknown_slots(results: Results, name: str, model: WorkbookModel) -> Iterator[TinQuireError]:
    """Slots of a template whose names no figure and nothing of the run has."""
    content = _template_file(results, name)
    if content is None or model.template is None:
        return
    docket = results.docket.model
    known = [*docket.figures, *results.names]
    if model.each is not None and model.each in results.tables:
        known += results.tables[model.each].headings
    tables = [*docket.sources, *docket.tables, *model.own]
    book = Workbook.from_bytes(content, model.template)
    for sheet, cell, text in slotted_cells(book):
        for piece in split_slots(text):
            if not isinstance(piece, Slot) or not _NAME.match(piece.inside) or piece.inside.startswith("only if"):
                continue
            table = piece.inside.partition(".")[0]
            if not _known(piece.inside, known) and not _known(table, tables):
                why = f"there is no name '{piece.inside}': {known_names(piece.inside, known)}"
                where = f"{book.name}, sheet '{sheet}', cell {cell}"
                fault: Fault = unfilled_fault(UnfilledSlot(piece, why), f"filling workbook '{name}'", where)
                yield DataError(fault)


def _known(name: str, names: list[str]) -> bool:
    return slot_name(name) in {slot_name(known) for known in names}


def _templates(results: Results) -> Iterator[Path]:
    for model in results.docket.model.workbooks.values():
        if model.template:
            yield results.docket.base / model.template


WORKBOOKS = OutputKind(
    "workbooks", "workbook", "making {}", plan_workbooks, make_workbook, _foresee, _names, _templates
)
