"""Sheets of a run's workbooks: which there are, the blocks on each, and what their cells stand for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import groupby

import numpy as np

from tinquire.base.faults import Fault, TinQuireError, UseError, merge_errors
from tinquire.base.wording import counted
from tinquire.cells.address import MAX_ROW, Area, parse_cell
from tinquire.cells.display import show
from tinquire.cells.values import Value
from tinquire.docket.schema.blocks import BlockModel
from tinquire.docket.schema.workbooks import SheetModel
from tinquire.layout.plans import SheetPlan
from tinquire.layout.sheets import Canvas
from tinquire.looks.pages import PagePlan
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.blocks import BlockMade, BlockMaking, rows_cut
from tinquire.press.outputs.provenance import sources_of_slots
from tinquire.press.outputs.shown_rows import Cut, WorkbookRows
from tinquire.press.outputs.verify import Claim
from tinquire.press.record.cell_sources import CellSources
from tinquire.tables import Table
from tinquire.workbook import Workbook
from tinquire.workbook.edit import move_sheet
from tinquire.workbook.grid.sheet_names import safe_sheet_name
from tinquire.workbook.pivots.making import MadePivot, put_pivots

__all__ = ["SheetsMade", "add_sheets", "lay_sheet"]

#: Rows of the grid (18.3.1.73), less room for a title, headings and totals.
_MOST_ROWS = MAX_ROW - 8


@dataclass
class SheetsMade:
    """Sheets added to a workbook: the values that their cells stand for, what these are made of, and warnings."""

    claims: list[Claim] = field(default_factory=list)
    sources: list[CellSources] = field(default_factory=list)
    warnings: list[Fault] = field(default_factory=list)
    pivots: list[tuple[str, MadePivot]] = field(default_factory=list)

    def take(self, made: BlockMade) -> None:
        self.claims += made.claims
        self.sources += made.sources
        self.warnings += made.warnings
        self.pivots += made.pivots


@dataclass(frozen=True)
class _Task:
    """A sheet to be made: its entry in the docket and the place of that, its name and title, the slots of its texts,
    what its rows are cut to, and where a table continues on several sheets which of its rows it shows."""

    model: SheetModel
    where: str
    path: tuple[str | int, ...]
    name: str
    title: str | None
    scope: SlotScope
    cuts: tuple[Cut, ...]
    part: tuple[int, int] | None = None


def add_sheets(results: Results, book: Workbook, workbook: str, scope: SlotScope, cut: Cut | None = None) -> SheetsMade:
    """Add the sheets of a workbook of the docket; with `cut`, of the rows that have a value in a column. Those of
    formulas and charts read the rows of sheets before them. Raises one error with all that is wrong."""
    tasks: list[_Task] = []
    errors: list[TinQuireError] = []
    taken = {entry.name.casefold() for entry in book.entries}
    for number, model in enumerate(results.docket.model.workbooks[workbook].sheets):
        path = ("workbooks", workbook, "sheets", number)
        try:
            tasks += _tasks(results, model, path, scope, cut, taken)
        except TinQuireError as error:
            errors.append(error)
    contents = [(entry.name, entry.name) for entry in book.entries if entry.state == "visible"]
    contents += [
        (task.name, task.title or task.name) for task in tasks if not task.model.hidden and not task.model.onto_template
    ]
    rows = WorkbookRows(names={name.name.casefold() for name in book.names})
    table_names = set(book.tables())
    made = SheetsMade()
    # What goes onto the template's sheets may show what any other sheet has.
    for task in sorted(tasks, key=lambda task: task.model.onto_template):
        try:
            _Sheet(results, book, task, rows, table_names, contents, made).make()
        except TinQuireError as error:
            errors.append(error)
    if errors:
        raise merge_errors(errors)
    for task in tasks:
        if task.model.order is not None:
            move_sheet(book, task.name, min(task.model.order, len(book.entries)))
    put_pivots(book, made.pivots)
    return made


def lay_sheet(results: Results, book: Workbook, model: SheetModel, scope: SlotScope, where: str) -> SheetsMade:
    """Add one sheet that no workbook of the docket has. Raises one error with all that is wrong."""
    made = SheetsMade()
    task = _Task(model, where, (), model.name, None, scope, ())
    _Sheet(results, book, task, WorkbookRows(), set(), [], made).make()
    return made


# -- which sheets ----------------------------------------------------------------------------------------


def _tasks(
    results: Results, model: SheetModel, path: tuple[str | int, ...], scope: SlotScope, cut: Cut | None, taken: set[str]
) -> Iterator[_Task]:
    """The sheets of one entry of the docket: one, one for each value of the column that it is split by, or as many as a
    long table takes. Raises UseError and DataError."""
    where = results.docket.where(*path)
    cuts = () if cut is None else (cut,)
    for own, own_scope in _shares(results, model, scope, cuts):

        def text(raw: str, own_scope: SlotScope = own_scope) -> str:
            return own_scope.filled(raw, "naming a sheet", where)

        for part in _parts(results, model, own, where):
            if model.onto_template:
                name = text(model.name)
                if name.casefold() not in taken:
                    why = f"the template has no sheet '{name}'"
                    raise UseError(Fault(f"sheet '{name}'", why, where, "name one of its sheets"))
                yield _Task(model, where, path, name, None, own_scope, own)
                continue
            name = safe_sheet_name(text(model.name), taken)
            taken.add(name.casefold())
            title = None if model.title is None else text(model.title)
            yield _Task(model, where, path, name, title, own_scope, own, part)


def _sources(results: Results, model: SheetModel) -> list[str]:
    """The tables whose rows a sheet shows, or sums up."""
    pivots = results.docket.model.pivots
    names = [
        pivots[block.pivot].from_ if block.pivot is not None else block.table
        for block in model.parts()
        if block.pivot is not None or block.table is not None
    ]
    return [name for name in dict.fromkeys(names) if name is not None]


def _shares(
    results: Results, model: SheetModel, scope: SlotScope, cuts: tuple[Cut, ...]
) -> Iterator[tuple[tuple[Cut, ...], SlotScope]]:
    """What the rows of each sheet of an entry are cut to, and the slots its texts may use."""
    sources = _sources(results, model)
    for column, _ in cuts:
        if any(block.statement is not None for block in model.parts()):
            why = f"the workbook is split by '{column}', and a statement is of all rows"
            raise UseError(Fault(f"sheet '{model.name}'", why, do="put it into a workbook of its own"))
        for source in sources:
            if results.tables[source].index_of(column) is None:
                why = f"the workbook is split by '{column}', which table '{source}' does not have"
                raise UseError(Fault(f"workbook sheet of '{source}'", why, do="bring that column over by a match"))
    split = model.split_by()
    if split is None:
        yield cuts, scope
        return
    having = [name for name in sources if results.tables[name].index_of(split) is not None] or sources
    if not having:
        why = f"it is split by '{split}', and shows no table that has rows of it"
        raise UseError(Fault(f"sheet '{model.name}'", why, do="give it a block of a table or pivot"))
    table = rows_cut(results.tables[having[0]], cuts)
    for value, row in _values_of(table, split, f"sheets split by '{split}'"):
        yield (*cuts, (split, value)), scope.at(table, row)


def _values_of(table: Table, column: str, stopped: str) -> Iterator[tuple[Value, int]]:
    """The distinct values of a column, each with the first row that has it. Raises DataError."""
    groups, distinct = table.column(column, stopped).groups()
    for group in range(len(distinct)):
        yield distinct[group], int(np.argmax(groups == group))


def _parts(results: Results, model: SheetModel, cuts: Sequence[Cut], where: str) -> Iterator[tuple[int, int] | None]:
    """The rows of a table that continues on several sheets; None for all. Raises UseError for a table too long."""
    for block in model.parts():
        height = 0 if block.table is None else rows_cut(results.tables[block.table], cuts).height
        most = model.rows_per_sheet or _MOST_ROWS
        if most > _MOST_ROWS or (height > most and model.rows_per_sheet is None):
            why = f"it would have {counted(max(most, height), 'row')}; a sheet has room for {_MOST_ROWS:,}"
            do = f"write rows_per_sheet = {_MOST_ROWS // 2} to continue on further sheets, or keep fewer rows"
            raise UseError(Fault(f"sheet '{model.name}'", why, where, do))
        if height > most:
            yield from ((start, min(start + most, height)) for start in range(0, height, most))
            return
    yield None


# -- one sheet -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Sheet:
    """A sheet while its blocks are laid."""

    results: Results
    book: Workbook
    task: _Task
    rows: WorkbookRows
    table_names: set[str]
    contents: Sequence[tuple[str, str]]
    made: SheetsMade

    def make(self) -> None:
        """Lay all blocks and add the sheet to the workbook. Raises one error with all that is wrong."""
        task, house = self.task, self.results.house
        onto = self.book.sheet(task.name) if task.model.onto_template else None
        canvas = Canvas(self.plan(), house, self.book.styles, house.gaps, onto)
        blocks = list(enumerate(task.model.parts()))
        errors: list[TinQuireError] = []
        for (per, arrange), group in groupby(blocks, key=lambda item: (item[1].per, item[1].arrange)):
            members = list(group)
            try:
                if per is None or arrange in ("sheets", "workbooks"):
                    self.lay(canvas, members, task.scope, task.cuts)
                else:
                    self.repeat(canvas, members, per, arrange)
            except TinQuireError as error:
                errors.append(error)
        if errors:
            raise merge_errors(errors)
        sheet = canvas.finished()
        self.made.sources += sources_of_slots(
            self.results, task.scope, sheet.name, Area(1, 1, 1, 1), task.model.title or ""
        )
        if onto is None:
            self.book.add_sheet(sheet)

    def plan(self) -> SheetPlan:
        task, model, house = self.task, self.task.model, self.results.house
        return SheetPlan(
            name=task.name,
            title=task.title,
            freeze=model.freeze,
            freeze_columns=model.freeze_columns,
            landscape=model.landscape,
            zoom=model.zoom,
            tab=None if model.tab is None else house.colour(model.tab),
            hidden=model.hidden,
            protect=model.protect,
            page=PagePlan(**model.page.model_dump()).over(house.page),
            filled=lambda raw: task.scope.filled(raw, f"sheet '{task.name}'", task.where),
            looks={str(part): look for part, look in model.looks.items()},
            where=task.where,
        )

    def lay(
        self, canvas: Canvas, members: Sequence[tuple[int, BlockModel]], scope: SlotScope, cuts: Sequence[Cut],
        first: tuple[int, int] | None = None,
    ) -> None:  # fmt: skip
        """Lay blocks one after the other, the first of them at a spot. Raises UseError and DataError."""
        since, left = (0, 1) if first is None else (len(canvas.blocks), first[1])
        for place, (number, model) in enumerate(members):
            at = None if model.at is None else parse_cell(model.at)
            if place == 0 and first is not None:
                at = first
            spot = canvas.spot(at, beside=model.beside, gap=model.gap, since=since, left=left)
            where = self.task.where
            if self.task.model.blocks:
                where = self.results.docket.where(*self.task.path, "blocks", number)
            making = BlockMaking(
                self.results, canvas, scope, cuts, self.rows, self.table_names, self.contents, where,
                self.total_label(scope), self.task.part,
            )  # fmt: skip
            breaks = self.task.model.page.breaks if model.table is not None else None
            made = making.make(model, spot, breaks)
            canvas.add(model.says, made.laid, where, printed=model.printed)
            if model.new_page and made.laid.area.top > 1:
                canvas.row_breaks.append(made.laid.area.top - 1)
            self.made.take(made)

    def total_label(self, scope: SlotScope) -> str | None:
        """What totals of a part of a table are called; None where the whole is shown."""
        if self.task.part is None:
            return None
        language, label = self.results.house.language, self.task.model.total_label
        shown = language.words.total if label is None else scope.filled(label, "naming a sheet", self.task.where)
        first, last = (
            show(float(item), "#,##0", language=language).text for item in (self.task.part[0] + 1, self.task.part[1])
        )
        return f"{shown}, {language.words.rows.format(first, last)}"

    def repeat(self, canvas: Canvas, members: Sequence[tuple[int, BlockModel]], per: str, arrange: str) -> None:
        """Lay blocks once for each value of a column. Raises UseError for one that no table of theirs has."""
        task = self.task
        table = self.source_of(members, per)
        start: tuple[int, int] | None = None
        for value, row in _values_of(table, per, f"sheet '{task.name}'"):
            first = None
            if start is not None and arrange == "beside":
                right = max(block.laid.area.right for block in canvas.blocks if block.laid.area.bottom >= start[0])
                first = (start[0], right + 1 + canvas.gaps[1])
            if start is not None and arrange == "pages":
                canvas.row_breaks.append(canvas.bottom)
                first = (canvas.bottom + 1, start[1])
            if start is None:
                start = canvas.spot(gap=members[0][1].gap)
            self.lay(canvas, members, task.scope.at(table, row), (*task.cuts, (per, value)), first)

    def source_of(self, members: Sequence[tuple[int, BlockModel]], per: str) -> Table:
        """The rows whose values of a column blocks are repeated for."""
        model = self.results.docket.model
        names: list[str] = []
        for _, block in members:
            name = block.table or block.pivot or (block.chart.of if block.chart is not None else None)
            if name is not None:
                names.append(model.pivots[name].from_ if name in model.pivots else name)
        tables = [self.results.tables[name] for name in names if name in self.results.tables]
        found = next((table for table in tables if table.index_of(per) is not None), None)
        if found is None:
            why = f"it is repeated per '{per}', and no table of these blocks has such a column"
            raise UseError(Fault(f"sheet '{self.task.name}'", why, self.task.where, "name a column of their table"))
        return rows_cut(found, self.task.cuts)
