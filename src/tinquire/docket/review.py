"""A docket as a whole: that what one part names, another part has, and that its formulas can be read."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import partial

from tinquire.base.faults import Fault
from tinquire.base.wording import known_names
from tinquire.docket.job import Docket
from tinquire.docket.pushdown import needing_rows
from tinquire.docket.schema.charts import ChartModel
from tinquire.docket.schema.workbooks import WorkbookModel
from tinquire.docket.usage import all_formulas, tables_needed
from tinquire.formula import FormulaError, parse
from tinquire.formula.engine.registry import functions, unknown_function
from tinquire.formula.language.tree import Call, walk
from tinquire.slots.slots import slot_name
from tinquire.tables.types import TYPES

__all__ = ["LOOKING_BACK", "OUTPUT_REVIEWS", "review_docket", "table_order"]

#: What figures and checks may call beside the functions: figures of earlier periods.
LOOKING_BACK = ("BEFORE", "YEAR_SO_FAR")


def review_docket(docket: Docket) -> list[Fault]:
    """All faults of a docket whose shape is right."""
    order = table_order(docket)
    return [
        *_names(docket),
        *_tables(docket),
        *_outputs(docket),
        *_formulas(docket),
        *_types(docket),
        *(needing_rows(docket, order) if isinstance(order, list) else ()),
    ]


def _fault(docket: Docket, why: str, do: str, *path: str | int) -> Fault:
    return Fault("reading the docket", why, docket.where(*path), do)


def _names(docket: Docket) -> Iterator[Fault]:
    """Sources, tables, pivots and figures share one set of names: a formula must know which is meant."""
    model = docket.model
    seen: dict[str, str] = {}
    groups: dict[str, Iterable[str]] = {
        "sources": model.sources,
        "tables": model.tables,
        "pivots": model.pivots,
        "statements": model.statements,
        "figures": model.figures,
    }
    for group, members in groups.items():
        for name in members:
            other = seen.setdefault(slot_name(name), f"{group}.{name}")
            if other != f"{group}.{name}":
                yield _fault(
                    docket, f"{group}.{name} has the name of {other}", "give one of them another name", group, name
                )
            if slot_name(name).startswith("period"):
                why = f"{group}.{name} has the name of the period"
                yield _fault(docket, why, "give it another name", group, name)


def _tables(docket: Docket) -> Iterator[Fault]:
    model = docket.model
    known = [*model.sources, *model.tables]
    for name, table in model.tables.items():
        if table.from_ not in known:
            why = f"tables.{name} is made from '{table.from_}', which is neither a source nor a table: "
            yield _fault(docket, why + known_names(table.from_, known), "fix the name", "tables", name, "from")
        for number, step in enumerate(table.steps):
            for other in step.other_tables:
                if other not in known:
                    why = f"tables.{name}, step {number + 1} uses '{other}': {known_names(other, known)}"
                    yield _fault(docket, why, "fix the name", "tables", name, "steps", number)
    for name, pivot in model.pivots.items():
        if pivot.from_ not in known:
            why = f"pivots.{name} sums up '{pivot.from_}': {known_names(pivot.from_, known)}"
            yield _fault(docket, why, "fix the name", "pivots", name, "from")
    for name, statement in model.statements.items():
        for other in (statement.lines, statement.map.table, *(amount.table for amount in statement.amounts)):
            if other not in known:
                why = f"statements.{name} uses '{other}': {known_names(other, known)}"
                yield _fault(docket, why, "fix the name", "statements", name)
    if isinstance(order := table_order(docket), Fault):
        yield order


def table_order(docket: Docket) -> list[str] | Fault:
    """The docket's tables, each after those it is made from; a fault when they are made from each other."""
    model = docket.model
    needs = {
        name: [
            other
            for other in (table.from_, *(used for step in table.steps for used in tables_needed(step, model.tables)))
            if other in model.tables and (other != name or other == table.from_)
        ]
        for name, table in model.tables.items()
    }
    order: list[str] = []
    while len(order) < len(needs):
        ready = [name for name in needs if name not in order and all(other in order for other in needs[name])]
        if not ready:
            ring = [name for name in needs if name not in order]
            why = f"the tables {', '.join(ring)} are made from each other"
            return _fault(docket, why, "remove the circle", "tables", ring[0])
        order += ready
    return order


def _outputs(docket: Docket) -> Iterator[Fault]:
    """What outputs show and attach is there, kind by kind."""
    for review in OUTPUT_REVIEWS.values():
        yield from review(docket)


def _known_tables(docket: Docket) -> list[str]:
    """The names of all tables that an output may show."""
    model = docket.model
    return [*model.sources, *model.tables, *(f"{name}_accounts" for name in model.statements)]


