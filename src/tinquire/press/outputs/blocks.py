"""Blocks of a docket's sheets: each kind laid on its sheet, with the values that its cells stand for and what they are
made of. `BLOCKS` at the end lists the kinds."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tinquire.base.faults import AccessError, Fault, UseError
from tinquire.cells.address import Area
from tinquire.cells.column import Column
from tinquire.cells.values import CellError
from tinquire.docket.schema.blocks import BlockModel
from tinquire.docket.schema.entries import EntryRuleModel
from tinquire.layout.attachments import link_to
from tinquire.layout.blocks import FigureShown, lay_contents, lay_figures, lay_frame, lay_inputs, lay_text
from tinquire.layout.dresser import Dresser, safe_table_name
from tinquire.layout.entry_rules import EntryPlan
from tinquire.layout.marks import MarkPlan, marks_over
from tinquire.layout.pivot_formulas import LivingPivot, logical_columns, put_formulas, sparse_columns
from tinquire.layout.pivot_tables import as_shown
from tinquire.layout.pivots import lay_pivot
from tinquire.layout.plans import BlockPlan, ColumnDress, Laid, OutlinePlan
from tinquire.layout.sheets import Canvas, put_heading
from tinquire.layout.statements import LivingAmounts, lay_statement
from tinquire.layout.tables import lay_table
from tinquire.press.compute.pivots import pivot_over
from tinquire.press.compute.results import Results
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.press.outputs.charts import chart_of
from tinquire.press.outputs.entry_plans import entry_plan
from tinquire.press.outputs.pictures import read_picture
from tinquire.press.outputs.pivot_parts import lay_pivot_part
from tinquire.press.outputs.provenance import sources_of_pivot, sources_of_slots, sources_of_statement, sources_of_table
from tinquire.press.outputs.shown_rows import (
    Cut,
    ShownRows,
    WorkbookRows,
    heading_of_figures,
    headings_of_pivot,
    headings_of_table,
    runs_of,
)
from tinquire.press.outputs.verify import Claim, claims_of_pivot, claims_of_statement, claims_of_table
from tinquire.press.record.cell_sources import CellSources
from tinquire.slots.slots import Slot, UnfilledSlot, slot_name, split_slots
from tinquire.tables import Table
from tinquire.workbook.grid.frames import Frame
from tinquire.workbook.pivots.making import MadePivot

__all__ = ["BlockMade", "BlockMaking", "rows_cut"]

#: Width and height of charts and of pictures in millimetres, where none are stated; points of a millimetre.
_CHART_SIZE = (140.0, 75.0)
_MILLIMETRE = 72 / 25.4


@dataclass(frozen=True, slots=True)
class BlockMade:
    """A block that was laid: the values that its cells stand for, what they are made of, and warnings."""

    laid: Laid
    claims: Sequence[Claim] = ()
    sources: Sequence[CellSources] = ()
    warnings: Sequence[Fault] = ()
    #: Pivots of the file format, each with its sheet, whose parts are written once all sheets are.
    pivots: Sequence[tuple[str, MadePivot]] = ()


@dataclass(frozen=True)
class BlockMaking:
    """What a block is made from: the results of the run, its sheet, the slots of its texts and the rows that it is
    of."""

    results: Results
    canvas: Canvas
    scope: SlotScope
    cuts: Sequence[Cut]
    rows: WorkbookRows
    #: Names of table parts that are taken, casefolded.
    taken: set[str]
    #: Sheets that a contents list names, with their titles.
    contents: Sequence[tuple[str, str]]
    where: str
    total_label: str | None = None
    #: Of a table those rows, from first to before last.
    part: tuple[int, int] | None = None

    def text(self, raw: str) -> str:
        return self.scope.filled(raw, f"sheet '{self.canvas.plan.name}'", self.where)

    def plan(self, model: BlockModel, breaks: str | None = None) -> BlockPlan:
        house = self.results.house
        words = house.language.words
        label = words.total if model.total_label is None else self.text(model.total_label)
        outline = None
        if model.outline is not None:
            outline = OutlinePlan(
                by=model.outline.by, above=model.outline.totals == "above", collapsed=model.outline.collapsed,
                label=words.group_total if model.outline.label is None else self.text(model.outline.label),
            )  # fmt: skip
        return BlockPlan(
            sheet=self.canvas.plan.name,
            columns=model.columns,
            totals=model.totals,
            total_label=label if self.total_label is None else self.total_label,
            living=model.formulas in ("living", "living only"),
            living_only=model.formulas == "living only",
            filter=model.filter,
            looks={str(part): look for part, look in model.looks.items()},
            dress={heading: ColumnDress(**dress.model_dump()) for heading, dress in model.dress.items()},
            marks=[MarkPlan(**mark.model_dump(), place=self.where) for mark in model.marks],
            entries=[self.entry(entry, entry.on) for entry in model.entries],
            outline=outline,
            breaks=breaks,
            where=self.where,
        )

    def entry(self, model: EntryRuleModel, on: Sequence[str]) -> EntryPlan:
        """The plan of an entry rule. Raises UseError."""
        return entry_plan(model, on, self.results.tables, self.rows.whole, self.where)

    def make(self, model: BlockModel, spot: tuple[int, int], breaks: str | None = None) -> BlockMade:
        """Lay a block, its heading line first, with its upper left corner at a spot. Raises UseError and DataError."""
        plan = self.plan(model, breaks)
        top = spot
        if model.title is not None:
            spot = put_heading(self.canvas, spot, self.text(model.title), plan)
        made = _BLOCKS[model.content](self, model, spot, plan)
        if model.title is None:
            return made
        sources = sources_of_slots(self.results, self.scope, plan.sheet, Area(*top, *top), model.title)
        laid = replace(made.laid, area=made.laid.area._replace(top=top[0]))
        return replace(made, laid=laid, sources=[*made.sources, *sources])


def rows_cut(table: Table, cuts: Sequence[Cut]) -> Table:
    """The rows of a table that have the values of the cuts; columns that it does not have are left out of account."""
    for column, value in cuts:
        if table.index_of(column) is not None:
            groups, distinct = table.column(column).groups()
            mine = [n for n, item in enumerate(distinct) if type(item) is type(value) and item == value]
            table = table.take(np.isin(groups, mine))
    return table


# -- tables, pivots, statements --------------------------------------------------------------------------


def _table(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    name, canvas = model.table or "", making.canvas
    table = rows_cut(making.results.tables[name], making.cuts)
    whole = table.height == making.results.tables[name].height
    if making.part is not None:
        whole = False
        table = table.take(np.arange(*making.part))
    base = plan.sheet if not canvas.blocks else f"{plan.sheet}_{name}"
    table_name = safe_table_name(base, making.taken)
    making.taken.add(table_name.casefold())
    dresser = Dresser(making.results.house, canvas.styles, plan)
    shown = lay_table(canvas.sheet, spot, plan, table, dresser, table_name)
    do = "derive it after that step to have formulas in all rows"
    warnings = [Fault(plan.stopped, remark, plan.where, do, warning=True) for remark in shown.as_values]
    if whole and not making.cuts and shown.part is not None:
        making.rows.whole[name] = shown.part
    making.rows.shown.append(
        ShownRows(
            name, plan.sheet, making.cuts, shown.laid.area.top + 1, shown.laid.area.left,
            headings_of_table(shown.table, spot), runs_of(shown),
        )
    )  # fmt: skip
    return BlockMade(shown.laid, list(claims_of_table(shown)), list(sources_of_table(shown)), warnings)


def _statement(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    name, canvas, results = model.statement or "", making.canvas, making.results
    asked, statement = results.docket.model.statements[name], results.statements[name]
    living = None
    if plan.living:
        amounts = [(making.rows.table(one.table, plan).name, one.account, one.amount) for one in asked.amounts]
        mapping = (making.rows.table(asked.map.table, plan).name, asked.map.account, asked.map.line)
        living = LivingAmounts(amounts, mapping)
    dresser = Dresser(results.house, canvas.styles, plan)
    laid = lay_statement(canvas.sheet, spot, plan, statement, dresser, living)
    lines = [n for n, line in enumerate(statement.lines) if line.kind == "sum"]
    _mark(making, plan, laid, statement.as_table(), lines)
    making.rows.shown.append(
        ShownRows(
            name, plan.sheet, making.cuts, spot[0] + 1, spot[1], headings_of_table(statement.as_table(), spot),
            [(line, line) for line in lines],
        )
    )  # fmt: skip
    claims = list(claims_of_statement(plan.sheet, laid, statement, living=plan.living))
    return BlockMade(laid, claims, list(sources_of_statement(plan.sheet, laid, statement)))


def _pivot(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    name, canvas, results = model.pivot or "", making.canvas, making.results
    source = results.docket.model.pivots[name].from_
    cut = None
    if making.cuts:
        cut = rows_cut(results.tables[source], making.cuts)
    pivot = results.pivots[name] if cut is None else pivot_over(results.run, results.tables, name, cut)
    dresser = Dresser(results.house, canvas.styles, plan)
    part: MadePivot | None = None
    if model.formulas == "pivot":
        laid, part = lay_pivot_part(
            results, making.rows, canvas.sheet, canvas.styles, name, pivot, making.cuts, spot, plan
        )
    else:
        laid = lay_pivot(canvas.sheet, spot, pivot, dresser)
    if part is not None:
        pivot = as_shown(pivot, results.house.language.words.blank)
    if plan.living:
        put_formulas(canvas.sheet, laid, pivot, _living_pivot(making, name, plan), plan.where)
    groups = sorted(set(range(pivot.height)) - set(pivot.subtotal_lines.tolist()))
    _mark(making, plan, laid, pivot.as_table(), groups)
    making.rows.shown.append(
        ShownRows(
            name, plan.sheet, making.cuts, laid.body.top if laid.body else spot[0], spot[1],
            headings_of_pivot(pivot, laid), [(n, n) for n in groups], laid.labels,
        )
    )  # fmt: skip
    summed = cut if cut is not None else results.tables.get(source)
    claims = list(claims_of_pivot(plan.sheet, laid, pivot, summed, living=plan.living))
    pivots = [] if part is None else [(plan.sheet, part)]
    return BlockMade(laid, claims, list(sources_of_pivot(plan.sheet, laid, pivot)), pivots=pivots)


def _mark(making: BlockMaking, plan: BlockPlan, laid: Laid, table: Table, rows: Sequence[int]) -> None:
    """Put the marks of a pivot or statement over those of its rows (from zero) that are no totals. Raises UseError."""
    sheet, body = making.canvas.sheet, laid.body
    if not plan.marks or body is None or not rows:
        return
    cuts = np.flatnonzero(np.diff(rows) != 1) + 1
    areas = [
        body._replace(top=body.top + int(run[0]), bottom=body.top + int(run[-1]))
        for run in np.split(np.array(rows), cuts)
    ]
    house, styles = making.results.house, making.canvas.styles
    sheet.marks += marks_over(plan.marks, table.headings, areas, house, styles, plan.stopped, len(sheet.marks))


def _living_pivot(making: BlockMaking, name: str, plan: BlockPlan) -> LivingPivot:
    """How the formulas of a pivot find their rows. Raises UseError when they cannot."""
    results = making.results
    asked = results.docket.model.pivots[name]
    if asked.where is not None:
        why = "it leaves rows out by 'where', and the sheet of its rows shows them all"
        do = 'make a table with keep_rows and sum that up, or write formulas = "values"'
        raise UseError(Fault(plan.stopped, why, plan.where, do))
    shown = making.rows.table(asked.from_, plan)
    words, source = results.house.language.words, results.tables[asked.from_]
    cuts = [cut for cut in making.cuts if source.index_of(cut[0]) is not None]
    return LivingPivot(
        shown.name, [column.name for column in shown.columns],
        asked.row_fields(words), asked.column_fields(words), asked.empty_value(), cuts,
        sparse_columns(source), logical_columns(source),
    )  # fmt: skip


# -- figures, texts, lists -------------------------------------------------------------------------------


def _figures(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    asked = model.figures or {}
    pairs = asked.items() if isinstance(asked, Mapping) else [(_label(name), name) for name in asked]
    figures, sources = [], []
    known = {slot_name(name): name for name in making.results.docket.model.figures}
    for raw, formula in pairs:
        slot = next((piece for piece in split_slots(f"[:{formula}:]") if isinstance(piece, Slot)), None)
        found = UnfilledSlot(Slot(formula, formula), "it is no figure") if slot is None else making.scope.resolve(slot)
        if isinstance(found, UnfilledSlot):
            why = f"figure '{formula}': {found.why}"
            raise UseError(Fault(plan.stopped, why, plan.where, found.do or "name a figure, or write a formula"))
        if isinstance(found.value, CellError):
            raise UseError(
                Fault(plan.stopped, f"figure '{formula}' is {found.value.text}", plan.where, "fix its formula")
            )
        name = ""
        if model.names:
            inside = slot_name(slot.inside) if slot is not None else ""
            if inside not in known:
                why = f"'{formula}' is a formula, and only figures have names"
                raise UseError(Fault(plan.stopped, why, plan.where, "make it a figure, or leave names out"))
            name = making.rows.take_name(known[inside], plan)
        figures.append(FigureShown(making.text(raw), found.value, found.format, name))
        sources.append(formula)
    laid = lay_figures(making.canvas, spot, figures, plan, model.across)
    claims = [
        Claim(plan.sheet, *cell, Column.from_values([figure.value]), f"figure '{figure.label}'")
        for figure, cell in zip(figures, laid.cells, strict=True)
    ]
    made_of = [
        source
        for formula, cell in zip(sources, laid.cells, strict=True)
        for source in sources_of_slots(making.results, making.scope, plan.sheet, Area(*cell, *cell), f"[:{formula}:]")
    ]
    if model.across == 1:
        making.rows.shown.append(heading_of_figures(figures, plan.sheet, making.cuts, spot))
    return BlockMade(laid.laid, claims, made_of)


def _inputs(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    inputs = []
    for raw, asked in (model.inputs or {}).items():
        name = making.rows.take_name(raw, plan)
        if name != raw:
            why = f"'{raw}' cannot be the name of an input"
            raise UseError(Fault(plan.stopped, why, plan.where, f"write, for example, {name}"))
        value = making.text(asked.value) if isinstance(asked.value, str) else asked.value
        code = "General" if asked.format is None else making.scope.format_of(asked.format)
        label = _label(raw) if asked.label is None else making.text(asked.label)
        shown = FigureShown(label, float(value) if isinstance(value, int) else value, code, name)
        rule = making.entry(asked, [raw]) if asked.conditions() or asked.prompt else None
        inputs.append((shown, rule))
    return BlockMade(lay_inputs(making.canvas, spot, inputs, plan))


def _label(name: str) -> str:
    """A figure's name as a label: its first letter large, blanks between its words."""
    text = name.replace("_", " ").strip()
    return text[:1].upper() + text[1:]


