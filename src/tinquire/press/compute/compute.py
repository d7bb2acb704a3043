"""The first half of a run: sources into tables, tables into pivots and figures, and the checks on them.

Faults are gathered as far as they do not follow from one another: a source that cannot be read does not hide what
is wrong with the next, but a table is not made from one that failed.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from tinquire.base.faults import Fault, TinQuireError, UseError
from tinquire.cells.values import Value
from tinquire.docket import Docket, Period
from tinquire.docket.review import table_order
from tinquire.docket.schema.base import cell_value
from tinquire.docket.schema.sources import SourceModel
from tinquire.docket.schema.statements import AmountsModel, FigureModel
from tinquire.docket.schema.tables import TableModel
from tinquire.docket.usage import tables_needed, tables_used
from tinquire.formula import FormulaError, parse
from tinquire.formula.language.tree import Name, walk
from tinquire.looks import House
from tinquire.press.compute.checks import make_checks
from tinquire.press.compute.pushdown import pivot_staying, table_staying
from tinquire.press.compute.slot_scope import SlotScope
from tinquire.slots.slots import Unfilled, filled_text, slot_name
from tinquire.sources import FileRead, Gathered, SourceSpec, StayingGroups, StayingRows, gather
from tinquire.tables import Table
from tinquire.tables.checks.conditions import CheckResult
from tinquire.tables.pivots.compute import Subtotals, pivoted
from tinquire.tables.pivots.pivot import Pivot
from tinquire.tables.scope import GroupScope, TableScope, read_formula, require_no_error, scalar_value
from tinquire.tables.statement import Amounts, LineColumns, Statement, stated
from tinquire.tables.steps import StepContext, StepReport, apply_steps
from tinquire.tables.steps.keep_rows import KeepRows

__all__ = ["Reckoning", "pivot_over", "reckon"]


@dataclass
class Reckoning:
    """All values of a run, before anything is drawn from them; and what was wrong on the way."""

    docket: Docket
    period: Period
    house: House
    sources: dict[str, Gathered] = field(default_factory=dict)
    #: Sources, and tables made of them, whose rows stay in their database.
    staying: dict[str, StayingRows] = field(default_factory=dict)
    tables: dict[str, Table] = field(default_factory=dict)
    steps: dict[str, list[StepReport]] = field(default_factory=dict)
    pivots: dict[str, Pivot] = field(default_factory=dict)
    statements: dict[str, Statement] = field(default_factory=dict)
    figures: dict[str, Value] = field(default_factory=dict)
    figure_types: dict[str, str] = field(default_factory=dict)
    checks: list[CheckResult] = field(default_factory=list)
    #: What the checks of the next period look back on.
    facts: dict[str, object] = field(default_factory=dict)
    errors: list[TinQuireError] = field(default_factory=list)
    warnings: list[Fault] = field(default_factory=list)

    @property
    def known(self) -> dict[str, Value]:
        """The values that are known before anything is read."""
        return {**self.period.values(self.house.language), "title": self.docket.model.title}

    @property
    def names(self) -> dict[str, Value]:
        """The values that formulas and slots know by name: figures, and what is known of the run."""
        files = sum(len(gathered.files) for gathered in self.sources.values())
        return {**self.known, "files_read": float(files), **self.figures}

    def slots(self) -> SlotScope:
        """The scope of slots, once all is worked out."""
        dates = {"period.first": "date", "period.last": "date", "files_read": "whole"}
        return SlotScope(self.house, self.names, {**dates, **self.figure_types}, self._formula_tables())

    def _formula_tables(self) -> dict[str, Table]:
        summed: dict[str, Pivot | Statement] = {**self.pivots, **self.statements}
        return {**self.tables, **{name: one.as_table() for name, one in summed.items()}}

    def scope(self) -> TableScope:
        return TableScope(self._formula_tables(), _for_formulas(self.names))


def _for_formulas(names: Mapping[str, Value]) -> dict[str, Value]:
    """Names as formulas write them, where a full stop is none: `period_first`."""
    return {name.replace(".", "_"): value for name, value in names.items()}


def reckon(docket: Docket, period: Period, house: House, said: Callable[[str], None]) -> Reckoning:
    """Work out all tables, pivots, figures and checks. `said` hears what is being done, for progress."""
    work = Reckoning(docket, period, house)
    for name, source in docket.model.sources.items():
        if source.rows == "stay":
            work.staying[name] = _staying(work, name, source)
            continue
        said(f"reading {name}")
        try:
            gathered = gather(_spec(work, name, source))
        except TinQuireError as error:
            work.errors.append(error)
            continue
        work.sources[name] = gathered
        work.tables[name] = gathered.table
        work.warnings += gathered.warnings
    said("shaping tables")
    _make_tables(work)
    _make_pivots(work)
    _make_statements(work)
    _make_figures(work)
    # A check over half the tables would only repeat what is wrong with the other half.
    if not work.errors:
        make_checks(work)
    return work


def _spec(work: Reckoning, name: str, source: SourceModel) -> SourceSpec:
    """The source as the reader wants it: slots in its paths filled, its stamps ready for each file."""
    scope = SlotScope(work.house, work.period.values(work.house.language))
    where = work.docket.where("sources", name)

    def path(text: str | None) -> str | None:
        return None if text is None else _all_filled(text, scope, f"source '{name}'", where)

    def stamp(text: str) -> Callable[[Path, str], str]:
        def at(file: Path, sheet: str) -> str:
            of_file = scope.also(
                {"file.stem": file.stem, "file.name": file.name, "file.folder": file.parent.name, "sheet": sheet}
            )
            return _all_filled(text, of_file, f"source '{name}', stamping {file.name}", where)

        return at

    return SourceSpec(
        name=name,
        base=work.docket.base,
        area=source.range,
        known_as=source.known_as,
        same_file=source.same_file,
        database=source.database,
        query=source.query or "",
        parameters={"period": work.period.text, "period_first": work.period.first, "period_last": work.period.last},
        password_from=source.password_from,
        where=work.docket.where("sources", name, "files" if source.files is not None else "file"),
        files=path(source.files),
        file=path(source.file),
        sheet=source.sheet,
        table=source.table,
        header=source.header,
        totals_row=source.totals_row,
        types=source.types,
        read_as=source.read_as,
        unreadable=source.unreadable
        if isinstance(source.unreadable, str)
        else {heading: cell_value(value) for heading, value in source.unreadable.items()},
        differing=source.differing,
        separator=source.separator,
        decimal=source.decimal,
        encoding=source.encoding,
        stamps={heading: stamp(text) for heading, text in source.stamp.items()},
    )


def _all_filled(text: str, scope: SlotScope, stopped: str, where: str) -> str:
    """A text with its slots filled. Raises UseError when one is not."""
    filled, unfilled = filled_text(text, scope.resolve)
    if unfilled:
        raise UseError(*(unfilled_fault(one, stopped, where) for one in unfilled))
    return filled


def unfilled_fault(unfilled: Unfilled, stopped: str, where: str) -> Fault:
    why = f"nothing fills {unfilled.slot.written}: {unfilled.why}"
    return Fault(stopped, why, where, unfilled.do or "mend the slot's name, or add a figure of that name")


def _make_tables(work: Reckoning) -> None:
    order = table_order(work.docket)
    assert not isinstance(order, Fault)  # the docket was reviewed when it was loaded
    for name in order:
        model = work.docket.model.tables[name]
        if model.from_ in work.staying:
            _make_staying(work, name, model)
            continue
        others = [other for step in model.steps for other in tables_needed(step, work.docket.model.tables)]
        if not _all_there(work, [model.from_, *_other_tables(model.steps), *(one for one in others if one != name)]):
            continue
        start = replace(work.tables[model.from_], name=name)
        names = _for_formulas(work.known)
        context = StepContext(work.tables, names)
        places = [work.docket.where("tables", name, "steps", number) for number in range(len(model.steps))]
        try:
            work.tables[name], work.steps[name] = apply_steps(start, model.steps, context, places)
        except TinQuireError as error:
            work.errors.append(error)


def _staying(work: Reckoning, name: str, source: SourceModel) -> StayingRows:
    """A source whose rows stay in its database."""
    spec = _spec(work, name, source)
    names = _for_formulas(work.known)
    return StayingRows(
        name, str(spec.database), spec.query, spec.parameters, spec.base, spec.password_from, spec.types, names
    )


def _make_staying(work: Reckoning, name: str, model: TableModel) -> None:
    """A table made of rows that stay."""
    rows = replace(work.staying[model.from_], name=name)
    context = StepContext(work.tables, rows.names)
    places = [work.docket.where("tables", name, "steps", number) for number in range(len(model.steps))]
    try:
        made, reports, groups = table_staying(rows, model.steps, context, places)
    except TinQuireError as error:
        work.errors.append(error)
        return
    if isinstance(made, Table):
        work.tables[name], work.steps[name] = made, reports
    else:
        work.staying[name] = made
    if groups is not None:
        _note_travelled(work, model.from_, groups)


def _note_travelled(work: Reckoning, source: str, groups: StayingGroups) -> None:
    """What was asked of a database, for the record of what was read."""
    while source in work.docket.model.tables:
        source = work.docket.model.tables[source].from_
    before = work.sources[source].files if source in work.sources else ()
    note = f"{groups.rows:,} rows stay in the database; {groups.labels.height:,} groups travelled"
    read = FileRead(Path(), groups.shown, groups.labels.height, (note,), groups.digest)
    work.sources[source] = Gathered(groups.labels, (*before, read), ())


def _other_tables(steps: Sequence[object]) -> list[str]:
    return [name for step in steps for name in tables_used(step)]


def _all_there(work: Reckoning, names: Sequence[str]) -> bool:
    """Whether all tables were made; one that failed has said why already."""
    return all(name in work.tables for name in names)


def _make_pivots(work: Reckoning) -> None:
    for name, model in work.docket.model.pivots.items():
        if model.from_ not in work.staying and not _all_there(work, [model.from_]):
            continue
        try:
            if model.from_ in work.staying:
                where = work.docket.where("pivots", name, "where")
                staying = work.staying[model.from_]
                work.pivots[name], groups = pivot_staying(name, model, staying, where, work.house.language)
                _note_travelled(work, model.from_, groups)
                continue
            work.pivots[name] = pivot_over(work, name, work.tables[model.from_])
        except TinQuireError as error:
            work.errors.append(error)


def pivot_over(work: Reckoning, name: str, table: Table) -> Pivot:
    """A pivot of the docket over rows of the table that it sums up."""
    model = work.docket.model.pivots[name]
    names = _for_formulas(work.known)
    context = StepContext(work.tables, names, f"pivot '{name}'", work.docket.where("pivots", name, "where"))
    rows = replace(table, name=name)
    if model.where is not None:
        rows = KeepRows(model.where).apply(rows, context)
    subtotals = model.subtotals
    return pivoted(
        rows,
        model.row_fields(work.house.language.words),
        model.column_fields(work.house.language.words),
        [value.value() for value in model.values],
        empty=model.empty_value(),
        totals=model.totals,
        totals_across=model.totals_across,
        subtotals=None if subtotals is None else Subtotals(subtotals.where == "above", subtotals.name),
        scope=GroupScope(work.tables, names),
        language=work.house.language,
    )


def _make_statements(work: Reckoning) -> None:
    slots = SlotScope(work.house, work.known)
    for name, model in work.docket.model.statements.items():
        used = [model.lines, model.map.table, *(one.table for one in model.amounts)]
        if not _all_there(work, used):
            continue
        where = work.docket.where("statements", name)
        try:
            made = stated(
                name,
                work.tables[model.lines],
                LineColumns(**model.columns.model_dump()),
                work.tables[model.map.table],
                model.map.account,
                model.map.line,
                [_amounts(work, one, slots, name, where) for one in model.amounts],
                difference=model.difference,
                percent=model.percent,
                where=where,
            )
            work.statements[name] = made
            work.tables[f"{name}_accounts"] = made.accounts
        except TinQuireError as error:
            work.errors.append(error)


def _amounts(work: Reckoning, model: AmountsModel, slots: SlotScope, name: str, where: str) -> Amounts:
    heading = _all_filled(model.as_, slots, f"statement '{name}'", where)
    return Amounts(heading, work.tables[model.table], model.account, model.amount)


def _make_figures(work: Reckoning) -> None:
    """Figures in the order in which they use each other."""
    waiting = {
        name: figure if isinstance(figure, FigureModel) else FigureModel(**{"is": figure})
        for name, figure in work.docket.model.figures.items()
    }
    if work.errors and waiting:
        return
    while waiting:
        ready = [name for name, figure in waiting.items() if not _figures_used(figure.is_, waiting)]
        if not ready:
            first = next(iter(waiting))
            why = f"the figures {', '.join(waiting)} use each other"
            where = work.docket.where("figures", first)
            work.errors.append(UseError(Fault("working out figures", why, where, "break the circle")))
            return
        for name in ready:
            figure = waiting.pop(name)
            try:
                work.figures[name] = _figure(work, name, figure)
            except TinQuireError as error:
                work.errors.append(error)
            if figure.type:
                work.figure_types[name] = figure.type


def _figures_used(formula: str, names: Mapping[str, object]) -> bool:
    """Whether a formula uses one of the named figures."""
    wanted = {slot_name(name) for name in names}
    try:
        tree = parse(formula)
    except FormulaError:
        return False
    return any(isinstance(node, Name) and slot_name(node.name) in wanted for node in walk(tree))


def _figure(work: Reckoning, name: str, figure: FigureModel) -> Value:
    where = work.docket.where("figures", name)
    scope = work.scope()
    tree = read_formula(figure.is_, scope, f"figure '{name}'", where)
    return require_no_error(scalar_value(tree, scope, f"figure '{name}'", where), figure.is_, f"figure '{name}'", where)