def _review_template(docket: Docket, name: str, book: WorkbookModel, known: list[str]) -> Iterator[Fault]:
    """What a template's rows, repeated sheets and pictures name."""
    for target, rows in book.rows.items():
        if rows.table not in known:
            why = f"rows for '{target}' are of '{rows.table}': {known_names(rows.table, known)}"
            yield _fault(docket, why, "fix the name", "workbooks", name, "rows", target)
    for target, model_of in book.repeat.items():
        for table in (model_of.each, *(rows.table for rows in model_of.rows.values())):
            if table not in known:
                why = f"sheet '{target}' is repeated for '{table}': {known_names(table, known)}"
                yield _fault(docket, why, "fix the name", "workbooks", name, "repeat", target)
    for slot, picture in book.pictures.items():
        shown = [*known, *docket.model.pivots, *docket.model.statements]
        if isinstance(picture, ChartModel) and picture.of not in shown:
            why = f"the chart for '{slot}' is of '{picture.of}': {known_names(picture.of, shown)}"
            yield _fault(docket, why, "fix the name", "workbooks", name, "pictures", slot)


def _review_workbooks(docket: Docket) -> Iterator[Fault]:
    model = docket.model
    known = {"table": _known_tables(docket), "pivot": list(model.pivots), "statement": list(model.statements)}
    every = ["figures", *(item for names in known.values() for item in names)]
    yield from _review_repeated(docket, "workbooks")
    for name, book in model.workbooks.items():
        here = {**known, "table": [*known["table"], *book.own]}
        yield from _review_template(docket, name, book, here["table"])
        if not book.sheets and book.template is None:
            yield _fault(docket, f"workbooks.{name} has neither sheets nor a template", "add one", "workbooks", name)
        for number, sheet in enumerate(book.sheets):
            for place, block in enumerate(sheet.parts()):
                path: tuple[str | int, ...] = ("workbooks", name, "sheets", number)
                path = (*path, "blocks", place) if sheet.blocks else path
                for kind, names in here.items():
                    shown = getattr(block, kind)
                    if shown is not None and shown not in names:
                        why = f"a sheet shows the {kind} '{shown}': {known_names(shown, names)}"
                        yield _fault(docket, why, "fix the name", *path, kind)
                shown = None if block.chart is None else block.chart.of
                if shown is not None and shown not in every and shown not in book.own:
                    why = f"a chart is of '{shown}': {known_names(shown, every)}"
                    yield _fault(docket, why, "name a table, pivot or statement", *path, "chart", "of")


def _review_repeated(docket: Docket, kind: str) -> Iterator[Fault]:
    """Outputs of a kind that are repeated: the tables that they take their rows from."""
    tables = _known_tables(docket)
    for name, output in getattr(docket.model, kind).items():
        named = {"each": output.each, **{f"own.{key}": own.from_ for key, own in output.own.items()}}
        for key, table in named.items():
            if table is not None and table not in tables:
                why = f"{kind}.{name} takes its rows from '{table}': {known_names(table, tables)}"
                yield _fault(docket, why, "fix the name", kind, name, *key.split("."))


def _review_deliveries(docket: Docket) -> Iterator[Fault]:
    model = docket.model
    known = [*model.workbooks, *model.letters, *model.prints, "proof", "proof_pdf"]
    for name, delivery in model.deliveries.items():
        for number, output in enumerate(delivery.files):
            if output not in known:
                why = f"deliveries.{name} takes '{output}': {known_names(output, known)}"
                yield _fault(docket, why, "name an output of the docket", "deliveries", name, "files", number)


#: What is reviewed of each kind of output, by its part of the docket.
OUTPUT_REVIEWS: dict[str, Callable[[Docket], Iterator[Fault]]] = {
    "workbooks": _review_workbooks,
    "letters": partial(_review_repeated, kind="letters"),
    "prints": partial(_review_repeated, kind="prints"),
    "mails": partial(_review_repeated, kind="mails"),
    "deliveries": _review_deliveries,
}


def _formulas(docket: Docket) -> Iterator[Fault]:
    """Formulas that cannot be read, or call functions that are not known; columns are checked when they are there."""
    for path, text in all_formulas(docket):
        try:
            tree = parse(text)
        except FormulaError as error:
            fault = error.at("reading the docket", docket.where(*path)).faults[0]
            yield fault
            continue
        for node in walk(tree):
            known = LOOKING_BACK if path[0] in ("figures", "checks") else ()
            if isinstance(node, Call) and node.function not in known and node.function not in functions():
                yield _fault(docket, unknown_function(node.function), "fix the formula", *path)


def _types(docket: Docket) -> Iterator[Fault]:
    for name, source in docket.model.sources.items():
        for heading, kind in source.types.items():
            if kind not in TYPES:
                why = f"'{kind}' is not a column type: {known_names(kind, TYPES)}"
                yield _fault(docket, why, f"write one of {', '.join(TYPES)}", "sources", name, "types", heading)