def _text(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    raw = model.text or ""
    look = model.look or plan.look("note" if model.link is None else "link")
    laid = lay_text(making.canvas, spot, making.text(raw), look, model.columns_wide, plan)
    if model.link is not None:
        try:
            making.canvas.sheet.links.append(link_to(*spot, making.text(model.link)))
        except ValueError as error:
            raise UseError(Fault(plan.stopped, str(error), plan.where, "correct the link")) from None
    sources = list(sources_of_slots(making.results, making.scope, plan.sheet, laid.area, raw))
    return BlockMade(laid, (), sources)


def _contents(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    others = [pair for pair in making.contents if pair[0] != plan.sheet]
    return BlockMade(lay_contents(making.canvas, spot, others, plan))


# -- charts and pictures ---------------------------------------------------------------------------------


def _size(model: BlockModel, usual: tuple[float, float]) -> tuple[float, float]:
    """Width and height in points; of one that is stated the other follows."""
    given = model.size or usual
    width = given[0]
    height = given[1] if len(given) > 1 else width * usual[1] / usual[0]
    return width * _MILLIMETRE, height * _MILLIMETRE


def _chart(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    asked = model.chart
    assert asked is not None
    rows = making.rows.rows(asked.of, plan.sheet, making.cuts) or making.rows.rows(asked.of, plan.sheet, ())
    if rows is None:
        why = f"no block before it shows '{asked.of}'"
        do = "put a block of it first; it may stand on a hidden sheet"
        raise UseError(Fault(f"{plan.stopped}, chart", why, plan.where, do))
    chart = chart_of(asked, rows, making.scope, plan.where)
    width, height = _size(model, _CHART_SIZE)
    name = f"Chart {len(making.canvas.sheet.frames) + 1}"
    frame = Frame(*spot, width, height, chart, name, chart.alt)
    return BlockMade(lay_frame(making.canvas, spot, frame, beside=model.beside))


def _picture(making: BlockMaking, model: BlockModel, spot: tuple[int, int], plan: BlockPlan) -> BlockMade:
    path = making.results.docket.base / making.text(model.picture or "")
    try:
        picture, usual = read_picture(path)
    except ValueError as error:
        raise AccessError(
            Fault(f"{plan.stopped}, picture", str(error), plan.where, "name a PNG or JPEG file")
        ) from None
    width, height = _size(model, usual)
    name = f"Picture {len(making.canvas.sheet.frames) + 1}"
    alt = "" if model.alt is None else making.text(model.alt)
    frame = Frame(*spot, width, height, picture, name, alt)
    return BlockMade(lay_frame(making.canvas, spot, frame, beside=model.beside))


_Lay = Callable[[BlockMaking, BlockModel, tuple[int, int], BlockPlan], BlockMade]
_BLOCKS: Mapping[str, _Lay] = {
    "table": _table, "pivot": _pivot, "statement": _statement, "figures": _figures, "inputs": _inputs,
    "text": _text, "contents": _contents, "chart": _chart, "picture": _picture,
}  # fmt: skip
